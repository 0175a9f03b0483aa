//! Fingers at the right moment, and at the wrong one.

use std::sync::Arc;

use veritope_wire::body::{AnswersTo, BodyAct, BodyKey as Key, CablePlace, Highlight, Push};
use veritope_wire::link::{ActKind, ActRequest, Progress, RefusalCode};

use crate::clock::{ByHand, DeviceClock};
use crate::condition::{Birth, LockState, Running};
use crate::device::Device;
use crate::gate::{Answer, Gate};
use crate::profile::Profile;
use crate::saved::List;
use crate::scheme::Scheme;
use crate::storage::Nothing;

struct Table {
    device: Device,
    clock: Arc<ByHand>,
}

/// Twelve times as fast as the wall.
struct Hurried(Arc<ByHand>);

impl DeviceClock for Hurried {
    fn now_ms(&self) -> i64 {
        self.0.now_ms()
    }

    fn scale(&self) -> i64 {
        12
    }
}

fn on_table(family: &str) -> Table {
    on_table_by(family, |clock| clock)
}

fn on_table_by(family: &str, pace: impl FnOnce(Arc<ByHand>) -> Arc<dyn DeviceClock>) -> Table {
    let clock = Arc::new(ByHand::default());
    let birth = Birth {
        handle: "one".to_owned(),
        ..super::birth()
    };
    let profile = Profile::named(family).unwrap().without_bytes();
    let mut device =
        Device::make_in(Box::new(Nothing), profile, &birth, pace(clock.clone())).unwrap();
    let scheme = Scheme::named(family).unwrap();
    let mut gate = Gate::shipped(scheme);
    gate.first_online_ms = Some(-1_000 * 3_600_000);
    gate.asked_updates = Answer::Yes;
    gate.switched_on = true;
    gate.token = "00A1".to_owned();
    device.set_gate(gate, "").unwrap();
    let mut table = Table { device, clock };
    table.pass(1);
    table
}

impl Table {
    fn pass(&mut self, seconds: i64) {
        self.clock.pass(seconds);
        self.device.tick().unwrap();
    }

    fn push(&mut self, key: Key, to: Push) {
        self.device.tick().unwrap();
        self.device.body(&BodyAct::Key { key, to }).unwrap();
    }

    fn down(&mut self, keys: &[Key]) {
        keys.iter().for_each(|key| self.push(*key, Push::Down));
    }

    fn up(&mut self, keys: &[Key]) {
        keys.iter().for_each(|key| self.push(*key, Push::Up));
    }

    fn tap(&mut self, key: Key) {
        self.down(&[key]);
        self.up(&[key]);
    }

    fn cable(&mut self, to: CablePlace) {
        self.device.body(&BodyAct::Cable { to }).unwrap();
    }

    fn touch(&mut self, button: &str) {
        let button = button.to_owned();
        self.device.body(&BodyAct::Touch { button }).unwrap();
    }

    fn mode(&self) -> Running {
        self.device.truth().1
    }

    /// Off for real, cable out.
    fn off(&mut self) {
        self.cable(CablePlace::Out);
        self.touch("off");
        self.pass(8);
        assert_eq!(self.mode(), Running::Off);
        assert!(!self.device.saved.hands.hibernates);
    }

    fn unlock_by_command(&mut self, form: &str) {
        let request = ActRequest {
            kind: ActKind::Unlock,
            args: [
                ("form".to_owned(), form.to_owned()),
                ("token".to_owned(), "00A1".to_owned()),
            ]
            .into(),
            epoch: self.device.epoch(),
        };
        let asked = self.device.act(&request).unwrap();
        assert!(matches!(asked.progress, Progress::Asking { .. }));
    }

    fn lock_by_command(&mut self) {
        let form = self.device.scheme().unwrap().closing_form().unwrap();
        let request = ActRequest {
            kind: ActKind::Lock,
            args: [("form".to_owned(), form.to_owned())].into(),
            epoch: self.device.epoch(),
        };
        let asked = self.device.act(&request).unwrap();
        assert!(matches!(asked.progress, Progress::Asking { .. }));
    }

    fn highlighted(&self) -> String {
        let menu = self.device.menu();
        let marked = menu.iter().find(|one| one.highlight == Highlight::Default);
        marked.map_or(String::new(), |one| one.id.clone())
    }
}

