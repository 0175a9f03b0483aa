//! The bench link over HTTP, device side. Loopback only; a bearer token for programs; requests
//! that a web page sent (they carry `Origin`) are refused.

mod moved;
mod page;
mod services;

use std::collections::BTreeMap;
use std::net::SocketAddr;
use std::path::PathBuf;
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::time::Duration;

use axum::Router;
use axum::body::{Body, Bytes};
use axum::extract::{DefaultBodyLimit, Path, Query, Request, State};
use axum::http::{HeaderMap, StatusCode, header};
use axum::middleware::{self, Next};
use axum::response::{IntoResponse, Json, Response};
use axum::routing::{get, post, put};
use serde::Deserialize;
use veritope_wire::body::BodyAct;
use veritope_wire::link::{
    ActRequest, BridgeInfo, DIGEST_HEADER, DeviceList, EPOCH_HEADER, Epoch, Handle, LINK_VERSION,
    LinkEvents, Operation, OperationId, Refusal, RefusalCode, Spot,
};
use veritope_wire::{Digest, Label};

pub use services::package_bytes;

use crate::condition::Fault;
use crate::device::{Device, MEMORY_BYTES, no};

/// Devices on one bridge.
#[derive(Clone)]
pub struct Bridge {
    name: String,
    token: String,
    devices: Arc<Mutex<BTreeMap<String, Device>>>,
    mails: Arc<Mutex<Vec<Mail>>>,
}

/// A mail of the portal's, on its way or come.
#[derive(Debug, Clone)]
pub(crate) struct Mail {
    /// Handle of the unit that it is about; its clock says when the mail comes.
    pub(crate) handle: String,
    /// When, in device time.
    pub(crate) due_ms: i64,
    /// What it brings.
    pub(crate) token: String,
}

/// The bridge can't be served.
#[derive(Debug, thiserror::Error)]
pub enum BridgeError {
    /// The port is taken, or the address is not this machine's.
    #[error("{address} can't be listened on: {why}; choose another with --listen")]
    Listen {
        /// The address.
        address: SocketAddr,
        /// Why.
        why: std::io::Error,
    },
    /// A device's folder is unreadable.
    #[error("the simulated device in {folder} can't be opened: {why}")]
    Device {
        /// The folder.
        folder: PathBuf,
        /// Why.
        why: std::io::Error,
    },
}

impl Bridge {
    /// A bridge over `devices` that lets callers with `token` in.
    #[must_use]
    pub fn new(name: &str, token: &str, devices: impl IntoIterator<Item = Device>) -> Self {
        Self {
            name: name.to_owned(),
            token: token.to_owned(),
            devices: Arc::new(Mutex::new(
                devices
                    .into_iter()
                    .map(|device| (device.handle().0.clone(), device))
                    .collect(),
            )),
            mails: Arc::default(),
        }
    }

    pub(crate) fn mails(&self) -> MutexGuard<'_, Vec<Mail>> {
        self.mails.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// The device whose screens show this equipment ID.
    pub(crate) fn holder_of(&self, equipment_id: &str) -> Option<String> {
        let devices = self.lock();
        devices
            .iter()
            .find(|(_, device)| device.equipment_id() == equipment_id)
            .map(|(handle, _)| handle.clone())
    }

    fn lock(&self) -> MutexGuard<'_, BTreeMap<String, Device>> {
        // A device is consistent after every call, so a panic elsewhere doesn't spoil it.
        self.devices.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Does something with one device, time taken into account.
    ///
    /// # Errors
    /// When there is no such device, its storage fails, or it refuses.
    pub fn with<T>(
        &self,
        handle: &str,
        act: impl FnOnce(&mut Device) -> Result<T, Refusal>,
    ) -> Result<T, Refusal> {
        let mut devices = self.lock();
        let device = devices
            .get_mut(handle)
            .ok_or_else(|| no(RefusalCode::NotFound, "there is no such device"))?;
        device
            .tick()
            .map_err(|error| no(RefusalCode::Other, error.to_string()))?;
        act(device)
    }

