//! A person at the table: does to the device what a step says, key by key and cue by cue, sometimes
//! wrongly, and says what is there.

use std::io::Write as _;
use std::sync::atomic::Ordering;

use veritope_core::act::{
    Act, Erase, Go, Install, PutMakersSet, ReadTable, Relock, SetSwitch, Unlock, Which, WriteImage,
    WriteToRead,
};
use veritope_core::facts::FactKey;
use veritope_core::family::{Cue, Key, Menu, MoveSpec, Phase, PhaseKind};
use veritope_core::handed::{Have, Want};
use veritope_core::mode::Mode;
use veritope_engine::views::StepView;
use veritope_standin::{Bridge, Device};
use veritope_wire::WallTime;
use veritope_wire::body::{AnswersTo, BodyAct, BodyKey, CablePlace, Face, Highlight, Push};
use veritope_wire::link::{
    ActKind, ActRequest, Listed, MAX_READ_BYTES, Spot, StreamKind, StreamRequest,
};

use crate::support::{Bench, Patient};

pub(crate) const HANDLE: &str = "dock-1";
pub(crate) const TOKEN: &str = "00A1B2C3D4E5F607";

/// Repeatable choices.
pub(super) struct Dice(u64);

impl Dice {
    pub(super) fn new(seed: u64) -> Self {
        let mut dice = Self(seed.wrapping_mul(0x9E37_79B9_7F4A_7C15) | 1);
        for _ in 0..4 {
            dice.below(2);
        }
        dice
    }

    pub(super) fn below(&mut self, count: u64) -> u64 {
        self.0 ^= self.0 << 13;
        self.0 ^= self.0 >> 7;
        self.0 ^= self.0 << 17;
        (self.0 >> 11) % count
    }

    pub(super) fn once_in(&mut self, count: u64) -> bool {
        self.below(count) == 0
    }
}

/// What goes wrong with the hands.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Slip {
    None,
    /// The last phase is let go after one second.
    TooEarly,
    /// The first key of every phase is forgotten.
    WrongKeys,
    /// The cable stays where it is.
    CableForgotten,
    /// The device's question is answered with its default.
    DefaultNo,
}

pub(crate) fn on<T>(bridge: &Bridge, act: impl FnOnce(&mut Device) -> T) -> T {
    bridge.with(HANDLE, |device| Ok(act(device))).unwrap()
}

fn body_key(key: Key) -> BodyKey {
    match key {
        Key::Power => BodyKey::Power,
        Key::VolumeUp => BodyKey::VolumeUp,
        Key::VolumeDown => BodyKey::VolumeDown,
        Key::Home => BodyKey::Home,
        Key::DockButton => BodyKey::DockButton,
        Key::Screen => BodyKey::Screen,
    }
}

/// Answers whatever the device asks, on the device: moves the highlight and chooses, or touches.
pub(crate) fn answer(bridge: &Bridge, wanted: &str) {
    let act = |act: BodyAct| on(bridge, |device| device.body(&act)).unwrap();
    let tap = |key| {
        for to in [Push::Down, Push::Up] {
            act(BodyAct::Key { key, to });
        }
    };
    let face = on(bridge, |device| device.face());
    let Some(at) = face.buttons.iter().position(|line| line.id == wanted) else {
        return;
    };
    if face.buttons[at].by == AnswersTo::Touch {
        act(BodyAct::Touch {
            button: wanted.to_owned(),
        });
        return;
    }
    if face
        .lines
        .iter()
        .any(|line| line.starts_with("Volume up: yes"))
    {
        tap(if wanted == "yes" {
            BodyKey::VolumeUp
        } else {
            BodyKey::VolumeDown
        });
        return;
    }
    let marked = face
        .buttons
        .iter()
        .position(|line| line.highlight == Highlight::Default)
        .unwrap_or(0);
    for _ in marked..at {
        tap(BodyKey::VolumeDown);
    }
    for _ in at..marked {
        tap(BodyKey::VolumeUp);
    }
    tap(BodyKey::Power);
}

impl Bench {
    fn face(&self) -> Face {
        on(&self.bridge, |device| device.face())
    }

    fn key(&self, key: Key, to: Push) {
        let key = body_key(key);
        if self.face().keys.iter().any(|known| known.key == key) {
            self.body(&BodyAct::Key { key, to });
        }
    }

    fn cable(&self, to: CablePlace) {
        self.body(&BodyAct::Cable { to });
    }

