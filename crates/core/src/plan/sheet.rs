//! A found plan as a person reads it: steps, each with its *because*, and a head that adds up.

use serde::Serialize;
use veritope_wire::{Digest, Label};

use super::act::Act;
use super::action::{self, Action, Assumption, Ground, LookRule, Node, Unmet};
use super::search::{Cost, NoPlan, cheapest};
use super::state::{Goal, Look, Presence, State, Ways};
use crate::builds::Chain;
use crate::facts::FactKey;
use crate::family::{Family, Menu, Phase, PhaseKind, Question, Wipe};
use crate::mode::{Lock, Slot};
use crate::rule::Rule;

/// Whether a step can be taken back.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, utoipa::ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Reversibility {
    /// The way back is another step.
    CanBeUndone,
    /// Point of no return.
    NoReturn,
}

/// Where the cable is during a step (`N4`).
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, utoipa::ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Cable {
    /// In, and it stays in.
    In,
    /// Doesn't matter.
    Either,
    /// Out.
    Out,
    /// Out, and it going in is what sets the step off.
    Trigger,
}

/// A change that a step makes and that needs a permit. Which image it will be is known only when
/// the step is taken; the permit is for that image.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
#[serde(tag = "effect", rename_all = "kebab-case")]
pub enum Planned {
    /// Opening one stage of the lock.
    Unlock {
        /// The family's id of the stage.
        stage: String,
    },
    /// Closing one stage of the lock again.
    Relock {
        /// The family's id of the stage.
        stage: String,
    },
    /// Erasing the owner's data.
    Wipe {
        /// The family's id of the way.
        way: String,
    },
    /// Making a slot the active one.
    SetSlot {
        /// Which.
        slot: Slot,
    },
    /// Installing a package of the maker's.
    InstallPackage {
        /// Its name.
        name: String,
    },
    /// Writing an image to a partition.
    WriteImage {
        /// The partition.
        label: Label,
    },
}

/// One step of a sheet.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct Step {
    /// What is done.
    pub act: Act,
    /// The same in words.
    pub title: String,
    /// Why it is on the sheet.
    pub because: String,
    /// What a person does when no link does it.
    pub by_hand: String,
    /// The same as phases, where hands do it (`N2`).
    pub phases: Vec<Phase>,
    /// Where in a menu it is (`N3`).
    pub menu: Option<Menu>,
    /// What the device asks meanwhile and how to answer, or nothing.
    pub question: Option<Question>,
    /// State before.
    pub before: State,
    /// State that should be seen after.
    pub after: State,
    /// Usual seconds of waiting.
    pub waiting_seconds: u32,
    /// Seconds from which on it counts as stuck.
    pub stuck_seconds: u32,
    /// Seconds with hands on the device.
    pub hands_on_seconds: u32,
    /// Thousandths of a full battery that it takes.
    pub drain_permille: u32,
    /// Whether there is a way back.
    pub reversibility: Reversibility,
    /// The wipe it brings.
    pub wipe: Option<Wipe>,
    /// Cable.
    pub cable: Cable,
    /// What the seal must permit.
    pub effect: Option<Planned>,
}

impl Step {
    /// The step without its *how*, where it changes storage or lock: what the seal has not permitted
    /// is shown with why, not with how.
    #[must_use]
    pub fn withheld(&self) -> Self {
        let mut shown = self.clone();
        if shown.effect.is_some() {
            shown.by_hand.clear();
            shown.phases.clear();
            shown.menu = None;
        }
        shown
    }
}

impl Sheet {
    /// The sheet as it may be shown before its steps are permitted.
    #[must_use]
    pub fn withheld(&self) -> Self {
        Self {
            steps: self.steps.iter().map(Step::withheld).collect(),
            ..self.clone()
        }
    }
}

/// Something the sheet takes for granted; the sheet can't begin while there is any.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct WhyNot {
    /// What is missing.
    pub what: Assumption,
    /// The rule behind it.
    pub rule: Rule,
    /// In one sentence, with what to do.
    pub text: String,
}

