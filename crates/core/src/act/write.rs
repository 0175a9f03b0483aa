//! Writing an image from elsewhere onto a partition (`G4`). For now that is a recovery onto its own.

use veritope_wire::{Digest, Label};

use super::lines::copies::way_back;
use super::lines::foreign::before_foreign;
use super::lines::owner::intake;
use super::{
    Args, Ask, Bit, Brings, Command, Doing, Ground, How, Kind, Line, Part, Price, Standpoint, TakenBy,
    Touches, Whose, Words, arg, in_mode, lock, row, settled,
};
use crate::consent::Costs;
use crate::dossier::{By, Dossier};
use crate::evidence::{Basis, Cure, Due, Need, not_known};
use crate::facts::{FactKey, Facts, Happening};
use crate::matching::Finding;
use crate::family::{Container, Family, Takes};
use crate::mode::{Lock, Mode, RecoveryKind};
use crate::rule::Rule;
use crate::state::{Presence, State};

/// Writes an image to a partition.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct WriteImage {
    /// The partition.
    pub label: Label,
    /// The image; nothing while it is open which one.
    pub image: Option<Digest>,
}

impl Kind for WriteImage {
    const TOUCHES: Touches = Touches::WRITES;

    fn instances(on: Ground<'_>) -> Vec<Self> {
        // Where it installs itself so that it stays, it is not written past that.
        let installs_itself = on.family().install_within.is_some();
        let spec = on.family().recovery_write.as_ref().filter(|_| !installs_itself);
        let label = spec.map(|spec| spec.partition.clone());
        label
            .map(|label| Self { label, image: None })
            .into_iter()
            .collect()
    }

