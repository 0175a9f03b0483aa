//! What can be done: preconditions, effects and costs of the kinds of action. A family gives the
//! instances and their parameters, never the logic.

use serde::Serialize;

use super::search::Cost;
use super::state::{BackedUp, Data, Goal, Look, Presence, State, Switch, TableRead, Ways};
use crate::facts::FactKey;
use crate::family::{Family, Key, Menu, MoveBy, MoveSpec, Pace, Phase, Role, RouteLock};
use crate::mode::{Lock, Mode, RecoveryKind, Slot};

/// Something that the search may do, small enough to copy: indices point into the family that it searches.
/// A sheet has an [`Act`](super::Act) in its place.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub(super) enum Action {
    /// See which mode it is in; `hoped` is the outcome that the rest of the sheet builds on.
    LookAtMode {
        /// Assumed outcome.
        hoped: Mode,
    },
    /// See whether it is locked; `hoped` as above.
    LookAtLock {
        /// Assumed outcome.
        hoped: Lock,
    },
    /// Go to another mode by the family's way number `way`.
    Move {
        /// Index into the family's moves.
        way: usize,
    },
    /// Let the computer command the running system.
    SwitchDebuggingOn,
    /// See to it that *off* is off (`N5`).
    SwitchFastStartOff,
    /// Open a stage of the lock.
    Unlock {
        /// Index into the family's stages.
        stage: usize,
    },
    /// See whether the critical partitions are locked; `hoped` as above (`L2`).
    LookAtCriticalLock {
        /// Assumed outcome.
        hoped: Lock,
    },
    /// Close a stage of the lock again.
    Relock {
        /// Index into the family's order of relocking.
        stage: usize,
    },
    /// Erase the owner's data by the family's way number `way`.
    Wipe {
        /// Index into the family's wipes.
        way: usize,
    },
    /// Make a slot the active one.
    SetSlot {
        /// Which.
        slot: Slot,
    },
    /// Start an image from memory.
    TemporaryStart,
    /// Read the partition table.
    ReadTable,
    /// Capture everything that exists once, and what else a quick capture holds.
    Capture,
    /// Write an image to the recovery partition.
    WriteRecovery,
    /// Install the package that is next on the way from build to build.
    InstallPackage {
        /// Index into the family's packages.
        package: usize,
    },
    /// Take for granted what somebody could supply.
    Assume {
        /// What.
        what: Assumption,
    },
}

/// What somebody could supply, and the plan lacks.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, utoipa::ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Assumption {
    /// A matching recovery image on the shelf.
    Image,
    /// A bench link to the unit.
    Link,
}

/// A precondition that doesn't hold.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Unmet {
    /// It must be in this mode.
    Mode(Mode),
    /// The lock must be so.
    Lock(Lock),
    /// The running system must take commands.
    Debugging,
    /// *Off* must be off, not half sleep (`N5`).
    FastStart,
    /// Another recovery lies in the partition.
    Recovery(RecoveryKind),
    /// What exists once is not captured.
    NotBackedUp,
    /// Something must be supplied.
    Missing(Assumption),
    /// A look must be taken first.
    Look,
    /// Another build must be there first.
    Build,
    /// The stage for critical partitions must be closed first (`R6`).
    Critical,
    /// It takes a key that doesn't work (`N2`).
    BrokenKey(Key),
    /// Nothing to do: it is so already.
    AlreadySo,
}

/// What a search moves on: a family, and the packages that lead to a build that can be unlocked and
/// back, found before (`crate::builds`).
#[derive(Debug, Clone, Copy)]
pub(super) struct Ground<'a> {
    pub(super) family: &'a Family,
    /// Packages before the unlock, in order.
    pub(super) before: &'a [usize],
    /// Packages after it.
    pub(super) after: &'a [usize],
}

