//! Two slots: which of them is active, and what a start from it finds. Physics: it lets a person make a
//! slot active that holds nothing, and then nothing starts from it.

use std::io;

use veritope_formats::look::Bytes as _;
use veritope_formats::startimage::read_start_image;
use veritope_wire::link::{ActKind, ActRequest, Operation, Progress, Refusal, RefusalCode};

use super::{Device, LockState, Running, no};
use crate::condition::Slot;
use crate::content;

impl Device {
    /// The active slot, where it has two.
    pub(crate) fn active_slot(&self) -> Option<Slot> {
        self.scheme()
            .is_some_and(|scheme| scheme.has_slots)
            .then_some(self.saved.slot)
    }

    /// The command of the bootloader. It asks nothing, and looks at nothing.
    pub(super) fn set_slot(&mut self, request: &ActRequest) -> Result<Operation, Refusal> {
        if self.saved.mode != Running::Bootloader {
            let words = "only the bootloader changes slots";
            return Err(no(RefusalCode::WrongMode, words));
        }
        if self.active_slot().is_none() {
            return Err(no(RefusalCode::UnknownCommand, "unknown command"));
        }
        let wanted = match request.args.get("slot").map(String::as_str) {
            Some("a") => Slot::A,
            Some("b") => Slot::B,
            _ => return Err(no(RefusalCode::BadRequest, "which slot?")),
        };
        if self.saved.lock == LockState::Locked {
            return Err(no(RefusalCode::Locked, "not while locked"));
        }
        if !self.profile.is_facts_only() {
            content::mark_slot(self.storage.as_mut(), &self.profile, wanted)
                .map_err(|error| no(RefusalCode::Other, error.to_string()))?;
        }
        self.saved.slot = wanted;
        let id = self.begin(ActKind::SetSlot).id;
        let words = format!("OKAY, slot {}", wanted.id());
        self.settle(id, Progress::Done { words });
        self.operation(id)
    }

    /// Whether a start of the system finds nothing to start: its own part or the kernel's is blank.
    pub(super) fn is_system_blank(&self) -> io::Result<bool> {
        if self.profile.is_facts_only() || self.active_slot().is_some() {
            return Ok(false);
        }
        for label in ["boot", "system"] {
            let Ok(part) = self.part(label) else {
                continue;
            };
            let mut head = [0; 4096];
            part.read_exact_at(0, &mut head)?;
            if head.iter().all(|byte| *byte == 0) {
                return Ok(true);
            }
        }
        Ok(false)
    }

    /// Whether a start of the system finds one in the active slot.
    pub(super) fn slot_starts(&self) -> io::Result<bool> {
        let Some(slot) = self.active_slot() else {
            return Ok(true);
        };
        if self.profile.is_facts_only() {
            return Ok(slot == Slot::A);
        }
        let mut labels = slot.starts().into_iter();
        let Some(part) = labels.find_map(|label| self.part(label).ok()) else {
            return Ok(false);
        };
        // Whose it is matters only while it is locked; that it is an image matters always.
        Ok(read_start_image(&part).is_ok_and(|image| image.codename == self.profile.codename))
    }
}