    fn list(&self) -> DeviceList {
        let mut devices = self.lock();
        DeviceList {
            devices: devices
                .values_mut()
                .map(|device| {
                    // A storage fault shows at the next call that needs the storage.
                    let _ = device.tick();
                    device.line()
                })
                .collect(),
        }
    }

    /// Puts another device onto the bridge.
    pub fn add(&self, device: Device) {
        let handle = device.handle().0.clone();
        self.lock().insert(handle, device);
    }

    /// Two units change places on their docks.
    ///
    /// # Errors
    /// When one of them is not there or can't be saved.
    pub fn swap(&self, one: &str, other: &str) -> Result<(), Refusal> {
        let mut devices = self.lock();
        let missing = || no(RefusalCode::NotFound, "there is no such device");
        let mut first = devices.remove(one).ok_or_else(missing)?;
        let Some(mut second) = devices.remove(other) else {
            devices.insert(one.to_owned(), first);
            return Err(missing());
        };
        let (epoch_one, epoch_other) = (first.epoch_now(), second.epoch_now());
        let saved = first
            .take_place(Handle(other.to_owned()), epoch_other)
            .and_then(|()| second.take_place(Handle(one.to_owned()), epoch_one));
        devices.insert(other.to_owned(), first);
        devices.insert(one.to_owned(), second);
        saved.map_err(|error| no(RefusalCode::Other, error.to_string()))
    }

    /// Handles of all devices.
    #[must_use]
    pub fn handles(&self) -> Vec<String> {
        self.lock().keys().cloned().collect()
    }

    /// All routes: the link under `/v2`, the plain page beside it.
    pub fn router(self) -> Router {
        let link = Router::new()
            .route("/v2/bridge", get(info))
            .route("/v2/devices", get(devices))
            .route("/v2/devices/{handle}", get(state))
            .route("/v2/devices/{handle}/act", post(act))
            .route("/v2/devices/{handle}/operations/{id}", get(operation))
            .route("/v2/devices/{handle}/events", get(events))
            .route("/v2/devices/{handle}/partitions", get(partitions))
            .route(
                "/v2/devices/{handle}/areas/{area}/partitions/{number}/{label}",
                get(read_partition).put(write_partition),
            )
            .route("/v2/devices/{handle}/areas/{area}/{end}", get(read_end))
            .route(
                "/v2/devices/{handle}/volumes/{label}",
                get(read_volume).put(write_volume),
            )
            .merge(moved::routes())
            .route("/v2/devices/{handle}/memory", put(put_memory))
            .route("/v2/devices/{handle}/body", get(face).post(body))
            .route("/v2/devices/{handle}/faults", post(arm))
            .layer(middleware::from_fn_with_state(self.clone(), guard));
        link.merge(page::routes())
            .merge(services::routes())
            .layer(DefaultBodyLimit::max(MEMORY_BYTES + 1))
            .with_state(self)
    }
}

/// Serves `bridge` on an already bound `listener` until `stop` resolves.
///
/// # Errors
/// When the listener fails.
pub async fn serve(
    bridge: Bridge,
    listener: tokio::net::TcpListener,
    stop: impl Future<Output = ()> + Send + 'static,
) -> std::io::Result<()> {
    axum::serve(listener, bridge.router())
        .with_graceful_shutdown(stop)
        .await
}

async fn guard(State(bridge): State<Bridge>, request: Request, next: Next) -> Response {
    let headers = request.headers();
    if headers.contains_key(header::ORIGIN) {
        return refuse(&no(
            RefusalCode::NotAllowed,
            "web pages are not served here",
        ));
    }
    let wanted = format!("Bearer {}", bridge.token);
    let given = headers
        .get(header::AUTHORIZATION)
        .and_then(|value| value.to_str().ok());
    if given != Some(wanted.as_str()) {
        return refuse(&no(
            RefusalCode::NotAllowed,
            "the bearer token is missing or wrong",
        ));
    }
    next.run(request).await
}

