//! Files of the shelf: held against a unit, hashed, and taken in.

use std::fs::{self, File};
use std::io::{Read as _, Write as _};
use std::path::Path;
use std::process::{Command, Stdio};
use std::sync::Arc;
use std::time::{Duration, Instant};

use veritope_core::facts::FactKey;
use veritope_core::published::{Algorithm, FileHasher};
use veritope_e2e::Outcome;
use veritope_engine::desk::record::Way;
use veritope_engine::library::hold::Folder;
use veritope_engine::library::shelf::hash_at_once;
use veritope_engine::ports::Silent;
use veritope_engine::{Engine, NewUnit};
use veritope_formats::startimage::{RecoveryWords, build_recovery};
use veritope_server::open_engine;
use veritope_wire::RequestId;

use super::{RUNS, median, report, succeed};

/// Files on the shelf of the matching.
const FILES: usize = 500;
/// Bytes that are hashed.
const HASHED: u64 = 1 << 30;
/// Bytes that are taken in.
const TAKEN_IN: u64 = 4 << 30;
/// Runs of what moves gigabytes.
const LONG_RUNS: usize = 3;

pub(super) fn run(folder: &Path) -> Outcome {
    five_hundred(folder)?;
    digests(folder)?;
    taken_in(folder)
}

fn request() -> RequestId {
    RequestId::new(uuid::Uuid::now_v7())
}

fn engine_in(folder: &Path) -> Outcome<Arc<Engine>> {
    let (engine, _store) = open_engine(Folder::Free(folder.to_owned()), None, Arc::new(Silent))?;
    Ok(engine)
}

/// The matrix of a unit over so many recoveries of several devices and versions.
fn five_hundred(folder: &Path) -> Outcome {
    let engine = engine_in(&folder.join("matching"))?;
    let codenames = ["lodestar", "cinder", "gimbal", "kelpie", "elsewhere"];
    for n in 0..FILES {
        let version = format!("3.{}.{}", n / 50, n % 50);
        let words = RecoveryWords {
            codename: codenames[n % codenames.len()],
            model: "",
            version: &version,
            generation: 0,
        };
        let image = build_recovery(words, &[5; 20_000]);
        engine
            .library
            .put_bytes(&format!("{n}.img"), &image, request())?;
    }
    let unit = engine.units.add_unit(
        NewUnit {
            nickname: "Heron".to_owned(),
            way: Way::Hand,
            family: Some("lodestar".to_owned()),
            ownership: "mine".to_owned(),
        },
        request(),
    )?;
    let said = [(FactKey::Lock, "unlocked".to_owned())];
    engine.units.type_facts(unit, &said, request())?;
    let mut times = Vec::new();
    for _ in 0..RUNS {
        let began = Instant::now();
        let page = engine.views.recovery_page(unit)?;
        times.push(began.elapsed());
        let held = page.files.len() + page.others.len();
        if held != FILES {
            return Err(format!("{held} files were held against the unit").into());
        }
    }
    report("500 files held against a unit (goal 20 ms)", &times);
    Ok(())
}

/// Pages of noise that no disk makes shorter.
fn noise(path: &Path, bytes: u64) -> Outcome {
    let mut random = File::open("/dev/urandom")?;
    let mut page = vec![0; 16 << 20];
    random.read_exact(&mut page)?;
    let mut file = File::create(path)?;
    let mut left = bytes;
    while left > 0 {
        // Each page is another one.
        if let Some(first) = page.get_mut(..8) {
            first.copy_from_slice(&left.to_le_bytes());
        }
        let now = page.len().min(usize::try_from(left)?);
        file.write_all(page.get(..now).unwrap_or_default())?;
        left -= now as u64;
    }
    Ok(file.sync_all()?)
}

fn hashed(path: &Path, algorithms: &[Algorithm]) -> Outcome<Duration> {
    let began = Instant::now();
    if algorithms.is_empty() {
        std::hint::black_box(hash_at_once(path)?);
        return Ok(began.elapsed());
    }
    let mut hasher = FileHasher::new(algorithms.iter().copied());
    let mut file = File::open(path)?;
    let mut page = vec![0; 1 << 20];
    loop {
        let now = file.read(&mut page)?;
        if now == 0 {
            break;
        }
        hasher.update(page.get(..now).unwrap_or_default());
    }
    std::hint::black_box(hasher.finish());
    Ok(began.elapsed())
}

fn by_tool(tool: &str, path: &Path) -> Outcome<Duration> {
    let began = Instant::now();
    succeed(Command::new(tool).arg(path))?;
    Ok(began.elapsed())
}

fn ratio(ours: &[Duration], theirs: &[Duration]) -> f64 {
    median(ours).as_secs_f64() / median(theirs).as_secs_f64()
}

/// A GiB hashed as a file on the shelf is, beside the usual programs.
fn digests(folder: &Path) -> Outcome {
    let path = folder.join("noise");
    noise(&path, HASHED)?;
    // BLAKE3 is always taken; the others are what a publisher gave.
    let of = [
        ("BLAKE3", &[][..], "b3sum", "goal 1.6"),
        (
            "BLAKE3 and SHA-256",
            &[Algorithm::Sha256][..],
            "sha256sum",
            "goal 1",
        ),
    ];
    for (what, algorithms, tool, goal) in of {
        let (mut ours, mut theirs) = (Vec::new(), Vec::new());
        for _ in 0..RUNS {
            ours.push(hashed(&path, algorithms)?);
            theirs.push(by_tool(tool, &path)?);
        }
        report(&format!("1 GiB by {what}"), &ours);
        report(&format!("  the same by {tool}"), &theirs);
        println!("  ratio {:.2} ({goal})", ratio(&ours, &theirs));
    }
    Ok(fs::remove_file(path)?)
}

/// Four GiB onto the shelf, looked into and written down, beside `cp` and `sha256sum`.
fn taken_in(folder: &Path) -> Outcome {
    let path = folder.join("vast.img");
    noise(&path, TAKEN_IN)?;
    let engine = engine_in(&folder.join("taken-in"))?;
    let (mut ours, mut theirs) = (Vec::new(), Vec::new());
    let whole = path.to_string_lossy().into_owned();
    // What was the most before does not count.
    fs::write("/proc/self/clear_refs", "5")?;
    for _ in 0..LONG_RUNS {
        let began = Instant::now();
        let file = engine
            .library
            .take_path(&whole, request(), &mut |_, _| true)?;
        ours.push(began.elapsed());
        engine.library.remove_file(file, request())?;
        let copy = folder.join("copy.img");
        let began = Instant::now();
        succeed(Command::new("cp").arg(&path).arg(&copy))?;
        succeed(Command::new("sync").arg(&copy))?;
        succeed(Command::new("sha256sum").arg(&copy).stdout(Stdio::null()))?;
        theirs.push(began.elapsed());
        fs::remove_file(copy)?;
    }
    report("4 GiB taken onto the shelf", &ours);
    report("  cp, sync and sha256sum", &theirs);
    println!("  ratio {:.2} (goal 1)", ratio(&ours, &theirs));
    let status = fs::read_to_string("/proc/self/status")?;
    let peak = status.lines().find(|line| line.starts_with("VmHWM"));
    println!(
        "  most memory meanwhile (goal 128 MiB): {}",
        peak.unwrap_or("not told here")
    );
    Ok(fs::remove_file(path)?)
}
