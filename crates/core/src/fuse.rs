//! What is burnt into the fuse (`W1`): a rollback index below which nothing starts again. Unknown and
//! contradicted are never zero (`E1`). Where nothing reads it, what starts now bounds it from above:
//! a build that starts is not below the fuse.

use crate::facts::{CitedFact, FactKey, Facts, Reading};
use crate::family::Family;

/// What is known of a unit's fused index.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Fused {
    /// The family's builds have none.
    None,
    /// It was read.
    Read {
        /// The index.
        index: u32,
        /// What it was read from.
        facts: Vec<CitedFact>,
    },
    /// Nothing reads it on this family, and this build starts.
    AtMost {
        /// The index of that build.
        index: u32,
        /// Its build string.
        build: String,
        /// What says that it runs.
        facts: Vec<CitedFact>,
    },
    /// Not known: this fact would tell.
    Unknown {
        /// Which fact.
        key: FactKey,
    },
}

impl Fused {
    /// The index that nothing may be below, where it is known or bounded.
    #[must_use]
    pub fn floor(&self) -> Option<u32> {
        match self {
            Self::None => Some(0),
            Self::Read { index, .. } | Self::AtMost { index, .. } => Some(*index),
            Self::Unknown { .. } => None,
        }
    }
}

/// What is fused, as far as it is known.
#[must_use]
pub fn fused(family: &Family, facts: &Facts) -> Fused {
    if family.builds.iter().all(|build| build.rollback == 0) {
        return Fused::None;
    }
    let key = FactKey::RollbackIndex;
    match facts.get(key) {
        Reading::Known(row) => {
            return match facts.count(key) {
                Some(index) => Fused::Read {
                    index,
                    facts: vec![row.into()],
                },
                None => Fused::Unknown { key },
            };
        }
        Reading::Contradicted(_) => return Fused::Unknown { key },
        Reading::Stale(_) | Reading::Unknown => {}
    }
    if family.place(key).is_some() {
        return Fused::Unknown { key };
    }
    let runs = facts.known(FactKey::Build);
    let build = runs.and_then(|_| facts.text(FactKey::Build));
    match build.and_then(|build| family.build(build)) {
        Some((_, spec)) => Fused::AtMost {
            index: spec.rollback,
            build: spec.id.clone(),
            facts: runs.into_iter().map(CitedFact::from).collect(),
        },
        None => Fused::Unknown {
            key: FactKey::Build,
        },
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::facts::Source;
    use crate::facts::testing::{facts, row};
    use crate::family::testing::shipped;

    #[test]
    fn what_is_read_counts_and_two_readings_that_differ_count_for_nothing() {
        let cinder = shipped("cinder");
        let key = FactKey::RollbackIndex;
        assert_eq!(fused(&cinder, &facts(&[(key, "3")])).floor(), Some(3));
        assert_eq!(fused(&cinder, &facts(&[])), Fused::Unknown { key });
        let two = [
            row(1, key, "2", Source::Link, 1),
            row(2, key, "3", Source::Person, 2),
        ];
        assert_eq!(
            fused(&cinder, &Facts::new(&two, &[], [])),
            Fused::Unknown { key }
        );
    }

    #[test]
    fn what_starts_bounds_it_where_nothing_reads_it() {
        let kelpie = shipped("kelpie");
        let running = |build: &str| fused(&kelpie, &facts(&[(FactKey::Build, build)]));
        assert_eq!(running("OB-510.2610.v6").floor(), Some(6));
        let unlisted = Fused::Unknown {
            key: FactKey::Build,
        };
        assert_eq!(running("OB-510.2611.v7"), unlisted);
        assert_eq!(fused(&kelpie, &facts(&[])), unlisted);
        assert_eq!(fused(&shipped("gimbal"), &facts(&[])), Fused::None);
    }
}
