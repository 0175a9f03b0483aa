//! Runs: the sheet, its beginning, its steps. Every request repeats the run's revision, so that a
//! page that is behind changes nothing.

use axum::extract::State;
use axum::http::{StatusCode, header};
use axum::response::{IntoResponse as _, Response};
use serde::{Deserialize, Serialize};
use veritope_engine::StepEnd;
use veritope_engine::runs::Said;
use veritope_engine::views::RunPage;
use veritope_wire::{RequestId, RunId, UnitId};

use super::unit::ChosenGoal;
use super::{App, Json, Path, crossing};
use crate::error::Problem;
use crate::jobs::{Begun, JobView};

/// The run station: sheet table or run.
#[utoipa::path(get, path = "/api/units/{unit}/run", operation_id = "runPage", params(("unit" = String, Path)), responses((status = 200, body = RunPage), (status = "default", body = Problem)))]
pub(crate) async fn page(
    State(app): State<App>,
    Path(unit): Path<UnitId>,
) -> Result<Json<RunPage>, Problem> {
    crossing(app, move |app| app.engine.views.run_page(unit))
        .await
        .map(Json)
}

/// The id of what was made.
#[derive(Serialize, utoipa::ToSchema)]
pub(crate) struct RunMade {
    /// The run.
    id: RunId,
}

/// Begins a run.
#[utoipa::path(post, path = "/api/units/{unit}/run", operation_id = "beginRun", params(("unit" = String, Path)), request_body = ChosenGoal, responses((status = 200, body = RunMade), (status = "default", body = Problem)))]
pub(crate) async fn begin(
    State(app): State<App>,
    Path(unit): Path<UnitId>,
    Json(chosen): Json<ChosenGoal>,
) -> Result<Json<RunMade>, Problem> {
    let id = crossing(app, move |app| {
        app.engine.runs.begin_run(unit, chosen.goal, chosen.request)
    })
    .await?;
    Ok(Json(RunMade { id }))
}

/// A change of a run.
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct RunChange {
    /// The revision that the page showed.
    revision: u32,
    /// The same request twice is done once.
    request: RequestId,
}

/// How a step began.
#[derive(Serialize, utoipa::ToSchema)]
#[serde(tag = "began", rename_all = "kebab-case")]
pub(crate) enum StepBegan {
    /// The device is at it.
    UnderWay {
        /// The job to watch.
        job: JobView,
    },
    /// It has ended already.
    Ended {
        /// How.
        end: StepEnd,
    },
}

/// Takes the next step.
#[utoipa::path(post, path = "/api/units/{unit}/run/{run}/step", operation_id = "takeStep", params(("unit" = String, Path), ("run" = String, Path)), request_body = RunChange, responses((status = 200, body = StepBegan), (status = "default", body = Problem)))]
pub(crate) async fn step(
    State(app): State<App>,
    Path((unit, run)): Path<(UnitId, RunId)>,
    Json(change): Json<RunChange>,
) -> Result<Json<StepBegan>, Problem> {
    let begun = app
        .jobs
        .step(app.engine, unit, run, change.revision, change.request)
        .await;
    match begun {
        Ok(Begun::UnderWay(job)) => Ok(Json(StepBegan::UnderWay { job })),
        Ok(Begun::Ended(end)) => Ok(Json(StepBegan::Ended { end })),
        Ok(Begun::NotBegun(error)) => Err(error.into()),
        Err(_) => Err(Problem::new(
            StatusCode::INTERNAL_SERVER_ERROR,
            "broke-off",
            "The step could not be begun; the log of the server tells more.",
        )),
    }
}

/// A typed consent.
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct TypedConsent {
    /// The revision that the page showed.
    revision: u32,
    /// What was typed.
    typed: String,
    /// The same request twice is done once.
    request: RequestId,
}