#[test]
fn hands_are_no_faster_on_a_hurried_device() {
    let mut table = on_table_by("saltern", |clock| Arc::new(Hurried(clock)));
    table.down(&[Key::Power]);
    // Half a second of the wall's: no menu yet, and a device at twelve times the pace had one.
    table.pass(6);
    table.up(&[Key::Power]);
    assert_eq!(table.device.saved.hands.list, List::None);
    table.down(&[Key::Power]);
    table.pass(12);
    assert_eq!(table.device.saved.hands.list, List::Power);
    let held = table.device.saved.at_ms;
    table.up(&[Key::Power]);
    table.pass(12);
    assert_eq!(
        table.device.saved.at_ms - held,
        12_000,
        "its own pace again"
    );
}

#[test]
fn keys_from_off_lead_where_each_family_leads() {
    for (family, keys, seconds, to) in [
        (
            "saltern",
            &[Key::VolumeDown, Key::Power][..],
            10,
            Running::Bootloader,
        ),
        ("saltern", &[Key::Power], 3, Running::System),
        (
            "cinder",
            &[Key::VolumeDown, Key::Power],
            10,
            Running::Bootloader,
        ),
        (
            "mooring",
            &[Key::VolumeUp, Key::Power],
            10,
            Running::Bootloader,
        ),
        // Power kept down past the logo: a start like any other.
        (
            "mooring",
            &[Key::VolumeDown, Key::Power],
            10,
            Running::System,
        ),
        (
            "lodestar",
            &[Key::VolumeDown, Key::Power],
            6,
            Running::StockRecovery,
        ),
        // Let go before the logo.
        (
            "saltern",
            &[Key::VolumeDown, Key::Power],
            3,
            Running::System,
        ),
    ] {
        let mut table = on_table(family);
        table.off();
        table.down(keys);
        table.pass(seconds);
        table.up(keys);
        table.pass(60);
        assert_eq!(table.mode(), to, "{family} {keys:?} {seconds} s");
    }
}

#[test]
fn power_let_go_at_the_logo_leads_on_into_the_makers_recovery() {
    let mut table = on_table("mooring");
    table.off();
    table.down(&[Key::VolumeDown, Key::Power]);
    table.pass(5);
    assert_eq!(table.device.face().lines[0], "LOGO");
    table.up(&[Key::Power]);
    table.pass(2);
    table.up(&[Key::VolumeDown]);
    table.pass(60);
    assert_eq!(table.mode(), Running::StockRecovery);
}

#[test]
fn half_sleep_looks_like_off_and_is_not() {
    let mut table = on_table("kelpie");
    table.touch("fast-start");
    table.cable(CablePlace::Out);
    table.touch("off");
    table.pass(3);
    assert_eq!(table.mode(), Running::Off);
    assert!(table.device.face().lines.is_empty());
    assert!(!table.device.face().shakes, "no vibration");
    table.down(&[Key::VolumeUp, Key::VolumeDown]);
    table.cable(CablePlace::In);
    table.pass(5);
    assert_eq!(table.mode(), Running::Off, "the keys say nothing to it");
    table.up(&[Key::VolumeUp, Key::VolumeDown]);
    table.tap(Key::Power);
    table.down(&[Key::Power]);
    table.pass(1);
    table.up(&[Key::Power]);
    table.pass(60);
    assert_eq!(table.mode(), Running::System);
}

#[test]
fn on_the_warning_long_and_short_are_opposites() {
    let at_warning = || {
        let mut table = on_table("kelpie");
        table.off();
        table.down(&[Key::VolumeUp, Key::VolumeDown]);
        table.cable(CablePlace::In);
        table.pass(3);
        table.up(&[Key::VolumeUp, Key::VolumeDown]);
        assert_eq!(table.mode(), Running::Warning);
        table
    };
    // Short, and what a hesitating finger does: both go on.
    for seconds in [0, 4] {
        let mut table = at_warning();
        table.down(&[Key::VolumeUp]);
        table.pass(seconds);
        table.up(&[Key::VolumeUp]);
        table.pass(15);
        assert_eq!(table.device.truth(), (LockState::Locked, Running::Download));
    }
    // Long asks; down is no.
    let mut table = at_warning();
    table.down(&[Key::VolumeUp]);
    table.pass(8);
    table.up(&[Key::VolumeUp]);
    assert!(table.device.saved.question.is_some());
    table.tap(Key::VolumeDown);
    table.pass(15);
    assert_eq!(table.device.truth(), (LockState::Locked, Running::Download));
    // Long asks; up is yes, and it starts anew.
    let mut table = at_warning();
    table.down(&[Key::VolumeUp]);
    table.pass(8);
    table.up(&[Key::VolumeUp]);
    table.tap(Key::VolumeUp);
    table.pass(240);
    assert_eq!(table.device.truth(), (LockState::Unlocked, Running::System));
    // The same press locks again.
    table.off_after_wipe();
    table.down(&[Key::VolumeUp, Key::VolumeDown]);
    table.cable(CablePlace::In);
    table.pass(3);
    table.up(&[Key::VolumeUp, Key::VolumeDown]);
    table.down(&[Key::VolumeUp]);
    table.pass(8);
    table.up(&[Key::VolumeUp]);
    table.tap(Key::VolumeUp);
    table.pass(240);
    assert_eq!(table.device.truth(), (LockState::Locked, Running::System));
}

