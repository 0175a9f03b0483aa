//! A* over device states. Deterministic: equal costs are settled by the order in which nodes were
//! reached, acts are tried in the family's order.
//!
//! What an act asks of the state are the rows of its list, taken out of it once; what nobody can bring is
//! numbered, charged once and named. So a search knows no condition that the list does not have.

use std::cmp::Reverse;
use std::collections::{BTreeSet, BinaryHeap};
use std::ops::Add;

use rustc_hash::FxHashMap;
use serde::Serialize;

use crate::act::{Act, Ground, Standpoint, planned};
use crate::evidence::{Due, Line};
use crate::goal::Goal;
use crate::mode::{Lock, Mode, RecoveryKind};
use crate::state::{Bit, State, Switch};

/// Most states that a search may open before it gives up and says so.
const MOST_EXPANSIONS: u32 = 20_000;
/// Most things that nobody can bring in one search.
const MOST_ASSUMED: usize = 64;

/// What a plan costs, compared from left to right.
#[derive(
    Debug, Clone, Copy, Default, PartialEq, Eq, PartialOrd, Ord, Serialize, utoipa::ToSchema,
)]
pub struct Cost {
    /// Things that somebody would first have to supply.
    pub assumed: u16,
    /// Risky acts.
    pub risk: u16,
    /// Wipes of the owner's data.
    pub wipes: u16,
    /// Seconds, waiting and hands-on together.
    pub seconds: u32,
    /// Key presses.
    pub presses: u16,
}

impl Add for Cost {
    type Output = Self;

    fn add(self, other: Self) -> Self {
        Self {
            assumed: self.assumed.saturating_add(other.assumed),
            risk: self.risk.saturating_add(other.risk),
            wipes: self.wipes.saturating_add(other.wipes),
            seconds: self.seconds.saturating_add(other.seconds),
            presses: self.presses.saturating_add(other.presses),
        }
    }
}

/// Why there is no sheet.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
pub enum NoPlan {
    /// No sequence of known acts leads there.
    #[error("no way that this family knows leads there")]
    NoWay,
    /// There would be one, if this were so.
    #[error("{}", .0.lacking())]
    Lacking(Bit),
    /// The search was cut off.
    #[error("the search was cut off after {0} states; the family file gives too many ways")]
    TooMany(u32),
}

/// What a pass may pass over.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Pass {
    /// Nothing: every row holds.
    Strict,
    /// A look that was not taken: to learn whether there is a way at all behind it.
    Look,
    /// Such a look, and this one row that an act could bring: to learn whether it is what is lacking.
    Explain(Bit),
    /// The same, wherever a way from build to build would stand: that it has none is another lack.
    ExplainOnAnyBuild(Bit),
}

/// An act with what its list asks of the state.
pub(super) struct Choice {
    pub(super) act: Act,
    rows: Vec<Bit>,
    /// Numbers of what nobody can bring, one bit each.
    absent: u64,
}

/// All that a search chooses from.
pub(super) struct Choices {
    pub(super) all: Vec<Choice>,
    /// What nobody can bring, by number.
    pub(super) absent: Vec<Line>,
}

/// Whether any act of a search goes by the way from build to build.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Builds {
    /// One does.
    Decide,
    /// None does.
    Pass,
}

impl Choices {
    /// Whether any act goes by a way from build to build that `start` does not stand at.
    pub(super) fn follow_builds(&self, start: State) -> Builds {
        let mut rows = self.all.iter().flat_map(|one| &one.rows);
        match rows.any(|row| matches!(row, Bit::Legs(_)) && !row.holds(start)) {
            true => Builds::Decide,
            false => Builds::Pass,
        }
    }

    /// The acts that may serve `goal`, in a fixed order, each with the rows of its list.
    pub(super) fn of(ground: Ground<'_>, start: State, goal: Goal) -> Self {
        let mut absent: Vec<Line> = Vec::new();
        let mut all = Vec::new();
        for act in Act::instances(ground) {
            if !act.serves(goal) {
                continue;
            }
            let lines = planned(&act, ground, Standpoint::later(start));
            let rows = lines.iter().filter_map(|line| line.bit).collect();
            let mut numbers = 0;
            for line in lines.into_iter().filter(is_planned_around) {
                let known = absent
                    .iter()
                    .position(|one| (one.rule, &one.text) == (line.rule, &line.text));
                let number = known.unwrap_or_else(|| {
                    absent.push(line);
                    absent.len() - 1
                });
                numbers |= 1u64 << number.min(MOST_ASSUMED - 1);
            }
            all.push(Choice {
                act,
                rows,
                absent: numbers,
            });
        }
        Self { all, absent }
    }
}

