//! The routes of files and streams.

use axum::Router;
use axum::body::Bytes;
use axum::extract::{Json, Path, Query, State};
use axum::http::HeaderMap;
use axum::response::Response;
use axum::routing::{get, post};
use serde::Deserialize;
use veritope_wire::link::{FileDigest, FolderList, StreamId, StreamRequest, StreamState, Written};

use super::{Bridge, announced, asked_range, crossing, ranged, refuse};

pub(super) fn routes() -> Router<Bridge> {
    Router::new()
        .route("/v2/devices/{handle}/files", get(files))
        .route("/v2/devices/{handle}/file", get(pull).put(push))
        .route("/v2/devices/{handle}/file/digest", get(digest))
        .route("/v2/devices/{handle}/streams", post(open))
        .route("/v2/devices/{handle}/streams/{id}", get(far).put(put))
}

#[derive(Deserialize)]
struct At {
    path: String,
}

async fn files(
    State(bridge): State<Bridge>,
    Path(handle): Path<String>,
    Query(at): Query<At>,
) -> Result<Json<FolderList>, Response> {
    let list = crossing(bridge, handle, move |device| device.files(&at.path)).await;
    list.map(Json)
}

async fn digest(
    State(bridge): State<Bridge>,
    Path(handle): Path<String>,
    Query(at): Query<At>,
) -> Result<Json<FileDigest>, Response> {
    let digest = crossing(bridge, handle, move |device| device.file_digest(&at.path)).await;
    digest.map(Json)
}

async fn pull(
    State(bridge): State<Bridge>,
    Path(handle): Path<String>,
    Query(at): Query<At>,
    headers: HeaderMap,
) -> Result<Response, Response> {
    let (first, last) = asked_range(&headers).map_err(|refusal| refuse(&refusal))?;
    crossing(bridge, handle, move |device| {
        let (bytes, length) = device.pull(&at.path, first, last - first + 1)?;
        Ok(ranged(bytes, (first, last), length, device.epoch_now()))
    })
    .await
}

async fn push(
    State(bridge): State<Bridge>,
    Path(handle): Path<String>,
    Query(at): Query<At>,
    headers: HeaderMap,
    bytes: Bytes,
) -> Result<Json<Written>, Response> {
    let said = announced(&headers, &bytes).map_err(|refusal| refuse(&refusal))?;
    let written = crossing(bridge, handle, move |device| {
        let span = (said.first, said.length);
        device.push(&at.path, span, &bytes, said.epoch, said.digest)
    })
    .await;
    written.map(Json)
}

async fn open(
    State(bridge): State<Bridge>,
    Path(handle): Path<String>,
    Json(request): Json<StreamRequest>,
) -> Result<Json<StreamState>, Response> {
    let opened = crossing(bridge, handle, move |device| device.open_stream(&request)).await;
    opened.map(Json)
}

async fn far(
    State(bridge): State<Bridge>,
    Path((handle, id)): Path<(String, u64)>,
) -> Result<Json<StreamState>, Response> {
    let state = crossing(bridge, handle, move |device| {
        device.stream_state(StreamId(id))
    })
    .await;
    state.map(Json)
}

async fn put(
    State(bridge): State<Bridge>,
    Path((handle, id)): Path<(String, u64)>,
    headers: HeaderMap,
    bytes: Bytes,
) -> Result<Json<StreamState>, Response> {
    let said = announced(&headers, &bytes).map_err(|refusal| refuse(&refusal))?;
    let state = crossing(bridge, handle, move |device| {
        device.put_stream(StreamId(id), said.first, &bytes, said.epoch, said.digest)
    })
    .await;
    state.map(Json)
}
