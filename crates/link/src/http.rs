//! The bench link over HTTP. Synchronous: it is called from job threads, never from async code.

use std::io::Read;
use std::sync::{Mutex, PoisonError};
use std::time::Duration;

use reqwest::blocking::{Client, RequestBuilder, Response};
use reqwest::header::{AUTHORIZATION, CONTENT_RANGE, RANGE};
use serde::de::DeserializeOwned;
use veritope_wire::Digest;
use veritope_wire::body::{BodyAct, Face};
use veritope_wire::link::{
    ActKind, ActRequest, BridgeInfo, DIGEST_HEADER, DeviceList, DeviceState, EPOCH_HEADER, Epoch,
    FileDigest, FolderList, Handle, InMemory, LINK_VERSION, LinkEvents, MAX_READ_BYTES, Operation,
    OperationId, PartitionList, Refusal, RefusalCode, Spot, StreamId, StreamRequest, StreamState,
    Written,
};

use crate::transport::{
    FilePiece, LinkError, Passed, ReadBytes, StreamPiece, ToMemory, Transport, WriteBytes,
    of_version_2,
};

/// Most bytes of a JSON answer that are read.
const MOST_JSON_BYTES: u64 = 1 << 20;
/// How long one answer may take.
const PATIENCE: Duration = Duration::from_secs(10);

/// What version 1 had among the facts and version 2 tells as identities.
const IDENTITIES: [&str; 5] = [
    "chip-id",
    "storage-chip-id",
    "serial",
    "download-number",
    "equipment-id",
];

/// A bridge behind an `http://` address. It is asked for the newest version first; which one it speaks is
/// remembered until it stops answering.
#[derive(Debug)]
pub struct HttpTransport {
    client: Client,
    url: String,
    token: String,
    spoken: Mutex<Option<BridgeInfo>>,
}

impl HttpTransport {
    /// Prepares talking to the bridge at `url` (scheme, host, port); nothing is sent yet.
    ///
    /// # Errors
    /// When `url` is not such an address.
    pub fn new(url: &str, token: &str) -> Result<Self, LinkError> {
        let refused = || LinkError::NotAnAddress {
            url: url.to_owned(),
        };
        let parsed = reqwest::Url::parse(url).map_err(|_| refused())?;
        let plain = parsed.scheme() == "http"
            && parsed.host().is_some()
            && parsed.path() == "/"
            && parsed.query().is_none()
            && parsed.username().is_empty();
        if !plain {
            return Err(refused());
        }
        let client = Client::builder()
            .no_proxy()
            .redirect(reqwest::redirect::Policy::none())
            .connect_timeout(Duration::from_secs(3))
            .build()
            .map_err(|source| LinkError::Unreachable {
                url: url.to_owned(),
                source: Box::new(source),
            })?;
        Ok(Self {
            client,
            url: url.trim_end_matches('/').to_owned(),
            token: token.to_owned(),
            spoken: Mutex::default(),
        })
    }

    fn remember(&self, spoken: Option<BridgeInfo>) {
        *self.spoken.lock().unwrap_or_else(PoisonError::into_inner) = spoken;
    }

    /// Asks the bridge who it is, in the newest version that it knows.
    fn ask_who(&self) -> Result<BridgeInfo, LinkError> {
        let ask = |version: u32| {
            let path = format!("{}/v{version}/bridge", self.url);
            self.json(self.client.get(path), PATIENCE)
        };
        let info: BridgeInfo = match ask(LINK_VERSION) {
            Err(error) if error.refusal() == Some(RefusalCode::NotFound) => ask(1)?,
            other => other?,
        };
        self.remember(Some(info.clone()));
        Ok(info)
    }

    fn version(&self) -> Result<u32, LinkError> {
        let spoken = self.spoken.lock().unwrap_or_else(PoisonError::into_inner);
        let known = spoken.as_ref().map(|info| info.link_version);
        drop(spoken);
        match known {
            Some(version) => Ok(version),
            None => Ok(self.ask_who()?.link_version),
        }
    }

    /// Whether the bridge knows what version 2 brought.
    fn is_newer(&self, what: &str) -> Result<(), LinkError> {
        match self.version()? {
            1 => Err(of_version_2(what)),
            _ => Ok(()),
        }
    }

    fn path(&self, device: &Handle, rest: &str) -> Result<String, LinkError> {
        let version = self.version()?;
        Ok(self.path_in(version, device, rest))
    }

