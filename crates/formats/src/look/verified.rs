//! Verification metadata: who signed what, with which index, and whether it holds (`R1`, `L5`).

use ring::digest::{Context, SHA256, SHA512, digest};
use ring::signature::{
    RSA_PKCS1_2048_8192_SHA256, RSA_PKCS1_2048_8192_SHA512, RsaParameters, RsaPublicKeyComponents,
};
use serde::Serialize;
use utoipa::ToSchema;

use super::bytes::{Budget, Numbers, Short, View};
use super::finding::{Findings, Trouble};

/// Verification metadata.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, ToSchema)]
pub struct Verification {
    /// Version of the format that whoever reads it must know.
    pub version: String,
    /// How it is signed, such as `SHA-256 with RSA 2048`; `none` where it is not.
    pub algorithm: String,
    /// The same as the number that stands there.
    pub algorithm_number: u32,
    /// Whether digest and signature hold; nothing where it is not signed or can't be checked.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub signature_holds: Option<bool>,
    /// SHA-256 of the key as it lies in the metadata, in hexadecimal.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub key_sha256: Option<String>,
    /// Index below which a device refuses it, once it has seen a higher one.
    pub rollback_index: u64,
    /// Where the device keeps that index.
    pub rollback_location: u32,
    /// Switches as they stand: 1 trees are off, 2 verification is off.
    pub flags: u32,
    /// What made it, in its own words.
    #[serde(skip_serializing_if = "String::is_empty")]
    pub release: String,
    /// What it vouches for.
    pub descriptors: Vec<Descriptor>,
}

/// One thing that metadata vouches for.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, ToSchema)]
#[serde(tag = "is", rename_all = "kebab-case")]
pub enum Descriptor {
    /// A property.
    Property {
        /// Its name.
        key: String,
        /// Its value.
        value: String,
    },
    /// A partition by the digest of its image.
    Hash {
        /// Partition.
        partition: String,
        /// Length of the image that is hashed.
        image_bytes: u64,
        /// Which digest.
        algorithm: String,
        /// Put before the image, in hexadecimal.
        salt: String,
        /// Digest, in hexadecimal.
        digest: String,
    },
    /// A partition by the root of a tree of digests.
    Tree {
        /// Partition.
        partition: String,
        /// Length of the image under the tree.
        image_bytes: u64,
        /// First byte of the tree.
        tree_at: u64,
        /// Length of the tree.
        tree_bytes: u64,
        /// Bytes of one block.
        block_bytes: u32,
        /// Length of the error correction behind the tree.
        correction_bytes: u64,
        /// Which digest.
        algorithm: String,
        /// Put before each block, in hexadecimal.
        salt: String,
        /// Digest of the tree's top, in hexadecimal.
        root_digest: String,
    },
    /// Words for the kernel.
    CommandLine {
        /// When they count.
        flags: u32,
        /// The words.
        text: String,
    },
    /// A partition with metadata of its own, by the key that signs it.
    Chain {
        /// Partition.
        partition: String,
        /// Where the device keeps its index.
        rollback_location: u32,
        /// SHA-256 of the key, in hexadecimal.
        key_sha256: String,
    },
    /// A kind that is not known.
    Unknown {
        /// Its number.
        number: u64,
    },
}

impl Descriptor {
    /// The partition that it vouches for.
    #[must_use]
    pub fn partition(&self) -> Option<&str> {
        match self {
            Self::Hash { partition, .. }
            | Self::Tree { partition, .. }
            | Self::Chain { partition, .. } => Some(partition),
            Self::Property { .. } | Self::CommandLine { .. } | Self::Unknown { .. } => None,
        }
    }
}

/// Metadata's mark.
const MAGIC: [u8; 4] = [0x41, 0x56, 0x42, 0x30];
/// The footer's mark.
const FOOTER_MAGIC: [u8; 4] = [0x41, 0x56, 0x42, 0x66];
const HEADER_BYTES: u64 = 256;
const FOOTER_BYTES: u64 = 64;
/// Longest metadata that is read.
const MOST_BYTES: u64 = 1 << 20;
/// Descriptors that are read.
const MOST_DESCRIPTORS: usize = 1024;

/// Lengths of a signing algorithm, in bits.
struct Rsa {
    key_bits: u32,
    sha_bits: u32,
}

