//! An object: one image as a file of zstd frames; or only those frames in which it differs from another
//! object's image.

use std::cell::RefCell;
use std::fs::File;
use std::io::{self, Read, Seek, SeekFrom};
use std::path::{Path, PathBuf};

use rustix::fs::Advice;
use veritope_core::digest::{FRAME_BYTES, FrameLayout};
use veritope_formats::look::Bytes;
use veritope_formats::seektable::{
    FOOTER_BYTES, FramePlace, NotASeekTable, RestIn, digests_bytes, read_digests, read_footer,
    read_rest, read_seek_table, rest_bytes, table_bytes,
};
use veritope_wire::Digest;

use crate::error::VaultError;
use crate::plain;

/// Most frames of an object: 4 TiB of image.
const MOST_FRAMES: u64 = 1 << 20;

/// An object opened for reading.
#[derive(Debug)]
pub struct Object {
    path: PathBuf,
    file: File,
    stored_bytes: u64,
    frames: Vec<FramePlace>,
    /// Of the frames as they are stored; older objects have none.
    digests: Option<Vec<Digest>>,
    /// Where the other frames are, and that object.
    rest: Option<(RestIn, Box<Object>)>,
}

/// A frame as it is stored.
#[derive(Debug)]
pub(crate) struct StoredFrame {
    pub(crate) stored: Vec<u8>,
    pub(crate) bytes: u32,
    pub(crate) stored_blake3: Digest,
}

/// What an object's own table says.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ObjectInfo {
    /// Frames.
    pub frames: u64,
    /// Bytes of the image.
    pub bytes: u64,
    /// Bytes of the file.
    pub stored_bytes: u64,
}

impl Object {
    /// Opens an object and reads its seek table. What the system has cached of the file is dropped
    /// first, so that every byte comes from the medium.
    ///
    /// # Errors
    /// When it can't be read, is no plain file or no object.
    pub fn open(path: &Path) -> Result<Self, VaultError> {
        Self::read(None, path, plain::open_file(path)?)
    }

    /// The same for a file of the place at `root`: a link on the way there is not followed.
    pub(crate) fn open_in(root: &Path, path: &Path) -> Result<Self, VaultError> {
        Self::read(Some(root), path, plain::open(root, path)?)
    }

    fn read(root: Option<&Path>, path: &Path, mut file: File) -> Result<Self, VaultError> {
        let refuse = VaultError::at(path);
        let unreadable = |what: String| VaultError::Unreadable {
            path: path.to_owned(),
            what,
        };
        // Only clean pages can be dropped; a fresh object is synced before it gets its name.
        let _ = rustix::fs::fadvise(&file, 0, None, Advice::DontNeed);
        let length = file.metadata().map_err(&refuse)?.len();
        // The last `bytes` of what ends at `end`.
        let mut before = |end: u64, bytes: u64| -> Result<Vec<u8>, VaultError> {
            let from = end
                .checked_sub(bytes)
                .ok_or_else(|| unreadable("it is too short to be an object".to_owned()))?;
            let mut tail = vec![0; usize::try_from(bytes).unwrap_or(0)];
            file.seek(SeekFrom::Start(from)).map_err(&refuse)?;
            file.read_exact(&mut tail).map_err(&refuse)?;
            Ok(tail)
        };
        let damaged = |error: NotASeekTable| unreadable(error.to_string());
        let count = read_footer(&before(length, FOOTER_BYTES)?).map_err(damaged)?;
        if count > MOST_FRAMES {
            return Err(unreadable(format!(
                "its seek table announces {count} frames"
            )));
        }
        let table = before(length, table_bytes(count))?;
        let rest = length - table.len() as u64;
        let frames = read_seek_table(&table, rest).map_err(damaged)?;
        let stored: u64 = frames.iter().map(|at| u64::from(at.stored_bytes)).sum();
        let between = (rest - stored).min(digests_bytes(count) + rest_bytes(count) + 1);
        let mut between = before(rest, between)?;
        let rest = if between.len() as u64 == digests_bytes(count) + rest_bytes(count) {
            let digests = between.split_off(usize::try_from(rest_bytes(count)).unwrap_or(0));
            let rest = read_rest(&between, count).map_err(damaged)?;
            between = digests;
            Some(rest)
        } else {
            None
        };
        let digests = read_digests(&between, count).map_err(damaged)?;
        let rest = match rest {
            Some(rest) => {
                let object = Self::of_rest(root, path, &rest)?;
                Some((rest, Box::new(object)))
            }
            None => None,
        };
        Ok(Self {
            rest,
            path: path.to_owned(),
            file,
            stored_bytes: length,
            frames,
            digests,
        })
    }

