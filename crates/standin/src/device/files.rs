//! Files on the device, as what runs shows them to a computer: the owner's own folder and the card beside the
//! system, the card and a folder in memory beside a recovery.

use std::collections::{BTreeMap, BTreeSet};
use std::fs;
use std::io;
use std::path::Path;

use veritope_wire::Digest;
use veritope_wire::link::{
    EntryKind, Epoch, FileDigest, FileLine, FolderList, Lasts, MAX_READ_BYTES, Refusal,
    RefusalCode, Scratch, Written,
};

use super::{Device, Running, no};
use crate::bridge::package_bytes;

/// Most bytes that all files together have.
const MOST_BYTES: u64 = 64 << 20;
/// Largest file that the card's file system holds.
const LARGEST_BYTES: u64 = (4 << 30) - 1;
const CARD: &str = "/card";
const OWNERS: &str = "/internal";
const IN_MEMORY: &str = "/scratch";
const LOG: &str = "/scratch/recovery.log";

/// A file that is on its way.
#[derive(Debug, Clone)]
pub(crate) struct Coming {
    path: String,
    length: u64,
    bytes: Vec<u8>,
}

/// The files of a device, by path.
#[derive(Debug, Clone, Default)]
pub(crate) struct Files {
    all: BTreeMap<String, Vec<u8>>,
    coming: Option<Coming>,
}

impl Files {
    /// Reads what lay there when the process ended.
    pub(crate) fn open(folder: &Path) -> io::Result<Self> {
        let mut files = Self::default();
        let folder = folder.join("files");
        if !folder.is_dir() {
            return Ok(files);
        }
        for entry in fs::read_dir(folder)? {
            let entry = entry?;
            let name = hex::decode(entry.file_name().to_string_lossy().as_bytes());
            if let Some(path) = name.ok().and_then(|name| String::from_utf8(name).ok()) {
                files.all.insert(path, fs::read(entry.path())?);
            }
        }
        Ok(files)
    }

    fn bytes(&self) -> u64 {
        self.all.values().map(|bytes| bytes.len() as u64).sum()
    }

    /// Forgets what lies below a folder.
    pub(crate) fn forget(&mut self, folder: &str, kept: Option<&Path>) -> io::Result<()> {
        let gone: Vec<String> = self
            .all
            .keys()
            .filter(|path| path.starts_with(&format!("{folder}/")))
            .cloned()
            .collect();
        for path in gone {
            self.all.remove(&path);
            match kept.map(|kept| fs::remove_file(kept.join("files").join(hex::encode(&path)))) {
                Some(Err(error)) if error.kind() != io::ErrorKind::NotFound => return Err(error),
                _ => {}
            }
        }
        self.coming = None;
        Ok(())
    }
}

