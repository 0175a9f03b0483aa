//! Containers of logical volumes: geometry, metadata in two copies per slot, extents.

use ring::digest::{SHA256, digest};
use serde::Serialize;
use utoipa::ToSchema;

use super::bytes::{Bytes as _, Laid, Numbers, Piece, View};
use super::finding::{Findings, Trouble};
use super::{Inside, Looker};

/// A container of logical volumes.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, ToSchema)]
pub struct Volumes {
    /// Slots of metadata that the geometry tells.
    pub metadata_slots: Vec<VolumeSlot>,
    /// Bytes of a logical block.
    pub block_bytes: u32,
}

/// One slot's metadata.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, ToSchema)]
pub struct VolumeSlot {
    /// The slot's number, from 0.
    pub slot: u32,
    /// Version of the metadata.
    pub version: String,
    /// Volumes.
    pub volumes: Vec<Volume>,
    /// Groups.
    pub groups: Vec<Group>,
    /// Partitions that the container lies on.
    pub block_devices: Vec<String>,
}

/// A logical volume.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, ToSchema)]
pub struct Volume {
    /// Name.
    pub name: String,
    /// Group.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub group: Option<String>,
    /// Length in bytes, all extents together.
    pub bytes: u64,
    /// Number of extents.
    pub extents: u32,
    /// `read only`, `slot suffixed`, `updated`, `disabled`.
    pub attributes: Vec<&'static str>,
}

/// A group of volumes.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, ToSchema)]
pub struct Group {
    /// Name.
    pub name: String,
    /// Most bytes that its volumes may have; 0 for no limit.
    pub most_bytes: u64,
}

const GEOMETRY_MAGIC: u32 = 0x616C_4467;
const HEADER_MAGIC: u32 = 0x414C_5030;
const GEOMETRY_AT: u64 = 4096;
const GEOMETRY_BYTES: usize = 52;
const METADATA_AT: u64 = 12288;
const SECTOR_BYTES: u64 = 512;
/// Largest metadata of a slot that is read.
const MOST_METADATA_BYTES: u32 = 4 << 20;
/// Slots that are read.
const MOST_SLOTS: u32 = 8;

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
struct Geometry {
    metadata_bytes: u32,
    slots: u32,
    block_bytes: u32,
}

/// Whether a container's geometry, in either copy, stands at its place.
pub(crate) fn is(view: View<'_>) -> bool {
    [GEOMETRY_AT, GEOMETRY_AT * 2].into_iter().any(|at| {
        view.array::<4>(at)
            .is_ok_and(|mark| mark.u32_le(0) == GEOMETRY_MAGIC)
    })
}

fn geometry(view: View<'_>, at: u64) -> Option<Geometry> {
    let bytes = view.array::<GEOMETRY_BYTES>(at).ok()?;
    let mut cleared = bytes;
    cleared[8..40].fill(0);
    let holds = bytes.u32_le(0) == GEOMETRY_MAGIC
        && bytes.u32_le(4) as usize == GEOMETRY_BYTES
        && digest(&SHA256, &cleared).as_ref() == &bytes[8..40];
    holds.then(|| Geometry {
        metadata_bytes: bytes.u32_le(40),
        slots: bytes.u32_le(44),
        block_bytes: bytes.u32_le(48),
    })
}

