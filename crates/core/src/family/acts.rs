//! What can be done to a unit of a family: ways between modes, opening and closing the lock, starting and
//! writing a recovery, erasing.

use serde::{Deserialize, Serialize};
use veritope_wire::Label;

use super::{Again, Key, Menu, Method, Phase, Replaces, Role, RouteLock};
use crate::facts::FactKey;
use crate::mode::Mode;

/// How a mode is left for another.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum MoveBy {
    /// A command over the link.
    Link,
    /// Keys, as meant by the maker.
    Keys,
    /// Forced restart; last choice (`N6`).
    ForcedRestart,
}

impl MoveBy {
    /// The id used in the names of ways.
    #[must_use]
    pub fn id(self) -> &'static str {
        match self {
            Self::Link => "link",
            Self::Keys => "keys",
            Self::ForcedRestart => "forced-restart",
        }
    }
}

/// Usual and stuck duration in seconds.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, utoipa::ToSchema)]
pub struct Pace {
    /// What it usually takes.
    pub usual_seconds: u32,
    /// From when on it counts as stuck.
    pub stuck_seconds: u32,
}

/// What an act takes of hands.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Effort {
    /// Seconds with hands on the device.
    pub hands_on_seconds: u32,
    /// Key presses.
    pub presses: u16,
}

/// One way from a mode to another.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct MoveSpec {
    /// Its id, by which sheets name it: the file's, or `from-to-to-by-how`.
    pub id: String,
    /// From here.
    pub from: Mode,
    /// To there.
    pub to: Mode,
    /// How.
    pub by: MoveBy,
    /// Whether the system must let the computer command it.
    pub needs_debugging: bool,
    /// How long.
    pub pace: Pace,
    /// What it takes of hands.
    pub effort: Effort,
    /// What a person does when there is no link.
    pub hand: String,
    /// The same as phases, where hands do it (`N2`).
    pub phases: Vec<Phase>,
    /// Where in a menu it is, counted from the highlight (`N3`).
    pub menu: Option<Menu>,
}

impl MoveSpec {
    /// The id of a way that was given none.
    #[must_use]
    pub fn usual_id(from: Mode, to: Mode, by: MoveBy) -> String {
        format!("{}-to-{}-by-{}", from.id(), to.id(), by.id())
    }
}

/// How commands from a computer are let in.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct DebuggingSpec {
    /// Menu path in words.
    pub hand: String,
    /// What it takes.
    pub minutes: u32,
    /// Key presses.
    pub presses: u16,
}

/// A question on the device's own screen.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct Question {
    /// As the device shows it.
    pub text: String,
    /// The highlighted answer.
    pub default: String,
    /// How to answer for this step, in words.
    pub answer: String,
    /// The same as keys or a touch; nothing where a file of before schema 6 words it alone.
    pub yes: Option<Yes>,
}

/// How a unit is told yes.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
#[serde(tag = "by", rename_all = "kebab-case")]
pub enum Yes {
    /// By presses from the answer that is highlighted (`N3`).
    Menu {
        /// Its way.
        menu: Menu,
    },
    /// By one press of a key.
    Tap {
        /// The key.
        key: Key,
    },
    /// By a touch.
    Touch {
        /// The words that are touched.
        on: String,
    },
}

impl Yes {
    /// The keys that it takes; a finger on the screen is one.
    #[must_use]
    pub fn keys(&self) -> Vec<Key> {
        match self {
            Self::Menu { menu } if menu.presses == 0 => vec![menu.choose],
            Self::Menu { menu } => vec![menu.by, menu.choose],
            Self::Tap { key } => vec![*key],
            Self::Touch { .. } => vec![Key::Screen],
        }
    }

    /// In words, with the answer that stands there until then.
    #[must_use]
    pub fn said(&self, default: &str) -> String {
        match self {
            Self::Menu { menu } => menu.said(),
            Self::Tap { key } => format!(
                "It asks on its own screen. Press {} once more to say yes; without that it stays at {default}.",
                key.shown()
            ),
            Self::Touch { on } => format!(
                "It asks on its own screen; its default answer is {default}. Touch {on} to go on."
            ),
        }
    }
}

/// One stage of unlocking.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct StageSpec {
    /// Its id.
    pub id: String,
    /// Words for it.
    pub title: String,
    /// The same with the unit's name, for which `{unit}` stands.
    pub label: Option<String>,
    /// The mode that takes the command.
    pub mode: Mode,
    /// How it is opened.
    pub method: Method,
    /// Roles that only this stage lets be written; empty for a stage that every plan needs (`L2`).
    pub only_for: Vec<Role>,
    /// Whether the switch in the settings must be on.
    pub needs_toggle: bool,
    /// Command forms in the order to try (`L1`).
    pub forms: Vec<String>,
    /// What the device asks, and where it asks.
    pub question: Option<Question>,
    /// What a person does without a link.
    pub hand: String,
    /// Roles erased at that moment.
    pub erases: Vec<Role>,
    /// Partitions that exist once and that it destroys all the same (`B5`).
    pub destroys: Vec<Label>,
    /// The mode it ends in.
    pub ends_in: Mode,
    /// How long.
    pub pace: Pace,
    /// What it takes of hands.
    pub effort: Effort,
    /// The press as phases, where hands do it (`N2`).
    pub phases: Vec<Phase>,
}

/// Starting an image from memory.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct TemporaryStartSpec {
    /// The mode that takes it.
    pub from: Mode,
    /// How long.
    pub pace: Pace,
    /// The rights that the link has then.
    pub rights: String,
    /// The partition that the image would fit.
    pub partition: Label,
    /// What a person does without a link.
    pub hand: String,
}

