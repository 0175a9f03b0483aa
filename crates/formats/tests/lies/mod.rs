//! Bytes that lie: nothing panics, nothing takes more than its limits, and what is cut is not sound.

use std::fs;
use std::path::{Path, PathBuf};

use proptest::prelude::*;
use veritope_formats::look::{Limits, Looked, Packing, Trouble, What, look};

fn fixtures() -> Vec<PathBuf> {
    fn walk(folder: &Path, found: &mut Vec<PathBuf>) {
        for entry in fs::read_dir(folder).unwrap() {
            let path = entry.unwrap().path();
            if path.is_dir() {
                walk(&path, found);
            } else {
                found.push(path);
            }
        }
    }
    let mut found = Vec::new();
    walk(
        Path::new(concat!(env!("CARGO_MANIFEST_DIR"), "/tests/platform")),
        &mut found,
    );
    found.sort();
    found
}

/// A superblock whose blocks are shorter than itself has no checksum that could be held against it.
#[test]
fn a_block_that_is_shorter_than_its_superblock_is_no_stumbling_block() {
    let mut bytes = vec![0; 8192];
    bytes[1024..1028].copy_from_slice(&[0xE2, 0xE1, 0xF5, 0xE0]);
    (bytes[1032], bytes[1036]) = (1, 9);
    let seen = look(&bytes, "file", SMALL);
    assert!(matches!(seen.what, What::FileSystem(_)), "{:?}", seen.what);
}

/// Files that once made a parser stumble, as the fuzz targets found them: each ends, and says why.
#[test]
fn what_was_found_once_stays_found() {
    let folder = Path::new(concat!(env!("CARGO_MANIFEST_DIR"), "/tests/found"));
    let mut files = 0;
    for entry in fs::read_dir(folder).unwrap() {
        let bytes = fs::read(entry.unwrap().path()).unwrap();
        let seen = look(&bytes, "file_piece.0", SMALL);
        assert!(!seen.findings.is_empty());
        files += 1;
    }
    assert!(files > 0);
}

/// What the fuzz targets reached, a part of each: files of which each is behind its length, little-endian.
/// Each look ends, tells the length that there is, and says the same again.
#[test]
fn what_the_fuzz_targets_reached_is_looked_into() {
    let folder = Path::new(concat!(env!("CARGO_MANIFEST_DIR"), "/tests/corpus"));
    let (mut targets, mut files) = (0, 0);
    for entry in fs::read_dir(folder).unwrap() {
        let all = fs::read(entry.unwrap().path()).unwrap();
        let mut rest = all.as_slice();
        while let Some((length, behind)) = rest.split_first_chunk::<4>() {
            let (bytes, next) = behind.split_at(u32::from_le_bytes(*length) as usize);
            let seen = look(&bytes, "file_piece.0", SMALL);
            assert_eq!(seen.bytes, bytes.len() as u64);
            assert_eq!(seen, look(&bytes, "file_piece.0", SMALL));
            rest = next;
            files += 1;
        }
        targets += 1;
    }
    assert!(
        targets == 22 && files > 700,
        "{targets} targets, {files} files"
    );
}

/// A look that costs little, so that many are taken.
const SMALL: Limits = Limits {
    expanded_bytes: 4 << 20,
    held_bytes: 1 << 20,
    looks: 256,
    depth: 2,
};

