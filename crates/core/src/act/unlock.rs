//! Unlocking a stage (`G1`): preparations, consequences told, typed consent.

use veritope_wire::Label;

use super::lines::body::comes_up;
use super::lines::gates::{gates, opens};
use super::lines::owner::{accounts, intake, screen_lock};
use super::{
    Args, Ask, Bit, Command, Doing, Ground, How, Kind, Line, Price, Standpoint, Takes, Touches, Words,
    When, arg, erased, erases_data, in_mode, lock, row, settled, works,
};
use crate::consent::{Costs, one};
use crate::coverage::Keeping;
use crate::dossier::{By, Dossier};
use crate::evidence::{Basis, Cure, Due, Grounds, Need, choice, not_known};
use crate::facts::{FactKey, Facts, Happening};
use crate::family::{Consequence, Family, Method, Wipe};
use crate::goal::Goal;
use crate::mode::{LiveReads, Lock};
use crate::rule::Rule;
use crate::state::{Presence, State};

/// Opens a stage of the lock.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Unlock {
    /// Id of the stage.
    pub stage: String,
}

impl Kind for Unlock {
    const TOUCHES: Touches = Touches::LOCKS.and(Touches::ERASES);

    fn instances(on: Ground<'_>) -> Vec<Self> {
        let stages = on.family().main_stages();
        stages
            .map(|spec| Self {
                stage: spec.id.clone(),
            })
            .collect()
    }

    fn word(&self) -> &'static str {
        "unlock"
    }

    fn args(&self) -> Vec<(&'static str, String)> {
        vec![("stage", self.stage.clone())]
    }

    fn read(word: &str, args: &Args) -> Option<Self> {
        (word == "unlock").then(|| Self {
            stage: arg(args, "stage"),
        })
    }

    fn serves(&self, goal: Goal) -> bool {
        !matches!(goal, Goal::Erase | Goal::Rescue) && goal.slot().is_none()
    }

    fn rule(&self, _: &Dossier<'_>) -> Rule {
        Rule::G1
    }

    fn lines(&self, on: Ground<'_>, at: Standpoint) -> Vec<Line> {
        let (family, facts) = (on.family(), on.of.facts);
        let Some(spec) = family.stage(&self.stage) else {
            let text = format!("{} has no unlock stage `{}`.", family.name(), self.stage);
            return vec![Line::absent(Rule::G1, text)];
        };
        let mut lines = vec![
            in_mode(Bit::InMode(spec.mode), spec.mode.shown(), on, at),
            lock(Lock::Locked, "It is unlocked already.", on, at),
        ];
        let takes = Takes {
            phases: &spec.phases,
            asks: spec.question.as_ref(),
            ..Takes::default()
        };
        lines.extend(works(takes, on, at));
        let legs = Bit::Legs(1u64.checked_shl(on.after().into()).unwrap_or(0));
        lines.extend(row(legs, at, "The packages before it are in."));
        // Nothing that can't be undone follows a look that was not taken.
        lines.extend(settled(at));
        lines.extend(gates(on));
        lines.extend(opens(on, at));
        lines.extend(destroyed(on.of, at));
        lines.extend([accounts(family, facts), screen_lock(family, facts)]);
        lines.extend(comes_up(family, facts));
        lines.push(intake(facts));
        lines
    }

    fn after(&self, at: State, family: &Family) -> State {
        let Some(spec) = family.stage(&self.stage) else {
            return at;
        };
        // The switch lives in user data (L4).
        let after = if erases_data(&spec.erases) {
            erased(at)
        } else {
            at
        };
        State {
            lock: Some(Lock::Unlocked),
            mode: Some(spec.ends_in),
            ..after
        }
    }

    fn price(&self, _: State, family: &Family) -> Price {
        family
            .stage(&self.stage)
            .map_or_else(Price::default, |spec| Price {
                wipes: u16::from(erases_data(&spec.erases)),
                ..Price::with_hands(spec.pace.usual_seconds, spec.effort)
            })
    }

    fn label(&self, at: State, family: &Family, name: &str) -> String {
        match family.stage(&self.stage).and_then(|spec| spec.label.as_ref()) {
            Some(label) => label.replace("{unit}", name),
            None => format!("{} of {name}", self.words(at, family).title),
        }
    }

    fn words(&self, _: State, family: &Family) -> Words {
        family.stage(&self.stage).map_or_else(
            || Words::titled("Unlock it"),
            |spec| Words {
                question: spec.question.clone(),
                wipe: erases_data(&spec.erases).then_some(Wipe::FormatData),
                ..Words::titled(spec.title.clone()).stuck(spec.pace.stuck_seconds)
            },
        )
    }

    fn how(&self, family: &Family) -> How {
        family
            .stage(&self.stage)
            .map_or_else(How::default, |spec| How {
                phases: spec.phases.clone(),
                ..How::said(spec.hand.clone())
            })
    }

    fn costs(&self, of: &Dossier<'_>) -> Option<Costs> {
        Some(Costs {
            rule: Rule::U11,
            stage: Some(self.stage.clone()),
            consequences: unlock_consequences(of.family),
        })
    }

    fn asks(&self, family: &Family) -> Vec<Ask> {
        let mode = family.stage(&self.stage).map(|spec| spec.mode);
        let mode = mode.map(|mode| Ask::Mode(vec![mode]));
        mode.into_iter().chain([Ask::Lock(Lock::Locked)]).collect()
    }

    fn doing(&self, family: &Family, by: By) -> Doing {
        let Some(spec) = family.stage(&self.stage) else {
            return Doing::Hands;
        };
        let takes = match spec.method {
            Method::Command => true,
            Method::Token => by.token == Presence::Here,
            Method::LongPress => false,
        };
        if !takes || by.link == Presence::Missing {
            return Doing::Hands;
        }
        Doing::Command(Command::Unlock {
            stage: self.stage.clone(),
            forms: spec.forms.clone(),
            token: spec.method == Method::Token,
        })
    }

    fn destroys(&self, family: &Family) -> Option<Vec<Label>> {
        let spec = family.stage(&self.stage);
        Some(spec.map_or_else(Vec::new, |spec| spec.destroys.clone()))
    }

    fn doubt(&self) -> Option<Happening> {
        Some(Happening::LockInDoubt)
    }
}

