//! The keys of each family's body and what its firmware makes of them: how long is long, what is
//! held at the logo, where a menu's highlight stands. Physics of the stand-in's own; nothing here is
//! read from `families/`.

use veritope_wire::body::BodyKey as Key;

use crate::scheme::Opening;

/// Where a start leads when certain keys are held as the firmware looks.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Lead {
    Bootloader,
    Download,
    Warning,
    Recovery,
}

/// Keys held, keys not held, and where that leads.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Held {
    pub(crate) down: &'static [Key],
    pub(crate) up: &'static [Key],
    pub(crate) lead: Lead,
}

/// What plugging the cable into a unit that is off does while keys are held.
#[derive(Debug, Clone, Copy)]
pub(crate) struct AtCable {
    pub(crate) down: &'static [Key],
    /// How long after the cable, in milliseconds.
    pub(crate) after_ms: i64,
    pub(crate) lead: Lead,
    /// Whether a program on the computer must wait for it.
    pub(crate) needs_tool: bool,
}

/// How its menus are moved in.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Menus {
    /// Volume keys move, power chooses; fingers do nothing.
    Keys,
    /// Fingers.
    Touch,
    /// There is none: a lamp and nothing more.
    Lamp,
}

/// The keys of a family.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Chart {
    pub(crate) keys: &'static [Key],
    /// The key that starts it, and how long it takes.
    pub(crate) start: (Key, i64),
    /// Keys that restart it whatever it does, and how long.
    pub(crate) forced: (&'static [Key], i64),
    /// How long the start key takes to switch the running system off at once, where it does.
    pub(crate) off_ms: Option<i64>,
    /// From black to the logo.
    pub(crate) logo_ms: i64,
    /// From the logo to the moment at which the firmware looks at the keys.
    pub(crate) look_ms: i64,
    pub(crate) boots: &'static [Held],
    pub(crate) cable: Option<AtCable>,
    pub(crate) menus: Menus,
    /// Lines of the bootloader's menu, by their id.
    pub(crate) bootloader: &'static [(&'static str, &'static str)],
    /// Order of the answers of a question; the highlight stands on *no*.
    pub(crate) answers: [&'static str; 2],
    /// What the lamp shows in its lower mode.
    pub(crate) lamp: Option<&'static str>,
}

/// A press on the warning screen is long from here on.
pub(crate) const LONG_MS: i64 = 7_000;
/// The power key opens the menu of the running system.
pub(crate) const POWER_MENU_MS: i64 = 1_000;
/// A press of the power key in a menu chooses when it is shorter than this.
pub(crate) const TAP_MS: i64 = 1_500;
/// How long it shakes.
pub(crate) const SHAKE_MS: i64 = 900;
/// Into and out of half sleep.
pub(crate) const HIBERNATE_MS: i64 = 2_000;
/// Switching off for real.
pub(crate) const SHUT_DOWN_MS: i64 = 5_000;
/// The program on the computer waits so long for the unit after the cable is in.
pub(crate) const TOOL_MS: i64 = 5_000;

const PHONE: &[Key] = &[Key::Power, Key::VolumeUp, Key::VolumeDown];
const START: (&str, &str) = ("start", "Start");
const AGAIN: (&str, &str) = ("bootloader", "Restart bootloader");
const RECOVERY: (&str, &str) = ("recovery", "Recovery");
const OFF: (&str, &str) = ("off", "Power off");

const USUAL: Chart = Chart {
    keys: PHONE,
    start: (Key::Power, 2_000),
    forced: (&[Key::Power], 12_000),
    off_ms: None,
    logo_ms: 2_000,
    look_ms: 2_000,
    boots: &[],
    cable: None,
    menus: Menus::Keys,
    bootloader: &[START, AGAIN, RECOVERY, OFF],
    answers: ["yes", "no"],
    lamp: None,
};

fn part(key: Key) -> Option<&'static str> {
    match key {
        Key::Power => Some("power-key"),
        Key::VolumeUp => Some("volume-up"),
        Key::VolumeDown => Some("volume-down"),
        Key::Home => Some("home-key"),
        Key::DockButton => None,
        Key::Screen => Some("touch"),
    }
}

