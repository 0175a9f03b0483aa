//! A* over device states. Deterministic: equal costs are settled by the order in which nodes were
//! reached, actions are tried in the family's order.

use std::cmp::Reverse;
use std::collections::{BTreeMap, BinaryHeap};
use std::ops::Add;

use serde::Serialize;

use super::action::{self, Action, Ground, LookRule, Node, Unmet};
use super::state::{Goal, State, Ways};
use crate::mode::{Lock, Mode, RecoveryKind};

/// Most states that a search may open before it gives up and says so.
const MOST_EXPANSIONS: u32 = 20_000;

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
    /// No sequence of known actions leads there.
    #[error("no way that this family knows leads there")]
    NoWay,
    /// There would be one, were it unlocked; that erases, and is a goal of its own.
    #[error("it must be unlocked for this, and unlocking erases: that is a goal of its own")]
    WhileLocked,
    /// The search was cut off.
    #[error("the search was cut off after {0} states; the family file gives too many ways")]
    TooMany(u32),
}

/// The cheapest sequence and what it took to find it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) struct Found {
    pub(super) actions: Vec<Action>,
    pub(super) cost: Cost,
    pub(super) expanded: u32,
}

/// What each reached node cost, and from where and by what it was reached.
type Reached = BTreeMap<Node, (Cost, Option<(Node, Action)>)>;

/// A lower bound on what is still to pay: a locked unit that must be unlocked has a stage ahead. A
/// recovery needs the unlock only where no other way leads into it.
fn ahead(node: Node, goal: Goal, ground: Ground<'_>) -> Cost {
    let family = ground.family;
    let recovery = Mode::TemporaryRecovery;
    let is_out_of_reach =
        node.state.mode != Some(recovery) && family.moves.iter().all(|way| way.to != recovery);
    let must_unlock = match goal {
        Goal::Unlock => true,
        // A bound is only for what certainly lies ahead.
        Goal::Relock
        | Goal::Erase
        | Goal::SlotA
        | Goal::SlotB
        | Goal::ToOff
        | Goal::ToSystem
        | Goal::ToBootloader
        | Goal::ToDownload
        | Goal::ToStockRecovery
        | Goal::ToCustomRecovery => false,
        Goal::TemporaryRecovery => is_out_of_reach,
        Goal::ReadTable | Goal::BackUp | Goal::KeepRecovery => {
            is_out_of_reach
                && node.state.mode != Some(Mode::CustomRecovery)
                && node.state.recovery != Some(RecoveryKind::Custom)
        }
    };
    if !must_unlock || node.state.lock != Some(Lock::Locked) {
        return Cost::default();
    }
    (0..family.stages.len())
        .map(|stage| action::cost(Action::Unlock { stage }, node.state, ground))
        .min()
        .unwrap_or_default()
}

/// Finds the cheapest sequence of actions from `start` to `goal`.
pub(super) fn cheapest(
    ground: Ground<'_>,
    start: State,
    goal: Goal,
    ways: Ways,
    looks: LookRule,
) -> Result<Found, NoPlan> {
    let mut actions = action::instances(ground);
    actions.retain(|one| action::serves(*one, goal));
    let first = Node::new(start, ways);
    let mut best = Reached::new();
    let mut open = BinaryHeap::new();
    let mut order = 0u32;
    best.insert(first, (Cost::default(), None));
    open.push(Reverse((
        ahead(first, goal, ground),
        order,
        Cost::default(),
        first,
    )));
    let mut expanded = 0;
    while let Some(Reverse((_, _, paid, node))) = open.pop() {
        if best.get(&node).is_some_and(|(known, _)| *known < paid) {
            continue;
        }
        if goal.is_reached(node.state) {
            return Ok(Found {
                actions: way_back(&best, node),
                cost: paid,
                expanded,
            });
        }
        expanded += 1;
        if expanded > MOST_EXPANSIONS {
            return Err(NoPlan::TooMany(MOST_EXPANSIONS));
        }
        for &action in &actions {
            match action::unmet(action, node, ground) {
                None => {}
                Some(Unmet::Look) if looks == LookRule::Relaxed => {}
                Some(_) => continue,
            }
            let next = action::apply(action, node, ground);
            let cost = paid + action::cost(action, node.state, ground);
            if best.get(&next).is_none_or(|(known, _)| cost < *known) {
                best.insert(next, (cost, Some((node, action))));
                order += 1;
                open.push(Reverse((
                    cost + ahead(next, goal, ground),
                    order,
                    cost,
                    next,
                )));
            }
        }
    }
    Err(NoPlan::NoWay)
}

