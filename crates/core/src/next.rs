//! The next step that is honest now, and why: one sentence and one button for each unit.

use serde::Serialize;
use veritope_wire::Label;

use crate::captured::Rest;
use crate::coverage::Overdue;
use crate::evidence::{Cure, Line};
use crate::facts::{FactKey, Facts, Happening};
use crate::family::Family;
use crate::goal::Goal;
use crate::mode::{Mode, RecoveryKind};
use crate::rule::Rule;
use crate::standing::{Standing, Verdict};
use crate::started::restores_on;

/// Where a next step leads.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, utoipa::ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum NextPlace {
    /// The standing station.
    Standing,
    /// The backups station.
    Backups,
    /// The run station.
    Run,
    /// The log.
    Log,
}

/// The next step that is honest now.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct NextStep {
    /// What and why, in one sentence.
    pub sentence: String,
    /// Words for the button.
    pub label: String,
    /// Where it leads.
    pub place: NextPlace,
}

/// A stretch of a copy that was found damaged (`B7`).
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Damage<'a> {
    /// The place that the copy lies in.
    pub place: &'a str,
    /// The partition.
    pub label: Option<&'a Label>,
    /// The frame, when only one is damaged.
    pub frame: Option<u64>,
    /// A place with a sound copy of the same capture.
    pub sound: Option<&'a str>,
}

/// How a unit's run stands.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum RunNow<'a> {
    /// There is none, or it was stopped.
    None,
    /// Under way, with the title of its next step.
    UnderWay(Option<&'a str>),
    /// It has reached its goal.
    Reached(Leaves),
}

/// What a goal that is reached leaves to see: no job ends without a start of the system, which belongs to the end of
/// all that was asked for, and a recovery that stays is looked at once more after it (`Q13`, `M11`).
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Leaves {
    /// Nothing.
    Nothing,
    /// Its system is started.
    Start,
    /// The recovery is looked at once more.
    Look,
}

impl Leaves {
    /// What `goal` leaves, on a unit of `family` of which so much is known. Where a start puts the maker's recovery
    /// back, the recovery is for a session, and no start belongs to it.
    #[must_use]
    pub fn of(goal: Goal, family: &Family, facts: &Facts) -> Self {
        let recovery = facts.known(FactKey::Recovery);
        let custom = facts.recovery() == Some(RecoveryKind::Custom);
        let Some(seen) = recovery.filter(|_| custom && !restores_on(family, facts)) else {
            return Self::Nothing;
        };
        match (goal, facts.mode()) {
            (Goal::KeepRecovery | Goal::Renew, Some(Mode::CustomRecovery)) => Self::Start,
            (Goal::ToSystem, Some(Mode::System))
                if facts.last(Happening::SystemRan) > Some(seen.at) =>
            {
                Self::Look
            }
            _ => Self::Nothing,
        }
    }
}

/// Everything that the choice looks at.
#[derive(Debug, Clone, Copy)]
pub struct NextInput<'a> {
    /// The judgement.
    pub standing: &'a Standing,
    /// A partition whose write was interrupted.
    pub torn: Option<&'a Label>,
    /// How what exists once is kept.
    pub kept: &'a [Line],
    /// Whether what runs now reads partitions, and whether anything changes meanwhile.
    pub reads: Option<Rest>,
    /// What was found damaged.
    pub damage: Option<Damage<'a>>,
    /// A copy that nobody read back for too long.
    pub overdue: Option<Overdue<'a>>,
    /// The run.
    pub run: RunNow<'a>,
}

