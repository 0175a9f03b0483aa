//! The log's files: a chain read through, lines appended all or none and synced.

use std::fs::{self, File, OpenOptions};
use std::io::{self, BufRead, BufReader, Read, Seek, SeekFrom, Write};
use std::os::unix::fs::OpenOptionsExt;
use std::path::{Path, PathBuf};

use veritope_vault::durable;
use veritope_wire::{Digest, Stamp, WallTime};

use crate::desk::line::{self, Bad, Cite, Head, LineVersion, MOST_LINE_BYTES};
use crate::desk::record::{Scope, Stamped};

/// The log's folder can't be used.
#[derive(Debug, thiserror::Error)]
#[error("{} can't be {doing}", .path.display())]
pub struct LogError {
    /// The folder.
    pub path: PathBuf,
    /// What was tried: "made", "listed".
    pub doing: &'static str,
    /// Why.
    #[source]
    pub source: io::Error,
}

/// Where a chain stops being one.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Broken {
    /// A line is damaged, missing or out of place.
    Line {
        /// Which, from 1.
        line: u64,
        /// What is wrong.
        what: String,
    },
    /// A line was written by a later program.
    Newer {
        /// Which, from 1.
        line: u64,
    },
    /// The file can't be read.
    File {
        /// Why.
        what: String,
    },
}

/// A chain as it was read: as far as it is sound.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct ChainRead {
    /// Hash of each line, in order.
    pub hashes: Vec<Digest>,
    /// What its lines say of the bench's chain, each with the number of the line that says so.
    pub cites: Vec<(u64, Cite)>,
    /// Version of the first line.
    pub first: Option<LineVersion>,
    /// The last line that tells what the bench had counted.
    pub newest: Option<Stamp>,
    /// Where it stops being a chain; nothing when it is sound to its end.
    pub broken: Option<Broken>,
}

impl ChainRead {
    /// Where the sound part ends.
    #[must_use]
    pub fn head(&self) -> Head {
        Head {
            entries: self.hashes.len() as u64,
            hash: self.hashes.last().copied(),
        }
    }

    /// The hash of line `seq`, from 1.
    #[must_use]
    pub fn hash_at(&self, seq: u64) -> Option<Digest> {
        let at = usize::try_from(seq.checked_sub(1)?).ok()?;
        self.hashes.get(at).copied()
    }
}

/// Why lines were not appended.
pub(super) enum NotAppended {
    /// The file is as it was before.
    TakenBack(io::Error),
    /// They may stand in the file in part or as a whole.
    InDoubt(io::Error),
}

/// A file that was moved aside.
pub(super) struct Moved {
    pub(super) name: String,
    pub(super) digest: Digest,
}

/// The log files of one data folder.
#[derive(Debug, Clone)]
pub struct LogFiles {
    folder: PathBuf,
}

impl LogFiles {
    /// Opens the folder, made if need be.
    ///
    /// # Errors
    /// When it can't be made.
    pub fn open(folder: &Path) -> Result<Self, LogError> {
        durable::make_folder(folder).map_err(|source| LogError {
            path: folder.to_owned(),
            doing: "made",
            source,
        })?;
        Ok(Self {
            folder: folder.to_owned(),
        })
    }

    /// The chains there are, the bench's first.
    ///
    /// # Errors
    /// When the folder can't be listed.
    pub fn scopes(&self) -> Result<Vec<Scope>, LogError> {
        let failed = |source| LogError {
            path: self.folder.clone(),
            doing: "listed",
            source,
        };
        let mut scopes = Vec::new();
        for file in fs::read_dir(&self.folder).map_err(failed)? {
            let name = file.map_err(failed)?.file_name();
            let stem = name.to_str().and_then(|name| name.strip_suffix(".jsonl"));
            scopes.extend(stem.and_then(line::scope_of));
        }
        scopes.sort();
        Ok(scopes)
    }

    /// Where a scope's file lies.
    #[must_use]
    pub fn path(&self, scope: Scope) -> PathBuf {
        self.folder.join(format!("{}.jsonl", line::name_of(scope)))
    }

    /// Moves what a killed process left half-written at the end of the file beside it, then reads the
    /// chain.
    #[must_use]
    pub fn read_through(&self, scope: Scope, each: &mut dyn FnMut(Stamped)) -> ChainRead {
        let path = self.path(scope);
        match cut_torn_end(&path) {
            Ok(()) => read_chain(&path, scope, each),
            Err(error) => ChainRead {
                broken: Some(Broken::File {
                    what: error.to_string(),
                }),
                ..ChainRead::default()
            },
        }
    }

