//! The link against the stand-in, over real HTTP on a port of its own.

#![expect(clippy::unwrap_used, reason = "a test fails by panicking")]

mod ranges;
mod stranger;
mod writes;

use std::sync::Arc;

use tokio::runtime::Runtime;
use veritope_core::mode::Mode;
use veritope_link::conform::{self, Outcome};
use veritope_link::{DeviceLink, HttpTransport, Transport};
use veritope_standin::clock::ByHand;
use veritope_standin::profile::Profile;
use veritope_standin::storage::Memory;
use veritope_standin::{Birth, Bridge, Device, LockState, Setting, serve};
use veritope_wire::body::{BodyAct, CablePlace};
use veritope_wire::link::{Handle, Listed, Progress, RefusalCode, Spot};

struct Table {
    bridge: Bridge,
    clock: Arc<ByHand>,
    url: String,
    _runtime: Runtime,
}

const TOKEN: &str = "for-this-test";

/// A bridge with one watch in memory, served on a free port.
fn table(lock: LockState) -> Table {
    let clock = Arc::new(ByHand::default());
    let birth = Birth {
        handle: "dock-1".to_owned(),
        seed: 7,
        serial: "FL1-220417-0093".to_owned(),
        chip_id: "9a:77:01:5c:20:e4".to_owned(),
        lock,
        debugging: Setting::On,
        battery_percent: 81,
        cable: CablePlace::In,
    };
    let device = device(&birth, &clock);
    let bridge = Bridge::new("test table", TOKEN, [device]);
    let runtime = Runtime::new().unwrap();
    let listener = runtime
        .block_on(tokio::net::TcpListener::bind("127.0.0.1:0"))
        .unwrap();
    let url = format!("http://{}", listener.local_addr().unwrap());
    runtime.spawn(serve(bridge.clone(), listener, std::future::pending()));
    Table {
        bridge,
        clock,
        url,
        _runtime: runtime,
    }
}

/// A watch in memory.
fn device(birth: &Birth, clock: &Arc<ByHand>) -> Device {
    let storage = Box::new(Memory::blank(141 << 20));
    Device::make_in(storage, Profile::gimbal(), birth, clock.clone()).unwrap()
}

impl Table {
    fn transport(&self) -> Arc<HttpTransport> {
        Arc::new(HttpTransport::new(&self.url, TOKEN).unwrap())
    }

    fn link(&self) -> DeviceLink {
        let unit = "0192f0c1-2345-7abc-8def-0123456789ab".parse().unwrap();
        DeviceLink::new(self.transport(), Handle("dock-1".to_owned()), unit)
    }

    fn go(&self, link: &DeviceLink, mode: Mode) {
        link.restart(mode, link.look().unwrap().epoch).unwrap();
        self.clock.pass(40);
        assert_eq!(link.look().unwrap().facts["mode"], mode.id());
    }

    fn start_recovery(&self, link: &DeviceLink) {
        self.go(link, Mode::Bootloader);
        let image = veritope_formats::startimage::build_start_image(
            "gimbal", "recovery", "3.2.0", &[5; 9000],
        );
        let operation = writes::start(link, &image);
        self.clock.pass(12);
        assert!(matches!(
            link.operation(operation.id).unwrap().progress,
            Progress::Done { .. }
        ));
    }
}

fn failures(checks: &[conform::Check]) -> Vec<&conform::Check> {
    checks
        .iter()
        .filter(|check| matches!(check.outcome, Outcome::Failed(_)))
        .collect()
}

#[test]
fn the_stand_in_conforms_in_every_mode() {
    let table = table(LockState::Unlocked);
    let transport = table.transport();
    let link = table.link();
    let handle = Handle("dock-1".to_owned());
    let mut checked = 0;
    for step in 0..3 {
        match step {
            0 => {}
            1 => table.go(&link, Mode::Bootloader),
            _ => {
                table.go(&link, Mode::System);
                table.start_recovery(&link);
            }
        }
        let mut checks = conform::reads(transport.as_ref()).unwrap();
        checks.extend(conform::changes(transport.as_ref(), &handle));
        assert_eq!(failures(&checks), Vec::<&conform::Check>::new());
        checked = checks
            .iter()
            .filter(|check| check.outcome == Outcome::Passed)
            .count();
    }
    assert!(
        checked >= 16,
        "in the recovery everything can be told; {checked} checks passed"
    );
}

#[test]
fn no_token_a_wrong_token_and_a_web_page_are_kept_out() {
    let table = table(LockState::Locked);
    let stranger = HttpTransport::new(&table.url, "guess").unwrap();
    assert_eq!(
        stranger.devices().unwrap_err().refusal(),
        Some(RefusalCode::NotAllowed)
    );
    let client = reqwest::blocking::Client::new();
    for (name, value) in [("origin", "http://elsewhere"), ("accept", "*/*")] {
        let answer = client
            .get(format!("{}/v2/devices", table.url))
            .header(name, value)
            .header(
                "authorization",
                if name == "origin" {
                    format!("Bearer {TOKEN}")
                } else {
                    String::new()
                },
            )
            .send()
            .unwrap();
        assert_eq!(answer.status(), 403, "{name}");
    }
}

#[test]
fn a_lifted_watch_is_absent_and_comes_back_under_a_new_epoch() {
    let table = table(LockState::Locked);
    let link = table.link();
    let before = link.look().unwrap();
    let cable = |to| {
        table
            .bridge
            .with("dock-1", |device| device.body(&BodyAct::Cable { to }))
            .unwrap()
    };
    cable(CablePlace::Out);
    assert_eq!(link.look().unwrap().listed, Listed::Absent);
    let refused = link.restart(Mode::Bootloader, before.epoch).unwrap_err();
    assert!(refused.is_absence(), "{refused}");
    cable(CablePlace::In);
    let after = link.look().unwrap();
    assert!(after.epoch > before.epoch);
    let stale = link.restart(Mode::Bootloader, before.epoch).unwrap_err();
    assert_eq!(stale.refusal(), Some(RefusalCode::StaleEpoch));
}

#[test]
fn the_whole_table_is_read_over_the_link() {
    let table = table(LockState::Unlocked);
    let link = table.link();
    table.start_recovery(&link);
    let list = link.partitions().unwrap();
    assert_eq!(list.partitions.len(), 9);
    let persist = list
        .partitions
        .iter()
        .find(|part| part.label.as_str() == "persist")
        .unwrap();
    assert_eq!(persist.length_bytes, 4 << 20);
    let first = link
        .read(&Spot::from(persist), 0, 512, link.look().unwrap().epoch)
        .unwrap();
    assert_eq!(&first[510..], [0x55, 0xaa], "a file system starts there");
}