/// Whether a plan goes around an act with this line: it must be so before any sheet begins, and nobody can
/// bring it. What is due later is for the list itself to tell.
fn is_planned_around(line: &Line) -> bool {
    line.due == Due::Begin && line.absence().is_some()
}

/// State plus what was assumed, while searching.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub(super) struct Node {
    pub(super) state: State,
    /// Numbers of what was assumed.
    granted: u64,
}

impl Node {
    pub(super) fn new(state: State) -> Self {
        Self { state, granted: 0 }
    }
}

/// The cheapest sequence and what it took to find it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) struct Found {
    /// Places of the acts among the choices.
    pub(super) acts: Vec<usize>,
    pub(super) cost: Cost,
    pub(super) expanded: u32,
    /// Numbers of what was assumed.
    pub(super) granted: u64,
}

/// What each reached node cost, and from where and by what it was reached.
type Reached = FxHashMap<Node, (Cost, Option<(Node, usize)>)>;

/// Whether every way to `goal` from `state` opens the lock first. A recovery needs the unlock only where
/// no other way leads into it, and where nothing runs that may be one.
fn must_unlock(state: State, goal: Goal, ground: Ground<'_>) -> bool {
    let recovery = Mode::TemporaryRecovery;
    let is_out_of_reach = || {
        let moves = &ground.family().moves;
        // What runs is not known: it may be a recovery.
        state.mode.is_some_and(|mode| mode != recovery)
            && moves.iter().all(|way| way.to != recovery)
    };
    let is_unread = || {
        let reading = ground.family().reading_modes();
        is_out_of_reach()
            && reading
                .iter()
                .all(|mode| mode == recovery || mode == Mode::CustomRecovery)
            && state.mode != Some(Mode::CustomRecovery)
            && state.recovery != Some(RecoveryKind::Custom)
    };
    goal.rows().into_iter().any(|row| match row {
        Bit::Lock(lock) => lock == Lock::Unlocked,
        Bit::InMode(mode) => mode == recovery && is_out_of_reach(),
        // Read live, which brings no lock, is the table and what never changes.
        Bit::TableRead | Bit::FixedKept if state.rights == Some(Switch::On) => false,
        Bit::TableRead | Bit::FixedKept | Bit::BackedUp | Bit::Recovery(RecoveryKind::Custom) => {
            is_unread()
        }
        // A bound is only for what certainly lies ahead.
        Bit::InOneOf(_)
        | Bit::Reads(_)
        | Bit::Runs
        | Bit::Critical(_)
        | Bit::Debugging
        | Bit::FastStartOff
        | Bit::Recovery(RecoveryKind::Stock)
        | Bit::MayBeStock
        | Bit::Legs(_)
        | Bit::LockOnWay(_)
        | Bit::KeptOnWay(_)
        | Bit::MakersLaid
        | Bit::Erased
        | Bit::DataReads
        | Bit::Slot(_)
        | Bit::Settled
        | Bit::Open(_) => false,
    })
}

/// A lower bound on what is still to pay: a locked unit that must be unlocked has a stage ahead.
fn ahead(state: State, goal: Goal, ground: Ground<'_>, unlock: Option<Cost>) -> Cost {
    match unlock {
        Some(cost) if state.lock == Some(Lock::Locked) && must_unlock(state, goal, ground) => cost,
        _ => Cost::default(),
    }
}

/// What `act` costs in `at`, without what it assumes.
pub(super) fn cost(act: &Act, at: State, ground: Ground<'_>) -> Cost {
    let price = act.price(at, ground.family());
    Cost {
        assumed: 0,
        risk: price.risk,
        wipes: price.wipes,
        seconds: price.waiting.saturating_add(price.hands_on),
        presses: price.presses,
    }
}

