//! Files that are made here: a tar of members, a sparse image, verification metadata that checks nothing.

use std::io::{self, Read, Write};

use crate::look::{Bytes, Limits, What, look};

/// Bytes of metadata's head.
const HEADER_BYTES: usize = 256;
/// Where its switches lie.
const FLAGS_AT: usize = 120;
/// Both of its switches: trees are not checked, and nothing is verified.
const BOTH_OFF: u32 = 3;
/// What images of it are filled up to.
const PAGE_BYTES: usize = 4096;
const MAGIC: [u8; 4] = [0x41, 0x56, 0x42, 0x30];

/// Whether both switches of metadata are set, so that nothing is checked by it.
#[must_use]
pub fn is_off(flags: u32) -> bool {
    flags & BOTH_OFF == BOTH_OFF
}

/// The metadata `stock` with both switches set and nothing else changed. Its signature does not hold then:
/// it serves an unlocked device, and no other.
///
/// # Errors
/// In a sentence without a full stop: these bytes are no metadata, or can't be relied on.
pub fn switched_off(stock: &[u8]) -> Result<Vec<u8>, String> {
    let looked = look(&stock, "", Limits::default());
    match &looked.what {
        What::Verification(_) => {}
        other => {
            return Err(format!(
                "this is no verification metadata, it is {}",
                other.name()
            ));
        }
    }
    let mut bytes = stock.to_vec();
    let Some(flags) = bytes.get_mut(FLAGS_AT..FLAGS_AT + 4) else {
        return Err("the metadata is cut short".to_owned());
    };
    flags.copy_from_slice(&BOTH_OFF.to_be_bytes());
    Ok(bytes)
}

/// Metadata that describes nothing, with both switches set.
#[must_use]
pub fn empty_switched_off() -> Vec<u8> {
    let mut bytes = vec![0; HEADER_BYTES];
    bytes[..4].copy_from_slice(&MAGIC);
    bytes[4..8].copy_from_slice(&1_u32.to_be_bytes());
    bytes[FLAGS_AT..FLAGS_AT + 4].copy_from_slice(&BOTH_OFF.to_be_bytes());
    bytes.resize(PAGE_BYTES, 0);
    bytes
}

/// One member of a tar that is made.
pub struct NewMember<'a> {
    /// Its name there.
    pub name: &'a str,
    /// What it holds.
    pub bytes: &'a dyn Bytes,
}

/// Writes a tar of `members` in their order; the same members give the same bytes.
///
/// # Errors
/// When bytes can't be read or written, or a name is too long for a tar.
pub fn tar_of(members: &[NewMember<'_>], into: &mut dyn Write) -> io::Result<()> {
    let mut tar = tar::Builder::new(into);
    for member in members {
        let mut head = tar::Header::new_ustar();
        head.set_path(member.name)?;
        head.set_size(member.bytes.length());
        head.set_mode(0o644);
        head.set_mtime(0);
        head.set_entry_type(tar::EntryType::Regular);
        head.set_cksum();
        let reader = Reader {
            bytes: member.bytes,
            at: 0,
        };
        tar.append(&head, reader)?;
    }
    tar.finish()
}

/// Bytes of a block of a sparse image that is made.
const BLOCK_BYTES: u64 = 4096;

/// Writes `bytes`, filled up with zeros to `length`, as a sparse image: blocks of zeros are named and take no
/// room. `length` is rounded up to whole blocks.
///
/// # Errors
/// When bytes can't be read or written, or there are more than an image of this form can have.
pub fn sparse_of(bytes: &dyn Bytes, length: u64, into: &mut dyn Write) -> io::Result<()> {
    let length = length.max(bytes.length());
    let blocks = length.div_ceil(BLOCK_BYTES);
    let too_long = || io::Error::other("it is too long for a sparse image");
    let count = |blocks: u64| u32::try_from(blocks).map_err(|_| too_long());
    let block = |index: u64| -> io::Result<Vec<u8>> {
        let at = index * BLOCK_BYTES;
        let have = bytes.length().saturating_sub(at).min(BLOCK_BYTES);
        let mut block = vec![0; BLOCK_BYTES as usize];
        if have > 0 {
            let have = usize::try_from(have).unwrap_or(0);
            bytes.read_exact_at(at, &mut block[..have])?;
        }
        Ok(block)
    };
    // Runs of blocks: where each begins, and whether it is all zeros.
    let mut runs: Vec<(u64, bool)> = Vec::new();
    for index in 0..blocks {
        let is_zero =
            index * BLOCK_BYTES >= bytes.length() || block(index)?.iter().all(|byte| *byte == 0);
        if runs.last().is_none_or(|(_, last)| *last != is_zero) {
            runs.push((index, is_zero));
        }
    }
    let mut head = Vec::new();
    head.extend_from_slice(&0xED26_FF3A_u32.to_le_bytes());
    for half in [1_u16, 0, 28, 12] {
        head.extend_from_slice(&half.to_le_bytes());
    }
    for word in [
        count(BLOCK_BYTES)?,
        count(blocks)?,
        count(runs.len() as u64)?,
        0,
    ] {
        head.extend_from_slice(&word.to_le_bytes());
    }
    into.write_all(&head)?;
    for (at, (first, is_zero)) in runs.iter().enumerate() {
        let next = runs.get(at + 1).map_or(blocks, |(next, _)| *next);
        let bytes_of = if *is_zero {
            4
        } else {
            (next - first) * BLOCK_BYTES
        };
        let kind: u16 = if *is_zero { 0xCAC2 } else { 0xCAC1 };
        into.write_all(&kind.to_le_bytes())?;
        into.write_all(&[0; 2])?;
        into.write_all(&count(next - first)?.to_le_bytes())?;
        into.write_all(&count(12 + bytes_of)?.to_le_bytes())?;
        if *is_zero {
            into.write_all(&[0; 4])?;
            continue;
        }
        for index in *first..next {
            into.write_all(&block(index)?)?;
        }
    }
    Ok(())
}

/// Reads bytes from their start to their end.
struct Reader<'a> {
    bytes: &'a dyn Bytes,
    at: u64,
}

