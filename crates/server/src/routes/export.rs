//! Captures out of the bench, and back.

use axum::extract::State;
use serde::Deserialize;
use veritope_engine::{For, FoundUnit};
use veritope_wire::{CaptureId, RequestId, UnitId};

use super::backup::{JobBegan, began};
use super::{App, Json, Path, Query, crossing};
use crate::error::Problem;

/// For whom an export is.
#[derive(Debug, Clone, Copy, Deserialize, utoipa::ToSchema)]
#[serde(rename_all = "kebab-case")]
pub(crate) enum Whom {
    /// Its owner: it carries the unit's identity.
    Owner,
    /// Somebody else: without what exists once, the lock's state and identifiers.
    Another,
}

/// An export to write.
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct ExportToWrite {
    /// For whom.
    whom: Whom,
    /// The folder of this computer, by its whole path.
    folder: String,
    /// The same request twice is done once.
    request: RequestId,
}

/// Writes a capture as one tar into a folder of this computer.
#[utoipa::path(post, path = "/api/units/{unit}/captures/{capture}/export", operation_id = "exportCapture", params(("unit" = String, Path), ("capture" = String, Path)), request_body = ExportToWrite, responses((status = 200, body = JobBegan), (status = "default", body = Problem)))]
pub(crate) async fn export(
    State(app): State<App>,
    Path((unit, capture)): Path<(UnitId, CaptureId)>,
    Json(wanted): Json<ExportToWrite>,
) -> Result<Json<JobBegan>, Problem> {
    let engine = app.engine;
    let ExportToWrite {
        whom,
        folder,
        request,
    } = wanted;
    let whom = match whom {
        Whom::Owner => For::Owner,
        Whom::Another => For::Another,
    };
    began(
        app.jobs
            .move_bytes(Some(unit), "export", Some(request), move |watcher| {
                let path = engine
                    .keeping
                    .export(unit, capture, whom, &folder, request, watcher)?;
                Ok(format!("The export is {}.", path.display()))
            }),
    )
    .await
}

/// An export that lies on this computer.
#[derive(Deserialize, utoipa::IntoParams)]
#[into_params(parameter_in = Query)]
#[serde(deny_unknown_fields)]
pub(crate) struct ExportAtPath {
    /// Its whole path.
    path: String,
}

/// What an export holds; nothing is taken.
#[utoipa::path(get, path = "/api/imports", operation_id = "lookAtExport", params(ExportAtPath), responses((status = 200, body = FoundUnit), (status = "default", body = Problem)))]
pub(crate) async fn look(
    State(app): State<App>,
    Query(wanted): Query<ExportAtPath>,
) -> Result<Json<FoundUnit>, Problem> {
    crossing(app, move |app| {
        app.engine.keeping.look_at_export(&wanted.path)
    })
    .await
    .map(Json)
}

/// An export to take in.
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct ExportToTake {
    /// Its whole path.
    path: String,
    /// Id of the ownership answer; asked once, of a unit that comes onto the bench by it.
    ownership: Option<String>,
    /// The same request twice is done once.
    request: RequestId,
}

/// Takes an export in: every image is held against its manifest, and read back.
#[utoipa::path(post, path = "/api/imports", operation_id = "takeExport", request_body = ExportToTake, responses((status = 200, body = JobBegan), (status = "default", body = Problem)))]
pub(crate) async fn import(
    State(app): State<App>,
    Json(wanted): Json<ExportToTake>,
) -> Result<Json<JobBegan>, Problem> {
    let engine = app.engine;
    let ExportToTake {
        path,
        ownership,
        request,
    } = wanted;
    began(
        app.jobs
            .move_bytes(None, "taking an export in", Some(request), move |watcher| {
                engine
                    .keeping
                    .import(&path, ownership.as_deref(), request, watcher)?;
                Ok(
                    "All that is in it was held against its manifest, and was read back."
                        .to_owned(),
                )
            }),
    )
    .await
}
