//! What a family wants of a recovery, and where it goes (`M3`, `M4`, `M9`).

use serde::Serialize;
use veritope_wire::{Digest, Label};

use super::{Finding, Fit, Judgement};
use crate::facts::Facts;
use crate::family::{Companion, CompanionMade, Container, Family, RecoveryInsideSpec, RestoredBy};
use crate::partitions::OwnPartition;
use crate::rule::Rule;
use crate::started::{restores, restores_on};

/// Where a recovery goes.
#[derive(Debug, Clone, Copy)]
pub struct Place<'a> {
    /// The partition.
    pub label: &'a Label,
    /// In which form.
    pub container: &'a Container,
    /// What goes with it.
    pub companions: &'a [Companion],
    /// Whether it is only started from memory: nothing is written.
    pub from_memory: bool,
}

/// What a file is judged against.
#[derive(Debug, Clone, Copy)]
pub struct Wanted<'a> {
    /// The family.
    pub family: &'a Family,
    /// What is known of the unit.
    pub facts: &'a Facts,
    /// Its own table, where it was read.
    pub own: &'a [OwnPartition],
    /// Where the recovery goes.
    pub place: Place<'a>,
    /// Images that were seen to run on this very model before.
    pub seen_running: &'a [Digest],
    /// Whether the owner's data is emptied on the way, so that nothing has to be decrypted.
    pub formats_data: bool,
}

static IMAGE: Container = Container::Image;

impl Family {
    /// Where a recovery of this family goes: where it is written, or else where its image would fit that is
    /// started from memory. Nothing on a family that has neither.
    #[must_use]
    pub fn recovery_place(&self) -> Option<Place<'_>> {
        if let Some(spec) = &self.recovery_write {
            return Some(Place {
                label: &spec.partition,
                container: &spec.container,
                companions: &spec.companions,
                from_memory: false,
            });
        }
        let spec = self.temporary_start.as_ref()?;
        Some(Place {
            label: &spec.partition,
            container: &IMAGE,
            companions: &[],
            from_memory: true,
        })
    }
}

impl<'a> Wanted<'a> {
    /// What is wanted of a recovery of `family`, going by `facts`; nothing where the family takes none.
    #[must_use]
    pub fn of(family: &'a Family, facts: &'a Facts, own: &'a [OwnPartition]) -> Option<Self> {
        Some(Self {
            family,
            facts,
            own,
            place: family.recovery_place()?,
            seen_running: &[],
            formats_data: false,
        })
    }

    /// Whether nothing speaks against a file but that the unit's model is not known: it is asked for then (`M2`).
    #[must_use]
    pub fn waits_for_model(&self, judged: &Judgement) -> bool {
        let is_in_the_way = |one: &&Finding| one.bars() || one.asks_reason();
        let mut against = judged.findings.iter().filter(is_in_the_way).peekable();
        let is_asked = self.family.model(self.facts).is_none() && against.peek().is_some();
        is_asked && against.all(|one| one.rule == Rule::M2 && one.fit == Fit::Unknown)
    }

    /// Room of the place, and whether the unit's own table says so.
    #[must_use]
    pub fn room(&self) -> (u64, bool) {
        let label = self.place.label;
        let own = self.own.iter().find(|one| one.label == *label);
        match own {
            Some(own) => (own.length_bytes, true),
            None => {
                let spec = self.family.partition(label);
                (spec.map_or(0, |spec| u64::from(spec.mib) << 20), false)
            }
        }
    }
}

/// Where a recovery goes, in words.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct RecoveryPlace {
    /// In one sentence.
    pub said: String,
    /// What becomes of it there (`M11`); nothing where nothing does.
    pub kept: Option<String>,
}

impl Place<'_> {
    /// In words, for a unit of `family` of which `facts` are known.
    #[must_use]
    pub fn said(&self, family: &Family, facts: &Facts) -> RecoveryPlace {
        let label = self.label;
        let form = match self.container {
            Container::Image => "as the image itself".to_owned(),
            Container::Tar { member } => format!("in a tar, as {member}"),
        };
        let with: Vec<String> = self
            .companions
            .iter()
            .map(|one| {
                let made = match one.made {
                    CompanionMade::OwnSwitched => {
                        "the stock metadata of the build that runs, with its two switches set"
                    }
                    CompanionMade::Empty => "empty metadata with its two switches set",
                };
                let eats = if one.eats_data {
                    "; the owner's data can't be read after it"
                } else {
                    ""
                };
                format!("{} in the same go ({made}{eats})", one.partition)
            })
            .collect();
        let with = if with.is_empty() {
            String::new()
        } else {
            format!(", with {}", with.join(" and "))
        };
        let said = if let Some(spec) = &family.install_within {
            format!(
                "On {} a recovery is started from memory, {form}; to stay it installs itself in {} from within.",
                family.name(),
                spec.partition
            )
        } else if self.from_memory {
            let to_stay = family.recovery_inside.as_ref().map_or_else(
                || "nothing is written".to_owned(),
                |spec| {
                    format!(
                        "to stay it is put inside {}, in each slot that starts",
                        spec.base
                    )
                },
            );
            format!(
                "On {} a recovery is started from memory, {form}; {to_stay}.",
                family.name()
            )
        } else {
            format!(
                "On {} a recovery lies in {label}, a partition of its own. It is taken {form}{with}.",
                family.name()
            )
        };
        let is_switched_off = restores(family) && !restores_on(family, facts);
        let kept = match family.kept.restored_by {
            RestoredBy::SystemStart if is_switched_off => Some(
                "What puts the maker's recovery back is switched off on this unit, until its system is written anew."
                    .to_owned(),
            ),
            RestoredBy::SystemStart => Some(format!(
                "Each start of the system puts the maker's recovery back. {}",
                family.kept.stopped_by
            )),
            RestoredBy::Nothing => family.recovery_inside.as_ref().map(written_over),
        };
        RecoveryPlace { said, kept }
    }
}

/// What becomes of a recovery that lies inside another image (`M13`).
pub(crate) fn written_over(spec: &RecoveryInsideSpec) -> String {
    format!(
        "Whatever writes {} writes over it, a patched start image included: it goes back in the same go, to each slot.",
        spec.base
    )
}