    pub(crate) fn touch(&self, button: &str) {
        self.body(&BodyAct::Touch {
            button: button.to_owned(),
        });
    }

    /// Waits until the device has settled.
    pub(crate) fn settle_down(&self) {
        for _ in 0..600 {
            self.pass(1);
            if !on(&self.bridge, |device| device.is_under_way()) {
                return;
            }
        }
        panic!("it never settles");
    }

    /// Plays the phases of a step as they stand.
    fn play(&self, phases: &[Phase], slip: Slip) {
        let mut down: Vec<Key> = Vec::new();
        let last = phases.len() - 1;
        for (n, phase) in phases.iter().enumerate() {
            let before = self.face();
            let keys = match slip {
                Slip::WrongKeys => &phase.keys[phase.keys.len().min(1)..],
                _ => &phase.keys[..],
            };
            match phase.kind {
                PhaseKind::CableOut => self.cable(CablePlace::Out),
                PhaseKind::CableIn => {
                    if slip != Slip::CableForgotten {
                        self.cable(CablePlace::Out);
                        self.pass(1);
                    }
                    for key in keys {
                        self.key(*key, Push::Down);
                    }
                    self.cable(CablePlace::In);
                }
                PhaseKind::Tap | PhaseKind::TapRepeatedly => {
                    for key in keys {
                        self.key(*key, Push::Down);
                        self.key(*key, Push::Up);
                    }
                }
                PhaseKind::Hold | PhaseKind::Swap => {
                    for key in keys.iter().filter(|key| !down.contains(key)) {
                        self.key(*key, Push::Down);
                    }
                }
                PhaseKind::Touch => {
                    let buttons = self.face().buttons;
                    if let Some(one) = buttons.iter().find(|one| one.label == phase.on) {
                        self.touch(&one.id);
                    }
                }
                PhaseKind::Tool => self.touch("tool"),
                PhaseKind::Wait => {}
            }
            if !matches!(
                phase.kind,
                PhaseKind::Tap | PhaseKind::TapRepeatedly | PhaseKind::Touch
            ) {
                down.extend(keys);
            }
            let early = slip == Slip::TooEarly && n == last;
            self.wait_for(phase, &before, early);
            for key in &phase.lets_go {
                self.key(*key, Push::Up);
                down.retain(|held| held != key);
            }
        }
        for key in down {
            self.key(key, Push::Up);
        }
    }

    fn wait_for(&self, phase: &Phase, before: &Face, early: bool) {
        if early {
            self.pass(1);
            return;
        }
        if phase.cue == Cue::Seconds {
            self.pass(phase.seconds);
            return;
        }
        let mut steady = 0;
        for _ in 0..phase.seconds * 2 + 8 {
            self.pass(1);
            let face = self.face();
            let shows = |text: &str| face.lines.first().is_some_and(|line| line == text);
            let changed = (&face.lines, &face.buttons) != (&before.lines, &before.buttons);
            let is_lit = !face.lines.is_empty() && !shows("LOGO");
            steady = if changed && is_lit { steady + 1 } else { 0 };
            let seen = match phase.cue {
                Cue::Black => face.lines.is_empty(),
                Cue::Vibration => face.shakes,
                Cue::Logo => shows("LOGO"),
                Cue::Steady => steady >= 2,
                Cue::Question => changed && is_lit,
                Cue::Lamp => face.lamp.is_some(),
                Cue::CableIn | Cue::Seconds => true,
            };
            if seen {
                return;
            }
        }
    }

    /// Sends a command with the person's own link program, as the words of a step without a link say.
    fn own_program(&self, kind: ActKind, args: &[(&str, &str)]) {
        self.cable(CablePlace::In);
        let args: std::collections::BTreeMap<_, _> = args
            .iter()
            .map(|(key, value)| ((*key).to_owned(), (*value).to_owned()))
            .collect();
        on(&self.bridge, |device| {
            let line = device.line();
            if line.listed == Listed::Ready {
                // A refusal is seen on the device like everything else.
                let _ = device.act(&ActRequest {
                    kind,
                    args,
                    epoch: line.epoch,
                });
            }
        });
    }

