//! Runs by the thousand: every family, by link and by hand, from locked to unlocked and back where
//! there is a way back, with hands that slip and devices that misbehave. At every step boundary each
//! fact that the bench holds for known equals the device's own, and every run ends at its goal or is
//! stopped by a rule that it names.
//!
//! `VERITOPE_RUNS` and `VERITOPE_SEED` choose how many and which (`cargo xtask campaign`); a seed
//! replays exactly.

mod installs;
pub(crate) mod person;

use std::collections::BTreeMap;
use std::sync::atomic::{AtomicU64, Ordering};
use std::sync::{Arc, OnceLock};

use person::{Dice, HANDLE, Slip, TOKEN, answer, on};
use veritope_core::evidence::{Cure, Line};
use veritope_core::facts::{FactGroup, FactKey, Reading};
use veritope_core::goal::Goal;
use veritope_core::present::{Held, present};
use veritope_core::prospect::Prospect;
use veritope_core::rule::Rule;
use veritope_engine::DeskError;
use veritope_engine::LibraryError;
use veritope_engine::desk::journal::{Journal, JournalError};
use veritope_engine::desk::record::Way;
use veritope_engine::links::LinksError;
use veritope_engine::runs::{RunsError, Said};
use veritope_engine::turns::TurnError;
use veritope_engine::views::{LinkPresence, StepState};
use veritope_engine::{CaptureKind, KeepSaid};
use veritope_standin::clock::ByHand;
use veritope_standin::gate::{Answer, Gate};
use veritope_standin::profile::Profile;
use veritope_standin::scheme::{Off, Opening, Package, SCHEMES, Scheme};
use veritope_standin::{Birth, Device, Factory, Fault, LockState, Running, Setting};
use veritope_wire::body::CablePlace;
use veritope_wire::link::{ActKind, Handle};
use veritope_wire::{CaptureId, Digest, Label, RunId};

use crate::support::{Bench, Patient, seat};

/// Runs that CI does.
const RUNS: u64 = 700;
/// Steps after which a run counts as going nowhere.
const MOST_STEPS: u32 = 90;

/// Where another unit of the same kind lies.
const OTHER: &str = "dock-2";

/// How a run ended.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
enum End {
    Reached,
    /// A rule stopped it; the state is one that it names and leaves as it is.
    Stopped(Vec<Rule>),
}

struct Kind {
    factory: Factory,
    image: Vec<u8>,
    scheme: &'static Scheme,
    /// Its packages by name, as their publisher has them.
    packages: Vec<(&'static str, Vec<u8>)>,
}

fn kinds() -> &'static BTreeMap<&'static str, Kind> {
    static KINDS: OnceLock<BTreeMap<&'static str, Kind>> = OnceLock::new();
    KINDS.get_or_init(|| {
        SCHEMES
            .iter()
            .map(|scheme| {
                let profile = Profile::named(scheme.codename).unwrap().small();
                let image = crate::support::recovery_file(&profile, "3.2.0", &[5; 20_000]);
                let kind = Kind {
                    factory: Factory::new(profile, birth(LockState::Locked)).unwrap(),
                    image,
                    scheme,
                    packages: on_card(scheme)
                        .map(|one| (one.name, veritope_standin::package_bytes(one.name)))
                        .collect(),
                };
                (scheme.codename, kind)
            })
            .collect()
    })
}

fn birth(lock: LockState) -> Birth {
    Birth {
        handle: HANDLE.to_owned(),
        seed: 7,
        serial: "ZX4471900312".to_owned(),
        chip_id: "5f21c09e77a1".to_owned(),
        lock,
        debugging: Setting::On,
        battery_percent: 96,
        cable: CablePlace::In,
    }
}

/// One run's world.
struct World {
    bench: Bench,
    dice: Dice,
    scheme: &'static Scheme,
    by_hand: bool,
    /// Whether a recovery is written that stays.
    is_kept: bool,
    /// Whether anything still goes wrong.
    troubled: bool,
    /// What the bench itself went through.
    met: Vec<&'static str>,
    about: String,
}

impl World {
    fn new(seed: u64) -> Self {
        let mut dice = Dice::new(seed);
        let family = family_of(seed);
        let kind = &kinds()[family];
        let by_hand = dice.once_in(3);
        let lock = match kind.scheme.opening {
            Opening::NoLock => LockState::Unlocked,
            _ => LockState::Locked,
        };
        // Copies in memory count for nothing, so a recovery is written only on a bench on a disk.
        let is_kept = matches!(family, "gimbal" | "cinder") && dice.once_in(8);
        // Where packages lead from build to build, what exists once is kept on the way.
        let on_a_disk = is_kept || kind.scheme.has_card();
        Self {
            is_kept,
            ..Self::seated(seed, dice, kind, (by_hand, lock, on_a_disk))
        }
    }

