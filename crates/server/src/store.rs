//! The record as the server keeps it: the desk writes the log and keeps what it adds up to, the index serves
//! its lines to the screens. The files are the truth: what they hold was acknowledged, whatever the index does.

use std::sync::Arc;

use veritope_engine::BenchClock;
use veritope_engine::desk::Desk;
use veritope_engine::desk::files::{LogError, LogFiles, read_chain};
use veritope_engine::desk::journal::Journal;
use veritope_engine::desk::line::{Head, name_of};
use veritope_engine::desk::record::{Entry, Scope};
use veritope_engine::desk::witness::Damage;
use veritope_engine::library::data::DataFolder;

use crate::index::{Index, Opened};
pub use crate::index::{LogQuery, LogRow};

/// Why the record can't be opened.
#[derive(Debug, thiserror::Error)]
pub enum StoreError {
    /// The log's folder.
    #[error(transparent)]
    Log(#[from] LogError),
    /// A thread can't be made.
    #[error("the thread that keeps the index could not be made")]
    Thread(#[source] std::io::Error),
    /// The old index can't be taken away.
    #[error("{} can't be taken away", .path.display())]
    Index {
        /// The file.
        path: std::path::PathBuf,
        /// Why.
        #[source]
        source: std::io::Error,
    },
}

/// The record: the log, and its index.
pub struct Store {
    /// Before the index, so that its last lines are indexed too.
    desk: Arc<Desk>,
    index: Index,
    files: LogFiles,
}

impl Store {
    /// Opens log and index in a data folder. Every chain is checked from end to end and held against the
    /// others; what is damaged is held back, and an index that says otherwise than the log is made anew.
    ///
    /// # Errors
    /// When the log's folder can't be made or listed.
    pub fn open(data: &DataFolder, clock: Arc<BenchClock>) -> Result<Self, StoreError> {
        let folder = data.path().join("log");
        let files = LogFiles::open(&folder)?;
        let Opened {
            index,
            follower,
            seen,
            mut found,
        } = Index::open(data.path(), files.clone()).map_err(StoreError::Thread)?;
        let desk = Arc::new(Desk::open(&folder, clock, &seen, Box::new(follower))?);
        found.extend(index.found());
        let store = Self { desk, index, files };
        store.note_index(found);
        Ok(store)
    }

    fn note_index(&self, found: Vec<String>) {
        if found.is_empty() || self.desk.head(Scope::Bench) == Head::default() {
            return;
        }
        let entry = Entry::IndexRemade {
            why: found.join("; "),
        };
        if let Err(error) = self.desk.append(Scope::Bench, None, vec![entry]) {
            tracing::warn!(%error, "that the index was made anew is not in the log");
        }
    }

    /// Deletes the index and makes it anew from the log.
    ///
    /// # Errors
    /// When the index can't be deleted, or as [`Store::open`].
    pub fn rebuild(data: &DataFolder, clock: Arc<BenchClock>) -> Result<Self, StoreError> {
        for ending in ["", "-wal", "-shm"] {
            let path = data.path().join(format!("index.sqlite{ending}"));
            match std::fs::remove_file(&path) {
                Err(source) if source.kind() != std::io::ErrorKind::NotFound => {
                    return Err(StoreError::Index { path, source });
                }
                _ => {}
            }
        }
        Self::open(data, clock)
    }

    /// The record's writer.
    #[must_use]
    pub fn desk(&self) -> Arc<Desk> {
        Arc::clone(&self.desk)
    }

    /// Lines of the log, newest first: from the index, or from the files while it is not up to them.
    #[must_use]
    pub fn lines(&self, query: &LogQuery) -> Vec<LogRow> {
        self.index
            .lines(query)
            .unwrap_or_else(|| self.lines_of_files(query))
    }

    fn lines_of_files(&self, query: &LogQuery) -> Vec<LogRow> {
        let scopes = match query.scope {
            Some(scope) => vec![scope],
            None => self.files.scopes().unwrap_or_default(),
        };
        let mut rows = Vec::new();
        for scope in scopes {
            // What is broken is named elsewhere; here is what can be read.
            let _ = read_chain(&self.files.path(scope), scope, &mut |one| {
                rows.push(LogRow {
                    scope: name_of(scope),
                    seq: i64::try_from(one.seq).unwrap_or(i64::MAX),
                    at_ms: one.at.wall.ms(),
                    kind: one.entry.kind().id().to_owned(),
                    sentence: one.entry.sentence(),
                    gauge: one.entry.gauge(),
                });
            });
        }
        let key = |row: &LogRow| (std::cmp::Reverse(row.at_ms), row.scope.clone(), -row.seq);
        rows.retain(|row| {
            query.kind.is_none_or(|kind| row.kind == kind.id())
                && query.before.as_ref().is_none_or(|(at, scope, seq)| {
                    key(row) > (std::cmp::Reverse(*at), scope.clone(), -*seq)
                })
        });
        rows.sort_by_cached_key(key);
        rows.truncate(usize::try_from(query.limit).unwrap_or(0));
        rows
    }

    /// Reads a scope's file through, checks its chain, and that it ends where it was last written.
    ///
    /// # Errors
    /// What is wrong, and where, in a sentence.
    pub fn check(&self, scope: Scope) -> Result<Head, String> {
        if let Some(damage) = self
            .desk
            .damage()
            .into_iter()
            .find(|one| one.scope == scope)
        {
            return Err(damage.in_words());
        }
        let head = self.desk.head(scope);
        let path = self.files.path(scope);
        if head == Head::default() && !path.exists() {
            return Ok(head);
        }
        let read = read_chain(&path, scope, &mut |_| {});
        let damage = Damage::since(&path, scope, &read, head);
        // It may have grown between the two looks.
        match damage {
            Some(damage) => Err(damage.in_words()),
            None => Ok(read.head()),
        }
    }
}

#[cfg(test)]
mod tests {
    use std::fs;
    use std::path::{Path, PathBuf};

    use diesel::prelude::*;
    use veritope_core::goal::Goal;
    use veritope_engine::desk::journal::{Appended, JournalError};
    use veritope_engine::desk::record::Way;
    use veritope_wire::{RequestId, UnitId};

    use super::*;
    use crate::SystemClock;

    fn clock() -> Arc<BenchClock> {
        BenchClock::open(None, Arc::new(SystemClock))
    }

    fn unit(n: u8) -> UnitId {
        format!("0192f0c1-2345-7abc-8def-0000000000{n:02}")
            .parse()
            .unwrap()
    }

    fn goal(goal: Goal) -> Entry {
        Entry::GoalChosen { goal, reason: None }
    }

    fn arrive(store: &Store, n: u8) {
        let entry = Entry::UnitAdded {
            nickname: format!("unit {n}"),
            family: Some("gimbal".to_owned()),
            way: Way::Hand,
        };
        store
            .desk
            .append(Scope::Unit(unit(n)), None, vec![entry])
            .unwrap();
        store
            .desk
            .append(Scope::Unit(unit(n)), None, Goal::ALL.map(goal).into())
            .unwrap();
    }

    fn data(folder: &Path) -> DataFolder {
        DataFolder::open(folder).unwrap()
    }

    fn opened(folder: &Path) -> Store {
        Store::open(&data(folder), clock()).unwrap()
    }

    fn everything() -> LogQuery {
        LogQuery {
            limit: 1000,
            ..LogQuery::default()
        }
    }

    fn own_lines(rows: &[LogRow]) -> usize {
        rows.iter().filter(|row| row.scope != "bench").count()
    }

    #[test]
    fn paging_by_key_meets_every_line_once_by_the_index_and_by_the_files() {
        let folder = tempfile::tempdir().unwrap();
        let store = opened(folder.path());
        (1..=3).for_each(|n| arrive(&store, n));
        let all = store.lines(&everything());
        assert_eq!(own_lines(&all), 3 * (1 + Goal::ALL.len()));
        let mut paged = Vec::new();
        let mut before = None;
        loop {
            let query = LogQuery {
                before,
                limit: 5,
                ..LogQuery::default()
            };
            let page = store.lines(&query);
            assert_eq!(page, store.lines_of_files(&query));
            let Some(last) = page.last() else { break };
            before = Some((last.at_ms, last.scope.clone(), last.seq));
            paged.extend(page);
        }
        assert_eq!(paged, all);
    }

    #[test]
    fn a_rebuilt_index_gives_the_same_answers() {
        let folder = tempfile::tempdir().unwrap();
        let store = opened(folder.path());
        (1..=2).for_each(|n| arrive(&store, n));
        let before = store.desk.units();
        drop(store);
        let rebuilt = Store::rebuild(&data(folder.path()), clock()).unwrap();
        assert_eq!(rebuilt.desk.units(), before);
        assert_eq!(
            rebuilt.index.lines(&everything()).unwrap(),
            rebuilt.lines_of_files(&everything())
        );
        assert_eq!(rebuilt.desk.damage(), []);
    }

    /// Somebody else's connection, as a shell or another program has one.
    fn another(folder: &Path) -> SqliteConnection {
        SqliteConnection::establish(&folder.join("index.sqlite").to_string_lossy()).unwrap()
    }

    #[test]
    fn a_locked_index_fails_nothing_and_catches_up() {
        use diesel::connection::SimpleConnection;
        let folder = tempfile::tempdir().unwrap();
        let store = opened(folder.path());
        arrive(&store, 1);
        let before = store.lines(&everything()).len();
        let mut other = another(folder.path());
        other.batch_execute("BEGIN EXCLUSIVE").unwrap();
        let done = store
            .desk
            .append(Scope::Unit(unit(1)), None, vec![goal(Goal::Unlock)]);
        assert!(matches!(done, Ok(Appended::Now(_))), "{done:?}");
        assert_eq!(store.desk.unit(unit(1)).unwrap().goal, Some(Goal::Unlock));
        assert_eq!(
            store.lines(&everything()).len(),
            before + 1,
            "out of the files"
        );
        other.batch_execute("ROLLBACK").unwrap();
        assert_eq!(store.lines(&everything()).len(), before + 1);
        assert_eq!(
            store.index.lines(&everything()),
            Some(store.lines_of_files(&everything()))
        );
    }

    #[test]
    fn an_index_that_is_lost_or_no_index_is_made_anew() {
        for spoil in [
            "",
            "no database at all, but a text of more than a hundred bytes",
        ] {
            let folder = tempfile::tempdir().unwrap();
            let store = opened(folder.path());
            arrive(&store, 1);
            drop(store);
            let index = folder.path().join("index.sqlite");
            fs::remove_file(&index).unwrap();
            if !spoil.is_empty() {
                fs::write(&index, spoil.repeat(3)).unwrap();
            }
            let store = opened(folder.path());
            let rows = store.index.lines(&everything()).unwrap();
            assert_eq!(rows, store.lines_of_files(&everything()));
            let is_named = rows.iter().any(|row| row.sentence.contains("made anew"));
            assert_eq!(is_named, !spoil.is_empty(), "{rows:?}");
            assert_eq!(store.desk.damage(), []);
        }
    }

    #[test]
    fn an_edited_index_is_named_and_made_anew() {
        use diesel::connection::SimpleConnection;
        for edit in [
            "UPDATE entries SET sentence = 'Goal: none.' WHERE scope != 'bench' AND seq = 3",
            "DELETE FROM entries WHERE scope != 'bench' AND seq = 3",
            "UPDATE entries SET at_ms = at_ms + 1 WHERE scope = 'bench' AND seq = 1",
            "INSERT INTO entries SELECT scope, seq + 100, at_ms, kind, sentence, gauge FROM entries WHERE scope != 'bench'",
        ] {
            let folder = tempfile::tempdir().unwrap();
            let store = opened(folder.path());
            arrive(&store, 1);
            drop(store);
            another(folder.path()).batch_execute(edit).unwrap();
            let store = opened(folder.path());
            let rows = store.index.lines(&everything()).unwrap();
            assert_eq!(rows, store.lines_of_files(&everything()), "{edit}");
            let is_named = rows.iter().any(|row| row.sentence.contains("made anew"));
            assert!(is_named, "{edit}");
            drop(store);
            let again = opened(folder.path());
            let named = again.lines(&everything());
            let count = named
                .iter()
                .filter(|row| row.sentence.contains("made anew"));
            assert_eq!(count.count(), 1, "{edit}: said once");
        }
    }

    /// A data folder with two units, one of them older, stopped in between.
    struct Kept {
        folder: tempfile::TempDir,
    }

    impl Kept {
        fn new() -> Self {
            let folder = tempfile::tempdir().unwrap();
            let store = opened(folder.path());
            (1..=2).for_each(|n| arrive(&store, n));
            drop(store);
            Self { folder }
        }

        fn log(&self, scope: Scope) -> PathBuf {
            self.folder
                .path()
                .join(format!("log/{}.jsonl", name_of(scope)))
        }

        fn change(&self, scope: Scope, change: impl FnOnce(Vec<&str>) -> String) {
            let path = self.log(scope);
            let text = fs::read_to_string(&path).unwrap();
            let changed = change(text.lines().collect());
            fs::write(&path, changed).unwrap();
        }

        fn without_index(&self) {
            for ending in ["", "-wal", "-shm"] {
                let path = self.folder.path().join(format!("index.sqlite{ending}"));
                if path.exists() {
                    fs::remove_file(path).unwrap();
                }
            }
        }

        /// Whose logs are held back.
        fn held(&self) -> Vec<Scope> {
            let store = opened(self.folder.path());
            let damage = store.desk.damage();
            for one in &damage {
                assert!(one.in_words().contains("log/"), "{}", one.in_words());
                let refused = store.desk.append(one.scope, None, vec![goal(Goal::Unlock)]);
                assert!(matches!(refused, Err(JournalError::Held(_))), "{refused:?}");
            }
            // What is sound goes on, whatever the rest is like.
            for n in 1..=2 {
                let scope = Scope::Unit(unit(n));
                if damage.iter().all(|one| one.scope != scope) {
                    store
                        .desk
                        .append(scope, None, vec![goal(Goal::ReadTable)])
                        .unwrap();
                }
            }
            damage.into_iter().map(|one| one.scope).collect()
        }
    }

    fn lines(lines: &[&str]) -> String {
        lines.iter().map(|line| format!("{line}\n")).collect()
    }

    /// Rewritten from its second line on with hashes that fit: what only another witness shows.
    fn forged(kept: &[&str]) -> String {
        let mut text = format!("{}\n", kept[0]);
        let mut prev = hash_of(kept[0]);
        for line in &kept[1..] {
            let (open, _) = line.rsplit_once(",\"hash\":\"").unwrap();
            let old = open.split_once("\"prev\":\"").unwrap().1;
            let open = open.replacen(&old[..64], &prev, 1);
            let open = open.replace("\"unlock\"", "\"relock\"");
            prev = veritope_wire::Digest::of(open.as_bytes()).to_string();
            text.push_str(&format!("{open},\"hash\":\"{prev}\"}}\n"));
        }
        text
    }

    fn hash_of(line: &str) -> String {
        let (_, rest) = line.rsplit_once(",\"hash\":\"").unwrap();
        rest.trim_end_matches("\"}").to_owned()
    }

    const ONE: u8 = 1;

    /// What a way of spoiling does to the lines.
    type Spoil = fn(Vec<&str>) -> String;

    const SPOILS: [(&str, Spoil); 5] = [
        ("edited", |all| lines(&all).replacen("unlock", "unlocc", 1)),
        ("a line taken out", |mut all| {
            all.remove(1);
            lines(&all)
        }),
        ("cut", |all| lines(&all[..all.len() - 2])),
        ("forged", |all| forged(&all)),
        ("emptied", |_| String::new()),
    ];

    #[test]
    fn a_spoiled_log_of_a_unit_is_named_by_either_witness() {
        let scope = Scope::Unit(unit(ONE));
        for (name, spoil) in SPOILS {
            for has_index in [true, false] {
                let kept = Kept::new();
                kept.change(scope, spoil);
                if !has_index {
                    kept.without_index();
                }
                assert_eq!(kept.held(), [scope], "{name}, index: {has_index}");
            }
        }
        for has_index in [true, false] {
            let kept = Kept::new();
            fs::remove_file(kept.log(scope)).unwrap();
            if !has_index {
                kept.without_index();
            }
            assert_eq!(kept.held(), [scope], "deleted, index: {has_index}");
        }
    }

    #[test]
    fn a_spoiled_log_of_the_bench_is_named_by_either_witness() {
        for (name, spoil) in SPOILS {
            if name == "forged" {
                continue;
            }
            for has_index in [true, false] {
                let kept = Kept::new();
                // Both units write on, so that they cite what the start noted.
                let store = opened(kept.folder.path());
                for n in 1..=2 {
                    store
                        .desk
                        .append(Scope::Unit(unit(n)), None, vec![goal(Goal::Unlock)])
                        .unwrap();
                }
                drop(store);
                kept.change(Scope::Bench, |all| {
                    if name == "edited" {
                        lines(&all).replacen("unit 1", "unit 9", 1)
                    } else if name == "cut" {
                        lines(&all[..2])
                    } else {
                        spoil(all)
                    }
                });
                if !has_index {
                    kept.without_index();
                }
                assert_eq!(kept.held(), [Scope::Bench], "{name}, index: {has_index}");
            }
        }
        let kept = Kept::new();
        fs::remove_file(kept.log(Scope::Bench)).unwrap();
        kept.without_index();
        assert_eq!(kept.held(), [Scope::Bench]);
    }

    #[test]
    fn exchanged_and_foreign_logs_are_named() {
        let (one, two) = (Scope::Unit(unit(1)), Scope::Unit(unit(2)));
        for has_index in [true, false] {
            let kept = Kept::new();
            let aside = kept.folder.path().join("aside");
            fs::rename(kept.log(one), &aside).unwrap();
            fs::rename(kept.log(two), kept.log(one)).unwrap();
            fs::rename(aside, kept.log(two)).unwrap();
            if !has_index {
                kept.without_index();
            }
            assert_eq!(kept.held(), [one, two], "index: {has_index}");
        }
        // Another bench's log of the same unit, sound in itself.
        let (kept, other) = (Kept::new(), Kept::new());
        fs::copy(other.log(one), kept.log(one)).unwrap();
        kept.without_index();
        assert_eq!(kept.held(), [one]);
        // And of a unit that was never here.
        let store = opened(other.folder.path());
        arrive(&store, 3);
        drop(store);
        let kept = Kept::new();
        let three = Scope::Unit(unit(3));
        fs::copy(other.log(three), kept.log(three)).unwrap();
        assert_eq!(kept.held(), [three]);
    }

    /// A line as another version of this program would have added it.
    fn added(all: &[&str], scope: Scope, version: &str) -> String {
        let last = all.last().unwrap();
        let at = "2026-11-28T12:00:00.000Z";
        let (name, seq, prev) = (name_of(scope), all.len() + 1, hash_of(last));
        let open = format!(
            "{{\"v\":\"{version}\",\"of\":\"{name}\",\"seq\":{seq},\"at\":\"{at}\",\"prev\":\"{prev}\",\"entry\":{{\"what\":\"dreamt\",\"of\":7}}"
        );
        let hash = veritope_wire::Digest::of(open.as_bytes());
        format!("{}{open},\"hash\":\"{hash}\"}}\n", lines(all))
    }

    #[test]
    fn a_newer_minor_line_is_kept_and_passed_over_and_a_newer_major_one_waits_for_its_program() {
        let version = |major: u32, minor: u32| {
            let ours = veritope_engine::desk::line::LINE_VERSION;
            format!("{}.{}", ours.major + major, ours.minor + minor)
        };
        let scope = Scope::Unit(unit(ONE));
        let kept = Kept::new();
        kept.change(scope, |all| added(&all, scope, &version(0, 9)));
        let text = fs::read_to_string(kept.log(scope)).unwrap();
        let store = opened(kept.folder.path());
        assert_eq!(store.desk.damage(), []);
        let rows = store.lines(&everything());
        let told = rows.iter().find(|row| row.sentence.contains("(dreamt)"));
        assert!(told.unwrap().sentence.contains("newer Veritope"));
        store
            .desk
            .append(scope, None, vec![goal(Goal::Unlock)])
            .unwrap();
        drop(store);
        let after = fs::read_to_string(kept.log(scope)).unwrap();
        assert!(after.starts_with(&text), "it stays as it stands");

        let kept = Kept::new();
        kept.change(scope, |all| added(&all, scope, &version(1, 0)));
        assert_eq!(kept.held(), [scope]);
        let store = opened(kept.folder.path());
        let damage = store.desk.damage().remove(0);
        let text = damage.in_words();
        assert!(text.contains("newer Veritope: use that one"), "{text}");
        assert!(!text.contains("aside"), "{text}");
        let request = RequestId::new(uuid::Uuid::now_v7());
        let refused = store.desk.set_aside(scope, request);
        assert!(matches!(refused, Err(JournalError::NothingDamaged)));
        // An entry that this version should know, and doesn't, is damage.
        let kept = Kept::new();
        kept.change(scope, |all| added(&all, scope, &version(0, 0)));
        assert_eq!(kept.held(), [scope]);
    }

    #[test]
    fn a_log_that_is_set_aside_lies_there_and_a_new_one_begins() {
        let kept = Kept::new();
        let scope = Scope::Unit(unit(ONE));
        kept.change(scope, |all| lines(&all[..2]));
        let request = || RequestId::new(uuid::Uuid::now_v7());
        let store = opened(kept.folder.path());
        let refused = store.desk.set_aside(Scope::Unit(unit(2)), request());
        assert!(matches!(refused, Err(JournalError::NothingDamaged)));
        store.desk.set_aside(scope, request()).unwrap();
        assert_eq!(
            (store.desk.damage(), store.desk.unit(unit(ONE))),
            (Vec::new(), None)
        );
        let aside = fs::read_dir(kept.folder.path().join("log/aside")).unwrap();
        assert_eq!(aside.count(), 1);
        arrive(&store, ONE);
        drop(store);
        assert_eq!(kept.held(), []);
        // The bench's own.
        fs::write(kept.log(Scope::Bench), "nonsense\n").unwrap();
        let store = opened(kept.folder.path());
        let entry = Entry::UnitAdded {
            nickname: "unit 3".to_owned(),
            family: None,
            way: Way::Hand,
        };
        let refused = store.desk.append(Scope::Unit(unit(3)), None, vec![entry]);
        assert!(matches!(refused, Err(JournalError::Held(_))), "{refused:?}");
        store.desk.set_aside(Scope::Bench, request()).unwrap();
        arrive(&store, 3);
        drop(store);
        assert_eq!(kept.held(), []);
    }

    #[test]
    fn a_request_is_done_once_from_many_threads_and_across_a_restart() {
        let folder = tempfile::tempdir().unwrap();
        let store = opened(folder.path());
        arrive(&store, 1);
        let request = RequestId::new(uuid::Uuid::now_v7());
        let scope = Scope::Unit(unit(1));
        let once = |store: &Store| {
            let done = store
                .desk
                .append(scope, Some(request), vec![goal(Goal::Unlock)]);
            matches!(done, Ok(Appended::Now(_)))
        };
        let did: usize = std::thread::scope(|threads| {
            let all: Vec<_> = (0..24)
                .map(|_| threads.spawn(|| usize::from(once(&store))))
                .collect();
            all.into_iter().map(|one| one.join().unwrap()).sum()
        });
        assert_eq!(did, 1);
        drop(store);
        let store = opened(folder.path());
        assert!(!once(&store));
        // In another log too: an id is a request's.
        let other = store
            .desk
            .append(Scope::Bench, Some(request), vec![goal(Goal::Unlock)]);
        assert!(matches!(other, Ok(Appended::Before(of)) if of == scope));
    }

    #[test]
    fn what_is_made_is_its_owners_only() {
        use std::os::unix::fs::PermissionsExt;
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("data");
        let store = opened(&path);
        arrive(&store, 1);
        drop(store);
        let mut all = vec![path];
        while let Some(one) = all.pop() {
            let mode = fs::metadata(&one).unwrap().permissions().mode() & 0o777;
            if one.is_dir() {
                assert_eq!(mode, 0o700, "{}", one.display());
                all.extend(fs::read_dir(&one).unwrap().map(|file| file.unwrap().path()));
            } else {
                assert_eq!(mode, 0o600, "{}", one.display());
            }
        }
    }
}