/// Chooses the next step. What can be lost for good comes before any goal: an interrupted write, a
/// loss, a damaged copy, then the run, then the only copy there is, then the verdict.
#[must_use]
pub fn next_step(input: &NextInput<'_>) -> NextStep {
    let to = |sentence: String, label: &str, place: NextPlace| NextStep {
        sentence,
        label: label.to_owned(),
        place,
    };
    let backups = |sentence: String| to(sentence, "To the backups", NextPlace::Backups);
    if let Some(label) = input.torn {
        return backups(format!(
            "A write of {label} was interrupted: put it back first."
        ));
    }
    let lost = input
        .kept
        .iter()
        .find(|line| line.cure() == Some(&Cure::PutBack));
    if let Some(line) = lost {
        return backups(line.text.clone());
    }
    if let Some(damage) = input.damage {
        return backups(damaged(damage));
    }
    // Whoever is at a step does not leave it for that.
    if let Some(Overdue { place, days }) = input.overdue
        && !matches!(input.run, RunNow::UnderWay(_))
    {
        return backups(format!(
            "The copy in {place} was read back {days} days ago, and counts for 180 days: read it back once more."
        ));
    }
    match input.run {
        RunNow::None => {}
        RunNow::UnderWay(title) => {
            let sentence = title.map_or_else(
                || "The run goes on.".to_owned(),
                |title| format!("The run goes on with: {}.", title.to_lowercase()),
            );
            return to(sentence, "Go on", NextPlace::Run);
        }
        RunNow::Reached(leaves) => {
            let (sentence, label, place) = match leaves {
                Leaves::Nothing => (
                    "The goal is reached; the log tells how.",
                    "Read the log",
                    NextPlace::Log,
                ),
                Leaves::Start => (
                    "The recovery runs. No job ends without a start of the system: start it, and look at the recovery once more after it.",
                    Goal::ToSystem.shown(),
                    NextPlace::Run,
                ),
                Leaves::Look => (
                    "The system starts. Whether the recovery is still there shows when it runs once more.",
                    Goal::ToCustomRecovery.shown(),
                    NextPlace::Run,
                ),
            };
            return to(sentence.to_owned(), label, place);
        }
    }
    let standing = input.standing;
    // Nothing stands between a mistake and the only copy there is.
    let bare = standing
        .findings
        .iter()
        .find(|finding| finding.rule == Rule::B6);
    if let Some(finding) = bare {
        let sentence = finding.text.clone();
        return match input.reads {
            Some(_) => backups(sentence),
            // A sheet leads to where it can be read.
            None => to(sentence, Goal::BackUp.shown(), NextPlace::Run),
        };
    }
    match &standing.verdict {
        Verdict::NotKnownYet => {
            let sentence = standing.next_check.as_ref().map_or_else(
                || standing.sentence.clone(),
                |check| format!("Find out first: {}; it decides most.", check.title),
            );
            to(sentence, "Find out", NextPlace::Standing)
        }
        Verdict::ReadyAfter { .. } if standing.lines.iter().any(|line| !line.is_met()) => {
            let first = standing.lines.iter().find(|line| !line.is_met());
            let sentence =
                first.map_or_else(|| standing.sentence.clone(), |line| line.text.clone());
            to(sentence, "Complete the list", NextPlace::Standing)
        }
        Verdict::Ready | Verdict::ReadyAfter { .. } => to(
            "All that an unlock needs is there; the sheet shows every step before it begins."
                .to_owned(),
            "See the sheet",
            NextPlace::Run,
        ),
        Verdict::AlreadyUnlocked { .. } | Verdict::NoLock => to(
            "Choose what to do with it; the sheet shows every step.".to_owned(),
            "Choose",
            NextPlace::Run,
        ),
        Verdict::WaitUntil { .. } | Verdict::AskTheVendor { .. } | Verdict::NotPossible { .. } => {
            let sentence = standing.because.as_ref().unwrap_or(&standing.sentence);
            to(sentence.clone(), "See why", NextPlace::Standing)
        }
    }
}

