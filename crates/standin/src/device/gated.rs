//! The fact side of families whose lock has a gate: what their screens and links say, and what hands
//! can do on them.

use veritope_wire::link::{ActKind, ActRequest, Operation, Refusal, RefusalCode};

use super::{Device, LockState, NextStart, Running, Setting, no};
use crate::content;
use crate::gate::{Answer, Gate, Try};
use crate::scheme::{Brings, Opening, Scheme};

impl Device {
    /// Gives the device a gate and says what its screens show as equipment ID.
    ///
    /// # Errors
    /// When its state can't be saved.
    pub fn set_gate(&mut self, mut gate: Gate, equipment_id: &str) -> std::io::Result<()> {
        gate.open = self.saved.lock == LockState::Unlocked;
        self.saved.gate = Some(gate);
        equipment_id.clone_into(&mut self.saved.equipment_id);
        self.save()
    }

    /// Puts it into another mode, as found on the table.
    ///
    /// # Errors
    /// When its state can't be saved.
    pub fn met_in(&mut self, mode: Running, accounts: u32) -> std::io::Result<()> {
        self.saved.mode = mode;
        self.saved.accounts = accounts;
        self.saved.hands.fast_start = self.scheme().is_some_and(|scheme| scheme.has_fast_start);
        self.save()
    }

    /// Somebody puts a package on its card.
    ///
    /// # Errors
    /// When its state can't be saved.
    pub fn puts_on_its_card(&mut self, package: &str) -> std::io::Result<()> {
        if let Some(gate) = &mut self.saved.gate
            && !gate.card.iter().any(|one| one == package)
        {
            gate.card.push(package.to_owned());
        }
        self.save()
    }

    /// What a partition holds, whatever runs: for tests that hold a bench's belief against the truth.
    ///
    /// # Errors
    /// When there is no such partition, or the storage fails.
    pub fn holds(&self, label: &str) -> std::io::Result<Vec<u8>> {
        let (offset, length) = self.span(label).map_err(std::io::Error::other)?;
        let mut bytes = vec![0; usize::try_from(length).unwrap_or(0)];
        self.storage.read_at(offset, &mut bytes)?;
        Ok(bytes)
    }

    /// Writes over a partition, as somebody did before it came to the table.
    ///
    /// # Errors
    /// When there is no such partition, or the storage fails.
    pub fn found_with(&mut self, label: &str, bytes: &[u8]) -> std::io::Result<()> {
        let (offset, _) = self.span(label).map_err(std::io::Error::other)?;
        self.sign(label)?;
        self.storage.write_at(offset, bytes)
    }

    /// Fills its battery to `percent`, as found on the table.
    ///
    /// # Errors
    /// When its state can't be saved.
    pub fn charged_to(&mut self, percent: u32) -> std::io::Result<()> {
        self.saved.battery_millionths = i64::from(percent.min(100)) * super::PER_CENT;
        self.save()
    }

    /// Disarms whatever is armed to go wrong.
    pub fn calm(&mut self) {
        self.saved.faults.clear();
    }

    /// Its gate.
    #[must_use]
    pub fn gate(&self) -> Option<&Gate> {
        self.saved.gate.as_ref()
    }

    /// Its equipment ID, as its screens show it.
    #[must_use]
    pub fn equipment_id(&self) -> &str {
        &self.saved.equipment_id
    }

    /// Device time in milliseconds.
    #[must_use]
    pub fn now_ms(&self) -> i64 {
        self.saved.at_ms
    }