impl Ground<'_> {
    /// Packages in all.
    pub(super) fn legs(&self) -> u8 {
        u8::try_from(self.before.len() + self.after.len()).unwrap_or(u8::MAX)
    }

    /// The package that is next when `ahead` are.
    fn next(&self, ahead: u8) -> Option<usize> {
        let at = usize::from(self.legs().checked_sub(ahead)?);
        self.before.iter().chain(self.after).nth(at).copied()
    }
}

/// Whether the search keeps to the rule that nothing irreversible follows a look not taken.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum LookRule {
    /// It does.
    Kept,
    /// It does not: only to learn whether there is a way at all behind the look.
    Relaxed,
}

/// State plus what has been assumed, while searching.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub(super) struct Node {
    pub(super) state: State,
    pub(super) link: Presence,
    pub(super) image: Presence,
}

impl Node {
    pub(super) fn new(state: State, ways: Ways) -> Self {
        Self {
            state,
            link: ways.link,
            image: ways.image,
        }
    }
}

/// Every action that the family gives rise to, in a fixed order.
pub(super) fn instances(ground: Ground<'_>) -> Vec<Action> {
    let family = ground.family;
    let mut all = Vec::new();
    all.extend(
        family
            .modes
            .iter()
            .map(|spec| Action::LookAtMode { hoped: spec.mode }),
    );
    all.extend([Lock::Locked, Lock::Unlocked].map(|hoped| Action::LookAtLock { hoped }));
    if family.stages.iter().any(|stage| !stage.only_for.is_empty()) {
        let hopes = [Lock::Locked, Lock::Unlocked];
        all.extend(hopes.map(|hoped| Action::LookAtCriticalLock { hoped }));
    }
    all.extend((0..family.moves.len()).map(|way| Action::Move { way }));
    all.push(Action::SwitchDebuggingOn);
    if family.place(FactKey::FastStart).is_some() {
        all.push(Action::SwitchFastStartOff);
    }
    let is_main = |stage: &usize| family.stages[*stage].only_for.is_empty();
    all.extend(
        (0..family.stages.len())
            .filter(is_main)
            .map(|stage| Action::Unlock { stage }),
    );
    if family.relock.act.is_some() {
        all.extend((0..family.relock.order.len()).map(|stage| Action::Relock { stage }));
    }
    all.extend((0..family.wipes.len()).map(|way| Action::Wipe { way }));
    if family.slot_switch.is_some() {
        all.extend(Slot::ALL.map(|slot| Action::SetSlot { slot }));
    }
    let mut packages: Vec<usize> = ground.before.iter().chain(ground.after).copied().collect();
    packages.sort_unstable();
    packages.dedup();
    all.extend(
        packages
            .into_iter()
            .map(|package| Action::InstallPackage { package }),
    );
    if family.temporary_start.is_some() {
        all.push(Action::TemporaryStart);
    }
    all.push(Action::ReadTable);
    all.push(Action::Capture);
    if family.recovery_write.is_some() {
        all.push(Action::WriteRecovery);
    }
    all.extend([Assumption::Image, Assumption::Link].map(|what| Action::Assume { what }));
    all
}

/// Whether `action` may serve `goal` at all: an erase or another slot leaves lock and build as they are,
/// though changing either would erase too; and no other goal changes the slot.
pub(super) fn serves(action: Action, goal: Goal) -> bool {
    match action {
        Action::Unlock { .. } | Action::Relock { .. } | Action::InstallPackage { .. } => {
            goal != Goal::Erase && goal.slot().is_none()
        }
        Action::SetSlot { slot } => goal.slot() == Some(slot),
        Action::Wipe { .. } => goal.slot().is_none(),
        _ => true,
    }
}

