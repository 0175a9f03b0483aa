//! What looking into files takes: ten thousand of them by their marks, and four GiB.

use std::cell::Cell;
use std::fs::{self, File};
use std::io;
use std::os::unix::fs::FileExt as _;
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};
use std::time::Instant;

use veritope_e2e::{Outcome, root};
use veritope_formats::look::{Bytes, Limits, look, sniff};

use super::{RUNS, median, report};

const FILES: usize = 10_000;

/// A file that counts what is read of it.
struct Counted {
    file: File,
    length: u64,
    read: Cell<u64>,
}

impl Counted {
    fn open(path: &Path) -> io::Result<Self> {
        let file = File::open(path)?;
        let length = file.metadata()?.len();
        Ok(Self {
            file,
            length,
            read: Cell::new(0),
        })
    }
}

impl Bytes for Counted {
    fn length(&self) -> u64 {
        self.length
    }

    fn read_exact_at(&self, at: u64, into: &mut [u8]) -> io::Result<()> {
        self.read.set(self.read.get() + into.len() as u64);
        self.file.read_exact_at(into, at)
    }
}

fn fixtures(folder: &Path, found: &mut Vec<PathBuf>) -> io::Result<()> {
    for entry in fs::read_dir(folder)? {
        let path = entry?.path();
        if path.is_dir() {
            fixtures(&path, found)?;
        } else {
            found.push(path);
        }
    }
    Ok(())
}

/// Ten thousand files by their marks, against the system's own tool for that.
pub(super) fn ten_thousand(folder: &Path) -> Outcome {
    let mut known = Vec::new();
    fixtures(&root().join("crates/formats/tests/platform"), &mut known)?;
    known.sort();
    let many = folder.join("many");
    fs::create_dir_all(&many)?;
    let mut paths = Vec::new();
    for n in 0..FILES {
        let path = many.join(format!("{n}"));
        let of = known.get(n % known.len()).ok_or("no fixtures")?;
        // One file on disk, many names: what is measured is the looking.
        fs::hard_link(of, &path).or_else(|_| fs::copy(of, &path).map(drop))?;
        paths.push(path);
    }
    let mut ours = Vec::new();
    let mut theirs = Vec::new();
    for _ in 0..RUNS {
        let began = Instant::now();
        for path in &paths {
            std::hint::black_box(sniff(&Counted::open(path)?));
        }
        ours.push(began.elapsed());
        let began = Instant::now();
        let done = Command::new("file")
            .arg("--brief")
            .args(&paths)
            .stdout(Stdio::null())
            .status()?;
        theirs.push(began.elapsed());
        if !done.success() {
            return Err("file did not end well".into());
        }
    }
    report("10000 files known by their marks (goal 2 s)", &ours);
    report("  the same by file", &theirs);
    println!(
        "  ratio {:.2}",
        median(&ours).as_secs_f64() / median(&theirs).as_secs_f64()
    );
    Ok(())
}

/// Four GiB, of which a file system fills the beginning.
pub(super) fn four_gib(folder: &Path) -> Outcome {
    let path = folder.join("vast");
    let system = root().join("crates/formats/tests/platform/verification/tree-one-level.img");
    fs::copy(system, &path)?;
    File::options().write(true).open(&path)?.set_len(4 << 30)?;
    let mut times = Vec::new();
    let mut read = 0;
    for _ in 0..RUNS {
        let file = Counted::open(&path)?;
        let began = Instant::now();
        std::hint::black_box(look(&file, "system.img", Limits::default()));
        times.push(began.elapsed());
        read = file.read.get();
    }
    report(
        &format!("4 GiB looked into, {read} bytes of it read"),
        &times,
    );
    Ok(())
}

/// The worst fixture whole, and the memory that all of this took at most.
pub(super) fn worst() -> Outcome {
    let mut known = Vec::new();
    fixtures(&root().join("crates/formats/tests/platform"), &mut known)?;
    let mut worst = (std::time::Duration::ZERO, PathBuf::new());
    for path in known {
        let began = Instant::now();
        std::hint::black_box(look(&Counted::open(&path)?, "", Limits::default()));
        worst = worst.max((began.elapsed(), path));
    }
    let (took, path) = worst;
    let name = path.file_name().unwrap_or_default().to_string_lossy();
    println!(
        "the longest look at a fixture (goal 2 s): {:.2} s at {name}",
        took.as_secs_f64()
    );
    let status = fs::read_to_string("/proc/self/status")?;
    let peak = status.lines().find(|line| line.starts_with("VmHWM"));
    println!(
        "most memory so far (goal 128 MiB): {}",
        peak.unwrap_or("not told here")
    );
    Ok(())
}
