//! Bytes on their way in. Each frame is written before its line in `frames.jsonl` is; what is on the disk for
//! sure, a thread beside makes so and marks. So a killed process loses nothing, and after a machine that
//! stopped what lies behind the last mark is hashed before it counts.

use std::collections::{BTreeMap, BTreeSet};
use std::fs::{self, File, OpenOptions};
use std::io::{self, BufRead, BufReader, Write};
use std::os::unix::fs::FileExt;
use std::path::{Path, PathBuf};
use std::sync::Arc;

use serde::de::DeserializeOwned;
use serde::{Deserialize, Serialize};
use veritope_core::coverage::BlankBytes;
use veritope_core::digest::{FrameLayout, FrameList};
use veritope_formats::seektable::{RestIn, build_digests, build_rest, build_seek_table};
use veritope_wire::{Digest, JobId, Label};

use crate::durable;
use crate::error::VaultError;
use crate::manifest::Manifest;
use crate::object::{Object, StoredFrame, changed_name, whole_name};
use crate::pump::FrameDone;
use crate::syncer::Syncer;
use crate::vault::Vault;

/// A frame's line in `frames.jsonl`.
#[derive(Debug, Clone, Serialize, Deserialize)]
struct FrameLine {
    label: Label,
    index: u64,
    bytes: u32,
    value: Digest,
    blank: BlankBytes,
    #[serde(flatten)]
    lies: Lies,
}

/// Where a frame lies.
#[derive(Debug, Clone, Serialize, Deserialize)]
#[serde(untagged)]
enum Lies {
    /// In the part, behind those before it. A line of an earlier version has no digest and counts as torn:
    /// that frame is read again.
    Here {
        stored_bytes: u32,
        /// Digest of the zstd frame.
        stored_blake3: Digest,
    },
    /// In the object of this image, at the same place: it was captured before.
    As { as_in: Digest },
}

/// A line of `frames.jsonl`.
#[derive(Debug, Serialize, Deserialize)]
#[serde(untagged)]
enum Line {
    /// A frame is here.
    Frame(FrameLine),
    /// So many frames of a label are on the disk.
    Mark { synced: Label, frames: u64 },
}

/// The frames of one image so far.
#[derive(Debug, Default)]
struct Part {
    lines: Vec<FrameLine>,
    /// Opened when something is written.
    file: Option<Arc<File>>,
    /// Bytes of the frames that lie in it.
    stored: u64,
    /// Those of them that the thread was asked to see to.
    asked: u64,
}

