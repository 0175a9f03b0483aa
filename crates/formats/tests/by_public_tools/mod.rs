//! File systems and tables made by the tools that everybody has: what they are, their labels, and
//! that neither a cut nor a flipped bit passes.

use std::fs;
use std::path::{Path, PathBuf};
use std::process::Command;

use veritope_formats::look::{FileSystemKind, Limits, Looked, Packing, Trouble, What, look};

const MIB: u64 = 1 << 20;

/// Runs a tool of the system, which may lie where only its administrator looks.
fn run(tool: &str, words: &[&str]) {
    let paths = format!("{}:/usr/sbin:/sbin", std::env::var("PATH").unwrap());
    let done = Command::new(tool).args(words).env("PATH", paths).output();
    let done = done.unwrap_or_else(|error| panic!("{tool} can't be started: {error}"));
    assert!(
        done.status.success(),
        "{tool}: {}",
        String::from_utf8_lossy(&done.stderr)
    );
}

struct Folder(tempfile::TempDir);

impl Folder {
    fn new() -> Self {
        Self(tempfile::tempdir().unwrap())
    }

    fn image(&self, bytes: u64) -> PathBuf {
        let path = self.0.path().join("image");
        fs::File::create(&path).unwrap().set_len(bytes).unwrap();
        path
    }

    /// A folder with something in it, for tools that pack one.
    fn source(&self) -> PathBuf {
        let path = self.0.path().join("source");
        fs::create_dir_all(&path).unwrap();
        let text: String = (0..20_000).map(|line| format!("{line} of it\n")).collect();
        fs::write(path.join("build.prop"), text).unwrap();
        path
    }
}

fn looked(path: &Path) -> Looked {
    let bytes = fs::read(path).unwrap();
    look(&bytes, "image", Limits::default())
}

/// What was made is known, sound and labelled; cut by a quarter it is not whole.
fn is_made(path: &Path, kind: FileSystemKind, label: &str) {
    let bytes = fs::read(path).unwrap();
    let seen = look(&bytes, "image", Limits::default());
    let What::FileSystem(system) = &seen.what else {
        panic!("{kind:?} is seen as {:?}", seen.what)
    };
    assert_eq!((system.kind, system.label.as_str()), (kind, label));
    assert!(seen.findings.is_empty(), "{:?}", seen.findings);
    let cut = &bytes[..bytes.len() / 4 * 3];
    let cut = look(&cut, "image", Limits::default());
    assert!(
        says(&cut, Trouble::CutShort),
        "{kind:?}: {:?}",
        cut.findings
    );
}

fn says(looked: &Looked, trouble: Trouble) -> bool {
    looked.findings.iter().any(|one| one.trouble == trouble)
}

/// A bit that is flipped at `at` shows in the superblock's checksum.
fn is_checked(path: &Path, at: usize) {
    let mut bytes = fs::read(path).unwrap();
    bytes[at] ^= 1;
    let seen = look(&bytes, "image", Limits::default());
    assert!(says(&seen, Trouble::ChecksumWrong), "{:?}", seen.findings);
}

fn text(path: &Path) -> &str {
    path.to_str().unwrap()
}

#[test]
fn each_generation_of_ext() {
    for (kind, made, label) in [
        (FileSystemKind::Ext2, "ext2", "old"),
        (FileSystemKind::Ext3, "ext3", "journal"),
        (FileSystemKind::Ext4, "ext4", "userdata"),
    ] {
        let folder = Folder::new();
        let image = folder.image(16 * MIB);
        run(
            "mke2fs",
            &["-q", "-F", "-t", made, "-L", label, text(&image)],
        );
        is_made(&image, kind, label);
        if kind == FileSystemKind::Ext4 {
            is_checked(&image, 1024 + 0x78);
        }
    }
}

#[test]
fn f2fs_with_and_without_a_checksum() {
    let folder = Folder::new();
    let image = folder.image(64 * MIB);
    run("mkfs.f2fs", &["-q", "-l", "userdata", text(&image)]);
    is_made(&image, FileSystemKind::F2fs, "userdata");
    run(
        "mkfs.f2fs",
        &[
            "-q",
            "-f",
            "-O",
            "extra_attr,sb_checksum",
            "-l",
            "vault",
            text(&image),
        ],
    );
    is_made(&image, FileSystemKind::F2fs, "vault");
    is_checked(&image, 1024 + 124);
}

#[test]
fn erofs_and_squashfs() {
    let folder = Folder::new();
    let (image, source) = (folder.image(0), folder.source());
    run("mkfs.erofs", &[text(&image), text(&source)]);
    is_made(&image, FileSystemKind::Erofs, "");
    is_checked(&image, 1024 + 48);
    fs::remove_file(&image).unwrap();
    run(
        "mksquashfs",
        &[text(&source), text(&image), "-quiet", "-no-progress"],
    );
    is_made(&image, FileSystemKind::Squashfs, "");
}

