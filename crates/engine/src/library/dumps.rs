//! Dumps that hands took of a unit, on their way into the vault: in `DATA/dumps/<unit>`, each as the bytes of a
//! partition. What comes packed is unpacked as it comes, what comes in an archive is taken out, what is sparse is
//! expanded; lists of digests are held against what they name. What each is, is judged by the core.

use std::fs::{self, File};
use std::io::{self, Read, Seek, SeekFrom, Write as _};
use std::path::{Path, PathBuf};
use std::sync::{Mutex, MutexGuard};

use serde::{Deserialize, Serialize};
use veritope_core::captured::BlankBytes;
use veritope_core::handed::End;
use veritope_core::published::{Algorithm, Compared, FileHasher, PublishedDigest, SeenFile};
use veritope_formats::look::{
    Bytes, HEAD_BYTES, Limits, Mark, Part, What, WhichEnd, area_end, look, sniff, superblock, take,
};
use veritope_formats::weak::WeakHasher;
use veritope_vault::durable::{self, Staged};
use veritope_wire::{Digest, Label, RequestId, UnitId};

use crate::desk::pen::lock;
use crate::library::shelf::{Intake, OpenFile};

/// Most files of one unit.
const MOST_FILES: usize = 4096;
/// Archives within archives that are gone into.
const MOST_DEPTH: u8 = 2;
/// Longest dump.
const MOST_BYTES: u64 = 1 << 40;
/// Longest list of digests.
const MOST_LIST_BYTES: u64 = 256 << 10;

/// Dumps of all units.
pub(crate) struct Dumps {
    folder: PathBuf,
    /// Held while a batch is read and written again.
    writing: Mutex<()>,
}

/// What was handed in for a unit and is not in the vault yet.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
pub(crate) struct Batch {
    /// Version of this file; 1.
    version: u32,
    /// Number of the next file.
    next: u32,
    /// Files, in the order in which they came.
    pub(crate) files: Vec<HeldDump>,
    /// Lists of digests: name and text.
    lists: Vec<(String, String)>,
    /// What a person said: whether all were taken since the unit went into its mode.
    pub(crate) taken_now: Option<bool>,
    /// Requests that were carried out.
    done: Vec<RequestId>,
}

/// One dump.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub(crate) struct HeldDump {
    /// Its number.
    pub(crate) id: u32,
    /// Its name, with the archives that it lay in.
    pub(crate) name: String,
    /// Length in bytes.
    pub(crate) bytes: u64,
    /// Digest, as hashed when it came.
    pub(crate) blake3: Digest,
    /// When it was written, in milliseconds since 1970; nothing where nobody says.
    pub(crate) written_ms: Option<i64>,
    /// Whether it holds anything.
    pub(crate) blank: BlankBytes,
    /// Bytes that a file system at its head declares.
    pub(crate) declares: Option<u64>,
    /// The storage area whose end it is.
    pub(crate) end: Option<AreaPart>,
    /// The partition that a person said it is.
    pub(crate) said: Option<Label>,
    /// What a list of digests says against it.
    pub(crate) against: Option<String>,
    /// What it came in, from the outside in.
    carriers: Vec<Carrier>,
}

/// An end of a storage area, as a dump of it says.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub(crate) struct AreaPart {
    pub(crate) guid: String,
    pub(crate) which: End,
    pub(crate) sector_bytes: u32,
    pub(crate) area_bytes: u64,
    pub(crate) partitions: Option<(u64, u64)>,
}

/// A packed file that a dump came in.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
struct Carrier {
    name: String,
    blake3: Digest,
    sha256: String,
}