/// The first precondition of `action` that doesn't hold in `node`.
pub(super) fn unmet(action: Action, node: Node, ground: Ground<'_>) -> Option<Unmet> {
    let family = ground.family;
    let state = node.state;
    let in_mode = |mode: Mode| (state.mode != Some(mode)).then_some(Unmet::Mode(mode));
    let locked_as = |lock: Lock| (state.lock != Some(lock)).then_some(Unmet::Lock(lock));
    match action {
        Action::LookAtMode { .. } => state.mode.is_some().then_some(Unmet::AlreadySo),
        Action::LookAtLock { .. } => {
            if state.lock.is_some() {
                Some(Unmet::AlreadySo)
            } else if state.mode.is_none() {
                Some(Unmet::Look)
            } else {
                (state.mode == Some(Mode::Off)).then_some(Unmet::Mode(Mode::System))
            }
        }
        Action::Move { way } => {
            let Some(spec) = family.moves.get(way) else {
                return Some(Unmet::AlreadySo);
            };
            let kind = match spec.to {
                Mode::StockRecovery => Some(RecoveryKind::Stock),
                Mode::CustomRecovery => Some(RecoveryKind::Custom),
                _ => None,
            };
            in_mode(spec.from)
                .or_else(|| broken(&spec.phases, spec.menu.as_ref(), state))
                .or_else(|| {
                    (spec.needs_debugging && state.debugging != Some(Switch::On))
                        .then_some(Unmet::Debugging)
                })
                .or_else(|| {
                    (spec.to == Mode::Off
                        && family.place(FactKey::FastStart).is_some()
                        && state.fast_start != Some(Switch::Off))
                    .then_some(Unmet::FastStart)
                })
                .or_else(|| {
                    // Which one lies there shows when it runs; the maker's may be hoped for.
                    let other = |kind: &RecoveryKind| match state.recovery {
                        Some(lies) => lies != *kind,
                        None => *kind == RecoveryKind::Custom,
                    };
                    kind.filter(other).map(Unmet::Recovery)
                })
        }
        Action::SwitchDebuggingOn => in_mode(Mode::System)
            .or_else(|| (state.debugging == Some(Switch::On)).then_some(Unmet::AlreadySo)),
        Action::SwitchFastStartOff => in_mode(Mode::System)
            .or_else(|| (state.fast_start == Some(Switch::Off)).then_some(Unmet::AlreadySo)),
        Action::Unlock { stage } => {
            let Some(spec) = family.stages.get(stage) else {
                return Some(Unmet::AlreadySo);
            };
            // Nothing that can't be undone follows a look that was not taken.
            in_mode(spec.mode)
                .or_else(|| locked_as(Lock::Locked))
                .or_else(|| broken(&spec.phases, None, state))
                .or_else(|| {
                    (usize::from(state.legs_ahead) != ground.after.len()).then_some(Unmet::Build)
                })
                .or_else(|| (state.look == Look::Assumed).then_some(Unmet::Look))
        }
        Action::LookAtCriticalLock { .. } => {
            if state.critical.is_some() {
                Some(Unmet::AlreadySo)
            } else {
                state
                    .mode
                    .is_none_or(|mode| mode == Mode::Off)
                    .then_some(Unmet::Look)
            }
        }
        Action::Relock { stage } => {
            let (Some(act), Some(stage)) = (
                &family.relock.act,
                family
                    .relock
                    .order
                    .get(stage)
                    .and_then(|id| family.stages.iter().find(|stage| stage.id == *id)),
            ) else {
                return Some(Unmet::AlreadySo);
            };
            let is_critical = !stage.only_for.is_empty();
            let has_critical = family.stages.iter().any(|stage| !stage.only_for.is_empty());
            let stands = if is_critical {
                match state.critical {
                    Some(Lock::Unlocked) => None,
                    Some(Lock::Locked) => Some(Unmet::AlreadySo),
                    None => Some(Unmet::Critical),
                }
            } else {
                (has_critical && state.critical != Some(Lock::Locked)).then_some(Unmet::Critical)
            };
            in_mode(act.mode)
                .or_else(|| locked_as(Lock::Unlocked))
                .or(stands)
                .or_else(|| broken(&act.phases, None, state))
                .or_else(|| (state.look == Look::Assumed).then_some(Unmet::Look))
        }
        Action::InstallPackage { package } => {
            let Some(spec) = family.packages.get(package) else {
                return Some(Unmet::AlreadySo);
            };
            // Packages before the unlock go on while it is locked, the others after it.
            let lock = if usize::from(state.legs_ahead) > ground.after.len() {
                Lock::Locked
            } else {
                Lock::Unlocked
            };
            (ground.next(state.legs_ahead) != Some(package))
                .then_some(Unmet::Build)
                .or_else(|| in_mode(spec.mode))
                .or_else(|| locked_as(lock))
                .or_else(|| (state.look == Look::Assumed).then_some(Unmet::Look))
        }
        Action::Wipe { way } => {
            let Some(spec) = family.wipes.get(way) else {
                return Some(Unmet::AlreadySo);
            };
            in_mode(spec.mode)
                .or_else(|| match spec.lock {
                    RouteLock::Any => None,
                    RouteLock::Unlocked => locked_as(Lock::Unlocked),
                })
                .or_else(|| broken(&[], spec.menu.as_ref(), state))
                .or_else(|| (state.data == Data::Erased).then_some(Unmet::AlreadySo))
                .or_else(|| (state.look == Look::Assumed).then_some(Unmet::Look))
        }
        Action::SetSlot { slot } => {
            let Some(spec) = &family.slot_switch else {
                return Some(Unmet::AlreadySo);
            };
            in_mode(spec.mode)
                .or_else(|| locked_as(Lock::Unlocked))
                .or_else(|| (state.slot == Some(slot)).then_some(Unmet::AlreadySo))
                .or_else(|| (state.look == Look::Assumed).then_some(Unmet::Look))
        }
        Action::TemporaryStart => {
            let Some(spec) = &family.temporary_start else {
                return Some(Unmet::AlreadySo);
            };
            in_mode(spec.from)
                .or_else(|| locked_as(Lock::Unlocked))
                .or_else(|| {
                    (node.image == Presence::Missing).then_some(Unmet::Missing(Assumption::Image))
                })
        }
        Action::ReadTable => (!state.mode.is_some_and(Mode::reads_partitions))
            .then_some(Unmet::Mode(Mode::TemporaryRecovery))
            .or_else(|| {
                (node.link == Presence::Missing).then_some(Unmet::Missing(Assumption::Link))
            })
            .or_else(|| (state.table == TableRead::Read).then_some(Unmet::AlreadySo)),
        Action::Capture => (!state.mode.is_some_and(Mode::reads_partitions))
            .then_some(Unmet::Mode(Mode::TemporaryRecovery))
            .or_else(|| {
                (node.link == Presence::Missing).then_some(Unmet::Missing(Assumption::Link))
            })
            .or_else(|| (state.backed_up == BackedUp::Yes).then_some(Unmet::AlreadySo)),
        Action::WriteRecovery => {
            let Some(spec) = &family.recovery_write else {
                return Some(Unmet::AlreadySo);
            };
            in_mode(spec.mode)
                .or_else(|| locked_as(Lock::Unlocked))
                .or_else(|| (state.backed_up != BackedUp::Yes).then_some(Unmet::NotBackedUp))
                .or_else(|| {
                    (node.image == Presence::Missing).then_some(Unmet::Missing(Assumption::Image))
                })
                .or_else(|| (state.look == Look::Assumed).then_some(Unmet::Look))
        }
        Action::Assume { what } => {
            let here = match what {
                Assumption::Image => node.image,
                Assumption::Link => node.link,
            };
            (here == Presence::Here).then_some(Unmet::AlreadySo)
        }
    }
}

