//! A device's body: what eyes see of it and what hands do to it. Only stand-ins have it on their
//! bridge (`extras` lists `body`); with a real device the person has it in their own hands.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// Something that a finger can hold.
#[derive(
    Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize, ToSchema,
)]
#[serde(rename_all = "kebab-case")]
pub enum BodyKey {
    /// Power.
    Power,
    /// Volume up.
    VolumeUp,
    /// Volume down.
    VolumeDown,
    /// Home.
    Home,
    /// The button on the dock.
    DockButton,
    /// A finger that stays on the screen.
    Screen,
}

impl BodyKey {
    /// All of them.
    pub const ALL: [Self; 6] = [
        Self::Power,
        Self::VolumeUp,
        Self::VolumeDown,
        Self::Home,
        Self::DockButton,
        Self::Screen,
    ];

    /// Its name in messages.
    #[must_use]
    pub fn id(self) -> &'static str {
        match self {
            Self::Power => "power",
            Self::VolumeUp => "volume-up",
            Self::VolumeDown => "volume-down",
            Self::Home => "home",
            Self::DockButton => "dock-button",
            Self::Screen => "screen",
        }
    }

    /// The key with this name.
    #[must_use]
    pub fn from_id(id: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|key| key.id() == id)
    }

    /// What is printed beside it.
    #[must_use]
    pub fn label(self) -> &'static str {
        match self {
            Self::Power => "Power",
            Self::VolumeUp => "Volume up",
            Self::VolumeDown => "Volume down",
            Self::Home => "Home",
            Self::DockButton => "Dock button",
            Self::Screen => "Finger on the screen",
        }
    }
}

/// Down or up.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Push {
    /// Pressed, and kept.
    Down,
    /// Let go.
    Up,
}

/// Where the cable is; of a watch, whether it lies on its dock.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum CablePlace {
    /// In.
    In,
    /// Out.
    Out,
}

/// Something done with the hands.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(tag = "do", rename_all = "kebab-case")]
pub enum BodyAct {
    /// Touch a line that the screen shows, or do what hands can do beside it. Where fingers do
    /// nothing, nothing happens.
    Touch {
        /// Its id.
        button: String,
    },
    /// Move the cable.
    Cable {
        /// Where to.
        to: CablePlace,
    },
    /// Press a key, or let it go.
    Key {
        /// Which.
        key: BodyKey,
        /// Down or up.
        to: Push,
    },
}

/// What a line on the screen answers to.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum AnswersTo {
    /// A finger on it.
    Touch,
    /// Keys that move the highlight and choose.
    Keys,
}

/// Whether a line has the highlight.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Highlight {
    /// It has.
    Default,
    /// It has not.
    Plain,
}

/// Something that can be chosen.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct Button {
    /// Its id.
    pub id: String,
    /// Its words.
    pub label: String,
    /// Whether it is highlighted.
    pub highlight: Highlight,
    /// How it is chosen.
    pub by: AnswersTo,
}

/// A key of the body.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct KeyShown {
    /// Which.
    pub key: BodyKey,
    /// Its name.
    pub label: String,
    /// Whether a finger is on it.
    pub held: Push,
}

/// What eyes see and fingers feel.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct Face {
    /// Lines on the screen; none when it is dark.
    pub lines: Vec<String>,
    /// What can be chosen on it.
    pub buttons: Vec<Button>,
    /// What hands can do beside the screen.
    pub hands: Vec<Button>,
    /// Its keys.
    pub keys: Vec<KeyShown>,
    /// Colour of a lamp that is lit.
    pub lamp: Option<String>,
    /// Whether it shakes now.
    pub shakes: bool,
    /// Where the cable is.
    pub cable: CablePlace,
}