proptest! {
    #![proptest_config(ProptestConfig::with_cases(600))]

    /// Bytes of a sound file, exchanged in a few places or cut, are still looked into to an end.
    #[test]
    fn changed_fixtures_are_looked_into(
        file in 0..1000usize,
        changes in prop::collection::vec((any::<prop::sample::Index>(), any::<u8>()), 1..6),
        early in any::<bool>(),
        cut in prop::option::of(any::<prop::sample::Index>()),
    ) {
        let all = fixtures();
        let mut bytes = fs::read(&all[file % all.len()]).unwrap();
        bytes.truncate(1 << 20);
        for (at, value) in changes {
            // Most of what a parser believes stands at the beginning.
            let within = if early { bytes.len().min(4096) } else { bytes.len() };
            let at = at.index(within);
            bytes[at] = value;
        }
        if let Some(cut) = cut {
            bytes.truncate(cut.index(bytes.len()));
        }
        let looked = look(&bytes, "file", SMALL);
        prop_assert_eq!(looked.bytes, bytes.len() as u64);
    }

    /// A mark with noise behind it.
    #[test]
    fn noise_behind_each_mark_is_looked_into(
        mark in 0..MARKS.len(),
        noise in prop::collection::vec(any::<u8>(), 0..9000),
    ) {
        let (at, mark) = MARKS[mark];
        let mut bytes = noise;
        bytes.resize(bytes.len().max(at + mark.len()), 0);
        bytes[at..at + mark.len()].copy_from_slice(mark);
        let looked = look(&bytes, "file", SMALL);
        prop_assert_eq!(looked.bytes, bytes.len() as u64);
    }
}

/// The marks of all kinds, where they stand.
const MARKS: [(usize, &[u8]); 23] = [
    (0, b"hsqs"),
    (3, b"EXFAT   "),
    (0, &[0x41, 0x4E, 0x44, 0x52, 0x4F, 0x49, 0x44, 0x21]),
    (0, &[0x56, 0x4E, 0x44, 0x52, 0x42, 0x4F, 0x4F, 0x54]),
    (0, &[0x41, 0x56, 0x42, 0x30]),
    (0, &[0x3A, 0xFF, 0x26, 0xED, 1, 0, 0, 0, 28, 0, 12, 0]),
    (
        0,
        &[
            0x43, 0x72, 0x41, 0x55, 0, 0, 0, 0, 0, 0, 0, 2, 0, 0, 0, 0, 0, 0, 1, 0,
        ],
    ),
    (0, b"PK\x03\x04"),
    (0, b"070701"),
    (0, &[0xD0, 0x0D, 0xFE, 0xED]),
    (0, &[0xD7, 0xB7, 0xAB, 0x1E]),
    (4096, &[0x67, 0x44, 0x6C, 0x61]),
    (512, b"EFI PART"),
    (0, &[0x1F, 0x8B, 8]),
    (0, &[4, 0x22, 0x4D, 0x18]),
    (0, &[2, 0x21, 0x4C, 0x18]),
    (0, &[0x28, 0xB5, 0x2F, 0xFD]),
    (0, &[0xFD, b'7', b'z', b'X', b'Z', 0]),
    (
        0,
        &[
            0x5D, 0, 0, 0x80, 0, 0xFF, 0xFF, 0xFF, 0xFF, 0xFF, 0xFF, 0xFF, 0xFF,
        ],
    ),
    (0, b"BZh91AY&"),
    (1080, &[0x53, 0xEF]),
    (1024, &[0x10, 0x20, 0xF5, 0xF2]),
    (1024, &[0xE2, 0xE1, 0xF5, 0xE0]),
];

fn is_sound(looked: &Looked) -> bool {
    looked.gravest().is_none()
}

/// Each sound start image and each sound metadata, cut at any of a hundred places, is named.
#[test]
fn what_is_cut_is_never_sound() {
    let mut cuts = 0;
    for path in fixtures() {
        let bytes = fs::read(&path).unwrap();
        let name = path.file_name().unwrap().to_str().unwrap();
        let whole = look(&bytes, name, Limits::default());
        let counts = matches!(
            whole.what,
            What::StartImage(_)
                | What::VendorStartImage(_)
                | What::Verification(_)
                | What::Payload(_)
        );
        // What is cut off behind an image with a footer leaves the image, whole.
        let counts = counts && whole.footer.is_none();
        if !counts || !is_sound(&whole) || bytes.len() > 64 << 10 {
            continue;
        }
        // What lies behind the last part is slack.
        let end = bytes.iter().rposition(|byte| *byte != 0).unwrap() + 1;
        for n in 1..100 {
            let cut = &bytes[..end * n / 100];
            let seen = look(&cut, name, Limits::default());
            assert!(!is_sound(&seen), "{name} cut at {} of {end}", cut.len());
            cuts += 1;
        }
    }
    assert!(cuts > 2000, "{cuts}");
}

