//! A vault on a real disk: what comes in comes out, damage has a place, and nothing that was cut
//! off is begun anew or taken for whole.

#![expect(clippy::unwrap_used, reason = "a test fails by panicking")]

mod again;
mod export;

use std::collections::BTreeMap;
use std::fs;
use std::path::Path;
use std::process::Command;

use proptest::prelude::*;
use tempfile::TempDir;
use uuid::Uuid;
use veritope_core::coverage::{Agreement, BlankBytes, Origin, Rest};
use veritope_core::digest::{FRAME_BYTES, FrameLayout};
use veritope_core::family::Role;
use veritope_core::mode::{Lock, Mode};
use veritope_vault::{
    Access, CaptureSource, Captured, ImageState, MANIFEST_VERSION, Manifest, Vault, VaultError,
    pump,
};
use veritope_wire::{CaptureId, Digest, JobId, Label, PlaceId, UnitId, WallTime};

const UNIT: &str = "0192f0c1-2345-7abc-8def-0123456789ab";

fn unit() -> UnitId {
    UNIT.parse().unwrap()
}

fn vault(folder: &Path) -> Vault {
    Vault::open(folder, Access::Write, PlaceId::new(Uuid::from_u128(1))).unwrap()
}

fn job() -> JobId {
    JobId::new(Uuid::from_u128(7))
}

/// Bytes that compress in part and differ everywhere.
fn image(length: u64, seed: u8) -> Vec<u8> {
    (0..length)
        .map(|n| {
            if n % 4096 < 1024 {
                (n / 7) as u8 ^ seed
            } else {
                seed
            }
        })
        .collect()
}

fn label(text: &str) -> Label {
    text.parse().unwrap()
}

/// Stages an image up to frame `until`; an error then, as of a pulled cable.
fn bring(vault: &Vault, name: &str, bytes: &[u8], until: u64) -> Result<(), VaultError> {
    let layout = FrameLayout::new(bytes.len() as u64);
    let mut staging = vault.stage(job())?;
    let from = staging.frames_of(&label(name));
    let read = |index: u64, _| {
        assert!(index >= from, "frame {index} was read before");
        if index >= until {
            return Err(std::io::Error::other("cable out"));
        }
        let (first, count) = layout.span(index);
        let (first, count) = (
            usize::try_from(first).unwrap(),
            usize::try_from(count).unwrap(),
        );
        Ok(bytes[first..first + count].to_vec())
    };
    pump(layout, from, None, read, |frame| {
        staging
            .append(&label(name), frame, None)
            .map_err(std::io::Error::other)
    })
    .map_err(|why| VaultError::File {
        path: "link".into(),
        why,
    })
}

fn manifest(vault: &Vault, images: &[(&str, &[u8])]) -> Manifest {
    let mut partitions = Vec::new();
    for (name, bytes) in images {
        bring(vault, name, bytes, u64::MAX).unwrap();
        let layout = FrameLayout::new(bytes.len() as u64);
        let staged = vault
            .stage(job())
            .unwrap()
            .close(&label(name), layout)
            .unwrap();
        assert_eq!(staged.blake3, Digest::of(bytes));
        partitions.push(Captured {
            label: label(name),
            role: Some(Role::DeviceUnique),
            area: 0,
            number: 1,
            offset_bytes: 0,
            length_bytes: bytes.len() as u64,
            blake3: staged.blake3,
            frames: staged.frames,
            stored_bytes: staged.stored_bytes,
            agreement: Agreement::Twice,
            blank: staged.blank,
            inside: None,
        });
    }
    Manifest {
        veritope_capture: MANIFEST_VERSION,
        capture: CaptureId::new(Uuid::from_u128(9)),
        unit: unit(),
        nickname: "Sanderling".to_owned(),
        taken: WallTime::from_ms(1_795_500_000_000).unwrap(),
        family: "gimbal".to_owned(),
        identifiers: BTreeMap::new(),
        build: None,
        source: CaptureSource {
            origin: Origin::Read,
            mode: Mode::TemporaryRecovery,
            rest: Rest::AtRest,
            lock: Some(Lock::Unlocked),
        },
        areas: Vec::new(),
        partitions,
    }
}

fn captured(folder: &Path, images: &[(&str, &[u8])]) -> (Vault, Manifest) {
    let vault = vault(folder);
    let manifest = manifest(&vault, images);
    let staging = vault.stage(job()).unwrap();
    staging.finish(&manifest).unwrap();
    staging.discard().unwrap();
    (vault, manifest)
}