/// The sums at the head of a sheet.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct SheetHead {
    /// Seconds with hands on the device.
    pub hands_on_seconds: u32,
    /// Seconds of waiting.
    pub waiting_seconds: u32,
    /// Wipes of the owner's data.
    pub wipes: u32,
    /// Mode changes.
    pub mode_changes: u32,
    /// Steps without a way back.
    pub no_returns: u32,
    /// Thousandths of a full battery that all steps take.
    pub drain_permille: u32,
}

/// How far a sheet leads.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, utoipa::ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Reach {
    /// To the goal.
    Goal,
    /// To a look: what comes after it can't be undone and is planned on what will be seen.
    FirstLook,
}

/// A plan from what is known to a goal.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct Sheet {
    /// Where it leads.
    pub goal: Goal,
    /// Digest of the family file it was made from.
    pub family: Digest,
    /// State at the start.
    pub start: State,
    /// How far it leads for now.
    pub reach: Reach,
    /// Steps in order.
    pub steps: Vec<Step>,
    /// Sums.
    pub head: SheetHead,
    /// What somebody would have to supply first.
    pub why_not: Vec<WhyNot>,
    /// What it costs, as the search compared it.
    pub cost: Cost,
    /// States that the search opened.
    pub expanded: u32,
}

/// Finds the cheapest safe sheet from `start` to `goal`.
///
/// # Errors
/// When no way leads there even if everything that somebody could supply were there, or when the
/// search is cut off.
pub fn find(family: &Family, start: State, goal: Goal, ways: Ways) -> Result<Sheet, NoPlan> {
    find_along(family, start, goal, ways, &Chain::default())
}

/// The same, along a chain from build to build with the unlock in it.
///
/// # Errors
/// See [`find`].
pub fn find_along(
    family: &Family,
    mut start: State,
    goal: Goal,
    ways: Ways,
    chain: &Chain,
) -> Result<Sheet, NoPlan> {
    let (before, after) = chain.packages();
    let ground = Ground {
        family,
        before: &before,
        after: &after,
    };
    start.legs_ahead = ground.legs();
    let (found, reach) = match cheapest(ground, start, goal, ways, LookRule::Kept) {
        Ok(found) => (found, Reach::Goal),
        // There may be a way that leads on from what a look will show.
        Err(NoPlan::NoWay) => (
            cheapest(ground, start, goal, ways, LookRule::Relaxed)
                .map_err(|error| while_locked(ground, start, goal, ways, error))?,
            Reach::FirstLook,
        ),
        Err(error) => return Err(error),
    };
    let mut why_not = Vec::new();
    let mut granted = ways;
    let mut actions = Vec::new();
    for action in found.actions {
        if let Action::Assume { what } = action {
            why_not.push(missing(what, family));
            match what {
                Assumption::Image => granted.image = Presence::Here,
                Assumption::Link => granted.link = Presence::Here,
            }
        } else {
            actions.push(action);
        }
    }
    let mut steps = steps(ground, Node::new(start, granted), &actions, goal);
    if reach == Reach::FirstLook {
        let settled = steps
            .iter()
            .position(|step| step.before.look == Look::Assumed)
            .unwrap_or(steps.len());
        steps.truncate(settled);
    }
    Ok(Sheet {
        goal,
        family: family.digest,
        start,
        reach,
        head: head(&steps),
        steps,
        why_not,
        cost: found.cost,
        expanded: found.expanded,
    })
}

/// Tells a way that only the lock bars from one that is not known.
fn while_locked(ground: Ground<'_>, start: State, goal: Goal, ways: Ways, why: NoPlan) -> NoPlan {
    let open = State {
        lock: Some(Lock::Unlocked),
        ..start
    };
    let is_barred = why == NoPlan::NoWay
        && start.lock == Some(Lock::Locked)
        && cheapest(ground, open, goal, ways, LookRule::Relaxed).is_ok();
    if is_barred { NoPlan::WhileLocked } else { why }
}

fn steps(ground: Ground<'_>, start: Node, actions: &[Action], goal: Goal) -> Vec<Step> {
    let mut steps: Vec<Step> = Vec::new();
    let mut node = start;
    for (index, &action) in actions.iter().enumerate() {
        let after = action::apply(action, node, ground);
        let because = because(ground, node, &actions[index + 1..], index, goal);
        if let Some(act) = Act::of(action, ground.family) {
            steps.push(step(ground, action, act, node.state, after.state, because));
        }
        node = after;
    }
    steps
}

