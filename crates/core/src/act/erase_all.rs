//! A whole erase (`G6`, `S6`). It is judged, and nothing here does it: a write tool's choice that erases
//! everything is a person's own act, and what can be done about it is said before.

use super::{
    Args, Doing, Ground, How, Kind, Line, Price, Standpoint, Touches, Words, arg, erased,
};
use crate::dossier::{By, Dossier};
use crate::evidence::{Cure, Need};
use crate::facts::{FactKey, Facts};
use crate::family::{Advice, Family, Role, ToolChoice, ToolErases, Wipe};
use crate::goal::Goal;
use crate::rule::Rule;
use crate::tool::erases_everything;
use crate::state::State;

/// Erases everything, by a choice of the maker's write tool.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct EraseAll {
    /// Id of the choice.
    pub choice: String,
}

impl EraseAll {
    /// The choice that stands ticked in the write tool, when it erases everything.
    #[must_use]
    pub fn ticked(family: &Family, facts: &Facts) -> Option<Self> {
        let choice = erases_everything(family, facts)?.id.clone();
        Some(Self { choice })
    }

    fn spec<'f>(&self, family: &'f Family) -> Option<&'f ToolChoice> {
        family
            .tool_choices
            .iter()
            .find(|choice| choice.id == self.choice && choice.erases == ToolErases::Everything)
    }
}

impl Kind for EraseAll {
    const TOUCHES: Touches = Touches::WRITES.and(Touches::ERASES);

    fn instances(_: Ground<'_>) -> Vec<Self> {
        // No sheet takes one.
        Vec::new()
    }

    fn word(&self) -> &'static str {
        "erase-all"
    }

    fn args(&self) -> Vec<(&'static str, String)> {
        vec![("choice", self.choice.clone())]
    }

    fn read(word: &str, args: &Args) -> Option<Self> {
        (word == "erase-all").then(|| Self {
            choice: arg(args, "choice"),
        })
    }

    fn serves(&self, _: Goal) -> bool {
        false
    }

    fn rule(&self, _: &Dossier<'_>) -> Rule {
        Rule::G6
    }

    /// One line for each partition that exists once, with how it is kept, and the choice that would do
    /// instead.
    fn lines(&self, on: Ground<'_>, _: Standpoint) -> Vec<Line> {
        let (family, facts) = (on.family(), on.of.facts);
        let Some(choice) = self.spec(family) else {
            return Vec::new();
        };
        let mut lines = Vec::new();
        let instead = family
            .tool_choices
            .iter()
            .find(|other| other.advice == Advice::Take && other.erases == ToolErases::Nothing);
        if let Some(instead) = instead {
            let unless = if choice.unless.is_empty() {
                String::new()
            } else {
                format!(" Unless: {}", choice.unless)
            };
            let instruction = format!(
                "Tick {} in the write tool, then note {} here.",
                instead.title, instead.id
            );
            lines.push(
                Line::missing(
                    Rule::S6,
                    format!(
                        "{} stands ticked; {} does without it. {}{unless}",
                        choice.title, instead.title, choice.reason
                    ),
                    Cure::DoThenType {
                        key: FactKey::ToolChoice,
                        instruction,
                    }
                    .by_person(),
                )
                .minutes(1)
                .citing(facts, [FactKey::ToolChoice]),
            );
        }
        let kept = on.of.coverage.filter(|_| !on.of.captures.is_empty());
        match kept {
            Some(coverage) => {
                let kept = coverage.lines.iter().cloned();
                lines.extend(kept.map(|line| line.under(Rule::G6)));
            }
            None => lines.extend(
                family
                    .partitions
                    .iter()
                    .filter(|part| part.role == Role::DeviceUnique)
                    .map(|part| {
                        Line::missing(
                            Rule::G6,
                            format!(
                                "{} exists once and is kept nowhere: read it out first.",
                                part.label
                            ),
                            Need::Carried {
                                cure: Some(Cure::Capture),
                            },
                        )
                    }),
            ),
        }
        lines
    }

    fn after(&self, at: State, _: &Family) -> State {
        erased(at)
    }

    fn price(&self, _: State, _: &Family) -> Price {
        Price {
            wipes: 1,
            risk: 1,
            ..Price::default()
        }
    }

    fn label(&self, _: State, _: &Family, name: &str) -> String {
        format!("Erase everything on {name}")
    }

    fn words(&self, _: State, family: &Family) -> Words {
        let spec = self.spec(family);
        Words {
            wipe: Some(Wipe::FormatData),
            ..Words::titled(spec.map_or("Erase everything", |spec| spec.title.as_str()))
        }
    }

    fn how(&self, _: &Family) -> How {
        How::default()
    }

    fn doing(&self, _: &Family, _: By) -> Doing {
        Doing::Hands
    }
}
