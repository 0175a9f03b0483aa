//! The vendor part of a start image, versions 3 and 4.

use serde::Serialize;
use utoipa::ToSchema;

use super::bytes::{Budget, Numbers, View};
use super::cpio::{self, Ramdisk};
use super::finding::{Findings, Trouble};
use super::tree::{self, DeviceTree};

/// What the vendor part says of itself.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, ToSchema)]
pub struct VendorStart {
    /// Version of its header, 3 or 4.
    pub header_version: u32,
    /// Bytes to which its parts are padded.
    pub page_bytes: u32,
    /// Name of the board.
    #[serde(skip_serializing_if = "String::is_empty")]
    pub name: String,
    /// The vendor's part of the command line.
    #[serde(skip_serializing_if = "String::is_empty")]
    pub command_line: String,
    /// Length of all ramdisks.
    pub ramdisk_bytes: u64,
    /// Length of the device trees.
    pub device_tree_bytes: u64,
    /// Ramdisks, by the table of version 4, or the one of version 3.
    pub ramdisks: Vec<VendorRamdisk>,
    /// Lines of the boot configuration.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub boot_configuration: Vec<String>,
    /// Device trees.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub device_trees: Vec<DeviceTree>,
}

/// One ramdisk of the vendor part.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, ToSchema)]
pub struct VendorRamdisk {
    /// Its name in the table.
    #[serde(skip_serializing_if = "String::is_empty")]
    pub name: String,
    /// For what: `platform`, `recovery`, `modules`, or the number that stands there.
    pub role: String,
    /// Its length.
    pub bytes: u64,
    /// What it holds.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub ramdisk: Option<Ramdisk>,
}

const MAGIC: [u8; 8] = [0x56, 0x4E, 0x44, 0x52, 0x42, 0x4F, 0x4F, 0x54];
const ENTRY_BYTES: u32 = 108;
/// Ramdisks that are read of one table.
const MOST_RAMDISKS: u32 = 64;
/// Longest boot configuration that is read.
const MOST_CONFIGURATION_BYTES: u64 = 64 << 10;

/// Whether the vendor part begins here.
pub(crate) fn is(head: &[u8]) -> bool {
    head.starts_with(&MAGIC)
}

