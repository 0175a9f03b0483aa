//! What a step of a sheet does, as it is shown, stored and performed: by the family's own ids, never by a
//! place in one of its lists, so that a sheet means the same under another text of the family.

use serde::Serialize;

use super::action::Action;
use crate::family::Family;
use crate::mode::{Lock, Mode, Slot};

/// What a step does.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
#[serde(tag = "kind", rename_all = "kebab-case")]
pub enum Act {
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
    /// See whether the critical partitions are locked; `hoped` as above (`L2`).
    LookAtCriticalLock {
        /// Assumed outcome.
        hoped: Lock,
    },
    /// Go to another mode.
    Move {
        /// Id of the family's way ([`Family::way`]).
        way: String,
    },
    /// Let the computer command the running system.
    SwitchDebuggingOn,
    /// See to it that *off* is off (`N5`).
    SwitchFastStartOff,
    /// Open a stage of the lock.
    Unlock {
        /// Id of the stage.
        stage: String,
    },
    /// Close a stage of the lock again.
    Relock {
        /// Id of the stage.
        stage: String,
    },
    /// Erase the owner's data.
    Wipe {
        /// Id of the family's way of erasing.
        way: String,
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
        /// Its name.
        package: String,
    },
}

impl Act {
    /// What the search found, by the family's ids; nothing for what is only assumed.
    pub(super) fn of(action: Action, family: &Family) -> Option<Self> {
        Some(match action {
            Action::LookAtMode { hoped } => Self::LookAtMode { hoped },
            Action::LookAtLock { hoped } => Self::LookAtLock { hoped },
            Action::LookAtCriticalLock { hoped } => Self::LookAtCriticalLock { hoped },
            Action::Move { way } => Self::Move {
                way: family.moves.get(way)?.id.clone(),
            },
            Action::SwitchDebuggingOn => Self::SwitchDebuggingOn,
            Action::SwitchFastStartOff => Self::SwitchFastStartOff,
            Action::Unlock { stage } => Self::Unlock {
                stage: family.stages.get(stage)?.id.clone(),
            },
            Action::Relock { stage } => Self::Relock {
                stage: family.relock.order.get(stage)?.clone(),
            },
            Action::Wipe { way } => Self::Wipe {
                way: family.wipes.get(way)?.id.clone(),
            },
            Action::SetSlot { slot } => Self::SetSlot { slot },
            Action::TemporaryStart => Self::TemporaryStart,
            Action::ReadTable => Self::ReadTable,
            Action::Capture => Self::Capture,
            Action::WriteRecovery => Self::WriteRecovery,
            Action::InstallPackage { package } => Self::InstallPackage {
                package: family.packages.get(package)?.name.clone(),
            },
            Action::Assume { .. } => return None,
        })
    }

    /// Whether it only finds out what is not known.
    #[must_use]
    pub fn is_look(&self) -> bool {
        matches!(
            self,
            Self::LookAtMode { .. } | Self::LookAtLock { .. } | Self::LookAtCriticalLock { .. }
        )
    }
}
