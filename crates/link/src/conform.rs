//! Tests a bridge against `docs/bench-link.md`. [`reads`] changes nothing and is what
//! `veritope link URL conform` runs; [`changes`] also sends acts that a sound bridge must refuse,
//! and is for devices that may be restarted.

use std::collections::{BTreeMap, BTreeSet};
use std::time::Duration;

use serde::Serialize;
use veritope_core::facts::{FactKey, FactValue};
use veritope_formats::table::read_table;
use veritope_wire::Digest;
use veritope_wire::link::{
    ActKind, ActRequest, Epoch, Handle, LINK_VERSION, Listed, MAX_READ_BYTES, PartitionList,
    RefusalCode,
};

use crate::transport::{LinkError, Passed, Transport, WriteBytes};

/// How a check ended.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[serde(tag = "outcome", content = "why", rename_all = "kebab-case")]
pub enum Outcome {
    /// As documented.
    Passed,
    /// Not as documented.
    Failed(String),
    /// Can't be told in the present mode; nothing was concluded.
    NotNow(String),
}

/// One check.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Check {
    /// What was checked, and on which device.
    pub name: String,
    /// How it ended.
    #[serde(flatten)]
    pub outcome: Outcome,
}

struct Report(Vec<Check>);

impl Report {
    fn add(&mut self, name: impl Into<String>, outcome: Result<(), String>) {
        self.0.push(Check {
            name: name.into(),
            outcome: outcome.map_or_else(Outcome::Failed, |()| Outcome::Passed),
        });
    }

    fn not_now(&mut self, name: impl Into<String>, why: impl Into<String>) {
        self.0.push(Check {
            name: name.into(),
            outcome: Outcome::NotNow(why.into()),
        });
    }
}

fn check(holds: bool, otherwise: impl FnOnce() -> String) -> Result<(), String> {
    if holds { Ok(()) } else { Err(otherwise()) }
}

fn refused_with<T>(answer: Result<T, LinkError>, wanted: &[RefusalCode]) -> Result<(), String> {
    match answer {
        Ok(_) => Err("it was accepted".to_owned()),
        Err(LinkError::Refused(refusal)) if wanted.contains(&refusal.code) => Ok(()),
        Err(error) => Err(format!("another answer: {error}")),
    }
}

/// Checks that only read.
///
/// # Errors
/// When the bridge can't be reached at all.
pub fn reads(transport: &dyn Transport) -> Result<Vec<Check>, LinkError> {
    let mut report = Report(Vec::new());
    let info = transport.info()?;
    report.add(
        "the bridge speaks version 1",
        check(info.link_version == LINK_VERSION, || {
            format!("it says {}", info.link_version)
        }),
    );
    let list = transport.devices()?;
    let handles: BTreeSet<_> = list.devices.iter().map(|line| &line.handle).collect();
    report.add(
        "handles are unique",
        check(handles.len() == list.devices.len(), || {
            "one stands twice".to_owned()
        }),
    );
    let nobody = Handle("no-such-device".to_owned());
    report.add(
        "an unknown device is not found",
        refused_with(transport.state(&nobody), &[RefusalCode::NotFound]),
    );
    for line in &list.devices {
        device(transport, &line.handle, &mut report);
    }
    Ok(report.0)
}

fn device(transport: &dyn Transport, handle: &Handle, report: &mut Report) {
    let name = |what: &str| format!("{}: {what}", handle.0);
    let state = match transport.state(handle) {
        Ok(state) => state,
        Err(error) => return report.add(name("its state can be read"), Err(error.to_string())),
    };
    report.add(
        name("the state is this device's"),
        check(state.handle == *handle, || {
            format!("it says {}", state.handle.0)
        }),
    );
    report.add(name("known facts fit their key"), {
        let wrong = state
            .facts
            .iter()
            .find_map(|(key, value)| FactValue::parse(FactKey::from_id(key)?, value).err());
        wrong.map_or(Ok(()), |error| Err(error.to_string()))
    });
    let missing = ["mode", "chip-id"]
        .into_iter()
        .find(|key| !state.facts.contains_key(*key));
    if state.listed == Listed::Ready {
        report.add(
            name("a device that answers gives its mode and its chip id"),
            missing.map_or(Ok(()), |key| Err(format!("`{key}` is missing"))),
        );
    } else {
        report.not_now(
            name("a device that answers gives its mode and its chip id"),
            "it doesn't answer now",
        );
    }
    report.add(name("events count up without gaps"), {
        transport
            .events(handle, 0, Duration::ZERO)
            .map_err(|error| error.to_string())
            .and_then(|all| {
                let numbers: Vec<u64> = all.events.iter().map(|event| event.n).collect();
                check(
                    numbers.windows(2).all(|pair| pair[0] + 1 == pair[1]),
                    || format!("{numbers:?}"),
                )
            })
    });
    report.add(
        name("an unknown operation is not found"),
        refused_with(
            transport.operation(handle, veritope_wire::link::OperationId(u64::MAX)),
            &[RefusalCode::NotFound],
        ),
    );
    match transport.partitions(handle) {
        Ok(list) => partitions(transport, handle, &list, report),
        Err(LinkError::Refused(refusal)) => {
            report.not_now(name("partitions and reads"), refusal.words);
        }
        Err(error) => report.add(name("partitions can be asked for"), Err(error.to_string())),
    }
}

