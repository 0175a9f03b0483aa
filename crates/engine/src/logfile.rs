//! The log on disk (`docs/log-format.md`): one file a scope, one JSON object a line, each line
//! holding the hash of the one before and its own, so that a changed, missing or reordered line
//! shows. An append is on the disk before it counts.

use std::collections::BTreeMap;
use std::fs::{self, File, OpenOptions};
use std::io::{self, Read, Seek, SeekFrom, Write};
use std::path::{Path, PathBuf};

use serde::{Deserialize, Serialize};
use veritope_wire::{Digest, Moment, RequestId, UnitId};

use crate::record::{Entry, Scope, Stamped};

/// Version of a line's layout.
///
/// Changes: 1 = first. 2 = entries for families, the clock and pictures.
pub const LINE_VERSION: u32 = 3;
/// Most bytes of one line; longer ones are damage.
const MOST_LINE_BYTES: usize = 4 << 20;

/// A line without its own hash.
#[derive(Serialize, Deserialize)]
struct Line {
    v: u32,
    seq: u64,
    at: Moment,
    prev: Option<Digest>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    request: Option<RequestId>,
    entry: Entry,
}

/// Why a log can't be relied on.
#[derive(Debug, thiserror::Error)]
pub enum LogError {
    /// A file can't be read or written.
    #[error("{}: {source}", .path.display())]
    File {
        /// The file.
        path: PathBuf,
        /// Why.
        #[source]
        source: io::Error,
    },
    /// A line is damaged, missing or out of place.
    #[error("{}, line {line}: {what}", .path.display())]
    Broken {
        /// The file.
        path: PathBuf,
        /// Line, from 1.
        line: u64,
        /// What is wrong.
        what: String,
    },
    /// A line was written by a later program.
    #[error("{}, line {line}: written by a newer Veritope; use that one", .path.display())]
    Newer {
        /// The file.
        path: PathBuf,
        /// Line, from 1.
        line: u64,
    },
}

/// Where a chain stands.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Head {
    /// Entries in it.
    pub entries: u64,
    /// Hash of the last one.
    pub hash: Option<Digest>,
}

/// The log files of one data folder. One value writes them.
#[derive(Debug)]
pub struct LogFiles {
    folder: PathBuf,
    heads: BTreeMap<Scope, Head>,
}

impl LogFiles {
    /// Opens the folder, reads every chain through, and hands each entry to `each`, chains in the
    /// order of their scopes. What a killed process left half-written at the end of a file is moved
    /// to a file of its own beside it: it was never acknowledged.
    ///
    /// # Errors
    /// See [`LogError`].
    pub fn open(folder: &Path, mut each: impl FnMut(Stamped)) -> Result<Self, LogError> {
        let at = |path: &Path| {
            let path = path.to_owned();
            move |source| LogError::File { path, source }
        };
        fs::create_dir_all(folder).map_err(at(folder))?;
        let mut scopes = Vec::new();
        for file in fs::read_dir(folder).map_err(at(folder))? {
            let name = file.map_err(at(folder))?.file_name();
            if let Some(scope) = name.to_str().and_then(scope_of) {
                scopes.push(scope);
            }
        }
        scopes.sort();
        let mut files = Self {
            folder: folder.to_owned(),
            heads: BTreeMap::new(),
        };
        for scope in scopes {
            files.cut_torn_end(scope)?;
            let head = read_chain(&files.path(scope), scope, &mut each)?;
            files.heads.insert(scope, head);
        }
        Ok(files)
    }

    /// Where a scope's file lies.
    #[must_use]
    pub fn path(&self, scope: Scope) -> PathBuf {
        self.folder.join(match scope {
            Scope::Bench => "bench.jsonl".to_owned(),
            Scope::Unit(unit) => format!("{unit}.jsonl"),
        })
    }

    /// Where a scope's chain stands.
    #[must_use]
    pub fn head(&self, scope: Scope) -> Head {
        self.heads.get(&scope).copied().unwrap_or_default()
    }

