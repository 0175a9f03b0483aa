//! Lapwing is to be sold: stock was put back but for `vendor`, and the recovery of somebody else
//! stayed. And the neighbours of that story: other regions, empty slots, an update since.

use std::sync::Arc;

use veritope_core::evidence::{Cure, Line};
use veritope_core::facts::{FactGroup, FactKey};
use veritope_core::goal::Goal;
use veritope_core::rule::Rule;
use veritope_engine::desk::record::Way;
use veritope_engine::keeping::KeepingError;
use veritope_engine::runs::{RunsError, Said};
use veritope_engine::turns::TurnError;
use veritope_engine::views::{StepState, StepView};
use veritope_engine::{CaptureKind, KeepSaid};
use veritope_formats::make::{NewMember, sparse_of, tar_of};
use veritope_formats::startimage::build_start_image;
use veritope_standin::clock::ByHand;
use veritope_standin::gate::Gate;
use veritope_standin::profile::Profile;
use veritope_standin::scheme::Scheme;
use veritope_standin::{Birth, Device, LockState, Running, Setting, stock_images, storage::Memory};
use veritope_wire::body::CablePlace;
use veritope_wire::link::Handle;
use veritope_wire::{Digest, RunId};

use crate::campaign::person::{HANDLE, Slip, answer, on};
use crate::support::{Bench, Patient, seat};

pub(crate) fn profile(family: &str, model: &str, build: &str) -> Profile {
    let named = Profile::named(family).unwrap().variant(model).unwrap();
    named.on_build(build).unwrap()
}

/// A unit on the table by link, unlocked, as `profile`; `change` is what was done to it before.
pub(crate) fn met(profile: &Profile, lock: LockState, change: impl Fn(&mut Device)) -> Bench {
    let clock = Arc::new(ByHand::default());
    let birth = Birth {
        handle: HANDLE.to_owned(),
        seed: 9,
        serial: "LN33407716".to_owned(),
        chip_id: "91b0c4d7".to_owned(),
        lock,
        debugging: Setting::On,
        battery_percent: 91,
        cable: CablePlace::In,
    };
    let storage = Box::new(Memory::blank(768 << 20));
    let mut device = Device::make_in(storage, profile.clone(), &birth, clock.clone()).unwrap();
    let scheme = Scheme::named(profile.codename).unwrap();
    let mut gate = Gate::shipped(scheme);
    gate.build = profile.build.to_owned();
    gate.fused = scheme.build(profile.build).unwrap().index;
    gate.switched_on = true;
    device.set_gate(gate, "").unwrap();
    change(&mut device);
    let image = build_start_image(profile.codename, "recovery", "3.2.0", &[5; 20_000]);
    let folder = tempfile::tempdir().unwrap();
    seat(folder, device, clock, &image, "Sanderling", |bridge| {
        Way::Link {
            bridge,
            handle: Handle(HANDLE.to_owned()),
        }
    })
}

/// The maker's images of a build, each as its member of a set.
pub(crate) fn members(profile: &Profile) -> Vec<(String, Vec<u8>)> {
    let images = stock_images(profile).into_iter();
    images
        .map(|(label, mut bytes)| {
            // Published as makers do: sparse, or without the empty end in whole pages.
            let used = bytes.iter().rposition(|byte| *byte != 0).unwrap() + 1;
            if ["system", "vendor", "product"]
                .iter()
                .any(|os| label.starts_with(os))
            {
                let mut sparse = Vec::new();
                sparse_of(&bytes, 0, &mut sparse).unwrap();
                bytes = sparse;
            } else {
                bytes.truncate(used.next_multiple_of(4096));
            }
            (format!("{}.img", label.trim_end_matches("_a")), bytes)
        })
        .collect()
}

pub(crate) fn tarred(members: &[(String, Vec<u8>)]) -> Vec<u8> {
    let members: Vec<NewMember<'_>> = members
        .iter()
        .map(|(name, bytes)| NewMember { name, bytes })
        .collect();
    let mut tar = Vec::new();
    tar_of(&members, &mut tar).unwrap();
    tar
}