/// The algorithm with this number; nothing where it is none or not known.
fn rsa(number: u32) -> Option<Rsa> {
    let at = number.checked_sub(1)?;
    (at < 6).then(|| Rsa {
        key_bits: 2048 << (at % 3),
        sha_bits: 256 << (at / 3),
    })
}

/// Whether metadata begins here.
pub(crate) fn is(head: &[u8]) -> bool {
    head.starts_with(&MAGIC)
}

/// A footer in the last 64 bytes.
#[derive(Debug)]
pub(crate) struct Footer {
    /// Length of what was there before metadata was added.
    pub(crate) image_bytes: u64,
    /// What it points at, where that can be read.
    pub(crate) metadata: Option<Verification>,
}

/// The footer of an image; nothing where it has none, or one that points nowhere.
pub(crate) fn footer(view: View<'_>, _: &Budget, findings: &mut Findings) -> Option<Footer> {
    let at = view.length().checked_sub(FOOTER_BYTES)?;
    let foot = view.array::<64>(at).ok()?;
    if !foot.starts_with(&FOOTER_MAGIC) {
        return None;
    }
    let (image_bytes, from, length) = (foot.u64_be(12), foot.u64_be(20), foot.u64_be(28));
    let Some(part) = view.part(from, length).filter(|_| image_bytes <= from) else {
        findings.matters(
            Trouble::ImpossibleSize,
            Some(at),
            format!("impossible: the footer points at {length} bytes from byte {from}, past the end at {}", view.length()),
        );
        return None;
    };
    let mut own = Findings::default();
    let metadata = if is(&part.head(4)) {
        read(part, &mut own)
    } else {
        findings.matters(
            Trouble::PastEnd,
            Some(at),
            format!("the footer points at byte {from}, where no metadata lies: it is damaged"),
        );
        None
    };
    findings.take(own, from, "");
    Some(Footer {
        image_bytes,
        metadata,
    })
}

/// Reads metadata; nothing where not even its head can be read.
pub(crate) fn read(view: View<'_>, findings: &mut Findings) -> Option<Verification> {
    let head = match view.array::<256>(0) {
        Ok(head) => head,
        Err(Short::PastEnd) => {
            findings.cut_short("the metadata's head", HEADER_BYTES, view.length());
            return None;
        }
        Err(Short::Medium) => {
            findings.medium(Some(0));
            return None;
        }
    };
    let number = head.u32_be(28);
    let algorithm = match (number, rsa(number)) {
        (0, _) => "none".to_owned(),
        (_, Some(rsa)) => format!("SHA-{} with RSA {}", rsa.sha_bits, rsa.key_bits),
        _ => "unknown".to_owned(),
    };
    let mut metadata = Verification {
        version: format!("{}.{}", head.u32_be(4), head.u32_be(8)),
        algorithm,
        algorithm_number: number,
        signature_holds: None,
        key_sha256: None,
        rollback_index: head.u64_be(112),
        rollback_location: head.u32_be(124),
        flags: head.u32_be(120),
        release: head.text(128, 48),
        descriptors: Vec::new(),
    };
    switches(&metadata, findings);
    let (signed_bytes, told_bytes) = (head.u64_be(12), head.u64_be(20));
    let whole = HEADER_BYTES
        .checked_add(signed_bytes)
        .and_then(|sum| sum.checked_add(told_bytes));
    let Some(whole) = whole.filter(|whole| *whole <= MOST_BYTES) else {
        findings.matters(
            Trouble::ImpossibleSize,
            Some(12),
            format!(
                "impossible: metadata that claims parts of {signed_bytes} and {told_bytes} bytes"
            ),
        );
        return Some(metadata);
    };
    let part = |at: u64, bytes: u64| view.bytes(at, usize::try_from(bytes).unwrap_or(usize::MAX));
    let (Ok(signature), Ok(told)) = (
        part(HEADER_BYTES, signed_bytes),
        part(HEADER_BYTES + signed_bytes, told_bytes),
    ) else {
        findings.cut_short("the metadata", whole, view.length());
        return Some(metadata);
    };
    let key = within(&told, head.u64_be(64), head.u64_be(72));
    if let Some(key) = key.filter(|key| !key.is_empty()) {
        metadata.key_sha256 = Some(hex::encode(digest(&SHA256, key).as_ref()));
    }
    let listed = within(&told, head.u64_be(96), head.u64_be(104));
    let listed_at = (HEADER_BYTES + signed_bytes).saturating_add(head.u64_be(96));
    match listed {
        Some(listed) => descriptors(listed, listed_at, &mut metadata, findings),
        None => findings.matters(
            Trouble::ImpossibleSize,
            Some(96),
            format!(
                "impossible: descriptors of {} bytes reach past the end of the metadata",
                head.u64_be(104)
            ),
        ),
    }
    check_signature(&head, &signature, &told, key, &mut metadata, findings);
    Some(metadata)
}