/// Why a dump was not taken in.
#[derive(Debug, thiserror::Error)]
pub(crate) enum NotTakenIn {
    /// A file or folder.
    #[error("{0}")]
    File(#[from] io::Error),
    /// It can't be unpacked.
    #[error("{name} can't be taken apart: {why}")]
    Apart {
        /// Which.
        name: String,
        /// Why not.
        why: String,
    },
    /// There are too many.
    #[error("more than {MOST_FILES} files were handed in: hand in those of one unit")]
    TooMany,
}

impl Carrier {
    /// Whether it has another digest than this one; what was not computed of it tells nothing.
    fn differs(&self, digest: &PublishedDigest) -> bool {
        digest.may_be().all(|algorithm| match algorithm {
            Algorithm::Blake3 => self.blake3.to_string() != digest.value(),
            Algorithm::Sha256 => self.sha256 != digest.value(),
            Algorithm::Sha512 | Algorithm::Sha1 | Algorithm::Md5 => false,
        })
    }
}

impl Dumps {
    pub(crate) fn new(folder: PathBuf) -> Self {
        Self {
            folder,
            writing: Mutex::default(),
        }
    }

    fn of_unit(&self, unit: UnitId) -> PathBuf {
        self.folder.join(unit.to_string())
    }

    /// Where a dump lies.
    pub(crate) fn path(&self, unit: UnitId, id: u32) -> PathBuf {
        self.of_unit(unit).join(format!("{id}.dump"))
    }

    /// What was handed in for a unit.
    ///
    /// # Errors
    /// When its list can't be read.
    pub(crate) fn batch(&self, unit: UnitId) -> io::Result<Batch> {
        let path = self.of_unit(unit).join("handed.json");
        let batch: Batch = match fs::read(&path) {
            Ok(bytes) => serde_json::from_slice(&bytes)?,
            Err(error) if error.kind() == io::ErrorKind::NotFound => Batch::default(),
            Err(error) => return Err(error),
        };
        if batch.version > 1 {
            return Err(io::Error::other("a newer Veritope wrote it; use that one"));
        }
        Ok(batch)
    }

    /// Changes the list of a unit's dumps; what `change` gives up on is not written.
    fn change<T>(
        &self,
        unit: UnitId,
        change: impl FnOnce(&mut Batch) -> Result<T, NotTakenIn>,
    ) -> Result<T, NotTakenIn> {
        let _writing: MutexGuard<'_, ()> = lock(&self.writing);
        let mut batch = self.batch(unit)?;
        let changed = change(&mut batch)?;
        batch.version = 1;
        let bytes = serde_json::to_vec_pretty(&batch).map_err(io::Error::other)?;
        durable::write(&self.of_unit(unit).join("handed.json"), &bytes)?;
        Ok(changed)
    }

    /// Begins to take a file in.
    ///
    /// # Errors
    /// When nothing can be written.
    pub(crate) fn begin(&self, unit: UnitId) -> io::Result<Intake> {
        let folder = self.of_unit(unit);
        durable::make_folder(&folder)?;
        Intake::begin(&folder)
    }

    /// Takes a file in that came whole, with all that lies in it. The same request is carried out once.
    ///
    /// # Errors
    /// When it can't be taken apart or written; then nothing of it is there.
    pub(crate) fn put(
        &self,
        unit: UnitId,
        intake: Intake,
        name: &str,
        written_ms: Option<i64>,
        request: RequestId,
    ) -> Result<(), NotTakenIn> {
        let arrived = intake.end()?;
        let mut apart = Apart {
            folder: self.of_unit(unit),
            files: Vec::new(),
            lists: Vec::new(),
        };
        apart.take(
            arrived.staged,
            arrived.seen,
            (clean(name), written_ms),
            &[],
            0,
        )?;
        let Apart { files, lists, .. } = apart;
        self.change(unit, |batch| {
            if batch.done.contains(&request) {
                return Ok(());
            }
            if batch.files.len() + files.len() > MOST_FILES {
                return Err(NotTakenIn::TooMany);
            }
            for (mut dump, staged) in files {
                dump.id = batch.next;
                batch.next += 1;
                staged.place(&self.path(unit, dump.id))?;
                batch.files.push(dump);
            }
            batch.lists.extend(lists);
            batch.done.push(request);
            self.hold_against(unit, batch)
        })
    }

