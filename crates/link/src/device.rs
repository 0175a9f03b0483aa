//! One device at the other end, held for one unit.

use std::collections::BTreeMap;
use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering};
use std::time::Duration;

use veritope_core::act::{Command, Complete, Doing, TakenBy};
use veritope_core::digest::{FrameList, Seen};
use veritope_core::facts::{FactKey, FactValue};
use veritope_core::family::Chip;
use veritope_core::mode::Mode;
use veritope_wire::link::{
    ActKind, ActRequest, DeviceState, Epoch, Handle, LinkEvents, Listed, MAX_READ_BYTES, Operation,
    OperationId, PartitionList, RefusalCode, Spot, StreamKind, StreamRequest,
};
use veritope_wire::{BenchTime, Digest, Label, UnitId};

use crate::transport::{LinkError, Passed, StreamPiece, ToMemory, Transport, WriteBytes};

/// Bytes of one piece of a stream.
const STREAM_PIECE_BYTES: usize = 4 << 20;

/// A device under a handle, and the unit that it is believed to be.
pub struct DeviceLink {
    transport: Arc<dyn Transport>,
    handle: Handle,
    unit: UnitId,
    /// Most bytes of one piece, as the device said when it was looked at last.
    most_bytes: AtomicU64,
}

impl std::fmt::Debug for DeviceLink {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "{:?} under {}", self.unit, self.handle.0)
    }
}

impl DeviceLink {
    /// Holds the device `handle` for `unit`. Nothing is sent.
    #[must_use]
    pub fn new(transport: Arc<dyn Transport>, handle: Handle, unit: UnitId) -> Self {
        Self {
            transport,
            handle,
            unit,
            most_bytes: AtomicU64::new(MAX_READ_BYTES),
        }
    }

    /// Reads what can be read now.
    ///
    /// # Errors
    /// See [`LinkError`].
    pub fn look(&self) -> Result<DeviceState, LinkError> {
        let state = self.transport.state(&self.handle)?;
        let most = state.limits.body_bytes.unwrap_or(MAX_READ_BYTES);
        let most = most.clamp(1, MAX_READ_BYTES);
        self.most_bytes.store(most, Ordering::Relaxed);
        Ok(state)
    }

    /// Bytes `first..first + count` in pieces that the device takes.
    fn pieces(&self, first: u64, count: u64) -> impl Iterator<Item = (u64, u64)> + use<> {
        let most = self.most_bytes.load(Ordering::Relaxed);
        let end = first + count;
        let starts = std::iter::successors(Some(first), move |at| at.checked_add(most));
        starts
            .take_while(move |at| *at < end)
            .map(move |at| (at, most.min(end - at)))
    }

    /// How far an operation is.
    ///
    /// # Errors
    /// See [`LinkError`].
    pub fn operation(&self, id: OperationId) -> Result<Operation, LinkError> {
        self.transport.operation(&self.handle, id)
    }

    /// Events after number `after`, waiting up to `wait` for one.
    ///
    /// # Errors
    /// See [`LinkError`].
    pub fn events(&self, after: u64, wait: Duration) -> Result<LinkEvents, LinkError> {
        self.transport.events(&self.handle, after, wait)
    }

    /// The partitions as the unit's own table has them.
    ///
    /// # Errors
    /// See [`LinkError`].
    pub fn partitions(&self) -> Result<PartitionList, LinkError> {
        self.transport.partitions(&self.handle)
    }

    /// Bytes of what lies at `spot`, read under `epoch` and no other.
    ///
    /// # Errors
    /// See [`LinkError`]; [`LinkError::Moved`] when the device changed since.
    pub fn read(
        &self,
        spot: &Spot,
        first: u64,
        count: u64,
        epoch: Epoch,
    ) -> Result<Vec<u8>, LinkError> {
        let mut bytes = Vec::new();
        for (at, wanted) in self.pieces(first, count) {
            let read = self.transport.read(&self.handle, spot, at, wanted)?;
            if read.epoch != epoch {
                return Err(LinkError::Moved {
                    began: epoch,
                    now: read.epoch,
                });
            }
            let found = read.bytes.len() as u64;
            if found != wanted {
                let spot = spot.clone();
                return Err(LinkError::Length {
                    spot,
                    found,
                    wanted,
                });
            }
            if bytes.is_empty() {
                bytes = read.bytes;
            } else {
                bytes.extend(read.bytes);
            }
        }
        Ok(bytes)
    }

