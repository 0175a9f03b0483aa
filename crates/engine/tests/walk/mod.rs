//! The walk: on every family, locked and open, by link and by hand, each goal that fits is followed from its
//! first line to its honest end. Whatever a line asks for on the way is done on the stand-in, as a person
//! would, and then the line is met or another one stands there; a goal that is called open ends where it says,
//! and one without a way says why.

use std::collections::{BTreeMap, BTreeSet};
use std::fmt::Write as _;
use std::sync::{Arc, Mutex};

use veritope_core::evidence::{Cure, Line};
use veritope_core::facts::FactKey;
use veritope_core::family::SHIPPED;
use veritope_core::goal::Goal;
use veritope_core::prospect::Prospect;
use veritope_core::rule::Rule;
use veritope_engine::desk::record::{RunEnd, Way};
use veritope_engine::runs::{RunsError, Said};
use veritope_engine::turns::TurnError;
use veritope_engine::views::StepState;
use veritope_engine::{CaptureKind, KeepSaid};
use veritope_standin::clock::ByHand;
use veritope_standin::gate::Gate;
use veritope_standin::profile::Profile;
use veritope_standin::scheme::{Opening, Scheme};
use veritope_standin::{Birth, Factory, LockState, Running, Setting};
use veritope_wire::link::Handle;

use crate::campaign::person::{HANDLE, Slip, TOKEN, answer, on};
use crate::support::{Bench, Patient, birth, seat};

/// Steps and cures after which a walk counts as going nowhere.
const MOST_TURNS: u32 = 120;
const HOUR_MS: i64 = 3_600_000;

/// What a line asked for: of which family, by which rule, in which way.
type Asked = (String, Rule, &'static str);

#[derive(Default)]
struct Seen {
    /// Asked, done, and met or followed by another.
    done: BTreeSet<Asked>,
    /// Asked, and not done by this walk.
    left: BTreeSet<Asked>,
    /// How each goal ended.
    ends: BTreeMap<String, BTreeMap<&'static str, String>>,
}

fn word(cure: &Cure) -> &'static str {
    match cure {
        Cure::TypeFact { .. } => "type-fact",
        Cure::DoThenType { .. } => "do-then-type",
        Cure::Check { .. } => "check",
        Cure::KeepSafe { .. } => "keep-safe",
        Cure::Charge { .. } => "charge",
        Cure::ReadByLink => "read-by-link",
        Cure::Capture => "capture",
        Cure::StartSystem => "start-system",
        Cure::KeepCopies { .. } => "keep-copies",
        Cure::PutBack => "put-back",
        Cure::Consent => "consent",
        Cure::Wait { .. } => "wait",
        Cure::Ask { .. } => "ask",
        Cure::Fetch { .. } => "fetch",
        Cure::PutStock { .. } => "put-stock",
        Cure::Shelve => "shelve",
        Cure::Choose => "choose",
        Cure::ShelveStock { .. } => "shelve-stock",
    }
}

/// Why this walk does not do what is asked for.
fn reason(cure: &str) -> &'static str {
    match cure {
        "put-back" | "put-stock" => "bytes are put back in the tests of backups and relocks",
        "consent" => "it is typed at the step that wants it",
        "read-by-link" => "the bench reads by itself as soon as the unit answers",
        "capture" | "keep-copies" => "at a step whose goal this walk did not come to",
        _ => "it stood beside another goal than the one that was followed",
    }
}

struct Walk {
    bench: Bench,
    scheme: &'static Scheme,
    by_hand: bool,
    about: String,
}

impl Walk {
    fn begin(made: &Factory, codename: &str, lock: LockState, by_hand: bool) -> Self {
        let scheme = Scheme::named(codename).unwrap();
        let clock = Arc::new(ByHand::default());
        let birth = born(lock);
        let mut device = made.device(&birth, clock.clone());
        if codename != "gimbal" {
            let mut gate = Gate::shipped(scheme);
            gate.open = lock == LockState::Unlocked;
            if !scheme.packages.is_empty() {
                device.profile().build.clone_into(&mut gate.build);
            }
            gate.token = TOKEN.to_owned();
            device.set_gate(gate, "").unwrap();
            device.met_in(Running::System, 1).unwrap();
        }
        let folder = tempfile::tempdir().unwrap();
        // Nothing lies on the shelf, and nothing is typed but whose it is.
        let bench = seat(folder, device, clock, b"", "Sanderling", |bridge| {
            if by_hand {
                Way::Hand
            } else {
                Way::Link {
                    bridge,
                    handle: Handle(HANDLE.to_owned()),
                }
            }
        });
        bench.clear_shelf();
        bench.any_two_places_do();
        Self {
            about: format!(
                "{codename}, {}, by {}",
                if lock == LockState::Locked {
                    "locked"
                } else {
                    "open"
                },
                if by_hand { "hand" } else { "link" }
            ),
            bench,
            scheme,
            by_hand,
        }
    }

