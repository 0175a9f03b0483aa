//! Storage areas: partition tables in both their copies, and master boot records.

use crc::{CRC_32_ISO_HDLC, Crc};
use serde::Serialize;
use utoipa::ToSchema;

use super::What;
use super::bytes::{Bytes, Numbers, View};
use super::finding::{Finding, Findings, Trouble};

/// The partition table of a storage area.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, ToSchema)]
pub struct AreaTable {
    /// Bytes of a sector.
    pub sector_bytes: u32,
    /// The area's own identifier.
    pub guid: String,
    /// Partitions in disk order.
    pub partitions: Vec<TablePartition>,
}

/// A partition, by its entry.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, ToSchema)]
pub struct TablePartition {
    /// Label, as written.
    pub label: String,
    /// Number of its entry, from 1.
    pub number: u32,
    /// First sector.
    pub first_sector: u64,
    /// Length in bytes.
    pub bytes: u64,
}

/// A master boot record without a partition table behind it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, ToSchema)]
pub struct BootRecord {
    /// Its entries.
    pub entries: Vec<RecordEntry>,
}

/// An entry of a master boot record.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, ToSchema)]
pub struct RecordEntry {
    /// Kind, as the number that stands there.
    pub kind: u8,
    /// First sector of 512 bytes.
    pub first_sector: u64,
    /// Length in bytes.
    pub bytes: u64,
}

const MARK: &[u8; 8] = b"EFI PART";
const HEADER_BYTES: u32 = 92;
const CRC: Crc<u32> = Crc::<u32>::new(&CRC_32_ISO_HDLC);
/// Largest array of entries that is read: eight times what any device has.
const MOST_ENTRIES_BYTES: u64 = 1 << 20;
const SECTORS: [u32; 2] = [512, 4096];

/// One copy of a table whose checksums hold.
#[derive(Debug, Clone, PartialEq, Eq)]
struct Copy {
    alternate: u64,
    guid: String,
    partitions: Vec<TablePartition>,
}

/// Why a copy is none.
enum NoCopy {
    /// No mark.
    Absent,
    /// A mark, and a checksum that does not hold.
    Damaged,
    /// Entries that can't be, checksum or not.
    Count(u32, u32),
    /// It lies past the end.
    PastEnd,
    /// It holds, and says that it belongs in this other sector.
    Elsewhere(u64),
}

/// Reads what describes an area; nothing where neither table nor record is there.
pub(crate) fn read(view: View<'_>, findings: &mut Findings) -> Option<What> {
    for sector in SECTORS {
        if let Some(table) = table(view, sector, findings) {
            return table.map(What::PartitionTable).or(Some(What::Bytes));
        }
    }
    record(view, findings).map(What::BootRecord)
}

/// The partition table of an area in sectors of `sector_bytes`, and what is wrong with it.
#[must_use]
pub fn area_table(bytes: &dyn Bytes, sector_bytes: u32) -> (Option<AreaTable>, Vec<Finding>) {
    let mut findings = Findings::default();
    let table = table(View::whole(bytes), sector_bytes, &mut findings).flatten();
    (table, findings.all())
}

