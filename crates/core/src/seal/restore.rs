//! Putting a partition back from a capture (`G7`, JOB 9). There is no override for anything that
//! tells whose bytes these are.

use std::collections::BTreeMap;

use veritope_wire::{Digest, Moment};

use super::{
    Closed, Cure, Effect, Item, ItemState, LinkWitness, Permit, Torn, admit, by_link, cite,
    in_mode, item, open_items, ownership, torn, write::unlocked,
};
use crate::budget::{Charge, HARD_STOP_PERMILLE};
use crate::coverage::{CaptureFacts, Origin, VerifiedCopy};
use crate::facts::{CitedFact, FactKey, Facts};
use crate::family::{Family, Role};
use crate::mode::Lock;
use crate::partitions::OwnPartition;
use crate::rule::Rule;

/// What a capture's manifest says of its unit, as read from the place it is restored from.
#[derive(Debug, Clone, Copy)]
pub struct Witnessed<'a> {
    /// Digest of the manifest's file as it lies there now.
    pub manifest: Digest,
    /// Identifiers in the manifest, by fact key.
    pub identifiers: &'a BTreeMap<String, String>,
    /// Origin that the manifest gives.
    pub origin: Origin,
}

/// Everything that the judgement of a restore looks at, for one partition.
#[derive(Debug, Clone, Copy)]
pub struct RestoreEvidence<'a> {
    /// The family.
    pub family: &'a Family,
    /// What is known of the unit.
    pub facts: &'a Facts,
    /// The partition as the unit's own table has it now.
    pub own: &'a OwnPartition,
    /// The capture by this unit's log; nothing when the log doesn't know it.
    pub capture: Option<&'a CaptureFacts>,
    /// The capture by its own manifest.
    pub witnessed: Witnessed<'a>,
    /// The image, read back from the place just now.
    pub copy: Option<&'a VerifiedCopy>,
    /// What lies there now, if it was captured since this restore was asked for.
    pub present: Option<Digest>,
    /// Writes whose end nobody has seen.
    pub torn: &'a [Torn],
    /// The charge now.
    pub charge: Option<&'a Charge>,
    /// Now.
    pub now: Moment,
}

impl RestoreEvidence<'_> {
    fn image(&self) -> Option<Digest> {
        let part = self.capture?.partition(&self.own.label)?;
        Some(part.blake3)
    }

    fn effect(&self) -> Option<Effect> {
        Some(Effect::Restore {
            label: self.own.label.clone(),
            capture: self.capture?.id,
            image: self.image()?,
        })
    }
}

/// The evidence list of `G7` for one partition.
#[must_use]
pub fn restore_items(evidence: &RestoreEvidence<'_>) -> Vec<Item> {
    let mut items = vec![
        ownership(evidence.family, evidence.facts),
        unlocked(evidence.family, evidence.facts),
    ];
    items.extend(identity(evidence));
    items.push(role(evidence));
    items.push(length(evidence));
    items.push(verified(evidence));
    items.push(present(evidence));
    items.push(charge(evidence));
    if let Some(effect) = evidence.effect() {
        items.extend(torn(evidence.torn, &effect));
    }
    items
}

/// `S1`: identifiers one by one. One *different* refuses; the hardware identity must be *same*;
/// any other may be missing.
fn identity(evidence: &RestoreEvidence<'_>) -> Vec<Item> {
    let mut items = Vec::new();
    let known = match evidence.capture {
        Some(capture) => {
            capture.manifest == evidence.witnessed.manifest && capture.origin == Origin::Read
        }
        None => false,
    };
    let is_declared = !known || evidence.witnessed.origin == Origin::Declared;
    items.push(if is_declared {
        item(
            Rule::S1,
            ItemState::Missing,
            "This capture is not in the unit's own record: where its bytes come from is only declared.",
            Vec::new(),
        )
    } else {
        item(
            Rule::S1,
            ItemState::Met,
            "The unit's own record has this capture, with this manifest.",
            Vec::new(),
        )
    });
    for id in &evidence.family.identifiers {
        let there = evidence
            .witnessed
            .identifiers
            .get(id.key.id())
            .filter(|value| !evidence.family.is_placeholder(id.key, value));
        let here = evidence
            .facts
            .known(id.key)
            .filter(|row| !evidence.family.is_placeholder(id.key, &row.value.exact()));
        let title = id.key.spec().title;
        let cited = || here.into_iter().map(CitedFact::from).collect();
        items.push(match (there, here) {
            (Some(there), Some(here)) if *there == here.value.exact() => item(
                Rule::S1,
                ItemState::Met,
                format!("{title}: the same in the capture and at the link."),
                cited(),
            ),
            (Some(_), Some(_)) => item(
                Rule::S1,
                ItemState::Missing,
                format!("{title} differs: these bytes belong to another unit. Nothing opens this."),
                cited(),
            ),
            _ if id.hardware => item(
                Rule::S1,
                ItemState::Missing,
                format!(
                    "{title} is missing on one side, and nothing else tells this unit for sure."
                ),
                cited(),
            ),
            _ => item(
                Rule::S1,
                ItemState::Met,
                format!("{title} is missing on one side; what was lost is often the identifier."),
                cited(),
            ),
        });
    }
    items
}