fn folder() -> TempDir {
    tempfile::tempdir().unwrap()
}

/// Digest of a manifest's file, as a record would know it.
fn digest_of(vault: &Vault, manifest: &Manifest) -> Digest {
    vault.manifest(unit(), manifest.capture).unwrap().1
}

#[test]
fn what_was_captured_reads_back_and_verifies() {
    let folder = folder();
    let (persist, modem) = (image(FRAME_BYTES * 2 + 77, 3), image(512, 9));
    let (vault, manifest) = captured(
        folder.path(),
        &[("persist", &persist), ("modemst1", &modem)],
    );
    assert_eq!(
        vault.captures(unit()).unwrap(),
        std::slice::from_ref(&manifest)
    );
    assert_eq!(vault.staged().unwrap(), [], "nothing is left under way");
    let mut hashed = 0;
    let report = vault.verify(&manifest, |bytes| {
        hashed += bytes;
        true
    });
    assert_eq!((report.damage, report.sound.len()), (Vec::new(), 2));
    assert_eq!(hashed, manifest.bytes(), "every byte is hashed once");
    let frame = vault.frame(&manifest.partitions[0], 2).unwrap();
    assert_eq!(frame, &persist[usize::try_from(FRAME_BYTES).unwrap() * 2..]);
}

/// Anyone can read an object with Debian's tools alone.
#[test]
fn public_tools_turn_an_object_into_the_image() {
    let folder = folder();
    let bytes = image(FRAME_BYTES * 3 + 5, 200);
    let (vault, manifest) = captured(folder.path(), &[("system", &bytes)]);
    let object = vault.object_path(manifest.partitions[0].blake3);
    let run = |program: &str, words: &[&str]| {
        let output = Command::new(program).args(words).arg(&object).output();
        output.unwrap_or_else(|error| panic!("{program} is part of the test set-up: {error}"))
    };
    let decoded = run("zstd", &["-d", "-c", "-q"]);
    assert!(
        decoded.stdout == bytes,
        "zstd gives {} bytes",
        decoded.stdout.len()
    );
    let listed = String::from_utf8(run("zstd", &["-l", "-v"]).stdout).unwrap();
    assert!(listed.contains("# Zstandard Frames: 4"), "{listed}");
    assert!(listed.contains("# Skippable Frames: 2"), "{listed}");
    fs::write(folder.path().join("image"), &decoded.stdout).unwrap();
    let hashed = Command::new("b3sum")
        .arg("--no-names")
        .arg(folder.path().join("image"))
        .output()
        .expect("b3sum is part of the test set-up");
    let hashed = String::from_utf8(hashed.stdout).unwrap();
    assert_eq!(hashed.trim(), manifest.partitions[0].blake3.to_string());
}

/// Flips one bit of the object of `part` and asks for the damage that is then told: one piece, in
/// the frame whose bytes it lies in, and in no other.
fn flipped_and_named(vault: &Vault, part: &Captured, at: usize, bit: u8) -> Result<(), String> {
    let path = vault.object_path(part.blake3);
    let whole = fs::read(&path).unwrap();
    let mut stored = whole.clone();
    stored[at] ^= 1 << bit;
    fs::write(&path, &stored).unwrap();
    let state = vault.verify_image(part, |_| true);
    let count = part.layout().count();
    let readable: Vec<bool> = (0..count).map(|n| vault.frame(part, n).is_ok()).collect();
    fs::write(&path, &whole).unwrap();
    let ImageState::Damaged(damage) = state else {
        return Err(format!("bit {bit} of byte {at} flipped unseen"));
    };
    let [one] = damage.as_slice() else {
        return Err(format!("{damage:?}"));
    };
    let right = match one.frame {
        Some(frame) => {
            one.first_byte == frame * FRAME_BYTES
                && (0..count).all(|n| readable[usize::try_from(n).unwrap()] == (n != frame))
        }
        // In the tables behind the frames: the object as a whole can't be relied on.
        None => readable.iter().all(|is| !is),
    };
    right
        .then_some(())
        .ok_or_else(|| format!("{damage:?}, readable {readable:?}"))
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(10))]

    /// Wherever one bit flips on disk, the damage is named to the frame, and to no other.
    #[test]
    fn one_flipped_bit_is_named_to_its_frame(at in 0.0..1.0f64, bit in 0..8u8) {
        let folder = folder();
        let (vault, manifest) = captured(folder.path(), &[("persist", &image(FRAME_BYTES * 2 + 4096, 77))]);
        let part = &manifest.partitions[0];
        let at = (at * (part.stored_bytes - 1) as f64) as usize;
        prop_assert_eq!(flipped_and_named(&vault, part, at, bit), Ok(()));
    }
}

