//! One simulated device: physics, not advice. It lets people do foolish things and shows the
//! consequence; what it is doing survives a killed process.

use std::collections::BTreeMap;
use std::io;
use std::path::{Path, PathBuf};
use std::sync::Arc;

use serde::{Deserialize, Serialize};
use veritope_formats::startimage::read_start_image;
use veritope_wire::link::{
    ActKind, ActRequest, AreaLine, DeviceLine, DeviceState, Epoch, Handle, InMemory, LinkEvent,
    LinkHappening, Listed, MAX_READ_BYTES, Operation, OperationId, PartitionLine, PartitionList,
    Progress, Refusal, RefusalCode, Written,
};
use veritope_wire::{Digest, Label};

use crate::body::{BodyAct, CablePlace, Finger};
use crate::clock::DeviceClock;
use crate::content;
use crate::profile::Profile;
use crate::saved;
use crate::storage::{SparseFile, Storage};

/// What runs on the device.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Running {
    /// Nothing.
    Off,
    /// The system.
    System,
    /// The bootloader.
    Bootloader,
    /// A recovery from memory.
    TemporaryRecovery,
    /// The maker's recovery, from its partition.
    StockRecovery,
    /// Another recovery, from its partition.
    CustomRecovery,
}

impl Running {
    fn id(self) -> &'static str {
        match self {
            Self::Off => "off",
            Self::System => "system",
            Self::Bootloader => "bootloader",
            Self::TemporaryRecovery => "temporary-recovery",
            Self::StockRecovery => "stock-recovery",
            Self::CustomRecovery => "custom-recovery",
        }
    }

    /// Whether a program on a computer has administrator rights.
    fn gives_rights(self) -> bool {
        matches!(self, Self::TemporaryRecovery | Self::CustomRecovery)
    }
}

/// The lock.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum LockState {
    /// Closed.
    Locked,
    /// Open.
    Unlocked,
}

/// A setting of the running system.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Setting {
    /// On.
    On,
    /// Off.
    Off,
}

/// Whether the next start is the first one after an erase.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum NextStart {
    /// Usual.
    Usual,
    /// First.
    First,
}

/// Something armed to go wrong.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(tag = "fault", rename_all = "kebab-case")]
pub enum Fault {
    /// The cable comes out as soon as this act has been taken.
    CableOutOnAct {
        /// The act.
        act: ActKind,
    },
    /// The cable comes out after so many more bytes.
    CableOutAfter {
        /// Bytes to or from the device.
        bytes: u64,
    },
    /// One bit of this partition comes over wrong at the next reading of that byte.
    FlipOnRead {
        /// Label of the partition.
        label: String,
        /// The byte.
        byte: u64,
    },
    /// A mishap: the partition is blank from now on.
    Blank {
        /// Label of the partition.
        label: String,
    },
    /// Two units change places on their docks; the bridge's business.
    Swap {
        /// The other handle.
        with: String,
    },
    /// The next act of this kind is refused without a reason.
    RefuseOnce {
        /// The act.
        act: ActKind,
    },
}

/// The way to another mode.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub(crate) struct Going {
    pub(crate) to: Running,
    pub(crate) due_ms: i64,
    pub(crate) operation: Option<OperationId>,
}

/// How a device is made.
#[derive(Debug, Clone)]
pub struct Birth {
    /// Its handle on the bridge.
    pub handle: String,
    /// What makes its own bytes its own.
    pub seed: u64,
    /// Serial.
    pub serial: String,
    /// Chip id.
    pub chip_id: String,
    /// Lock.
    pub lock: LockState,
    /// Whether the system takes commands.
    pub debugging: Setting,
    /// Charge in per cent.
    pub battery_percent: u32,
    /// Whether it lies on its dock.
    pub cable: CablePlace,
}

/// A device.
pub struct Device {
    handle: Handle,
    profile: Profile,
    pub(crate) saved: saved::Saved,
    storage: Box<dyn Storage>,
    folder: Option<PathBuf>,
    clock: Arc<dyn DeviceClock>,
    clock_offset_ms: i64,
    memory: Option<Vec<u8>>,
}

