//! A bench in memory: the stand-in in process, a clock that moves when somebody waits, a journal on
//! real log files.

use std::collections::BTreeMap;
use std::io::ErrorKind;
use std::path::Path;
use std::sync::atomic::{AtomicBool, AtomicI64, AtomicU64, Ordering};
use std::sync::{Arc, Mutex};
use std::time::Duration;

use uuid::Uuid;
use veritope_core::facts::FactKey;
use veritope_core::goal::Goal;
use veritope_core::steady::ClockLook;
use veritope_engine::BenchClock;
use veritope_engine::desk::journal::{Appended, Journal, JournalError};
use veritope_engine::desk::line::Head;
use veritope_engine::desk::record::{Entry, RunEnd, Scope, Way};
use veritope_engine::desk::unit::UnitRecord;
use veritope_engine::desk::witness::Damage;
use veritope_engine::desk::{Alone, Desk};
use veritope_engine::library::data::DataFolder;
use veritope_engine::library::shelving::FileNote;
use veritope_engine::ports::{Clock, Connect, Ids, Silent};
use veritope_engine::runs::RunsError;
use veritope_engine::{Engine, KeepSaid, NewUnit, Parts, StepEnd, StepPhase, Watcher};
use veritope_formats::make::{NewMember, empty_switched_off, tar_of};
use veritope_formats::startimage::{RecoveryWords, build_recovery, build_start_image};
use veritope_link::{LinkError, Passed, ReadBytes, StreamPiece, ToMemory, Transport, WriteBytes};
use veritope_standin::clock::ByHand;
use veritope_standin::profile::Profile;
use veritope_standin::storage::Memory;
use veritope_standin::{Birth, Bridge, Device, LockState, Setting};
use veritope_wire::body::{BodyAct, CablePlace};
use veritope_wire::link::{
    ActKind, ActRequest, BridgeInfo, DeviceList, DeviceState, Epoch, Handle, InMemory, LinkEvents,
    Operation, OperationId, PartitionList, Progress, Spot, StreamRequest, StreamState, Written,
};
use veritope_wire::{Digest, RequestId, RunId, UnitId, WallTime};

/// What a bridge says or does that is not so. One at a time, until it is told to be honest again.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Lie {
    /// A second partition bears a label that another one bears.
    Twin(&'static str),
    /// The unit has no partition at all.
    NoPartitions,
    /// So many bytes fewer than were asked for.
    Short(u64),
    /// So many bytes more.
    Long(u64),
    /// Bytes of another state of the device than the one that was begun under.
    OtherEpoch,
    /// After so many frames were read or written, another unit stands there, under the same epoch.
    OtherUnitAfter(u64),
    /// Whatever was put into memory, its digest is said to be this text's.
    OtherMemory,
    /// What the device was told to do never ends.
    Hangs,
    /// One bit in so many bytes comes over wrong, the first one behind `from`.
    FlipsEvery { bytes: u64, from: u64 },
}

/// The bridge of a bench, which may be made to lie.
#[derive(Default)]
pub(crate) struct Tongue {
    lie: Mutex<Option<Lie>>,
    frames: AtomicU64,
    bytes: AtomicU64,
}

impl Tongue {
    /// From now on it lies like this, or not at all.
    pub(crate) fn says(&self, lie: Option<Lie>) {
        self.frames.store(0, Ordering::SeqCst);
        self.bytes.store(0, Ordering::SeqCst);
        *self.lie.lock().unwrap() = lie;
    }

    /// Frames that were read or written since.
    pub(crate) fn frames(&self) -> u64 {
        self.frames.load(Ordering::SeqCst)
    }

    fn lie(&self) -> Option<Lie> {
        *self.lie.lock().unwrap()
    }
}

/// The stand-in without a network.
struct InProcess(Bridge, Arc<Tongue>);

impl Transport for InProcess {
    fn info(&self) -> Result<BridgeInfo, LinkError> {
        Ok(BridgeInfo {
            name: "table".to_owned(),
            link_version: 2,
            extras: Vec::new(),
        })
    }

