//! Sparse images: chunks of bytes, of one pattern, and of what is *not said*.
//!
//! What is not said is not zero: whatever lay there before stays. So an expansion with a gap has
//! no digest, and nobody may call it proof of anything.

use crc::{CRC_32_ISO_HDLC, Crc};
use serde::Serialize;
use utoipa::ToSchema;

use super::bytes::{Bytes as _, Laid, Numbers, Piece, View};
use super::finding::{Findings, Trouble};
use super::{Inside, Looker};

/// A sparse image.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, ToSchema)]
pub struct Sparse {
    /// Bytes of a block.
    pub block_bytes: u32,
    /// Blocks of the expansion, as the header says.
    pub blocks: u32,
    /// Chunks, as the header says.
    pub chunks: u32,
    /// Length when expanded, as the header says.
    pub expanded_bytes: u64,
    /// Bytes of the expansion of which nothing is said: what lay there stays.
    pub not_said_bytes: u64,
}

const MAGIC: [u8; 4] = [0x3A, 0xFF, 0x26, 0xED];
const CRC: Crc<u32> = Crc::<u32>::new(&CRC_32_ISO_HDLC);
/// Chunks that are read: more than any image of a storage area has.
const MOST_CHUNKS: u32 = 1 << 20;

/// Whether a sparse image begins here.
pub(crate) fn is(head: &[u8]) -> bool {
    head.starts_with(&MAGIC)
}

/// Reads a sparse image; nothing where not even its head is there.
pub(crate) fn read(
    view: View<'_>,
    name: &str,
    looker: Looker<'_>,
    findings: &mut Findings,
    inside: &mut Vec<Inside>,
) -> Option<Sparse> {
    let Ok(head) = view.array::<28>(0) else {
        findings.cut_short("the header", 28, view.length());
        return None;
    };
    let (head_bytes, chunk_head_bytes) = (head.u16_le(8), head.u16_le(10));
    let mut sparse = Sparse {
        block_bytes: head.u32_le(12),
        blocks: head.u32_le(16),
        chunks: head.u32_le(20),
        expanded_bytes: u64::from(head.u32_le(12)) * u64::from(head.u32_le(16)),
        not_said_bytes: 0,
    };
    if head.u16_le(4) != 1 {
        findings.unreadable(
            Trouble::UnknownVersion,
            Some(4),
            format!(
                "version {} of sparse images is unknown; 1 is read",
                head.u16_le(4)
            ),
        );
        return None;
    }
    let block = u64::from(sparse.block_bytes);
    if head_bytes < 28 || chunk_head_bytes < 12 || block == 0 || !block.is_multiple_of(4) {
        findings.matters(
            Trouble::ImpossibleSize,
            Some(8),
            format!(
                "impossible: heads of {head_bytes} and {chunk_head_bytes} bytes, blocks of {block}"
            ),
        );
        return Some(sparse);
    }
    let room = view.length() / u64::from(chunk_head_bytes);
    if u64::from(sparse.chunks) > room.min(u64::from(MOST_CHUNKS)) {
        findings.matters(
            Trouble::ImpossibleCount,
            Some(20),
            format!(
                "impossible: {} chunks do not fit the file, nor any image",
                sparse.chunks
            ),
        );
        return Some(sparse);
    }
    let mut chunks = Chunks::new(view, head_bytes, chunk_head_bytes, block);
    let mut whole = true;
    for index in 0..sparse.chunks {
        if !chunks.next(index, sparse.expanded_bytes, findings) {
            whole = false;
            break;
        }
    }
    let Chunks { laid, sums, .. } = chunks;
    let said = laid.length();
    if whole && said != sparse.expanded_bytes {
        findings.matters(
            Trouble::ImpossibleSize,
            Some(16),
            format!(
                "the chunks add up to {} blocks, the header claims {}: the sum does not match",
                said / block,
                sparse.blocks
            ),
        );
        whole = false;
    }
    sparse.not_said_bytes = laid.not_said();
    if is_numbered(name) && !laid.says_all() {
        findings.note(
            Trouble::OnePiece,
            None,
            "one piece of several: it says only a part of the partition, the others belong to it"
                .into(),
        );
    }
    if whole {
        check_sums(&laid, &sums, head.u32_le(24), looker, findings);
        if let Some(deeper) = looker.deeper()
            && laid.length() > 0
        {
            let looked = deeper.look(View::whole(&laid), "");
            inside.push(Inside {
                name: "expanded".into(),
                looked,
            });
        }
    }
    Some(sparse)
}

/// What a sound sparse image expands to; nothing, with what is wrong, where it is not one.
pub(crate) fn laid<'a>(view: View<'a>, findings: &mut Findings) -> Option<Laid<'a>> {
    let head = view.array::<28>(0).ok()?;
    let (head_bytes, chunk_head_bytes) = (head.u16_le(8), head.u16_le(10));
    let block = u64::from(head.u32_le(12));
    let most = block * u64::from(head.u32_le(16));
    let room = view.length() / u64::from(chunk_head_bytes.max(1));
    let count = head.u32_le(20);
    let is_sane = head.u16_le(4) == 1
        && head_bytes >= 28
        && chunk_head_bytes >= 12
        && block > 0
        && block.is_multiple_of(4)
        && u64::from(count) <= room.min(u64::from(MOST_CHUNKS));
    let mut chunks = is_sane.then(|| Chunks::new(view, head_bytes, chunk_head_bytes, block))?;
    let mut all = 0..count;
    let is_whole = all.all(|index| chunks.next(index, most, findings));
    let Chunks { laid, sums, .. } = chunks;
    if !is_whole || laid.length() != most {
        return None;
    }
    let budget = super::bytes::Budget::new(super::Limits {
        expanded_bytes: u64::MAX,
        ..super::Limits::default()
    });
    let looker = Looker {
        budget: &budget,
        depth: 0,
    };
    check_sums(&laid, &sums, head.u32_le(24), looker, findings);
    findings.is_empty().then_some(laid)
}

