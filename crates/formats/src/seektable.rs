//! Objects: a sequence of independent zstd frames with a seek table behind them.
//!
//! The table is a skippable frame, so that any zstd program decodes the whole file and skips it:
//! magic `0x184D2A5E` · u32 LE length of what follows · one entry a frame, each u32 LE compressed
//! and u32 LE decompressed length · footer: u32 LE number of frames · one zero byte · magic
//! `0x8F92EAB1`. This is the seekable layout in common use around zstd.
//!
//! Between frames and table lies a second skippable frame with a digest of each frame as it is
//! stored: magic `0x184D2A5D` · u32 LE length of what follows · 32 bytes of BLAKE3 each. A digest of
//! the image alone would not notice every changed bit, since a compressed form may say the same
//! bytes in two ways. Files without it are older ones.
//!
//! Where the frames are only those in which an image differs from another one, a third skippable frame lies
//! before the digests: magic `0x184D2A5C` · u32 LE length of what follows · 32 bytes, BLAKE3 of the other
//! image · u64 LE length of both in bytes · u32 LE number of each frame here.

use veritope_wire::Digest;

/// Magic number of the skippable frame.
const SKIPPABLE: u32 = 0x184D_2A5E;
/// Magic number of the skippable frame that names the image in which the other frames are.
const REST: u32 = 0x184D_2A5C;
/// Magic number of the skippable frame with the digests.
const DIGESTS: u32 = 0x184D_2A5D;
/// Magic number at the very end.
const SEEKABLE: u32 = 0x8F92_EAB1;
/// Bytes of the footer.
pub const FOOTER_BYTES: u64 = 9;
/// Bytes before the entries.
const HEAD_BYTES: u64 = 8;
const ENTRY_BYTES: u64 = 8;
const DIGEST_BYTES: u64 = 32;

/// Where one frame lies in the file and in the image.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct FramePlace {
    /// First byte in the file.
    pub stored_offset: u64,
    /// Bytes in the file.
    pub stored_bytes: u32,
    /// Bytes of the image.
    pub bytes: u32,
}

/// Why the end of a file is not a seek table.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum NotASeekTable {
    /// The file is too short or ends otherwise.
    #[error("the file does not end in a seek table")]
    Magic,
    /// Number of frames and length of the table disagree.
    #[error("the seek table is damaged: {0}")]
    Damaged(&'static str),
}

/// Bytes that the table for `frames` frames takes.
#[must_use]
pub fn table_bytes(frames: u64) -> u64 {
    HEAD_BYTES + frames * ENTRY_BYTES + FOOTER_BYTES
}

/// The table for frames of these stored and decoded lengths.
#[must_use]
pub fn build_seek_table(frames: &[(u32, u32)]) -> Vec<u8> {
    let count = u32::try_from(frames.len()).unwrap_or(u32::MAX);
    let payload = u64::from(count) * ENTRY_BYTES + FOOTER_BYTES;
    let mut table = Vec::new();
    table.extend(SKIPPABLE.to_le_bytes());
    table.extend(u32::try_from(payload).unwrap_or(u32::MAX).to_le_bytes());
    for (stored, decoded) in frames {
        table.extend(stored.to_le_bytes());
        table.extend(decoded.to_le_bytes());
    }
    table.extend(count.to_le_bytes());
    table.push(0);
    table.extend(SEEKABLE.to_le_bytes());
    table
}

/// How many frames the footer announces. `footer` is the file's last [`FOOTER_BYTES`].
///
/// # Errors
/// When it is another kind of file.
pub fn read_footer(footer: &[u8]) -> Result<u64, NotASeekTable> {
    let word = |at: usize| {
        let bytes = footer.get(at..at + 4)?;
        Some(u32::from_le_bytes(bytes.try_into().ok()?))
    };
    if footer.len() as u64 != FOOTER_BYTES || word(5) != Some(SEEKABLE) {
        return Err(NotASeekTable::Magic);
    }
    if footer[4] != 0 {
        return Err(NotASeekTable::Damaged(
            "it has fields that objects don't have",
        ));
    }
    word(0).map(u64::from).ok_or(NotASeekTable::Magic)
}