    /// A unit of this kind on the table, with another one beside it and its packages on the shelf.
    fn seated(
        seed: u64,
        mut dice: Dice,
        kind: &'static Kind,
        (by_hand, lock, on_a_disk): (bool, LockState, bool),
    ) -> Self {
        let family = kind.scheme.codename;
        let clock = Arc::new(ByHand::default());
        let neighbour = clock.clone();
        let mut device = kind.factory.device(&birth(lock), clock.clone());
        if family != "gimbal" {
            let mut gate = Gate::shipped(kind.scheme);
            gate.first_online_ms = Some(-1_000 * 3_600_000);
            gate.asked_updates = Answer::Yes;
            gate.switched_on = true;
            gate.open = lock == LockState::Unlocked;
            gate.token = TOKEN.to_owned();
            gate.card = on_card(kind.scheme)
                .map(|one| one.name.to_owned())
                .collect();
            device.set_gate(gate, "").unwrap();
            device.met_in(Running::System, 0).unwrap();
        }
        let folder = match on_a_disk {
            true => tempfile::tempdir(),
            false => tempfile::Builder::new().tempdir_in(fast_folder()),
        };
        let folder = folder.unwrap();
        let bench = seat(folder, device, clock, &kind.image, "Sanderling", |bridge| {
            if by_hand {
                Way::Hand
            } else {
                Way::Link {
                    bridge,
                    handle: Handle(HANDLE.to_owned()),
                }
            }
        });
        if on_a_disk {
            bench.any_two_places_do();
        }
        for (name, bytes) in &kind.packages {
            bench.shelve(name, bytes);
        }
        let other = Birth {
            handle: OTHER.to_owned(),
            chip_id: "5f21c09e0000".to_owned(),
            serial: "ZX4471900999".to_owned(),
            ..birth(lock)
        };
        let mut other = kind.factory.device(&other, neighbour);
        if family != "gimbal" {
            other.set_gate(Gate::shipped(kind.scheme), "").unwrap();
        }
        bench.bridge.add(other);
        Self {
            about: format!(
                "seed {seed}, {family}, by {}",
                if by_hand { "hand" } else { "link" }
            ),
            bench,
            is_kept: false,
            troubled: !dice.once_in(4),
            met: Vec::new(),
            dice,
            scheme: kind.scheme,
            by_hand,
        }
    }

    /// What a person reads on the device now, where it can be read, and what the seal asks of them.
    fn supply(&self) {
        let truths = on(&self.bench.bridge, |device| device.truths());
        let mut said: Vec<(FactKey, String)> = [
            (FactKey::Ownership, "mine"),
            (FactKey::Bought, "open"),
            (FactKey::Paid, "yes"),
            (FactKey::Managed, "no"),
            (FactKey::ServiceAllowed, "yes"),
            (FactKey::Root, "no"),
            (FactKey::AskedUpdates, "yes"),
            (FactKey::FirstOnline, "2026-09-01T10:00:00Z"),
            (FactKey::Relocked, "no"),
            (FactKey::AnswersBootloader, "yes"),
            (FactKey::Card, "in"),
            (
                FactKey::Recovery,
                truths.get("recovery").map_or("stock", String::as_str),
            ),
            (
                FactKey::CriticalLock,
                truths.get("critical-lock").map_or("", String::as_str),
            ),
            (
                FactKey::Merging,
                truths.get("merging").map_or("", String::as_str),
            ),
            (
                FactKey::RollbackIndex,
                truths.get("rollback-index").map_or("", String::as_str),
            ),
            (
                FactKey::Toggle,
                truths.get("toggle").map_or("", String::as_str),
            ),
            (
                FactKey::DownloadGuard,
                truths.get("download-guard").map_or("", String::as_str),
            ),
            (
                FactKey::ResetLock,
                truths.get("reset-lock").map_or("", String::as_str),
            ),
        ]
        .map(|(key, value)| (key, value.to_owned()))
        .into();
        for (key, name) in [
            (FactKey::Accounts, "accounts"),
            (FactKey::ScreenLock, "screen-lock"),
            (FactKey::ModelCode, "model-code"),
            (FactKey::Build, "build"),
            (FactKey::Lock, "lock"),
        ] {
            said.push((key, truths[name].clone()));
        }
        let packages: Vec<_> = on_card(self.scheme).map(|one| one.name).collect();
        if !packages.is_empty() {
            said.push((FactKey::CardFiles, packages.join(", ")));
        }
        if self.by_hand {
            said.extend([
                (FactKey::Battery, "90".to_owned()),
                (FactKey::Debugging, truths["debugging"].clone()),
                (FactKey::Mode, truths["mode"].clone()),
            ]);
        }
        said.push((FactKey::WorksWaived, "waived".to_owned()));
        let known = self.bench.record().known();
        said.retain(|(key, value)| !value.is_empty() && known.known(*key).is_none());
        for one in said {
            // What this family does not have is not asked for and may be refused.
            let _ =
                self.bench
                    .engine
                    .units
                    .type_facts(self.bench.unit, &[one], self.bench.request());
        }
        let codename = self.scheme.codename;
        let family = self.bench.engine.library.family_named(codename).unwrap();
        if family.token.is_some() {
            // It is typed, checked and kept, or it is none.
            let library = &self.bench.engine.library;
            let kept = library.keep_token(self.bench.unit, TOKEN, self.bench.request());
            kept.unwrap();
        }
        let waived: Vec<_> = family
            .keep_safe
            .iter()
            .map(|class| (*class, KeepSaid::Waived))
            .collect();
        self.bench
            .engine
            .units
            .keep_safe(self.bench.unit, &waived, self.bench.request())
            .unwrap();
    }

