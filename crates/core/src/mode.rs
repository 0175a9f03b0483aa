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
    /// The maker's own screen for taking in files from a computer.
    Download,
    /// A recovery started from memory; storage is as it was.
    TemporaryRecovery,
    /// The maker's recovery, from its partition.
    StockRecovery,
    /// Another recovery, from its partition.
    CustomRecovery,
}

impl Mode {
    /// All modes that this version plans with.
    pub const ALL: [Self; 7] = [
        Self::Off,
        Self::System,
        Self::Bootloader,
        Self::Download,
        Self::TemporaryRecovery,
        Self::StockRecovery,
        Self::CustomRecovery,
    ];

    /// The id used in facts, families and on the link.
    #[must_use]
    pub fn id(self) -> &'static str {
        match self {
            Self::Off => "off",
            Self::System => "system",
            Self::Bootloader => "bootloader",
            Self::Download => "download",
            Self::TemporaryRecovery => "temporary-recovery",
            Self::StockRecovery => "stock-recovery",
            Self::CustomRecovery => "custom-recovery",
        }
    }

    /// Words for a person, fitting after "in".
    #[must_use]
    pub fn shown(self) -> &'static str {
        match self {
            Self::Off => "off",
            Self::System => "running system",
            Self::Bootloader => "bootloader mode",
            Self::Download => "download mode",
            Self::TemporaryRecovery => "temporary recovery",
            Self::StockRecovery => "stock recovery",
            Self::CustomRecovery => "custom recovery",
        }
    }

    /// Whether a link has the rights to read partitions here (`B1`).
    #[must_use]
    pub fn reads_partitions(self) -> bool {
        matches!(self, Self::TemporaryRecovery | Self::CustomRecovery)
    }

    /// The mode with this id.
    #[must_use]
    pub fn from_id(id: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|mode| mode.id() == id)
    }
}

/// What lies in the recovery partition.
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
pub enum RecoveryKind {
    /// The maker's.
    Stock,
    /// Another.
    Custom,
}

impl RecoveryKind {
    /// The id used in facts.
    #[must_use]
    pub fn id(self) -> &'static str {
        match self {
            Self::Stock => "stock",
            Self::Custom => "custom",
        }
    }

    /// The kind with this id.
    #[must_use]
    pub fn from_id(id: &str) -> Option<Self> {
        [Self::Stock, Self::Custom]
            .into_iter()
            .find(|kind| kind.id() == id)
    }

    /// The mode that it runs as.
    #[must_use]
    pub fn mode(self) -> Mode {
        match self {
            Self::Stock => Mode::StockRecovery,
            Self::Custom => Mode::CustomRecovery,
        }
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

/// One of two places that a system can lie in and start from.
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
pub enum Slot {
    /// The first.
    A,
    /// The second.
    B,
}

impl Slot {
    /// Both.
    pub const ALL: [Self; 2] = [Self::A, Self::B];

    /// The id used in facts, on the link and at the end of labels.
    #[must_use]
    pub fn id(self) -> &'static str {
        match self {
            Self::A => "a",
            Self::B => "b",
        }
    }

    /// The slot with this id.
    #[must_use]
    pub fn from_id(id: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|slot| slot.id() == id)
    }
}