/// Names of pieces end in a number of their own: `system.img_piece.0`, `super_chunk3`.
fn is_numbered(name: &str) -> bool {
    let stem = name.strip_suffix(".img").unwrap_or(name);
    let before = stem.trim_end_matches(|one: char| one.is_ascii_digit());
    before.len() < stem.len()
        && [".", "_", "chunk", "piece"]
            .iter()
            .any(|end| before.ends_with(end))
}

struct Chunks<'a> {
    view: View<'a>,
    head_bytes: u64,
    block: u64,
    at: u64,
    laid: Laid<'a>,
    /// Length up to which a checksum counts, the checksum, its place.
    sums: Vec<(u64, u32, u64)>,
}

impl<'a> Chunks<'a> {
    fn new(view: View<'a>, head_bytes: u16, chunk_head_bytes: u16, block: u64) -> Self {
        Self {
            view,
            head_bytes: u64::from(chunk_head_bytes),
            block,
            at: u64::from(head_bytes),
            laid: Laid::new(view),
            sums: Vec::new(),
        }
    }

    /// Takes the next chunk; `false` where nothing behind it can be trusted.
    fn next(&mut self, index: u32, most: u64, findings: &mut Findings) -> bool {
        let at = self.at;
        let Ok(head) = self.view.array::<12>(at) else {
            findings.cut_short(
                &format!("chunk {index}"),
                at + self.head_bytes,
                self.view.length(),
            );
            return false;
        };
        let (kind, blocks, total) = (head.u16_le(0), head.u32_le(4), u64::from(head.u32_le(8)));
        let expanded = u64::from(blocks) * self.block;
        let Some(body) = total.checked_sub(self.head_bytes) else {
            findings.matters(
                Trouble::ImpossibleSize,
                Some(at),
                format!(
                    "chunk {index} claims {total} bytes, less than its own head: its size is wrong"
                ),
            );
            return false;
        };
        let body_at = at + self.head_bytes;
        let wanted = match kind {
            0xCAC1 => expanded,
            0xCAC2 | 0xCAC4 => 4,
            0xCAC3 => 0,
            other => {
                findings.matters(
                    Trouble::UnknownVersion,
                    Some(at),
                    format!("chunk {index} is of the unknown kind {other:#06x}"),
                );
                return false;
            }
        };
        if body != wanted {
            findings.matters(
                Trouble::ImpossibleSize,
                Some(at),
                format!("chunk {index} claims {body} bytes, its {blocks} blocks want {wanted}: they disagree"),
            );
            return false;
        }
        if self.view.part(body_at, body).is_none() {
            findings.cut_short(
                &format!("chunk {index}"),
                body_at + body,
                self.view.length(),
            );
            return false;
        }
        let four = self.view.array::<4>(body_at).unwrap_or_default();
        let piece = match kind {
            0xCAC1 => Piece::At(body_at),
            0xCAC2 => Piece::Fill(four),
            0xCAC3 => Piece::NotSaid,
            _ => {
                self.sums.push((self.laid.length(), four.u32_le(0), at));
                self.at = body_at + body;
                return true;
            }
        };
        if self.laid.length().saturating_add(expanded) > most {
            findings.matters(
                Trouble::PastEnd,
                Some(at),
                format!(
                    "chunk {index} reaches past the {} blocks that the header states",
                    most / self.block
                ),
            );
            return false;
        }
        self.laid.push(expanded, piece);
        self.at = body_at + body;
        true
    }
}

/// Checks each checksum over all that is expanded before it, what is not said counting as zeros.
fn check_sums(
    laid: &Laid<'_>,
    sums: &[(u64, u32, u64)],
    whole: u32,
    looker: Looker<'_>,
    findings: &mut Findings,
) {
    let mut sums = sums.to_vec();
    if whole != 0 {
        sums.push((laid.length(), whole, 24));
    }
    let Some(last) = sums.iter().map(|(length, ..)| *length).max() else {
        return;
    };
    if !looker.budget.expand(last) {
        findings.note(
            Trouble::NotLookedAt,
            None,
            format!("checksums over {last} bytes were not checked: more than one look may read"),
        );
        return;
    }
    let mut sum = CRC.digest();
    let mut at = 0;
    sums.sort_by_key(|(length, ..)| *length);
    for (length, said, place) in sums {
        let part = View::whole(laid).part_or_less(at, length - at);
        if part
            .pieces(|piece| {
                sum.update(piece);
                true
            })
            .is_err()
        {
            findings.medium(None);
            return;
        }
        at = length;
        if sum.clone().finalize() != said {
            findings.matters(
                Trouble::ChecksumWrong,
                Some(place),
                format!(
                    "the checksum over the first {length} bytes does not match: they were changed"
                ),
            );
            return;
        }
    }
}
