//! What is known of a capture: plain data, as the log has it. What it is worth is `worth`, what it covers
//! `coverage`.

use serde::{Deserialize, Serialize};
use veritope_wire::{CaptureId, Digest, Label};

use crate::steady::Taken;

/// Where bytes come from (`S1`).
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Origin {
    /// The maker's own files of one build, compared with the digests that they were published with.
    /// They are no unit's bytes.
    Stock,
    /// Read by this program over the link, hardware identity seen.
    Read,
    /// Declared by a person; never written to a device-unique partition.
    Declared,
}

/// Whether the system ran while bytes were read.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Rest {
    /// It did not.
    AtRest,
    /// It did.
    Live,
}

/// How often a partition was read, and what that showed (`B4`).
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Agreement {
    /// Once.
    Once,
    /// Twice, and both agree.
    Twice,
    /// The second read differed, a third agreed with one of them.
    TwoOfThree,
}

/// Whether bytes hold anything (`B5`).
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum BlankBytes {
    /// They do.
    No,
    /// All 0x00.
    Zeros,
    /// All 0xFF.
    Ones,
}

impl BlankBytes {
    /// What these bytes are.
    #[must_use]
    pub fn of(bytes: &[u8]) -> Self {
        // All are the first one when each equals its neighbour: one comparison of memory.
        let is_one_byte = || bytes[1..] == bytes[..bytes.len() - 1];
        match bytes.first() {
            Some(0x00) if is_one_byte() => Self::Zeros,
            Some(0xFF) if is_one_byte() => Self::Ones,
            _ => Self::No,
        }
    }

    /// What two pieces are together.
    #[must_use]
    pub fn and(self, other: Self) -> Self {
        if self == other { self } else { Self::No }
    }
}

/// A captured partition, as the log has it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct CapturedFacts {
    /// Label.
    pub label: Label,
    /// Length in bytes.
    pub length_bytes: u64,
    /// Digest of the image.
    pub blake3: Digest,
    /// How often it was read.
    pub agreement: Agreement,
    /// Whether it holds anything.
    pub blank: BlankBytes,
    /// What its head says that it is; nothing where nobody looked.
    pub inside: Option<Inside>,
    /// Whether it exists once in the world, as the family had it when it was read.
    pub is_unique: bool,
}

/// Which of two reads that differ is kept, by a third (`B4`).
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Kept {
    /// The first.
    First,
    /// The second.
    Second,
}

/// What is kept of a piece that was read three times, since the first two differ: what two of them agree on;
/// nothing where no two do. What was never read a first time agrees with nothing.
#[must_use]
pub fn of_three<T: PartialEq>(first: Option<&T>, second: &T, third: &T) -> Option<Kept> {
    if third == second {
        Some(Kept::Second)
    } else {
        (first == Some(third)).then_some(Kept::First)
    }
}

/// Who took a capture.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, utoipa::ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Taker {
    /// This bench.
    #[default]
    Us,
    /// Another one, from whose place it was taken over. Its word tells damage, and never whose or which
    /// maker's bytes these are (`E6`).
    AnotherBench,
}

/// A capture, as the log has it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct CaptureFacts {
    /// Its id.
    pub id: CaptureId,
    /// When the reading began.
    pub taken: Taken,
    /// Digest of its manifest: another manifest is another capture, whatever it says.
    pub manifest: Digest,
    /// Read or declared.
    pub origin: Origin,
    /// At rest or live.
    pub rest: Rest,
    /// Partitions and tables in disk order.
    pub partitions: Vec<CapturedFacts>,
    /// The build that ran, where it was known (`B9`).
    pub build: Option<String>,
    /// Who took it.
    pub taker: Taker,
    /// Of a set of the maker's: digest of the list that came with it, which tells sets apart.
    pub list: Option<Digest>,
}

impl CaptureFacts {
    /// Whether this bench itself read it off the unit: only that tells what lies there (`E6`, `B12`).
    #[must_use]
    pub fn is_read_here(&self) -> bool {
        self.taker == Taker::Us && self.origin == Origin::Read
    }

    /// The entry of one partition.
    #[must_use]
    pub fn partition(&self, label: &Label) -> Option<&CapturedFacts> {
        self.partitions.iter().find(|part| part.label == *label)
    }
}

/// What the head of an image says that it is.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(tag = "is", rename_all = "kebab-case")]
pub enum Inside {
    /// A file system.
    FileSystem {
        /// Its kind, for a person.
        kind: String,
    },
    /// An image that a bootloader starts, by its own word.
    StartImage {
        /// Codename that it was built for.
        codename: String,
        /// What it starts.
        kind: String,
        /// Its version.
        version: String,
    },
    /// Nothing that is recognised.
    Other,
}

impl Inside {
    /// In words.
    #[must_use]
    pub fn shown(&self) -> String {
        match self {
            Self::FileSystem { kind } => format!("a {kind} file system"),
            Self::StartImage {
                codename,
                kind,
                version,
            } => format!("{kind} {version} for {codename}, by its own word"),
            Self::Other => "no file system, no start image".to_owned(),
        }
    }

    /// Whether it says of itself that it is somebody's recovery rather than the maker's: then it is
    /// never stock, whatever a list says (`R1`, `E6`).
    #[must_use]
    pub fn is_custom_recovery(&self) -> bool {
        matches!(self, Self::StartImage { kind, .. } if kind == "recovery")
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    proptest! {
        /// What is kept was read twice, whichever two they were.
        #[test]
        fn what_is_kept_of_three_was_read_twice(first in prop::option::of(0..4u8), second in 0..4u8, third in 0..4u8) {
            prop_assume!(first != Some(second));
            let kept = match of_three(first.as_ref(), &second, &third) {
                Some(Kept::First) => first,
                Some(Kept::Second) => Some(second),
                None => None,
            };
            let reads = [first, Some(second), Some(third)];
            let times = |value: u8| reads.iter().filter(|read| **read == Some(value)).count();
            match kept {
                Some(value) => prop_assert_eq!(times(value), 2),
                None => prop_assert!((0..4).all(|value| times(value) < 2)),
            }
        }
    }
}