fn refuse(refusal: &Refusal) -> Response {
    let status = match refusal.code {
        RefusalCode::NotFound => StatusCode::NOT_FOUND,
        RefusalCode::BadRequest | RefusalCode::DigestDiffers => StatusCode::BAD_REQUEST,
        RefusalCode::TooLarge => StatusCode::PAYLOAD_TOO_LARGE,
        RefusalCode::NotAllowed => StatusCode::FORBIDDEN,
        RefusalCode::StaleEpoch => StatusCode::PRECONDITION_FAILED,
        RefusalCode::UnknownCommand
        | RefusalCode::WrongMode
        | RefusalCode::Locked
        | RefusalCode::AnsweredNo
        | RefusalCode::NotConnected
        | RefusalCode::Busy
        | RefusalCode::Other => StatusCode::CONFLICT,
    };
    (status, Json(refusal)).into_response()
}

/// The one place where requests cross to blocking work.
async fn crossing<T: Send + 'static>(
    bridge: Bridge,
    handle: String,
    act: impl FnOnce(&mut Device) -> Result<T, Refusal> + Send + 'static,
) -> Result<T, Response> {
    tokio::task::spawn_blocking(move || bridge.with(&handle, act))
        .await
        .map_err(|error| refuse(&no(RefusalCode::Other, error.to_string())))?
        .map_err(|refusal| refuse(&refusal))
}

async fn info(State(bridge): State<Bridge>) -> Json<BridgeInfo> {
    Json(BridgeInfo {
        name: bridge.name,
        link_version: LINK_VERSION,
        extras: vec!["body".to_owned(), "faults".to_owned()],
    })
}

async fn devices(State(bridge): State<Bridge>) -> Result<Json<DeviceList>, Response> {
    tokio::task::spawn_blocking(move || Json(bridge.list()))
        .await
        .map_err(|error| refuse(&no(RefusalCode::Other, error.to_string())))
}

async fn state(
    State(bridge): State<Bridge>,
    Path(handle): Path<String>,
) -> Result<Response, Response> {
    crossing(bridge, handle, |device| {
        Ok(Json(device.state()).into_response())
    })
    .await
}

async fn act(
    State(bridge): State<Bridge>,
    Path(handle): Path<String>,
    Json(request): Json<ActRequest>,
) -> Result<Json<Operation>, Response> {
    crossing(bridge, handle, move |device| device.act(&request))
        .await
        .map(Json)
}

async fn operation(
    State(bridge): State<Bridge>,
    Path((handle, id)): Path<(String, u64)>,
) -> Result<Json<Operation>, Response> {
    crossing(bridge, handle, move |device| {
        device.operation(OperationId(id))
    })
    .await
    .map(Json)
}

#[derive(Deserialize)]
struct After {
    #[serde(default)]
    after: u64,
    #[serde(default)]
    wait_ms: u64,
}

/// How often a waiting request looks again.
const LOOK_AGAIN: Duration = Duration::from_millis(50);
/// Longest wait.
const LONGEST_WAIT_MS: u64 = 30_000;

async fn events(
    State(bridge): State<Bridge>,
    Path(handle): Path<String>,
    Query(query): Query<After>,
) -> Result<Json<LinkEvents>, Response> {
    let until =
        tokio::time::Instant::now() + Duration::from_millis(query.wait_ms.min(LONGEST_WAIT_MS));
    loop {
        let after = query.after;
        let events = crossing(bridge.clone(), handle.clone(), move |device| {
            Ok(device.events(after))
        })
        .await?;
        if !events.is_empty() || tokio::time::Instant::now() >= until {
            return Ok(Json(LinkEvents { events }));
        }
        tokio::time::sleep(LOOK_AGAIN).await;
    }
}

async fn partitions(
    State(bridge): State<Bridge>,
    Path(handle): Path<String>,
) -> Result<Response, Response> {
    crossing(bridge, handle, |device| {
        device.partitions().map(|list| Json(list).into_response())
    })
    .await
}

type OfPartition = Path<(String, u32, u32, Label)>;

fn partition(area: u32, number: u32, label: Label) -> Spot {
    Spot::Partition {
        area,
        number,
        label,
    }
}