/// What unlocking costs: what the family says, and by name what exists once and does not survive it.
fn unlock_consequences(family: &Family) -> Vec<Consequence> {
    let mut all = family.consequences.clone();
    all.extend(family.destroyed().into_iter().map(|label| {
        one(
            label.as_str(),
            format!("{label} exists once in the world and is destroyed; nothing brings it back."),
        )
    }));
    all
}

/// What exists once and is destroyed: captured before, where anything gives rights to read while it is
/// locked (`G1`); else it is told in the consent, by name.
fn destroyed(of: &Dossier<'_>, at: Standpoint) -> Vec<Line> {
    let (family, facts) = (of.family, of.facts);
    let reads_locked = family.readable().live == LiveReads::Always;
    let kept = |label: &Label| {
        let rows = of.coverage.map(|coverage| &coverage.rows);
        let mut rows = rows.into_iter().flatten();
        rows.find(|row| row.described.own.label == *label)
    };
    let line = |label: Label| {
        let met = |text: String, basis: Grounds| Line::met(Rule::G1, text, basis);
        if let Some(row) = kept(&label)
            && let Some(capture) = row.capture
        {
            let places = row.places;
            let copies = Basis::Copies {
                label: label.clone(),
                places,
            };
            if row.kept == Keeping::Enough {
                let text = format!("{label} is destroyed by the unlock, and what it holds is kept.");
                return met(text, copies.into());
            }
            let text = format!("{label} is destroyed by the unlock. {}", row.text);
            return Line::missing(Rule::G1, text, Cure::KeepCopies { capture }.by_person())
                .seen(Some(copies))
                .due(Due::Way);
        }
        if !reads_locked {
            let text = format!(
                "{label} is destroyed by the unlock. Nothing reads it while it is locked: the consent names it."
            );
            return met(text, Basis::clause("no route reads it while locked").into());
        }
        match choice(facts, FactKey::Root) {
            Some(("no", basis)) => met(
                format!(
                    "{label} is destroyed by the unlock. Without administrator rights nothing reads it before: the consent names it."
                ),
                basis,
            ),
            Some(_) => copied_first(&label, family, facts, at),
            None => not_known(
                family,
                facts,
                Rule::G1,
                FactKey::Root,
                &format!(
                    "{label} is destroyed by the unlock; with administrator rights it can be copied before. Does the running system give them?"
                ),
            ),
        }
    };
    family.destroyed().into_iter().map(line).collect()
}

/// The running system has the rights to copy it: that comes first.
fn copied_first(label: &Label, family: &Family, facts: &Facts, at: Standpoint) -> Line {
    let bit = Bit::FixedKept;
    if at.when == When::Later && bit.holds(at.state) {
        let text = format!("{label} is destroyed by the unlock, and was copied before.");
        return Line::met(Rule::G1, text, Basis::Ahead).row(bit);
    }
    let text = format!(
        "{label} is destroyed by the unlock, and the running system has the rights to copy it before: capture it first."
    );
    let need = Need::Carried {
        cure: Some(Cure::Capture),
    };
    let minutes = family.capture.usual_seconds.div_ceil(60);
    let line = Line::missing(Rule::G1, text, need)
        .minutes(minutes)
        .citing(facts, [FactKey::Root])
        .due(Due::Way);
    // Whoever is asked about the unlock now is told of it.
    if at.when == When::Later {
        line.row(bit)
    } else {
        line
    }
}
