//! Where bytes come from: a file, a buffer, a part of either, or pieces laid behind each other.
//!
//! Nothing is copied to make a part of something: a file system in a logical volume in a sparse
//! image is read from where its bytes lie.

use std::cell::Cell;
use std::io::{self, Read};

/// Bytes that can be read from any place. The length is fixed while somebody looks.
pub trait Bytes {
    /// Length in bytes.
    fn length(&self) -> u64;

    /// Fills `into` from byte `at` on. The range lies within [`Bytes::length`].
    ///
    /// # Errors
    /// What the medium says.
    fn read_exact_at(&self, at: u64, into: &mut [u8]) -> io::Result<()>;
}

impl<T: AsRef<[u8]>> Bytes for T {
    fn length(&self) -> u64 {
        self.as_ref().len() as u64
    }

    fn read_exact_at(&self, at: u64, into: &mut [u8]) -> io::Result<()> {
        let from = usize::try_from(at).map_err(|_| io::ErrorKind::UnexpectedEof)?;
        let part = from
            .checked_add(into.len())
            .and_then(|to| self.as_ref().get(from..to))
            .ok_or(io::ErrorKind::UnexpectedEof)?;
        into.copy_from_slice(part);
        Ok(())
    }
}

/// What is left of what one look may cost, over all nesting.
#[derive(Debug)]
pub(crate) struct Budget {
    expanded: Cell<u64>,
    held: Cell<u64>,
    looks: Cell<u32>,
}

impl Budget {
    pub(crate) fn new(limits: super::Limits) -> Self {
        Self {
            expanded: Cell::new(limits.expanded_bytes),
            held: Cell::new(limits.held_bytes),
            looks: Cell::new(limits.looks),
        }
    }

    fn take(from: &Cell<u64>, bytes: u64) -> bool {
        let left = from.get().checked_sub(bytes);
        from.set(left.unwrap_or(0));
        left.is_some()
    }

    /// Takes what was expanded or hashed; `false` where nothing is left.
    pub(crate) fn expand(&self, bytes: u64) -> bool {
        Self::take(&self.expanded, bytes)
    }

    /// Takes what is kept in memory until the look ends.
    pub(crate) fn hold(&self, bytes: u64) -> bool {
        Self::take(&self.held, bytes)
    }

    /// Bytes that may still be held.
    pub(crate) fn left_to_hold(&self) -> u64 {
        self.held.get()
    }

    /// Gives back what is held no more.
    pub(crate) fn release(&self, bytes: u64) {
        self.held.set(self.held.get().saturating_add(bytes));
    }

    /// One more thing looked into.
    pub(crate) fn one_more(&self) -> bool {
        let left = self.looks.get().checked_sub(1);
        self.looks.set(left.unwrap_or(0));
        left.is_some()
    }
}

/// Why bytes could not be had.
#[derive(Debug)]
pub(crate) enum Short {
    /// The range reaches past the end, by the length that there is.
    PastEnd,
    /// The medium can't be read.
    Medium,
}

/// A part of something, from `start`, `length` bytes long; within its source by construction.
#[derive(Clone, Copy)]
pub(crate) struct View<'a> {
    source: &'a dyn Bytes,
    start: u64,
    length: u64,
}

impl<'a> View<'a> {
    pub(crate) fn whole(source: &'a dyn Bytes) -> Self {
        Self {
            source,
            start: 0,
            length: source.length(),
        }
    }

    pub(crate) fn length(&self) -> u64 {
        self.length
    }

    /// The part from `at`, `length` bytes long; nothing where it reaches past the end.
    pub(crate) fn part(&self, at: u64, length: u64) -> Option<Self> {
        at.checked_add(length)
            .filter(|end| *end <= self.length)
            .map(|_| Self {
                source: self.source,
                start: self.start + at,
                length,
            })
    }

    /// As much of the part as there is.
    pub(crate) fn part_or_less(&self, at: u64, length: u64) -> Self {
        let at = at.min(self.length);
        Self {
            source: self.source,
            start: self.start + at,
            length: length.min(self.length - at),
        }
    }