    fn devices(&self) -> Result<DeviceList, LinkError> {
        let lines = self
            .0
            .handles()
            .into_iter()
            .map(|handle| self.0.with(&handle, |d| Ok(d.line())));
        Ok(DeviceList {
            devices: lines
                .collect::<Result<_, _>>()
                .map_err(LinkError::Refused)?,
        })
    }

    fn state(&self, device: &Handle) -> Result<DeviceState, LinkError> {
        let mut state = self
            .0
            .with(&device.0, |d| Ok(d.state()))
            .map_err(LinkError::Refused)?;
        if let Some(Lie::OtherUnitAfter(frames)) = self.1.lie()
            && self.1.frames.load(Ordering::SeqCst) >= frames
        {
            state
                .identities
                .insert("chip-id".to_owned(), "9a:77:01:5c:99:99".to_owned());
        }
        Ok(state)
    }

    fn operation(&self, device: &Handle, id: OperationId) -> Result<Operation, LinkError> {
        let mut operation = self
            .0
            .with(&device.0, |d| d.operation(id))
            .map_err(LinkError::Refused)?;
        if self.1.lie() == Some(Lie::Hangs) {
            operation.progress = Progress::Running;
        }
        Ok(operation)
    }

    fn events(&self, device: &Handle, after: u64, _: Duration) -> Result<LinkEvents, LinkError> {
        let events = self
            .0
            .with(&device.0, |d| Ok(d.events(after)))
            .map_err(LinkError::Refused)?;
        Ok(LinkEvents { events })
    }

    fn partitions(&self, device: &Handle) -> Result<PartitionList, LinkError> {
        let mut list = self
            .0
            .with(&device.0, |d| d.partitions())
            .map_err(LinkError::Refused)?;
        match self.1.lie() {
            Some(Lie::NoPartitions) => list.partitions.clear(),
            Some(Lie::Twin(label)) => {
                let mut twin = list
                    .partitions
                    .iter()
                    .find(|part| part.label.as_str() == label)
                    .unwrap()
                    .clone();
                twin.number += 40;
                list.partitions.push(twin);
            }
            _ => {}
        }
        Ok(list)
    }

    fn read(
        &self,
        device: &Handle,
        spot: &Spot,
        first: u64,
        count: u64,
    ) -> Result<ReadBytes, LinkError> {
        self.1.frames.fetch_add(1, Ordering::SeqCst);
        let mut read = self
            .0
            .with(&device.0, |d| {
                Ok(ReadBytes {
                    epoch: d.line().epoch,
                    bytes: d.read_at(spot, first, count)?,
                })
            })
            .map_err(LinkError::Refused)?;
        let found = read.bytes.len();
        match self.1.lie() {
            Some(Lie::Short(by)) => read.bytes.truncate(found - usize::try_from(by).unwrap()),
            Some(Lie::Long(by)) => read.bytes.resize(found + usize::try_from(by).unwrap(), 0),
            Some(Lie::OtherEpoch) => read.epoch = Epoch(read.epoch.0 + 1),
            Some(Lie::FlipsEvery { bytes, from }) => {
                let count = found as u64;
                let before = self.1.bytes.fetch_add(count, Ordering::SeqCst);
                let gone = (before + bytes).saturating_sub(from);
                let next = bytes - gone % bytes;
                if next <= count && before + count > from {
                    read.bytes[usize::try_from(next - 1).unwrap()] ^= 0x20;
                }
            }
            _ => {}
        }
        Ok(read)
    }

    fn write(&self, passed: Passed<'_, WriteBytes<'_>>) -> Result<Written, LinkError> {
        self.1.frames.fetch_add(1, Ordering::SeqCst);
        let frame = passed.request();
        self.0
            .with(&passed.device().0, |d| {
                d.write_at(
                    frame.spot,
                    frame.first,
                    frame.bytes,
                    frame.epoch,
                    frame.digest,
                )
            })
            .map_err(LinkError::Refused)
    }

    fn act(&self, passed: Passed<'_, ActRequest>) -> Result<Operation, LinkError> {
        self.0
            .with(&passed.device().0, |d| d.act(passed.request()))
            .map_err(LinkError::Refused)
    }

