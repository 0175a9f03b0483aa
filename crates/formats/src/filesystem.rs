//! How large a file system says that it is: an image that is shorter is not a whole one (`B5`).

/// A file system that was recognised.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Declared {
    /// Its kind, for a person.
    pub kind: &'static str,
    /// Bytes that it declares.
    pub bytes: u64,
}

/// Bytes from the start of an image that [`declared`] looks at.
pub const HEAD_BYTES: usize = 2048;

/// What the file system at the start of `head` declares; nothing where none is recognised.
#[must_use]
pub fn declared(head: &[u8]) -> Option<Declared> {
    fat(head).or_else(|| ext(head))
}

fn u16_at(bytes: &[u8], at: usize) -> Option<u64> {
    Some(u16::from_le_bytes(bytes.get(at..at + 2)?.try_into().ok()?).into())
}

fn u32_at(bytes: &[u8], at: usize) -> Option<u64> {
    Some(u32::from_le_bytes(bytes.get(at..at + 4)?.try_into().ok()?).into())
}

fn fat(head: &[u8]) -> Option<Declared> {
    let sector = u16_at(head, 11)?;
    let is_fat = u16_at(head, 510)? == 0xAA55
        && matches!(sector, 512 | 1024 | 2048 | 4096)
        && matches!(head.first()?, 0xEB | 0xE9)
        && head.get(16).is_some_and(|copies| matches!(copies, 1 | 2));
    if !is_fat {
        return None;
    }
    let sectors = match u16_at(head, 19)? {
        0 => u32_at(head, 32)?,
        small => small,
    };
    Some(Declared {
        kind: "FAT",
        bytes: sectors * sector,
    })
}

fn ext(head: &[u8]) -> Option<Declared> {
    // The superblock begins at byte 1024; its magic is at 56 in it.
    if u16_at(head, 1024 + 56)? != 0xEF53 {
        return None;
    }
    let blocks = u32_at(head, 1024 + 4)?;
    let shift = u32::try_from(u32_at(head, 1024 + 24)?).ok()?;
    Some(Declared {
        kind: "ext",
        bytes: blocks.checked_mul(1024u64.checked_shl(shift)?)?,
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn sizes_are_read_from_both_kinds_and_noise_declares_nothing() {
        let mut fat = vec![0; HEAD_BYTES];
        fat[0] = 0xEB;
        fat[11..13].copy_from_slice(&512u16.to_le_bytes());
        fat[16] = 2;
        fat[19..21].copy_from_slice(&8192u16.to_le_bytes());
        fat[510..512].copy_from_slice(&[0x55, 0xAA]);
        assert_eq!(declared(&fat).unwrap().bytes, 4 << 20);
        let mut ext = vec![0; HEAD_BYTES];
        ext[1028..1032].copy_from_slice(&2048u32.to_le_bytes());
        ext[1048..1052].copy_from_slice(&2u32.to_le_bytes());
        ext[1080..1082].copy_from_slice(&0xEF53u16.to_le_bytes());
        assert_eq!(declared(&ext).unwrap().bytes, 8 << 20);
        assert_eq!(declared(&[0xA5; HEAD_BYTES]), None);
        assert_eq!(declared(&[]), None);
    }
}
