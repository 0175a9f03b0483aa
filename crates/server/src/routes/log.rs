//! The log: lines newest first, and the check of a chain.

use axum::extract::State;
use axum::http::StatusCode;
use serde::{Deserialize, Serialize};
use veritope_engine::desk::record::{EntryKind, Scope};
use veritope_wire::{RequestId, UnitId, WallTime};

use super::{App, Json, Query, crossing};
use crate::error::Problem;
use crate::store::{LogQuery, LogRow};

/// Which lines are wanted.
#[derive(Deserialize, utoipa::IntoParams)]
#[into_params(parameter_in = Query)]
pub(crate) struct Wanted {
    /// Only this unit; without it, all.
    #[param(value_type = Option<String>)]
    unit: Option<UnitId>,
    /// Only this kind.
    kind: Option<EntryKind>,
    /// Only lines before this one: the `key` of the last line seen.
    before: Option<String>,
    /// At most so many, 1 to 200; usually 50.
    limit: Option<u8>,
}

/// A line of the log.
#[derive(Serialize, utoipa::ToSchema)]
pub(crate) struct LogLine {
    /// Its place, to go on from.
    key: String,
    /// The unit it belongs to; nothing for the bench's own.
    unit: Option<UnitId>,
    /// Number in its chain.
    seq: i64,
    /// When.
    at: WallTime,
    /// What it is about.
    kind: String,
    /// In words.
    sentence: String,
    /// Since when, where it stands for several readings of one gauge in a row.
    since: Option<WallTime>,
}

/// Readings of one gauge in a row, newest first, as one line.
struct Row {
    row: LogRow,
    /// The oldest of them, with how many there are.
    first: Option<(LogRow, usize)>,
}

impl Row {
    fn sentence(&self) -> String {
        let ends = self.first.as_ref().and_then(|(first, count)| {
            Some((first.gauge.as_ref()?, self.row.gauge.as_ref()?, count))
        });
        match ends {
            None => self.row.sentence.clone(),
            Some((was, is, count)) if was == is => {
                format!("The charge was read {count} times: {is}.")
            }
            Some((was, is, count)) => {
                format!("The charge was read {count} times, from {was} to {is}.")
            }
        }
    }
}

/// Newest first, as they came.
fn joined(rows: Vec<LogRow>) -> Vec<Row> {
    let mut joined: Vec<Row> = Vec::new();
    for row in rows {
        let is_more = |last: &&mut Row| {
            last.row.gauge.is_some() && row.gauge.is_some() && last.row.scope == row.scope
        };
        match joined.last_mut().filter(is_more) {
            Some(last) => {
                let count = last.first.as_ref().map_or(1, |(_, count)| *count);
                last.first = Some((row, count + 1));
            }
            None => joined.push(Row { row, first: None }),
        }
    }
    joined
}

/// Lines of the log.
#[derive(Serialize, utoipa::ToSchema)]
pub(crate) struct LogPage {
    /// Newest first.
    lines: Vec<LogLine>,
    /// Whether there are older ones.
    more: bool,
}

fn parse_key(key: &str) -> Result<(i64, String, i64), Problem> {
    let parsed = (|| {
        let (at, rest) = key.split_once('.')?;
        let (scope, seq) = rest.rsplit_once('.')?;
        Some((at.parse().ok()?, scope.to_owned(), seq.parse().ok()?))
    })();
    parsed.ok_or_else(|| {
        let text = "`before` is not the key of a line.";
        Problem::new(StatusCode::UNPROCESSABLE_ENTITY, "bad-input", text)
    })
}

/// Lines of the log, newest first.
#[utoipa::path(get, path = "/api/log", operation_id = "log", params(Wanted), responses((status = 200, body = LogPage), (status = "default", body = Problem)))]
pub(crate) async fn lines(
    State(app): State<App>,
    Query(wanted): Query<Wanted>,
) -> Result<Json<LogPage>, Problem> {
    crossing(app, move |app| {
        let limit = i64::from(wanted.limit.unwrap_or(50).clamp(1, 200));
        let query = LogQuery {
            scope: wanted.unit.map(Scope::Unit),
            kind: wanted.kind,
            before: wanted.before.as_deref().map(parse_key).transpose()?,
            limit: limit + 1,
        };
        let mut rows = app.store.lines(&query);
        let asked = usize::try_from(limit).unwrap_or(usize::MAX);
        let more = rows.len() > asked;
        rows.truncate(asked);
        let lines = joined(rows)
            .into_iter()
            .filter_map(|joined| {
                let sentence = joined.sentence();
                let Row { row, first } = joined;
                // Older lines go on from the oldest of those that it stands for.
                let last = first.as_ref().map_or(&row, |(first, _)| first);
                Some(LogLine {
                    key: format!("{}.{}.{}", last.at_ms, last.scope, last.seq),
                    since: first
                        .as_ref()
                        .and_then(|(first, _)| WallTime::from_ms(first.at_ms).ok()),
                    unit: row.scope.parse().ok(),
                    seq: row.seq,
                    at: WallTime::from_ms(row.at_ms).ok()?,
                    kind: row.kind,
                    sentence,
                })
            })
            .collect();
        Ok::<_, Problem>(LogPage { lines, more })
    })
    .await
    .map(Json)
}

/// Whose chain is checked.
#[derive(Deserialize, utoipa::IntoParams)]
#[into_params(parameter_in = Query)]
pub(crate) struct Whose {
    /// This unit's; without it, the bench's.
    #[param(value_type = Option<String>)]
    unit: Option<UnitId>,
}

/// A damaged log to set aside.
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct Aside {
    /// This unit's; without it, the bench's own.
    unit: Option<UnitId>,
    /// The same request twice is done once.
    request: RequestId,
}

/// Sets a damaged log aside: its file stays, and a new one begins.
#[utoipa::path(post, path = "/api/log/aside", operation_id = "setLogAside", request_body = Aside, responses((status = 200), (status = "default", body = Problem)))]
pub(crate) async fn set_aside(
    State(app): State<App>,
    Json(aside): Json<Aside>,
) -> Result<Json<()>, Problem> {
    let scope = aside.unit.map_or(Scope::Bench, Scope::Unit);
    crossing(app, move |app| {
        app.engine.pen.set_log_aside(scope, aside.request)
    })
    .await
    .map(Json)
}

/// How a chain stands.
#[derive(Serialize, utoipa::ToSchema)]
pub(crate) struct ChainState {
    /// Entries in it, as far as it is sound.
    entries: u64,
    /// Hash of the last one.
    head: Option<String>,
    /// What is broken, and where; nothing when sound.
    problem: Option<String>,
}

/// Reads a chain through from the file and checks every link.
#[utoipa::path(get, path = "/api/log/check", operation_id = "checkLog", params(Whose), responses((status = 200, body = ChainState), (status = "default", body = Problem)))]
pub(crate) async fn check(
    State(app): State<App>,
    Query(whose): Query<Whose>,
) -> Result<Json<ChainState>, Problem> {
    let scope = whose.unit.map_or(Scope::Bench, Scope::Unit);
    crossing(app, move |app| {
        Ok::<_, Problem>(match app.store.check(scope) {
            Ok(head) => ChainState {
                entries: head.entries,
                head: head.hash.map(|hash| hash.to_string()),
                problem: None,
            },
            Err(error) => ChainState {
                entries: 0,
                head: None,
                problem: Some(error),
            },
        })
    })
    .await
    .map(Json)
}