    fn open_stream(&self, passed: Passed<'_, StreamRequest>) -> Result<StreamState, LinkError> {
        self.0
            .with(&passed.device().0, |d| d.open_stream(passed.request()))
            .map_err(LinkError::Refused)
    }

    fn put_stream(&self, passed: Passed<'_, StreamPiece<'_>>) -> Result<StreamState, LinkError> {
        let piece = passed.request();
        self.0
            .with(&passed.device().0, |d| {
                d.put_stream(
                    piece.id,
                    piece.first,
                    piece.bytes,
                    piece.epoch,
                    piece.digest,
                )
            })
            .map_err(LinkError::Refused)
    }

    fn put_memory(&self, passed: Passed<'_, ToMemory<'_>>) -> Result<InMemory, LinkError> {
        let image = passed.request();
        let mut there = self
            .0
            .with(&passed.device().0, |d| {
                d.put_memory(image.bytes.to_vec(), image.epoch, image.digest)
            })
            .map_err(LinkError::Refused)?;
        if self.1.lie() == Some(Lie::OtherMemory) {
            there.blake3 = Digest::of(b"something else");
        }
        Ok(there)
    }
}

struct Plug(Bridge, Arc<Tongue>);

impl Connect for Plug {
    fn connect(&self, _: &str, _: &str) -> Result<Arc<dyn Transport>, LinkError> {
        Ok(Arc::new(InProcess(self.0.clone(), self.1.clone())))
    }
}

/// Bench time and device time move together when somebody waits.
pub(crate) struct Time {
    bench: AtomicI64,
    /// By how much somebody set the clock on the wall.
    pub(crate) set_by_ms: AtomicI64,
    /// Whether the disk that the record lies on is full.
    pub(crate) is_full: Arc<AtomicBool>,
    /// When the machine was started last, as the bench's time goes.
    booted: AtomicI64,
    device: Arc<ByHand>,
    at_each_pause: Mutex<Option<Box<dyn Fn() + Send>>>,
}

impl Time {
    /// So much goes by, for the bench and for its devices.
    pub(crate) fn later(&self, ms: i64) {
        self.bench.fetch_add(ms, Ordering::SeqCst);
        self.device.pass(ms / 1000);
    }

    /// The time that the bench counts.
    pub(crate) fn bench_now(&self) -> i64 {
        self.bench.load(Ordering::SeqCst)
    }

    /// What clocks on walls showed so long ago.
    pub(crate) fn wall_before(&self, ms: i64) -> WallTime {
        WallTime::nearest_ms(self.bench_now() + self.set_by_ms.load(Ordering::SeqCst) - ms)
    }
}

impl Clock for Time {
    fn look(&self) -> ClockLook {
        // Every look at the clock is a millisecond later, so that order shows.
        let passed_ms = self.bench.fetch_add(1, Ordering::SeqCst);
        let booted = self.booted.load(Ordering::SeqCst);
        ClockLook {
            wall: WallTime::nearest_ms(passed_ms + self.set_by_ms.load(Ordering::SeqCst)),
            boot: format!("boot at {booted}"),
            elapsed_ms: passed_ms - booted,
        }
    }

    fn pause(&self, _: Duration) {
        self.bench.fetch_add(1000, Ordering::SeqCst);
        self.device.pass(1);
        if let Some(act) = &*self.at_each_pause.lock().unwrap() {
            act();
        }
    }
}

struct Counting(AtomicU64);

impl Ids for Counting {
    fn fresh(&self) -> Uuid {
        let n = self.0.fetch_add(1, Ordering::SeqCst);
        Uuid::from_u128(0x0192_f0c1_0000_7000_8000_0000_0000_0000 + u128::from(n))
    }
}

/// Waits for everything.
pub(crate) struct Patient;

impl Watcher for Patient {
    fn phase(&self, _: &StepPhase) {}

    fn should_stop(&self) -> bool {
        false
    }
}

/// Stops waiting at the first opportunity.
pub(crate) struct Impatient;

impl Watcher for Impatient {
    fn phase(&self, _: &StepPhase) {}