/// The key that an act takes and that doesn't work, if any.
fn broken(phases: &[Phase], menu: Option<&Menu>, state: State) -> Option<Unmet> {
    let pressed = phases.iter().flat_map(|phase| phase.keys.iter().copied());
    let chosen = menu.into_iter().flat_map(|menu| [menu.by, menu.choose]);
    state
        .broken
        .first_of(pressed.chain(chosen))
        .map(Unmet::BrokenKey)
}

/// The node after `action`, whose preconditions hold.
pub(super) fn apply(action: Action, node: Node, ground: Ground<'_>) -> Node {
    let family = ground.family;
    let mut next = node;
    match action {
        Action::LookAtMode { hoped } => {
            next.state.mode = Some(hoped);
            next.state.look = Look::Assumed;
        }
        Action::LookAtLock { hoped } => {
            next.state.lock = Some(hoped);
            next.state.look = Look::Assumed;
        }
        Action::LookAtCriticalLock { hoped } => {
            next.state.critical = Some(hoped);
            next.state.look = Look::Assumed;
        }
        Action::Relock { stage } => {
            let is_critical = family.relock.order.get(stage).is_some_and(|id| {
                let mut stages = family.stages.iter();
                stages.any(|stage| stage.id == *id && !stage.only_for.is_empty())
            });
            if let Some(act) = &family.relock.act {
                if is_critical {
                    next.state.critical = Some(Lock::Locked);
                } else {
                    next.state.lock = Some(Lock::Locked);
                }
                next.state.mode = Some(act.ends_in);
                // Locking erases (R4).
                next.state.data = Data::Erased;
                (next.state.debugging, next.state.fast_start) = (Some(Switch::Off), None);
            }
        }
        Action::Move { way } => {
            if let Some(spec) = family.moves.get(way) {
                next.state.mode = Some(spec.to);
                if spec.to == Mode::StockRecovery && next.state.recovery.is_none() {
                    next.state.recovery = Some(RecoveryKind::Stock);
                    next.state.look = Look::Assumed;
                }
                if spec.to == Mode::System {
                    // It rewrites living partitions (B6).
                    next.state.backed_up = BackedUp::NotYet;
                }
            }
        }
        Action::SwitchDebuggingOn => next.state.debugging = Some(Switch::On),
        Action::SwitchFastStartOff => next.state.fast_start = Some(Switch::Off),
        Action::Unlock { stage } => {
            if let Some(spec) = family.stages.get(stage) {
                next.state.lock = Some(Lock::Unlocked);
                next.state.mode = Some(spec.ends_in);
                if erases_data(&spec.erases) {
                    next.state.data = Data::Erased;
                    // The switch lives in user data (L4).
                    (next.state.debugging, next.state.fast_start) = (Some(Switch::Off), None);
                }
            }
        }
        Action::InstallPackage { package } => {
            if let Some(spec) = family.packages.get(package) {
                next.state.mode = Some(spec.ends_in);
                next.state.legs_ahead = next.state.legs_ahead.saturating_sub(1);
                next.state.backed_up = BackedUp::NotYet;
                if spec.wipes {
                    next.state.data = Data::Erased;
                    (next.state.debugging, next.state.fast_start) = (Some(Switch::Off), None);
                }
            }
        }
        Action::Wipe { way } => {
            if let Some(spec) = family.wipes.get(way) {
                next.state.mode = Some(spec.ends_in);
                next.state.data = Data::Erased;
                (next.state.debugging, next.state.fast_start) = (Some(Switch::Off), None);
            }
        }
        Action::SetSlot { slot } => {
            // Another slot may hold another recovery, or none.
            (next.state.slot, next.state.recovery) = (Some(slot), None);
        }
        Action::TemporaryStart => next.state.mode = Some(Mode::TemporaryRecovery),
        Action::ReadTable => next.state.table = TableRead::Read,
        Action::Capture => {
            next.state.table = TableRead::Read;
            next.state.backed_up = BackedUp::Yes;
        }
        Action::WriteRecovery => next.state.recovery = Some(RecoveryKind::Custom),
        Action::Assume { what } => match what {
            Assumption::Image => next.image = Presence::Here,
            Assumption::Link => next.link = Presence::Here,
        },
    }
    next
}