    /// Does by hand what the step says; whatever comes of it is seen afterwards.
    pub(crate) fn by_hand(&self, view: &StepView, slip: Slip) {
        let step = &view.step;
        let family = self
            .engine
            .library
            .family_named(on(&self.bridge, |device| device.profile().codename))
            .unwrap();
        // What sleeps is woken first.
        if step.before.mode == Some(Mode::System) && self.face().lines.is_empty() {
            self.key(Key::Power, Push::Down);
            self.pass(2);
            self.key(Key::Power, Push::Up);
            self.settle_down();
        }
        if step.phases.is_empty() {
            match &step.act {
                Act::Go(Go { way }) => {
                    if let Some(menu) = &step.menu {
                        self.through(menu, slip);
                    } else {
                        let lines = self.face().buttons;
                        let to = family.way(way).unwrap().to;
                        let named = |id: &str| lines.iter().any(|line| line.id == id);
                        let id = match to {
                            Mode::System => "start",
                            Mode::Bootloader => "bootloader",
                            _ => "recovery",
                        };
                        if named(id) {
                            answer(&self.bridge, id);
                        } else {
                            let mode = match to.id() {
                                "stock-recovery" | "custom-recovery" => "recovery",
                                other => other,
                            };
                            self.own_program(ActKind::Restart, &[("mode", mode)]);
                        }
                    }
                }
                Act::SetSwitch(SetSwitch { switch }) => match switch {
                    Which::FastStartOff => self.switch("fast-start", "off"),
                    Which::DebuggingOn => self.switch("debugging", "on"),
                },
                Act::Unlock(Unlock { stage }) => {
                    let stage = family.stage(stage).unwrap();
                    for form in &stage.forms {
                        let args = [
                            ("form", form.as_str()),
                            ("token", TOKEN),
                            ("stage", &stage.id),
                        ];
                        self.own_program(ActKind::Unlock, &args);
                    }
                    self.answer_by_hand(slip);
                }
                Act::Relock(Relock { stage }) => {
                    for form in &family.relock.act.as_ref().unwrap().forms {
                        let args = [("form", form.as_str()), ("stage", stage.as_str())];
                        self.own_program(ActKind::Lock, &args);
                    }
                    self.answer_by_hand(slip);
                }
                Act::Erase(Erase { .. }) => {
                    if let Some(menu) = &step.menu {
                        self.through(menu, slip);
                        self.answer_by_hand(slip);
                    } else if self.face().buttons.iter().any(|one| one.id == "erase") {
                        answer(&self.bridge, "erase");
                        self.answer_by_hand(slip);
                    } else if slip == Slip::None {
                        self.own_program(ActKind::Erase, &[("set", "user-data")]);
                    }
                }
                Act::Install(Install {
                    package,
                    image: Some(_),
                }) => {
                    answer(&self.bridge, &format!("send-{package}"));
                }
                Act::Install(Install { package: name, .. }) => {
                    answer(&self.bridge, "card");
                    answer(&self.bridge, &format!("install-{name}"));
                }
                Act::InstallWithin(_) if slip == Slip::None => {
                    answer(&self.bridge, "install-itself");
                }
                Act::StartImage(_) => {
                    self.cable(CablePlace::In);
                    let image = self.image_at_hand();
                    let digest = veritope_wire::Digest::of(&image);
                    on(&self.bridge, |device| {
                        let epoch = device.line().epoch;
                        // What it says to that is seen on the device like everything else.
                        let _ = device.put_memory(image, epoch, digest);
                    });
                    self.own_program(ActKind::StartFromMemory, &[]);
                }
                Act::PutMakersSet(PutMakersSet { build, .. }) => {
                    self.cable(CablePlace::In);
                    let name = format!("{}.tar", build.as_deref().unwrap_or(""));
                    let set = std::fs::read(self.on_shelf(&name)).unwrap();
                    let took = on(&self.bridge, |device| lay_out(device, &set));
                    self.took.store(took, Ordering::SeqCst);
                }
                Act::WriteImage(WriteImage { label, .. })
                | Act::WriteToRead(WriteToRead { label, .. }) => {
                    self.cable(CablePlace::In);
                    let image = self.image_at_hand();
                    let label = label.to_string();
                    let took = on(&self.bridge, |device| {
                        if device.profile().codename == "kelpie" {
                            return lay_out(device, &image);
                        }
                        lay_down(device, &label, &image)
                    });
                    self.took.store(took, Ordering::SeqCst);
                }
                Act::PutMakersRecovery(_) => {
                    self.cable(CablePlace::In);
                    let file = self.engine.runs.hand_file(self.unit).unwrap();
                    let (_, image) = file.unwrap();
                    let label = step.act.part().unwrap().label.to_string();
                    let took = on(&self.bridge, |device| lay_down(device, &label, &image));
                    self.took.store(took, Ordering::SeqCst);
                }
                Act::ReadTable(ReadTable {}) | Act::Capture(_) => self.dump(slip),
                _ => {}
            }
        } else {
            self.play(&step.phases, slip);
        }
        self.settle_down();
    }