/// The outer option is whether there is a table in sectors of this size, the inner whether it can
/// be read.
fn table(view: View<'_>, sector: u32, findings: &mut Findings) -> Option<Option<AreaTable>> {
    let size = u64::from(sector);
    let last = (view.length() / size).checked_sub(1)?;
    let primary = copy(view, 1, sector);
    let at_end = copy(view, last, sector);
    match (&primary, &at_end) {
        (Err(NoCopy::Absent | NoCopy::PastEnd), Err(NoCopy::Absent | NoCopy::PastEnd)) => {
            return None;
        }
        (Err(NoCopy::Absent | NoCopy::PastEnd), Err(NoCopy::Elsewhere(place))) if *place > last => {
            return Some(end_alone(view, *place, last, sector, findings));
        }
        _ => {}
    }
    if let Err(NoCopy::Count(count, bytes)) = primary {
        findings.matters(
            Trouble::ImpossibleCount,
            Some(size + 80),
            format!("impossible: the primary table claims {count} entries of {bytes} bytes"),
        );
    }
    let chosen = match (primary, at_end) {
        (Ok(primary), at_end) => {
            backup_of(view, &primary, at_end, last, sector, findings);
            primary
        }
        (Err(why), Ok(backup)) => {
            let what = match why {
                NoCopy::Damaged => "damaged, its checksum does not hold".to_owned(),
                NoCopy::Elsewhere(place) => {
                    format!("misplaced, it says that it belongs in sector {place}")
                }
                _ => "missing".to_owned(),
            };
            findings.matters(
                Trouble::DamagedCopy,
                Some(size),
                format!("the primary table is {what}; the backup is read"),
            );
            backup
        }
        (Err(_), Err(_)) => {
            findings.unreadable(
                Trouble::DamagedBoth,
                Some(size),
                "both copies of the partition table are damaged".into(),
            );
            return Some(None);
        }
    };
    check(view, &chosen, sector, findings);
    Some(Some(AreaTable {
        sector_bytes: sector,
        guid: chosen.guid,
        partitions: chosen.partitions,
    }))
}

/// The end of an area by itself: its table, whose sectors are counted from where the area begins.
fn end_alone(
    view: View<'_>,
    place: u64,
    last: u64,
    sector: u32,
    findings: &mut Findings,
) -> Option<AreaTable> {
    let size = u64::from(sector);
    findings.matters(
        Trouble::CutShort,
        Some(0),
        format!(
            "the end of an area alone: its backup table belongs in sector {place}, here it stands in {last}; \
             what lies before is not in this file"
        ),
    );
    // As if all that lies before were there.
    match read_copy(view, last, place, sector) {
        Ok(copy) => Some(AreaTable {
            sector_bytes: sector,
            guid: copy.guid,
            partitions: copy.partitions,
        }),
        Err(_) => {
            findings.unreadable(
                Trouble::DamagedCopy,
                Some(last * size),
                "the backup table is damaged: its checksum does not hold".into(),
            );
            None
        }
    }
}

/// What there is to say of the backup, once the primary copy is sound.
fn backup_of(
    view: View<'_>,
    primary: &Copy,
    at_end: Result<Copy, NoCopy>,
    last: u64,
    sector: u32,
    findings: &mut Findings,
) {
    let size = u64::from(sector);
    let backup = if primary.alternate == last {
        at_end
    } else if primary.alternate > last {
        findings.matters(
            Trouble::CutShort,
            Some(view.length()),
            format!(
                "cut short: the backup table belongs in sector {}, the file ends at {last}",
                primary.alternate
            ),
        );
        return;
    } else {
        findings.matters(
            Trouble::Misplaced,
            Some(primary.alternate * size),
            format!("the backup table is not at the end: it lies in sector {}, the last sector is {last}", primary.alternate),
        );
        copy(view, primary.alternate, sector)
    };
    match backup {
        Ok(backup) if backup.partitions == primary.partitions && backup.guid == primary.guid => {}
        Ok(_) => findings.matters(
            Trouble::CopiesDiffer,
            Some(primary.alternate * size),
            "the primary and the backup table differ".into(),
        ),
        Err(_) => findings.matters(
            Trouble::DamagedCopy,
            Some(primary.alternate.saturating_mul(size)),
            "the backup table is damaged: its checksum does not hold".into(),
        ),
    }
}

/// Which end of a storage area a file of its bytes has.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum WhichEnd {
    /// Its beginning, with the primary table.
    Head,
    /// Its end, with the backup.
    Tail,
    /// All of it.
    Whole,
}

/// An end of a storage area, by the copy of its table that lies there.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct AreaEnd {
    /// Which end.
    pub which: WhichEnd,
    /// Bytes of a sector.
    pub sector_bytes: u32,
    /// Length of the whole area in bytes, by that copy.
    pub area_bytes: u64,
    /// The area's own identifier.
    pub guid: String,
    /// First byte behind which no partition lies before the area's backup table, and up to which the primary one
    /// may reach: where the first partition begins, and where the last one ends.
    pub partitions: Option<(u64, u64)>,
}