/// Whether erasing these roles loses the owner's data.
pub(super) fn erases_data(erases: &[Role]) -> bool {
    erases.contains(&Role::UserData)
}

/// Seconds of waiting and of hands on the device.
pub(super) fn durations(action: Action, before: State, ground: Ground<'_>) -> (u32, u32) {
    let family = ground.family;
    match action {
        Action::LookAtMode { .. } => (0, 20),
        Action::LookAtLock { .. } | Action::LookAtCriticalLock { .. } => (0, 60),
        Action::Relock { .. } => family
            .relock
            .act
            .as_ref()
            .map_or((0, 0), |act| (act.pace.usual_seconds, 15)),
        Action::Move { way } => family.moves.get(way).map_or((0, 0), |spec| {
            (
                pace_of(spec, before, family).usual_seconds,
                spec.hands_on_seconds,
            )
        }),
        Action::SwitchDebuggingOn => (0, family.debugging.minutes * 60),
        Action::SwitchFastStartOff => {
            let minutes = family
                .place(FactKey::FastStart)
                .map_or(1, |place| place.minutes);
            (0, minutes * 60)
        }
        Action::Unlock { stage } => family
            .stages
            .get(stage)
            .map_or((0, 0), |spec| (spec.pace.usual_seconds, 15)),
        Action::InstallPackage { package } => family
            .packages
            .get(package)
            .map_or((0, 0), |spec| (spec.minutes * 60, 60)),
        Action::Wipe { way } => family
            .wipes
            .get(way)
            .map_or((0, 0), |spec| (spec.pace.usual_seconds, 15)),
        Action::SetSlot { .. } => family
            .slot_switch
            .as_ref()
            .map_or((0, 0), |spec| (spec.pace.usual_seconds, 0)),
        Action::TemporaryStart => family
            .temporary_start
            .as_ref()
            .map_or((0, 0), |spec| (spec.pace.usual_seconds, 0)),
        Action::ReadTable => (family.table.usual_seconds, 0),
        Action::Capture => (family.capture.usual_seconds, 0),
        Action::WriteRecovery => family
            .recovery_write
            .as_ref()
            .map_or((0, 0), |spec| (spec.pace.usual_seconds, 0)),
        Action::Assume { .. } => (0, 0),
    }
}

