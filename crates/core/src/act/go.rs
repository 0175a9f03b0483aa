//! Going to another mode by one of the family's ways (`N2`, `N3`, `N6`). Storage, slots and lock stay as
//! they are, so nothing has to be permitted.

use super::{
    Args, Command, Doing, Ground, How, Kind, Line, Price, Standpoint, Touches, Words, arg,
    Takes, row, works,
};
use crate::dossier::By;
use crate::facts::FactKey;
use crate::family::{Family, MoveBy, MoveSpec, Pace};
use crate::mode::{Mode, RecoveryKind};
use crate::state::{Bit, Data, Look, Presence, State};

/// Goes to another mode.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Go {
    /// Id of the family's way ([`Family::way`]).
    pub way: String,
}

impl Kind for Go {
    const TOUCHES: Touches = Touches::NOTHING;

    fn instances(on: Ground<'_>) -> Vec<Self> {
        let ways = on.family().moves.iter();
        ways.map(|spec| Self {
            way: spec.id.clone(),
        })
        .collect()
    }

    fn word(&self) -> &'static str {
        "move"
    }

    fn args(&self) -> Vec<(&'static str, String)> {
        vec![("way", self.way.clone())]
    }

    fn read(word: &str, args: &Args) -> Option<Self> {
        (word == "move").then(|| Self {
            way: arg(args, "way"),
        })
    }

    fn lines(&self, on: Ground<'_>, at: Standpoint) -> Vec<Line> {
        let family = on.family();
        let Some(spec) = family.way(&self.way) else {
            return Vec::new();
        };
        let has_fast_start = family.place(FactKey::FastStart).is_some();
        let mut rows = vec![row(Bit::InMode(spec.from), at, "It begins there.")];
        let takes = Takes {
            phases: &spec.phases,
            menu: spec.menu.as_ref(),
            ..Takes::default()
        };
        rows.extend(works(takes, on, at).into_iter().map(Some));
        if spec.needs_debugging {
            rows.push(row(Bit::Debugging, at, "The system takes commands."));
        }
        if spec.to == Mode::Off && has_fast_start {
            rows.push(row(Bit::FastStartOff, at, "Off is off."));
        }
        // Under new metadata the data is formatted first (Q9).
        if spec.to == Mode::System && family.recovery_eats_data() {
            rows.push(row(Bit::DataReads, at, "The system can read its data."));
        }
        // Which one lies there shows when it runs; the maker's may be hoped for.
        let lies = match spec.to {
            Mode::StockRecovery => Some(Bit::MayBeStock),
            Mode::CustomRecovery => Some(Bit::Recovery(RecoveryKind::Custom)),
            _ => None,
        };
        rows.extend(lies.map(|bit| row(bit, at, "It lies there.")));
        rows.into_iter().flatten().collect()
    }

    fn after(&self, mut at: State, family: &Family) -> State {
        let Some(spec) = family.way(&self.way) else {
            return at;
        };
        at.mode = Some(spec.to);
        if spec.to == Mode::StockRecovery && at.recovery.is_none() {
            at.recovery = Some(RecoveryKind::Stock);
            at.look = Look::Assumed;
        }
        at
    }

    fn price(&self, at: State, family: &Family) -> Price {
        family
            .way(&self.way)
            .map_or_else(Price::default, |spec| Price {
                waiting: pace(spec, at, family).usual_seconds,
                hands_on: spec.effort.hands_on_seconds,
                presses: spec.effort.presses,
                // A forced restart comes last (N6).
                risk: u16::from(spec.by == MoveBy::ForcedRestart),
                wipes: 0,
            })
    }

    fn words(&self, at: State, family: &Family) -> Words {
        let Some(spec) = family.way(&self.way) else {
            return Words::titled("Go to another mode");
        };
        Words::titled(match spec.to {
            Mode::System => "Start the system".to_owned(),
            Mode::Off => "Switch it off".to_owned(),
            to => format!("Restart into {}", to.shown()),
        })
        .stuck(pace(spec, at, family).stuck_seconds)
    }

    fn how(&self, family: &Family) -> How {
        family.way(&self.way).map_or_else(How::default, |spec| How {
            by_hand: spec.hand.clone(),
            phases: spec.phases.clone(),
            menu: spec.menu.clone(),
        })
    }

    fn doing(&self, family: &Family, by: By) -> Doing {
        match family.way(&self.way) {
            Some(spec) if spec.by == MoveBy::Link && by.link == Presence::Here => {
                Doing::Command(Command::Restart(spec.to))
            }
            _ => Doing::Hands,
        }
    }
}

/// How long a way takes: into a system whose data was erased, as long as its first start.
fn pace(spec: &MoveSpec, at: State, family: &Family) -> Pace {
    if spec.to == Mode::System && at.data == Data::Erased {
        family.first_start
    } else {
        spec.pace
    }
}