/// Reads a container; nothing where no copy of its geometry holds.
pub(crate) fn read(
    view: View<'_>,
    looker: Looker<'_>,
    findings: &mut Findings,
    inside: &mut Vec<Inside>,
) -> Option<Volumes> {
    let (first, second) = (geometry(view, GEOMETRY_AT), geometry(view, GEOMETRY_AT * 2));
    let geometry = match (first, second) {
        (Some(first), Some(second)) => {
            if first != second {
                findings.matters(
                    Trouble::CopiesDiffer,
                    Some(GEOMETRY_AT),
                    "the two copies of the geometry differ; the first is read".into(),
                );
            }
            first
        }
        (None, Some(second)) => {
            findings.matters(
                Trouble::DamagedCopy,
                Some(GEOMETRY_AT),
                "the first copy of the geometry is damaged; the backup is read".into(),
            );
            second
        }
        (Some(first), None) => {
            findings.matters(
                Trouble::DamagedCopy,
                Some(GEOMETRY_AT * 2),
                "the backup of the geometry is damaged".into(),
            );
            first
        }
        (None, None) => {
            findings.unreadable(
                Trouble::DamagedBoth,
                Some(GEOMETRY_AT),
                "both copies of the geometry are damaged".into(),
            );
            return None;
        }
    };
    if geometry.metadata_bytes > MOST_METADATA_BYTES
        || geometry.slots == 0
        || geometry.slots > MOST_SLOTS
    {
        findings.unreadable(
            Trouble::ImpossibleCount,
            Some(GEOMETRY_AT),
            format!(
                "impossible: {} slots of metadata of {} bytes each",
                geometry.slots, geometry.metadata_bytes
            ),
        );
        return None;
    }
    let mut volumes = Volumes {
        metadata_slots: Vec::new(),
        block_bytes: geometry.block_bytes,
    };
    let mut tables = Vec::new();
    let size = u64::from(geometry.metadata_bytes);
    for slot in 0..geometry.slots {
        let at = METADATA_AT + u64::from(slot) * size;
        let backup_at = at + size * u64::from(geometry.slots);
        let (first, backup) = (
            metadata(view, at, geometry),
            metadata(view, backup_at, geometry),
        );
        let tables_of = match (first, backup) {
            (Ok(first), Ok(backup)) => {
                if first != backup {
                    findings.matters(
                        Trouble::CopiesDiffer,
                        Some(backup_at),
                        format!(
                            "the two copies of slot {slot}'s metadata differ; the first is read"
                        ),
                    );
                }
                first
            }
            (Err(why), Ok(backup)) => {
                findings.matters(Trouble::DamagedCopy, Some(at), format!("the first copy of slot {slot}'s metadata is damaged ({why}); the backup is read"));
                backup
            }
            (Ok(first), Err(why)) => {
                findings.matters(
                    Trouble::DamagedCopy,
                    Some(backup_at),
                    format!("the backup of slot {slot}'s metadata is damaged ({why})"),
                );
                first
            }
            (Err(Broken::Short(end)), Err(_)) => {
                findings.cut_short(&format!("slot {slot}'s metadata"), end, view.length());
                continue;
            }
            (Err(why), Err(_)) => {
                findings.matters(
                    Trouble::DamagedBoth,
                    Some(at),
                    format!("both copies of slot {slot}'s metadata are damaged: {why}"),
                );
                continue;
            }
        };
        let told = tables_of.told(slot);
        tables_of.check(
            slot,
            view,
            METADATA_AT + 2 * size * u64::from(geometry.slots),
            findings,
        );
        volumes.metadata_slots.push(told);
        tables.push(tables_of);
    }
    if let [first, rest @ ..] = tables.as_slice() {
        for (other, slot) in rest.iter().zip(1..) {
            if first.places() != other.places() {
                findings.note(
                    Trouble::CopiesDiffer,
                    None,
                    format!("slots 0 and {slot} differ: which volume lies where depends on the slot that is started"),
                );
            }
        }
        if let Some(deeper) = looker.deeper() {
            for laid in first.laid(view) {
                let looked = deeper.look(View::whole(&laid.1), &laid.0);
                inside.push(Inside {
                    name: laid.0,
                    looked,
                });
            }
        }
    }
    Some(volumes)
}

#[derive(Debug, Clone, PartialEq, Eq)]
enum Broken {
    Short(u64),
    Mark,
    Checksum,
    Count(String),
}

impl std::fmt::Display for Broken {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Self::Short(end) => write!(f, "cut short before byte {end}"),
            Self::Mark => write!(f, "its mark is missing"),
            Self::Checksum => write!(f, "its checksum does not hold"),
            Self::Count(why) => write!(f, "{why}"),
        }
    }
}

/// A slot's metadata whose checksums hold and whose tables fit.
#[derive(Debug, Clone, PartialEq, Eq)]
struct Tables {
    version: String,
    volumes: Vec<RawVolume>,
    extents: Vec<Extent>,
    groups: Vec<Group>,
    devices: Vec<(String, u64)>,
}

