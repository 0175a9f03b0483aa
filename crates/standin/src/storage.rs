//! Where a simulated device keeps its bytes: a sparse file, or memory whose copies share what they
//! hold. Both behave alike; a shared test runs on either.

use std::collections::BTreeMap;
use std::fs::{File, OpenOptions};
use std::io::{self, Read, Seek, SeekFrom, Write};
use std::os::unix::fs::FileExt;
use std::path::Path;
use std::sync::Arc;

/// A storage area as raw bytes.
///
/// Contract: a read inside the area fills the whole buffer; a read or write that reaches past the
/// end fails and changes nothing; what was written is read back.
pub trait Storage: Send {
    /// Length in bytes; never changes.
    fn length_bytes(&self) -> u64;

    /// Fills `into` from `at`.
    ///
    /// # Errors
    /// When the range leaves the area, or the medium fails.
    fn read_at(&self, at: u64, into: &mut [u8]) -> io::Result<()>;

    /// Writes all of `bytes` at `at`.
    ///
    /// # Errors
    /// When the range leaves the area, or the medium fails.
    fn write_at(&mut self, at: u64, bytes: &[u8]) -> io::Result<()>;
}

fn inside(length: u64, at: u64, count: usize) -> io::Result<()> {
    match at.checked_add(count as u64) {
        Some(end) if end <= length => Ok(()),
        _ => Err(io::Error::new(
            io::ErrorKind::InvalidInput,
            format!("{count} bytes at {at} leave an area of {length} bytes"),
        )),
    }
}

/// No storage at all: for devices of which only the fact side is simulated.
#[derive(Debug, Clone, Copy)]
pub struct Nothing;

impl Storage for Nothing {
    fn length_bytes(&self) -> u64 {
        0
    }

    fn read_at(&self, at: u64, into: &mut [u8]) -> io::Result<()> {
        inside(0, at, into.len())
    }

    fn write_at(&mut self, at: u64, bytes: &[u8]) -> io::Result<()> {
        inside(0, at, bytes.len())
    }
}

/// Storage in a sparse file.
#[derive(Debug)]
pub struct SparseFile {
    file: File,
    length: u64,
}

impl SparseFile {
    /// Makes a new, all-zero file.
    ///
    /// # Errors
    /// When the file is there already or can't be made.
    pub fn create(path: &Path, length: u64) -> io::Result<Self> {
        let file = OpenOptions::new()
            .read(true)
            .write(true)
            .create_new(true)
            .open(path)?;
        file.set_len(length)?;
        Ok(Self { file, length })
    }

    /// Opens an existing file.
    ///
    /// # Errors
    /// When it can't be opened for reading and writing.
    pub fn open(path: &Path) -> io::Result<Self> {
        let file = OpenOptions::new().read(true).write(true).open(path)?;
        let length = file.metadata()?.len();
        Ok(Self { file, length })
    }
}

impl Storage for SparseFile {
    fn length_bytes(&self) -> u64 {
        self.length
    }

    fn read_at(&self, at: u64, into: &mut [u8]) -> io::Result<()> {
        inside(self.length, at, into.len())?;
        self.file.read_exact_at(into, at)
    }

    fn write_at(&mut self, at: u64, bytes: &[u8]) -> io::Result<()> {
        inside(self.length, at, bytes.len())?;
        self.file.write_all_at(bytes, at)
    }
}

const PAGE: usize = 64 << 10;

/// Storage in memory. A copy shares what both hold and takes a page of its own where one of them
/// writes, so that thousands of devices can come out of one factory.
#[derive(Debug, Clone)]
pub struct Memory {
    length: u64,
    pages: BTreeMap<u64, Arc<[u8]>>,
}

impl Memory {
    /// An area of `length` zero bytes.
    #[must_use]
    pub fn blank(length: u64) -> Self {
        Self {
            length,
            pages: BTreeMap::new(),
        }
    }
}

impl Memory {
    /// Writes every page that was written here to `other`, which is as long.
    ///
    /// # Errors
    /// When `other` can't take them.
    pub(crate) fn copy_to(&self, other: &mut dyn Storage) -> io::Result<()> {
        for (page, bytes) in &self.pages {
            let at = page * PAGE as u64;
            let left = usize::try_from(self.length - at).unwrap_or(PAGE);
            other.write_at(at, &bytes[..left.min(PAGE)])?;
        }
        Ok(())
    }
}

/// The page that holds byte `at`, the place in it, and how many of `left` bytes it can take.
fn page_of(at: u64, left: usize) -> (u64, usize, usize) {
    let offset = (at % PAGE as u64) as usize;
    (at / PAGE as u64, offset, (PAGE - offset).min(left))
}