    /// The end of its log.
    fn told(&self) -> String {
        let log = self.bench.log();
        log[log.len().saturating_sub(130)..].join("\n")
    }

    fn truths(&self) -> BTreeMap<&'static str, String> {
        on(&self.bench.bridge, |device| device.truths())
    }

    /// Hours go by, for the unit and for the bench.
    fn later(&self, ms: i64) {
        self.bench.time.later(ms);
        self.look();
    }

    fn look(&self) {
        if !self.by_hand {
            let _ = self.bench.engine.links.look(self.bench.unit);
        }
    }

    /// Touches what its screen shows; whether it was there.
    fn touches(&self, button: &str) -> bool {
        let face = on(&self.bench.bridge, |device| device.face());
        let shown = face.buttons.iter().chain(&face.hands);
        let is_there = shown.clone().any(|one| one.id == button);
        if is_there {
            self.bench.touch(button);
            self.look();
        }
        is_there
    }

    /// What a person reads, or knows, of a fact; nothing where nobody here can tell.
    fn read_off(&self, key: FactKey) -> Option<String> {
        let truths = self.truths();
        if let Some(truth) = truths.get(key.id()) {
            return Some(truth.clone());
        }
        let gate = on(&self.bench.bridge, |device| device.gate().cloned());
        Some(match key {
            FactKey::Bought => "open".to_owned(),
            FactKey::Paid | FactKey::ServiceAllowed | FactKey::Encrypted => "yes".to_owned(),
            FactKey::Managed | FactKey::Root | FactKey::Relocked => "no".to_owned(),
            FactKey::AnswersBootloader => "yes".to_owned(),
            FactKey::Token => "in-hand".to_owned(),
            FactKey::PortalAccount | FactKey::PortalAgreed => "yes".to_owned(),
            FactKey::OffHours => "0".to_owned(),
            FactKey::Card => "in".to_owned(),
            FactKey::Recovery => "stock".to_owned(),
            FactKey::Battery => "90".to_owned(),
            FactKey::OwnerLogin => "known".to_owned(),
            FactKey::EquipmentId => checked(&format!("{}000001", self.scheme.type_codes.first()?)),
            FactKey::FirstOnline => {
                let first = gate?.first_online_ms?;
                let now = on(&self.bench.bridge, |device| device.now_ms());
                self.bench.time.wall_before(now - first).to_string()
            }
            FactKey::AskedUpdates => "yes".to_owned(),
            FactKey::CardFiles => {
                let card = gate?.card.join(", ");
                if card.is_empty() {
                    "none".to_owned()
                } else {
                    card
                }
            }
            _ => return None,
        })
    }

    fn say(&self, key: FactKey) -> Result<(), String> {
        let value = self.read_off(key).ok_or("nobody here can tell")?;
        let said = [(key, value.clone())];
        let typed =
            self.bench
                .engine
                .units
                .type_facts(self.bench.unit, &said, self.bench.request());
        typed.map_err(|error| format!("{} {value}: {error}", key.id()))?;
        let considered = self.bench.engine.runs.reconsider(self.bench.unit);
        considered.map_err(|error| error.to_string())
    }

    /// Does what a line asks for, as a person would.
    fn cure(&self, cure: &Cure, seen: &Mutex<Seen>) -> Result<(), String> {
        let bench = &self.bench;
        match cure {
            Cure::TypeFact {
                key: FactKey::Token,
                ..
            } => {
                let library = &bench.engine.library;
                let kept = library.keep_token(bench.unit, TOKEN, bench.request());
                kept.map_err(|error| error.to_string())
            }
            Cure::TypeFact { key, .. } => {
                if *key == FactKey::FirstOnline || *key == FactKey::AskedUpdates {
                    self.touches("online");
                    self.touches("updates");
                }
                self.say(*key)
            }
            // Forced dark, then by its keys where it answers.
            Cure::DoThenType {
                key: FactKey::Mode, ..
            } => {
                let answers = match self.scheme.opening {
                    Opening::LongPress | Opening::NoLock => Running::Download,
                    _ => Running::Bootloader,
                };
                on(&bench.bridge, |device| device.met_in(answers, 0)).unwrap();
                self.look();
                if self.by_hand {
                    self.say(FactKey::Mode)
                } else {
                    Ok(())
                }
            }
            Cure::DoThenType { key, .. } => {
                let is_open = on(&bench.bridge, |device| device.truth().0) == LockState::Unlocked;
                let button = match key {
                    // Once it is open, the switch only shows itself.
                    FactKey::Toggle if is_open => "online",
                    FactKey::Accounts => "sign-out",
                    FactKey::ScreenLock => "screen-lock",
                    FactKey::Toggle => "switch-on",
                    FactKey::AskedUpdates => "updates",
                    _ => "",
                };
                if !button.is_empty() && !self.touches(button) {
                    return Err(format!("{button} is not on its screen"));
                }
                if button == "online" {
                    self.touches("updates");
                }
                self.say(*key)
            }
            Cure::Check { keys, .. } => {
                let works: Vec<_> = keys.iter().map(|key| (*key, "yes")).collect();
                bench.say(&works);
                Ok(())
            }
            Cure::KeepSafe { .. } => {
                let codename = self.scheme.codename;
                let family = bench.engine.library.family_named(codename).unwrap();
                let classes = family.keep_safe.iter();
                let waived: Vec<_> = classes.map(|class| (*class, KeepSaid::Waived)).collect();
                let units = &bench.engine.units;
                let said = units.keep_safe(bench.unit, &waived, bench.request());
                said.map_err(|error| error.to_string())
            }
            Cure::Charge { .. } => {
                self.later(4 * HOUR_MS);
                if self.by_hand {
                    self.say(FactKey::Battery)
                } else {
                    Ok(())
                }
            }
            Cure::ReadByLink => {
                self.look();
                Ok(())
            }
            Cure::Capture => {
                let take = || {
                    bench
                        .engine
                        .keeping
                        .capture(bench.unit, &CaptureKind::Full, &Patient)
                };
                // Where what runs does not read, the page says what does: another goal first.
                let taken = take().or_else(|first| {
                    bench.stop_what_is_open();
                    for goal in [
                        Goal::TemporaryRecovery,
                        Goal::ToDownload,
                        Goal::ToCustomRecovery,
                    ] {
                        let family = bench.engine.library.family_named(self.scheme.codename);
                        if goal.fits(&family.unwrap()) && self.walk(goal, seen).contains("reached")
                        {
                            return take();
                        }
                    }
                    Err(first)
                });
                taken.map(drop).map_err(|error| error.to_string())
            }
            Cure::StartSystem => {
                bench.stop_what_is_open();
                let end = self.walk(Goal::ToSystem, seen);
                if end.contains("reached") {
                    Ok(())
                } else {
                    Err(end)
                }
            }
            Cure::KeepCopies { capture } => {
                let places = bench.engine.library.places();
                let stick = places.iter().find(|place| place.name == "stick");
                let place = stick.map_or_else(|| bench.stick(), |place| place.id);
                let copied = bench
                    .engine
                    .keeping
                    .copy(bench.unit, *capture, place, &Patient);
                copied.map(drop).map_err(|error| error.to_string())
            }
            Cure::Consent => {
                let run = bench.record().active_run().map(|run| run.id);
                let run = run.ok_or("no sheet is under way")?;
                bench.consent(run).map_err(|error| error.to_string())
            }
            Cure::Wait { until } => {
                let now = bench.time.bench_now();
                self.later(until.ms() - now + 1_000);
                // The switch shows itself once the wait is over.
                self.touches("switch-on");
                self.say(FactKey::Toggle)
            }
            Cure::Ask { key, .. } => self.say(*key),
            Cure::Fetch { packages, key } => {
                for name in packages {
                    bench.shelve(name, &veritope_standin::package_bytes(name));
                    on(&bench.bridge, |device| device.puts_on_its_card(name)).unwrap();
                }
                key.map_or(Ok(()), |key| self.say(key))
            }
            Cure::Shelve => {
                let profile = on(&bench.bridge, |device| device.profile().clone());
                let image = crate::support::recovery_file(&profile, "3.2.0", &[5; 20_000]);
                bench.shelve("r.img", &image);
                Ok(())
            }
            Cure::ShelveStock { .. } => {
                let profile = on(&bench.bridge, |device| device.profile().clone());
                crate::relocks::sold::shelve(bench, &profile);
                Ok(())
            }
            Cure::Choose | Cure::PutBack | Cure::PutStock { .. } => {
                Err(reason(word(cure)).to_owned())
            }
        }
    }

    /// Does what `line` asks for, and holds it to that: met, gone, or another one in its place.
    fn follow(
        &self,
        line: &Line,
        seen: &Mutex<Seen>,
        again: impl Fn() -> Vec<Line>,
    ) -> Result<(), String> {
        let Some(cure) = line.cure() else {
            return Err(format!(
                "{} asks for what nobody brings: {}",
                line.rule, line.text
            ));
        };
        let asked = (self.scheme.codename.to_owned(), line.rule, word(cure));
        if let Err(why) = self.cure(cure, seen) {
            seen.lock().unwrap().left.insert(asked);
            return Err(format!("{} by {}: {why}", line.rule, word(cure)));
        }
        let still = again()
            .into_iter()
            .any(|one| !one.is_met() && (one.rule, &one.text) == (line.rule, &line.text));
        assert!(
            !still,
            "{}: {} was done, and {} still says: {}\n{}",
            self.about,
            word(cure),
            line.rule,
            line.text,
            self.told()
        );
        seen.lock().unwrap().done.insert(asked);
        Ok(())
    }

    /// Follows `goal` to its end, and says how that is.
    fn walk(&self, goal: Goal, seen: &Mutex<Seen>) -> String {
        let bench = &self.bench;
        self.look();
        let choose = || {
            let units = &bench.engine.units;
            units
                .choose_goal(bench.unit, goal, None, bench.request())
                .unwrap();
            bench.engine.views.run_page(bench.unit).unwrap()
        };
        let mut cured = 0u32;
        for _ in 0..MOST_TURNS {
            bench.hands_off();
            let page = bench.engine.views.run_page(bench.unit).unwrap();
            if let Some(run) = page.run.filter(|run| run.ended.is_none()) {
                match self.step(&run, seen) {
                    Ok(Turn::Cured) => cured += 1,
                    Ok(Turn::Taken) => {}
                    Err(why) => {
                        bench.stop_what_is_open();
                        return format!("stopped after {cured} cures: {why}");
                    }
                }
                continue;
            }
            if let Some(why) = self.barred() {
                return format!("no way on after {cured} cures: {why}");
            }
            if cured > 0 && bench.has_reached(goal) {
                return format!("reached after {cured} cures");
            }
            if bench.has_reached(goal) {
                return "reached".to_owned();
            }
            let page = choose();
            let judged = page
                .goals
                .into_iter()
                .find(|one| one.id == goal)
                .unwrap()
                .judged;
            let prospect = judged.unwrap().prospect;
            match prospect {
                Prospect::NoWay { because, rule } => {
                    let rule = rule.map_or_else(String::new, |rule| format!(" ({rule})"));
                    return format!("no way after {cured} cures: {because}{rule}");
                }
                Prospect::ThereAlready => return "there already".to_owned(),
                Prospect::Open => {
                    let began = bench
                        .engine
                        .runs
                        .begin_run(bench.unit, goal, bench.request());
                    match began {
                        Ok(_) => {}
                        // A request looks at the unit itself first.
                        Err(RunsError::Links(_)) => self.ready(),
                        Err(error) => {
                            panic!("{}: {goal:?} was open, and then: {error}", self.about)
                        }
                    }
                }
                Prospect::After { .. } => {
                    let lines = || choose().preview.unwrap().preparations;
                    let open = lines();
                    let open = veritope_core::plan::due::in_the_way(&open);
                    let first = (*open.first().unwrap()).clone();
                    match self.follow(&first, seen, lines) {
                        Ok(()) => cured += 1,
                        Err(why) => return format!("not here after {cured} cures: {why}"),
                    }
                }
            }
        }
        let page = bench.engine.views.run_page(bench.unit).unwrap();
        let step = page.run.map(|run| format!("{run:#?}"));
        panic!(
            "{}: {goal:?} goes nowhere, in {}\n{}\n{}",
            self.about,
            self.truths()["mode"],
            self.told(),
            step.unwrap_or_default()
        );
    }

    /// Why its run ended where no way leads on.
    fn barred(&self) -> Option<String> {
        let run = self.bench.record().run?;
        matches!(run.ended, Some((RunEnd::NoWay, _)))
            .then_some(run.diverged)
            .flatten()
    }

    /// Cable in, and something that runs.
    fn ready(&self) {
        self.bench.hands_off();
        self.bench.settle_down();
        self.bench.put_back();
        self.look();
    }

    fn step(
        &self,
        run: &veritope_engine::views::RunView,
        seen: &Mutex<Seen>,
    ) -> Result<Turn, String> {
        let bench = &self.bench;
        let view = run.step.as_ref().ok_or("a run without a step")?;
        match &view.state {
            StepState::InHand { .. } => {
                let wipes = on(&bench.bridge, |device| device.wipes());
                bench.by_hand(view, Slip::None);
                if view.hands_in {
                    return Ok(Turn::Taken);
                }
                let wiped = on(&bench.bridge, |device| device.wipes()) > wipes;
                let sighting = bench.what_is_seen(view, wiped);
                let said = Said {
                    sighting: &sighting,
                    words: Some("a picture that nobody knows"),
                };
                let runs = &bench.engine.runs;
                let _ = runs.say_seen(bench.unit, run.id, bench.revision(), said, bench.request());
                return Ok(Turn::Taken);
            }
            StepState::Unknown => {
                self.ready();
                let _ = bench.engine.runs.look_at_step(bench.unit);
                return Ok(Turn::Taken);
            }
            _ => {}
        }
        let lines = || {
            let page = bench.engine.views.run_page(bench.unit).unwrap();
            let step = page.run.and_then(|run| run.step);
            step.and_then(|step| step.seal).unwrap_or_default()
        };
        let open = lines();
        let open = veritope_core::plan::due::in_the_way(&open);
        if let Some(first) = open.first() {
            let first = (*first).clone();
            self.follow(&first, seen, lines)?;
            return Ok(Turn::Cured);
        }
        let bridge = bench.bridge.clone();
        bench.at_each_pause(move || answer(&bridge, "yes"));
        let stepped = bench.step(run.id);
        bench.hands_off();
        match stepped {
            Ok(_) => Ok(Turn::Taken),
            Err(RunsError::Turn(TurnError::Closed { missing, .. })) => {
                // What only the step itself finds out.
                let first = missing.first().unwrap();
                self.follow(first, seen, lines)?;
                Ok(Turn::Cured)
            }
            Err(RunsError::Links(_) | RunsError::LookFirst) => {
                self.ready();
                Ok(Turn::Taken)
            }
            Err(error) => Err(error.to_string()),
        }
    }

    /// Its kernel's partition is blank all at once: it starts no more, and its owner says so.
    fn dies(&self) {
        let bench = &self.bench;
        on(&bench.bridge, |device| {
            let mut parts = device.profile().partitions.iter();
            let boots = parts.find(|part| ["boot", "boot_a"].contains(&part.label));
            let label = boots.unwrap().label.to_owned();
            device
                .arm(veritope_standin::Fault::Blank { label })
                .unwrap();
            device.met_in(Running::Animation, 1).unwrap();
        });
        self.look();
        bench.say(&[(FactKey::Starts, "animation")]);
    }

    /// What stands beside the goal: asked of a person on the standing page.
    fn beside(&self, seen: &Mutex<Seen>) {
        let view = self
            .bench
            .engine
            .views
            .standing_view(self.bench.unit)
            .unwrap();
        let outlook = view.standing.outlook.iter().flat_map(|one| &one.lines);
        let lines = view.standing.lines.iter().chain(outlook);
        let asked = lines.filter(|line| !line.is_met()).filter_map(|line| {
            let cure = word(line.cure()?);
            Some((self.scheme.codename.to_owned(), line.rule, cure))
        });
        seen.lock().unwrap().left.extend(asked);
    }
}

