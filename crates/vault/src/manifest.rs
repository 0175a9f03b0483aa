//! What a capture says of itself (`docs/capture-format.md`, `docs/capture-manifest.schema.json`).

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};
use veritope_core::coverage::{Agreement, BlankBytes, Origin, Rest};
use veritope_core::digest::{FrameLayout, FrameList};
use veritope_core::family::Role;
use veritope_core::mode::{Lock, Mode};
use veritope_core::worth::Inside;
use veritope_wire::{CaptureId, Digest, Label, UnitId, WallTime};

/// Version of the manifest.
///
/// Changes: 1 = first. Unknown fields are kept, since a manifest is only ever copied byte by byte.
pub const MANIFEST_VERSION: u32 = 1;

/// A capture: what was read from one unit at one time.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Manifest {
    /// [`MANIFEST_VERSION`].
    pub veritope_capture: u32,
    /// Its id.
    pub capture: CaptureId,
    /// The unit on the bench that took it.
    pub unit: UnitId,
    /// The unit's name then.
    pub nickname: String,
    /// When it was begun.
    pub taken: WallTime,
    /// Codename of the family.
    pub family: String,
    /// Identifiers in full, by fact key: what tells this unit from all others.
    pub identifiers: BTreeMap<String, String>,
    /// The build that ran, where it is known (`B9`).
    pub build: Option<String>,
    /// How the bytes were read.
    pub source: CaptureSource,
    /// Storage areas.
    pub areas: Vec<CapturedArea>,
    /// Partitions and tables that were read, in disk order.
    pub partitions: Vec<Captured>,
}

/// The state of the unit while it was read (`B9`).
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct CaptureSource {
    /// Read over the link, or handed in as files.
    pub origin: Origin,
    /// The mode it was in.
    pub mode: Mode,
    /// Whether anything could change meanwhile.
    pub rest: Rest,
    /// Its lock.
    pub lock: Option<Lock>,
}

/// A storage area.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct CapturedArea {
    /// Index from 0.
    pub area: u32,
    /// Bytes in a sector.
    pub sector_bytes: u32,
    /// Length in bytes.
    pub length_bytes: u64,
    /// The table's own identifier.
    pub guid: String,
}

/// One partition, or one end of an area with its table.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Captured {
    /// Label; `table-N.primary` and `table-N.backup` for the tables.
    pub label: Label,
    /// Role; nothing for a table.
    pub role: Option<Role>,
    /// Area it lies in.
    pub area: u32,
    /// Number in the table; 0 for a table.
    pub number: u32,
    /// First byte in the area.
    pub offset_bytes: u64,
    /// Length in bytes.
    pub length_bytes: u64,
    /// Digest of the image.
    pub blake3: Digest,
    /// Values of its frames' subtrees, in order; they add up to `blake3`.
    pub frames: Vec<Digest>,
    /// Length of the stored object in bytes.
    pub stored_bytes: u64,
    /// How often it was read.
    pub agreement: Agreement,
    /// Whether it holds anything.
    pub blank: BlankBytes,
    /// What its head says that it is; nothing where nobody looked.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub inside: Option<Inside>,
}

impl Captured {
    /// How the image falls into frames.
    #[must_use]
    pub fn layout(&self) -> FrameLayout {
        FrameLayout::new(self.length_bytes)
    }

    /// The frames, if they add up to the image's digest.
    #[must_use]
    pub fn frame_list(&self) -> Option<FrameList> {
        FrameList::new(self.layout(), self.frames.clone(), self.blake3)
    }
}

impl Manifest {
    /// The entry of a partition.
    #[must_use]
    pub fn partition(&self, label: &Label) -> Option<&Captured> {
        self.partitions.iter().find(|part| part.label == *label)
    }

    /// Bytes of all images together.
    #[must_use]
    pub fn bytes(&self) -> u64 {
        self.partitions.iter().map(|part| part.length_bytes).sum()
    }
}
