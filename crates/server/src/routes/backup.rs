//! Backups: captures and their copies, the way back; places and policy.

use axum::extract::State;
use axum::http::StatusCode;
use serde::{Deserialize, Serialize};
use veritope_core::budget::Policy;
use veritope_engine::{
    BackupsView, CaptureKind, CaptureView, FoundUnit, PlaceView, RestorePlan, StockLine,
};
use veritope_wire::{CaptureId, Digest, Label, PlaceId, RequestId, UnitId};

use super::bench::RequestParam;
use super::{App, Json, Path, Query, crossing};
use crate::error::Problem;
use crate::jobs::{Begun, JobView};

/// The backups station.
#[utoipa::path(get, path = "/api/units/{unit}/backups", operation_id = "backups", params(("unit" = String, Path)), responses((status = 200, body = BackupsView), (status = "default", body = Problem)))]
pub(crate) async fn backups(
    State(app): State<App>,
    Path(unit): Path<UnitId>,
) -> Result<Json<BackupsView>, Problem> {
    crossing(app, move |app| app.engine.views.backups(unit))
        .await
        .map(Json)
}

/// What a capture holds.
#[utoipa::path(get, path = "/api/units/{unit}/captures/{capture}", operation_id = "capture", params(("unit" = String, Path), ("capture" = String, Path)), responses((status = 200, body = CaptureView), (status = "default", body = Problem)))]
pub(crate) async fn capture(
    State(app): State<App>,
    Path((unit, capture)): Path<(UnitId, CaptureId)>,
) -> Result<Json<CaptureView>, Problem> {
    crossing(app, move |app| app.engine.views.capture_view(unit, capture))
        .await
        .map(Json)
}

/// How much a person asks for.
#[derive(Debug, Clone, Copy, Deserialize, utoipa::ToSchema)]
#[serde(rename_all = "kebab-case")]
pub(crate) enum WantedCapture {
    /// All but the system.
    Quick,
    /// The system too.
    Full,
}

/// A capture to take.
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct CaptureToTake {
    /// How much.
    kind: WantedCapture,
    /// The same request twice is done once.
    request: RequestId,
}

/// A job that was begun.
#[derive(Serialize, utoipa::ToSchema)]
pub(crate) struct JobBegan {
    /// The job to watch.
    job: JobView,
}

pub(super) async fn began(
    begun: tokio::sync::oneshot::Receiver<Begun>,
) -> Result<Json<JobBegan>, Problem> {
    match begun.await {
        Ok(Begun::UnderWay(job)) => Ok(Json(JobBegan { job })),
        Ok(Begun::NotBegun(error)) => Err(error.into()),
        Ok(Begun::Ended(_)) | Err(_) => Err(Problem::new(
            StatusCode::INTERNAL_SERVER_ERROR,
            "broke-off",
            "The work could not be begun; the log of the server tells more.",
        )),
    }
}

/// Takes a capture.
#[utoipa::path(post, path = "/api/units/{unit}/captures", operation_id = "takeCapture", params(("unit" = String, Path)), request_body = CaptureToTake, responses((status = 200, body = JobBegan), (status = "default", body = Problem)))]
pub(crate) async fn take(
    State(app): State<App>,
    Path(unit): Path<UnitId>,
    Json(wanted): Json<CaptureToTake>,
) -> Result<Json<JobBegan>, Problem> {
    let engine = app.engine;
    let (kind, what) = match wanted.kind {
        WantedCapture::Quick => (CaptureKind::Quick, "capture"),
        WantedCapture::Full => (CaptureKind::Full, "full capture"),
    };
    began(
        app.jobs
            .move_bytes(Some(unit), what, Some(wanted.request), move |watcher| {
                engine.keeping.capture(unit, &kind, watcher)?;
                Ok("The capture is whole, and was read back.".to_owned())
            }),
    )
    .await
}

/// A place that something is done with.
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct AtPlace {
    /// Which.
    place: PlaceId,
    /// The same request twice is done once.
    request: RequestId,
}

/// Brings a capture to a place and reads it back there.
#[utoipa::path(post, path = "/api/units/{unit}/captures/{capture}/copy", operation_id = "copyCapture", params(("unit" = String, Path), ("capture" = String, Path)), request_body = AtPlace, responses((status = 200, body = JobBegan), (status = "default", body = Problem)))]
pub(crate) async fn copy(
    State(app): State<App>,
    Path((unit, capture)): Path<(UnitId, CaptureId)>,
    Json(at): Json<AtPlace>,
) -> Result<Json<JobBegan>, Problem> {
    let engine = app.engine;
    began(
        app.jobs
            .move_bytes(Some(unit), "copy", Some(at.request), move |watcher| {
                engine.keeping.copy(unit, capture, at.place, watcher)?;
                Ok("The copy is there, and was read back.".to_owned())
            }),
    )
    .await
}