    fn path_in(&self, version: u32, device: &Handle, rest: &str) -> String {
        // Handles come from the bridge; escaping keeps an odd one inside its path segment.
        let handle: String = device
            .0
            .bytes()
            .map(|byte| match byte {
                b'a'..=b'z' | b'A'..=b'Z' | b'0'..=b'9' | b'-' | b'_' => {
                    char::from(byte).to_string()
                }
                other => format!("%{other:02X}"),
            })
            .collect();
        let version = if version == 1 { 1 } else { LINK_VERSION };
        format!("{}/v{version}/devices/{handle}{rest}", self.url)
    }

    /// Where bytes of `spot` are asked for.
    fn path_of(&self, device: &Handle, spot: &Spot) -> Result<String, LinkError> {
        if self.version()? > 1 {
            return self.path(device, &spot.path());
        }
        let label = spot
            .label_of_old()
            .ok_or_else(|| of_version_2("logical volumes"))?;
        self.path(device, &format!("/partitions/{label}"))
    }

    /// Bytes `first..first + count` of what lies under `path`.
    fn ranged(
        &self,
        request: RequestBuilder,
        what: &str,
        first: u64,
        count: u64,
    ) -> Result<ReadBytes, LinkError> {
        if count == 0 {
            return Err(self.odd(format!("no bytes of {what} were asked for")));
        }
        let last = first.saturating_add(count.saturating_sub(1));
        let request = request.header(RANGE, format!("bytes={first}-{last}"));
        let answer = self.send(request, PATIENCE)?;
        // 200 would be the whole of it, or another file altogether.
        if answer.status() != reqwest::StatusCode::PARTIAL_CONTENT {
            let status = answer.status();
            return Err(self.odd(format!(
                "bytes of {what} with status {status} instead of 206"
            )));
        }
        let told = answer
            .headers()
            .get(CONTENT_RANGE)
            .and_then(|value| value.to_str().ok())
            .unwrap_or("");
        if !is_range(told, first, last) {
            let told: String = told.chars().take(60).collect();
            return Err(self.odd(format!(
                "bytes {first} to {last} of {what} were asked for, and the answer says `{told}`"
            )));
        }
        let epoch = answer
            .headers()
            .get(EPOCH_HEADER)
            .and_then(|value| value.to_str().ok()?.parse().ok())
            .map(Epoch)
            .ok_or_else(|| self.odd(format!("bytes of {what} without an epoch")))?;
        let bytes = self.bounded(answer, count.min(MAX_READ_BYTES))?;
        if bytes.len() as u64 == count {
            Ok(ReadBytes { bytes, epoch })
        } else {
            Err(self.odd(format!(
                "{} bytes of {what} instead of {count}",
                bytes.len()
            )))
        }
    }

    /// A request with a body of bytes: which of how many they are, under which epoch, with their digest.
    fn with_piece(
        request: RequestBuilder,
        (first, length): (u64, u64),
        epoch: Epoch,
        digest: Digest,
        bytes: &[u8],
    ) -> RequestBuilder {
        let last = first + (bytes.len() as u64).saturating_sub(1);
        request
            .header(CONTENT_RANGE, format!("bytes {first}-{last}/{length}"))
            .header(EPOCH_HEADER, epoch.0)
            .header(DIGEST_HEADER, digest.to_string())
            .body(bytes.to_vec())
    }

    fn send(&self, request: RequestBuilder, patience: Duration) -> Result<Response, LinkError> {
        let answer = request
            .header(AUTHORIZATION, format!("Bearer {}", self.token))
            .timeout(patience)
            .send()
            .map_err(|source| {
                // It may come back as a newer one.
                self.remember(None);
                LinkError::Unreachable {
                    url: self.url.clone(),
                    source: Box::new(source),
                }
            })?;
        if answer.status().is_success() {
            return Ok(answer);
        }
        let status = answer.status();
        let bytes = self.bounded(answer, MOST_JSON_BYTES)?;
        match serde_json::from_slice::<Refusal>(&bytes) {
            Ok(refusal) => Err(LinkError::Refused(refusal)),
            Err(_) if status == reqwest::StatusCode::NOT_FOUND => {
                Err(LinkError::Refused(Refusal {
                    code: RefusalCode::NotFound,
                    words: "not found".to_owned(),
                }))
            }
            Err(_) => Err(self.odd(format!("status {status} without a reason"))),
        }
    }

