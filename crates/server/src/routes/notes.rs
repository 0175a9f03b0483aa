//! What goes with a unit's facts: pasted text, pictures, the calendar entry of a wait, the clock.

use axum::extract::State;
use axum::http::header;
use axum::response::{IntoResponse, Response};
use serde::Deserialize;
use veritope_core::paste::Hit;
use veritope_wire::{FactId, RequestId, UnitId};

use super::bench::RequestParam;
use super::{App, Bytes, Json, Path, Query, crossing};
use crate::calendar;
use crate::error::Problem;

/// A block of text from a settings or bootloader screen.
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct Pasted {
    /// The text.
    text: String,
}

/// Finds the facts that a pasted text states; nothing is recorded.
#[utoipa::path(post, path = "/api/units/{unit}/pasted/read", operation_id = "readPasted", params(("unit" = String, Path)), request_body = Pasted, responses((status = 200, body = Vec<Hit>), (status = "default", body = Problem)))]
pub(crate) async fn read_pasted(
    State(app): State<App>,
    Path(unit): Path<UnitId>,
    Json(pasted): Json<Pasted>,
) -> Result<Json<Vec<Hit>>, Problem> {
    crossing(app, move |app| {
        app.engine.units.read_pasted(unit, &pasted.text)
    })
    .await
    .map(Json)
}

/// Which lines of a pasted text are right.
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct PastedLines {
    /// The text again.
    text: String,
    /// Lines whose facts a person confirmed, as `readPasted` counts them.
    lines: Vec<u32>,
    /// The same request twice is done once.
    request: RequestId,
}

/// Records the confirmed facts of a pasted text; all of them or none.
#[utoipa::path(post, path = "/api/units/{unit}/pasted", operation_id = "takePasted", params(("unit" = String, Path)), request_body = PastedLines, responses((status = 200), (status = "default", body = Problem)))]
pub(crate) async fn take_pasted(
    State(app): State<App>,
    Path(unit): Path<UnitId>,
    Json(given): Json<PastedLines>,
) -> Result<Json<()>, Problem> {
    crossing(app, move |app| {
        app.engine
            .units
            .take_pasted(unit, &given.text, &given.lines, given.request)
    })
    .await
    .map(Json)
}

/// Attaches a picture to a fact that a person typed. It stays on this computer.
#[utoipa::path(put, path = "/api/units/{unit}/facts/{fact}/picture", operation_id = "putPicture", params(("unit" = String, Path), ("fact" = String, Path), RequestParam), request_body(content = Vec<u8>, content_type = "application/octet-stream"), responses((status = 200), (status = "default", body = Problem)))]
pub(crate) async fn put_picture(
    State(app): State<App>,
    Path((unit, fact)): Path<(UnitId, FactId)>,
    Query(RequestParam { request }): Query<RequestParam>,
    Bytes(bytes): Bytes,
) -> Result<Json<()>, Problem> {
    crossing(app, move |app| {
        app.engine.library.put_picture(unit, fact, &bytes, request)
    })
    .await
    .map(Json)
}

/// The picture of a fact.
#[utoipa::path(get, path = "/api/units/{unit}/facts/{fact}/picture", operation_id = "picture", params(("unit" = String, Path), ("fact" = String, Path)), responses((status = 200, body = Vec<u8>, content_type = "image/png"), (status = "default", body = Problem)))]
pub(crate) async fn picture(
    State(app): State<App>,
    Path((unit, fact)): Path<(UnitId, FactId)>,
) -> Result<Response, Problem> {
    let picture = crossing(app, move |app| app.engine.library.picture(unit, fact)).await?;
    Ok(([(header::CONTENT_TYPE, picture.media_type)], picture.bytes).into_response())
}

/// What a unit waits for, as a calendar file with an alarm (RFC 5545).
#[utoipa::path(get, path = "/api/units/{unit}/wait.ics", operation_id = "waitCalendar", params(("unit" = String, Path)), responses((status = 200, body = String, content_type = "text/calendar"), (status = "default", body = Problem)))]
pub(crate) async fn wait_calendar(
    State(app): State<App>,
    Path(unit): Path<UnitId>,
) -> Result<Response, Problem> {
    let wait = crossing(app, move |app| app.engine.views.wait_of(unit)).await?;
    let headers = [
        (header::CONTENT_TYPE, "text/calendar; charset=utf-8"),
        (
            header::CONTENT_DISPOSITION,
            "attachment; filename=\"wait.ics\"",
        ),
    ];
    Ok((headers, calendar::entry(unit, &wait)).into_response())
}

/// A request without more.
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct Plain {
    /// The same request twice is done once.
    request: RequestId,
}

/// Says that this computer's clock is right now.
#[utoipa::path(post, path = "/api/clock/trust", operation_id = "trustClock", request_body = Plain, responses((status = 200), (status = "default", body = Problem)))]
pub(crate) async fn trust_clock(
    State(app): State<App>,
    Json(plain): Json<Plain>,
) -> Result<Json<()>, Problem> {
    crossing(app, move |app| {
        app.engine.library.trust_clock(plain.request)
    })
    .await
    .map(Json)
}