/// Reads a copy back from its medium.
#[utoipa::path(post, path = "/api/units/{unit}/captures/{capture}/verify", operation_id = "verifyCopy", params(("unit" = String, Path), ("capture" = String, Path)), request_body = AtPlace, responses((status = 200, body = JobBegan), (status = "default", body = Problem)))]
pub(crate) async fn verify(
    State(app): State<App>,
    Path((unit, capture)): Path<(UnitId, CaptureId)>,
    Json(at): Json<AtPlace>,
) -> Result<Json<JobBegan>, Problem> {
    let engine = app.engine;
    began(app.jobs.move_bytes(
        Some(unit),
        "reading a copy back",
        Some(at.request),
        move |watcher| {
            engine.keeping.verify(unit, capture, at.place, watcher)?;
            Ok("The copy was read back.".to_owned())
        },
    ))
    .await
}

/// Repairs a damaged copy from a sound one.
#[utoipa::path(post, path = "/api/units/{unit}/captures/{capture}/repair", operation_id = "repairCopy", params(("unit" = String, Path), ("capture" = String, Path)), request_body = AtPlace, responses((status = 200, body = JobBegan), (status = "default", body = Problem)))]
pub(crate) async fn repair(
    State(app): State<App>,
    Path((unit, capture)): Path<(UnitId, CaptureId)>,
    Json(at): Json<AtPlace>,
) -> Result<Json<JobBegan>, Problem> {
    let engine = app.engine;
    began(
        app.jobs
            .move_bytes(Some(unit), "repair", Some(at.request), move |watcher| {
                engine.keeping.repair(unit, capture, at.place, watcher)?;
                Ok("The copy is repaired, and was read back.".to_owned())
            }),
    )
    .await
}

/// What putting a capture back would do.
#[utoipa::path(get, path = "/api/units/{unit}/captures/{capture}/restore", operation_id = "restorePlan", params(("unit" = String, Path), ("capture" = String, Path)), responses((status = 200, body = RestorePlan), (status = "default", body = Problem)))]
pub(crate) async fn restore_plan(
    State(app): State<App>,
    Path((unit, capture)): Path<(UnitId, CaptureId)>,
) -> Result<Json<RestorePlan>, Problem> {
    crossing(app, move |app| {
        app.engine.keeping.restore_plan(unit, capture)
    })
    .await
    .map(Json)
}

/// Partitions to put back.
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct PartitionsToRestore {
    /// Which.
    labels: Vec<Label>,
    /// The same request twice is done once.
    request: RequestId,
}

/// Puts partitions back from a capture.
#[utoipa::path(post, path = "/api/units/{unit}/captures/{capture}/restore", operation_id = "restore", params(("unit" = String, Path), ("capture" = String, Path)), request_body = PartitionsToRestore, responses((status = 200, body = JobBegan), (status = "default", body = Problem)))]
pub(crate) async fn restore(
    State(app): State<App>,
    Path((unit, capture)): Path<(UnitId, CaptureId)>,
    Json(wanted): Json<PartitionsToRestore>,
) -> Result<Json<JobBegan>, Problem> {
    let engine = app.engine;
    began(app.jobs.move_bytes(
        Some(unit),
        "putting back",
        Some(wanted.request),
        move |watcher| {
            engine
                .keeping
                .restore(unit, capture, &wanted.labels, watcher)?;
            Ok("Everything was put back, read back, and is equal.".to_owned())
        },
    ))
    .await
}

/// What the owner of the bench decided.
#[derive(Serialize, utoipa::ToSchema)]
pub(crate) struct Settings {
    /// Policy.
    policy: Policy,
    /// Places, our own first.
    places: Vec<PlaceView>,
}

/// The settings.
#[utoipa::path(get, path = "/api/settings", operation_id = "settings", responses((status = 200, body = Settings), (status = "default", body = Problem)))]
pub(crate) async fn settings(State(app): State<App>) -> Result<Json<Settings>, Problem> {
    crossing(app, |app| {
        Ok::<_, Problem>(Settings {
            policy: app.engine.library.policy(),
            places: app.engine.library.places(),
        })
    })
    .await
    .map(Json)
}

/// A policy to follow.
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct PolicyToSet {
    /// The policy.
    policy: Policy,
    /// The same request twice is done once.
    request: RequestId,
}

/// Changes the policy.
#[utoipa::path(post, path = "/api/settings/policy", operation_id = "setPolicy", request_body = PolicyToSet, responses((status = 200), (status = "default", body = Problem)))]
pub(crate) async fn set_policy(
    State(app): State<App>,
    Json(wanted): Json<PolicyToSet>,
) -> Result<Json<()>, Problem> {
    crossing(app, move |app| {
        app.engine.library.set_policy(wanted.policy, wanted.request)
    })
    .await
    .map(Json)
}

/// A place to add.
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct NewPlace {
    /// Its name here.
    name: String,
    /// Its folder's whole path.
    path: String,
    /// The same request twice is done once.
    request: RequestId,
}

/// The id of what was made.
#[derive(Serialize, utoipa::ToSchema)]
pub(crate) struct PlaceMade {
    /// The place.
    id: PlaceId,
}