fn switches(metadata: &Verification, findings: &mut Findings) {
    match metadata.algorithm_number {
        0 => findings.matters(
            Trouble::NotSigned,
            Some(28),
            "the metadata is not signed: nobody vouches for it".into(),
        ),
        number if rsa(number).is_none() => findings.matters(
            Trouble::UnknownVersion,
            Some(28),
            format!("signing algorithm {number} is unknown"),
        ),
        _ => {}
    }
    let off = match metadata.flags & 3 {
        1 => "its switch turns the trees off: partitions under a tree are not checked",
        2 => "verification is switched off by it: whatever is written starts",
        3 => "verification is switched off by it, and the trees too: whatever is written starts",
        _ => return,
    };
    findings.matters(Trouble::VerificationOff, Some(120), off.into());
}

/// The part of `told`; nothing where it reaches past the end.
fn within(told: &[u8], at: u64, bytes: u64) -> Option<&[u8]> {
    let from = usize::try_from(at).ok()?;
    let to = from.checked_add(usize::try_from(bytes).ok()?)?;
    told.get(from..to)
}

fn descriptors(listed: &[u8], at: u64, metadata: &mut Verification, findings: &mut Findings) {
    let mut next = 0_usize;
    while next + 16 <= listed.len() && metadata.descriptors.len() < MOST_DESCRIPTORS {
        let length = listed.u64_be(next + 8);
        let body = within(listed, next as u64 + 16, length);
        let Some(body) = body else {
            findings.matters(
                Trouble::ImpossibleSize,
                Some(at + next as u64),
                format!(
                    "impossible: a descriptor claims {length} bytes, {} are left",
                    listed.len() - next - 16
                ),
            );
            return;
        };
        match descriptor(listed.u64_be(next), body) {
            Some(one) => metadata.descriptors.push(one),
            None => findings.matters(
                Trouble::ImpossibleSize,
                Some(at + next as u64),
                "impossible: a descriptor's parts reach past its end".into(),
            ),
        }
        next += 16 + body.len();
    }
}

/// Reads one descriptor behind its tag and length; nothing where its parts don't fit.
fn descriptor(tag: u64, body: &[u8]) -> Option<Descriptor> {
    let mut at;
    let take = |from: usize, length: u64| within(body, from as u64, length);
    let text = |bytes: &[u8]| bytes.text(0, bytes.len());
    Some(match tag {
        0 => {
            let (key, value) = (body.u64_be(0), body.u64_be(8));
            let key_text = take(16, key)?;
            let value_at = 17_usize.checked_add(key_text.len())?;
            Descriptor::Property {
                key: text(key_text),
                value: text(take(value_at, value)?),
            }
        }
        1 => {
            at = 164;
            let lengths = [body.u32_be(88), body.u32_be(92), body.u32_be(96)];
            let mut parts = [&body[..0]; 3];
            for (part, length) in parts.iter_mut().zip(lengths) {
                *part = take(at, length.into())?;
                at += part.len();
            }
            Descriptor::Tree {
                partition: text(parts[0]),
                image_bytes: body.u64_be(4),
                tree_at: body.u64_be(12),
                tree_bytes: body.u64_be(20),
                block_bytes: body.u32_be(28),
                correction_bytes: body.u64_be(48),
                algorithm: body.text(56, 32),
                salt: hex::encode(parts[1]),
                root_digest: hex::encode(parts[2]),
            }
        }
        2 => {
            at = 116;
            let lengths = [body.u32_be(40), body.u32_be(44), body.u32_be(48)];
            let mut parts = [&body[..0]; 3];
            for (part, length) in parts.iter_mut().zip(lengths) {
                *part = take(at, length.into())?;
                at += part.len();
            }
            Descriptor::Hash {
                partition: text(parts[0]),
                image_bytes: body.u64_be(0),
                algorithm: body.text(8, 32),
                salt: hex::encode(parts[1]),
                digest: hex::encode(parts[2]),
            }
        }
        3 => Descriptor::CommandLine {
            flags: body.u32_be(0),
            text: text(take(8, body.u32_be(4).into())?),
        },
        4 => {
            let (name, key) = (body.u32_be(4), body.u32_be(8));
            let name = take(76, name.into())?;
            let key = take(76 + name.len(), key.into())?;
            Descriptor::Chain {
                partition: text(name),
                rollback_location: body.u32_be(0),
                key_sha256: hex::encode(digest(&SHA256, key).as_ref()),
            }
        }
        number => Descriptor::Unknown { number },
    })
}

