//! The device's body: what its screen shows, what can be touched and pressed. No bench link has
//! this; it is what a person's eyes and hands have.

use std::borrow::Cow;

use serde::{Deserialize, Serialize};

use crate::device::{Device, LockState, Running, Setting};

/// Where the cable is. This device's only contact is its dock.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum CablePlace {
    /// On the dock.
    In,
    /// Lifted off.
    Out,
}

/// A finger while the dock's button is held.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Finger {
    /// Kept on the screen at the logo.
    OnScreen,
    /// Not there.
    Away,
}

/// Something done with the hands.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(tag = "do", rename_all = "kebab-case")]
pub enum BodyAct {
    /// Touch a button that the screen shows.
    Touch {
        /// Its id.
        button: String,
    },
    /// Put it on the dock or lift it off.
    Cable {
        /// Where to.
        to: CablePlace,
    },
    /// Hold the dock's button.
    HoldDockButton {
        /// How long.
        seconds: u32,
        /// Where the finger is at the logo.
        finger: Finger,
    },
}

/// Something on the screen that can be touched.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Button {
    /// Its id.
    pub id: Cow<'static, str>,
    /// Its words.
    pub label: String,
    /// Whether it is highlighted.
    pub highlight: Highlight,
}

/// Whether a button is the default.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Highlight {
    /// It is.
    Default,
    /// It is not.
    Plain,
}

/// What eyes see.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Face {
    /// Lines on the screen; none when it is dark.
    pub lines: Vec<String>,
    /// What can be touched.
    pub buttons: Vec<Button>,
    /// What hands can do beside the screen.
    pub hands: Vec<Button>,
    /// Where the cable is.
    pub cable: CablePlace,
}

impl Button {
    /// The same, highlighted.
    #[must_use]
    pub fn by_default(self) -> Self {
        Self {
            highlight: Highlight::Default,
            ..self
        }
    }
}

pub(crate) fn button(id: &'static str, label: impl Into<String>) -> Button {
    Button {
        id: id.into(),
        label: label.into(),
        highlight: Highlight::Plain,
    }
}

impl Device {
    /// What eyes see now.
    #[must_use]
    pub fn face(&self) -> Face {
        if let Some(face) = self.gated_face() {
            return face;
        }
        let saved = &self.saved;
        let charge = format!("Charge {} %", saved.battery_millionths / 10_000);
        let lock = match saved.lock {
            LockState::Locked => "locked",
            LockState::Unlocked => "unlocked",
        };
        let (lines, buttons) = if saved.going.is_some() {
            let lines = match saved.lock {
                LockState::Locked => vec!["LOOP".to_owned()],
                LockState::Unlocked => {
                    vec![
                        "LOOP".to_owned(),
                        "This watch is unlocked. Its software is not checked.".to_owned(),
                    ]
                }
            };
            (lines, Vec::new())
        } else if saved.question.is_some() {
            let (ask, no, yes) = match saved.lock {
                LockState::Locked => (
                    "Unlock this watch?",
                    "No, keep it locked",
                    "Yes, unlock and erase",
                ),
                LockState::Unlocked => (
                    "Lock this watch?",
                    "No, keep it unlocked",
                    "Yes, lock and erase",
                ),
            };
            let no = button("no", no).by_default();
            (
                vec![
                    ask.to_owned(),
                    "Everything on it will be erased.".to_owned(),
                ],
                vec![no, button("yes", yes)],
            )
        } else {
            match saved.mode {
                Running::Off | Running::Download | Running::Animation => (Vec::new(), Vec::new()),
                Running::Refusing => (
                    vec!["This software is not the maker's. It does not start.".to_owned()],
                    vec![button("bootloader", "Bootloader")],
                ),
                Running::System => {
                    let setting = |value: Setting| if value == Setting::On { "on" } else { "off" };
                    let mut buttons = vec![button(
                        "debugging",
                        format!("Commands from a computer: {}", setting(saved.debugging)),
                    )];
                    if saved.accounts > 0 {
                        buttons.push(button("sign-out", "Sign all accounts out"));
                    }
                    if saved.screen_lock == Setting::On {
                        buttons.push(button("screen-lock", "Switch the screen lock off"));
                    }
                    buttons.push(button("off", "Power off"));
                    (
                        vec![
                            "Settings".to_owned(),
                            format!("Accounts {}", saved.accounts),
                            format!("Screen, Lock {}", setting(saved.screen_lock)),
                            format!("Build {}", self.profile().build),
                            charge,
                        ],
                        buttons,
                    )
                }
                Running::Bootloader => (
                    vec![
                        "BOOTLOADER gimbal".to_owned(),
                        lock.to_owned(),
                        charge,
                        saved.chip_id.clone(),
                    ],
                    vec![
                        button("start", "Start").by_default(),
                        button("recovery", "Recovery"),
                        button("off", "Power off"),
                    ],
                ),
                Running::StockRecovery => (
                    vec![
                        "FINCH".to_owned(),
                        "Recovery of the maker".to_owned(),
                        "Build and repair".to_owned(),
                        self.profile().build.to_owned(),
                    ],
                    vec![button("start", "Restart")],
                ),
                Running::TemporaryRecovery | Running::CustomRecovery => {
                    let top = if saved.mode == Running::TemporaryRecovery {
                        "Recovery, temporary"
                    } else {
                        "Recovery"
                    };
                    let mut lines = vec![top.to_owned()];
                    lines.extend(
                        self.profile()
                            .partitions
                            .iter()
                            .map(|part| part.label.to_owned()),
                    );
                    (
                        lines,
                        vec![
                            button("start", "Restart, System"),
                            button("bootloader", "Restart, Bootloader"),
                        ],
                    )
                }
            }
        };
        let cable = match saved.cable {
            CablePlace::In => button("lift", "Lift it off the dock"),
            CablePlace::Out => button("dock", "Put it on the dock"),
        };
        let hands = vec![
            cable,
            button("hold-2", "Dock button, 2 s"),
            button("hold-15", "Dock button, 15 s"),
            button("hold-15-finger", "Dock button, 15 s, finger on the screen"),
            button("blank-persist", "Mishap: persist goes blank"),
        ];
        Face {
            lines,
            buttons,
            hands,
            cable: saved.cable,
        }
    }
}
