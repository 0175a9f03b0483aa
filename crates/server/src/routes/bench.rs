//! The bench and its bridges.

use axum::extract::State;
use serde::{Deserialize, Serialize};
use veritope_engine::FoundDevice;
use veritope_engine::library::DATA_VERSION;
use veritope_engine::views::BenchView;
use veritope_wire::{BridgeId, RequestId};

use super::{App, Json, Path, Query, crossing};
use crate::error::Problem;

/// Who answers.
#[derive(Serialize, utoipa::ToSchema)]
pub(crate) struct Health {
    /// Version of the program.
    version: &'static str,
    /// Version of the data folder.
    data_version: u32,
}

/// Says that the server is up.
#[utoipa::path(get, path = "/api/health", operation_id = "health", responses((status = 200, body = Health)))]
pub(crate) async fn health() -> Json<Health> {
    Json(Health {
        version: env!("CARGO_PKG_VERSION"),
        data_version: DATA_VERSION,
    })
}

/// The bench: bridges, units with their judgement, and what a form for a new unit offers.
#[utoipa::path(get, path = "/api/bench", operation_id = "bench", responses((status = 200, body = BenchView), (status = "default", body = Problem)))]
pub(crate) async fn bench(State(app): State<App>) -> Result<Json<BenchView>, Problem> {
    crossing(app, |app| app.engine.views.bench_view())
        .await
        .map(Json)
}

/// A bridge to add.
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct NewBridge {
    /// Its address, `http://HOST:PORT`.
    url: String,
    /// Its token.
    token: String,
    /// The same request twice is done once.
    request: RequestId,
}

/// The id of what was made.
#[derive(Serialize, utoipa::ToSchema)]
pub(crate) struct BridgeMade {
    /// The bridge.
    id: BridgeId,
}

/// Adds a bridge after asking it who it is.
#[utoipa::path(post, path = "/api/bridges", operation_id = "addBridge", request_body = NewBridge, responses((status = 200, body = BridgeMade), (status = "default", body = Problem)))]
pub(crate) async fn add_bridge(
    State(app): State<App>,
    Json(new): Json<NewBridge>,
) -> Result<Json<BridgeMade>, Problem> {
    let id = crossing(app, move |app| {
        app.engine
            .links
            .add_bridge(&new.url, &new.token, new.request)
    })
    .await?;
    Ok(Json(BridgeMade { id }))
}

/// The request that a deletion belongs to.
#[derive(Deserialize, utoipa::IntoParams)]
#[into_params(parameter_in = Query)]
pub(crate) struct RequestParam {
    /// The same request twice is done once.
    #[param(value_type = String, format = "uuid")]
    pub(super) request: RequestId,
}

/// Removes a bridge; its units stay.
#[utoipa::path(delete, path = "/api/bridges/{bridge}", operation_id = "removeBridge", params(("bridge" = String, Path), RequestParam), responses((status = 200), (status = "default", body = Problem)))]
pub(crate) async fn remove_bridge(
    State(app): State<App>,
    Path(bridge): Path<BridgeId>,
    Query(RequestParam { request }): Query<RequestParam>,
) -> Result<Json<()>, Problem> {
    crossing(app, move |app| {
        app.engine.links.remove_bridge(bridge, request)
    })
    .await
    .map(Json)
}

/// What a bridge offers now.
#[utoipa::path(get, path = "/api/bridges/{bridge}/devices", operation_id = "found", params(("bridge" = String, Path)), responses((status = 200, body = Vec<FoundDevice>), (status = "default", body = Problem)))]
pub(crate) async fn found(
    State(app): State<App>,
    Path(bridge): Path<BridgeId>,
) -> Result<Json<Vec<FoundDevice>>, Problem> {
    crossing(app, move |app| app.engine.links.found(bridge))
        .await
        .map(Json)
}