    fn should_stop(&self) -> bool {
        true
    }
}

pub(crate) struct Bench {
    pub(crate) engine: Engine,
    pub(crate) bridge: Bridge,
    pub(crate) tongue: Arc<Tongue>,
    pub(crate) unit: UnitId,
    pub(crate) time: Arc<Time>,
    ids: Arc<Counting>,
    pub(crate) files: Arc<Desk>,
    pub(crate) folder: tempfile::TempDir,
    /// Whether the tool counted every byte of what hands wrote last, and the device took them.
    pub(crate) took: AtomicBool,
    /// Files that hands handed in.
    pub(crate) handed: AtomicU64,
}

pub(crate) fn birth(chip_id: &str) -> Birth {
    Birth {
        handle: "dock-1".to_owned(),
        seed: 7,
        serial: "FL1-220417-0093".to_owned(),
        chip_id: chip_id.to_owned(),
        lock: LockState::Locked,
        debugging: Setting::On,
        battery_percent: 81,
        cable: CablePlace::In,
    }
}

pub(crate) fn watch_with(chip_id: &str, clock: Arc<ByHand>) -> Device {
    let storage = Box::new(Memory::blank(141 << 20));
    Device::make_in(storage, Profile::gimbal(), &birth(chip_id), clock).unwrap()
}

/// Another unlocked watch whose recovery runs already.
pub(crate) fn watch_in_recovery(handle: &str, chip_id: &str, time: &Time) -> Device {
    let clock = time.device.clone();
    let storage = Box::new(Memory::blank(141 << 20));
    let birth = Birth {
        handle: handle.to_owned(),
        seed: 9,
        lock: LockState::Unlocked,
        ..birth(chip_id)
    };
    let mut device = Device::make_in(storage, Profile::gimbal(), &birth, clock.clone()).unwrap();
    let image = build_start_image("gimbal", "recovery", "3.2.0", &[5; 20_000]);
    for kind in [ActKind::Restart, ActKind::StartFromMemory] {
        let epoch = device.line().epoch;
        if kind == ActKind::StartFromMemory {
            device
                .put_memory(image.clone(), epoch, Digest::of(&image))
                .unwrap();
        }
        let args = [("mode".to_owned(), "bootloader".to_owned())].into();
        device.act(&ActRequest { kind, args, epoch }).unwrap();
        clock.pass(40);
        device.tick().unwrap();
    }
    device
}

fn watch(lock: LockState, clock: Arc<ByHand>) -> Device {
    let storage = Box::new(Memory::blank(141 << 20));
    let birth = Birth {
        lock,
        ..birth("9a:77:01:5c:20:e4")
    };
    Device::make_in(storage, Profile::gimbal(), &birth, clock).unwrap()
}

/// A bench with Sanderling on it, linked, image on the shelf; nothing typed yet.
pub(crate) fn linked() -> Bench {
    bench(LockState::Locked, |bridge| Way::Link {
        bridge,
        handle: Handle("dock-1".to_owned()),
    })
}

/// A linked one whose lock is open.
pub(crate) fn unlocked() -> Bench {
    bench(LockState::Unlocked, |bridge| Way::Link {
        bridge,
        handle: Handle("dock-1".to_owned()),
    })
}

/// The same with Sanderling by hand.
pub(crate) fn by_hand() -> Bench {
    bench(LockState::Locked, |_| Way::Hand)
}

fn bench(lock: LockState, way: impl Fn(veritope_wire::BridgeId) -> Way) -> Bench {
    let clock = Arc::new(ByHand::default());
    let device = watch(lock, clock.clone());
    let folder = tempfile::tempdir().unwrap();
    let image = build_start_image("gimbal", "recovery", "3.2.0", &[5; 20_000]);
    seat(folder, device, clock, &image, "Sanderling", way)
}

impl Bench {
    /// Puts a file onto the shelf, with the digest that its publisher gives.
    pub(crate) fn shelve(&self, name: &str, bytes: &[u8]) -> Digest {
        let library = &self.engine.library;
        let file = library.put_bytes(name, bytes, self.request()).unwrap();
        let note = FileNote {
            beside: Some(format!("BLAKE3 ({name}) = {}", Digest::of(bytes))),
            ..FileNote::default()
        };
        library.note_file(file, note, self.request()).unwrap();
        file
    }

