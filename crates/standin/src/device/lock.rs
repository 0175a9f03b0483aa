//! Opening and closing the lock: the question on the device's own screen, the erase, and what a
//! closed lock lets start. Physics: it lets a person lock a unit that will refuse to start.

use std::io;

use veritope_formats::look::Descriptor;
use veritope_wire::Digest;
use veritope_wire::link::{
    ActKind, ActRequest, Operation, OperationId, Progress, Refusal, RefusalCode,
};

use super::{Device, LockState, Running, no};
use crate::condition::Slot;
use crate::content::{self, Span};
use crate::profile::Content;
use crate::signed;

impl Device {
    /// A command of the lock: refused, or a question on the screen.
    pub(super) fn ask_lock(
        &mut self,
        request: &ActRequest,
        wanted: LockState,
    ) -> Result<Operation, Refusal> {
        if self.saved.mode != Running::Bootloader {
            return Err(no(
                RefusalCode::WrongMode,
                "only the bootloader locks and unlocks",
            ));
        }
        if request
            .args
            .get("stage")
            .is_some_and(|stage| stage == "critical")
            && self.scheme().is_some_and(|scheme| scheme.has_critical)
        {
            return self.ask_critical(wanted);
        }
        if wanted == LockState::Locked && self.saved.critical == LockState::Unlocked {
            return Err(no(RefusalCode::NotAllowed, "critical partitions first"));
        }
        if wanted == LockState::Unlocked
            && let Some(done) = self.gated_unlock(request)
        {
            return done;
        }
        let form = request.args.get("form").map_or("", String::as_str);
        let known = match (wanted, self.scheme()) {
            (LockState::Locked, Some(scheme)) => scheme.closing_form().unwrap_or(""),
            _ => self.profile.unlock_form,
        };
        if form != known {
            return Err(no(RefusalCode::UnknownCommand, "unknown command"));
        }
        if self.saved.lock == wanted {
            let words = match wanted {
                LockState::Locked => "already locked",
                LockState::Unlocked => "already unlocked",
            };
            return Err(no(RefusalCode::BadRequest, words));
        }
        let (kind, question) = match wanted {
            LockState::Locked => (ActKind::Lock, "Lock it? Everything on it will be erased."),
            LockState::Unlocked => (
                ActKind::Unlock,
                "Unlock this watch? Everything on it will be erased.",
            ),
        };
        let operation = self.begin(kind);
        self.ask(operation.id, question);
        self.operation(operation.id)
    }

    /// The second stage: it opens after the first and closes before it.
    fn ask_critical(&mut self, wanted: LockState) -> Result<Operation, Refusal> {
        if self.saved.critical == wanted {
            return Err(no(RefusalCode::BadRequest, "already so"));
        }
        if self.saved.lock == LockState::Locked {
            return Err(no(RefusalCode::Locked, "unlock the device first"));
        }
        let kind = match wanted {
            LockState::Locked => ActKind::Lock,
            LockState::Unlocked => ActKind::Unlock,
        };
        let operation = self.begin(kind);
        self.saved.asks_critical = true;
        self.ask(operation.id, "Critical partitions? This erases your data.");
        self.operation(operation.id)
    }

    /// Restarted instead of answering.
    pub(super) fn abandon_question(&mut self) {
        self.saved.asks_critical = false;
        if let Some(id) = self.saved.question.take() {
            let words = "restarted instead of answering";
            self.settle(id, Progress::Refused(no(RefusalCode::AnsweredNo, words)));
        }
    }