/// Why a step is there: leave it out, go on, and see what fails first.
fn because(ground: Ground<'_>, without: Node, rest: &[Action], index: usize, goal: Goal) -> String {
    let mut node = without;
    for (offset, &later) in rest.iter().enumerate() {
        if let Some(unmet) = action::unmet(later, node, ground) {
            let number = index + offset + 2;
            return match unmet {
                Unmet::Mode(mode) => match mode {
                    crate::mode::Mode::Off => format!("Step {number} begins switched off."),
                    _ => format!("Step {number} can only be done in {}.", mode.shown()),
                },
                Unmet::Lock(lock) => {
                    format!(
                        "Step {number} can only be done while the unit is {}.",
                        lock.id()
                    )
                }
                Unmet::Debugging => format!(
                    "Step {number} is a command, and the system takes none until this is on."
                ),
                Unmet::FastStart => format!(
                    "Step {number} switches it off, and while this is on that is only half sleep."
                ),
                Unmet::Recovery(_) => {
                    format!("Step {number} starts the recovery that this brings.")
                }
                Unmet::Critical => {
                    format!("Step {number} closes the main lock, and the critical one goes first.")
                }
                Unmet::Build => format!("Step {number} wants the build that this brings."),
                Unmet::NotBackedUp => format!(
                    "Step {number} writes, and nothing is written before what exists once is kept."
                ),
                Unmet::Missing(_) | Unmet::Look | Unmet::AlreadySo | Unmet::BrokenKey(_) => {
                    format!("Step {number} builds on it.")
                }
            };
        }
        node = action::apply(later, node, ground);
    }
    match goal {
        Goal::Relock if node.state.mode != Some(crate::mode::Mode::System) => {
            "The locked start must be seen before the switch may go off; until then it is the way back."
                .to_owned()
        }
        Goal::Unlock | Goal::Erase | Goal::SlotA | Goal::SlotB
            if node.state.mode != Some(crate::mode::Mode::System) => {
            "A start of the system proves that the unit still works; no job ends without one."
                .to_owned()
        }
        _ => "This is the goal.".to_owned(),
    }
}