/// Adds a place.
#[utoipa::path(post, path = "/api/places", operation_id = "addPlace", request_body = NewPlace, responses((status = 200, body = PlaceMade), (status = "default", body = Problem)))]
pub(crate) async fn add_place(
    State(app): State<App>,
    Json(new): Json<NewPlace>,
) -> Result<Json<PlaceMade>, Problem> {
    let id = crossing(app, move |app| {
        app.engine
            .library
            .add_place(&new.name, &new.path, new.request)
    })
    .await?;
    Ok(Json(PlaceMade { id }))
}

/// Forgets a place; what lies there stays.
#[utoipa::path(delete, path = "/api/places/{place}", operation_id = "removePlace", params(("place" = String, Path), RequestParam), responses((status = 200), (status = "default", body = Problem)))]
pub(crate) async fn remove_place(
    State(app): State<App>,
    Path(place): Path<PlaceId>,
    Query(RequestParam { request }): Query<RequestParam>,
) -> Result<Json<()>, Problem> {
    crossing(app, move |app| {
        app.engine.library.remove_place(place, request)
    })
    .await
    .map(Json)
}

/// What lies in a place, whoever wrote it; nothing is taken.
#[utoipa::path(get, path = "/api/places/{place}/found", operation_id = "foundInPlace", params(("place" = String, Path)), responses((status = 200, body = Vec<FoundUnit>), (status = "default", body = Problem)))]
pub(crate) async fn found(
    State(app): State<App>,
    Path(place): Path<PlaceId>,
) -> Result<Json<Vec<FoundUnit>>, Problem> {
    crossing(app, move |app| app.engine.keeping.found_in(place))
        .await
        .map(Json)
}

/// A unit to take over from a place.
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct UnitToTakeOver {
    /// Which.
    unit: UnitId,
    /// Id of the ownership answer; asked once, of a unit that comes onto the bench by it.
    ownership: Option<String>,
    /// The same request twice is done once.
    request: RequestId,
}

/// Takes over a unit with its captures; each is read back.
#[utoipa::path(post, path = "/api/places/{place}/found", operation_id = "takeOver", params(("place" = String, Path)), request_body = UnitToTakeOver, responses((status = 200, body = JobBegan), (status = "default", body = Problem)))]
pub(crate) async fn take_over(
    State(app): State<App>,
    Path(place): Path<PlaceId>,
    Json(wanted): Json<UnitToTakeOver>,
) -> Result<Json<JobBegan>, Problem> {
    let engine = app.engine;
    let UnitToTakeOver {
        unit,
        ownership,
        request,
    } = wanted;
    began(
        app.jobs
            .move_bytes(Some(unit), "taking over", Some(request), move |watcher| {
                engine
                    .keeping
                    .take_over(place, unit, ownership.as_deref(), request, watcher)?;
                Ok("All that lies there of it is taken over, and was read back.".to_owned())
            }),
    )
    .await
}

/// Stops a job; what it moved stays.
#[utoipa::path(post, path = "/api/jobs/{job}/cancel", operation_id = "cancelJob", params(("job" = u64, Path)), responses((status = 200), (status = "default", body = Problem)))]
pub(crate) async fn cancel(
    State(app): State<App>,
    Path(job): Path<u64>,
) -> Result<Json<()>, Problem> {
    if app.jobs.cancel(job) {
        Ok(Json(()))
    } else {
        Err(Problem::new(
            StatusCode::NOT_FOUND,
            "not-found",
            "There is no such job.",
        ))
    }
}

/// The maker's sets on the shelf, judged for the unit.
#[utoipa::path(get, path = "/api/units/{unit}/stock", operation_id = "stock", params(("unit" = String, Path)), responses((status = 200, body = Vec<StockLine>), (status = "default", body = Problem)))]
pub(crate) async fn stock(
    State(app): State<App>,
    Path(unit): Path<UnitId>,
) -> Result<Json<Vec<StockLine>>, Problem> {
    crossing(app, move |app| app.engine.keeping.stock_sets(unit))
        .await
        .map(Json)
}

/// A set to take into the vault.
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct SetChosen {
    /// The file on the shelf.
    set: Digest,
    /// The same request twice is done once.
    request: RequestId,
}

/// The set as it lies in the vault.
#[derive(Serialize, utoipa::ToSchema)]
pub(crate) struct SetTaken {
    /// Its id there.
    capture: CaptureId,
}

/// Takes a set into the vault.
#[utoipa::path(post, path = "/api/units/{unit}/stock", operation_id = "takeStock", params(("unit" = String, Path)), request_body = SetChosen, responses((status = 200, body = SetTaken), (status = "default", body = Problem)))]
pub(crate) async fn take_stock(
    State(app): State<App>,
    Path(unit): Path<UnitId>,
    Json(chosen): Json<SetChosen>,
) -> Result<Json<SetTaken>, Problem> {
    let capture = crossing(app, move |app| {
        app.engine
            .keeping
            .take_stock(unit, chosen.set, chosen.request)
    })
    .await?;
    Ok(Json(SetTaken { capture }))
}