/// The maker's set of a build, on the shelf.
pub(crate) fn shelve(bench: &Bench, profile: &Profile) {
    bench.shelve(
        &format!("{}.tar", profile.build),
        &tarred(&members(profile)),
    );
}

impl Bench {
    pub(crate) fn reach(&self, goal: Goal) {
        let run = self.begin(goal);
        self.go_on(run, "");
    }

    /// On with a run, until its step of this title is next.
    pub(crate) fn go_on(&self, run: RunId, until: &str) {
        for _ in 0..12 {
            match self.next_step() {
                Some(step) if step.step.title != until => self.turn(run, &step),
                _ => break,
            }
        }
    }

    /// The step in hand of the run under way.
    pub(crate) fn next_step(&self) -> Option<StepView> {
        let page = self.engine.views.run_page(self.unit).unwrap();
        page.run.filter(|run| run.ended.is_none())?.step
    }

    /// Takes the step in hand, whoever it is that takes it.
    pub(crate) fn turn(&self, run: RunId, step: &StepView) {
        if matches!(step.state, StepState::InHand { .. }) {
            self.by_hand(step, Slip::None);
            if step.hands_in {
                return;
            }
            self.engine.watch();
            self.say_if_unseen(run, step);
            return;
        }
        if step.consent_wanted {
            self.consent(run).unwrap();
        }
        let bridge = self.bridge.clone();
        self.at_each_pause(move || answer(&bridge, "yes"));
        let stepped = self.step(run);
        self.hands_off();
        stepped.unwrap();
    }

    /// What no link tells, off above all, is said by a person.
    fn say_if_unseen(&self, run: RunId, step: &StepView) {
        let is_in_hand = |now: &StepView| matches!(now.state, StepState::InHand { .. });
        if !self.next_step().as_ref().is_some_and(is_in_hand) {
            return;
        }
        let sighting = self.what_is_seen(step, false);
        let said = Said::from(sighting.as_str());
        let runs = &self.engine.runs;
        // A revision that went on meanwhile was seen after all.
        let _ = runs.say_seen(self.unit, run, self.revision(), said, self.request());
    }

    pub(crate) fn start_recovery(&self) {
        if on(&self.bridge, |device| device.truths()["debugging"] == "off") {
            self.touch("debugging");
        }
        self.engine.links.look(self.unit).unwrap();
        self.reach(Goal::TemporaryRecovery);
    }

    pub(crate) fn capture_all(&self) -> veritope_wire::CaptureId {
        self.engine
            .keeping
            .capture(self.unit, &CaptureKind::Full, &Patient)
            .unwrap()
    }

    pub(crate) fn take(&self, set: &str) -> Result<veritope_wire::CaptureId, KeepingError> {
        let sets = self.engine.keeping.stock_sets(self.unit).unwrap();
        let of = sets.iter().find(|one| one.build == set);
        // A set that can't be read is none; its file is asked for all the same.
        let files = self.engine.views.shelf_page().unwrap().files;
        let named = files.iter().find(|one| one.name.starts_with(set));
        let file = of.map(|one| one.id).or(named.map(|one| one.id));
        self.engine
            .keeping
            .take_stock(self.unit, file.unwrap(), self.request())
    }

    pub(crate) fn functions_and_owner(&self) {
        let works: Vec<_> = FactKey::ALL
            .iter()
            .filter(|key| key.spec().group == FactGroup::Works)
            .map(|key| (*key, "yes"))
            .collect();
        self.say(&works);
        self.say(&[
            (FactKey::Accounts, "0"),
            (FactKey::ScreenLock, "off"),
            (FactKey::WorksWaived, "waived"),
        ]);
        let toggle = on(&self.bridge, |device| device.truths().remove("toggle"));
        if let Some(toggle) = toggle {
            self.say(&[(FactKey::Toggle, &toggle)]);
        }
        let codename = on(&self.bridge, |device| device.profile().codename);
        let family = self.engine.library.family_named(codename).unwrap();
        let waived: Vec<_> = family
            .keep_safe
            .iter()
            .map(|class| (*class, KeepSaid::Waived))
            .collect();
        self.engine
            .units
            .keep_safe(self.unit, &waived, self.request())
            .unwrap();
    }