fn step(
    ground: Ground<'_>,
    action: Action,
    act: Act,
    before: State,
    after: State,
    because: String,
) -> Step {
    let family = ground.family;
    let (waiting_seconds, hands_on_seconds) = action::durations(action, before, ground);
    let mut step = Step {
        act,
        title: String::new(),
        because,
        by_hand: String::new(),
        phases: Vec::new(),
        menu: None,
        question: None,
        before,
        after,
        waiting_seconds,
        stuck_seconds: 0,
        hands_on_seconds,
        drain_permille: drain(family, before, after, waiting_seconds + hands_on_seconds),
        reversibility: Reversibility::CanBeUndone,
        wipe: None,
        cable: Cable::In,
        effect: None,
    };
    match action {
        Action::LookAtMode { .. } => {
            step.title = "Look which mode it is in".to_owned();
            step.by_hand = family
                .place(crate::facts::FactKey::Mode)
                .map_or_else(String::new, |place| place.place.clone());
            step.cable = Cable::Either;
        }
        Action::LookAtLock { .. } => {
            step.title = "Look whether it is locked".to_owned();
            step.by_hand = family
                .place(crate::facts::FactKey::Lock)
                .map_or_else(String::new, |place| place.place.clone());
            step.cable = Cable::Either;
        }
        Action::Move { way } => {
            if let Some(spec) = family.moves.get(way) {
                step.title = match spec.to {
                    crate::mode::Mode::System => "Start the system".to_owned(),
                    crate::mode::Mode::Off => "Switch it off".to_owned(),
                    to => format!("Restart into {}", to.shown()),
                };
                step.by_hand.clone_from(&spec.hand);
                step.phases.clone_from(&spec.phases);
                step.menu.clone_from(&spec.menu);
                step.cable = cable(&spec.phases);
                step.stuck_seconds = action::pace_of(spec, before, family).stuck_seconds;
            }
        }
        Action::SwitchDebuggingOn => {
            step.title = "Let this computer command it".to_owned();
            step.by_hand.clone_from(&family.debugging.hand);
        }
        Action::SwitchFastStartOff => {
            step.title = "Switch fast start off".to_owned();
            let place = family
                .place(FactKey::FastStart)
                .map_or("", |one| one.place.as_str());
            step.by_hand = format!(
                "{place} Off. While it is on, switching off only puts it to sleep, and keys lead nowhere."
            );
        }
        Action::Unlock { stage } => {
            if let Some(spec) = family.stages.get(stage) {
                step.title.clone_from(&spec.title);
                step.by_hand.clone_from(&spec.hand);
                step.phases.clone_from(&spec.phases);
                step.question.clone_from(&spec.question);
                step.stuck_seconds = spec.pace.stuck_seconds;
                step.reversibility = Reversibility::NoReturn;
                step.wipe = action::erases_data(&spec.erases).then_some(Wipe::FormatData);
                step.effect = Some(Planned::Unlock {
                    stage: spec.id.clone(),
                });
            }
        }
        Action::LookAtCriticalLock { .. } => {
            step.title = "Look whether the critical partitions are locked".to_owned();
            step.by_hand = family
                .place(crate::facts::FactKey::CriticalLock)
                .map_or_else(String::new, |place| place.place.clone());
            step.cable = Cable::Either;
        }
        Action::Relock { stage } => {
            if let (Some(act), Some(id)) = (&family.relock.act, family.relock.order.get(stage)) {
                let is_critical = family
                    .stages
                    .iter()
                    .any(|stage| stage.id == *id && !stage.only_for.is_empty());
                step.title = if is_critical {
                    "Lock the critical partitions".to_owned()
                } else {
                    "Lock it again".to_owned()
                };
                step.by_hand.clone_from(&family.relock.hand);
                step.phases.clone_from(&act.phases);
                step.question.clone_from(&act.question);
                step.stuck_seconds = act.pace.stuck_seconds;
                step.reversibility = Reversibility::NoReturn;
                step.wipe = Some(Wipe::FormatData);
                step.effect = Some(Planned::Relock { stage: id.clone() });
            }
        }
        Action::Wipe { way } => {
            if let Some(spec) = family.wipes.get(way) {
                step.title.clone_from(&spec.title);
                step.by_hand.clone_from(&spec.hand);
                step.menu.clone_from(&spec.menu);
                step.question.clone_from(&spec.question);
                step.stuck_seconds = spec.pace.stuck_seconds;
                step.reversibility = Reversibility::NoReturn;
                step.wipe = Some(spec.wipe);
                step.effect = Some(Planned::Wipe {
                    way: spec.id.clone(),
                });
            }
        }
        Action::InstallPackage { package } => {
            if let Some(spec) = family.packages.get(package) {
                step.title = format!("Install {}", spec.name);
                step.by_hand.clone_from(&spec.hand);
                step.stuck_seconds = spec.minutes * 60 * 3;
                step.reversibility = Reversibility::NoReturn;
                step.wipe = spec.wipes.then_some(Wipe::Data);
                step.cable = Cable::Either;
                step.effect = Some(Planned::InstallPackage {
                    name: spec.name.clone(),
                });
            }
        }
        Action::TemporaryStart => {
            step.title = "Start the recovery from memory".to_owned();
            if let Some(spec) = &family.temporary_start {
                step.by_hand.clone_from(&spec.hand);
                step.stuck_seconds = spec.pace.stuck_seconds;
            }
        }
        Action::SetSlot { slot } => {
            step.title = format!("Make slot {} the active one", slot.id());
            if let Some(spec) = &family.slot_switch {
                step.by_hand.clone_from(&spec.hand);
                step.stuck_seconds = spec.pace.stuck_seconds;
                step.effect = Some(Planned::SetSlot { slot });
            }
        }
        Action::ReadTable => {
            step.title = "Read the partition table".to_owned();
            step.by_hand =
                "The recovery lists the partitions; the bench reads them over the link.".to_owned();
            step.stuck_seconds = family.table.stuck_seconds;
        }
        Action::Capture => {
            step.title = "Capture what exists once".to_owned();
            step.by_hand = "The bench reads the partitions over the link.".to_owned();
            step.stuck_seconds = family.capture.stuck_seconds;
        }
        Action::WriteRecovery => {
            step.title = "Write the recovery".to_owned();
            if let Some(spec) = &family.recovery_write {
                step.by_hand.clone_from(&spec.hand);
                step.stuck_seconds = spec.pace.stuck_seconds;
                step.effect = Some(Planned::WriteImage {
                    label: spec.partition.clone(),
                });
            }
        }
        Action::Assume { .. } => {}
    }
    step
}

