//! A capture after another one: what has not changed is not stored again, and every copy of what is stored
//! so is whole. And what a machine that stopped leaves behind is hashed before it counts.

use std::path::PathBuf;

use veritope_core::digest::FrameList;

use super::*;

/// Bytes of all files below a folder.
fn bytes_below(folder: &Path) -> u64 {
    let mut all = 0;
    for entry in fs::read_dir(folder).unwrap() {
        let entry = entry.unwrap();
        let meta = entry.metadata().unwrap();
        all += if meta.is_dir() {
            bytes_below(&entry.path())
        } else {
            meta.len()
        };
    }
    all
}

/// Reads `bytes` beside what was captured `before`; gives the image, and how many frames were packed.
fn beside(vault: &Vault, bytes: &[u8], before: &Captured) -> (Captured, u64) {
    let layout = FrameLayout::new(bytes.len() as u64);
    let name = label("system");
    let mut staging = vault.stage(job()).unwrap();
    let mut packed = 0;
    let read = |index: u64, _| {
        let (first, count) = layout.span(index);
        let index = |at: u64| usize::try_from(at).unwrap();
        Ok::<_, std::io::Error>(bytes[index(first)..index(first + count)].to_vec())
    };
    let known = Some(&before.frames[..]);
    pump(layout, 0, known, read, |frame| {
        packed += u64::from(frame.packed.is_some());
        let as_in = Some(before.blake3);
        staging
            .append(&name, frame, as_in)
            .map_err(std::io::Error::other)
    })
    .unwrap();
    let staged = staging.close(&name, layout).unwrap();
    staging.discard().unwrap();
    let part = Captured {
        blake3: staged.blake3,
        frames: staged.frames,
        stored_bytes: staged.stored_bytes,
        blank: staged.blank,
        ..before.clone()
    };
    (part, packed)
}

fn is_sound(vault: &Vault, part: &Captured) -> bool {
    matches!(vault.verify_image(part, |_| true), ImageState::Sound(seen) if seen.digest() == part.blake3)
}

fn changed_at(bytes: &[u8], frames: &[u64]) -> Vec<u8> {
    let mut bytes = bytes.to_vec();
    for frame in frames {
        bytes[usize::try_from(frame * FRAME_BYTES).unwrap() + 100] ^= 0xFF;
    }
    bytes
}

#[test]
fn what_has_not_changed_is_not_stored_again() {
    let folder = folder();
    let first = image(FRAME_BYTES * 9 + 77, 1);
    let (vault, manifest) = captured(folder.path(), &[("system", &first)]);
    let before = &manifest.partitions[0];
    let all = bytes_below(folder.path());
    let (same, packed) = beside(&vault, &first, before);
    assert_eq!((same.blake3, packed), (before.blake3, 0));
    assert_eq!(bytes_below(folder.path()), all, "not a byte more");

    // One frame differs: one frame is stored.
    let second = changed_at(&first, &[4]);
    let (one, packed) = beside(&vault, &second, before);
    assert_eq!((one.blake3, packed), (Digest::of(&second), 1));
    assert!(
        one.stored_bytes < before.stored_bytes / 5,
        "{}",
        one.stored_bytes
    );
    assert!(is_sound(&vault, &one));

    // Another on top of that one: both frames lie in the new object, and it needs the first one only.
    let third = changed_at(&second, &[7]);
    let (two, packed) = beside(&vault, &third, &one);
    assert_eq!((two.blake3, packed), (Digest::of(&third), 1));
    fs::remove_file(vault.object_path(one.blake3)).unwrap();
    assert!(is_sound(&vault, &two));

    // Where most has changed all of it becomes an object of its own.
    let fourth = changed_at(&first, &[0, 1, 2, 3, 4, 5]);
    let (most, packed) = beside(&vault, &fourth, before);
    assert_eq!(packed, 6);
    fs::remove_file(vault.object_path(before.blake3)).unwrap();
    assert!(is_sound(&vault, &most));
    assert!(!is_sound(&vault, &two), "its other frames are gone");
}

#[test]
fn a_copy_of_what_changed_brings_what_it_needs_and_is_repaired_with_it() {
    let (here, there) = (folder(), folder());
    let first = image(FRAME_BYTES * 6, 3);
    let (vault, manifest) = captured(here.path(), &[("system", &first)]);
    let second = changed_at(&first, &[2]);
    let (part, _) = beside(&vault, &second, &manifest.partitions[0]);
    let changed = Manifest {
        capture: CaptureId::new(Uuid::from_u128(10)),
        partitions: vec![part.clone()],
        ..manifest
    };
    let known = vault.stage(job()).unwrap().finish(&changed).unwrap();
    let other = Vault::open(
        there.path(),
        Access::Write,
        PlaceId::new(Uuid::from_u128(2)),
    )
    .unwrap();
    let copied = vault
        .copy_to(&other, unit(), changed.capture, known, |_| true)
        .unwrap();
    assert!(copied.written_bytes > part.stored_bytes);
    assert!(is_sound(&other, &part));
    let again = vault.copy_to(&other, unit(), changed.capture, known, |_| true);
    assert_eq!(again.unwrap().written_bytes, 0);
    // Damage in either file is told to the frame and file, and repaired from the sound copy.
    let whole = other.object_path(Digest::of(&first));
    for (file, frame) in [(other.object_path(part.blake3), 2), (whole, 0)] {
        let mut bytes = fs::read(&file).unwrap();
        bytes[50] ^= 1;
        fs::write(&file, bytes).unwrap();
        let ImageState::Damaged(damage) = other.verify_image(&part, |_| true) else {
            panic!("not told");
        };
        assert_eq!((damage[0].frame, &damage[0].file), (Some(frame), &file));
        other.repair_from(&vault, &part).unwrap();
        assert!(is_sound(&other, &part));
    }
}

