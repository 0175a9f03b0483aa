//! Putting a recovery inside an image that starts the system too (`M3`, `M12`): its ramdisk takes the place of
//! the one there, in each slot that holds one, and everything else stays the unit's own.

use veritope_wire::{Digest, Label};

use super::lines::copies::way_back;
use super::lines::foreign::before_foreign;
use super::write::{image_arg, image_lines, image_read, to_be_written};
use super::{
    Args, Ask, Bit, Brings, Doing, Ground, How, Kind, Line, Part, Price, Standpoint, Touches, Whose, Words,
    row,
};
use crate::consent::Costs;
use crate::dossier::{By, Dossier, MadeOf};
use crate::evidence::{Basis, Due, Need};
use crate::facts::{FactKey, Happening};
use crate::family::{Family, RecoveryInsideSpec};
use crate::mode::{Lock, RecoveryKind};
use crate::rule::Rule;
use crate::state::{Presence, State};

/// Puts a recovery inside, in every slot; at the door, in one.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct PutInside {
    /// The recovery's file; nothing while it is open which one.
    pub image: Option<Digest>,
    /// The one partition that is written now, and what with: made of what lies there and of the recovery.
    pub into: Option<(Label, Digest)>,
}

fn spec(family: &Family) -> Option<&RecoveryInsideSpec> {
    family.recovery_inside.as_ref()
}

impl Kind for PutInside {
    const TOUCHES: Touches = Touches::WRITES;

    fn instances(on: Ground<'_>) -> Vec<Self> {
        let (image, into) = (None, None);
        let spec = spec(on.family());
        spec.map(|_| Self { image, into }).into_iter().collect()
    }

    fn word(&self) -> &'static str {
        "put-inside"
    }

    fn args(&self) -> Vec<(&'static str, String)> {
        let into = self.into.iter();
        let into = into.flat_map(|(label, made)| [("label", label.to_string()), ("made", made.to_string())]);
        image_arg(self.image).into_iter().chain(into).collect()
    }

    fn read(word: &str, args: &Args) -> Option<Self> {
        (word == "put-inside").then_some(())?;
        let into = args.get("label").zip(args.get("made"));
        let into = match into {
            Some((label, made)) => Some((label.parse().ok()?, made.parse().ok()?)),
            None => None,
        };
        let image = image_read(args);
        Some(Self { image, into })
    }

    fn rule(&self, _: &Dossier<'_>) -> Rule {
        Rule::G4
    }

    fn lines(&self, on: Ground<'_>, at: Standpoint) -> Vec<Line> {
        let Some(spec) = spec(on.family()) else {
            return vec![Line::absent(
                Rule::M3,
                "No recovery lies inside another image on this family.",
            )];
        };
        if on.of.by.link == Presence::Missing {
            return vec![Line::absent(
                Rule::M3,
                "It is made of what lies there, which the bench reads over a link, and this unit has none: connect one.",
            )];
        }
        let mut lines = to_be_written(Some(spec.mode), on, at);
        lines.push(Line::met(
            Rule::M3,
            format!("A recovery lies inside {} here, in each slot that starts.", spec.base),
            Basis::clause(format!("[recovery_inside] of {}", spec.base)),
        ));
        lines.extend(image_lines(on, self.image));
        lines.extend(before_foreign(on.family(), on.of.facts));
        lines.extend(row(
            Bit::BackedUp,
            at,
            "What exists once is captured as it is now.",
        ));
        match &self.into {
            Some((label, made)) => {
                lines.push(way_back(label, on.of));
                lines.push(made_of(on.of.made, label, self.image, *made));
            }
            None => lines.extend(spec.partitions.iter().filter(|label| is_read(on.of, label)).map(|label| way_back(label, on.of))),
        }
        lines
    }

    fn after(&self, at: State, _: &Family) -> State {
        State {
            recovery: Some(RecoveryKind::Custom),
            ..at
        }
    }

    fn price(&self, _: State, family: &Family) -> Price {
        Price {
            risk: 1,
            ..Price::seconds(spec(family).map_or(0, |spec| spec.pace.usual_seconds), 0)
        }
    }

    fn label(&self, _: State, family: &Family, name: &str) -> String {
        let base = spec(family).map_or("", |spec| spec.base.as_str());
        format!("Put the recovery inside {base} of {name}")
    }

    fn words(&self, _: State, family: &Family) -> Words {
        let base = spec(family).map_or("", |spec| spec.base.as_str());
        Words::titled(format!("Put the recovery inside {base}"))
            .stuck(spec(family).map_or(0, |spec| spec.pace.stuck_seconds))
    }

    fn how(&self, family: &Family) -> How {
        How::said(spec(family).map_or("", |spec| spec.hand.as_str()))
    }

    fn costs(&self, of: &Dossier<'_>) -> Option<Costs> {
        Some(Costs {
            rule: Rule::G4,
            stage: None,
            consequences: of.family.consequences.clone(),
        })
    }

    fn asks(&self, family: &Family) -> Vec<Ask> {
        let mode = spec(family).map(|spec| Ask::Mode(vec![spec.mode]));
        mode.into_iter().chain([Ask::Lock(Lock::Unlocked)]).collect()
    }

    fn doing(&self, family: &Family, by: By) -> Doing {
        let (Presence::Here, Some(spec)) = (by.link, spec(family)) else {
            return Doing::Hands;
        };
        match &self.into {
            Some((label, made)) => Doing::Send {
                label: label.clone(),
                image: Some(*made),
            },
            None => Doing::PutInside {
                labels: spec.partitions.clone(),
                replaces: spec.replaces,
                image: self.image,
            },
        }
    }

    fn part(&self) -> Option<Part<'_>> {
        self.into.as_ref().map(|(label, made)| Part {
            label,
            image: Some(*made),
            whose: Whose::Others,
        })
    }

    fn lands_on(&self, family: &Family) -> Vec<Label> {
        match (&self.into, spec(family)) {
            (Some((label, _)), _) => vec![label.clone()],
            (None, Some(spec)) => spec.partitions.clone(),
            (None, None) => Vec::new(),
        }
    }

    fn whose(&self, _: &Dossier<'_>) -> Option<Whose> {
        Some(Whose::Others)
    }

    fn image(&self) -> Option<Option<Digest>> {
        match &self.into {
            Some((_, made)) => Some(Some(*made)),
            None => Some(self.image),
        }
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
            facts: vec![(FactKey::Recovery, RecoveryKind::Custom.id().to_owned())],
        }
    }
}

/// Whether a capture holds it, so that it is there to be put back.
fn is_read(of: &Dossier<'_>, label: &Label) -> bool {
    let mut rows = of.coverage.iter().flat_map(|coverage| &coverage.rows);
    rows.any(|row| row.described.own.label == *label)
}

/// What goes out was made of what lies there now and of this recovery, and of nothing else (`E5`, `Q11`).
fn made_of(made: Option<MadeOf<'_>>, label: &Label, recovery: Option<Digest>, sent: Digest) -> Line {
    let line = match made {
        Some(of) if of.label == label && Some(of.recovery) == recovery && of.made == sent => Line::met(
            Rule::Q11,
            format!(
                "What goes to {label} was made of what lies there, read just now, with this recovery's ramdisk in it; every other part is the same."
            ),
            Basis::Hashed {
                what: format!("{label} as it was read"),
                digest: of.base,
            },
        ),
        _ => Line::unknown(
            Rule::Q11,
            format!("What goes to {label} is made as it is sent."),
            Need::Ours { cure: None },
        ),
    };
    line.due(Due::Door)
}
