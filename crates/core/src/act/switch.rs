//! Changing a switch in the unit's own settings: letting the computer command it, and seeing to it that
//! *off* is off (`N5`). A person's hands do it; nothing has to be permitted.

use super::{
    Args, Doing, Ground, How, Kind, Line, Price, Shows, Standpoint, Touches, Words, row,
};
use super::lines::body::in_settings;
use crate::dossier::By;
use crate::facts::FactKey;
use crate::family::Family;
use crate::mode::Mode;
use crate::state::{Bit, State, Switch};

/// Changes a switch in its settings.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct SetSwitch {
    /// Which.
    pub switch: Which,
}

/// A switch in its settings.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Which {
    /// Commands from a computer, on.
    DebuggingOn,
    /// Fast start, off.
    FastStartOff,
}

impl Kind for SetSwitch {
    const TOUCHES: Touches = Touches::NOTHING;

    fn instances(on: Ground<'_>) -> Vec<Self> {
        let has_fast_start = on.family().place(FactKey::FastStart).is_some();
        let fast_start = has_fast_start.then_some(Which::FastStartOff);
        let all = [Which::DebuggingOn].into_iter().chain(fast_start);
        all.map(|switch| Self { switch }).collect()
    }

    fn word(&self) -> &'static str {
        match self.switch {
            Which::DebuggingOn => "switch-debugging-on",
            Which::FastStartOff => "switch-fast-start-off",
        }
    }

    fn read(word: &str, _: &Args) -> Option<Self> {
        let all = [Which::DebuggingOn, Which::FastStartOff].map(|switch| Self { switch });
        all.into_iter().find(|one| one.word() == word)
    }

    fn lines(&self, on: Ground<'_>, at: Standpoint) -> Vec<Line> {
        let system = row(Bit::InMode(Mode::System), at, "The system runs.");
        system.into_iter().chain(in_settings(on, at)).collect()
    }

    fn after(&self, mut at: State, _: &Family) -> State {
        match self.switch {
            Which::DebuggingOn => at.debugging = Some(Switch::On),
            Which::FastStartOff => at.fast_start = Some(Switch::Off),
        }
        at
    }

    fn price(&self, _: State, family: &Family) -> Price {
        let (minutes, presses) = match self.switch {
            Which::DebuggingOn => (family.debugging.minutes, family.debugging.presses),
            Which::FastStartOff => family
                .place(FactKey::FastStart)
                .map_or((0, 0), |place| (place.minutes, place.presses)),
        };
        Price {
            presses,
            ..Price::seconds(0, minutes.saturating_mul(60))
        }
    }

    fn words(&self, _: State, _: &Family) -> Words {
        Words::titled(match self.switch {
            Which::DebuggingOn => "Let this computer command it",
            Which::FastStartOff => "Switch fast start off",
        })
    }

    fn how(&self, family: &Family) -> How {
        match self.switch {
            Which::DebuggingOn => How::said(family.debugging.hand.clone()),
            Which::FastStartOff => {
                let place = family.place(FactKey::FastStart);
                let place = place.map_or("", |one| one.place.as_str());
                How::said(format!(
                    "{place} Off. While it is on, switching off only puts it to sleep, and keys lead nowhere."
                ))
            }
        }
    }

    fn doing(&self, _: &Family, _: By) -> Doing {
        Doing::Hands
    }

    fn shows(&self) -> Shows {
        let (fact, text) = match self.switch {
            Which::DebuggingOn => ((FactKey::Debugging, "on"), "Commands from a computer: on."),
            Which::FastStartOff => ((FactKey::FastStart, "off"), "Fast start: off."),
        };
        Shows {
            facts: vec![fact],
            instead: Some(text),
            ..Shows::default()
        }
    }
}
