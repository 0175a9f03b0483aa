//! The shelf: files put there, noted, made of one another, taken off, and held against a unit.

use axum::extract::State;
use axum::http::HeaderMap;
use serde::{Deserialize, Serialize};
use veritope_core::matching::Make;
use veritope_engine::Moving;
use veritope_engine::library::shelving::FileNote;
use veritope_engine::runs::RunsError;
use veritope_engine::views::{RecoveryPage, ShelfPage};
use veritope_wire::{Digest, RequestId, UnitId};

use super::backup::{JobBegan, began};
use super::bench::RequestParam;
use super::{App, Json, Path, Query, crossing};
use crate::body::received;
use crate::error::Problem;

/// The shelf.
#[utoipa::path(get, path = "/api/shelf", operation_id = "shelf", responses((status = 200, body = ShelfPage), (status = "default", body = Problem)))]
pub(crate) async fn shelf(State(app): State<App>) -> Result<Json<ShelfPage>, Problem> {
    crossing(app, |app| app.engine.views.shelf_page())
        .await
        .map(Json)
}

/// What comes with a file's bytes.
#[derive(Deserialize, utoipa::IntoParams)]
#[into_params(parameter_in = Query)]
#[serde(deny_unknown_fields)]
pub(crate) struct FileParam {
    /// Its name.
    name: String,
    /// The same request twice is done once.
    #[param(value_type = String)]
    request: RequestId,
}

/// A file that lies on the shelf now.
#[derive(Serialize, utoipa::ToSchema)]
pub(crate) struct FileShelved {
    /// Its digest.
    id: Digest,
}

/// Puts a file onto the shelf. Its bytes are written as they come; whoever goes away before the end leaves
/// nothing.
#[utoipa::path(put, path = "/api/shelf/files", operation_id = "putFile", params(FileParam), request_body(content = Vec<u8>, content_type = "application/octet-stream"), responses((status = 200, body = FileShelved), (status = "default", body = Problem)))]
pub(crate) async fn put(
    State(app): State<App>,
    Query(param): Query<FileParam>,
    headers: HeaderMap,
    body: axum::body::Body,
) -> Result<Json<FileShelved>, Problem> {
    let engine = app.engine;
    let other = engine.clone();
    received(
        headers,
        body,
        move |length| {
            engine.library.room_for(length)?;
            Ok(engine.library.begin_file()?)
        },
        move |intake| {
            let id = other
                .library
                .put_on_shelf(intake, &param.name, param.request)?;
            Ok(Json(FileShelved { id }))
        },
    )
    .await
}

/// A file of this computer.
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct FileAtPath {
    /// Its whole path.
    path: String,
    /// The same request twice is done once.
    request: RequestId,
}

/// Takes a file from a path of this computer; it stays where it lies.
#[utoipa::path(post, path = "/api/shelf/path", operation_id = "takePath", request_body = FileAtPath, responses((status = 200, body = JobBegan), (status = "default", body = Problem)))]
pub(crate) async fn take_path(
    State(app): State<App>,
    Json(wanted): Json<FileAtPath>,
) -> Result<Json<JobBegan>, Problem> {
    let engine = app.engine;
    let FileAtPath { path, request } = wanted;
    began(app.jobs.move_bytes(
        None,
        "taking a file onto the shelf",
        Some(request),
        move |watcher| {
            let mut told = |done_bytes, total_bytes| {
                watcher.moving(&Moving {
                    what: "Copying and hashing".to_owned(),
                    done_bytes,
                    total_bytes,
                });
                !watcher.should_stop()
            };
            engine
                .library
                .take_path(&path, request, &mut told)
                .map_err(RunsError::from)?;
            Ok("The file lies on the shelf.".to_owned())
        },
    ))
    .await
}

/// What is noted of a file.
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct FileToNote {
    /// What.
    note: FileNote,
    /// The same request twice is done once.
    request: RequestId,
}