enum Turn {
    Taken,
    Cured,
}

/// Fourteen digits of an equipment ID with the one that checks them.
fn checked(digits: &str) -> String {
    let sum: u32 = digits
        .bytes()
        .enumerate()
        .map(|(at, digit)| {
            let value = u32::from(digit - b'0') * if at % 2 == 1 { 2 } else { 1 };
            value / 10 + value % 10
        })
        .sum();
    format!("{digits}{}", (10 - sum % 10) % 10)
}

fn born(lock: LockState) -> Birth {
    Birth {
        handle: HANDLE.to_owned(),
        lock,
        debugging: Setting::On,
        ..birth("c771d20a41")
    }
}

fn walk_family(codename: &str, seen: &Mutex<Seen>) {
    let scheme = Scheme::named(codename).unwrap();
    let locks: &[LockState] = match scheme.opening {
        Opening::NoLock => &[LockState::Unlocked],
        _ => &[LockState::Locked, LockState::Unlocked],
    };
    let family = SHIPPED
        .iter()
        .find(|(file, _)| file.trim_end_matches(".toml") == codename);
    let (file, text) = family.unwrap();
    let family = veritope_core::family::load(file, text).unwrap();
    for lock in locks {
        let profile = Profile::named(codename).unwrap();
        let whole = profile.clone();
        let profile = if codename == "halyard" {
            profile
        } else {
            profile.small()
        };
        // Where packages lead from build to build, it is met on the newest that has a way back.
        let newest = scheme.builds.iter().rev();
        let newest = newest
            .filter(|_| scheme.has_card())
            .find(|build| build.index == scheme.builds[0].index);
        let profile = match newest {
            Some(build) => profile.on_build(build.id).unwrap(),
            None => profile,
        };
        let made = Factory::new(profile, born(*lock)).unwrap();
        // What its maker publishes fills partitions of the length that units have.
        let of_length = family
            .makers_set
            .as_ref()
            .map(|_| Factory::new(whole, born(*lock)).unwrap());
        for by_hand in [false, true] {
            let tell = |about: &str, goal: &'static str, end: String| {
                let mut seen = seen.lock().unwrap();
                let of = seen.ends.entry(about.to_owned()).or_default();
                of.insert(goal, end);
            };
            // Whole sets are put on what died, below: with their bytes each walk takes seconds.
            let is_below = |goal: Goal| goal == Goal::Rescue && of_length.is_some();
            let goals = Goal::ALL.into_iter().filter(|goal| goal.fits(&family));
            for goal in goals.filter(|goal| !is_below(*goal)) {
                let walk = Walk::begin(&made, codename, *lock, by_hand);
                walk.beside(seen);
                let end = walk.walk(goal, seen);
                tell(&walk.about, goal.id(), end);
            }
            // With a whole set's bytes once a lock is enough; the other ways are walked among the rescues.
            let is_walked = of_length.is_none() || by_hand == (*lock == LockState::Locked);
            if Goal::Rescue.fits(&family) && is_walked {
                let made = of_length.as_ref().unwrap_or(&made);
                let walk = Walk::begin(made, codename, *lock, by_hand);
                walk.dies();
                let end = walk.walk(Goal::Rescue, seen);
                if end.contains("reached") {
                    let runs = on(&walk.bench.bridge, |device| device.truth().1);
                    assert_eq!(runs, Running::System, "{}: {end}", walk.about);
                }
                tell(&walk.about, "rescue, from dead", end);
            }
        }
    }
}

