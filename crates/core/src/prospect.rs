//! How a goal stands before it is chosen: there already, open, open after some things, or no way; and what
//! reaching it costs.

use serde::Serialize;

use crate::act::Touches;
use crate::evidence::Line;
use crate::goal::{Goal, GoalKind};
use crate::mode::Lock;
use crate::permission::sentence;
use crate::plan::due::in_the_way;
use crate::plan::{NoPlan, Reach, Sheet};
use crate::rule::Rule;

/// How a goal stands.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
#[serde(tag = "is", rename_all = "kebab-case")]
pub enum Prospect {
    /// Nothing is to be done.
    ThereAlready,
    /// Its sheet can begin.
    Open,
    /// Its sheet can begin once so many things are met.
    After {
        /// How many.
        things: u32,
        /// The first of them.
        first: String,
    },
    /// No sheet leads there that could be finished.
    NoWay {
        /// Why, and what it would take.
        because: String,
        /// The rule behind it, where one is.
        rule: Option<Rule>,
    },
}

/// A goal with how it stands and what it costs.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct Judged {
    /// How it stands.
    pub prospect: Prospect,
    /// What reaching it comes to: whatever erases or can't be undone changes the unit, whatever the goal itself
    /// comes to.
    pub kind: GoalKind,
    /// Seconds with hands on the device.
    pub hands_on_seconds: u32,
    /// Seconds of waiting.
    pub waiting_seconds: u32,
    /// Wipes of the owner's data.
    pub wipes: u32,
    /// Steps without a way back.
    pub no_returns: u32,
    /// Whether its sheet leads to a look for now, and is planned on from what is seen there.
    pub to_a_look: bool,
    /// All of that in a line: how it stands, and what it costs.
    pub said: String,
}

/// Judges a goal by the sheet that was found for it, and what must be there before that begins.
#[must_use]
pub fn judge(goal: Goal, found: Result<&Sheet, &NoPlan>, before: &[Line]) -> Judged {
    let sheet = match found {
        Ok(sheet) => sheet,
        Err(why) => {
            let because = sentence(&why.to_string());
            return Judged {
                said: format!("No way: {because}"),
                prospect: Prospect::NoWay {
                    because,
                    rule: None,
                },
                kind: goal.kind(),
                hands_on_seconds: 0,
                waiting_seconds: 0,
                wipes: 0,
                no_returns: 0,
                to_a_look: false,
            };
        }
    };
    let head = &sheet.head;
    let is_changed = head.wipes > 0
        || head.no_returns > 0
        || sheet
            .steps
            .iter()
            .any(|step| step.permitted && step.act.most().any(Touches::WRITES));
    // What the goal is about is read to be so already, and nothing is sent on the way: what is left leads back.
    let lock = sheet.steps.first().and_then(|step| step.before.lock);
    let is_read = match goal {
        Goal::Unlock => lock == Some(Lock::Unlocked),
        Goal::Relock => lock == Some(Lock::Locked),
        _ => false,
    };
    let is_there = is_read && sheet.steps.iter().all(|step| !step.permitted);
    let prospect = match is_there {
        true => Prospect::ThereAlready,
        false => prospect(sheet, before),
    };
    Judged {
        said: said(&prospect, sheet),
        prospect,
        kind: match is_changed {
            true => GoalKind::Changes,
            false => goal.kind(),
        },
        hands_on_seconds: head.hands_on_seconds,
        waiting_seconds: head.waiting_seconds,
        wipes: head.wipes,
        no_returns: head.no_returns,
        to_a_look: sheet.reach == Reach::FirstLook,
    }
}

/// How it stands and what it costs, in a line.
fn said(prospect: &Prospect, sheet: &Sheet) -> String {
    let head = &sheet.head;
    let seconds = head.hands_on_seconds + head.waiting_seconds;
    let counted = |count: u32, one: &str| match count {
        0 => None,
        1 => Some(format!("1 {one}")),
        many => Some(format!("{many} {one}s")),
    };
    let time = match seconds {
        0..60 => format!("{seconds} s"),
        _ => format!("{} min", seconds.div_ceil(60)),
    };
    let costs: Vec<String> = [
        Some(time),
        counted(head.wipes, "wipe"),
        counted(head.no_returns, "step").map(|steps| format!("{steps} without return")),
        (sheet.reach == Reach::FirstLook).then(|| "to a look first, then on".to_owned()),
    ]
    .into_iter()
    .flatten()
    .collect();
    let costs = costs.join(", ");
    match prospect {
        Prospect::ThereAlready => "There already.".to_owned(),
        Prospect::Open => format!("Open: {costs}."),
        Prospect::After { things, first } => {
            let first = first.trim_end_matches('.');
            let things = counted(*things, "thing").unwrap_or_default();
            format!("After {things} ({first}): {costs}.")
        }
        Prospect::NoWay { because, .. } => format!("No way: {because}"),
    }
}

