//! Putting a partition back from a capture (`G7`, JOB 9). There is no override for anything that tells
//! whose bytes these are.

use veritope_wire::{CaptureId, Digest, Label};

use super::lines::identity::{identity, not_worse};
use super::lines::index::index;
use super::write::{image_arg, image_read, sent};
use super::{
    Args, Ask, Bit, Brings, Doing, Ground, How, Kind, Line, Part, Price, Standpoint, Touches,
    Whose, Words, arg, in_mode, lock,
};
use crate::dossier::{By, Dossier, Put};
use crate::evidence::{Basis, Cure, Due, Need};
use crate::facts::Happening;
use crate::family::{Family, Takes};
use crate::goal::Goal;
use crate::mode::Lock;
use crate::rule::Rule;
use crate::state::State;

/// Puts a partition back from a capture.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct PutBack {
    /// The partition.
    pub label: Label,
    /// The capture.
    pub capture: CaptureId,
    /// Digest of the image; nothing while it is open which one.
    pub image: Option<Digest>,
}

impl Kind for PutBack {
    const TOUCHES: Touches = Touches::WRITES;

    fn instances(_: Ground<'_>) -> Vec<Self> {
        // Asked for partition by partition, at the backups; no sheet takes one.
        Vec::new()
    }

    fn word(&self) -> &'static str {
        "restore"
    }

    fn args(&self) -> Vec<(&'static str, String)> {
        let named = [
            ("label", self.label.to_string()),
            ("capture", self.capture.to_string()),
        ];
        named.into_iter().chain(image_arg(self.image)).collect()
    }

    fn read(word: &str, args: &Args) -> Option<Self> {
        (word == "restore").then_some(())?;
        Some(Self {
            label: arg(args, "label").parse().ok()?,
            capture: arg(args, "capture").parse().ok()?,
            image: image_read(args),
        })
    }

    fn serves(&self, _: Goal) -> bool {
        false
    }

    fn rule(&self, _: &Dossier<'_>) -> Rule {
        Rule::G7
    }

    fn lines(&self, on: Ground<'_>, at: Standpoint) -> Vec<Line> {
        let (of, family) = (on.of, on.family());
        let mut lines = places(on, at);
        let Some(put) = of.put else {
            lines.push(Line::absent(Rule::S1, "No capture is chosen."));
            return lines;
        };
        lines.extend(identity(of, &put));
        let role = role(family, &self.label);
        // What is never put back at all is told by its role.
        lines.extend(role.is_met().then(|| not_worse(of, &put)));
        lines.extend(own_index(of, &put, &self.label));
        lines.extend([
            role,
            length(&put),
            verified(of, &put, self.image),
            present(&put),
        ]);
        lines
    }

    fn after(&self, at: State, _: &Family) -> State {
        at
    }

    fn price(&self, _: State, _: &Family) -> Price {
        Price {
            risk: 1,
            ..Price::default()
        }
    }

    fn words(&self, _: State, _: &Family) -> Words {
        words(&self.label)
    }

    fn how(&self, _: &Family) -> How {
        how()
    }

    fn asks(&self, family: &Family) -> Vec<Ask> {
        asks(family)
    }

    fn doing(&self, _: &Family, by: By) -> Doing {
        sent(&self.label, self.image, by)
    }

    fn part(&self) -> Option<Part<'_>> {
        Some(Part {
            label: &self.label,
            image: self.image,
            whose: Whose::Own,
        })
    }

    fn choosing(self, image: Digest) -> Self {
        Self {
            image: Some(image),
            ..self
        }
    }

    fn brings(&self, family: &Family) -> Brings {
        written(family, &self.label)
    }
}

/// Where bytes are put back: in a mode that reads and writes partitions, unlocked.
pub(super) fn places(on: Ground<'_>, at: Standpoint) -> Vec<Line> {
    let modes = on.family().reading_modes();
    let way = match modes.shown() {
        Some(wanted) => in_mode(Bit::InOneOf(modes), &wanted, on, at),
        None => Line::absent(
            Rule::B1,
            format!(
                "No way that this version goes reads or writes partitions of {}.",
                on.family().name()
            ),
        ),
    };
    let locked = "It is locked: it takes only the maker's bytes.";
    vec![way, lock(Lock::Unlocked, locked, on, at)]
}

pub(super) fn asks(family: &Family) -> Vec<Ask> {
    let modes = family.reading_modes().iter().collect();
    vec![Ask::Mode(modes), Ask::Lock(Lock::Unlocked)]
}

pub(super) fn words(label: &Label) -> Words {
    Words::titled(format!("put {label} back"))
}

pub(super) fn how() -> How {
    How::said("The bench writes it over the link.")
}

