//! What hands read of a unit: handed in, said, taken into the vault.

use axum::extract::State;
use axum::http::HeaderMap;
use serde::{Deserialize, Serialize};
use veritope_engine::keeping::handed::{DumpNote, HandedView};
use veritope_wire::{Label, RequestId, UnitId, WallTime};

use super::backup::{JobBegan, began};
use super::{App, Json, Path, Query, crossing};
use crate::body::received;
use crate::error::Problem;

/// What was handed in for a unit, judged.
#[utoipa::path(get, path = "/api/units/{unit}/dumps", operation_id = "dumps", params(("unit" = String, Path)), responses((status = 200, body = HandedView), (status = "default", body = Problem)))]
pub(crate) async fn dumps(
    State(app): State<App>,
    Path(unit): Path<UnitId>,
) -> Result<Json<HandedView>, Problem> {
    crossing(app, move |app| app.engine.runs.handed(unit))
        .await
        .map(Json)
}

/// What comes with a dump's bytes.
#[derive(Deserialize, utoipa::IntoParams)]
#[into_params(parameter_in = Query)]
#[serde(deny_unknown_fields)]
pub(crate) struct DumpParam {
    /// Its name, with folders.
    name: String,
    /// When it was written, as its file says.
    #[param(value_type = Option<String>)]
    written: Option<WallTime>,
    /// The same request twice is done once.
    #[param(value_type = String)]
    request: RequestId,
}

/// A dump that was handed in.
#[derive(Serialize, utoipa::ToSchema)]
pub(crate) struct DumpTaken {}

/// Hands a dump in. Its bytes are written as they come; whoever goes away before the end leaves nothing.
#[utoipa::path(put, path = "/api/units/{unit}/dumps", operation_id = "putDump", params(("unit" = String, Path), DumpParam), request_body(content = Vec<u8>, content_type = "application/octet-stream"), responses((status = 200, body = DumpTaken), (status = "default", body = Problem)))]
pub(crate) async fn put(
    State(app): State<App>,
    Path(unit): Path<UnitId>,
    Query(param): Query<DumpParam>,
    headers: HeaderMap,
    body: axum::body::Body,
) -> Result<Json<DumpTaken>, Problem> {
    let engine = app.engine;
    let other = engine.clone();
    received(
        headers,
        body,
        move |length| Ok(engine.keeping.begin_dump(unit, length)?),
        move |intake| {
            let DumpParam {
                name,
                written,
                request,
            } = param;
            other
                .keeping
                .put_dump(unit, intake, &name, written, request)?;
            Ok(Json(DumpTaken {}))
        },
    )
    .await
}

/// A file or folder of this computer.
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct DumpsAtPath {
    /// Its whole path.
    path: String,
    /// The same request twice is done once.
    request: RequestId,
}

/// Takes in a file, or all files below a folder of this computer; they stay where they lie.
#[utoipa::path(post, path = "/api/units/{unit}/dumps/path", operation_id = "takeDumpsFrom", params(("unit" = String, Path)), request_body = DumpsAtPath, responses((status = 200, body = JobBegan), (status = "default", body = Problem)))]
pub(crate) async fn take_path(
    State(app): State<App>,
    Path(unit): Path<UnitId>,
    Json(wanted): Json<DumpsAtPath>,
) -> Result<Json<JobBegan>, Problem> {
    let engine = app.engine;
    let DumpsAtPath { path, request } = wanted;
    began(app.jobs.move_bytes(
        Some(unit),
        "taking dumps in",
        Some(request),
        move |watcher| {
            let taken = engine
                .keeping
                .take_dumps_from(unit, &path, request, watcher)?;
            Ok(match taken {
                1 => "One file was handed in.".to_owned(),
                many => format!("{many} files were handed in."),
            })
        },
    ))
    .await
}

/// What is said of dumps; one of these.
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct DumpSaid {
    /// Number of the dump, where it is of one.
    dump: Option<u32>,
    /// The partition that it is; nothing takes the dump out.
    label: Option<Label>,
    /// Whether all were taken since the unit is in its mode.
    taken_now: Option<bool>,
    /// The same request twice is done once.
    #[allow(dead_code, reason = "said twice it is the same")]
    request: RequestId,
}

/// Says which partition a dump is, takes it out, or says when all were taken.
#[utoipa::path(post, path = "/api/units/{unit}/dumps", operation_id = "sayOfDumps", params(("unit" = String, Path)), request_body = DumpSaid, responses((status = 200), (status = "default", body = Problem)))]
pub(crate) async fn say(
    State(app): State<App>,
    Path(unit): Path<UnitId>,
    Json(said): Json<DumpSaid>,
) -> Result<Json<()>, Problem> {
    crossing(app, move |app| {
        let keeping = &app.engine.keeping;
        if let Some(taken_now) = said.taken_now {
            keeping.say_when_dumped(unit, taken_now)?;
        }
        match (said.dump, said.label) {
            (Some(dump), Some(label)) => keeping.note_dump(unit, dump, DumpNote::Is(label)),
            (Some(dump), None) => keeping.note_dump(unit, dump, DumpNote::Out),
            (None, _) => Ok(()),
        }
    })
    .await
    .map(Json)
}

/// What is asked by its request alone.
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct DumpsToTake {
    /// The same request twice is done once.
    request: RequestId,
}

/// Takes what was handed in into the vault; the step that waited for it ends by it.
#[utoipa::path(post, path = "/api/units/{unit}/dumps/take", operation_id = "takeDumps", params(("unit" = String, Path)), request_body = DumpsToTake, responses((status = 200, body = JobBegan), (status = "default", body = Problem)))]
pub(crate) async fn take(
    State(app): State<App>,
    Path(unit): Path<UnitId>,
    Json(wanted): Json<DumpsToTake>,
) -> Result<Json<JobBegan>, Problem> {
    let engine = app.engine;
    began(app.jobs.move_bytes(
        Some(unit),
        "keeping dumps",
        Some(wanted.request),
        move |watcher| {
            let capture = engine.runs.take_handed(unit, watcher)?;
            Ok(match capture {
                Some(_) => "They are kept by your word, and were read back.".to_owned(),
                None => "The table is read.".to_owned(),
            })
        },
    ))
    .await
}

/// Throws away what was handed in and not taken.
#[utoipa::path(delete, path = "/api/units/{unit}/dumps", operation_id = "clearDumps", params(("unit" = String, Path)), responses((status = 200), (status = "default", body = Problem)))]
pub(crate) async fn clear(
    State(app): State<App>,
    Path(unit): Path<UnitId>,
) -> Result<Json<()>, Problem> {
    crossing(app, move |app| app.engine.keeping.clear_dumps(unit))
        .await
        .map(Json)
}