/// Records a consent.
#[utoipa::path(post, path = "/api/units/{unit}/run/{run}/consent", operation_id = "consent", params(("unit" = String, Path), ("run" = String, Path)), request_body = TypedConsent, responses((status = 200), (status = "default", body = Problem)))]
pub(crate) async fn consent(
    State(app): State<App>,
    Path((unit, run)): Path<(UnitId, RunId)>,
    Json(consent): Json<TypedConsent>,
) -> Result<Json<()>, Problem> {
    crossing(app, move |app| {
        app.engine
            .runs
            .consent(unit, run, consent.revision, &consent.typed, consent.request)
    })
    .await
    .map(Json)
}

/// What a person sees.
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct SaidSeen {
    /// The revision that the page showed.
    revision: u32,
    /// Id of the sighting.
    sighting: String,
    /// What is seen, in a sentence, where it is none of the known; at most 300 letters.
    #[serde(default)]
    words: Option<String>,
    /// The same request twice is done once.
    request: RequestId,
}

/// Records what is seen after a step by hand.
#[utoipa::path(post, path = "/api/units/{unit}/run/{run}/seen", operation_id = "saySeen", params(("unit" = String, Path), ("run" = String, Path)), request_body = SaidSeen, responses((status = 200, body = StepEnd), (status = "default", body = Problem)))]
pub(crate) async fn seen(
    State(app): State<App>,
    Path((unit, run)): Path<(UnitId, RunId)>,
    Json(said): Json<SaidSeen>,
) -> Result<Json<StepEnd>, Problem> {
    crossing(app, move |app| {
        let seen = Said {
            sighting: &said.sighting,
            words: said.words.as_deref(),
        };
        app.engine
            .runs
            .say_seen(unit, run, said.revision, seen, said.request)
    })
    .await
    .map(Json)
}

/// Looks how an open step ended.
#[utoipa::path(post, path = "/api/units/{unit}/run/{run}/look", operation_id = "lookAtStep", params(("unit" = String, Path), ("run" = String, Path)), responses((status = 200), (status = "default", body = Problem)))]
pub(crate) async fn look(
    State(app): State<App>,
    Path((unit, _)): Path<(UnitId, RunId)>,
) -> Result<Json<()>, Problem> {
    crossing(app, move |app| app.engine.runs.look_at_step(unit))
        .await
        .map(Json)
}

/// Stops a run.
#[utoipa::path(post, path = "/api/units/{unit}/run/{run}/stop", operation_id = "stopRun", params(("unit" = String, Path), ("run" = String, Path)), request_body = RunChange, responses((status = 200), (status = "default", body = Problem)))]
pub(crate) async fn stop(
    State(app): State<App>,
    Path((unit, run)): Path<(UnitId, RunId)>,
    Json(change): Json<RunChange>,
) -> Result<Json<()>, Problem> {
    crossing(app, move |app| {
        app.engine
            .runs
            .stop_run(unit, run, change.revision, change.request)
    })
    .await
    .map(Json)
}

/// The file that the step in a person's hands writes, byte for byte.
#[utoipa::path(get, path = "/api/units/{unit}/run/file", operation_id = "handFile", params(("unit" = String, Path)), responses((status = 200, content_type = "application/octet-stream", body = Vec<u8>), (status = "default", body = Problem)))]
pub(crate) async fn hand_file(
    State(app): State<App>,
    Path(unit): Path<UnitId>,
) -> Result<Response, Problem> {
    let found = crossing(app, move |app| app.engine.runs.hand_file(unit)).await?;
    let Some((name, bytes)) = found else {
        return Err(Problem::new(
            StatusCode::NOT_FOUND,
            "not-found",
            "No step that writes a file is in a person's hands.",
        ));
    };
    let name = format!("attachment; filename=\"{name}\"");
    let heads = [
        (header::CONTENT_TYPE, "application/octet-stream".to_owned()),
        (header::CONTENT_DISPOSITION, name),
    ];
    Ok((heads, bytes).into_response())
}