#[test]
fn every_promise_is_walked_to_its_end() {
    let seen = Mutex::new(Seen::default());
    let codenames: Vec<&str> = SHIPPED
        .iter()
        .map(|(file, _)| file.trim_end_matches(".toml"))
        .collect();
    let next = std::sync::atomic::AtomicUsize::new(0);
    std::thread::scope(|scope| {
        for _ in 0..2 {
            scope.spawn(|| {
                loop {
                    let n = next.fetch_add(1, std::sync::atomic::Ordering::SeqCst);
                    let Some(codename) = codenames.get(n) else {
                        break;
                    };
                    walk_family(codename, &seen);
                }
            });
        }
    });
    let seen = seen.into_inner().unwrap();
    let mut ends = String::new();
    for (about, goals) in &seen.ends {
        writeln!(ends, "{about}").unwrap();
        for (goal, end) in goals {
            writeln!(ends, "  {goal}: {end}").unwrap();
        }
    }
    insta::assert_snapshot!("ends", ends);
    let mut cures = String::from("done, and then met or followed by another\n");
    let told = |cures: &mut String, asked: &BTreeSet<Asked>, with_reason: bool| {
        let mut of: BTreeMap<&str, Vec<String>> = BTreeMap::new();
        for (codename, rule, cure) in asked {
            let why = if with_reason {
                format!(": {}", reason(cure))
            } else {
                String::new()
            };
            of.entry(codename)
                .or_default()
                .push(format!("{rule} {cure}{why}"));
        }
        for (codename, all) in of {
            writeln!(cures, "  {codename}").unwrap();
            for one in all {
                writeln!(cures, "    {one}").unwrap();
            }
        }
    };
    told(&mut cures, &seen.done, false);
    cures.push_str("asked for, and not done by this walk\n");
    let left: BTreeSet<Asked> = seen.left.difference(&seen.done).cloned().collect();
    told(&mut cures, &left, true);
    insta::assert_snapshot!("cures", cures);
}