    /// Holds each dump against each list that names it.
    fn hold_against(&self, unit: UnitId, batch: &mut Batch) -> Result<(), NotTakenIn> {
        let Batch { files, lists, .. } = batch;
        for dump in files.iter_mut() {
            let mut seen: Option<SeenFile> = None;
            let mut against = None;
            for (list, text) in lists.iter() {
                for line in text.lines().filter(|line| !line.trim().is_empty()) {
                    let says_otherwise = |carrier: &&Carrier| {
                        let digest = PublishedDigest::read(line, &carrier.name);
                        is_named(line) && digest.is_ok_and(|digest| carrier.differs(&digest))
                    };
                    if let Some(carrier) = dump.carriers.iter().find(says_otherwise) {
                        let name = &carrier.name;
                        against = Some(format!("{name} has another digest than {list} says"));
                    }
                    let Ok(digest) = PublishedDigest::read(line, &dump.name) else {
                        continue;
                    };
                    // A digest alone stands in a file that is named after what it is of.
                    let is_beside = || {
                        let stem = list
                            .rsplit_once('.')
                            .map_or(list.as_str(), |(stem, _)| stem);
                        last_of(stem) == last_of(&dump.name)
                    };
                    if !is_named(line) && !is_beside() {
                        continue;
                    }
                    if seen.is_none() {
                        seen = Some(hashed(&self.path(unit, dump.id))?);
                    }
                    let differs = seen.as_ref().map(|seen| seen.compare(&digest));
                    if differs == Some(Compared::Differs) {
                        against = Some(format!("it has another digest than {list} says"));
                    }
                }
            }
            dump.against = against;
        }
        Ok(())
    }

    /// Notes which partition a dump is, by a person's word; nothing takes that back.
    ///
    /// # Errors
    /// When there is no such dump, or the list can't be written.
    pub(crate) fn say(
        &self,
        unit: UnitId,
        id: u32,
        label: Option<Label>,
    ) -> Result<(), NotTakenIn> {
        self.change(unit, |batch| {
            let mut files = batch.files.iter_mut();
            let dump = files.find(|dump| dump.id == id);
            dump.ok_or(io::ErrorKind::NotFound.into())
                .map_err(NotTakenIn::File)?
                .said = label;
            Ok(())
        })
    }

    /// Notes when they were taken.
    ///
    /// # Errors
    /// When the list can't be written.
    pub(crate) fn say_when(&self, unit: UnitId, taken_now: Option<bool>) -> Result<(), NotTakenIn> {
        self.change(unit, |batch| {
            batch.taken_now = taken_now;
            Ok(())
        })
    }

    /// Takes a dump out again.
    ///
    /// # Errors
    /// When it can't be removed.
    pub(crate) fn remove(&self, unit: UnitId, id: u32) -> Result<(), NotTakenIn> {
        self.change(unit, |batch| {
            batch.files.retain(|dump| dump.id != id);
            Ok(())
        })?;
        Ok(durable::clear(&self.path(unit, id))?)
    }

