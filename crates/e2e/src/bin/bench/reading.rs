//! What a capture takes: from files, and through the link, the first time and when nothing has changed,
//! beside public tools that do a part of the work.

use std::fs::File;
use std::io::{Read, Write};
use std::os::unix::fs::FileExt;
use std::path::{Path, PathBuf};
use std::process::Command;
use std::time::{Duration, Instant};

use tokio::runtime::Runtime;
use veritope_core::digest::{FRAME_BYTES, FrameLayout};
use veritope_e2e::Outcome;
use veritope_link::{HttpTransport, Transport};
use veritope_standin::Bridge;
use veritope_vault::{Access, StagedImage, Vault, pump};
use veritope_wire::link::{Handle, Spot};
use veritope_wire::{Digest, JobId, Label, PlaceId};

use crate::{HANDLE, LABEL, TOKEN, median, recovery_on_a_bridge, report, succeed};

/// Bytes of the image: half of them get smaller, a third don't, the rest is zero.
const LENGTH: u64 = 3 << 30;
/// Rounds, in each of which every kind of work is done once.
const ROUNDS: usize = 3;
/// How many times larger than the demo's the device's storage is, to hold it.
const SIZE_SCALE: u32 = 80;
/// Most bytes that a capture may have in memory.
const MOST_MEMORY: u64 = 256 << 20;

/// A kind of work, and what it took each time.
#[derive(Default)]
struct Times {
    tools: Vec<Duration>,
    packer: Vec<Duration>,
    first: Vec<Duration>,
    second: Vec<Duration>,
    link: Vec<Duration>,
    link_again: Vec<Duration>,
}

/// Measures all of it.
pub(crate) fn run(folder: &Path) -> Outcome {
    let image = folder.join("image");
    fill(&image)?;
    let runtime = Runtime::new()?;
    let (url, bridge) = recovery_on_a_bridge(folder, &runtime, SIZE_SCALE)?;
    let transport = HttpTransport::new(&url, TOKEN)?;
    let handle = Handle(HANDLE.to_owned());
    let found = transport.partitions(&handle)?.find(LABEL);
    let (spot, _) = found
        .filter(|(_, length)| *length >= LENGTH)
        .ok_or("the device is too small")?;
    onto_device(&bridge, &image)?;
    let from_link = |index: u64, _| over_the_link(&transport, &handle, &spot, index);
    let file = File::open(&image)?;
    let from_file = |index: u64, spare: Vec<u8>| from_file(&file, index, spare);

    let mut times = Times::default();
    let (mut peak_files, mut peak_link, mut grown) = (0, 0, 0.0_f64);
    for round in 0..ROUNDS {
        times.tools.push(in_turn(folder, &image)?);
        times.packer.push(packed_alone(folder, &image)?);
        let place = folder.join(format!("place-{round}"));
        forget_peak();
        let (first, took) = captured(&place, None, from_file)?;
        times.first.push(took);
        let stored = stored_bytes(&place)?;
        let (again, took) = captured(&place, Some(&first), from_file)?;
        times.second.push(took);
        peak_files = peak_files.max(peak()?);
        let more = stored_bytes(&place)? - stored;
        grown = grown.max(100.0 * more as f64 / stored as f64);
        if again.blake3 != first.blake3 {
            return Err("the same bytes gave another digest".into());
        }
        std::fs::remove_dir_all(&place)?;
        forget_peak();
        let (linked, took) = captured(&place, None, from_link)?;
        times.link.push(took);
        let (_, took) = captured(&place, Some(&linked), from_link)?;
        times.link_again.push(took);
        peak_link = peak_link.max(peak()?);
        if linked.blake3 != first.blake3 {
            return Err("the link gave other bytes than the file".into());
        }
        std::fs::remove_dir_all(&place)?;
    }
    tell(&times);
    println!("  a second capture adds {grown:.2} % to what is stored (at most 1)");
    println!(
        "  peak memory: {} MiB from files, {} MiB through the link with the device in the same process (at most {})",
        peak_files >> 20,
        peak_link >> 20,
        MOST_MEMORY >> 20
    );
    Ok(())
}