fn prospect(sheet: &Sheet, before: &[Line]) -> Prospect {
    if let Some(why) = sheet.why_not.first() {
        return Prospect::NoWay {
            because: why.text.clone(),
            rule: Some(why.rule),
        };
    }
    if sheet.steps.is_empty() {
        return Prospect::ThereAlready;
    }
    let open = in_the_way(before);
    if let Some(line) = open.iter().find(|line| line.absence().is_some()) {
        return Prospect::NoWay {
            because: line.text.clone(),
            rule: Some(line.rule),
        };
    }
    match open.first() {
        None => Prospect::Open,
        Some(first) => Prospect::After {
            things: u32::try_from(open.len()).unwrap_or(u32::MAX),
            first: first.text.clone(),
        },
    }
}

#[cfg(test)]
mod tests {
    use std::fmt::Write as _;

    use super::*;
    use crate::dossier::Dossier;
    use crate::facts::testing::{at, facts};
    use crate::facts::{FactKey, Facts};
    use crate::family::testing::shipped;
    use crate::plan::due::preparations;
    use crate::standing::plan_for;
    use crate::state::{Presence, State};

    fn judged(codename: &str, goal: Goal, facts: &Facts) -> Judged {
        let family = shipped(codename);
        let mut of = Dossier::new(&family, facts, at(100));
        of.by.link = Presence::Here;
        let found = plan_for(&of, State::from_facts(facts), goal, None);
        let before = found.as_ref().map(|sheet| preparations(sheet, &of));
        judge(goal, found.as_ref(), &before.unwrap_or_default())
    }

    #[test]
    fn a_goal_is_there_open_after_some_things_or_no_way() {
        let known = facts(&[
            (FactKey::Mode, "system"),
            (FactKey::Lock, "locked"),
            (FactKey::Debugging, "on"),
            (FactKey::Battery, "90"),
        ]);
        let gimbal = |goal| judged("gimbal", goal, &known);
        assert_eq!(gimbal(Goal::ToSystem).prospect, Prospect::ThereAlready);
        assert_eq!(gimbal(Goal::ToBootloader).prospect, Prospect::Open);
        assert!(matches!(
            gimbal(Goal::Erase).prospect,
            Prospect::After { things: 1.., .. }
        ));
        // No custom recovery lies there, and going to one writes none.
        let no_way = judged("kelpie", Goal::ToCustomRecovery, &known).prospect;
        assert!(matches!(no_way, Prospect::NoWay { .. }), "{no_way:?}");
    }

    #[test]
    fn what_erases_on_its_way_is_no_reading() {
        let known = |lock| {
            facts(&[
                (FactKey::Mode, "system"),
                (FactKey::Lock, lock),
                (FactKey::Debugging, "on"),
                (FactKey::Recovery, "stock"),
            ])
        };
        let family = "gimbal";
        let locked = judged(family, Goal::BackUp, &known("locked"));
        let open = judged(family, Goal::BackUp, &known("unlocked"));
        for judged in [&locked, &open] {
            let erases = judged.wipes > 0 || judged.no_returns > 0;
            assert_eq!(erases, judged.kind == GoalKind::Changes, "{judged:?}");
        }
    }

    /// Every goal of every family, met in its running system with a link, locked and unlocked: the table of
    /// what is promised.
    #[test]
    fn what_is_promised_on_each_family() {
        let mut table = String::new();
        for (file, _) in crate::family::SHIPPED {
            let codename = file.trim_end_matches(".toml");
            let family = shipped(codename);
            for lock in ["locked", "unlocked"] {
                let known = facts(&[
                    (FactKey::Mode, "system"),
                    (FactKey::Lock, lock),
                    (FactKey::Debugging, "on"),
                    (FactKey::Battery, "90"),
                    (FactKey::Ownership, "mine"),
                ]);
                writeln!(table, "{codename}, {lock}").unwrap();
                for goal in Goal::ALL.into_iter().filter(|goal| goal.fits(&family)) {
                    let judged = judged(codename, goal, &known);
                    let stands = match &judged.prospect {
                        Prospect::ThereAlready => "there already".to_owned(),
                        Prospect::Open => "open".to_owned(),
                        Prospect::After { things, first } => format!("after {things}: {first}"),
                        Prospect::NoWay { because, .. } => format!("no way: {because}"),
                    };
                    let wipes = judged.wipes;
                    writeln!(
                        table,
                        "  {}: {stands} [{:?}, {wipes} wipes]",
                        goal.id(),
                        judged.kind
                    )
                    .unwrap();
                }
            }
        }
        insta::assert_snapshot!(table);
    }

    #[test]
    fn every_goal_of_every_family_has_a_prospect_and_says_what_it_is_good_for() {
        for codename in [
            "saltern", "kelpie", "lodestar", "mooring", "thimble", "gimbal", "cinder", "halyard",
        ] {
            let family = shipped(codename);
            for goal in Goal::ALL.into_iter().filter(|goal| goal.fits(&family)) {
                let judged = judged(codename, goal, &facts(&[(FactKey::Mode, "system")]));
                if let Prospect::NoWay { because, .. } = &judged.prospect {
                    assert!(
                        because.ends_with('.') && because.len() > 20,
                        "{codename} {goal:?}: {because}"
                    );
                }
                assert!(goal.good_for().ends_with('.'));
            }
        }
    }
}