    /// The heart of it: nothing that the bench holds for known is otherwise on the device.
    fn is_believed_truly(&self, when: &str) {
        let engine = &self.bench.engine;
        engine.watch();
        let record = self.bench.record();
        let known = record.known();
        let truths = on(&self.bench.bridge, |device| device.truths());
        if record.is_lock_in_doubt() {
            let tag = engine.views.unit_tag(self.bench.unit).unwrap();
            assert_eq!(
                tag.lock.filter(|lock| lock != "no lock"),
                None,
                "{}",
                self.about
            );
        }
        if known.empty_since().is_some() {
            for (name, truth) in [("accounts", "0"), ("screen-lock", "off")] {
                assert_eq!(truths[name], truth, "{}, {when}: nothing there", self.about);
            }
        }
        let between = on(&self.bench.bridge, |device| device.is_under_way());
        for (key, name) in [
            (FactKey::Mode, "mode"),
            (FactKey::Lock, "lock"),
            (FactKey::CriticalLock, "critical-lock"),
            (FactKey::Merging, "merging"),
            (FactKey::Debugging, "debugging"),
            (FactKey::Accounts, "accounts"),
            (FactKey::ScreenLock, "screen-lock"),
            (FactKey::Toggle, "toggle"),
            (FactKey::Slot, "slot"),
            (FactKey::Build, "build"),
            (FactKey::ChipId, "chip-id"),
            (FactKey::Serial, "serial"),
            (FactKey::ModelCode, "model-code"),
        ] {
            let (Reading::Known(row), Some(truth)) = (known.get(key), truths.get(name)) else {
                continue;
            };
            let stays = [FactKey::ChipId, FactKey::Serial, FactKey::ModelCode];
            if (key == FactKey::Mode && between)
                || (record.is_in_doubt()
                    && !stays.contains(&key)
                    && (key != FactKey::Lock || record.is_lock_in_doubt()))
            {
                continue;
            }
            // A serial may be another one in another mode; the chip is then what is asked for.
            let believed = row.value.exact();
            let is_so =
                believed == *truth || (key == FactKey::Serial && believed == truths["chip-id"]);
            assert!(
                is_so,
                "{}, {when}: believes {name} {believed} ({:?}), it is {truth}\n{}",
                self.about,
                row.source,
                self.bench.log().join("\n")
            );
        }
    }

    /// Something to go wrong with the next step by link.
    fn trouble(&mut self) {
        if !self.troubled || !self.dice.once_in(4) {
            return;
        }
        let now = on(&self.bench.bridge, |device| device.now_ms());
        if self.dice.once_in(5) {
            // Another unit of the same kind lies there for a moment.
            self.bench.bridge.swap(HANDLE, OTHER).unwrap();
            let seen = self.bench.engine.links.look(self.bench.unit);
            assert!(
                seen.is_err(),
                "{}: another unit was taken for it\n{}",
                self.about,
                self.bench.log().join("\n")
            );
            self.bench.bridge.swap(HANDLE, OTHER).unwrap();
            return;
        }
        let fault = match self.dice.below(8) {
            0 => Fault::RefuseOnce {
                act: ActKind::Restart,
            },
            1 => Fault::RefuseOnce {
                act: ActKind::Unlock,
            },
            2 => Fault::RestartsAt {
                ms: now + 1_000 * i64::try_from(1 + self.dice.below(20)).unwrap(),
            },
            3 => Fault::RefuseOnce {
                act: ActKind::Erase,
            },
            4 => Fault::CableOutOnAct {
                act: ActKind::Erase,
            },
            5 => Fault::LeadsElsewhere {
                to: Running::System,
            },
            6 => Fault::CableOutAfter {
                bytes: self.dice.below(200_000),
            },
            _ => Fault::CableOutOnAct {
                act: ActKind::Restart,
            },
        };
        on(&self.bench.bridge, |device| device.arm(fault)).unwrap();
    }

    /// Something to happen to the bench itself: it ends and starts again, with its index or without, or its
    /// machine does; or somebody sets the clock.
    fn bench_trouble(&mut self) {
        if !self.troubled || !self.dice.once_in(20) {
            return;
        }
        if self.dice.once_in(2) {
            let hours = i64::try_from(self.dice.below(200)).unwrap() - 100;
            let by_ms = &self.bench.time.set_by_ms;
            by_ms.store(hours * 3_600_000, Ordering::SeqCst);
            self.met.push("clock set");
            return;
        }
        if self.dice.once_in(5) {
            self.met.push("family edited");
            self.edit_the_family();
            return;
        }
        let before = self.bench.record();
        match self.dice.below(3) {
            0 => {
                self.met.push("machine started again");
                self.bench.reboot();
            }
            1 => {
                self.met.push("started again");
                self.bench.restart_indexed();
            }
            _ => {
                self.met.push("started again, index lost");
                self.bench.restart();
            }
        }
        let damage = self.bench.files.damage();
        assert!(damage.is_empty(), "{}: {damage:?}", self.about);
        assert!(
            self.bench.record() == before,
            "{}: another record after a restart\n{}",
            self.about,
            self.bench.log().join("\n")
        );
    }

