//! The recovery that really matches: files held against a unit, the right form made, chosen, written to read
//! with, and what the device makes of the wrong one.

use veritope_core::facts::FactKey;
use veritope_core::goal::Goal;
use veritope_core::matching::Verdict;
use veritope_core::rule::Rule;
use veritope_engine::StepEnd;
use veritope_engine::views::{MatchLine, RecoveryPage};
use veritope_formats::make::{NewMember, empty_switched_off, tar_of};
use veritope_formats::startimage::{RecoveryWords, build_recovery};
use veritope_standin::profile::Profile;
use veritope_standin::{Fault, LockState, Running};
use veritope_wire::Digest;

use crate::campaign::person::on;
use crate::relocks::sold::{met, profile, shelve};
use crate::support::{Bench, recovery_file};

const BUILD: &str = "OB-510.2610.v6";

pub(crate) fn recovery(model: &str, version: &str) -> Vec<u8> {
    let words = RecoveryWords {
        codename: "kelpie",
        model,
        version,
        generation: 14,
    };
    build_recovery(words, &[5; 20_000])
}

pub(crate) fn tarred(members: &[(&str, &[u8])]) -> Vec<u8> {
    let members: Vec<NewMember<'_>> = members
        .iter()
        .map(|(name, bytes)| NewMember { name, bytes })
        .collect();
    let mut tar = Vec::new();
    tar_of(&members, &mut tar).unwrap();
    tar
}

/// Plover: unlocked, the maker's recovery in, nothing kept; nothing on the shelf.
pub(crate) fn plover() -> (Bench, Profile) {
    let profile = profile("kelpie", "OB-510D", BUILD);
    let bench = met(&profile, LockState::Unlocked, |device| {
        let mut gate = device.gate().unwrap().clone();
        gate.first_online_ms = Some(0);
        gate.asked_updates = veritope_standin::gate::Answer::Yes;
        gate.open = true;
        device.set_gate(gate, "").unwrap();
    });
    bench.clear_shelf();
    bench.say(&[
        (FactKey::ModelCode, "OB-510D"),
        (FactKey::Build, BUILD),
        (FactKey::Toggle, "fixed-on"),
        (FactKey::DownloadGuard, "checking"),
        (FactKey::ResetLock, "off"),
        (FactKey::Lock, "unlocked"),
    ]);
    (bench, profile)
}

fn page(bench: &Bench) -> RecoveryPage {
    bench.engine.views.recovery_page(bench.unit).unwrap()
}

fn line<'p>(page: &'p RecoveryPage, name: &str) -> &'p MatchLine {
    let mut lines = page.files.iter().chain(&page.others);
    lines.find(|line| line.name == name).unwrap()
}

#[test]
fn the_right_tar_is_taken_and_the_others_say_what_they_lack() {
    let (bench, profile) = plover();
    let off = empty_switched_off();
    let right = recovery("OB-510D", "3.4.1");
    let twin = recovery("OB-510N", "3.9.0");
    bench.shelve(
        "right.tar",
        &tarred(&[("recovery.img", &right), ("vbmeta.img", &off)]),
    );
    bench.shelve(
        "twin.tar",
        &tarred(&[("recovery.img", &twin), ("vbmeta.img", &off)]),
    );
    bench.shelve(
        "more.tar",
        &tarred(&[
            ("recovery.img", &right),
            ("vbmeta.img", &off),
            ("efs.img", b"x"),
        ]),
    );
    bench.shelve("raw.img", &recovery("OB-510D", "3.5.0"));
    let page = page(&bench);
    assert_eq!(page.files[0].name, "right.tar");
    assert!(page.files[0].is_taken);
    let twin = line(&page, "twin.tar");
    assert_eq!(twin.verdict, Verdict::Stops);
    assert!(
        twin.said.contains("the last letter, N and D"),
        "{}",
        twin.said
    );
    let more = line(&page, "more.tar");
    let form = more
        .cells
        .iter()
        .find(|cell| cell.rule == Rule::M4)
        .unwrap();
    assert!(form.why[0].contains("efs.img onto efs"), "{:?}", form.why);
    let raw = line(&page, "raw.img");
    assert_eq!(raw.verdict, Verdict::Makes);
    // What goes with it is made of the maker's own metadata of the build that runs, which is not at hand yet.
    let make = |line: &MatchLine| {
        let steps = &line.ways[0].steps;
        let keeping = &bench.engine.keeping;
        keeping.make_file(Some(bench.unit), line.id, steps, bench.request())
    };
    let refused = make(raw).unwrap_err().to_string();
    assert!(refused.contains(BUILD), "{refused}");
    shelve(&bench, &profile);
    let made = make(raw).unwrap();
    let page = self::page(&bench);
    // Newer, and of bytes that have their publisher's digest: it stands first now.
    let order: Vec<String> = page
        .files
        .iter()
        .map(|one| format!("{} {:?}: {}", one.name, one.verdict, one.said))
        .collect();
    assert_eq!(page.files[0].id, made, "{order:#?}");
    assert_eq!(
        page.files[0].verdict,
        Verdict::Fits,
        "{}",
        page.files[0].said
    );
    let digest = page.files[0]
        .cells
        .iter()
        .find(|cell| cell.rule == Rule::M8)
        .unwrap();
    assert!(
        digest.why[0].contains("made here of raw.img"),
        "{:?}",
        digest.why
    );
}

