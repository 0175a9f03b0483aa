//! The index of the log in SQLite: lines for the screens, made from the files and from nothing else. It
//! follows the log on a thread of its own, so that nothing that is asked of the bench waits for it or fails
//! with it; it takes the next line of a chain or makes that chain anew from its file. How far it has seen
//! each chain is a witness of what is cut off or written anew later.

use std::collections::BTreeMap;
use std::fs::OpenOptions;
use std::os::unix::fs::OpenOptionsExt;
use std::path::{Path, PathBuf};
use std::sync::{Mutex, PoisonError, mpsc};
use std::thread::JoinHandle;
use std::time::{Duration, Instant};

use diesel::connection::SimpleConnection;
use diesel::prelude::*;
use diesel::sqlite::SqliteConnection;
use diesel_migrations::{EmbeddedMigrations, MigrationHarness, embed_migrations};
use veritope_engine::desk::Follow;
use veritope_engine::desk::files::{LogFiles, read_chain};
use veritope_engine::desk::line::{Head, name_of, scope_of};
use veritope_engine::desk::record::{EntryKind, Scope, Stamped};
use veritope_wire::Digest;

use crate::tables::{about, chains, entries};

/// One line of the log, for screens.
#[derive(Debug, Clone, PartialEq, Eq, Queryable, Selectable, Insertable)]
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
    /// What it reads off a gauge, where it does nothing else.
    pub gauge: Option<String>,
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

const MIGRATIONS: EmbeddedMigrations = embed_migrations!("migrations");
/// How long a connection waits for another program that has locked the file.
const PATIENCE_MS: u32 = 1_500;
/// How long an answer waits until the index has caught up; then it is read from the files.
const CATCHING_UP: Duration = Duration::from_secs(3);
/// How often an index that can't be opened is tried again.
const TRY_EVERY: Duration = Duration::from_secs(2);

/// Why the index can't be used now; the log goes on without it.
#[derive(Debug, thiserror::Error)]
pub(crate) enum IndexError {
    /// It can't be opened.
    #[error("{} can't be opened: {what}", .path.display())]
    Open {
        /// The file.
        path: PathBuf,
        /// Why.
        what: String,
    },
    /// SQLite declined.
    #[error("the index declined")]
    Sql(#[from] diesel::result::Error),
}

/// One line as it is indexed.
struct Line {
    row: LogRow,
    hash: Digest,
}

impl Line {
    fn of(stamped: &Stamped) -> Self {
        Self {
            row: LogRow {
                scope: name_of(stamped.scope),
                seq: i64::try_from(stamped.seq).unwrap_or(i64::MAX),
                at_ms: stamped.at.wall.ms(),
                kind: stamped.entry.kind().id().to_owned(),
                sentence: stamped.entry.sentence(),
                gauge: stamped.entry.gauge(),
            },
            hash: stamped.hash,
        }
    }
}

enum Order {
    Took(Scope, Vec<Line>),
    SetAside(Scope),
    /// Answers whether everything before it is in.
    Flush(mpsc::SyncSender<bool>),
    /// Answers with what was found to be otherwise than the log says, since it was last asked.
    Found(mpsc::SyncSender<Vec<String>>),
    /// The desk is gone: nothing will come any more.
    End,
}

/// The desk's end: hands over what was appended. The index ends with it, when all of that is in.
pub(crate) struct Follower {
    orders: mpsc::Sender<Order>,
    keeper: Option<JoinHandle<()>>,
}

impl Drop for Follower {
    fn drop(&mut self) {
        let _ = self.orders.send(Order::End);
        if let Some(keeper) = self.keeper.take() {
            let _ = keeper.join();
        }
    }
}

impl Follow for Follower {
    fn took(&self, stamped: &[Stamped]) {
        if let Some(first) = stamped.first() {
            let lines = stamped.iter().map(Line::of).collect();
            // An index that has ended is made anew at the next start.
            let _ = self.orders.send(Order::Took(first.scope, lines));
        }
    }