/// Where the cable is: the trigger itself where a phase moves it (`N4`).
fn cable(phases: &[Phase]) -> Cable {
    let moved = phases.iter().rev().find_map(|phase| match phase.kind {
        PhaseKind::CableIn => Some(Cable::Trigger),
        PhaseKind::CableOut => Some(Cable::Out),
        _ => None,
    });
    moved.unwrap_or(Cable::In)
}

fn drain(family: &Family, before: State, after: State, seconds: u32) -> u32 {
    let rate = [before.mode, after.mode]
        .into_iter()
        .flatten()
        .filter_map(|mode| family.mode(mode))
        .map(|spec| spec.drain_permille_per_hour)
        .max()
        .unwrap_or(0);
    u32::try_from((u64::from(rate) * u64::from(seconds)).div_ceil(3600)).unwrap_or(u32::MAX)
}

fn head(steps: &[Step]) -> SheetHead {
    let count = |wanted: &dyn Fn(&Step) -> bool| {
        u32::try_from(steps.iter().filter(|step| wanted(step)).count()).unwrap_or(u32::MAX)
    };
    SheetHead {
        hands_on_seconds: steps.iter().map(|step| step.hands_on_seconds).sum(),
        waiting_seconds: steps.iter().map(|step| step.waiting_seconds).sum(),
        wipes: count(&|step| step.wipe.is_some()),
        mode_changes: count(&|step| step.before.mode != step.after.mode),
        no_returns: count(&|step| step.reversibility == Reversibility::NoReturn),
        drain_permille: steps.iter().map(|step| step.drain_permille).sum(),
    }
}

