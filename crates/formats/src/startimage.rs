//! An image that a bootloader can start: a header with a descriptor, then the payload.
//!
//! Layout: 8 bytes magic `STARTIMG` · u32 LE version (1) · u32 LE length of the descriptor ·
//! descriptor, UTF-8 lines `key = value` · zeros up to [`HEADER_BYTES`] · payload. The descriptor
//! names `codename`, `kind`, `version`, `payload-bytes` and `payload-blake3`.

use std::collections::BTreeMap;

use veritope_wire::Digest;

/// Length of the header; the payload starts here.
pub const HEADER_BYTES: usize = 4096;
const MAGIC: &[u8; 8] = b"STARTIMG";
const VERSION: u32 = 1;

/// What an image says of itself.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct StartImage {
    /// Codename of the family it was built for.
    pub codename: String,
    /// What it starts, such as `recovery`.
    pub kind: String,
    /// Version of what it starts.
    pub version: String,
    /// Length of the payload in bytes.
    pub payload_bytes: u64,
}

/// Why bytes are not a start image.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum NotAStartImage {
    /// Too short, or another file altogether.
    #[error("this is not a start image: it does not begin with its mark")]
    Magic,
    /// A version from the future.
    #[error("start image version {0} is newer than version 1, which this program reads")]
    Newer(u32),
    /// The descriptor is not readable.
    #[error("the image's descriptor is not readable: {0}")]
    Descriptor(String),
    /// The payload's length is not the one announced.
    #[error("the payload is {found} bytes long, the descriptor says {announced}")]
    Length {
        /// Bytes found after the header.
        found: u64,
        /// Bytes announced.
        announced: u64,
    },
    /// The payload is damaged.
    #[error("the payload does not have the digest that the descriptor gives")]
    Payload,
}

/// Reads and checks an image; `bytes` may carry zeros after the payload, as a partition does.
///
/// # Errors
/// See [`NotAStartImage`].
pub fn read_start_image(bytes: &[u8]) -> Result<StartImage, NotAStartImage> {
    let (image, digest) = header_of(bytes)?;
    let after = &bytes[HEADER_BYTES..];
    let payload = usize::try_from(image.payload_bytes)
        .ok()
        .and_then(|length| after.get(..length))
        .ok_or(NotAStartImage::Length {
            found: after.len() as u64,
            announced: image.payload_bytes,
        })?;
    if Digest::of(payload) != digest {
        return Err(NotAStartImage::Payload);
    }
    Ok(image)
}

/// What the head of an image says of it; the payload is not looked at.
///
/// # Errors
/// See [`NotAStartImage`].
pub fn descriptor_of(head: &[u8]) -> Result<StartImage, NotAStartImage> {
    header_of(head).map(|(image, _)| image)
}

/// The descriptor, and the digest that it gives of the payload.
fn header_of(bytes: &[u8]) -> Result<(StartImage, Digest), NotAStartImage> {
    let header = bytes.get(..HEADER_BYTES).ok_or(NotAStartImage::Magic)?;
    if &header[..8] != MAGIC {
        return Err(NotAStartImage::Magic);
    }
    let number = |at: usize| {
        u32::from_le_bytes([header[at], header[at + 1], header[at + 2], header[at + 3]])
    };
    if number(8) != VERSION {
        return Err(NotAStartImage::Newer(number(8)));
    }
    let length = usize::try_from(number(12)).unwrap_or(usize::MAX);
    let text = header[16..]
        .get(..length)
        .ok_or_else(|| NotAStartImage::Descriptor("longer than the header".into()))?;
    let text = std::str::from_utf8(text)
        .map_err(|_| NotAStartImage::Descriptor("not UTF-8 text".into()))?;
    let fields: BTreeMap<&str, &str> = text
        .lines()
        .filter_map(|line| line.split_once('='))
        .map(|(key, value)| (key.trim(), value.trim()))
        .collect();
    let field = |key: &str| {
        fields
            .get(key)
            .copied()
            .ok_or_else(|| NotAStartImage::Descriptor(format!("`{key}` is missing")))
    };
    let announced: u64 = field("payload-bytes")?
        .parse()
        .map_err(|_| NotAStartImage::Descriptor("`payload-bytes` is not a number".into()))?;
    let digest: Digest = field("payload-blake3")?
        .parse()
        .map_err(|_| NotAStartImage::Descriptor("`payload-blake3` is not a digest".into()))?;
    let image = StartImage {
        codename: field("codename")?.to_owned(),
        kind: field("kind")?.to_owned(),
        version: field("version")?.to_owned(),
        payload_bytes: announced,
    };
    Ok((image, digest))
}

/// Builds an image around `payload`.
#[must_use]
pub fn build_start_image(codename: &str, kind: &str, version: &str, payload: &[u8]) -> Vec<u8> {
    let descriptor = format!(
        "codename = {codename}\nkind = {kind}\nversion = {version}\npayload-bytes = {}\npayload-blake3 = {}\n",
        payload.len(),
        Digest::of(payload)
    );
    let mut bytes = Vec::with_capacity(HEADER_BYTES + payload.len());
    bytes.extend_from_slice(MAGIC);
    bytes.extend_from_slice(&VERSION.to_le_bytes());
    bytes.extend_from_slice(
        &u32::try_from(descriptor.len())
            .unwrap_or(u32::MAX)
            .to_le_bytes(),
    );
    bytes.extend_from_slice(descriptor.as_bytes());
    bytes.resize(HEADER_BYTES, 0);
    bytes.extend_from_slice(payload);
    bytes
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_built_is_read_also_with_a_partitions_slack_behind_it() {
        let mut bytes = build_start_image("gimbal", "recovery", "3.2.0", &[7; 5000]);
        bytes.extend_from_slice(&[0; 900]);
        let image = read_start_image(&bytes).unwrap();
        assert_eq!(
            (image.codename.as_str(), image.payload_bytes),
            ("gimbal", 5000)
        );
    }

    #[test]
    fn each_kind_of_damage_is_named() {
        let sound = build_start_image("gimbal", "recovery", "3.2.0", &[7; 5000]);
        assert_eq!(read_start_image(b"PK\x03\x04"), Err(NotAStartImage::Magic));
        assert_eq!(
            read_start_image(&sound[..6000]),
            Err(NotAStartImage::Length {
                found: 1904,
                announced: 5000
            })
        );
        let mut flipped = sound.clone();
        flipped[HEADER_BYTES + 17] ^= 4;
        assert_eq!(read_start_image(&flipped), Err(NotAStartImage::Payload));
        let mut newer = sound.clone();
        newer[8] = 9;
        assert_eq!(read_start_image(&newer), Err(NotAStartImage::Newer(9)));
        let mut endless = sound;
        endless[12..16].copy_from_slice(&u32::MAX.to_le_bytes());
        assert!(matches!(
            read_start_image(&endless),
            Err(NotAStartImage::Descriptor(_))
        ));
    }
}
