//! One simulated device: physics, not advice. It lets people do foolish things and shows the
//! consequence; what it is doing survives a killed process. `hands` has keys, cable and menus, `linked` what a
//! bridge sees and commands, `transfer` the bytes over the cable, `volumes`, `files` and `streams` what else
//! goes over it, `lock` opens and closes it, `wipe` erases the owner's data, `slots` has the
//! two places of a system.

mod files;
mod gated;
mod hands;
mod linked;
mod lock;
mod slots;
mod streams;
mod transfer;
mod volumes;
mod wipe;
mod within;

use std::collections::BTreeMap;
use std::io;
use std::path::{Path, PathBuf};
use std::sync::Arc;

pub(crate) use hands::button;
use veritope_formats::startimage::{read_recovery_of_vendor_part, read_start_image};
use veritope_wire::body::CablePlace;
use veritope_wire::link::{Handle, LinkHappening, OperationId, Progress, Refusal, RefusalCode};

use crate::clock::DeviceClock;
use crate::condition::{Birth, Fault, Going, LockState, NextStart, Running, Setting, Slot};
use crate::content;
use crate::profile::Profile;
use crate::saved;
use crate::scheme::Opening;
use crate::signed::is_switched_off;
use crate::storage::{Memory, Nothing, SparseFile, Storage};

/// A device.
pub struct Device {
    handle: Handle,
    profile: Profile,
    pub(crate) saved: saved::Saved,
    storage: Box<dyn Storage>,
    folder: Option<PathBuf>,
    clock: Arc<dyn DeviceClock>,
    /// What the clock showed at the device's own `saved.at_ms`.
    clock_ms: i64,
    memory: Option<Vec<u8>>,
    running: Option<Vec<u8>>,
    files: files::Files,
    stream: Option<streams::Stream>,
}

/// Most bytes that the device's memory takes.
pub const MEMORY_BYTES: usize = 64 << 20;
/// Millionths of a battery in a per cent.
const PER_CENT: i64 = 10_000;

impl Device {
    /// Makes a device in `folder`, on a sparse file.
    ///
    /// # Errors
    /// When the folder can't be written or holds a device already.
    pub fn make(
        folder: &Path,
        profile: Profile,
        birth: &Birth,
        clock: Arc<dyn DeviceClock>,
    ) -> io::Result<Self> {
        std::fs::create_dir_all(folder)?;
        let storage: Box<dyn Storage> = if profile.is_facts_only() {
            Box::new(Nothing)
        } else {
            let length = content::area_bytes(&profile);
            // Small writes by the thousand go to memory; the file gets pages.
            let mut made = Memory::blank(length);
            content::manufacture(&mut made, &profile, birth.seed, &birth.serial)?;
            let mut storage = SparseFile::create(&folder.join("disk.img"), length)?;
            made.copy_to(&mut storage)?;
            Box::new(storage)
        };
        let mut device = Self::around(profile, birth, storage, clock);
        device.folder = Some(folder.to_owned());
        device.save()?;
        Ok(device)
    }

    /// Makes a device that lives in memory only, on a storage that is large enough.
    ///
    /// # Errors
    /// When the storage refuses what the factory writes.
    pub fn make_in(
        mut storage: Box<dyn Storage>,
        profile: Profile,
        birth: &Birth,
        clock: Arc<dyn DeviceClock>,
    ) -> io::Result<Self> {
        content::manufacture(storage.as_mut(), &profile, birth.seed, &birth.serial)?;
        Ok(Self::around(profile, birth, storage, clock))
    }

    /// Makes a device on a storage that left the factory already.
    pub(crate) fn on_bytes(
        storage: Box<dyn Storage>,
        profile: Profile,
        birth: &Birth,
        clock: Arc<dyn DeviceClock>,
    ) -> Self {
        Self::around(profile, birth, storage, clock)
    }

