//! Beside the sheet: the stand-in's body, the connection, the step's command for shells.

use axum::extract::State;
use axum::http::HeaderMap;
use axum::http::header::HOST;
use serde::{Deserialize, Serialize};
use veritope_core::evidence::Line;
use veritope_core::permission::Permission;
use veritope_core::shell::{Card, step_cards};
use veritope_wire::body::{BodyAct, Face};
use veritope_wire::{RunId, UnitId};

use super::{App, Json, Path, crossing};
use crate::error::Problem;

/// What eyes see of a stand-in.
#[derive(Serialize, utoipa::ToSchema)]
pub(crate) struct FaceView {
    /// It; nothing for a real device.
    face: Option<Face>,
    /// Whether hands may be laid on it.
    hands: Permission,
}

impl From<Option<Face>> for FaceView {
    fn from(face: Option<Face>) -> Self {
        let hands = match face {
            Some(_) => Permission::yes(),
            None => Permission::no("A real device is in your own hands.", None),
        };
        Self { face, hands }
    }
}

/// Something that hands do to a stand-in.
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct HandsOn {
    /// What.
    act: BodyAct,
}

/// The face of the unit's stand-in.
#[utoipa::path(get, path = "/api/units/{unit}/face", operation_id = "face", params(("unit" = String, Path)), responses((status = 200, body = FaceView), (status = "default", body = Problem)))]
pub(crate) async fn face(
    State(app): State<App>,
    Path(unit): Path<UnitId>,
) -> Result<Json<FaceView>, Problem> {
    let face = crossing(app, move |app| app.engine.links.face(unit)).await?;
    Ok(Json(face.into()))
}

/// Hands on the unit's stand-in. A key that is down stays down however often it is sent.
#[utoipa::path(post, path = "/api/units/{unit}/face", operation_id = "hands", params(("unit" = String, Path)), request_body = HandsOn, responses((status = 200, body = FaceView), (status = "default", body = Problem)))]
pub(crate) async fn hands(
    State(app): State<App>,
    Path(unit): Path<UnitId>,
    Json(hands): Json<HandsOn>,
) -> Result<Json<FaceView>, Problem> {
    let face = crossing(app, move |app| app.engine.links.hands(unit, &hands.act)).await?;
    Ok(Json(face.into()))
}

/// What lies between this program and the unit, looked at now.
#[utoipa::path(get, path = "/api/units/{unit}/doctor", operation_id = "doctor", params(("unit" = String, Path)), responses((status = 200, body = Vec<Line>), (status = "default", body = Problem)))]
pub(crate) async fn doctor(
    State(app): State<App>,
    Path(unit): Path<UnitId>,
) -> Result<Json<Vec<Line>>, Problem> {
    crossing(app, move |app| app.engine.runs.doctor(unit, None))
        .await
        .map(Json)
}

/// A step's command for three kinds of shell.
#[utoipa::path(get, path = "/api/runs/{run}/steps/{step}/cards", operation_id = "cards", params(("run" = String, Path), ("step" = u32, Path)), responses((status = 200, body = Vec<Card>), (status = "default", body = Problem)))]
pub(crate) async fn cards(
    headers: HeaderMap,
    Path((run, step)): Path<(RunId, u32)>,
) -> Result<Json<Vec<Card>>, Problem> {
    // Guarded before: it is one of our own names.
    let host = headers.get(HOST).and_then(|value| value.to_str().ok());
    let server = format!("http://{}", host.unwrap_or("127.0.0.1:7310"));
    let program = std::env::current_exe().map_or_else(
        |_| "veritope".to_owned(),
        |path| path.to_string_lossy().into_owned(),
    );
    Ok(Json(step_cards(&program, &run.to_string(), step, &server)))
}
