//! What else there is to say of a unit as it stands, beside the unlock: how it would be read,
//! whether it may be locked again, what an erase that stands ticked would take, why it does not
//! start. Each is a list of evidence of its own, read as it is.

use serde::Serialize;

use crate::act::{Act, EraseAll, Ground, Relock, Standpoint, before_foreign, list};
use crate::dossier::Dossier;
use crate::evidence::{Cure, Due, Line, Need};
use crate::mode::Lock;
use crate::route::way_to_read;
use crate::rule::Rule;
use crate::tool::{choices, erases_everything};
use crate::triage::{self, WayOut};

/// What it is about.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, utoipa::ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum OutlookOf {
    /// It does not start, or lost something.
    Symptom,
    /// An erase of everything stands ticked.
    WholeErase,
    /// What else stands ticked in the write tool.
    Tool,
    /// How what exists once is read.
    ReadOut,
    /// Writing anything foreign to it.
    Foreign,
    /// Locking it again.
    Relock,
}

/// How it comes out.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, utoipa::ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Outcome {
    /// Nothing is in the way.
    Open,
    /// After what is listed.
    After,
    /// Not as things are.
    Refused,
}

/// One such judgement.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct Outlook {
    /// What it is about.
    pub of: OutlookOf,
    /// How it comes out.
    pub outcome: Outcome,
    /// In one sentence.
    pub sentence: String,
    /// Goals that carry a way out of it out, the likelier first.
    pub ways: Vec<WayOut>,
    /// The lines it rests on.
    #[serde(rename = "items")]
    pub lines: Vec<Line>,
}

/// Everything beside the unlock, the most pressing first.
pub(super) fn outlook(of: &Dossier<'_>) -> Vec<Outlook> {
    let mut all: Vec<Outlook> = [
        symptom(of),
        whole_erase(of),
        tool(of),
        read_out(of),
        foreign(of),
        relock(of),
    ]
    .into_iter()
    .flatten()
    .collect();
    // What is refused is read first, among the others the order above holds.
    all.sort_by_key(|one| {
        (
            one.of != OutlookOf::Symptom,
            one.outcome != Outcome::Refused,
        )
    });
    all
}

fn symptom(of: &Dossier<'_>) -> Option<Outlook> {
    let causes = triage::causes(of.family, of.facts, of.captures.len());
    let first = causes.first()?;
    let sentence = match (first.rule, triage::lower_mode(of.family)) {
        (Rule::T5, Some(mode)) => format!(
            "{} does not start. Bring it to {mode} and find out which of these it is; write nothing before.",
            of.nickname
        ),
        _ => format!(
            "{} may have lost something that exists once; write nothing before that is clear.",
            of.nickname
        ),
    };
    let mut ways: Vec<WayOut> = Vec::new();
    for way in causes.iter().filter_map(|cause| cause.by) {
        if !ways.contains(&way) {
            ways.push(way);
        }
    }
    let lines = causes
        .into_iter()
        .map(|cause| {
            let text = format!("{} {} Then: {}", cause.text, cause.test, cause.way_out);
            Line::unknown(cause.rule, text, Need::Carried { cure: None })
        })
        .collect();
    Some(Outlook {
        of: OutlookOf::Symptom,
        ways,
        outcome: Outcome::After,
        sentence,
        lines,
    })
}

fn whole_erase(of: &Dossier<'_>) -> Option<Outlook> {
    let act: Act = EraseAll::ticked(of.family, of.facts)?.into();
    // What it would take is what is told here; what anything that erases asks for is not repeated.
    let its_own = [Rule::S6, Rule::G6];
    let mut lines = list(&act, Ground::plain(of), Standpoint::now(of)).into_lines();
    lines.retain(|line| its_own.contains(&line.rule));
    let open = lines.iter().filter(|line| !line.is_met());
    let rules: Vec<Rule> = open.map(|line| line.rule).collect();
    if lines.is_empty() {
        return None;
    }
    let once = rules.iter().filter(|rule| **rule == Rule::G6).count();
    let offered = lines
        .iter()
        .find(|line| line.rule == Rule::S6)
        .map_or("", |_| "; the choice without it is offered");
    Some(Outlook {
        of: OutlookOf::WholeErase,
        ways: Vec::new(),
        outcome: if rules.is_empty() {
            Outcome::Open
        } else {
            Outcome::Refused
        },
        sentence: match once {
            0 => format!("A whole erase of {} stands ticked{offered}.", of.nickname),
            once => format!(
                "A whole erase of {} is refused: {once} partitions that exist once would go{offered}.",
                of.nickname
            ),
        },
        lines,
    })
}