    fn around(
        profile: Profile,
        birth: &Birth,
        storage: Box<dyn Storage>,
        clock: Arc<dyn DeviceClock>,
    ) -> Self {
        let clock_ms = clock.now_ms();
        Self {
            handle: Handle(birth.handle.clone()),
            saved: saved::Saved::new(&profile, birth, clock_ms),
            profile,
            storage,
            folder: None,
            clock,
            clock_ms,
            memory: None,
            running: None,
            files: files::Files::default(),
            stream: None,
        }
    }

    /// Opens a device that was made in `folder`. Its time goes on from where it stopped, an erase
    /// that was cut off is finished, and the epoch is raised: to a bench this is a reconnect.
    ///
    /// # Errors
    /// When a file is missing or not readable, or its profile is not known.
    pub fn open(folder: &Path, clock: Arc<dyn DeviceClock>) -> io::Result<Self> {
        let saved = saved::load(&folder.join("state.json"))?;
        let profile = Profile::named(&saved.profile)
            .and_then(|profile| match saved.model_code.as_str() {
                "" => Some(profile),
                model => profile.variant(model),
            })
            .and_then(|profile| match saved.build.as_str() {
                "" => Some(profile),
                build => profile.on_build(build),
            })
            .map(|profile| {
                if saved.no_bytes {
                    profile.without_bytes()
                } else {
                    profile.scaled(saved.size_scale)
                }
            })
            .ok_or_else(|| io::Error::other(format!("profile `{}` is not known", saved.profile)))?;
        let name = folder
            .file_name()
            .map(|name| name.to_string_lossy().into_owned());
        let facts_only = profile.is_facts_only();
        let mut device = Self {
            handle: Handle(if saved.handle.is_empty() {
                name.unwrap_or_default()
            } else {
                saved.handle.clone()
            }),
            clock_ms: clock.now_ms(),
            profile,
            saved,
            storage: if facts_only {
                Box::new(Nothing)
            } else {
                Box::new(SparseFile::open(&folder.join("disk.img"))?)
            },
            folder: Some(folder.to_owned()),
            clock,
            memory: None,
            running: None,
            files: files::Files::open(folder)?,
            stream: None,
        };
        if let Some(operation) = device.saved.erasing {
            device.finish_erase(operation)?;
        }
        device.raise(LinkHappening::Connected);
        device.save()?;
        Ok(device)
    }

    /// Its handle.
    #[must_use]
    pub fn handle(&self) -> &Handle {
        &self.handle
    }

    /// The profile it was made from.
    #[must_use]
    pub fn profile(&self) -> &Profile {
        &self.profile
    }

    /// The storage, for looking at in tests.
    #[must_use]
    pub fn storage(&self) -> &dyn Storage {
        self.storage.as_ref()
    }

    /// Lock and what runs, as they are: for tests that hold a bench's belief against the truth.
    #[must_use]
    pub fn truth(&self) -> (LockState, Running) {
        (self.saved.lock, self.saved.mode)
    }