impl Table {
    /// Off, with the fast start that a wipe has switched on again switched off before.
    fn off_after_wipe(&mut self) {
        self.touch("fast-start");
        self.off();
    }
}

#[test]
fn a_cable_that_is_in_too_early_or_without_the_keys_only_charges() {
    let mut table = on_table("kelpie");
    table.off();
    table.cable(CablePlace::In);
    table.pass(1);
    table.down(&[Key::VolumeUp, Key::VolumeDown]);
    table.pass(6);
    assert_eq!(table.mode(), Running::Off);
    assert!(table.device.face().lines[0].starts_with("Charging"));
    let mut bobbin = on_table("thimble");
    bobbin.off();
    bobbin.cable(CablePlace::In);
    bobbin.pass(5);
    assert_eq!(bobbin.mode(), Running::Off, "the tool was not waiting");
    bobbin.cable(CablePlace::Out);
    bobbin.touch("tool");
    bobbin.cable(CablePlace::In);
    bobbin.pass(15);
    assert_eq!(bobbin.mode(), Running::Download);
}

/// Four keys from download mode; `late` are the seconds that power stays down past the logo.
fn four_keys(late: i64, keep: i64) -> Running {
    let mut table = on_table("kelpie");
    table.device.met_in(Running::Download, 0).unwrap();
    table.pass(1);
    let all = [Key::VolumeDown, Key::VolumeUp, Key::Home, Key::Power];
    table.down(&all);
    table.pass(7);
    assert!(table.device.face().lines.is_empty(), "black");
    table.up(&[Key::VolumeDown]);
    table.pass(2);
    assert_eq!(table.device.face().lines[0], "LOGO");
    table.pass(late);
    table.up(&[Key::Power]);
    table.pass(keep);
    table.up(&[Key::VolumeUp, Key::Home]);
    table.pass(60);
    table.mode()
}

#[test]
fn four_keys_let_go_in_order_lead_into_the_recovery() {
    assert_eq!(four_keys(0, 8), Running::StockRecovery);
    assert_eq!(four_keys(5, 8), Running::Warning, "power kept too long");
    assert_eq!(four_keys(0, 0), Running::System, "let go too early");
}

#[test]
fn in_a_menu_presses_count_and_no_is_the_default() {
    for (family, form, way) in [
        ("saltern", "newer", Key::VolumeUp),
        ("cinder", "newer", Key::VolumeUp),
        ("mooring", "older", Key::VolumeDown),
        ("lodestar", "token", Key::VolumeUp),
    ] {
        let ask = || {
            let mut table = on_table(family);
            if family == "mooring" {
                let mut gate = table.device.gate().unwrap().clone();
                gate.build = "WM1-3.1-2603".to_owned();
                gate.enabled = true;
                table.device.set_gate(gate, "").unwrap();
            }
            table.device.met_in(Running::Bootloader, 0).unwrap();
            table.pass(1);
            table.unlock_by_command(form);
            table
        };
        let mut table = ask();
        assert_eq!(table.highlighted(), "no", "{family}");
        table.touch("yes");
        assert!(table.device.saved.question.is_some(), "fingers do nothing");
        table.tap(Key::Power);
        assert_eq!(table.device.truth().0, LockState::Locked, "{family}");
        let mut table = ask();
        table.tap(way);
        assert_eq!(table.highlighted(), "yes", "{family}");
        table.tap(Key::Power);
        table.pass(60);
        assert_eq!(table.device.truth().0, LockState::Unlocked, "{family}");
        // And back: no is the default here too.
        table.lock_by_command();
        assert_eq!(table.highlighted(), "no", "{family}");
        table.tap(Key::Power);
        table.pass(60);
        assert_eq!(table.device.truth().0, LockState::Unlocked, "{family}");
        table.lock_by_command();
        table.tap(way);
        table.tap(Key::Power);
        table.pass(60);
        assert_eq!(table.device.truth().0, LockState::Locked, "{family}");
    }
    let mut table = on_table("cinder");
    table.device.met_in(Running::Bootloader, 0).unwrap();
    table.pass(1);
    assert!(
        table
            .device
            .menu()
            .iter()
            .all(|one| one.by == AnswersTo::Keys)
    );
    table.tap(Key::VolumeDown);
    table.tap(Key::VolumeDown);
    assert_eq!(table.highlighted(), "recovery");
    table.tap(Key::Power);
    table.pass(30);
    assert_eq!(table.mode(), Running::StockRecovery);
}

