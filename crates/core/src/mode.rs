//! The modes of a device and the state of its lock.

use serde::{Deserialize, Serialize};

/// What runs on the device (JOB, *Terms*).
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
pub enum Mode {
    /// Nothing.
    Off,
    /// The installed system.
    System,
    /// The bootloader's own screen.
    Bootloader,
    /// A recovery started from memory; storage is as it was.
    TemporaryRecovery,
}

impl Mode {
    /// All modes that this version plans with.
    pub const ALL: [Self; 4] = [
        Self::Off,
        Self::System,
        Self::Bootloader,
        Self::TemporaryRecovery,
    ];

    /// The id used in facts, families and on the link.
    #[must_use]
    pub fn id(self) -> &'static str {
        match self {
            Self::Off => "off",
            Self::System => "system",
            Self::Bootloader => "bootloader",
            Self::TemporaryRecovery => "temporary-recovery",
        }
    }

    /// Words for a person, fitting after "in".
    #[must_use]
    pub fn shown(self) -> &'static str {
        match self {
            Self::Off => "off",
            Self::System => "running system",
            Self::Bootloader => "bootloader mode",
            Self::TemporaryRecovery => "temporary recovery",
        }
    }

    /// The mode with this id.
    #[must_use]
    pub fn from_id(id: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|mode| mode.id() == id)
    }
}

/// Whether foreign bytes are let in.
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
pub enum Lock {
    /// Only the maker's bytes start.
    Locked,
    /// Foreign bytes start.
    Unlocked,
}

impl Lock {
    /// The id used in facts and on the link; also the word for a person.
    #[must_use]
    pub fn id(self) -> &'static str {
        match self {
            Self::Locked => "locked",
            Self::Unlocked => "unlocked",
        }
    }

    /// The state with this id.
    #[must_use]
    pub fn from_id(id: &str) -> Option<Self> {
        [Self::Locked, Self::Unlocked]
            .into_iter()
            .find(|lock| lock.id() == id)
    }
}