    /// Somebody changes the family's text in the middle of it all; what is under way goes on by the one it began
    /// with.
    fn edit_the_family(&self) {
        let codename = self.scheme.codename;
        let file = format!("{codename}.toml");
        let shipped = veritope_core::family::SHIPPED.iter();
        let (_, text) = shipped.into_iter().find(|(name, _)| *name == file).unwrap();
        let edited = format!("{text}\n# Seen again on the bench.\n");
        let kept = self
            .bench
            .engine
            .library
            .put_family(&edited, self.bench.request());
        assert_eq!(kept.unwrap(), codename, "{}", self.about);
    }

    /// What exists once goes blank, and is put back from the capture: with the cable out on the way, or with a
    /// copy that was damaged. What is said to have been put back is there, and what is believed to lie there
    /// does.
    fn put_back(&mut self, capture: CaptureId) {
        let label: Label = "persist".parse().unwrap();
        let bench = &self.bench;
        let good = on(&bench.bridge, |device| device.holds("persist")).unwrap();
        bench.any_two_places_do();
        if !self.copied(capture) {
            self.met.push("not copied");
            return;
        }
        let damaged = self.dice.once_in(3);
        if damaged {
            self.met.push("object damaged");
            let hex = Digest::of(&good).to_string();
            let object = format!("vault/objects/{}/{hex}.zst", &hex[..2]);
            let path = self.bench.folder.path().join(object);
            let mut bytes = std::fs::read(&path).unwrap();
            let at = usize::try_from(self.dice.below(bytes.len() as u64)).unwrap();
            bytes[at] ^= 1;
            std::fs::write(&path, bytes).unwrap();
        }
        let blank = Fault::Blank {
            label: label.to_string(),
        };
        on(&self.bench.bridge, |device| device.arm(blank)).unwrap();
        if self.dice.once_in(2) {
            self.met.push("cable out in a write");
            // What lies there is read first, and then what is sent.
            let bytes = good.len() as u64 * 2 + self.dice.below(good.len() as u64);
            on(&self.bench.bridge, |device| {
                device.arm(Fault::CableOutAfter { bytes })
            })
            .unwrap();
        }
        for turn in 0..4 {
            let keeping = &self.bench.engine.keeping;
            let put = keeping.restore(
                self.bench.unit,
                capture,
                std::slice::from_ref(&label),
                &Patient,
            );
            self.lies_there("after putting back");
            if put.is_ok() {
                let now = on(&self.bench.bridge, |device| device.holds("persist")).unwrap();
                assert!(
                    now == good,
                    "{}: put back, and other bytes lie there",
                    self.about
                );
                assert!(self.bench.record().torn.is_empty(), "{}", self.about);
                self.met.push("put back");
                return;
            }
            if turn == 1 {
                on(&self.bench.bridge, |device| device.calm());
            }
            self.make_ready();
        }
        // Damage alone keeps it from coming back.
        self.met.push("not put back");
        assert!(
            damaged,
            "{}: never put back\n{}",
            self.about,
            self.bench.log().join("\n")
        );
    }

    /// Brings a capture to a second place; whether that went well.
    fn copied(&self, capture: CaptureId) -> bool {
        let engine = &self.bench.engine;
        let places = engine.library.places();
        let stick = places.iter().find(|place| place.name == "stick");
        let place = stick.map_or_else(|| self.bench.stick(), |place| place.id);
        engine
            .keeping
            .copy(self.bench.unit, capture, place, &Patient)
            .is_ok()
    }

    /// What the bench takes for lying in a partition does lie there.
    fn lies_there(&self, when: &str) {
        let record = self.bench.record();
        let held = Held {
            torn: &record.torn,
            written: &record.written,
            captures: &record.captures,
            happened: &record.happened,
        };
        for own in record.own.iter().flatten() {
            let Some(believed) = present(held, &own.label) else {
                continue;
            };
            let label = own.label.as_str();
            if let Ok(bytes) = on(&self.bench.bridge, |device| device.holds(label)) {
                let is = Digest::of(&bytes);
                // A mishap is nothing that a bench could see, before it reads again.
                let is_mishap = label == "persist" && bytes.iter().all(|byte| *byte == 0);
                assert!(
                    believed == is || is_mishap,
                    "{}, {when}: {label} is taken for {}, it is {}",
                    self.about,
                    believed.short(),
                    is.short()
                );
            }
        }
    }

    /// The disk to be full for a moment: what is asked then is refused, and what was seen is not in the record.
    fn fill_the_disk(&mut self) -> bool {
        let is_full = self.troubled && self.dice.once_in(20);
        self.bench.time.is_full.store(is_full, Ordering::SeqCst);
        is_full
    }

