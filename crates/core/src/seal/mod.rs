//! May I? Nothing changes a device's storage, slots or lock without a [`Permit`] for one
//! [`Effect`]. Each effect has its own evidence list, here and nowhere else; one kind can't be
//! spent as another.
//!
//! * `gates`: what device, maker or seller may have against an unlock
//! * `unlock`: opening a stage of the lock (`G1`)
//! * `write`: an image from elsewhere onto a partition (`G4`, and `G3` only to get rights to read)
//! * `restore`: a partition back from a capture (`G7`)
//! * `erase`: what a whole erase would take (`G6`); judged, and never permitted by this version
//! * `relock`: closing the lock again (`G8`)
//! * `wipe`: erasing the owner's data (`G5`)
//! * `slot`: making the other slot the active one (`G5`)
//!
//! `consent`, `owner`, `copies` and `index` hold the lines that several lists share. Each list has a function that gives the list as lines with what is met and what is missing, for
//! screens, and one that turns a complete list into a permit, bound to the unit's hardware identity
//! and the link's epoch. There is no other way to a permit.

mod consent;
mod copies;
mod erase;
mod gates;
mod index;
mod owner;
mod package;
mod relock;
mod restore;
mod slot;
mod unlock;
mod wipe;
mod write;

use serde::Serialize;
use veritope_wire::link::Epoch;
use veritope_wire::{BenchTime, CaptureId, Digest, Label, UnitId};

use crate::budget::{Battery, BatteryVerdict};
use crate::facts::{CitedFact, FactKey, Facts, Reading};
use crate::family::{Chip, Family};
use crate::mode::{Lock, Mode, Slot};
use crate::rule::Rule;

pub use consent::{Consent, told};
pub use copies::{ReadBack, not_read_back};
pub use erase::erase_items;
pub(crate) use gates::wrong_with;
pub use package::{
    PackageEvidence, package_ahead, package_consequences, package_items, package_preparations,
    package_rule, package_stage,
};
pub use relock::{
    RelockEvidence, mint_relock, relock_consequences, relock_items, relock_preparations,
};
pub use restore::{RestoreEvidence, Witnessed, mint_restore, restore_items};
pub use slot::{SlotEvidence, mint_slot, slot_items, slot_preparations};
pub use unlock::{
    UnlockEvidence, mint_unlock, unlock_consequences, unlock_items, unlock_preparations,
};
pub use wipe::{
    WipeEvidence, mint_wipe, wipe_consequences, wipe_items, wipe_preparations, wipe_stage,
};
pub use write::{
    WriteEvidence, before_foreign, mint_read_route, mint_write, read_route_items, write_items,
};

/// A change to a device that needs a permit.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, utoipa::ToSchema)]
#[serde(tag = "effect", rename_all = "kebab-case")]
pub enum Effect {
    /// Opening one stage of the lock (`G1`).
    Unlock {
        /// The family's id of the stage.
        stage: String,
    },
    /// Writing an image to a partition (`G4`).
    WriteImage {
        /// The partition.
        label: Label,
        /// Digest of the image.
        image: Digest,
    },
    /// Writing an image only to get rights to read (`G3`).
    ReadRouteWrite {
        /// The partition.
        label: Label,
        /// Digest of the image.
        image: Digest,
    },
    /// Closing one stage of the lock (`G8`).
    Relock {
        /// The family's id of the stage.
        stage: String,
    },
    /// Erasing the owner's data by one way (`G5`).
    Wipe {
        /// The family's id of the way.
        way: String,
    },
    /// Making a slot the active one (`G5`).
    SetSlot {
        /// Which.
        slot: Slot,
    },
    /// Putting a partition back from a capture (`G7`).
    Restore {
        /// The partition.
        label: Label,
        /// The capture.
        capture: CaptureId,
        /// Digest of the image.
        image: Digest,
    },
}

impl Effect {
    /// The rule whose evidence list it needs.
    #[must_use]
    pub fn rule(&self) -> Rule {
        match self {
            Self::Unlock { .. } => Rule::G1,
            Self::ReadRouteWrite { .. } => Rule::G3,
            Self::WriteImage { .. } => Rule::G4,
            Self::Wipe { .. } | Self::SetSlot { .. } => Rule::G5,
            Self::Restore { .. } => Rule::G7,
            Self::Relock { .. } => Rule::G8,
        }
    }