fn partitions(
    transport: &dyn Transport,
    handle: &Handle,
    list: &PartitionList,
    report: &mut Report,
) {
    let name = |what: &str| format!("{}: {what}", handle.0);
    for area in &list.areas {
        let whole = |label: String| -> Result<Vec<u8>, LinkError> {
            // The ends are short; their length is what the partitions leave.
            let inside = list.partitions.iter().filter(|part| part.area == area.area);
            let (mut first, mut last) = (area.length_bytes, 0);
            for part in inside {
                first = first.min(part.offset_bytes);
                last = last.max(part.offset_bytes + part.length_bytes);
            }
            let length = if label.ends_with("primary") {
                first
            } else {
                area.length_bytes - last
            };
            let read = transport.read(handle, &label, 0, length.min(MAX_READ_BYTES))?;
            Ok(read.bytes)
        };
        let table = whole(format!("table-{}.primary", area.area))
            .and_then(|head| Ok((head, whole(format!("table-{}.backup", area.area))?)));
        report.add(
            name(&format!(
                "the list is what the table of area {} says",
                area.area
            )),
            table
                .map_err(|error| error.to_string())
                .and_then(|(head, tail)| {
                    let table = read_table(&head, &tail, area.length_bytes, area.sector_bytes)
                        .map_err(|error| error.to_string())?;
                    let listed: Vec<_> = list
                        .partitions
                        .iter()
                        .filter(|part| part.area == area.area)
                        .map(|part| {
                            (
                                &part.label,
                                part.number,
                                part.offset_bytes,
                                part.length_bytes,
                            )
                        })
                        .collect();
                    let read: Vec<_> = table
                        .entries
                        .iter()
                        .map(|e| (&e.label, e.number, e.offset_bytes, e.length_bytes))
                        .collect();
                    check(listed == read, || "they differ".to_owned())
                }),
        );
    }
    let Some(part) = list.partitions.first() else {
        return report.not_now(name("reads"), "there is no partition");
    };
    let label = part.label.as_str();
    report.add(
        name("the same bytes are read whole and in pieces"),
        (|| {
            let count = part.length_bytes.min(8192);
            let whole = transport.read(handle, label, 0, count)?;
            let mut pieces = transport.read(handle, label, 0, count / 2)?.bytes;
            let rest = transport.read(handle, label, count / 2, count - count / 2)?;
            pieces.extend(rest.bytes);
            Ok(whole.bytes == pieces)
        })()
        .map_err(|error: LinkError| error.to_string())
        .and_then(|same| check(same, || "they differ".to_owned())),
    );
    report.add(name("bytes carry the epoch under which they were read"), {
        let epochs = transport
            .state(handle)
            .and_then(|state| Ok((state.epoch, transport.read(handle, label, 0, 1)?.epoch)));
        epochs
            .map_err(|error| error.to_string())
            .and_then(|(now, read)| check(now == read, || format!("{} and {}", now.0, read.0)))
    });
    report.add(
        name("a read past the end is refused"),
        refused_with(
            transport.read(handle, label, part.length_bytes - 1, 2),
            &[RefusalCode::BadRequest],
        ),
    );
    report.add(
        name("a read of more than the most is refused"),
        refused_with(
            transport.read(handle, label, 0, MAX_READ_BYTES + 1),
            &[RefusalCode::TooLarge, RefusalCode::BadRequest],
        ),
    );
    report.add(
        name("an unknown partition is not found"),
        refused_with(
            transport.read(handle, "no-such-partition", 0, 1),
            &[RefusalCode::NotFound],
        ),
    );
}

/// Checks that send acts which a sound bridge refuses. On an unsound one the device restarts.
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
    let act = |kind, mode: &str, epoch: Epoch| {
        let args = BTreeMap::from([("mode".to_owned(), mode.to_owned())]);
        transport.act(Passed::new(handle, ActRequest { kind, args, epoch }))
    };
    for (what, epoch) in [
        (
            "an act under an older epoch is refused",
            Epoch(state.epoch.0.wrapping_sub(1)),
        ),
        (
            "an act under an epoch to come is refused",
            Epoch(state.epoch.0 + 1),
        ),
    ] {
        report.add(
            name(what),
            refused_with(
                act(ActKind::Restart, "bootloader", epoch),
                &[RefusalCode::StaleEpoch],
            ),
        );
    }
    report.add(
        name("a restart into nowhere is refused"),
        refused_with(
            act(ActKind::Restart, "nowhere", state.epoch),
            &[RefusalCode::BadRequest],
        ),
    );
    if let Some(part) = transport
        .partitions(handle)
        .ok()
        .and_then(|list| list.partitions.into_iter().next())
    {
        let write = |epoch: Epoch, first: u64, digest: Digest| {
            let frame = WriteBytes {
                label: &part.label,
                first,
                length: part.length_bytes,
                digest,
                epoch,
                bytes: b"never",
            };
            transport.write(Passed::new(handle, frame))
        };
        let digest = Digest::of(b"never");
        report.add(
            name("a write under an older epoch is refused"),
            refused_with(
                write(Epoch(state.epoch.0.wrapping_sub(1)), 0, digest),
                &[RefusalCode::StaleEpoch],
            ),
        );
        report.add(
            name("a write past the end is refused"),
            refused_with(
                write(state.epoch, part.length_bytes - 1, digest),
                &[RefusalCode::BadRequest],
            ),
        );
        report.add(
            name("a write of other bytes than announced is refused"),
            refused_with(
                write(state.epoch, 0, Digest::of(b"other")),
                &[RefusalCode::DigestDiffers],
            ),
        );
    } else {
        report.not_now(name("writes"), "partitions can't be listed in this mode");
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