/// Finds the cheapest sequence of acts from `start` to `goal`. `alone` gathers the rows that stood alone
/// between a state and an act: without a way, passing over any other row opens nothing.
pub(super) fn cheapest(
    choices: &Choices,
    ground: Ground<'_>,
    start: State,
    goal: Goal,
    pass: Pass,
    alone: &mut BTreeSet<Bit>,
) -> Result<Found, NoPlan> {
    let family = ground.family();
    let goal_rows = goal.rows();
    let opens = |one: &&Choice| one.rows.contains(&Bit::Lock(Lock::Locked));
    let openers = choices.all.iter().filter(opens).filter(|one| {
        let after = one.act.after(start, family);
        after.lock == Some(Lock::Unlocked)
    });
    let unlock = openers.map(|one| cost(&one.act, start, ground)).min();
    let first = Node::new(start);
    let mut best = Reached::default();
    let mut open = BinaryHeap::new();
    let mut order = 0u32;
    best.insert(first, (Cost::default(), None));
    let bound = ahead(start, goal, ground, unlock);
    open.push(Reverse((bound, order, Cost::default(), first)));
    let mut expanded = 0;
    while let Some(Reverse((_, _, paid, node))) = open.pop() {
        if best.get(&node).is_some_and(|(known, _)| *known < paid) {
            continue;
        }
        if !goal_rows.is_empty() && goal_rows.iter().all(|row| row.holds(node.state)) {
            return Ok(Found {
                acts: way_back(&best, node),
                cost: paid,
                expanded,
                granted: node.granted,
            });
        }
        expanded += 1;
        if expanded > MOST_EXPANSIONS {
            return Err(NoPlan::TooMany(MOST_EXPANSIONS));
        }
        for (place, one) in choices.all.iter().enumerate() {
            let mut lacking = one.rows.iter().filter(|row| {
                !row.holds(node.state)
                    && match pass {
                        Pass::Strict => true,
                        Pass::Look => **row != Bit::Settled,
                        Pass::Explain(passed) => **row != Bit::Settled && **row != passed,
                        Pass::ExplainOnAnyBuild(passed) => {
                            !matches!(row, Bit::Settled | Bit::Legs(_)) && **row != passed
                        }
                    }
            });
            if let Some(row) = lacking.next() {
                if pass == Pass::Look && lacking.next().is_none() {
                    alone.insert(*row);
                }
                continue;
            }
            let granted = node.granted | one.absent;
            let next = Node {
                state: one.act.after(node.state, family),
                granted,
            };
            let assumed = (granted & !node.granted).count_ones();
            let cost = paid
                + Cost {
                    assumed: u16::try_from(assumed).unwrap_or(u16::MAX),
                    ..cost(&one.act, node.state, ground)
                };
            if best.get(&next).is_none_or(|(known, _)| cost < *known) {
                best.insert(next, (cost, Some((node, place))));
                order += 1;
                let bound = cost + ahead(next.state, goal, ground, unlock);
                open.push(Reverse((bound, order, cost, next)));
            }
        }
    }
    Err(NoPlan::NoWay)
}

fn way_back(best: &Reached, end: Node) -> Vec<usize> {
    let mut acts = Vec::new();
    let mut node = end;
    while let Some((_, Some((before, act)))) = best.get(&node) {
        acts.push(*act);
        node = *before;
    }
    acts.reverse();
    acts
}

/// The first of the rows that `state` lacks.
pub(super) fn lacks(choice: &Choice, state: State) -> Option<Bit> {
    choice.rows.iter().copied().find(|row| !row.holds(state))
}

#[cfg(test)]
mod tests {
    use std::collections::BTreeMap;

    use proptest::prelude::*;

    use super::*;
    use crate::facts::Facts;
    use crate::family::BodyPart;
    use crate::family::Family;
    use crate::family::testing::gimbal;
    use crate::family::testing::shipped;
    use crate::family::{MoveBy, MoveSpec, Pace};
    use crate::mode::Slot;
    use crate::plan::testing::{Ways, find, known};
    use crate::state::{BackedUp, Broken, Data, Laid, Look, Presence, Switch, TableRead};

    fn state(mode: Option<Mode>, lock: Option<Lock>, debugging: Option<Switch>) -> State {
        State {
            mode,
            lock,
            debugging,
            fast_start: None,
            data: Data::Kept,
            table: TableRead::NotYet,
            recovery: None,
            restorer: None,
            rights: None,
            backed_up: BackedUp::NotYet,
            critical: None,
            slot: None,
            broken: Broken::default(),
            legs_ahead: 0,
            system: Laid::AsBefore,
            look: Look::Settled,
        }
    }