    /// Dumps what the step asks for with the person's own program, hands it in, and has it taken. A slip leaves one
    /// dump short, or takes what exists once a single time.
    fn dump(&self, slip: Slip) {
        self.cable(CablePlace::In);
        let Ok(list) = on(&self.bridge, |device| device.partitions()) else {
            return;
        };
        for area in &list.areas {
            let of = list.partitions.iter().filter(|part| part.area == area.area);
            let first = of.clone().map(|part| part.offset_bytes).min().unwrap();
            let last = of.map(|part| part.offset_bytes + part.length_bytes).max();
            let rest = area.length_bytes - last.unwrap();
            let area = area.area;
            for (name, spot, length) in [
                ("primary", Spot::AreaStart { area }, first),
                ("backup", Spot::AreaEnd { area }, rest),
            ] {
                self.hand_in(
                    &format!("table-{area}.{name}.img"),
                    &self.read_whole(&spot, length),
                );
            }
        }
        let wants = || self.engine.runs.handed(self.unit).unwrap().handed.wants;
        let open = |want: &Want| want.role.is_some() && want.have != Have::Enough;
        for want in wants().into_iter().filter(open) {
            let Some(part) = list.partitions.iter().find(|part| part.label == want.label) else {
                continue;
            };
            let spot = Spot::Partition {
                area: part.area,
                number: part.number,
                label: part.label.clone(),
            };
            let times = match slip {
                Slip::DefaultNo => 1,
                _ => want.times,
            };
            for n in 1..=times {
                let mut bytes = self.read_whole(&spot, part.length_bytes);
                if slip == Slip::TooEarly && n == 2 {
                    bytes.truncate(bytes.len() - 512);
                }
                self.hand_in(&format!("{}-{n}.img", part.label), &bytes);
            }
        }
        // What is still wanted is refused, and stays in hand.
        let _ = self.engine.runs.take_handed(self.unit, &Patient);
    }

    /// Whether what runs gives the right to read.
    pub(crate) fn gives_rights(&self) -> bool {
        on(&self.bridge, |device| {
            let spot = Spot::AreaStart { area: 0 };
            device.read_at(&spot, 0, 512).is_ok()
        })
    }

    fn read_whole(&self, spot: &Spot, length: u64) -> Vec<u8> {
        let mut bytes = Vec::new();
        while (bytes.len() as u64) < length {
            let count = (length - bytes.len() as u64).min(MAX_READ_BYTES);
            let at = bytes.len() as u64;
            let read = on(&self.bridge, |device| device.read_at(spot, at, count));
            match read {
                Ok(read) => bytes.extend(read),
                // What broke off is a short file.
                Err(_) => break,
            }
        }
        bytes
    }

    /// Hands a file in that was written now.
    pub(crate) fn hand_in(&self, name: &str, bytes: &[u8]) {
        let n = i64::try_from(self.handed.fetch_add(1, Ordering::SeqCst)).unwrap();
        let now = self.engine.pen.clock().stamp().wall.ms();
        // Each in a moment of its own, not on a whole second.
        let at = now + 3 * n;
        let written = WallTime::nearest_ms(at + i64::from(at % 1000 == 0));
        let keeping = &self.engine.keeping;
        let mut intake = keeping.begin_dump(self.unit, bytes.len() as u64).unwrap();
        intake.write_all(bytes).unwrap();
        keeping
            .put_dump(self.unit, intake, name, Some(written), self.request())
            .unwrap();
    }

    /// The recovery's image that lies on the bench's shelf.
    fn image_at_hand(&self) -> Vec<u8> {
        std::fs::read(self.on_shelf("r.img")).unwrap()
    }

