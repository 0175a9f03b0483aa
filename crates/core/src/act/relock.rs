//! Closing a stage of the lock again (`G8`): `R1` to `R7`.
//!
//! Nothing foreign may be left, and that is proven, not believed; there is no override (`R7`).
//! Systems that an owner signed with keys of their own are out of scope: to this list they are
//! foreign.

use super::lines::owner::accounts;
use super::lines::stock::{functions, fused, last_write, runs, started, stock, switch};
use super::{
    Args, Ask, Bit, Command, Doing, Ground, How, Kind, Line, Price, Standpoint, Touches, Words,
    Takes, arg, erased, in_mode, lock, row, settled, works,
};
use crate::consent::{Costs, one};
use crate::dossier::{By, Dossier};
use crate::facts::Happening;
use crate::family::{Again, Consequence, Family, Method, Wipe};
use crate::goal::Goal;
use crate::mode::Lock;
use crate::relock::purity;
use crate::rule::Rule;
use crate::state::{Presence, State};

/// Closes a stage of the lock again.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Relock {
    /// Id of the stage.
    pub stage: String,
}

impl Kind for Relock {
    const TOUCHES: Touches = Touches::LOCKS.and(Touches::ERASES);

    fn instances(on: Ground<'_>) -> Vec<Self> {
        let relock = &on.family().relock;
        let stages = relock.act.iter().flat_map(|_| relock.order.iter());
        stages
            .map(|stage| Self {
                stage: stage.clone(),
            })
            .collect()
    }

    fn word(&self) -> &'static str {
        "relock"
    }

    fn args(&self) -> Vec<(&'static str, String)> {
        vec![("stage", self.stage.clone())]
    }

    fn read(word: &str, args: &Args) -> Option<Self> {
        (word == "relock").then(|| Self {
            stage: arg(args, "stage"),
        })
    }

    fn serves(&self, goal: Goal) -> bool {
        !matches!(goal, Goal::Erase | Goal::Rescue) && goal.slot().is_none()
    }

    fn rule(&self, _: &Dossier<'_>) -> Rule {
        Rule::G8
    }

    fn lines(&self, on: Ground<'_>, at: Standpoint) -> Vec<Line> {
        let (of, family, facts) = (on.of, on.family(), on.of.facts);
        let mut lines = Vec::new();
        match &family.relock.act {
            Some(act) => {
                lines.push(in_mode(Bit::InMode(act.mode), act.mode.shown(), on, at));
                lines.push(lock(Lock::Unlocked, "It is locked already.", on, at));
                // The critical stage goes first (R6).
                let stands = if self.is_critical(family) {
                    row(Bit::Critical(Lock::Unlocked), at, "The stage is open.")
                } else if family.has_critical_stage() {
                    row(Bit::Critical(Lock::Locked), at, "The critical one is closed.")
                } else {
                    None
                };
                lines.extend(stands);
                let takes = Takes {
                    phases: &act.phases,
                    asks: act.question.as_ref(),
                    ..Takes::default()
                };
                lines.extend(works(takes, on, at));
                lines.extend(settled(at));
            }
            None => {
                lines.push(lock(Lock::Unlocked, "It is locked already.", on, at));
                let text = format!("How {} is locked is not in its family file.", family.name());
                lines.push(Line::absent(Rule::G8, text).due(super::Due::Door));
            }
        }
        if !family.relock.order.contains(&self.stage) {
            let text = format!("{} has no stage `{}` to lock.", family.name(), self.stage);
            lines.push(Line::absent(Rule::G8, text).due(super::Due::Door));
        }
        let pure = purity(family, facts, of.held, of.torn);
        lines.extend(stock(of, &pure));
        lines.extend(runs(family, facts, &pure));
        lines.extend(fused(family, facts, &pure));
        let written = last_write(facts, of.held);
        lines.extend([started(facts, written), functions(facts, written)]);
        lines.extend(switch(family, facts));
        lines.push(accounts(family, facts).under(Rule::R4));
        lines
    }

    fn after(&self, at: State, family: &Family) -> State {
        let Some(act) = &family.relock.act else {
            return at;
        };
        // Locking erases (R4).
        let mut after = erased(at);
        if self.is_critical(family) {
            after.critical = Some(Lock::Locked);
        } else {
            after.lock = Some(Lock::Locked);
        }
        after.mode = Some(act.ends_in);
        after
    }

    fn price(&self, _: State, family: &Family) -> Price {
        let act = family.relock.act.as_ref();
        Price {
            wipes: 1,
            ..act.map_or_else(Price::default, |act| {
                Price::with_hands(act.pace.usual_seconds, act.effort)
            })
        }
    }

    fn label(&self, _: State, family: &Family, name: &str) -> String {
        if self.is_critical(family) {
            format!("Lock the critical partitions of {name} again")
        } else {
            format!("Lock {name} again")
        }
    }

    fn words(&self, _: State, family: &Family) -> Words {
        let act = family.relock.act.as_ref();
        Words {
            question: act.and_then(|act| act.question.clone()),
            wipe: Some(Wipe::FormatData),
            ..Words::titled(if self.is_critical(family) {
                "Lock the critical partitions"
            } else {
                "Lock it again"
            })
            .stuck(act.map_or(0, |act| act.pace.stuck_seconds))
        }
    }

    fn how(&self, family: &Family) -> How {
        let act = family.relock.act.as_ref();
        How {
            phases: act.map_or_else(Vec::new, |act| act.phases.clone()),
            ..How::said(family.relock.hand.clone())
        }
    }

    fn costs(&self, of: &Dossier<'_>) -> Option<Costs> {
        Some(Costs {
            rule: Rule::R5,
            stage: Some(self.stage.clone()),
            consequences: consequences(of.family),
        })
    }

    fn asks(&self, family: &Family) -> Vec<Ask> {
        let mode = family.relock.act.as_ref().map(|act| act.mode);
        let mode = mode.map(|mode| Ask::Mode(vec![mode]));
        mode.into_iter().chain([Ask::Lock(Lock::Unlocked)]).collect()
    }

    fn doing(&self, family: &Family, by: By) -> Doing {
        match &family.relock.act {
            Some(act) if act.method == Method::Command && by.link == Presence::Here => {
                Doing::Command(Command::Lock {
                    stage: self.stage.clone(),
                    forms: act.forms.clone(),
                })
            }
            _ => Doing::Hands,
        }
    }

    fn doubt(&self) -> Option<Happening> {
        Some(Happening::LockInDoubt)
    }
}

impl Relock {
    fn is_critical(&self, family: &Family) -> bool {
        family
            .stage(&self.stage)
            .is_some_and(|stage| !stage.only_for.is_empty())
    }
}

/// What closing the lock costs, told before the consent (`R4`, `R5`).
fn consequences(family: &Family) -> Vec<Consequence> {
    let again = match family.relock.again {
        Again::Yes => "It can be unlocked again, which erases once more.",
        Again::WhileToggleOn => {
            "It can be unlocked again only while the switch in its settings is on."
        }
        Again::OldBuild => "It can be unlocked again only on a build that allows it.",
        Again::Never => "It never unlocks again, whatever is tried.",
    };
    let mut all = vec![
        one(
            "data",
            "Everything stored on it is erased at the moment you confirm.",
        ),
        one("again", again),
        one(
            "unique",
            "What exists once can't be put back from here any more: check what works before.",
        ),
    ];
    all.extend(
        family
            .marks
            .iter()
            .map(|mark| one("mark", format!("{} It stays, locked or not.", mark.text))),
    );
    all
}