fn damaged(damage: Damage<'_>) -> String {
    let frame = damage
        .frame
        .map_or_else(String::new, |frame| format!(", frame {frame}"));
    let cure = damage.sound.map_or_else(
        || "take a capture anew".to_owned(),
        |place| format!("repair it from {place}"),
    );
    let what = damage
        .label
        .map_or_else(|| "its manifest".to_owned(), ToString::to_string);
    format!(
        "A copy in {} is damaged: {what}{frame}; {cure}.",
        damage.place
    )
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::budget::Policy;
    use crate::coverage::testing::capture;
    use crate::dossier::Dossier;
    use crate::evidence::Need;
    use crate::facts::testing::facts;
    use crate::family::testing::gimbal;
    use crate::plan::testing::{Ways, known};
    use crate::standing::{Depth, StandingInput, judge};

    fn standing(pairs: &[(FactKey, &str)], captures: usize) -> Standing {
        let (family, facts) = (gimbal(), facts(pairs));
        let captures: Vec<_> = (0..captures).map(|n| capture(n as u64, 1)).collect();
        judge(&StandingInput {
            nickname: "Ruff",
            facts: &facts,
            of: Some(Dossier {
                nickname: "Ruff",
                captures: &captures,
                ..known(&family, &facts, Ways::ALL)
            }),
            policy: &Policy::usual(),
            depth: Depth::Row,
        })
    }

    /// Each thing that can be lost for good stands before all that comes after it.
    #[test]
    fn what_can_be_lost_for_good_comes_first() {
        let standing = standing(&[(FactKey::Lock, "unlocked")], 0);
        let (vendor, persist): (Label, Label) =
            ("vendor".parse().unwrap(), "persist".parse().unwrap());
        let need = Need::Person {
            cure: Cure::PutBack,
        };
        let lost = Line::missing(Rule::B5, "persist is blank now: put it back.", need);
        let whole = NextInput {
            standing: &standing,
            torn: Some(&vendor),
            kept: &[lost],
            reads: Some(Rest::AtRest),
            damage: Some(Damage {
                place: "this bench",
                label: Some(&persist),
                frame: Some(0),
                sound: Some("stick"),
            }),
            overdue: Some(Overdue {
                place: "stick",
                days: 200,
            }),
            run: RunNow::UnderWay(Some("Write the recovery")),
        };
        let no_tear = NextInput {
            torn: None,
            ..whole
        };
        let no_loss = NextInput {
            kept: &[],
            ..no_tear
        };
        let no_damage = NextInput {
            damage: None,
            ..no_loss
        };
        let old = NextInput {
            run: RunNow::Reached(Leaves::Nothing),
            ..no_damage
        };
        let no_run = NextInput {
            run: RunNow::None,
            overdue: None,
            ..no_damage
        };
        let said: Vec<String> = [whole, no_tear, no_loss, no_damage, old, no_run]
            .iter()
            .map(|input| next_step(input).sentence)
            .collect();
        assert_eq!(
            said[0],
            "A write of vendor was interrupted: put it back first."
        );
        assert_eq!(said[1], "persist is blank now: put it back.");
        assert_eq!(
            said[2],
            "A copy in this bench is damaged: persist, frame 0; repair it from stick."
        );
        assert_eq!(said[3], "The run goes on with: write the recovery.");
        assert!(said[4].starts_with("The copy in stick was read back 200 days ago"));
        assert!(said[5].starts_with("No copy is kept of what exists once"));
        let unread = NextInput {
            reads: None,
            ..no_run
        };
        let to = |input| next_step(input).place;
        assert_eq!(
            (to(&no_run), to(&unread)),
            (NextPlace::Backups, NextPlace::Run)
        );
    }

    #[test]
    fn kept_and_open_leaves_the_choice_and_a_reached_goal_the_log() {
        let standing = standing(&[(FactKey::Lock, "unlocked")], 1);
        let input = NextInput {
            standing: &standing,
            torn: None,
            kept: &[],
            reads: None,
            damage: None,
            overdue: None,
            run: RunNow::None,
        };
        assert_eq!(next_step(&input).place, NextPlace::Run);
        let reached = NextInput {
            run: RunNow::Reached(Leaves::Nothing),
            ..input
        };
        assert_eq!(next_step(&reached).place, NextPlace::Log);
    }

    /// `Q13`, `M11`: a recovery that stays is left with a start of the system, and that with another look at it.
    #[test]
    fn a_start_belongs_to_the_end_and_a_look_comes_after_it() {
        use crate::facts::Source;
        use crate::facts::testing::{at, row};
        use crate::family::testing::shipped;
        let leaves = |codename: &str, goal, mode: &str, ran: i64| {
            let rows = [
                row(1, FactKey::Recovery, "custom", Source::Link, 5),
                row(2, FactKey::Mode, mode, Source::Link, 9),
            ];
            let facts = Facts::new(&rows, &[], [(Happening::SystemRan, at(ran))]);
            Leaves::of(goal, &shipped(codename), &facts)
        };
        let custom = "custom-recovery";
        assert_eq!(
            leaves("halyard", Goal::KeepRecovery, custom, 1),
            Leaves::Start
        );
        assert_eq!(leaves("halyard", Goal::Renew, custom, 1), Leaves::Start);
        assert_eq!(leaves("halyard", Goal::ToSystem, "system", 8), Leaves::Look);
        // Seen since it ran, or gone with each start.
        assert_eq!(
            leaves("halyard", Goal::ToSystem, "system", 1),
            Leaves::Nothing
        );
        assert_eq!(
            leaves("halyard", Goal::ToCustomRecovery, custom, 1),
            Leaves::Nothing
        );
        assert_eq!(
            leaves("kelpie", Goal::KeepRecovery, custom, 1),
            Leaves::Nothing
        );
        assert_eq!(leaves("halyard", Goal::BackUp, custom, 1), Leaves::Nothing);
    }
}
