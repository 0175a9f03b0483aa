//! What goes over the cable beside partitions: volumes, files, streams.

use veritope_wire::Label;
use veritope_wire::link::{EntryKind, Lasts, Spot, StreamKind, StreamRequest};

use super::*;
use crate::bridge::package_bytes;
use crate::gate::Gate;
use crate::scheme::Scheme;
use crate::storage::Memory;

fn of_family(codename: &str, mode: Running, megabytes: u64) -> (Device, Arc<ByHand>) {
    let clock = Arc::new(ByHand::default());
    let profile = Profile::named(codename).unwrap();
    let profile = match codename {
        "halyard" => profile,
        _ => profile.small(),
    };
    let birth = Birth {
        lock: LockState::Unlocked,
        ..birth()
    };
    let storage = Box::new(Memory::blank(megabytes << 20));
    let mut device = Device::make_in(storage, profile, &birth, clock.clone()).unwrap();
    let gate = Gate::shipped(Scheme::named(codename).unwrap());
    device.set_gate(gate, "").unwrap();
    device.met_in(mode, 0).unwrap();
    (device, clock)
}

fn volume(name: &str) -> Spot {
    Spot::Volume {
        label: name.parse().unwrap(),
    }
}

fn names(device: &Device) -> Vec<String> {
    let list = device.partitions().unwrap();
    let names = list.volumes.iter().map(|one| one.label.to_string());
    names.collect()
}

#[test]
fn volumes_are_read_written_resized_and_removed() {
    let (mut device, _) = of_family("halyard", Running::TemporaryRecovery, 1 << 10);
    let all = ["system_a", "vendor_a", "product_a", "odm_a"];
    assert_eq!(names(&device), all);
    let (_, length) = device.lies(&volume("vendor_a")).unwrap();
    let first = device.read_at(&volume("vendor_a"), 0, 4096).unwrap();
    // What a volume holds lies in its container, where the container's table says.
    let (at, _) = device.lies(&volume("vendor_a")).unwrap();
    let (base, _) = device.span("super").unwrap();
    assert_eq!(device.read("super", at - base, 4096).unwrap(), first);
    let longer = (length + (4 << 20)).to_string();
    let args = [("volume", "vendor_a"), ("length", longer.as_str())];
    act(&mut device, ActKind::ResizeVolume, &args).unwrap();
    let (moved, now) = device.lies(&volume("vendor_a")).unwrap();
    assert_eq!(
        (now, moved == at),
        (length + (4 << 20), false),
        "it had no room"
    );
    assert_eq!(device.read_at(&volume("vendor_a"), 0, 4096).unwrap(), first);
    let epoch = device.epoch();
    let written = device.write_at(
        &volume("vendor_a"),
        now - 4,
        b"last",
        epoch,
        Digest::of(b"last"),
    );
    written.unwrap();
    assert_eq!(
        device.read_at(&volume("vendor_a"), now - 4, 4).unwrap(),
        b"last"
    );
    act(&mut device, ActKind::RemoveVolume, &[("volume", "odm_a")]).unwrap();
    assert_eq!(names(&device), all[..3]);
    let gone = act(&mut device, ActKind::RemoveVolume, &[("volume", "odm_a")]);
    assert_eq!(gone.unwrap_err().code, RefusalCode::NotFound);
    let args = [("volume", "system_a"), ("length", "1000000000000")];
    let huge = act(&mut device, ActKind::ResizeVolume, &args);
    assert_eq!(huge.unwrap_err().code, RefusalCode::TooLarge);
    assert_eq!(names(&device), all[..3], "a refusal changes nothing");
}

#[test]
fn files_come_whole_and_go_with_what_they_lie_in() {
    let folder = tempfile::tempdir().unwrap();
    let (mut device, clock) = unlocked(&folder.path().join("dock-1"));
    let scratch = device.state().scratch.unwrap();
    assert_eq!(scratch.lasts, Lasts::Erase);
    let path = format!("{}/a/list.txt", scratch.path);
    let put = |device: &mut Device, first: u64, bytes: &[u8]| {
        let epoch = device.epoch();
        device.push(&path, (first, 9), bytes, epoch, Digest::of(bytes))
    };
    put(&mut device, 0, b"half").unwrap();
    assert_eq!(
        device.file_digest(&path).unwrap_err().code,
        RefusalCode::NotFound
    );
    let skipped = put(&mut device, 5, b"more").unwrap_err();
    assert_eq!(skipped.code, RefusalCode::BadRequest);
    put(&mut device, 4, b" more").unwrap();
    let there = device.file_digest(&path).unwrap();
    assert_eq!(
        (there.blake3, there.length_bytes),
        (Digest::of(b"half more"), 9)
    );
    let listed = device.files(&scratch.path).unwrap().entries;
    assert_eq!(
        (listed[0].name.as_str(), listed[0].kind),
        ("a", EntryKind::Folder)
    );
    // It survives the process, and not the owner's erase.
    drop(device);
    let mut device = Device::open(&folder.path().join("dock-1"), clock.clone()).unwrap();
    assert_eq!(device.pull(&path, 5, 4).unwrap(), (b"more".to_vec(), 9));
    for odd in [
        "/internal/../card",
        "internal",
        "/internal//a",
        "/elsewhere/a",
    ] {
        assert!(device.files(odd).is_err(), "{odd}");
    }
    into_bootloader(&mut device, &clock);
    assert_eq!(
        device.files("/internal").unwrap_err().code,
        RefusalCode::WrongMode
    );
    act(&mut device, ActKind::Erase, &[("set", "user-data")]).unwrap();
    clock.pass(100);
    act(&mut device, ActKind::Restart, &[("mode", "system")]).unwrap();
    clock.pass(400);
    device.tick().unwrap();
    device.saved.debugging = Setting::On;
    assert_eq!(
        device.file_digest(&path).unwrap_err().code,
        RefusalCode::NotFound
    );
}

