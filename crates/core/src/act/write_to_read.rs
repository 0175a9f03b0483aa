//! Writing an image only to get rights to read (`G3`): all other writes stay shut until `B6`, so this one
//! needs no copies, and is there only where nothing else gives rights to read.

use veritope_wire::{Digest, Label};

use super::lines::foreign::before_foreign;
use super::lines::owner::accounts;
use super::write::{
    asks, how, image_arg, image_lines, image_read, place, price, recovery_written, sent_as, to_write,
    which_model, words,
};
use super::{
    Args, Ask, Bit, Brings, Doing, Ground, How, Kind, Part, Price, Standpoint, Touches, Whose, Words,
    arg, row,
};
use crate::consent::{Costs, data_lost, one};
use crate::dossier::{By, Dossier};
use crate::evidence::{Basis, Cure, Due, Line};
use crate::family::{Consequence, Family, Wipe};
use crate::goal::Goal;
use crate::mode::RecoveryKind;
use crate::rule::Rule;
use crate::state::{Data, State};

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
        let family = on.family();
        // No sheet takes it where a start from memory reads (B1).
        let spec = family.recovery_write.as_ref().filter(|_| family.is_read_by_writing());
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

    fn serves(&self, goal: Goal) -> bool {
        // A package that goes over an unlocked unit waits until what exists once is kept.
        matches!(
            goal,
            Goal::BackUp
                | Goal::ReadTable
                | Goal::KeepRecovery
                | Goal::Unlock
                | Goal::Rescue
                | Goal::Renew
        )
    }

    fn touches(&self, family: &Family) -> Touches {
        // New verification metadata can make the owner's data unreadable: that counts as an erase (Q9).
        if family.recovery_eats_data() {
            Self::TOUCHES.and(Touches::ERASES)
        } else {
            Self::TOUCHES
        }
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
        lines.push(no_other_way(family));
        // Once another recovery is in, it reads; then everything is kept first (G4).
        lines.extend(row(Bit::MayBeStock, at, "The maker's recovery lies there."));
        lines.push(stock(on.of, &self.label));
        if family.recovery_eats_data() {
            lines.push(accounts(family, on.of.facts));
        }
        lines
    }

    fn after(&self, at: State, family: &Family) -> State {
        State {
            recovery: Some(RecoveryKind::Custom),
            data: if family.recovery_eats_data() { Data::Shut } else { at.data },
            ..at
        }
    }

    fn price(&self, _: State, family: &Family) -> Price {
        Price {
            wipes: u16::from(family.recovery_eats_data()),
            ..price(family)
        }
    }

    fn costs(&self, of: &Dossier<'_>) -> Option<Costs> {
        let family = of.family;
        let mut consequences = vec![one(
            "backup",
            "This is before any backup: nothing reads this unit before a recovery is in. It is captured right after, before anything else is written.",
        )];
        if family.recovery_eats_data() {
            consequences.push(data_lost(Wipe::FormatData));
        }
        consequences.extend(marks(family));
        let asks = family.recovery_eats_data() || !marks(family).is_empty();
        Some(Costs {
            rule: Rule::G3,
            // Asked as for an erase, where it erases or leaves a mark.
            stage: asks.then(|| "a recovery to read with".to_owned()),
            consequences,
        })
    }

    fn label(&self, _: State, _: &Family, name: &str) -> String {
        format!("Write the recovery of {name}")
    }

    fn words(&self, _: State, family: &Family) -> Words {
        Words {
            wipe: family.recovery_eats_data().then_some(Wipe::FormatData),
            ..words(family)
        }
    }

    fn how(&self, family: &Family) -> How {
        how(family)
    }

    fn asks(&self, family: &Family) -> Vec<Ask> {
        asks(family)
    }

    fn doing(&self, family: &Family, by: By) -> Doing {
        sent_as(family, &self.label, self.image, by)
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

    fn brings(&self, family: &Family) -> Brings {
        recovery_written(family)
    }
}

/// Marks that the first start of foreign bytes sets for good.
fn marks(family: &Family) -> Vec<Consequence> {
    let marks = family.marks.iter();
    marks
        .map(|mark| one("mark", format!("For good: {} {}", mark.text, mark.set_by)))
        .collect()
}

/// Only where nothing else reads it (`B1`).
fn no_other_way(family: &Family) -> Line {
    if family.temporary_start.is_some() {
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
    }
}

/// The way back: the maker's images of exactly what is written lie on the shelf, or a package that brings
/// them. Where none is to be had any more, a reason stands for a recovery in a partition of its own.
fn stock(of: &Dossier<'_>, label: &Label) -> Line {
    let spec = of.family.recovery_write.as_ref();
    let companions = spec.map_or(&[][..], |spec| &spec.companions);
    let labels: Vec<Label> = [label]
        .into_iter()
        .chain(companions.iter().map(|one| &one.partition))
        .cloned()
        .collect();
    let shown: Vec<&str> = labels.iter().map(Label::as_str).collect();
    let shown = shown.join(" and ");
    let bringing = of.stock.iter().find(|file| labels.iter().all(|label| file.brings(label)));
    let reason = of.recovery.and_then(|file| file.reason);
    let line = match (bringing, reason) {
        (Some(file), _) => Line::met(
            Rule::G3,
            format!("The maker's {shown} lies on the shelf, in {}: the way back.", file.name),
            Basis::Hashed {
                what: file.name.clone(),
                digest: file.digest,
            },
        ),
        (None, Some(reason)) if companions.is_empty() => Line::met(
            Rule::G3,
            format!("No image of the maker's {shown} is at hand. Written all the same: {reason}."),
            Basis::log("the reason that was given with the file"),
        ),
        (None, _) if of.family.model(of.facts).is_none() => {
            which_model(of.family, of.facts, Rule::G3)
        }
        (None, _) => Line::missing(
            Rule::G3,
            format!("The maker's {shown} is not at hand, and that is the way back if this recovery does not start: put the maker's set or package of this unit onto the shelf."),
            Cure::ShelveStock { labels }.by_person(),
        ),
    };
    line.due(Due::Begin)
}
