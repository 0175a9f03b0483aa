//! Installs by the hundred, over all families that keep a recovery and all schools: wrong files beside the right one
//! and newer than it, cables that come out in writes, starts of the system in between, other bytes written past the
//! bench. Each ends with the recovery running from where it lies, or is stopped by a rule; then the way out leads
//! there.

use veritope_core::facts::FactKey;
use veritope_core::family::Family;
use veritope_core::goal::Goal;
use veritope_core::schools::schools;
use veritope_formats::make::{NewMember, empty_switched_off, tar_of};
use veritope_standin::profile::Profile;
use veritope_standin::{LockState, Running};

use super::person::{Dice, on};
use super::{End, World, asked, by_seed, kinds};
use crate::relocks::sold::shelve;
use crate::support::recovery_file;

/// Runs that CI does.
const RUNS: u64 = 60;

const FAMILIES: [&str; 7] = [
    "cinder", "gimbal", "halyard", "kelpie", "lodestar", "mooring", "saltern",
];

/// Those that hands alone bring to it: the others are read first, which takes a link.
const BY_HAND: [&str; 3] = ["kelpie", "lodestar", "mooring"];

fn as_published(codename: &str, image: Vec<u8>) -> Vec<u8> {
    if codename != "kelpie" {
        return image;
    }
    let off = empty_switched_off();
    let members = [("recovery.img", &image), ("vbmeta.img", &off)];
    let members = members.map(|(name, bytes)| NewMember { name, bytes });
    let mut tar = Vec::new();
    tar_of(&members, &mut tar).unwrap();
    tar
}

impl World {
    fn to_install(seed: u64) -> Self {
        let mut dice = Dice::new(seed);
        let family = FAMILIES[usize::try_from(seed).unwrap() % FAMILIES.len()];
        let by_hand = BY_HAND.contains(&family) && dice.once_in(4);
        let kind = &kinds()[family];
        let world = Self::seated(seed, dice, kind, (by_hand, LockState::Unlocked, true));
        let own = Profile::named(family).unwrap().small();
        let other = match family {
            "gimbal" => "cinder",
            _ => "gimbal",
        };
        let other = recovery_file(
            &Profile::named(other).unwrap().small(),
            "3.9.0",
            &[5; 20_000],
        );
        let mut half = kind.image.clone();
        half.truncate(half.len() / 2);
        let bench = &world.bench;
        bench.shelve("recovery-3.9.0.img", &as_published(family, other));
        bench.shelve("recovery-3.9.1.img", &half);
        bench.shelve("recovery-3.9.2.img", b"PK\x03\x04, and nothing behind it");
        shelve(bench, &own);
        world
    }

    /// What starts when nothing but its own recovery may start; whoever wrote it.
    fn runs(&self) -> Running {
        on(&self.bench.bridge, |device| device.truth().1)
    }

    /// Other bytes where its recovery lies, past the bench, while its system runs.
    fn is_overwritten(&mut self) {
        let codename = self.scheme.codename;
        let family = self.bench.engine.library.family_named(codename).unwrap();
        // What starts the unit too is put back first, by hand: another story.
        if family.recovery_inside.is_some() {
            return;
        }
        self.met.push("overwritten");
        let label = family.recovery_lies_on()[0].to_string();
        let bytes = b"no image at all".repeat(100);
        on(&self.bench.bridge, |device| {
            device.found_with(&label, &bytes)
        })
        .unwrap();
    }

    /// What a person does who reads that its maker has not been asked since it was erased: in its system, online.
    fn asks_its_maker(&self) {
        for button in ["online", "updates"] {
            let face = on(&self.bench.bridge, |device| device.face());
            if face.buttons.iter().any(|line| line.id == button) {
                self.bench.touch(button);
            }
        }
        let truths = on(&self.bench.bridge, |device| device.truths());
        let known = self.bench.record().known();
        for key in [FactKey::DownloadGuard, FactKey::Toggle] {
            let Some(truth) = truths.get(key.id()) else {
                continue;
            };
            if known.known(key).is_some() {
                self.bench.say(&[(key, truth)]);
            }
        }
    }

    /// The maker's whole system put on it, and the recovery after it (`M13`); where that was stopped, installed again.
    fn is_renewed(&mut self, family: &Family) -> End {
        for package in &family.packages {
            let bytes = veritope_standin::package_bytes(&package.name);
            self.bench.shelve(&package.name, &bytes);
        }
        let end = self.reach(Goal::Renew);
        if end != End::Reached {
            self.make_ready();
            self.bench.stop_what_is_open();
            self.is_installed();
        }
        self.lies_there("after its maker's system");
        end
    }

    /// Installed, or what stopped it; installed in the end.
    fn is_installed(&mut self) -> End {
        self.asks_its_maker();
        let end = self.reach(Goal::KeepRecovery);
        if end == End::Reached {
            assert_eq!(self.runs(), Running::CustomRecovery, "{}", self.about);
        }
        self.lies_there("after an install");
        end
    }
}

/// One seed from beginning to end: the school, how it ended, and what was met.
fn install(seed: u64) -> Vec<String> {
    let mut world = World::to_install(seed);
    let codename = world.scheme.codename;
    let family = world.bench.engine.library.family_named(codename).unwrap();
    let schools = schools(&family);
    world.supply();
    let mut ends = Vec::new();
    if !world.by_hand && world.dice.once_in(4) {
        let at = usize::try_from(world.dice.below(schools.len() as u64)).unwrap();
        let goal = schools[at].goal;
        let end = world.reach(goal);
        ends.push(format!("{codename} {} {end:?}", goal.id()));
        world.make_ready();
        world.bench.stop_what_is_open();
    }
    let end = world.is_installed();
    ends.push(format!("{codename} installed {end:?}"));
    for _ in 0..world.dice.below(3) {
        let end = world.reach(Goal::ToSystem);
        ends.push(format!("{codename} started {end:?}"));
        if world.dice.once_in(2) {
            world.is_overwritten();
        }
        let end = world.reach(Goal::ToCustomRecovery);
        ends.push(format!("{codename} again {end:?}"));
        if end != End::Reached {
            world.make_ready();
            world.bench.stop_what_is_open();
            let end = world.is_installed();
            ends.push(format!("{codename} installed again {end:?}"));
        }
    }
    if Goal::Renew.fits(&family) && !family.packages.is_empty() && world.dice.once_in(3) {
        let end = world.is_renewed(&family);
        ends.push(format!("{codename} renewed {end:?}"));
    }
    world.is_believed_truly("at the end");
    let log = world.bench.log().join("\n");
    assert_eq!(
        world.runs(),
        Running::CustomRecovery,
        "{}\n{log}",
        world.about
    );
    ends.extend(world.met.into_iter().map(str::to_owned));
    ends
}

#[test]
fn installs_by_seed_end_in_the_recovery_that_was_chosen() {
    let first = asked("VERITOPE_SEED").unwrap_or(1);
    let runs = asked("VERITOPE_INSTALLS").unwrap_or(RUNS);
    let (counted, failed) = by_seed(first, runs, |seed| (install(seed), true));
    assert!(failed.is_empty(), "by seed: {failed:?}");
    for family in FAMILIES {
        let reached = counted.get(&format!("{family} installed Reached"));
        assert!(reached >= Some(&(runs / 20)), "{family}: {counted:#?}");
    }
    let renewed = |family: &str| counted.get(&format!("{family} renewed Reached")).copied();
    let all: u64 = ["halyard", "saltern"].into_iter().filter_map(renewed).sum();
    assert!(all >= runs / 30, "{counted:#?}");
}
