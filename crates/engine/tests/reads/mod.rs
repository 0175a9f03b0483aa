//! Every way to read that a family has, gone to its end on the stand-in (`B1`, `B12`).

use std::sync::Arc;

use veritope_core::coverage::{Agreement, Keeping, Rest};
use veritope_core::facts::FactKey;
use veritope_core::family::Role;
use veritope_core::goal::Goal;
use veritope_core::mode::RecoveryKind;
use veritope_core::partitions::Listing;
use veritope_core::rule::Rule;
use veritope_engine::desk::record::Way;
use veritope_engine::keeping::KeepingError;
use veritope_engine::{CaptureKind, StepEnd};
use veritope_standin::clock::ByHand;
use veritope_standin::gate::Gate;
use veritope_standin::profile::Profile;
use veritope_standin::scheme::Scheme;
use veritope_standin::storage::Memory;
use veritope_standin::{Birth, Device, LockState, Running, Setting};
use veritope_wire::body::{BodyAct, CablePlace};
use veritope_wire::link::Handle;
use veritope_wire::{CaptureId, Label};

use crate::support::{Bench, Patient, birth, seat};

const HANDLE: &str = "dock-1";

/// A unit of a family whose partitions are small, met in this state.
fn met(codename: &str, lock: LockState) -> Bench {
    let profile = Profile::named(codename).unwrap().small();
    met_as(profile, Memory::blank(64 << 20), lock)
}

fn met_as(profile: Profile, storage: Memory, lock: LockState) -> Bench {
    let clock = Arc::new(ByHand::default());
    let birth = Birth {
        handle: HANDLE.to_owned(),
        lock,
        debugging: Setting::On,
        ..birth("c771d20a41")
    };
    let gate = Gate::shipped(Scheme::named(profile.codename).unwrap());
    let storage = Box::new(storage);
    let mut device = Device::make_in(storage, profile, &birth, clock.clone()).unwrap();
    device.set_gate(gate, "").unwrap();
    let folder = tempfile::tempdir().unwrap();
    seat(folder, device, clock, b"", "Avocet", |bridge| Way::Link {
        bridge,
        handle: Handle(HANDLE.to_owned()),
    })
}

impl Bench {
    fn stands_in(&self, mode: Running) {
        let met = self.bridge.with(HANDLE, |device| {
            device.met_in(mode, 0).unwrap();
            Ok(())
        });
        met.unwrap();
        self.looked();
    }

    fn looked(&self) {
        self.engine.links.look(self.unit).unwrap();
    }

    fn presses(&self, button: &str) {
        let touch = BodyAct::Touch {
            button: button.to_owned(),
        };
        self.body(&touch);
        self.looked();
    }

    fn read_out(&self) -> Result<CaptureId, KeepingError> {
        self.engine
            .keeping
            .capture(self.unit, &CaptureKind::Quick, &Patient)
    }

    fn refusal(&self) -> String {
        let refused = self.read_out().unwrap_err();
        assert!(
            matches!(&refused, KeepingError::NoBackup { rule: Rule::B1, .. }),
            "{refused}"
        );
        let view = self.engine.views.backups(self.unit).unwrap();
        let told = view.take.reason.unwrap();
        assert!(refused.to_string().contains(&told), "one answer: {told}");
        told
    }

    fn coverage(&self, label: &str) -> (Keeping, Rule) {
        let label: Label = label.parse().unwrap();
        let view = self.engine.views.backups(self.unit).unwrap();
        let rows = view.coverage.unwrap().rows;
        let row = rows.iter().find(|row| row.described.own.label == label);
        row.map(|row| (row.kept, row.rule)).unwrap()
    }
}

fn agreement(bench: &Bench, capture: CaptureId) -> Vec<(String, Agreement)> {
    let view = bench
        .engine
        .views
        .capture_view(bench.unit, capture)
        .unwrap();
    let parts = view.partitions.into_iter();
    parts
        .filter(|part| part.role == Some(Role::DeviceUnique))
        .map(|part| (part.label.to_string(), part.agreement))
        .collect()
}

/// A loader that reads out does so in any lock state, the boot area included, at rest and twice.
#[test]
fn a_loader_reads_out_everything() {
    let bench = met("thimble", LockState::Locked);
    let told = bench.refusal();
    assert!(told.contains("press Read back in the tool"), "{told}");
    bench.stands_in(Running::Download);
    let capture = bench.read_out().unwrap();
    let unique = [
        "proinfo", "nvram", "nvdata", "protect1", "protect2", "devkey",
    ];
    let twice: Vec<_> = unique
        .map(|label| (label.to_owned(), Agreement::Twice))
        .into();
    assert_eq!(agreement(&bench, capture), twice);
    let view = bench.engine.views.backups(bench.unit).unwrap();
    assert_eq!(view.captures[0].rest, Rest::AtRest);
    let held = bench
        .engine
        .views
        .capture_view(bench.unit, capture)
        .unwrap();
    let labels: Vec<&str> = held
        .partitions
        .iter()
        .map(|one| one.label.as_str())
        .collect();
    for label in ["preloader", "lk", "table-1.primary", "table-1.backup"] {
        assert!(labels.contains(&label), "{labels:?}");
    }
    for label in unique {
        assert_eq!(
            bench.coverage(label),
            (Keeping::Partly, Rule::B6),
            "one copy of two"
        );
    }
}

