//! Bytes on their way in. Each frame is written before its line in `frames.jsonl` is; what is on the disk for
//! sure, a thread beside makes so and marks. So a killed process loses nothing, and after a machine that
//! stopped what lies behind the last mark is hashed before it counts.

mod closing;
mod lines;

use std::collections::BTreeMap;
use std::fs::{self, File, OpenOptions};
use std::io::{self, BufReader, Write};
use std::os::unix::fs::FileExt;
use std::path::{Path, PathBuf};
use std::sync::Arc;

use serde::Serialize;
use serde::de::DeserializeOwned;
use veritope_core::coverage::BlankBytes;
use veritope_wire::{Digest, JobId, Label};

use self::lines::{FrameLine, Lies, Line, Part, as_line, keep_sound, read_lines};
use crate::durable;
use crate::error::VaultError;
use crate::manifest::Manifest;
use crate::pump::FrameDone;
use crate::syncer::Syncer;
use crate::vault::Vault;

/// Bytes after which the disk is asked to have them.
const SYNC_BYTES: u64 = 32 << 20;

/// A piece of work under way.
#[derive(Debug)]
pub struct Staging<'v> {
    vault: &'v Vault,
    folder: PathBuf,
    parts: BTreeMap<Label, Part>,
    journal: Arc<File>,
    syncer: Syncer,
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
        let (mut parts, is_torn) = match File::open(&path) {
            Ok(file) => read_lines(BufReader::new(file)).map_err(&refuse)?,
            Err(error) if error.kind() == io::ErrorKind::NotFound => Default::default(),
            Err(error) => return Err(refuse(error)),
        };
        let mut is_shorter = is_torn;
        for (label, (part, synced)) in &mut parts {
            let path = folder.join(format!("{label}.part"));
            is_shorter |= keep_sound(part, *synced, &path).map_err(VaultError::at(&path))?;
        }
        let parts: BTreeMap<Label, Part> = parts
            .into_iter()
            .map(|(label, (part, _))| (label, part))
            .collect();
        let journal = journal(&path).map_err(&refuse)?;
        let mut staging = Self {
            vault,
            folder,
            parts,
            syncer: Syncer::new(Arc::clone(&journal)),
            journal,
        };
        if is_shorter {
            staging.write_lines()?;
        }
        Ok(staging)
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

    fn lines(&self, label: &Label) -> &[FrameLine] {
        self.parts
            .get(label)
            .map(|part| part.lines.as_slice())
            .unwrap_or_default()
    }

    /// How many frames of `label` are here already.
    #[must_use]
    pub fn frames_of(&self, label: &Label) -> u64 {
        self.lines(label).len() as u64
    }

    /// Values of the frames of `label` that are here.
    #[must_use]
    pub fn values_of(&self, label: &Label) -> Vec<Digest> {
        self.lines(label).iter().map(|line| line.value).collect()
    }

    fn part(&self, label: &Label) -> PathBuf {
        self.folder.join(format!("{label}.part"))
    }

    /// Appends the next frame of `label`; one that was not packed lies in the object of `known`, an image
    /// that was captured before. When this returns a killed process has it, and before long so has the disk.
    ///
    /// # Errors
    /// When it can't be written; then it does not count. Also when an earlier one did not reach the disk.
    pub fn append(
        &mut self,
        label: &Label,
        frame: &FrameDone,
        known: Option<Digest>,
    ) -> Result<(), VaultError> {
        let path = self.part(label);
        let refuse = VaultError::at(&path);
        self.syncer.has_failed().map_err(&refuse)?;
        let part = self.parts.entry(label.clone()).or_default();
        let lies = Lies::of(frame, known).ok_or_else(|| VaultError::Unreadable {
            path: path.clone(),
            what: format!("frame {} of {label} lies nowhere", frame.index),
        })?;
        if let Some(packed) = &frame.packed {
            let file = match part.file.take() {
                Some(file) => file,
                None => {
                    let file = opened(&path).map_err(&refuse)?;
                    // What a killed process left behind the last counted frame is written over.
                    file.set_len(part.stored).map_err(&refuse)?;
                    Arc::new(file)
                }
            };
            let file = part.file.insert(file);
            file.write_all_at(&packed.stored, part.stored)
                .map_err(&refuse)?;
        }
        let line = FrameLine {
            label: label.clone(),
            index: frame.index,
            bytes: frame.bytes,
            value: frame.value,
            blank: frame.blank,
            lies,
        };
        let journal = self.folder.join("frames.jsonl");
        let text = as_line(&Line::Frame(line.clone())).map_err(VaultError::at(&journal))?;
        (&*self.journal)
            .write_all(&text)
            .map_err(VaultError::at(&journal))?;
        part.push(line);
        let is_due = part.stored - part.asked >= SYNC_BYTES;
        if let Some(file) = part.file.as_ref().filter(|_| is_due) {
            let mark = Line::Mark {
                synced: label.clone(),
                frames: part.lines.len() as u64,
            };
            let text = as_line(&mark).map_err(VaultError::at(&journal))?;
            if self.syncer.ask(Arc::clone(file), text) {
                part.asked = part.stored;
            }
        }
        Ok(())
    }

    /// Writes another frame in the place of one that turned out not to be what the device holds.
    ///
    /// # Errors
    /// When it can't be written; then what was here stands.
    pub fn replace(
        &mut self,
        label: &Label,
        frame: &FrameDone,
        known: Option<Digest>,
    ) -> Result<(), VaultError> {
        let path = self.part(label);
        let refuse = VaultError::at(&path);
        let part = self.parts.entry(label.clone()).or_default();
        let lines = part.lines.clone();
        let old = match &part.file {
            Some(file) => Arc::clone(file),
            // Not made yet where no frame lies in it.
            None => Arc::new(opened(&path).map_err(&refuse)?),
        };
        let mut at = 0;
        let mut rest = Part::default();
        let spare = path.with_extension("part-new");
        let file = File::create(&spare).map_err(&refuse)?;
        for mut line in lines {
            let mut stored = Vec::new();
            if let Lies::Here { stored_bytes, .. } = line.lies {
                stored.resize(stored_bytes as usize, 0);
                old.read_exact_at(&mut stored, at).map_err(&refuse)?;
                at += u64::from(stored_bytes);
            }
            if line.index == frame.index {
                (line.value, line.blank) = (frame.value, frame.blank);
                stored.clear();
                let lies = Lies::of(frame, known);
                line.lies = lies.ok_or_else(|| refuse(io::ErrorKind::NotFound.into()))?;
                if let Some(packed) = &frame.packed {
                    stored.extend_from_slice(&packed.stored);
                }
            }
            file.write_all_at(&stored, rest.stored).map_err(&refuse)?;
            rest.push(line);
        }
        file.sync_all().map_err(&refuse)?;
        // From here on nothing counts as on the disk for sure: whoever is killed in between hashes the new
        // bytes against the old lines, and reads on from where they differ.
        self.write_lines()?;
        durable::rename(&spare, &path).map_err(&refuse)?;
        rest.file = Some(Arc::new(opened(&path).map_err(&refuse)?));
        self.parts.insert(label.clone(), rest);
        self.write_lines()
    }

    /// Forgets the frames of `label`: they turned out not to be what the device holds.
    ///
    /// # Errors
    /// When the list can't be rewritten.
    pub fn forget(&mut self, label: &Label) -> Result<(), VaultError> {
        self.parts.remove(label);
        self.write_lines()
    }

    /// Writes the list of frames anew, as a whole. What it lists was hashed or is hashed again.
    fn write_lines(&mut self) -> Result<(), VaultError> {
        let path = self.folder.join("frames.jsonl");
        let refuse = VaultError::at(&path);
        let mut text = Vec::new();
        for line in self.parts.values().flat_map(|part| &part.lines) {
            text.extend(as_line(&Line::Frame(line.clone())).map_err(&refuse)?);
        }
        durable::write(&path, &text).map_err(&refuse)?;
        self.journal = journal(&path).map_err(&refuse)?;
        self.syncer = Syncer::new(Arc::clone(&self.journal));
        Ok(())
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
        let Self { folder, syncer, .. } = self;
        // It may still be at a file of the folder.
        drop(syncer);
        fs::remove_dir_all(&folder).map_err(VaultError::at(&folder))
    }
}

fn journal(path: &Path) -> io::Result<Arc<File>> {
    let mut options = OpenOptions::new();
    options.create(true).append(true).open(path).map(Arc::new)
}

fn opened(path: &Path) -> io::Result<File> {
    OpenOptions::new()
        .create(true)
        .truncate(false)
        .read(true)
        .write(true)
        .open(path)
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