    /// Partition and image that it writes, if it writes one.
    #[must_use]
    pub fn writes(&self) -> Option<(&Label, Digest)> {
        match self {
            Self::Unlock { .. }
            | Self::Relock { .. }
            | Self::Wipe { .. }
            | Self::SetSlot { .. } => None,
            Self::WriteImage { label, image }
            | Self::ReadRouteWrite { label, image }
            | Self::Restore { label, image, .. } => Some((label, *image)),
        }
    }
}

/// How one piece of evidence stands.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, utoipa::ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum ItemState {
    /// There.
    Met,
    /// Known to be otherwise.
    Missing,
    /// Not known.
    Unknown,
}

/// What closes a gap; the screen turns it into a button.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
#[serde(tag = "cure", rename_all = "kebab-case")]
pub enum Cure {
    /// Find out and type a fact.
    TypeFact {
        /// Which.
        key: FactKey,
        /// Where it stands on this family.
        place: String,
    },
    /// Do something on the device, then type the fact again.
    DoThenType {
        /// Which.
        key: FactKey,
        /// What to do.
        instruction: String,
    },
    /// Check on the unit what works, one function after the other, and note each.
    Check {
        /// Which functions.
        keys: Vec<FactKey>,
        /// What to mind.
        instruction: String,
    },
    /// Tick or waive the open classes.
    KeepSafe {
        /// How many are open.
        open: u32,
    },
    /// Charge.
    Charge {
        /// Until this charge in per cent.
        until_percent: u32,
    },
    /// Read over the link.
    ReadByLink,
    /// Capture the unit's partitions.
    Capture,
    /// Bring a capture to more places, or read its copies back.
    KeepCopies {
        /// Which capture.
        capture: CaptureId,
    },
    /// Put bytes back from a capture.
    PutBack,
    /// Read what it costs and type the name.
    Consent,
    /// Wait.
    Wait {
        /// Until then.
        until: BenchTime,
    },
    /// Somebody else decides.
    Ask {
        /// Who.
        who: String,
        /// What to type once they did.
        key: FactKey,
    },
    /// Find these packages and put them where they must lie.
    Fetch {
        /// Their names.
        packages: Vec<String>,
        /// What to type once they lie there.
        key: FactKey,
    },
    /// Put the maker's bytes back.
    PutStock {
        /// Onto these partitions.
        labels: Vec<Label>,
    },
    /// Nothing helps as things are.
    Nothing,
    /// Nothing ever helps.
    Never,
}

/// One line of an evidence list.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct Item {
    /// The rule that asks for it.
    pub rule: Rule,
    /// How it stands.
    pub state: ItemState,
    /// In one sentence.
    pub text: String,
    /// What would help.
    pub cure: Option<Cure>,
    /// Minutes that this takes, where that is known.
    pub minutes: Option<u32>,
    /// The facts it rests on.
    pub facts: Vec<CitedFact>,
}

/// A write that has begun and whose end nobody has seen (`S3`).
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct Torn {
    /// The partition.
    pub label: Label,
    /// The write.
    pub effect: Effect,
    /// What lay there before, if it was captured.
    pub before: Option<Digest>,
    /// Since when.
    pub since: BenchTime,
}

pub(super) fn cite(facts: &Facts, key: FactKey) -> Vec<CitedFact> {
    match facts.get(key) {
        Reading::Known(row) | Reading::Stale(row) => vec![row.into()],
        Reading::Contradicted(rows) => rows.into_iter().map(CitedFact::from).collect(),
        Reading::Unknown => Vec::new(),
    }
}

/// The line for a fact that is not known now, with where to find it.
pub(super) fn not_known(
    family: &Family,
    facts: &Facts,
    rule: Rule,
    key: FactKey,
    question: &str,
) -> Item {
    let place = family.place(key);
    let text = match facts.get(key) {
        Reading::Contradicted(_) => {
            format!("{question} Two sources say different things: look again.")
        }
        Reading::Stale(_) => format!("{question} It was known, but something happened since."),
        Reading::Known(_) | Reading::Unknown => question.to_owned(),
    };
    Item {
        rule,
        state: ItemState::Unknown,
        text,
        cure: Some(Cure::TypeFact {
            key,
            place: place.map_or_else(String::new, |place| place.place.clone()),
        }),
        minutes: place.map(|place| place.minutes).or(Some(1)),
        facts: cite(facts, key),
    }
}

