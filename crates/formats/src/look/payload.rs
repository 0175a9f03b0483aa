//! Payloads: partitions as operations on extents, whole or from another build.

use std::io::{Read, Seek, Write};

use ring::digest::{Context, SHA256};
use serde::Serialize;
use utoipa::ToSchema;

use super::bytes::{Budget, Numbers, View};
use super::finding::{Findings, Trouble, Weight};
use super::out::{NotTaken, Taken, put_at};
use super::packed::{self, Packing};

/// A payload.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, ToSchema)]
pub struct Payload {
    /// Version of the format.
    pub version: u64,
    /// Minor version: 0 for a full payload.
    pub minor_version: u64,
    /// Whether it needs another build to begin from.
    pub incremental: bool,
    /// Bytes of a block.
    pub block_bytes: u64,
    /// Length of the manifest.
    pub manifest_bytes: u64,
    /// Length of the signature over the manifest.
    pub manifest_signature_bytes: u64,
    /// Length of the signature over all; told only with the key whether it holds.
    pub signature_bytes: u64,
    /// Newest build, in seconds since 1970, that it may follow.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub timestamp: Option<u64>,
    /// Security patch.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub security_patch: Option<String>,
    /// Groups of logical volumes.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub groups: Vec<String>,
    /// Partitions that it writes.
    pub partitions: Vec<PayloadPartition>,
}

/// A partition of a payload.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, ToSchema)]
pub struct PayloadPartition {
    /// Label.
    pub name: String,
    /// Length afterwards.
    pub bytes: u64,
    /// SHA-256 afterwards, in hexadecimal.
    pub digest: String,
    /// Length before.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub old_bytes: Option<u64>,
    /// SHA-256 that it must have before, in hexadecimal.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub old_digest: Option<String>,
    /// Operations.
    pub operations: u64,
}

const MAGIC: [u8; 4] = [0x43, 0x72, 0x41, 0x55];
const HEAD_BYTES: u64 = 24;
/// Largest manifest that is read.
const MOST_MANIFEST_BYTES: u64 = 16 << 20;
/// Partitions that are read.
const MOST_PARTITIONS: usize = 512;

/// Whether a payload begins here.
pub(crate) fn is(head: &[u8]) -> bool {
    head.starts_with(&MAGIC)
}

/// One field of a message.
enum Field<'a> {
    Number(u64),
    Bytes(&'a [u8]),
}

/// Walks the fields of a message without building anything; `false` where it is malformed.
///
/// A library's decoder makes a value of every operation: an empty one is two bytes in the file and
/// two hundred in memory. This walk keeps what is asked for and nothing else.
fn fields<'a>(message: &'a [u8], mut each: impl FnMut(u32, Field<'a>)) -> bool {
    let mut at = 0;
    while at < message.len() {
        let Some(key) = varint(message, &mut at) else {
            return false;
        };
        let Ok(number) = u32::try_from(key >> 3) else {
            return false;
        };
        let field = match key & 7 {
            0 => varint(message, &mut at).map(Field::Number),
            1 => fixed(message, &mut at, 8),
            2 => varint(message, &mut at)
                .and_then(|length| usize::try_from(length).ok())
                .and_then(|length| {
                    let part = message.get(at..at.checked_add(length)?)?;
                    at += length;
                    Some(Field::Bytes(part))
                }),
            5 => fixed(message, &mut at, 4),
            _ => None,
        };
        match field {
            Some(field) if number > 0 => each(number, field),
            _ => return false,
        }
    }
    true
}

fn fixed<'a>(message: &'a [u8], at: &mut usize, length: usize) -> Option<Field<'a>> {
    let part = message.get(*at..at.checked_add(length)?)?;
    *at += length;
    Some(Field::Number(if length == 8 {
        part.u64_le(0)
    } else {
        part.u32_le(0).into()
    }))
}

fn varint(message: &[u8], at: &mut usize) -> Option<u64> {
    let mut value = 0_u64;
    for shift in (0..64).step_by(7) {
        let byte = *message.get(*at)?;
        *at += 1;
        value |= u64::from(byte & 0x7F).checked_shl(shift)?;
        if byte & 0x80 == 0 {
            return Some(value);
        }
    }
    None
}

fn text(bytes: &[u8]) -> String {
    String::from_utf8_lossy(&bytes[..bytes.len().min(256)]).into_owned()
}

/// A digest as it is told; no digest is longer than 64 bytes.
fn hex(bytes: &[u8]) -> String {
    hex::encode(&bytes[..bytes.len().min(64)])
}