/// Where the frames are that an object does not hold itself.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct RestIn {
    /// Digest of the image in which they are.
    pub image: Digest,
    /// Length of both images in bytes.
    pub length_bytes: u64,
    /// Numbers of the frames that the object holds, in order.
    pub own: Vec<u32>,
}

/// Bytes that the skippable frame of a [`RestIn`] with `frames` own frames takes.
#[must_use]
pub fn rest_bytes(frames: u64) -> u64 {
    HEAD_BYTES + DIGEST_BYTES + 8 + frames * 4
}

/// The skippable frame that names the image in which the other frames are.
#[must_use]
pub fn build_rest(rest: &RestIn) -> Vec<u8> {
    let payload = rest_bytes(rest.own.len() as u64) - HEAD_BYTES;
    let mut bytes = Vec::new();
    bytes.extend(REST.to_le_bytes());
    bytes.extend(u32::try_from(payload).unwrap_or(u32::MAX).to_le_bytes());
    bytes.extend(rest.image.bytes());
    bytes.extend(rest.length_bytes.to_le_bytes());
    for index in &rest.own {
        bytes.extend(index.to_le_bytes());
    }
    bytes
}

/// Reads what [`build_rest`] made, for an object of `frames` frames.
///
/// # Errors
/// When it is anything else, or the numbers don't count up.
pub fn read_rest(bytes: &[u8], frames: u64) -> Result<RestIn, NotASeekTable> {
    let damaged = NotASeekTable::Damaged("what names the rest of its frames makes no sense");
    let (head, payload) = bytes.split_at_checked(8).ok_or(damaged.clone())?;
    let is_head = head[..4] == REST.to_le_bytes()
        && head[4..] == u32::try_from(payload.len()).unwrap_or(0).to_le_bytes();
    let (image, after) = payload.split_first_chunk::<32>().ok_or(damaged.clone())?;
    let (length, own) = after.split_first_chunk::<8>().ok_or(damaged.clone())?;
    let own: Vec<u32> = own
        .as_chunks::<4>()
        .0
        .iter()
        .map(|index| u32::from_le_bytes(*index))
        .collect();
    let is_sound = is_head
        && bytes.len() as u64 == rest_bytes(frames)
        && own.windows(2).all(|pair| pair[0] < pair[1]);
    if !is_sound {
        return Err(damaged);
    }
    Ok(RestIn {
        image: Digest::from_bytes(*image),
        length_bytes: u64::from_le_bytes(*length),
        own,
    })
}

/// Bytes that the digests of `frames` frames take.
#[must_use]
pub fn digests_bytes(frames: u64) -> u64 {
    HEAD_BYTES + frames * DIGEST_BYTES
}

/// The skippable frame with the digests of the frames as they are stored.
#[must_use]
pub fn build_digests(frames: &[Digest]) -> Vec<u8> {
    let payload = frames.len() as u64 * DIGEST_BYTES;
    let mut bytes = Vec::new();
    bytes.extend(DIGESTS.to_le_bytes());
    bytes.extend(u32::try_from(payload).unwrap_or(u32::MAX).to_le_bytes());
    for digest in frames {
        bytes.extend(digest.bytes());
    }
    bytes
}