/// Four GiB, of which a look reads what it needs.
struct Vast {
    read: std::cell::Cell<u64>,
    head: Vec<u8>,
}

impl veritope_formats::look::Bytes for Vast {
    fn length(&self) -> u64 {
        4 << 30
    }

    fn read_exact_at(&self, at: u64, into: &mut [u8]) -> std::io::Result<()> {
        self.read.set(self.read.get() + into.len() as u64);
        for (byte, at) in into.iter_mut().zip(at..) {
            let at = usize::try_from(at).unwrap();
            *byte = self.head.get(at).copied().unwrap_or(0xA5);
        }
        Ok(())
    }
}

#[test]
fn four_gib_are_looked_into_without_reading_them_whole() {
    let system = fs::read(concat!(
        env!("CARGO_MANIFEST_DIR"),
        "/tests/platform/verification/tree-one-level.img"
    ));
    let vast = Vast {
        read: std::cell::Cell::new(0),
        head: system.unwrap()[..8192].to_vec(),
    };
    let seen = look(&vast, "system.img", Limits::default());
    assert!(matches!(seen.what, What::FileSystem(_)), "{:?}", seen.what);
    assert!(
        vast.read.get() < 1 << 20,
        "{} bytes were read",
        vast.read.get()
    );
}

/// What is not said is not zero: no digest, and the length of the gap is told.
#[test]
fn a_gap_is_not_zeros() {
    let path = concat!(
        env!("CARGO_MANIFEST_DIR"),
        "/tests/platform/sparse/skip-at-end.img"
    );
    let seen = look(
        &fs::read(path).unwrap(),
        "skip-at-end.img",
        Limits::default(),
    );
    let What::Sparse(sparse) = seen.what else {
        panic!("{:?}", seen.what)
    };
    assert!(sparse.not_said_bytes >= 33 * 4096, "{sparse:?}");
    let tree = serde_json::to_string(&sparse).unwrap();
    assert!(!tree.contains("digest"), "{tree}");
}

/// An archive with one file, in cpio's newer form, filled up to a block.
fn archive(name: &str, body: &[u8]) -> Vec<u8> {
    let mut bytes = Vec::new();
    for (name, body) in [(name, body), ("TRAILER!!!", &[][..])] {
        let fields = [
            0,
            0o100_644,
            0,
            0,
            1,
            0,
            body.len(),
            0,
            0,
            0,
            0,
            name.len() + 1,
            0,
        ];
        bytes.extend_from_slice(b"070701");
        for field in fields {
            bytes.extend_from_slice(format!("{field:08x}").as_bytes());
        }
        bytes.extend_from_slice(name.as_bytes());
        bytes.resize((bytes.len() + 1).next_multiple_of(4), 0);
        bytes.extend_from_slice(body);
        bytes.resize(bytes.len().next_multiple_of(4), 0);
    }
    bytes.resize(bytes.len().next_multiple_of(512), 0);
    bytes
}

/// Archives stand behind each other in a ramdisk, the first plain and the next packed; what stands
/// behind them and is none is said.
#[test]
fn a_packed_archive_behind_a_plain_one_is_gone_into() {
    let mut bytes = archive("first", b"1");
    let mut packed = flate2::write::GzEncoder::new(Vec::new(), flate2::Compression::fast());
    let properties = b"ro.build.version.release=9\nro.product.device=marlnewt\n";
    std::io::Write::write_all(&mut packed, &archive("default.prop", properties)).unwrap();
    bytes.extend(packed.finish().unwrap());
    let seen = look(&bytes, "ramdisk", Limits::default());
    let What::Ramdisk(ramdisk) = seen.what else {
        panic!("{:?}", seen.what)
    };
    assert_eq!(ramdisk.packing, [Packing::None, Packing::Gzip]);
    assert_eq!((ramdisk.entries, ramdisk.properties.len()), (2, 1));
    assert_eq!(seen.findings, []);

    bytes.extend_from_slice(b"what is this");
    let seen = look(&bytes, "ramdisk", Limits::default());
    let told: Vec<&str> = seen.findings.iter().map(|one| &*one.says).collect();
    assert_eq!(told, ["what follows the archive is packed in no known way"]);
}