fn tell(times: &Times) {
    println!(
        "{} MiB, half compressible, a third random, the rest zero:",
        LENGTH >> 20
    );
    report("  dd, sha256sum, zstd -3 -T2 in turn", &times.tools);
    report("  zstd -1 -T2 alone", &times.packer);
    report("  capture from files, hashed and synced", &times.first);
    report("  the same again, nothing changed", &times.second);
    report("  capture through the link", &times.link);
    report("  the same again, nothing changed", &times.link_again);
    // Of each round its own ratio: what disturbs one kind of work mostly disturbs the next.
    let ratio = |over: &[Duration], under: &[Duration]| {
        let mut all: Vec<f64> = over
            .iter()
            .zip(under)
            .map(|(over, under)| over.as_secs_f64() / under.as_secs_f64())
            .collect();
        all.sort_by(f64::total_cmp);
        all.get(all.len() / 2).copied().unwrap_or_default()
    };
    for (what, found, wanted) in [
        (
            "a capture is faster than the tools in turn",
            ratio(&times.tools, &times.first),
            "at least 4.5",
        ),
        (
            "and than zstd -1 -T2 alone",
            ratio(&times.packer, &times.first),
            "at least 1",
        ),
        (
            "a second one is faster than the first, from files",
            ratio(&times.first, &times.second),
            "at least 4",
        ),
        (
            "and through the link",
            ratio(&times.link, &times.link_again),
            "at least 1.8",
        ),
        (
            "the link takes as long as files",
            ratio(&times.link, &times.first),
            "at most 1.7",
        ),
    ] {
        println!("  {what}: {found:.2} times ({wanted})");
    }
    let rate = LENGTH as f64 / median(&times.first).as_secs_f64() / 1e6;
    println!("  from files {rate:.0} MB a second");
}

/// Bytes that make the image: words of a small vocabulary with numbers between, noise, and zeros.
fn fill(path: &Path) -> Outcome {
    let mut state = 0x2545_F491_4F6C_DD1D_u64;
    let mut next = move || {
        state ^= state << 13;
        state ^= state >> 7;
        state ^= state << 17;
        state
    };
    let words: Vec<[u8; 8]> = (0..4096).map(|_| next().to_le_bytes()).collect();
    let mut file = File::create(path)?;
    let frame = usize::try_from(FRAME_BYTES)?;
    let frames = LENGTH / FRAME_BYTES;
    let mut bytes = Vec::with_capacity(frame);
    for index in 0..frames {
        bytes.clear();
        while bytes.len() < frame {
            match index * 6 / frames {
                0..3 => {
                    let draw = next();
                    // Mostly words that were there before, among them some of their own.
                    let word = words[usize::try_from(draw & 0xFFF)?];
                    bytes.extend_from_slice(&word);
                    if draw >> 61 == 0 {
                        bytes.extend_from_slice(&draw.to_le_bytes());
                    }
                }
                3..5 => bytes.extend_from_slice(&next().to_le_bytes()),
                _ => bytes.resize(frame, 0),
            }
        }
        bytes.truncate(frame);
        file.write_all(&bytes)?;
    }
    file.sync_all()?;
    Ok(())
}

/// The same bytes into the device's partition.
fn onto_device(bridge: &Bridge, image: &Path) -> Outcome {
    let mut file = File::open(image)?;
    let mut bytes = vec![0; usize::try_from(FRAME_BYTES)?];
    for index in 0..LENGTH / FRAME_BYTES {
        file.read_exact(&mut bytes)?;
        bridge.with(HANDLE, |device| {
            let epoch = device.line().epoch;
            device.write(
                LABEL,
                index * FRAME_BYTES,
                &bytes,
                epoch,
                Digest::of(&bytes),
            )
        })?;
    }
    Ok(())
}