    /// All from `at` on.
    pub(crate) fn from(&self, at: u64) -> Self {
        self.part_or_less(at, u64::MAX)
    }

    /// `N` bytes at `at`.
    pub(crate) fn array<const N: usize>(&self, at: u64) -> Result<[u8; N], Short> {
        let part = self.part(at, N as u64).ok_or(Short::PastEnd)?;
        let mut bytes = [0; N];
        part.source
            .read_exact_at(part.start, &mut bytes)
            .map_err(|_| Short::Medium)?;
        Ok(bytes)
    }

    /// `length` bytes at `at`; the length was checked by whoever asks, and is never a claim.
    pub(crate) fn bytes(&self, at: u64, length: usize) -> Result<Vec<u8>, Short> {
        let part = self.part(at, length as u64).ok_or(Short::PastEnd)?;
        let mut bytes = vec![0; length];
        part.source
            .read_exact_at(part.start, &mut bytes)
            .map_err(|_| Short::Medium)?;
        Ok(bytes)
    }

    /// At most `most` bytes from the start.
    pub(crate) fn head(&self, most: usize) -> Vec<u8> {
        let length = usize::try_from(self.length).unwrap_or(usize::MAX).min(most);
        self.bytes(0, length).unwrap_or_default()
    }

    /// A reader from the start.
    pub(crate) fn reader(&self) -> ViewReader<'a> {
        ViewReader { view: *self, at: 0 }
    }

    /// Calls `each` with all bytes, piece by piece, until it says stop.
    pub(crate) fn pieces(&self, mut each: impl FnMut(&[u8]) -> bool) -> io::Result<()> {
        let mut reader = self.reader();
        let mut piece = vec![0; PIECE_BYTES];
        loop {
            match reader.read(&mut piece)? {
                0 => return Ok(()),
                read if each(&piece[..read]) => {}
                _ => return Ok(()),
            }
        }
    }
}

impl std::fmt::Debug for View<'_> {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "View({} + {})", self.start, self.length)
    }
}

const PIECE_BYTES: usize = 128 << 10;

/// Reads a view from its start to its end, and seeks in it.
#[derive(Debug)]
pub(crate) struct ViewReader<'a> {
    view: View<'a>,
    at: u64,
}

impl Read for ViewReader<'_> {
    fn read(&mut self, into: &mut [u8]) -> io::Result<usize> {
        let left = usize::try_from(self.view.length.saturating_sub(self.at)).unwrap_or(usize::MAX);
        let wanted = into.len().min(left);
        self.view
            .source
            .read_exact_at(self.view.start + self.at, &mut into[..wanted])?;
        self.at += wanted as u64;
        Ok(wanted)
    }
}

impl io::Seek for ViewReader<'_> {
    fn seek(&mut self, to: io::SeekFrom) -> io::Result<u64> {
        let target = match to {
            io::SeekFrom::Start(at) => Some(at),
            io::SeekFrom::Current(by) => self.at.checked_add_signed(by),
            io::SeekFrom::End(by) => self.view.length.checked_add_signed(by),
        };
        self.at = target.ok_or(io::ErrorKind::InvalidInput)?;
        Ok(self.at.min(self.view.length))
    }
}

/// One piece of a [`Laid`] image.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Piece {
    /// Bytes of the source from here on.
    At(u64),
    /// Four bytes, again and again.
    Fill([u8; 4]),
    /// Not said: whatever lies there. Read as zeros, and never told as such.
    NotSaid,
}

/// Pieces laid behind each other: what a sparse image or a logical volume expands to.
#[derive(Debug)]
pub(crate) struct Laid<'a> {
    source: View<'a>,
    /// First byte, then what is there; in order and without gaps.
    pieces: Vec<(u64, Piece)>,
    length: u64,
}

impl<'a> Laid<'a> {
    pub(crate) fn new(source: View<'a>) -> Self {
        Self {
            source,
            pieces: Vec::new(),
            length: 0,
        }
    }

