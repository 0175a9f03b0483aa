//! Writing an image only to get rights to read (`G3`): all other writes stay shut until `B6`, so this one
//! needs no copies, and is there only where nothing else gives rights to read.

use veritope_wire::{Digest, Label};

use super::lines::foreign::before_foreign;
use super::write::{
    asks, how, image_arg, image_lines, image_read, place, price, recovery_written, sent, to_write,
    words,
};
use super::{
    Args, Ask, Brings, Doing, Ground, How, Kind, Line, Part, Price, Standpoint, Touches, Whose,
    Words, arg,
};
use crate::dossier::{By, Dossier};
use crate::evidence::Basis;
use crate::family::Family;
use crate::goal::Goal;
use crate::mode::RecoveryKind;
use crate::rule::Rule;
use crate::state::State;

/// Writes an image only to be able to read.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct WriteToRead {
    /// The partition.
    pub label: Label,
    /// The image; nothing while it is open which one.
    pub image: Option<Digest>,
}

impl Kind for WriteToRead {
    const TOUCHES: Touches = Touches::WRITES;

    fn instances(on: Ground<'_>) -> Vec<Self> {
        let spec = on.family().recovery_write.as_ref();
        let label = spec.map(|spec| spec.partition.clone());
        label
            .map(|label| Self { label, image: None })
            .into_iter()
            .collect()
    }

    fn word(&self) -> &'static str {
        "read-route-write"
    }

    fn args(&self) -> Vec<(&'static str, String)> {
        let label = ("label", self.label.to_string());
        let image = image_arg(self.image);
        [label].into_iter().chain(image).collect()
    }

    fn read(word: &str, args: &Args) -> Option<Self> {
        (word == "read-route-write").then_some(())?;
        Some(Self {
            label: arg(args, "label").parse().ok()?,
            image: image_read(args),
        })
    }

    fn serves(&self, _: Goal) -> bool {
        // No goal is reached by it yet: a family whose recovery has to be written first is read by none.
        false
    }

    fn rule(&self, _: &Dossier<'_>) -> Rule {
        Rule::G3
    }

    fn lines(&self, on: Ground<'_>, at: Standpoint) -> Vec<Line> {
        let family = on.family();
        let mut lines = to_write(on, at);
        lines.push(place(family, &self.label));
        lines.extend(image_lines(on, self.image));
        lines.extend(before_foreign(family, on.of.facts));
        lines.push(if family.temporary_start.is_some() {
            Line::absent(
                Rule::B1,
                "A recovery can be started from memory here, so nothing is written to be able to read.",
            )
        } else {
            Line::met(
                Rule::B1,
                "Nothing else gives rights to read on this family.",
                Basis::clause("no start from memory"),
            )
        });
        lines
    }

    fn after(&self, at: State, _: &Family) -> State {
        State {
            recovery: Some(RecoveryKind::Custom),
            ..at
        }
    }

    fn price(&self, _: State, family: &Family) -> Price {
        price(family)
    }

    fn words(&self, _: State, family: &Family) -> Words {
        words(family)
    }

    fn how(&self, family: &Family) -> How {
        how(family)
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
            whose: Whose::ToRead,
        })
    }

    fn choosing(self, image: Digest) -> Self {
        Self {
            image: Some(image),
            ..self
        }
    }

    fn brings(&self, _: &Family) -> Brings {
        recovery_written()
    }
}
