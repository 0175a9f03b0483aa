//! `veritope inspect`: what it prints, by its schema, and with which code it ends.

use std::path::{Path, PathBuf};

use serde_json::Value;

use crate::support::run;

fn fixture(name: &str) -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR"))
        .join("../formats/tests/platform")
        .join(name)
}

fn told(path: &Path) -> (Option<i32>, Value) {
    let output = run(&["inspect", path.to_str().unwrap(), "--json"]);
    let value = serde_json::from_slice(&output.stdout).unwrap_or_else(|error| {
        panic!("{}: {error}: {output:?}", path.display());
    });
    (output.status.code(), value)
}

/// Sound is 0 and damaged is 1, for each pair of files that differ in the damage alone.
#[test]
fn each_damage_ends_with_a_code_that_its_sound_sister_has_not() {
    let expected = std::fs::read(fixture("expect.json")).unwrap();
    let expected: Value = serde_json::from_slice(&expected).unwrap();
    // To be known, and no damage: exit 0.
    let notes = [
        "start/trailing-tree.img",
        "start/trailing-signature.img",
        "start/inner-headers.img",
        "volumes/slots-differ.img",
        // Told only with the key.
        "payload/signature-wrong.bin",
    ];
    let mut pairs = 0;
    for entry in expected["files"].as_array().unwrap() {
        let (Some(file), Some(beside)) = (entry["file"].as_str(), entry["beside"].as_str()) else {
            continue;
        };
        let code = |name: &str| {
            run(&["inspect", fixture(name).to_str().unwrap()])
                .status
                .code()
        };
        assert_eq!(code(beside), Some(0), "{beside}");
        let is_damage = !notes.contains(&file);
        assert_eq!(code(file) != Some(0), is_damage, "{file}: {:?}", code(file));
        pairs += 1;
    }
    assert!(pairs > 50, "{pairs}");
}

/// The published schema holds for all that is printed of a folder, and a folder ends with the gravest code.
#[test]
fn a_folder_is_told_by_the_published_schema() {
    let schema = include_str!("../../../../docs/inspect.schema.json");
    let schema = jsonschema::validator_for(&serde_json::from_str(schema).unwrap()).unwrap();
    for (folder, code) in [
        ("start", 2),
        ("verification", 1),
        ("payload", 2),
        ("packages", 1),
    ] {
        let (ended, value) = told(&fixture(folder));
        assert_eq!(ended, Some(code), "{folder}");
        let problems: Vec<String> = schema
            .iter_errors(&value)
            .map(|error| format!("{}: {error}", error.instance_path()))
            .collect();
        assert_eq!(problems, [""; 0], "{folder}");
        let files = value["files"].as_array().unwrap();
        let names: Vec<&str> = files
            .iter()
            .map(|one| one["file"].as_str().unwrap())
            .collect();
        assert!(names.is_sorted() && names.len() > 10, "{names:?}");
    }
}

#[test]
fn what_a_person_reads() {
    let mut all = String::new();
    for name in [
        "start/twin.img",
        "start/cut-in-ramdisk.img",
        "volumes/extents-overlap.img",
        "hostile/same-name-twice.zip",
        "payload/incremental.bin",
    ] {
        let output = run(&["inspect", fixture(name).to_str().unwrap()]);
        let text = String::from_utf8(output.stdout).unwrap();
        let at = text.find(name).unwrap();
        all.push_str(&text[at..]);
    }
    insta::assert_snapshot!(all);
}

#[test]
fn what_is_not_there_is_one_clear_sentence() {
    let output = run(&["inspect", "/nowhere/boot.img"]);
    assert_eq!(output.status.code(), Some(2));
    let text = String::from_utf8(output.stderr).unwrap();
    assert!(text.contains("/nowhere/boot.img can't be read"), "{text}");
    assert_eq!(text.trim().lines().count(), 1, "{text}");
    let output = run(&["inspect", "/dev/null"]);
    assert_eq!(output.status.code(), Some(2));
}
