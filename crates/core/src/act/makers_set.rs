//! Putting the maker's whole set on a unit (`G2`, `G4`): the rescue of one that does not start any more. It is
//! proven as the maker's, it is this unit's, it is not below the fuse, and it writes nothing that exists once.

use veritope_wire::{Digest, Label};

use super::lines::index::index;
use super::lines::owner::intake;
use super::write::{image_arg, image_read, which_model};
use super::{
    Args, Ask, Bit, Brings, Command, Doing, Ground, How, ImageOf, Kind, Line, Price, Standpoint,
    TRIES_OF_READING, TakenBy, Touches, When, Whose, Words, copies_can_be_had, in_mode, is_shut_to_reading, lock_told, row, settled,
};
use crate::consent::{Costs, data_lost, one};
use crate::dossier::{By, Dossier, StockAtHand};
use crate::evidence::{Basis, Cure, Due, Need, choice};
use crate::facts::{FactKey, Facts, Happening, Reading};
use crate::family::{Family, Wipe};
use crate::goal::Goal;
use crate::mode::{Lock, RecoveryKind};
use crate::rule::Rule;
use crate::state::{Data, Laid, Presence, State};

/// Puts the maker's whole set on it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct PutMakersSet {
    /// Its build; nothing while none lies on the shelf.
    pub build: Option<String>,
    /// The set's file; nothing while it is open which one.
    pub image: Option<Digest>,
    /// Whether the owner's data can't be read under the set's metadata: it was written under other, or may have been.
    /// A closed lock lets nothing start under any but the maker's.
    pub shuts: bool,
}

impl Kind for PutMakersSet {
    const TOUCHES: Touches = Touches::WRITES.and(Touches::ERASES);

    fn instances(on: Ground<'_>) -> Vec<Self> {
        let spec = on.family().makers_set.as_ref();
        let set = set_for(on.family(), on.of.facts, on.of.stock);
        let is_locked = on.of.facts.lock() == Some(Lock::Locked);
        spec.map(|_| Self {
            build: set.map(|set| set.build.clone()),
            image: None,
            shuts: on.family().recovery_eats_data() && !is_locked,
        })
        .into_iter()
        .collect()
    }

