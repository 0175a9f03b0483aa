//! One thing out of another: what comes out of files made by another hand is what their maker says.

use std::fs;
use std::io::Cursor;
use std::path::Path;

use ring::digest::{SHA256, digest};
use serde_json::Value;
use veritope_formats::look::{Limits, Looked, NotTaken, Part, What, look, take};

fn folder() -> &'static Path {
    Path::new(concat!(env!("CARGO_MANIFEST_DIR"), "/tests/platform"))
}

fn taken(bytes: &[u8], part: Part<'_>) -> Result<Vec<u8>, NotTaken> {
    let mut out = Cursor::new(Vec::new());
    take(&bytes, part, 64 << 20, &mut out)?;
    Ok(out.into_inner())
}

/// Takes each thing that is seen inside out, by name and kind; how many came, and each error.
fn all_out(bytes: &[u8], looked: &Looked) -> (usize, Vec<NotTaken>) {
    let (mut came, mut errors) = (0, Vec::new());
    let mut one = |part: Part<'_>| {
        let mut out = Cursor::new(Vec::new());
        match take(&bytes, part, 64 << 20, &mut out) {
            Ok(taken) => {
                came += 1;
                assert_eq!(out.into_inner().len() as u64, taken.bytes);
            }
            Err(error) => errors.push(error),
        }
    };
    match &looked.what {
        What::Archive(archive) => {
            for member in &archive.members {
                one(Part::Member(&member.name));
            }
        }
        What::Payload(payload) => {
            for partition in &payload.partitions {
                one(Part::Partition(&partition.name));
            }
        }
        What::Sparse(_) => one(Part::Expanded),
        What::Packed { .. } => one(Part::Unpacked),
        _ => {}
    }
    (came, errors)
}

#[test]
fn everything_in_a_sound_file_comes_out_and_nothing_of_one_that_is_refused() {
    let expected = fs::read(folder().join("expect.json")).unwrap();
    let expected: Value = serde_json::from_slice(&expected).unwrap();
    let (mut files, mut out) = (0, 0);
    for file in expected["files"].as_array().unwrap() {
        let name = file["file"].as_str().unwrap();
        let bytes = fs::read(folder().join(name)).unwrap();
        let looked = look(&bytes, name, Limits::default());
        let (came, errors) = all_out(&bytes, &looked);
        files += 1;
        out += came;
        let is_refused = file["refusals"]
            .as_array()
            .is_some_and(|all| !all.is_empty());
        if is_refused {
            assert!(!errors.is_empty(), "{name}: nothing was refused");
        }
        let is_incremental = matches!(&looked.what, What::Payload(one) if one.incremental);
        if file["sound"] == true && !is_incremental && looked.findings.is_empty() {
            // Folders are no files, and one of them expands to 12 TiB.
            let folders =
                |error: &&NotTaken| !matches!(error, NotTaken::Refused(..) | NotTaken::TooLong(_));
            let errors: Vec<&NotTaken> = errors.iter().filter(folders).collect();
            assert!(errors.is_empty(), "{name}: {errors:?}");
        }
        if is_incremental {
            assert_eq!(came, 0, "{name}");
        }
    }
    assert!(
        files > 150 && out > 60,
        "{files} files, {out} things out of them"
    );
}

#[test]
fn partitions_of_a_whole_payload_have_the_digests_that_it_states() {
    let bytes = fs::read(folder().join("payload/full.bin")).unwrap();
    let What::Payload(payload) = look(&bytes, "", Limits::default()).what else {
        panic!("no payload")
    };
    assert_eq!(payload.partitions.len(), 3);
    for partition in &payload.partitions {
        let image = taken(&bytes, Part::Partition(&partition.name)).unwrap();
        let sum: String = digest(&SHA256, &image)
            .as_ref()
            .iter()
            .map(|b| format!("{b:02x}"))
            .collect();
        assert_eq!(sum, partition.digest, "{}", partition.name);
    }
    // Out of the package that holds it: one level after the other.
    let package = fs::read(folder().join("payload/full.zip")).unwrap();
    let inner = taken(&package, Part::Member("payload.bin")).unwrap();
    assert_eq!(inner, bytes);
    for wrong in [
        "data-changed",
        "operation-digest-wrong",
        "cut",
        "extents-lie",
        "data-offset-lies",
    ] {
        let bytes = fs::read(folder().join(format!("payload/{wrong}.bin"))).unwrap();
        let looked = look(&bytes, "", Limits::default());
        assert_eq!(all_out(&bytes, &looked).0, 0, "{wrong}");
    }
}

#[test]
fn what_is_damaged_ambiguous_or_too_long_is_said_and_not_taken() {
    let read = |name: &str| fs::read(folder().join(name)).unwrap();
    let tar = read("packages/download.tar");
    assert!(taken(&tar, Part::Member("recovery.img")).is_ok());
    assert!(matches!(
        taken(&tar, Part::Member("none")),
        Err(NotTaken::Missing(_))
    ));
    assert!(matches!(
        taken(&tar, Part::Expanded),
        Err(NotTaken::Another)
    ));
    let mut out = Cursor::new(Vec::new());
    let short = take(&tar, Part::Member("recovery.img"), 100, &mut out);
    assert!(matches!(short, Err(NotTaken::TooLong(100))));
    let sparse = read("sparse/checksum-wrong.img");
    assert!(matches!(
        taken(&sparse, Part::Expanded),
        Err(NotTaken::Damaged(_))
    ));
    let piece = read("sparse/pieces/system.img_piece.0");
    let mut out = Cursor::new(Vec::new());
    assert!(
        take(&piece, Part::Expanded, 64 << 20, &mut out)
            .unwrap()
            .not_said
            > 0
    );
    // What comes out of the sound one is what another that expands it says.
    let (plain, sums) = (read("sparse/plain.img"), read("sparse/checksums.img"));
    assert_eq!(
        taken(&plain, Part::Expanded).unwrap(),
        taken(&sums, Part::Expanded).unwrap()
    );
}