#[test]
fn critical_partitions_open_after_the_device_and_close_before_it() {
    let mut table = on_table("saltern");
    table.device.met_in(Running::Bootloader, 0).unwrap();
    table.pass(1);
    let ask = |table: &mut Table, kind, stage: &str| {
        let args = [("form", "newer"), ("stage", stage)];
        let args = args.map(|(k, v)| (k.to_owned(), v.to_owned())).into();
        let epoch = table.device.epoch();
        table.device.act(&ActRequest { kind, args, epoch })
    };
    let yes = |table: &mut Table| {
        table.tap(Key::VolumeUp);
        table.tap(Key::Power);
        table.pass(60);
    };
    assert!(ask(&mut table, ActKind::Unlock, "critical").is_err());
    ask(&mut table, ActKind::Unlock, "main").unwrap();
    yes(&mut table);
    ask(&mut table, ActKind::Unlock, "critical").unwrap();
    yes(&mut table);
    assert_eq!(table.device.saved.critical, LockState::Unlocked);
    let refused = ask(&mut table, ActKind::Lock, "main").unwrap_err();
    assert_eq!(refused.words, "critical partitions first");
    ask(&mut table, ActKind::Lock, "critical").unwrap();
    yes(&mut table);
    assert_eq!(table.device.truth().0, LockState::Unlocked);
    ask(&mut table, ActKind::Lock, "main").unwrap();
    yes(&mut table);
    assert_eq!(table.device.truth().0, LockState::Locked);
}

#[test]
fn the_menu_of_the_makers_recovery_erases_only_after_a_yes() {
    let mut table = on_table("kelpie");
    table.device.met_in(Running::StockRecovery, 1).unwrap();
    table.tap(Key::VolumeDown);
    table.tap(Key::Power);
    let shown = table.device.face().buttons;
    let marked = shown
        .iter()
        .find(|line| line.highlight == Highlight::Default);
    assert_eq!(marked.map(|line| line.id.as_str()), Some("no"));
    table.tap(Key::Power);
    table.pass(100);
    assert_eq!(table.device.wipes(), 0);
    table.tap(Key::VolumeDown);
    table.tap(Key::Power);
    table.tap(Key::VolumeUp);
    table.tap(Key::Power);
    table.pass(100);
    assert_eq!(table.device.wipes(), 1);
    assert_eq!(table.device.truths()["accounts"], "0");
    assert_eq!(
        table.device.truth(),
        (LockState::Locked, Running::StockRecovery)
    );
}

#[test]
fn a_slot_is_changed_by_an_open_bootloader_and_an_empty_one_starts_nothing() {
    let mut table = on_table("saltern");
    let set = |table: &mut Table, slot: &str| {
        let request = ActRequest {
            kind: ActKind::SetSlot,
            args: [("slot".to_owned(), slot.to_owned())].into(),
            epoch: table.device.state().epoch,
        };
        table.device.act(&request).map_err(|no| no.code)
    };
    assert_eq!(set(&mut table, "b").unwrap_err(), RefusalCode::WrongMode);
    table.device.met_in(Running::Bootloader, 0).unwrap();
    assert_eq!(set(&mut table, "b").unwrap_err(), RefusalCode::Locked);
    table.device.saved.lock = LockState::Unlocked;
    assert_eq!(set(&mut table, "c").unwrap_err(), RefusalCode::BadRequest);
    set(&mut table, "b").unwrap();
    assert!(table.device.face().lines.contains(&"Slot: b".to_owned()));
    // Chosen in its menu: the first line starts the system.
    table.tap(Key::Power);
    table.pass(600);
    assert_eq!(table.device.truth().1, Running::Bootloader);
    set(&mut table, "a").unwrap();
    table.tap(Key::Power);
    table.pass(600);
    assert_eq!(table.device.truth().1, Running::System);

    let mut single = on_table("cinder");
    single.device.met_in(Running::Bootloader, 0).unwrap();
    let unknown = set(&mut single, "b").unwrap_err();
    assert_eq!(unknown, RefusalCode::UnknownCommand);
}
