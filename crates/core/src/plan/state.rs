//! The planner's view of a device.

use serde::{Deserialize, Serialize};

use crate::facts::{FactKey, FactValue, Facts};
use crate::family::{Family, Key};
use crate::mode::{Lock, Mode, RecoveryKind, Slot};

/// A switch in the device's settings.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, utoipa::ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Switch {
    /// On.
    On,
    /// Off.
    Off,
}

/// Whether the owner's data is still what it was at the start of the sheet.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, utoipa::ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Data {
    /// As at the start.
    Kept,
    /// Erased on this sheet.
    Erased,
}

/// Whether the partition table was read on this sheet.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, utoipa::ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum TableRead {
    /// Not yet.
    NotYet,
    /// Read.
    Read,
}

/// Whether all that exists once is captured as it is now.
#[derive(
    Debug, Clone, Copy, Default, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, utoipa::ToSchema,
)]
#[serde(rename_all = "kebab-case")]
pub enum BackedUp {
    /// Not since the system last ran.
    #[default]
    NotYet,
    /// It is.
    Yes,
}

/// Whether the state rests on a look that has not been taken.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, utoipa::ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Look {
    /// All of it was seen or follows from what was seen.
    Settled,
    /// A look on the sheet was assumed to end well.
    Assumed,
}

/// Keys that don't work, as a set. An action that needs one is not planned (`N2`).
#[derive(
    Debug, Clone, Copy, Default, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, utoipa::ToSchema,
)]
#[serde(transparent)]
pub struct Broken(u8);

impl Broken {
    /// What is known to be broken. A dead screen takes the touch along.
    #[must_use]
    pub fn from_facts(facts: &Facts) -> Self {
        let Some(FactValue::Many(parts)) = facts.known(FactKey::Broken).map(|row| &row.value)
        else {
            return Self::default();
        };
        let is_broken = |key: &Key| {
            let dead_screen = *key == Key::Screen && parts.contains(&"screen");
            dead_screen || key.part().is_some_and(|name| parts.contains(&name))
        };
        Self::of(Key::ALL.into_iter().filter(is_broken))
    }

    /// The set of these keys.
    #[must_use]
    pub fn of(keys: impl IntoIterator<Item = Key>) -> Self {
        Self(keys.into_iter().fold(0, |set, key| set | Self::bit(key)))
    }

    /// The first of these keys that doesn't work.
    #[must_use]
    pub fn first_of(self, keys: impl IntoIterator<Item = Key>) -> Option<Key> {
        keys.into_iter().find(|key| self.0 & Self::bit(*key) != 0)
    }

    /// The keys of the set.
    pub fn keys(self) -> impl Iterator<Item = Key> {
        let is_in = move |key: &Key| self.0 & Self::bit(*key) != 0;
        Key::ALL.into_iter().filter(is_in)
    }

    fn bit(key: Key) -> u8 {
        1 << (key as u8)
    }
}

/// What an act can change. Unknown is `None` and satisfies nothing.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, utoipa::ToSchema)]
pub struct State {
    /// What runs.
    pub mode: Option<Mode>,
    /// Lock.
    pub lock: Option<Lock>,
    /// Whether the running system takes commands from a computer.
    pub debugging: Option<Switch>,
    /// Whether *off* is only half sleep, where the family has that.
    pub fast_start: Option<Switch>,
    /// The owner's data.
    pub data: Data,
    /// The partition table.
    pub table: TableRead,
    /// What lies in the recovery partition.
    pub recovery: Option<RecoveryKind>,
    /// What exists once.
    pub backed_up: BackedUp,
    /// Lock of the critical partitions, where the family has that stage.
    pub critical: Option<Lock>,
    /// The active slot, where there are two.
    pub slot: Option<Slot>,
    /// Keys that don't work.
    pub broken: Broken,
    /// Packages that are still ahead on the way from build to build.
    pub legs_ahead: u8,
    /// Whether something was assumed.
    pub look: Look,
}

const _: () = assert!(
    size_of::<State>() <= 16,
    "the search copies states by the thousand"
);

