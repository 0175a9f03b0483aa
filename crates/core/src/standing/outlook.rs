//! What else there is to say of a unit as it stands, beside the unlock: how it would be read,
//! whether it may be locked again, what an erase that stands ticked would take, why it does not
//! start. Each is a list of evidence of its own, read as it is.

use serde::Serialize;

use super::StandingInput;
use crate::family::Family;
use crate::mode::Lock;
use crate::route::way_to_read;
use crate::rule::Rule;
use crate::seal::{self, Cure, Item, ItemState, RelockEvidence};
use crate::triage;

/// What it is about.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, utoipa::ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum OutlookOf {
    /// It does not start, or lost something.
    Symptom,
    /// An erase of everything stands ticked.
    WholeErase,
    /// How what exists once is read.
    ReadOut,
    /// Writing anything foreign to it.
    Foreign,
    /// Locking it again.
    Relock,
}

/// How it comes out.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, utoipa::ToSchema)]
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
    /// The lines it rests on.
    pub items: Vec<Item>,
}

/// Everything beside the unlock, the most pressing first.
pub(super) fn outlook(family: &Family, input: &StandingInput<'_>) -> Vec<Outlook> {
    let mut all: Vec<Outlook> = [
        symptom(family, input),
        whole_erase(family, input),
        read_out(family, input),
        foreign(family, input),
        relock(family, input),
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

fn symptom(family: &Family, input: &StandingInput<'_>) -> Option<Outlook> {
    let causes = triage::causes(family, input.facts, input.captures);
    let first = causes.first()?;
    let sentence = match (first.rule, triage::lower_mode(family)) {
        (Rule::T5, Some(mode)) => format!(
            "{} does not start. Bring it to {mode} and find out which of these it is; write nothing before.",
            input.nickname
        ),
        _ => format!(
            "{} may have lost something that exists once; write nothing before that is clear.",
            input.nickname
        ),
    };
    let items = causes
        .into_iter()
        .map(|cause| Item {
            rule: cause.rule,
            state: ItemState::Unknown,
            text: format!("{} {} Then: {}", cause.text, cause.test, cause.way_out),
            cure: None,
            minutes: None,
            facts: Vec::new(),
        })
        .collect();
    Some(Outlook {
        of: OutlookOf::Symptom,
        outcome: Outcome::After,
        sentence,
        items,
    })
}

fn whole_erase(family: &Family, input: &StandingInput<'_>) -> Option<Outlook> {
    let items = seal::erase_items(family, input.facts, input.kept);
    let open = items.iter().filter(|item| item.state != ItemState::Met);
    let rules: Vec<Rule> = open.map(|item| item.rule).collect();
    if items.is_empty() {
        return None;
    }
    let once = rules.iter().filter(|rule| **rule == Rule::G6).count();
    let offered = items
        .iter()
        .find(|item| item.rule == Rule::S6)
        .map_or("", |_| "; the choice without it is offered");
    Some(Outlook {
        of: OutlookOf::WholeErase,
        outcome: if rules.is_empty() {
            Outcome::Open
        } else {
            Outcome::Refused
        },
        sentence: match once {
            0 => format!(
                "A whole erase of {} stands ticked{offered}.",
                input.nickname
            ),
            once => format!(
                "A whole erase of {} is refused: {once} partitions that exist once would go{offered}.",
                input.nickname
            ),
        },
        items,
    })
}

/// Only while nothing is kept and nothing stands between a mistake and the only copy.
fn read_out(family: &Family, input: &StandingInput<'_>) -> Option<Outlook> {
    let is_bare = input.captures == 0
        && (family.stages.is_empty() || input.facts.lock() == Some(Lock::Unlocked));
    let item = way_to_read(family, input.facts).filter(|_| is_bare)?;
    let sentence = match item.rule {
        Rule::G3 => format!(
            "To read {} out, a recovery has to be written first, then straight into it.",
            input.nickname
        ),
        _ => format!("{} can be read out without writing to it.", input.nickname),
    };
    Some(Outlook {
        of: OutlookOf::ReadOut,
        outcome: if item.rule == Rule::G3 {
            Outcome::After
        } else {
            Outcome::Open
        },
        sentence,
        items: vec![item],
    })
}

/// What its own screens must say before anything foreign is written (`L5`).
fn foreign(family: &Family, input: &StandingInput<'_>) -> Option<Outlook> {
    if input.facts.lock() != Some(Lock::Unlocked) {
        return None;
    }
    let items = seal::before_foreign(family, input.facts);
    let open = items
        .iter()
        .filter(|item| item.state != ItemState::Met)
        .count();
    if items.is_empty() {
        return None;
    }
    let name = input.nickname;
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
                items.len()
            ),
        )
    };
    Some(Outlook {
        of: OutlookOf::Foreign,
        outcome,
        sentence,
        items,
    })
}

fn relock(family: &Family, input: &StandingInput<'_>) -> Option<Outlook> {
    if family.stages.is_empty() || input.facts.lock() != Some(Lock::Unlocked) {
        return None;
    }
    let evidence = RelockEvidence {
        family,
        nickname: input.nickname,
        facts: input.facts,
        held: input.held,
        torn: input.torn,
        keep_safe: input.keep_safe,
        battery: None,
        now: input.now,
        consent: None,
        twin: input.twin,
    };
    let items = seal::relock_preparations(&evidence);
    let name = input.nickname;
    let foreign = items.iter().find_map(|item| match &item.cure {
        Some(Cure::PutStock { labels }) if item.rule == Rule::R7 => Some(labels),
        _ => None,
    });
    let open = items
        .iter()
        .filter(|item| item.state != ItemState::Met)
        .count();
    let (outcome, sentence) = match (foreign, open) {
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
        outcome,
        sentence,
        items,
    })
}