/// Reads what lies between the last of `frames` frames and the seek table: their digests, or
/// nothing in an older file.
///
/// # Errors
/// When it is anything else.
pub fn read_digests(between: &[u8], frames: u64) -> Result<Option<Vec<Digest>>, NotASeekTable> {
    if between.is_empty() {
        return Ok(None);
    }
    if between.len() as u64 != digests_bytes(frames) {
        return Err(NotASeekTable::Damaged("its frames don't fill the file"));
    }
    let (head, digests) = between.split_at(8);
    let mut expected = DIGESTS.to_le_bytes().to_vec();
    expected.extend(
        u32::try_from(digests.len())
            .unwrap_or(u32::MAX)
            .to_le_bytes(),
    );
    if head != expected {
        return Err(NotASeekTable::Damaged(
            "the digests before it don't begin as they should",
        ));
    }
    let digests = digests.as_chunks::<32>().0;
    Ok(Some(
        digests.iter().copied().map(Digest::from_bytes).collect(),
    ))
}

/// Reads a whole table; `table` is the file's last [`table_bytes`], `before` the bytes that lie
/// before it. What its frames leave of them is for [`read_digests`].
///
/// # Errors
/// See [`NotASeekTable`].
pub fn read_seek_table(table: &[u8], before: u64) -> Result<Vec<FramePlace>, NotASeekTable> {
    let at = table.len().checked_sub(9).ok_or(NotASeekTable::Magic)?;
    let count = read_footer(&table[at..])?;
    if table.len() as u64 != table_bytes(count) {
        return Err(NotASeekTable::Damaged(
            "its length and its number of frames differ",
        ));
    }
    let words: Vec<u32> = table
        .chunks_exact(4)
        .map(|word| u32::from_le_bytes([word[0], word[1], word[2], word[3]]))
        .collect();
    if words[0] != SKIPPABLE || u64::from(words[1]) != table.len() as u64 - HEAD_BYTES {
        return Err(NotASeekTable::Damaged(
            "it does not begin as a seek table does",
        ));
    }
    let mut places = Vec::new();
    let mut offset = 0;
    for pair in words[2..]
        .chunks_exact(2)
        .take(usize::try_from(count).unwrap_or(0))
    {
        places.push(FramePlace {
            stored_offset: offset,
            stored_bytes: pair[0],
            bytes: pair[1],
        });
        offset += u64::from(pair[0]);
    }
    if offset <= before {
        Ok(places)
    } else {
        Err(NotASeekTable::Damaged("its frames don't fill the file"))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_table_reads_back_and_each_damage_is_told() {
        let frames = [(100, 4096), (7, 4096), (90, 11)];
        let table = build_seek_table(&frames);
        assert_eq!(table.len() as u64, table_bytes(3));
        let places = read_seek_table(&table, 197).unwrap();
        assert_eq!(places[2].stored_offset, 107);
        assert_eq!((places[2].stored_bytes, places[2].bytes), (90, 11));
        assert!(matches!(
            read_seek_table(&table, 196),
            Err(NotASeekTable::Damaged(_))
        ));
        assert!(matches!(
            read_seek_table(&table[1..], 197),
            Err(NotASeekTable::Damaged(_))
        ));
        assert_eq!(read_seek_table(&[], 0), Err(NotASeekTable::Magic));
        for at in 0..8 {
            let mut damaged = table.clone();
            damaged[at] ^= 0x10;
            assert!(read_seek_table(&damaged, 197).is_err(), "byte {at}");
        }
    }

    #[test]
    fn digests_read_back_an_older_file_has_none_and_anything_else_is_told() {
        let digests = [Digest::of(b"a"), Digest::of(b"b")];
        let bytes = build_digests(&digests);
        assert_eq!(bytes.len() as u64, digests_bytes(2));
        assert_eq!(read_digests(&bytes, 2), Ok(Some(digests.to_vec())));
        assert_eq!(read_digests(&[], 2), Ok(None));
        assert!(read_digests(&bytes, 1).is_err());
        assert!(read_digests(&bytes[1..], 2).is_err());
        for at in 0..8 {
            let mut damaged = bytes.clone();
            damaged[at] ^= 0x10;
            assert!(read_digests(&damaged, 2).is_err(), "byte {at}");
        }
    }
}
