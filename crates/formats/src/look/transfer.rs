//! Transfer lists: which blocks of a partition come from the data beside, and which are zeros.

use serde::Serialize;
use utoipa::ToSchema;

use super::bytes::{Budget, Bytes as _, Laid, Piece, View};
use super::finding::{Findings, Trouble};
use super::payload::sha256_hex;

/// A partition that is brought block by block.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, ToSchema)]
pub struct Transfer {
    /// Partition, by the list's name.
    pub partition: String,
    /// Version of the list.
    pub version: u32,
    /// Blocks that are written in all.
    pub blocks: u64,
    /// Member that brings new blocks.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub member: Option<String>,
    /// Whether blocks of the build before are needed.
    pub needs_base: bool,
    /// SHA-256 of the image, in hexadecimal, where every block of it is said.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub image_digest: Option<String>,
}

const BLOCK_BYTES: u64 = 4096;
/// Longest list that is read.
pub(crate) const MOST_BYTES: u64 = 4 << 20;
/// Last block that any storage has: 16 TiB.
const MOST_BLOCKS: u64 = u32::MAX as u64;
/// Ranges that are read of one list.
const MOST_RANGES: usize = 1 << 18;

/// A list that was read.
#[derive(Debug)]
pub(crate) struct List {
    pub(crate) transfer: Transfer,
    new: Vec<(u64, u64)>,
    zero: Vec<(u64, u64)>,
}

/// Reads the list named `name`; nothing where it is none.
pub(crate) fn read(name: &str, text: &str, findings: &mut Findings) -> Option<List> {
    let partition = name.rsplit('/').next()?.strip_suffix(".transfer.list")?;
    let mut lines = text.lines();
    let version: u32 = lines.next()?.trim().parse().ok()?;
    let blocks: u64 = lines.next()?.trim().parse().ok()?;
    let mut list = List {
        transfer: Transfer {
            partition: partition.to_owned(),
            version,
            blocks,
            member: None,
            needs_base: false,
            image_digest: None,
        },
        new: Vec::new(),
        zero: Vec::new(),
    };
    for line in lines {
        let mut words = line.split_whitespace();
        let (Some(command), Some(first)) = (words.next(), words.next()) else {
            continue;
        };
        let known = match command {
            "new" => Some(&mut list.new),
            "zero" => Some(&mut list.zero),
            "erase" => None,
            "move" | "bsdiff" | "imgdiff" | "stash" | "free" => {
                list.transfer.needs_base = true;
                continue;
            }
            _ => continue,
        };
        let Some(ranges) = ranges(first) else {
            findings.matters(
                Trouble::ImpossibleSize,
                None,
                format!("the list of `{partition}` has ranges that can't be: invalid `{command}`"),
            );
            continue;
        };
        if ranges.iter().any(|(_, end)| *end > MOST_BLOCKS) {
            findings.matters(
                Trouble::PastEnd,
                None,
                format!(
                    "a range of the list of `{partition}` reaches past the end of any partition"
                ),
            );
            continue;
        }
        if let Some(known) = known
            && known.len() + ranges.len() <= MOST_RANGES
        {
            known.extend(ranges);
        }
    }
    Some(list)
}

/// `4,0,8,10,12`: how many numbers follow, then begin and end of each range.
fn ranges(text: &str) -> Option<Vec<(u64, u64)>> {
    let mut numbers = text.split(',').map(|one| one.parse::<u64>().ok());
    let count = numbers.next()??;
    let numbers: Vec<u64> = numbers.take(MOST_RANGES * 2).collect::<Option<_>>()?;
    if numbers.len() as u64 != count || count % 2 != 0 {
        return None;
    }
    numbers
        .chunks_exact(2)
        .map(|pair| (pair[0] <= pair[1]).then_some((pair[0], pair[1])))
        .collect()
}

impl List {
    /// Holds the list against the data that it brings, and hashes the image where all is said.
    pub(crate) fn check(&mut self, data: View<'_>, budget: &Budget, findings: &mut Findings) {
        let blocks: u64 = self.new.iter().map(|(from, to)| to - from).sum();
        let wanted = blocks.saturating_mul(BLOCK_BYTES);
        let partition = &self.transfer.partition;
        if wanted > data.length() {
            findings.matters(
                Trouble::CutShort,
                None,
                format!("cut short: the list of `{partition}` wants {wanted} bytes of new data, there are {}", data.length()),
            );
            return;
        }
        let Some(laid) = self.laid(data) else { return };
        if laid.says_all() && !self.transfer.needs_base && budget.expand(laid.length()) {
            self.transfer.image_digest = sha256_hex(View::whole(&laid)).ok();
        }
    }

    /// The image: new blocks from the data in their order, zeros, and what is not said.
    fn laid<'a>(&self, data: View<'a>) -> Option<Laid<'a>> {
        let mut from = 0;
        let mut all: Vec<(u64, u64, Piece)> = Vec::new();
        for (first, end) in &self.new {
            all.push((*first, *end, Piece::At(from)));
            from += (end - first) * BLOCK_BYTES;
        }
        for (first, end) in &self.zero {
            all.push((*first, *end, Piece::Fill([0; 4])));
        }
        all.sort_unstable_by_key(|(first, ..)| *first);
        let mut laid = Laid::new(data);
        for (first, end, piece) in all {
            let gap = (first * BLOCK_BYTES).checked_sub(laid.length())?;
            laid.push(gap, Piece::NotSaid);
            laid.push((end - first) * BLOCK_BYTES, piece);
        }
        Some(laid)
    }
}