#[test]
fn a_chosen_file_is_taken_and_one_that_does_not_fit_is_refused() {
    let (bench, _) = plover();
    let off = empty_switched_off();
    let tar = |model: &str, version: &str| {
        let recovery = recovery(model, version);
        tarred(&[("recovery.img", &recovery), ("vbmeta.img", &off)])
    };
    let new = bench.shelve("new.tar", &tar("OB-510D", "3.5.0"));
    let old = bench.shelve("old.tar", &tar("OB-510D", "3.4.1"));
    let twin = bench.shelve("twin.tar", &tar("OB-510N", "3.5.0"));
    let library = &bench.engine.library;
    let unlisted = tar("OB-510E", "3.6.0");
    let unlisted = library
        .put_bytes("unlisted.tar", &unlisted, bench.request())
        .unwrap();
    let choose = |file: Option<Digest>, reason: Option<&str>| {
        bench
            .engine
            .keeping
            .choose_file(bench.unit, file, reason, bench.request())
            .map_err(|error| error.to_string())
    };
    let taken = || {
        let page = page(&bench);
        let mut taken = page.files.into_iter().filter(|one| one.is_taken);
        taken.next().map(|one| one.id)
    };
    assert_eq!(taken(), Some(new));
    choose(Some(old), None).unwrap();
    assert_eq!(taken(), Some(old));
    assert!(
        choose(Some(twin), Some("it will do"))
            .unwrap_err()
            .contains("OB-510N")
    );
    // Its sister's name by its own word; no digest of its publisher: a reason is wanted, and kept.
    assert!(
        choose(Some(unlisted), None)
            .unwrap_err()
            .contains("say why")
    );
    choose(Some(unlisted), Some("built here last week")).unwrap();
    assert_eq!(taken(), Some(unlisted));
    assert_eq!(page(&bench).reason.as_deref(), Some("built here last week"));
    choose(None, None).unwrap();
    assert_eq!(taken(), Some(new));
}

/// From the maker's recovery to what exists once, captured: nothing else is written on the way.
#[test]
fn a_unit_that_nothing_reads_is_read_by_the_recovery_that_is_written_for_it() {
    let (bench, profile) = plover();
    let off = empty_switched_off();
    let right = recovery("OB-510D", "3.4.1");
    bench.shelve(
        "right.tar",
        &tarred(&[("recovery.img", &right), ("vbmeta.img", &off)]),
    );
    shelve(&bench, &profile);
    bench.functions_and_owner();
    let run = bench.begin(Goal::BackUp);
    bench.go_on(run, "Write the recovery");
    // What its own screen says, read now.
    bench.say(&[
        (FactKey::DownloadGuard, "checking"),
        (FactKey::ResetLock, "off"),
        (FactKey::Lock, "unlocked"),
    ]);
    bench.go_on(run, "");
    let log = bench.log().join("\n");
    let at = |what: &str| {
        log.find(what)
            .unwrap_or_else(|| panic!("no `{what}` in\n{log}"))
    };
    assert!(at("About to: Write the recovery") < at("About to: Capture what exists once"));
    assert!(!log.contains("About to: Start the system"), "{log}");
    assert_eq!(
        on(&bench.bridge, |device| device.truth().1),
        Running::CustomRecovery
    );
    // The system can't read its data any more: it is formatted before it starts.
    bench.reach(Goal::ToSystem);
    assert_eq!(
        on(&bench.bridge, |device| device.truth().1),
        Running::System
    );
    assert!(
        bench
            .log()
            .join("\n")
            .contains("Format the data in the recovery")
    );
}

/// A cable that comes out in a write leaves half of it: that is no *as expected* though the unit answers in the
/// mode in which it was left. Which recovery lies there counts for nothing then, and it is written again.
#[test]
fn a_write_that_was_cut_off_is_not_taken_for_done() {
    let build = "WM1-3.1-2603";
    let profile = profile("mooring", "WM-1", build);
    let bench = met(&profile, LockState::Unlocked, |_| {});
    bench.clear_shelf();
    let name = "mallet-full-3.1";
    bench.shelve(name, &veritope_standin::package_bytes(name));
    bench.shelve("r.img", &recovery_file(&profile, "3.2.0", &[5; 20_000]));
    bench.functions_and_owner();
    bench.say(&[(FactKey::Build, build), (FactKey::Recovery, "stock")]);
    let run = bench.begin(Goal::ReadTable);
    bench.go_on(run, "Write the recovery");
    let cut = Fault::CableOutAfter { bytes: 9_000 };
    on(&bench.bridge, |device| device.arm(cut)).unwrap();
    let ended = bench.step(run).unwrap();
    assert!(matches!(ended, StepEnd::Unknown { .. }), "{ended:?}");
    bench.put_back();
    bench.engine.runs.look_at_step(bench.unit).unwrap();
    let log = bench.log().join("\n");
    let after = log.split("About to: Write the recovery").last().unwrap();
    assert!(
        after.contains("did not report it as written whole"),
        "{after}"
    );
    assert!(!after.contains("As expected"), "{after}");
    assert_eq!(bench.record().known().recovery(), None);
    assert_eq!(bench.record().torn.len(), 1);
    bench.go_on(run, "");
    assert!(bench.has_reached(Goal::ReadTable), "{:?}", bench.log());
    assert_eq!(bench.record().torn, []);
    let tag = bench.engine.views.unit_tag(bench.unit).unwrap();
    assert_eq!(tag.recovery.as_deref(), Some("recovery 3.2.0"));
}

/// Without what goes with it the maker's metadata refuses it.
#[test]
fn a_recovery_without_its_companion_is_not_written() {
    let (bench, profile) = plover();
    shelve(&bench, &profile);
    let right = recovery("OB-510D", "3.4.1");
    bench.shelve("alone.tar", &tarred(&[("recovery.img", &right)]));
    let page = page(&bench);
    assert_eq!(line(&page, "alone.tar").verdict, Verdict::Makes);
    assert_eq!(page.files.iter().filter(|one| one.is_taken).count(), 0);
}
