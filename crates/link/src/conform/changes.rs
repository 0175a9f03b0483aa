//! What a bridge refuses, and what it takes where nobody will miss it: the scratch folder.

use std::collections::BTreeMap;

use veritope_wire::Digest;
use veritope_wire::link::{
    ActKind, ActRequest, DeviceState, Epoch, Handle, Listed, RefusalCode, Scratch, Spot,
    StreamKind, StreamRequest,
};

use super::{Check, Report, check, of_nothing, refused_with};
use crate::transport::{FilePiece, LinkError, Passed, StreamPiece, Transport, WriteBytes};

/// What is sent where something has to be.
const NEVER: &[u8] = b"never";

/// Checks that send acts which a sound bridge refuses, lay a small file into the scratch folder, and open a
/// stream that is never ended. On an unsound bridge the device restarts or is written.
#[must_use]
pub fn changes(transport: &dyn Transport, handle: &Handle) -> Vec<Check> {
    let mut report = Report(Vec::new());
    let name = |what: &str| format!("{}: {what}", handle.0);
    let state = match transport.state(handle) {
        Ok(state) if state.listed == Listed::Ready => state,
        Ok(_) => {
            report.not_now(name("acts"), "it doesn't answer now");
            return report.0;
        }
        Err(error) => {
            report.add(name("its state can be read"), Err(error.to_string()));
            return report.0;
        }
    };
    let on = On {
        transport,
        handle,
        state: &state,
    };
    on.acts(&mut report);
    on.writes(&mut report);
    if transport.info().is_ok_and(|info| info.link_version > 1) {
        match &state.scratch {
            Some(scratch) => on.file(scratch, &mut report),
            None => report.not_now(
                name("a file's way there and back"),
                "there is no scratch folder",
            ),
        }
        match state.streams.first() {
            Some(kind) => on.stream(*kind, &mut report),
            None => report.not_now(name("streams"), "it takes none now"),
        }
    }
    report.add(name("refusals leave the epoch alone"), {
        transport
            .state(handle)
            .map_err(|error| error.to_string())
            .and_then(|after| {
                check(after.epoch == state.epoch, || {
                    format!("now {}", after.epoch.0)
                })
            })
    });
    report.0
}

/// A device at which it is tried.
struct On<'t> {
    transport: &'t dyn Transport,
    handle: &'t Handle,
    state: &'t DeviceState,
}