    /// The object that holds the other frames: it lies among the objects of the same vault, whole.
    fn of_rest(root: Option<&Path>, path: &Path, rest: &RestIn) -> Result<Self, VaultError> {
        let unreadable = |what: &str| VaultError::Unreadable {
            path: path.to_owned(),
            what: what.to_owned(),
        };
        let objects = path.parent().and_then(Path::parent);
        let objects = objects.ok_or_else(|| unreadable("it lies in no vault"))?;
        let there = objects.join(whole_name(rest.image));
        let object = match root {
            Some(root) => Self::open_in(root, &there),
            None => Self::open(&there),
        }?;
        let frames = object.layout().count();
        let is_it = object.rest.is_none()
            && object.info().bytes == rest.length_bytes
            && rest.own.iter().all(|index| u64::from(*index) < frames);
        if is_it {
            Ok(object)
        } else {
            Err(unreadable(
                "the object with the rest of its frames is another one",
            ))
        }
    }

    /// The image in which the frames are that it does not hold itself.
    pub(crate) fn rest_image(&self) -> Option<Digest> {
        self.rest.as_ref().map(|(rest, _)| rest.image)
    }

    /// Whether it tells how its frames were written, and the one with the rest of them too.
    pub(crate) fn has_digests(&self) -> bool {
        let rest = self.rest.as_ref().map(|(_, object)| object.has_digests());
        self.digests.is_some() && rest != Some(false)
    }

    /// Whether it holds frame `index` itself.
    pub(crate) fn is_own(&self, index: u64) -> bool {
        let own = self.rest.as_ref().map(|(rest, _)| &rest.own);
        own.is_none_or(|own| u32::try_from(index).is_ok_and(|index| own.contains(&index)))
    }

    /// What its table says.
    #[must_use]
    pub fn info(&self) -> ObjectInfo {
        if let Some((rest, object)) = &self.rest {
            return ObjectInfo {
                frames: object.info().frames,
                bytes: rest.length_bytes,
                stored_bytes: self.stored_bytes,
            };
        }
        ObjectInfo {
            frames: self.frames.len() as u64,
            bytes: self.frames.iter().map(|frame| u64::from(frame.bytes)).sum(),
            stored_bytes: self.stored_bytes,
        }
    }

    /// The layout of the image, by its table.
    #[must_use]
    pub fn layout(&self) -> FrameLayout {
        FrameLayout::new(self.info().bytes)
    }

    /// The file.
    #[must_use]
    pub fn path(&self) -> &Path {
        &self.path
    }

    /// Decodes frame `index`, after looking whether it is stored as it was written. Whether these
    /// are the right bytes is for whoever knows the frame's value to say.
    ///
    /// # Errors
    /// In words, what is wrong with the frame.
    pub fn frame(&mut self, index: u64) -> Result<Vec<u8>, String> {
        let frame = self.stored_frame(index)?;
        let bytes = zstd::bulk::decompress(&frame.stored, frame.bytes as usize)
            .map_err(|error| format!("it can't be decoded: {error}"))?;
        if bytes.len() == frame.bytes as usize {
            Ok(bytes)
        } else {
            Err(format!(
                "it holds {} bytes, not {}",
                bytes.len(),
                frame.bytes
            ))
        }
    }

    /// The file in which frame `index` lies.
    #[must_use]
    pub fn path_of(&self, index: u64) -> &Path {
        match &self.rest {
            Some((_, object)) if !self.is_own(index) => &object.path,
            _ => &self.path,
        }
    }