#[derive(Debug, Clone, PartialEq, Eq)]
struct RawVolume {
    name: String,
    attributes: u32,
    first: u32,
    count: u32,
    group: u32,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
struct Extent {
    sectors: u64,
    kind: u32,
    first: u64,
    source: u32,
}

fn metadata(view: View<'_>, at: u64, geometry: Geometry) -> Result<Tables, Broken> {
    let most = geometry.metadata_bytes as usize;
    let end = at + most as u64;
    let bytes = view.bytes(at, most).map_err(|_| Broken::Short(end))?;
    if bytes.u32_le(0) != HEADER_MAGIC {
        return Err(Broken::Mark);
    }
    let header_bytes = bytes.u32_le(8) as usize;
    let tables_bytes = bytes.u32_le(44) as usize;
    if !(128..=4096).contains(&header_bytes) {
        return Err(Broken::Count(format!(
            "impossible: a head of {header_bytes} bytes"
        )));
    }
    let tables = header_bytes
        .checked_add(tables_bytes)
        .and_then(|end| bytes.get(header_bytes..end))
        .ok_or_else(|| {
            Broken::Count(format!(
                "impossible: tables of {tables_bytes} bytes do not fit"
            ))
        })?;
    let mut head = bytes.get(..header_bytes).ok_or(Broken::Mark)?.to_vec();
    head[12..44].fill(0);
    if digest(&SHA256, &head).as_ref() != &bytes[12..44]
        || digest(&SHA256, tables).as_ref() != &bytes[48..80]
    {
        return Err(Broken::Checksum);
    }
    let table = |at: usize, least: u32| -> Result<Vec<&[u8]>, Broken> {
        let (offset, count, entry) = (bytes.u32_le(at), bytes.u32_le(at + 4), bytes.u32_le(at + 8));
        let impossible = || {
            Broken::Count(format!(
                "impossible: {count} entries of {entry} bytes do not fit the tables"
            ))
        };
        if entry < least {
            return Err(impossible());
        }
        let length = (count as usize)
            .checked_mul(entry as usize)
            .ok_or_else(impossible)?;
        let from = offset as usize;
        let part = from
            .checked_add(length)
            .and_then(|to| tables.get(from..to))
            .ok_or_else(impossible)?;
        Ok(part.chunks_exact(entry as usize).collect())
    };
    Ok(Tables {
        version: format!("{}.{}", bytes.u16_le(4), bytes.u16_le(6)),
        volumes: table(80, 52)?
            .into_iter()
            .map(|entry| RawVolume {
                name: entry.text(0, 36),
                attributes: entry.u32_le(36),
                first: entry.u32_le(40),
                count: entry.u32_le(44),
                group: entry.u32_le(48),
            })
            .collect(),
        extents: table(92, 24)?
            .into_iter()
            .map(|entry| Extent {
                sectors: entry.u64_le(0),
                kind: entry.u32_le(8),
                first: entry.u64_le(12),
                source: entry.u32_le(20),
            })
            .collect(),
        groups: table(104, 48)?
            .into_iter()
            .map(|entry| Group {
                name: entry.text(0, 36),
                most_bytes: entry.u64_le(40),
            })
            .collect(),
        devices: table(116, 64)?
            .into_iter()
            .map(|entry| (entry.text(24, 36), entry.u64_le(16)))
            .collect(),
    })
}

const ATTRIBUTES: [(u32, &str); 4] = [
    (1, "read only"),
    (2, "slot suffixed"),
    (4, "updated"),
    (8, "disabled"),
];

impl Tables {
    fn extents_of(&self, volume: &RawVolume) -> Option<&[Extent]> {
        let from = volume.first as usize;
        self.extents
            .get(from..from.checked_add(volume.count as usize)?)
    }