/// Notes what is said of a file, or takes it off the shelf.
#[utoipa::path(post, path = "/api/shelf/files/{file}", operation_id = "noteFile", params(("file" = String, Path)), request_body = FileToNote, responses((status = 200), (status = "default", body = Problem)))]
pub(crate) async fn note(
    State(app): State<App>,
    Path(file): Path<Digest>,
    Json(wanted): Json<FileToNote>,
) -> Result<Json<()>, Problem> {
    crossing(app, move |app| {
        app.engine
            .library
            .note_file(file, wanted.note, wanted.request)
    })
    .await
    .map(Json)
}

/// Takes a file off the shelf.
#[utoipa::path(delete, path = "/api/shelf/files/{file}", operation_id = "removeFile", params(("file" = String, Path), RequestParam), responses((status = 200), (status = "default", body = Problem)))]
pub(crate) async fn remove(
    State(app): State<App>,
    Path(file): Path<Digest>,
    Query(RequestParam { request }): Query<RequestParam>,
) -> Result<Json<()>, Problem> {
    crossing(app, move |app| {
        app.engine.library.remove_file(file, request)
    })
    .await
    .map(Json)
}

/// Instructions to keep with a file.
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct InstructionsToKeep {
    /// The file on the shelf that holds them.
    instructions: Digest,
    /// The same request twice is done once.
    request: RequestId,
}

/// Keeps another file as its publisher's instructions.
#[utoipa::path(post, path = "/api/shelf/files/{file}/instructions", operation_id = "keepInstructions", params(("file" = String, Path)), request_body = InstructionsToKeep, responses((status = 200), (status = "default", body = Problem)))]
pub(crate) async fn instructions(
    State(app): State<App>,
    Path(file): Path<Digest>,
    Json(wanted): Json<InstructionsToKeep>,
) -> Result<Json<()>, Problem> {
    crossing(app, move |app| {
        app.engine
            .library
            .keep_instructions(file, wanted.instructions, wanted.request)
    })
    .await
    .map(Json)
}

/// A file to make of another.
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct FileToMake {
    /// Step by step.
    steps: Vec<Make>,
    /// For which unit, where what goes with it is made of that one's stock.
    unit: Option<UnitId>,
    /// The same request twice is done once.
    request: RequestId,
}

/// Makes another file of one.
#[utoipa::path(post, path = "/api/shelf/files/{file}/make", operation_id = "makeFile", params(("file" = String, Path)), request_body = FileToMake, responses((status = 200, body = FileShelved), (status = "default", body = Problem)))]
pub(crate) async fn make(
    State(app): State<App>,
    Path(file): Path<Digest>,
    Json(wanted): Json<FileToMake>,
) -> Result<Json<FileShelved>, Problem> {
    let id = crossing(app, move |app| {
        app.engine
            .keeping
            .make_file(wanted.unit, file, &wanted.steps, wanted.request)
    })
    .await?;
    Ok(Json(FileShelved { id }))
}

/// The shelf's files held against a unit.
#[utoipa::path(get, path = "/api/units/{unit}/recovery", operation_id = "recovery", params(("unit" = String, Path)), responses((status = 200, body = RecoveryPage), (status = "default", body = Problem)))]
pub(crate) async fn recovery(
    State(app): State<App>,
    Path(unit): Path<UnitId>,
) -> Result<Json<RecoveryPage>, Problem> {
    crossing(app, move |app| app.engine.views.recovery_page(unit))
        .await
        .map(Json)
}

/// The file for a unit's recovery.
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct FileChosen {
    /// Its digest; nothing leaves it to the best.
    file: Option<Digest>,
    /// Why, where something speaks against it.
    reason: Option<String>,
    /// The same request twice is done once.
    request: RequestId,
}

/// Chooses the file for a unit's recovery.
#[utoipa::path(post, path = "/api/units/{unit}/recovery", operation_id = "chooseFile", params(("unit" = String, Path)), request_body = FileChosen, responses((status = 200), (status = "default", body = Problem)))]
pub(crate) async fn choose(
    State(app): State<App>,
    Path(unit): Path<UnitId>,
    Json(wanted): Json<FileChosen>,
) -> Result<Json<()>, Problem> {
    crossing(app, move |app| {
        let FileChosen {
            file,
            reason,
            request,
        } = wanted;
        app.engine
            .keeping
            .choose_file(unit, file, reason.as_deref(), request)
    })
    .await
    .map(Json)
}