    fn room_again(&self) {
        self.bench.time.is_full.store(false, Ordering::SeqCst);
    }

    fn slip(&mut self) -> Slip {
        if !self.troubled || !self.dice.once_in(4) {
            return Slip::None;
        }
        match self.dice.below(4) {
            0 => Slip::TooEarly,
            1 => Slip::WrongKeys,
            2 => Slip::CableForgotten,
            _ => Slip::DefaultNo,
        }
    }

    /// Towards a goal, whatever comes.
    fn reach(&mut self, goal: Goal) -> End {
        let mut refused = 0;
        let wipes = self.wipes();
        for step in 0..MOST_STEPS {
            if step > MOST_STEPS / 2 {
                self.troubled = false;
                on(&self.bench.bridge, |device| device.calm());
            }
            self.bench.hands_off();
            self.bench_trouble();
            self.is_believed_truly("between steps");
            let is_open = self.bench.record().active_run().is_some();
            let page = || self.bench.engine.views.run_page(self.bench.unit).unwrap();
            let Some(run) = is_open.then(|| page().run).flatten() else {
                // An erase shows only in what the run says, as what a package laid does; it has to be so.
                let is_erase = goal == Goal::Erase;
                let is_told = is_erase || goal == Goal::Renew;
                if self.is_at(goal) && (!is_told || step > 0 && self.bench.has_reached(goal)) {
                    assert!(
                        !is_erase || self.wipes() > wipes,
                        "{}: nothing was erased\n{}",
                        self.about,
                        self.bench.log().join("\n")
                    );
                    return End::Reached;
                }
                self.make_ready();
                self.supply();
                let is_asked = refused == 0 && self.dice.once_in(2);
                let promised = is_asked.then(|| self.promised(goal)).flatten();
                let begun =
                    self.bench
                        .engine
                        .runs
                        .begin_run(self.bench.unit, goal, self.bench.request());
                self.is_kept(promised.as_ref(), &begun);
                match begun {
                    Ok(_) => continue,
                    Err(RunsError::Turn(TurnError::Closed { missing, .. })) => {
                        refused += 1;
                        if refused > 3 {
                            let rules = missing.into_iter().map(|item| item.rule);
                            return End::Stopped(rules.collect());
                        }
                        self.makes_good(&missing);
                        continue;
                    }
                    Err(RunsError::Links(
                        LinksError::Link(_)
                        | LinksError::Doubtful { .. }
                        | LinksError::NotTold { .. },
                    )) => {
                        refused += 1;
                        continue;
                    }
                    Err(RunsError::WhyNot(_) | RunsError::NoPlan(_)) => {
                        return End::Stopped(vec![Rule::U10]);
                    }
                    Err(other) => panic!("{}: {other}", self.about),
                }
            };
            let Some(view) = run.step else {
                panic!("{}: a run without a step", self.about);
            };
            match &view.state {
                StepState::InHand { .. } => {
                    let slip = self.slip();
                    let wipes = self.wipes();
                    self.bench.by_hand(&view, slip);
                    if view.hands_in {
                        // Without rights to read nothing is to be dumped: then something else is seen.
                        let is_left = self.bench.next_step().is_some_and(|step| step.hands_in);
                        if !is_left || self.bench.gives_rights() {
                            continue;
                        }
                    }
                    let seen = self.bench.what_is_seen(&view, self.wipes() > wipes);
                    let (unit, revision) = (self.bench.unit, self.bench.revision());
                    let request = self.bench.request();
                    let is_full = self.fill_the_disk();
                    let say = || {
                        let engine = &self.bench.engine;
                        let said = Said {
                            sighting: &seen,
                            words: Some("a picture that nobody knows"),
                        };
                        engine.runs.say_seen(unit, run.id, revision, said, request)
                    };
                    let mut said = say();
                    self.room_again();
                    if is_full && matches!(said, Err(RunsError::Desk(DeskError::Journal(_)))) {
                        // What was refused is said again, by the same request.
                        self.met.push("disk full, said again");
                        said = say();
                    }
                    if let Err(error) = said {
                        // The watch saw it first.
                        assert!(
                            matches!(
                                error,
                                RunsError::NotThisWay(_)
                                    | RunsError::NoRun(_)
                                    | RunsError::NoStep
                                    | RunsError::BadInput(_)
                            ),
                            "{}: {error}",
                            self.about
                        );
                    }
                    continue;
                }
                StepState::Unknown => {
                    self.make_ready();
                    let _ = self.bench.engine.runs.look_at_step(self.bench.unit);
                    if self.is_stuck_unknown() {
                        self.bench.settle_down();
                    }
                    continue;
                }
                _ => {}
            }
            if view.consent_wanted && self.bench.consent(run.id).is_err() {
                panic!("{}: the consent is not taken", self.about);
            }
            if !self.by_hand {
                self.trouble();
            }
            let wanted = match self.slip() {
                Slip::DefaultNo => "no",
                _ => "yes",
            };
            let bridge = self.bench.bridge.clone();
            self.bench.at_each_pause(move || answer(&bridge, wanted));
            let is_full = self.fill_the_disk();
            let stepped = self.bench.step(run.id);
            self.room_again();
            match stepped {
                Ok(_) => {}
                Err(RunsError::Desk(DeskError::Journal(JournalError::Written(_)))) if is_full => {
                    self.met.push("disk full at a step");
                }
                Err(RunsError::Turn(TurnError::Closed { missing, .. })) => {
                    refused += 1;
                    self.bench.hands_off();
                    self.make_ready();
                    self.makes_good(&missing);
                    self.supply();
                    let kept = missing.iter().filter_map(|line| match line.cure() {
                        Some(Cure::KeepCopies { capture }) => Some(*capture),
                        _ => None,
                    });
                    if let Some(capture) = kept.max() {
                        self.copied(capture);
                    }
                    if refused > 6 {
                        let rules = missing.into_iter().map(|item| item.rule).collect();
                        return End::Stopped(rules);
                    }
                }
                Err(
                    RunsError::Links(LinksError::Link(_))
                    | RunsError::LookFirst
                    | RunsError::Links(LinksError::Doubtful { .. } | LinksError::NotTold { .. })
                    | RunsError::Library(LibraryError::Shelf(_)),
                ) => self.make_ready(),
                Err(other) => panic!("{}: {other}\n{}", self.about, self.bench.log().join("\n")),
            }
        }
        panic!(
            "{}: {goal:?} goes nowhere\n{}",
            self.about,
            self.bench.log().join("\n")
        );
    }