impl On<'_> {
    fn name(&self, what: &str) -> String {
        format!("{}: {what}", self.handle.0)
    }

    fn before(&self) -> Epoch {
        Epoch(self.state.epoch.0.wrapping_sub(1))
    }

    fn act(&self, kind: ActKind, args: &[(&str, &str)], epoch: Epoch) -> Result<(), LinkError> {
        let args = args.iter();
        let args: BTreeMap<_, _> = args
            .map(|(key, value)| ((*key).to_owned(), (*value).to_owned()))
            .collect();
        let request = ActRequest { kind, args, epoch };
        let answer = self.transport.act(Passed::new(self.handle, request));
        answer.map(drop)
    }

    fn acts(&self, report: &mut Report) {
        let mode = |mode| [("mode", mode)];
        let now = self.state.epoch;
        for (what, epoch) in [
            ("an act under an older epoch is refused", self.before()),
            ("an act under an epoch to come is refused", Epoch(now.0 + 1)),
        ] {
            let act = self.act(ActKind::Restart, &mode("bootloader"), epoch);
            report.add(
                self.name(what),
                refused_with(act, &[RefusalCode::StaleEpoch]),
            );
        }
        report.add(
            self.name("a restart into nowhere is refused"),
            refused_with(
                self.act(ActKind::Restart, &mode("nowhere"), now),
                &[RefusalCode::BadRequest],
            ),
        );
        report.add(
            self.name("a volume that is not there is not removed"),
            refused_with(
                self.act(ActKind::RemoveVolume, &[("volume", "no-such-volume")], now),
                &[
                    RefusalCode::NotFound,
                    RefusalCode::UnknownCommand,
                    RefusalCode::WrongMode,
                    RefusalCode::BadRequest,
                    RefusalCode::Locked,
                ],
            ),
        );
    }

    fn writes(&self, report: &mut Report) {
        let list = self.transport.partitions(self.handle).ok();
        let Some((list, part)) = list.and_then(|list| {
            let part = list.partitions.first().cloned()?;
            Some((list, part))
        }) else {
            return report.not_now(
                self.name("writes"),
                "partitions can't be listed in this mode",
            );
        };
        let part_spot = Spot::from(&part);
        let mut all = vec![("write", part_spot, part.length_bytes)];
        all.extend(list.volumes.first().map(|volume| {
            let label = volume.label.clone();
            (
                "write of a volume",
                Spot::Volume { label },
                volume.length_bytes,
            )
        }));
        for (what, spot, length) in all {
            let write = |epoch: Epoch, first: u64, digest: Digest| {
                let frame = WriteBytes {
                    spot: &spot,
                    first,
                    length,
                    digest,
                    epoch,
                    bytes: NEVER,
                };
                self.transport.write(Passed::new(self.handle, frame))
            };
            let (digest, now) = (Digest::of(NEVER), self.state.epoch);
            for (how, answer, wanted) in [
                (
                    "under an older epoch",
                    write(self.before(), 0, digest),
                    RefusalCode::StaleEpoch,
                ),
                (
                    "past the end",
                    write(now, length - 1, digest),
                    RefusalCode::BadRequest,
                ),
                (
                    "of other bytes than announced",
                    write(now, 0, of_nothing()),
                    RefusalCode::DigestDiffers,
                ),
            ] {
                // A device that takes no writes as it is says so first.
                let wanted = [wanted, RefusalCode::WrongMode, RefusalCode::Locked];
                report.add(
                    self.name(&format!("a {what} {how} is refused")),
                    refused_with(answer, &wanted),
                );
            }
        }
    }

    /// A small file to the scratch folder and back, in two pieces.
    fn file(&self, scratch: &Scratch, report: &mut Report) {
        let path = format!("{}/bench-link-conform", scratch.path);
        let bytes: Vec<u8> = (0..3_000_u32).map(|n| n.to_le_bytes()[0]).collect();
        let piece = |first: usize, last: usize, digest: Option<Digest>, epoch: Epoch| FilePiece {
            path: &path,
            first: first as u64,
            length: bytes.len() as u64,
            digest: digest.unwrap_or_else(|| Digest::of(&bytes[first..last])),
            epoch,
            bytes: &bytes[first..last],
        };
        let push = |piece| self.transport.push(Passed::new(self.handle, piece));
        let now = self.state.epoch;
        report.add(
            self.name("a piece of a file under an older epoch is refused"),
            refused_with(
                push(piece(0, 1_000, None, self.before())),
                &[RefusalCode::StaleEpoch],
            ),
        );
        report.add(
            self.name("a piece of a file of other bytes than announced is refused"),
            refused_with(
                push(piece(0, 1_000, Some(of_nothing()), now)),
                &[RefusalCode::DigestDiffers],
            ),
        );
        let way = || -> Result<bool, LinkError> {
            push(piece(0, 1_000, None, now))?;
            push(piece(1_000, bytes.len(), None, now))?;
            let there = self.transport.file_digest(self.handle, &path)?;
            let listed = self.transport.files(self.handle, &scratch.path)?;
            let back = self
                .transport
                .pull(self.handle, &path, 0, bytes.len() as u64)?;
            let is_listed = listed.entries.iter().any(|entry| {
                entry.name == "bench-link-conform" && entry.length_bytes == bytes.len() as u64
            });
            Ok(is_listed && there.blake3 == Digest::of(&bytes) && back.bytes == bytes)
        };
        report.add(
            self.name("a file's way there and back leaves it as it was"),
            way()
                .map_err(|error| error.to_string())
                .and_then(|same| check(same, || "other bytes, or it is not listed".to_owned())),
        );
    }

    /// A stream that is begun, refused what it must refuse, and never ended.
    fn stream(&self, kind: StreamKind, report: &mut Report) {
        let now = self.state.epoch;
        let to = self.transport.partitions(self.handle).ok();
        let to = to.and_then(|list| Some(list.partitions.first()?.label.clone()));
        let open = |epoch: Epoch| {
            let request = StreamRequest {
                kind,
                name: "bench-link-conform".to_owned(),
                to: to.clone(),
                length_bytes: 2 * NEVER.len() as u64,
                blake3: of_nothing(),
                epoch,
            };
            self.transport
                .open_stream(Passed::new(self.handle, request))
        };
        report.add(
            self.name("a stream under an older epoch is refused"),
            refused_with(open(self.before()), &[RefusalCode::StaleEpoch]),
        );
        let stream = match open(now) {
            Ok(stream) => stream,
            Err(error) => {
                return report.add(self.name("a stream is opened"), Err(error.to_string()));
            }
        };
        let put = |first: u64, digest: Digest| {
            let piece = StreamPiece {
                id: stream.id,
                first,
                length: stream.length_bytes,
                digest,
                epoch: now,
                bytes: NEVER,
            };
            self.transport.put_stream(Passed::new(self.handle, piece))
        };
        let digest = Digest::of(NEVER);
        report.add(
            self.name("a piece of a stream of other bytes than announced is refused"),
            refused_with(put(0, of_nothing()), &[RefusalCode::DigestDiffers]),
        );
        report.add(
            self.name("a piece of a stream out of turn is refused"),
            refused_with(put(1, digest), &[RefusalCode::BadRequest]),
        );
        report.add(
            self.name("a piece of a stream moves it on"),
            put(0, digest)
                .and_then(|_| self.transport.stream(self.handle, stream.id))
                .map_err(|error| error.to_string())
                .and_then(|there| {
                    check(there.next_byte == NEVER.len() as u64, || {
                        format!("it stands at {}", there.next_byte)
                    })
                }),
        );
        let id = stream.id.0.to_string();
        report.add(
            self.name("a stream that is not whole is not taken in"),
            refused_with(
                self.act(ActKind::TakeStream, &[("stream", &id)], now),
                &[RefusalCode::BadRequest],
            ),
        );
    }
}
