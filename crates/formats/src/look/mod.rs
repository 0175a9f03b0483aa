//! What bytes are: what they hold, declare and lack (JOB `Q6`, `M2`, `B5`).
//!
//! [`look`] takes bytes of any origin and says in the trade's words what they are. It never
//! panics, allocates nothing by a length that the bytes claim, and spends one budget over all
//! nesting: what is beyond it is named as not looked at, never guessed.
//!
//! * `bytes` where bytes come from; parts of them without copying
//! * `finding` what is wrong, each in one sentence with its place; `headline` the whole in one line
//! * `packed`, `blocks`, `cpio`, `properties` what a ramdisk is made of
//! * `start`, `vendor`, `tree` images that a bootloader starts, and device trees
//! * `verified` verification metadata, its footer, digests and trees
//! * `volumes`, `sparse`, `payload`, `transfer`, `script` how makers ship partitions
//! * `zip`, `tar` archives and their members
//! * `take`, `out` one thing out of another
//! * `filesystem`, `areas` superblocks, partition tables

mod archive;
mod areas;
mod blocks;
mod bytes;
mod cpio;
mod filesystem;
mod finding;
mod headline;
mod out;
mod packed;
mod payload;
mod properties;
mod script;
mod sparse;
mod start;
mod take;
mod tar;
mod transfer;
mod tree;
mod vendor;
mod verified;
mod volumes;
mod zip;

use serde::Serialize;
use utoipa::ToSchema;

pub use self::archive::{Archive, Container, Member};
pub use self::areas::{
    AreaEnd, AreaTable, BootRecord, RecordEntry, TablePartition, WhichEnd, area_end, area_table,
};
pub use self::bytes::Bytes;
pub use self::cpio::Ramdisk;
pub use self::filesystem::{FileSystem, FileSystemKind};
pub use self::finding::{Finding, Trouble, Weight};
pub use self::out::{NotTaken, Taken};
pub use self::packed::Packing;
pub use self::payload::{Payload, PayloadPartition};
pub use self::properties::Properties;
pub use self::script::{Metadata, Script};
pub use self::sparse::Sparse;
pub use self::start::StartImage;
pub use self::take::{Part, take};
pub use self::transfer::Transfer;
pub use self::tree::{DeviceTree, OverlayTable};
pub use self::vendor::{VendorRamdisk, VendorStart};
pub use self::verified::{Descriptor, Verification};
pub use self::volumes::{Group, Volume, VolumeSlot, Volumes};

use self::bytes::{Budget, View};
use self::finding::Findings;

/// Version of the looker: a finding of an older one is looked for again.
pub const LOOKER: u32 = 2;

/// What one look may cost, over all nesting.
#[derive(Debug, Clone, Copy)]
pub struct Limits {
    /// Bytes that may be expanded or hashed.
    pub expanded_bytes: u64,
    /// Bytes of expanded members that may be in memory at once.
    pub held_bytes: u64,
    /// Things looked into.
    pub looks: u32,
    /// Archives within archives that are gone into.
    pub depth: u8,
}

impl Default for Limits {
    fn default() -> Self {
        Self {
            expanded_bytes: 256 << 20,
            held_bytes: 48 << 20,
            looks: 4096,
            depth: 2,
        }
    }
}

/// What was seen.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, ToSchema)]
pub struct Looked {
    /// Length in bytes.
    pub bytes: u64,
    /// What it is, and what it says of itself.
    #[serde(flatten)]
    pub what: What,
    /// Verification metadata that a footer in the last 64 bytes points at.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub footer: Option<Verification>,
    /// What is wrong with it, or to be known of it; nothing for a sound file.
    pub findings: Vec<Finding>,
    /// What lies inside, looked into in the same way.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub inside: Vec<Inside>,
}

/// Something inside something.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, ToSchema)]
pub struct Inside {
    /// Its name there.
    pub name: String,
    /// What was seen.
    #[schema(no_recursion)]
    pub looked: Looked,
}

/// What bytes are.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, ToSchema)]
#[serde(tag = "kind", content = "says", rename_all = "kebab-case")]
pub enum What {
    /// An image that a bootloader starts.
    StartImage(Box<StartImage>),
    /// The vendor part of a start image.
    VendorStartImage(Box<VendorStart>),
    /// Verification metadata by itself.
    Verification(Box<Verification>),
    /// A container of logical volumes.
    Volumes(Volumes),
    /// A sparse image.
    Sparse(Sparse),
    /// A payload of partitions.
    Payload(Payload),
    /// An archive: zip, tar or cpio, with what a package says of itself.
    Archive(Box<Archive>),
    /// Packed bytes.
    Packed {
        /// How they are packed.
        packing: Packing,
        /// Length when unpacked, where it was counted.
        unpacked_bytes: Option<u64>,
    },
    /// A ramdisk by itself.
    Ramdisk(Box<Ramdisk>),
    /// A file system.
    FileSystem(FileSystem),
    /// The partition table of a storage area.
    PartitionTable(AreaTable),
    /// A master boot record without a partition table.
    BootRecord(BootRecord),
    /// A device tree.
    DeviceTree(DeviceTree),
    /// A table of device trees that are laid over another.
    OverlayTable(OverlayTable),
    /// A property file.
    Properties(Box<Properties>),
    /// Nothing but one byte again and again.
    Blank {
        /// That byte.
        byte: u8,
    },
    /// Text.
    Text,
    /// No bytes at all.
    Empty,
    /// Bytes of no known kind.
    Bytes,
}