impl Part {
    fn push(&mut self, line: FrameLine) {
        if let Lies::Here { stored_bytes, .. } = line.lies {
            self.stored += u64::from(stored_bytes);
        }
        self.lines.push(line);
    }
}

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
        let lies = match (&frame.packed, known) {
            (Some(packed), _) => {
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
                Lies::Here {
                    stored_bytes: u32::try_from(packed.stored.len()).unwrap_or(u32::MAX),
                    stored_blake3: packed.stored_blake3,
                }
            }
            (None, Some(as_in)) => Lies::As { as_in },
            (None, None) => {
                return Err(VaultError::Unreadable {
                    path: path.clone(),
                    what: format!("frame {} of {label} lies nowhere", frame.index),
                });
            }
        };
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
                match (&frame.packed, known) {
                    (Some(packed), _) => {
                        stored.extend_from_slice(&packed.stored);
                        line.lies = Lies::Here {
                            stored_bytes: u32::try_from(stored.len()).unwrap_or(u32::MAX),
                            stored_blake3: packed.stored_blake3,
                        };
                    }
                    (None, known) => {
                        let as_in = known.ok_or_else(|| refuse(io::ErrorKind::NotFound.into()))?;
                        line.lies = Lies::As { as_in };
                    }
                }
            }
            file.write_all_at(&stored, rest.stored).map_err(&refuse)?;
            rest.push(line);
        }
        file.sync_all().map_err(&refuse)?;
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

    /// Closes an image whose frames are all here: the object gets its name. Frames that were captured before
    /// are not stored again: where they are all, the object is there already; where they are most, it holds
    /// only the others. An object that is in the vault already, and is sound, stays.
    ///
    /// # Errors
    /// When a frame is missing or the object can't be written. Where frames that were captured before are
    /// gone, what is here is forgotten, and they are read again.
    pub fn close(&mut self, label: &Label, layout: FrameLayout) -> Result<StagedImage, VaultError> {
        let path = self.part(label);
        let part = self.parts.entry(label.clone()).or_default();
        let values: Vec<Digest> = part.lines.iter().map(|line| line.value).collect();
        let blake3 = layout
            .merge(&values)
            .ok_or_else(|| VaultError::Unreadable {
                path: path.clone(),
                what: format!("{} of {} frames are here", values.len(), layout.count()),
            })?;
        let blanks = part.lines.iter().map(|line| line.blank);
        let blank = blanks.reduce(BlankBytes::and).unwrap_or(BlankBytes::No);
        let before: BTreeSet<Digest> = part
            .lines
            .iter()
            .filter_map(|line| match line.lies {
                Lies::As { as_in } => Some(as_in),
                Lies::Here { .. } => None,
            })
            .collect();
        let list = FrameList::new(layout, values.clone(), blake3);
        let is_here = |vault: &Vault| {
            let is_there = vault.object_path(blake3).exists();
            list.is_some_and(|list| is_there && vault.object_is_sound(&list, blake3))
        };
        let put = match before.into_iter().collect::<Vec<_>>()[..] {
            // Nothing has changed, and the copy that it was captured in was read back.
            [one] if one == blake3 => self.captured_before(blake3).map(drop),
            _ if is_here(self.vault) => Ok(()),
            [] => self.put_whole(label, blake3),
            [one] => self.put_changed(label, layout, one, blake3),
            _ => Err(VaultError::Unreadable {
                path: path.clone(),
                what: "its frames lie in more than one object".to_owned(),
            }),
        };
        if let Err(error) = put {
            let is_gone = matches!(
                error,
                VaultError::Unreadable { .. } | VaultError::Damaged { .. }
            );
            if is_gone {
                self.forget(label)?;
            }
            return Err(error);
        }
        let target = self.vault.object_path(blake3);
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

    /// The part itself becomes the object: digests and seek table go behind its frames.
    fn put_whole(&mut self, label: &Label, blake3: Digest) -> Result<(), VaultError> {
        let path = self.part(label);
        let refuse = VaultError::at(&path);
        let Some(part) = self.parts.get(label) else {
            return Ok(());
        };
        let mut end = End::default();
        for line in &part.lines {
            if let Lies::Here {
                stored_bytes,
                stored_blake3,
            } = line.lies
            {
                end.sizes.push((stored_bytes, line.bytes));
                end.digests.push(stored_blake3);
            }
        }
        let file = OpenOptions::new().write(true).open(&path);
        let file = file.map_err(|error| match error.kind() {
            io::ErrorKind::NotFound => VaultError::Unreadable {
                path: path.clone(),
                what: "what was read is gone from the disk: take it up again".to_owned(),
            },
            _ => refuse(error),
        })?;
        file.set_len(part.stored).map_err(&refuse)?;
        file.write_all_at(&end.bytes(), part.stored)
            .map_err(&refuse)?;
        file.sync_all().map_err(&refuse)?;
        self.name(&path, &whole_name(blake3))
    }

    /// The frames that differ from those of `before` become an object that names it; where they are most,
    /// all become one.
    fn put_changed(
        &mut self,
        label: &Label,
        layout: FrameLayout,
        before: Digest,
        blake3: Digest,
    ) -> Result<(), VaultError> {
        let path = self.part(label);
        let refuse = VaultError::at(&path);
        let Some(part) = self.parts.get(label) else {
            return Ok(());
        };
        let mut old = self.captured_before(before)?;
        // What that object has from another one, this has from there too.
        let rest = old.rest_image().unwrap_or(before);
        let differs = |line: &&FrameLine, old: &Object| match line.lies {
            Lies::Here { .. } => true,
            Lies::As { .. } => old.rest_image().is_some() && old.is_own(line.index),
        };
        let own = part.lines.iter().filter(|line| differs(line, &old)).count();
        let is_whole = own as u64 * 2 > layout.count();
        let spare = path.with_extension("part-new");
        let file = File::create(&spare).map_err(&refuse)?;
        let (mut at, mut from) = (0, 0);
        let mut end = End::default();
        let mut numbers = Vec::new();
        for line in &part.lines {
            let is_own = is_whole || differs(&line, &old);
            let frame = match line.lies {
                Lies::Here {
                    stored_bytes,
                    stored_blake3,
                } => {
                    let mut stored = vec![0; stored_bytes as usize];
                    let part = part.file.as_ref().map(Arc::clone);
                    let part = part.map_or_else(|| File::open(&path).map(Arc::new), Ok);
                    part.and_then(|part| part.read_exact_at(&mut stored, from))
                        .map_err(&refuse)?;
                    from += u64::from(stored_bytes);
                    StoredFrame {
                        stored,
                        bytes: line.bytes,
                        stored_blake3,
                    }
                }
                Lies::As { .. } if is_own => {
                    let frame = old.stored_frame(line.index);
                    frame.map_err(|what| damaged(label, layout, line.index, what))?
                }
                Lies::As { .. } => continue,
            };
            file.write_all_at(&frame.stored, at).map_err(&refuse)?;
            at += frame.stored.len() as u64;
            end.sizes.push((
                u32::try_from(frame.stored.len()).unwrap_or(u32::MAX),
                frame.bytes,
            ));
            end.digests.push(frame.stored_blake3);
            numbers.push(u32::try_from(line.index).unwrap_or(u32::MAX));
        }
        if !is_whole {
            end.rest = Some(RestIn {
                image: rest,
                length_bytes: layout.length_bytes(),
                own: numbers,
            });
        }
        file.write_all_at(&end.bytes(), at).map_err(&refuse)?;
        file.sync_all().map_err(&refuse)?;
        let name = if is_whole {
            whole_name(blake3)
        } else {
            changed_name(blake3)
        };
        self.name(&spare, &name)?;
        durable::clear(&path).map_err(&refuse)
    }

    /// The object of an image that was captured before.
    fn captured_before(&self, image: Digest) -> Result<Object, VaultError> {
        self.vault
            .object(image)
            .map_err(|error| VaultError::Unreadable {
                path: self.vault.object_path(image),
                what: format!(
                    "what was captured before is not here any more ({error}): take it up again"
                ),
            })
    }

    /// Gives a synced file its name among the objects.
    fn name(&self, file: &Path, name: &Path) -> Result<(), VaultError> {
        let target = self.vault.root().join("objects").join(name);
        durable::make_folder(parent(&target)).map_err(VaultError::at(&target))?;
        durable::rename(file, &target).map_err(VaultError::at(&target))
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

/// What lies behind an object's frames.
#[derive(Debug, Default)]
struct End {
    sizes: Vec<(u32, u32)>,
    digests: Vec<Digest>,
    rest: Option<RestIn>,
}

impl End {
    fn bytes(&self) -> Vec<u8> {
        let mut bytes = self.rest.as_ref().map(build_rest).unwrap_or_default();
        bytes.extend(build_digests(&self.digests));
        bytes.extend(build_seek_table(&self.sizes));
        bytes
    }
}

fn damaged(label: &Label, layout: FrameLayout, index: u64, what: String) -> VaultError {
    let (first, length) = layout.span(index);
    VaultError::Damaged {
        label: label.to_string(),
        frame: index,
        first,
        last: first + length.saturating_sub(1),
        what,
    }
}

fn as_line(line: &Line) -> io::Result<Vec<u8>> {
    let mut text = serde_json::to_vec(line)?;
    text.push(b'\n');
    Ok(text)
}

/// The frames that lines tell of, by label, with how many of each are on the disk for sure; and whether the
/// last line is torn.
#[expect(clippy::type_complexity, reason = "it is taken apart at once")]
fn read_lines(mut reader: impl BufRead) -> io::Result<(BTreeMap<Label, (Part, u64)>, bool)> {
    let mut parts: BTreeMap<Label, (Part, u64)> = BTreeMap::new();
    let mut text = String::new();
    loop {
        text.clear();
        if reader.read_line(&mut text)? == 0 {
            return Ok((parts, false));
        }
        // A line without its end was being written when the process died.
        let line = text.strip_suffix('\n');
        match line.and_then(|line| serde_json::from_str(line).ok()) {
            Some(Line::Mark { synced, frames }) => {
                let (_, marked) = parts.entry(synced).or_default();
                *marked = frames.max(*marked);
            }
            Some(Line::Frame(line)) => {
                let (part, _) = parts.entry(line.label.clone()).or_default();
                if line.index != part.lines.len() as u64 {
                    return Ok((parts, true));
                }
                part.push(line);
            }
            None => return Ok((parts, true)),
        }
    }
}

/// Hashes what is not on the disk for sure, and lets go of what is not as it was written and all behind it.
/// Says whether anything was. A part that is no longer here became an object.
fn keep_sound(part: &mut Part, synced: u64, path: &Path) -> io::Result<bool> {
    let file = match File::open(path) {
        Err(error) if error.kind() == io::ErrorKind::NotFound => return Ok(false),
        other => other?,
    };
    let lines = std::mem::take(part).lines;
    let count = lines.len();
    for line in lines {
        if let (
            Lies::Here {
                stored_bytes,
                stored_blake3,
            },
            true,
        ) = (&line.lies, line.index >= synced)
        {
            let mut stored = vec![0; *stored_bytes as usize];
            let is_read = file.read_exact_at(&mut stored, part.stored).is_ok();
            if !is_read || Digest::of(&stored) != *stored_blake3 {
                break;
            }
        }
        part.push(line);
    }
    Ok(part.lines.len() < count)
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