/// The parts of a device that opening its lock takes: a finger or keys to answer, and eyes on its screen; by the
/// names that bodies are described with.
#[must_use]
pub fn parts_to_open(codename: &str, opening: Opening) -> Vec<&'static str> {
    let chart = Chart::named(codename);
    match (opening, chart.menus) {
        (Opening::NoLock, _) => Vec::new(),
        // The way to the warning screen goes by keys, and the cable that is put in.
        (Opening::LongPress, _) => {
            let way = chart.cable.map_or(&[][..], |cable| cable.down);
            let mut parts = vec!["screen", "volume-up", "port"];
            parts.extend(way.iter().filter_map(|key| part(*key)));
            parts
        }
        (_, Menus::Touch) => vec!["screen", "touch", "port"],
        (_, Menus::Keys | Menus::Lamp) => {
            // The highlight stands on *no*.
            let to_yes = match chart.answers {
                ["yes", _] => "volume-up",
                _ => "volume-down",
            };
            vec!["screen", to_yes, "power-key", "port"]
        }
    }
}

impl Chart {
    /// The chart of a family; the usual one when it has none of its own.
    pub(crate) fn named(codename: &str) -> Self {
        match codename {
            "saltern" | "halyard" => Self {
                off_ms: Some(4_000),
                boots: &[Held {
                    down: &[Key::VolumeDown],
                    up: &[],
                    lead: Lead::Bootloader,
                }],
                ..USUAL
            },
            "kelpie" => Self {
                keys: &[Key::Power, Key::VolumeUp, Key::VolumeDown, Key::Home],
                forced: (&[Key::Power, Key::VolumeDown], 6_500),
                look_ms: 3_000,
                boots: &[
                    Held {
                        down: &[Key::VolumeUp, Key::Home],
                        up: &[Key::Power, Key::VolumeDown],
                        lead: Lead::Recovery,
                    },
                    Held {
                        down: &[Key::VolumeUp, Key::Home],
                        up: &[],
                        lead: Lead::Warning,
                    },
                ],
                cable: Some(AtCable {
                    down: &[Key::VolumeUp, Key::VolumeDown],
                    after_ms: 1_500,
                    lead: Lead::Warning,
                    needs_tool: false,
                }),
                ..USUAL
            },
            "lodestar" => Self {
                boots: &[Held {
                    down: &[Key::VolumeDown],
                    up: &[],
                    lead: Lead::Recovery,
                }],
                look_ms: 0,
                forced: (&[Key::Power], 3_000),
                off_ms: None,
                cable: Some(AtCable {
                    down: &[Key::VolumeUp],
                    after_ms: 3_000,
                    lead: Lead::Bootloader,
                    needs_tool: false,
                }),
                menus: Menus::Lamp,
                lamp: Some("violet"),
                ..USUAL
            },
            "mooring" => Self {
                boots: &[
                    Held {
                        down: &[Key::VolumeUp],
                        up: &[],
                        lead: Lead::Bootloader,
                    },
                    Held {
                        down: &[Key::VolumeDown],
                        up: &[Key::Power],
                        lead: Lead::Recovery,
                    },
                ],
                answers: ["no", "yes"],
                ..USUAL
            },
            "thimble" => Self {
                keys: &[Key::Power],
                start: (Key::Power, 1_500),
                cable: Some(AtCable {
                    down: &[],
                    after_ms: 1_000,
                    lead: Lead::Download,
                    needs_tool: true,
                }),
                menus: Menus::Lamp,
                ..USUAL
            },
            "gimbal" => Self {
                keys: &[Key::DockButton, Key::Screen],
                start: (Key::DockButton, 2_000),
                forced: (&[Key::DockButton], 15_000),
                boots: &[Held {
                    down: &[Key::Screen],
                    up: &[],
                    lead: Lead::Bootloader,
                }],
                menus: Menus::Touch,
                bootloader: &[START, RECOVERY, OFF],
                answers: ["no", "yes"],
                ..USUAL
            },
            "cinder" => Self {
                boots: &[Held {
                    down: &[Key::VolumeDown],
                    up: &[],
                    lead: Lead::Bootloader,
                }],
                ..USUAL
            },
            _ => USUAL,
        }
    }
}
