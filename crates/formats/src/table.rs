//! Reads a storage area's partition table from its two ends, checksums and both copies included.
//!
//! The parsing itself is the `gpt` crate's; this module adds what the job asks for (JOB `B2`): the
//! two copies must agree, every label must be one we can file under, and partitions come out in
//! disk order with lengths in bytes.

use std::io::{self, Read, Seek, SeekFrom, Write};

use gpt::GptConfig;
use gpt::disk::LogicalBlockSize;
use serde::Serialize;
use veritope_wire::Label;

/// One partition of a table.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct TableEntry {
    /// Label as written in the table.
    pub label: Label,
    /// Number of the entry in the table, from 1.
    pub number: u32,
    /// First byte, from the start of the area.
    pub offset_bytes: u64,
    /// Length in bytes.
    pub length_bytes: u64,
}

/// A table whose two copies are sound and say the same.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Table {
    /// The area's own identifier, as the table gives it.
    pub guid: String,
    /// Entries in disk order.
    pub entries: Vec<TableEntry>,
}

/// Why a table can't be relied on.
#[derive(Debug, thiserror::Error)]
pub enum TableError {
    /// A header or the entries fail their checksum, or there is no table.
    #[error("the partition table is damaged: {0}")]
    Damaged(gpt::GptError),
    /// Sector size that no storage of the trade has.
    #[error("a sector of {0} bytes is not known; 512 and 4096 are")]
    SectorBytes(u32),
    /// The two copies differ.
    #[error("the primary and the backup table differ")]
    CopiesDiffer,
    /// A label that can't be a file's name.
    #[error("entry {number} has a label that can't be used: {why}")]
    Label {
        /// Entry number.
        number: u32,
        /// What is wrong with it.
        why: veritope_wire::NotALabel,
    },
    /// An entry that ends before it starts.
    #[error("entry {0} ends before it starts")]
    Backwards(u32),
    /// Two entries share sectors.
    #[error("`{0}` and `{1}` overlap")]
    Overlap(Label, Label),
}

/// Reads the table of an area of `length_bytes` from its first bytes (`head`) and its last bytes
/// (`tail`). Both must be long enough to hold a header and its entries (34 sectors of 512 bytes,
/// 6 of 4096).
///
/// # Errors
/// See [`TableError`]; a damaged copy is an error even when the other is sound.
pub fn read_table(
    head: &[u8],
    tail: &[u8],
    length_bytes: u64,
    sector_bytes: u32,
) -> Result<Table, TableError> {
    let block = match sector_bytes {
        512 => LogicalBlockSize::Lb512,
        4096 => LogicalBlockSize::Lb4096,
        other => return Err(TableError::SectorBytes(other)),
    };
    let both = open(
        Ends {
            head,
            tail,
            length_bytes,
            at: 0,
        },
        block,
    )?;
    // The crate reads entries from the primary copy; the backup is read by hiding the primary.
    let blank = vec![0u8; head.len()];
    let backup = GptConfig::new()
        .writable(false)
        .logical_block_size(block)
        .open_from_device(Ends {
            head: &blank,
            tail,
            length_bytes,
            at: 0,
        })
        .map_err(TableError::Damaged)?;
    if both.partitions() != backup.partitions() || both.guid() != backup.guid() {
        return Err(TableError::CopiesDiffer);
    }
    let sector = u64::from(sector_bytes);
    let mut entries = Vec::new();
    for (&number, partition) in both.partitions() {
        if !partition.is_used() {
            continue;
        }
        let sectors = partition
            .last_lba
            .checked_sub(partition.first_lba)
            .and_then(|span| span.checked_add(1))
            .ok_or(TableError::Backwards(number))?;
        entries.push(TableEntry {
            label: partition
                .name
                .parse()
                .map_err(|why| TableError::Label { number, why })?,
            number,
            offset_bytes: partition.first_lba.saturating_mul(sector),
            length_bytes: sectors.saturating_mul(sector),
        });
    }
    entries.sort_by_key(|entry| entry.offset_bytes);
    for pair in entries.windows(2) {
        if pair[0].offset_bytes.saturating_add(pair[0].length_bytes) > pair[1].offset_bytes {
            return Err(TableError::Overlap(
                pair[0].label.clone(),
                pair[1].label.clone(),
            ));
        }
    }
    Ok(Table {
        guid: both.guid().to_string(),
        entries,
    })
}

fn open(ends: Ends<'_>, block: LogicalBlockSize) -> Result<gpt::GptDisk<Ends<'_>>, TableError> {
    GptConfig::new()
        .writable(false)
        .only_valid_headers(true)
        .logical_block_size(block)
        .open_from_device(ends)
        .map_err(TableError::Damaged)
}

/// An area of which only the two ends are known; between them it reads as zero.
#[derive(Debug)]
struct Ends<'a> {
    head: &'a [u8],
    tail: &'a [u8],
    length_bytes: u64,
    at: u64,
}

