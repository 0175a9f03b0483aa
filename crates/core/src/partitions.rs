//! What the partitions of a unit's own table are for (`B2`, `B5`).

use serde::Serialize;
use veritope_wire::Label;

use crate::book;
use crate::captured::Rest;
use crate::family::{Blank, Changes, Family, Role};

/// A partition as the unit's own table has it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct OwnPartition {
    /// Label.
    pub label: Label,
    /// Number in the table.
    pub number: u32,
    /// First byte.
    pub offset_bytes: u64,
    /// Length in bytes.
    pub length_bytes: u64,
}

/// A partition with its role.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct Described {
    /// As the table has it.
    #[serde(flatten)]
    pub own: OwnPartition,
    /// Role; one that neither the family nor the book lists is treated as device-unique (`B5`).
    pub role: Role,
    /// Fixed or living; what nobody lists may change at any start.
    pub changes: Changes,
    /// Whether the family lists it, and with this size.
    pub listing: Listing,
}

/// How table and family file agree about a partition.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, utoipa::ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Listing {
    /// Listed, same size.
    AsListed,
    /// Listed with another size; the unit's own counts (`B2`).
    OtherSize,
    /// The family does not list it, the book of usual labels does: never written until a person gives it
    /// a role (`B5`).
    ByBook,
    /// Neither does: as before, and treated as device-unique.
    NotListed,
}

impl Described {
    /// Whether it is read until two reads agree, and kept in as many copies as the policy wants: what
    /// exists once, but for what nobody lists and is too large to be calibration (`B5`).
    #[must_use]
    pub fn is_kept_twice(&self) -> bool {
        self.role == Role::DeviceUnique
            && !(self.listing == Listing::NotListed && self.own.length_bytes > LARGE_BYTES)
    }
}

impl Described {
    /// Whether a capture reads it until two reads agree (`B4`): not so what lives, while the system runs
    /// that writes to it (`B12`).
    #[must_use]
    pub fn is_read_twice(&self, rest: Rest) -> bool {
        self.is_kept_twice() && (rest == Rest::AtRest || self.changes == Changes::Fixed)
    }
}

/// Above this length what nobody lists is read once and kept in one copy (`B5`).
pub const LARGE_BYTES: u64 = 64 << 20;

/// Gives each partition of a table its role.
#[must_use]
pub fn describe(family: &Family, own: &[OwnPartition]) -> Vec<Described> {
    own.iter()
        .map(|own| {
            let spec = family
                .partitions
                .iter()
                .find(|spec| spec.label == own.label);
            let (role, changes) = role_of(family, &own.label);
            Described {
                own: own.clone(),
                role,
                changes,
                listing: match spec {
                    None if book::look_up(&own.label).is_some() => Listing::ByBook,
                    None => Listing::NotListed,
                    Some(spec) if u64::from(spec.mib) << 20 == own.length_bytes => {
                        Listing::AsListed
                    }
                    Some(_) => Listing::OtherSize,
                },
            }
        })
        .collect()
}

/// What a partition is for and how it changes: by the family, else by the book; what neither lists exists
/// once and may change at any start (`B5`).
#[must_use]
pub fn role_of(family: &Family, label: &Label) -> (Role, Changes) {
    let listed = family.partition(label);
    listed
        .map(|spec| (spec.role, spec.changes))
        .or_else(|| book::look_up(label))
        .unwrap_or((Role::DeviceUnique, Changes::Living))
}

/// Whether a partition may hold nothing without anything being wrong: the family expects it, or neither the
/// family nor the book says what it is for (`B5`).
#[must_use]
pub fn may_be_blank(family: &Family, label: &Label) -> bool {
    match family.partition(label) {
        Some(spec) => spec.blank == Blank::Expected,
        None => book::look_up(label).is_none(),
    }
}

/// Labels that the family lists and the table lacks.
#[must_use]
pub fn lacking(family: &Family, own: &[OwnPartition]) -> Vec<Label> {
    family
        .partitions
        .iter()
        .filter(|spec| own.iter().all(|own| own.label != spec.label))
        .map(|spec| spec.label.clone())
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::family::testing::gimbal;

    #[test]
    fn an_unlisted_partition_is_treated_as_device_unique() {
        let own = |label: &str, mib: u64| OwnPartition {
            label: label.parse().unwrap(),
            number: 1,
            offset_bytes: 0,
            length_bytes: mib << 20,
        };
        let family = gimbal();
        let table = [
            own("boot", 12),
            own("mystery", 1),
            own("vault", 65),
            own("nvramBAK", 1),
            own("cache", 9),
        ];
        let described = describe(&family, &table);
        let seen: Vec<_> = described.iter().map(|d| (d.role, d.listing)).collect();
        assert_eq!(
            seen,
            [
                (Role::Boot, Listing::AsListed),
                (Role::DeviceUnique, Listing::NotListed),
                (Role::DeviceUnique, Listing::NotListed),
                (Role::DeviceUnique, Listing::ByBook),
                (Role::Cache, Listing::OtherSize)
            ]
        );
        let twice: Vec<_> = described.iter().map(Described::is_kept_twice).collect();
        assert_eq!(twice, [false, true, false, true, false]);
        assert_eq!(lacking(&family, &table).len(), 7);
    }
}
