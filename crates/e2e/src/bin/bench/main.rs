//! What `cargo xtask bench` runs: each figure as a median with its spread, speed as a ratio against
//! a public tool that does the same work in the same run.

use std::io::Write;
use std::path::Path;
use std::process::{Command, Stdio};
use std::sync::Arc;
use std::time::{Duration, Instant};

use tokio::net::TcpListener;
use tokio::runtime::Runtime;
use veritope_core::digest::{FrameLayout, SeeingHasher};
use veritope_e2e::{Outcome, root};
use veritope_link::{HttpTransport, Transport};
use veritope_standin::clock::Scaled;
use veritope_standin::profile::Profile;
use veritope_standin::{Birth, Bridge, Device, LockState, Setting, serve};
use veritope_vault::{Access, Vault, pump};
use veritope_wire::body::CablePlace;
use veritope_wire::link::{ActKind, ActRequest, Handle, Listed, MAX_READ_BYTES};
use veritope_wire::{Digest, JobId, Label, PlaceId};

mod judging;
mod looking;

/// Runs of each figure.
const RUNS: usize = 5;
/// How many times larger than the demo's the read partition is.
const SIZE_SCALE: u32 = 16;
/// The partition that is read.
const LABEL: &str = "userdata";
/// The device of the reading.
const HANDLE: &str = "dock-1";
const TOKEN: &str = "bench";

fn main() -> Outcome {
    let folder = tempfile::tempdir()?;
    let only = std::env::args().nth(1);
    if only.as_deref() != Some("judging") {
        looking::ten_thousand(folder.path())?;
        looking::four_gib(folder.path())?;
        looking::worst()?;
    }
    if only.as_deref() == Some("look") {
        return Ok(());
    }
    judging::one()?;
    judging::forty_steps()?;
    judging::many_builds()?;
    judging::bench_of_units(folder.path())?;
    if only.as_deref() == Some("judging") {
        return Ok(());
    }
    demo_start(folder.path())?;
    let runtime = Runtime::new()?;
    let url = recovery_on_a_bridge(folder.path(), &runtime)?;
    read_over_the_link(&url, folder.path())?;
    capture(&url, folder.path())
}

/// From the command to the first answer over HTTP.
fn demo_start(folder: &Path) -> Outcome {
    let binary = std::env::current_exe()?.with_file_name("veritope");
    let mut times = Vec::new();
    for _ in 0..RUNS {
        let listen = {
            let free = std::net::TcpListener::bind("127.0.0.1:0")?;
            free.local_addr()?.to_string()
        };
        let began = Instant::now();
        let mut demo = Command::new(&binary)
            .args([
                "demo",
                "--listen",
                &listen,
                "--standin",
                "127.0.0.1:0",
                "--front",
            ])
            .arg(root().join("web/dist"))
            .arg("--data")
            .arg(folder.join("demo"))
            .stdout(Stdio::null())
            .spawn()?;
        let answered = loop {
            if std::net::TcpStream::connect(&listen).is_ok() {
                let mut curl = curl();
                break succeed(curl.arg(format!("http://{listen}/api/bench")));
            }
            if began.elapsed() > Duration::from_secs(60) {
                break Err("the demo does not answer within a minute".into());
            }
            std::thread::sleep(Duration::from_millis(5));
        };
        times.push(began.elapsed());
        demo.kill()?;
        demo.wait()?;
        answered?;
    }
    report(
        "demo, from the command to the first answer (goal 3 s)",
        &times,
    );
    Ok(())
}

