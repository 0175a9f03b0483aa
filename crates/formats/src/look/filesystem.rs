//! Superblocks: which file system, how large it says to be, and whether that is there (`B5`).

use crc::{CRC_32_ISCSI, Crc};
use serde::Serialize;
use utoipa::ToSchema;

use super::bytes::{Numbers, View};
use super::finding::{Findings, Trouble};

/// Kinds of file systems.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, ToSchema)]
#[serde(rename_all = "kebab-case")]
#[expect(missing_docs, reason = "each name says it")]
pub enum FileSystemKind {
    Ext2,
    Ext3,
    Ext4,
    F2fs,
    Erofs,
    Squashfs,
    Fat12,
    Fat16,
    Fat32,
    Exfat,
}

impl FileSystemKind {
    /// Its name alone.
    #[must_use]
    pub fn short(self) -> &'static str {
        let name = self.name();
        name.strip_suffix(" file system").unwrap_or(name)
    }

    /// In words.
    #[must_use]
    pub fn name(self) -> &'static str {
        match self {
            Self::Ext2 => "ext2 file system",
            Self::Ext3 => "ext3 file system",
            Self::Ext4 => "ext4 file system",
            Self::F2fs => "F2FS file system",
            Self::Erofs => "EROFS file system",
            Self::Squashfs => "SquashFS file system",
            Self::Fat12 => "FAT12 file system",
            Self::Fat16 => "FAT16 file system",
            Self::Fat32 => "FAT32 file system",
            Self::Exfat => "exFAT file system",
        }
    }
}

/// A file system, by its superblock.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, ToSchema)]
pub struct FileSystem {
    /// Which.
    pub kind: FileSystemKind,
    /// Length that it declares, in bytes.
    pub declared_bytes: u64,
    /// Label; empty where it has none.
    #[serde(skip_serializing_if = "String::is_empty")]
    pub label: String,
    /// UUID, or the serial number of a FAT.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub uuid: Option<String>,
    /// Whether the superblock's checksum holds; nothing where it has none.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub checksum_holds: Option<bool>,
}

const CRC32C: Crc<u32> = Crc::<u32>::new(&CRC_32_ISCSI);

/// Reads a superblock; nothing where there is none.
pub(crate) fn read(view: View<'_>, findings: &mut Findings) -> Option<FileSystem> {
    let head = view.head(8192);
    let system = ext(&head)
        .or_else(|| f2fs(&head))
        .or_else(|| erofs(&head))
        .or_else(|| squashfs(&head))
        .or_else(|| exfat(view, &head))
        .or_else(|| fat(&head))?;
    if system.checksum_holds == Some(false) {
        findings.matters(
            Trouble::ChecksumWrong,
            Some(if system.kind == FileSystemKind::Exfat {
                0
            } else {
                1024
            }),
            format!(
                "the checksum of the {}'s superblock does not match: it is damaged",
                system.kind.name()
            ),
        );
    }
    if system.declared_bytes > view.length() {
        findings.matters(
            Trouble::CutShort,
            Some(view.length()),
            format!(
                "cut short: the {} declares {} bytes, there are {}",
                system.kind.name(),
                system.declared_bytes,
                view.length()
            ),
        );
    }
    Some(system)
}

fn uuid(bytes: &[u8], at: usize) -> Option<String> {
    let part = bytes.get(at..at + 16)?;
    let hex = hex::encode(part);
    (part != [0; 16]).then(|| {
        format!(
            "{}-{}-{}-{}-{}",
            &hex[..8],
            &hex[8..12],
            &hex[12..16],
            &hex[16..20],
            &hex[20..]
        )
    })
}

fn ext(head: &[u8]) -> Option<FileSystem> {
    let block = head.get(1024..2048)?;
    let shift = block.u32_le(24);
    if block.u16_le(56) != 0xEF53 || shift > 6 {
        return None;
    }
    let (compatible, incompatible, read_only) =
        (block.u32_le(92), block.u32_le(96), block.u32_le(100));
    let high = if incompatible & 0x80 != 0 {
        u64::from(block.u32_le(336))
    } else {
        0
    };
    let blocks = high << 32 | u64::from(block.u32_le(4));
    // Extents, 64 bits, flexible groups, large directories; huge files, checksums, extra inodes.
    let is_fourth = incompatible & 0x42C0 != 0 || read_only & 0x478 != 0;
    let kind = if is_fourth {
        FileSystemKind::Ext4
    } else if compatible & 4 != 0 {
        FileSystemKind::Ext3
    } else {
        FileSystemKind::Ext2
    };
    // The kernel's sum is not inverted at its end.
    let checksum_holds =
        (read_only & 0x400 != 0).then(|| !CRC32C.checksum(&block[..1020]) == block.u32_le(1020));
    Some(FileSystem {
        kind,
        declared_bytes: blocks.checked_mul(1024 << shift)?,
        label: block.text(120, 16),
        uuid: uuid(block, 104),
        checksum_holds,
    })
}

