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

    /// The mode with this id.
    #[must_use]
    pub fn from_id(id: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|mode| mode.id() == id)
    }
}

/// Some of the modes.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Modes(u8);

impl Modes {
    /// Whether it is one of them.
    #[must_use]
    pub fn has(self, mode: Mode) -> bool {
        Mode::ALL
            .into_iter()
            .zip(0..)
            .any(|(one, nth)| one == mode && self.0 & (1 << nth) != 0)
    }

    /// All of them, in the order of modes.
    pub fn iter(self) -> impl Iterator<Item = Mode> {
        Mode::ALL.into_iter().filter(move |mode| self.has(*mode))
    }

    /// Words for a person, fitting after "in"; nothing where there is none.
    #[must_use]
    pub fn shown(self) -> Option<String> {
        let words: Vec<&str> = self.iter().map(Mode::shown).collect();
        (!words.is_empty()).then(|| words.join(" or "))
    }
}

impl FromIterator<Mode> for Modes {
    fn from_iter<I: IntoIterator<Item = Mode>>(modes: I) -> Self {
        let bit = |mode| {
            let nth = Mode::ALL.into_iter().zip(0..).find(|(one, _)| *one == mode);
            nth.map_or(0, |(_, nth)| 1 << nth)
        };
        Self(modes.into_iter().map(bit).fold(0, |all, one| all | one))
    }
}

/// Where a unit's partitions can be read (`B1`).
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize)]
pub struct Readable {
    /// Modes that give the right by themselves; nothing changes there meanwhile.
    pub at_rest: Modes,
    /// Whether the running system gives it, to whoever has administrator rights.
    pub live: LiveReads,
}

/// Under which lock administrator rights on the running system let one read; what is read is live.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum LiveReads {
    /// Under none that this family knows.
    Never,
    /// While it is unlocked.
    Unlocked,
    /// Under any.
    Always,
}

impl Serialize for Modes {
    fn serialize<S: serde::Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.collect_seq(self.iter())
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
