//! What hands do, phase by phase (`N2`): which keys are down, what ends the phase, who lets go first,
//! what a missed cue looks like and the safe way to try again.

use serde::{Deserialize, Serialize};

use crate::facts::{FactKey, FactValue, Facts};

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

    /// The part of the unit that it is; the dock's button is none.
    #[must_use]
    pub fn part(self) -> Option<BodyPart> {
        match self {
            Self::Power => Some(BodyPart::PowerKey),
            Self::VolumeUp => Some(BodyPart::VolumeUp),
            Self::VolumeDown => Some(BodyPart::VolumeDown),
            Self::Home => Some(BodyPart::HomeKey),
            Self::Screen => Some(BodyPart::Touch),
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
            Self::DockButton => "the dock's button",
            Self::Screen => "a finger on the screen",
        }
    }
}

/// A part of a unit's body that may not work.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum BodyPart {
    /// Power.
    PowerKey,
    /// Volume up.
    VolumeUp,
    /// Volume down.
    VolumeDown,
    /// Home.
    HomeKey,
    /// What a finger is felt by.
    Touch,
    /// What is looked at.
    Screen,
    /// Where the cable goes in.
    Port,
}

impl BodyPart {
    /// All parts.
    pub const ALL: [Self; 7] = [
        Self::PowerKey,
        Self::VolumeUp,
        Self::VolumeDown,
        Self::HomeKey,
        Self::Touch,
        Self::Screen,
        Self::Port,
    ];

    /// As facts name it.
    #[must_use]
    pub fn id(self) -> &'static str {
        match self {
            Self::PowerKey => "power-key",
            Self::VolumeUp => "volume-up",
            Self::VolumeDown => "volume-down",
            Self::HomeKey => "home-key",
            Self::Touch => "touch",
            Self::Screen => "screen",
            Self::Port => "port",
        }
    }

    /// In words.
    #[must_use]
    pub fn shown(self) -> &'static str {
        match self {
            Self::PowerKey => "power",
            Self::VolumeUp => "volume up",
            Self::VolumeDown => "volume down",
            Self::HomeKey => "home",
            Self::Touch => "a finger on the screen",
            Self::Screen => "a screen that shows something",
            Self::Port => "the port",
        }
    }

    /// Whether the parts that a fact names are this one, or take it along: a dead screen feels no finger.
    #[must_use]
    pub fn is_among(self, facts: &Facts, key: FactKey) -> bool {
        let Some(FactValue::Many(named)) = facts.known(key).map(|row| &row.value) else {
            return false;
        };
        named.contains(&self.id()) || (self == Self::Touch && named.contains(&"screen"))
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
    /// A finger on the words that stand in `on`.
    Touch,
    /// A press in the tool on the computer, on the words that stand in `on`; the tool waits from then on.
    Tool,
    /// Hands off.
    Wait,
}

/// What ends a phase.
#[derive(
    Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, utoipa::ToSchema,
)]
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
    /// The words that are touched, on the unit's screen or in the tool; empty for all other kinds.
    pub on: String,
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

/// A phase in words for hands that can't hold a page.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct PhaseSaid {
    /// What to do.
    pub act: String,
    /// Until what.
    pub until: String,
    /// Then, at the cue.
    pub then: String,
    /// The keys that are down, in words.
    pub keys: Vec<&'static str>,
    /// Where it begins and ends on the score, in thousandths of its length: short phases stay legible, long ones
    /// do not push them off.
    pub score: [u32; 2],
}

impl Phase {
    /// The phase in words. `down` are the keys that are down already.
    #[must_use]
    pub fn said(&self, down: &[Key]) -> PhaseSaid {
        let fresh: Vec<Key> = self
            .keys
            .iter()
            .copied()
            .filter(|key| !down.contains(key))
            .collect();
        let stays: Vec<Key> = self
            .keys
            .iter()
            .copied()
            .filter(|key| down.contains(key))
            .collect();
        let act = match self.kind {
            PhaseKind::Hold | PhaseKind::Swap if fresh.is_empty() => {
                format!("Keep holding {}.", listed(&stays))
            }
            PhaseKind::Hold if stays.is_empty() => {
                format!("Hold {}.", together(&fresh))
            }
            PhaseKind::Hold | PhaseKind::Swap if stays.is_empty() => {
                format!("Change over at once: hold {} instead.", listed(&fresh))
            }
            PhaseKind::Hold | PhaseKind::Swap => format!(
                "Keep holding {}, and hold {} too.",
                listed(&stays),
                listed(&fresh)
            ),
            PhaseKind::Tap => format!(
                "Press {} once, shortly. A long press does something else.",
                listed(&self.keys)
            ),
            PhaseKind::TapRepeatedly => {
                format!("Press {} again and again, shortly.", listed(&self.keys))
            }
            PhaseKind::CableIn if self.keys.is_empty() => "Put the cable in.".to_owned(),
            PhaseKind::CableIn => format!(
                "Hold {}, and put the cable in while you hold.",
                together(&self.keys)
            ),
            PhaseKind::CableOut => "Take the cable out.".to_owned(),
            PhaseKind::Touch => format!("Touch {} on its screen.", self.on),
            PhaseKind::Tool => format!("Press {} in the tool on the computer.", self.on),
            PhaseKind::Wait => "Hands off.".to_owned(),
        };
        let until = match self.cue {
            Cue::Black => "Until the screen goes black.".to_owned(),
            Cue::Vibration => "Until it vibrates.".to_owned(),
            Cue::Logo => "Until the maker's mark shows.".to_owned(),
            Cue::Steady => "Until the new screen stands still for two seconds.".to_owned(),
            Cue::Question => "Until the question shows.".to_owned(),
            Cue::Lamp => "Until the lamp changes.".to_owned(),
            Cue::CableIn => "Until the cable is in.".to_owned(),
            Cue::Seconds if self.seconds == 1 => "For one second.".to_owned(),
            Cue::Seconds => format!("For {} seconds.", self.seconds),
        };
        let kept: Vec<Key> = self
            .keys
            .iter()
            .copied()
            .filter(|key| !self.lets_go.contains(key))
            .collect();
        let then = match (self.kind, self.lets_go.is_empty(), kept.is_empty()) {
            (PhaseKind::Tap | PhaseKind::TapRepeatedly | PhaseKind::Touch, _, _) | (_, true, _) => {
                String::new()
            }
            (_, false, true) if self.lets_go.len() == 1 => "Then release it.".to_owned(),
            (_, false, true) => "Then release all.".to_owned(),
            (_, false, false) => format!(
                "Then release {}, and keep holding {}.",
                listed(&self.lets_go),
                listed(&kept)
            ),
        };
        PhaseSaid {
            // All of it, where it stands alone.
            score: [0, 1000],
            act,
            until,
            then,
            keys: self.keys.iter().map(|key| key.shown()).collect(),
        }
    }
}

