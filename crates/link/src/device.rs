//! One device at the other end, held for one unit.

use std::collections::BTreeMap;
use std::sync::Arc;
use std::time::Duration;

use veritope_core::digest::{Claimed, FrameList, Seen};
use veritope_core::facts::{FactKey, FactValue};
use veritope_core::family::{Chip, Role, WipeSpec};
use veritope_core::mode::Mode;
use veritope_core::seal::{Effect, Permit};
use veritope_wire::link::{
    ActKind, ActRequest, DeviceState, Epoch, Handle, InMemory, LinkEvents, Listed, Operation,
    OperationId, PartitionList, RefusalCode,
};
use veritope_wire::{Digest, Label, UnitId};

use crate::transport::{LinkError, Passed, ToMemory, Transport, WriteBytes};

/// A device under a handle, and the unit that it is believed to be.
pub struct DeviceLink {
    transport: Arc<dyn Transport>,
    handle: Handle,
    unit: UnitId,
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
        }
    }

    /// Reads what can be read now.
    ///
    /// # Errors
    /// See [`LinkError`].
    pub fn look(&self) -> Result<DeviceState, LinkError> {
        self.transport.state(&self.handle)
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

    /// Bytes of a partition, read under `epoch` and no other.
    ///
    /// # Errors
    /// See [`LinkError`]; [`LinkError::Moved`] when the device changed since.
    pub fn read(
        &self,
        label: &str,
        first: u64,
        count: u64,
        epoch: Epoch,
    ) -> Result<Vec<u8>, LinkError> {
        let read = self.transport.read(&self.handle, label, first, count)?;
        if read.epoch != epoch {
            return Err(LinkError::Moved {
                began: epoch,
                now: read.epoch,
            });
        }
        if read.bytes.len() as u64 != count {
            return Err(LinkError::Length {
                label: label.to_owned(),
                found: read.bytes.len() as u64,
                wanted: count,
            });
        }
        Ok(read.bytes)
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

    /// Puts an image into the device's memory, once its bytes are seen to be the ones that were
    /// `judged` (`E5`); storage stays as it is.
    ///
    /// # Errors
    /// See [`LinkError`]; also when the device side saw another digest.
    pub fn put_memory(
        &self,
        bytes: &[u8],
        judged: Claimed,
        epoch: Epoch,
    ) -> Result<InMemory, LinkError> {
        // Hashed here, at the door, over the very bytes that are sent.
        if !Seen::of(bytes).agrees_with(judged) {
            return Err(LinkError::WrongPermit(
                "the bytes are not the ones that were judged",
            ));
        }
        let image = ToMemory {
            digest: judged.0,
            epoch,
            bytes,
        };
        let there = self
            .transport
            .put_memory(Passed::new(&self.handle, image))?;
        if there.blake3 == judged.0 && there.length_bytes == bytes.len() as u64 {
            Ok(there)
        } else {
            Err(LinkError::WrongPermit(
                "the device side says that other bytes arrived",
            ))
        }
    }

    /// Starts what lies in the device's memory; storage stays as it is.
    ///
    /// # Errors
    /// See [`LinkError`].
    pub fn start_from_memory(&self, epoch: Epoch) -> Result<Operation, LinkError> {
        self.act(ActKind::StartFromMemory, BTreeMap::new(), epoch)
    }

    /// Sends the unlock command for the stage that `permit` names, spending it; with the unit's own
    /// token where the family asks for one (`U4`). The family's `forms` are tried in order; the next
    /// one only if the device doesn't know the one before (`L1`).
    ///
    /// The device is looked at once more: a permit of an older epoch, for another unit or another
    /// effect goes no further than this side of the cable.
    ///
    /// # Errors
    /// See [`LinkError`]; any refusal but *unknown command* is a refusal.
    pub fn unlock(
        &self,
        permit: Permit,
        forms: &[String],
        token: Option<&str>,
    ) -> Result<Operation, LinkError> {
        let Effect::Unlock { stage } = permit.effect() else {
            return Err(LinkError::WrongPermit("it was given for something else"));
        };
        let mut args = BTreeMap::from([("stage".to_owned(), stage.clone())]);
        args.extend(token.map(|token| ("token".to_owned(), token.to_owned())));
        self.command(ActKind::Unlock, permit, forms, args)
    }

    /// Sends the lock command for the stage that `permit` names, spending it; forms as with
    /// [`Self::unlock`] (`L1`).
    ///
    /// # Errors
    /// See [`LinkError`]; any refusal but *unknown command* is a refusal.
    pub fn lock(&self, permit: Permit, forms: &[String]) -> Result<Operation, LinkError> {
        let Effect::Relock { stage } = permit.effect() else {
            return Err(LinkError::WrongPermit("it was given for something else"));
        };
        let args = BTreeMap::from([("stage".to_owned(), stage.clone())]);
        self.command(ActKind::Lock, permit, forms, args)
    }

    /// Sends the command that erases the owner's data by the way that `permit` names, spending it. The link
    /// has one set, the owner's data with what belongs to it: a way that erases anything else has no command.
    ///
    /// # Errors
    /// See [`LinkError`].
    pub fn erase(&self, permit: Permit, way: &WipeSpec) -> Result<Operation, LinkError> {
        let Effect::Wipe { way: permitted } = permit.effect() else {
            return Err(LinkError::WrongPermit("it was given for something else"));
        };
        let is_owners = |role: &Role| matches!(role, Role::UserData | Role::Cache);
        if *permitted != way.id || !way.erases.iter().all(is_owners) {
            return Err(LinkError::WrongPermit("it was given for another erase"));
        }
        self.is_good(&permit)?;
        let args = BTreeMap::from([("set".to_owned(), "user-data".to_owned())]);
        self.act(ActKind::Erase, args, permit.epoch())
    }

    /// Sends the command that makes the slot active that `permit` names, spending it.
    ///
    /// # Errors
    /// See [`LinkError`].
    pub fn set_slot(&self, permit: Permit) -> Result<Operation, LinkError> {
        let Effect::SetSlot { slot } = permit.effect() else {
            return Err(LinkError::WrongPermit("it was given for something else"));
        };
        self.is_good(&permit)?;
        let args = BTreeMap::from([("slot".to_owned(), slot.id().to_owned())]);
        self.act(ActKind::SetSlot, args, permit.epoch())
    }

    /// Sends a command of the lock in the first of `forms` that the device knows.
    fn command(
        &self,
        kind: ActKind,
        permit: Permit,
        forms: &[String],
        args: BTreeMap<String, String>,
    ) -> Result<Operation, LinkError> {
        self.is_good(&permit)?;
        let mut answer = Err(LinkError::WrongPermit(
            "the family names no form of the command",
        ));
        for form in forms {
            let mut args = args.clone();
            args.insert("form".to_owned(), form.clone());
            answer = self.act(kind, args, permit.epoch());
            match &answer {
                Err(error) if error.refusal() == Some(RefusalCode::UnknownCommand) => {}
                _ => break,
            }
        }
        answer
    }

    /// Opens a partition for one image, spending `permit`. Nothing is sent yet but the look that a
    /// permit of another unit, another epoch or another image does not survive.
    ///
    /// # Errors
    /// See [`LinkError`].
    pub fn open_write(&self, permit: Permit, list: FrameList) -> Result<OpenWrite<'_>, LinkError> {
        let label = match permit.effect().writes() {
            Some((label, image)) if image == list.image() => label.clone(),
            Some(_) => {
                return Err(LinkError::WrongPermit("it was given for another image"));
            }
            None => return Err(LinkError::WrongPermit("it was given for something else")),
        };
        self.is_good(&permit)?;
        Ok(OpenWrite {
            link: self,
            permit,
            label,
            list,
        })
    }

    /// Looks at the device once more, on this side of the cable.
    fn is_good(&self, permit: &Permit) -> Result<(), LinkError> {
        if permit.unit() != self.unit {
            return Err(LinkError::WrongPermit("it was given for another unit"));
        }
        let now = self.look()?;
        if now.epoch != permit.epoch() {
            return Err(LinkError::StalePermit {
                permit: permit.epoch(),
                now: now.epoch,
            });
        }
        self.is_of(&now, permit.chip())
    }

    /// Whether what a device says of itself has this hardware identity.
    fn is_of(&self, state: &DeviceState, chip: &Chip) -> Result<(), LinkError> {
        if state.facts.get(chip.key.id()) == Some(&chip.value) {
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

/// A partition that is open for the frames of one image, and for no other bytes.
#[derive(Debug)]
pub struct OpenWrite<'l> {
    link: &'l DeviceLink,
    permit: Permit,
    label: Label,
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
        let frame = WriteBytes {
            label: &self.label,
            first: self.list.layout().span(index).0,
            length: self.list.layout().length_bytes(),
            digest: Digest::of(bytes),
            epoch: self.permit.epoch(),
            bytes,
        };
        let link = self.link;
        // A bridge may forget to raise its epoch when another unit takes the place.
        link.is_good(&self.permit)?;
        let written = link.transport.write(Passed::new(&link.handle, frame))?;
        if written.blake3 == frame.digest {
            Ok(())
        } else {
            Err(LinkError::WrongPermit(
                "the device side says that other bytes arrived",
            ))
        }
    }
}

/// The facts in a device's answer that this program knows and that fit their key; the rest is left
/// out. A device that does not take commands says so as a fact.
#[must_use]
pub fn readings(state: &DeviceState) -> Vec<(FactKey, FactValue)> {
    let mut readings: Vec<_> = state
        .facts
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

    #[test]
    fn what_a_newer_bridge_adds_or_garbles_is_left_out() {
        let state = DeviceState {
            handle: Handle("d".to_owned()),
            listed: Listed::Ready,
            epoch: Epoch(1),
            facts: [
                ("mode", "bootloader"),
                ("battery", "250"),
                ("colour", "green"),
            ]
            .map(|(key, value)| (key.to_owned(), value.to_owned()))
            .into(),
            acts: Vec::new(),
        };
        assert_eq!(
            readings(&state),
            [(FactKey::Mode, FactValue::Choice("bootloader"))]
        );
    }
}