    /// Takes all recoveries off the shelf.
    pub(crate) fn clear_shelf(&self) {
        let library = &self.engine.library;
        for file in self.engine.views.shelf_page().unwrap().files {
            library.remove_file(file.id, self.request()).unwrap();
        }
    }

    /// Where a file of the shelf lies.
    pub(crate) fn on_shelf(&self, name: &str) -> std::path::PathBuf {
        let page = self.engine.views.shelf_page().unwrap();
        let mut files = page.files.into_iter();
        let file = files.find(|file| file.name == name).unwrap();
        self.folder
            .path()
            .join("shelf/files")
            .join(file.id.to_string())
    }
}

/// A recovery for a simulated device in the form that its write route takes: where that is download mode, a tar
/// with what goes with it.
pub(crate) fn recovery_file(profile: &Profile, version: &str, noise: &[u8]) -> Vec<u8> {
    let words = RecoveryWords {
        codename: profile.codename,
        model: profile.model_code,
        version,
        generation: 0,
    };
    let image = build_recovery(words, noise);
    if profile.codename != "kelpie" {
        return image;
    }
    let metadata = empty_switched_off();
    let members = [("recovery.img", &image), ("vbmeta.img", &metadata)];
    let members = members.map(|(name, bytes)| NewMember { name, bytes });
    let mut tar = Vec::new();
    tar_of(&members, &mut tar).unwrap();
    tar
}

/// A bench with one device on its table and a recovery image for it on the shelf.
pub(crate) fn seat(
    folder: tempfile::TempDir,
    device: Device,
    device_clock: Arc<ByHand>,
    image: &[u8],
    nickname: &str,
    way: impl Fn(veritope_wire::BridgeId) -> Way,
) -> Bench {
    let codename = device.profile().codename;
    let bridge = Bridge::new("table", "t", [device]);
    let time = Arc::new(Time {
        bench: AtomicI64::new(1_795_500_000_000),
        set_by_ms: AtomicI64::new(0),
        is_full: Arc::default(),
        booted: AtomicI64::new(0),
        device: device_clock,
        at_each_pause: Mutex::new(None),
    });
    let data = DataFolder::open(folder.path()).unwrap();
    std::fs::write(data.join("shelf/r.img"), image).unwrap();
    let side = format!(
        "image = \"r.img\"\ncodename = \"{codename}\"\nblake3 = \"{}\"\n",
        Digest::of(image)
    );
    std::fs::write(data.join("shelf/r.toml"), side).unwrap();
    // The bench holds it alone.
    drop(data);
    let ids = Arc::new(Counting(AtomicU64::new(1)));
    let tongue = Arc::new(Tongue::default());
    let (engine, files) = open(
        folder.path(),
        &bridge,
        &tongue,
        &time,
        &ids,
        &BTreeMap::new(),
    );
    let request = || RequestId::new(ids.fresh());
    let id = engine
        .links
        .add_bridge("http://table", "t", request())
        .unwrap();
    let new = NewUnit {
        nickname: nickname.to_owned(),
        way: way(id),
        family: Some(codename.to_owned()),
        ownership: "mine".to_owned(),
    };
    let unit = engine.units.add_unit(new, request()).unwrap();
    let waived = [(FactKey::WorksWaived, "waived".to_owned())];
    engine.units.type_facts(unit, &waived, request()).unwrap();
    Bench {
        engine,
        bridge,
        tongue,
        unit,
        time,
        ids,
        files,
        folder,
        took: AtomicBool::new(false),
        handed: AtomicU64::new(0),
    }
}

/// A record on a disk that may be full: then nothing is taken.
struct OnDisk {
    desk: Arc<Desk>,
    is_full: Arc<AtomicBool>,
}