fn from_file(file: &File, index: u64, mut spare: Vec<u8>) -> std::io::Result<Vec<u8>> {
    let (first, count) = FrameLayout::new(LENGTH).span(index);
    spare.resize(usize::try_from(count).unwrap_or(0), 0);
    file.read_exact_at(&mut spare, first)?;
    Ok(spare)
}

fn over_the_link(
    transport: &HttpTransport,
    handle: &Handle,
    spot: &Spot,
    index: u64,
) -> std::io::Result<Vec<u8>> {
    let (first, count) = FrameLayout::new(LENGTH).span(index);
    let read = transport.read(handle, spot, first, count);
    read.map(|read| read.bytes).map_err(std::io::Error::other)
}

/// One capture into a place, beside what it holds `before`: read, hashed, compressed, synced, named.
fn captured(
    place: &Path,
    before: Option<&StagedImage>,
    read: impl FnMut(u64, Vec<u8>) -> std::io::Result<Vec<u8>>,
) -> Outcome<(StagedImage, Duration)> {
    let vault = Vault::open(place, Access::Write, PlaceId::new(uuid::Uuid::from_u128(1)))?;
    let label: Label = LABEL.parse()?;
    let layout = FrameLayout::new(LENGTH);
    let began = Instant::now();
    let mut staging = vault.stage(JobId::new(uuid::Uuid::from_u128(2)))?;
    let known = before.map(|image| &image.frames[..]);
    let as_in = before.map(|image| image.blake3);
    pump(layout, 0, known, read, |frame| {
        let kept = staging.append(&label, frame, as_in);
        kept.map_err(std::io::Error::other)
    })?;
    let image = staging.close(&label, layout)?;
    let took = began.elapsed();
    staging.discard()?;
    Ok((image, took))
}

/// What is done today: a copy, its digest, and a smaller form of it, one after the other.
fn in_turn(folder: &Path, image: &Path) -> Outcome<Duration> {
    let (copy, packed) = (folder.join("copy"), folder.join("copy.zst"));
    let began = Instant::now();
    let of = |name: &str, path: &Path| format!("{name}={}", path.display());
    succeed(Command::new("dd").args([
        of("if", image),
        of("of", &copy),
        "bs=4M".to_owned(),
        "status=none".to_owned(),
    ]))?;
    succeed(Command::new("sha256sum").arg(&copy))?;
    succeed(
        Command::new("zstd")
            .args(["-3", "-T2", "-q", "-f", "-o"])
            .args([&packed, &copy]),
    )?;
    let took = began.elapsed();
    std::fs::remove_file(copy)?;
    std::fs::remove_file(packed)?;
    Ok(took)
}

fn packed_alone(folder: &Path, image: &Path) -> Outcome<Duration> {
    let packed: PathBuf = folder.join("image.zst");
    let began = Instant::now();
    succeed(
        Command::new("zstd")
            .args(["-1", "-T2", "-q", "-f", "-o"])
            .arg(&packed)
            .arg(image),
    )?;
    let took = began.elapsed();
    std::fs::remove_file(packed)?;
    Ok(took)
}

/// Bytes of all objects of a place.
fn stored_bytes(place: &Path) -> Outcome<u64> {
    let mut all = 0;
    for folder in std::fs::read_dir(place.join("objects"))? {
        for file in std::fs::read_dir(folder?.path())? {
            all += file?.metadata()?.len();
        }
    }
    Ok(all)
}

/// Lets the system forget how much memory this process had at most.
fn forget_peak() {
    // Without the right to it, the peak is the one since the start: told as more, never as less.
    let _ = std::fs::write("/proc/self/clear_refs", "5");
}

/// Most bytes of memory that this process had since.
fn peak() -> Outcome<u64> {
    let text = std::fs::read_to_string("/proc/self/status")?;
    let line = text.lines().find_map(|line| line.strip_prefix("VmHWM:"));
    let kib = line.and_then(|line| line.trim().strip_suffix(" kB")?.parse::<u64>().ok());
    Ok(kib.ok_or("the system does not tell")? << 10)
}
