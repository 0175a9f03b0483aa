//! What all targets share: bytes behind the mark of their kind are looked into, at little cost.

use veritope_formats::look::{Limits, look};

/// So little that a run of many looks is a run of many files.
const LIMITS: Limits = Limits {
    expanded_bytes: 4 << 20,
    held_bytes: 1 << 20,
    looks: 128,
    depth: 2,
};

/// Looks into `bytes` with `mark` written at `at`.
pub fn marked(bytes: &[u8], at: usize, mark: &[u8]) {
    let mut bytes = bytes.to_vec();
    bytes.resize(bytes.len().max(at + mark.len()), 0);
    bytes[at..at + mark.len()].copy_from_slice(mark);
    plain(&bytes);
}

/// Looks into `bytes` as they are.
pub fn plain(bytes: &[u8]) {
    let looked = look(&bytes, "file_piece.0", LIMITS);
    assert_eq!(looked.bytes, bytes.len() as u64);
}

/// One target.
#[macro_export]
macro_rules! target {
    ($at:expr, $mark:expr) => {
        libfuzzer_sys::fuzz_target!(|bytes: &[u8]| {
            $crate::marked(bytes, $at, $mark);
        });
    };
}

/// A tar with one member.
pub fn tar_of(name: &str, body: &[u8]) -> Vec<u8> {
    let mut head = vec![0; 512];
    head[..name.len()].copy_from_slice(name.as_bytes());
    head[124..136].copy_from_slice(format!("{:011o}\0", body.len()).as_bytes());
    head[156] = b'0';
    head[257..263].copy_from_slice(b"ustar\0");
    sum_up(&mut head);
    head.extend_from_slice(body);
    head.resize(head.len().next_multiple_of(512) + 1024, 0);
    head
}

/// Makes the checksum of a tar's head hold.
pub fn sum_up(head: &mut [u8]) {
    head[148..156].fill(b' ');
    let sum: u32 = head.iter().map(|byte| u32::from(*byte)).sum();
    head[148..156].copy_from_slice(format!("{sum:06o}\0 ").as_bytes());
}