    /// The last bytes of a file, `most` of them at the most; none of an empty one.
    ///
    /// # Errors
    /// See [`LinkError`]; also where there is no such file.
    pub fn tail(&self, path: &str, most: u64) -> Result<Vec<u8>, LinkError> {
        let length = self.transport.file_digest(&self.handle, path)?.length_bytes;
        let count = length.min(most);
        if count == 0 {
            return Ok(Vec::new());
        }
        let first = length - count;
        Ok(self.transport.pull(&self.handle, path, first, count)?.bytes)
    }

    /// Looks whether the unit with this hardware identity still answers under `epoch`: before the first
    /// byte that is read or written, and after the last.
    ///
    /// # Errors
    /// [`LinkError::Moved`] or [`LinkError::AnotherUnit`], and see [`LinkError`].
    pub fn is_still(&self, chip: &Chip, epoch: Epoch) -> Result<(), LinkError> {
        let now = self.look()?;
        self.is_of(&now, chip)?;
        if now.epoch != epoch {
            return Err(LinkError::Moved {
                began: epoch,
                now: now.epoch,
            });
        }
        Ok(())
    }

    /// Restarts into `mode`, as decided under `epoch`. Storage, slots and lock stay as they are, so
    /// no permit is needed.
    ///
    /// # Errors
    /// See [`LinkError`].
    pub fn restart(&self, mode: Mode, epoch: Epoch) -> Result<Operation, LinkError> {
        // Which recovery lies there is not the command's business.
        let name = match mode {
            Mode::StockRecovery | Mode::CustomRecovery => "recovery",
            other => other.id(),
        };
        let args = BTreeMap::from([("mode".to_owned(), name.to_owned())]);
        self.act(ActKind::Restart, args, epoch)
    }