/// A watch in a recovery that runs from memory, behind a bridge; gives the bridge's address.
fn recovery_on_a_bridge(folder: &Path, runtime: &Runtime) -> Outcome<String> {
    let birth = Birth {
        handle: HANDLE.to_owned(),
        seed: 1,
        serial: "FL1-220417-0093".to_owned(),
        chip_id: "9a:77:01:5c:20:e4".to_owned(),
        lock: LockState::Unlocked,
        debugging: Setting::On,
        battery_percent: 81,
        cable: CablePlace::In,
    };
    let profile = Profile::gimbal().scaled(SIZE_SCALE);
    let clock = Arc::new(Scaled::from(0, 10_000));
    let device = Device::make(&folder.join(HANDLE), profile, &birth, clock)?;
    let bridge = Bridge::new("bench", TOKEN, [device]);
    let act = |kind, mode: &str| {
        bridge.with(HANDLE, |device| {
            let epoch = device.line().epoch;
            if kind == ActKind::StartFromMemory {
                let image = veritope_standin::recovery_image("gimbal", "3.2.0");
                let digest = Digest::of(&image);
                device.put_memory(image, epoch, digest)?;
            }
            let args = [("mode".to_owned(), mode.to_owned())].into();
            device.act(&ActRequest { kind, args, epoch })
        })?;
        while bridge.with(HANDLE, |device| Ok(device.line().listed))? != Listed::Ready {
            std::thread::sleep(Duration::from_millis(2));
        }
        Outcome::Ok(())
    };
    act(ActKind::Restart, "bootloader")?;
    act(ActKind::StartFromMemory, "")?;
    let listener = runtime.block_on(TcpListener::bind("127.0.0.1:0"))?;
    let url = format!("http://{}", listener.local_addr()?);
    runtime.spawn(serve(bridge, listener, std::future::pending()));
    Ok(url)
}

/// The same partition through our transport, hashed and synced, and through curl, neither.
fn read_over_the_link(url: &str, folder: &Path) -> Outcome {
    let transport = HttpTransport::new(url, TOKEN)?;
    let handle = Handle(HANDLE.to_owned());
    let found = transport.partitions(&handle)?.find(LABEL);
    let (spot, length) = found.ok_or("the device has no such partition")?;
    let ranges: Vec<(u64, u64)> = (0..length)
        .step_by(usize::try_from(MAX_READ_BYTES)?)
        .map(|first| (first, MAX_READ_BYTES.min(length - first)))
        .collect();
    let (mut ours, mut theirs) = (Vec::new(), Vec::new());
    for _ in 0..RUNS {
        let began = Instant::now();
        let mut hasher = SeeingHasher::new();
        let mut file = std::fs::File::create(folder.join("ours"))?;
        for (first, count) in &ranges {
            let bytes = transport.read(&handle, &spot, *first, *count)?.bytes;
            hasher.update(&bytes);
            file.write_all(&bytes)?;
        }
        file.sync_all()?;
        std::hint::black_box(hasher.finish());
        ours.push(began.elapsed());

        let began = Instant::now();
        let mut curl = curl();
        for (n, (first, count)) in ranges.iter().enumerate() {
            if n > 0 {
                curl.args(["--next", "--silent", "--fail"]);
            }
            curl.args(["--header", &format!("Authorization: Bearer {TOKEN}")]);
            curl.args(["--range", &format!("{first}-{}", first + count - 1)]);
            curl.arg(format!("{url}/v2/devices/{HANDLE}{}", spot.path()));
        }
        let status = curl
            .stdout(std::fs::File::create(folder.join("theirs"))?)
            .status()?;
        if !status.success() {
            return Err(format!("curl: {status}").into());
        }
        theirs.push(began.elapsed());
    }
    println!("{LABEL}, {} MiB, over the link:", length >> 20);
    report("  ours, hashed and synced to a file", &ours);
    report("  curl, neither hashed nor synced", &theirs);
    let ratio = median(&ours).as_secs_f64() / median(&theirs).as_secs_f64();
    println!("  ours takes {ratio:.2} times as long as curl");
    Ok(())
}