/// Whether digest and signature hold over head and descriptors.
fn check_signature(
    head: &[u8],
    signature: &[u8],
    told: &[u8],
    key: Option<&[u8]>,
    metadata: &mut Verification,
    findings: &mut Findings,
) {
    let Some(Rsa {
        key_bits: bits,
        sha_bits: sha,
    }) = rsa(metadata.algorithm_number)
    else {
        return;
    };
    let message = [head, told].concat();
    let (algorithm, parameters): (_, &RsaParameters) = if sha == 256 {
        (&SHA256, &RSA_PKCS1_2048_8192_SHA256)
    } else {
        (&SHA512, &RSA_PKCS1_2048_8192_SHA512)
    };
    let said = within(signature, head.u64_be(32), head.u64_be(40));
    let digest_holds = said == Some(digest(algorithm, &message).as_ref());
    let signed = within(signature, head.u64_be(48), head.u64_be(56));
    // The key: its bits, a number for Montgomery's arithmetic, the modulus, another number.
    let modulus = key
        .filter(|key| key.u32_be(0) == bits)
        .and_then(|key| key.get(8..8 + bits as usize / 8));
    let signature_holds = match (modulus, signed) {
        (Some(n), Some(signed)) => RsaPublicKeyComponents { n, e: &EXPONENT }
            .verify(parameters, &message, signed)
            .is_ok(),
        _ => false,
    };
    metadata.signature_holds = Some(digest_holds && signature_holds);
    if !(digest_holds && signature_holds) {
        let says = if digest_holds {
            "the signature does not hold: it was not made with this key over these bytes"
        } else {
            "digest and signature do not hold: the metadata was changed after it was signed"
        };
        findings.matters(Trouble::SignatureWrong, Some(HEADER_BYTES), says.into());
    }
}

/// The exponent of all such keys, 65537.
const EXPONENT: [u8; 3] = [1, 0, 1];

/// Checks what the metadata in an image's footer says of that image.
pub(crate) fn check_image(
    view: View<'_>,
    metadata: &Verification,
    budget: &Budget,
    findings: &mut Findings,
) {
    // A footer vouches for the image that it stands in; others are named by their partition.
    let own = metadata
        .descriptors
        .iter()
        .find(|one| matches!(one, Descriptor::Hash { .. } | Descriptor::Tree { .. }));
    match own {
        Some(Descriptor::Hash {
            image_bytes,
            algorithm,
            salt,
            digest,
            partition,
        }) => {
            let Some(image) = view.part(0, *image_bytes) else {
                findings.cut_short(
                    &format!("the image of `{partition}`"),
                    *image_bytes,
                    view.length(),
                );
                return;
            };
            let Some(kind) = known_digest(algorithm, findings) else {
                return;
            };
            if !budget.expand(*image_bytes) {
                not_hashed(*image_bytes, findings);
                return;
            }
            let mut hash = Context::new(kind);
            hash.update(&hex::decode(salt).unwrap_or_default());
            let read = image.pieces(|piece| {
                hash.update(piece);
                true
            });
            if read.is_err() {
                findings.medium(None);
            } else if hex::encode(hash.finish().as_ref()) != *digest {
                findings.matters(
                    Trouble::DigestDiffers,
                    Some(0),
                    format!("the image of `{partition}` does not match the digest that its metadata gives: it was changed"),
                );
            }
        }
        Some(Descriptor::Tree { .. }) => check_tree(view, own, budget, findings),
        _ => {}
    }
}