    fn word(&self) -> &'static str {
        "put-makers-set"
    }

    fn args(&self) -> Vec<(&'static str, String)> {
        let build = self.build.iter().map(|build| ("build", build.clone()));
        let shuts = self.shuts.then(|| ("shuts", "data".to_owned()));
        build.chain(image_arg(self.image)).chain(shuts).collect()
    }

    fn read(word: &str, args: &Args) -> Option<Self> {
        (word == "put-makers-set").then(|| Self {
            build: args.get("build").cloned(),
            image: image_read(args),
            shuts: args.contains_key("shuts"),
        })
    }

    fn serves(&self, goal: Goal) -> bool {
        goal == Goal::Rescue
    }

    fn touches(&self, _: &Family) -> Touches {
        // Data that can't be read any more counts as erased (Q9).
        match self.shuts {
            true => Self::TOUCHES,
            false => Touches::WRITES,
        }
    }

    fn rule(&self, of: &Dossier<'_>) -> Rule {
        match copies_can_be_had(of) {
            true => Rule::G4,
            false => Rule::G2,
        }
    }

    fn lines(&self, on: Ground<'_>, at: Standpoint) -> Vec<Line> {
        let (of, family) = (on.of, on.family());
        let mode = family.makers_set.as_ref().map(|spec| spec.mode);
        let mut lines: Vec<Line> = mode
            .map(|mode| in_mode(Bit::InMode(mode), mode.shown(), on, at))
            .into_iter()
            .collect();
        lines.extend(settled(at));
        lines.extend(lock_told(of));
        lines.push(intake(of.facts));
        if self.rule(of) == Rule::G4 {
            let kept = "What exists once is kept.";
            lines.extend(row(Bit::FixedKept, at, kept).map(|line| line.under(Rule::B6)));
        } else {
            lines.extend(nothing_reads(of));
        }
        let Some(set) = self.set(of) else {
            lines.push(match family.model(of.facts) {
                Some(_) => lacks_set(family),
                None => which_model(family, of.facts, Rule::M2).due(Due::Begin),
            });
            return lines;
        };
        lines.push(
            Line::met(
                Rule::M8,
                format!("The maker's set of {} lies on the shelf, in {}.", set.build, set.name),
                Basis::Hashed {
                    what: set.name.clone(),
                    digest: set.digest,
                },
            )
            .due(Due::Begin),
        );
        lines.push(members(set));
        let build = family.build(&set.build).map(|(_, build)| build.rollback);
        lines.extend(index(Rule::W1, family, of.facts, &set.build, build));
        lines.push(self.proven(of, set, at));
        lines
    }

    fn after(&self, at: State, _: &Family) -> State {
        State {
            system: Laid::Makers,
            restorer: None,
            recovery: Some(RecoveryKind::Stock),
            data: if self.shuts { Data::Shut } else { at.data },
            ..at
        }
    }

    fn price(&self, _: State, family: &Family) -> Price {
        family
            .makers_set
            .as_ref()
            .map_or_else(Price::default, |spec| Price {
                risk: 1,
                wipes: u16::from(self.shuts),
                ..Price::with_hands(spec.pace.usual_seconds, spec.effort)
            })
    }

    fn label(&self, _: State, _: &Family, name: &str) -> String {
        format!("Put the maker's system back on {name}")
    }

    fn words(&self, _: State, family: &Family) -> Words {
        let spec = family.makers_set.as_ref();
        Words {
            wipe: self.shuts.then_some(Wipe::FormatData),
            ..Words::titled("Put the maker's set on it").stuck(spec.map_or(0, |spec| spec.pace.stuck_seconds))
        }
    }

    fn how(&self, family: &Family) -> How {
        let spec = family.makers_set.as_ref();
        How::said(spec.map_or("", |spec| spec.hand.as_str()))
    }

    fn costs(&self, of: &Dossier<'_>) -> Option<Costs> {
        let mut consequences = Vec::new();
        if self.rule(of) == Rule::G2 {
            consequences.push(one(
                "backup",
                "No copy exists: nothing reads this unit as it is, so what exists once on it is not kept. The set leaves it alone, by its members.",
            ));
        }
        if self.shuts {
            consequences.push(data_lost(Wipe::FormatData));
        }
        consequences.push(one(
            "interruption",
            "While it is written, power and cable stay; a cut leaves a system that does not start, and the set is put on it once more.",
        ));
        Some(Costs {
            rule: self.rule(of),
            stage: Some("the maker's whole set".to_owned()),
            consequences,
        })
    }

    fn asks(&self, family: &Family) -> Vec<Ask> {
        let mode = family.makers_set.as_ref().map(|spec| spec.mode);
        mode.map(|mode| Ask::Mode(vec![mode])).into_iter().collect()
    }

    fn doing(&self, _: &Family, by: By) -> Doing {
        match by.link {
            Presence::Here => Doing::Command(Command::TakeIn {
                by: TakenBy::Download,
                image: self.image,
            }),
            Presence::Missing => Doing::Hands,
        }
    }

    fn whose(&self, of: &Dossier<'_>) -> Option<Whose> {
        (self.rule(of) == Rule::G4).then_some(Whose::Others)
    }

    fn image_of(&self) -> Option<ImageOf> {
        Some(ImageOf::TheMakersSet)
    }

    fn image(&self) -> Option<Option<Digest>> {
        Some(self.image)
    }

    fn choosing(self, image: Digest) -> Self {
        Self {
            image: Some(image),
            ..self
        }
    }

    fn brings(&self, _: &Family) -> Brings {
        let shut = self.shuts.then_some(Happening::DataShut);
        let stock = (FactKey::Recovery, RecoveryKind::Stock.id().to_owned());
        let build = self.build.iter();
        Brings {
            happened: [Happening::SystemWritten, Happening::RecoveryWritten]
                .into_iter()
                .chain(shut)
                .collect(),
            facts: build
                .map(|build| (FactKey::LastPackage, build.clone()))
                .chain([stock])
                .collect(),
        }
    }

    fn doubt(&self) -> Option<Happening> {
        Some(Happening::SystemWritten)
    }
}