/// What stands ticked in the write tool, where an erase of everything does not stand above it all.
fn tool(of: &Dossier<'_>) -> Option<Outlook> {
    let lines = choices(of.family, of.facts);
    if lines.is_empty() || erases_everything(of.family, of.facts).is_some() {
        return None;
    }
    let open = lines.iter().filter(|line| !line.is_met()).count();
    let (outcome, sentence) = match open {
        0 => (
            Outcome::Open,
            "What stands ticked in the write tool is as it should be.".to_owned(),
        ),
        1 => (
            Outcome::After,
            "One thing in the write tool is to be changed before Start.".to_owned(),
        ),
        more => (
            Outcome::After,
            format!("{more} things in the write tool are to be changed before Start."),
        ),
    };
    Some(Outlook {
        of: OutlookOf::Tool,
        ways: Vec::new(),
        outcome,
        sentence,
        lines,
    })
}

/// Only while nothing is kept and nothing stands between a mistake and the only copy.
fn read_out(of: &Dossier<'_>) -> Option<Outlook> {
    let family = of.family;
    let is_bare = of.captures.is_empty()
        && (family.stages.is_empty() || of.facts.lock() == Some(Lock::Unlocked));
    let line = way_to_read(family, of.facts).filter(|_| is_bare)?;
    let name = of.nickname;
    let (outcome, sentence) = match line.rule {
        Rule::G3 if family.is_read_by_writing() => (
            Outcome::After,
            format!("{name} is read out by a recovery that is written first."),
        ),
        Rule::G3 => (
            Outcome::Refused,
            format!(
                "{name} is read out by a recovery alone, and this family keeps none that is written here."
            ),
        ),
        _ => (
            Outcome::Open,
            format!("{name} can be read out without writing to it."),
        ),
    };
    Some(Outlook {
        of: OutlookOf::ReadOut,
        ways: Vec::new(),
        outcome,
        sentence,
        lines: vec![line],
    })
}

/// What its own screens must say before anything foreign is written (`L5`).
fn foreign(of: &Dossier<'_>) -> Option<Outlook> {
    if of.facts.lock() != Some(Lock::Unlocked) {
        return None;
    }
    let lines = before_foreign(of.family, of.facts);
    let open = lines.iter().filter(|line| !line.is_met()).count();
    if lines.is_empty() {
        return None;
    }
    let name = of.nickname;
    let (outcome, sentence) = if open == 0 {
        (
            Outcome::Open,
            format!("{name}'s own screens let foreign bytes in."),
        )
    } else {
        (
            Outcome::After,
            format!(
                "Before anything foreign is written to {name}, {open} of {} lines must read as the maker has them.",
                lines.len()
            ),
        )
    };
    Some(Outlook {
        of: OutlookOf::Foreign,
        ways: Vec::new(),
        outcome,
        sentence,
        lines,
    })
}

fn relock(of: &Dossier<'_>) -> Option<Outlook> {
    let family = of.family;
    if family.stages.is_empty() || of.facts.lock() != Some(Lock::Unlocked) {
        return None;
    }
    // What they ask for is the same for every stage.
    let stage = family.relock.order.first();
    let stage = stage.map_or_else(String::new, Clone::clone);
    let act: Act = Relock { stage }.into();
    let mut lines = list(&act, Ground::plain(of), Standpoint::now(of)).into_lines();
    // What is read or given on the way is for its step.
    lines.retain(|line| line.due <= Due::Way);
    let name = of.nickname;
    let foreign = lines.iter().find_map(|line| match line.cure() {
        Some(Cure::PutStock { labels }) if line.rule == Rule::R7 => Some(labels),
        _ => None,
    });
    let open = lines.iter().filter(|line| !line.is_met()).count();
    let barred = lines.iter().find(|line| line.absence().is_some());
    let (outcome, sentence) = match (foreign, open) {
        (None, _) if barred.is_some() => (
            Outcome::Refused,
            format!(
                "{name} can't be locked again here as things are; the line that bars it says why."
            ),
        ),
        (Some(labels), _) => {
            let labels: Vec<String> = labels.iter().map(ToString::to_string).collect();
            let verb = if labels.len() == 1 { "is" } else { "are" };
            (
                Outcome::Refused,
                format!(
                    "Locking {name} again is refused: {} {verb} not the maker's.",
                    labels.join(", ")
                ),
            )
        }
        (None, 0) => (
            Outcome::Open,
            format!("{name} can be locked again; the sheet asks for consent."),
        ),
        (None, open) => (
            Outcome::After,
            match open {
                1 => format!("{name} can be locked again after one thing."),
                open => format!("{name} can be locked again after {open} things."),
            },
        ),
    };
    Some(Outlook {
        of: OutlookOf::Relock,
        ways: Vec::new(),
        outcome,
        sentence,
        lines,
    })
}