impl Read for Ends<'_> {
    fn read(&mut self, into: &mut [u8]) -> io::Result<usize> {
        let tail_start = self.length_bytes.saturating_sub(self.tail.len() as u64);
        let left = usize::try_from(self.length_bytes.saturating_sub(self.at)).unwrap_or(usize::MAX);
        let wanted = into.len().min(left);
        for (slot, at) in into[..wanted].iter_mut().zip(self.at..) {
            let from = if at < self.head.len() as u64 {
                self.head.get(usize::try_from(at).unwrap_or(usize::MAX))
            } else if at >= tail_start {
                self.tail
                    .get(usize::try_from(at - tail_start).unwrap_or(usize::MAX))
            } else {
                None
            };
            *slot = from.copied().unwrap_or(0);
        }
        self.at += wanted as u64;
        Ok(wanted)
    }
}

impl Seek for Ends<'_> {
    fn seek(&mut self, to: SeekFrom) -> io::Result<u64> {
        let target = match to {
            SeekFrom::Start(at) => Some(at),
            SeekFrom::Current(by) => self.at.checked_add_signed(by),
            SeekFrom::End(by) => self.length_bytes.checked_add_signed(by),
        };
        self.at = target.ok_or(io::ErrorKind::InvalidInput)?;
        Ok(self.at)
    }
}

impl Write for Ends<'_> {
    fn write(&mut self, _: &[u8]) -> io::Result<usize> {
        Err(io::ErrorKind::PermissionDenied.into())
    }

    fn flush(&mut self) -> io::Result<()> {
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use std::io::Cursor;

    use super::*;

    const LENGTH: u64 = 8 << 20;

    /// A disk of 8 MiB with three partitions, made by the `gpt` crate.
    fn disk(block: LogicalBlockSize) -> Vec<u8> {
        let mut bytes = Cursor::new(vec![0u8; usize::try_from(LENGTH).unwrap()]);
        let sectors = u32::try_from(LENGTH / u64::from(block)).unwrap() - 1;
        gpt::mbr::ProtectiveMBR::with_lb_size(sectors)
            .overwrite_lba0(&mut bytes)
            .unwrap();
        let mut disk = GptConfig::new()
            .writable(true)
            .logical_block_size(block)
            .create_from_device(&mut bytes, None)
            .unwrap();
        for (label, bytes) in [("aboot", 1 << 20), ("persist", 2 << 20), ("misc", 1 << 19)] {
            disk.add_partition(label, bytes, gpt::partition_types::BASIC, 0, None)
                .unwrap();
        }
        disk.write().unwrap();
        bytes.into_inner()
    }

    fn ends(bytes: &[u8]) -> (Vec<u8>, Vec<u8>) {
        (
            bytes[..64 << 10].to_vec(),
            bytes[bytes.len() - (64 << 10)..].to_vec(),
        )
    }

    #[test]
    fn both_sector_sizes_are_read_in_disk_order() {
        for (block, sector) in [
            (LogicalBlockSize::Lb512, 512),
            (LogicalBlockSize::Lb4096, 4096),
        ] {
            let (head, tail) = ends(&disk(block));
            let table = read_table(&head, &tail, LENGTH, sector).unwrap();
            let labels: Vec<_> = table.entries.iter().map(|e| e.label.as_str()).collect();
            assert_eq!(labels, ["aboot", "persist", "misc"]);
            assert_eq!(table.entries[1].length_bytes, 2 << 20);
        }
    }

    #[test]
    fn one_flipped_bit_in_either_copy_is_damage() {
        let sound = disk(LogicalBlockSize::Lb512);
        // In the primary header, the primary entries, the backup entries, the backup header.
        let last = sound.len();
        for at in [512 + 40, 1024 + 56, last - 33 * 512 + 56, last - 512 + 40] {
            let mut bytes = sound.clone();
            bytes[at] ^= 1;
            let (head, tail) = ends(&bytes);
            let error = read_table(&head, &tail, LENGTH, 512).unwrap_err();
            assert!(
                matches!(error, TableError::Damaged(_) | TableError::CopiesDiffer),
                "byte {at}: {error}"
            );
        }
    }

    #[test]
    fn no_table_and_a_wrong_sector_size_are_told_apart() {
        let empty = vec![0u8; 64 << 10];
        assert!(matches!(
            read_table(&empty, &empty, LENGTH, 512),
            Err(TableError::Damaged(_))
        ));
        assert!(matches!(
            read_table(&empty, &empty, LENGTH, 520),
            Err(TableError::SectorBytes(520))
        ));
    }
}
