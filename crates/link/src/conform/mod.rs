//! Tests a bridge against `docs/bench-link.md`. [`reads`] changes nothing and is what
//! `veritope link URL conform` runs; [`changes`] also sends acts that a sound bridge must refuse,
//! and is for devices that may be restarted.

mod changes;

use std::collections::BTreeSet;
use std::time::Duration;

pub use changes::changes;
use serde::Serialize;
use veritope_core::facts::{FactKey, FactValue};
use veritope_core::mode::Mode;
use veritope_formats::table::read_table;
use veritope_wire::link::{
    DeviceState, Handle, LINK_VERSION, Listed, MAX_READ_BYTES, OLDEST_LINK_VERSION, OperationId,
    PartitionList, Reads, RefusalCode, Spot, StreamId,
};
use veritope_wire::{Digest, Label};

use crate::transport::{LinkError, Transport};

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
        "the bridge speaks a version that this bench knows",
        check(
            (OLDEST_LINK_VERSION..=LINK_VERSION).contains(&info.link_version),
            || format!("it says {}", info.link_version),
        ),
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
        device(transport, &line.handle, info.link_version, &mut report);
    }
    Ok(report.0)
}

fn device(transport: &dyn Transport, handle: &Handle, version: u32, report: &mut Report) {
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
    report.add(name("known facts and identities fit their key"), {
        let told = state.told();
        let mut told = told.iter();
        let wrong =
            told.find_map(|(key, value)| FactValue::parse(FactKey::from_id(key)?, value).err());
        wrong.map_or(Ok(()), |error| Err(error.to_string()))
    });
    report.add(
        name("identities stand among the identities"),
        identities(&state),
    );
    let tells = name("a device that answers gives its mode and who it is");
    if state.listed == Listed::Ready {
        report.add(
            tells,
            check(
                state.facts.contains_key("mode") && !state.identities.is_empty(),
                || "`mode` or every identity is missing".to_owned(),
            ),
        );
    } else {
        report.not_now(tells, "it doesn't answer now");
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
            transport.operation(handle, OperationId(u64::MAX)),
            &[RefusalCode::NotFound],
        ),
    );
    if version > 1 {
        newer(transport, handle, &state, report);
    }
    match transport.partitions(handle) {
        Ok(list) if state.reads == Some(Reads::None) => {
            unread(transport, handle, &list, report);
        }
        Ok(list) => {
            if version > 1 {
                report.add(
                    name("it says that partitions can be read"),
                    check(
                        matches!(state.reads, Some(Reads::AtRest | Reads::Live)),
                        || format!("it says {:?}", state.reads),
                    ),
                );
            }
            partitions(transport, handle, &list, report);
        }
        Err(LinkError::Refused(refusal)) => {
            report.not_now(name("partitions and reads"), refusal.words);
        }
        Err(error) => report.add(name("partitions can be asked for"), Err(error.to_string())),
    }
}

/// What identifies a unit is not a fact like others: it is told by kind.
fn identities(state: &DeviceState) -> Result<(), String> {
    let identifies =
        |key: &String| FactKey::from_id(key).is_some_and(|key| key.spec().kind.identifies());
    let among_facts = state.facts.keys().find(|key| identifies(key));
    let no_identity = state.identities.keys().find(|key| !identifies(key));
    match (among_facts, no_identity) {
        (Some(key), _) => Err(format!("`{key}` stands among the facts")),
        (_, Some(key)) => Err(format!("`{key}` is no kind of identity")),
        _ => Ok(()),
    }
}

/// A mode that lists partitions, since it takes writes, and gives no bytes of them.
fn unread(transport: &dyn Transport, handle: &Handle, list: &PartitionList, report: &mut Report) {
    let name = format!("{}: what can't be read now is refused", handle.0);
    match list.partitions.first() {
        Some(part) => {
            let read = transport.read(handle, &part.into(), 0, 1);
            report.add(
                name,
                refused_with(read, &[RefusalCode::WrongMode, RefusalCode::Locked]),
            );
        }
        None => report.not_now(name, "there is no partition"),
    }
}

