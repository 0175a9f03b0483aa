//! What is burnt into the fuse (`W1`): a rollback index below which nothing starts again. Unknown and
//! contradicted are never zero (`E1`). Where nothing reads it, what starts now bounds it from above:
//! a build that starts is not below the fuse.

use crate::facts::{CitedFact, FactKey, Facts, Happening, Reading};
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
    /// Nothing reads it on this family, and this build starts, or started last.
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
    bounded(family, facts).unwrap_or(Fused::Unknown {
        key: FactKey::Build,
    })
}

/// By the build that starts now or, once the system was written, by the one that started last: what was written
/// since may have started meanwhile, so the higher of both, and nothing where that is not known. What lies in
/// another slot may have started unseen.
fn bounded(family: &Family, facts: &Facts) -> Option<Fused> {
    let running = facts.known(FactKey::Build);
    let ran = match family.slot_switch {
        Some(_) => running,
        None => facts.known_before_writing(FactKey::Build),
    }?;
    let (_, mut spec) = family.build(&ran.value.exact())?;
    let mut rows = vec![CitedFact::from(ran)];
    if running.is_none() {
        let written = facts.last(Happening::SystemWritten);
        match facts.known(FactKey::LastPackage) {
            Some(last) => {
                let named = last.value.exact();
                let brought = match family.package(&named) {
                    Some(package) => family.builds.get(package.to)?,
                    None => family.build(&named)?.1,
                };
                rows.push(last.into());
                spec = if brought.rollback > spec.rollback {
                    brought
                } else {
                    spec
                };
            }
            // Nothing started since that could have fused anything.
            None if facts.last(Happening::SystemRan) < written => {}
            None => return None,
        }
    }
    Some(Fused::AtMost {
        index: spec.rollback,
        build: spec.id.clone(),
        facts: rows,
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::facts::FactRow;
    use crate::facts::Source;
    use crate::facts::testing::{at, facts, row};
    use crate::family::testing::shipped;
    use veritope_wire::BenchTime;

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
    fn what_started_last_bounds_it_once_the_system_was_written() {
        let kelpie = shipped("kelpie");
        let ran = row(1, FactKey::Build, "OB-510.2608.v4", Source::Link, 1);
        let written = row(
            2,
            FactKey::LastPackage,
            "OB-510.2610.v6",
            Source::Concluded,
            3,
        );
        let over = [(Happening::SystemWritten, at(2))];
        let bound = |rows: &[FactRow], happened: &[(Happening, BenchTime)]| {
            fused(&kelpie, &Facts::new(rows, &[], happened.iter().copied())).floor()
        };
        let only = std::slice::from_ref(&ran);
        assert_eq!(bound(only, &over), Some(4));
        // What started since may have fused as much as it brings, and nobody says how much.
        let since = [over[0], (Happening::SystemRan, at(4))];
        assert_eq!(bound(only, &since), None);
        assert_eq!(bound(&[ran.clone(), written], &since), Some(6));
        let odd = row(2, FactKey::LastPackage, "somebody's", Source::Person, 3);
        assert_eq!(bound(&[ran.clone(), odd], &over), None);
        // Out of sight it may have been updated.
        let left = Facts::new(&[ran], &[], over).aged([FactKey::Build]);
        assert_eq!(fused(&kelpie, &left).floor(), None);
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
