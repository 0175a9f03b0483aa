//! May it be done now? One answer for page, API, job and command line, read off the same lists.

use serde::Serialize;

use crate::evidence::Line;
use crate::plan::due::in_the_way;
use crate::rule::Rule;

/// Whether something may be done, and if not, why.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct Permission {
    /// Whether.
    pub allowed: bool,
    /// Why not, in one sentence.
    pub reason: Option<String>,
    /// The rule behind it.
    pub rule: Option<Rule>,
}

impl Permission {
    /// It may.
    #[must_use]
    pub fn yes() -> Self {
        Self {
            allowed: true,
            reason: None,
            rule: None,
        }
    }

    /// It may not.
    #[must_use]
    pub fn no(reason: impl Into<String>, rule: Option<Rule>) -> Self {
        Self {
            allowed: false,
            reason: Some(reason.into()),
            rule,
        }
    }
}

impl<E: std::error::Error> From<Result<(), E>> for Permission {
    /// As the room that does it would answer: its error as a sentence.
    fn from(asked: Result<(), E>) -> Self {
        asked.err().map_or_else(Self::yes, |error| {
            Self::no(sentence(&error.to_string()), None)
        })
    }
}

/// First letter large, full stop at the end: error texts inside are lower-case fragments.
#[must_use]
pub fn sentence(text: &str) -> String {
    let mut letters = text.chars();
    let start: String = letters
        .next()
        .map(|first| first.to_uppercase().collect())
        .unwrap_or_default();
    let end = if text.ends_with(['.', '!', '?']) {
        ""
    } else {
        "."
    };
    format!("{start}{}{end}", letters.as_str())
}

/// What is asked of an act, or of a sheet, before it is done.
#[derive(Debug, Clone, Copy)]
pub struct Asked<'a> {
    /// The rule whose list it is.
    pub rule: Rule,
    /// The lines of the list.
    pub lines: &'a [Line],
    /// Whether something is being done with the unit, in words.
    pub under_way: Option<&'a str>,
    /// Whether the unit answers, where a link does it.
    pub answers: bool,
    /// What of this computer's side stands in the way (`U8`).
    pub connection: &'a [Line],
}

/// Why it may not be done.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Refusal {
    /// Lines of the list, or of the connection, are open.
    Open {
        /// The rule whose list it is.
        rule: Rule,
        /// What is open.
        missing: Vec<Line>,
    },
    /// Something else is being done.
    UnderWay(String),
    /// The unit does not answer.
    NoAnswer,
}

/// Whether it may be done now; the first of what stands in the way decides.
///
/// # Errors
/// Why not.
pub fn may(asked: Asked<'_>) -> Result<(), Refusal> {
    let missing: Vec<Line> = in_the_way(asked.lines).into_iter().cloned().collect();
    let rule = asked.rule;
    if !missing.is_empty() {
        return Err(Refusal::Open { rule, missing });
    }
    if let Some(what) = asked.under_way {
        return Err(Refusal::UnderWay(what.to_owned()));
    }
    if !asked.answers {
        return Err(Refusal::NoAnswer);
    }
    if !asked.connection.is_empty() {
        let missing = asked.connection.to_vec();
        return Err(Refusal::Open { rule, missing });
    }
    Ok(())
}

impl From<&Refusal> for Permission {
    fn from(refusal: &Refusal) -> Self {
        match refusal {
            Refusal::Open { rule, missing } => {
                let first = missing.first();
                Self::no(
                    first.map_or("", |line| line.text.as_str()),
                    first.map(|line| line.rule).or(Some(*rule)),
                )
            }
            Refusal::UnderWay(what) => Self::no(what.clone(), None),
            Refusal::NoAnswer => Self::no("The unit does not answer now: connect it.", None),
        }
    }
}

impl From<&Result<(), Refusal>> for Permission {
    fn from(asked: &Result<(), Refusal>) -> Self {
        asked.as_ref().err().map_or_else(Self::yes, Self::from)
    }
}