/// Writing a recovery to its partition.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct RecoveryWriteSpec {
    /// The mode that takes it.
    pub mode: Mode,
    /// The partition it goes to (`M3`).
    pub partition: Label,
    /// In which form it is taken (`M4`).
    pub container: Container,
    /// What is written in the same go (`M9`).
    pub companions: Vec<Companion>,
    /// How long.
    pub pace: Pace,
    /// What a person does without a link.
    pub hand: String,
}

/// Putting a recovery inside an image that starts the system too (`M3`, `M12`): its ramdisk takes the place of
/// the one there, everything else stays the unit's own.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct RecoveryInsideSpec {
    /// The mode that writes it.
    pub mode: Mode,
    /// The partition whose image holds it, without its slot.
    pub base: Label,
    /// The same in each slot, in the table's order.
    pub partitions: Vec<Label>,
    /// What its ramdisk takes the place of.
    pub replaces: Replaces,
    /// How long.
    pub pace: Pace,
    /// What a person does without a link.
    pub hand: String,
}

/// A recovery that runs from memory installs itself (`M12`), so that nothing puts the maker's back (`M11`).
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct InstallWithinSpec {
    /// The mode that does it.
    pub mode: Mode,
    /// Where it writes itself: the recovery's own partition.
    pub partition: Label,
    /// The partitions of the system that it changes for that.
    pub changes: Vec<Label>,
    /// How long.
    pub pace: Pace,
    /// What it takes of hands.
    pub effort: Effort,
    /// Where in its menu.
    pub hand: String,
}

/// Taking in the maker's whole set (`G2`, `G4`): an archive whose members' names decide where the bytes land.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct MakersSetSpec {
    /// The mode that takes it; the unit stays in it.
    pub mode: Mode,
    /// How long.
    pub pace: Pace,
    /// What it takes of hands.
    pub effort: Effort,
    /// What a person does without a link.
    pub hand: String,
}

/// In which form a route takes a recovery.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub enum Container {
    /// The image itself.
    #[default]
    Image,
    /// A tar, whose members' names decide where the bytes land.
    Tar {
        /// The name of the recovery's member.
        member: String,
    },
}

/// What is written in the same go as a recovery (`M9`).
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Companion {
    /// Where it goes.
    pub partition: Label,
    /// Its member's name, where a tar is taken.
    pub member: String,
    /// What it is made of.
    pub made: CompanionMade,
    /// Whether the owner's data can't be read after it: it counts as an erase (`Q9`).
    pub eats_data: bool,
}

/// What a companion is made of.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum CompanionMade {
    /// The stock metadata of this very unit's build, its two switches set.
    #[default]
    OwnSwitched,
    /// Metadata that describes nothing, its two switches set.
    Empty,
}

/// How it is locked again.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct RelockSpec {
    /// Whether it can be unlocked again after.
    pub again: Again,
    /// Stages in the order in which they are closed (`R6`).
    pub order: Vec<String>,
    /// How, in words.
    pub hand: String,
    /// The act, where the file says enough to plan it.
    pub act: Option<RelockAct>,
}

/// The act of locking.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct RelockAct {
    /// The mode that takes it.
    pub mode: Mode,
    /// How.
    pub method: Method,
    /// Command forms in the order to try (`L1`).
    pub forms: Vec<String>,
    /// What the device asks.
    pub question: Option<Question>,
    /// The mode it ends in.
    pub ends_in: Mode,
    /// How long.
    pub pace: Pace,
    /// What it takes of hands.
    pub effort: Effort,
    /// The press as phases, where hands do it (`N2`).
    pub phases: Vec<Phase>,
}

/// A wipe by its name (JOB, *Terms*).
#[derive(
    Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, utoipa::ToSchema,
)]
#[serde(rename_all = "kebab-case")]
pub enum Wipe {
    /// Loses apps and settings.
    Data,
    /// Loses all internal storage and its encryption key.
    FormatData,
}

/// Erasing the owner's data (`G5`).
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct WipeSpec {
    /// Its id.
    pub id: String,
    /// Words for it.
    pub title: String,
    /// The same with the unit's name, for which `{unit}` stands.
    pub label: Option<String>,
    /// Which wipe it is.
    pub wipe: Wipe,
    /// The mode that takes it.
    pub mode: Mode,
    /// The lock that it wants.
    pub lock: RouteLock,
    /// Whether the link has a command for it, or hands choose it on the device.
    pub by: MoveBy,
    /// What the device asks, where it asks.
    pub question: Option<Question>,
    /// Roles whose partitions it erases.
    pub erases: Vec<Role>,
    /// The mode that the unit is in after.
    pub ends_in: Mode,
    /// How long.
    pub pace: Pace,
    /// What it takes of hands.
    pub effort: Effort,
    /// What a person does without a link.
    pub hand: String,
    /// Where in a menu it is, counted from the highlight (`N3`).
    pub menu: Option<Menu>,
}

/// Making the other slot the active one (`G5`), by a command over the link.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SlotSwitchSpec {
    /// The mode that takes it; the unit stays in it.
    pub mode: Mode,
    /// How long.
    pub pace: Pace,
    /// What a person does without a link.
    pub hand: String,
}

/// Restarting it by force, whatever it does (`N6`).
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ForcedRestart {
    /// The keys that it takes.
    pub keys: Vec<Key>,
    /// How.
    pub hand: String,
}

/// What must be read of a unit before anything foreign is written to it (`L5`).
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct BeforeForeign {
    /// What is read.
    pub key: FactKey,
    /// What it must say.
    pub value: String,
    /// Why.
    pub reason: String,
}