    fn bounded(&self, answer: Response, most: u64) -> Result<Vec<u8>, LinkError> {
        let mut bytes = Vec::new();
        answer
            .take(most + 1)
            .read_to_end(&mut bytes)
            .map_err(|source| LinkError::Unreachable {
                url: self.url.clone(),
                source: Box::new(source),
            })?;
        if bytes.len() as u64 > most {
            return Err(self.odd(format!("an answer of more than {most} bytes")));
        }
        Ok(bytes)
    }

    fn odd(&self, what: String) -> LinkError {
        LinkError::Odd {
            url: self.url.clone(),
            what,
        }
    }

    fn json<T: DeserializeOwned>(
        &self,
        request: RequestBuilder,
        patience: Duration,
    ) -> Result<T, LinkError> {
        let answer = self.send(request, patience)?;
        let bytes = self.bounded(answer, MOST_JSON_BYTES)?;
        serde_json::from_slice(&bytes).map_err(|error| self.odd(error.to_string()))
    }
}

impl Transport for HttpTransport {
    fn info(&self) -> Result<BridgeInfo, LinkError> {
        self.ask_who()
    }

    fn devices(&self) -> Result<DeviceList, LinkError> {
        let version = self.version()?.clamp(1, LINK_VERSION);
        let path = format!("{}/v{version}/devices", self.url);
        self.json(self.client.get(path), PATIENCE)
    }

    fn state(&self, device: &Handle) -> Result<DeviceState, LinkError> {
        let path = self.path(device, "")?;
        let mut state: DeviceState = self.json(self.client.get(path), PATIENCE)?;
        if self.version()? == 1 {
            let told = IDENTITIES.into_iter();
            state.identities = told
                .filter_map(|kind| Some((kind.to_owned(), state.facts.remove(kind)?)))
                .collect();
        }
        Ok(state)
    }

    fn operation(&self, device: &Handle, id: OperationId) -> Result<Operation, LinkError> {
        let path = self.path(device, &format!("/operations/{}", id.0))?;
        self.json(self.client.get(path), PATIENCE)
    }

    fn events(&self, device: &Handle, after: u64, wait: Duration) -> Result<LinkEvents, LinkError> {
        let path = self.path(device, "/events")?;
        let request = self.client.get(path).query(&[
            ("after", after),
            ("wait_ms", u64::try_from(wait.as_millis()).unwrap_or(0)),
        ]);
        self.json(request, PATIENCE + wait)
    }

    fn partitions(&self, device: &Handle) -> Result<PartitionList, LinkError> {
        let path = self.path(device, "/partitions")?;
        self.json(self.client.get(path), PATIENCE)
    }

    fn face(&self, device: &Handle) -> Result<Face, LinkError> {
        let path = self.path(device, "/body")?;
        self.json(self.client.get(path), PATIENCE)
    }

    fn hands(&self, device: &Handle, act: &BodyAct) -> Result<(), LinkError> {
        let request = self.client.post(self.path(device, "/body")?).json(act);
        self.send(request, PATIENCE).map(drop)
    }

    fn read(
        &self,
        device: &Handle,
        spot: &Spot,
        first: u64,
        count: u64,
    ) -> Result<ReadBytes, LinkError> {
        let request = self.client.get(self.path_of(device, spot)?);
        self.ranged(request, &spot.to_string(), first, count)
    }

    fn files(&self, device: &Handle, path: &str) -> Result<FolderList, LinkError> {
        self.is_newer("files")?;
        let request = self.client.get(self.path(device, "/files")?);
        self.json(request.query(&[("path", path)]), PATIENCE)
    }

    fn pull(
        &self,
        device: &Handle,
        path: &str,
        first: u64,
        count: u64,
    ) -> Result<ReadBytes, LinkError> {
        self.is_newer("files")?;
        let request = self.client.get(self.path(device, "/file")?);
        self.ranged(request.query(&[("path", path)]), path, first, count)
    }

    fn file_digest(&self, device: &Handle, path: &str) -> Result<FileDigest, LinkError> {
        self.is_newer("files")?;
        let request = self.client.get(self.path(device, "/file/digest")?);
        self.json(request.query(&[("path", path)]), PATIENCE * 6)
    }

    fn stream(&self, device: &Handle, id: StreamId) -> Result<StreamState, LinkError> {
        self.is_newer("streams")?;
        let path = self.path(device, &format!("/streams/{}", id.0))?;
        self.json(self.client.get(path), PATIENCE)
    }