async fn read_partition(
    State(bridge): State<Bridge>,
    Path((handle, area, number, label)): OfPartition,
    headers: HeaderMap,
) -> Result<Response, Response> {
    read(bridge, handle, partition(area, number, label), &headers).await
}

async fn read_volume(
    State(bridge): State<Bridge>,
    Path((handle, label)): Path<(String, Label)>,
    headers: HeaderMap,
) -> Result<Response, Response> {
    read(bridge, handle, Spot::Volume { label }, &headers).await
}

async fn read_end(
    State(bridge): State<Bridge>,
    Path((handle, area, end)): Path<(String, u32, String)>,
    headers: HeaderMap,
) -> Result<Response, Response> {
    let spot = match end.as_str() {
        "start" => Spot::AreaStart { area },
        "end" => Spot::AreaEnd { area },
        _ => return Err(refuse(&no(RefusalCode::NotFound, "an area has two ends"))),
    };
    read(bridge, handle, spot, &headers).await
}

/// The range that a request asks for.
fn asked_range(headers: &HeaderMap) -> Result<(u64, u64), Refusal> {
    headers
        .get(header::RANGE)
        .and_then(|value| value.to_str().ok())
        .and_then(parse_range)
        .ok_or_else(|| {
            no(
                RefusalCode::BadRequest,
                "a Range of bytes=FIRST-LAST is needed",
            )
        })
}

/// Bytes `first..=last` of something, under an epoch.
fn ranged(bytes: Vec<u8>, (first, last): (u64, u64), length: u64, epoch: u64) -> Response {
    (
        StatusCode::PARTIAL_CONTENT,
        [
            (
                header::CONTENT_TYPE.as_str(),
                "application/octet-stream".to_owned(),
            ),
            (
                header::CONTENT_RANGE.as_str(),
                format!("bytes {first}-{last}/{length}"),
            ),
            (EPOCH_HEADER, epoch.to_string()),
        ],
        Body::from(bytes),
    )
        .into_response()
}

async fn read(
    bridge: Bridge,
    handle: String,
    spot: Spot,
    headers: &HeaderMap,
) -> Result<Response, Response> {
    let (first, last) = asked_range(headers).map_err(|refusal| refuse(&refusal))?;
    crossing(bridge, handle, move |device| {
        let bytes = device.read_at(&spot, first, last - first + 1)?;
        let (_, length) = device.lies(&spot)?;
        Ok(ranged(bytes, (first, last), length, device.epoch_now()))
    })
    .await
}

fn parse_range(text: &str) -> Option<(u64, u64)> {
    let (first, last) = text.strip_prefix("bytes=")?.split_once('-')?;
    let (first, last) = (first.parse().ok()?, last.parse().ok()?);
    // The length must fit, so the very last byte of 2^64 can't be asked for.
    (first <= last && last < u64::MAX).then_some((first, last))
}

async fn write_partition(
    State(bridge): State<Bridge>,
    Path((handle, area, number, label)): OfPartition,
    headers: HeaderMap,
    bytes: Bytes,
) -> Result<Response, Response> {
    let spot = partition(area, number, label);
    write(bridge, handle, spot, &headers, bytes).await
}

async fn write_volume(
    State(bridge): State<Bridge>,
    Path((handle, label)): Path<(String, Label)>,
    headers: HeaderMap,
    bytes: Bytes,
) -> Result<Response, Response> {
    write(bridge, handle, Spot::Volume { label }, &headers, bytes).await
}

/// What the headers of a piece say: its first byte, the length of the whole, epoch and digest.
struct Announced {
    first: u64,
    length: u64,
    epoch: Epoch,
    digest: Digest,
}