/// The same for every bit of small objects, whose tables are most of them; and for a match that may
/// begin at either of two equal places, where the frame still decodes to the right bytes.
#[test]
fn every_bit_counts_also_where_the_image_stays_equal() {
    let folder = folder();
    let (vault, manifest) = captured(folder.path(), &[("persist", &image(3000, 77))]);
    let part = &manifest.partitions[0];
    for at in 0..usize::try_from(part.stored_bytes).unwrap() {
        for bit in 0..8 {
            assert_eq!(flipped_and_named(&vault, part, at, bit), Ok(()));
        }
    }
    drop(vault);
    let bytes = image(FRAME_BYTES * 2 + 4096, 77);
    let (vault, manifest) = captured(folder.path(), &[("modemst1", &bytes)]);
    let part = &manifest.partitions[0];
    // Found by search: decoding does not notice this one.
    let (at, bit) = (356, 1);
    let path = vault.object_path(part.blake3);
    let whole = fs::read(&path).unwrap();
    let mut stored = whole.clone();
    stored[at] ^= 1 << bit;
    fs::write(&path, stored).unwrap();
    let decoded = Command::new("zstd")
        .args(["-d", "-c", "-q"])
        .arg(&path)
        .output();
    assert!(
        decoded.unwrap().stdout == bytes,
        "the case is one where the image stays equal"
    );
    fs::write(&path, whole).unwrap();
    assert_eq!(flipped_and_named(&vault, part, at, bit), Ok(()));
}

/// A vault of version 1, whose objects have no digests of their frames: read as it is, and told to
/// be a newer one as soon as it is written to.
#[test]
fn an_older_vault_is_read_and_becomes_a_newer_one_when_it_is_written() {
    let folder = folder();
    let (vault, manifest) = captured(folder.path(), &[("persist", &image(9000, 5))]);
    let path = vault.object_path(manifest.partitions[0].blake3);
    let mut object = fs::read(&path).unwrap();
    let table_at = object.len() - 25;
    object.drain(table_at - 40..table_at);
    fs::write(&path, &object).unwrap();
    drop(vault);
    let place = folder.path().join("place.toml");
    let text = fs::read_to_string(&place).unwrap();
    fs::write(
        &place,
        text.replace("vault_version = 3", "vault_version = 1"),
    )
    .unwrap();
    let id = PlaceId::new(Uuid::nil());
    let vault = Vault::open(folder.path(), Access::Read, id).unwrap();
    assert_eq!(vault.verify(&manifest, |_| true).damage, []);
    assert!(
        fs::read_to_string(&place)
            .unwrap()
            .contains("vault_version = 1")
    );
    let vault = Vault::open(folder.path(), Access::Write, id).unwrap();
    assert_eq!(fs::read_to_string(&place).unwrap(), text, "its id stays");
    assert_eq!(vault.verify(&manifest, |_| true).damage, []);
    object[20] ^= 1;
    fs::write(&path, &object).unwrap();
    assert_eq!(vault.verify(&manifest, |_| true).damage.len(), 1);
}

#[test]
fn a_capture_that_was_cut_off_goes_on_and_equals_an_undisturbed_one() {
    let bytes = image(FRAME_BYTES * 5 + 9, 1);
    let undisturbed = folder();
    let (_, whole) = captured(undisturbed.path(), &[("system", &bytes)]);
    let broken = folder();
    for until in [1, 3, 4] {
        let vault = vault(broken.path());
        assert!(bring(&vault, "system", &bytes, until).is_err());
        drop(vault);
        // The process died while writing: half a frame, half a line.
        let staged = broken.path().join("staging").join(job().to_string());
        let mut part = fs::read(staged.join("system.part")).unwrap();
        part.extend([0xAB; 1234]);
        fs::write(staged.join("system.part"), part).unwrap();
        let mut lines = fs::read(staged.join("frames.jsonl")).unwrap();
        assert_eq!(lines.iter().filter(|b| **b == b'\n').count() as u64, until);
        lines.extend(b"{\"label\":\"sys");
        fs::write(staged.join("frames.jsonl"), lines).unwrap();
    }
    let (vault, resumed) = captured(broken.path(), &[("system", &bytes)]);
    assert_eq!(resumed.partitions, whole.partitions);
    assert_eq!(vault.verify(&resumed, |_| true).damage, []);
}

