//! What `cargo xtask bench` runs: each figure as a median with its spread, speed as a ratio against
//! a public tool that does the same work in the same run.

use std::path::Path;
use std::process::{Command, Stdio};
use std::sync::Arc;
use std::time::{Duration, Instant};

use tokio::net::TcpListener;
use tokio::runtime::Runtime;
use veritope_e2e::{Outcome, root};
use veritope_standin::clock::Scaled;
use veritope_standin::profile::Profile;
use veritope_standin::{Birth, Bridge, Device, LockState, Setting, serve};
use veritope_wire::Digest;
use veritope_wire::body::CablePlace;
use veritope_wire::link::{ActKind, ActRequest, Listed};

mod judging;
mod looking;
mod matching;
mod reading;

/// Runs of each figure.
const RUNS: usize = 5;
/// The partition that is read.
const LABEL: &str = "userdata";
/// The device of the reading.
const HANDLE: &str = "dock-1";
const TOKEN: &str = "bench";

fn main() -> Outcome {
    let folder = tempfile::tempdir()?;
    let only = std::env::args().nth(1);
    if only.as_deref() == Some("read") {
        return reading::run(folder.path());
    }
    if only.as_deref() == Some("match") {
        return matching::run(folder.path());
    }
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
    matching::run(folder.path())?;
    reading::run(folder.path())
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

/// A watch in a recovery that runs from memory, with a storage that is so many times larger, behind a bridge;
/// gives the bridge and its address.
fn recovery_on_a_bridge(
    folder: &Path,
    runtime: &Runtime,
    size_scale: u32,
) -> Outcome<(String, Bridge)> {
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
    let profile = Profile::gimbal().scaled(size_scale);
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
    runtime.spawn(serve(bridge.clone(), listener, std::future::pending()));
    Ok((url, bridge))
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