/// Reads a payload; nothing where its manifest can't be read.
pub(crate) fn read(view: View<'_>, budget: &Budget, findings: &mut Findings) -> Option<Payload> {
    let Ok(head) = view.array::<24>(0) else {
        findings.cut_short("the header", HEAD_BYTES, view.length());
        return None;
    };
    let mut payload = Payload {
        version: head.u64_be(4),
        manifest_bytes: head.u64_be(12),
        manifest_signature_bytes: head.u32_be(20).into(),
        block_bytes: 4096,
        ..Payload::default()
    };
    if payload.version != 2 {
        findings.unreadable(
            Trouble::UnknownVersion,
            Some(4),
            format!(
                "version {} of payloads is unknown; 2 is read",
                payload.version
            ),
        );
        return None;
    }
    let end = payload
        .manifest_bytes
        .checked_add(HEAD_BYTES + payload.manifest_signature_bytes)
        .filter(|_| payload.manifest_bytes <= MOST_MANIFEST_BYTES);
    let Some(data_at) = end else {
        findings.unreadable(
            Trouble::ImpossibleSize,
            Some(12),
            format!(
                "impossible: the header claims a manifest of {} bytes, too large for any",
                payload.manifest_bytes
            ),
        );
        return None;
    };
    let length = usize::try_from(payload.manifest_bytes).unwrap_or(usize::MAX);
    let Ok(manifest) = view.bytes(HEAD_BYTES, length) else {
        findings.unreadable(
            Trouble::CutShort,
            Some(view.length()),
            format!(
                "cut short: the manifest reaches to byte {}, the file ends at {}",
                HEAD_BYTES + payload.manifest_bytes,
                view.length()
            ),
        );
        return None;
    };
    let mut parts: Vec<&[u8]> = Vec::new();
    let (mut signature_at, mut groups) = (None, Vec::new());
    let sound = fields(&manifest, |number, field| match (number, field) {
        (3, Field::Number(value)) => payload.block_bytes = value,
        (4, Field::Number(value)) => signature_at = Some(value),
        (5, Field::Number(value)) => payload.signature_bytes = value,
        (12, Field::Number(value)) => payload.minor_version = value,
        (13, Field::Bytes(part)) if parts.len() < MOST_PARTITIONS => parts.push(part),
        (14, Field::Number(value)) => payload.timestamp = Some(value),
        (15, Field::Bytes(part)) => groups.push(part),
        (18, Field::Bytes(part)) => payload.security_patch = Some(text(part)),
        _ => {}
    });
    if !sound {
        findings.unreadable(
            Trouble::ImpossibleSize,
            Some(HEAD_BYTES),
            "the manifest is malformed: its length in the header is wrong, or it is damaged".into(),
        );
        return None;
    }
    for group in groups {
        fields(group, |number, field| {
            if let (1, Field::Bytes(one)) = (number, field) {
                fields(one, |number, field| {
                    if let (1, Field::Bytes(name)) = (number, field) {
                        payload.groups.push(text(name));
                    }
                });
            }
        });
    }
    let mut data = Data {
        view,
        data_at,
        block: payload.block_bytes,
        budget,
        // Where each piece of data ends, to know whether the file is whole.
        end: data_at,
        hashed: true,
    };
    for part in parts {
        match data.partition(part, findings) {
            Some(partition) => payload.partitions.push(partition),
            None => {
                findings.unreadable(
                    Trouble::ImpossibleSize,
                    Some(HEAD_BYTES),
                    "a partition in the manifest is malformed".into(),
                );
            }
        }
    }
    payload.incremental = payload.minor_version > 0
        || payload
            .partitions
            .iter()
            .any(|one| one.old_digest.is_some());
    if payload.incremental {
        findings.note(
            Trouble::BaseNeeded,
            None,
            "incremental: it needs exactly the build that its old digests describe as its base"
                .into(),
        );
    }
    if let Some(at) = signature_at {
        data.end = data.end.max(
            data_at
                .saturating_add(at)
                .saturating_add(payload.signature_bytes),
        );
    }
    if data.end > view.length() {
        findings.cut_short("the payload's data", data.end, view.length());
    }
    if !data.hashed {
        findings.note(
            Trouble::NotLookedAt,
            None,
            "not all operations were hashed: more than one look may read".into(),
        );
    }
    Some(payload)
}

/// What the operations of a payload are held against.
struct Data<'a> {
    view: View<'a>,
    data_at: u64,
    block: u64,
    budget: &'a Budget,
    end: u64,
    hashed: bool,
}

/// What one operation says.
#[derive(Default)]
struct Operation<'a> {
    offset: Option<u64>,
    length: u64,
    digest: Option<&'a [u8]>,
    past_end: bool,
}

