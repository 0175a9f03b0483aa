//! Images that a bootloader starts: header versions 0 to 4.
//!
//! What the head claims (version, month) is shown and never judged as a generation: a recovery's
//! may be set on purpose so that nothing counts as newer (`M9`).

use serde::Serialize;
use sha1::{Digest as _, Sha1};
use utoipa::ToSchema;

use super::bytes::{Budget, Numbers, View};
use super::cpio::{self, Ramdisk};
use super::finding::{Findings, Trouble};
use super::packed::Packing;
use super::tree::{self, DeviceTree};
use super::verified;

/// What a start image says of itself.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, ToSchema)]
pub struct StartImage {
    /// Version of its header, 0 to 4.
    pub header_version: u32,
    /// Bytes to which its parts are padded.
    pub page_bytes: u32,
    /// Name of the board, as the head gives it.
    #[serde(skip_serializing_if = "String::is_empty")]
    pub name: String,
    /// The kernel's command line.
    #[serde(skip_serializing_if = "String::is_empty")]
    pub command_line: String,
    /// Version of the system that the head claims.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub claims_version: Option<String>,
    /// Month of the security patch that the head claims, `2026-09`.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub claims_patch_month: Option<String>,
    /// Length of the kernel.
    pub kernel_bytes: u64,
    /// How the kernel is packed, where that shows.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub kernel_packing: Option<Packing>,
    /// Length of the ramdisk.
    pub ramdisk_bytes: u64,
    /// Length of the second stage.
    #[serde(skip_serializing_if = "is_zero")]
    pub second_bytes: u64,
    /// Length of the device trees that the header counts.
    #[serde(skip_serializing_if = "is_zero")]
    pub device_tree_bytes: u64,
    /// Length of the recovery's overlays.
    #[serde(skip_serializing_if = "is_zero")]
    pub recovery_overlay_bytes: u64,
    /// Length of the signature section.
    #[serde(skip_serializing_if = "is_zero")]
    pub signature_bytes: u64,
    /// The digest by which the header knows its parts, in hexadecimal.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub identity: Option<String>,
    /// Names in 512-byte heads before kernel and ramdisk.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub inner_heads: Vec<String>,
    /// Device trees: counted by the header, at the kernel's end, or behind everything.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub device_trees: Vec<DeviceTree>,
    /// What the ramdisk holds.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub ramdisk: Option<Ramdisk>,
    /// What lies behind the declared end.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub behind: Option<String>,
}

#[expect(
    clippy::trivially_copy_pass_by_ref,
    reason = "the shape that serde asks for"
)]
fn is_zero(value: &u64) -> bool {
    *value == 0
}

const MAGIC: [u8; 8] = [0x41, 0x4E, 0x44, 0x52, 0x4F, 0x49, 0x44, 0x21];
const INNER_MAGIC: [u8; 4] = [0x88, 0x16, 0x88, 0x58];
const INNER_BYTES: u64 = 512;
/// Page of header versions 3 and 4.
const FIXED_PAGE_BYTES: u32 = 4096;
/// Longest text behind the end that is named as the maker's trailer.
const MOST_TRAILER_BYTES: usize = 32;

/// Whether a start image begins here.
pub(crate) fn is(head: &[u8]) -> bool {
    head.starts_with(&MAGIC)
}

/// One part of an image, where it begins and how long it is.
struct Part {
    what: &'static str,
    at: u64,
    bytes: u64,
}

/// Parts behind each other, each on a page of its own.
struct Pages {
    page: u64,
    next: u64,
    parts: Vec<Part>,
}

impl Pages {
    fn new(page: u32, head: u64) -> Self {
        Self {
            page: u64::from(page),
            next: head.next_multiple_of(u64::from(page)),
            parts: Vec::new(),
        }
    }

    fn add(&mut self, what: &'static str, bytes: u64) -> u64 {
        let at = self.next;
        self.parts.push(Part { what, at, bytes });
        // Sizes are 32 bits each and there are at most six of them.
        self.next = (at + bytes).next_multiple_of(self.page);
        at
    }
}

