//! Erasing the owner's data: by the bootloader's command, or from the menu of the maker's recovery.
//! Physics: it lets a person erase in the middle of an update, and then nothing starts.

use std::io;

use veritope_wire::link::{ActKind, ActRequest, Operation, OperationId, Refusal, RefusalCode};

use super::{Device, LockState, Running, no};
use crate::content;
use crate::saved::Merge;

impl Device {
    /// An update was taken in and is still being merged, as found on the table.
    ///
    /// # Errors
    /// When its state can't be saved.
    pub fn merges_an_update(&mut self) -> io::Result<()> {
        self.saved.merge = Merge::Merging;
        self.save()
    }

    /// An update was taken in and waits for its first start, as found on the table.
    ///
    /// # Errors
    /// When its state can't be saved.
    pub fn has_an_update_waiting(&mut self) -> io::Result<()> {
        self.saved.merge = Merge::Waiting;
        self.save()
    }

    /// How often the owner's data was erased since it was made.
    #[must_use]
    pub fn wipes(&self) -> u32 {
        self.saved.wipes
    }

    /// The command of the bootloader or of another recovery. It asks nothing.
    pub(super) fn erase_by_command(&mut self, request: &ActRequest) -> Result<Operation, Refusal> {
        if !matches!(
            self.saved.mode,
            Running::Bootloader | Running::CustomRecovery
        ) {
            let words = "only the bootloader and a recovery erase by command";
            return Err(no(RefusalCode::WrongMode, words));
        }
        if request.args.get("set").map(String::as_str) != Some("user-data") {
            return Err(no(RefusalCode::BadRequest, "erase what?"));
        }
        if self.saved.lock == LockState::Locked {
            return Err(no(RefusalCode::Locked, "not while locked"));
        }
        let operation = self.begin(ActKind::Erase);
        self.begin_erase(operation.id)
            .map_err(|error| no(RefusalCode::Other, error.to_string()))?;
        Ok(operation)
    }

    /// Whether the open question is about an erase.
    pub(crate) fn asks_to_erase(&self) -> bool {
        self.saved.question.is_some_and(|id| self.is_erase(id))
    }

    pub(super) fn is_erase(&self, operation: OperationId) -> bool {
        let mut known = self.saved.operations.iter();
        known.any(|one| one.id == operation && one.kind == ActKind::Erase)
    }

    /// The menu's line in the recovery.
    pub(super) fn ask_to_erase(&mut self) {
        let id = self.begin(ActKind::Erase).id;
        self.ask(id, "Erase everything?");
    }

    /// Remembers what is under way, so that a killed process takes it up again from the start.
    pub(super) fn begin_erase(&mut self, operation: OperationId) -> io::Result<()> {
        self.saved.erasing = Some(operation);
        self.save()?;
        self.finish_erase(operation)
    }

    /// Whatever was being erased: the owner's data alone, or what the lock's change takes.
    pub(super) fn finish_erase(&mut self, operation: OperationId) -> io::Result<()> {
        if !self.is_erase(operation) {
            return self.change_lock(operation);
        }
        for place in content::places(&self.profile, self.saved.seed) {
            if matches!(place.label, "userdata" | "cache") {
                content::erase(self.storage.as_mut(), &place)?;
            }
        }
        self.forget_the_owner();
        self.saved.erasing = None;
        let to = self.saved.mode;
        self.depart(to, Some(operation));
        if let Some(going) = &mut self.saved.going {
            going.due_ms += self.profile.durations.erase * 1000;
        }
        self.save()
    }
}
