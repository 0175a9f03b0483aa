//! A container of logical volumes as the simulated maker lays it out ([the formats'
//! page](../../docs/platform-formats.md)): the geometry twice, the metadata of each slot twice, then volumes,
//! each in one piece.

use std::io;

use ring::digest::{SHA256, digest};

use crate::storage::Storage;

const SECTOR_BYTES: u64 = 512;
const GEOMETRY_AT: u64 = 4096;
const METADATA_AT: u64 = 12288;
const METADATA_BYTES: u64 = 65536;
const SLOTS: u32 = 2;
/// The first volume begins at a MiB, and so does each after it.
const ALIGNED: u64 = 1 << 20;

/// A volume in a container.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Volume {
    pub(crate) name: String,
    /// First byte in the container.
    pub(crate) at: u64,
    /// Length in bytes.
    pub(crate) length: u64,
}

/// Where volumes of these lengths in MiB lie.
pub(crate) fn lay_out(volumes: &[(&'static str, u64)]) -> Vec<Volume> {
    let mut at = ALIGNED;
    let place = |&(name, mib): &(&'static str, u64)| {
        let volume = Volume {
            name: name.to_owned(),
            at,
            length: mib << 20,
        };
        at += volume.length;
        volume
    };
    volumes.iter().map(place).collect()
}

fn summed(mut bytes: Vec<u8>, at: usize) -> Vec<u8> {
    let sum = digest(&SHA256, &bytes);
    bytes[at..at + 32].copy_from_slice(sum.as_ref());
    bytes
}

fn geometry() -> Vec<u8> {
    let mut bytes = vec![0; 52];
    bytes[..4].copy_from_slice(&[0x67, 0x44, 0x6C, 0x61]);
    for (at, value) in [(4, 52_u32), (40, 65536), (44, SLOTS), (48, 4096)] {
        bytes[at..at + 4].copy_from_slice(&value.to_le_bytes());
    }
    summed(bytes, 8)
}

fn name(text: &str) -> [u8; 36] {
    let mut bytes = [0; 36];
    let length = text.len().min(35);
    bytes[..length].copy_from_slice(&text.as_bytes()[..length]);
    bytes
}

/// The metadata of one slot: volumes of a group, each one extent, on one device.
fn metadata(container: &str, length: u64, group: &str, volumes: &[Volume]) -> Vec<u8> {
    let number = |value: usize| u32::try_from(value).unwrap_or(u32::MAX).to_le_bytes();
    let (mut partitions, mut extents) = (Vec::new(), Vec::new());
    for (index, volume) in volumes.iter().enumerate() {
        partitions.extend_from_slice(&name(&volume.name));
        // Read only; its extent and how many; the group behind the one that is always there.
        for value in [1, index, 1, 1] {
            partitions.extend_from_slice(&number(value));
        }
        extents.extend_from_slice(&(volume.length / SECTOR_BYTES).to_le_bytes());
        extents.extend_from_slice(&[0; 4]);
        extents.extend_from_slice(&(volume.at / SECTOR_BYTES).to_le_bytes());
        extents.extend_from_slice(&[0; 4]);
    }
    let mut groups = Vec::new();
    for (text, most) in [("default", 0), (group, length - ALIGNED)] {
        groups.extend_from_slice(&name(text));
        groups.extend_from_slice(&[0; 4]);
        groups.extend_from_slice(&u64::to_le_bytes(most));
    }
    let mut device = Vec::new();
    device.extend_from_slice(&(ALIGNED / SECTOR_BYTES).to_le_bytes());
    device.extend_from_slice(&1_048_576_u32.to_le_bytes());
    device.extend_from_slice(&[0; 4]);
    device.extend_from_slice(&length.to_le_bytes());
    device.extend_from_slice(&name(container));
    device.extend_from_slice(&[0; 4]);
    let tables = [partitions, extents, groups, device].concat();
    let mut head = vec![0; 128];
    head[..4].copy_from_slice(&[0x30, 0x50, 0x4C, 0x41]);
    head[4..6].copy_from_slice(&10_u16.to_le_bytes());
    head[8..12].copy_from_slice(&128_u32.to_le_bytes());
    head[44..48].copy_from_slice(&number(tables.len()));
    head[48..80].copy_from_slice(digest(&SHA256, &tables).as_ref());
    let count = volumes.len();
    let mut offset = 0;
    for (at, count, entry) in [(80, count, 52), (92, count, 24), (104, 2, 48), (116, 1, 64)] {
        for (at, value) in [(at, offset), (at + 4, count), (at + 8, entry)] {
            head[at..at + 4].copy_from_slice(&number(value));
        }
        offset += count * entry;
    }
    let mut all = summed(head, 12);
    all.extend_from_slice(&tables);
    all
}

/// The volumes of a container of `length` bytes at `offset`, as the first sound copy of its metadata has
/// them; each in one piece, as [`write`] writes them.
pub(crate) fn read(storage: &dyn Storage, offset: u64) -> io::Result<Vec<Volume>> {
    let mut all = vec![0; usize::try_from(METADATA_BYTES).unwrap_or(0)];
    for copy in 0..u64::from(SLOTS) * 2 {
        storage.read_at(offset + METADATA_AT + copy * METADATA_BYTES, &mut all)?;
        if let Some(volumes) = parse(&all) {
            return Ok(volumes);
        }
    }
    Err(io::Error::other(
        "no copy of the container's table is sound",
    ))
}

fn parse(all: &[u8]) -> Option<Vec<Volume>> {
    let u32_at = |at: usize| Some(u32::from_le_bytes(all.get(at..at + 4)?.try_into().ok()?));
    let u64_at = |at: usize| Some(u64::from_le_bytes(all.get(at..at + 8)?.try_into().ok()?));
    let index = |value: u32| usize::try_from(value).ok();
    let head = all.get(..128)?.to_vec();
    let tables = all.get(128..128 + index(u32_at(44)?)?)?;
    let is_sound = head[..4] == [0x30, 0x50, 0x4C, 0x41]
        && summed([&head[..12], &[0; 32], &head[44..]].concat(), 12) == head
        && head[48..80] == *digest(&SHA256, tables).as_ref();
    if !is_sound {
        return None;
    }
    let (partitions, count) = (128 + index(u32_at(80)?)?, index(u32_at(84)?)?);
    let extents = 128 + index(u32_at(92)?)?;
    let volume = |number: usize| {
        let entry = partitions + number * 52;
        let text = all.get(entry..entry + 36)?;
        let end = text.iter().position(|byte| *byte == 0)?;
        let extent = extents + index(u32_at(entry + 40)?)? * 24;
        Some(Volume {
            name: String::from_utf8(text[..end].to_vec()).ok()?,
            at: u64_at(extent + 12)? * SECTOR_BYTES,
            length: u64_at(extent)? * SECTOR_BYTES,
        })
    };
    (0..count).map(volume).collect()
}

/// The place of a volume of `length` bytes among `others` in a container of `most` bytes: where it is, if it
/// still fits there, else the first gap that is large enough.
pub(crate) fn place(others: &[Volume], at: u64, length: u64, most: u64) -> Option<u64> {
    let is_free = |start: u64| {
        let Some(end) = start.checked_add(length).filter(|end| *end <= most) else {
            return false;
        };
        let over = |one: &Volume| start < one.at + one.length && one.at < end;
        !others.iter().any(over)
    };
    let behind = others
        .iter()
        .map(|one| (one.at + one.length).next_multiple_of(ALIGNED));
    let mut gaps: Vec<u64> = behind.chain([ALIGNED]).collect();
    gaps.sort_unstable();
    [at].into_iter().chain(gaps).find(|start| is_free(*start))
}

/// Writes geometry and metadata of a container of `length` bytes at `offset`. Both slots hold the same; the
/// volumes of the other slot don't exist before an install makes them.
pub(crate) fn write(
    storage: &mut dyn Storage,
    offset: u64,
    length: u64,
    label: &str,
    group: &str,
    volumes: &[Volume],
) -> io::Result<()> {
    for at in [GEOMETRY_AT, GEOMETRY_AT * 2] {
        storage.write_at(offset + at, &geometry())?;
    }
    let metadata = metadata(label, length, group, volumes);
    for copy in 0..u64::from(SLOTS) * 2 {
        storage.write_at(offset + METADATA_AT + copy * METADATA_BYTES, &metadata)?;
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::storage::Memory;

    #[test]
    fn what_is_written_is_read_and_a_spoiled_copy_is_passed_over() {
        let mut storage = Memory::blank(64 << 20);
        let volumes = lay_out(&[("system_a", 8), ("vendor_a", 4)]);
        write(&mut storage, 0, 64 << 20, "super", "makers_a", &volumes).unwrap();
        assert_eq!(read(&storage, 0).unwrap(), volumes);
        storage.write_at(METADATA_AT + 130, &[0xFF]).unwrap();
        assert_eq!(read(&storage, 0).unwrap(), volumes);
        for copy in 1..4 {
            let at = METADATA_AT + copy * METADATA_BYTES + 130;
            storage.write_at(at, &[0xFF]).unwrap();
        }
        assert!(read(&storage, 0).is_err());
    }

    #[test]
    fn a_volume_stays_where_it_fits_and_moves_where_it_does_not() {
        let volumes = lay_out(&[("a", 8), ("b", 4)]);
        let others = &volumes[1..];
        assert_eq!(place(others, 1 << 20, 8 << 20, 64 << 20), Some(1 << 20));
        assert_eq!(place(others, 1 << 20, 9 << 20, 64 << 20), Some(13 << 20));
        assert_eq!(place(others, 1 << 20, 60 << 20, 64 << 20), None);
    }
}