    /// Bytes of frame `index` as it is stored.
    pub(crate) fn stored_length(&self, index: u64) -> u64 {
        let mut at = usize::try_from(index).ok();
        if let Some((rest, object)) = &self.rest {
            let own = u32::try_from(index).ok();
            at = own.and_then(|index| rest.own.binary_search(&index).ok());
            if at.is_none() {
                return object.stored_length(index);
            }
        }
        let place = at.and_then(|at| self.frames.get(at));
        place.map_or(0, |place| u64::from(place.stored_bytes))
    }

    /// Frame `index` as it is stored, after looking whether it is so as it was written.
    pub(crate) fn stored_frame(&mut self, index: u64) -> Result<StoredFrame, String> {
        let mut at = usize::try_from(index).ok();
        if let Some((rest, object)) = &mut self.rest {
            let own = u32::try_from(index).ok();
            at = own.and_then(|index| rest.own.binary_search(&index).ok());
            if at.is_none() {
                return object.stored_frame(index);
            }
        }
        let place = at
            .and_then(|at| self.frames.get(at))
            .copied()
            .ok_or_else(|| "it is not there".to_owned())?;
        if u64::from(place.bytes) > FRAME_BYTES || u64::from(place.stored_bytes) > 2 * FRAME_BYTES {
            return Err("its length makes no sense".to_owned());
        }
        let mut stored = vec![0; place.stored_bytes as usize];
        self.file
            .seek(SeekFrom::Start(place.stored_offset))
            .and_then(|_| self.file.read_exact(&mut stored))
            .map_err(|error| format!("it can't be read: {error}"))?;
        let known = self.digests.as_ref().and_then(|all| all.get(at?));
        let stored_blake3 = Digest::of(&stored);
        if known.is_some_and(|digest| *digest != stored_blake3) {
            return Err("it is not stored as it was written: its medium changes bits".to_owned());
        }
        Ok(StoredFrame {
            stored,
            bytes: place.bytes,
            stored_blake3,
        })
    }
}

/// Path below `objects` of an object that holds all its frames.
pub(crate) fn whole_name(image: Digest) -> PathBuf {
    let name = image.to_string();
    Path::new(&name[..2]).join(format!("{name}.zst"))
}

/// Path below `objects` of an object that holds only the frames in which it differs from another.
pub(crate) fn changed_name(image: Digest) -> PathBuf {
    let name = image.to_string();
    Path::new(&name[..2]).join(format!("{name}.changed.zst"))
}

/// The image that an object keeps, read from any place, a frame at a time.
#[derive(Debug)]
pub struct ObjectImage {
    length: u64,
    object: RefCell<Object>,
    /// The frame that was unpacked last, and its number.
    last: RefCell<Option<(u64, Vec<u8>)>>,
}

impl ObjectImage {
    /// The image of `object`. A frame that is damaged can't be read, and is said then.
    #[must_use]
    pub fn new(object: Object) -> Self {
        Self {
            length: object.info().bytes,
            object: RefCell::new(object),
            last: RefCell::new(None),
        }
    }
}

impl Bytes for ObjectImage {
    fn length(&self) -> u64 {
        self.length
    }

    fn read_exact_at(&self, at: u64, into: &mut [u8]) -> io::Result<()> {
        let (mut at, mut into) = (at, into);
        let mut last = self.last.borrow_mut();
        while !into.is_empty() {
            let (number, within) = (at / FRAME_BYTES, at % FRAME_BYTES);
            if last.as_ref().is_none_or(|(known, _)| *known != number) {
                let frame = self.object.borrow_mut().frame(number);
                *last = Some((number, frame.map_err(io::Error::other)?));
            }
            let frame = last.as_ref().map_or(&[][..], |(_, bytes)| bytes);
            let within = usize::try_from(within).unwrap_or(usize::MAX);
            let part = frame.get(within..).unwrap_or_default();
            let length = part.len().min(into.len());
            if length == 0 {
                return Err(io::ErrorKind::UnexpectedEof.into());
            }
            let (now, rest) = into.split_at_mut(length);
            now.copy_from_slice(&part[..length]);
            at += length as u64;
            into = rest;
        }
        Ok(())
    }
}