impl Storage for Memory {
    fn length_bytes(&self) -> u64 {
        self.length
    }

    fn read_at(&self, at: u64, into: &mut [u8]) -> io::Result<()> {
        inside(self.length, at, into.len())?;
        let mut done = 0;
        while done < into.len() {
            let (page, offset, count) = page_of(at + done as u64, into.len() - done);
            let target = &mut into[done..done + count];
            match self.pages.get(&page) {
                Some(bytes) => target.copy_from_slice(&bytes[offset..offset + count]),
                None => target.fill(0),
            }
            done += count;
        }
        Ok(())
    }

    fn write_at(&mut self, at: u64, bytes: &[u8]) -> io::Result<()> {
        inside(self.length, at, bytes.len())?;
        let mut done = 0;
        while done < bytes.len() {
            let (page, offset, count) = page_of(at + done as u64, bytes.len() - done);
            let held = self
                .pages
                .entry(page)
                .or_insert_with(|| Arc::from(vec![0; PAGE]));
            Arc::make_mut(held)[offset..offset + count].copy_from_slice(&bytes[done..done + count]);
            done += count;
        }
        Ok(())
    }
}

/// A window on a storage area that the standard readers and writers understand.
pub struct Window<'a> {
    storage: &'a mut dyn Storage,
    start: u64,
    length: u64,
    at: u64,
}

impl<'a> Window<'a> {
    /// The bytes `start..start + length` of `storage`.
    pub fn new(storage: &'a mut dyn Storage, start: u64, length: u64) -> Self {
        Self {
            storage,
            start,
            length,
            at: 0,
        }
    }

    fn room(&self, wanted: usize) -> usize {
        let left = self.length.saturating_sub(self.at);
        wanted.min(usize::try_from(left).unwrap_or(usize::MAX))
    }
}

impl std::fmt::Debug for Window<'_> {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "window of {} bytes at {}", self.length, self.start)
    }
}

impl Read for Window<'_> {
    fn read(&mut self, into: &mut [u8]) -> io::Result<usize> {
        let count = self.room(into.len());
        self.storage
            .read_at(self.start + self.at, &mut into[..count])?;
        self.at += count as u64;
        Ok(count)
    }
}

impl Write for Window<'_> {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        let count = self.room(bytes.len());
        self.storage
            .write_at(self.start + self.at, &bytes[..count])?;
        self.at += count as u64;
        Ok(count)
    }

    fn flush(&mut self) -> io::Result<()> {
        Ok(())
    }
}

impl Seek for Window<'_> {
    fn seek(&mut self, to: SeekFrom) -> io::Result<u64> {
        let target = match to {
            SeekFrom::Start(at) => Some(at),
            SeekFrom::Current(by) => self.at.checked_add_signed(by),
            SeekFrom::End(by) => self.length.checked_add_signed(by),
        };
        self.at = target.ok_or(io::ErrorKind::InvalidInput)?;
        Ok(self.at)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn behaves(storage: &mut dyn Storage) {
        let length = storage.length_bytes();
        let mut read = vec![9; 100_000];
        storage.read_at(5, &mut read).unwrap();
        assert!(read.iter().all(|byte| *byte == 0));
        let piece: Vec<u8> = (0..150_000u32).map(|n| n.to_le_bytes()[0]).collect();
        storage.write_at(60_000, &piece).unwrap();
        let mut back = vec![0; 150_000];
        storage.read_at(60_000, &mut back).unwrap();
        assert_eq!(back, piece);
        assert!(storage.write_at(length - 1, &[1, 2]).is_err());
        assert!(storage.read_at(u64::MAX, &mut [0]).is_err());
        let mut last = [7];
        storage.read_at(length - 1, &mut last).unwrap();
        assert_eq!(last, [0], "a refused write changes nothing");
    }

    #[test]
    fn both_kinds_keep_the_contract() {
        let folder = tempfile::tempdir().unwrap();
        behaves(&mut SparseFile::create(&folder.path().join("disk"), 1 << 20).unwrap());
        behaves(&mut Memory::blank(1 << 20));
    }

    #[test]
    fn copies_share_until_one_of_them_writes() {
        let mut factory = Memory::blank(1 << 20);
        factory.write_at(0, &[3; 200_000]).unwrap();
        let mut one = factory.clone();
        one.write_at(100, &[8]).unwrap();
        let mut byte = [0];
        factory.read_at(100, &mut byte).unwrap();
        assert_eq!(byte, [3]);
        one.read_at(101, &mut byte).unwrap();
        assert_eq!(byte, [3]);
        let shared = one
            .pages
            .iter()
            .filter(|(n, page)| Arc::ptr_eq(page, &factory.pages[n]));
        assert_eq!(shared.count(), factory.pages.len() - 1);
    }
}
