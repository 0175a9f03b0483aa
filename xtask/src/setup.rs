//! Brings what the other commands need. Each part looks first and does nothing when it is there.

use crate::tell::{cargo, in_web, is_here, output, program, step};
use crate::{Outcome, Trouble, root, stamp};

/// Oldest Node.js that the front end's tools run on.
const NODE_MAJOR: u32 = 20;

/// Programs that the tests call, each with the Debian package that brings it.
const TEST_PROGRAMS: [(&str, &str); 16] = [
    ("chromium", "chromium"),
    ("chromedriver", "chromium-driver"),
    ("sgdisk", "gdisk"),
    ("mkfs.fat", "dosfstools"),
    ("mkfs.ext4", "e2fsprogs"),
    ("mkfs.f2fs", "f2fs-tools"),
    ("mkfs.erofs", "erofs-utils"),
    ("mksquashfs", "squashfs-tools"),
    ("mkfs.exfat", "exfatprogs"),
    ("gzip", "gzip"),
    ("xz", "xz-utils"),
    ("bzip2", "bzip2"),
    ("lz4", "lz4"),
    ("lzop", "lzop"),
    ("zstd", "zstd"),
    ("b3sum", "b3sum"),
];

/// The front end's packages, exactly as locked.
pub(crate) fn packages() -> Outcome {
    let made_from = stamp::of(&root().join("web"), &["package.json", "package-lock.json"])?;
    let kept = root().join("web/node_modules/.made-from");
    if stamp::is(&kept, &made_from) {
        return Ok(());
    }
    let version = output(program("node").arg("--version"))?;
    let version = String::from_utf8_lossy(&version).trim().to_owned();
    let major = version.trim_start_matches('v').split('.').next();
    if major
        .and_then(|major| major.parse::<u32>().ok())
        .is_none_or(|major| major < NODE_MAJOR)
    {
        return Err(Trouble(format!(
            "Node.js {NODE_MAJOR} or newer is needed, here is {version}; install it and try again"
        )));
    }
    let quiet = ["ci", "--no-audit", "--no-fund", "--loglevel=error"];
    step(
        "installing the front end's packages (npm ci, about a minute)",
        in_web("npm").args(quiet),
    )?;
    stamp::keep(&kept, &made_from)
}

/// The built front end.
pub(crate) fn front_end() -> Outcome {
    packages()?;
    let sources = [
        "src",
        "public",
        "index.html",
        "vite.config.ts",
        "package-lock.json",
    ];
    let made_from = stamp::of(&root().join("web"), &sources)?;
    let kept = root().join("web/dist/.made-from");
    if stamp::is(&kept, &made_from) {
        return Ok(());
    }
    step(
        "building the front end",
        in_web("npm").args(["run", "--silent", "build", "--", "--logLevel=warn"]),
    )?;
    stamp::keep(&kept, &made_from)
}

/// The `veritope` binary.
pub(crate) fn binary() -> Outcome {
    let built = root().join("target/debug/veritope");
    if built.exists() {
        // cargo looks whether anything changed, and shows its progress when something did.
        let mut build = cargo();
        let status = build
            .args(["build", "--package", "veritope"])
            .status()
            .map_err(|error| Trouble(format!("cargo can't be started: {error}")))?;
        return if status.success() {
            Ok(())
        } else {
            Err("the server does not build".into())
        };
    }
    step(
        "building the server (the first time about five minutes)",
        cargo().args(["build", "--package", "veritope"]),
    )
    .map(drop)
}

/// Chromium, ChromeDriver and the disk tools that the tests compare with.
pub(crate) fn test_programs() -> Outcome {
    let missing: Vec<&str> = TEST_PROGRAMS
        .iter()
        .filter(|(name, _)| !is_here(name))
        .map(|(_, package)| *package)
        .collect();
    if missing.is_empty() {
        return Ok(());
    }
    let list = missing.join(" ");
    let as_root = is_root();
    if !is_here("apt-get") || !(as_root || may_sudo()) {
        return Err(Trouble(format!(
            "the tests need {list}; install these packages (sudo apt-get install {list}) and try again"
        )));
    }
    let apt = |words: &[&str]| {
        let mut command = if as_root {
            program("apt-get")
        } else {
            let mut sudo = program("sudo");
            sudo.args(["-n", "apt-get"]);
            sudo
        };
        command.args(words).env("DEBIAN_FRONTEND", "noninteractive");
        command
    };
    step(
        "reading the list of Debian packages",
        &mut apt(&["update", "-qq"]),
    )?;
    let install = ["install", "-qq", "-y", "--no-install-recommends"];
    step(
        &format!("installing {list}"),
        apt(&install)
            .args(missing)
            .stdout(std::process::Stdio::null()),
    )
    .map(drop)
}

fn is_root() -> bool {
    output(program("id").arg("-u")).is_ok_and(|id| id.trim_ascii() == b"0")
}

fn may_sudo() -> bool {
    is_here("sudo")
        && program("sudo")
            .args(["-n", "true"])
            .status()
            .is_ok_and(|status| status.success())
}
