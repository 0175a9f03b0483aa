//! A consent: given for one act, by somebody who was told what it costs and typed the unit's name.

use serde::Serialize;
use veritope_wire::{BenchTime, Digest};

use crate::evidence::{Basis, Cure, Due, Line};
use crate::family::{Consequence, Wipe};
use crate::rule::Rule;

/// A consent that a person typed for one act of one run.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct Consent {
    /// What it is for: the stage of a lock, or the act by its own words.
    pub stage: String,
    /// What was typed.
    pub typed: String,
    /// Digest over the consequences that were on screen.
    pub told: Digest,
    /// When.
    pub at: BenchTime,
}

/// What an act costs, and what a consent to it is for.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Costs {
    /// The rule that wants them told.
    pub rule: Rule,
    /// What the consent is for; nothing where none is asked.
    pub stage: Option<String>,
    /// What it costs, told before the name is typed.
    pub consequences: Vec<Consequence>,
}

/// Digest over what an act costs: what a consent to it was told.
#[must_use]
pub fn told(consequences: &[Consequence]) -> Digest {
    let text: String = consequences
        .iter()
        .map(|one| format!("{}\n{}\n", one.area, one.text))
        .collect();
    Digest::of(text.as_bytes())
}

/// What a wipe takes from the owner, in a sentence.
#[must_use]
pub fn data_lost(wipe: Wipe) -> Consequence {
    let text = match wipe {
        Wipe::Data => {
            "Apps, settings and accounts are gone, and internal files where they don't lie apart; no copy of the raw bytes brings them back."
        }
        Wipe::FormatData => {
            "All that is stored on it is gone with its encryption key; no copy of the raw bytes brings it back."
        }
    };
    one("data", text)
}

/// A consequence in words.
#[must_use]
pub fn one(area: &str, text: impl Into<String>) -> Consequence {
    Consequence {
        area: area.to_owned(),
        text: text.into(),
    }
}

/// The line that these costs were told and the name was typed, for this act and no other.
#[must_use]
pub fn consented(consents: &[Consent], nickname: &str, costs: &Costs) -> Option<Line> {
    let stage = costs.stage.as_ref()?;
    // What was told is digested only where somebody typed the name for this.
    let valid = consents
        .iter()
        .filter(|one| one.stage == *stage && one.typed == nickname)
        .find(|one| one.told == told(&costs.consequences));
    let line = match valid {
        Some(consent) => Line::met(
            costs.rule,
            "The consequences were told and the name was typed.",
            Basis::Consent { at: consent.at },
        ),
        None => Line::missing(
            costs.rule,
            format!("Nobody has consented: read what it costs and type {nickname}."),
            Cure::Consent.by_person(),
        ),
    };
    Some(line.due(Due::Door))
}
