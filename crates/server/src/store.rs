//! The record as the server keeps it: log files written by one thread, and SQLite that indexes
//! them for the screens. The files are the truth; the index is brought up to them at every start.

use std::path::{Path, PathBuf};
use std::sync::mpsc;
use std::sync::{Condvar, Mutex, PoisonError};
use std::thread::JoinHandle;

use diesel::connection::SimpleConnection;
use diesel::prelude::*;
use diesel::sqlite::SqliteConnection;
use diesel_migrations::{EmbeddedMigrations, MigrationHarness, embed_migrations};
use veritope_engine::logfile::{Head, LogError, LogFiles, read_chain};
use veritope_engine::ports::{Clock, Journal, JournalError};
use veritope_engine::record::{Entry, EntryKind, Scope, Stamped};
use veritope_engine::unit::UnitRecord;
use veritope_wire::{RequestId, UnitId};

use crate::system::SystemClock;
use crate::tables::{entries, units};

const MIGRATIONS: EmbeddedMigrations = embed_migrations!("migrations");
/// Connections that only read.
const READERS: usize = 3;

/// Why the record can't be opened.
#[derive(Debug, thiserror::Error)]
pub enum StoreError {
    /// The log.
    #[error(transparent)]
    Log(#[from] LogError),
    /// The index file.
    #[error("{} can't be opened: {what}; `veritope rebuild` makes it anew", .path.display())]
    Index {
        /// The file.
        path: PathBuf,
        /// Why.
        what: String,
    },
    /// SQLite declined.
    #[error("the index can't be written: {0}")]
    Sql(#[from] diesel::result::Error),
    /// The index does not take what the log holds.
    #[error("the index does not take an entry of the log")]
    Entry(#[from] IndexError),
}

/// Why an entry could not be indexed.
#[derive(Debug, thiserror::Error)]
pub enum IndexError {
    /// SQLite declined.
    #[error(transparent)]
    Sql(#[from] diesel::result::Error),
    /// A unit's record does not read back.
    #[error("the record of a unit does not read back")]
    Record(#[from] serde_json::Error),
    /// A unit's log does not begin with its coming onto the bench.
    #[error("the log of unit {0} does not begin with its arrival")]
    NoBeginning(UnitId),
}

type Reply = mpsc::SyncSender<Result<Vec<Stamped>, JournalError>>;

struct Order {
    scope: Scope,
    request: Option<RequestId>,
    entries: Vec<Entry>,
    reply: Reply,
}

/// The record: log files and their index.
pub struct Store {
    orders: Mutex<Option<mpsc::Sender<Order>>>,
    writer: Mutex<Option<JoinHandle<()>>>,
    readers: Mutex<Vec<SqliteConnection>>,
    reader_back: Condvar,
    log_folder: PathBuf,
}

/// One line of the log, for screens.
#[derive(Debug, Clone, PartialEq, Eq, Queryable, Selectable)]
#[diesel(table_name = entries)]
pub struct LogRow {
    /// `bench` or a unit's id.
    pub scope: String,
    /// Number in its chain.
    pub seq: i64,
    /// When.
    pub at_ms: i64,
    /// Id of its kind.
    pub kind: String,
    /// In words.
    pub sentence: String,
}

/// Which lines of the log are wanted.
#[derive(Debug, Clone, Default)]
pub struct LogQuery {
    /// Only this scope.
    pub scope: Option<Scope>,
    /// Only this kind.
    pub kind: Option<EntryKind>,
    /// Only lines before this one: moment, scope, number.
    pub before: Option<(i64, String, i64)>,
    /// At most so many.
    pub limit: i64,
}

impl Store {
    /// Opens log and index in a data folder and brings the index up to the log. Every chain is
    /// checked from end to end.
    ///
    /// # Errors
    /// See [`StoreError`].
    pub fn open(data: &Path) -> Result<Self, StoreError> {
        let path = data.join("index.sqlite");
        let refuse = |what: String| StoreError::Index {
            path: path.clone(),
            what,
        };
        let mut writing = connect(&path).map_err(&refuse)?;
        writing
            .run_pending_migrations(MIGRATIONS)
            .map_err(|error| refuse(error.to_string()))?;
        let log_folder = data.join("log");
        let files = writing.transaction(|sql| -> Result<LogFiles, StoreError> {
            let mut failed = None;
            let files = LogFiles::open(&log_folder, |stamped| {
                if failed.is_none() {
                    failed = index(sql, &stamped).err();
                }
            })?;
            failed.map_or(Ok(files), |error| Err(error.into()))
        })?;
        let mut readers = Vec::new();
        for _ in 0..READERS {
            readers.push(connect(&path).map_err(&refuse)?);
        }
        let (orders, inbox) = mpsc::channel::<Order>();
        let writer = std::thread::Builder::new()
            .name("writer".to_owned())
            .spawn(move || write_all(files, writing, &inbox))
            .map_err(|error| refuse(error.to_string()))?;
        Ok(Self {
            orders: Mutex::new(Some(orders)),
            writer: Mutex::new(Some(writer)),
            readers: Mutex::new(readers),
            reader_back: Condvar::new(),
            log_folder,
        })
    }

    /// Deletes the index and makes it anew from the log.
    ///
    /// # Errors
    /// When the index can't be deleted, or as [`Store::open`].
    pub fn rebuild(data: &Path) -> Result<Self, StoreError> {
        for ending in ["", "-wal", "-shm"] {
            let path = data.join(format!("index.sqlite{ending}"));
            match std::fs::remove_file(&path) {
                Err(error) if error.kind() != std::io::ErrorKind::NotFound => {
                    return Err(StoreError::Index {
                        path,
                        what: error.to_string(),
                    });
                }
                _ => {}
            }
        }
        Self::open(data)
    }

    fn reading<T>(
        &self,
        read: impl FnOnce(&mut SqliteConnection) -> QueryResult<T>,
    ) -> Result<T, JournalError> {
        let failed = |source: Box<dyn std::error::Error + Send + Sync>| JournalError {
            doing: "read",
            source,
        };
        let mut readers = self.readers.lock().unwrap_or_else(PoisonError::into_inner);
        let mut sql = loop {
            match readers.pop() {
                Some(sql) => break sql,
                None => {
                    readers = self
                        .reader_back
                        .wait(readers)
                        .unwrap_or_else(PoisonError::into_inner);
                }
            }
        };
        drop(readers);
        let answer = read(&mut sql);
        self.readers
            .lock()
            .unwrap_or_else(PoisonError::into_inner)
            .push(sql);
        self.reader_back.notify_one();
        answer.map_err(|error| failed(Box::new(error)))
    }

    /// Lines of the log, newest first.
    ///
    /// # Errors
    /// When the index can't be read.
    pub fn lines(&self, query: &LogQuery) -> Result<Vec<LogRow>, JournalError> {
        self.reading(|sql| {
            let mut select = entries::table.select(LogRow::as_select()).into_boxed();
            if let Some(scope) = query.scope {
                select = select.filter(entries::scope.eq(scope_text(scope)));
            }
            if let Some(kind) = query.kind {
                select = select.filter(entries::kind.eq(kind.id()));
            }
            if let Some((at, scope, seq)) = &query.before {
                let same_moment = entries::at_ms.eq(*at);
                let later_scope = entries::scope.gt(scope.clone());
                let same_scope = entries::scope.eq(scope.clone()).and(entries::seq.lt(*seq));
                select = select.filter(
                    entries::at_ms
                        .lt(*at)
                        .or(same_moment.and(later_scope.or(same_scope))),
                );
            }
            select
                .order((
                    entries::at_ms.desc(),
                    entries::scope.asc(),
                    entries::seq.desc(),
                ))
                .limit(query.limit)
                .load(sql)
        })
    }

    /// Reads a scope's file through and checks its chain.
    ///
    /// # Errors
    /// What is broken, and where.
    pub fn check(&self, scope: Scope) -> Result<Head, LogError> {
        let path = self.log_folder.join(format!("{}.jsonl", scope_text(scope)));
        if !path.exists() {
            return Ok(Head::default());
        }
        read_chain(&path, scope, &mut |_| {})
    }
}

impl Drop for Store {
    fn drop(&mut self) {
        // The writer ends when nobody can order any more; what was ordered is written first.
        drop(
            self.orders
                .lock()
                .unwrap_or_else(PoisonError::into_inner)
                .take(),
        );
        let writer = self
            .writer
            .lock()
            .unwrap_or_else(PoisonError::into_inner)
            .take();
        if let Some(writer) = writer {
            let _ = writer.join();
        }
    }
}

impl Journal for Store {
    fn append(
        &self,
        scope: Scope,
        request: Option<RequestId>,
        entries: Vec<Entry>,
    ) -> Result<Vec<Stamped>, JournalError> {
        let gone = || JournalError {
            doing: "written",
            source: "the writer has stopped".into(),
        };
        let (reply, answer) = mpsc::sync_channel(1);
        let order = Order {
            scope,
            request,
            entries,
            reply,
        };
        self.orders
            .lock()
            .unwrap_or_else(PoisonError::into_inner)
            .as_ref()
            .ok_or_else(gone)?
            .send(order)
            .map_err(|_| gone())?;
        answer.recv().map_err(|_| gone())?
    }

    fn unit(&self, unit: UnitId) -> Result<Option<UnitRecord>, JournalError> {
        let text: Option<String> = self.reading(|sql| {
            units::table
                .find(unit.to_string())
                .select(units::record)
                .first(sql)
                .optional()
        })?;
        text.map(|text| parse(&text)).transpose()
    }

    fn units(&self) -> Result<Vec<UnitRecord>, JournalError> {
        let texts: Vec<String> = self.reading(|sql| {
            units::table
                .select(units::record)
                .order((units::added_ms.asc(), units::id.asc()))
                .load(sql)
        })?;
        texts.iter().map(|text| parse(text)).collect()
    }
}

fn parse(text: &str) -> Result<UnitRecord, JournalError> {
    serde_json::from_str(text).map_err(|error| JournalError {
        doing: "read",
        source: Box::new(error),
    })
}

fn connect(path: &Path) -> Result<SqliteConnection, String> {
    let mut sql =
        SqliteConnection::establish(&path.to_string_lossy()).map_err(|e| e.to_string())?;
    sql.batch_execute(
        "PRAGMA journal_mode = WAL; PRAGMA synchronous = FULL; PRAGMA foreign_keys = ON; PRAGMA busy_timeout = 5000;",
    )
    .map_err(|error| error.to_string())?;
    Ok(sql)
}

fn write_all(mut files: LogFiles, mut sql: SqliteConnection, inbox: &mpsc::Receiver<Order>) {
    for order in inbox {
        let at = SystemClock.now();
        let written = files.append(order.scope, at, order.request, order.entries);
        let answer = match written {
            Ok(stamped) => sql
                .transaction(|sql| stamped.iter().try_for_each(|one| index(sql, one)))
                .map(|()| stamped)
                // The log has it; the index catches up at the next start.
                .map_err(|error: IndexError| JournalError {
                    doing: "read",
                    source: Box::new(error),
                }),
            Err(error) => Err(JournalError {
                doing: "written",
                source: Box::new(error),
            }),
        };
        // A caller that has gone away needs no answer.
        let _ = order.reply.send(answer);
    }
}

fn scope_text(scope: Scope) -> String {
    match scope {
        Scope::Bench => "bench".to_owned(),
        Scope::Unit(unit) => unit.to_string(),
    }
}

/// Takes one entry into the index; one that is there already changes nothing.
fn index(sql: &mut SqliteConnection, stamped: &Stamped) -> Result<(), IndexError> {
    let seq = i64::try_from(stamped.seq).unwrap_or(i64::MAX);
    let added = diesel::insert_or_ignore_into(entries::table)
        .values((
            entries::scope.eq(scope_text(stamped.scope)),
            entries::seq.eq(seq),
            entries::at_ms.eq(stamped.at.ms()),
            entries::kind.eq(stamped.entry.kind().id()),
            entries::sentence.eq(stamped.entry.sentence()),
        ))
        .execute(sql)?;
    let Scope::Unit(unit) = stamped.scope else {
        return Ok(());
    };
    if added == 0 {
        return Ok(());
    }
    let id = unit.to_string();
    let known: Option<String> = units::table
        .find(&id)
        .select(units::record)
        .first(sql)
        .optional()?;
    let record = match known {
        Some(text) => {
            let mut record: UnitRecord = serde_json::from_str(&text)?;
            record.apply(stamped);
            record
        }
        None => UnitRecord::begin(stamped, unit).ok_or(IndexError::NoBeginning(unit))?,
    };
    let text = serde_json::to_string(&record)?;
    diesel::insert_into(units::table)
        .values((
            units::id.eq(&id),
            units::nickname.eq(&record.nickname),
            units::added_ms.eq(record.added.ms()),
            units::seq.eq(seq),
            units::record.eq(&text),
        ))
        .on_conflict(units::id)
        .do_update()
        .set((units::seq.eq(seq), units::record.eq(&text)))
        .execute(sql)?;
    Ok(())
}

#[cfg(test)]
mod tests {
    use veritope_core::plan::Goal;
    use veritope_engine::record::Way;

    use super::*;

    fn unit(n: u8) -> UnitId {
        format!("0192f0c1-2345-7abc-8def-0000000000{n:02}")
            .parse()
            .unwrap()
    }

    fn arrive(store: &Store, n: u8) {
        let entry = Entry::UnitAdded {
            nickname: format!("unit {n}"),
            family: Some("gimbal".to_owned()),
            way: Way::Hand,
        };
        let goals = Goal::ALL.map(|goal| Entry::GoalChosen { goal });
        store
            .append(Scope::Unit(unit(n)), None, vec![entry])
            .unwrap();
        store
            .append(Scope::Unit(unit(n)), None, goals.into())
            .unwrap();
    }

    fn opened(folder: &Path) -> Store {
        std::fs::create_dir_all(folder.join("log")).unwrap();
        Store::open(folder).unwrap()
    }

    #[test]
    fn paging_by_key_meets_every_line_once() {
        let folder = tempfile::tempdir().unwrap();
        let store = opened(folder.path());
        (1..=3).for_each(|n| arrive(&store, n));
        let all = store
            .lines(&LogQuery {
                limit: 100,
                ..LogQuery::default()
            })
            .unwrap();
        assert_eq!(all.len(), 3 * (1 + Goal::ALL.len()));
        let mut paged = Vec::new();
        let mut before = None;
        loop {
            let page = store
                .lines(&LogQuery {
                    before,
                    limit: 5,
                    ..LogQuery::default()
                })
                .unwrap();
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
        let query = LogQuery {
            limit: 100,
            ..LogQuery::default()
        };
        let before = (store.lines(&query).unwrap(), store.units().unwrap());
        drop(store);
        let rebuilt = Store::rebuild(folder.path()).unwrap();
        assert_eq!(
            (rebuilt.lines(&query).unwrap(), rebuilt.units().unwrap()),
            before
        );
    }

    #[test]
    fn an_index_that_fell_behind_catches_up() {
        let folder = tempfile::tempdir().unwrap();
        let store = opened(folder.path());
        arrive(&store, 1);
        drop(store);
        let mut files = LogFiles::open(&folder.path().join("log"), |_| {}).unwrap();
        let entry = Entry::GoalChosen { goal: Goal::Unlock };
        files
            .append(Scope::Unit(unit(1)), SystemClock.now(), None, vec![entry])
            .unwrap();
        let store = Store::open(folder.path()).unwrap();
        let record = store.unit(unit(1)).unwrap().unwrap();
        let entries = (2 + Goal::ALL.len()).try_into().unwrap();
        assert_eq!((record.seq, record.goal), (entries, Some(Goal::Unlock)));
    }
}