    /// Opens the door for a complete list: looks at the device, asks of it what the list asks, lets the
    /// intent be written down, and only then gives leave (`S3`).
    ///
    /// # Errors
    /// [`NotNow`]: nothing went out, and without the intent nothing will.
    pub fn permit<E: std::error::Error + 'static>(
        &self,
        complete: Complete,
        now: BenchTime,
        intend: impl FnOnce(&Complete) -> Result<(), E>,
    ) -> Result<Permit, NotNow<E>> {
        if complete.unit() != self.unit {
            return Err(LinkError::WrongPermit("it was given for another unit").into());
        }
        if *complete.doing() == Doing::Hands {
            return Err(LinkError::WrongPermit("it is for a person's hands").into());
        }
        let Some(chip) = complete.chip() else {
            return Err(LinkError::WrongPermit("it names no hardware identity").into());
        };
        if now > complete.until() {
            return Err(LinkError::TooLate.into());
        }
        let state = self.look()?;
        self.is_of(&state, chip)?;
        let said = readings(&state);
        if let Some(ask) = complete.asks().iter().find(|ask| !ask.is_answered(&said)) {
            return Err(LinkError::NotAsJudged(ask.shown()).into());
        }
        intend(&complete).map_err(NotNow::Intent)?;
        let epoch = state.epoch;
        Ok(Permit {
            complete,
            sight: Sight {
                epoch,
                download_bytes: state.limits.download_bytes,
            },
        })
    }

    /// Sends the command that `permit` is for, spending it; with the unit's own token where it takes one
    /// (`U4`). Forms of a command are tried in order; the next one only if the device doesn't know the one
    /// before (`L1`).
    ///
    /// The device is looked at once more: a permit of an older epoch or for another unit goes no further
    /// than this side of the cable.
    ///
    /// # Errors
    /// See [`LinkError`]; any refusal but *unknown command* is a refusal.
    pub fn perform(&self, permit: Permit, secret: Option<&str>) -> Result<Operation, LinkError> {
        let command = match permit.complete.doing() {
            Doing::Command(command) => command.clone(),
            Doing::Look(_)
            | Doing::Hands
            | Doing::Read(_)
            | Doing::Send { .. }
            | Doing::PutInside { .. } => {
                return Err(LinkError::WrongPermit("it was given for no command"));
            }
        };
        self.is_good(&permit)?;
        let epoch = permit.sight.epoch;
        let one = |name: &str, value: &str| (name.to_owned(), value.to_owned());
        match command {
            Command::Unlock {
                stage,
                forms,
                token,
            } => {
                let secret = match (token, secret) {
                    (true, None) => {
                        return Err(LinkError::WrongPermit("it takes the unit's own token"));
                    }
                    (true, secret) => secret,
                    (false, _) => None,
                };
                let mut args = BTreeMap::from([one("stage", &stage)]);
                args.extend(secret.map(|token| one("token", token)));
                self.command(ActKind::Unlock, epoch, &forms, &args)
            }
            Command::Lock { stage, forms } => {
                let args = BTreeMap::from([one("stage", &stage)]);
                self.command(ActKind::Lock, epoch, &forms, &args)
            }
            Command::EraseUserData => {
                let args = BTreeMap::from([one("set", "user-data")]);
                self.act(ActKind::Erase, args, epoch)
            }
            Command::SetSlot(slot) => {
                let args = BTreeMap::from([one("slot", slot.id())]);
                self.act(ActKind::SetSlot, args, epoch)
            }
            Command::Restart(_) | Command::StartImage { .. } | Command::TakeIn { .. } => {
                Err(LinkError::WrongPermit("it is taken another way"))
            }
        }
    }

    /// The bytes that `permit` is for, hashed here, at the door, over the very ones that are sent (`E5`); the unit is
    /// still the one that it was given for, and takes so many.
    fn judged_whole(
        &self,
        permit: &Permit,
        bytes: &[u8],
        what: &'static str,
    ) -> Result<Seen, LinkError> {
        let seen = Seen::of(bytes);
        if permit.complete.payload() != Some(seen.digest()) {
            return Err(LinkError::WrongPermit(
                "the bytes are not the ones that were judged",
            ));
        }
        self.is_good(permit)?;
        let (found, most) = (seen.bytes(), permit.sight.download_bytes);
        match most.filter(|most| found > *most) {
            Some(most) => Err(LinkError::TooMuch { what, found, most }),
            None => Ok(seen),
        }
    }

    /// Puts the image that `permit` is for into the device's memory, once its bytes are seen to be the ones
    /// that were judged (`E5`), and starts it; storage stays as it is.
    ///
    /// # Errors
    /// See [`LinkError`]; also when the device side saw another digest.
    pub fn start(&self, permit: Permit, bytes: &[u8]) -> Result<Operation, LinkError> {
        if !matches!(
            permit.complete.doing(),
            Doing::Command(Command::StartImage { .. })
        ) {
            return Err(LinkError::WrongPermit("it was given for something else"));
        }
        let seen = self.judged_whole(&permit, bytes, "this image")?;
        let epoch = permit.sight.epoch;
        let image = ToMemory {
            digest: seen.digest(),
            epoch,
            bytes,
        };
        let there = self
            .transport
            .put_memory(Passed::new(&self.handle, image))?;
        if there.blake3 != seen.digest() || there.length_bytes != bytes.len() as u64 {
            return Err(LinkError::WrongPermit(
                "the device side says that other bytes arrived",
            ));
        }
        self.act(ActKind::StartFromMemory, BTreeMap::new(), epoch)
    }

    /// Streams the file that `permit` is for to what takes it in, once its bytes are seen to be the ones that were
    /// judged (`E5`). Nothing of it counts on the device side before the whole is there.
    ///
    /// # Errors
    /// See [`LinkError`]; also when the device side has another number of bytes.
    pub fn take_in(&self, permit: Permit, bytes: &[u8]) -> Result<Operation, LinkError> {
        let Doing::Command(Command::TakeIn { by, .. }) = permit.complete.doing() else {
            return Err(LinkError::WrongPermit("it was given for something else"));
        };
        let (kind, name) = match by {
            TakenBy::Download => (StreamKind::Download, "recovery.tar"),
            TakenBy::Recovery => (StreamKind::Package, "package.zip"),
        };
        let seen = self.judged_whole(&permit, bytes, "this file")?;
        let epoch = permit.sight.epoch;
        let request = StreamRequest {
            kind,
            to: None,
            name: name.to_owned(),
            length_bytes: seen.bytes(),
            blake3: seen.digest(),
            epoch,
        };
        let stream = self
            .transport
            .open_stream(Passed::new(&self.handle, request))?;
        let mut first = 0;
        for piece in bytes.chunks(STREAM_PIECE_BYTES) {
            // A bridge may forget to raise its epoch when another unit takes the place.
            self.is_good(&permit)?;
            let frame = StreamPiece {
                id: stream.id,
                first,
                length: seen.bytes(),
                digest: Digest::of(piece),
                epoch,
                bytes: piece,
            };
            let state = self
                .transport
                .put_stream(Passed::new(&self.handle, frame))?;
            first += piece.len() as u64;
            if state.next_byte != first {
                return Err(LinkError::WrongPermit(
                    "the device side says that other bytes arrived",
                ));
            }
        }
        let args = BTreeMap::from([("stream".to_owned(), stream.id.0.to_string())]);
        self.act(ActKind::TakeStream, args, epoch)
    }

    /// Sends a command of the lock in the first of `forms` that the device knows.
    fn command(
        &self,
        kind: ActKind,
        epoch: Epoch,
        forms: &[String],
        args: &BTreeMap<String, String>,
    ) -> Result<Operation, LinkError> {
        let mut answer = Err(LinkError::WrongPermit(
            "the family names no form of the command",
        ));
        for form in forms {
            let mut args = args.clone();
            args.insert("form".to_owned(), form.clone());
            answer = self.act(kind, args, epoch);
            match &answer {
                Err(error) if error.refusal() == Some(RefusalCode::UnknownCommand) => {}
                _ => break,
            }
        }
        answer
    }

    /// Opens a partition for the image that `permit` is for, spending it; it is looked up in the unit's own
    /// table now. Nothing is sent yet: each frame looks at the device before it goes.
    ///
    /// # Errors
    /// See [`LinkError`]; also when that table does not have exactly one partition of this label.
    pub fn open(&self, permit: Permit, list: FrameList) -> Result<OpenWrite<'_>, LinkError> {
        let Doing::Send { label, .. } = permit.complete.doing() else {
            return Err(LinkError::WrongPermit("it was given for something else"));
        };
        if permit.complete.payload() != Some(list.image()) {
            return Err(LinkError::WrongPermit("it was given for another image"));
        }
        let spot = self.spot_of(label)?;
        Ok(OpenWrite {
            link: self,
            permit,
            spot,
            list,
        })
    }

    /// Where the unit's own table has a partition of this label.
    fn spot_of(&self, label: &Label) -> Result<Spot, LinkError> {
        let list = match self.partitions() {
            Ok(list) => list,
            // Version 1 lists partitions only where they are read, and knows them by their label.
            Err(error) if error.refusal() == Some(RefusalCode::WrongMode) => {
                return Ok(Spot::Partition {
                    area: 0,
                    number: 0,
                    label: label.clone(),
                });
            }
            Err(error) => return Err(error),
        };
        let mut named = list.partitions.iter().filter(|part| part.label == *label);
        match (named.next(), named.next()) {
            (Some(part), None) => Ok(part.into()),
            (None, _) => Err(LinkError::WrongPermit("the unit has no such partition now")),
            (Some(_), Some(_)) => Err(LinkError::WrongPermit(
                "two partitions of the unit bear this label",
            )),
        }
    }

    /// Looks at the device once more, on this side of the cable.
    fn is_good(&self, permit: &Permit) -> Result<(), LinkError> {
        let now = self.look()?;
        let epoch = permit.sight.epoch;
        if now.epoch != epoch {
            return Err(LinkError::StalePermit {
                permit: epoch,
                now: now.epoch,
            });
        }
        match permit.complete.chip() {
            Some(chip) => self.is_of(&now, chip),
            None => Err(LinkError::AnotherUnit {
                expected: self.unit,
            }),
        }
    }

    /// Whether what a device says of itself has this hardware identity.
    fn is_of(&self, state: &DeviceState, chip: &Chip) -> Result<(), LinkError> {
        if state.identities.get(chip.key.id()) == Some(&chip.value) {
            return Ok(());
        }
        Err(LinkError::AnotherUnit {
            expected: self.unit,
        })
    }

    fn act(
        &self,
        kind: ActKind,
        args: BTreeMap<String, String>,
        epoch: Epoch,
    ) -> Result<Operation, LinkError> {
        let request = ActRequest { kind, args, epoch };
        self.transport.act(Passed::new(&self.handle, request))
    }
}