    fn set_aside(&self, scope: Scope) {
        let _ = self.orders.send(Order::SetAside(scope));
    }
}

/// The index, as the screens see it.
pub(crate) struct Index {
    path: PathBuf,
    orders: mpsc::Sender<Order>,
    readers: Mutex<Vec<SqliteConnection>>,
}

/// What an index has to say before the log is read.
pub(crate) struct Opened {
    pub(crate) index: Index,
    pub(crate) follower: Follower,
    /// How far it has seen each chain.
    pub(crate) seen: BTreeMap<Scope, Head>,
    /// What is to be said of it.
    pub(crate) found: Vec<String>,
}

impl Index {
    /// Opens the index beside the log. One that is no index at all is moved aside; one that can't be opened
    /// now is tried again later.
    pub(crate) fn open(data: &Path, files: LogFiles) -> std::io::Result<Opened> {
        let path = data.join("index.sqlite");
        let mut found = Vec::new();
        let mut sql = open(&path);
        if let Err(error) = &sql
            && is_no_database(&path)
        {
            let aside = data.join("index.sqlite.damaged");
            found.push(format!("{error}; it lies as {} now", aside.display()));
            for ending in ["-wal", "-shm"] {
                let _ = std::fs::remove_file(data.join(format!("index.sqlite{ending}")));
            }
            if std::fs::rename(&path, &aside).is_ok() {
                sql = open(&path);
            }
        }
        let (sql, sentences) = match sql {
            Ok((sql, sentences)) => (Some(sql), sentences),
            Err(error) => {
                tracing::warn!(%error, "the log goes on without its index");
                (None, Sentences::Ours)
            }
        };
        let mut keeper = Keeper {
            path: path.clone(),
            files,
            sql,
            tried: Instant::now(),
            seen: BTreeMap::new(),
            rows: BTreeMap::new(),
            is_behind: false,
            found: Vec::new(),
        };
        keeper.look_back(sentences);
        let seen = keeper.seen.clone();
        let (orders, inbox) = mpsc::channel();
        let thread = std::thread::Builder::new()
            .name("index".to_owned())
            .spawn(move || {
                inbox
                    .into_iter()
                    .take_while(|order| !matches!(order, Order::End))
                    .for_each(|order| keeper.take(order));
            })?;
        Ok(Opened {
            index: Self {
                path,
                orders: orders.clone(),
                readers: Mutex::default(),
            },
            follower: Follower {
                orders,
                keeper: Some(thread),
            },
            seen,
            found,
        })
    }

    fn ask<T>(
        &self,
        order: impl FnOnce(mpsc::SyncSender<T>) -> Order,
        patience: Duration,
    ) -> Option<T> {
        let (reply, answer) = mpsc::sync_channel(1);
        self.orders.send(order(reply)).ok()?;
        answer.recv_timeout(patience).ok()
    }

    /// What was otherwise than the log says, since this was last asked.
    pub(crate) fn found(&self) -> Vec<String> {
        self.ask(Order::Found, Duration::from_secs(600))
            .unwrap_or_default()
    }