    /// Appends entries to a scope's chain, all or none, and waits until they are on the disk.
    ///
    /// # Errors
    /// When they are not; the file is then as before.
    pub fn append(
        &mut self,
        scope: Scope,
        at: Moment,
        request: Option<RequestId>,
        entries: Vec<Entry>,
    ) -> Result<Vec<Stamped>, LogError> {
        let path = self.path(scope);
        let refuse = |source| LogError::File {
            path: path.clone(),
            source,
        };
        let mut head = self.head(scope);
        let mut text = String::new();
        let mut stamped = Vec::new();
        for entry in entries {
            let seq = head.entries + 1;
            let line = Line {
                v: LINE_VERSION,
                seq,
                at,
                prev: head.hash,
                request,
                entry,
            };
            let body = serde_json::to_string(&line).map_err(|error| refuse(error.into()))?;
            let (sealed, hash) = seal_line(&body);
            text.push_str(&sealed);
            text.push('\n');
            head = Head {
                entries: seq,
                hash: Some(hash),
            };
            stamped.push(Stamped {
                scope,
                seq,
                at,
                request,
                entry: line.entry,
            });
        }
        let is_new = !path.exists();
        let mut file = OpenOptions::new()
            .create(true)
            .append(true)
            .open(&path)
            .map_err(refuse)?;
        let before = file.metadata().map_err(refuse)?.len();
        let written = file
            .write_all(text.as_bytes())
            .and_then(|()| file.sync_data());
        if let Err(source) = written {
            // All or none: take back what may have reached the file.
            let _ = file.set_len(before);
            return Err(refuse(source));
        }
        if is_new {
            File::open(&self.folder)
                .and_then(|folder| folder.sync_all())
                .map_err(refuse)?;
        }
        self.heads.insert(scope, head);
        Ok(stamped)
    }

    fn cut_torn_end(&self, scope: Scope) -> Result<(), LogError> {
        let path = self.path(scope);
        let refuse = |source| LogError::File {
            path: path.clone(),
            source,
        };
        let mut file = OpenOptions::new()
            .read(true)
            .write(true)
            .open(&path)
            .map_err(refuse)?;
        let length = file.metadata().map_err(refuse)?.len();
        let window = length.min(MOST_LINE_BYTES as u64);
        file.seek(SeekFrom::Start(length - window))
            .map_err(refuse)?;
        let mut tail = Vec::new();
        file.read_to_end(&mut tail).map_err(refuse)?;
        let kept = tail
            .iter()
            .rposition(|byte| *byte == b'\n')
            .map_or(0, |at| at + 1);
        if kept == tail.len() {
            return Ok(());
        }
        let torn = path.with_extension(format!("torn-{length}"));
        fs::write(&torn, &tail[kept..]).map_err(refuse)?;
        file.set_len(length - (tail.len() - kept) as u64)
            .map_err(refuse)?;
        file.sync_all().map_err(refuse)
    }
}

fn scope_of(name: &str) -> Option<Scope> {
    let stem = name.strip_suffix(".jsonl")?;
    if stem == "bench" {
        return Some(Scope::Bench);
    }
    stem.parse::<UnitId>().ok().map(Scope::Unit)
}

/// Closes a line: the hash over everything before it becomes its last field.
fn seal_line(body: &str) -> (String, Digest) {
    let open = body.strip_suffix('}').unwrap_or(body);
    let hash = Digest::of(open.as_bytes());
    (format!("{open},\"hash\":\"{hash}\"}}"), hash)
}

/// Splits a sealed line into what was hashed and the hash it claims.
fn open_line(line: &str) -> Option<(&str, Digest)> {
    let (open, rest) = line.rsplit_once(",\"hash\":\"")?;
    let hash = rest.strip_suffix("\"}")?.parse().ok()?;
    Some((open, hash))
}

/// Reads a chain through and checks every link of it.
///
/// # Errors
/// See [`LogError`].
pub fn read_chain(
    path: &Path,
    scope: Scope,
    each: &mut dyn FnMut(Stamped),
) -> Result<Head, LogError> {
    let text = fs::read_to_string(path).map_err(|source| LogError::File {
        path: path.to_owned(),
        source,
    })?;
    let mut head = Head::default();
    for (line, number) in text.lines().zip(1u64..) {
        let broken = |what: &str| LogError::Broken {
            path: path.to_owned(),
            line: number,
            what: what.to_owned(),
        };
        let (open, hash) = open_line(line).ok_or_else(|| broken("not a line of a log"))?;
        if Digest::of(open.as_bytes()) != hash {
            return Err(broken("changed after it was written"));
        }
        #[derive(Deserialize)]
        struct Version {
            v: u32,
        }
        let body = format!("{open}}}");
        let version: Version = serde_json::from_str(&body).map_err(|e| broken(&e.to_string()))?;
        if version.v > LINE_VERSION {
            return Err(LogError::Newer {
                path: path.to_owned(),
                line: number,
            });
        }
        let parsed: Line = serde_json::from_str(&body).map_err(|e| broken(&e.to_string()))?;
        if parsed.prev != head.hash || parsed.seq != head.entries + 1 {
            return Err(broken("does not follow the line before it"));
        }
        head = Head {
            entries: parsed.seq,
            hash: Some(hash),
        };
        each(Stamped {
            scope,
            seq: parsed.seq,
            at: parsed.at,
            request: parsed.request,
            entry: parsed.entry,
        });
    }
    Ok(head)
}