    const FOUR: [Mode; 4] = [
        Mode::Off,
        Mode::System,
        Mode::Bootloader,
        Mode::TemporaryRecovery,
    ];

    /// What a family of which nothing is known but its file gives rise to, with these at hand.
    fn on<T>(family: &Family, ways: Ways, legs: &[&str], ask: impl FnOnce(Ground<'_>) -> T) -> T {
        let facts = Facts::default();
        let of = known(family, &facts, ways);
        ask(Ground {
            legs,
            before: legs.len().div_ceil(2),
            ..Ground::plain(&of)
        })
    }

    fn searched(
        family: &Family,
        ways: Ways,
        legs: &[&str],
        start: State,
        goal: Goal,
    ) -> Result<Found, NoPlan> {
        on(family, ways, legs, |ground| {
            let choices = Choices::of(ground, start, goal);
            cheapest(
                &choices,
                ground,
                start,
                goal,
                Pass::Strict,
                &mut BTreeSet::new(),
            )
        })
    }

    /// The cheapest cost by settling every state that can be reached at all, in rounds, until none gets
    /// cheaper: no bound, no queue, nothing passed over.
    fn exhaustive(
        family: &Family,
        ways: Ways,
        legs: &[&str],
        start: State,
        goal: Goal,
    ) -> Option<Cost> {
        on(family, ways, legs, |ground| {
            let choices = Choices::of(ground, start, goal);
            let mut costs = BTreeMap::from([(Node::new(start), Cost::default())]);
            loop {
                let mut next = costs.clone();
                for (node, paid) in &costs {
                    for one in &choices.all {
                        if !one.rows.iter().all(|row| row.holds(node.state)) {
                            continue;
                        }
                        let granted = node.granted | one.absent;
                        let new = (granted & !node.granted).count_ones();
                        let step = Cost {
                            assumed: u16::try_from(new).unwrap(),
                            ..cost(&one.act, node.state, ground)
                        };
                        let state = one.act.after(node.state, family);
                        let total = *paid + step;
                        let known = next.entry(Node { state, granted }).or_insert(total);
                        *known = (*known).min(total);
                    }
                }
                if next == costs {
                    break;
                }
                costs = next;
            }
            let there = costs.iter().filter(|(node, _)| goal.is_reached(node.state));
            there.map(|(_, cost)| *cost).min()
        })
    }

    prop_compose! {
        fn a_way()(from in 0..4usize, to in 0..4usize, usual in 1..300u32, forced in any::<bool>(), gated in any::<bool>()) -> MoveSpec {
            MoveSpec {
                id: format!("{from}-{to}-{usual}"),
                from: FOUR[from],
                to: FOUR[to],
                by: if forced { MoveBy::ForcedRestart } else { MoveBy::Link },
                needs_debugging: gated,
                pace: Pace { usual_seconds: usual, stuck_seconds: usual },
                effort: crate::family::Effort {
                    hands_on_seconds: 0,
                    presses: 1,
                },
                hand: String::new(),
                phases: Vec::new(),
                menu: None,
            }
        }
    }

    #[derive(Debug)]
    struct Odd {
        codename: &'static str,
        start: State,
        goal: Goal,
        ways: Ways,
        legs: usize,
    }

    fn presence(here: bool) -> Presence {
        if here {
            Presence::Here
        } else {
            Presence::Missing
        }
    }

    prop_compose! {
        fn an_odd_unit()(
            family in 0..7usize,
            mode in 0..9usize,
            locks in (0..3usize, 0..3usize),
            goal in 0..Goal::ALL.len(),
            switches in (any::<bool>(), any::<bool>()),
            here in (any::<bool>(), any::<bool>()),
            keys in prop::collection::vec(0..6usize, 0..3),
            slot in 0..3usize,
            recovery in 0..3usize,
            legs in 0..4usize,
            done in (any::<bool>(), any::<bool>()),
        ) -> Odd {
            let codename = ["saltern", "kelpie", "lodestar", "mooring", "thimble", "gimbal", "cinder"][family];
            let modes = shipped(codename).modes;
            let lock = |n: usize| [None, Some(Lock::Locked), Some(Lock::Unlocked)][n];
            let plain = state(modes.get(mode).map(|spec| spec.mode), lock(locks.0), switches.0.then_some(Switch::On));
            Odd {
                codename,
                start: State {
                    critical: lock(locks.1),
                    fast_start: switches.1.then_some(Switch::Off),
                    broken: Broken::of(keys.into_iter().map(|n| BodyPart::ALL[n])),
                    slot: [None, Some(Slot::A), Some(Slot::B)][slot],
                    recovery: [None, Some(RecoveryKind::Stock), Some(RecoveryKind::Custom)][recovery],
                    data: if done.0 { Data::Erased } else { Data::Kept },
                    backed_up: if done.1 { BackedUp::Yes } else { BackedUp::NotYet },
                    ..plain
                },
                goal: Goal::ALL[goal],
                ways: Ways { link: presence(here.0), image: presence(here.1) },
                legs,
            }
        }
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(40))]