/// The sheet leads from the running system to the capture, by the hands that the family knows.
#[test]
fn a_sheet_leads_to_the_loader() {
    let bench = met("thimble", LockState::Locked);
    let sheet = bench.engine.runs.preview(bench.unit, Goal::BackUp).unwrap();
    let titles: Vec<&str> = sheet.steps.iter().map(|step| step.title.as_str()).collect();
    assert_eq!(
        titles,
        [
            "Switch it off",
            "Restart into download mode",
            "Capture what exists once"
        ]
    );
}

/// While locked, administrator rights are the only time when what the unlock destroys can be read: then
/// its copy comes first (`G1`), what never changes counts and what lives doesn't (`B12`).
#[test]
fn with_rights_the_copy_comes_before_the_unlock() {
    let bench = met("lodestar", LockState::Locked);
    bench.looked();
    let told = bench.refusal();
    assert!(told.contains("gives no administrator rights"), "{told}");
    let first = |bench: &Bench| {
        let sheet = bench.engine.runs.preview(bench.unit, Goal::Unlock).unwrap();
        sheet.steps[0].title.clone()
    };
    assert_ne!(
        first(&bench),
        "Capture what exists once",
        "nothing reads it"
    );
    bench.presses("rights");
    assert_eq!(first(&bench), "Capture what exists once");

    let capture = bench.read_out().unwrap();
    let read = agreement(&bench, capture);
    let wanted = [
        ("modemst1", Agreement::Once),
        ("modemst2", Agreement::Once),
        ("fsg", Agreement::Twice),
        ("persist", Agreement::Once),
        ("vkeys", Agreement::Twice),
    ];
    assert_eq!(read, wanted.map(|(label, how)| (label.to_owned(), how)));
    let view = bench.engine.views.backups(bench.unit).unwrap();
    assert_eq!(view.captures[0].rest, Rest::Live);
    assert_eq!(
        bench.coverage("vkeys"),
        (Keeping::Partly, Rule::B6),
        "one copy of two"
    );
    assert_eq!(bench.coverage("modemst1"), (Keeping::Partly, Rule::B12));
    assert_ne!(first(&bench), "Capture what exists once", "it stands");

    // Rights that are gone read nothing, and what was read stands.
    bench.presses("rights");
    bench.refusal();
    assert_eq!(bench.coverage("vkeys"), (Keeping::Partly, Rule::B6));
}

/// Half of a capture at rest is never gone on with live, and the other way round.
#[test]
fn what_was_begun_at_rest_is_not_gone_on_with_live() {
    let bench = met("saltern", LockState::Unlocked);
    bench.stands_in(Running::TemporaryRecovery);
    let stopped = crate::support::Impatient;
    bench
        .engine
        .keeping
        .capture(bench.unit, &CaptureKind::Quick, &stopped)
        .unwrap_err();
    bench.stands_in(Running::System);
    bench.presses("rights");
    let capture = bench.read_out().unwrap();
    let view = bench.engine.views.backups(bench.unit).unwrap();
    let line = view.captures.iter().find(|one| one.id == capture).unwrap();
    assert_eq!(line.rest, Rest::Live);
    let read = agreement(&bench, capture);
    let persist = read.iter().find(|(label, _)| label == "persist").unwrap();
    assert_eq!(persist.1, Agreement::Once, "read anew, live");
}

/// Where nothing reads before a recovery was written for it, exactly that is said.
#[test]
fn a_recovery_that_comes_first_is_said() {
    for codename in ["kelpie", "lodestar", "mooring"] {
        let bench = met(codename, LockState::Unlocked);
        bench.say(&[(FactKey::Lock, "unlocked"), (FactKey::Root, "no")]);
        bench.looked();
        let told = bench.refusal();
        assert!(
            told.contains("a recovery that would have to be written first"),
            "{codename}: {told}"
        );
    }
}