    /// Throws all of a unit's away: they are in the vault, or nobody wants them.
    ///
    /// # Errors
    /// When they can't be removed.
    pub(crate) fn clear(&self, unit: UnitId) -> io::Result<()> {
        let _writing = lock(&self.writing);
        match fs::remove_dir_all(self.of_unit(unit)) {
            Err(error) if error.kind() != io::ErrorKind::NotFound => Err(error),
            _ => Ok(()),
        }
    }
}

/// A file that is taken apart.
struct Apart {
    folder: PathBuf,
    files: Vec<(HeldDump, Staged)>,
    lists: Vec<(String, String)>,
}

impl Apart {
    fn take(
        &mut self,
        staged: Staged,
        seen: SeenFile,
        (name, written_ms): (String, Option<i64>),
        carriers: &[Carrier],
        depth: u8,
    ) -> Result<(), NotTakenIn> {
        if self.files.len() >= MOST_FILES {
            return Err(NotTakenIn::TooMany);
        }
        let path = staged.path().to_owned();
        let bytes = OpenFile::at(&path)?;
        let refuse = |why: String| NotTakenIn::Apart {
            name: name.clone(),
            why,
        };
        let ending = name
            .rsplit_once('.')
            .map(|(_, ending)| ending.to_ascii_lowercase());
        let is_called =
            |endings: &[&str]| ending.as_deref().is_some_and(|one| endings.contains(&one));
        let within = || {
            let own = Carrier {
                name: last_of(&name).to_owned(),
                blake3: seen.seen.digest(),
                sha256: seen.by(Algorithm::Sha256).unwrap_or_default(),
            };
            carriers.iter().cloned().chain([own]).collect::<Vec<_>>()
        };
        // What only looks packed, and is not called so, may be what a partition holds.
        match sniff(&bytes) {
            Mark::Tar | Mark::Zip if is_called(&["tar", "zip"]) => {
                if depth >= MOST_DEPTH {
                    return Err(refuse(
                        "archives within archives within archives are not gone into".to_owned(),
                    ));
                }
                let looked = look(
                    &bytes,
                    &name,
                    Limits {
                        depth: 0,
                        ..Limits::default()
                    },
                );
                let What::Archive(archive) = looked.what else {
                    return Err(refuse("its members can't be listed".to_owned()));
                };
                if archive.member_count > archive.members.len() as u64 {
                    return Err(NotTakenIn::TooMany);
                }
                for member in archive
                    .members
                    .iter()
                    .filter(|one| !one.name.ends_with('/') && one.bytes > 0)
                {
                    let inner = self
                        .out_of(&bytes, Part::Member(&member.name))
                        .map_err(refuse)?;
                    let (inner, seen) = inner;
                    let inner_name = clean(&format!("{name}/{}", member.name));
                    self.take(inner, seen, (inner_name, None), &within(), depth + 1)?;
                }
                Ok(())
            }
            Mark::Packed(_) if is_called(&["gz", "zst", "xz", "lz4", "bz2", "tgz"]) => {
                let (inner, inner_seen) = self.out_of(&bytes, Part::Unpacked).map_err(refuse)?;
                let stem = name
                    .rsplit_once('.')
                    .map_or(name.as_str(), |(stem, _)| stem);
                let inner_name = if is_called(&["tgz"]) {
                    format!("{stem}.tar")
                } else {
                    stem.to_owned()
                };
                self.take(
                    inner,
                    inner_seen,
                    (inner_name, written_ms),
                    &within(),
                    depth,
                )
            }
            Mark::Sparse => {
                let (inner, inner_seen) = self.out_of(&bytes, Part::Expanded).map_err(refuse)?;
                self.take(
                    inner,
                    inner_seen,
                    (name.clone(), written_ms),
                    &within(),
                    depth,
                )
            }
            _ => {
                if bytes.length() <= MOST_LIST_BYTES
                    && let Some(text) = list_in(&path)?
                {
                    self.lists.push((name, text));
                    return Ok(());
                }
                let dump = seen_in(
                    &bytes,
                    seen.seen.digest(),
                    name,
                    written_ms,
                    carriers.to_vec(),
                )?;
                self.files.push((dump, staged));
                Ok(())
            }
        }
    }

