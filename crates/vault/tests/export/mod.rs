//! An export is checked and unpacked by common tools alone, and by us in one pass; nothing damaged is taken for whole.

use std::path::PathBuf;

use veritope_vault::{For, OpenExport};

use super::*;

/// Bytes that nothing makes smaller.
fn noise(length: u64) -> Vec<u8> {
    let mut state = 0x9E37_79B9_7F4A_7C15_u64;
    let word = || {
        state ^= state << 13;
        state ^= state >> 7;
        state ^= state << 17;
        state.to_le_bytes()
    };
    let mut bytes: Vec<u8> = std::iter::repeat_with(word)
        .take(usize::try_from(length / 8 + 1).unwrap())
        .flatten()
        .collect();
    bytes.truncate(usize::try_from(length).unwrap());
    bytes
}

/// Two partitions and one that exists once, the second capture of which differs in one frame.
fn exported(whom: For) -> (tempfile::TempDir, PathBuf, Manifest) {
    let folder = folder();
    let vault_at = folder.path().join("vault");
    let persist = image(FRAME_BYTES + 4096, 3);
    let system = noise(FRAME_BYTES * 3 + 77);
    let (vault, mut manifest) = captured(&vault_at, &[("persist", &persist), ("system", &system)]);
    manifest.partitions[0].role = Some(Role::DeviceUnique);
    manifest.partitions[1].role = Some(Role::Os);
    manifest.nickname = "Sanderling".to_owned();
    manifest
        .identifiers
        .insert("chip-id".to_owned(), "9a77015c20e4".to_owned());
    let path = folder.path().join("out.tar");
    // The whole manifest goes out as its file is.
    let file = vault.capture_folder(&manifest).join("manifest.json");
    let written = serde_json::to_vec_pretty(&manifest).unwrap();
    fs::write(&file, &written).unwrap();
    let known = Digest::of(&written);
    let exported = vault
        .export((&manifest, known), whom, &path, |_| true)
        .unwrap();
    assert_eq!(exported.bytes, fs::metadata(&path).unwrap().len());
    assert_eq!(exported.blake3, Digest::of(&fs::read(&path).unwrap()));
    (folder, path, manifest)
}

fn read(path: &Path) -> veritope_vault::ExportReport {
    let export = OpenExport::open(path).unwrap();
    export.read(|_, _, _| Ok(()), |_| true).unwrap()
}

#[test]
fn the_commands_of_its_read_me_run_as_written_in_an_empty_folder() {
    for whom in [For::Owner, For::Another] {
        let (folder, path, manifest) = exported(whom);
        let empty = folder.path().join("empty");
        fs::create_dir(&empty).unwrap();
        let tar = Command::new("tar")
            .arg("-xf")
            .arg(&path)
            .current_dir(&empty)
            .status();
        assert!(tar.unwrap().success());
        let text = fs::read_to_string(empty.join("READ-ME.txt")).unwrap();
        let first = text.lines().next().unwrap();
        match whom {
            For::Owner => assert!(first.contains("carries the identity"), "{first}"),
            For::Another => assert_eq!(first, "b3sum -c B3SUMS"),
        }
        let commands: Vec<&str> = text
            .lines()
            .filter_map(|line| line.strip_prefix("    "))
            .collect();
        assert_eq!(commands.len(), 4);
        for command in commands {
            let ran = Command::new("sh")
                .args(["-c", command])
                .current_dir(&empty)
                .output()
                .unwrap();
            assert!(
                ran.status.success(),
                "{command}: {}",
                String::from_utf8_lossy(&ran.stderr)
            );
        }
        let has = |name: &str| {
            let all = fs::read_dir(&empty).unwrap();
            all.into_iter()
                .any(|one| one.unwrap().file_name().to_string_lossy().ends_with(name))
        };
        assert!(has("-system.img"));
        assert_eq!(has("-persist.img"), whom == For::Owner);
        let about = fs::read_to_string(empty.join("manifest.json")).unwrap();
        assert_eq!(about.contains("9a77015c20e4"), whom == For::Owner);
        assert_eq!(about.contains("Sanderling"), whom == For::Owner);
        assert_eq!(about.contains("\"persist\""), whom == For::Owner);
        let report = read(&path);
        assert!(report.is_sound(), "{report:?}");
        let all: u64 = manifest
            .partitions
            .iter()
            .map(|part| part.length_bytes)
            .sum();
        assert_eq!(report.bytes == all, whom == For::Owner);
    }
}

