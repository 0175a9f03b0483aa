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
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Volume {
    pub(crate) name: &'static str,
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
            name,
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
        partitions.extend_from_slice(&name(volume.name));
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
