//! A consent: given for one act, by somebody who was told what it costs and typed the unit's name.

use serde::Serialize;
use veritope_wire::{BenchTime, Digest};

use super::{Cure, Item, ItemState, item};
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
pub(super) fn data_lost(wipe: Wipe) -> Consequence {
    let text = match wipe {
        Wipe::Data => {
            "Apps, settings and accounts are gone, and internal files where they don't lie apart; no copy of the raw bytes brings them back."
        }
        Wipe::FormatData => {
            "All that is stored on it is gone with its encryption key; no copy of the raw bytes brings it back."
        }
    };
    Consequence {
        area: "data".to_owned(),
        text: text.to_owned(),
    }
}

/// The line that the consequences were told and the name was typed.
pub(super) fn consented(
    consent: Option<&Consent>,
    nickname: &str,
    consequences: &[Consequence],
    rule: Rule,
) -> Item {
    let valid = consent
        .is_some_and(|consent| consent.typed == nickname && consent.told == told(consequences));
    if valid {
        return item(
            rule,
            ItemState::Met,
            "The consequences were told and the name was typed.",
            Vec::new(),
        );
    }
    Item {
        cure: Some(Cure::Consent),
        ..item(
            rule,
            ItemState::Missing,
            format!("Nobody has consented: read what it costs and type {nickname}."),
            Vec::new(),
        )
    }
}

/// The line that a consent was given for something other than `stage`, when it was.
pub(super) fn meant_for_another(
    consent: Option<&Consent>,
    stage: &str,
    rule: Rule,
) -> Option<Item> {
    consent.filter(|consent| consent.stage != stage)?;
    Some(item(
        rule,
        ItemState::Missing,
        "The consent was given for something else.",
        Vec::new(),
    ))
}
