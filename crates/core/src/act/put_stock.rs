//! Putting the maker's bytes on a partition (`G4`, `E3`). They go by the list of any foreign image: the set
//! is this unit's, what its screens must say is said (`L5`), what exists once is kept (`B6`), there is a
//! way back (`Q1`), and it is not below the fuse (`W1`).

use veritope_wire::{CaptureId, Digest, Label};

use super::lines::copies::way_back;
use super::lines::foreign::before_foreign;
use super::lines::index::index;
use super::put_back::{asks, how, length, places, present, role, verified, words, written};
use super::write::{image_arg, image_read, sent};
use super::{
    Args, Ask, Brings, Doing, Ground, How, Kind, Line, Part, Price, Standpoint, Touches, Whose,
    Words, arg,
};
use crate::coverage::Origin;
use crate::dossier::{By, Dossier, Put};
use crate::evidence::Basis;
use crate::family::{Family, Takes};
use crate::goal::Goal;
use crate::rule::Rule;
use crate::state::State;

/// Puts the maker's bytes on a partition.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct PutStock {
    /// The partition.
    pub label: Label,
    /// The set, as it was taken into the vault.
    pub set: CaptureId,
    /// Digest of the image; nothing while it is open which one.
    pub image: Option<Digest>,
}

impl Kind for PutStock {
    const TOUCHES: Touches = Touches::WRITES;

    fn instances(_: Ground<'_>) -> Vec<Self> {
        // Asked for partition by partition, at the backups; no sheet takes one.
        Vec::new()
    }

    fn word(&self) -> &'static str {
        "put-stock"
    }

    fn args(&self) -> Vec<(&'static str, String)> {
        let named = [
            ("label", self.label.to_string()),
            ("set", self.set.to_string()),
        ];
        named.into_iter().chain(image_arg(self.image)).collect()
    }

    fn read(word: &str, args: &Args) -> Option<Self> {
        (word == "put-stock").then_some(())?;
        Some(Self {
            label: arg(args, "label").parse().ok()?,
            set: arg(args, "set").parse().ok()?,
            image: image_read(args),
        })
    }

    fn serves(&self, _: Goal) -> bool {
        false
    }

    fn rule(&self, _: &Dossier<'_>) -> Rule {
        Rule::G4
    }

    fn lines(&self, on: Ground<'_>, at: Standpoint) -> Vec<Line> {
        let (of, family) = (on.of, on.family());
        let mut lines = places(on, at);
        let Some(put) = of.put else {
            lines.push(Line::absent(Rule::S1, "No set is chosen."));
            return lines;
        };
        lines.extend(set(of, &put, family));
        lines.extend(before_foreign(family, of.facts));
        if of.coverage.is_some_and(|coverage| !coverage.lines.is_empty()) {
            lines.push(way_back(&self.label, of));
        }
        let takes = family.partition(&self.label).map(|spec| spec.role.spec().takes);
        lines.push(match takes {
            Some(Takes::Own) => Line::absent(
                Rule::S1,
                format!(
                    "{} exists once in the world: it takes its own bytes back and no others.",
                    self.label
                ),
            ),
            Some(
                Takes::Recovery
                | Takes::Makers
                | Takes::LeftAlone
                | Takes::Never
                | Takes::Useless
                | Takes::Scratch,
            )
            | None => role(family, &self.label),
        });
        lines.extend([
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
        written(family, &self.label)
    }
}

fn set(of: &Dossier<'_>, put: &Put<'_>, family: &Family) -> Vec<Line> {
    let known = put.capture.is_some_and(|capture| {
        capture.manifest == put.witnessed.manifest && capture.origin == Origin::Stock
    });
    let log = || Basis::log("the set as it was taken into the vault");
    let mut lines = vec![if known {
        Line::met(
            Rule::M8,
            "Every image of the set had the digest of its list when it was taken into the vault.",
            log(),
        )
    } else {
        Line::absent(
            Rule::S1,
            "The log has no such set: where these bytes come from is only declared.",
        )
    }];
    // The index has a line of its own, which an unknown fuse does not leave out.
    let findings = put.set.iter().filter(|one| one.rule != Rule::W1);
    lines.extend(findings.filter_map(|finding| finding.line(log(), None)));
    let build = put.capture.and_then(|set| set.build.as_deref());
    let known = build.and_then(|build| family.build(build));
    lines.extend(index(
        Rule::W1,
        family,
        of.facts,
        build.unwrap_or("The set"),
        known.map(|(_, spec)| spec.rollback),
    ));
    lines
}