impl State {
    /// The state that the facts known now add up to, at the start of a sheet.
    #[must_use]
    pub fn from_facts(facts: &Facts) -> Self {
        Self {
            mode: facts.mode(),
            lock: facts.lock(),
            debugging: match facts.choice(FactKey::Debugging) {
                Some("on") => Some(Switch::On),
                Some("off") => Some(Switch::Off),
                _ => None,
            },
            fast_start: match facts.choice(FactKey::FastStart) {
                Some("on") => Some(Switch::On),
                Some("off") => Some(Switch::Off),
                _ => None,
            },
            data: Data::Kept,
            table: TableRead::NotYet,
            recovery: facts.recovery(),
            critical: facts.choice(FactKey::CriticalLock).and_then(Lock::from_id),
            slot: facts.choice(FactKey::Slot).and_then(Slot::from_id),
            broken: Broken::from_facts(facts),
            backed_up: BackedUp::NotYet,
            legs_ahead: 0,
            look: Look::Settled,
        }
    }
}

/// What is to be reached.
#[derive(
    Debug,
    Clone,
    Copy,
    PartialEq,
    Eq,
    PartialOrd,
    Ord,
    Hash,
    Serialize,
    Deserialize,
    utoipa::ToSchema,
)]
#[serde(rename_all = "kebab-case")]
pub enum Goal {
    /// Unlocked, and the system started once since (`Q13`).
    Unlock,
    /// A recovery started from memory.
    TemporaryRecovery,
    /// The partition table read from such a recovery.
    ReadTable,
    /// Everything that exists once captured (`B3`).
    BackUp,
    /// A recovery in its partition, seen running.
    KeepRecovery,
    /// Locked, and the locked start seen (`R6`).
    Relock,
    /// The owner's data erased, and the system started once since (`G5`, `Q13`).
    Erase,
    /// Slot a active, and the system started from it (`G5`, `Q13`).
    SlotA,
    /// Slot b active, and the system started from it.
    SlotB,
    /// Switched off.
    ToOff,
    /// The running system.
    ToSystem,
    /// Bootloader mode.
    ToBootloader,
    /// Download mode.
    ToDownload,
    /// The maker's recovery.
    ToStockRecovery,
    /// Another recovery, from its partition.
    ToCustomRecovery,
}

/// What a goal comes to.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, utoipa::ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum GoalKind {
    /// The unit is another one after: lock, data or recovery.
    Changes,
    /// Read, and left as it is.
    Reads,
    /// Brought to a mode.
    Goes,
}

impl Goal {
    /// What it comes to.
    #[must_use]
    pub fn kind(self) -> GoalKind {
        match self {
            Self::Unlock
            | Self::KeepRecovery
            | Self::Relock
            | Self::Erase
            | Self::SlotA
            | Self::SlotB => GoalKind::Changes,
            Self::TemporaryRecovery | Self::ReadTable | Self::BackUp => GoalKind::Reads,
            _ => GoalKind::Goes,
        }
    }

    /// All goals, in the order offered.
    pub const ALL: [Self; 15] = [
        Self::Unlock,
        Self::TemporaryRecovery,
        Self::ReadTable,
        Self::BackUp,
        Self::KeepRecovery,
        Self::Relock,
        Self::Erase,
        Self::SlotA,
        Self::SlotB,
        Self::ToOff,
        Self::ToSystem,
        Self::ToBootloader,
        Self::ToDownload,
        Self::ToStockRecovery,
        Self::ToCustomRecovery,
    ];

    /// The mode that it is to be brought to, for goals that are no more than that.
    #[must_use]
    pub fn mode(self) -> Option<Mode> {
        match self {
            Self::ToOff => Some(Mode::Off),
            Self::ToSystem => Some(Mode::System),
            Self::ToBootloader => Some(Mode::Bootloader),
            Self::ToDownload => Some(Mode::Download),
            Self::ToStockRecovery => Some(Mode::StockRecovery),
            Self::ToCustomRecovery => Some(Mode::CustomRecovery),
            Self::Unlock
            | Self::TemporaryRecovery
            | Self::ReadTable
            | Self::BackUp
            | Self::KeepRecovery
            | Self::Relock
            | Self::Erase
            | Self::SlotA
            | Self::SlotB => None,
        }
    }