    /// What stands against a relock now; nothing when it may begin.
    fn against(&self) -> Vec<Line> {
        match self
            .engine
            .runs
            .begin_run(self.unit, Goal::Relock, self.request())
        {
            Err(RunsError::Turn(TurnError::Closed { missing, .. })) => missing,
            Ok(run) => {
                let revision = self.revision();
                self.engine
                    .runs
                    .stop_run(self.unit, run, revision, self.request())
                    .unwrap();
                Vec::new()
            }
            Err(other) => panic!("{other}"),
        }
    }

    fn rules_against(&self) -> Vec<Rule> {
        self.against().into_iter().map(|item| item.rule).collect()
    }

    pub(crate) fn truth_now(&self) -> (LockState, Running) {
        on(&self.bridge, |device| device.truth())
    }
}

#[test]
fn refused_by_name_cured_by_the_makers_set_and_locked() {
    let profile = profile("cinder", "LN-3X", "LN3X.7.0.2607");
    let bench = met(&profile, LockState::Unlocked, |device| {
        let recovery = build_start_image("cinder", "recovery", "3.2.0", &[7; 9_000]);
        device.found_with("recovery", &recovery).unwrap();
        device.found_with("vendor", &[0xC5; 50_000]).unwrap();
    });
    shelve(&bench, &profile);
    // As at the counter.
    bench.say(&[
        (FactKey::Recovery, "custom"),
        (FactKey::Region, "east"),
        (FactKey::Foreign, "vendor"),
    ]);
    let early = bench.take("LN3X.7.0.2607").unwrap_err().to_string();
    assert!(early.contains("(B2)"), "{early}");
    bench.start_recovery();
    let capture = bench.capture_all();
    let set = bench.take("LN3X.7.0.2607").unwrap();
    assert_eq!(bench.take("LN3X.7.0.2607").unwrap(), set, "once");
    bench.reach(Goal::ToSystem);
    bench.functions_and_owner();
    let foreign = bench.against();
    let named = foreign.iter().find(|item| item.rule == Rule::R7).unwrap();
    let labels = ["recovery", "vendor"].map(|label| label.parse().unwrap());
    assert_eq!(
        named.cure(),
        Some(&Cure::PutStock {
            labels: labels.to_vec()
        }),
        "{}",
        named.text
    );

    // The cure is a write under G4: what exists once is copied to a second place first.
    bench.start_recovery();
    let put = |labels: &[veritope_wire::Label]| {
        bench
            .engine
            .keeping
            .restore(bench.unit, set, labels, &Patient)
    };
    let Err(KeepingError::Turn(TurnError::Closed { rule, missing })) = put(&labels) else {
        panic!("written without copies");
    };
    assert_eq!(rule, Rule::G4);
    assert!(
        missing.iter().all(|item| item.rule == Rule::B6),
        "{missing:?}"
    );
    let mut policy = bench.engine.library.policy();
    policy.media = veritope_core::budget::Media::Any;
    bench
        .engine
        .library
        .set_policy(policy, bench.request())
        .unwrap();
    let stick = bench.folder.path().join("stick");
    std::fs::create_dir_all(&stick).unwrap();
    let place = bench
        .engine
        .library
        .add_place("stick", stick.to_str().unwrap(), bench.request())
        .unwrap();
    let newer = bench
        .engine
        .keeping
        .capture(bench.unit, &CaptureKind::Quick, &Patient)
        .unwrap();
    for one in [capture, newer] {
        bench
            .engine
            .keeping
            .copy(bench.unit, one, place, &Patient)
            .unwrap();
    }
    let persist = ["persist".parse().unwrap()];
    assert!(
        put(&persist).is_err(),
        "no set is written onto what exists once"
    );
    // Whatever the log says, copies are read back before a set is written too; garbage is none.
    for folder in std::fs::read_dir(stick.join("objects")).unwrap() {
        for object in std::fs::read_dir(folder.unwrap().path()).unwrap() {
            let object = object.unwrap().path();
            let mut bytes = std::fs::read(&object).unwrap();
            bytes[20] ^= 1;
            std::fs::write(object, bytes).unwrap();
        }
    }
    let Err(KeepingError::Turn(TurnError::Closed { rule, missing })) = put(&labels) else {
        panic!("written with garbage for copies");
    };
    assert_eq!(rule, Rule::G4);
    assert!(
        missing.iter().all(|item| item.rule == Rule::B6),
        "{missing:?}"
    );
    for one in [capture, newer] {
        bench
            .engine
            .keeping
            .verify(bench.unit, one, place, &Patient)
            .unwrap();
        bench
            .engine
            .keeping
            .repair(bench.unit, one, place, &Patient)
            .unwrap();
    }
    put(&labels).unwrap();
    // What was custom by the person's word is written over; which one it is now is seen.
    assert!(bench.record().known().recovery().is_none());
    bench.reach(Goal::ToStockRecovery);
    assert_eq!(
        bench.record().known().recovery(),
        Some(veritope_core::mode::RecoveryKind::Stock)
    );
    bench.reach(Goal::ToSystem);
    bench.functions_and_owner();
    assert_eq!(bench.rules_against(), []);
    bench.reach(Goal::Relock);
    assert_eq!(bench.truth_now(), (LockState::Locked, Running::System));
    assert_eq!(
        bench
            .engine
            .views
            .unit_tag(bench.unit)
            .unwrap()
            .lock
            .as_deref(),
        Some("locked")
    );
}

