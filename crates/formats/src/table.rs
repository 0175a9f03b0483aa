//! Reads a storage area's partition table from its two ends, checksums and both copies included.
//!
//! The tables themselves are read by [`crate::look`], as in any file; this module adds what the job asks
//! of a unit's own (JOB `B2`): both copies are sound and say the same, every label is one that we can file
//! under, and nothing overlaps.

use std::io;

use serde::Serialize;
use veritope_wire::Label;

use crate::look::{Bytes, Trouble, area_table};

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
    /// A copy is damaged, missing or misplaced, or there is no table.
    #[error("the partition table is damaged: {0}")]
    Damaged(String),
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
    if !matches!(sector_bytes, 512 | 4096) {
        return Err(TableError::SectorBytes(sector_bytes));
    }
    let ends = Ends {
        head: &head,
        tail: &tail,
        length_bytes,
    };
    let (table, findings) = area_table(&ends, sector_bytes);
    let grave = findings.iter().find(|one| {
        // Told below by label and number.
        !matches!(
            one.trouble,
            Trouble::Twice | Trouble::Overlap | Trouble::ImpossibleSize
        )
    });
    match grave {
        Some(one) if one.trouble == Trouble::CopiesDiffer => return Err(TableError::CopiesDiffer),
        Some(one) => return Err(TableError::Damaged(one.says.clone())),
        None => {}
    }
    let table = table.ok_or_else(|| TableError::Damaged("there is none".to_owned()))?;
    let sector = u64::from(sector_bytes);
    let mut entries: Vec<TableEntry> = Vec::new();
    for one in table.partitions {
        if one.bytes == 0 {
            return Err(TableError::Backwards(one.number));
        }
        let entry = TableEntry {
            label: one.label.parse().map_err(|why| TableError::Label {
                number: one.number,
                why,
            })?,
            number: one.number,
            offset_bytes: one.first_sector.saturating_mul(sector),
            length_bytes: one.bytes,
        };
        if let Some(before) = entries.last()
            && before.offset_bytes.saturating_add(before.length_bytes) > entry.offset_bytes
        {
            return Err(TableError::Overlap(before.label.clone(), entry.label));
        }
        entries.push(entry);
    }
    Ok(Table {
        guid: table.guid,
        entries,
    })
}

/// An area of which only the two ends are known; between them it reads as zero.
pub struct Ends<'a> {
    /// Its first bytes.
    pub head: &'a dyn Bytes,
    /// Its last bytes.
    pub tail: &'a dyn Bytes,
    /// Its length in bytes.
    pub length_bytes: u64,
}

impl Bytes for Ends<'_> {
    fn length(&self) -> u64 {
        self.length_bytes
    }

    fn read_exact_at(&self, at: u64, into: &mut [u8]) -> io::Result<()> {
        let head_end = self.head.length().min(self.length_bytes);
        let tail_start = self
            .length_bytes
            .saturating_sub(self.tail.length())
            .max(head_end);
        let (mut at, mut into) = (at, into);
        while !into.is_empty() {
            // Up to where the next part begins, or the area ends.
            let end = if at < head_end {
                head_end
            } else if at < tail_start {
                tail_start
            } else {
                self.length_bytes
            };
            let left = usize::try_from(end.saturating_sub(at)).unwrap_or(usize::MAX);
            if left == 0 {
                return Err(io::ErrorKind::UnexpectedEof.into());
            }
            let (now, rest) = into.split_at_mut(left.min(into.len()));
            if at < head_end {
                self.head.read_exact_at(at, now)?;
            } else if at < tail_start {
                now.fill(0);
            } else {
                let skipped = self.length_bytes.saturating_sub(self.tail.length());
                self.tail.read_exact_at(at - skipped.min(at), now)?;
            }
            at += now.len() as u64;
            into = rest;
        }
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use std::io::Cursor;

    use gpt::GptConfig;
    use gpt::disk::LogicalBlockSize;

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