impl What {
    /// The kind in the words of the trade.
    #[must_use]
    pub fn name(&self) -> &'static str {
        match self {
            Self::StartImage(_) => "start image",
            Self::VendorStartImage(_) => "vendor start image",
            Self::Verification(_) => "verification metadata",
            Self::Volumes(_) => "container of logical volumes",
            Self::Sparse(_) => "sparse image",
            Self::Payload(_) => "payload",
            Self::Archive(archive) => archive.name(),
            Self::Packed { packing, .. } => packing.name(),
            Self::Ramdisk(_) => "ramdisk",
            Self::FileSystem(system) => system.kind.name(),
            Self::PartitionTable(_) => "partition table",
            Self::BootRecord(_) => "master boot record",
            Self::DeviceTree(_) => "device tree",
            Self::OverlayTable(_) => "table of device tree overlays",
            Self::Properties(_) => "property file",
            Self::Blank { .. } => "blank",
            Self::Text => "text",
            Self::Empty => "empty",
            Self::Bytes => "bytes of no known kind",
        }
    }
}

impl Looked {
    /// The gravest weight of any finding, here or inside.
    #[must_use]
    pub fn gravest(&self) -> Option<Weight> {
        let own = self.findings.iter().map(|finding| finding.weight).max();
        let inside = self.inside.iter().filter_map(|one| one.looked.gravest());
        own.into_iter().chain(inside).max()
    }
}

/// Looks into `bytes`. `name` is the file's name, where there is one: numbered pieces and digest
/// lines are known by it, nothing else is.
#[must_use]
pub fn look(bytes: &dyn Bytes, name: &str, limits: Limits) -> Looked {
    let budget = Budget::new(limits);
    Looker {
        budget: &budget,
        depth: limits.depth,
    }
    .look(View::whole(bytes), name)
}

/// The superblock at the start of an image, by its first [`HEAD_BYTES`]; nothing where there is none.
/// What it declares is not held against any length.
#[must_use]
pub fn superblock(head: &[u8]) -> Option<FileSystem> {
    filesystem::read(View::whole(&head), &mut Findings::default())
}

/// What one level of a look needs.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Looker<'a> {
    budget: &'a Budget,
    /// Levels of archives that may still be gone into.
    depth: u8,
}

impl<'a> Looker<'a> {
    /// One level further in; nothing where the nesting ends.
    fn deeper(self) -> Option<Self> {
        Some(Self {
            depth: self.depth.checked_sub(1)?,
            ..self
        })
    }

    fn look(self, view: View<'_>, name: &str) -> Looked {
        let mut findings = Findings::default();
        if !self.budget.one_more() {
            findings.note(
                Trouble::NotLookedAt,
                None,
                "not looked into: the limit of things to look into is reached".into(),
            );
            return Looked {
                bytes: view.length(),
                what: What::Bytes,
                footer: None,
                findings: findings.all(),
                inside: Vec::new(),
            };
        }
        let footer = verified::footer(view, self.budget, &mut findings);
        let body = match &footer {
            Some(found) => view.part_or_less(0, found.image_bytes),
            None => view,
        };
        let mut inside = Vec::new();
        let what = self.what(body, name, &mut findings, &mut inside);
        let footer = footer.and_then(|found| found.metadata);
        if let Some(signed) = &footer {
            verified::check_image(view, signed, self.budget, &mut findings);
        }
        Looked {
            bytes: view.length(),
            what,
            footer,
            findings: findings.all(),
            inside,
        }
    }

