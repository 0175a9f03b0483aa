//! What hands do, phase by phase (`N2`): which keys are down, what ends the phase, who lets go first,
//! what a missed cue looks like and the safe way to try again.

use serde::{Deserialize, Serialize};

/// A key, or what stands for one.
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
pub enum Key {
    /// Power.
    Power,
    /// Volume up.
    VolumeUp,
    /// Volume down.
    VolumeDown,
    /// Home.
    Home,
    /// The button of its dock.
    DockButton,
    /// A finger on the screen.
    Screen,
}

impl Key {
    /// All keys.
    pub const ALL: [Self; 6] = [
        Self::Power,
        Self::VolumeUp,
        Self::VolumeDown,
        Self::Home,
        Self::DockButton,
        Self::Screen,
    ];

    /// As written in facts about broken hardware; the dock's button is no part of the unit.
    #[must_use]
    pub fn part(self) -> Option<&'static str> {
        match self {
            Self::Power => Some("power-key"),
            Self::VolumeUp => Some("volume-up"),
            Self::VolumeDown => Some("volume-down"),
            Self::Home => Some("home-key"),
            Self::Screen => Some("touch"),
            Self::DockButton => None,
        }
    }

    /// In words.
    #[must_use]
    pub fn shown(self) -> &'static str {
        match self {
            Self::Power => "power",
            Self::VolumeUp => "volume up",
            Self::VolumeDown => "volume down",
            Self::Home => "home",
            Self::DockButton => "dock button",
            Self::Screen => "finger on the screen",
        }
    }
}

/// What is done in a phase.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum PhaseKind {
    /// The keys go down and stay down.
    Hold,
    /// One short press. On some screens a long one does the opposite.
    Tap,
    /// The same short press again and again.
    TapRepeatedly,
    /// From one set of keys to another, at once.
    Swap,
    /// The cable goes in.
    CableIn,
    /// The cable comes out.
    CableOut,
    /// Hands off.
    Wait,
}

/// What ends a phase.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Cue {
    /// The screen goes black.
    Black,
    /// It vibrates.
    Vibration,
    /// The maker's mark shows.
    Logo,
    /// The screen that is wanted shows, steady for two seconds.
    Steady,
    /// A warning or question shows.
    Question,
    /// The lamp changes.
    Lamp,
    /// The cable is in.
    CableIn,
    /// So many seconds have passed.
    Seconds,
}

/// One phase.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, utoipa::ToSchema)]
pub struct Phase {
    /// The keys that are down.
    pub keys: Vec<Key>,
    /// What is done with them.
    pub kind: PhaseKind,
    /// What ends it.
    pub cue: Cue,
    /// Usual seconds until the cue; exact where the cue is the seconds themselves.
    pub seconds: u32,
    /// Keys that are let go at the cue; those not named stay down.
    pub lets_go: Vec<Key>,
    /// What shows when the cue was missed.
    pub missed: String,
    /// The safe way to try again.
    pub retry: String,
}

/// A line of a menu on the device, reached by presses from the line that is highlighted (`N3`).
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Menu {
    /// The line that is highlighted when the menu shows.
    pub from: String,
    /// The line that is wanted.
    pub to: String,
    /// The key that moves the highlight.
    pub by: Key,
    /// How many presses of it.
    pub presses: u32,
    /// The key that chooses.
    pub choose: Key,
}
