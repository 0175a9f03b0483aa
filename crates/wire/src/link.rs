//! The bench link's messages: JSON over HTTP between a bench and one bridge. The bridge owns the
//! cable; the bench owns the judgement. `docs/bench-link.md` says the same in prose.
//!
//! Every message tolerates unknown fields, so that a newer bridge can talk to an older bench.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};

use crate::{Digest, Label};

/// The version of the link that this crate speaks; the first path segment of every route.
///
/// Changes: 1 = first; 2 = partitions by area, index and label, identities by kind, ports, limits,
/// logical volumes, files, streams.
pub const LINK_VERSION: u32 = 2;
/// The oldest version that a bench still speaks to.
pub const OLDEST_LINK_VERSION: u32 = 1;
/// Header that carries the [`Epoch`] on requests whose body is raw bytes.
pub const EPOCH_HEADER: &str = "bench-epoch";
/// Header that carries the BLAKE3 digest of a request's body.
pub const DIGEST_HEADER: &str = "bench-blake3";
/// Most bytes that one ranged read or write may move, where a device says nothing less.
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

/// `GET /v2/bridge`
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

/// One line of `GET /v2/devices`.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct DeviceLine {
    /// How to address it.
    pub handle: Handle,
    /// Whether it answers.
    pub listed: Listed,
    /// The epoch now.
    pub epoch: Epoch,
}

/// `GET /v2/devices`
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct DeviceList {
    /// All devices that the bridge knows, in a stable order.
    pub devices: Vec<DeviceLine>,
}

/// `GET /v2/devices/H`: what can be read in the present mode.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct DeviceState {
    /// The device.
    pub handle: Handle,
    /// Whether it answers.
    pub listed: Listed,
    /// The epoch that these values belong to.
    pub epoch: Epoch,
    /// The socket that its cable is in, as the bridge tells one from another; the same text means the same
    /// socket. Nothing where a bridge can't tell.
    #[serde(default)]
    pub port: Option<String>,
    /// Identities by kind (`chip-id`, `storage-chip-id`, `serial`, `download-number`, `equipment-id`), as
    /// they are told in this mode and in no other.
    #[serde(default)]
    pub identities: BTreeMap<String, String>,
    /// Fact key to value, as the device reports it now; a key that can't be read now is left out.
    pub facts: BTreeMap<String, String>,
    /// The acts that the device takes in this mode.
    pub acts: Vec<ActKind>,
    /// The modes that `restart` leads to from here.
    #[serde(default)]
    pub restarts: Vec<String>,
    /// How partitions are read now; nothing where a bridge can't tell.
    #[serde(default)]
    pub reads: Option<Reads>,
    /// The kinds of stream that it takes now.
    #[serde(default)]
    pub streams: Vec<StreamKind>,
    /// What it can take at once.
    #[serde(default)]
    pub limits: Limits,
    /// A folder for files that nobody will miss; nothing where there is none now.
    #[serde(default)]
    pub scratch: Option<Scratch>,
}

impl DeviceState {
    /// A device that is not there, of which nothing is known.
    #[must_use]
    pub fn absent(handle: Handle) -> Self {
        Self {
            handle,
            listed: Listed::Absent,
            epoch: Epoch(0),
            port: None,
            identities: BTreeMap::new(),
            facts: BTreeMap::new(),
            acts: Vec::new(),
            restarts: Vec::new(),
            reads: None,
            streams: Vec::new(),
            limits: Limits::default(),
            scratch: None,
        }
    }

    /// All that it says of itself: facts, and identities under their kind.
    #[must_use]
    pub fn told(&self) -> BTreeMap<String, String> {
        let mut all = self.facts.clone();
        all.extend(self.identities.clone());
        all
    }
}

/// How partitions can be read in the present mode.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Reads {
    /// Not at all.
    None,
    /// While nothing writes to them.
    AtRest,
    /// While the system runs, which writes to some of them.
    Live,
    /// In a way that this version doesn't know.
    #[serde(other)]
    Other,
}