    /// Appends lines, all or none, and waits until they are on the disk.
    pub(super) fn append(&self, scope: Scope, text: &str) -> Result<(), NotAppended> {
        let path = self.path(scope);
        let is_new = !path.exists();
        let opened = OpenOptions::new()
            .create(true)
            .append(true)
            .mode(0o600)
            .open(&path)
            .and_then(|file| Ok((file.metadata()?.len(), file)));
        let (before, mut file) = opened.map_err(NotAppended::TakenBack)?;
        let written = file
            .write_all(text.as_bytes())
            .and_then(|()| file.sync_data())
            .and_then(|()| {
                if is_new {
                    File::open(&self.folder)?.sync_all()?;
                }
                Ok(())
            });
        let Err(error) = written else { return Ok(()) };
        // All or none: take back what may have reached the file.
        let taken_back = if is_new {
            fs::remove_file(&path).and_then(|()| File::open(&self.folder)?.sync_all())
        } else {
            file.set_len(before).and_then(|()| file.sync_all())
        };
        Err(match taken_back {
            Ok(()) => NotAppended::TakenBack(error),
            Err(_) => NotAppended::InDoubt(error),
        })
    }

    /// Moves a scope's file into `aside/`; nothing when there is none.
    pub(super) fn set_aside(&self, scope: Scope, at: WallTime) -> io::Result<Option<Moved>> {
        let path = self.path(scope);
        if !path.exists() {
            return Ok(None);
        }
        let aside = self.folder.join("aside");
        durable::make_folder(&aside)?;
        let mut hasher = blake3::Hasher::new();
        let digest = match hasher.update_reader(File::open(&path)?) {
            Ok(hasher) => Digest::from_bytes(*hasher.finalize().as_bytes()),
            Err(error) => return Err(error),
        };
        let name = format!("aside/{}-{}.jsonl", line::name_of(scope), at.ms());
        fs::rename(&path, self.folder.join(&name))?;
        File::open(&aside)?.sync_all()?;
        File::open(&self.folder)?.sync_all()?;
        Ok(Some(Moved { name, digest }))
    }
}

/// The hash of a file's first line, where it has one.
pub(super) fn first_hash(path: &Path) -> Option<Digest> {
    let mut line = Vec::new();
    let file = File::open(path).ok()?;
    BufReader::new(file.take(MOST_LINE_BYTES as u64))
        .read_until(b'\n', &mut line)
        .ok()?;
    let text = std::str::from_utf8(&line).ok()?.trim_end_matches('\n');
    let (_, rest) = text.rsplit_once(",\"hash\":\"")?;
    rest.strip_suffix("\"}")?.parse().ok()
}

fn cut_torn_end(path: &Path) -> io::Result<()> {
    let mut file = File::open(path)?;
    let length = file.metadata()?.len();
    let window = length.min(MOST_LINE_BYTES as u64);
    file.seek(SeekFrom::Start(length - window))?;
    let mut tail = Vec::new();
    file.read_to_end(&mut tail)?;
    let last = tail.iter().rposition(|byte| *byte == b'\n');
    let kept = last.map_or(0, |at| at + 1);
    if kept == tail.len() {
        return Ok(());
    }
    let torn = path.with_extension(format!("torn-{length}"));
    durable::write(&torn, &tail[kept..])?;
    let file = OpenOptions::new().write(true).open(path)?;
    file.set_len(length - (tail.len() - kept) as u64)?;
    file.sync_all()
}

/// Reads a chain and checks every link of it, up to the first that does not hold.
#[must_use]
pub fn read_chain(path: &Path, scope: Scope, each: &mut dyn FnMut(Stamped)) -> ChainRead {
    let mut read = ChainRead::default();
    let no_file = |error: io::Error| Broken::File {
        what: error.to_string(),
    };
    let file = match File::open(path) {
        Ok(file) => file,
        Err(error) => {
            read.broken = Some(no_file(error));
            return read;
        }
    };
    let mut lines = BufReader::new(file);
    let mut bytes = Vec::new();
    loop {
        bytes.clear();
        let most = MOST_LINE_BYTES as u64 + 1;
        match lines.by_ref().take(most).read_until(b'\n', &mut bytes) {
            Ok(0) => return read,
            Ok(_) => {}
            Err(error) => {
                read.broken = Some(no_file(error));
                return read;
            }
        }
        let number = read.hashes.len() as u64 + 1;
        let whole = bytes.strip_suffix(b"\n").unwrap_or(&bytes);
        match line::read(whole, scope, read.head()) {
            Ok(one) => {
                read.hashes.push(one.stamped.hash);
                read.cites.extend(one.bench.map(|cite| (number, cite)));
                if one.counts {
                    read.newest = Some(one.stamped.at);
                }
                read.first.get_or_insert(one.version);
                each(one.stamped);
            }
            Err(bad) => {
                read.broken = Some(match bad {
                    Bad::Broken(what) => Broken::Line { line: number, what },
                    Bad::Newer => Broken::Newer { line: number },
                });
                return read;
            }
        }
    }
}