    fn told(&self, slot: u32) -> VolumeSlot {
        let volumes = self.volumes.iter().map(|volume| {
            let extents = self.extents_of(volume).unwrap_or_default();
            let sectors = extents
                .iter()
                .fold(0_u64, |sum, one| sum.saturating_add(one.sectors));
            Volume {
                name: volume.name.clone(),
                group: self
                    .groups
                    .get(volume.group as usize)
                    .map(|group| group.name.clone()),
                bytes: sectors.saturating_mul(SECTOR_BYTES),
                extents: volume.count,
                attributes: ATTRIBUTES
                    .iter()
                    .filter(|(bit, _)| volume.attributes & bit != 0)
                    .map(|(_, name)| *name)
                    .collect(),
            }
        });
        VolumeSlot {
            slot,
            version: self.version.clone(),
            volumes: volumes.collect(),
            groups: self.groups.clone(),
            block_devices: self.devices.iter().map(|(name, _)| name.clone()).collect(),
        }
    }

    /// Which volume has which sectors.
    fn places(&self) -> Vec<(u64, u64, &str)> {
        let mut places = Vec::new();
        for volume in &self.volumes {
            for extent in self.extents_of(volume).unwrap_or_default() {
                if extent.kind == 0 {
                    places.push((extent.first, extent.sectors, volume.name.as_str()));
                }
            }
        }
        places.sort_unstable();
        places
    }

    /// Extents within the container, none on its metadata, none twice.
    fn check(&self, slot: u32, view: View<'_>, first_byte: u64, findings: &mut Findings) {
        let declared = self
            .devices
            .first()
            .map_or(view.length(), |(_, bytes)| *bytes);
        if self.devices.len() <= 1 && declared > view.length() {
            findings.cut_short("the container", declared, view.length());
        }
        let mut taken: Vec<(u64, u64, &str)> = Vec::new();
        for volume in &self.volumes {
            let Some(extents) = self.extents_of(volume) else {
                findings.matters(
                    Trouble::ImpossibleCount,
                    None,
                    format!(
                        "impossible: `{}` has extents past the end of their table",
                        volume.name
                    ),
                );
                continue;
            };
            for extent in extents
                .iter()
                .filter(|extent| extent.kind == 0 && extent.source == 0)
            {
                let end = extent.first.checked_add(extent.sectors);
                let past = end
                    .and_then(|end| end.checked_mul(SECTOR_BYTES))
                    .is_none_or(|end| end > declared);
                if past {
                    findings.matters(
                        Trouble::PastEnd,
                        None,
                        format!("slot {slot}: an extent of `{}` lies past the end of the container, {} sectors from sector {}", volume.name, extent.sectors, extent.first),
                    );
                    continue;
                }
                if extent.first * SECTOR_BYTES < first_byte {
                    findings.matters(
                        Trouble::Overlap,
                        Some(extent.first * SECTOR_BYTES),
                        format!(
                            "slot {slot}: an extent of `{}` overlaps the metadata of the container",
                            volume.name
                        ),
                    );
                }
                if extent.sectors > 0 {
                    taken.push((extent.first, extent.first + extent.sectors, &volume.name));
                }
            }
        }
        taken.sort_unstable();
        for pair in taken.windows(2) {
            if pair[0].1 > pair[1].0 {
                findings.matters(
                    Trouble::Overlap,
                    Some(pair[1].0 * SECTOR_BYTES),
                    format!(
                        "slot {slot}: extents of `{}` and `{}` overlap from sector {}",
                        pair[0].2, pair[1].2, pair[1].0
                    ),
                );
            }
        }
    }

    /// Each volume as bytes; those that lie elsewhere, or not whole, are left out.
    fn laid<'a>(&self, view: View<'a>) -> Vec<(String, Laid<'a>)> {
        let mut all = Vec::new();
        for volume in &self.volumes {
            let mut laid = Laid::new(view);
            let extents = self.extents_of(volume).unwrap_or_default();
            let whole = extents.iter().all(|extent| {
                let Some(bytes) = extent.sectors.checked_mul(SECTOR_BYTES) else {
                    return false;
                };
                match (extent.kind, extent.first.checked_mul(SECTOR_BYTES)) {
                    (0, Some(from)) if view.part(from, bytes).is_some() && extent.source == 0 => {
                        laid.push(bytes, Piece::At(from))
                    }
                    (1, _) => laid.push(bytes, Piece::Fill([0; 4])),
                    _ => false,
                }
            });
            if whole && laid.length() > 0 {
                all.push((volume.name.clone(), laid));
            }
        }
        all
    }
}