impl Device {
    /// The folders that what runs shows.
    fn folders(&self) -> &'static [&'static str] {
        match self.saved.mode {
            Running::System => &[OWNERS, CARD],
            Running::TemporaryRecovery | Running::CustomRecovery => &[IN_MEMORY, CARD],
            _ => &[],
        }
    }

    /// The folder for files that nobody will miss.
    pub(super) fn scratch(&self) -> Option<Scratch> {
        let (path, lasts) = match self.saved.mode {
            Running::System => (format!("{OWNERS}/scratch"), Lasts::Erase),
            mode if mode.gives_rights() => (IN_MEMORY.to_owned(), Lasts::Restart),
            _ => return None,
        };
        Some(Scratch {
            path,
            free_bytes: MOST_BYTES.saturating_sub(self.files.bytes()),
            lasts,
        })
    }

    /// Whether the path lies in a folder that is shown now.
    fn shows(&self, path: &str) -> Result<(), Refusal> {
        self.is_ready()?;
        let folders = self.folders();
        if folders.is_empty() {
            return Err(no(RefusalCode::WrongMode, "what runs shows no files"));
        }
        let is_odd = |part: &str| matches!(part, "" | "." | "..") || part.contains('\0');
        let mut parts = path
            .strip_prefix('/')
            .into_iter()
            .flat_map(|rest| rest.split('/'));
        if !path.starts_with('/') || parts.any(is_odd) {
            return Err(no(
                RefusalCode::BadRequest,
                "a path from the top, without detours",
            ));
        }
        let within = |folder: &&str| {
            path.strip_prefix(*folder)
                .is_some_and(|rest| rest.is_empty() || rest.starts_with('/'))
        };
        if folders.iter().any(within) {
            Ok(())
        } else {
            Err(no(RefusalCode::NotFound, "there is no such folder"))
        }
    }

    /// Packages that lie on the card since somebody fetched them.
    fn on_card(&self) -> Vec<String> {
        let gate = self.saved.gate.as_ref();
        let names = gate.map(|gate| gate.card.clone()).unwrap_or_default();
        names
            .into_iter()
            .collect::<BTreeSet<_>>()
            .into_iter()
            .collect()
    }

    /// What lies in a folder.
    ///
    /// # Errors
    /// No files in this mode, no such folder, an odd path.
    pub fn files(&self, path: &str) -> Result<FolderList, Refusal> {
        self.shows(path)?;
        let inside = format!("{path}/");
        let mut entries: BTreeMap<String, FileLine> = BTreeMap::new();
        for (name, bytes) in &self.files.all {
            let Some(rest) = name.strip_prefix(&inside) else {
                continue;
            };
            let (name, kind, length) = match rest.split_once('/') {
                Some((folder, _)) => (folder, EntryKind::Folder, 0),
                None => (rest, EntryKind::File, bytes.len() as u64),
            };
            let line = FileLine {
                name: name.to_owned(),
                kind,
                length_bytes: length,
            };
            entries.insert(name.to_owned(), line);
        }
        if path == CARD {
            for name in self.on_card() {
                let line = FileLine {
                    name: name.clone(),
                    kind: EntryKind::File,
                    length_bytes: package_bytes(&name).len() as u64,
                };
                entries.insert(name, line);
            }
        }
        let is_shown = self.folders().contains(&path);
        let is_scratch = self.scratch().is_some_and(|scratch| scratch.path == path);
        if entries.is_empty() && !is_shown && !is_scratch {
            return Err(no(RefusalCode::NotFound, "there is no such folder"));
        }
        Ok(FolderList {
            entries: entries.into_values().collect(),
            free_bytes: MOST_BYTES.saturating_sub(self.files.bytes()),
            largest_bytes: (path == CARD).then_some(LARGEST_BYTES),
        })
    }

    fn file(&self, path: &str) -> Result<Vec<u8>, Refusal> {
        self.shows(path)?;
        if let Some(bytes) = self.files.all.get(path) {
            return Ok(bytes.clone());
        }
        let name = path
            .strip_prefix(CARD)
            .and_then(|rest| rest.strip_prefix('/'));
        match name {
            Some(name) if self.on_card().iter().any(|one| one == name) => Ok(package_bytes(name)),
            _ => Err(no(RefusalCode::NotFound, "there is no such file")),
        }
    }

    /// Length in bytes of a file.
    ///
    /// # Errors
    /// As [`Device::files`]; no such file.
    pub fn file_digest(&self, path: &str) -> Result<FileDigest, Refusal> {
        let bytes = self.file(path)?;
        Ok(FileDigest {
            blake3: Digest::of(&bytes),
            length_bytes: bytes.len() as u64,
        })
    }

    /// Bytes of a file, and its length.
    ///
    /// # Errors
    /// As [`Device::files`]; no such file, too much at once, past the end.
    pub fn pull(&mut self, path: &str, first: u64, count: u64) -> Result<(Vec<u8>, u64), Refusal> {
        let bytes = self.file(path)?;
        let length = bytes.len() as u64;
        if count > MAX_READ_BYTES {
            let words = format!("at most {MAX_READ_BYTES} bytes at once");
            return Err(no(RefusalCode::TooLarge, words));
        }
        let end = first.checked_add(count).filter(|end| *end <= length);
        let Some(end) = end else {
            let words = format!("{path} is {length} bytes long");
            return Err(no(RefusalCode::BadRequest, words));
        };
        self.moved(count)?;
        let index = |at: u64| usize::try_from(at).unwrap_or(usize::MAX);
        Ok((bytes[index(first)..index(end)].to_vec(), length))
    }

    /// Lays a piece of a file there; with the last one it is a file, before that it is none.
    ///
    /// # Errors
    /// No files in this mode, an odd path, no room, other bytes than announced, a piece out of turn, stale
    /// epoch.
    pub fn push(
        &mut self,
        path: &str,
        (first, length): (u64, u64),
        bytes: &[u8],
        epoch: Epoch,
        announced: Digest,
    ) -> Result<Written, Refusal> {
        self.shows(path)?;
        if epoch != self.epoch() {
            return Err(no(RefusalCode::StaleEpoch, "the device changed since"));
        }
        if self.folders().contains(&path) {
            return Err(no(RefusalCode::BadRequest, "this is a folder"));
        }
        let blake3 = Digest::of(bytes);
        if blake3 != announced {
            let words = "the bytes are not the ones announced";
            return Err(no(RefusalCode::DigestDiffers, words));
        }
        if self.files.bytes().saturating_add(length) > MOST_BYTES {
            return Err(no(RefusalCode::TooLarge, "there is not so much room"));
        }
        let count = bytes.len() as u64;
        if first == 0 {
            self.files.coming = Some(Coming {
                path: path.to_owned(),
                length,
                bytes: Vec::new(),
            });
        }
        let is_next = |coming: &&mut Coming| {
            (
                coming.path.as_str(),
                coming.length,
                coming.bytes.len() as u64,
            ) == (path, length, first)
                && first.checked_add(count).is_some_and(|end| end <= length)
        };
        if self.files.coming.as_mut().filter(is_next).is_none() {
            return Err(no(
                RefusalCode::BadRequest,
                "this piece is not the next one",
            ));
        }
        self.moved(count)?;
        if let Some(coming) = &mut self.files.coming {
            coming.bytes.extend_from_slice(bytes);
        }
        let whole = |coming: &mut Coming| coming.bytes.len() as u64 == coming.length;
        if let Some(coming) = self.files.coming.take_if(whole) {
            self.keep(&coming.path, &coming.bytes)
                .map_err(|error| no(RefusalCode::Other, error.to_string()))?;
            self.files.all.insert(coming.path, coming.bytes);
        }
        Ok(Written {
            blake3,
            length_bytes: count,
        })
    }

    /// Puts a file beside the device's state, whole or not at all; what lies in memory is not kept.
    fn keep(&self, path: &str, bytes: &[u8]) -> io::Result<()> {
        let Some(folder) = self
            .folder
            .as_ref()
            .filter(|_| !path.starts_with(IN_MEMORY))
        else {
            return Ok(());
        };
        let folder = folder.join("files");
        fs::create_dir_all(&folder)?;
        let staged = folder.join("staged");
        fs::write(&staged, bytes)?;
        fs::File::open(&staged)?.sync_all()?;
        fs::rename(staged, folder.join(hex::encode(path)))
    }

    /// Writes a line into the log of the recovery that runs, which is gone with it.
    pub(super) fn logs(&mut self, line: &str) {
        if !matches!(
            self.saved.mode,
            Running::TemporaryRecovery | Running::CustomRecovery
        ) {
            return;
        }
        let log = self.files.all.entry(LOG.to_owned()).or_default();
        log.extend_from_slice(line.as_bytes());
        log.push(b'\n');
    }

    /// What an erase of the owner's data takes of the files.
    pub(super) fn forget_owners_files(&mut self) {
        let folder = self.folder.clone();
        // A file that can't be removed stands there again when the process does.
        let _ = self.files.forget(OWNERS, folder.as_deref());
    }

    /// What leaving what runs takes of the files.
    pub(super) fn forget_files_in_memory(&mut self) {
        let _ = self.files.forget(IN_MEMORY, None);
    }
}