/// Leave for one act on one unit under one epoch: a list that closed, and what the device answered to it at
/// this look. Both are made here or below, and nowhere else; it is spent by handing it over.
#[derive(Debug)]
pub struct Permit {
    complete: Complete,
    sight: Sight,
}

impl Permit {
    /// The hardware identity that it is for, to ask whether it is still that unit.
    #[must_use]
    pub fn chip(&self) -> Option<&Chip> {
        self.complete.chip()
    }

    /// The epoch under which it is good.
    #[must_use]
    pub fn epoch(&self) -> Epoch {
        self.sight.epoch
    }
}

/// What the device was seen to be as the permit was given: the epoch under which it answered all that was
/// asked of it.
#[derive(Debug)]
struct Sight {
    epoch: Epoch,
    /// Largest image that it takes at once, where it says so.
    download_bytes: Option<u64>,
}

/// Why no leave was given.
#[derive(Debug, thiserror::Error)]
pub enum NotNow<E: std::error::Error + 'static> {
    /// The device is not as the list has it, or does not answer.
    #[error(transparent)]
    Link(#[from] LinkError),
    /// The intent could not be written down.
    #[error(transparent)]
    Intent(E),
}

/// A partition that is open for the frames of one image, and for no other bytes.
#[derive(Debug)]
pub struct OpenWrite<'l> {
    link: &'l DeviceLink,
    permit: Permit,
    spot: Spot,
    list: FrameList,
}

