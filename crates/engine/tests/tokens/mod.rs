//! Tokens: checked before anything is sent, kept with their unit, never in the clear.

use std::sync::Arc;

use veritope_core::facts::FactKey;
use veritope_core::goal::Goal;
use veritope_engine::DeskError;
use veritope_engine::LibraryError;
use veritope_engine::StepEnd;
use veritope_engine::desk::record::Way;
use veritope_standin::clock::ByHand;
use veritope_standin::gate::Gate;
use veritope_standin::profile::Profile;
use veritope_standin::scheme::Scheme;
use veritope_standin::{Birth, Device};
use veritope_standin::{LockState, storage::Nothing};
use veritope_wire::link::Handle;

use crate::campaign::person::{HANDLE, TOKEN, answer, on};
use crate::support::{Bench, birth, seat};

fn curlew() -> Bench {
    let clock = Arc::new(ByHand::default());
    let birth = Birth {
        handle: HANDLE.to_owned(),
        serial: "K2G4471903".to_owned(),
        ..birth("c771d20a41")
    };
    let profile = Profile::named("lodestar").unwrap().without_bytes();
    let mut device = Device::make_in(Box::new(Nothing), profile, &birth, clock.clone()).unwrap();
    let mut gate = Gate::shipped(Scheme::named("lodestar").unwrap());
    gate.token = TOKEN.to_owned();
    device.set_gate(gate, "").unwrap();
    let folder = tempfile::tempdir().unwrap();
    let bench = seat(folder, device, clock, b"", "Sanderling", |bridge| {
        Way::Link {
            bridge,
            handle: Handle(HANDLE.to_owned()),
        }
    });
    bench.say(&[
        (FactKey::ServiceAllowed, "yes"),
        (FactKey::Root, "no"),
        (FactKey::AnswersBootloader, "yes"),
        (FactKey::Relocked, "no"),
        (FactKey::Accounts, "0"),
        (FactKey::ScreenLock, "off"),
        (FactKey::WorksWaived, "waived"),
    ]);
    let family = bench.engine.library.family_named("lodestar").unwrap();
    let waived: Vec<_> = family
        .keep_safe
        .iter()
        .map(|class| (*class, veritope_engine::KeepSaid::Waived))
        .collect();
    bench
        .engine
        .units
        .keep_safe(bench.unit, &waived, bench.request())
        .unwrap();
    bench
}

fn keep(bench: &Bench, token: &str) -> Result<(), LibraryError> {
    bench
        .engine
        .library
        .keep_token(bench.unit, token, bench.request())
}

#[test]
fn a_kept_token_unlocks_over_the_link_and_lies_nowhere_in_the_clear() {
    let bench = curlew();
    for (wrong, why) in [
        ("00A1B2C3D4E5F6O7", "Sign 15 of the token"),
        ("00A1", "The token has 4 signs"),
    ] {
        let refused = keep(&bench, wrong).unwrap_err().to_string();
        assert!(refused.contains(why), "{refused}");
    }
    assert!(
        !bench.folder.path().join("tokens").exists(),
        "nothing was kept"
    );
    keep(&bench, &format!(" {TOKEN}\n")).unwrap();
    let run = bench.begin(Goal::Unlock);
    assert_eq!(bench.step(run).unwrap(), StepEnd::AsExpected);
    bench.consent(run).unwrap();
    let bridge = bench.bridge.clone();
    bench.at_each_pause(move || answer(&bridge, "yes"));
    assert_eq!(bench.step(run).unwrap(), StepEnd::AsExpected);
    assert_eq!(
        on(&bench.bridge, |device| device.truth().0),
        LockState::Unlocked
    );
    for file in walk(bench.folder.path()) {
        let bytes = std::fs::read(&file).unwrap();
        let found = bytes
            .windows(TOKEN.len())
            .any(|part| part == TOKEN.as_bytes());
        assert!(!found, "in {}", file.display());
    }
}

#[test]
fn a_token_that_was_changed_does_not_open_and_nothing_is_sent() {
    let bench = curlew();
    keep(&bench, TOKEN).unwrap();
    let folder = bench.folder.path().join("tokens");
    let own = folder.join(bench.unit.to_string());
    let mut bytes = std::fs::read(&own).unwrap();
    let last = bytes.len() - 1;
    bytes[last] ^= 1;
    std::fs::write(&own, bytes).unwrap();
    let run = bench.begin(Goal::Unlock);
    bench.step(run).unwrap();
    bench.consent(run).unwrap();
    // What doesn't open is not sent.
    let refused = bench.step(run).unwrap_err().to_string();
    assert!(refused.contains("type it again"), "{refused}");
    assert_eq!(
        on(&bench.bridge, |device| device.truth().0),
        LockState::Locked
    );
}