#[test]
fn each_width_of_fat_and_exfat() {
    for (width, bytes, kind) in [
        ("12", 4 * MIB, FileSystemKind::Fat12),
        ("16", 32 * MIB, FileSystemKind::Fat16),
        ("32", 64 * MIB, FileSystemKind::Fat32),
    ] {
        let folder = Folder::new();
        let image = folder.image(bytes);
        run("mkfs.fat", &["-F", width, "-n", "CARD", text(&image)]);
        is_made(&image, kind, "CARD");
    }
    let folder = Folder::new();
    let image = folder.image(16 * MIB);
    run("mkfs.exfat", &[text(&image)]);
    is_made(&image, FileSystemKind::Exfat, "");
    is_checked(&image, 100);
}

#[test]
fn a_table_of_a_larger_medium_and_an_old_record() {
    let folder = Folder::new();
    let image = folder.image(8 * MIB);
    run(
        "sgdisk",
        &[
            "-n",
            "1:2048:4095",
            "-c",
            "1:boot",
            "-n",
            "2:4096:6143",
            "-c",
            "2:misc",
            text(&image),
        ],
    );
    let sound = looked(&image);
    assert!(sound.findings.is_empty(), "{:?}", sound.findings);
    let What::PartitionTable(table) = &sound.what else {
        panic!("{:?}", sound.what)
    };
    let labels: Vec<&str> = table
        .partitions
        .iter()
        .map(|one| one.label.as_str())
        .collect();
    assert_eq!((table.sector_bytes, labels), (512, vec!["boot", "misc"]));
    let file = fs::OpenOptions::new().write(true).open(&image).unwrap();
    file.set_len(9 * MIB).unwrap();
    assert!(says(&looked(&image), Trouble::Misplaced));
    // The older kind of record, with an entry for all of it.
    let mut record = vec![0; 1 << 16];
    record[450] = 0x0C;
    record[454..458].copy_from_slice(&1_u32.to_le_bytes());
    record[458..462].copy_from_slice(&127_u32.to_le_bytes());
    record[510..512].copy_from_slice(&[0x55, 0xAA]);
    let seen = look(&record, "image", Limits::default());
    assert!(matches!(seen.what, What::BootRecord(_)) && seen.findings.is_empty());
    record[450] = 0xEE;
    let seen = look(&record, "image", Limits::default());
    assert!(says(&seen, Trouble::DamagedBoth), "{:?}", seen.findings);
}

/// What the packers that everybody has make of a start image is unpacked to the same image; cut, or
/// with one byte changed in its middle, it is not whole.
#[test]
fn each_packer() {
    let packers: [(&str, &[&str], Packing); 9] = [
        ("gzip", &["-c"], Packing::Gzip),
        ("xz", &["-c"], Packing::Xz),
        ("xz", &["-c", "--format=lzma"], Packing::Lzma),
        ("zstd", &["-c", "-q"], Packing::Zstd),
        ("bzip2", &["-c"], Packing::Bzip2),
        ("lz4", &["-c", "-q"], Packing::Lz4),
        ("lz4", &["-c", "-q", "-l"], Packing::Lz4Legacy),
        ("lzop", &["-c"], Packing::Lzo),
        ("lzop", &["-c", "--crc32", "-9"], Packing::Lzo),
    ];
    let folder = Folder::new();
    let image = folder.0.path().join("boot.img");
    let mut bytes = fs::read(concat!(
        env!("CARGO_MANIFEST_DIR"),
        "/tests/platform/start/v0-gzip-system.img"
    ))
    .unwrap();
    // Longer than one block of any of them; a part of it does not pack, and one does to nothing.
    let noise = (0_u64..300_000 / 8).map(|n| {
        (n + 1)
            .wrapping_mul(0x9E37_79B9_7F4A_7C15)
            .rotate_left(n as u32 % 64)
    });
    bytes.extend(noise.flat_map(u64::to_le_bytes));
    bytes.resize(700_000, 0);
    let alone = look(&bytes, "packed", Limits::default());
    fs::write(&image, &bytes).unwrap();
    for (tool, words, packing) in packers {
        let words = [words, &[image.to_str().unwrap()]].concat();
        let packed = Command::new(tool).args(&words).output().unwrap().stdout;
        let seen = look(&packed, "packed", Limits::default());
        let told = format!("{words:?}: {:?}", seen.findings);
        let What::Packed {
            packing: by,
            unpacked_bytes,
        } = seen.what
        else {
            panic!("{told}")
        };
        assert_eq!((by, unpacked_bytes), (packing, Some(700_000)), "{told}");
        assert_eq!(seen.inside[0].looked, alone, "{told}");
        assert_eq!(seen.findings, [], "{told}");
        let cut = look(&&packed[..packed.len() / 2], "packed", Limits::default());
        assert!(!cut.findings.is_empty(), "{words:?}");
    }
}