fn way_back(best: &Reached, end: Node) -> Vec<Action> {
    let mut actions = Vec::new();
    let mut node = end;
    while let Some((_, Some((before, action)))) = best.get(&node) {
        actions.push(*action);
        node = *before;
    }
    actions.reverse();
    actions
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;
    use crate::family::Family;
    use crate::family::testing::gimbal;
    use crate::family::{MoveBy, MoveSpec, Pace};
    use crate::plan::state::{BackedUp, Broken, Data, Look, Presence, Switch, TableRead};

    fn state(mode: Option<Mode>, lock: Option<Lock>, debugging: Option<Switch>) -> State {
        State {
            mode,
            lock,
            debugging,
            fast_start: None,
            data: Data::Kept,
            table: TableRead::NotYet,
            recovery: None,
            backed_up: BackedUp::NotYet,
            critical: None,
            slot: None,
            broken: Broken::default(),
            legs_ahead: 0,
            look: Look::Settled,
        }
    }

    /// A family whose builds don't matter.
    fn bare(family: &Family) -> Ground<'_> {
        Ground {
            family,
            before: &[],
            after: &[],
        }
    }

    const FOUR: [Mode; 4] = [
        Mode::Off,
        Mode::System,
        Mode::Bootloader,
        Mode::TemporaryRecovery,
    ];

    const ALL_HERE: Ways = Ways {
        link: Presence::Here,
        image: Presence::Here,
    };

    /// The cheapest cost by trying every sequence without a repeated node.
    fn exhaustive(family: &Family, node: Node, goal: Goal, seen: &mut Vec<Node>) -> Option<Cost> {
        if goal.is_reached(node.state) {
            return Some(Cost::default());
        }
        if seen.len() > 7 {
            return None;
        }
        seen.push(node);
        let mut cheapest = None;
        for action in action::instances(bare(family)) {
            if !action::serves(action, goal) || action::unmet(action, node, bare(family)).is_some()
            {
                continue;
            }
            let next = action::apply(action, node, bare(family));
            if seen.contains(&next) {
                continue;
            }
            if let Some(rest) = exhaustive(family, next, goal, seen) {
                let total = action::cost(action, node.state, bare(family)) + rest;
                cheapest = Some(cheapest.map_or(total, |known: Cost| known.min(total)));
            }
        }
        seen.pop();
        cheapest
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
                hands_on_seconds: 0,
                presses: 1,
                hand: String::new(),
                phases: Vec::new(),
                menu: None,
            }
        }
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(96))]

        #[test]
        fn as_cheap_as_trying_everything(moves in prop::collection::vec(a_way(), 1..5), at in 0..4usize, goal in 0..6usize) {
            let mut family = gimbal();
            family.moves = moves;
            let start = state(Some(FOUR[at]), Some(Lock::Locked), Some(Switch::On));
            let goal = Goal::ALL[goal];
            let found = cheapest(bare(&family), start, goal, ALL_HERE, LookRule::Kept).map(|found| found.cost).ok();
            let tried = exhaustive(&family, Node::new(start, ALL_HERE), goal, &mut Vec::new());
            prop_assert_eq!(found, tried);
        }

        #[test]
        fn removing_a_way_never_makes_it_cheaper(drop in 0..6usize, at in 0..4usize, goal in 0..3usize) {
            let whole = gimbal();
            let mut fewer = gimbal();
            fewer.moves.remove(drop % whole.moves.len());
            let start = state(Some(FOUR[at]), Some(Lock::Locked), None);
            let goal = Goal::ALL[goal];
            let all = cheapest(bare(&whole), start, goal, ALL_HERE, LookRule::Kept).unwrap().cost;
            if let Ok(found) = cheapest(bare(&fewer), start, goal, ALL_HERE, LookRule::Kept) {
                prop_assert!(found.cost >= all);
            }
        }
    }

    fn titles(family: &Family, start: State, goal: Goal) -> Vec<String> {
        let sheet = crate::plan::find(family, start, goal, ALL_HERE).unwrap();
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
                let sheet = crate::plan::find(&family, open, Goal::Relock, ALL_HERE).unwrap();
                assert_eq!(sheet.head.no_returns, 1, "{file}");
                assert_eq!(sheet.head.wipes, 1, "{file}");
            }
            for goal in Goal::ALL.into_iter().filter(|goal| goal.mode().is_some()) {
                // A recovery that is not in can't be gone to.
                if !goal.fits(&family) || goal == Goal::ToCustomRecovery {
                    continue;
                }
                let found = crate::plan::find(&family, open, goal, ALL_HERE);
                let is_known = family.moves.iter().any(|way| Some(way.to) == goal.mode());
                assert_eq!(found.is_ok(), is_known, "{file} {goal:?}");
            }
        }
    }

    #[test]
    fn what_takes_a_broken_key_is_not_planned() {
        use crate::family::Key;
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
            broken: Broken::of([Key::VolumeDown]),
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

    #[test]
    fn few_states_are_opened() {
        let start = state(Some(Mode::System), Some(Lock::Locked), Some(Switch::On));
        let found = cheapest(
            bare(&gimbal()),
            start,
            Goal::ReadTable,
            ALL_HERE,
            LookRule::Kept,
        )
        .unwrap();
        assert!(found.expanded <= 12, "{} states expanded", found.expanded);
    }

    #[test]
    fn nothing_irreversible_follows_a_look_that_was_not_taken() {
        // Lock unknown: the sheet may only hope for *unlocked*, never unlock on a hope.
        let start = state(Some(Mode::Bootloader), None, None);
        let found = cheapest(
            bare(&gimbal()),
            start,
            Goal::ReadTable,
            ALL_HERE,
            LookRule::Kept,
        )
        .unwrap();
        assert_eq!(
            found.actions[0],
            Action::LookAtLock {
                hoped: Lock::Unlocked
            }
        );
        assert!(
            !found
                .actions
                .iter()
                .any(|a| matches!(a, Action::Unlock { .. }))
        );
    }

    #[test]
    fn a_family_without_a_way_says_so() {
        let mut family = gimbal();
        family.stages.clear();
        let start = state(Some(Mode::System), Some(Lock::Locked), Some(Switch::On));
        assert_eq!(
            cheapest(bare(&family), start, Goal::Unlock, ALL_HERE, LookRule::Kept),
            Err(NoPlan::NoWay)
        );
    }
}