        #[test]
        fn as_cheap_as_trying_everything(moves in prop::collection::vec(a_way(), 1..5), at in 0..4usize, goal in 0..9usize) {
            let mut family = gimbal();
            family.moves = moves;
            let start = state(Some(FOUR[at]), Some(Lock::Locked), Some(Switch::On));
            let goal = Goal::ALL[goal];
            let found = searched(&family, Ways::ALL, &[], start, goal).map(|found| found.cost).ok();
            prop_assert_eq!(found, exhaustive(&family, Ways::ALL, &[], start, goal));
        }

        /// Packages, second stages, slots, wipes, broken keys, unknown modes, files here or missing.
        #[test]
        fn as_cheap_as_trying_everything_on_every_family(a in an_odd_unit()) {
            let family = shipped(a.codename);
            let legs: Vec<&str> = family.packages.iter().map(|one| one.name.as_str()).take(a.legs).collect();
            let mut start = a.start;
            start.legs_ahead = u8::try_from(legs.len()).unwrap();
            let found = searched(&family, a.ways, &legs, start, a.goal).map(|found| found.cost).ok();
            prop_assert_eq!(found, exhaustive(&family, a.ways, &legs, start, a.goal), "{} {:?}", a.codename, a.goal);
        }

        #[test]
        fn removing_a_way_never_makes_it_cheaper(drop in 0..6usize, at in 0..4usize, goal in 0..3usize) {
            let whole = gimbal();
            let mut fewer = gimbal();
            fewer.moves.remove(drop % whole.moves.len());
            let start = state(Some(FOUR[at]), Some(Lock::Locked), None);
            let goal = Goal::ALL[goal];
            let all = searched(&whole, Ways::ALL, &[], start, goal).unwrap().cost;
            if let Ok(found) = searched(&fewer, Ways::ALL, &[], start, goal) {
                prop_assert!(found.cost >= all);
            }
        }
    }

    fn titles(family: &Family, start: State, goal: Goal) -> Vec<String> {
        let sheet = find(family, start, goal, Ways::ALL).unwrap();
        sheet.steps.into_iter().map(|step| step.title).collect()
    }

    #[test]
    fn locking_again_ends_with_the_locked_start_seen_and_critical_goes_first() {
        let start = state(Some(Mode::System), Some(Lock::Unlocked), Some(Switch::On));
        assert_eq!(
            titles(&gimbal(), start, Goal::Relock),
            [
                "Restart into bootloader mode",
                "Lock it again",
                "Start the system"
            ]
        );
        let saltern = crate::family::testing::shipped("saltern");
        let both_open = State {
            critical: Some(Lock::Unlocked),
            ..start
        };
        assert_eq!(
            titles(&saltern, both_open, Goal::Relock),
            [
                "Restart into bootloader mode",
                "Lock the critical partitions",
                "Lock it again",
                "Start the system"
            ]
        );
        // Whether the second stage is open is asked before anything that can't be undone (L2).
        let not_known = titles(&saltern, start, Goal::Relock);
        assert_eq!(
            not_known.last().map(String::as_str),
            Some("Look whether the critical partitions are locked")
        );
    }

    #[test]
    fn every_family_with_a_lock_can_be_planned_open_and_shut_by_hand() {
        for (file, text) in crate::family::SHIPPED {
            let family = crate::family::load(file, text).unwrap();
            let open = State {
                critical: Some(Lock::Locked),
                recovery: Some(RecoveryKind::Stock),
                ..state(Some(Mode::System), Some(Lock::Unlocked), None)
            };
            if family.relock.act.is_some() {
                let sheet = find(&family, open, Goal::Relock, Ways::ALL).unwrap();
                assert_eq!(sheet.head.no_returns, 1, "{file}");
                assert_eq!(sheet.head.wipes, 1, "{file}");
            }
            for goal in Goal::ALL.into_iter().filter(|goal| goal.mode().is_some()) {
                // A recovery that is not in can't be gone to.
                if !goal.fits(&family) || goal == Goal::ToCustomRecovery {
                    continue;
                }
                let found = find(&family, open, goal, Ways::ALL);
                let is_known = family.moves.iter().any(|way| Some(way.to) == goal.mode());
                assert_eq!(found.is_ok(), is_known, "{file} {goal:?}");
            }
        }
    }

    #[test]
    fn what_takes_a_broken_key_is_not_planned() {
        let kelpie = crate::family::testing::shipped("kelpie");
        let off = State {
            recovery: Some(RecoveryKind::Stock),
            ..state(Some(Mode::Off), Some(Lock::Locked), None)
        };
        assert_eq!(
            titles(&kelpie, off, Goal::ToDownload),
            ["Restart into download mode"]
        );
        let broken = State {
            broken: Broken::of([BodyPart::VolumeDown]),
            ..off
        };
        // Around by the running system, where a command does it.
        assert_eq!(
            titles(&kelpie, broken, Goal::ToDownload),
            [
                "Start the system",
                "Let this computer command it",
                "Restart into download mode"
            ]
        );
    }

    /// A question on the unit's own screen takes keys, or a finger: with those broken nothing is asked for
    /// that ends in it.
    #[test]
    fn what_asks_by_a_broken_key_is_not_planned() {
        for (codename, mode, broken) in [
            ("saltern", Mode::Bootloader, BodyPart::VolumeUp),
            ("gimbal", Mode::Bootloader, BodyPart::Touch),
        ] {
            let family = shipped(codename);
            let plan = |broken| {
                let start = State {
                    broken,
                    ..state(Some(mode), Some(Lock::Locked), None)
                };
                find(&family, start, Goal::Unlock, Ways::ALL).unwrap()
            };
            assert!(plan(Broken::default()).why_not.is_empty(), "{codename}");
            let barred = plan(Broken::of([broken]));
            let rules: Vec<_> = barred.why_not.iter().map(|why| why.rule).collect();
            assert_eq!(rules, [crate::rule::Rule::N2], "{codename}");
            assert!(
                barred.why_not[0].text.contains(broken.shown()),
                "{codename}"
            );
        }
    }

    #[test]
    fn few_states_are_opened() {
        let start = state(Some(Mode::System), Some(Lock::Locked), Some(Switch::On));
        let found = searched(&gimbal(), Ways::ALL, &[], start, Goal::ReadTable).unwrap();
        assert!(found.expanded <= 12, "{} states expanded", found.expanded);
    }

    #[test]
    fn nothing_irreversible_follows_a_look_that_was_not_taken() {
        // Lock unknown: the sheet may only hope for *unlocked*, never unlock on a hope.
        let start = state(Some(Mode::Bootloader), None, None);
        let sheet = find(&gimbal(), start, Goal::ReadTable, Ways::ALL).unwrap();
        let first = &sheet.steps[0];
        assert_eq!(first.act.word(), "look-at-lock");
        assert_eq!(first.after.lock, Some(Lock::Unlocked));
        assert!(sheet.steps.iter().all(|step| step.wipe.is_none()));
    }

    #[test]
    fn a_family_without_a_way_says_so() {
        let mut family = gimbal();
        family.stages.clear();
        let start = state(Some(Mode::System), Some(Lock::Locked), Some(Switch::On));
        let none = find(&family, start, Goal::Unlock, Ways::ALL);
        assert_eq!(none, Err(NoPlan::NoWay));
        let read = find(&family, start, Goal::ReadTable, Ways::ALL);
        assert_eq!(read, Err(NoPlan::Lacking(Bit::Lock(Lock::Unlocked))));
    }
}