    fn word(&self) -> &'static str {
        "write-image"
    }

    fn args(&self) -> Vec<(&'static str, String)> {
        let label = ("label", self.label.to_string());
        let image = image_arg(self.image);
        [label].into_iter().chain(image).collect()
    }

    fn read(word: &str, args: &Args) -> Option<Self> {
        // Sheets of before name the recovery without its partition.
        let label = match word {
            "write-image" => arg(args, "label"),
            "write-recovery" => "recovery".to_owned(),
            _ => return None,
        };
        Some(Self {
            label: label.parse().ok()?,
            image: image_read(args),
        })
    }

    fn rule(&self, _: &Dossier<'_>) -> Rule {
        Rule::G4
    }

    fn lines(&self, on: Ground<'_>, at: Standpoint) -> Vec<Line> {
        let mut lines = to_write(on, at);
        lines.push(place(on.family(), &self.label));
        lines.extend(image_lines(on, self.image));
        lines.extend(before_foreign(on.family(), on.of.facts));
        lines.extend(row(
            Bit::BackedUp,
            at,
            "What exists once is captured as it is now.",
        ));
        lines.push(way_back(&self.label, on.of));
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

    fn label(&self, _: State, _: &Family, name: &str) -> String {
        format!("Write the recovery of {name}")
    }

    fn words(&self, _: State, family: &Family) -> Words {
        words(family)
    }

    fn how(&self, family: &Family) -> How {
        how(family)
    }

    fn costs(&self, of: &Dossier<'_>) -> Option<Costs> {
        Some(Costs {
            rule: Rule::G4,
            stage: None,
            consequences: of.family.consequences.clone(),
        })
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
            whose: Whose::Others,
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

/// The rows of writing a recovery: where and how it is taken, and that nothing is written on a hope.
pub(super) fn to_write(on: Ground<'_>, at: Standpoint) -> Vec<Line> {
    let mode = on.family().recovery_write.as_ref().map(|spec| spec.mode);
    to_be_written(mode, on, at)
}

/// The same in the mode that takes it.
pub(super) fn to_be_written(mode: Option<Mode>, on: Ground<'_>, at: Standpoint) -> Vec<Line> {
    let mut lines = taken_in(mode, on, at);
    lines.push(shelved(on));
    lines.push(intake(on.of.facts));
    lines
}

/// The rows of writing to the recovery's partition, whatever it is.
pub(super) fn into_recovery(on: Ground<'_>, at: Standpoint) -> Vec<Line> {
    taken_in(on.family().recovery_write.as_ref().map(|spec| spec.mode), on, at)
}

fn taken_in(mode: Option<Mode>, on: Ground<'_>, at: Standpoint) -> Vec<Line> {
    let mode = mode.map(|mode| in_mode(Bit::InMode(mode), mode.shown(), on, at));
    let mut lines: Vec<Line> = mode.into_iter().collect();
    let locked = "It is locked: it takes only the maker's bytes.";
    lines.push(lock(Lock::Unlocked, locked, on, at));
    lines.extend(settled(at));
    lines
}

pub(super) fn price(family: &Family) -> Price {
    let spec = family.recovery_write.as_ref();
    Price {
        risk: 1,
        ..Price::seconds(spec.map_or(0, |spec| spec.pace.usual_seconds), 0)
    }
}

pub(super) fn words(family: &Family) -> Words {
    let spec = family.recovery_write.as_ref();
    Words::titled("Write the recovery").stuck(spec.map_or(0, |spec| spec.pace.stuck_seconds))
}

pub(super) fn how(family: &Family) -> How {
    let spec = family.recovery_write.as_ref();
    How::said(spec.map_or("", |spec| spec.hand.as_str()))
}

pub(super) fn asks(family: &Family) -> Vec<Ask> {
    let mode = family.recovery_write.as_ref().map(|spec| spec.mode);
    let mode = mode.map(|mode| Ask::Mode(vec![mode]));
    mode.into_iter().chain([Ask::Lock(Lock::Unlocked)]).collect()
}

pub(super) fn recovery_written(family: &Family) -> Brings {
    let shut = family.recovery_eats_data().then_some(Happening::DataShut);
    Brings {
        happened: [Happening::RecoveryWritten].into_iter().chain(shut).collect(),
        facts: vec![(FactKey::Recovery, RecoveryKind::Custom.id().to_owned())],
    }
}

/// As the family's route takes it: an image goes to its partition, a tar to what lays its members out.
pub(super) fn sent_as(family: &Family, label: &Label, image: Option<Digest>, by: By) -> Doing {
    let container = family.recovery_write.as_ref().map(|spec| &spec.container);
    match (container, by.link) {
        (Some(Container::Tar { .. }), Presence::Here) => {
            Doing::Command(Command::TakeIn {
                by: TakenBy::Download,
                image,
            })
        }
        _ => sent(label, image, by),
    }
}

/// By link where there is one.
pub(super) fn sent(label: &Label, image: Option<Digest>, by: By) -> Doing {
    match by.link {
        Presence::Here => Doing::Send {
            label: label.clone(),
            image,
        },
        Presence::Missing => Doing::Hands,
    }
}

/// Images go to the recovery only (`G3`, `G4` in this version); the boot chain never alone,
/// lock-state and control never (`S5`), what exists once never from elsewhere (`S1`).
pub(super) fn place(family: &Family, label: &Label) -> Line {
    let takes = family.partition(label).map(|spec| spec.role.spec().takes);
    match takes {
        Some(Takes::Recovery) => Line::met(
            Rule::G4,
            format!("{label} is the recovery's own partition."),
            Basis::clause(format!("role of {label}")),
        ),
        Some(Takes::Never) => Line::absent(Rule::S5, format!("{label} is never written by us.")),
        Some(Takes::Own) | None => Line::absent(
            Rule::S1,
            format!("{label} exists once in the world: it takes its own bytes back and no others."),
        ),
        Some(Takes::Makers | Takes::LeftAlone | Takes::Useless | Takes::Scratch) => {
            Line::absent(Rule::G4, format!("Images are not written to {label}."))
        }
    }
}

/// A recovery that fits is on the shelf (`M1`). Without one nothing is planned that takes it.
pub(super) fn shelved(on: Ground<'_>) -> Line {
    let family = on.family();
    let line = match on.of.recovery {
        Some(image) => Line::met(
            Rule::M1,
            format!("{} is on the shelf, and matches.", image.shown()),
            Basis::log("what lies on the shelf"),
        ),
        None => Line::missing(
            Rule::M1,
            format!(
                "No recovery on the shelf matches {}: put one there, or see at Recovery what the others lack.",
                family.name()
            ),
            Cure::Shelve.by_person(),
        ),
    };
    line.due(Due::Begin)
}

/// What was found of the image, and that its bytes are whole where it lies (`Q11`), the very ones that are
/// meant where a digest is chosen (`E5`).
pub(super) fn image_lines(on: Ground<'_>, chosen: Option<Digest>) -> Vec<Line> {
    let Some(image) = on.of.recovery else {
        return Vec::new();
    };
    let basis = |digest: Digest| Basis::Hashed {
        what: "the recovery's image".to_owned(),
        digest,
    };
    let by = image.seen.map_or_else(
        || Basis::log("what the shelf judged"),
        |seen| basis(seen.digest()),
    );
    let (family, facts) = (on.family(), on.of.facts);
    let finding = |finding: &Finding| {
        if finding.rule == Rule::M2 && finding.bars() && family.model(facts).is_none() {
            // Nothing about the file is wrong: what it is for is held against nothing.
            return Some(which_model(family, facts, Rule::M2));
        }
        finding.line(by.clone(), image.reason)
    };
    let mut lines: Vec<Line> = image.findings.iter().filter_map(finding).collect();
    let another = "The image is not the one that was judged for this: choose it again.";
    lines.push(match (image.seen, image.known_by) {
        (Some(seen), Some(known_by)) if seen.digest() == known_by => {
            if chosen.is_some_and(|chosen| chosen != seen.digest()) {
                Line::missing(Rule::E5, another, Cure::Choose.by_person())
            } else {
                Line::met(
                    Rule::Q11,
                    format!("{} was hashed where it lies: {}.", image.shown(), seen.digest().short()),
                    basis(seen.digest()),
                )
            }
        }
        (Some(seen), _) => Line::missing(
            Rule::Q11,
            "The image is not what it was when it came onto the shelf: fetch it again.",
            Cure::Shelve.by_person(),
        )
        .seen([basis(seen.digest())]),
        (None, _) => Line::unknown(
            Rule::Q11,
            "The image is hashed as it is sent.",
            Need::Ours { cure: None },
        ),
    });
    lines.into_iter().map(|line| line.due(Due::Door)).collect()
}

/// Every letter of the model code is wanted: twins that differ by one may share nothing (`M2`).
pub(super) fn which_model(family: &Family, facts: &Facts, rule: Rule) -> Line {
    let question = "Which model is it, by every letter of its code?";
    not_known(family, facts, rule, FactKey::ModelCode, question)
}

pub(super) fn image_arg(image: Option<Digest>) -> Vec<(&'static str, String)> {
    image
        .map(|image| ("image", image.to_string()))
        .into_iter()
        .collect()
}

pub(super) fn image_read(args: &Args) -> Option<Digest> {
    args.get("image")?.parse().ok()
}