/// Most bytes that the device's memory takes.
pub const MEMORY_BYTES: usize = 64 << 20;
/// Most operations and events that are remembered.
const REMEMBERED: usize = 200;
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
        let mut storage =
            SparseFile::create(&folder.join("disk.img"), content::area_bytes(&profile))?;
        content::manufacture(&mut storage, &profile, birth.seed, &birth.serial)?;
        let mut device = Self::around(profile, birth, Box::new(storage), clock);
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

    fn around(
        profile: Profile,
        birth: &Birth,
        storage: Box<dyn Storage>,
        clock: Arc<dyn DeviceClock>,
    ) -> Self {
        Self {
            handle: Handle(birth.handle.clone()),
            saved: saved::Saved::new(&profile, birth, clock.now_ms()),
            profile,
            storage,
            folder: None,
            clock,
            clock_offset_ms: 0,
            memory: None,
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
            .ok_or_else(|| io::Error::other(format!("profile `{}` is not known", saved.profile)))?;
        let name = folder
            .file_name()
            .map(|name| name.to_string_lossy().into_owned());
        let mut device = Self {
            handle: Handle(if saved.handle.is_empty() {
                name.unwrap_or_default()
            } else {
                saved.handle.clone()
            }),
            clock_offset_ms: saved.at_ms - clock.now_ms(),
            profile,
            saved,
            storage: Box::new(SparseFile::open(&folder.join("disk.img"))?),
            folder: Some(folder.to_owned()),
            clock,
            memory: None,
        };
        if let Some(operation) = device.saved.erasing {
            device.erase_for_unlock(operation)?;
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

    /// Lets time take effect; every other call does this first.
    ///
    /// # Errors
    /// When the storage or the state file can't be written.
    pub fn tick(&mut self) -> io::Result<()> {
        let now = self.clock.now_ms() + self.clock_offset_ms;
        let passed = (now - self.saved.at_ms).max(0);
        self.saved.at_ms = now;
        let (bootloader, recovery, charging) = self.profile.battery_per_hour;
        let per_hour = match (self.saved.mode, self.saved.cable) {
            (Running::System | Running::Off, CablePlace::In) => charging,
            (
                Running::System
                | Running::TemporaryRecovery
                | Running::StockRecovery
                | Running::CustomRecovery,
                _,
            ) => -recovery,
            (Running::Bootloader, _) => -bootloader,
            (Running::Off, CablePlace::Out) => 0,
        };
        // Thousandths an hour are millionths in 3.6 seconds.
        let change = per_hour * passed / 3600;
        self.saved.battery_millionths =
            (self.saved.battery_millionths + change).clamp(0, 100 * PER_CENT);
        if let Some(going) = self.saved.going.clone().filter(|going| going.due_ms <= now) {
            self.arrive(&going)?;
            self.save()?;
        }
        Ok(())
    }

    /// `GET /v1/devices`, this device's line.
    #[must_use]
    pub fn line(&self) -> DeviceLine {
        DeviceLine {
            handle: self.handle.clone(),
            listed: self.listed(),
            epoch: self.epoch(),
        }
    }

    fn epoch(&self) -> Epoch {
        Epoch(self.saved.epoch)
    }

    fn listed(&self) -> Listed {
        let away = self.saved.cable == CablePlace::Out
            || self.saved.going.is_some()
            || self.saved.mode == Running::Off;
        if away {
            Listed::Absent
        } else if self.saved.mode == Running::System && self.saved.debugging == Setting::Off {
            Listed::NotAuthorised
        } else {
            Listed::Ready
        }
    }

    /// `GET /v1/devices/H`
    #[must_use]
    pub fn state(&self) -> DeviceState {
        let listed = self.listed();
        let mut facts = BTreeMap::new();
        let mut acts = Vec::new();
        if listed == Listed::Ready {
            let mut say = |key: &str, value: &str| facts.insert(key.to_owned(), value.to_owned());
            say("mode", self.saved.mode.id());
            say("codename", self.profile.codename);
            say("model-code", self.profile.model_code);
            say("chip-id", &self.saved.chip_id);
            say("battery", &self.battery_percent().to_string());
            say(
                "lock",
                if self.saved.lock == LockState::Locked {
                    "locked"
                } else {
                    "unlocked"
                },
            );
            acts.push(ActKind::Restart);
            match self.saved.mode {
                Running::System => {
                    say("build", self.profile.build);
                    say("serial", &self.saved.serial);
                    say("debugging", "on");
                }
                Running::Bootloader => {
                    say("serial", &self.saved.serial);
                    acts.extend([ActKind::Unlock, ActKind::StartFromMemory]);
                }
                Running::StockRecovery => {
                    say("recovery", "stock");
                }
                Running::CustomRecovery => {
                    say("recovery", "custom");
                }
                Running::TemporaryRecovery | Running::Off => {}
            }
        }
        DeviceState {
            handle: self.handle.clone(),
            listed,
            epoch: self.epoch(),
            facts,
            acts,
        }
    }

    fn battery_percent(&self) -> i64 {
        self.saved.battery_millionths / PER_CENT
    }

    /// `GET /v1/devices/H/operations/N`
    ///
    /// # Errors
    /// When it is not known (any more).
    pub fn operation(&self, id: OperationId) -> Result<Operation, Refusal> {
        self.saved
            .operations
            .iter()
            .find(|operation| operation.id == id)
            .cloned()
            .ok_or_else(|| {
                no(
                    RefusalCode::NotFound,
                    format!("operation {} is not known", id.0),
                )
            })
    }

    /// Events with numbers above `after`.
    #[must_use]
    pub fn events(&self, after: u64) -> Vec<LinkEvent> {
        self.saved
            .events
            .iter()
            .filter(|event| event.n > after)
            .cloned()
            .collect()
    }

    /// `POST /v1/devices/H/act`
    ///
    /// # Errors
    /// The device's refusal.
    pub fn act(&mut self, request: &ActRequest) -> Result<Operation, Refusal> {
        self.is_ready()?;
        if request.epoch != self.epoch() {
            return Err(no(
                RefusalCode::StaleEpoch,
                format!(
                    "decided under epoch {}, now it is {}",
                    request.epoch.0, self.saved.epoch
                ),
            ));
        }
        if self.saved.question.is_some() {
            return Err(no(
                RefusalCode::Busy,
                "a question waits for an answer on the device",
            ));
        }
        if self
            .disarm(|fault| *fault == Fault::RefuseOnce { act: request.kind })
            .is_some()
        {
            self.save_or_say()?;
            return Err(no(RefusalCode::Other, "FAILED (try again)"));
        }
        let operation = match request.kind {
            ActKind::Restart => self.restart(request)?,
            ActKind::Unlock => self.ask_to_unlock(request)?,
            ActKind::StartFromMemory => self.start_from_memory()?,
        };
        if self
            .disarm(|fault| *fault == Fault::CableOutOnAct { act: request.kind })
            .is_some()
        {
            self.cable(CablePlace::Out);
        }
        self.save_or_say()?;
        Ok(operation)
    }

    fn is_ready(&self) -> Result<(), Refusal> {
        match self.listed() {
            Listed::Ready => Ok(()),
            Listed::NotAuthorised => Err(no(
                RefusalCode::NotAllowed,
                "commands from a computer are off on the device",
            )),
            Listed::Absent => Err(no(RefusalCode::NotConnected, "the device is not there")),
        }
    }

    fn restart(&mut self, request: &ActRequest) -> Result<Operation, Refusal> {
        let to = match request.args.get("mode").map(String::as_str) {
            Some("system") => Running::System,
            Some("bootloader") => Running::Bootloader,
            Some("recovery") if self.saved.mode == Running::Bootloader => self.own_recovery(),
            other => {
                return Err(no(
                    RefusalCode::BadRequest,
                    format!("can't restart into {}", other.unwrap_or("nothing")),
                ));
            }
        };
        let operation = self.begin(ActKind::Restart);
        self.depart(to, Some(operation.id));
        Ok(operation)
    }

    /// What a start of the recovery partition leads to: what lies there, or back to the bootloader
    /// when that does not start.
    fn own_recovery(&self) -> Running {
        let Ok((offset, length)) = self.span("recovery") else {
            return Running::Bootloader;
        };
        let mut bytes = vec![0; usize::try_from(length).unwrap_or(0)];
        if self.storage.read_at(offset, &mut bytes).is_err() {
            return Running::Bootloader;
        }
        match read_start_image(&bytes) {
            Ok(image) if image.codename != self.profile.codename => Running::Bootloader,
            Ok(image) if image.kind == "stock-recovery" => Running::StockRecovery,
            Ok(image) if image.kind == "recovery" && self.saved.lock == LockState::Unlocked => {
                Running::CustomRecovery
            }
            Ok(_) | Err(_) => Running::Bootloader,
        }
    }

    fn ask_to_unlock(&mut self, request: &ActRequest) -> Result<Operation, Refusal> {
        if self.saved.mode != Running::Bootloader {
            return Err(no(RefusalCode::WrongMode, "only the bootloader unlocks"));
        }
        let form = request.args.get("form").map_or("", String::as_str);
        if form != self.profile.unlock_form {
            return Err(no(RefusalCode::UnknownCommand, "unknown command"));
        }
        if self.saved.lock == LockState::Unlocked {
            return Err(no(RefusalCode::BadRequest, "already unlocked"));
        }
        let mut operation = self.begin(ActKind::Unlock);
        operation.progress = Progress::Asking {
            question: UNLOCK_QUESTION.to_owned(),
            answers: vec!["no".to_owned(), "yes".to_owned()],
            default: "no".to_owned(),
        };
        self.saved.question = Some(operation.id);
        self.settle(operation.id, operation.progress.clone());
        self.tell(LinkHappening::Asking);
        Ok(operation)
    }

    fn start_from_memory(&mut self) -> Result<Operation, Refusal> {
        if self.saved.mode != Running::Bootloader {
            return Err(no(
                RefusalCode::WrongMode,
                "only the bootloader starts images",
            ));
        }
        if self.saved.lock == LockState::Locked {
            return Err(no(
                RefusalCode::Locked,
                "foreign images don't start while locked",
            ));
        }
        let Some(bytes) = self.memory.take() else {
            return Err(no(RefusalCode::BadRequest, "nothing lies in memory"));
        };
        let operation = self.begin(ActKind::StartFromMemory);
        match read_start_image(&bytes) {
            Ok(image) if image.codename == self.profile.codename && image.kind == "recovery" => {
                self.depart(Running::TemporaryRecovery, Some(operation.id));
                Ok(operation)
            }
            // The wrong image: a flash of the screen, and the bootloader is back.
            Ok(_) | Err(_) => {
                let refusal = no(RefusalCode::Other, "the image did not start");
                self.settle(operation.id, Progress::Refused(refusal.clone()));
                Err(refusal)
            }
        }
    }

    /// `PUT /v1/devices/H/memory`
    ///
    /// # Errors
    /// Not in bootloader mode, too large, another digest than announced, stale epoch.
    pub fn put_memory(
        &mut self,
        bytes: Vec<u8>,
        epoch: Epoch,
        announced: Digest,
    ) -> Result<InMemory, Refusal> {
        self.is_ready()?;
        if epoch != self.epoch() {
            return Err(no(RefusalCode::StaleEpoch, "the device changed since"));
        }
        if self.saved.mode != Running::Bootloader {
            return Err(no(
                RefusalCode::WrongMode,
                "only the bootloader takes images",
            ));
        }
        if bytes.len() > MEMORY_BYTES {
            return Err(no(
                RefusalCode::TooLarge,
                format!("more than {MEMORY_BYTES} bytes"),
            ));
        }
        self.moved(bytes.len() as u64)?;
        let blake3 = Digest::of(&bytes);
        if blake3 != announced {
            return Err(no(
                RefusalCode::DigestDiffers,
                "the bytes are not the ones announced",
            ));
        }
        let length_bytes = bytes.len() as u64;
        self.memory = Some(bytes);
        Ok(InMemory {
            blake3,
            length_bytes,
        })
    }

    /// `GET /v1/devices/H/partitions`
    ///
    /// # Errors
    /// When the present mode gives no rights to read.
    pub fn partitions(&self) -> Result<PartitionList, Refusal> {
        self.may_read()?;
        let length_bytes = self.storage.length_bytes();
        let partitions = content::places(&self.profile, self.saved.seed)
            .into_iter()
            .map(|place| {
                Ok(PartitionLine {
                    label: place.label.parse::<Label>()?,
                    number: place.number,
                    area: 0,
                    offset_bytes: place.offset,
                    length_bytes: place.length,
                })
            })
            .collect::<Result<_, veritope_wire::NotALabel>>()
            .map_err(|error| no(RefusalCode::Other, error.to_string()))?;
        Ok(PartitionList {
            areas: vec![AreaLine {
                area: 0,
                sector_bytes: 512,
                length_bytes,
            }],
            partitions,
        })
    }

    fn may_read(&self) -> Result<(), Refusal> {
        self.is_ready()?;
        if self.saved.mode.gives_rights() {
            Ok(())
        } else {
            Err(no(
                RefusalCode::WrongMode,
                "partitions are read in a recovery",
            ))
        }
    }

    /// Bytes `start..start + count` of a partition, or of `table-0.primary` and `table-0.backup`.
    ///
    /// # Errors
    /// No rights, no such partition, too much at once, past the end.
    pub fn read(&mut self, label: &str, start: u64, count: u64) -> Result<Vec<u8>, Refusal> {
        self.may_read()?;
        let (offset, length) = self.span(label)?;
        if count > MAX_READ_BYTES {
            return Err(no(
                RefusalCode::TooLarge,
                format!("at most {MAX_READ_BYTES} bytes at once"),
            ));
        }
        if start.checked_add(count).is_none_or(|end| end > length) {
            return Err(no(
                RefusalCode::BadRequest,
                format!("{label} is {length} bytes long"),
            ));
        }
        self.moved(count)?;
        let mut bytes = vec![0; usize::try_from(count).unwrap_or(0)];
        self.storage
            .read_at(offset + start, &mut bytes)
            .map_err(|error| no(RefusalCode::Other, error.to_string()))?;
        let flipped = self.disarm(|fault| {
            matches!(fault, Fault::FlipOnRead { label: l, byte } if l == label && (start..start + count).contains(byte))
        });
        if let Some(Fault::FlipOnRead { byte, .. }) = flipped {
            bytes[usize::try_from(byte - start).unwrap_or(0)] ^= 0x10;
            self.save_or_say()?;
        }
        Ok(bytes)
    }

    /// Writes bytes `start..` of a partition. No question is asked: what comes is written.
    ///
    /// # Errors
    /// Locked, no rights in this mode, no such partition, past the end, another digest than
    /// announced, stale epoch. When the cable comes out on the way, what had arrived is written.
    pub fn write(
        &mut self,
        label: &str,
        start: u64,
        bytes: &[u8],
        epoch: Epoch,
        announced: Digest,
    ) -> Result<Written, Refusal> {
        self.is_ready()?;
        if epoch != self.epoch() {
            return Err(no(RefusalCode::StaleEpoch, "the device changed since"));
        }
        if !(self.saved.mode.gives_rights() || self.saved.mode == Running::Bootloader) {
            return Err(no(
                RefusalCode::WrongMode,
                "partitions are written in the bootloader or a recovery",
            ));
        }
        if self.saved.lock == LockState::Locked {
            return Err(no(RefusalCode::Locked, "nothing is written while locked"));
        }
        let place = content::places(&self.profile, self.saved.seed)
            .into_iter()
            .find(|place| place.label == label)
            .ok_or_else(|| {
                no(
                    RefusalCode::NotFound,
                    format!("there is no partition {label}"),
                )
            })?;
        let count = bytes.len() as u64;
        if count > MAX_READ_BYTES {
            return Err(no(
                RefusalCode::TooLarge,
                format!("at most {MAX_READ_BYTES} bytes at once"),
            ));
        }
        if start
            .checked_add(count)
            .is_none_or(|end| end > place.length)
        {
            return Err(no(
                RefusalCode::BadRequest,
                format!("{label} is {} bytes long", place.length),
            ));
        }
        let blake3 = Digest::of(bytes);
        if blake3 != announced {
            return Err(no(
                RefusalCode::DigestDiffers,
                "the bytes are not the ones announced",
            ));
        }
        let arrived = self.arrives(count);
        let kept = usize::try_from(arrived)
            .unwrap_or(bytes.len())
            .min(bytes.len());
        self.storage
            .write_at(place.offset + start, &bytes[..kept])
            .map_err(|error| no(RefusalCode::Other, error.to_string()))?;
        self.moved(count)?;
        Ok(Written {
            blake3,
            length_bytes: count,
        })
    }

    /// How many of `count` bytes come through before an armed fault pulls the cable.
    fn arrives(&self, count: u64) -> u64 {
        self.saved
            .faults
            .iter()
            .filter_map(|fault| match fault {
                Fault::CableOutAfter { bytes } => Some(*bytes),
                _ => None,
            })
            .fold(count, u64::min)
    }

    /// Length in bytes of what [`Device::read`] reads under `label`.
    ///
    /// # Errors
    /// No such partition.
    pub fn length_of(&self, label: &str) -> Result<u64, Refusal> {
        self.span(label).map(|(_, length)| length)
    }

    fn span(&self, label: &str) -> Result<(u64, u64), Refusal> {
        let places = content::places(&self.profile, self.saved.seed);
        let end_of = |place: &content::Placed| place.offset + place.length;
        let all = self.storage.length_bytes();
        let first = places.first().map_or(all, |place| place.offset);
        let last = places.last().map_or(0, end_of);
        match label {
            "table-0.primary" => Ok((0, first)),
            "table-0.backup" => Ok((last, all - last)),
            _ => places
                .iter()
                .find(|place| place.label == label)
                .map(|place| (place.offset, place.length))
                .ok_or_else(|| {
                    no(
                        RefusalCode::NotFound,
                        format!("there is no partition {label}"),
                    )
                }),
        }
    }

    /// Counts bytes over the cable; an armed fault may pull it.
    fn moved(&mut self, bytes: u64) -> Result<(), Refusal> {
        let mut pulled = false;
        for fault in &mut self.saved.faults {
            if let Fault::CableOutAfter { bytes: left } = fault {
                pulled = *left < bytes;
                *left = left.saturating_sub(bytes);
            }
        }
        if pulled {
            self.disarm(|fault| matches!(fault, Fault::CableOutAfter { .. }));
            self.cable(CablePlace::Out);
            self.save_or_say()?;
            return Err(no(RefusalCode::NotConnected, "the device went away"));
        }
        Ok(())
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

    /// What a person does with the device itself.
    ///
    /// # Errors
    /// When what is wanted isn't there, or the storage fails.
    pub fn body(&mut self, act: &BodyAct) -> Result<(), Refusal> {
        match act {
            BodyAct::Cable { to } => self.cable(*to),
            BodyAct::HoldDockButton { seconds, finger } => self.hold(*seconds, *finger),
            BodyAct::Touch { button } => self.touch(button)?,
        }
        self.save_or_say()
    }

    fn touch(&mut self, button: &str) -> Result<(), Refusal> {
        if !self.face().buttons.iter().any(|known| known.id == button) {
            return Err(no(
                RefusalCode::NotFound,
                format!("the screen shows no `{button}`"),
            ));
        }
        match (button, self.saved.question) {
            ("no", Some(id)) => {
                self.saved.question = None;
                self.settle(
                    id,
                    Progress::Refused(no(RefusalCode::AnsweredNo, "kept locked")),
                );
            }
            ("yes", Some(id)) => {
                self.saved.question = None;
                self.saved.erasing = Some(id);
                self.save_or_say()?;
                self.erase_for_unlock(id)
                    .map_err(|error| no(RefusalCode::Other, error.to_string()))?;
            }
            ("start", _) => self.depart(Running::System, None),
            ("bootloader", _) => self.depart(Running::Bootloader, None),
            ("recovery", _) => {
                let to = self.own_recovery();
                self.depart(to, None);
            }
            ("off", _) => {
                self.saved.mode = Running::Off;
                self.raise(LinkHappening::Disconnected);
            }
            ("debugging", _) => {
                self.saved.debugging = match self.saved.debugging {
                    Setting::On => Setting::Off,
                    Setting::Off => Setting::On,
                };
                self.raise(LinkHappening::Connected);
            }
            ("sign-out", _) => self.saved.accounts = 0,
            ("screen-lock", _) => self.saved.screen_lock = Setting::Off,
            _ => {}
        }
        Ok(())
    }

    fn hold(&mut self, seconds: u32, finger: Finger) {
        match (self.saved.mode, seconds) {
            (Running::Off, 2..) => self.depart(Running::System, None),
            (_, 15..) => {
                self.abandon_question();
                let to = match finger {
                    Finger::OnScreen => Running::Bootloader,
                    Finger::Away => Running::System,
                };
                self.depart(to, None);
            }
            _ => {}
        }
    }

    fn cable(&mut self, to: CablePlace) {
        if self.saved.cable == to {
            return;
        }
        self.saved.cable = to;
        self.raise(match to {
            CablePlace::In => LinkHappening::Connected,
            CablePlace::Out => LinkHappening::Disconnected,
        });
    }

    fn abandon_question(&mut self) {
        if let Some(id) = self.saved.question.take() {
            self.settle(
                id,
                Progress::Refused(no(
                    RefusalCode::AnsweredNo,
                    "restarted instead of answering",
                )),
            );
        }
    }

    fn erase_for_unlock(&mut self, operation: OperationId) -> io::Result<()> {
        for place in content::places(&self.profile, self.saved.seed) {
            if self.profile.unlock_erases.contains(&place.label) {
                content::erase(self.storage.as_mut(), &place)?;
            }
        }
        self.saved.lock = LockState::Unlocked;
        self.saved.debugging = Setting::Off;
        self.saved.accounts = 0;
        self.saved.screen_lock = Setting::Off;
        self.saved.next_start = NextStart::First;
        self.saved.erasing = None;
        self.settle(operation, Progress::Running);
        self.depart(Running::Bootloader, Some(operation));
        if let Some(going) = &mut self.saved.going {
            going.due_ms += self.profile.durations.erase * 1000;
        }
        self.save()
    }

    fn depart(&mut self, to: Running, operation: Option<OperationId>) {
        let durations = self.profile.durations;
        let seconds = match (to, self.saved.next_start) {
            (Running::Off, _) => 0,
            (Running::System, NextStart::Usual) => durations.system,
            (Running::System, NextStart::First) => durations.first_start,
            (Running::Bootloader, _) => durations.bootloader,
            (Running::TemporaryRecovery | Running::StockRecovery | Running::CustomRecovery, _) => {
                durations.recovery
            }
        };
        self.memory = None;
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
        if going.to == Running::System {
            self.saved.next_start = NextStart::Usual;
            self.saved.starts += 1;
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

    fn begin(&mut self, kind: ActKind) -> Operation {
        let id = OperationId(self.saved.next_operation);
        self.saved.next_operation += 1;
        let operation = Operation {
            id,
            kind,
            progress: Progress::Running,
        };
        self.saved.operations.push(operation.clone());
        keep_last(&mut self.saved.operations);
        operation
    }

    fn settle(&mut self, id: OperationId, progress: Progress) {
        if let Some(operation) = self
            .saved
            .operations
            .iter_mut()
            .find(|known| known.id == id)
        {
            operation.progress = progress;
        }
    }

    fn raise(&mut self, what: LinkHappening) {
        self.saved.epoch += 1;
        self.tell(what);
    }

    fn tell(&mut self, what: LinkHappening) {
        let n = self.saved.events.last().map_or(0, |event| event.n) + 1;
        self.saved.events.push(LinkEvent {
            n,
            epoch: self.epoch(),
            what,
        });
        keep_last(&mut self.saved.events);
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

/// The question as the watch words it.
const UNLOCK_QUESTION: &str = "Unlock this watch? Everything on it will be erased.";

fn keep_last<T>(list: &mut Vec<T>) {
    if list.len() > REMEMBERED {
        list.drain(..list.len() - REMEMBERED);
    }
}

pub(crate) fn no(code: RefusalCode, words: impl Into<String>) -> Refusal {
    Refusal {
        code,
        words: words.into(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::clock::ByHand;

    pub(crate) fn birth() -> Birth {
        Birth {
            handle: "dock-1".to_owned(),
            seed: 1,
            serial: "FL1-220417-0093".to_owned(),
            chip_id: "9a:77:01:5c:20:e4".to_owned(),
            lock: LockState::Locked,
            debugging: Setting::On,
            battery_percent: 81,
            cable: CablePlace::In,
        }
    }

    fn device(folder: &Path) -> (Device, Arc<ByHand>) {
        let clock = Arc::new(ByHand::default());
        let device = Device::make(folder, Profile::gimbal(), &birth(), clock.clone()).unwrap();
        (device, clock)
    }

    fn act(
        device: &mut Device,
        kind: ActKind,
        args: &[(&str, &str)],
    ) -> Result<Operation, Refusal> {
        device.tick().unwrap();
        let args = args
            .iter()
            .map(|(k, v)| ((*k).to_owned(), (*v).to_owned()))
            .collect();
        let epoch = device.epoch();
        device.act(&ActRequest { kind, args, epoch })
    }

    fn into_bootloader(device: &mut Device, clock: &ByHand) {
        act(device, ActKind::Restart, &[("mode", "bootloader")]).unwrap();
        clock.pass(8);
        device.tick().unwrap();
        assert_eq!(device.saved.mode, Running::Bootloader);
    }

    fn touch(device: &mut Device, button: &str) {
        device.tick().unwrap();
        device
            .body(&BodyAct::Touch {
                button: button.to_owned(),
            })
            .unwrap();
    }

    fn userdata(device: &Device) -> Vec<u8> {
        let (offset, _) = device.span("userdata").unwrap();
        let mut bytes = vec![0; 4096];
        device.storage.read_at(offset, &mut bytes).unwrap();
        bytes
    }

    #[test]
    fn answering_no_keeps_everything_and_yes_erases() {
        let folder = tempfile::tempdir().unwrap();
        let (mut device, clock) = device(&folder.path().join("dock-1"));
        into_bootloader(&mut device, &clock);
        let before = userdata(&device);
        let asked = act(&mut device, ActKind::Unlock, &[("form", "newer")]).unwrap();
        assert!(matches!(asked.progress, Progress::Asking { ref default, .. } if default == "no"));
        touch(&mut device, "no");
        assert!(matches!(
            device.operation(asked.id).unwrap().progress,
            Progress::Refused(_)
        ));
        assert_eq!(
            (device.saved.lock, userdata(&device)),
            (LockState::Locked, before)
        );

        let asked = act(&mut device, ActKind::Unlock, &[("form", "newer")]).unwrap();
        touch(&mut device, "yes");
        assert_eq!(device.saved.lock, LockState::Unlocked);
        assert!(userdata(&device).iter().all(|byte| *byte == 0));
        assert_eq!(device.listed(), Listed::Absent);
        clock.pass(33);
        device.tick().unwrap();
        assert!(matches!(
            device.operation(asked.id).unwrap().progress,
            Progress::Done { .. }
        ));
        assert_eq!(
            (device.listed(), device.saved.debugging),
            (Listed::Ready, Setting::Off)
        );
    }

    fn unlocked(folder: &Path) -> (Device, Arc<ByHand>) {
        let clock = Arc::new(ByHand::default());
        let birth = Birth {
            lock: LockState::Unlocked,
            ..birth()
        };
        let device = Device::make(folder, Profile::gimbal(), &birth, clock.clone()).unwrap();
        (device, clock)
    }

    fn write(
        device: &mut Device,
        label: &str,
        start: u64,
        bytes: &[u8],
    ) -> Result<Written, Refusal> {
        let epoch = device.epoch();
        device.write(label, start, bytes, epoch, Digest::of(bytes))
    }

    fn start_recovery(device: &mut Device, clock: &ByHand) -> Running {
        act(device, ActKind::Restart, &[("mode", "recovery")]).unwrap();
        clock.pass(12);
        device.tick().unwrap();
        device.saved.mode
    }

    #[test]
    fn what_lies_in_the_recovery_partition_is_what_starts() {
        let folder = tempfile::tempdir().unwrap();
        let (mut device, clock) = unlocked(&folder.path().join("dock-1"));
        into_bootloader(&mut device, &clock);
        assert_eq!(start_recovery(&mut device, &clock), Running::StockRecovery);
        act(&mut device, ActKind::Restart, &[("mode", "bootloader")]).unwrap();
        clock.pass(8);
        device.tick().unwrap();
        let image = content::recovery_image("gimbal", "3.2.0");
        for (n, piece) in image.chunks(4 << 20).enumerate() {
            write(&mut device, "recovery", (n as u64) << 22, piece).unwrap();
        }
        assert_eq!(start_recovery(&mut device, &clock), Running::CustomRecovery);
        device.read("recovery", 0, 512).unwrap();
        // Another family's, or a damaged one: a flash of the screen, and the bootloader is back.
        for spoil in [content::recovery_image("kelpie", "1"), vec![0; 8192]] {
            write(&mut device, "recovery", 0, &spoil[..8192]).unwrap();
            act(&mut device, ActKind::Restart, &[("mode", "bootloader")]).unwrap();
            clock.pass(8);
            device.tick().unwrap();
            assert_eq!(start_recovery(&mut device, &clock), Running::Bootloader);
            write(&mut device, "recovery", 0, &image[..8192]).unwrap();
            start_recovery(&mut device, &clock);
        }
    }

    #[test]
    fn a_locked_device_takes_no_bytes_and_a_stale_or_garbled_write_changes_nothing() {
        let folder = tempfile::tempdir().unwrap();
        let (mut locked, clock) = device(&folder.path().join("dock-1"));
        into_bootloader(&mut locked, &clock);
        let refusal = write(&mut locked, "recovery", 0, b"foreign").unwrap_err();
        assert_eq!(refusal.code, RefusalCode::Locked);

        let (mut open, clock) = unlocked(&folder.path().join("dock-2"));
        into_bootloader(&mut open, &clock);
        let before = userdata(&open);
        let stale = Epoch(open.epoch().0 - 1);
        let digest = Digest::of(b"bytes");
        let code = |answer: Result<Written, Refusal>| answer.unwrap_err().code;
        assert_eq!(
            code(open.write("userdata", 0, b"bytes", stale, digest)),
            RefusalCode::StaleEpoch
        );
        let now = open.epoch();
        let other = Digest::of(b"other");
        assert_eq!(
            code(open.write("userdata", 0, b"bytes", now, other)),
            RefusalCode::DigestDiffers
        );
        assert_eq!(
            code(write(&mut open, "userdata", (40 << 20) - 2, b"bytes")),
            RefusalCode::BadRequest
        );
        assert_eq!(
            code(write(&mut open, "attic", 0, b"bytes")),
            RefusalCode::NotFound
        );
        assert_eq!(userdata(&open), before);
    }

    #[test]
    fn a_cable_out_in_a_write_leaves_it_half_written() {
        let folder = tempfile::tempdir().unwrap();
        let (mut device, clock) = unlocked(&folder.path().join("dock-1"));
        into_bootloader(&mut device, &clock);
        device.arm(Fault::CableOutAfter { bytes: 1000 }).unwrap();
        let refusal = write(&mut device, "userdata", 0, &[0xA5; 4096]).unwrap_err();
        assert_eq!(refusal.code, RefusalCode::NotConnected);
        let now = userdata(&device);
        assert!(now[..1000].iter().all(|byte| *byte == 0xA5));
        assert!(now[1000..].iter().any(|byte| *byte != 0xA5));
        assert_eq!(device.listed(), Listed::Absent);
    }

    #[test]
    fn mishap_and_flipped_bit_do_what_they_say() {
        let folder = tempfile::tempdir().unwrap();
        let (mut device, clock) = unlocked(&folder.path().join("dock-1"));
        into_bootloader(&mut device, &clock);
        let image = content::recovery_image("gimbal", "3.2.0");
        let epoch = device.epoch();
        device
            .put_memory(image.clone(), epoch, Digest::of(&image))
            .unwrap();
        act(&mut device, ActKind::StartFromMemory, &[]).unwrap();
        clock.pass(12);
        device.tick().unwrap();
        let before = device.read("persist", 0, 4096).unwrap();
        let fault = Fault::FlipOnRead {
            label: "persist".to_owned(),
            byte: 77,
        };
        device.arm(fault).unwrap();
        let flipped = device.read("persist", 0, 4096).unwrap();
        assert_eq!(
            flipped.iter().zip(&before).filter(|(a, b)| a != b).count(),
            1
        );
        assert_eq!(device.read("persist", 0, 4096).unwrap(), before, "once");
        device
            .arm(Fault::Blank {
                label: "persist".to_owned(),
            })
            .unwrap();
        assert!(
            device
                .read("persist", 0, 4096)
                .unwrap()
                .iter()
                .all(|byte| *byte == 0)
        );
    }

    #[test]
    fn a_stale_epoch_is_refused_and_changes_nothing() {
        let folder = tempfile::tempdir().unwrap();
        let (mut device, clock) = device(&folder.path().join("dock-1"));
        into_bootloader(&mut device, &clock);
        let stale = device.epoch();
        device
            .body(&BodyAct::Cable {
                to: CablePlace::Out,
            })
            .unwrap();
        device.body(&BodyAct::Cable { to: CablePlace::In }).unwrap();
        let request = ActRequest {
            kind: ActKind::Unlock,
            args: BTreeMap::from([("form".to_owned(), "newer".to_owned())]),
            epoch: stale,
        };
        assert_eq!(
            device.act(&request).unwrap_err().code,
            RefusalCode::StaleEpoch
        );
        assert_eq!(device.saved.question, None);
    }

    #[test]
    fn an_erase_cut_off_by_a_killed_process_is_finished_at_the_next_start() {
        let folder = tempfile::tempdir().unwrap();
        let home = folder.path().join("dock-1");
        let (mut device, clock) = device(&home);
        into_bootloader(&mut device, &clock);
        let asked = act(&mut device, ActKind::Unlock, &[("form", "newer")]).unwrap();
        // What is on disk when the process dies between the intent and the erase.
        device.saved.question = None;
        device.saved.erasing = Some(asked.id);
        device.save().unwrap();
        let epoch = device.saved.epoch;
        drop(device);
        let reopened = Device::open(&home, Arc::new(ByHand::default())).unwrap();
        assert_eq!(reopened.saved.lock, LockState::Unlocked);
        assert!(userdata(&reopened).iter().all(|byte| *byte == 0));
        assert!(reopened.saved.epoch > epoch);
    }

    #[test]
    fn what_happens_while_the_process_is_gone_goes_on_after() {
        let folder = tempfile::tempdir().unwrap();
        let home = folder.path().join("dock-1");
        let (mut device, clock) = device(&home);
        act(&mut device, ActKind::Restart, &[("mode", "bootloader")]).unwrap();
        clock.pass(5);
        device.tick().unwrap();
        device.save().unwrap();
        drop(device);
        let clock = Arc::new(ByHand::default());
        let mut device = Device::open(&home, clock.clone()).unwrap();
        assert_eq!(device.listed(), Listed::Absent);
        clock.pass(4);
        device.tick().unwrap();
        assert_eq!(device.saved.mode, Running::Bootloader);
    }

    #[test]
    fn a_foreign_image_does_not_start_and_the_bootloader_is_still_there() {
        let folder = tempfile::tempdir().unwrap();
        let (mut device, clock) = device(&folder.path().join("dock-1"));
        device.saved.lock = LockState::Unlocked;
        into_bootloader(&mut device, &clock);
        let foreign =
            veritope_formats::startimage::build_start_image("kelpie", "recovery", "1", b"x");
        let digest = Digest::of(&foreign);
        device.put_memory(foreign, device.epoch(), digest).unwrap();
        let refusal = act(&mut device, ActKind::StartFromMemory, &[]).unwrap_err();
        assert_eq!(refusal.words, "the image did not start");
        assert_eq!(device.saved.mode, Running::Bootloader);
    }

    #[test]
    fn locked_it_starts_nothing_foreign_and_reads_nothing_out() {
        let folder = tempfile::tempdir().unwrap();
        let (mut device, clock) = device(&folder.path().join("dock-1"));
        into_bootloader(&mut device, &clock);
        assert_eq!(
            act(&mut device, ActKind::StartFromMemory, &[])
                .unwrap_err()
                .code,
            RefusalCode::Locked
        );
        assert_eq!(
            device.partitions().unwrap_err().code,
            RefusalCode::WrongMode
        );
        assert_eq!(
            device.read("persist", 0, 16).unwrap_err().code,
            RefusalCode::WrongMode
        );
    }

    #[test]
    fn an_armed_cable_comes_out_and_the_restart_goes_on() {
        let folder = tempfile::tempdir().unwrap();
        let (mut device, clock) = device(&folder.path().join("dock-1"));
        device
            .arm(Fault::CableOutOnAct {
                act: ActKind::Restart,
            })
            .unwrap();
        let operation = act(&mut device, ActKind::Restart, &[("mode", "bootloader")]).unwrap();
        clock.pass(20);
        device.tick().unwrap();
        assert_eq!(
            (device.saved.mode, device.listed()),
            (Running::Bootloader, Listed::Absent)
        );
        assert!(matches!(
            device.operation(operation.id).unwrap().progress,
            Progress::Done { .. }
        ));
    }

    #[test]
    fn the_battery_drains_in_the_bootloader_and_charges_in_the_system() {
        let folder = tempfile::tempdir().unwrap();
        let (mut device, clock) = device(&folder.path().join("dock-1"));
        into_bootloader(&mut device, &clock);
        clock.pass(3600);
        device.tick().unwrap();
        assert_eq!(device.battery_percent(), 61);
        touch(&mut device, "start");
        clock.pass(30);
        device.tick().unwrap();
        clock.pass(1800);
        device.tick().unwrap();
        assert!(
            device.battery_percent() >= 77,
            "{}",
            device.battery_percent()
        );
    }

    #[test]
    fn fifteen_seconds_on_the_dock_force_a_restart_and_a_question_counts_as_no() {
        let folder = tempfile::tempdir().unwrap();
        let (mut device, clock) = device(&folder.path().join("dock-1"));
        into_bootloader(&mut device, &clock);
        let asked = act(&mut device, ActKind::Unlock, &[("form", "newer")]).unwrap();
        device
            .body(&BodyAct::HoldDockButton {
                seconds: 9,
                finger: Finger::Away,
            })
            .unwrap();
        assert!(device.saved.question.is_some(), "too short");
        device
            .body(&BodyAct::HoldDockButton {
                seconds: 15,
                finger: Finger::OnScreen,
            })
            .unwrap();
        assert!(matches!(
            device.operation(asked.id).unwrap().progress,
            Progress::Refused(_)
        ));
        assert_eq!(device.saved.lock, LockState::Locked);
    }
}