    /// What the page asks of a unit whose system does not come up (`T5`): its forced restart, and in the black the keys
    /// of its lower mode; then it is said in which mode it is.
    pub(crate) fn out_of_a_start(&self) {
        let codename = on(&self.bridge, |device| device.profile().codename);
        let family = self.engine.library.family_named(codename).unwrap();
        let forced = &family.forced_restart.as_ref().unwrap().keys;
        let lower = family.lower_mode().unwrap();
        let leads = |way: &&MoveSpec| way.from == Mode::Off && way.to == lower;
        let way = family.moves.iter().find(leads).unwrap();
        let mode = || on(&self.bridge, |device| device.truths()["mode"].clone());
        for _ in 0..4 {
            self.cable(CablePlace::Out);
            for key in forced {
                self.key(*key, Push::Down);
            }
            for _ in 0..30 {
                if self.face().lines.is_empty() {
                    break;
                }
                self.pass(1);
            }
            for key in forced {
                self.key(*key, Push::Up);
            }
            self.play(&way.phases, Slip::None);
            self.settle_down();
            if mode() == lower.id() {
                break;
            }
        }
        self.say(&[(FactKey::Mode, &mode())]);
    }

    /// Counts the presses of a menu, and chooses.
    fn through(&self, menu: &Menu, slip: Slip) {
        for _ in 0..menu.presses {
            self.key(menu.by, Push::Down);
            self.key(menu.by, Push::Up);
        }
        if slip != Slip::WrongKeys {
            self.key(menu.choose, Push::Down);
            self.key(menu.choose, Push::Up);
        }
    }

    /// Touches a switch of the settings until it stands so.
    fn switch(&self, name: &str, wanted: &str) {
        if on(&self.bridge, |device| device.truths()[name] != wanted) {
            self.touch(name);
        }
    }

    fn answer_by_hand(&self, slip: Slip) {
        let wanted = if slip == Slip::DefaultNo { "no" } else { "yes" };
        answer(&self.bridge, wanted);
    }

    /// What is there now, as one of the things that may be said.
    pub(crate) fn what_is_seen(&self, view: &StepView, wiped: bool) -> String {
        let truths = on(&self.bridge, |device| device.truths());
        if matches!(view.step.act, Act::Erase(_)) {
            let said = if wiped { "erased" } else { "not-erased" };
            return pick(view, &truths["mode"], said);
        }
        if truths["mode"] == "system" && self.face().lines.is_empty() {
            return pick(view, "asleep", "");
        }
        let mode = &truths["mode"];
        if let Act::InstallWithin(_) | Act::Install(Install { image: Some(_), .. }) = view.step.act
        {
            let says = |line: &String| line.to_lowercase().contains("installed");
            let is_done = self.face().lines.iter().any(says);
            return pick(view, mode, if is_done { "done" } else { "not-done" });
        }
        let written = format!("{mode}-written");
        if view.sightings.iter().any(|one| one.id == written) {
            let took = self.took.load(Ordering::SeqCst);
            return pick(view, mode, if took { "written" } else { "not-written" });
        }
        pick(view, mode, &truths["lock"])
    }
}

fn pick(view: &StepView, mode: &str, lock: &str) -> String {
    let with_lock = format!("{mode}-{lock}");
    let ids: Vec<&str> = view.sightings.iter().map(|one| one.id.as_str()).collect();
    [with_lock.as_str(), mode]
        .into_iter()
        .find(|id| ids.contains(id))
        .unwrap_or("something-else")
        .to_owned()
}

/// A program of the person's own that writes an image to a partition; whether the unit took all of it.
fn lay_down(device: &mut Device, label: &str, image: &[u8]) -> bool {
    image.chunks(4 << 20).enumerate().all(|(n, piece)| {
        let epoch = device.line().epoch;
        let digest = veritope_wire::Digest::of(piece);
        let at = (n as u64) << 22;
        device.write(label, at, piece, epoch, digest).is_ok()
    })
}

/// The maker's write tool with a tar in its field; whether both say that it was taken.
fn lay_out(device: &mut Device, tar: &[u8]) -> bool {
    let epoch = device.line().epoch;
    let request = StreamRequest {
        kind: StreamKind::Download,
        name: "recovery.tar".to_owned(),
        to: None,
        length_bytes: tar.len() as u64,
        blake3: veritope_wire::Digest::of(tar),
        epoch,
    };
    let Ok(stream) = device.open_stream(&request) else {
        return false;
    };
    let digest = veritope_wire::Digest::of(tar);
    if device.put_stream(stream.id, 0, tar, epoch, digest).is_err() {
        return false;
    }
    let args = [("stream".to_owned(), stream.id.0.to_string())].into();
    let kind = ActKind::TakeStream;
    device.act(&ActRequest { kind, args, epoch }).is_ok()
}