    /// Lays `length` bytes behind what is there; `false` where they don't fit 64 bits.
    pub(crate) fn push(&mut self, length: u64, piece: Piece) -> bool {
        let Some(end) = self.length.checked_add(length) else {
            return false;
        };
        if length > 0 {
            self.pieces.push((self.length, piece));
            self.length = end;
        }
        true
    }

    /// Whether each byte is said.
    pub(crate) fn says_all(&self) -> bool {
        self.not_said() == 0
    }

    /// Bytes of which nothing is said.
    pub(crate) fn not_said(&self) -> u64 {
        let ends = self.pieces.iter().skip(1).map(|(first, _)| *first);
        self.pieces
            .iter()
            .zip(ends.chain([self.length]))
            .filter(|((_, piece), _)| *piece == Piece::NotSaid)
            .map(|((first, _), end)| end - first)
            .sum()
    }
}

impl Bytes for Laid<'_> {
    fn length(&self) -> u64 {
        self.length
    }

    fn read_exact_at(&self, at: u64, into: &mut [u8]) -> io::Result<()> {
        let mut at = at;
        let mut into = into;
        while !into.is_empty() {
            let index = self.pieces.partition_point(|(first, _)| *first <= at);
            let (first, piece) = *index
                .checked_sub(1)
                .and_then(|index| self.pieces.get(index))
                .ok_or(io::ErrorKind::UnexpectedEof)?;
            let end = self
                .pieces
                .get(index)
                .map_or(self.length, |(next, _)| *next);
            let left = usize::try_from(end.saturating_sub(at)).unwrap_or(usize::MAX);
            if left == 0 {
                return Err(io::ErrorKind::UnexpectedEof.into());
            }
            let (now, rest) = into.split_at_mut(left.min(into.len()));
            match piece {
                Piece::At(from) => {
                    let from = from
                        .checked_add(at - first)
                        .and_then(|from| self.source.part(from, now.len() as u64))
                        .ok_or(io::ErrorKind::UnexpectedEof)?;
                    from.source.read_exact_at(from.start, now)?;
                }
                Piece::Fill(pattern) => {
                    for (byte, at) in now.iter_mut().zip(at..) {
                        *byte = pattern[usize::try_from((at - first) % 4).unwrap_or(0)];
                    }
                }
                Piece::NotSaid => now.fill(0),
            }
            at += now.len() as u64;
            into = rest;
        }
        Ok(())
    }
}

/// Little-endian numbers at places of a piece of bytes; 0 past its end, so lengths come first.
pub(crate) trait Numbers {
    fn u16_le(&self, at: usize) -> u16;
    fn u32_le(&self, at: usize) -> u32;
    fn u64_le(&self, at: usize) -> u64;
    fn u32_be(&self, at: usize) -> u32;
    fn u64_be(&self, at: usize) -> u64;
    /// Text up to the first zero, of at most `length` bytes; what is not UTF-8 is replaced.
    fn text(&self, at: usize, length: usize) -> String;
}

fn fixed<const N: usize>(bytes: &[u8], at: usize) -> [u8; N] {
    at.checked_add(N)
        .and_then(|end| bytes.get(at..end))
        .and_then(|part| part.try_into().ok())
        .unwrap_or([0; N])
}

impl Numbers for [u8] {
    fn u16_le(&self, at: usize) -> u16 {
        u16::from_le_bytes(fixed(self, at))
    }

    fn u32_le(&self, at: usize) -> u32 {
        u32::from_le_bytes(fixed(self, at))
    }

    fn u64_le(&self, at: usize) -> u64 {
        u64::from_le_bytes(fixed(self, at))
    }

    fn u32_be(&self, at: usize) -> u32 {
        u32::from_be_bytes(fixed(self, at))
    }

    fn u64_be(&self, at: usize) -> u64 {
        u64::from_be_bytes(fixed(self, at))
    }

    fn text(&self, at: usize, length: usize) -> String {
        let end = at.saturating_add(length).min(self.len());
        let part = self.get(at..end).unwrap_or_default();
        let part = part.split(|byte| *byte == 0).next().unwrap_or_default();
        String::from_utf8_lossy(part).into_owned()
    }
}