#[test]
fn public_tools_make_an_image_of_what_changed() {
    let folder = folder();
    let first = image(FRAME_BYTES * 5 + 900, 9);
    let (vault, manifest) = captured(folder.path(), &[("system", &first)]);
    let second = changed_at(&first, &[1, 5]);
    let (part, _) = beside(&vault, &second, &manifest.partitions[0]);
    let changed = vault.object_path(part.blake3);
    assert!(changed.to_string_lossy().ends_with(".changed.zst"));
    // As docs/capture-format.md says: the rest's image first, then each frame over it.
    let script = r#"
        set -e
        n=$(tail -c 9 "$1" | od -An -tu4 -N4 | tr -d ' ')
        size=$(stat -c %s "$1")
        at=$((size - (8 + 8*n + 9) - (8 + 32*n) - (48 + 4*n)))
        rest=$(tail -c +$((at + 9)) "$1" | head -c 32 | od -An -v -tx1 | tr -d ' \n')
        zstd -dcq "$2/$(echo $rest | cut -c1-2)/$rest.zst" > "$3"
        zstd -dcq "$1" > "$3.own"
        k=0
        for frame in $(tail -c +$((at + 49)) "$1" | head -c $((4*n)) | od -An -v -tu4); do
            dd if="$3.own" of="$3" bs=4M skip=$k seek=$frame count=1 conv=notrunc status=none
            k=$((k + 1))
        done
    "#;
    let made: PathBuf = folder.path().join("image");
    let status = Command::new("sh")
        .args(["-c", script, "sh"])
        .arg(&changed)
        .arg(folder.path().join("objects"))
        .arg(&made)
        .status();
    assert!(status.unwrap().success());
    assert!(fs::read(&made).unwrap() == second);
}

#[test]
fn a_frame_that_was_read_wrong_is_replaced_in_its_place() {
    let folder = folder();
    let vault = vault(folder.path());
    let right = image(FRAME_BYTES * 4 + 5, 2);
    let layout = FrameLayout::new(right.len() as u64);
    let wrong = changed_at(&right, &[1]);
    bring(&vault, "persist", &wrong, u64::MAX).unwrap();
    let name = label("persist");
    let journal = folder
        .path()
        .join(format!("staging/{}/frames.jsonl", job()));
    let mut marked = fs::read_to_string(&journal).unwrap();
    marked.push_str("{\"synced\":\"persist\",\"frames\":5}\n");
    fs::write(&journal, marked).unwrap();
    // In another process than the one that read it.
    let mut staging = vault.stage(job()).unwrap();
    let known = staging.values_of(&name);
    let read = |index: u64, _| {
        let (first, count) = layout.span(index);
        let index = |at: u64| usize::try_from(at).unwrap();
        Ok::<_, std::io::Error>(right[index(first)..index(first + count)].to_vec())
    };
    let mut replaced = 0;
    pump(layout, 0, Some(&known), read, |frame| {
        if frame.packed.is_some() {
            replaced += 1;
            staging
                .replace(&name, frame, None)
                .map_err(std::io::Error::other)?;
        }
        Ok(())
    })
    .unwrap();
    assert_eq!(replaced, 1);
    drop(staging);
    let lines = fs::read_to_string(&journal).unwrap();
    assert!(
        !lines.contains("synced"),
        "what was replaced is hashed again"
    );
    let mut staging = vault.stage(job()).unwrap();
    let image = staging.close(&name, layout).unwrap();
    assert_eq!(image.blake3, Digest::of(&right));
    let list = FrameList::of(&right);
    let mut object = vault.object(image.blake3).unwrap();
    assert!((0..layout.count()).all(|n| list.admits(n, &object.frame(n).unwrap())));
}

#[test]
fn what_a_stopped_machine_left_is_hashed_before_it_counts() {
    let folder = folder();
    let vault = vault(folder.path());
    let bytes = image(FRAME_BYTES * 6, 8);
    bring(&vault, "system", &bytes, 5).unwrap_err();
    let part = folder.path().join(format!("staging/{}/system.part", job()));
    let name = label("system");
    let frames = || vault.stage(job()).unwrap().frames_of(&name);
    assert_eq!(frames(), 5);
    // Lines that reached the disk, and bytes that did not.
    let mut left = fs::read(&part).unwrap();
    let third = left.len() / 2;
    left[third] ^= 0x40;
    fs::write(&part, &left).unwrap();
    let counted = frames();
    assert!(counted < 5, "{counted} frames of 5 count");
    bring(&vault, "system", &bytes, u64::MAX).unwrap();
    let layout = FrameLayout::new(bytes.len() as u64);
    let closed = vault.stage(job()).unwrap().close(&name, layout).unwrap();
    assert_eq!(closed.blake3, Digest::of(&bytes));
    // The part itself is lost: it is said, and read again.
    bring(&vault, "vendor", &changed_at(&bytes, &[3]), u64::MAX).unwrap();
    fs::remove_file(part.with_file_name("vendor.part")).unwrap();
    let name = label("vendor");
    let mut staging = vault.stage(job()).unwrap();
    let lost = staging.close(&name, layout).unwrap_err();
    assert!(lost.to_string().contains("take it up again"), "{lost}");
    assert_eq!(staging.frames_of(&name), 0);
}