/// Reads a start image; nothing where its version is not known.
pub(crate) fn read(view: View<'_>, budget: &Budget, findings: &mut Findings) -> Option<StartImage> {
    let head = view.head(4096);
    let mut image = StartImage {
        header_version: head.u32_le(40),
        page_bytes: head.u32_le(36),
        kernel_bytes: head.u32_le(8).into(),
        ..StartImage::default()
    };
    let mut old_tree_bytes = 0;
    if head.len() >= 44 && image.header_version > 4 {
        // Before there were versions, the length of a device tree area stood here.
        old_tree_bytes = u64::from(image.header_version);
        image.header_version = 0;
        if !has_old_tree(view, &head, old_tree_bytes) {
            findings.unreadable(
                Trouble::UnknownVersion,
                Some(40),
                format!("header version {old_tree_bytes} is unknown; 0 to 4 are read"),
            );
            return None;
        }
    }
    let version = image.header_version;
    let head_bytes = [1632, 1648, 1660, 1580, 1584][version as usize];
    if view.length() < head_bytes {
        findings.cut_short("the header", head_bytes, view.length());
        return Some(image);
    }
    let claims = if version < 3 { 44 } else { 16 };
    claim(&mut image, head.u32_le(claims), claims as u64, findings);
    if version < 3 {
        image.ramdisk_bytes = head.u32_le(16).into();
        image.second_bytes = head.u32_le(24).into();
        image.name = head.text(48, 16);
        image.command_line = head.text(64, 512) + &head.text(608, 1024);
        image.device_tree_bytes = old_tree_bytes;
        let page = image.page_bytes;
        if !page.is_power_of_two() || !(2048..=128 << 10).contains(&page) {
            findings.matters(
                Trouble::ImpossibleSize,
                Some(36),
                format!(
                    "a page of {page} bytes is impossible: it must be a power of two from 2048 on"
                ),
            );
            return Some(image);
        }
    } else {
        image.page_bytes = FIXED_PAGE_BYTES;
        image.ramdisk_bytes = head.u32_le(12).into();
        image.command_line = head.text(44, 1536);
    }
    let mut pages = Pages::new(image.page_bytes, head_bytes);
    let kernel_at = pages.add("kernel", image.kernel_bytes);
    let ramdisk_at = pages.add("ramdisk", image.ramdisk_bytes);
    let mut trees_at = None;
    if version < 3 {
        pages.add("second stage", image.second_bytes);
        if old_tree_bytes > 0 {
            trees_at = Some(pages.add("device tree area", old_tree_bytes));
        }
        if version >= 1 {
            image.recovery_overlay_bytes = head.u32_le(1632).into();
            let said = head.u64_le(1636);
            let at = pages.add("recovery overlay", image.recovery_overlay_bytes);
            if image.recovery_overlay_bytes > 0 && said != at {
                findings.matters(
                    Trouble::ImpossibleSize,
                    Some(1636),
                    format!("impossible: the header puts the recovery overlay at byte {said}, its place is {at}"),
                );
            }
        }
        if version == 2 {
            image.device_tree_bytes = head.u32_le(1648).into();
            trees_at = Some(pages.add("device tree", image.device_tree_bytes));
        }
    } else if version == 4 {
        image.signature_bytes = head.u32_le(1580).into();
        pages.add("signature", image.signature_bytes);
    }
    let mut whole = true;
    for part in &pages.parts {
        let end = part.at + part.bytes;
        if part.bytes > 0 && end > view.length() {
            whole = false;
            findings.cut_short(&format!("the {}", part.what), end, view.length());
        }
    }
    if image.kernel_bytes == 0 {
        findings.note(Trouble::NoKernel, None, "it has no kernel".into());
    }
    if image.ramdisk_bytes == 0 {
        findings.note(Trouble::NoRamdisk, None, "it has no ramdisk".into());
    }
    if version < 3 && whole {
        check_identity(
            view,
            &head[576..608],
            &pages,
            version,
            budget,
            &mut image,
            findings,
        );
    }
    kernel(
        view.part_or_less(kernel_at, image.kernel_bytes),
        kernel_at,
        budget,
        &mut image,
        findings,
    );
    if let Some(at) = trees_at {
        let area = view.part_or_less(at, image.device_tree_bytes);
        image.device_trees.extend(tree::row(area, at, findings).0);
    }
    let mut disk = view.part_or_less(ramdisk_at, image.ramdisk_bytes);
    let mut disk_at = ramdisk_at;
    if let Some(name) = inner_head(disk, disk_at, "ramdisk", findings) {
        image.inner_heads.push(name);
        disk = disk.from(INNER_BYTES);
        disk_at += INNER_BYTES;
    }
    // A part that is cut is named above; what can be unpacked of it is not judged again.
    let mut of_disk = Findings::default();
    if disk.length() > 0 {
        image.ramdisk = Some(cpio::read(disk, disk_at, budget, &mut of_disk));
    }
    if view.part(ramdisk_at, image.ramdisk_bytes).is_some() {
        findings.take(of_disk, 0, "");
    }
    if whole {
        behind(view, pages.next, budget, &mut image, findings);
    }
    Some(image)
}