impl Journal for OnDisk {
    fn append(
        &self,
        scope: Scope,
        request: Option<RequestId>,
        entries: Vec<Entry>,
    ) -> Result<Appended, JournalError> {
        if self.is_full.load(Ordering::SeqCst) {
            return Err(JournalError::Written(ErrorKind::StorageFull.into()));
        }
        self.desk.append(scope, request, entries)
    }

    fn unit(&self, unit: UnitId) -> Option<Arc<UnitRecord>> {
        self.desk.unit(unit)
    }

    fn units(&self) -> Vec<Arc<UnitRecord>> {
        self.desk.units()
    }

    fn done(&self, request: RequestId) -> Option<Scope> {
        self.desk.done(request)
    }

    fn head(&self, scope: Scope) -> Head {
        self.desk.head(scope)
    }

    fn damage(&self) -> Vec<Damage> {
        self.desk.damage()
    }

    fn set_aside(&self, scope: Scope, request: RequestId) -> Result<(), JournalError> {
        self.desk.set_aside(scope, request)
    }
}

fn open(
    folder: &Path,
    bridge: &Bridge,
    tongue: &Arc<Tongue>,
    time: &Arc<Time>,
    ids: &Arc<Counting>,
    seen: &BTreeMap<Scope, Head>,
) -> (Engine, Arc<Desk>) {
    let data = DataFolder::open(folder).unwrap();
    let log = data.join("log");
    let clock = BenchClock::open(data.remembered_clock().unwrap(), time.clone());
    let files = Arc::new(Desk::open(&log, clock.clone(), seen, Box::new(Alone)).unwrap());
    let parts = Parts {
        journal: Arc::new(OnDisk {
            desk: files.clone(),
            is_full: time.is_full.clone(),
        }),
        clock,
        ids: ids.clone(),
        notify: Arc::new(Silent),
        connect: Arc::new(Plug(bridge.clone(), tongue.clone())),
        // What feeds the computer that the tests run on is none of theirs.
        supplies: folder.join("supplies"),
    };
    (Engine::open(data, parts).unwrap(), files)
}

impl Bench {
    pub(crate) fn request(&self) -> RequestId {
        RequestId::new(self.ids.fresh())
    }

    /// Stops the run that is under way, if any.
    pub(crate) fn stop_what_is_open(&self) {
        if let Some(run) = self.record().active_run() {
            let (unit, id) = (self.unit, run.id);
            self.engine
                .runs
                .stop_run(unit, id, self.revision(), self.request())
                .unwrap();
        }
    }

    /// Whether the newest run was for this goal and has reached it.
    pub(crate) fn has_reached(&self, goal: Goal) -> bool {
        self.record().run.is_some_and(|run| {
            run.sheet.goal == goal && matches!(run.ended, Some((RunEnd::Reached, _)))
        })
    }

    /// What a killed and restarted process sees.
    pub(crate) fn restart(&mut self) {
        self.restart_with(&BTreeMap::new());
    }

    /// The same with an index that is as far as the log is.
    pub(crate) fn restart_indexed(&mut self) {
        let scopes = [Scope::Bench, Scope::Unit(self.unit)];
        let heads = scopes.map(|scope| (scope, self.files.head(scope)));
        self.restart_with(&heads.into());
    }

    fn restart_with(&mut self, seen: &BTreeMap<Scope, Head>) {
        // The process that goes lets go of the vault first.
        let elsewhere = tempfile::tempdir().unwrap();
        (self.engine, self.files) = self.opened(elsewhere.path(), &BTreeMap::new());
        (self.engine, self.files) = self.opened(self.folder.path(), seen);
    }

    /// The machine goes down and comes up again, and the bench with it.
    pub(crate) fn reboot(&mut self) {
        let now = self.time.bench.load(Ordering::SeqCst);
        self.time.booted.store(now, Ordering::SeqCst);
        self.restart();
    }

    fn opened(&self, folder: &Path, seen: &BTreeMap<Scope, Head>) -> (Engine, Arc<Desk>) {
        open(
            folder,
            &self.bridge,
            &self.tongue,
            &self.time,
            &self.ids,
            seen,
        )
    }

