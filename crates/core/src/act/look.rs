//! Finding out what is not known: the mode, the lock, the lock of the critical partitions (`L2`, `L3`). A
//! look has a hoped outcome, on which the rest of the sheet builds; nothing that can't be undone does.

use super::{
    Args, Cable, Doing, Ground, How, Kind, Line, Price, Shows, Standpoint, Touches, Words, arg, open,
    row,
};
use crate::dossier::By;
use crate::facts::FactKey;
use crate::family::Family;
use crate::mode::{Lock, Mode};
use crate::state::{Axis, Bit, Look as Looked, State};

/// Finds out what is not known.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Look {
    /// What is looked at, and the hoped outcome.
    pub at: Sight,
}

/// What is looked at, with the hoped outcome.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Sight {
    /// Which mode it is in.
    Mode(Mode),
    /// Whether it is locked.
    Lock(Lock),
    /// Whether the critical partitions are.
    Critical(Lock),
}

impl Kind for Look {
    const TOUCHES: Touches = Touches::NOTHING;

    fn instances(on: Ground<'_>) -> Vec<Self> {
        let family = on.family();
        let locks = [Lock::Locked, Lock::Unlocked];
        let modes = family.modes.iter().map(|spec| Sight::Mode(spec.mode));
        let mut all: Vec<Sight> = modes.chain(locks.map(Sight::Lock)).collect();
        if family.has_critical_stage() {
            all.extend(locks.map(Sight::Critical));
        }
        all.into_iter().map(|at| Self { at }).collect()
    }

    fn word(&self) -> &'static str {
        match self.at {
            Sight::Mode(_) => "look-at-mode",
            Sight::Lock(_) => "look-at-lock",
            Sight::Critical(_) => "look-at-critical-lock",
        }
    }

    fn args(&self) -> Vec<(&'static str, String)> {
        let hoped = match self.at {
            Sight::Mode(mode) => mode.id(),
            Sight::Lock(lock) | Sight::Critical(lock) => lock.id(),
        };
        vec![("hoped", hoped.to_owned())]
    }

    fn read(word: &str, args: &Args) -> Option<Self> {
        let hoped = arg(args, "hoped");
        let lock = || Lock::from_id(&hoped);
        let at = match word {
            "look-at-mode" => Sight::Mode(Mode::from_id(&hoped)?),
            "look-at-lock" => Sight::Lock(lock()?),
            "look-at-critical-lock" => Sight::Critical(lock()?),
            _ => return None,
        };
        Some(Self { at })
    }

    fn lines(&self, _: Ground<'_>, at: Standpoint) -> Vec<Line> {
        let shows = "A screen or a link tells.";
        let rows = match self.at {
            Sight::Mode(_) => [open(Axis::Mode, at), None],
            Sight::Lock(_) => [open(Axis::Lock, at), row(Bit::Runs, at, shows)],
            Sight::Critical(_) => [open(Axis::Critical, at), row(Bit::Runs, at, shows)],
        };
        rows.into_iter().flatten().collect()
    }

    fn after(&self, mut at: State, _: &Family) -> State {
        match self.at {
            Sight::Mode(hoped) => at.mode = Some(hoped),
            Sight::Lock(hoped) => at.lock = Some(hoped),
            Sight::Critical(hoped) => at.critical = Some(hoped),
        }
        at.look = Looked::Assumed;
        at
    }

    fn price(&self, _: State, family: &Family) -> Price {
        let place = family.place(self.key());
        let minutes = place.map_or(0, |place| place.minutes);
        Price::seconds(0, minutes.saturating_mul(60))
    }

    fn words(&self, _: State, _: &Family) -> Words {
        Words::titled(match self.at {
            Sight::Mode(_) => "Look which mode it is in",
            Sight::Lock(_) => "Look whether it is locked",
            Sight::Critical(_) => "Look whether the critical partitions are locked",
        })
        .cable(Cable::Either)
    }

    fn how(&self, family: &Family) -> How {
        let place = family.place(self.key());
        How::said(place.map_or("", |place| place.place.as_str()))
    }

    fn doing(&self, _: &Family, _: By) -> Doing {
        Doing::Look(self.key())
    }

    fn shows(&self) -> Shows {
        // A second stage's lock is looked at by itself (L2).
        let is_critical = matches!(self.at, Sight::Critical(_));
        Shows {
            lock: is_critical.then_some(FactKey::CriticalLock),
            ..Shows::default()
        }
    }
}

impl Look {
    fn key(&self) -> FactKey {
        match self.at {
            Sight::Mode(_) => FactKey::Mode,
            Sight::Lock(_) => FactKey::Lock,
            Sight::Critical(_) => FactKey::CriticalLock,
        }
    }
}