impl Read for Reader<'_> {
    fn read(&mut self, into: &mut [u8]) -> io::Result<usize> {
        let left = self.bytes.length().saturating_sub(self.at);
        let wanted = into.len().min(usize::try_from(left).unwrap_or(usize::MAX));
        self.bytes.read_exact_at(self.at, &mut into[..wanted])?;
        self.at += wanted as u64;
        Ok(wanted)
    }
}

#[cfg(test)]
mod tests {
    use std::io::Cursor;

    use super::*;
    use crate::look::{Part, take};
    use crate::startimage::build_start_image;

    #[test]
    fn what_is_wrapped_is_seen_and_taken_out_again() {
        let image = build_start_image("kelpie", "recovery", "3.2.0", &[7; 5000]);
        let empty = empty_switched_off();
        let members = [
            NewMember {
                name: "recovery.img",
                bytes: &image,
            },
            NewMember {
                name: "vbmeta.img",
                bytes: &empty,
            },
        ];
        let mut bytes = Vec::new();
        tar_of(&members, &mut bytes).unwrap();
        let looked = look(&bytes, "", Limits::default());
        assert_eq!(looked.findings, []);
        let names: Vec<&str> = looked.inside.iter().map(|one| one.name.as_str()).collect();
        assert_eq!(names, ["recovery.img", "vbmeta.img"]);
        let mut out = Cursor::new(Vec::new());
        take(&bytes, Part::Member("recovery.img"), 1 << 20, &mut out).unwrap();
        assert_eq!(out.into_inner(), image);
    }

    #[test]
    fn a_sparse_image_expands_to_what_it_was_made_of_and_zeros_behind() {
        let mut bytes = vec![0_u8; 40_000];
        bytes[..5000].fill(7);
        bytes[20_000] = 1;
        let mut sparse = Vec::new();
        sparse_of(&bytes, 100_000, &mut sparse).unwrap();
        assert!(sparse.len() < 20_000);
        assert_eq!(look(&sparse, "", Limits::default()).findings, []);
        let mut out = Cursor::new(Vec::new());
        take(&sparse, Part::Expanded, 1 << 20, &mut out).unwrap();
        bytes.resize(102_400, 0);
        assert_eq!(out.into_inner(), bytes);
    }

    #[test]
    fn switched_off_differs_from_stock_in_its_switches_and_nothing_else() {
        let mut stock = empty_switched_off();
        stock[FLAGS_AT + 3] = 0;
        let off = switched_off(&stock).unwrap();
        let differ: Vec<usize> = (0..off.len()).filter(|at| off[*at] != stock[*at]).collect();
        assert_eq!(differ, [FLAGS_AT + 3]);
        let What::Verification(seen) = look(&off, "", Limits::default()).what else {
            panic!("no metadata")
        };
        assert!(is_off(seen.flags));
        assert!(switched_off(b"text").is_err());
    }
}