    /// A bench that has nothing but a folder, with the same devices before it.
    pub(crate) fn fresh_bench(&self, folder: &Path) -> Engine {
        self.opened(folder, &BTreeMap::new()).0
    }

    pub(crate) fn say(&self, pairs: &[(FactKey, &str)]) {
        let said: Vec<_> = pairs
            .iter()
            .map(|(key, value)| (*key, (*value).to_owned()))
            .collect();
        self.engine
            .units
            .type_facts(self.unit, &said, self.request())
            .unwrap();
    }

    /// What the bench knows of its unit.
    pub(crate) fn record(&self) -> UnitRecord {
        (*self.files.unit(self.unit).unwrap()).clone()
    }

    /// Does something at each pause of the bench's.
    pub(crate) fn at_each_pause(&self, act: impl Fn() + Send + 'static) {
        *self.time.at_each_pause.lock().unwrap() = Some(Box::new(act));
    }

    /// Everything that an unlock needs but the consent.
    pub(crate) fn prepare(&self) {
        self.say(&[
            (FactKey::Accounts, "0"),
            (FactKey::ScreenLock, "off"),
            (FactKey::WorksWaived, "waived"),
        ]);
        let gimbal = self.engine.library.family_named("gimbal").unwrap();
        let classes = gimbal.keep_safe.clone();
        let waived: Vec<_> = classes
            .into_iter()
            .map(|class| (class, KeepSaid::Waived))
            .collect();
        self.engine
            .units
            .keep_safe(self.unit, &waived, self.request())
            .unwrap();
    }

    pub(crate) fn begin(&self, goal: Goal) -> RunId {
        self.engine
            .runs
            .begin_run(self.unit, goal, self.request())
            .unwrap()
    }

    pub(crate) fn revision(&self) -> u32 {
        self.record().run.as_ref().unwrap().revision
    }

    pub(crate) fn step(&self, run: RunId) -> Result<StepEnd, RunsError> {
        self.engine
            .runs
            .do_step(self.unit, run, self.revision(), self.request(), &Patient)
    }

    pub(crate) fn consent(&self, run: RunId) -> Result<(), RunsError> {
        self.engine.runs.consent(
            self.unit,
            run,
            self.revision(),
            "Sanderling",
            self.request(),
        )
    }

    /// Touches `button` on the device as soon as its screen shows it.
    pub(crate) fn will_touch(&self, button: &'static str) {
        let bridge = self.bridge.clone();
        self.at_each_pause(move || {
            let _ = bridge.with("dock-1", |device| {
                device.body(&BodyAct::Touch {
                    button: button.to_owned(),
                })
            });
        });
    }

    pub(crate) fn hands_off(&self) {
        *self.time.at_each_pause.lock().unwrap() = None;
    }

    pub(crate) fn body(&self, act: &BodyAct) {
        self.bridge
            .with("dock-1", |device| device.body(act))
            .unwrap();
    }

    pub(crate) fn pass(&self, seconds: u32) {
        for _ in 0..seconds {
            self.time.pause(Duration::ZERO);
        }
    }

    /// Takes the watch off its dock.
    pub(crate) fn lift(&self) {
        self.body(&BodyAct::Cable {
            to: CablePlace::Out,
        });
    }

    /// Puts it back.
    pub(crate) fn put_back(&self) {
        self.body(&BodyAct::Cable { to: CablePlace::In });
    }

    /// Every sentence of the unit's log, read back from the file with its chain checked.
    pub(crate) fn log(&self) -> Vec<String> {
        self.sentences(Scope::Unit(self.unit), &format!("log/{}.jsonl", self.unit))
    }

    /// The bench's own log, as sentences.
    pub(crate) fn bench_log(&self) -> Vec<String> {
        self.sentences(Scope::Bench, "log/bench.jsonl")
    }

    fn sentences(&self, scope: Scope, file: &str) -> Vec<String> {
        let path = self.folder.path().join(file);
        let mut all = Vec::new();
        let read = veritope_engine::desk::files::read_chain(&path, scope, &mut |stamped| {
            all.push(stamped.entry.sentence());
        });
        assert_eq!(read.broken, None);
        all
    }
}