    /// Erases, and moves the lock to what `operation` asked for. Cut off by a killed process it is
    /// begun again from the start.
    pub(super) fn change_lock(&mut self, operation: OperationId) -> io::Result<()> {
        for place in content::places(&self.profile, self.saved.seed) {
            if self.profile.unlock_erases.contains(&place.label) {
                content::erase(self.storage.as_mut(), &place)?;
            }
        }
        let closes = self
            .saved
            .operations
            .iter()
            .any(|known| known.id == operation && known.kind == ActKind::Lock);
        let now = if closes {
            LockState::Locked
        } else {
            LockState::Unlocked
        };
        if std::mem::take(&mut self.saved.asks_critical) {
            self.saved.critical = now;
        } else {
            self.saved.lock = now;
        }
        let closes = self.saved.lock == LockState::Locked;
        if let Some(gate) = &mut self.saved.gate {
            gate.open = !closes;
            gate.locked_again |= closes;
            gate.enabled &= !closes;
        }
        self.forget_the_owner();
        self.saved.erasing = None;
        self.settle(operation, Progress::Running);
        let to = self.after_erase();
        self.depart(to, Some(operation));
        if let Some(going) = &mut self.saved.going {
            going.due_ms += self.profile.durations.erase * 1000;
        }
        self.save()
    }

    /// Whether a closed lock lets the system start: every checked partition that was written over
    /// since it left the factory holds what its maker signed. An open one lets anything start.
    pub(super) fn starts_only_its_makers(&self) -> io::Result<bool> {
        if self.saved.lock == LockState::Unlocked {
            return Ok(true);
        }
        if signed::is_checked(self.profile.codename) {
            return self.metadata_vouches();
        }
        for (label, signed) in &self.saved.signed {
            if self.digest_of(label)? != *signed {
                return Ok(false);
            }
        }
        Ok(true)
    }

    /// Whether the metadata in the active slot is its maker's, and vouches for what lies there. What was
    /// never written since the factory is as the factory left it, and is not read again.
    fn metadata_vouches(&self) -> io::Result<bool> {
        let slot = self.active_slot();
        let suffix = slot.map_or_else(String::new, |slot| format!("_{}", slot.id()));
        let is_new = |label: &str| self.saved.signed.contains_key(label);
        let ships_empty = slot == Some(Slot::B);
        if self.saved.signed.is_empty() && !ships_empty {
            return Ok(true);
        }
        let own = format!("vbmeta{suffix}");
        let Some(metadata) = signed::read(self.profile.codename, &self.part(&own)?) else {
            return Ok(false);
        };
        for name in metadata
            .descriptors
            .iter()
            .filter_map(Descriptor::partition)
        {
            let in_slot = format!("{name}{suffix}");
            let label = if self.span(&in_slot).is_ok() {
                in_slot
            } else {
                name.to_owned()
            };
            let may_differ = ships_empty || is_new(&own) || is_new(&label);
            if may_differ && !signed::vouches(&metadata, name, &self.part(&label)?)? {
                return Ok(false);
            }
        }
        Ok(true)
    }

    /// A partition's bytes where they lie.
    pub(super) fn part(&self, label: &str) -> io::Result<Span<'_>> {
        let (offset, length) = self.span(label).map_err(io::Error::other)?;
        Ok(Span {
            storage: self.storage.as_ref(),
            offset,
            length,
        })
    }

    /// Remembers what the maker signed, before a checked partition is written for the first time.
    pub(super) fn sign(&mut self, label: &str) -> io::Result<()> {
        let part = self
            .profile
            .partitions
            .iter()
            .find(|part| part.label == label);
        let is_checked =
            part.is_some_and(|part| part.content.is_signed() || part.content == Content::Metadata);
        if is_checked && !self.saved.signed.contains_key(label) {
            let digest = self.digest_of(label)?;
            self.saved.signed.insert(label.to_owned(), digest);
            self.save()?;
        }
        Ok(())
    }

    fn digest_of(&self, label: &str) -> io::Result<Digest> {
        let places = content::places(&self.profile, self.saved.seed);
        let place = places
            .iter()
            .find(|place| place.label == label)
            .ok_or_else(|| io::Error::other(format!("there is no partition {label}")))?;
        let mut hasher = blake3::Hasher::new();
        let mut buffer = vec![0; 1 << 20];
        let mut at = 0;
        while at < place.length {
            let count = buffer
                .len()
                .min(usize::try_from(place.length - at).unwrap_or(buffer.len()));
            self.storage
                .read_at(place.offset + at, &mut buffer[..count])?;
            hasher.update(&buffer[..count]);
            at += count as u64;
        }
        Ok(Digest::from_bytes(*hasher.finalize().as_bytes()))
    }
}