    /// Everything that a bench may believe about it, as it is, under the names that facts have.
    #[must_use]
    pub fn truths(&self) -> BTreeMap<&'static str, String> {
        let saved = &self.saved;
        let lock = |lock| match lock {
            LockState::Locked => "locked".to_owned(),
            LockState::Unlocked => "unlocked".to_owned(),
        };
        let set = |value: Setting| match value {
            Setting::On => "on".to_owned(),
            Setting::Off => "off".to_owned(),
        };
        let mut all = BTreeMap::from([
            (
                "mode",
                if saved.hands.hibernates {
                    "system"
                } else {
                    saved.mode.id()
                }
                .to_owned(),
            ),
            ("lock", lock(saved.lock)),
            ("debugging", set(saved.debugging)),
            ("accounts", saved.accounts.to_string()),
            ("screen-lock", set(saved.screen_lock)),
            ("chip-id", saved.chip_id.clone()),
            ("serial", saved.serial.clone()),
            ("model-code", saved.model_code.clone()),
            ("build", self.build_now().to_owned()),
            (
                "fast-start",
                set(if saved.hands.fast_start {
                    Setting::On
                } else {
                    Setting::Off
                }),
            ),
        ]);
        if let (Some(gate), Some(scheme)) = (&saved.gate, self.scheme()) {
            if scheme.has_critical {
                all.insert("critical-lock", lock(saved.critical));
            }
            if scheme.has_slots {
                all.insert("merging", saved.merge.id().to_owned());
            }
            if scheme.switch != crate::scheme::Switch::None {
                all.insert("toggle", gate.switch(scheme, saved.at_ms).id().to_owned());
            }
            if let Some(slot) = self.active_slot() {
                all.insert("slot", slot.id().to_owned());
            }
            if scheme.opening == crate::scheme::Opening::LongPress {
                all.insert("download-guard", gate.guard().id().to_lowercase());
                let tied = if saved.accounts > 0 {
                    Setting::On
                } else {
                    Setting::Off
                };
                all.insert("reset-lock", set(tied));
            }
            if gate.fused > 0 {
                all.insert("rollback-index", gate.fused.to_string());
            }
        }
        all
    }

    /// Whether it is on its way from one to another.
    #[must_use]
    pub fn is_under_way(&self) -> bool {
        self.is_between()
    }

    /// Lets time take effect; every other call does this first. What is due in between takes effect
    /// in its order.
    ///
    /// # Errors
    /// When the storage or the state file can't be written.
    pub fn tick(&mut self) -> io::Result<()> {
        let now = self.read_clock();
        while let Some((at, due)) = self.next_due().filter(|(at, _)| *at <= now) {
            self.drain_until(at);
            self.happen(due)?;
        }
        self.drain_until(now);
        Ok(())
    }

    /// Device time. It keeps the clock's pace, but while a finger is on a key it keeps the wall's:
    /// hands are no faster in a demo than elsewhere.
    fn read_clock(&mut self) -> i64 {
        let pace = match self.saved.hands.down.is_empty() {
            true => 1,
            false => self.clock.scale(),
        };
        let passed = (self.clock.now_ms() - self.clock_ms) / pace;
        self.clock_ms += passed * pace;
        self.saved.at_ms + passed
    }

    /// Lets the battery charge or drain until `now`.
    fn drain_until(&mut self, now: i64) {
        let passed = (now - self.saved.at_ms).max(0);
        self.saved.at_ms = self.saved.at_ms.max(now);
        let (bootloader, recovery, charging) = self.profile.battery_per_hour;
        let per_hour = match (self.saved.mode, self.saved.cable) {
            (Running::System | Running::Off, CablePlace::In) => charging,
            (
                Running::System
                | Running::Animation
                | Running::Refusing
                | Running::TemporaryRecovery
                | Running::StockRecovery
                | Running::CustomRecovery,
                _,
            ) => -recovery,
            (Running::Bootloader | Running::Download | Running::Warning, _) => -bootloader,
            (Running::Off, CablePlace::Out) => 0,
        };
        // Thousandths an hour are millionths in 3.6 seconds.
        let change = per_hour * passed / 3600;
        self.saved.battery_millionths =
            (self.saved.battery_millionths + change).clamp(0, 100 * PER_CENT);
    }

    fn restarts_by_itself_at(&self) -> Option<i64> {
        self.saved.faults.iter().find_map(|fault| match fault {
            Fault::RestartsAt { ms } => Some(*ms),
            _ => None,
        })
    }

    fn forget_restart(&mut self) {
        self.disarm(|fault| matches!(fault, Fault::RestartsAt { .. }));
    }

    pub(crate) fn battery_percent(&self) -> i64 {
        self.saved.battery_millionths / PER_CENT
    }

    /// What a start of the recovery partition leads to: what lies there, or back to the mode beneath
    /// when that does not start.
    fn own_recovery(&self) -> Running {
        if self.profile.is_facts_only() {
            return match self.active_slot() {
                Some(Slot::B) => self.beneath(),
                _ => Running::StockRecovery,
            };
        }
        // Where it has no partition of its own it lies in the vendor's part of a start, or in the start
        // image of the active slot.
        let slot = self.saved.slot;
        let found = if let Ok(part) = self.part(slot.vendor_part()) {
            read_recovery_of_vendor_part(&part)
        } else {
            let mut labels = ["recovery"].into_iter().chain(slot.starts());
            let Some(part) = labels.find_map(|label| self.part(label).ok()) else {
                return self.beneath();
            };
            read_start_image(&part)
        };
        match found {
            Ok(image) if image.codename != self.profile.codename => self.beneath(),
            Ok(image) if image.kind == "stock-recovery" || image.kind == "system" => {
                Running::StockRecovery
            }
            Ok(image) if image.kind == "recovery" && self.saved.lock == LockState::Unlocked => {
                if self.vouches_for_nothing() {
                    Running::CustomRecovery
                } else {
                    self.beneath()
                }
            }
            Ok(_) | Err(_) => self.beneath(),
        }
    }

    /// The mode that shows when nothing starts.
    fn beneath(&self) -> Running {
        match self.scheme().map(|one| one.opening) {
            Some(Opening::LongPress | Opening::NoLock) => Running::Download,
            _ => Running::Bootloader,
        }
    }

    /// Whether its verification metadata lets another recovery start. Where it has download mode, metadata that
    /// checks refuses even while it is unlocked.
    fn vouches_for_nothing(&self) -> bool {
        let checks = self
            .scheme()
            .is_some_and(|one| one.opening == Opening::LongPress);
        !checks || self.part("vbmeta").is_ok_and(|part| is_switched_off(&part))
    }

    /// Arms a fault.
    ///
    /// # Errors
    /// When the state can't be saved.
    pub fn arm(&mut self, fault: Fault) -> io::Result<()> {
        if let Fault::Blank { label } = &fault {
            let places = content::places(&self.profile, self.saved.seed);
            if let Some(place) = places.iter().find(|place| place.label == label) {
                return content::erase(self.storage.as_mut(), place);
            }
            return Err(io::Error::other(format!("there is no partition {label}")));
        }
        self.saved.faults.push(fault);
        self.save()
    }

    /// Becomes the device under another handle: two units changed places on the dock. To a bench
    /// that is another unit under a new epoch, and the handle's epoch never goes back.
    pub(crate) fn take_place(&mut self, handle: Handle, epoch_before: u64) -> io::Result<()> {
        self.handle = handle.clone();
        self.saved.handle = handle.0;
        self.saved.epoch = self.saved.epoch.max(epoch_before);
        self.raise(LinkHappening::Connected);
        self.save()
    }

    /// The epoch as a number.
    pub(crate) fn epoch_now(&self) -> u64 {
        self.saved.epoch
    }

    fn disarm(&mut self, matches: impl Fn(&Fault) -> bool) -> Option<Fault> {
        let at = self.saved.faults.iter().position(matches)?;
        Some(self.saved.faults.remove(at))
    }

    fn depart(&mut self, to: Running, operation: Option<OperationId>) {
        let durations = self.profile.durations;
        let seconds = match (to, self.saved.next_start) {
            (Running::Off | Running::Animation | Running::Refusing, _) => 0,
            (Running::Warning, _) => 1,
            (Running::System, NextStart::Usual) => durations.system,
            (Running::System, NextStart::First) => durations.first_start,
            (Running::Bootloader | Running::Download, _) => durations.bootloader,
            (Running::TemporaryRecovery | Running::StockRecovery | Running::CustomRecovery, _) => {
                durations.recovery
            }
        };
        (self.memory, self.running) = (None, None);
        self.stream = None;
        self.forget_files_in_memory();
        let now = self.saved.at_ms;
        let hands = &mut self.saved.hands;
        (hands.since_ms, hands.list, hands.line) = (now, crate::saved::List::None, 0);
        (hands.start_ms, hands.hibernates) = (None, false);
        self.saved.going = Some(Going {
            to,
            due_ms: self.saved.at_ms + seconds * 1000,
            operation,
        });
        self.raise(LinkHappening::Disconnected);
    }

    fn arrive(&mut self, going: &Going) -> io::Result<()> {
        self.saved.going = None;
        self.saved.mode = going.to;
        self.saved.hands.since_ms = self.saved.at_ms;
        self.logs("the recovery runs");
        if going.to == Running::Off && !self.saved.hands.hibernates {
            self.saved.hands.shook_ms = Some(self.saved.at_ms);
        }
        self.disarm(|fault| matches!(fault, Fault::SaysMode { .. }));
        if going.to == Running::System && !self.starts_only_its_makers()? {
            self.saved.mode = Running::Refusing;
            if let Some(id) = going.operation {
                let words = "its software is not its maker's";
                self.settle(id, Progress::Refused(no(RefusalCode::Other, words)));
            }
            self.raise(LinkHappening::Disconnected);
            return Ok(());
        }
        if going.to == Running::System && !self.slot_starts()? {
            self.saved.mode = self.beneath();
            if let Some(id) = going.operation {
                let words = format!("slot {} does not start", self.saved.slot.id());
                self.settle(id, Progress::Refused(no(RefusalCode::Other, words)));
            }
            self.raise(LinkHappening::ModeChanged);
            return Ok(());
        }
        let is_shut = self.saved.data_shut
            || self.saved.merge == saved::Merge::Torn
            || self.is_system_blank()?;
        if going.to == Running::System && is_shut {
            self.saved.mode = Running::Animation;
            self.raise(LinkHappening::Disconnected);
            return Ok(());
        }
        if going.to == Running::System {
            // What was being merged gets done; what waited for this start is being merged from now on.
            self.saved.merge = match self.saved.merge {
                saved::Merge::Waiting => saved::Merge::Merging,
                _ => saved::Merge::None,
            };
            self.saved.next_start = NextStart::Usual;
            self.saved.starts += 1;
            self.restore_recovery()?;
        }
        if going.to == Running::System && !self.profile.is_facts_only() {
            content::live(
                self.storage.as_mut(),
                &self.profile,
                self.saved.seed,
                self.saved.starts,
            )?;
        }
        if let Some(id) = going.operation {
            let words = format!("OKAY, in {}", going.to.id());
            self.settle(id, Progress::Done { words });
        }
        self.raise(LinkHappening::ModeChanged);
        Ok(())
    }

    /// The system looks for its maker's recovery as it starts, and writes it where another one lies.
    fn restore_recovery(&mut self) -> io::Result<()> {
        let restores = self.scheme().is_some_and(|scheme| scheme.restores_recovery);
        if !restores || self.profile.is_facts_only() || self.is_restorer_off()? {
            return Ok(());
        }
        let lies = self.part("recovery").map(|part| read_start_image(&part));
        if lies?.is_ok_and(|image| image.kind == "stock-recovery") {
            return Ok(());
        }
        let images = content::stock_images(&self.profile);
        let Some((label, bytes)) = images.into_iter().find(|(label, _)| *label == "recovery")
        else {
            return Ok(());
        };
        let (offset, length) = self.span(label).map_err(io::Error::other)?;
        // Whole, so that nothing of the other one is left behind it.
        let mut whole = bytes;
        whole.resize(usize::try_from(length).unwrap_or(whole.len()), 0);
        self.storage.write_at(offset, &whole)
    }

    fn save(&self) -> io::Result<()> {
        match &self.folder {
            Some(folder) => saved::store(&folder.join("state.json"), &self.saved),
            None => Ok(()),
        }
    }

    fn save_or_say(&self) -> Result<(), Refusal> {
        self.save()
            .map_err(|error| no(RefusalCode::Other, error.to_string()))
    }
}

pub(crate) fn no(code: RefusalCode, words: impl Into<String>) -> Refusal {
    Refusal {
        code,
        words: words.into(),
    }
}

#[cfg(test)]
mod tests;