    /// What a refusal asks of the hands.
    fn makes_good(&self, missing: &[Line]) {
        let leads_out = |line: &Line| [Rule::T5, Rule::T21].contains(&line.rule);
        if missing.iter().any(leads_out) {
            self.bench.out_of_a_start();
        }
    }

    /// What the page says of `goal` before it is chosen.
    fn promised(&self, goal: Goal) -> Option<Prospect> {
        let page = self.bench.engine.views.run_page(self.bench.unit).unwrap();
        let of_goal = page.goals.into_iter().find(|one| one.id == goal)?;
        Some(of_goal.judged?.prospect)
    }

    /// A goal that is called open begins, and one without a way does not.
    fn is_kept(&self, promised: Option<&Prospect>, begun: &Result<RunId, RunsError>) {
        let is_so = match (promised, begun) {
            (
                Some(Prospect::Open | Prospect::ThereAlready),
                Err(
                    RunsError::Turn(TurnError::Closed { .. })
                    | RunsError::WhyNot(_)
                    | RunsError::NoPlan(_),
                ),
            ) => false,
            (Some(Prospect::NoWay { .. }), begun) => begun.is_err(),
            _ => true,
        };
        assert!(
            is_so,
            "{}: {promised:?} was promised, and then {begun:?}\n{}",
            self.about,
            self.bench.log().join("\n")
        );
    }

    fn wipes(&self) -> u32 {
        on(&self.bench.bridge, |device| device.wipes())
    }

    fn is_stuck_unknown(&self) -> bool {
        on(&self.bench.bridge, |device| device.is_under_way())
    }

    /// Cable in, and something that runs; what a person would see to before going on.
    fn make_ready(&self) {
        self.bench.hands_off();
        self.bench.settle_down();
        self.bench.put_back();
        let mode = on(&self.bench.bridge, |device| device.truth().1);
        if !self.by_hand {
            if mode == Running::System
                && on(&self.bench.bridge, |device| {
                    device.truths()["debugging"] == "off"
                })
            {
                self.bench.touch("debugging");
            }
            if self
                .bench
                .engine
                .views
                .unit_tag(self.bench.unit)
                .unwrap()
                .link
                .presence
                == LinkPresence::Ready
            {
                let _ = self.bench.engine.links.look(self.bench.unit);
            }
            // Plugged in anew where it tells nothing that is known of it: what identifies it is read off its
            // screen, as the bench asks.
            let seen = self.bench.engine.links.look(self.bench.unit);
            let is_known = self.bench.record().known().known(FactKey::ChipId).is_some();
            if matches!(seen, Err(LinksError::NotTold { .. })) && !is_known {
                let chip = on(&self.bench.bridge, |device| {
                    device.truths()["chip-id"].clone()
                });
                self.bench.say(&[(FactKey::ChipId, &chip)]);
                let _ = self.bench.engine.links.look(self.bench.unit);
            }
        }
    }

