//! Bytes on their way in. Each frame is on the disk before its line in `frames.jsonl` is; so after
//! a crash every line stands for a whole frame, and nothing that has a line is read again.

use std::fs::{self, File, OpenOptions};
use std::io::{BufRead, BufReader, Seek, SeekFrom, Write};
use std::path::{Path, PathBuf};

use serde::de::DeserializeOwned;
use serde::{Deserialize, Serialize};
use veritope_core::coverage::BlankBytes;
use veritope_core::digest::{FrameLayout, FrameList};
use veritope_formats::seektable::{build_digests, build_seek_table};
use veritope_wire::{Digest, JobId, Label};

use crate::durable;
use crate::error::VaultError;
use crate::manifest::Manifest;
use crate::pump::FrameDone;
use crate::vault::Vault;

/// One line of `frames.jsonl`.
#[derive(Debug, Clone, Serialize, Deserialize)]
struct FrameLine {
    label: Label,
    index: u64,
    stored_bytes: u32,
    bytes: u32,
    value: Digest,
    /// Digest of the zstd frame. A line of an earlier version has none and counts as torn: that
    /// frame is read again.
    stored_blake3: Digest,
    blank: BlankBytes,
}

/// A piece of work under way.
#[derive(Debug)]
pub struct Staging<'v> {
    vault: &'v Vault,
    folder: PathBuf,
    lines: Vec<FrameLine>,
    journal: File,
}

/// An image whose object is in the vault.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct StagedImage {
    /// Digest of the image.
    pub blake3: Digest,
    /// Values of its frames.
    pub frames: Vec<Digest>,
    /// Bytes of the object.
    pub stored_bytes: u64,
    /// Whether it holds anything.
    pub blank: BlankBytes,
}

impl<'v> Staging<'v> {
    pub(crate) fn open(vault: &'v Vault, job: JobId) -> Result<Self, VaultError> {
        let folder = vault.root().join("staging").join(job.to_string());
        durable::make_folder(&folder).map_err(VaultError::at(&folder))?;
        let path = folder.join("frames.jsonl");
        let refuse = VaultError::at(&path);
        let mut journal = OpenOptions::new()
            .create(true)
            .read(true)
            .append(true)
            .open(&path)
            .map_err(&refuse)?;
        let mut lines = Vec::new();
        let mut sound = 0u64;
        let mut reader = BufReader::new(&journal);
        let mut text = String::new();
        loop {
            text.clear();
            let read = reader.read_line(&mut text).map_err(&refuse)?;
            // A line without its end was being written when the process died.
            let Some(line) = text.strip_suffix('\n') else {
                break;
            };
            let Ok(line) = serde_json::from_str(line) else {
                break;
            };
            lines.push(line);
            sound += read as u64;
        }
        journal.set_len(sound).map_err(&refuse)?;
        journal.seek(SeekFrom::End(0)).map_err(&refuse)?;
        Ok(Self {
            vault,
            folder,
            lines,
            journal,
        })
    }

    /// Keeps a note beside the frames, replaced as a whole: what is wanted, how far it is.
    ///
    /// # Errors
    /// When it can't be written.
    pub fn note<T: Serialize>(&self, name: &str, note: &T) -> Result<(), VaultError> {
        let path = self.folder.join(format!("{name}.json"));
        let bytes = serde_json::to_vec_pretty(note).map_err(|error| VaultError::Unreadable {
            path: path.clone(),
            what: error.to_string(),
        })?;
        durable::write(&path, &bytes).map_err(VaultError::at(&path))
    }

    /// Reads a note back, if there is one.
    ///
    /// # Errors
    /// When it is there and makes no sense.
    pub fn noted<T: DeserializeOwned>(&self, name: &str) -> Result<Option<T>, VaultError> {
        read_note(&self.folder.join(format!("{name}.json")))
    }

    /// How many frames of `label` are here already.
    #[must_use]
    pub fn frames_of(&self, label: &Label) -> u64 {
        self.lines
            .iter()
            .filter(|line| line.label == *label)
            .count() as u64
    }

    /// Values of the frames of `label` that are here.
    #[must_use]
    pub fn values_of(&self, label: &Label) -> Vec<Digest> {
        let lines = self.lines.iter().filter(|line| line.label == *label);
        lines.map(|line| line.value).collect()
    }

    fn part(&self, label: &Label) -> PathBuf {
        self.folder.join(format!("{label}.part"))
    }

    /// Appends the next frame of `label`; it is on the disk when this returns.
    ///
    /// # Errors
    /// When it is not; then it does not count.
    pub fn append(&mut self, label: &Label, frame: FrameDone) -> Result<(), VaultError> {
        let path = self.part(label);
        let refuse = VaultError::at(&path);
        let before: u64 = self
            .lines
            .iter()
            .filter(|line| line.label == *label)
            .map(|line| u64::from(line.stored_bytes))
            .sum();
        let mut part = OpenOptions::new()
            .create(true)
            .truncate(false)
            .write(true)
            .open(&path)
            .map_err(&refuse)?;
        // What a killed process left behind the last counted frame is written over.
        part.set_len(before).map_err(&refuse)?;
        part.seek(SeekFrom::Start(before)).map_err(&refuse)?;
        part.write_all(&frame.stored).map_err(&refuse)?;
        part.sync_data().map_err(&refuse)?;
        let line = FrameLine {
            label: label.clone(),
            index: frame.index,
            stored_bytes: u32::try_from(frame.stored.len()).unwrap_or(u32::MAX),
            bytes: frame.bytes,
            value: frame.value,
            stored_blake3: frame.stored_blake3,
            blank: frame.blank,
        };
        let path = self.folder.join("frames.jsonl");
        let refuse = VaultError::at(&path);
        let mut text = serde_json::to_string(&line).map_err(|error| refuse(error.into()))?;
        text.push('\n');
        self.journal.write_all(text.as_bytes()).map_err(&refuse)?;
        self.journal.sync_data().map_err(&refuse)?;
        self.lines.push(line);
        Ok(())
    }