#[test]
fn each_changed_byte_is_told_and_a_cut_one_ends_in_a_sentence() {
    let (folder, path, _) = exported(For::Owner);
    let whole = fs::read(&path).unwrap();
    assert!(read(&path).is_sound());
    let broken = folder.path().join("broken.tar");
    // The heads of members, their bytes, the lists behind them.
    let step = whole.len() / 61;
    let mut told = 0;
    for at in (0..whole.len() - 2048).step_by(step) {
        let mut bytes = whole.clone();
        bytes[at] ^= 0x40;
        fs::write(&broken, &bytes).unwrap();
        let Ok(export) = OpenExport::open(&broken) else {
            told += 1;
            continue;
        };
        match export.read(|_, _, _| Ok(()), |_| true) {
            Err(_) => told += 1,
            Ok(report) if !report.is_sound() => told += 1,
            // What fills a member up, its date, the READ-ME and the table bear no digest.
            Ok(_) => {}
        }
    }
    assert!(told >= 57, "{told}");
    for length in [
        0,
        100,
        600,
        5000,
        whole.len() / 3,
        whole.len() / 2,
        whole.len() - 4096,
    ] {
        fs::write(&broken, &whole[..length]).unwrap();
        let is_sound = OpenExport::open(&broken)
            .and_then(|export| export.read(|_, _, _| Ok(()), |_| true))
            .is_ok_and(|report| report.is_sound());
        assert!(!is_sound, "{length} bytes of it");
    }
}

#[test]
fn damage_is_told_with_its_frame() {
    let (folder, path, manifest) = exported(For::Owner);
    let mut bytes = fs::read(&path).unwrap();
    // Within the third frame of the system, which is noise: as long packed as not.
    let name = b"02-system.img.zst";
    let head = bytes.windows(name.len()).position(|at| at == name).unwrap();
    let at = head + 512 + usize::try_from(2 * FRAME_BYTES).unwrap() + 4096;
    bytes[at] ^= 1;
    let broken = folder.path().join("broken.tar");
    fs::write(&broken, &bytes).unwrap();
    let report = read(&broken);
    let one = report
        .members
        .iter()
        .find(|one| one.damage.is_some())
        .unwrap();
    assert_eq!(one.name, "02-system.img.zst");
    assert_eq!(one.first_byte, Some(2 * FRAME_BYTES));
    assert!(manifest.partition(&label("system")).is_some());
}

#[test]
fn a_damaged_image_is_not_exported_and_nothing_is_left() {
    let folder = folder();
    let vault_at = folder.path().join("vault");
    let system = image(FRAME_BYTES * 2, 1);
    let (vault, manifest) = captured(&vault_at, &[("system", &system)]);
    let object = vault.object_path(manifest.partitions[0].blake3);
    let mut bytes = fs::read(&object).unwrap();
    bytes[5000] ^= 1;
    fs::write(&object, &bytes).unwrap();
    let out = folder.path().join("out");
    fs::create_dir(&out).unwrap();
    let (_, known) = vault.manifest(manifest.unit, manifest.capture).unwrap();
    let to = out.join("a.tar");
    let refused = vault.export((&manifest, known), For::Owner, &to, |_| true);
    assert!(
        matches!(refused, Err(VaultError::Damaged { .. })),
        "{refused:?}"
    );
    let stopped = vault.export((&manifest, known), For::Owner, &to, |_| false);
    assert!(stopped.is_err());
    let another = Digest::of(b"another manifest");
    let refused = vault.export((&manifest, another), For::Owner, &to, |_| true);
    assert!(
        matches!(refused, Err(VaultError::Unreadable { .. })),
        "{refused:?}"
    );
    assert_eq!(fs::read_dir(&out).unwrap().count(), 0);
}