impl OpenWrite<'_> {
    /// Sends frame `index`, once its bytes are seen to be that frame of the permitted image. The
    /// request repeats the permit's epoch, so that the device side refuses after any change.
    ///
    /// # Errors
    /// See [`LinkError`]; bytes that are not the frame go no further than this.
    pub fn put(&self, index: u64, bytes: &[u8]) -> Result<(), LinkError> {
        if !self.list.admits(index, bytes) {
            return Err(LinkError::WrongPermit(
                "the bytes are not this frame of the permitted image",
            ));
        }
        let link = self.link;
        let (start, count) = self.list.layout().span(index);
        for (at, length) in link.pieces(start, count) {
            let within = |at: u64| usize::try_from(at - start).unwrap_or(usize::MAX);
            let piece = &bytes[within(at)..within(at + length)];
            let frame = WriteBytes {
                spot: &self.spot,
                first: at,
                length: self.list.layout().length_bytes(),
                digest: Digest::of(piece),
                epoch: self.permit.sight.epoch,
                bytes: piece,
            };
            // A bridge may forget to raise its epoch when another unit takes the place.
            link.is_good(&self.permit)?;
            let written = link.transport.write(Passed::new(&link.handle, frame))?;
            if written.blake3 != frame.digest {
                return Err(LinkError::WrongPermit(
                    "the device side says that other bytes arrived",
                ));
            }
        }
        Ok(())
    }
}

/// The facts in a device's answer that this program knows and that fit their key; the rest is left
/// out. A device that does not take commands says so as a fact.
#[must_use]
pub fn readings(state: &DeviceState) -> Vec<(FactKey, FactValue)> {
    let mut readings: Vec<_> = state
        .told()
        .iter()
        .filter_map(|(key, value)| {
            let key = FactKey::from_id(key)?;
            Some((key, FactValue::parse(key, value).ok()?))
        })
        .collect();
    if state.listed == Listed::NotAuthorised {
        let known = [(FactKey::Debugging, "off"), (FactKey::Mode, "system")];
        readings.extend(
            known
                .into_iter()
                .filter_map(|(key, value)| Some((key, FactValue::parse(key, value).ok()?))),
        );
    }
    readings
}

#[cfg(test)]
mod tests {
    use super::*;

    // What was permitted can't be copied, stored or read back.
    static_assertions::assert_not_impl_any!(Permit: Clone, serde::Serialize, serde::de::DeserializeOwned);

    #[test]
    fn what_a_newer_bridge_adds_or_garbles_is_left_out() {
        let state = DeviceState {
            listed: Listed::Ready,
            epoch: Epoch(1),
            facts: [
                ("mode", "bootloader"),
                ("battery", "250"),
                ("colour", "green"),
            ]
            .map(|(key, value)| (key.to_owned(), value.to_owned()))
            .into(),
            ..DeviceState::absent(Handle("d".to_owned()))
        };
        assert_eq!(
            readings(&state),
            [(FactKey::Mode, FactValue::Choice("bootloader"))]
        );
    }
}