    /// Lines, newest first; nothing when the index is not up to the log now.
    pub(crate) fn lines(&self, query: &LogQuery) -> Option<Vec<LogRow>> {
        if !self.ask(Order::Flush, CATCHING_UP)? {
            return None;
        }
        let lock = || self.readers.lock().unwrap_or_else(PoisonError::into_inner);
        let kept = lock().pop();
        let mut sql = match kept {
            Some(sql) => sql,
            None => connect(&self.path).ok()?,
        };
        let answer = select(&mut sql, query);
        match answer {
            Ok(rows) => {
                lock().push(sql);
                Some(rows)
            }
            Err(error) => {
                tracing::warn!(%error, "the index can't be read; the files are");
                None
            }
        }
    }
}

fn select(sql: &mut SqliteConnection, query: &LogQuery) -> QueryResult<Vec<LogRow>> {
    let mut select = entries::table.select(LogRow::as_select()).into_boxed();
    if let Some(scope) = query.scope {
        select = select.filter(entries::scope.eq(name_of(scope)));
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
}

/// The one that writes the index, on a thread of its own.
struct Keeper {
    path: PathBuf,
    files: LogFiles,
    sql: Option<SqliteConnection>,
    tried: Instant,
    seen: BTreeMap<Scope, Head>,
    /// How far the rows of each chain go: less than what was seen after another program wrote them.
    rows: BTreeMap<Scope, u64>,
    /// Whether something could not be taken in; the chains are gone through again then.
    is_behind: bool,
    found: Vec<String>,
}

impl Keeper {
    /// How far the chains were when this was last written.
    fn look_back(&mut self, sentences: Sentences) {
        let Some(sql) = &mut self.sql else { return };
        let rows: QueryResult<Vec<(String, i64, String)>> = chains::table.load(sql);
        match rows {
            Ok(rows) => {
                for (scope, seq, hash) in rows {
                    let read = (scope_of(&scope), u64::try_from(seq), hash.parse());
                    match read {
                        (Some(scope), Ok(entries), Ok(hash)) => {
                            let hash = Some(hash);
                            if sentences == Sentences::Ours {
                                self.rows.insert(scope, entries);
                            }
                            self.seen.insert(scope, Head { entries, hash });
                        }
                        _ => self
                            .found
                            .push(format!("it knew of `{scope}`, which is no log")),
                    }
                }
            }
            Err(error) => {
                tracing::warn!(%error, "the index can't be read");
                self.sql = None;
            }
        }
    }

    fn take(&mut self, order: Order) {
        match order {
            Order::Took(scope, lines) => {
                // Each try may have to wait for whoever has locked it: one at a time, and not for each line.
                let took = if !self.is_behind {
                    self.took(scope, &lines)
                } else if self.tried.elapsed() >= TRY_EVERY {
                    self.catch_up()
                } else {
                    return;
                };
                match took {
                    Ok(()) => self.is_behind = false,
                    Err(error) => self.failed(&error),
                }
            }
            Order::SetAside(scope) => {
                self.seen.remove(&scope);
                self.rows.remove(&scope);
                let gone = self
                    .sql()
                    .and_then(|sql| Ok(sql.transaction(|sql| forget(sql, scope))?));
                if let Err(error) = gone {
                    self.failed(&error);
                }
            }
            Order::Flush(reply) => {
                if self.is_behind && self.catch_up().is_ok() {
                    self.is_behind = false;
                }
                let _ = reply.send(!self.is_behind && self.sql.is_some());
            }
            Order::Found(reply) => {
                let _ = reply.send(std::mem::take(&mut self.found));
            }
            // The last one; nothing is to be done for it.
            Order::End => {}
        }
    }

    fn failed(&mut self, error: &IndexError) {
        self.tried = Instant::now();
        if !self.is_behind {
            tracing::warn!(%error, "the index fell behind the log");
        }
        self.is_behind = true;
    }

    fn sql(&mut self) -> Result<&mut SqliteConnection, IndexError> {
        if self.sql.is_none() && self.tried.elapsed() >= TRY_EVERY {
            self.tried = Instant::now();
            self.sql = open(&self.path).map(|(sql, _)| sql).ok();
        }
        self.sql.as_mut().ok_or_else(|| IndexError::Open {
            path: self.path.clone(),
            what: "it could not be opened, and is tried again".to_owned(),
        })
    }

    /// Takes the next lines in; lines that it has are compared; after a gap the chain is read anew.
    fn took(&mut self, scope: Scope, lines: &[Line]) -> Result<(), IndexError> {
        let Some(first) = lines.first() else {
            return Ok(());
        };
        let seen = self.seen.get(&scope).copied().unwrap_or_default();
        let known = self.rows.get(&scope).copied().unwrap_or(0);
        let begins = u64::try_from(first.row.seq).unwrap_or(0);
        if begins > known + 1 {
            return self.read_anew(scope);
        }
        let last = lines.last().map_or(0, |line| line.row.seq);
        let ends = u64::try_from(last).unwrap_or(0);
        let head = match lines.last() {
            Some(line) if ends > seen.entries => Head {
                entries: ends,
                hash: Some(line.hash),
            },
            _ => seen,
        };
        let known = i64::try_from(known).unwrap_or(i64::MAX);
        let sql = self.sql()?;
        let other = sql.transaction(|sql| -> QueryResult<_> {
            let mut other = None;
            if first.row.seq <= known {
                let have = rows_from(sql, &first.row)?;
                // At a start the whole chain comes: what is beyond it is nobody's.
                let differs = lines
                    .iter()
                    .take_while(|line| line.row.seq <= known)
                    .find(|line| have.get(&line.row.seq) != Some(&line.row))
                    .map(|line| line.row.seq);
                let beyond = have.keys().copied().find(|seq| *seq > last);
                other = differs.or(beyond);
            }
            let begin = match other {
                Some(_) => 0,
                None => known,
            };
            let stale = entries::table
                .filter(entries::scope.eq(&first.row.scope))
                .filter(entries::seq.ge(first.row.seq))
                .filter(entries::seq.gt(begin));
            diesel::delete(stale).execute(sql)?;
            for line in lines.iter().filter(|line| line.row.seq > begin) {
                diesel::insert_into(entries::table)
                    .values(&line.row)
                    .execute(sql)?;
            }
            note(sql, scope, head)?;
            Ok(other)
        })?;
        self.seen.insert(scope, head);
        self.rows.insert(scope, ends);
        if let Some(seq) = other {
            self.found.push(format!(
                "line {seq} of {} stood otherwise in it",
                name_of(scope)
            ));
        }
        Ok(())
    }

    /// Makes a chain's rows anew from its file.
    fn read_anew(&mut self, scope: Scope) -> Result<(), IndexError> {
        let mut lines = Vec::new();
        let path = self.files.path(scope);
        let read = read_chain(&path, scope, &mut |one| lines.push(Line::of(&one)));
        let seen = self.seen.get(&scope).copied().unwrap_or_default();
        if seen.hash.is_some() && read.hash_at(seen.entries) != seen.hash {
            // What it saw is not there any more: that is for the next start to name.
            return Ok(());
        }
        let head = read.head();
        self.sql()?.transaction(|sql| -> QueryResult<_> {
            forget(sql, scope)?;
            for line in &lines {
                diesel::insert_into(entries::table)
                    .values(&line.row)
                    .execute(sql)?;
            }
            note(sql, scope, head)
        })?;
        self.seen.insert(scope, head);
        self.rows.insert(scope, head.entries);
        Ok(())
    }

    fn catch_up(&mut self) -> Result<(), IndexError> {
        let scopes = self.files.scopes().map_err(|error| IndexError::Open {
            path: self.path.clone(),
            what: error.to_string(),
        })?;
        scopes
            .into_iter()
            .try_for_each(|scope| self.read_anew(scope))
    }
}

fn rows_from(sql: &mut SqliteConnection, first: &LogRow) -> QueryResult<BTreeMap<i64, LogRow>> {
    let rows: Vec<LogRow> = entries::table
        .filter(entries::scope.eq(&first.scope))
        .filter(entries::seq.ge(first.seq))
        .select(LogRow::as_select())
        .load(sql)?;
    Ok(rows.into_iter().map(|row| (row.seq, row)).collect())
}

fn forget(sql: &mut SqliteConnection, scope: Scope) -> QueryResult<()> {
    let name = name_of(scope);
    diesel::delete(entries::table.filter(entries::scope.eq(&name))).execute(sql)?;
    diesel::delete(chains::table.filter(chains::scope.eq(&name))).execute(sql)?;
    Ok(())
}

fn note(sql: &mut SqliteConnection, scope: Scope, head: Head) -> QueryResult<()> {
    let Some(hash) = head.hash else { return Ok(()) };
    let seq = i64::try_from(head.entries).unwrap_or(i64::MAX);
    diesel::replace_into(chains::table)
        .values((
            chains::scope.eq(name_of(scope)),
            chains::seq.eq(seq),
            chains::hash.eq(hash.to_string()),
        ))
        .execute(sql)
        .map(drop)
}

/// Whether what lies there begins as no database does.
fn is_no_database(path: &Path) -> bool {
    const MAGIC: &[u8] = b"SQLite format 3\0";
    let mut begin = [0; MAGIC.len()];
    let read = std::fs::File::open(path).and_then(|mut file| {
        use std::io::Read;
        let length = file.metadata()?.len();
        file.read_exact(&mut begin).map(|()| length)
    });
    match read {
        Ok(_) => begin != MAGIC,
        Err(error) => error.kind() == std::io::ErrorKind::UnexpectedEof,
    }
}

/// Whose words the sentences in an index are.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Sentences {
    /// This program's.
    Ours,
    /// Another one's, which may put them otherwise: they were taken out.
    Others,
}

fn open(path: &Path) -> Result<(SqliteConnection, Sentences), IndexError> {
    let refuse = |what: String| IndexError::Open {
        path: path.to_owned(),
        what,
    };
    // SQLite gives what it makes beside it the rights of the file itself.
    OpenOptions::new()
        .create(true)
        .append(true)
        .mode(0o600)
        .open(path)
        .map_err(|error| refuse(error.to_string()))?;
    let mut sql = connect(path).map_err(&refuse)?;
    sql.run_pending_migrations(MIGRATIONS)
        .map_err(|error| refuse(error.to_string()))?;
    let program = env!("CARGO_PKG_VERSION");
    let known: Option<String> = about::table
        .select(about::program)
        .first(&mut sql)
        .optional()?;
    if known.as_deref() == Some(program) {
        return Ok((sql, Sentences::Ours));
    }
    // How far the chains were stays.
    sql.transaction(|sql| -> QueryResult<()> {
        diesel::delete(entries::table).execute(sql)?;
        diesel::replace_into(about::table)
            .values((about::id.eq(1), about::program.eq(program)))
            .execute(sql)?;
        Ok(())
    })?;
    Ok((sql, Sentences::Others))
}

fn connect(path: &Path) -> Result<SqliteConnection, String> {
    let mut sql =
        SqliteConnection::establish(&path.to_string_lossy()).map_err(|e| e.to_string())?;
    sql.batch_execute(&format!(
        "PRAGMA busy_timeout = {PATIENCE_MS}; PRAGMA journal_mode = WAL; PRAGMA synchronous = FULL; PRAGMA foreign_keys = ON;",
    ))
    .map_err(|error| error.to_string())?;
    Ok(sql)
}
