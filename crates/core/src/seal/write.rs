//! Writing an image from elsewhere onto a partition: `G4`, and `G3` for the one case in which a
//! write is the only way to get rights to read.

use veritope_wire::{Digest, Label, Moment};

use super::{
    Closed, Cure, Effect, Item, ItemState, LinkWitness, Permit, Torn, admit, battery, by_link,
    cite, in_mode, item, not_known, open_items, ownership, torn,
};
use crate::budget::Battery;
use crate::coverage::{Coverage, VerifiedCopy};
use crate::digest::{Claimed, Seen};
use crate::facts::{FactKey, Facts};
use crate::family::{Family, Role};
use crate::matching::{Finding, Fit};
use crate::mode::Lock;
use crate::rule::Rule;

/// Everything that the judgement of a write looks at.
#[derive(Debug, Clone, Copy)]
pub struct WriteEvidence<'a> {
    /// The family.
    pub family: &'a Family,
    /// What is known.
    pub facts: &'a Facts,
    /// The partition that is written; nothing where the family has no way to write one.
    pub label: Option<&'a Label>,
    /// What the matching found.
    pub findings: &'a [Finding],
    /// The image, hashed just now where it lies.
    pub seen: Option<&'a Seen>,
    /// What its publisher says that it is.
    pub published: Option<Claimed>,
    /// How the unit's partitions are kept.
    pub coverage: &'a Coverage,
    /// The battery, judged for the whole sheet.
    pub battery: &'a Battery,
    /// Writes whose end nobody has seen.
    pub torn: &'a [Torn],
    /// Copies that were read back in this process.
    pub copies: &'a [VerifiedCopy],
    /// Now.
    pub now: Moment,
}

impl WriteEvidence<'_> {
    fn image(&self) -> Option<Digest> {
        self.seen.map(Seen::digest)
    }
}

/// The evidence list of `G4`.
#[must_use]
pub fn write_items(evidence: &WriteEvidence<'_>) -> Vec<Item> {
    let mut items = common(evidence);
    if evidence.coverage.items.is_empty() {
        items.push(Item {
            cure: Some(Cure::Capture),
            ..item(
                Rule::B2,
                ItemState::Unknown,
                "The unit's own partition table was not read: what exists once is not known.",
                Vec::new(),
            )
        });
    }
    items.extend(evidence.coverage.items.iter().cloned());
    items.push(way_back(evidence));
    items
}

/// The evidence list of `G3`: all other writes stay shut until `B6`, so this one needs no copies,
/// and is there only where nothing else gives rights to read.
#[must_use]
pub fn read_route_items(evidence: &WriteEvidence<'_>) -> Vec<Item> {
    let mut items = common(evidence);
    let family = evidence.family;
    items.push(if family.temporary_start.is_some() {
        Item {
            cure: Some(Cure::Capture),
            ..item(
                Rule::B1,
                ItemState::Missing,
                "A recovery can be started from memory here, so nothing is written to be able to read.",
                Vec::new(),
            )
        }
    } else {
        item(
            Rule::B1,
            ItemState::Met,
            "Nothing else gives rights to read on this family.",
            Vec::new(),
        )
    });
    items
}

fn common(evidence: &WriteEvidence<'_>) -> Vec<Item> {
    let mut items = vec![
        ownership(evidence.family, evidence.facts),
        unlocked(evidence.family, evidence.facts),
        place(evidence),
    ];
    items.extend(evidence.findings.iter().map(|finding| {
        let state = match finding.fit {
            Fit::Fits => ItemState::Met,
            Fit::Stops => ItemState::Missing,
        };
        item(finding.rule, state, finding.text.clone(), Vec::new())
    }));
    items.push(proven(evidence));
    items.push(battery(evidence.family, evidence.facts, evidence.battery));
    if let (Some(label), Some(image)) = (evidence.label, evidence.image()) {
        let effect = Effect::WriteImage {
            label: label.clone(),
            image,
        };
        items.extend(torn(evidence.torn, &effect));
    }
    items
}

/// The lock lets foreign bytes in.
pub(super) fn unlocked(family: &Family, facts: &Facts) -> Item {
    match facts.lock() {
        Some(Lock::Unlocked) => item(
            Rule::L3,
            ItemState::Met,
            "It is unlocked.",
            cite(facts, FactKey::Lock),
        ),
        Some(Lock::Locked) => item(
            Rule::L3,
            ItemState::Missing,
            "It is locked: it takes only the maker's bytes.",
            cite(facts, FactKey::Lock),
        ),
        None => not_known(
            family,
            facts,
            Rule::L3,
            FactKey::Lock,
            "Is it locked or unlocked?",
        ),
    }
}

