//! Putting the maker's recovery back where another one was written (`G4`): its packages are taken nowhere
//! else, and increments refuse a partition that is not theirs.

use veritope_wire::{Digest, Label};

use super::lines::copies::way_back;
use super::lines::foreign::before_foreign;
use super::lines::owner::intake;
use super::write::{asks, image_arg, image_read, into_recovery, place, price, sent};
use super::{
    Args, Ask, Bit, Brings, Doing, Ground, How, ImageOf, Kind, Line, Part, Price, Standpoint, Touches,
    Whose, Words, arg, row,
};
use crate::builds::{self, Gate, Leg};
use crate::consent::{Costs, one};
use crate::dossier::By;
use crate::evidence::{Basis, Cure, Due, Need, not_known};
use crate::facts::{FactKey, Happening};
use crate::family::{Container, Family};
use crate::goal::Goal;
use crate::mode::{Lock, RecoveryKind};
use crate::rule::Rule;
use crate::state::State;

/// Puts the maker's recovery back.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct PutMakersRecovery {
    /// The partition.
    pub label: Label,
    /// The image; nothing while it is open which one.
    pub image: Option<Digest>,
}

impl Kind for PutMakersRecovery {
    const TOUCHES: Touches = Touches::WRITES;

    fn instances(on: Ground<'_>) -> Vec<Self> {
        let spec = on.family().recovery_write.as_ref();
        // What goes with a recovery in one go is put back with the whole set.
        let spec = spec.filter(|spec| spec.container == Container::Image && spec.companions.is_empty());
        let label = spec.map(|spec| spec.partition.clone());
        label
            .map(|label| Self { label, image: None })
            .into_iter()
            .collect()
    }

    fn word(&self) -> &'static str {
        "put-makers-recovery"
    }

    fn args(&self) -> Vec<(&'static str, String)> {
        let label = ("label", self.label.to_string());
        let image = image_arg(self.image);
        [label].into_iter().chain(image).collect()
    }

    fn read(word: &str, args: &Args) -> Option<Self> {
        (word == "put-makers-recovery").then_some(())?;
        Some(Self {
            label: arg(args, "label").parse().ok()?,
            image: image_read(args),
        })
    }

    fn serves(&self, goal: Goal) -> bool {
        matches!(
            goal,
            Goal::Unlock
                | Goal::KeepRecovery
                | Goal::Erase
                | Goal::Rescue
                | Goal::Renew
                | Goal::ToStockRecovery
        )
    }

    fn rule(&self, _: &crate::dossier::Dossier<'_>) -> Rule {
        Rule::G4
    }

    fn lines(&self, on: Ground<'_>, at: Standpoint) -> Vec<Line> {
        let (of, family) = (on.of, on.family());
        let mut lines = into_recovery(on, at);
        lines.push(intake(of.facts));
        lines.push(place(family, &self.label));
        lines.extend(self.image_lines(on));
        lines.extend(before_foreign(family, of.facts));
        lines.extend(row(
            Bit::Recovery(RecoveryKind::Custom),
            at,
            "Another recovery lies there.",
        ));
        lines.extend(row(
            Bit::BackedUp,
            at,
            "What exists once is captured as it is now.",
        ));
        lines.push(way_back(&self.label, of));
        lines
    }

    fn after(&self, at: State, _: &Family) -> State {
        State {
            recovery: Some(RecoveryKind::Stock),
            ..at
        }
    }

    fn price(&self, _: State, family: &Family) -> Price {
        price(family)
    }

    fn label(&self, _: State, _: &Family, name: &str) -> String {
        format!("Put the maker's recovery of {name} back")
    }

    fn words(&self, _: State, family: &Family) -> Words {
        let spec = family.recovery_write.as_ref();
        Words::titled("Put the maker's recovery back")
            .stuck(spec.map_or(0, |spec| spec.pace.stuck_seconds))
    }

    fn how(&self, family: &Family) -> How {
        let spec = family.recovery_write.as_ref();
        How::said(spec.map_or("", |spec| spec.hand.as_str()))
    }

    fn costs(&self, _: &crate::dossier::Dossier<'_>) -> Option<Costs> {
        Some(Costs {
            rule: Rule::G4,
            stage: None,
            consequences: vec![one(
                "recovery",
                "The recovery that lies there is gone; its file stays on the shelf.",
            )],
        })
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
            whose: Whose::Others,
        })
    }

    fn image_of(&self) -> Option<ImageOf> {
        Some(ImageOf::TheMakers)
    }

    fn choosing(self, image: Digest) -> Self {
        Self {
            image: Some(image),
            ..self
        }
    }

    fn brings(&self, _: &Family) -> Brings {
        Brings {
            happened: vec![Happening::RecoveryWritten],
            facts: vec![(FactKey::Recovery, RecoveryKind::Stock.id().to_owned())],
        }
    }
}