/// What a device can take at once; nothing where it doesn't say.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Limits {
    /// Largest image for its memory, and largest stream, in bytes.
    #[serde(default)]
    pub download_bytes: Option<u64>,
    /// Most bytes of one piece that is read or written.
    #[serde(default)]
    pub body_bytes: Option<u64>,
}

/// A folder that a bench may lay files into.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Scratch {
    /// Its path.
    pub path: String,
    /// Room in it, in bytes.
    pub free_bytes: u64,
    /// Until when what lies there stays.
    pub lasts: Lasts,
}

/// Until when a file stays.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Lasts {
    /// Until what runs is left.
    Restart,
    /// Until the owner's data is erased.
    Erase,
    /// Until something that this version doesn't know.
    #[serde(other)]
    Other,
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
    /// Give the logical volume `volume` the length `length`, in bytes; what lay below it stays.
    ResizeVolume,
    /// Remove the logical volume `volume`.
    RemoveVolume,
    /// Take in the whole of a stream that has come.
    TakeStream,
    /// Something that this version doesn't know.
    #[serde(other)]
    Other,
}

/// `POST /v2/devices/H/act`
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

/// `GET /v2/devices/H/operations/N`, and the answer to an act.
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

/// `GET /v2/devices/H/events?after=N&wait_ms=M`
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

/// `GET /v2/devices/H/partitions`
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct PartitionList {
    /// The storage areas.
    pub areas: Vec<AreaLine>,
    /// The partitions in disk order.
    pub partitions: Vec<PartitionLine>,
    /// The logical volumes, in the order of their container's table.
    #[serde(default)]
    pub volumes: Vec<VolumeLine>,
}

impl PartitionList {
    /// What a person means by a label, and its length in bytes: a partition, a logical volume, or an end of
    /// an area as `table-N.primary` and `table-N.backup`. The first one, where several bear it.
    #[must_use]
    pub fn find(&self, label: &str) -> Option<(Spot, u64)> {
        let mut parts = self.partitions.iter();
        if let Some(part) = parts.find(|part| part.label.as_str() == label) {
            return Some((part.into(), part.length_bytes));
        }
        let mut volumes = self.volumes.iter();
        if let Some(volume) = volumes.find(|volume| volume.label.as_str() == label) {
            let label = volume.label.clone();
            return Some((Spot::Volume { label }, volume.length_bytes));
        }
        self.areas.iter().find_map(|line| {
            let area = line.area;
            let inside = || self.partitions.iter().filter(|part| part.area == area);
            let first = inside().map(|part| part.offset_bytes).min();
            let ends = inside().map(|part| part.offset_bytes.saturating_add(part.length_bytes));
            let end = line.length_bytes.saturating_sub(ends.max().unwrap_or(0));
            let ends = [
                (Spot::AreaStart { area }, first.unwrap_or(line.length_bytes)),
                (Spot::AreaEnd { area }, end),
            ];
            let is_it = |(spot, _): &(Spot, u64)| spot.label_of_old().as_deref() == Some(label);
            ends.into_iter().find(is_it)
        })
    }
}

/// One logical volume, as the table of its container gives it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct VolumeLine {
    /// Its name, with the slot's letter where it has one.
    pub label: Label,
    /// The partition that it lies in: area and index.
    pub area: u32,
    /// Number of that partition.
    pub number: u32,
    /// Length in bytes.
    pub length_bytes: u64,
}

/// Where bytes are read or written: a partition by area, index and label, all three of which must be those
/// of one entry; an end of an area, which holds its table; a logical volume.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Spot {
    /// A partition.
    Partition {
        /// Its area.
        area: u32,
        /// Its number in the area's table.
        number: u32,
        /// Its label.
        label: Label,
    },
    /// From an area's start to its first partition.
    AreaStart {
        /// The area.
        area: u32,
    },
    /// From the end of an area's last partition to the area's end.
    AreaEnd {
        /// The area.
        area: u32,
    },
    /// A logical volume.
    Volume {
        /// Its name.
        label: Label,
    },
}