/// How long a way takes: into a system whose data was erased, as long as its first start.
pub(super) fn pace_of(spec: &MoveSpec, before: State, family: &Family) -> Pace {
    if spec.to == Mode::System && before.data == Data::Erased {
        family.first_start
    } else {
        spec.pace
    }
}

/// What `action` costs when taken in `before`.
pub(super) fn cost(action: Action, before: State, ground: Ground<'_>) -> Cost {
    let family = ground.family;
    let (waiting, hands_on) = durations(action, before, ground);
    let mut cost = Cost {
        seconds: waiting + hands_on,
        ..Cost::default()
    };
    match action {
        Action::Move { way } => {
            if let Some(spec) = family.moves.get(way) {
                cost.presses = spec.presses;
                // A forced restart comes last (N6).
                cost.risk = u16::from(spec.by == MoveBy::ForcedRestart);
            }
        }
        Action::Unlock { stage } => {
            cost.wipes = u16::from(
                family
                    .stages
                    .get(stage)
                    .is_some_and(|spec| erases_data(&spec.erases)),
            );
            cost.presses = 1;
        }
        Action::Relock { .. } => {
            cost.wipes = 1;
            cost.presses = 1;
        }
        Action::InstallPackage { package } => {
            let wipes = family.packages.get(package).is_some_and(|spec| spec.wipes);
            cost.wipes = u16::from(wipes);
            cost.presses = 4;
        }
        Action::Wipe { way } => {
            let menu = family.wipes.get(way).and_then(|spec| spec.menu.as_ref());
            cost.wipes = 1;
            cost.presses = menu.map_or(1, |menu| {
                u16::try_from(menu.presses)
                    .unwrap_or(u16::MAX)
                    .saturating_add(2)
            });
        }
        Action::Assume { .. } => cost.assumed = 1,
        Action::WriteRecovery | Action::SetSlot { .. } => cost.risk = 1,
        Action::SwitchDebuggingOn => cost.presses = 9,
        Action::SwitchFastStartOff => cost.presses = 5,
        _ => {}
    }
    cost
}