/// What is packed in several pieces is unpacked to the end of the last, and what stands behind it is said.
#[test]
fn pieces_packed_behind_each_other_are_one() {
    let image = fs::read(concat!(
        env!("CARGO_MANIFEST_DIR"),
        "/tests/platform/start/v0-gzip-system.img"
    ))
    .unwrap();
    let gzip = |part: &[u8]| {
        let mut packed = flate2::write::GzEncoder::new(Vec::new(), flate2::Compression::fast());
        std::io::Write::write_all(&mut packed, part).unwrap();
        packed.finish().unwrap()
    };
    let zstd = |part: &[u8]| zstd::encode_all(part, 1).unwrap();
    let told = |length: u32| {
        let mut frame = 0x184D_2A50_u32.to_le_bytes().to_vec();
        frame.extend_from_slice(&length.to_le_bytes());
        frame.resize(8 + length as usize, 7);
        frame
    };
    let (head, tail) = image.split_at(image.len() / 2);
    let gzips = [gzip(head), gzip(tail)].concat();
    let frames = [told(4), zstd(head), told(12), zstd(tail), told(9)].concat();
    for (packed, packing) in [(gzips, Packing::Gzip), (frames, Packing::Zstd)] {
        let seen = look(&packed, "boot.img.packed", Limits::default());
        let unpacked_bytes = Some(image.len() as u64);
        let what = What::Packed {
            packing,
            unpacked_bytes,
        };
        assert_eq!((seen.what, seen.findings), (what, vec![]));
        let alone = look(&image, "boot.img.packed", Limits::default());
        assert_eq!(seen.inside[0].looked, alone);

        // Zeros fill a block; anything else is somebody's.
        let filled = [&packed[..], &[0; 100]].concat();
        assert_eq!(look(&filled, "", Limits::default()).findings, []);
        let more = [&packed[..], b"and more"].concat();
        let findings = look(&more, "", Limits::default()).findings;
        let told: Vec<_> = findings.iter().map(|one| (one.trouble, one.at)).collect();
        assert_eq!(told, [(Trouble::Trailing, Some(packed.len() as u64))]);
        // A last piece that is cut is no whole.
        let cut = look(&&packed[..packed.len() - 40], "", Limits::default());
        assert!(!is_sound(&cut), "{:?}", cut.findings);
    }
}

/// The end of an area by itself is read, and told for what it is.
#[test]
fn the_end_of_an_area_alone_is_told() {
    let area = fs::read(concat!(
        env!("CARGO_MANIFEST_DIR"),
        "/tests/platform/tables/by-sgdisk-512.img"
    ))
    .unwrap();
    let whole = look(&area, "", Limits::default());
    let end = look(&&area[area.len() / 2..], "", Limits::default());
    assert_eq!(end.what, whole.what);
    let told: Vec<Trouble> = end.findings.iter().map(|one| one.trouble).collect();
    assert_eq!(told, [Trouble::CutShort]);
    // One changed label is damage there as everywhere.
    let mut changed = area[area.len() / 2..].to_vec();
    let entries = changed.len() - 33 * 512;
    changed[entries + 56] ^= 1;
    let changed = look(&changed, "", Limits::default());
    assert_eq!(changed.what, What::Bytes, "{:?}", changed.findings);
}

/// A budget that is spent is said, and nothing is called damaged for it.
#[test]
fn what_was_not_read_is_said() {
    let path = concat!(
        env!("CARGO_MANIFEST_DIR"),
        "/tests/platform/verification/boot-footer.img"
    );
    let none = Limits {
        expanded_bytes: 1000,
        ..Limits::default()
    };
    let seen = look(&fs::read(path).unwrap(), "boot.img", none);
    let troubles: Vec<Trouble> = seen.findings.iter().map(|one| one.trouble).collect();
    assert!(
        troubles.contains(&Trouble::NotLookedAt),
        "{:?}",
        seen.findings
    );
    assert!(
        !troubles.contains(&Trouble::DigestDiffers),
        "{:?}",
        seen.findings
    );
}