    fn is_at(&self, goal: Goal) -> bool {
        let (lock, mode) = on(&self.bench.bridge, |device| device.truth());
        match goal {
            Goal::Unlock => lock == LockState::Unlocked && mode == Running::System,
            Goal::Relock => lock == LockState::Locked && mode == Running::System,
            Goal::Erase => mode == Running::System,
            Goal::ToDownload => mode == Running::Download,
            Goal::ToSystem => mode == Running::System,
            Goal::ToBootloader => mode == Running::Bootloader,
            Goal::TemporaryRecovery => mode == Running::TemporaryRecovery,
            Goal::KeepRecovery | Goal::Renew | Goal::ToCustomRecovery => {
                mode == Running::CustomRecovery
            }
            Goal::ToStockRecovery => mode == Running::StockRecovery,
            _ => false,
        }
    }
}

/// Memory, where there is some that files can lie in: thousands of benches write their logs.
fn fast_folder() -> std::path::PathBuf {
    let shared = std::path::PathBuf::from("/dev/shm");
    if shared.is_dir() {
        shared
    } else {
        std::env::temp_dir()
    }
}

/// One seed, from beginning to end; and the digest of its log, which a replay must give again.
fn run(seed: u64) -> (Vec<(Goal, End)>, Vec<&'static str>, Digest) {
    let mut world = World::new(seed);
    let mut ends = Vec::new();
    world.supply();
    if world.scheme.opening == Opening::NoLock {
        for goal in [Goal::ToDownload, Goal::ToSystem] {
            ends.push((goal, world.reach(goal)));
        }
    } else {
        let end = world.reach(Goal::Unlock);
        let is_open = end == End::Reached;
        ends.push((Goal::Unlock, end));
        if world.dice.once_in(3) {
            world.make_ready();
            world.bench.stop_what_is_open();
            on(&world.bench.bridge, |device| {
                // It is being given away in the middle of an update.
                if device.truths().contains_key("merging") && world.dice.once_in(3) {
                    device.merges_an_update().unwrap();
                }
            });
            ends.push((Goal::Erase, world.erase()));
        }
        if is_open {
            ends.push((Goal::Relock, world.back()));
        }
    }
    world.is_believed_truly("at the end");
    let log = world.bench.log().join("\n");
    (ends, world.met, Digest::of(log.as_bytes()))
}

impl World {
    /// The owner's data gone; what is being merged gets its start first, and nothing went before.
    fn erase(&mut self) -> End {
        let wipes = self.wipes();
        let end = self.reach(Goal::Erase);
        if end != End::Stopped(vec![Rule::G5]) {
            return end;
        }
        assert_eq!(self.wipes(), wipes, "{}", self.about);
        self.bench.stop_what_is_open();
        for goal in [Goal::ToBootloader, Goal::ToSystem] {
            let end = self.reach(goal);
            if end != End::Reached {
                return end;
            }
        }
        self.reach(Goal::Erase)
    }