fn known_digest(name: &str, findings: &mut Findings) -> Option<&'static ring::digest::Algorithm> {
    match name {
        "sha256" => Some(&SHA256),
        "sha512" => Some(&SHA512),
        other => {
            findings.note(
                Trouble::NotLookedAt,
                None,
                format!("digests of kind `{other}` are not checked here"),
            );
            None
        }
    }
}

fn not_hashed(bytes: u64, findings: &mut Findings) {
    findings.note(
        Trouble::NotLookedAt,
        None,
        format!("{bytes} bytes were not hashed: more than one look may read"),
    );
}

/// Checks an image against its tree of digests, from the lowest level to the root.
fn check_tree(view: View<'_>, tree: Option<&Descriptor>, budget: &Budget, findings: &mut Findings) {
    let Some(Descriptor::Tree {
        partition,
        image_bytes,
        tree_at,
        tree_bytes,
        block_bytes,
        algorithm,
        salt,
        root_digest,
        ..
    }) = tree
    else {
        return;
    };
    let block = u64::from(*block_bytes);
    let (Some(image), Some(levels)) =
        (view.part(0, *image_bytes), view.part(*tree_at, *tree_bytes))
    else {
        findings.matters(
            Trouble::ImpossibleSize,
            None,
            format!("impossible: the tree of `{partition}` or what it covers lies past the end"),
        );
        return;
    };
    let Some(kind) = known_digest(algorithm, findings) else {
        return;
    };
    if !block.is_power_of_two() || !(512..=64 << 10).contains(&block) || image_bytes % block != 0 {
        findings.matters(
            Trouble::ImpossibleSize,
            None,
            format!("impossible: a tree over {image_bytes} bytes in blocks of {block}"),
        );
        return;
    }
    if !budget.expand(image_bytes.saturating_add(*tree_bytes)) {
        not_hashed(*image_bytes, findings);
        return;
    }
    // Levels lie from the top down; each is as long as the digests of the one below.
    let per_digest = kind.output_len().next_power_of_two() as u64;
    let mut lengths = Vec::new();
    let mut below = *image_bytes;
    while below > block {
        below = (below / block * per_digest).next_multiple_of(block);
        lengths.push(below);
    }
    let told: u64 = lengths.iter().sum();
    if told != *tree_bytes {
        findings.matters(
            Trouble::ImpossibleSize,
            Some(*tree_at),
            format!("impossible: a tree over {image_bytes} bytes has {told}, not {tree_bytes}"),
        );
        return;
    }
    let salt = hex::decode(salt).unwrap_or_default();
    let mut covered = image;
    let mut end = *tree_bytes;
    for length in lengths {
        end -= length;
        let level = levels.part_or_less(end, length);
        match first_difference(covered, level, block, per_digest, kind, &salt) {
            Ok(None) => {}
            Ok(Some(index)) => {
                let what = if covered.length() == image.length() {
                    "block"
                } else {
                    "block of the tree"
                };
                findings.matters(
                    Trouble::DigestDiffers,
                    Some(index * block),
                    format!("{what} {index} of `{partition}` does not match its digest in the tree: it was changed"),
                );
                return;
            }
            Err(_) => {
                findings.medium(None);
                return;
            }
        }
        covered = level;
    }
    let top = covered.head(usize::try_from(block).unwrap_or(0));
    let mut hash = Context::new(kind);
    hash.update(&salt);
    hash.update(&top);
    if hex::encode(hash.finish().as_ref()) != *root_digest {
        findings.matters(
            Trouble::DigestDiffers,
            Some(*tree_at),
            format!("the tree of `{partition}` does not match the root digest that was signed: it was changed"),
        );
    }
}

/// The first block of `covered` whose digest is not the one in `level`.
fn first_difference(
    covered: View<'_>,
    level: View<'_>,
    block: u64,
    per_digest: u64,
    kind: &'static ring::digest::Algorithm,
    salt: &[u8],
) -> Result<Option<u64>, Short> {
    let size = usize::try_from(block).unwrap_or(0);
    for index in 0..covered.length() / block {
        let bytes = covered.bytes(index * block, size)?;
        let said = level.bytes(index * per_digest, kind.output_len())?;
        let mut hash = Context::new(kind);
        hash.update(salt);
        hash.update(&bytes);
        if hash.finish().as_ref() != said {
            return Ok(Some(index));
        }
    }
    Ok(None)
}