    pub(crate) fn scheme(&self) -> Option<&'static Scheme> {
        self.saved.gate.as_ref()?;
        Scheme::named(self.profile.codename)
    }

    /// What the link reads beyond what every device says.
    pub(super) fn gated_facts(&self, say: &mut dyn FnMut(&str, &str)) {
        let (Some(gate), Some(scheme)) = (&self.saved.gate, self.scheme()) else {
            return;
        };
        if scheme.has_critical && self.saved.mode == Running::Bootloader {
            let critical = match self.saved.critical {
                LockState::Locked => "locked",
                LockState::Unlocked => "unlocked",
            };
            say("critical-lock", critical);
        }
        if scheme.has_slots && self.saved.mode == Running::Bootloader {
            say("merging", self.saved.merge.id());
        }
        if self.saved.mode != Running::System {
            return;
        }
        say("build", &gate.build);
        if let Some(build) = scheme.build(&gate.build) {
            say("patch", build.patch);
        }
        if gate.fused > 0 && !scheme.tells_by_mode {
            say("rollback-index", &gate.fused.to_string());
        }
    }

    /// Whether a command restarts it into `mode`.
    pub(super) fn may_be_restarted_into(&self, mode: &str) -> bool {
        let opening = self.scheme().map(|scheme| scheme.opening);
        matches!(
            (mode, opening),
            ("system", Some(_))
                | ("download", Some(Opening::LongPress | Opening::NoLock))
                | ("bootloader", Some(Opening::Command { .. } | Opening::Token))
                | ("recovery", Some(Opening::Command { .. }))
        )
    }

    /// The unlock command, as far as it goes without a person: the gate is asked, nothing opens yet.
    pub(super) fn gated_unlock(
        &mut self,
        request: &ActRequest,
    ) -> Option<Result<Operation, Refusal>> {
        let scheme = self.scheme()?;
        let word = |name: &str| request.args.get(name).cloned().unwrap_or_default();
        let how = match scheme.opening {
            Opening::Token => Try::Token {
                token: word("token"),
            },
            _ => Try::Command { form: word("form") },
        };
        let now = self.saved.at_ms;
        let mut asked = self.saved.gate.clone()?;
        if let Err(words) = asked.try_open(scheme, &how, now) {
            let code = match words {
                "unknown command" => RefusalCode::UnknownCommand,
                _ => RefusalCode::NotAllowed,
            };
            return Some(Err(no(code, words)));
        }
        let operation = self.begin(ActKind::Unlock);
        self.ask(operation.id, "Unlock? This erases your data.");
        Some(self.operation(operation.id))
    }

    /// Takes what only gated devices show; anything else does nothing.
    pub(super) fn gated_press(&mut self, pressed: &str) -> std::io::Result<()> {
        let (Some(scheme), Some(mut gate)) = (self.scheme(), self.saved.gate.clone()) else {
            return Ok(());
        };
        let now = self.saved.at_ms;
        match pressed {
            "switch-on" => gate.move_switch(scheme, true, now),
            "switch-off" => gate.move_switch(scheme, false, now),
            "online" => gate.first_online_ms = Some(now),
            "updates" => gate.asked_updates = Answer::Yes,
            _ => {
                if let Some(name) = pressed.strip_prefix("fetch-") {
                    if scheme.package(name).is_some() {
                        gate.card.push(name.to_owned());
                    }
                } else if let Some(name) = pressed.strip_prefix("send-") {
                    if let Err(words) = self.installs(&mut gate, scheme, name)? {
                        words.clone_into(&mut self.saved.hands.words);
                        return Ok(());
                    }
                    "The package is installed.".clone_into(&mut self.saved.hands.words);
                } else if let Some(name) = pressed.strip_prefix("install-") {
                    self.saved.hands.list = crate::saved::List::None;
                    if let Err(words) = self.installs(&mut gate, scheme, name)? {
                        words.clone_into(&mut self.saved.hands.words);
                        return Ok(());
                    }
                    if scheme.package(name).is_some_and(|package| package.wipes) {
                        self.forget_the_owner();
                    }
                    self.depart(Running::System, None);
                }
            }
        }
        self.saved.gate = Some(gate);
        Ok(())
    }

    /// Installs a package of the maker's: what it brings is laid out before the new build counts.
    pub(super) fn installs(
        &mut self,
        gate: &mut Gate,
        scheme: &'static Scheme,
        name: &str,
    ) -> std::io::Result<Result<(), &'static str>> {
        let seed = self.saved.seed;
        let package = scheme.package(name);
        let is_partial = package.is_some_and(|one| matches!(one.brings, Brings::From(_)));
        if is_partial && !content::is_untouched(&*self.storage, &self.profile, seed)? {
            return Ok(Err("partitions were changed"));
        }
        if let Err(words) = gate.install(scheme, name) {
            return Ok(Err(words));
        }
        let writes = package.filter(|one| one.brings != Brings::Enabler);
        if let Some(next) = writes.and_then(|one| self.profile.clone().on_build(one.build)) {
            content::put_build(&mut *self.storage, &next, seed)?;
            next.build.clone_into(&mut self.saved.build);
            self.profile = next;
        }
        Ok(Ok(()))
    }

    /// What every wipe takes with it.
    pub(super) fn forget_the_owner(&mut self) {
        self.saved.wipes += 1;
        self.saved.data_shut = false;
        self.forget_owners_files();
        // The blocks of an update that is being merged lie in user data: whatever takes that tears it.
        if self.saved.merge.is_in_user_data() {
            self.saved.merge = crate::saved::Merge::Torn;
        }
        self.saved.debugging = Setting::Off;
        self.saved.rights = Setting::Off;
        self.saved.accounts = 0;
        self.saved.screen_lock = Setting::Off;
        self.saved.next_start = NextStart::First;
        self.saved.hands.fast_start = self.scheme().is_some_and(|scheme| scheme.has_fast_start);
        if let Some(scheme) = self.scheme()
            && let Some(gate) = &mut self.saved.gate
        {
            gate.forget(scheme);
        }
    }
}
