//! The bench link's messages: JSON over HTTP between a bench and one bridge. The bridge owns the
//! cable; the bench owns the judgement. `docs/bench-link.md` says the same in prose.
//!
//! Every message tolerates unknown fields, so that a newer bridge can talk to an older bench.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};

use crate::{Digest, Label};

/// The version of the link that this crate speaks; the first path segment of every route.
///
/// Changes: 1 = first.
pub const LINK_VERSION: u32 = 1;
/// Header that carries the [`Epoch`] on requests whose body is raw bytes.
pub const EPOCH_HEADER: &str = "bench-epoch";
/// Header that carries the BLAKE3 digest of a request's body.
pub const DIGEST_HEADER: &str = "bench-blake3";
/// Most bytes that one ranged read or write may move.
pub const MAX_READ_BYTES: u64 = 4 << 20;

/// A number that the device side raises at every mode change, reconnect and swap. A changing
/// request repeats the epoch it was decided under and is refused when it is no longer the current
/// one.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(transparent)]
pub struct Epoch(pub u64);

/// The bridge's name for one device, unique on that bridge and without meaning beyond it.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(transparent)]
pub struct Handle(pub String);

/// How a device shows up on the computer.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Listed {
    /// Present and answering.
    Ready,
    /// Present, but a prompt on the device must be answered first.
    NotAuthorised,
    /// Known to the bridge, not there now.
    Absent,
}

/// `GET /v1/bridge`
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct BridgeInfo {
    /// The bridge's own name, for a person.
    pub name: String,
    /// The link version it speaks.
    pub link_version: u32,
    /// Extra routes that it serves, such as `body` and `faults` of a stand-in.
    #[serde(default)]
    pub extras: Vec<String>,
}

/// One line of `GET /v1/devices`.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct DeviceLine {
    /// How to address it.
    pub handle: Handle,
    /// Whether it answers.
    pub listed: Listed,
    /// The epoch now.
    pub epoch: Epoch,
}

/// `GET /v1/devices`
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct DeviceList {
    /// All devices that the bridge knows, in a stable order.
    pub devices: Vec<DeviceLine>,
}

/// `GET /v1/devices/H`: what can be read in the present mode.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct DeviceState {
    /// The device.
    pub handle: Handle,
    /// Whether it answers.
    pub listed: Listed,
    /// The epoch that these values belong to.
    pub epoch: Epoch,
    /// Fact key to value, as the device reports it now; a key that can't be read now is left out.
    pub facts: BTreeMap<String, String>,
    /// The acts that the device takes in this mode.
    pub acts: Vec<ActKind>,
}

/// Something a device can be told to do over the link.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum ActKind {
    /// Restart into the mode that `mode` names.
    Restart,
    /// Open the lock; `form` picks the command's form.
    Unlock,
    /// Close the lock; `form` picks the command's form, `stage` the stage.
    Lock,
    /// Start the image lying in the device's memory, which writes nothing.
    StartFromMemory,
    /// Erase the owner's data; `set` names it.
    Erase,
    /// Make the slot that `slot` names the active one.
    SetSlot,
}

/// `POST /v1/devices/H/act`
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct ActRequest {
    /// What to do.
    pub kind: ActKind,
    /// Its arguments; which ones, docs/bench-link.md says per act.
    #[serde(default)]
    pub args: BTreeMap<String, String>,
    /// The epoch under which this was decided.
    pub epoch: Epoch,
}

/// Number of an operation on one device, counting up.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(transparent)]
pub struct OperationId(pub u64);

/// How far an operation is.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(tag = "state", rename_all = "kebab-case")]
pub enum Progress {
    /// The device is at it.
    Running,
    /// The device asks something on its own screen and waits for its keys or touch.
    Asking {
        /// The question, as the device shows it.
        question: String,
        /// The answers it offers, in the order shown.
        answers: Vec<String>,
        /// The answer that is highlighted.
        default: String,
    },
    /// Done, as far as the device says.
    Done {
        /// The device's words.
        words: String,
    },
    /// The device declined.
    Refused(Refusal),
}

/// `GET /v1/devices/H/operations/N`, and the answer to an act.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Operation {
    /// Its number.
    pub id: OperationId,
    /// What was asked for.
    pub kind: ActKind,
    /// How far it is.
    #[serde(flatten)]
    pub progress: Progress,
}

/// Why a request was not carried out. Sent with a 4xx status; the `words` are the device's own.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, thiserror::Error)]
#[error("{code}: {words}")]
pub struct Refusal {
    /// The machine-readable reason.
    pub code: RefusalCode,
    /// What the device or the bridge says.
    pub words: String,
}