/// The phone as they are made now, whole: what is on nobody's list too, by its book or as existing once,
/// what was blank when it was met shutting nothing, and the large unknown one read once (`B5`).
#[test]
fn a_modern_phone_is_captured_whole() {
    // At its own sizes: volumes don't shrink.
    let profile = Profile::named("halyard").unwrap();
    let bench = met_as(profile, Memory::blank(1 << 30), LockState::Unlocked);
    bench.stands_in(Running::TemporaryRecovery);
    let capture = bench
        .engine
        .keeping
        .capture(bench.unit, &CaptureKind::Full, &Patient)
        .unwrap();
    let view = bench.engine.views.backups(bench.unit).unwrap();
    let rows = view.coverage.unwrap().rows;
    assert_eq!(rows.len(), 72);
    let listed = |listing| {
        let of = rows.iter().filter(|row| row.described.listing == listing);
        of.count()
    };
    assert_eq!(
        (listed(Listing::ByBook), listed(Listing::NotListed)),
        (18, 18)
    );
    // What lies blank on nobody's list waits for a second copy like all else, and for nothing more.
    assert_eq!(bench.coverage("ballast"), (Keeping::Partly, Rule::B6));
    let held = bench
        .engine
        .views
        .capture_view(bench.unit, capture)
        .unwrap();
    let seen = |label: &str| {
        let mut parts = held.partitions.iter();
        let part = parts.find(|one| one.label.as_str() == label).unwrap();
        part.seen
            .as_ref()
            .map(|seen| seen.headline.clone())
            .unwrap_or_default()
    };
    assert!(
        seen("vendor_boot_a").contains("vendor"),
        "{}",
        seen("vendor_boot_a")
    );
    assert!(seen("super").contains("volumes"), "{}", seen("super"));
    assert!(
        seen("vbmeta_a").contains("metadata"),
        "{}",
        seen("vbmeta_a")
    );
    let owners = held
        .partitions
        .iter()
        .filter(|one| one.label.as_str() == "userdata" || one.label.as_str() == "metadata");
    assert_eq!(owners.count(), 0, "the owner's data and its key: neither");
}

#[test]
fn what_each_mode_tells_of_the_modern_phone_is_one_unit() {
    let profile = Profile::named("halyard").unwrap().without_bytes();
    let new = || met_as(profile.clone(), Memory::blank(1 << 20), LockState::Unlocked);
    let known = |bench: &Bench, key| {
        let known = bench.record().known();
        known.known(key).map(|row| row.value.exact())
    };
    let plug = |bench: &Bench, to| {
        bench.body(&BodyAct::Cable { to });
        bench.engine.watch();
    };
    let bench = new();
    bench.stands_in(Running::System);
    assert_eq!(
        known(&bench, FactKey::ChipId),
        None,
        "the system does not tell it"
    );
    // In one session and one socket it is the same one, and its chip is known from then on.
    bench.stands_in(Running::Bootloader);
    assert!(known(&bench, FactKey::ChipId).is_some());
    assert!(known(&bench, FactKey::DownloadNumber).is_some());
    plug(&bench, CablePlace::Out);
    plug(&bench, CablePlace::In);
    bench.looked();

    // Plugged in anew where nothing is told that is known: it could be anybody.
    let bench = new();
    bench.stands_in(Running::System);
    plug(&bench, CablePlace::Out);
    let moved = bench.bridge.with(HANDLE, |device| {
        device.met_in(Running::Bootloader, 0).unwrap();
        Ok(())
    });
    moved.unwrap();
    plug(&bench, CablePlace::In);
    let told = bench.engine.links.look(bench.unit).unwrap_err().to_string();
    assert!(
        told.contains("nothing that it tells now says that it is Avocet"),
        "{told}"
    );
    assert!(told.contains("start running system"), "{told}");
    assert_eq!(known(&bench, FactKey::ChipId), None);
    // What is asked for leads there.
    bench.stands_in(Running::System);
    bench.stands_in(Running::Bootloader);
    assert!(known(&bench, FactKey::ChipId).is_some());
}

/// `M11`: once its system has started, another recovery is assumed to be gone, and a look finds what is.
#[test]
fn a_recovery_that_vanishes_is_not_believed_in_and_seen_to_be_gone() {
    let bench = met("kelpie", LockState::Unlocked);
    let custom = veritope_formats::startimage::build_start_image(
        "kelpie",
        "recovery",
        "3.2.0",
        &[5; 20_000],
    );
    let put = bench.bridge.with(HANDLE, |device| {
        device.met_in(Running::CustomRecovery, 0).unwrap();
        device.found_with("recovery", &custom).unwrap();
        Ok(())
    });
    put.unwrap();
    bench.looked();
    let recovery = || {
        let known = bench.record().known();
        (known.recovery(), known.known(FactKey::Recovery).is_some())
    };
    assert_eq!(recovery(), (Some(RecoveryKind::Custom), true));
    let run = bench.begin(Goal::ToSystem);
    while !matches!(bench.step(run).unwrap(), StepEnd::GoalReached) {}
    assert_eq!(recovery(), (None, false), "{:#?}", bench.log());
    // Nobody plans on it, and the next look finds the maker's.
    let there = bench
        .engine
        .runs
        .preview(bench.unit, Goal::ToCustomRecovery);
    assert!(there.is_err(), "{there:?}");
    let truth = bench.bridge.with(HANDLE, |device| {
        device.met_in(Running::StockRecovery, 0).unwrap();
        Ok(())
    });
    truth.unwrap();
    bench.looked();
    assert_eq!(recovery().0, Some(RecoveryKind::Stock));
}
