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

/// The two ends of an area, each with a copy of its table: neither is looked into without the other.
#[derive(Debug, Clone, Copy)]
pub struct BothEnds<'a> {
    /// What begins the area.
    pub head: &'a Captured,
    /// What ends it.
    pub tail: &'a Captured,
    /// Length of the area in bytes.
    pub length_bytes: u64,
}

impl Manifest {
    /// The ends of the area whose table `part` holds; nothing for a partition, and where only one end
    /// was captured.
    #[must_use]
    pub fn both_ends(&self, part: &Captured) -> Option<BothEnds<'_>> {
        let is_end = |one: &&Captured| (one.number, one.area) == (0, part.area);
        let area = self.areas.iter().find(|area| area.area == part.area)?;
        let mut ends: Vec<&Captured> = self.partitions.iter().filter(is_end).collect();
        ends.sort_by_key(|one| one.offset_bytes);
        let [head, tail] = ends[..] else { return None };
        (part.number == 0).then_some(BothEnds {
            head,
            tail,
            length_bytes: area.length_bytes,
        })
    }

    /// The entry of a partition.
    #[must_use]
    pub fn partition(&self, label: &Label) -> Option<&Captured> {
        self.partitions.iter().find(|part| part.label == *label)
    }

    /// Bytes of all images together.
    #[must_use]
    pub fn bytes(&self) -> u64 {
        // Of a manifest from elsewhere they may be anything.
        let lengths = self.partitions.iter().map(|part| part.length_bytes);
        lengths.fold(0, u64::saturating_add)
    }
}