    /// The slot that is to be active, for goals that are about one.
    #[must_use]
    pub fn slot(self) -> Option<Slot> {
        match self {
            Self::SlotA => Some(Slot::A),
            Self::SlotB => Some(Slot::B),
            _ => None,
        }
    }

    /// Whether units of `family` can have it at all.
    #[must_use]
    pub fn fits(self, family: &Family) -> bool {
        match self {
            Self::Unlock => !family.stages.is_empty(),
            Self::Relock => family.relock.act.is_some(),
            Self::Erase => !family.wipes.is_empty(),
            Self::SlotA | Self::SlotB => family.slot_switch.is_some(),
            Self::TemporaryRecovery => family.temporary_start.is_some(),
            Self::KeepRecovery => family.recovery_write.is_some(),
            Self::ReadTable | Self::BackUp => true,
            _ => self.mode().is_some_and(|mode| family.mode(mode).is_some()),
        }
    }

    /// The id used in commands and in the API.
    #[must_use]
    pub fn id(self) -> &'static str {
        match self {
            Self::Unlock => "unlock",
            Self::TemporaryRecovery => "temporary-recovery",
            Self::ReadTable => "read-table",
            Self::BackUp => "back-up",
            Self::KeepRecovery => "keep-recovery",
            Self::Relock => "relock",
            Self::Erase => "erase",
            Self::SlotA => "slot-a",
            Self::SlotB => "slot-b",
            Self::ToOff => "to-off",
            Self::ToSystem => "to-system",
            Self::ToBootloader => "to-bootloader",
            Self::ToDownload => "to-download",
            Self::ToStockRecovery => "to-stock-recovery",
            Self::ToCustomRecovery => "to-custom-recovery",
        }
    }

    /// The goal with this id.
    #[must_use]
    pub fn from_id(id: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|goal| goal.id() == id)
    }

    /// Words for a person.
    #[must_use]
    pub fn shown(self) -> &'static str {
        match self {
            Self::Unlock => "Unlock",
            Self::TemporaryRecovery => "Start a recovery, writing nothing",
            Self::ReadTable => "Start a recovery and read the partition table",
            Self::BackUp => "Back up what exists once",
            Self::KeepRecovery => "Install a recovery that stays",
            Self::Relock => "Lock again",
            Self::Erase => "Erase the owner's data",
            Self::SlotA => "Start from slot a",
            Self::SlotB => "Start from slot b",
            Self::ToOff => "Switch it off",
            Self::ToSystem => "Start the system",
            Self::ToBootloader => "Go to bootloader mode",
            Self::ToDownload => "Go to download mode",
            Self::ToStockRecovery => "Go to the maker's recovery",
            Self::ToCustomRecovery => "Go to the custom recovery",
        }
    }

    /// Whether `state` is the goal.
    #[must_use]
    pub fn is_reached(self, state: State) -> bool {
        match self {
            Self::Unlock => {
                state.lock == Some(Lock::Unlocked)
                    && state.mode == Some(Mode::System)
                    && state.legs_ahead == 0
            }
            Self::TemporaryRecovery => state.mode == Some(Mode::TemporaryRecovery),
            Self::ReadTable => state.table == TableRead::Read,
            Self::BackUp => state.backed_up == BackedUp::Yes,
            Self::KeepRecovery => {
                state.mode == Some(Mode::CustomRecovery)
                    && state.recovery == Some(RecoveryKind::Custom)
            }
            Self::Relock => state.lock == Some(Lock::Locked) && state.mode == Some(Mode::System),
            Self::Erase => state.data == Data::Erased && state.mode == Some(Mode::System),
            Self::SlotA | Self::SlotB => {
                state.slot == self.slot() && state.mode == Some(Mode::System)
            }
            _ => self.mode().is_some() && state.mode == self.mode(),
        }
    }
}

/// Whether something is at hand.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, utoipa::ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Presence {
    /// It is.
    Here,
    /// It is not.
    Missing,
}

/// What the bench has at hand for a unit.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct Ways {
    /// A bench link to the unit.
    pub link: Presence,
    /// A recovery image that matches it.
    pub image: Presence,
}