/// Whether a device tree lies where an area of `bytes` would, behind the other parts.
fn has_old_tree(view: View<'_>, head: &[u8], bytes: u64) -> bool {
    let page = head.u32_le(36);
    if !page.is_power_of_two() || !(2048..=128 << 10).contains(&page) {
        return false;
    }
    let mut pages = Pages::new(page, 1632);
    for at in [8, 16, 24] {
        pages.add("", head.u32_le(at).into());
    }
    let at = pages.add("", bytes);
    view.part(at, bytes).is_some_and(|area| {
        let first = area.head(8);
        tree::is(&first) || tree::is_table(&first)
    })
}

/// What the head claims of the system's version and of the patch's month.
fn claim(image: &mut StartImage, packed: u32, at: u64, findings: &mut Findings) {
    let (version, month) = (packed >> 11, packed & 0x7FF);
    let (major, year) = (version >> 14 & 127, 2000 + (month >> 4));
    if version > 0 {
        let text = format!("{major}.{}.{}", version >> 7 & 127, version & 127);
        image.claims_version = Some(text);
    }
    if month > 0 {
        image.claims_patch_month = Some(format!("{year}-{:02}", month & 15));
    }
    let no_month = month > 0 && !(1..=12).contains(&(month & 15));
    if major >= ON_PURPOSE_MAJOR || year >= ON_PURPOSE_YEAR || no_month {
        findings.note(
            Trouble::SetOnPurpose,
            Some(at),
            format!(
                "the head claims version {} and patch month {}: implausible, set on purpose so that nothing counts as newer",
                image.claims_version.as_deref().unwrap_or("none"),
                image.claims_patch_month.as_deref().unwrap_or("none"),
            ),
        );
    }
}

/// No system has such a number, and no patch such a year.
const ON_PURPOSE_MAJOR: u32 = 40;
const ON_PURPOSE_YEAR: u32 = 2060;

/// The header's digest of its parts: each part, then its length in 32 bits.
fn check_identity(
    view: View<'_>,
    said: &[u8],
    pages: &Pages,
    version: u32,
    budget: &Budget,
    image: &mut StartImage,
    findings: &mut Findings,
) {
    if said.iter().all(|byte| *byte == 0) {
        return;
    }
    let short = said[20..].iter().all(|byte| *byte == 0);
    image.identity = Some(hex::encode(if short { &said[..20] } else { said }));
    if !short {
        // Longer ones are not made in one way only: shown, not checked.
        return;
    }
    // Whether an area of device trees from before there were versions counts is not settled.
    let with_old_tree = version == 0 && image.device_tree_bytes > 0;
    let mut hashes = [Sha1::new(), Sha1::new()];
    for part in &pages.parts {
        if !budget.expand(part.bytes) {
            not_read(
                "its parts were not held against the header's digest",
                findings,
            );
            return;
        }
        let counts = [true, part.what != "device tree area"];
        let mut hash = |bytes: &[u8]| {
            for (hash, _) in hashes.iter_mut().zip(counts).filter(|(_, counts)| *counts) {
                hash.update(bytes);
            }
            true
        };
        if view
            .part_or_less(part.at, part.bytes)
            .pieces(&mut hash)
            .is_err()
        {
            findings.medium(Some(part.at));
            return;
        }
        hash(&u32::try_from(part.bytes).unwrap_or(u32::MAX).to_le_bytes());
    }
    let [all, without] = hashes.map(|hash| hash.finalize().as_slice() == &said[..20]);
    if !(all || with_old_tree && without) {
        findings.matters(
            Trouble::DigestDiffers,
            Some(576),
            "the digest in the header does not match the parts: something in them was changed"
                .into(),
        );
    }
}

fn inner_head(part: View<'_>, at: u64, what: &str, findings: &mut Findings) -> Option<String> {
    let head = part.array::<40>(0).ok()?;
    if !head.starts_with(&INNER_MAGIC) {
        return None;
    }
    let name = head.text(8, 32);
    findings.note(
        Trouble::InnerHeader,
        Some(at),
        format!("a 512-byte inner header named `{name}` stands before the {what}"),
    );
    Some(name)
}