/// A partition from the link into a vault, hashed, compressed on both cores and synced frame by
/// frame, then closed; and the same by public tools: curl to a file, `zstd -3 -T2`, `b3sum`, each
/// after the other, not synced.
fn capture(url: &str, folder: &Path) -> Outcome {
    let transport = HttpTransport::new(url, TOKEN)?;
    let handle = Handle(HANDLE.to_owned());
    let label: Label = LABEL.parse()?;
    let found = transport.partitions(&handle)?.find(LABEL);
    let (spot, length) = found.ok_or("the device has no such partition")?;
    let layout = FrameLayout::new(length);
    let (mut ours, mut theirs, mut verified) = (Vec::new(), Vec::new(), Vec::new());
    for run in 0..RUNS {
        let root = folder.join(format!("vault-{run}"));
        let vault = Vault::open(&root, Access::Write, PlaceId::new(uuid::Uuid::from_u128(1)))?;
        let began = Instant::now();
        let mut staging = vault.stage(JobId::new(uuid::Uuid::from_u128(2)))?;
        let read = |index: u64| {
            let (first, count) = layout.span(index);
            let read = transport.read(&handle, &spot, first, count);
            read.map(|read| read.bytes).map_err(std::io::Error::other)
        };
        pump(layout, 0, read, |frame| {
            staging.append(&label, frame).map_err(std::io::Error::other)
        })?;
        let image = staging.close(&label, layout)?;
        ours.push(began.elapsed());

        let began = Instant::now();
        let mut object = vault.object(image.blake3)?;
        let mut hasher = SeeingHasher::new();
        for index in 0..layout.count() {
            hasher.update(&object.frame(index)?);
        }
        if hasher.finish().digest() != image.blake3 {
            return Err("the object does not read back".into());
        }
        verified.push(began.elapsed());

        let began = Instant::now();
        let file = folder.join("theirs");
        let mut curl = curl();
        for index in 0..layout.count() {
            if index > 0 {
                curl.args(["--next", "--silent", "--fail"]);
            }
            let (first, count) = layout.span(index);
            curl.args(["--header", &format!("Authorization: Bearer {TOKEN}")]);
            curl.args(["--range", &format!("{first}-{}", first + count - 1)]);
            curl.arg(format!("{url}/v2/devices/{HANDLE}{}", spot.path()));
        }
        if !curl
            .stdout(std::fs::File::create(&file)?)
            .status()?
            .success()
        {
            return Err("curl failed".into());
        }
        let packed = folder.join("theirs.zst");
        let _ = std::fs::remove_file(&packed);
        let mut zstd = Command::new("zstd");
        succeed(zstd.args(["-3", "-T2", "-q", "-o"]).arg(&packed).arg(&file))?;
        succeed(Command::new("b3sum").arg(&file))?;
        theirs.push(began.elapsed());
        std::fs::remove_dir_all(root)?;
    }
    println!("capture of {LABEL}, {} MiB:", length >> 20);
    report("  ours: hashed, compressed, every frame synced", &ours);
    report("  curl, then zstd -3 -T2, then b3sum, not synced", &theirs);
    let ratio = median(&ours).as_secs_f64() / median(&theirs).as_secs_f64();
    println!("  ours takes {ratio:.2} times as long");
    report("  read back from the medium, decoded, hashed", &verified);
    Ok(())
}

fn curl() -> Command {
    let mut curl = Command::new("curl");
    curl.args(["--silent", "--fail"]);
    curl
}

fn succeed(command: &mut Command) -> Outcome {
    let status = command.stdout(Stdio::null()).status()?;
    if status.success() {
        Ok(())
    } else {
        Err(format!("{command:?}: {status}").into())
    }
}

fn median(times: &[Duration]) -> Duration {
    let mut sorted = times.to_vec();
    sorted.sort();
    sorted.get(sorted.len() / 2).copied().unwrap_or_default()
}

fn shown(time: Duration) -> String {
    if time < Duration::from_secs(1) {
        format!("{:.2} ms", time.as_secs_f64() * 1000.0)
    } else {
        format!("{:.2} s", time.as_secs_f64())
    }
}

fn report(what: &str, times: &[Duration]) {
    println!(
        "{what}: median {}, {} to {} over {} runs",
        shown(median(times)),
        shown(times.iter().min().copied().unwrap_or_default()),
        shown(times.iter().max().copied().unwrap_or_default()),
        times.len()
    );
}