/// The reasons a bridge may give.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum RefusalCode {
    /// The device doesn't know this command or this form of it.
    UnknownCommand,
    /// Not in this mode.
    WrongMode,
    /// The lock forbids it.
    Locked,
    /// The owner, or nobody, answered *no* on the device.
    AnsweredNo,
    /// The epoch in the request is not the current one.
    StaleEpoch,
    /// The device is not there or doesn't answer.
    NotConnected,
    /// Another operation is running.
    Busy,
    /// No such device, partition or operation.
    NotFound,
    /// The request makes no sense.
    BadRequest,
    /// The bytes don't have the digest that was announced.
    DigestDiffers,
    /// More bytes than fit or than may be asked for.
    TooLarge,
    /// The bridge doesn't let this caller in.
    NotAllowed,
    /// A reason that this version doesn't know.
    #[serde(other)]
    Other,
}

impl std::fmt::Display for RefusalCode {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(match self {
            Self::UnknownCommand => "unknown command",
            Self::WrongMode => "not in this mode",
            Self::Locked => "locked",
            Self::AnsweredNo => "answered no on the device",
            Self::StaleEpoch => "stale epoch",
            Self::NotConnected => "not connected",
            Self::Busy => "busy",
            Self::NotFound => "not found",
            Self::BadRequest => "bad request",
            Self::DigestDiffers => "digest differs",
            Self::TooLarge => "too large",
            Self::NotAllowed => "not allowed",
            Self::Other => "refused",
        })
    }
}

/// One happening on a device, numbered without gaps.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct LinkEvent {
    /// Its number, from 1.
    pub n: u64,
    /// The epoch after it.
    pub epoch: Epoch,
    /// What happened.
    pub what: LinkHappening,
}

/// What a bridge tells about a device.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum LinkHappening {
    /// It entered another mode.
    ModeChanged,
    /// It came back.
    Connected,
    /// It went away.
    Disconnected,
    /// It asks something on its own screen.
    Asking,
    /// Something that this version doesn't know.
    #[serde(other)]
    Other,
}

/// `GET /v1/devices/H/events?after=N&wait_ms=M`
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct LinkEvents {
    /// Events with numbers above `after`, oldest first.
    pub events: Vec<LinkEvent>,
}

/// One partition as the unit's own table gives it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct PartitionLine {
    /// The label in the table.
    pub label: Label,
    /// The entry's number in the table, from 1.
    pub number: u32,
    /// Index of the storage area it lies in.
    pub area: u32,
    /// First byte, counted from the area's start.
    pub offset_bytes: u64,
    /// Length in bytes.
    pub length_bytes: u64,
}

/// One storage area.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct AreaLine {
    /// Index from 0.
    pub area: u32,
    /// Bytes in a sector, 512 or 4096.
    pub sector_bytes: u32,
    /// Length in bytes.
    pub length_bytes: u64,
}

/// `GET /v1/devices/H/partitions`
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct PartitionList {
    /// The storage areas. The bytes of area N's table can be read under the label
    /// `table-N.primary` (from the area's start to the first partition) and `table-N.backup` (from
    /// the end of the last partition to the area's end).
    pub areas: Vec<AreaLine>,
    /// The partitions in disk order.
    pub partitions: Vec<PartitionLine>,
}

/// Answer to `PUT /v1/devices/H/partitions/L`.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Written {
    /// Digest of the bytes as they arrived, computed by the device side.
    pub blake3: Digest,
    /// How many bytes were written.
    pub length_bytes: u64,
}

/// Answer to `PUT /v1/devices/H/memory`.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct InMemory {
    /// Digest of what lies in the device's memory now, computed by the device side.
    pub blake3: Digest,
    /// Its length.
    pub length_bytes: u64,
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_newer_bridges_words_are_understood_as_far_as_possible() {
        let refusal: Refusal =
            serde_json::from_str(r#"{"code":"too-hot","words":"let it cool","since":4}"#).unwrap();
        assert_eq!(refusal.code, RefusalCode::Other);
        let event: LinkEvent =
            serde_json::from_str(r#"{"n":3,"epoch":9,"what":"sneezed"}"#).unwrap();
        assert_eq!(event.what, LinkHappening::Other);
    }

    #[test]
    fn an_operation_spells_its_state_flat() {
        let operation = Operation {
            id: OperationId(4),
            kind: ActKind::Unlock,
            progress: Progress::Refused(Refusal {
                code: RefusalCode::AnsweredNo,
                words: "kept locked".into(),
            }),
        };
        let text = serde_json::to_string(&operation).unwrap();
        assert_eq!(
            text,
            r#"{"id":4,"kind":"unlock","state":"refused","code":"answered-no","words":"kept locked"}"#
        );
        assert_eq!(serde_json::from_str::<Operation>(&text).unwrap(), operation);
    }
}