pub(super) fn item(
    rule: Rule,
    state: ItemState,
    text: impl Into<String>,
    facts: Vec<CitedFact>,
) -> Item {
    Item {
        rule,
        state,
        text: text.into(),
        cure: None,
        minutes: None,
        facts,
    }
}

pub(super) fn by_link(item: Item) -> Item {
    Item {
        cure: Some(Cure::ReadByLink),
        ..item
    }
}

/// The lines that are not met.
#[must_use]
pub fn open_items(items: Vec<Item>) -> Vec<Item> {
    items
        .into_iter()
        .filter(|item| item.state != ItemState::Met)
        .collect()
}

/// The line that the link's mode is one of `modes`, when it isn't.
pub(super) fn in_mode(modes: &[Mode], witness: &LinkWitness<'_>) -> Option<Item> {
    if witness
        .live
        .mode()
        .is_some_and(|mode| modes.contains(&mode))
    {
        return None;
    }
    let found = witness.live.mode().map_or("not known", Mode::shown);
    let wanted: Vec<&str> = modes.iter().map(|mode| mode.shown()).collect();
    Some(by_link(item(
        Rule::L3,
        ItemState::Missing,
        format!(
            "It must be in {} for this; now: {found}.",
            wanted.join(" or ")
        ),
        cite(witness.live, FactKey::Mode),
    )))
}

/// The line that the link does not report the lock as `wanted`, when it doesn't.
pub(super) fn reported(wanted: Lock, witness: &LinkWitness<'_>) -> Option<Item> {
    if witness.live.lock() == Some(wanted) {
        return None;
    }
    Some(by_link(item(
        Rule::L3,
        ItemState::Missing,
        format!("The link does not report it as {} now.", wanted.id()),
        cite(witness.live, FactKey::Lock),
    )))
}

/// Whether a partition whose last write was interrupted lets `effect` through (`S3`): only what writes
/// it whole, by a list of its own: the same again, what lay there before, or another image.
pub(super) fn torn(torn: &[Torn], effect: Option<&Effect>) -> Vec<Item> {
    let written = effect.and_then(Effect::writes).map(|(label, _)| label);
    torn.iter()
        .map(|open| {
            let label = &open.label;
            // Another partition's write waits until this one is whole.
            if written == Some(label) {
                return item(
                    Rule::S3,
                    ItemState::Met,
                    format!("The interrupted write of {label} is taken up again, or written over whole."),
                    Vec::new(),
                );
            }
            Item {
                cure: Some(Cure::PutBack),
                ..item(
                    Rule::S3,
                    ItemState::Missing,
                    format!("A write of {label} was interrupted: take it up again or put back what was there."),
                    Vec::new(),
                )
            }
        })
        .collect()
}

pub(super) fn ownership(family: &Family, facts: &Facts) -> Item {
    let cited = cite(facts, FactKey::Ownership);
    match facts.choice(FactKey::Ownership) {
        Some("mine" | "asked") => item(
            Rule::Care,
            ItemState::Met,
            "The unit is yours, or its owner asked you.",
            cited,
        ),
        Some(_) => Item {
            cure: Some(Cure::Nothing),
            ..item(
                Rule::Care,
                ItemState::Missing,
                "Nobody who may decide about this unit is known, so it is not worked on.",
                cited,
            )
        },
        None => not_known(
            family,
            facts,
            Rule::Care,
            FactKey::Ownership,
            "Is it yours, or did its owner ask you?",
        ),
    }
}

pub(super) fn battery(family: &Family, facts: &Facts, battery: &Battery) -> Item {
    let cited = cite(facts, FactKey::Battery);
    let Some(charge) = &battery.charge else {
        return not_known(
            family,
            facts,
            Rule::U7,
            FactKey::Battery,
            "How full is the battery?",
        );
    };
    let percent = charge.permille / 10;
    let needed = battery.begin_from_percent;
    match battery.verdict {
        BatteryVerdict::TooLow => Item {
            cure: Some(Cure::Charge {
                until_percent: needed,
            }),
            ..item(
                Rule::U7,
                ItemState::Missing,
                format!("{percent} % is too low: charge until {needed} %."),
                cited,
            )
        },
        BatteryVerdict::UnderFloor => item(
            Rule::U7,
            ItemState::Met,
            format!(
                "{percent} % carries the whole sheet ({needed} % would do), but is under your own floor."
            ),
            cited,
        ),
        BatteryVerdict::Enough | BatteryVerdict::NotKnown => item(
            Rule::U7,
            ItemState::Met,
            format!("{percent} % carries the whole sheet; {needed} % would do."),
            cited,
        ),
    }
}