#[test]
fn a_set_of_another_region_or_with_a_wrong_image_is_not_taken() {
    let own = profile("cinder", "LN-3X", "LN3X.7.1.2610");
    let other = profile("cinder", "LN-3", "LN3.7.1.2610");
    let bench = met(&own, LockState::Unlocked, |_| {});
    shelve(&bench, &own);
    shelve(&bench, &other);
    bench.start_recovery();
    bench.capture_all();
    let refused = bench.take("LN3.7.1.2610").unwrap_err().to_string();
    assert!(
        refused.contains("the unit is LN-3X") && refused.contains("(M2)"),
        "{refused}"
    );
    let set = bench.on_shelf("LN3X.7.1.2610.tar");
    let sound = std::fs::read(&set).unwrap();
    let mut bytes = sound.clone();
    let middle = bytes.len() / 2;
    bytes[middle] ^= 1;
    std::fs::write(&set, &bytes).unwrap();
    let refused = bench.take("LN3X.7.1.2610").unwrap_err().to_string();
    assert!(refused.contains("no set of the maker's"), "{refused}");
    std::fs::write(&set, &sound).unwrap();
    let sets = bench.engine.keeping.stock_sets(bench.unit).unwrap();
    assert_eq!(
        sets.iter()
            .map(|set| (set.fits, set.taken))
            .collect::<Vec<_>>(),
        [(false, None), (true, None)]
    );
}

#[test]
fn the_same_build_of_the_other_region_is_not_the_makers_for_this_unit() {
    let own = profile("cinder", "LN-3X", "LN3X.7.1.2610");
    let other = profile("cinder", "LN-3", "LN3.7.1.2610");
    let bench = met(&own, LockState::Unlocked, |device| {
        for (label, bytes) in stock_images(&other) {
            if label == "system" || label == "vendor" {
                device.found_with(label, &bytes).unwrap();
            }
        }
    });
    shelve(&bench, &own);
    bench.start_recovery();
    bench.capture_all();
    bench.take("LN3X.7.1.2610").unwrap();
    bench.reach(Goal::ToSystem);
    bench.functions_and_owner();
    let against = bench.against();
    let named = against.iter().find(|item| item.rule == Rule::R7).unwrap();
    let labels = ["system", "vendor"].map(|label| label.parse().unwrap());
    assert_eq!(
        named.cure(),
        Some(&Cure::PutStock {
            labels: labels.to_vec()
        })
    );
}