#[cfg(test)]
mod tests {
    use veritope_core::plan::Goal;

    use super::*;

    fn unit() -> Scope {
        Scope::Unit("0192f0c1-2345-7abc-8def-0123456789ab".parse().unwrap())
    }

    fn entries() -> Vec<Entry> {
        [Goal::Unlock, Goal::TemporaryRecovery, Goal::ReadTable]
            .map(|goal| Entry::GoalChosen { goal })
            .into()
    }

    fn written(folder: &Path) -> PathBuf {
        let mut files = LogFiles::open(folder, |_| {}).unwrap();
        files
            .append(unit(), Moment::from_ms(5).unwrap(), None, entries())
            .unwrap();
        files.path(unit())
    }

    fn read(path: &Path) -> Result<usize, String> {
        let mut count = 0;
        read_chain(path, unit(), &mut |_| count += 1)
            .map(|_| count)
            .map_err(|e| e.to_string())
    }

    #[test]
    fn what_is_appended_is_read_back_and_goes_on() {
        let folder = tempfile::tempdir().unwrap();
        written(folder.path());
        let mut seen = Vec::new();
        let mut files = LogFiles::open(folder.path(), |stamped| seen.push(stamped.entry)).unwrap();
        assert_eq!(seen, entries());
        files
            .append(unit(), Moment::from_ms(6).unwrap(), None, entries())
            .unwrap();
        assert_eq!(read(&files.path(unit())), Ok(6));
    }

    #[test]
    fn a_changed_missing_or_moved_line_is_named() {
        let folder = tempfile::tempdir().unwrap();
        let path = written(folder.path());
        let sound = fs::read_to_string(&path).unwrap();
        let lines: Vec<&str> = sound.lines().collect();
        let cases = [
            (
                sound.replacen("unlock", "unlocc", 1),
                "line 1: changed after it was written",
            ),
            ([lines[0], lines[2]].join("\n"), "line 2: does not follow"),
            (
                [lines[1], lines[0], lines[2]].join("\n"),
                "line 1: does not follow",
            ),
            (
                format!("{}\nnonsense\n", lines[0]),
                "line 2: not a line of a log",
            ),
        ];
        for (text, expected) in cases {
            fs::write(&path, text).unwrap();
            let error = read(&path).unwrap_err();
            assert!(error.contains(expected), "{error}");
        }
    }

    #[test]
    fn a_newer_line_is_not_guessed_at() {
        let folder = tempfile::tempdir().unwrap();
        let path = written(folder.path());
        let (newer, _) =
            seal_line(r#"{"v":99,"seq":1,"at":"2027-01-01T00:00:00Z","prev":null,"thought":1}"#);
        fs::write(&path, newer).unwrap();
        assert!(read(&path).unwrap_err().contains("newer Veritope"));
    }

    #[test]
    fn a_torn_end_is_set_aside_and_nothing_before_it_is_lost() {
        let folder = tempfile::tempdir().unwrap();
        let path = written(folder.path());
        let sound = fs::read(&path).unwrap();
        for cut in [1, 40, 100] {
            let mut torn = sound.clone();
            torn.extend_from_slice(&sound[..cut]);
            fs::write(&path, &torn).unwrap();
            LogFiles::open(folder.path(), |_| {}).unwrap();
            assert_eq!(fs::read(&path).unwrap(), sound);
            let aside = path.with_extension(format!("torn-{}", torn.len()));
            assert_eq!(fs::read(aside).unwrap(), &sound[..cut]);
        }
    }
}