    /// One thing out of another, hashed.
    fn out_of(&self, bytes: &OpenFile, part: Part<'_>) -> Result<(Staged, SeenFile), String> {
        let told = |error: io::Error| error.to_string();
        let mut staged = Staged::within(&self.folder).map_err(told)?;
        take(bytes, part, MOST_BYTES, staged.file()).map_err(|why| why.to_string())?;
        staged.file().flush().map_err(told)?;
        let seen = hashed_file(staged.file()).map_err(told)?;
        Ok((staged, seen))
    }
}

/// The text of a list of digests; nothing where a file is none.
fn list_in(path: &Path) -> io::Result<Option<String>> {
    let Ok(text) = String::from_utf8(fs::read(path)?) else {
        return Ok(None);
    };
    let mut lines = text
        .lines()
        .filter(|line| !line.trim().is_empty())
        .peekable();
    let is_list = lines.peek().is_some()
        && lines.all(|line| {
            let named = line.split_whitespace().nth(1).unwrap_or("");
            let bare = named.trim_start_matches('*');
            PublishedDigest::read(line, bare).is_ok()
                || line.split_once('(').is_some_and(|(_, rest)| {
                    let name = rest.split_once(')').map_or("", |(name, _)| name);
                    PublishedDigest::read(line, name).is_ok()
                })
        });
    Ok(is_list.then_some(text))
}

/// Whether a line of a list names a file.
fn is_named(line: &str) -> bool {
    line.contains('(') || line.split_whitespace().nth(1).is_some()
}

/// What was seen of a dump.
fn seen_in(
    bytes: &OpenFile,
    blake3: Digest,
    name: String,
    written_ms: Option<i64>,
    carriers: Vec<Carrier>,
) -> io::Result<HeldDump> {
    let mut head = vec![0; HEAD_BYTES.min(usize::try_from(bytes.length()).unwrap_or(usize::MAX))];
    bytes.read_exact_at(0, &mut head)?;
    let end = area_end(bytes).map(|end| AreaPart {
        guid: end.guid,
        which: match end.which {
            WhichEnd::Head => End::Head,
            WhichEnd::Tail => End::Tail,
            WhichEnd::Whole => End::Whole,
        },
        sector_bytes: end.sector_bytes,
        area_bytes: end.area_bytes,
        partitions: end.partitions,
    });
    Ok(HeldDump {
        id: 0,
        name,
        bytes: bytes.length(),
        blake3,
        written_ms,
        blank: blank_of(bytes)?,
        declares: superblock(&head).map(|system| system.declared_bytes),
        end,
        said: None,
        against: None,
        carriers,
    })
}

/// Whether a file holds anything; the first byte that says so ends the reading.
fn blank_of(bytes: &OpenFile) -> io::Result<BlankBytes> {
    let mut piece = vec![0; 1 << 20];
    let (mut at, mut all) = (0, None);
    while at < bytes.length() {
        let length = piece
            .len()
            .min(usize::try_from(bytes.length() - at).unwrap_or(usize::MAX));
        let piece = &mut piece[..length];
        bytes.read_exact_at(at, piece)?;
        let now = BlankBytes::of(piece);
        let both = all.map_or(now, |before: BlankBytes| before.and(now));
        if both == BlankBytes::No {
            return Ok(both);
        }
        all = Some(both);
        at += length as u64;
    }
    Ok(all.unwrap_or(BlankBytes::No))
}

fn hashed_file(file: &mut File) -> io::Result<SeenFile> {
    file.seek(SeekFrom::Start(0))?;
    let mut hasher = FileHasher::new([Algorithm::Sha256]);
    let mut piece = vec![0; 1 << 20];
    loop {
        match file.read(&mut piece)? {
            0 => return Ok(hasher.finish()),
            read => hasher.update(&piece[..read]),
        }
    }
}

/// A file, hashed in every way that lists know.
fn hashed(path: &Path) -> io::Result<SeenFile> {
    let mut file = File::open(path)?;
    let mut hasher = FileHasher::new([Algorithm::Sha256, Algorithm::Sha512]);
    let mut weak = WeakHasher::default();
    let mut piece = vec![0; 1 << 20];
    loop {
        match file.read(&mut piece)? {
            0 => break,
            read => {
                hasher.update(&piece[..read]);
                weak.update(&piece[..read]);
            }
        }
    }
    let (md5, sha1) = weak.finish();
    Ok(hasher
        .finish()
        .and(Algorithm::Md5, md5)
        .and(Algorithm::Sha1, sha1))
}

/// A name as it is kept and shown: of usual signs, without ways out of a folder.
fn clean(name: &str) -> String {
    let parts = name.split(['/', '\\']).map(|part| {
        let signs = part.chars().filter(|sign| !sign.is_control()).take(120);
        signs.collect::<String>()
    });
    let parts: Vec<String> = parts
        .filter(|part| !matches!(part.as_str(), "" | "." | ".."))
        .collect();
    match parts.join("/") {
        name if name.is_empty() => "without a name".to_owned(),
        name => name,
    }
}

fn last_of(name: &str) -> &str {
    name.rsplit('/').next().unwrap_or(name)
}