/// What was read of build and generation is no longer so once a partition was written that they are read
/// from (`K5`).
pub(super) fn written(family: &Family, label: &Label) -> Brings {
    let spec = family.partition(label);
    let happened = spec.and_then(|spec| spec.role.spec().written);
    // What holds a recovery inside is written over it too (M13).
    let holds = family.recovery_lies_on().contains(label);
    let recovery = holds.then_some(Happening::RecoveryWritten);
    let also = recovery.filter(|_| happened != recovery);
    Brings {
        happened: happened.into_iter().chain(also).collect(),
        facts: Vec::new(),
    }
}

/// `S2`: what starts the unit is not put back below the fuse, own bytes or not.
fn own_index(of: &Dossier<'_>, put: &Put<'_>, label: &Label) -> Option<Line> {
    let spec = of.family.partition(label);
    let is_asked = spec.is_some_and(|spec| spec.role.spec().is_fused);
    let build = put.capture.and_then(|one| one.build.as_deref());
    let known = build.and_then(|build| of.family.build(build));
    is_asked.then(|| {
        index(
            Rule::W1,
            of.family,
            of.facts,
            build.unwrap_or("What was captured"),
            known.map(|(_, spec)| spec.rollback),
        )
    })?
}

/// What may be put back at all (`S3`, `S4`, `S5`).
pub(super) fn role(family: &Family, label: &Label) -> Line {
    let takes = family.partition(label).map(|spec| spec.role.spec().takes);
    match takes {
        Some(Takes::Own | Takes::Recovery | Takes::Makers) => Line::met(
            Rule::S3,
            format!("{label} may be put back."),
            Basis::clause(format!("role of {label}")),
        ),
        Some(Takes::Useless) => Line::absent(
            Rule::S4,
            format!("{label} is encrypted with a key that a wipe destroys: raw bytes are useless."),
        ),
        Some(Takes::Never) => Line::absent(
            Rule::S5,
            format!("{label} is read for the record and never written by us."),
        ),
        Some(Takes::LeftAlone) => Line::absent(
            Rule::S3,
            format!("{label} starts the unit and starts it now: it is left alone."),
        ),
        Some(Takes::Scratch) => Line::absent(
            Rule::S3,
            format!("{label} is scratch: nothing of it is kept."),
        ),
        None => Line::absent(
            Rule::B5,
            format!(
                "The family does not list {label}: it is not written before a person gives it a role."
            ),
        ),
    }
}

pub(super) fn length(put: &Put<'_>) -> Line {
    let own = put.own;
    let captured = put
        .capture
        .and_then(|capture| capture.partition(&own.label));
    match captured {
        Some(part) if part.length_bytes == own.length_bytes => Line::met(
            Rule::S1,
            format!("{} has the length that it had.", own.label),
            Basis::log("the unit's own table"),
        ),
        Some(part) => Line::absent(
            Rule::S1,
            format!(
                "{} had {} bytes and has {} now.",
                own.label, part.length_bytes, own.length_bytes
            ),
        ),
        None => Line::absent(
            Rule::S1,
            format!("The capture holds no {}.", own.label),
        ),
    }
}

/// `S2`: the image's digest, seen just before.
pub(super) fn verified(of: &Dossier<'_>, put: &Put<'_>, image: Option<Digest>) -> Line {
    let label = &put.own.label;
    let logged = put
        .capture
        .and_then(|capture| capture.partition(label))
        .map(|part| part.blake3);
    let copy = put.copy.filter(|copy| {
        copy.label() == label
            && Some(copy.digest()) == logged
            && image.is_none_or(|image| image == copy.digest())
            && copy.is_fresh(of.now)
    });
    let line = match copy {
        Some(copy) => Line::met(
            Rule::S2,
            format!("The capture of {label} was read back just now and is whole."),
            Basis::Hashed {
                what: label.to_string(),
                digest: copy.digest(),
            },
        ),
        None => Line::missing(
            Rule::S2,
            format!("The capture of {label} was not read back whole just now."),
            Need::Ours { cure: None },
        ),
    };
    line.due(Due::Door)
}

/// `S2`: what is there now, captured first.
pub(super) fn present(put: &Put<'_>) -> Line {
    let label = &put.own.label;
    let line = match put.present {
        Some(digest) => Line::met(
            Rule::S2,
            format!("What lies in {label} now is captured."),
            Basis::Hashed {
                what: label.to_string(),
                digest,
            },
        ),
        None => Line::missing(
            Rule::S2,
            format!("What lies in {label} now is not captured yet."),
            Need::Ours {
                cure: Some(Cure::Capture),
            },
        ),
    };
    line.due(Due::Door)
}