    fn act(&self, passed: Passed<'_, ActRequest>) -> Result<Operation, LinkError> {
        let to = self.path(passed.device(), "/act")?;
        // A whole set is hashed and laid out before there is an answer.
        let patience = match passed.request().kind {
            ActKind::TakeStream => PATIENCE * 6,
            _ => PATIENCE,
        };
        self.json(self.client.post(to).json(passed.request()), patience)
    }

    fn write(&self, passed: Passed<'_, WriteBytes<'_>>) -> Result<Written, LinkError> {
        let frame = passed.request();
        let request = self.client.put(self.path_of(passed.device(), frame.spot)?);
        let span = (frame.first, frame.length);
        let request = Self::with_piece(request, span, frame.epoch, frame.digest, frame.bytes);
        self.json(request, PATIENCE * 6)
    }

    fn put_memory(&self, passed: Passed<'_, ToMemory<'_>>) -> Result<InMemory, LinkError> {
        let image = passed.request();
        let request = self
            .client
            .put(self.path(passed.device(), "/memory")?)
            .header(EPOCH_HEADER, image.epoch.0)
            .header(DIGEST_HEADER, image.digest.to_string())
            .body(image.bytes.to_vec());
        self.json(request, PATIENCE * 6)
    }

    fn push(&self, passed: Passed<'_, FilePiece<'_>>) -> Result<Written, LinkError> {
        self.is_newer("files")?;
        let piece = passed.request();
        let request = self.client.put(self.path(passed.device(), "/file")?);
        let request = request.query(&[("path", piece.path)]);
        let span = (piece.first, piece.length);
        let request = Self::with_piece(request, span, piece.epoch, piece.digest, piece.bytes);
        self.json(request, PATIENCE * 6)
    }

    fn open_stream(&self, passed: Passed<'_, StreamRequest>) -> Result<StreamState, LinkError> {
        self.is_newer("streams")?;
        let to = self.path(passed.device(), "/streams")?;
        self.json(self.client.post(to).json(passed.request()), PATIENCE)
    }

    fn put_stream(&self, passed: Passed<'_, StreamPiece<'_>>) -> Result<StreamState, LinkError> {
        self.is_newer("streams")?;
        let piece = passed.request();
        let to = self.path(passed.device(), &format!("/streams/{}", piece.id.0))?;
        let request = self.client.put(to);
        let span = (piece.first, piece.length);
        let request = Self::with_piece(request, span, piece.epoch, piece.digest, piece.bytes);
        self.json(request, PATIENCE * 6)
    }
}

/// Whether a `Content-Range` says exactly these bytes, of something that holds them.
fn is_range(told: &str, first: u64, last: u64) -> bool {
    let parts = told
        .strip_prefix("bytes ")
        .and_then(|rest| rest.split_once('/'))
        .and_then(|(range, length)| Some((range.split_once('-')?, length.parse::<u64>().ok()?)));
    parts.is_some_and(|((from, to), length)| {
        (from.parse(), to.parse()) == (Ok(first), Ok(last)) && last < length
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_range_is_the_one_that_was_asked_for_to_the_byte() {
        assert!(is_range("bytes 0-511/4096", 0, 511));
        for told in [
            "",
            "bytes 0-511",
            "bytes 0-512/4096",
            "bytes 1-511/4096",
            "bytes 0-511/511",
            "bytes 0-511/*",
            "bytes */4096",
            "octets 0-511/4096",
            "bytes -511/4096",
        ] {
            assert!(!is_range(told, 0, 511), "{told}");
        }
    }

    #[test]
    fn only_a_plain_http_address_is_a_bridge() {
        assert!(HttpTransport::new("http://127.0.0.1:7311", "t").is_ok());
        for url in [
            "",
            "127.0.0.1:7311",
            "https://x",
            "file:///etc",
            "http://u@h/",
            "http://h/path",
            "http://h/?q",
        ] {
            assert!(
                matches!(
                    HttpTransport::new(url, "t"),
                    Err(LinkError::NotAnAddress { .. })
                ),
                "{url}"
            );
        }
    }

    #[test]
    fn an_odd_handle_stays_in_its_segment() {
        let transport = HttpTransport::new("http://127.0.0.1:1", "t").unwrap();
        assert_eq!(
            transport.path_in(2, &Handle("../a b".to_owned()), "/act"),
            "http://127.0.0.1:1/v2/devices/%2E%2E%2Fa%20b/act"
        );
    }
}