fn walk(folder: &std::path::Path) -> Vec<std::path::PathBuf> {
    let mut files = Vec::new();
    for entry in std::fs::read_dir(folder).unwrap() {
        let path = entry.unwrap().path();
        if path.is_dir() {
            files.extend(walk(&path));
        } else {
            files.push(path);
        }
    }
    files
}

#[test]
fn a_key_that_is_cut_short_is_said_and_never_replaced() {
    let bench = curlew();
    keep(&bench, TOKEN).unwrap();
    let key = bench.folder.path().join("tokens/key");
    let whole = std::fs::read(&key).unwrap();
    std::fs::write(&key, &whole[..5]).unwrap();
    let error = keep(&bench, TOKEN).unwrap_err().to_string();
    assert!(error.contains("has 5 bytes, wanted are 32"), "{error}");
    assert_eq!(std::fs::read(&key).unwrap(), &whole[..5]);
    std::fs::write(&key, &whole).unwrap();
    keep(&bench, TOKEN).unwrap();
}

/// Every file beside the log that a request writes, as it stands.
fn files(bench: &Bench) -> Vec<(String, Option<Vec<u8>>)> {
    let folder = bench.folder.path();
    let mut names: Vec<String> = ["policy.toml", "bench.toml"].map(str::to_owned).into();
    for inside in ["tokens", "pictures", "families"] {
        let listed = std::fs::read_dir(folder.join(inside)).into_iter().flatten();
        let found = listed.map(|file| file.unwrap().file_name().into_string().unwrap());
        names.extend(found.map(|name| format!("{inside}/{name}")));
    }
    names.sort();
    let read = |name: &String| std::fs::read(folder.join(name)).ok();
    names
        .into_iter()
        .map(|name| (name.clone(), read(&name)))
        .collect()
}

/// The log can't be written: nothing that a request did before it may stay .
#[test]
fn what_the_log_did_not_take_leaves_no_file() {
    let bench = curlew();
    let (unit, request) = (bench.unit, || bench.request());
    keep(&bench, TOKEN).unwrap();
    bench.say(&[(FactKey::Battery, "80")]);
    let fact = bench.record().facts.last().unwrap().id;
    let png = |ending: &str| [b"\x89PNG\r\n\x1a\n", ending.as_bytes()].concat();
    bench
        .engine
        .library
        .put_picture(unit, fact, &png("first"), request())
        .unwrap();
    let before = files(&bench);
    assert!(before.iter().any(|(name, _)| name.starts_with("pictures/")));

    // A folder stands where each log was.
    let log = bench.folder.path().join("log");
    let aside = bench.folder.path().join("log-of-before");
    std::fs::rename(&log, &aside).unwrap();
    for file in std::fs::read_dir(&aside).unwrap() {
        std::fs::create_dir_all(log.join(file.unwrap().file_name())).unwrap();
    }
    let mut policy = bench.engine.library.policy();
    policy.battery_floor_percent = 45;
    let place = bench.folder.path().join("another-place");
    std::fs::create_dir(&place).unwrap();
    let family = include_str!("../../../../families/gimbal.toml");
    let engine = &bench.engine;
    let refused = [
        keep(&bench, &TOKEN.replace('A', "B")).err(),
        engine
            .library
            .put_picture(unit, fact, &png("second"), request())
            .err(),
        engine.library.set_policy(policy.clone(), request()).err(),
        engine
            .library
            .add_place("another", place.to_str().unwrap(), request())
            .err(),
        engine.library.put_family(family, request()).err(),
    ];
    for (index, error) in refused.into_iter().enumerate() {
        let error = error.unwrap_or_else(|| panic!("{index} was not refused"));
        assert!(
            matches!(error, LibraryError::Desk(DeskError::Journal(_))),
            "{index}: {error}"
        );
    }
    assert_eq!(files(&bench), before);
    assert_ne!(engine.library.policy(), policy);

    // As it was, everything goes on.
    std::fs::remove_dir_all(&log).unwrap();
    std::fs::rename(&aside, &log).unwrap();
    assert_eq!(
        engine.library.picture(unit, fact).unwrap().bytes,
        png("first")
    );
    engine.library.set_policy(policy, request()).unwrap();
    engine
        .library
        .put_picture(unit, fact, &png("second"), request())
        .unwrap();
}