    /// Forgets the frames of `label`: they turned out not to be what the device holds.
    ///
    /// # Errors
    /// When the list can't be rewritten.
    pub fn forget(&mut self, label: &Label) -> Result<(), VaultError> {
        self.lines.retain(|line| line.label != *label);
        let path = self.folder.join("frames.jsonl");
        let mut text = String::new();
        for line in &self.lines {
            let json =
                serde_json::to_string(line).map_err(|error| VaultError::at(&path)(error.into()))?;
            text.push_str(&json);
            text.push('\n');
        }
        durable::write(&path, text.as_bytes()).map_err(VaultError::at(&path))?;
        let refuse = VaultError::at(&path);
        self.journal = OpenOptions::new()
            .append(true)
            .open(&path)
            .map_err(&refuse)?;
        Ok(())
    }

    /// Closes an image whose frames are all here: their digests and the seek table go behind them
    /// and the object gets its name. An object that is in the vault already, and is sound, stays.
    ///
    /// # Errors
    /// When a frame is missing or the object can't be written.
    pub fn close(&mut self, label: &Label, layout: FrameLayout) -> Result<StagedImage, VaultError> {
        let lines: Vec<&FrameLine> = self.lines.iter().filter(|l| l.label == *label).collect();
        let values: Vec<Digest> = lines.iter().map(|line| line.value).collect();
        let part = self.part(label);
        let blake3 = layout
            .merge(&values)
            .ok_or_else(|| VaultError::Unreadable {
                path: part.clone(),
                what: format!("{} of {} frames are here", values.len(), layout.count()),
            })?;
        let sizes: Vec<(u32, u32)> = lines.iter().map(|l| (l.stored_bytes, l.bytes)).collect();
        let blank = lines
            .iter()
            .map(|line| line.blank)
            .reduce(BlankBytes::and)
            .unwrap_or(BlankBytes::No);
        let frames_end: u64 = sizes.iter().map(|(stored, _)| u64::from(*stored)).sum();
        let stored: Vec<Digest> = lines.iter().map(|line| line.stored_blake3).collect();
        let mut end = build_digests(&stored);
        end.extend(build_seek_table(&sizes));
        let target = self.vault.object_path(blake3);
        let is_here = FrameList::new(layout, values.clone(), blake3)
            .is_some_and(|list| target.exists() && self.vault.object_is_sound(&list, blake3));
        if !is_here {
            let refuse = VaultError::at(&part);
            let mut file = OpenOptions::new()
                .write(true)
                .open(&part)
                .map_err(&refuse)?;
            file.set_len(frames_end).map_err(&refuse)?;
            file.seek(SeekFrom::End(0)).map_err(&refuse)?;
            file.write_all(&end).map_err(&refuse)?;
            file.sync_all().map_err(&refuse)?;
            durable::make_folder(parent(&target)).map_err(VaultError::at(&target))?;
            durable::rename(&part, &target).map_err(VaultError::at(&target))?;
        }
        let stored_bytes = fs::metadata(&target)
            .map_err(VaultError::at(&target))?
            .len();
        Ok(StagedImage {
            blake3,
            frames: values,
            stored_bytes,
            blank,
        })
    }

    /// Writes the manifest, last of all. Gives the file's digest. What was staged stays until
    /// [`Staging::discard`], so that whoever keeps the record can write the capture down in between.
    ///
    /// # Errors
    /// When it can't be written; the work can then be gone on with.
    pub fn finish(&self, manifest: &Manifest) -> Result<Digest, VaultError> {
        let folder = self.vault.capture_folder(manifest);
        let mut bytes =
            serde_json::to_vec_pretty(manifest).map_err(|error| VaultError::Unreadable {
                path: folder.clone(),
                what: error.to_string(),
            })?;
        bytes.push(b'\n');
        self.vault.put_manifest(&folder, &bytes)?;
        Ok(Digest::of(&bytes))
    }

    /// Clears what was staged. Objects that have their name already stay.
    ///
    /// # Errors
    /// When the folder can't be removed.
    pub fn discard(self) -> Result<(), VaultError> {
        fs::remove_dir_all(&self.folder).map_err(VaultError::at(&self.folder))
    }
}

impl Vault {
    /// Begins a piece of work, or goes on with it. Only one thread at a time may be at one.
    ///
    /// # Errors
    /// When its folder can't be made or what it holds makes no sense.
    pub fn stage(&self, job: JobId) -> Result<Staging<'_>, VaultError> {
        self.may_write()?;
        Staging::open(self, job)
    }

    /// Reads a note of a piece of work without touching the work: somebody may be at it.
    ///
    /// # Errors
    /// When it is there and makes no sense.
    pub fn note_of<T: DeserializeOwned>(
        &self,
        job: JobId,
        name: &str,
    ) -> Result<Option<T>, VaultError> {
        let folder = self.root().join("staging").join(job.to_string());
        read_note(&folder.join(format!("{name}.json")))
    }
}

/// Reads a note, if it is there.
fn read_note<T: DeserializeOwned>(path: &Path) -> Result<Option<T>, VaultError> {
    if !path.exists() {
        return Ok(None);
    }
    let bytes = fs::read(path).map_err(VaultError::at(path))?;
    serde_json::from_slice(&bytes)
        .map(Some)
        .map_err(|error| VaultError::Unreadable {
            path: path.to_owned(),
            what: error.to_string(),
        })
}

fn parent(path: &Path) -> &Path {
    path.parent().unwrap_or(path)
}
