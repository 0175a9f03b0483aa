mod hands;
mod moved;

use veritope_wire::Digest;
use veritope_wire::body::{BodyAct, BodyKey, Push};
use veritope_wire::link::{ActKind, ActRequest, Epoch, Listed, Operation, Written};

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

fn act(device: &mut Device, kind: ActKind, args: &[(&str, &str)]) -> Result<Operation, Refusal> {
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

fn push(device: &mut Device, key: BodyKey, to: Push) {
    device.tick().unwrap();
    device.body(&BodyAct::Key { key, to }).unwrap();
}

/// Holds keys down for so many seconds.
fn hold(device: &mut Device, clock: &ByHand, keys: &[BodyKey], seconds: i64) {
    keys.iter().for_each(|key| push(device, *key, Push::Down));
    clock.pass(seconds);
    keys.iter().for_each(|key| push(device, *key, Push::Up));
}

fn userdata(device: &Device) -> Vec<u8> {
    first_of(device, "userdata")
}

fn first_of(device: &Device, label: &str) -> Vec<u8> {
    let (offset, _) = device.span(label).unwrap();
    let mut bytes = vec![0; 4096];
    device.storage.read_at(offset, &mut bytes).unwrap();
    bytes
}

#[test]
fn the_erase_command_takes_the_owners_data_and_nothing_else() {
    let folder = tempfile::tempdir().unwrap();
    let (mut device, clock) = device(&folder.path().join("dock-1"));
    into_bootloader(&mut device, &clock);
    let (persist, before) = (first_of(&device, "persist"), userdata(&device));
    let erase = |device: &mut Device, set| act(device, ActKind::Erase, &[("set", set)]);
    let locked = erase(&mut device, "user-data").unwrap_err();
    assert_eq!(locked.code, RefusalCode::Locked);
    device.saved.lock = LockState::Unlocked;
    let odd = erase(&mut device, "everything").unwrap_err();
    assert_eq!(odd.code, RefusalCode::BadRequest);
    assert_eq!(userdata(&device), before);
    erase(&mut device, "user-data").unwrap();
    clock.pass(60);
    device.tick().unwrap();
    assert_ne!(userdata(&device), before);
    assert_eq!(first_of(&device, "persist"), persist);
    assert_eq!(device.truth(), (LockState::Unlocked, Running::Bootloader));
    assert_eq!(device.wipes(), 1);
}

#[test]
fn what_is_erased_in_the_middle_of_an_update_never_starts_again() {
    let folder = tempfile::tempdir().unwrap();
    let (mut device, clock) = device(&folder.path().join("dock-1"));
    device.saved.lock = LockState::Unlocked;
    let start = |device: &mut Device| {
        into_bootloader(device, &clock);
        act(device, ActKind::Erase, &[("set", "user-data")]).unwrap();
        clock.pass(60);
        act(device, ActKind::Restart, &[("mode", "system")]).unwrap();
        clock.pass(600);
        device.tick().unwrap();
        let mode = device.saved.mode;
        device.saved.debugging = Setting::On;
        mode
    };
    assert_eq!(start(&mut device), Running::System);
    device.merges_an_update().unwrap();
    assert_eq!(start(&mut device), Running::Animation);
}

/// An unlock takes user data as well, and what was being merged in it.
#[test]
fn an_unlock_in_the_middle_of_an_update_tears_it() {
    let folder = tempfile::tempdir().unwrap();
    let (mut device, clock) = device(&folder.path().join("dock-1"));
    into_bootloader(&mut device, &clock);
    device.merges_an_update().unwrap();
    act(&mut device, ActKind::Unlock, &[("form", "newer")]).unwrap();
    touch(&mut device, "yes");
    clock.pass(60);
    act(&mut device, ActKind::Restart, &[("mode", "system")]).unwrap();
    clock.pass(600);
    device.tick().unwrap();
    assert_eq!(device.saved.mode, Running::Animation);
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

fn write(device: &mut Device, label: &str, start: u64, bytes: &[u8]) -> Result<Written, Refusal> {
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
    let foreign = veritope_formats::startimage::build_start_image("kelpie", "recovery", "1", b"x");
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
    assert!(device.partitions().unwrap().volumes.is_empty());
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
    hold(&mut device, &clock, &[BodyKey::DockButton], 9);
    assert!(device.saved.question.is_some(), "too short");
    push(&mut device, BodyKey::Screen, Push::Down);
    hold(&mut device, &clock, &[BodyKey::DockButton], 15);
    clock.pass(20);
    device.tick().unwrap();
    assert_eq!(device.saved.mode, Running::Bootloader);
    assert!(matches!(
        device.operation(asked.id).unwrap().progress,
        Progress::Refused(_)
    ));
    assert_eq!(device.saved.lock, LockState::Locked);
}

/// The phone as they are made now: its table, its parts of a start, its volumes and its chain are what they
/// say they are, seen by the looker that sees everybody's.
#[test]
fn a_modern_phone_holds_what_its_parts_say() {
    use crate::storage::Memory;
    use veritope_formats::look::{Descriptor, Limits, What, look};
    let profile = Profile::named("halyard").unwrap();
    assert_eq!(profile.partitions.len(), 72);
    let length = crate::content::area_bytes(&profile);
    let storage = Box::new(Memory::blank(length));
    let clock = Arc::new(ByHand::default());
    let device = Device::make_in(storage, profile, &birth(), clock).unwrap();
    let seen = |label: &str| look(&device.part(label).unwrap(), label, Limits::default());
    let none = |label: &str| assert_eq!(seen(label).findings, [], "{label}");
    for label in [
        "vendor_boot_a",
        "vbmeta_a",
        "vbmeta_system_a",
        "vbmeta_vendor_a",
        "super",
    ] {
        none(label);
    }
    let What::Volumes(volumes) = seen("super").what else {
        panic!("{:?}", seen("super").what)
    };
    let names: Vec<&str> = volumes.metadata_slots[0]
        .volumes
        .iter()
        .map(|one| one.name.as_str())
        .collect();
    assert_eq!(names, ["system_a", "vendor_a", "product_a", "odm_a"]);
    let inside = seen("super").inside;
    assert_eq!(inside.len(), 4);
    assert!(
        inside
            .iter()
            .all(|one| matches!(one.looked.what, What::FileSystem(_)))
    );
    // The chain: what the main metadata leaves to other keys is signed with these.
    let metadata = |label: &str| match seen(label).what {
        What::Verification(one) => *one,
        other => panic!("{label}: {other:?}"),
    };
    let main = metadata("vbmeta_a");
    assert_eq!(main.signature_holds, Some(true));
    let chained: Vec<(String, String)> = main
        .descriptors
        .iter()
        .filter_map(|one| match one {
            Descriptor::Chain {
                partition,
                key_sha256,
                ..
            } => Some((partition.clone(), key_sha256.clone())),
            _ => None,
        })
        .collect();
    assert_eq!(chained.len(), 2);
    for (label, key) in chained {
        let own = metadata(&format!("{label}_a"));
        assert_eq!(
            (own.signature_holds, own.key_sha256),
            (Some(true), Some(key)),
            "{label}"
        );
        assert_eq!(own.descriptors.len(), 2, "{label}");
    }
    let What::StartImage(kernel) = seen("boot_a").what else {
        panic!("{:?}", seen("boot_a").what)
    };
    assert!(kernel.ramdisk.is_none() && kernel.kernel_bytes > 0);
    assert_eq!(device.own_recovery(), Running::StockRecovery);
    assert!(device.slot_starts().unwrap());
}

/// Installed from within it stays over a start, also after this process began anew; where the system is its maker's
/// again, the maker's recovery comes back.
#[test]
fn what_installs_itself_stays_until_the_system_is_its_makers_again() {
    let folder = tempfile::tempdir().unwrap();
    let home = folder.path().join("dock-1");
    let clock = Arc::new(ByHand::default());
    let profile = Profile::named("cinder").unwrap();
    let mut device = Device::make(&home, profile, &birth(), clock.clone()).unwrap();
    let scheme = crate::scheme::Scheme::named("cinder").unwrap();
    device
        .set_gate(crate::gate::Gate::shipped(scheme), "")
        .unwrap();
    device.saved.lock = LockState::Unlocked;
    let image = veritope_formats::startimage::build_start_image("cinder", "recovery", "1", b"x");
    let start = |device: &mut Device, clock: &ByHand| {
        act(device, ActKind::Restart, &[("mode", "bootloader")]).unwrap();
        clock.pass(60);
        device.tick().unwrap();
        let epoch = device.epoch();
        let digest = Digest::of(&image);
        device.put_memory(image.clone(), epoch, digest).unwrap();
        act(device, ActKind::StartFromMemory, &[]).unwrap();
        clock.pass(60);
        device.tick().unwrap();
        assert_eq!(device.saved.mode, Running::TemporaryRecovery);
    };
    let over_a_start = |device: &mut Device, clock: &ByHand| {
        touch(device, "start");
        clock.pass(300);
        device.tick().unwrap();
        assert_eq!(device.saved.mode, Running::System);
        device.own_recovery()
    };
    start(&mut device, &clock);
    let (system, recovery) = (
        device.span("system").unwrap().0,
        first_of(&device, "recovery"),
    );
    let mut stock = vec![0; 256 * 1024];
    device.storage.read_at(system, &mut stock).unwrap();
    drop(device);
    let clock = Arc::new(ByHand::default());
    let mut device = Device::open(&home, clock.clone()).unwrap();
    touch(&mut device, "install-itself");
    assert!(
        device
            .face()
            .lines
            .iter()
            .any(|line| line.contains("Installed"))
    );
    assert_ne!(first_of(&device, "recovery"), recovery);
    let log = "/scratch/recovery.log";
    let length = device.file_digest(log).unwrap().length_bytes;
    let (told, _) = device.pull(log, 0, length).unwrap();
    assert!(
        String::from_utf8(told)
            .unwrap()
            .contains("installed itself")
    );
    let mut now = stock.clone();
    device.storage.read_at(system, &mut now).unwrap();
    let differing = stock.iter().zip(&now).filter(|(was, is)| was != is).count();
    assert!((1..64).contains(&differing), "a small change: {differing}");
    assert_eq!(over_a_start(&mut device, &clock), Running::CustomRecovery);
    device.storage.write_at(system, &stock).unwrap();
    start(&mut device, &clock);
    assert_eq!(over_a_start(&mut device, &clock), Running::StockRecovery);
    assert_eq!(first_of(&device, "recovery"), recovery);
}