#[test]
fn two_slots_untouched_or_after_one_update_are_judged_by_what_each_holds() {
    let first = profile("saltern", "TH5-E", "TH5.8.2.260905");
    let second = profile("saltern", "TH5-E", "TH5.8.3.261104");
    for updated in [false, true] {
        let bench = met(&first, LockState::Unlocked, |device| {
            // An update fills the other slot with the newer build.
            for (label, bytes) in stock_images(&second) {
                if updated && let Some(name) = label.strip_suffix("_a") {
                    device.found_with(&format!("{name}_b"), &bytes).unwrap();
                }
            }
        });
        bench.start_recovery();
        bench.capture_all();
        // What the maker publishes is in the family file: no set has to be at hand to prove it.
        bench.reach(Goal::ToSystem);
        bench.functions_and_owner();
        assert_eq!(bench.rules_against(), [], "updated: {updated}");
    }
}

/// `R1`, `E6`: what lies on a modified unit, put onto the shelf with a list of its own digests, proves
/// nothing, under the build's name or another one; nor does a family file that says so.
#[test]
fn a_list_that_names_its_own_digests_is_no_proof_of_stock() {
    let profile = profile("cinder", "LN-3X", "LN3X.7.1.2610");
    let foreign = [0xC5; 50_000];
    let bench = met(&profile, LockState::Unlocked, |device| {
        device.found_with("vendor", &foreign).unwrap();
    });
    let mut forged = members(&profile);
    let vendor = forged.iter().position(|(name, _)| name == "vendor.img");
    forged[vendor.unwrap()].1 = foreign.to_vec();
    bench.shelve("forged.tar", &tarred(&forged));
    bench.start_recovery();
    bench.capture_all();
    let refused = bench.take(profile.build).unwrap_err().to_string();
    assert!(
        refused.contains("vendor.img") && refused.contains("(R1)"),
        "{refused}"
    );
    // A set without one member is told, and hides no other.
    bench.clear_shelf();
    forged.pop();
    bench.shelve("part.tar", &tarred(&forged));
    let sets = bench.engine.keeping.stock_sets(bench.unit).unwrap();
    assert!(
        sets[0].findings.iter().any(|one| one.rule == Rule::Q8),
        "{sets:?}"
    );
    assert!(!sets[0].fits);
    let refused = bench.take(profile.build).unwrap_err().to_string();
    assert!(refused.contains("(Q8)"), "{refused}");
    // The same digests in a family file of one's own.
    let text = bench.engine.library.family_page("cinder").unwrap().text;
    let spec = veritope_core::family::load("cinder.toml", &text).unwrap();
    let (_, build) = spec.build(profile.build).unwrap();
    let published = build
        .images
        .iter()
        .find(|(label, _)| label.as_str() == "vendor")
        .unwrap()
        .1;
    let mut filled = foreign.to_vec();
    filled.resize(48 << 20, 0);
    let own = text.replace(&published.to_string(), &Digest::of(&filled).to_string());
    assert_ne!(own, text);
    let against = |bench: &Bench| {
        bench.functions_and_owner();
        let lines = bench.against().into_iter();
        lines.map(|item| (item.rule, item.text)).collect::<Vec<_>>()
    };
    bench.reach(Goal::ToSystem);
    let named = against(&bench);
    assert!(
        named
            .iter()
            .any(|(rule, text)| *rule == Rule::R7 && text.contains("vendor")),
        "{named:?}"
    );
    bench
        .engine
        .library
        .put_family(&own, bench.request())
        .unwrap();
    let unproven = against(&bench);
    assert!(
        unproven.iter().any(|(rule, _)| *rule == Rule::R1),
        "a file of one's own proves nothing: {unproven:?}"
    );
}