impl Data<'_> {
    fn partition(&mut self, message: &[u8], findings: &mut Findings) -> Option<PayloadPartition> {
        let mut partition = PayloadPartition::default();
        let info = |part: &[u8]| {
            let (mut bytes, mut sum) = (None, None);
            fields(part, |number, field| match (number, field) {
                (1, Field::Number(value)) => bytes = Some(value),
                (2, Field::Bytes(value)) => sum = Some(hex(value)),
                _ => {}
            });
            (bytes, sum)
        };
        let sound = fields(message, |number, field| match (number, field) {
            (1, Field::Bytes(part)) => partition.name = text(part),
            (6, Field::Bytes(part)) => (partition.old_bytes, partition.old_digest) = info(part),
            (7, Field::Bytes(part)) => {
                let (bytes, sum) = info(part);
                partition.bytes = bytes.unwrap_or(0);
                partition.digest = sum.unwrap_or_default();
            }
            (8, Field::Bytes(_)) => partition.operations += 1,
            _ => {}
        });
        if !sound {
            return None;
        }
        let mut index = 0_u64;
        let mut operations_sound = true;
        fields(message, |number, field| {
            if let (8, Field::Bytes(part)) = (number, field) {
                operations_sound &= self.operation(part, index, &partition, findings);
                index += 1;
            }
        });
        operations_sound.then_some(partition)
    }

    fn operation(
        &mut self,
        message: &[u8],
        index: u64,
        partition: &PayloadPartition,
        findings: &mut Findings,
    ) -> bool {
        let mut operation = Operation::default();
        let most = partition.bytes;
        let block = self.block;
        let sound = fields(message, |number, field| match (number, field) {
            (2, Field::Number(value)) => operation.offset = Some(value),
            (3, Field::Number(value)) => operation.length = value,
            (6, Field::Bytes(part)) => operation.past_end |= ends_past(part, block, most),
            (8, Field::Bytes(part)) => operation.digest = Some(part),
            _ => {}
        });
        let name = &partition.name;
        if operation.past_end {
            findings.matters(
                Trouble::PastEnd,
                None,
                format!("operation {index} of `{name}` writes past the end of the partition"),
            );
        }
        if operation.length == 0 {
            return sound;
        }
        let at = self.data_at.checked_add(operation.offset.unwrap_or(0));
        let end = at.and_then(|at| at.checked_add(operation.length));
        let (Some(at), Some(end)) = (at, end) else {
            findings.matters(
                Trouble::ImpossibleSize,
                None,
                format!(
                    "impossible: the data of operation {index} of `{name}` lies beyond 64 bits"
                ),
            );
            return sound;
        };
        let Some(part) = self.view.part(at, operation.length) else {
            self.end = self.end.max(end);
            return sound;
        };
        let Some(said) = operation.digest else {
            return sound;
        };
        if !self.budget.expand(operation.length) {
            self.hashed = false;
            return sound;
        }
        match sha256(part) {
            Err(_) => findings.medium(Some(at)),
            Ok(digest) if digest.as_ref() != said => findings.matters(
                Trouble::DigestDiffers,
                Some(at),
                format!("the data of operation {index} of `{name}` does not match its digest: it was changed"),
            ),
            Ok(_) => {}
        }
        sound
    }
}

/// Ways in which an operation brings blocks without a base.
const REPLACE: u64 = 0;
const REPLACE_BZIP2: u64 = 1;
const ZERO: u64 = 6;
const DISCARD: u64 = 7;
const REPLACE_XZ: u64 = 8;

