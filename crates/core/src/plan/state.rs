//! The planner's view of a device.

use serde::{Deserialize, Serialize};

use crate::facts::{FactKey, Facts};
use crate::mode::{Lock, Mode, RecoveryKind};

/// A switch in the device's settings.
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
pub enum Switch {
    /// On.
    On,
    /// Off.
    Off,
}

/// Whether the owner's data is still what it was at the start of the sheet.
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
pub enum Data {
    /// As at the start.
    Kept,
    /// Erased on this sheet.
    Erased,
}

/// Whether the partition table was read on this sheet.
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
pub enum TableRead {
    /// Not yet.
    NotYet,
    /// Read.
    Read,
}

/// Whether all that exists once is captured as it is now.
#[derive(
    Debug,
    Clone,
    Copy,
    Default,
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
pub enum BackedUp {
    /// Not since the system last ran.
    #[default]
    NotYet,
    /// It is.
    Yes,
}

/// Whether the state rests on a look that has not been taken.
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
pub enum Look {
    /// All of it was seen or follows from what was seen.
    Settled,
    /// A look on the sheet was assumed to end well.
    Assumed,
}

/// What an act can change. Unknown is `None` and satisfies nothing.
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
pub struct State {
    /// What runs.
    pub mode: Option<Mode>,
    /// Lock.
    pub lock: Option<Lock>,
    /// Whether the running system takes commands from a computer.
    pub debugging: Option<Switch>,
    /// The owner's data.
    pub data: Data,
    /// The partition table.
    pub table: TableRead,
    /// What lies in the recovery partition.
    #[serde(default)]
    pub recovery: Option<RecoveryKind>,
    /// What exists once.
    #[serde(default)]
    pub backed_up: BackedUp,
    /// Packages that are still ahead on the way from build to build.
    #[serde(default)]
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
            data: Data::Kept,
            table: TableRead::NotYet,
            recovery: facts.recovery(),
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
}

impl Goal {
    /// All goals, in the order offered.
    pub const ALL: [Self; 5] = [
        Self::Unlock,
        Self::TemporaryRecovery,
        Self::ReadTable,
        Self::BackUp,
        Self::KeepRecovery,
    ];

    /// The id used in commands and in the API.
    #[must_use]
    pub fn id(self) -> &'static str {
        match self {
            Self::Unlock => "unlock",
            Self::TemporaryRecovery => "temporary-recovery",
            Self::ReadTable => "read-table",
            Self::BackUp => "back-up",
            Self::KeepRecovery => "keep-recovery",
        }
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
        }
    }
}

/// Whether something is at hand.
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
pub enum Presence {
    /// It is.
    Here,
    /// It is not.
    Missing,
}

/// What the bench has at hand for a unit.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, utoipa::ToSchema)]
pub struct Ways {
    /// A bench link to the unit.
    pub link: Presence,
    /// A recovery image that matches it.
    pub image: Presence,
}