/// The kernel's packing, and device trees appended to it.
fn kernel(
    part: View<'_>,
    at: u64,
    budget: &Budget,
    image: &mut StartImage,
    findings: &mut Findings,
) {
    let mut part = part;
    let mut at = at;
    if let Some(name) = inner_head(part, at, "kernel", findings) {
        image.inner_heads.push(name);
        part = part.from(INNER_BYTES);
        at += INNER_BYTES;
    }
    image.kernel_packing = Packing::of(&part.head(16));
    let Some(first) = find_tree(part, budget, findings) else {
        return;
    };
    let mut of_trees = Findings::default();
    let (trees, _) = tree::row(part.from(first), at + first, &mut of_trees);
    // A mark in the midst of code is no tree: only what reads as one to its end counts.
    if trees
        .iter()
        .all(|tree| !tree.compatible.is_empty() || tree.model.is_some())
    {
        image.device_trees.extend(trees);
    }
}

/// Where a device tree's mark stands in `view` that fits behind it.
fn find_tree(view: View<'_>, budget: &Budget, findings: &mut Findings) -> Option<u64> {
    let mut found = None;
    let mut at = 0_u64;
    let mut carry: Vec<u8> = Vec::new();
    let _ = view.pieces(|piece| {
        if !budget.expand(piece.len() as u64) {
            not_read("its kernel was not searched for device trees", findings);
            return false;
        }
        let base = at - carry.len() as u64;
        carry.extend_from_slice(piece);
        for (index, window) in carry.windows(8).enumerate() {
            if tree::is(window) {
                let place = base + index as u64;
                let length = u64::from(window.u32_be(4));
                if length >= 40 && view.part(place, length).is_some() {
                    found = Some(place);
                    return false;
                }
            }
        }
        at += piece.len() as u64;
        let keep = carry.len().saturating_sub(7);
        carry.drain(..keep);
        true
    });
    found
}

/// What lies behind the declared end: zeros are a partition's slack, all else is named.
fn behind(
    view: View<'_>,
    end: u64,
    budget: &Budget,
    image: &mut StartImage,
    findings: &mut Findings,
) {
    let rest = view.from(end);
    let Some(skipped) = first_not_zero(rest, budget, findings) else {
        return;
    };
    let at = end + skipped;
    let rest = rest.from(skipped);
    let head = rest.head(64);
    let bytes = rest.length();
    let text: String = head
        .iter()
        .take(MOST_TRAILER_BYTES)
        .take_while(|byte| byte.is_ascii_alphanumeric() || **byte == b'_')
        .map(|byte| char::from(*byte))
        .collect();
    let (trouble, what) = if tree::is(&head) {
        let (trees, _) = tree::row(rest, at, findings);
        image.device_trees.extend(trees);
        (Trouble::Trailing, "a device tree".to_owned())
    } else if tree::is_table(&head) {
        (
            Trouble::Trailing,
            "a table of device tree overlays".to_owned(),
        )
    } else if verified::is(&head) {
        (Trouble::Trailing, "verification metadata".to_owned())
    } else if head.starts_with(&[0x30, 0x82]) {
        (
            Trouble::Trailing,
            "a signature block of the older kind".to_owned(),
        )
    } else if text.len() >= 8 {
        (Trouble::Trailing, format!("the maker's trailer `{text}`"))
    } else {
        findings.note(
            Trouble::Trailing,
            Some(at),
            format!("{bytes} trailing bytes of no known kind lie behind the declared end"),
        );
        image.behind = Some("bytes of no known kind".into());
        return;
    };
    findings.note(
        trouble,
        Some(at),
        format!("{what} lies behind the declared end, not counted by the header ({bytes} bytes)"),
    );
    image.behind = Some(what);
}

/// The first byte that is not zero; nothing where there is none within the budget.
fn first_not_zero(view: View<'_>, budget: &Budget, findings: &mut Findings) -> Option<u64> {
    let mut at = 0_u64;
    let mut found = None;
    let _ = view.pieces(|piece| {
        if !budget.expand(piece.len() as u64) {
            not_read("what lies behind it was not read whole", findings);
            return false;
        }
        if let Some(index) = piece.iter().position(|byte| *byte != 0) {
            found = Some(at + index as u64);
            return false;
        }
        at += piece.len() as u64;
        true
    });
    found
}

/// The budget ended before this was read: said, and never taken for sound.
fn not_read(what: &str, findings: &mut Findings) {
    let says = format!("{what}: more than one look may read");
    findings.note(Trouble::NotLookedAt, None, says);
}