#[test]
fn a_copy_that_was_cut_off_goes_on_and_is_whole() {
    let (from, to) = (folder(), folder());
    // Noise, so that the object is as long as the image.
    let mut word = 1u64;
    let noise = std::iter::repeat_with(|| {
        word = word.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1);
        (word >> 33) as u8
    });
    let bytes: Vec<u8> = noise
        .take(usize::try_from(FRAME_BYTES * 2).unwrap())
        .collect();
    let (vault, manifest) = captured(from.path(), &[("persist", &bytes)]);
    let id = PlaceId::new(Uuid::from_u128(2));
    let stick = Vault::open(to.path(), Access::Write, id).unwrap();
    let mut pieces = 0;
    let stopped = vault.copy_to(
        &stick,
        unit(),
        manifest.capture,
        digest_of(&vault, &manifest),
        |_| {
            pieces += 1;
            pieces < 3
        },
    );
    assert!(stopped.is_err());
    assert_eq!(
        stick.captures(unit()).unwrap(),
        [],
        "no manifest, no capture"
    );
    let mut rest = 0;
    let copied = vault
        .copy_to(
            &stick,
            unit(),
            manifest.capture,
            digest_of(&vault, &manifest),
            |bytes| {
                rest += bytes;
                true
            },
        )
        .unwrap();
    assert_eq!(copied.written_bytes, rest);
    assert!(
        rest < manifest.partitions[0].stored_bytes,
        "it went on, {rest} bytes"
    );
    assert_eq!(
        stick
            .verify(&stick.captures(unit()).unwrap()[0], |_| true)
            .damage,
        []
    );
    let again = vault
        .copy_to(
            &stick,
            unit(),
            manifest.capture,
            digest_of(&vault, &manifest),
            |_| true,
        )
        .unwrap();
    assert_eq!((again.written_bytes, again.present), (0, 1));
}

#[test]
fn damage_here_is_repaired_from_a_sound_copy_only() {
    let (from, to) = (folder(), folder());
    let (vault, manifest) = captured(from.path(), &[("persist", &image(9000, 5))]);
    let stick = Vault::open(to.path(), Access::Write, PlaceId::new(Uuid::from_u128(2))).unwrap();
    vault
        .copy_to(
            &stick,
            unit(),
            manifest.capture,
            digest_of(&vault, &manifest),
            |_| true,
        )
        .unwrap();
    let part = &manifest.partitions[0];
    let flip = |vault: &Vault| {
        let path = vault.object_path(part.blake3);
        let mut bytes = fs::read(&path).unwrap();
        bytes[20] ^= 4;
        fs::write(path, bytes).unwrap();
    };
    flip(&vault);
    vault.repair_from(&stick, part).unwrap();
    assert_eq!(vault.verify(&manifest, |_| true).damage, []);
    flip(&vault);
    flip(&stick);
    assert!(vault.repair_from(&stick, part).is_err());
    // A capture that brings the same image again replaces the damaged object.
    let (_, again) = {
        drop(vault);
        captured(from.path(), &[("persist", &image(9000, 5))])
    };
    assert_eq!(again.partitions[0].blake3, part.blake3);
    let vault = Vault::open(from.path(), Access::Read, PlaceId::new(Uuid::nil())).unwrap();
    assert_eq!(vault.verify(&again, |_| true).damage, []);
}

#[test]
fn one_bench_writes_and_others_read() {
    let folder = folder();
    let (vault, manifest) = captured(folder.path(), &[("persist", &image(100, 1))]);
    let id = PlaceId::new(Uuid::from_u128(3));
    assert!(matches!(
        Vault::open(folder.path(), Access::Write, id),
        Err(VaultError::Busy(_))
    ));
    let reader = Vault::open(folder.path(), Access::Read, id).unwrap();
    assert_eq!(reader.id(), vault.id(), "the id goes with the folder");
    assert_eq!(reader.verify(&manifest, |_| true).damage, []);
    assert!(matches!(reader.stage(job()), Err(VaultError::ReadOnly(_))));
}