/// What may be put back at all (`S3`, `S4`, `S5`).
fn role(evidence: &RestoreEvidence<'_>) -> Item {
    let label = &evidence.own.label;
    let (rule, state, text) = match evidence.family.partition(label).map(|spec| spec.role) {
        Some(Role::DeviceUnique | Role::Recovery | Role::Boot | Role::Os) => (
            Rule::S3,
            ItemState::Met,
            format!("{label} may be put back."),
        ),
        Some(Role::UserData) => (
            Rule::S4,
            ItemState::Missing,
            format!("{label} is encrypted with a key that a wipe destroys: raw bytes are useless."),
        ),
        Some(Role::LockState | Role::BootControl) => (
            Rule::S5,
            ItemState::Missing,
            format!("{label} is read for the record and never written by us."),
        ),
        Some(Role::BootChain) => (
            Rule::S3,
            ItemState::Missing,
            format!("{label} starts the device and starts it now: it is left alone."),
        ),
        Some(Role::Cache) => (
            Rule::S3,
            ItemState::Missing,
            format!("{label} is scratch: nothing of it is kept."),
        ),
        None => (
            Rule::B5,
            ItemState::Missing,
            format!(
                "The family does not list {label}: it is not written before a person gives it a role."
            ),
        ),
    };
    item(rule, state, text, Vec::new())
}

fn length(evidence: &RestoreEvidence<'_>) -> Item {
    let own = evidence.own;
    let captured = evidence
        .capture
        .and_then(|capture| capture.partition(&own.label));
    match captured {
        Some(part) if part.length_bytes == own.length_bytes => item(
            Rule::S1,
            ItemState::Met,
            format!("{} has the length that it had.", own.label),
            Vec::new(),
        ),
        Some(part) => item(
            Rule::S1,
            ItemState::Missing,
            format!(
                "{} had {} bytes and has {} now.",
                own.label, part.length_bytes, own.length_bytes
            ),
            Vec::new(),
        ),
        None => item(
            Rule::S1,
            ItemState::Missing,
            format!("The capture holds no {}.", own.label),
            Vec::new(),
        ),
    }
}

/// `S2`: the image's digest, seen just before.
fn verified(evidence: &RestoreEvidence<'_>) -> Item {
    let label = &evidence.own.label;
    let image = evidence.image();
    let is_seen = evidence.copy.is_some_and(|copy| {
        copy.label() == label && Some(copy.digest()) == image && copy.is_fresh(evidence.now)
    });
    if is_seen {
        return item(
            Rule::S2,
            ItemState::Met,
            format!("The capture of {label} was read back just now and is whole."),
            Vec::new(),
        );
    }
    item(
        Rule::S2,
        ItemState::Missing,
        format!("The capture of {label} was not read back whole just now."),
        Vec::new(),
    )
}

/// `S2`: what is there now, captured first.
fn present(evidence: &RestoreEvidence<'_>) -> Item {
    let label = &evidence.own.label;
    match evidence.present {
        Some(_) => item(
            Rule::S2,
            ItemState::Met,
            format!("What lies in {label} now is captured."),
            Vec::new(),
        ),
        None => Item {
            cure: Some(Cure::Capture),
            ..item(
                Rule::S2,
                ItemState::Missing,
                format!("What lies in {label} now is not captured yet."),
                Vec::new(),
            )
        },
    }
}

fn charge(evidence: &RestoreEvidence<'_>) -> Item {
    let cited = cite(evidence.facts, FactKey::Battery);
    match evidence.charge {
        Some(charge) if charge.permille >= HARD_STOP_PERMILLE => item(
            Rule::U7,
            ItemState::Met,
            format!("{} % carries it.", charge.permille / 10),
            cited,
        ),
        Some(charge) => Item {
            cure: Some(Cure::Charge {
                until_percent: HARD_STOP_PERMILLE / 10,
            }),
            ..item(
                Rule::U7,
                ItemState::Missing,
                format!(
                    "{} % is too low to write: charge until {} %.",
                    charge.permille / 10,
                    HARD_STOP_PERMILLE / 10
                ),
                cited,
            )
        },
        None => item(
            Rule::U7,
            ItemState::Unknown,
            "How full the battery is, is not known.",
            cited,
        ),
    }
}

/// Mints the permit to put one partition back (`G7`).
///
/// # Errors
/// When any line of the list is not met, or the unit at the link is not the one that was judged.
pub fn mint_restore(
    evidence: &RestoreEvidence<'_>,
    witness: &LinkWitness<'_>,
) -> Result<Permit, Closed> {
    let mut missing = open_items(restore_items(evidence));
    let modes = [
        crate::mode::Mode::TemporaryRecovery,
        crate::mode::Mode::CustomRecovery,
    ];
    missing.extend(in_mode(&modes, witness));
    if witness.live.lock() != Some(Lock::Unlocked) {
        missing.push(by_link(item(
            Rule::L3,
            ItemState::Missing,
            "The link does not report it as unlocked now.",
            cite(witness.live, FactKey::Lock),
        )));
    }
    let Some(effect) = evidence.effect() else {
        return Err(Closed { missing });
    };
    admit(effect, missing, evidence.family, evidence.facts, witness)
}