fn f2fs(head: &[u8]) -> Option<FileSystem> {
    let block = head.get(1024..4096)?;
    let shift = block.u32_le(16);
    if block.u32_le(0) != 0xF2F5_2010 || !(9..=16).contains(&shift) {
        return None;
    }
    let label: Vec<u16> = (0..512)
        .map(|index| block.u16_le(124 + index * 2))
        .take_while(|unit| *unit != 0)
        .collect();
    let sum_at = block.u32_le(32) as usize;
    let checksum_holds = block
        .get(..sum_at)
        .filter(|part| part.len() >= 128 && sum_at + 4 <= block.len())
        .map(|part| {
            // The sum begins from the mark, and is not inverted at its end.
            let mut sum = CRC32_BARE.digest_with_initial(F2FS_SEED);
            sum.update(part);
            sum.finalize() == block.u32_le(sum_at)
        });
    Some(FileSystem {
        kind: FileSystemKind::F2fs,
        declared_bytes: block.u64_le(36).checked_mul(1 << shift)?,
        label: String::from_utf16_lossy(&label),
        uuid: uuid(block, 108),
        checksum_holds,
    })
}

/// CRC-32 without the inversion at its end.
const CRC32_BARE: Crc<u32> = Crc::<u32>::new(&crc::Algorithm {
    xorout: 0,
    init: 0,
    ..crc::CRC_32_ISO_HDLC
});
/// The mark, its bits turned round as the sum's register has them.
const F2FS_SEED: u32 = 0xF2F5_2010_u32.reverse_bits();

fn erofs(head: &[u8]) -> Option<FileSystem> {
    let block = head.get(1024..1152)?;
    let shift = block[12];
    if block.u32_le(0) != 0xE0F5_E1E2 || !(9..=16).contains(&shift) {
        return None;
    }
    let covered = (1_usize << shift).saturating_sub(1024);
    let checksum_holds = (block.u32_le(8) & 1 != 0)
        .then(|| head.get(1024..1024 + covered))
        .flatten()
        .filter(|part| part.len() >= block.len())
        .map(|part| {
            let mut cleared = part.to_vec();
            cleared[4..8].fill(0);
            !CRC32C.checksum(&cleared) == block.u32_le(4)
        });
    Some(FileSystem {
        kind: FileSystemKind::Erofs,
        declared_bytes: u64::from(block.u32_le(36)) << shift,
        label: block.text(64, 16),
        uuid: uuid(block, 48),
        checksum_holds,
    })
}

fn squashfs(head: &[u8]) -> Option<FileSystem> {
    let block = head.get(..96)?;
    if block.u32_le(0) != 0x7371_7368 || block.u16_le(28) != 4 {
        return None;
    }
    Some(FileSystem {
        kind: FileSystemKind::Squashfs,
        declared_bytes: block.u64_le(40),
        label: String::new(),
        uuid: None,
        checksum_holds: None,
    })
}

fn exfat(view: View<'_>, head: &[u8]) -> Option<FileSystem> {
    let block = head.get(..512)?;
    let shift = block[108];
    if &block[3..11] != b"EXFAT   " || !(9..=12).contains(&shift) {
        return None;
    }
    let sector = 1_usize << shift;
    let checksum_holds = view.bytes(0, sector * 12).ok().map(|region| {
        let mut sum = 0_u32;
        for (index, byte) in region[..sector * 11].iter().enumerate() {
            // What changes while it is used is left out.
            if !matches!(index, 106 | 107 | 112) {
                sum = sum.rotate_right(1).wrapping_add((*byte).into());
            }
        }
        sum == region.u32_le(sector * 11)
    });
    Some(FileSystem {
        kind: FileSystemKind::Exfat,
        declared_bytes: block.u64_le(72).checked_mul(sector as u64)?,
        label: String::new(),
        uuid: Some(serial(block.u32_le(100))),
        checksum_holds,
    })
}

fn serial(number: u32) -> String {
    format!("{:04X}-{:04X}", number >> 16, number & 0xFFFF)
}

fn fat(head: &[u8]) -> Option<FileSystem> {
    let block = head.get(..512)?;
    let sector = u64::from(block.u16_le(11));
    let per_cluster = u64::from(block[13]);
    let is_fat = block.u16_le(510) == 0xAA55
        && matches!(sector, 512 | 1024 | 2048 | 4096)
        && matches!(block[0], 0xEB | 0xE9)
        && matches!(block[16], 1 | 2)
        && per_cluster.is_power_of_two();
    if !is_fat {
        return None;
    }
    let sectors = match block.u16_le(19) {
        0 => u64::from(block.u32_le(32)),
        few => u64::from(few),
    };
    let table = match block.u16_le(22) {
        0 => u64::from(block.u32_le(36)),
        short => u64::from(short),
    };
    let root = (u64::from(block.u16_le(17)) * 32).div_ceil(sector);
    let before = u64::from(block.u16_le(14)) + u64::from(block[16]) * table + root;
    let clusters = sectors.checked_sub(before)? / per_cluster;
    // The number of clusters decides which it is, and nothing else does.
    let (kind, at) = match clusters {
        0..4085 => (FileSystemKind::Fat12, 39),
        4085..65525 => (FileSystemKind::Fat16, 39),
        _ => (FileSystemKind::Fat32, 67),
    };
    let has_label = block[at - 1] == 0x29;
    let label = if has_label {
        block.text(at + 4, 11).trim().to_owned()
    } else {
        String::new()
    };
    Some(FileSystem {
        kind,
        declared_bytes: sectors.checked_mul(sector)?,
        label: if label == "NO NAME" {
            String::new()
        } else {
            label
        },
        uuid: has_label.then(|| serial(block.u32_le(at))),
        checksum_holds: None,
    })
}
