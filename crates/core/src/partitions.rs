//! What the partitions of a unit's own table are for (`B2`, `B5`).

use serde::Serialize;
use veritope_wire::Label;

use crate::family::{Family, Role};

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
    /// Role; a partition that the family doesn't list is treated as device-unique (`B5`).
    pub role: Role,
    /// Whether the family lists it, and with this size.
    pub listing: Listing,
}

/// How table and family file agree about a partition.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, utoipa::ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Listing {
    /// Listed, same size.
    AsListed,
    /// Listed with another size; the unit's own counts (`B2`).
    OtherSize,
    /// Not listed: never written until a person gives it a role (`B5`).
    NotListed,
}

/// Gives each partition of a table its role.
#[must_use]
pub fn describe(family: &Family, own: &[OwnPartition]) -> Vec<Described> {
    own.iter()
        .map(|own| {
            let spec = family
                .partitions
                .iter()
                .find(|spec| spec.label == own.label);
            Described {
                own: own.clone(),
                role: spec.map_or(Role::DeviceUnique, |spec| spec.role),
                listing: match spec {
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
        let table = [own("boot", 12), own("boot2", 1), own("cache", 9)];
        let described = describe(&family, &table);
        let seen: Vec<_> = described.iter().map(|d| (d.role, d.listing)).collect();
        assert_eq!(
            seen,
            [
                (Role::Boot, Listing::AsListed),
                (Role::DeviceUnique, Listing::NotListed),
                (Role::Cache, Listing::OtherSize)
            ]
        );
        assert_eq!(lacking(&family, &table).len(), 7);
    }
}
