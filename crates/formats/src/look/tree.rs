//! Device trees, by themselves, in a row, or in a table of overlays.

use serde::Serialize;
use utoipa::ToSchema;

use super::bytes::{Numbers, View};
use super::finding::{Findings, Trouble};

/// What a device tree says of the device that it describes.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, ToSchema)]
pub struct DeviceTree {
    /// Its length in bytes, as it says.
    pub declared_bytes: u64,
    /// The root's `model`.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub model: Option<String>,
    /// The root's `compatible`, most particular first.
    pub compatible: Vec<String>,
}

/// A table of overlays.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, ToSchema)]
pub struct OverlayTable {
    /// Its length in bytes, as it says.
    pub declared_bytes: u64,
    /// Entries that it says to have.
    pub entries: u32,
    /// The overlays that could be read.
    pub trees: Vec<DeviceTree>,
}

const MAGIC: u32 = 0xD00D_FEED;
const TABLE_MAGIC: u32 = 0xD7B7_AB1E;
const HEADER_BYTES: u64 = 40;
/// Largest structure block that is read.
const MOST_BYTES: u64 = 8 << 20;
/// Overlays that are read of one table.
const MOST_TREES: u32 = 256;

/// Whether a device tree begins here.
pub(crate) fn is(head: &[u8]) -> bool {
    head.len() >= 8 && head.u32_be(0) == MAGIC
}

/// Whether a table of overlays begins here.
pub(crate) fn is_table(head: &[u8]) -> bool {
    head.len() >= 8 && head.u32_be(0) == TABLE_MAGIC
}

/// Reads the tree at the start of `view`, which lies at `at` of the whole.
pub(crate) fn read(view: View<'_>, at: u64, findings: &mut Findings) -> Option<DeviceTree> {
    let Ok(head) = view.array::<40>(0) else {
        findings.cut_short(
            "a device tree's head",
            at + HEADER_BYTES,
            at + view.length(),
        );
        return None;
    };
    let declared = u64::from(head.u32_be(4));
    let (structure, strings) = (u64::from(head.u32_be(8)), u64::from(head.u32_be(12)));
    let (strings_bytes, structure_bytes) = (u64::from(head.u32_be(32)), u64::from(head.u32_be(36)));
    if declared < HEADER_BYTES || structure_bytes > MOST_BYTES || strings_bytes > MOST_BYTES {
        findings.matters(
            Trouble::ImpossibleSize,
            Some(at),
            format!("impossible: a device tree of {declared} bytes with a structure of {structure_bytes}"),
        );
        return None;
    }
    if declared > view.length() {
        findings.cut_short("the device tree", at + declared, at + view.length());
    }
    let part = |from: u64, length: u64| {
        let length = usize::try_from(length).ok()?;
        view.bytes(from, length).ok()
    };
    let mut tree = DeviceTree {
        declared_bytes: declared,
        model: None,
        compatible: Vec::new(),
    };
    let (Some(structure), Some(strings)) = (
        part(structure, structure_bytes),
        part(strings, strings_bytes),
    ) else {
        if declared <= view.length() {
            findings.matters(
                Trouble::PastEnd,
                Some(at),
                "a device tree's blocks lie past its end".into(),
            );
        }
        return Some(tree);
    };
    root(&structure, &strings, &mut tree);
    Some(tree)
}

/// The properties of the root node.
fn root(structure: &[u8], strings: &[u8], tree: &mut DeviceTree) {
    let mut at = 0;
    let mut depth = 0_u32;
    while at + 4 <= structure.len() {
        let token = structure.u32_be(at);
        at += 4;
        match token {
            1 => {
                depth += 1;
                let rest = &structure[at..];
                let name = rest
                    .iter()
                    .position(|byte| *byte == 0)
                    .unwrap_or(rest.len());
                at += (name + 1).next_multiple_of(4);
            }
            2 => {
                depth = depth.saturating_sub(1);
                if depth == 0 {
                    return;
                }
            }
            3 => {
                let length = structure.u32_be(at) as usize;
                let name = strings.text(structure.u32_be(at + 4) as usize, 64);
                let value = at
                    .checked_add(8)
                    .and_then(|from| structure.get(from..from.checked_add(length)?));
                let Some(value) = value else { return };
                if depth == 1 {
                    let texts = value
                        .split(|byte| *byte == 0)
                        .filter(|text| !text.is_empty())
                        .map(|text| String::from_utf8_lossy(text).into_owned());
                    match name.as_str() {
                        "model" => tree.model = texts.take(1).next(),
                        "compatible" => tree.compatible = texts.take(16).collect(),
                        _ => {}
                    }
                }
                at += 8 + length.next_multiple_of(4);
            }
            4 => {}
            _ => return,
        }
    }
}

/// Device trees that stand behind each other from the start of `view` on.
pub(crate) fn row(view: View<'_>, at: u64, findings: &mut Findings) -> (Vec<DeviceTree>, u64) {
    let mut trees = Vec::new();
    let mut next = 0;
    while (trees.len() as u32) < MOST_TREES {
        let rest = view.from(next);
        if !is(&rest.head(8)) {
            break;
        }
        let Some(tree) = read(rest, at + next, findings) else {
            break;
        };
        next += tree.declared_bytes.min(rest.length());
        trees.push(tree);
    }
    (trees, next)
}

/// Reads a table of overlays.
pub(crate) fn read_table(view: View<'_>, findings: &mut Findings) -> Option<OverlayTable> {
    let Ok(head) = view.array::<32>(0) else {
        findings.cut_short("the table's head", 32, view.length());
        return None;
    };
    let declared = u64::from(head.u32_be(4));
    let (entry_bytes, entries, first) = (
        u64::from(head.u32_be(12)),
        head.u32_be(16),
        u64::from(head.u32_be(20)),
    );
    if declared > view.length() {
        findings.cut_short("the table of overlays", declared, view.length());
    }
    let mut table = OverlayTable {
        declared_bytes: declared,
        entries,
        trees: Vec::new(),
    };
    if entry_bytes < 8 || u64::from(entries).saturating_mul(entry_bytes) > declared {
        findings.matters(
            Trouble::ImpossibleCount,
            Some(16),
            format!(
                "impossible: {entries} entries of {entry_bytes} bytes do not fit {declared} bytes"
            ),
        );
        return Some(table);
    }
    for index in 0..u64::from(entries.min(MOST_TREES)) {
        let Ok(entry) = view.array::<8>(first + index * entry_bytes) else {
            break;
        };
        let (length, offset) = (u64::from(entry.u32_be(0)), u64::from(entry.u32_be(4)));
        let Some(part) = view.part(offset, length) else {
            findings.matters(
                Trouble::PastEnd,
                Some(first + index * entry_bytes),
                format!("overlay {index} lies past the end: {length} bytes from byte {offset}"),
            );
            continue;
        };
        if is(&part.head(8))
            && let Some(tree) = read(part, offset, findings)
        {
            table.trees.push(tree);
        }
    }
    Some(table)
}