fn announced(headers: &HeaderMap, bytes: &Bytes) -> Result<Announced, Refusal> {
    let text = |name: &str| headers.get(name).and_then(|value| value.to_str().ok());
    let range = text("content-range").and_then(parse_content_range);
    let epoch = text(EPOCH_HEADER).and_then(|text| text.parse().ok());
    let digest = text(DIGEST_HEADER).and_then(|text| text.parse::<Digest>().ok());
    let (Some((first, last, length)), Some(epoch), Some(digest)) = (range, epoch, digest) else {
        return Err(no(
            RefusalCode::BadRequest,
            "content-range, bench-epoch and bench-blake3 are needed as headers",
        ));
    };
    if last - first + 1 != bytes.len() as u64 {
        return Err(no(
            RefusalCode::BadRequest,
            "content-range and body differ in length",
        ));
    }
    Ok(Announced {
        first,
        length,
        epoch: Epoch(epoch),
        digest,
    })
}

async fn write(
    bridge: Bridge,
    handle: String,
    spot: Spot,
    headers: &HeaderMap,
    bytes: Bytes,
) -> Result<Response, Response> {
    let said = announced(headers, &bytes).map_err(|refusal| refuse(&refusal))?;
    crossing(bridge, handle, move |device| {
        device
            .write_at(&spot, said.first, &bytes, said.epoch, said.digest)
            .map(|done| Json(done).into_response())
    })
    .await
}

fn parse_content_range(text: &str) -> Option<(u64, u64, u64)> {
    let (range, length) = text.strip_prefix("bytes ")?.split_once('/')?;
    let (first, last) = parse_range(&format!("bytes={range}"))?;
    Some((first, last, length.parse().ok()?))
}

async fn put_memory(
    State(bridge): State<Bridge>,
    Path(handle): Path<String>,
    headers: HeaderMap,
    bytes: Bytes,
) -> Result<Response, Response> {
    let text = |name: &str| headers.get(name).and_then(|value| value.to_str().ok());
    let epoch = text(EPOCH_HEADER)
        .and_then(|text| text.parse().ok())
        .map(Epoch);
    let digest = text(DIGEST_HEADER).and_then(|text| text.parse::<Digest>().ok());
    let (Some(epoch), Some(digest)) = (epoch, digest) else {
        return Err(refuse(&no(
            RefusalCode::BadRequest,
            "bench-epoch and bench-blake3 are needed as headers",
        )));
    };
    crossing(bridge, handle, move |device| {
        device
            .put_memory(bytes.to_vec(), epoch, digest)
            .map(|done| Json(done).into_response())
    })
    .await
}

async fn face(
    State(bridge): State<Bridge>,
    Path(handle): Path<String>,
) -> Result<Response, Response> {
    crossing(bridge, handle, |device| {
        Ok(Json(device.face()).into_response())
    })
    .await
}

async fn body(
    State(bridge): State<Bridge>,
    Path(handle): Path<String>,
    Json(act): Json<BodyAct>,
) -> Result<StatusCode, Response> {
    crossing(bridge, handle, move |device| device.body(&act)).await?;
    Ok(StatusCode::NO_CONTENT)
}

async fn arm(
    State(bridge): State<Bridge>,
    Path(handle): Path<String>,
    Json(fault): Json<Fault>,
) -> Result<StatusCode, Response> {
    if let Fault::Swap { with } = &fault {
        let with = with.clone();
        return tokio::task::spawn_blocking(move || bridge.swap(&handle, &with))
            .await
            .map_err(|error| refuse(&no(RefusalCode::Other, error.to_string())))?
            .map(|()| StatusCode::NO_CONTENT)
            .map_err(|refusal| refuse(&refusal));
    }
    crossing(bridge, handle, move |device| {
        device
            .arm(fault)
            .map_err(|error| no(RefusalCode::Other, error.to_string()))
    })
    .await?;
    Ok(StatusCode::NO_CONTENT)
}

#[cfg(test)]
mod tests {
    use super::parse_range;

    #[test]
    fn only_a_closed_range_of_bytes_is_taken() {
        assert_eq!(parse_range("bytes=0-511"), Some((0, 511)));
        for text in [
            "",
            "bytes=5-",
            "bytes=-5",
            "bytes=9-3",
            "bytes=0-1,4-5",
            "lines=0-1",
            "bytes=0-18446744073709551615",
        ] {
            assert_eq!(parse_range(text), None, "{text}");
        }
    }
}
