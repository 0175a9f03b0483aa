//! What a partition is for, and all that follows from it: one table, one row a role.

use serde::{Deserialize, Serialize};

use crate::facts::Happening;

/// What a partition is for; decides what may be done to it.
#[derive(
    Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, utoipa::ToSchema,
)]
#[serde(rename_all = "kebab-case")]
pub enum Role {
    /// Starts the device; never written alone.
    BootChain,
    /// Starts the system.
    Boot,
    /// Describes the hardware to the system.
    Overlay,
    /// Says which bytes may start.
    Verification,
    /// Runs the radio; the same in every unit of a variant.
    RadioFirmware,
    /// The recovery.
    Recovery,
    /// System, vendor, product.
    Os,
    /// Exists once in the world.
    DeviceUnique,
    /// Says how the lock stands; never written.
    LockState,
    /// Written by mode commands only.
    BootControl,
    /// The owner's data.
    UserData,
    /// Scratch.
    Cache,
    /// Room that nothing uses.
    Reserve,
}

/// Whether a capture wants a partition (`B3`).
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, utoipa::ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Wanted {
    /// In every capture.
    Always,
    /// In a full one.
    InFull,
    /// Never.
    Never,
}

/// Whose bytes a partition takes.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Takes {
    /// A recovery that matches, the maker's and its own (`G3`, `G4`).
    Recovery,
    /// The maker's and its own, none of a publisher's (`G4`).
    Makers,
    /// Its own and no others (`S1`).
    Own,
    /// None: it starts the device, and does so now (`S3`).
    LeftAlone,
    /// None: it is read for the record and never written by us (`S5`).
    Never,
    /// None: encrypted with a key that a wipe destroys (`S4`).
    Useless,
    /// None: nothing of it is kept.
    Scratch,
}

/// All that follows from a role.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct RoleSpec {
    /// Whether a capture wants it (`B3`).
    pub wanted: Wanted,
    /// Whose bytes it takes.
    pub takes: Takes,
    /// Its turn when several are put back, lowest first (`S3`): radio, system, then what starts it, what
    /// exists once last.
    pub turn: u8,
    /// Whether a locked unit checks it before it starts, or its start rests on it.
    pub is_checked: bool,
    /// Whether it is never put back below the fused index, own bytes or not (`W1`).
    pub is_fused: bool,
    /// Whether the maker's published files can hold it.
    pub is_published: bool,
    /// Whether it holds what its owner put there, and goes with every erase of the owner's data.
    pub is_owners: bool,
    /// What was read of the unit and is no longer so once it is written (`K5`).
    pub written: Option<Happening>,
}

/// A partition that every capture takes, that is never written, and from which nothing else follows.
const ONLY_READ: RoleSpec = RoleSpec {
    wanted: Wanted::Always,
    takes: Takes::Never,
    turn: 3,
    is_checked: false,
    is_fused: false,
    is_published: false,
    is_owners: false,
    written: None,
};

/// A partition that nothing is ever kept of.
const NOT_KEPT: RoleSpec = RoleSpec {
    wanted: Wanted::Never,
    takes: Takes::Scratch,
    is_published: true,
    ..ONLY_READ
};

/// A partition of the maker's that is checked at a start.
const CHECKED: RoleSpec = RoleSpec {
    takes: Takes::Makers,
    turn: 2,
    is_checked: true,
    is_published: true,
    ..ONLY_READ
};

impl Role {
    /// What follows from it.
    #[must_use]
    pub const fn spec(self) -> RoleSpec {
        match self {
            Self::BootChain => RoleSpec {
                takes: Takes::LeftAlone,
                turn: 3,
                is_fused: true,
                written: Some(Happening::SystemWritten),
                ..CHECKED
            },
            Self::Boot => RoleSpec {
                is_fused: true,
                written: Some(Happening::SystemWritten),
                ..CHECKED
            },
            Self::Overlay => CHECKED,
            Self::Verification => RoleSpec {
                is_fused: true,
                ..CHECKED
            },
            Self::RadioFirmware => RoleSpec {
                turn: 0,
                written: Some(Happening::SystemWritten),
                ..CHECKED
            },
            Self::Recovery => RoleSpec {
                takes: Takes::Recovery,
                is_fused: true,
                written: Some(Happening::RecoveryWritten),
                ..CHECKED
            },
            Self::Os => RoleSpec {
                wanted: Wanted::InFull,
                turn: 1,
                written: Some(Happening::SystemWritten),
                ..CHECKED
            },
            Self::DeviceUnique => RoleSpec {
                takes: Takes::Own,
                turn: 4,
                ..ONLY_READ
            },
            Self::LockState => ONLY_READ,
            Self::BootControl => RoleSpec {
                is_published: true,
                ..ONLY_READ
            },
            Self::UserData => RoleSpec {
                takes: Takes::Useless,
                is_published: false,
                is_owners: true,
                ..NOT_KEPT
            },
            Self::Cache => RoleSpec {
                is_owners: true,
                ..NOT_KEPT
            },
            Self::Reserve => NOT_KEPT,
        }
    }
}
