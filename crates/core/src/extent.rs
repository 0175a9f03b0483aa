//! What a capture takes (`B3`), in which order, and what it costs before its first block (`B8`).

use serde::Serialize;

use crate::captured::Rest;
use crate::family::{Family, Role, Wanted};
use crate::partitions::{OwnPartition, describe};

/// How much a capture takes.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, utoipa::ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Extent {
    /// All but the system.
    Quick,
    /// The system too.
    Full,
}

impl Extent {
    /// Whether it takes partitions of this role.
    #[must_use]
    pub fn takes(self, role: Role) -> bool {
        match (self, role.spec().wanted) {
            (_, Wanted::Always) | (Self::Full, Wanted::InFull) => true,
            (Self::Quick, Wanted::InFull) | (_, Wanted::Never) => false,
        }
    }

    /// What the seal opens with it, once there are as many copies as the policy wants.
    #[must_use]
    pub fn opens(self) -> &'static str {
        match self {
            Self::Quick => {
                "What exists once and what starts it: enough for the seal of writes and erases."
            }
            Self::Full => {
                "The system too: what the unit was met with, to compare with stock and to come back to."
            }
        }
    }
}

/// Whether an image goes to somebody else than the unit's owner (`B10`): what exists once, and the state of its lock,
/// do not.
#[must_use]
pub fn goes_to_another(role: Option<Role>) -> bool {
    !matches!(role, Some(Role::DeviceUnique | Role::LockState))
}

/// What a capture moves and keeps, in bytes.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Cost {
    /// Read over the link: what exists once twice (`B4`).
    pub read_bytes: u64,
    /// Kept at most, nothing of it getting smaller.
    pub kept_bytes: u64,
}

/// What a capture of a unit with these partitions costs; tables don't count, they are small.
#[must_use]
pub fn cost(family: &Family, own: &[OwnPartition], extent: Extent, rest: Rest) -> Cost {
    let taken = describe(family, own)
        .into_iter()
        .filter(|one| extent.takes(one.role));
    taken.fold(Cost::default(), |sum, one| {
        let length = one.own.length_bytes;
        let times = if one.is_read_twice(rest) { 2 } else { 1 };
        Cost {
            read_bytes: sum.read_bytes + length * times,
            kept_bytes: sum.kept_bytes + length,
        }
    })
}

/// How fast a capture went: bytes read, and milliseconds from its beginning to its end.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Pace {
    /// Bytes.
    pub bytes: u64,
    /// Milliseconds, above 0.
    pub ms: u64,
}

/// Milliseconds that so many bytes take at the middle one of the paces; nothing where none was measured. One
/// that was held up in between is slow, and the middle one is not moved by it.
#[must_use]
pub fn time_ms(bytes: u64, measured: &[Pace]) -> Option<u64> {
    let mut paces: Vec<Pace> = measured
        .iter()
        .copied()
        .filter(|pace| pace.bytes > 0 && pace.ms > 0)
        .collect();
    // By bytes in a millisecond, compared without dividing.
    paces.sort_by_key(|pace| u128::from(pace.bytes) * 1_000_000 / u128::from(pace.ms));
    let middle = paces.get(paces.len().checked_sub(1)? / 2)?;
    let ms = u128::from(bytes) * u128::from(middle.ms) / u128::from(middle.bytes);
    u64::try_from(ms).ok()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::family::testing::shipped;

    fn own(family: &Family) -> Vec<OwnPartition> {
        let mut at = 1 << 20;
        let parts = family.partitions.iter().zip(1..);
        parts
            .map(|(spec, number)| {
                let length_bytes = u64::from(spec.mib) << 20;
                at += length_bytes;
                OwnPartition {
                    label: spec.label.clone(),
                    number,
                    offset_bytes: at - length_bytes,
                    length_bytes,
                }
            })
            .collect()
    }

    #[test]
    fn a_quick_capture_costs_less_and_what_exists_once_counts_twice() {
        let family = shipped("gimbal");
        let own = own(&family);
        let at = |extent, rest| cost(&family, &own, extent, rest);
        let (quick, full) = (
            at(Extent::Quick, Rest::AtRest),
            at(Extent::Full, Rest::AtRest),
        );
        assert!(quick.kept_bytes < full.kept_bytes);
        let unique: u64 = own
            .iter()
            .filter(|part| family.partition(&part.label).unwrap().role == Role::DeviceUnique)
            .map(|part| part.length_bytes)
            .sum();
        assert_eq!(quick.read_bytes - quick.kept_bytes, unique);
        let live = at(Extent::Quick, Rest::Live);
        assert!(
            live.read_bytes < quick.read_bytes,
            "what lives is read once"
        );
    }

    #[test]
    fn the_middle_pace_counts_and_none_is_none() {
        let pace = |bytes, ms| Pace { bytes, ms };
        assert_eq!(time_ms(1000, &[]), None);
        assert_eq!(time_ms(1000, &[pace(0, 5), pace(5, 0)]), None);
        let measured = [pace(1000, 100), pace(10, 1_000_000), pace(1000, 120)];
        assert_eq!(time_ms(2000, &measured), Some(240));
    }
}