impl PutMakersSet {
    /// The set that it was judged for, while it lies there.
    fn set<'a>(&self, of: &Dossier<'a>) -> Option<&'a StockAtHand> {
        let set = set_for(of.family, of.facts, of.stock)?;
        (self.build.as_deref() == Some(&set.build)).then_some(set)
    }

    /// Every image is held against what the maker publishes, as it goes out (`R1`, `E5`).
    fn proven(&self, of: &Dossier<'_>, set: &StockAtHand, at: Standpoint) -> Line {
        let family = of.family;
        let known = family.build(&set.build).map(|(_, build)| &build.images);
        let known = known.filter(|images| family.is_shipped() && !images.is_empty());
        let Some(known) = known else {
            let text = format!(
                "Nothing says which digests the maker's images of {} have, so nothing proves that these are the maker's.",
                set.build
            );
            return Line::absent(Rule::R1, text).due(Due::Begin);
        };
        let proof = of.makers_set.filter(|proof| proof.file == set.digest);
        let Some(proof) = proof.filter(|_| at.when == When::Now) else {
            let need = Need::Ours { cure: None };
            let text = "Each image of the set is held against its maker's digest as it goes out.";
            return Line::unknown(Rule::R1, text, need).due(Due::Door);
        };
        let is_known = |label: &Label, digest: Digest| {
            let mut images = known.iter();
            images.any(|(one, published)| one == label && *published == digest)
        };
        let mut images = proof.images.iter();
        let line = match images.find(|(label, digest)| !is_known(label, *digest)) {
            Some((label, digest)) => Line::missing(
                Rule::R1,
                format!(
                    "{label} out of {} is {}…, and that is none of its maker's for {}: fetch the set again.",
                    set.name,
                    digest.short(),
                    set.build
                ),
                Cure::ShelveStock {
                    labels: vec![label.clone()],
                }
                .by_person(),
            ),
            None => Line::met(
                Rule::R1,
                format!(
                    "Each of its {} images has its maker's digest of {}.",
                    proof.images.len(),
                    set.build
                ),
                Basis::Hashed {
                    what: set.name.clone(),
                    digest: proof.file,
                },
            ),
        };
        line.due(Due::Door)
    }
}

/// The set that is put on a unit of those that are its own: of the build that it had where that lies there, of the
/// newest that does otherwise.
#[must_use]
pub fn set_for<'a>(
    family: &Family,
    facts: &Facts,
    stock: &'a [StockAtHand],
) -> Option<&'a StockAtHand> {
    let had = match facts.get(FactKey::Build) {
        Reading::Known(row) | Reading::Stale(row) => Some(row.value.exact()),
        Reading::Contradicted(_) | Reading::Unknown => None,
    };
    let sets = stock.iter().filter(|set| set.is_a_set());
    sets.max_by_key(|set| {
        let known = family.build(&set.build).map(|(_, build)| build);
        let order = known.map(|build| (build.rollback, build.patch));
        (had.as_deref() == Some(set.build.as_str()), order)
    })
}

/// It brings the maker's images and nothing else (`S1`, `S5`).
fn members(set: &StockAtHand) -> Line {
    let line = match set.strays.as_slice() {
        [] => Line::met(
            Rule::S1,
            "It holds images of what its maker publishes, and of nothing that exists once.",
            Basis::Hashed {
                what: set.name.clone(),
                digest: set.digest,
            },
        ),
        strays => Line::missing(
            Rule::S1,
            format!(
                "{} holds {} besides its images: what exists once, the lock's state and the table are never written from elsewhere, and a partition takes one image. Fetch the set as its maker publishes it.",
                set.name,
                strays.join(", ")
            ),
            Cure::ShelveStock { labels: Vec::new() }.by_person(),
        ),
    };
    line.due(Due::Begin)
}

fn lacks_set(family: &Family) -> Line {
    let labels = family.partitions.iter();
    let labels = labels
        .filter(|spec| spec.role.spec().is_checked)
        .map(|spec| spec.label.clone())
        .collect();
    Line::missing(
        Rule::M8,
        "The maker's whole set for this unit is not at hand: put the archive with its images onto the shelf.",
        Cure::ShelveStock { labels }.by_person(),
    )
    .due(Due::Begin)
}

/// Why nothing is copied first (`G2`); nothing while its lock is not known, which has a line of its own.
fn nothing_reads(of: &Dossier<'_>) -> Option<Line> {
    if of.failed_reads >= TRIES_OF_READING {
        return Some(Line::met(
            Rule::G2,
            format!(
                "Reading it was tried {} times on this sheet and failed, so nothing is copied first.",
                of.failed_reads
            ),
            Basis::log("the steps of this sheet"),
        ));
    }
    if is_shut_to_reading(of) {
        let starts = choice(of.facts, FactKey::Starts);
        return starts.map(|(_, basis)| {
            Line::met(
                Rule::G2,
                "Nothing reads it: what would is written only once its running system was seen to allow it, and that does not come up.",
                basis,
            )
        });
    }
    let locked = choice(of.facts, FactKey::Lock).filter(|(lock, _)| *lock == Lock::Locked.id());
    locked.map(|(_, basis)| {
        let text = "Nothing reads it while it is locked, so nothing can be copied first.";
        Line::met(Rule::G2, text, basis)
    })
}
