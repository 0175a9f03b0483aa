//! Erasing the owner's data (`G5`): what would be lost is kept safe, nothing is being merged, the name was
//! typed.

use super::lines::owner::{accounts, screen_lock};
use super::{
    Args, Ask, Bit, Brings, Command, Doing, Ground, How, Kind, Line, Price, Shows, Standpoint,
    Takes, Touches, Words, arg, erased, in_mode, lock, open, settled, works,
};
use crate::consent::{Costs, data_lost, one};
use crate::dossier::{By, Dossier};
use crate::facts::Happening;
use crate::family::{Family, MoveBy, Role, RouteLock, WipeSpec};
use crate::goal::Goal;
use crate::mode::Lock;
use crate::rule::Rule;
use crate::state::{Axis, Presence, State};

/// Erases the owner's data.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Erase {
    /// Id of the family's way of erasing.
    pub way: String,
}

impl Kind for Erase {
    const TOUCHES: Touches = Touches::ERASES;

    fn instances(on: Ground<'_>) -> Vec<Self> {
        let ways = on.family().wipes.iter();
        ways.map(|spec| Self {
            way: spec.id.clone(),
        })
        .collect()
    }

    fn word(&self) -> &'static str {
        "wipe"
    }

    fn args(&self) -> Vec<(&'static str, String)> {
        vec![("way", self.way.clone())]
    }

    fn read(word: &str, args: &Args) -> Option<Self> {
        (word == "wipe").then(|| Self {
            way: arg(args, "way"),
        })
    }

    fn serves(&self, goal: Goal) -> bool {
        goal.slot().is_none()
    }

    fn rule(&self, _: &Dossier<'_>) -> Rule {
        Rule::G5
    }

    fn lines(&self, on: Ground<'_>, at: Standpoint) -> Vec<Line> {
        let (family, facts) = (on.family(), on.of.facts);
        let Some(spec) = family.wipe(&self.way) else {
            return vec![unknown_way(family, &self.way)];
        };
        let mut lines = vec![in_mode(Bit::InMode(spec.mode), spec.mode.shown(), on, at)];
        if spec.lock == RouteLock::Unlocked {
            let locked = "It is locked, and erases this way only when it is not.";
            lines.push(lock(Lock::Unlocked, locked, on, at).due(super::Due::Door));
        }
        let takes = Takes {
            menu: spec.menu.as_ref(),
            asks: spec.question.as_ref(),
            ..Takes::default()
        };
        lines.extend(works(takes, on, at));
        lines.extend(open(Axis::Data, at));
        lines.extend(settled(at));
        lines.extend([accounts(family, facts), screen_lock(family, facts)]);
        lines
    }

    fn after(&self, at: State, family: &Family) -> State {
        family.wipe(&self.way).map_or(at, |spec| State {
            mode: Some(spec.ends_in),
            ..erased(at)
        })
    }

    fn price(&self, _: State, family: &Family) -> Price {
        family
            .wipe(&self.way)
            .map_or_else(Price::default, |spec| Price {
                wipes: 1,
                ..Price::with_hands(spec.pace.usual_seconds, spec.effort)
            })
    }

    fn label(&self, at: State, family: &Family, name: &str) -> String {
        match family.wipe(&self.way).and_then(|spec| spec.label.as_ref()) {
            Some(label) => label.replace("{unit}", name),
            None => format!("{} of {name}", self.words(at, family).title),
        }
    }

    fn words(&self, _: State, family: &Family) -> Words {
        family.wipe(&self.way).map_or_else(
            || Words::titled("Erase the owner's data"),
            |spec| Words {
                question: spec.question.clone(),
                wipe: Some(spec.wipe),
                ..Words::titled(spec.title.clone()).stuck(spec.pace.stuck_seconds)
            },
        )
    }

    fn how(&self, family: &Family) -> How {
        family
            .wipe(&self.way)
            .map_or_else(How::default, |spec| How {
                menu: spec.menu.clone(),
                ..How::said(spec.hand.clone())
            })
    }

    fn costs(&self, of: &Dossier<'_>) -> Option<Costs> {
        let spec = of.family.wipe(&self.way)?;
        Some(Costs {
            rule: Rule::G5,
            stage: Some(format!("wipe {}", self.way)),
            consequences: vec![
                data_lost(spec.wipe),
                one(
                    "the rest",
                    "System, lock and what exists once stay as they are.",
                ),
            ],
        })
    }

    fn asks(&self, family: &Family) -> Vec<Ask> {
        let Some(spec) = family.wipe(&self.way) else {
            return Vec::new();
        };
        let lock = (spec.lock == RouteLock::Unlocked).then_some(Ask::Lock(Lock::Unlocked));
        [Ask::Mode(vec![spec.mode])].into_iter().chain(lock).collect()
    }

    fn doing(&self, family: &Family, by: By) -> Doing {
        match family.wipe(&self.way) {
            Some(spec) if is_commanded(spec) && by.link == Presence::Here => {
                Doing::Command(Command::EraseUserData)
            }
            _ => Doing::Hands,
        }
    }

    fn brings(&self, _: &Family) -> Brings {
        Brings {
            happened: vec![Happening::Wiped],
            facts: Vec::new(),
        }
    }

    fn shows(&self) -> Shows {
        Shows {
            besides: Some("It says that it has erased.".to_owned()),
            only_words: true,
            ..Shows::default()
        }
    }

    fn doubt(&self) -> Option<Happening> {
        Some(Happening::Wiped)
    }
}

/// Whether the link has a command for it. It has one set, the owner's data with what belongs to it: a way
/// that erases anything else has no command.
fn is_commanded(spec: &WipeSpec) -> bool {
    let is_owners = |role: &Role| role.spec().is_owners;
    spec.by == MoveBy::Link && spec.erases.iter().all(is_owners)
}

fn unknown_way(family: &Family, way: &str) -> Line {
    let text = format!("{} has no way `{way}` to erase.", family.name());
    Line::absent(Rule::G5, text)
}