fn streamed(device: &mut Device, kind: StreamKind, to: Option<&str>, bytes: &[u8]) -> u64 {
    let request = StreamRequest {
        kind,
        name: "what comes".to_owned(),
        to: to.map(|label| label.parse::<Label>().unwrap()),
        length_bytes: bytes.len() as u64,
        blake3: Digest::of(bytes),
        epoch: device.epoch(),
    };
    let stream = device.open_stream(&request).unwrap();
    let mut first = 0;
    for piece in bytes.chunks(300_000) {
        let epoch = device.epoch();
        let put = device.put_stream(stream.id, first, piece, epoch, Digest::of(piece));
        first = put.unwrap().next_byte;
    }
    stream.id.0
}

fn taken(device: &mut Device, stream: u64) -> Result<Operation, Refusal> {
    let stream = stream.to_string();
    act(device, ActKind::TakeStream, &[("stream", &stream)])
}

#[test]
fn a_recovery_takes_its_makers_packages_and_no_others() {
    let (mut device, _) = of_family("mooring", Running::StockRecovery, 64);
    let foreign = streamed(&mut device, StreamKind::Sideload, None, b"anything");
    let refused = taken(&mut device, foreign).unwrap_err();
    assert_eq!(refused.words, "signature verification failed");
    let full = package_bytes("mallet-full-4.0");
    let stream = streamed(&mut device, StreamKind::Sideload, None, &full);
    taken(&mut device, stream).unwrap();
    assert_eq!(device.truths()["build"], "WM1-4.0-2612");
    let again = taken(&mut device, stream).unwrap_err();
    assert_eq!(again.code, RefusalCode::NotFound, "it is taken once");
}

#[test]
fn download_mode_writes_a_stream_that_is_whole() {
    let (mut device, _) = of_family("kelpie", Running::Download, 64);
    let image = vec![7; 500_000];
    let stream = streamed(&mut device, StreamKind::Download, Some("recovery"), &image);
    let before = device.span("recovery").unwrap();
    taken(&mut device, stream).unwrap();
    let mut there = vec![0; image.len()];
    device.storage().read_at(before.0, &mut there).unwrap();
    assert!(there == image);
    let nowhere = streamed(&mut device, StreamKind::Download, Some("nowhere"), &image);
    assert_eq!(
        taken(&mut device, nowhere).unwrap_err().code,
        RefusalCode::NotFound
    );
}

/// Straight in it stays; a start of the system in between brings the maker's back, whole.
#[test]
fn a_start_of_the_system_puts_its_makers_recovery_back_where_it_does() {
    let custom = veritope_formats::startimage::build_start_image(
        "kelpie",
        "recovery",
        "3.2.0",
        &[5; 20_000],
    );
    let written = |to: &str| {
        let (mut device, clock) = of_family("kelpie", Running::Download, 64);
        let (at, length) = device.span("recovery").unwrap();
        let mut stock = vec![0; usize::try_from(length).unwrap()];
        device.storage().read_at(at, &mut stock).unwrap();
        let stream = streamed(&mut device, StreamKind::Download, Some("recovery"), &custom);
        taken(&mut device, stream).unwrap();
        // It checks what it starts until that is switched off.
        assert_eq!(device.own_recovery(), Running::Download);
        let off = veritope_formats::make::empty_switched_off();
        let stream = streamed(&mut device, StreamKind::Download, Some("vbmeta"), &off);
        taken(&mut device, stream).unwrap();
        assert_eq!(device.own_recovery(), Running::CustomRecovery);
        if to == "system" {
            act(&mut device, ActKind::Restart, &[("mode", "system")]).unwrap();
            clock.pass(900);
            device.tick().unwrap();
            assert_eq!(device.truth().1, Running::System);
        }
        let mut now = vec![0; stock.len()];
        device.storage().read_at(at, &mut now).unwrap();
        (device.own_recovery(), now == stock)
    };
    assert_eq!(written("nowhere"), (Running::CustomRecovery, false));
    assert_eq!(written("system"), (Running::StockRecovery, true));
}

#[test]
fn the_modern_phone_tells_another_identity_in_each_mode() {
    let (mut device, _) = of_family("halyard", Running::System, 1 << 10);
    let told = |device: &Device| device.state().identities.into_keys().collect::<Vec<_>>();
    assert_eq!(told(&device), ["serial"]);
    assert!(!device.state().facts.contains_key("rollback-index"));
    device.met_in(Running::Bootloader, 0).unwrap();
    assert_eq!(told(&device), ["chip-id", "download-number"]);
    device.met_in(Running::TemporaryRecovery, 0).unwrap();
    assert_eq!(told(&device), ["chip-id"]);
}

#[test]
fn an_update_waits_is_merged_and_done() {
    let (mut device, clock) = of_family("saltern", Running::Bootloader, 64);
    device.has_an_update_waiting().unwrap();
    let merging = |device: &Device| device.truths()["merging"].clone();
    assert_eq!(device.state().facts["merging"], "waiting");
    for then in ["merging", "none"] {
        act(&mut device, ActKind::Restart, &[("mode", "system")]).unwrap();
        clock.pass(400);
        device.tick().unwrap();
        assert_eq!(merging(&device), then);
    }
}
