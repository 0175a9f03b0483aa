//! The facts that can be known, with their kind, and what makes each stale.

use serde::{Deserialize, Serialize};

use super::Happening;

/// What a fact is about.
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
pub enum FactKey {
    /// The model code printed on the unit; every letter counts.
    ModelCode,
    /// The family's codename, as the unit itself reports it.
    Codename,
    /// Serial number.
    Serial,
    /// Identifier burnt into the chip, which no erase reaches.
    ChipId,
    /// Full build string.
    Build,
    /// Mode now.
    Mode,
    /// State of the lock.
    Lock,
    /// What lies in the recovery partition.
    Recovery,
    /// Battery charge.
    Battery,
    /// Accounts signed in on the unit.
    Accounts,
    /// Screen lock.
    ScreenLock,
    /// Whether the system lets a computer command it.
    Debugging,
    /// Whose unit it is.
    Ownership,
}

/// One answer of a choice.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct FactOption {
    /// The id stored.
    pub id: &'static str,
    /// Words for a person.
    pub shown: &'static str,
}

/// What values a fact can have.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum FactKind {
    /// Any short text.
    Text,
    /// A text that tells one unit from all others; masked when shown (`K3`).
    Identifier,
    /// A whole number up to the given one.
    Count(u32),
    /// Whole per cent, 0 to 100.
    Percent,
    /// One of these.
    Choice(&'static [FactOption]),
}

/// What holds for a key.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct FactSpec {
    /// Words for a person.
    pub title: &'static str,
    /// What values it can have.
    pub kind: FactKind,
    /// What voids it (`K5`).
    pub stale_on: &'static [Happening],
    /// Whether two sources that differ contradict each other. A battery differs with time alone.
    pub steady: bool,
}

const fn option(id: &'static str, shown: &'static str) -> FactOption {
    FactOption { id, shown }
}

const ON_OFF: &[FactOption] = &[option("on", "on"), option("off", "off")];
const LOCKS: &[FactOption] = &[option("locked", "locked"), option("unlocked", "unlocked")];
const MODES: &[FactOption] = &[
    option("off", "off"),
    option("system", "running system"),
    option("bootloader", "bootloader mode"),
    option("temporary-recovery", "temporary recovery"),
    option("stock-recovery", "stock recovery"),
    option("custom-recovery", "custom recovery"),
];
const RECOVERIES: &[FactOption] = &[
    option("stock", "the maker's"),
    option("custom", "another one"),
];
const OWNERS: &[FactOption] = &[
    option("mine", "mine"),
    option("asked", "I am asked to work on it by its owner"),
    option("neither", "neither, or not known"),
];

impl FactKey {
    /// Every key.
    pub const ALL: [Self; 13] = [
        Self::ModelCode,
        Self::Codename,
        Self::Serial,
        Self::ChipId,
        Self::Build,
        Self::Mode,
        Self::Lock,
        Self::Recovery,
        Self::Battery,
        Self::Accounts,
        Self::ScreenLock,
        Self::Debugging,
        Self::Ownership,
    ];

    /// The id used in files, in the API and on the link.
    #[must_use]
    pub fn id(self) -> &'static str {
        match self {
            Self::ModelCode => "model-code",
            Self::Codename => "codename",
            Self::Serial => "serial",
            Self::ChipId => "chip-id",
            Self::Build => "build",
            Self::Mode => "mode",
            Self::Lock => "lock",
            Self::Recovery => "recovery",
            Self::Battery => "battery",
            Self::Accounts => "accounts",
            Self::ScreenLock => "screen-lock",
            Self::Debugging => "debugging",
            Self::Ownership => "ownership",
        }
    }

    /// The key with this id.
    #[must_use]
    pub fn from_id(id: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|key| key.id() == id)
    }

    /// What holds for this key.
    #[must_use]
    pub fn spec(self) -> FactSpec {
        use FactKind::{Choice, Count, Identifier, Percent, Text};
        use Happening::{LockChanged, ModeChanged, Wiped};
        let (title, kind, stale_on): (_, _, &[Happening]) = match self {
            Self::ModelCode => ("Model code", Text, &[]),
            Self::Codename => ("Codename", Text, &[]),
            Self::Serial => ("Serial", Identifier, &[]),
            Self::ChipId => ("Chip id", Identifier, &[]),
            Self::Build => ("Build", Text, &[]),
            Self::Mode => ("Mode", Choice(MODES), &[ModeChanged]),
            Self::Lock => ("Lock", Choice(LOCKS), &[LockChanged]),
            Self::Recovery => ("Recovery partition", Choice(RECOVERIES), &[]),
            Self::Battery => ("Battery", Percent, &[]),
            Self::Accounts => ("Accounts signed in", Count(99), &[Wiped]),
            Self::ScreenLock => ("Screen lock", Choice(ON_OFF), &[Wiped]),
            Self::Debugging => ("Commands from a computer", Choice(ON_OFF), &[Wiped]),
            Self::Ownership => ("Owner", Choice(OWNERS), &[]),
        };
        FactSpec {
            title,
            kind,
            stale_on,
            steady: !matches!(self, Self::Battery | Self::Mode),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::mode::{Lock, Mode};

    #[test]
    fn ids_and_serde_agree() {
        for key in FactKey::ALL {
            assert_eq!(FactKey::from_id(key.id()), Some(key));
            let toml = toml::Value::try_from(key).unwrap();
            assert_eq!(toml.as_str(), Some(key.id()));
        }
    }

    #[test]
    fn the_choices_are_the_modes_and_locks_that_rules_know() {
        let ids = |key: FactKey| match key.spec().kind {
            FactKind::Choice(options) => options.iter().map(|o| o.id).collect::<Vec<_>>(),
            other => panic!("{other:?}"),
        };
        assert_eq!(ids(FactKey::Mode), Mode::ALL.map(Mode::id));
        assert!(
            ids(FactKey::Lock)
                .iter()
                .all(|id| Lock::from_id(id).is_some())
        );
    }
}