    fn what(
        self,
        view: View<'_>,
        name: &str,
        findings: &mut Findings,
        inside: &mut Vec<Inside>,
    ) -> What {
        if view.length() == 0 {
            return What::Empty;
        }
        let head = view.head(HEAD_BYTES);
        match Mark::of(view, &head) {
            Mark::StartImage => start::read(view, self.budget, findings)
                .map_or(What::Bytes, |image| What::StartImage(Box::new(image))),
            Mark::VendorStartImage => vendor::read(view, self.budget, findings)
                .map_or(What::Bytes, |image| What::VendorStartImage(Box::new(image))),
            Mark::Verification => verified::read(view, findings)
                .map_or(What::Bytes, |one| What::Verification(Box::new(one))),
            Mark::Sparse => {
                sparse::read(view, name, self, findings, inside).map_or(What::Bytes, What::Sparse)
            }
            Mark::Payload => {
                payload::read(view, self.budget, findings).map_or(What::Bytes, What::Payload)
            }
            Mark::Zip => What::Archive(Box::new(zip::read(view, self, findings, inside))),
            Mark::Tar => What::Archive(Box::new(tar::read(view, self, findings, inside))),
            Mark::Ramdisk => What::Ramdisk(Box::new(cpio::read(view, 0, self.budget, findings))),
            Mark::OverlayTable => {
                tree::read_table(view, findings).map_or(What::Bytes, What::OverlayTable)
            }
            Mark::DeviceTree => tree::read(view, 0, findings).map_or(What::Bytes, What::DeviceTree),
            Mark::Volumes => {
                volumes::read(view, self, findings, inside).map_or(What::Bytes, What::Volumes)
            }
            Mark::Packed(packing) => {
                archive::read_packed(view, name, packing, self, findings, inside)
            }
            Mark::None => {
                if let Some(system) = filesystem::read(view, findings) {
                    return What::FileSystem(system);
                }
                areas::read(view, findings)
                    .unwrap_or_else(|| plain(view, &head, name, self.budget, findings))
            }
        }
    }
}

/// What a mark at the beginning says, before anything is read.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Mark {
    /// A start image.
    StartImage,
    /// The vendor part of one.
    VendorStartImage,
    /// Verification metadata.
    Verification,
    /// A sparse image.
    Sparse,
    /// A payload.
    Payload,
    /// zip.
    Zip,
    /// tar.
    Tar,
    /// A ramdisk that is not packed.
    Ramdisk,
    /// A table of overlays.
    OverlayTable,
    /// A device tree.
    DeviceTree,
    /// A container of logical volumes.
    Volumes,
    /// Something packed.
    Packed(Packing),
    /// None of these: file systems, tables, and what has no mark.
    None,
}

impl Mark {
    fn of(view: View<'_>, head: &[u8]) -> Self {
        if start::is(head) {
            Self::StartImage
        } else if vendor::is(head) {
            Self::VendorStartImage
        } else if verified::is(head) {
            Self::Verification
        } else if sparse::is(head) {
            Self::Sparse
        } else if payload::is(head) {
            Self::Payload
        } else if zip::is(head) {
            Self::Zip
        } else if tar::is(head) {
            Self::Tar
        } else if cpio::is(head) {
            Self::Ramdisk
        } else if tree::is_table(head) {
            Self::OverlayTable
        } else if tree::is(head) {
            Self::DeviceTree
        } else if volumes::is(view) {
            Self::Volumes
        } else {
            Packing::of(head).map_or(Self::None, Self::Packed)
        }
    }
}

/// What a mark says that `bytes` are: two short reads, nothing checked.
#[must_use]
pub fn sniff(bytes: &dyn Bytes) -> Mark {
    let view = View::whole(bytes);
    Mark::of(view, &view.head(HEAD_BYTES))
}

/// Bytes from the start by which most kinds are known.
pub const HEAD_BYTES: usize = 8192;

/// What is left where no mark is known: one byte again and again, text, or bytes.
fn plain(
    view: View<'_>,
    head: &[u8],
    name: &str,
    budget: &Budget,
    findings: &mut Findings,
) -> What {
    let Some(&first) = head.first() else {
        return What::Empty;
    };
    if head.iter().all(|byte| *byte == first) {
        let mut all = true;
        let mut whole = true;
        let read = view.pieces(|piece| {
            whole = budget.expand(piece.len() as u64);
            all = piece.iter().all(|byte| *byte == first);
            all && whole
        });
        if read.is_err() {
            findings.medium(None);
        }
        if !whole {
            findings.note(
                Trouble::NotLookedAt,
                None,
                format!("the limit of bytes to read is reached; so far all are {first:#04x}"),
            );
        } else if all && read.is_ok() {
            return What::Blank { byte: first };
        }
        return What::Bytes;
    }
    let text = std::str::from_utf8(head).is_ok_and(|text| {
        !text
            .chars()
            .any(|one| one.is_control() && !matches!(one, '\n' | '\r' | '\t'))
    });
    if !text {
        return What::Bytes;
    }
    if properties::is_property_text(head) && view.length() <= properties::MOST_BYTES as u64 {
        let all = view.head(properties::MOST_BYTES);
        return What::Properties(Box::new(properties::read(name, &all)));
    }
    What::Text
}