impl Spot {
    /// Its path below the device's, in version 2.
    #[must_use]
    pub fn path(&self) -> String {
        match self {
            Self::Partition {
                area,
                number,
                label,
            } => format!("/areas/{area}/partitions/{number}/{label}"),
            Self::AreaStart { area } => format!("/areas/{area}/start"),
            Self::AreaEnd { area } => format!("/areas/{area}/end"),
            Self::Volume { label } => format!("/volumes/{label}"),
        }
    }

    /// The label under which version 1 knows it; it knows no volumes.
    #[must_use]
    pub fn label_of_old(&self) -> Option<String> {
        match self {
            Self::Partition { label, .. } => Some(label.to_string()),
            Self::AreaStart { area } => Some(format!("table-{area}.primary")),
            Self::AreaEnd { area } => Some(format!("table-{area}.backup")),
            Self::Volume { .. } => None,
        }
    }
}

impl std::fmt::Display for Spot {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Self::Partition { label, .. } => write!(f, "{label}"),
            Self::AreaStart { area } => write!(f, "the start of area {area}"),
            Self::AreaEnd { area } => write!(f, "the end of area {area}"),
            Self::Volume { label } => write!(f, "the volume {label}"),
        }
    }
}

impl From<&PartitionLine> for Spot {
    fn from(line: &PartitionLine) -> Self {
        Self::Partition {
            area: line.area,
            number: line.number,
            label: line.label.clone(),
        }
    }
}

/// `GET /v2/devices/H/files?path=P`
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct FolderList {
    /// Its entries, by name.
    pub entries: Vec<FileLine>,
    /// Room in its file system, in bytes.
    pub free_bytes: u64,
    /// Largest file that its file system holds; nothing where it doesn't say.
    #[serde(default)]
    pub largest_bytes: Option<u64>,
}

/// One entry of a folder.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct FileLine {
    /// Its name, without the folder's.
    pub name: String,
    /// What it is.
    pub kind: EntryKind,
    /// Length in bytes; 0 for a folder.
    pub length_bytes: u64,
}

/// What lies in a folder.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum EntryKind {
    /// A file.
    File,
    /// A folder.
    Folder,
    /// Something else.
    #[serde(other)]
    Other,
}

/// `GET /v2/devices/H/file/digest?path=P`, and the answer to the last piece of a file that is laid there.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct FileDigest {
    /// Digest of the file where it lies, computed by the device side.
    pub blake3: Digest,
    /// Its length.
    pub length_bytes: u64,
}

/// What a stream brings.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum StreamKind {
    /// A package, kept by what runs until it is whole, then installed.
    Package,
    /// A package that a recovery takes from the computer.
    Sideload,
    /// What download mode writes: an image, into the partition that `to` names; without one a tar, each member into
    /// the partition that it is called like.
    Download,
    /// Something that this version doesn't know.
    #[serde(other)]
    Other,
}

/// `POST /v2/devices/H/streams`
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct StreamRequest {
    /// What it brings.
    pub kind: StreamKind,
    /// Name of the file, for the device's own screen.
    pub name: String,
    /// Label of the partition, for a download.
    #[serde(default)]
    pub to: Option<Label>,
    /// Length of the whole, in bytes.
    pub length_bytes: u64,
    /// Digest of the whole.
    pub blake3: Digest,
    /// The epoch under which it was decided.
    pub epoch: Epoch,
}

/// Number of a stream on one device, counting up.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(transparent)]
pub struct StreamId(pub u64);

/// `GET /v2/devices/H/streams/N`, and the answer to each piece.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct StreamState {
    /// Its number.
    pub id: StreamId,
    /// The first byte that has not come.
    pub next_byte: u64,
    /// Length of the whole.
    pub length_bytes: u64,
}

/// Answer to `PUT` of a piece of a [`Spot`].
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Written {
    /// Digest of the bytes as they arrived, computed by the device side.
    pub blake3: Digest,
    /// How many bytes were written.
    pub length_bytes: u64,
}

/// Answer to `PUT /v2/devices/H/memory`.
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
