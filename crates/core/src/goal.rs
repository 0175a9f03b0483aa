//! What is to be reached, as conditions on a state.

use serde::{Deserialize, Serialize};

use crate::family::{BuildSpec, Family, Unlockable};
use crate::mode::{Lock, Mode, RecoveryKind, Slot};
use crate::started::is_for_a_session;
use crate::state::{Bit, State};

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
    /// The maker's whole system put on it, and started once since (`G2`, `Q13`).
    Rescue,
    /// The maker's whole system put on it, and a recovery after it, which goes back in the same go (`M13`).
    Renew,
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
            | Self::Rescue
            | Self::Renew
            | Self::SlotA
            | Self::SlotB => GoalKind::Changes,
            Self::TemporaryRecovery | Self::ReadTable | Self::BackUp => GoalKind::Reads,
            _ => GoalKind::Goes,
        }
    }

    /// All goals, in the order offered.
    pub const ALL: [Self; 17] = [
        Self::Unlock,
        Self::TemporaryRecovery,
        Self::ReadTable,
        Self::BackUp,
        Self::KeepRecovery,
        Self::Relock,
        Self::Erase,
        Self::Rescue,
        Self::Renew,
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
            | Self::Rescue
            | Self::Renew
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
            Self::Rescue => family.makers_set.is_some() || family.whole_packages().next().is_some(),
            // Where builds decide about the lock, the recovery comes after the last of them anyway. A whole set that
            // download mode takes is for a unit that nothing reads: read, it is a goal of its own.
            Self::Renew => {
                let opens = |build: &BuildSpec| build.unlockable == Unlockable::Yes;
                let is_sent = family.whole_packages().next().is_some();
                is_sent && Self::KeepRecovery.fits(family) && family.builds.iter().all(opens)
            }
            Self::SlotA | Self::SlotB => family.slot_switch.is_some(),
            Self::TemporaryRecovery => family.temporary_start.is_some(),
            Self::KeepRecovery => {
                family.recovery_write.is_some() || family.recovery_inside.is_some()
            }
            Self::ReadTable | Self::BackUp => true,
            // A mode that no way leads into is offered to nobody.
            _ => self.mode().is_some_and(|mode| {
                let mut ways = family.moves.iter();
                family.mode(mode).is_some() && ways.any(|way| way.to == mode)
            }),
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
            Self::Rescue => "rescue",
            Self::Renew => "renew",
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
            Self::TemporaryRecovery => "Start a recovery from memory",
            Self::ReadTable => "Read its partition table",
            Self::BackUp => "Back up what exists once",
            Self::KeepRecovery => "Install a recovery",
            Self::Relock => "Lock again",
            Self::Erase => "Erase the owner's data",
            Self::Rescue => "Put the maker's system back",
            Self::Renew => "Renew system and recovery",
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

    /// Words for a person, of a unit of `family`: a recovery stays where no start of the system puts the maker's
    /// back (`M11`).
    #[must_use]
    pub fn shown_on(self, family: &Family) -> &'static str {
        match self {
            Self::KeepRecovery if is_for_a_session(family) => "Install a recovery for this session",
            Self::KeepRecovery => "Install a recovery that stays",
            _ => self.shown(),
        }
    }

    /// What it is good for on a unit of `family`, in one sentence.
    #[must_use]
    pub fn good_for_on(self, family: &Family) -> &'static str {
        match self {
            Self::KeepRecovery if is_for_a_session(family) => {
                "For backups and packages now: the system's next start puts the maker's recovery back."
            }
            _ => self.good_for(),
        }
    }

    /// What it is good for, in one sentence.
    #[must_use]
    pub fn good_for(self) -> &'static str {
        match self {
            Self::Unlock => "Lets it start what its maker did not sign.",
            Self::TemporaryRecovery => {
                "Gives a computer the right to read every partition until the next start."
            }
            Self::ReadTable => "Shows which partitions this unit has, where and how long.",
            Self::BackUp => "Keeps what no download brings back.",
            Self::KeepRecovery => {
                "For installing systems and packages, and for backups at any time."
            }
            Self::Relock => "For giving it away, or for apps that ask for a locked unit.",
            Self::Erase => "For giving it away, or for a system of another generation.",
            Self::Rescue => {
                "For a unit that does not start any more: the maker's whole set or package, then a start."
            }
            Self::Renew => {
                "For a whole or newer system of the maker's: what it writes over of the recovery goes back in the same go."
            }
            Self::SlotA | Self::SlotB => "For going back to the system in the other slot.",
            Self::ToOff => "For a choreography that begins with it off, or for the shelf.",
            Self::ToSystem => "To see that it works.",
            Self::ToBootloader => {
                "Where the lock, the slots and a start from memory are commanded."
            }
            Self::ToDownload => "Where the maker's files are taken in, or a loader reads out.",
            Self::ToStockRecovery => {
                "Where the maker's packages are installed and its menu erases."
            }
            Self::ToCustomRecovery => "Where packages are installed and partitions are read.",
        }
    }

    /// What has to be so when it is reached: first what the goal is, then what proves it.
    #[must_use]
    pub fn rows(self) -> Vec<Bit> {
        // No job ends without a start of the system (Q13).
        let started = Bit::InMode(Mode::System);
        match self {
            Self::Unlock => vec![Bit::Lock(Lock::Unlocked), started, Bit::Legs(1)],
            Self::TemporaryRecovery => vec![Bit::InMode(Mode::TemporaryRecovery)],
            Self::ReadTable => vec![Bit::TableRead],
            Self::BackUp => vec![Bit::BackedUp],
            Self::KeepRecovery => vec![
                Bit::Recovery(RecoveryKind::Custom),
                Bit::InMode(Mode::CustomRecovery),
                // It comes after the last package, which wants what is the maker's untouched (M11).
                Bit::Legs(1),
            ],
            Self::Relock => vec![Bit::Lock(Lock::Locked), started],
            Self::Erase => vec![Bit::Erased, started],
            Self::Rescue => vec![Bit::MakersLaid, started],
            Self::Renew => vec![
                Bit::MakersLaid,
                Bit::Recovery(RecoveryKind::Custom),
                Bit::InMode(Mode::CustomRecovery),
            ],
            Self::SlotA | Self::SlotB => self
                .slot()
                .map(Bit::Slot)
                .into_iter()
                .chain([started])
                .collect(),
            _ => self.mode().map(Bit::InMode).into_iter().collect(),
        }
    }

    /// Whether `state` is the goal.
    #[must_use]
    pub fn is_reached(self, state: State) -> bool {
        let mut rows = self.rows().into_iter().peekable();
        rows.peek().is_some() && rows.all(|row| row.holds(state))
    }

    /// Why the step is there that brings `row`, which the goal lacks without it.
    #[must_use]
    pub fn because(self, row: Bit) -> &'static str {
        if row != Bit::InMode(Mode::System) || self.mode().is_some() {
            return "This is the goal.";
        }
        match self {
            Self::Relock => {
                "The locked start must be seen before the switch may go off; until then it is the way back."
            }
            _ => "A start of the system proves that the unit still works; no job ends without one.",
        }
    }

    /// The lock that must have been seen before it counts as reached (`L3`).
    #[must_use]
    pub fn lock(self) -> Option<Lock> {
        self.rows().into_iter().find_map(|row| match row {
            Bit::Lock(lock) => Some(lock),
            _ => None,
        })
    }
}