/// The end of a storage area that `bytes` are; nothing where no sound copy of a table lies where one belongs.
#[must_use]
pub fn area_end(bytes: &dyn Bytes) -> Option<AreaEnd> {
    let view = View::whole(bytes);
    SECTORS.into_iter().find_map(|sector| {
        let size = u64::from(sector);
        let last = (view.length() / size).checked_sub(1)?;
        let of = |which, copy: &Copy, area_sectors: u64| {
            let first = copy.partitions.first().map(|one| one.first_sector);
            let ends = copy.partitions.iter();
            let ends = ends.map(|one| one.first_sector.saturating_add(one.bytes / size));
            let span = first.zip(ends.max());
            Some(AreaEnd {
                which,
                sector_bytes: sector,
                area_bytes: area_sectors.checked_mul(size)?,
                guid: copy.guid.clone(),
                partitions: span.and_then(|(first, end)| {
                    Some((first.checked_mul(size)?, end.checked_mul(size)?))
                }),
            })
        };
        if let Ok(primary) = copy(view, 1, sector) {
            let sectors = primary.alternate.checked_add(1)?;
            let is_whole = primary.alternate == last;
            let which = if is_whole {
                WhichEnd::Whole
            } else {
                WhichEnd::Head
            };
            return of(which, &primary, sectors);
        }
        let Err(NoCopy::Elsewhere(place)) = copy(view, last, sector) else {
            return None;
        };
        let backup = read_copy(view, last, place, sector).ok()?;
        of(WhichEnd::Tail, &backup, place.checked_add(1)?)
    })
}

fn copy(view: View<'_>, sector_number: u64, sector: u32) -> Result<Copy, NoCopy> {
    read_copy(view, sector_number, sector_number, sector)
}

/// Reads the copy in sector `sector_number` of `view`, which is sector `place` of its area.
fn read_copy(view: View<'_>, sector_number: u64, place: u64, sector: u32) -> Result<Copy, NoCopy> {
    let size = u64::from(sector);
    let at = sector_number.checked_mul(size).ok_or(NoCopy::PastEnd)?;
    let mut head = view.array::<92>(at).map_err(|_| NoCopy::PastEnd)?;
    if &head[..8] != MARK {
        return Err(NoCopy::Absent);
    }
    let said = head.u32_le(16);
    head[16..20].fill(0);
    if head.u32_le(12) != HEADER_BYTES || CRC.checksum(&head) != said {
        return Err(NoCopy::Damaged);
    }
    if head.u64_le(24) != place {
        return Err(NoCopy::Elsewhere(head.u64_le(24)));
    }
    let (count, entry_bytes) = (head.u32_le(80), head.u32_le(84));
    let length = u64::from(count) * u64::from(entry_bytes);
    let odd = entry_bytes < 128 || !entry_bytes.is_multiple_of(8);
    if length > MOST_ENTRIES_BYTES || odd {
        return Err(NoCopy::Count(count, entry_bytes));
    }
    let entries = head
        .u64_le(72)
        .checked_sub(place - sector_number.min(place))
        .and_then(|first| first.checked_mul(size))
        .and_then(|from| view.bytes(from, usize::try_from(length).ok()?).ok())
        .ok_or(NoCopy::PastEnd)?;
    if CRC.checksum(&entries) != head.u32_le(88) {
        return Err(NoCopy::Damaged);
    }
    let mut partitions: Vec<TablePartition> = entries
        .chunks_exact(entry_bytes as usize)
        .zip(1..)
        .filter(|(entry, _)| entry[..16] != [0; 16])
        .map(|(entry, number)| {
            let (first, end) = (entry.u64_le(32), entry.u64_le(40));
            let sectors = end.checked_sub(first).and_then(|span| span.checked_add(1));
            let label: Vec<u16> = (0..36)
                .map(|index| entry.u16_le(56 + index * 2))
                .take_while(|unit| *unit != 0)
                .collect();
            TablePartition {
                label: String::from_utf16_lossy(&label),
                number,
                first_sector: first,
                // One that ends before it begins has no length, and is named below.
                bytes: sectors.unwrap_or(0).saturating_mul(size),
            }
        })
        .collect();
    partitions.sort_by_key(|one| one.first_sector);
    Ok(Copy {
        alternate: head.u64_le(32),
        guid: guid(&head[56..72]),
        partitions,
    })
}