/// Images go to the recovery only (`G3`, `G4` in this version); the boot chain never alone,
/// lock-state and control never (`S5`), what exists once never from elsewhere (`S1`).
fn place(evidence: &WriteEvidence<'_>) -> Item {
    let Some(label) = evidence.label else {
        return item(
            Rule::G4,
            ItemState::Missing,
            "This family has no way to write a recovery.",
            Vec::new(),
        );
    };
    let role = evidence.family.partition(label).map(|spec| spec.role);
    let (rule, state, text) = match role {
        Some(Role::Recovery) => (
            Rule::G4,
            ItemState::Met,
            format!("{label} is the recovery's own partition."),
        ),
        Some(Role::LockState | Role::BootControl) => (
            Rule::S5,
            ItemState::Missing,
            format!("{label} is never written by us."),
        ),
        Some(Role::DeviceUnique) | None => (
            Rule::S1,
            ItemState::Missing,
            format!("{label} exists once in the world: it takes its own bytes back and no others."),
        ),
        Some(Role::BootChain | Role::Boot | Role::Os | Role::UserData | Role::Cache) => (
            Rule::G4,
            ItemState::Missing,
            format!("Images are not written to {label}."),
        ),
    };
    item(rule, state, text, Vec::new())
}

/// The image is whole where it lies (`Q11`).
fn proven(evidence: &WriteEvidence<'_>) -> Item {
    match (evidence.seen, evidence.published) {
        (Some(seen), Some(claim)) if seen.agrees_with(claim) => item(
            Rule::Q11,
            ItemState::Met,
            format!(
                "The image was hashed where it lies: {}.",
                seen.digest().short()
            ),
            Vec::new(),
        ),
        (Some(_), _) => item(
            Rule::Q11,
            ItemState::Missing,
            "The image is not what its publisher says: fetch it again.",
            Vec::new(),
        ),
        (None, _) => item(
            Rule::Q11,
            ItemState::Unknown,
            "No image of a recovery that fits is on the shelf.",
            Vec::new(),
        ),
    }
}

/// What is written over was captured and read back (`Q1`).
fn way_back(evidence: &WriteEvidence<'_>) -> Item {
    let label = evidence.label.map_or("the partition", Label::as_str);
    let row = evidence
        .coverage
        .rows
        .iter()
        .find(|row| row.described.own.label.as_str() == label);
    match row {
        Some(row) if row.places > 0 => item(
            Rule::Q1,
            ItemState::Met,
            format!("{label} as it is now is captured and read back: the way back."),
            Vec::new(),
        ),
        row => Item {
            cure: Some(
                row.and_then(|row| row.capture)
                    .map_or(Cure::Capture, |capture| Cure::KeepCopies { capture }),
            ),
            ..item(
                Rule::Q1,
                ItemState::Missing,
                format!("There is no way back: {label} is not captured and read back."),
                Vec::new(),
            )
        },
    }
}

/// Mints the permit to write an image (`G4`). At least one copy of everything that exists once was
/// read back in this process within ten minutes; the others count by the log.
///
/// # Errors
/// When any line of the list is not met, or the unit at the link is not the one that was judged.
pub fn mint_write(
    evidence: &WriteEvidence<'_>,
    witness: &LinkWitness<'_>,
) -> Result<Permit, Closed> {
    let mut missing = open_items(write_items(evidence));
    for row in &evidence.coverage.rows {
        let is_unique = row.described.role == Role::DeviceUnique;
        let label = &row.described.own.label;
        let is_seen = evidence
            .copies
            .iter()
            .any(|copy| copy.label() == label && copy.is_fresh(evidence.now));
        if is_unique && !is_seen {
            missing.push(item(
                Rule::B7,
                ItemState::Missing,
                format!("No copy of {label} was read back just now."),
                Vec::new(),
            ));
        }
    }
    close(evidence, missing, witness, |label, image| {
        Effect::WriteImage { label, image }
    })
}

/// Mints the permit to write only to get rights to read (`G3`).
///
/// # Errors
/// When any line of the list is not met, or the unit at the link is not the one that was judged.
pub fn mint_read_route(
    evidence: &WriteEvidence<'_>,
    witness: &LinkWitness<'_>,
) -> Result<Permit, Closed> {
    let missing = open_items(read_route_items(evidence));
    close(evidence, missing, witness, |label, image| {
        Effect::ReadRouteWrite { label, image }
    })
}

fn close(
    evidence: &WriteEvidence<'_>,
    mut missing: Vec<Item>,
    witness: &LinkWitness<'_>,
    effect: impl FnOnce(Label, Digest) -> Effect,
) -> Result<Permit, Closed> {
    if let Some(spec) = &evidence.family.recovery_write {
        missing.extend(in_mode(&[spec.mode], witness));
    }
    if witness.live.lock() != Some(Lock::Unlocked) {
        missing.push(by_link(item(
            Rule::L3,
            ItemState::Missing,
            "The link does not report it as unlocked now.",
            cite(witness.live, FactKey::Lock),
        )));
    }
    let (Some(label), Some(image)) = (evidence.label, evidence.image()) else {
        return Err(Closed { missing });
    };
    admit(
        effect(label.clone(), image),
        missing,
        evidence.family,
        evidence.facts,
        witness,
    )
}
