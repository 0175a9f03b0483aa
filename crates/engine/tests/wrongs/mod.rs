//! The wrong file anyway: somebody writes it past the bench, through the raw device. The bench does not go on in its
//! belief: it says what is there instead, ranks causes, and the way out that it offers leads to a start.

use veritope_core::captured::CaptureFacts;
use veritope_core::facts::FactKey;
use veritope_core::goal::Goal;
use veritope_core::rule::Rule;
use veritope_formats::make::empty_switched_off;
use veritope_standin::profile::Profile;
use veritope_standin::{LockState, Running, stock_images};
use veritope_wire::{CaptureId, PlaceId, RunId};

use crate::campaign::person::on;
use crate::recovers::{plover, recovery};
use crate::relocks::sold::{met, profile, shelve, tarred};
use crate::support::{Bench, Patient, recovery_file};

/// A family whose recovery is kept by link, what its write is called, and where it lies.
struct Place {
    family: &'static str,
    model: &'static str,
    build: &'static str,
    write: &'static str,
    label: &'static str,
    /// Which of the wrong files are put there: on each family some, all of them over all.
    wrong: &'static [usize],
}

const INTO: &str = "Restart into custom recovery";

const PLACES: [Place; 5] = [
    Place {
        family: "gimbal",
        model: "FL-1",
        build: "loop-4.1.7-20261011",
        write: "Write the recovery",
        label: "recovery",
        wrong: &[0, 1, 2],
    },
    Place {
        family: "cinder",
        model: "LN-3",
        build: "LN3.7.1.2610",
        write: "Install the recovery from within",
        label: "recovery",
        wrong: &[1],
    },
    Place {
        family: "saltern",
        model: "TH5-E",
        build: "TH5.8.3.261104",
        write: "Put the recovery inside boot",
        label: "boot_a",
        wrong: &[0],
    },
    Place {
        family: "halyard",
        model: "SM-9",
        build: "SM9.2.1.261021",
        write: "Put the recovery inside vendor_boot",
        label: "vendor_boot_a",
        wrong: &[1],
    },
    Place {
        family: "lodestar",
        model: "K2-G",
        build: "K2.5.2.80",
        write: "Write the recovery",
        label: "recovery",
        wrong: &[2],
    },
];

impl Place {
    /// A unit with its recovery written, seen, and its system started after.
    fn kept(&self) -> (Bench, Profile, PlaceId) {
        let profile = profile(self.family, self.model, self.build);
        let bench = met(&profile, LockState::Unlocked, |_| {});
        bench.clear_shelf();
        shelve(&bench, &profile);
        let right = recovery_file(&profile, "3.4.1", &[5; 20_000]);
        bench.shelve("recovery-3.4.1.img", &right);
        bench.any_two_places_do();
        bench.functions_and_owner();
        bench.say(&[(FactKey::Recovery, "stock")]);
        let place = bench.stick();
        self.write(&bench, place);
        bench.reach(Goal::ToSystem);
        (bench, profile, place)
    }

    /// The recovery written, with what was captured in two places.
    fn write(&self, bench: &Bench, place: PlaceId) {
        let run = bench.begin(Goal::KeepRecovery);
        bench.go_on(run, self.write);
        self.copy(bench, place);
        bench.go_on(run, "");
        assert!(bench.has_reached(Goal::KeepRecovery), "{:#?}", bench.log());
    }

    /// Led into the recovery as often as it takes until nobody believes in it: hands are given a second try.
    fn astray(&self, bench: &Bench, run: RunId) {
        for _ in 0..4 {
            bench.go_on(run, INTO);
            let step = bench.next_step().unwrap();
            assert_eq!(step.step.title, INTO, "{}: {:#?}", self.family, bench.log());
            bench.turn(run, &step);
            if bench.record().known().recovery().is_none() {
                return;
            }
        }
        panic!("{}: it is believed in: {:#?}", self.family, bench.log());
    }

    fn copy(&self, bench: &Bench, place: PlaceId) {
        for capture in bench.record().captures.iter().map(|one| one.id) {
            let keeping = &bench.engine.keeping;
            keeping.copy(bench.unit, capture, place, &Patient).unwrap();
        }
    }

    /// Where what starts the unit lies in the same image, what is wrong there is refused by name and put back from a
    /// capture of before first; elsewhere it is written over.
    fn mend(&self, bench: &Bench, place: PlaceId, before: Option<CaptureId>) {
        let run = bench.begin(Goal::KeepRecovery);
        bench.go_on(run, self.write);
        self.copy(bench, place);
        if self.write.starts_with("Put") {
            let refused = bench.step(run).unwrap_err().to_string();
            assert!(refused.contains("put it back from a capture"), "{refused}");
            let labels = [self.label.parse().unwrap()];
            let keeping = &bench.engine.keeping;
            keeping
                .restore(bench.unit, before.unwrap(), &labels, &Patient)
                .unwrap();
        }
        bench.go_on(run, "");
        assert!(bench.has_reached(Goal::KeepRecovery), "{:#?}", bench.log());
    }
}