fn guid(bytes: &[u8]) -> String {
    let tail = hex::encode(&bytes[8..16]);
    format!(
        "{:08x}-{:04x}-{:04x}-{}-{}",
        bytes.u32_le(0),
        bytes.u16_le(4),
        bytes.u16_le(6),
        &tail[..4],
        &tail[4..]
    )
}

/// Labels once, partitions within the area and beside each other.
fn check(view: View<'_>, copy: &Copy, sector: u32, findings: &mut Findings) {
    let size = u64::from(sector);
    let mut labels: Vec<&str> = copy
        .partitions
        .iter()
        .map(|one| one.label.as_str())
        .collect();
    labels.sort_unstable();
    for pair in labels.windows(2) {
        if pair[0] == pair[1] && !pair[0].is_empty() {
            findings.matters(
                Trouble::Twice,
                None,
                format!("two partitions have the same label `{}`", pair[0]),
            );
        }
    }
    let mut past: Vec<&str> = Vec::new();
    for one in &copy.partitions {
        if one.bytes == 0 {
            findings.matters(
                Trouble::ImpossibleSize,
                None,
                format!("impossible: `{}` ends before it begins", one.label),
            );
        }
        let end = one
            .first_sector
            .saturating_mul(size)
            .saturating_add(one.bytes);
        if end > view.length() {
            past.push(&one.label);
        }
    }
    if let Some(first) = past.first() {
        findings.matters(
            Trouble::PastEnd,
            Some(view.length()),
            format!(
                "{} of {} partitions lie past the end of the file, from `{first}` on",
                past.len(),
                copy.partitions.len()
            ),
        );
    }
    for pair in copy.partitions.windows(2) {
        let end = pair[0].first_sector.saturating_add(pair[0].bytes / size);
        if end > pair[1].first_sector && pair[0].bytes > 0 {
            findings.matters(
                Trouble::Overlap,
                Some(pair[1].first_sector.saturating_mul(size)),
                format!("`{}` and `{}` overlap", pair[0].label, pair[1].label),
            );
        }
    }
}

/// A master boot record: its mark, and entries that can be.
fn record(view: View<'_>, findings: &mut Findings) -> Option<BootRecord> {
    let block = view.array::<512>(0).ok()?;
    if block.u16_le(510) != 0xAA55 {
        return None;
    }
    let mut entries = Vec::new();
    for index in 0..4 {
        let at = 446 + index * 16;
        let (status, kind) = (block[at], block[at + 4]);
        if status & 0x7F != 0 {
            return None;
        }
        if kind == 0 {
            continue;
        }
        let (first, sectors) = (
            u64::from(block.u32_le(at + 8)),
            u64::from(block.u32_le(at + 12)),
        );
        entries.push(RecordEntry {
            kind,
            first_sector: first,
            bytes: sectors * 512,
        });
    }
    if entries.is_empty() {
        return None;
    }
    for entry in &entries {
        if entry.kind == 0xEE {
            findings.matters(
                Trouble::DamagedBoth,
                Some(512),
                "the record protects a partition table, and no copy of one is there: it is missing"
                    .into(),
            );
        } else if entry.first_sector * 512 + entry.bytes > view.length() {
            findings.cut_short(
                "a partition of the record",
                entry.first_sector * 512 + entry.bytes,
                view.length(),
            );
        }
    }
    Some(BootRecord { entries })
}