/// Writes the partition `name` of a whole payload; never of an incremental one, whose base lies elsewhere.
pub(crate) fn take<W: Write + Seek>(
    view: View<'_>,
    name: &str,
    most: u64,
    into: &mut W,
) -> Result<Taken, NotTaken> {
    let budget = Budget::new(super::Limits {
        expanded_bytes: u64::MAX,
        ..super::Limits::default()
    });
    let mut findings = Findings::default();
    let payload = read(view, &budget, &mut findings);
    let grave = findings
        .all()
        .into_iter()
        .find(|one| one.weight > Weight::Note);
    let payload = match (payload, grave) {
        (Some(payload), None) => payload,
        (_, grave) => {
            let says = grave.map_or_else(String::new, |one| one.says);
            return Err(NotTaken::Damaged(says));
        }
    };
    if payload.incremental {
        return Err(NotTaken::Refused(
            name.to_owned(),
            "the package needs exactly one build as its base",
        ));
    }
    let mut those = payload
        .partitions
        .iter()
        .enumerate()
        .filter(|(_, one)| one.name == name);
    let Some((index, partition)) = those.next() else {
        return Err(NotTaken::Missing(name.to_owned()));
    };
    if those.next().is_some() {
        return Err(NotTaken::Twice(name.to_owned()));
    }
    if partition.bytes > most {
        return Err(NotTaken::TooLong(most));
    }
    let length = usize::try_from(payload.manifest_bytes).unwrap_or(usize::MAX);
    let Ok(manifest) = view.bytes(HEAD_BYTES, length) else {
        return Err(NotTaken::Another);
    };
    let mut parts = Vec::new();
    fields(&manifest, |number, field| {
        if let (13, Field::Bytes(part)) = (number, field) {
            parts.push(part);
        }
    });
    let mut operations = Vec::new();
    fields(
        parts.get(index).copied().unwrap_or_default(),
        |number, field| {
            if let (8, Field::Bytes(part)) = (number, field) {
                operations.push(part);
            }
        },
    );
    let data_at = HEAD_BYTES + payload.manifest_bytes + payload.manifest_signature_bytes;
    // What no operation brings is zeros.
    if partition.bytes > 0 {
        put_at(into, partition.bytes - 1, &mut &[0][..], 1)?;
    }
    for operation in operations {
        bring(view.from(data_at), operation, payload.block_bytes, into)?;
    }
    Ok(Taken {
        bytes: partition.bytes,
        sha256: Some(partition.digest.clone()),
        not_said: 0,
    })
}

/// Carries out one operation. Its data was hashed, and its extents end within the partition.
fn bring<W: Write + Seek>(
    data: View<'_>,
    operation: &[u8],
    block: u64,
    into: &mut W,
) -> Result<(), NotTaken> {
    let (mut kind, mut offset, mut length, mut extents) = (0, 0, 0, Vec::new());
    fields(operation, |number, field| match (number, field) {
        (1, Field::Number(value)) => kind = value,
        (2, Field::Number(value)) => offset = value,
        (3, Field::Number(value)) => length = value,
        (6, Field::Bytes(part)) => {
            let (mut start, mut blocks) = (0_u64, 0_u64);
            fields(part, |number, field| match (number, field) {
                (1, Field::Number(value)) => start = value,
                (2, Field::Number(value)) => blocks = value,
                _ => {}
            });
            extents.push((start.saturating_mul(block), blocks.saturating_mul(block)));
        }
        _ => {}
    });
    let Some(part) = data.part(offset, length) else {
        return Err(NotTaken::Damaged("its data lies past the end".to_owned()));
    };
    let broken = |error: std::io::Error| NotTaken::Damaged(error.to_string());
    let budget = Budget::new(super::Limits {
        expanded_bytes: u64::MAX,
        ..super::Limits::default()
    });
    let mut from: Box<dyn Read + '_> = match kind {
        REPLACE => Box::new(part.reader()),
        REPLACE_BZIP2 | REPLACE_XZ => {
            let packing = if kind == REPLACE_XZ {
                Packing::Xz
            } else {
                Packing::Bzip2
            };
            let unpacked = packed::unpack(packing, packed::buffered(part), &budget);
            Box::new(unpacked.map_err(broken)?)
        }
        ZERO | DISCARD => Box::new(std::io::repeat(0)),
        other => {
            return Err(NotTaken::Damaged(format!(
                "an operation of kind {other} needs a base"
            )));
        }
    };
    for (at, bytes) in extents {
        put_at(into, at, &mut from, bytes)?;
    }
    Ok(())
}

/// Whether an extent ends behind `most` bytes; the one that says *nowhere* does not.
fn ends_past(extent: &[u8], block: u64, most: u64) -> bool {
    let (mut start, mut blocks) = (0_u64, 0_u64);
    fields(extent, |number, field| match (number, field) {
        (1, Field::Number(value)) => start = value,
        (2, Field::Number(value)) => blocks = value,
        _ => {}
    });
    if start == u64::MAX {
        return false;
    }
    start
        .checked_add(blocks)
        .and_then(|end| end.checked_mul(block))
        .is_none_or(|end| {
            let whole = most.checked_next_multiple_of(block.max(1));
            whole.is_some_and(|whole| end > whole)
        })
}

/// SHA-256 of all of `view`, in hexadecimal.
pub(crate) fn sha256_hex(view: View<'_>) -> std::io::Result<String> {
    sha256(view).map(|digest| hex(digest.as_ref()))
}

/// SHA-256 of all of `view`.
pub(crate) fn sha256(view: View<'_>) -> std::io::Result<ring::digest::Digest> {
    let mut hash = Context::new(&SHA256);
    view.pieces(|piece| {
        hash.update(piece);
        true
    })?;
    Ok(hash.finish())
}