    /// Back to locked: what proves stock first, where the family has a way to read it.
    fn back(&mut self) -> End {
        let codename = self.scheme.codename;
        let family = self.bench.engine.library.family_named(codename).unwrap();
        if !self.by_hand && family.temporary_start.is_some() {
            self.make_ready();
            let end = self.reach(Goal::TemporaryRecovery);
            if end != End::Reached {
                return end;
            }
            self.make_ready();
            let take = || {
                let keeping = &self.bench.engine.keeping;
                keeping.capture(self.bench.unit, &CaptureKind::Full, &Patient)
            };
            // A cable that comes out on the way is put in again, and it goes on.
            let taken = take().or_else(|_| {
                on(&self.bench.bridge, |device| device.calm());
                self.make_ready();
                take()
            });
            match taken {
                Ok(capture) => {
                    self.lies_there("after a capture");
                    if self.dice.once_in(6) {
                        self.put_back(capture);
                    } else if self.is_kept {
                        self.bench.any_two_places_do();
                        let end = self.reach(Goal::KeepRecovery);
                        self.lies_there("after a recovery was written");
                        if end != End::Reached {
                            return end;
                        }
                        self.met.push("recovery written");
                    }
                }
                Err(error) => assert!(
                    !self.is_at(Goal::TemporaryRecovery),
                    "{}: {error}",
                    self.about
                ),
            }
            let end = self.reach(Goal::ToSystem);
            if end != End::Reached {
                return end;
            }
        }
        self.make_ready();
        // A hidden switch shows itself once the maker was asked; until then nobody closes the lock.
        let is_hidden = |device: &mut Device| {
            device
                .truths()
                .get("toggle")
                .is_some_and(|one| one == "absent")
        };
        if on(&self.bench.bridge, is_hidden) {
            self.bench.touch("online");
            self.bench.touch("updates");
        }
        let works: Vec<_> = FactKey::ALL
            .iter()
            .filter(|key| key.spec().group == FactGroup::Works)
            .map(|key| (*key, "yes"))
            .collect();
        self.bench.say(&works);
        self.reach(Goal::Relock)
    }
}

/// Whether a run may end so. What may stop one, and by which rule: proof of stock that hands can't bring
/// (`R1`, `R2`), a recovery that is none of the maker's (`R7`), and what exists once (`B6`), where what lives
/// was rewritten on the way to the write, so that nothing that is kept of it counts any more.
fn may_end(goal: Goal, end: &End) -> bool {
    let End::Stopped(rules) = end else {
        return true;
    };
    let named: [&[Rule]; 5] = [
        &[Rule::R1],
        &[Rule::R1, Rule::R2],
        // And what would come after the proof.
        &[Rule::R1, Rule::R3],
        &[Rule::R7],
        &[Rule::R7, Rule::R1],
    ];
    let is_older = !rules.is_empty() && rules.iter().all(|rule| *rule == Rule::B6);
    goal == Goal::Relock && (is_older || named.contains(&&rules[..]))
}

fn asked(name: &str) -> Option<u64> {
    std::env::var(name).ok()?.parse().ok()
}

/// `runs` seeds from `first` on, by two threads: the lines that each tells, counted, and the seeds that fail.
fn by_seed(
    first: u64,
    runs: u64,
    one: fn(u64) -> (Vec<String>, bool),
) -> (BTreeMap<String, u64>, Vec<u64>) {
    let next = Arc::new(AtomicU64::new(first));
    let threads: Vec<_> = (0..2)
        .map(|_| {
            let next = next.clone();
            std::thread::spawn(move || {
                let mut lines = Vec::new();
                let mut failed = Vec::new();
                // Families take unlike times: whoever is done takes the next seed.
                let seeds = std::iter::repeat_with(|| next.fetch_add(1, Ordering::SeqCst));
                for seed in seeds.take_while(|seed| *seed < first + runs) {
                    let (told, is_so) = std::panic::catch_unwind(|| one(seed)).unwrap_or_default();
                    lines.extend(told);
                    if !is_so {
                        failed.push(seed);
                    }
                }
                (lines, failed)
            })
        })
        .collect();
    let mut counted: BTreeMap<String, u64> = BTreeMap::new();
    let mut failed = Vec::new();
    for thread in threads {
        let (lines, seeds) = thread.join().unwrap();
        failed.extend(seeds);
        for line in lines {
            *counted.entry(line).or_default() += 1;
        }
    }
    println!("{counted:#?}");
    failed.sort_unstable();
    (counted, failed)
}

#[test]
fn runs_by_seed_believe_nothing_that_is_not_so() {
    let first = asked("VERITOPE_SEED").unwrap_or(1);
    let runs = asked("VERITOPE_RUNS").unwrap_or(RUNS);
    let (counted, failed) = by_seed(first, runs, |seed| {
        let (ends, met, _) = run(seed);
        let mut lines: Vec<_> = met.iter().map(|what| format!("bench: {what}")).collect();
        let mut is_so = true;
        for (goal, end) in ends {
            let line = format!("{} {} {end:?}", family_of(seed), goal.id());
            if !may_end(goal, &end) {
                println!("seed {seed}: {line}");
                is_so = false;
            }
            lines.push(line);
        }
        (lines, is_so)
    });
    assert!(
        failed.is_empty(),
        "{} of {runs} runs fail, by seed: {failed:?}",
        failed.len()
    );
    if runs >= RUNS {
        for what in [
            "clock set",
            "started again",
            "started again, index lost",
            "machine started again",
            "disk full at a step",
            "disk full, said again",
            "family edited",
        ] {
            let count = counted.get(&format!("bench: {what}")).copied();
            assert!(count >= Some(RUNS / 20), "{what}: {counted:#?}");
        }
        for what in [
            "cable out in a write",
            "object damaged",
            "put back",
            "recovery written",
        ] {
            let count = counted.get(&format!("bench: {what}")).copied();
            assert!(count >= Some(RUNS / 200), "{what}: {counted:#?}");
        }
        let reached = |what: &str| {
            counted
                .get(&format!("{what} Reached"))
                .copied()
                .unwrap_or(0)
        };
        for family in [
            "saltern", "kelpie", "lodestar", "gimbal", "cinder", "halyard",
        ] {
            assert!(
                reached(&format!("{family} unlock")) >= RUNS / 10,
                "{family}: {counted:#?}"
            );
        }
        for family in [
            "saltern", "kelpie", "lodestar", "gimbal", "cinder", "halyard",
        ] {
            assert!(
                reached(&format!("{family} erase")) >= RUNS / 40,
                "{family}: {counted:#?}"
            );
        }
        // A family with whole packages takes a third of its turns.
        assert!(reached("mooring unlock") >= RUNS / 30, "{counted:#?}");
        assert!(reached("mooring erase") >= RUNS / 100, "{counted:#?}");
        for family in ["saltern", "gimbal", "cinder"] {
            assert!(
                reached(&format!("{family} relock")) >= RUNS / 20,
                "{family}: {counted:#?}"
            );
        }
    }
}

/// Packages that are taken off a card.
fn on_card(scheme: &Scheme) -> impl Iterator<Item = &Package> {
    let packages = scheme.packages.iter();
    packages.filter(|one| one.off == Off::Card)
}

fn family_of(seed: u64) -> &'static str {
    let families: Vec<_> = kinds().keys().copied().collect();
    let (turn, at) = (seed / families.len() as u64, seed % families.len() as u64);
    let family = families[usize::try_from(at).unwrap()];
    // Whole packages are long: a family that has them takes one of its turns in three, its neighbour the others.
    let is_long = kinds()[family].scheme.has_card();
    match is_long && turn % 3 != 0 {
        true => families[usize::try_from(at + 1).unwrap() % families.len()],
        false => family,
    }
}

#[test]
fn a_seed_replays_exactly() {
    for seed in 1..=7 {
        assert_eq!(run(seed), run(seed), "seed {seed}");
    }
}
