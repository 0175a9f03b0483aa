//! What is said of an act, and how it is done.

use serde::Serialize;

use crate::family::{Effort, Menu, Phase, PhaseKind, Question, Wipe};

/// Whether a step can be taken back.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, utoipa::ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Reversibility {
    /// The way back is another step.
    CanBeUndone,
    /// Point of no return.
    NoReturn,
}

/// Where the cable is during a step (`N4`).
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, utoipa::ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Cable {
    /// In, and it stays in.
    In,
    /// Doesn't matter.
    Either,
    /// Out.
    Out,
    /// Out, and it going in is what sets the step off.
    Trigger,
}

impl Cable {
    /// The trigger itself where a phase moves it (`N4`).
    #[must_use]
    pub fn of(phases: &[Phase]) -> Self {
        let moved = phases.iter().rev().find_map(|phase| match phase.kind {
            PhaseKind::CableIn => Some(Self::Trigger),
            PhaseKind::CableOut => Some(Self::Out),
            _ => None,
        });
        moved.unwrap_or(Self::In)
    }
}

/// What is said of an act before it is permitted.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Words {
    /// What is done.
    pub title: String,
    /// What the device asks meanwhile and how to answer, or nothing.
    pub question: Option<Question>,
    /// Seconds from which on it counts as stuck; 0 where nothing bounds it.
    pub stuck_seconds: u32,
    /// The wipe it brings.
    pub wipe: Option<Wipe>,
    /// Cable.
    pub cable: Cable,
}

impl Words {
    /// Only what is done, with the cable in.
    #[must_use]
    pub fn titled(title: impl Into<String>) -> Self {
        Self {
            title: title.into(),
            question: None,
            stuck_seconds: 0,
            wipe: None,
            cable: Cable::In,
        }
    }

    /// The same with the cable there.
    #[must_use]
    pub fn cable(self, cable: Cable) -> Self {
        Self { cable, ..self }
    }

    /// The same, stuck after so many seconds.
    #[must_use]
    pub fn stuck(self, stuck_seconds: u32) -> Self {
        Self {
            stuck_seconds,
            ..self
        }
    }
}

/// How hands do it.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct How {
    /// What a person does when no link does it.
    pub by_hand: String,
    /// The same as phases, where hands do it (`N2`).
    pub phases: Vec<Phase>,
    /// Where in a menu it is (`N3`).
    pub menu: Option<Menu>,
}

impl How {
    /// In words alone.
    #[must_use]
    pub fn said(by_hand: impl Into<String>) -> Self {
        Self {
            by_hand: by_hand.into(),
            ..Self::default()
        }
    }
}

/// What an act costs.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Price {
    /// Seconds of waiting.
    pub waiting: u32,
    /// Seconds with hands on the device.
    pub hands_on: u32,
    /// Risky acts.
    pub risk: u16,
    /// Wipes of the owner's data.
    pub wipes: u16,
    /// Key presses.
    pub presses: u16,
}

impl Price {
    /// So many seconds of waiting, with what it takes of hands.
    #[must_use]
    pub fn with_hands(waiting: u32, effort: Effort) -> Self {
        Self {
            presses: effort.presses,
            ..Self::seconds(waiting, effort.hands_on_seconds)
        }
    }

    /// Only time.
    #[must_use]
    pub fn seconds(waiting: u32, hands_on: u32) -> Self {
        Self {
            waiting,
            hands_on,
            ..Self::default()
        }
    }
}