/// What version 2 brought and can be seen by looking.
fn newer(transport: &dyn Transport, handle: &Handle, state: &DeviceState, report: &mut Report) {
    let name = |what: &str| format!("{}: {what}", handle.0);
    let is_mode = |mode: &String| mode == "recovery" || Mode::from_id(mode).is_some();
    report.add(
        name("restarts lead to modes"),
        state
            .restarts
            .iter()
            .find(|mode| !is_mode(mode))
            .map_or(Ok(()), |mode| Err(format!("`{mode}` is none"))),
    );
    let limits = [state.limits.download_bytes, state.limits.body_bytes];
    report.add(
        name("limits leave room for something"),
        check(!limits.contains(&Some(0)), || "one is 0".to_owned()),
    );
    let nothing = transport.stream(handle, StreamId(u64::MAX));
    report.add(
        name("an unknown stream is not found"),
        refused_with(nothing, &[RefusalCode::NotFound, RefusalCode::NotConnected]),
    );
    let Some(scratch) = &state.scratch else {
        return report.not_now(name("files"), "there is no folder to lay files into now");
    };
    let list = transport.files(handle, &scratch.path);
    report.add(
        name("the scratch folder can be listed"),
        list.map(drop).map_err(|error| error.to_string()),
    );
    let missing = format!("{}/no-such-file", scratch.path);
    report.add(
        name("a missing file is not found"),
        refused_with(
            transport.file_digest(handle, &missing),
            &[RefusalCode::NotFound],
        )
        .and(refused_with(
            transport.pull(handle, &missing, 0, 1),
            &[RefusalCode::NotFound],
        )),
    );
    let outside = format!("{}/../..", scratch.path);
    report.add(
        name("a path that leaves its folder is refused"),
        refused_with(
            transport.files(handle, &outside),
            &[RefusalCode::BadRequest, RefusalCode::NotFound],
        ),
    );
}

fn partitions(
    transport: &dyn Transport,
    handle: &Handle,
    list: &PartitionList,
    report: &mut Report,
) {
    let name = |what: &str| format!("{}: {what}", handle.0);
    for area in &list.areas {
        let whole = |spot: Spot| -> Result<Vec<u8>, LinkError> {
            // The ends are short; their length is what the partitions leave.
            let inside = list.partitions.iter().filter(|part| part.area == area.area);
            let (mut first, mut last) = (area.length_bytes, 0);
            for part in inside {
                first = first.min(part.offset_bytes);
                last = last.max(part.offset_bytes + part.length_bytes);
            }
            let length = match spot {
                Spot::AreaStart { .. } => first,
                _ => area.length_bytes - last,
            };
            let read = transport.read(handle, &spot, 0, length.min(MAX_READ_BYTES))?;
            Ok(read.bytes)
        };
        let area_number = area.area;
        let table = whole(Spot::AreaStart { area: area_number })
            .and_then(|head| Ok((head, whole(Spot::AreaEnd { area: area_number })?)));
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
    let spot = Spot::from(part);
    report.add(
        name("the same bytes are read whole and in pieces"),
        (|| {
            let count = part.length_bytes.min(8192);
            let whole = transport.read(handle, &spot, 0, count)?;
            let mut pieces = transport.read(handle, &spot, 0, count / 2)?.bytes;
            let rest = transport.read(handle, &spot, count / 2, count - count / 2)?;
            pieces.extend(rest.bytes);
            Ok(whole.bytes == pieces)
        })()
        .map_err(|error: LinkError| error.to_string())
        .and_then(|same| check(same, || "they differ".to_owned())),
    );
    report.add(name("bytes carry the epoch under which they were read"), {
        let epochs = transport
            .state(handle)
            .and_then(|state| Ok((state.epoch, transport.read(handle, &spot, 0, 1)?.epoch)));
        epochs
            .map_err(|error| error.to_string())
            .and_then(|(now, read)| check(now == read, || format!("{} and {}", now.0, read.0)))
    });
    report.add(
        name("a read past the end is refused"),
        refused_with(
            transport.read(handle, &spot, part.length_bytes - 1, 2),
            &[RefusalCode::BadRequest],
        ),
    );
    report.add(
        name("a read of more than the most is refused"),
        refused_with(
            transport.read(handle, &spot, 0, MAX_READ_BYTES + 1),
            &[RefusalCode::TooLarge, RefusalCode::BadRequest],
        ),
    );
    let named = |label: &str| label.parse::<Label>().ok();
    let others = [
        named("no-such-partition").map(|label| Spot::Partition {
            area: part.area,
            number: part.number,
            label,
        }),
        Some(Spot::Volume {
            label: part.label.clone(),
        })
        .filter(|_| list.volumes.iter().all(|volume| volume.label != part.label)),
    ];
    report.add(
        name("an unknown partition or volume is not found"),
        others.into_iter().flatten().try_for_each(|spot| {
            let unknown = [RefusalCode::NotFound, RefusalCode::UnknownCommand];
            refused_with(transport.read(handle, &spot, 0, 1), &unknown)
        }),
    );
    for volume in &list.volumes {
        let spot = Spot::Volume {
            label: volume.label.clone(),
        };
        let lies = list
            .partitions
            .iter()
            .any(|part| (part.area, part.number) == (volume.area, volume.number));
        report.add(
            name(&format!("the volume {} is read to its end", volume.label)),
            check(lies, || "it lies in no partition of the list".to_owned()).and_then(|()| {
                let last = volume.length_bytes.saturating_sub(1);
                let read = transport.read(handle, &spot, last, 1);
                read.map_err(|error| error.to_string())?;
                refused_with(
                    transport.read(handle, &spot, last, 2),
                    &[RefusalCode::BadRequest],
                )
            }),
        );
    }
}

/// A digest of bytes that nobody sends.
fn of_nothing() -> Digest {
    Digest::of(b"other")
}