/// What the link says of the unit at the moment of minting.
#[derive(Debug, Clone, Copy)]
pub struct LinkWitness<'a> {
    /// The unit that the bench believes is attached.
    pub unit: UnitId,
    /// The facts that the link reports now.
    pub live: &'a Facts,
    /// The epoch they belong to.
    pub epoch: Epoch,
}

/// Leave for one effect on one unit under one epoch.
///
/// It is spent by handing it over, and can't be copied, stored or made elsewhere.
#[derive(Debug)]
pub struct Permit {
    effect: Effect,
    unit: UnitId,
    chip: Chip,
    epoch: Epoch,
}

impl Permit {
    /// The one effect it is for.
    #[must_use]
    pub fn effect(&self) -> &Effect {
        &self.effect
    }

    /// The unit it is for.
    #[must_use]
    pub fn unit(&self) -> UnitId {
        self.unit
    }

    /// The hardware identity it is for.
    #[must_use]
    pub fn chip(&self) -> &Chip {
        &self.chip
    }

    /// The epoch under which it is good.
    #[must_use]
    pub fn epoch(&self) -> Epoch {
        self.epoch
    }
}

/// The seal stays closed; carries what is missing.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("the seal is closed: {} missing", .missing.len())]
pub struct Closed {
    /// What is missing, in the order of the list.
    pub missing: Vec<Item>,
}

/// Closes the list: the unit at the link must be the one that was judged, by its hardware identity.
pub(super) fn admit(
    effect: Effect,
    mut missing: Vec<Item>,
    family: &Family,
    facts: &Facts,
    witness: &LinkWitness<'_>,
) -> Result<Permit, Closed> {
    let known = family.hardware_identity(facts);
    let live = family.hardware_identity(witness.live);
    let chip = match (known, live) {
        (Some(known), Some(live)) if (known.key, &known.value) == (live.key, &live.value) => {
            family.chip(witness.live)
        }
        (_, None) => {
            missing.push(by_link(item(
                Rule::K4,
                ItemState::Unknown,
                "The unit at the link does not give its hardware identity.",
                Vec::new(),
            )));
            None
        }
        (known, Some(live)) => {
            missing.push(item(
                Rule::K4,
                ItemState::Missing,
                "The unit at the link is another one: its hardware identity differs.",
                known
                    .into_iter()
                    .chain([live])
                    .map(CitedFact::from)
                    .collect(),
            ));
            None
        }
    };
    match chip {
        Some(chip) if missing.is_empty() => Ok(Permit {
            effect,
            unit: witness.unit,
            chip,
            epoch: witness.epoch,
        }),
        _ => Err(Closed { missing }),
    }
}

#[cfg(test)]
pub(crate) mod testing {
    //! What the tests of several lists begin with.
    use super::*;
    use crate::facts::testing::at;
    use crate::keepsafe::{KeepSafe, Kept};

    // What was seen, and what it permits, can't be copied, stored or read back.
    static_assertions::assert_not_impl_any!(Permit: Clone, serde::Serialize, serde::de::DeserializeOwned);

    /// Everything that an owner of this family's units could lose, waived in that minute.
    pub(crate) fn waived(family: &Family, minute: i64) -> KeepSafe {
        let waived = |class: &_| (*class, Kept::Waived { at: at(minute) });
        family.keep_safe.iter().map(waived).collect()
    }

    /// A unit at the link that says this of itself.
    pub(super) fn witness<'a>(live: &'a Facts, epoch: u64) -> LinkWitness<'a> {
        LinkWitness {
            unit: "0192f0c1-2345-7abc-8def-0123456789ab".parse().unwrap(),
            live,
            epoch: Epoch(epoch),
        }
    }

    /// The rules of the lines that keep it shut, in their order; none when it opened.
    pub(super) fn rules(minted: &Result<Permit, Closed>) -> Vec<Rule> {
        let missing = minted.as_ref().err().map(|closed| &closed.missing);
        missing
            .into_iter()
            .flatten()
            .map(|item| item.rule)
            .collect()
    }
}