#[test]
fn what_can_not_fit_is_refused_with_the_bytes_missing() {
    let folder = folder();
    let vault = vault(folder.path());
    let error = vault.has_room(u64::MAX).unwrap_err();
    assert!(
        matches!(
            error,
            VaultError::NoRoom {
                needed: u64::MAX,
                ..
            }
        ),
        "{error}"
    );
}

#[test]
fn a_newer_vault_and_a_newer_manifest_are_told() {
    let folder = folder();
    let (vault, manifest) = captured(folder.path(), &[("persist", &image(100, 1))]);
    let path = vault.capture_folder(&manifest).join("manifest.json");
    let text = fs::read_to_string(&path).unwrap();
    fs::write(
        &path,
        text.replace("\"veritope_capture\": 1", "\"veritope_capture\": 9"),
    )
    .unwrap();
    assert!(matches!(
        vault.captures(unit()),
        Err(VaultError::Newer { found: 9, .. })
    ));
    fs::write(&path, &text[..text.len() / 2]).unwrap();
    assert!(matches!(
        vault.captures(unit()),
        Err(VaultError::Unreadable { .. })
    ));
    drop(vault);
    let place = folder.path().join("place.toml");
    let text = fs::read_to_string(&place)
        .unwrap()
        .replace("vault_version = 3", "vault_version = 4");
    fs::write(place, text).unwrap();
    let open = Vault::open(folder.path(), Access::Write, PlaceId::new(Uuid::nil()));
    assert!(matches!(open, Err(VaultError::Newer { found: 4, .. })));
}

#[test]
fn blankness_is_told_of_the_whole_image() {
    let folder = folder();
    let zeros = vec![0; usize::try_from(FRAME_BYTES).unwrap() + 10];
    let mut mixed = zeros.clone();
    *mixed.last_mut().unwrap() = 1;
    let (_, manifest) = captured(
        folder.path(),
        &[("a", &zeros), ("b", &mixed), ("c", &[0xFF; 700])],
    );
    let blank: Vec<BlankBytes> = manifest.partitions.iter().map(|part| part.blank).collect();
    assert_eq!(blank, [BlankBytes::Zeros, BlankBytes::No, BlankBytes::Ones]);
}

/// The published schema names the fields that manifests have, no more and no fewer.
#[test]
fn the_published_schema_and_the_manifest_agree() {
    let schema = include_str!("../../../docs/capture-manifest.schema.json");
    let schema: serde_json::Value = serde_json::from_str(schema).unwrap();
    let folder = folder();
    let (_, mut manifest) = captured(folder.path(), &[("persist", &image(100, 1))]);
    manifest.areas.push(veritope_vault::CapturedArea {
        area: 0,
        sector_bytes: 512,
        length_bytes: 1 << 20,
        guid: "g".to_owned(),
    });
    manifest.partitions[0].inside = Some(veritope_core::worth::Inside::Other);
    let written = serde_json::to_value(&manifest).unwrap();
    let pairs = [
        (&schema, &written),
        (&schema["properties"]["source"], &written["source"]),
        (
            &schema["properties"]["areas"]["items"],
            &written["areas"][0],
        ),
        (
            &schema["properties"]["partitions"]["items"],
            &written["partitions"][0],
        ),
    ];
    for (schema, value) in pairs {
        let mut required: Vec<&str> = schema["required"]
            .as_array()
            .unwrap()
            .iter()
            .map(|name| name.as_str().unwrap())
            .collect();
        let fields = value.as_object().unwrap();
        let mut keys: Vec<&str> = fields.keys().map(String::as_str).collect();
        let mut known: Vec<&str> = schema["properties"]
            .as_object()
            .unwrap()
            .keys()
            .map(String::as_str)
            .collect();
        for list in [&mut required, &mut keys, &mut known] {
            list.sort_unstable();
        }
        assert_eq!(keys, known);
        // What came later may be missing.
        known.retain(|name| *name != "inside");
        assert_eq!(required, known);
        // Where the schema lists values, this one is among them.
        for (key, value) in fields {
            if let Some(allowed) = schema["properties"][key]["enum"].as_array() {
                assert!(allowed.contains(value), "{key}: {value}");
            }
        }
    }
}