/// What somebody writes in its place.
fn wrong_files(profile: &Profile, sister: &Profile) -> Vec<(&'static str, Vec<u8>)> {
    let right = recovery_file(profile, "3.4.1", &[5; 20_000]);
    let mut half = right.clone();
    half.truncate(right.len() / 2);
    half.resize(right.len(), 0xff);
    vec![
        (
            "another model's",
            recovery_file(sister, "3.4.1", &[5; 20_000]),
        ),
        ("half of the right one", half),
        ("an archive", b"PK\x03\x04 and nothing behind it".repeat(40)),
    ]
}

#[test]
fn another_recovery_or_none_is_said_and_the_way_out_leads_to_a_start() {
    let sister = profile("mooring", "WM-1", "WM1-3.1-2603");
    for place in PLACES {
        let (bench, own, stick) = place.kept();
        let captures = bench.record().captures.clone();
        let holds = |one: &&CaptureFacts| {
            one.partitions
                .iter()
                .any(|part| part.label.as_str() == place.label)
        };
        let before = captures.iter().find(holds).map(|one| one.id);
        let files = wrong_files(&own, &sister);
        for (what, bytes) in place.wrong.iter().map(|at| &files[*at]) {
            let told = format!("{} with {what}", place.family);
            on(&bench.bridge, |device| {
                device.found_with(place.label, bytes)
            })
            .unwrap();
            let run = bench.begin(Goal::ToCustomRecovery);
            place.astray(&bench, run);
            let page = bench.engine.views.run_page(bench.unit).unwrap();
            let view = page.run.unwrap();
            let diverged = view.diverged.unwrap_or_default();
            assert!(
                diverged.contains("Expected: custom recovery. Seen: bootloader mode"),
                "{told}: {diverged}"
            );
            let rules: Vec<Rule> = view.causes.iter().map(|cause| cause.rule).collect();
            assert_eq!(rules[..3], [Rule::T6, Rule::M1, Rule::T10], "{told}");
            // What is not known is not believed either.
            let known = bench.record().known();
            assert_eq!(known.choice(FactKey::Recovery), None, "{told}");
            let out: Vec<Goal> = view
                .causes
                .iter()
                .filter_map(|cause| Some(cause.by?.goal))
                .collect();
            assert_eq!(out, [Goal::KeepRecovery], "{told}");
            bench.stop_what_is_open();
            place.mend(&bench, stick, before);
            bench.reach(Goal::ToSystem);
            assert_eq!(
                on(&bench.bridge, |device| device.truth().1),
                Running::System,
                "{told}"
            );
            bench.reach(Goal::ToCustomRecovery);
            assert_eq!(
                on(&bench.bridge, |device| device.truth().1),
                Running::CustomRecovery,
                "{told}"
            );
            bench.reach(Goal::ToSystem);
        }
    }
}

/// What the download screen says, read now.
fn its_screen(bench: &Bench) {
    bench.say(&[
        (FactKey::DownloadGuard, "checking"),
        (FactKey::ResetLock, "off"),
        (FactKey::Lock, "unlocked"),
    ]);
}

/// Where nothing reads it before a recovery is in: what was written is changed before it was ever started, or the
/// maker's metadata is beside it again. Hands lead into it, nobody believes in it then, and it is written once more in
/// the same run.
#[test]
fn what_was_changed_after_its_write_is_not_believed_in() {
    let kelpie = profile("kelpie", "OB-510D", "OB-510.2610.v6");
    let images = stock_images(&kelpie);
    let metadata = images.iter().find(|(label, _)| *label == "vbmeta").unwrap();
    let archive = b"PK\x03\x04 and nothing behind it".repeat(40);
    for (label, what) in [("recovery", &archive), ("vbmeta", &metadata.1)] {
        let (bench, profile) = plover();
        let right = recovery("OB-510D", "3.4.1");
        let members = [
            ("recovery.img", right),
            ("vbmeta.img", empty_switched_off()),
        ];
        let members = members.map(|(name, bytes)| (name.to_owned(), bytes));
        bench.shelve("right.tar", &tarred(&members));
        shelve(&bench, &profile);
        bench.functions_and_owner();
        let run = bench.begin(Goal::BackUp);
        bench.go_on(run, "Write the recovery");
        its_screen(&bench);
        let write = bench.next_step().unwrap();
        bench.turn(run, &write);
        on(&bench.bridge, |device| device.found_with(label, what)).unwrap();
        let mut tries = 0;
        while bench.record().known().recovery().is_some() {
            bench.go_on(run, INTO);
            let step = bench.next_step().unwrap();
            bench.turn(run, &step);
            let page = bench.engine.views.run_page(bench.unit).unwrap();
            let view = page.run.unwrap();
            if view.diverged.is_some() {
                tries += 1;
                let rules: Vec<Rule> = view.causes.iter().map(|cause| cause.rule).collect();
                assert_eq!(
                    rules[..4],
                    [Rule::T6, Rule::M1, Rule::T10, Rule::T10],
                    "{label}"
                );
            }
            assert!(tries <= 2, "{label}: {:#?}", bench.log());
        }
        assert!(tries > 0, "{label}");
        bench.go_on(run, "Write the recovery");
        its_screen(&bench);
        bench.go_on(run, "");
        assert!(
            bench.has_reached(Goal::BackUp),
            "{label}: {:#?}",
            bench.log()
        );
        let ran = on(&bench.bridge, |device| device.truth().1);
        assert_eq!(ran, Running::CustomRecovery, "{label}");
    }
}