/// The least length of a phase on the score, and the seconds from which on it grows no more.
const LEAST_LENGTH: u32 = 3;
const MOST_SECONDS: u32 = 15;

/// All phases in words, each with what stays down from the one before.
#[must_use]
pub fn said(phases: &[Phase]) -> Vec<PhaseSaid> {
    let mut down: Vec<Key> = Vec::new();
    let length = |phase: &Phase| LEAST_LENGTH + phase.seconds.min(MOST_SECONDS);
    let whole: u32 = phases.iter().map(length).sum();
    let mut at = 0;
    phases
        .iter()
        .map(|phase| {
            let mut said = phase.said(&down);
            let end = at + length(phase);
            said.score = [at, end].map(|one| one * 1000 / whole.max(1));
            at = end;
            down = phase
                .keys
                .iter()
                .copied()
                .filter(|key| !phase.lets_go.contains(key))
                .collect();
            said
        })
        .collect()
}

fn listed(keys: &[Key]) -> String {
    let names: Vec<&str> = keys.iter().map(|key| key.shown()).collect();
    match names.as_slice() {
        [] => "nothing".to_owned(),
        [one] => (*one).to_owned(),
        [first @ .., last] => format!("{} and {last}", first.join(", ")),
    }
}

fn together(keys: &[Key]) -> String {
    match keys.len() {
        0 | 1 => listed(keys),
        2 => format!("{}, both at once", listed(keys)),
        _ => format!("{}, all at once", listed(keys)),
    }
}

impl Menu {
    /// The presses in words.
    #[must_use]
    pub fn said(&self) -> String {
        let choose = self.choose.shown();
        match self.presses {
            0 => format!("{} is highlighted. Press {choose} once.", self.to),
            presses => format!(
                "{} is highlighted. Press {} {} to {}, look whether it is highlighted, then press {choose} once.",
                self.from,
                self.by.shown(),
                match presses {
                    1 => "once".to_owned(),
                    2 => "twice".to_owned(),
                    more => format!("{more} times"),
                },
                self.to
            ),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::family::testing::shipped;

    /// Every choreography of every shipped family, as a person reads it.
    #[test]
    fn all_choreographies_in_words() {
        let mut told = Vec::new();
        for (file, text) in crate::family::SHIPPED {
            let family = crate::family::load(file, text).unwrap();
            for way in &family.moves {
                let line =
                    |said: &PhaseSaid| format!("  {} {} {}", said.act, said.until, said.then);
                if !way.phases.is_empty() || way.menu.is_some() {
                    told.push(format!(
                        "{} {} to {}",
                        family.codename,
                        way.from.id(),
                        way.to.id()
                    ));
                    told.extend(said(&way.phases).iter().map(line));
                    told.extend(way.menu.iter().map(|menu| format!("  {}", menu.said())));
                }
            }
        }
        insta::assert_snapshot!(told.join("\n").replace(" \n", "\n"));
    }

    #[test]
    fn a_short_and_a_long_press_of_the_same_key_can_not_be_mistaken() {
        let kelpie = shipped("kelpie");
        let long = said(&kelpie.stages[0].phases);
        assert_eq!(
            (long[1].act.as_str(), long[1].until.as_str()),
            ("Hold volume up.", "Until the question shows.")
        );
        assert!(long[2].act.starts_with("Press volume up once, shortly"));
    }

    #[test]
    fn keys_that_stay_down_from_phase_to_phase_are_kept_not_pressed_anew() {
        let kelpie = shipped("kelpie");
        let four = kelpie
            .moves
            .iter()
            .find(|way| {
                way.phases
                    .first()
                    .is_some_and(|first| first.keys.len() == 4)
            })
            .unwrap();
        let told = said(&four.phases);
        assert!(
            told[0]
                .act
                .starts_with("Hold volume down, volume up, home and power, all at once")
        );
        assert_eq!(
            told[0].then,
            "Then release volume down, and keep holding volume up, home and power."
        );
        assert_eq!(told[1].act, "Keep holding volume up, home and power.");
        assert_eq!(told[2].then, "Then release all.");
    }
}