fn missing(what: Assumption, family: &Family) -> WhyNot {
    match what {
        Assumption::Image => WhyNot {
            what,
            rule: Rule::M1,
            text: format!(
                "No recovery image on the shelf matches {}: put one with its side file into the shelf folder.",
                family.name()
            ),
        },
        Assumption::Link => WhyNot {
            what,
            rule: Rule::B2,
            text: "The table is read from the unit itself, which needs a bench link: connect a bridge, or choose the goal that ends with the recovery running.".to_owned(),
        },
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::facts::FactKey;
    use crate::facts::testing::facts;
    use crate::family::testing::gimbal;

    fn sheet(pairs: &[(FactKey, &str)], goal: Goal, link: Presence, image: Presence) -> Sheet {
        find(
            &gimbal(),
            State::from_facts(&facts(pairs)),
            goal,
            Ways { link, image },
        )
        .unwrap()
    }

    #[test]
    fn from_locked_to_the_table_read() {
        let sheet = sheet(
            &[
                (FactKey::Mode, "system"),
                (FactKey::Lock, "locked"),
                (FactKey::Debugging, "on"),
            ],
            Goal::ReadTable,
            Presence::Here,
            Presence::Here,
        );
        insta::assert_json_snapshot!(sheet, { ".family" => "[digest]" });
    }

    #[test]
    fn without_debugging_the_switch_comes_before_force() {
        let sheet = sheet(
            &[
                (FactKey::Mode, "system"),
                (FactKey::Lock, "unlocked"),
                (FactKey::Debugging, "off"),
            ],
            Goal::TemporaryRecovery,
            Presence::Here,
            Presence::Here,
        );
        let titles: Vec<_> = sheet.steps.iter().map(|step| step.title.as_str()).collect();
        assert_eq!(
            titles,
            [
                "Let this computer command it",
                "Restart into bootloader mode",
                "Start the recovery from memory"
            ]
        );
        assert!(sheet.steps[0].because.starts_with("Step 2 is a command"));
    }

    #[test]
    fn an_unknown_mode_is_looked_at_and_the_rest_planned_on_what_is_seen() {
        let sheet = sheet(
            &[(FactKey::Lock, "locked")],
            Goal::Unlock,
            Presence::Here,
            Presence::Here,
        );
        assert_eq!(sheet.reach, Reach::FirstLook);
        assert_eq!(sheet.steps.len(), 1);
        assert!(matches!(sheet.steps[0].act, Act::LookAtMode { .. }));
        assert_eq!(sheet.head.no_returns, 0);
    }

    #[test]
    fn what_is_missing_is_the_explanation() {
        let sheet = sheet(
            &[(FactKey::Mode, "bootloader"), (FactKey::Lock, "unlocked")],
            Goal::ReadTable,
            Presence::Missing,
            Presence::Missing,
        );
        let missing: Vec<_> = sheet.why_not.iter().map(|why| why.what).collect();
        assert_eq!(missing, [Assumption::Image, Assumption::Link]);
    }

    /// A family whose newest build lies `more` increments beyond the shipped ones.
    fn far(more: usize) -> (Family, State, crate::facts::Facts) {
        let mut family = crate::family::testing::shipped("mooring");
        // Long ways lead back as well, which takes a family that can be read out.
        family.temporary_start = crate::family::testing::gimbal().temporary_start;
        let at = |family: &Family, id: &str| family.build(id).map(|(at, _)| at);
        let mut last = at(&family, "WM1-3.4-2610").unwrap();
        let is_step =
            |one: &&crate::family::PackageSpec| one.kind == crate::family::PackageKind::Incremental;
        let step = family.packages.iter().find(is_step);
        let step = step.cloned().unwrap();
        for n in 0..more {
            let mut build = family.builds[last].clone();
            build.id = format!("WM1-3.{}-27{:02}", n + 5, n + 1);
            family.builds.push(build);
            let to = family.builds.len() - 1;
            family.packages.push(crate::family::PackageSpec {
                name: format!("mallet-step-{n}"),
                from: Some(last),
                to,
                ..step.clone()
            });
            last = to;
        }
        let names: Vec<&str> = family
            .packages
            .iter()
            .map(|one| one.name.as_str())
            .collect();
        let known = facts(&[
            (FactKey::Mode, "system"),
            (FactKey::Lock, "locked"),
            (FactKey::Debugging, "on"),
            (FactKey::Build, &family.builds[last].id),
            (FactKey::CardFiles, &names.join(", ")),
        ]);
        let state = State::from_facts(&known);
        (family, state, known)
    }

    /// A slot is changed for its own goal alone, and nothing is opened or erased for it.
    #[test]
    fn the_other_slot_takes_three_steps_and_no_wipe() {
        let family = crate::family::testing::shipped("saltern");
        let ways = Ways {
            link: Presence::Here,
            image: Presence::Missing,
        };
        let titles = |lock, goal| {
            let known = facts(&[
                (FactKey::Mode, "system"),
                (FactKey::Lock, lock),
                (FactKey::Debugging, "on"),
            ]);
            let sheet = find(&family, State::from_facts(&known), goal, ways);
            sheet.map(|sheet| {
                let titles = sheet.steps.into_iter().map(|step| step.title);
                (titles.collect::<Vec<_>>(), sheet.head.wipes)
            })
        };
        let (steps, wipes) = titles("unlocked", Goal::SlotB).unwrap();
        assert_eq!(
            steps,
            [
                "Restart into bootloader mode",
                "Make slot b the active one",
                "Start the system"
            ]
        );
        assert_eq!(wipes, 0);
        assert_eq!(titles("locked", Goal::SlotB), Err(NoPlan::WhileLocked));
    }

    #[test]
    fn forty_steps_open_states_in_proportion() {
        let ways = Ways {
            link: Presence::Here,
            image: Presence::Missing,
        };
        let plan = |more| {
            let (family, state, known) = far(more);
            crate::standing::plan_for(&family, &known, state, Goal::Unlock, ways, None).unwrap()
        };
        let (short, long) = (plan(0), plan(12));
        assert!(long.steps.len() >= 40, "{} steps", long.steps.len());
        // Twice the way, not many times the states.
        let per_step = |sheet: &Sheet| sheet.expanded as usize / sheet.steps.len();
        assert!(
            per_step(&long) <= per_step(&short) + 2,
            "{} for {}, {} for {}",
            long.expanded,
            long.steps.len(),
            short.expanded,
            short.steps.len()
        );
        assert!(long.expanded <= 400, "{}", long.expanded);
    }
}