/// Reads the vendor part; nothing where its version is not known.
pub(crate) fn read(
    view: View<'_>,
    budget: &Budget,
    findings: &mut Findings,
) -> Option<VendorStart> {
    let head = view.head(2128);
    let version = head.u32_le(8);
    if head.len() >= 12 && !matches!(version, 3 | 4) {
        findings.unreadable(
            Trouble::UnknownVersion,
            Some(8),
            format!("version {version} of a vendor part is unknown; 3 and 4 are read"),
        );
        return None;
    }
    let head_bytes: u64 = if version == 4 { 2128 } else { 2112 };
    let mut image = VendorStart {
        header_version: version,
        page_bytes: head.u32_le(12),
        name: head.text(2080, 16),
        command_line: head.text(28, 2048),
        ramdisk_bytes: head.u32_le(24).into(),
        device_tree_bytes: head.u32_le(2100).into(),
        ..VendorStart::default()
    };
    if view.length() < head_bytes {
        findings.cut_short("the header", head_bytes, view.length());
        return Some(image);
    }
    let page = image.page_bytes;
    if !page.is_power_of_two() || !(2048..=128 << 10).contains(&page) {
        findings.matters(
            Trouble::ImpossibleSize,
            Some(12),
            format!("a page of {page} bytes is impossible: it must be a power of two from 2048 on"),
        );
        return Some(image);
    }
    let page = u64::from(page);
    let ramdisks_at = head_bytes.next_multiple_of(page);
    let trees_at = ramdisks_at + image.ramdisk_bytes.next_multiple_of(page);
    let table_at = trees_at + image.device_tree_bytes.next_multiple_of(page);
    let table_bytes = u64::from(if version == 4 { head.u32_le(2112) } else { 0 });
    let configuration_at = table_at + table_bytes.next_multiple_of(page);
    let configuration_bytes = u64::from(if version == 4 { head.u32_le(2124) } else { 0 });
    for (what, at, bytes) in [
        ("the ramdisks", ramdisks_at, image.ramdisk_bytes),
        ("the device tree", trees_at, image.device_tree_bytes),
        ("the table of ramdisks", table_at, table_bytes),
        (
            "the boot configuration",
            configuration_at,
            configuration_bytes,
        ),
    ] {
        if bytes > 0 && at + bytes > view.length() {
            findings.cut_short(what, at + bytes, view.length());
        }
    }
    let all = view.part_or_less(ramdisks_at, image.ramdisk_bytes);
    if version == 4 {
        table(
            view.part_or_less(table_at, table_bytes),
            table_at,
            &head,
            all,
            ramdisks_at,
            budget,
            &mut image,
            findings,
        );
        let most = configuration_bytes.min(MOST_CONFIGURATION_BYTES);
        let text = view
            .part_or_less(configuration_at, most)
            .head(MOST_CONFIGURATION_BYTES as usize);
        image.boot_configuration = text
            .text(0, text.len())
            .lines()
            .map(str::trim)
            .filter(|line| !line.is_empty())
            .map(str::to_owned)
            .collect();
    } else if image.ramdisk_bytes > 0 {
        let mut own = Findings::default();
        let ramdisk = cpio::read(all, ramdisks_at, budget, &mut own);
        if all.length() == image.ramdisk_bytes {
            findings.take(own, 0, "");
        }
        image.ramdisks.push(VendorRamdisk {
            name: String::new(),
            role: "all".into(),
            bytes: image.ramdisk_bytes,
            ramdisk: Some(ramdisk),
        });
    }
    let trees = view.part_or_less(trees_at, image.device_tree_bytes);
    image.device_trees = tree::row(trees, trees_at, findings).0;
    Some(image)
}

#[expect(clippy::too_many_arguments, reason = "places of one header, used once")]
fn table(
    table: View<'_>,
    table_at: u64,
    head: &[u8],
    all: View<'_>,
    all_at: u64,
    budget: &Budget,
    image: &mut VendorStart,
    findings: &mut Findings,
) {
    let (count, entry_bytes) = (head.u32_le(2116), head.u32_le(2120));
    let declared = u64::from(head.u32_le(2112));
    if entry_bytes < ENTRY_BYTES || u64::from(count) * u64::from(entry_bytes) > declared {
        findings.matters(
            Trouble::ImpossibleCount,
            Some(2116),
            format!("impossible: {count} ramdisks of {entry_bytes} bytes each do not fit a table of {declared}"),
        );
        return;
    }
    for index in 0..count.min(MOST_RAMDISKS) {
        let at = u64::from(index) * u64::from(entry_bytes);
        let Ok(entry) = table.array::<108>(at) else {
            return;
        };
        let (bytes, offset) = (u64::from(entry.u32_le(0)), u64::from(entry.u32_le(4)));
        let role = match entry.u32_le(8) {
            1 => "platform".to_owned(),
            2 => "recovery".to_owned(),
            3 => "modules".to_owned(),
            0 => "none".to_owned(),
            other => format!("unknown ({other})"),
        };
        let name = entry.text(12, 32);
        if offset + bytes > image.ramdisk_bytes {
            findings.matters(
                Trouble::ImpossibleSize,
                Some(table_at + at),
                format!(
                    "impossible: ramdisk {index} reaches to byte {} of {}",
                    offset + bytes,
                    image.ramdisk_bytes
                ),
            );
        }
        let ramdisk = all.part(offset, bytes).map(|part| {
            let mut own = Findings::default();
            let read = cpio::read(part, all_at + offset, budget, &mut own);
            let shown = if name.is_empty() {
                format!("ramdisk {index}")
            } else {
                format!("ramdisk `{name}`")
            };
            findings.take(own, 0, &shown);
            read
        });
        image.ramdisks.push(VendorRamdisk {
            name,
            role,
            bytes,
            ramdisk,
        });
    }
}