impl PutMakersRecovery {
    /// The image of the build that runs when it is put back lies on the shelf, and is what its maker published
    /// (`R1`, `E5`).
    fn image_lines(&self, on: Ground<'_>) -> Vec<Line> {
        let (of, family) = (on.of, on.family());
        let label = &self.label;
        let Some(build) = build_then(on) else {
            let question = "Which build runs? The maker's recovery of that very one is put back.";
            return vec![not_known(family, of.facts, Rule::Q8, FactKey::Build, question)];
        };
        let images = family.build(&build).map(|(_, spec)| &spec.images);
        let images = images.filter(|_| family.is_shipped());
        let mut images = images.into_iter().flatten();
        let Some((_, published)) = images.find(|(known, _)| known == label) else {
            let text = format!("Nothing says which digest the maker's {label} of {build} has, so none is put back.");
            return vec![Line::absent(Rule::R1, text).due(Due::Begin)];
        };
        let shelve = || {
            Cure::ShelveStock {
                labels: vec![label.clone()],
            }
            .by_person()
        };
        let mut stock = of.stock.iter();
        let at_hand = match stock.find(|file| file.build == build && file.brings(label)) {
            Some(file) => Line::met(
                Rule::Q8,
                format!("The maker's {label} of {build} lies on the shelf, in {}.", file.name),
                Basis::Hashed {
                    what: file.name.clone(),
                    digest: file.digest,
                },
            ),
            None => Line::missing(
                Rule::Q8,
                format!("The maker's {label} of {build} is not at hand, and its packages are taken nowhere but in the maker's recovery: put the maker's set or whole package of that build onto the shelf."),
                shelve(),
            ),
        };
        let whole = match of.makers_image {
            Some(seen) if seen.digest() == *published => Line::met(
                Rule::R1,
                format!("{label} was hashed as it goes out: {}, as its maker published.", published.short()),
                Basis::Hashed {
                    what: label.to_string(),
                    digest: seen.digest(),
                },
            ),
            Some(seen) => Line::missing(
                Rule::R1,
                format!(
                    "{label} out of that file has digest {}…, and the maker's of {build} is {}…: fetch the file again.",
                    seen.digest().short(),
                    published.short()
                ),
                shelve(),
            ),
            None => Line::unknown(
                Rule::Q11,
                "The image is hashed as it is sent.",
                Need::Ours { cure: None },
            ),
        };
        vec![at_hand.due(Due::Begin), whole.due(Due::Door)]
    }
}

/// The build that runs when it comes to this: the one that runs now, or the one on which the lock is opened.
fn build_then(on: Ground<'_>) -> Option<String> {
    let (family, facts) = (on.family(), on.of.facts);
    if facts.lock() != Some(Lock::Unlocked) {
        let chain = match builds::gate(family, facts, None) {
            gate @ Gate::Chains(_) => gate.chain(on.end),
            _ => None,
        };
        let mut legs = chain.into_iter().flat_map(|chain| chain.legs);
        let opened = legs.find_map(|leg| match leg {
            Leg::Unlock { build } => Some(build),
            Leg::Package { .. } => None,
        });
        if opened.is_some() {
            return opened;
        }
    }
    facts.text(FactKey::Build).map(str::to_owned)
}
