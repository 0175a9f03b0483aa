//! Every expectation of `platform/expect.json` holds: what is to be read, said and refused.

use std::fs;
use std::path::Path;

use serde_json::Value;
use veritope_formats::look::{Limits, Looked, look};

fn folder() -> &'static Path {
    Path::new(concat!(env!("CARGO_MANIFEST_DIR"), "/tests/platform"))
}

/// Whether `wanted` is a number of `tree`, or stands in one of its strings.
fn occurs(tree: &Value, wanted: &Value) -> bool {
    match tree {
        Value::Array(all) => all.iter().any(|one| occurs(one, wanted)),
        Value::Object(all) => all.values().any(|one| occurs(one, wanted)),
        Value::Number(number) => Some(number) == wanted.as_number(),
        Value::String(text) => wanted.as_str().is_some_and(|wanted| text.contains(wanted)),
        Value::Bool(_) | Value::Null => false,
    }
}

fn has_list_of(tree: &Value, length: u64) -> bool {
    match tree {
        Value::Array(all) => {
            all.len() as u64 == length || all.iter().any(|one| has_list_of(one, length))
        }
        Value::Object(all) => all.values().any(|one| has_list_of(one, length)),
        _ => false,
    }
}

/// One expected value: itself, one of several, or a list's length.
fn is_read(tree: &Value, wanted: &Value) -> bool {
    let Some(choice) = wanted.as_object() else {
        return occurs(tree, wanted);
    };
    let any = choice["any"].as_array().unwrap();
    any.iter().any(|one| occurs(tree, one))
        || choice
            .get("length")
            .and_then(Value::as_u64)
            .is_some_and(|length| has_list_of(tree, length))
}

/// Files that are called sound there and are not, and why.
const NOT_SOUND: [(&str, &str); 3] = [
    (
        "payload/base-boot.img",
        "its parts are noise behind the first two blocks, and the header's digest is of other ones",
    ),
    (
        "packages/set.tar.gz",
        "the tar in it ends inside its second member; tar says so too",
    ),
    (
        "packages/long-names.tar",
        "its start image is cut after 3000 bytes of 20896",
    ),
];

/// All findings, here and inside, in lower case.
fn said(looked: &Looked) -> String {
    let own = looked.findings.iter().map(|one| one.says.to_lowercase());
    let inside = looked.inside.iter().map(|one| said(&one.looked));
    own.chain(inside)
        .filter(|told| !told.is_empty())
        .collect::<Vec<_>>()
        .join("\n")
}

#[test]
fn each_expectation_holds() {
    let expected: Value =
        serde_json::from_slice(&fs::read(folder().join("expect.json")).unwrap()).unwrap();
    let mut missed = Vec::new();
    let (mut held, mut files) = (0, 0);
    for entry in expected["files"].as_array().unwrap() {
        let name = entry["file"].as_str().unwrap();
        let bytes = fs::read(folder().join(name)).unwrap();
        let file = name.rsplit('/').next().unwrap();
        let looked = look(&bytes, file, Limits::default());
        let tree = serde_json::to_value(&looked).unwrap();
        let told = said(&looked);
        files += 1;
        let mut hold = |is_so: bool, what: String| {
            if is_so {
                held += 1;
            } else {
                missed.push(format!("{name}: {what}"));
            }
        };
        for part in ["read", "deeper"] {
            for (key, wanted) in entry[part].as_object().into_iter().flatten() {
                hold(is_read(&tree, wanted), format!("{part} `{key}` {wanted}"));
            }
        }
        for part in ["findings", "refusals"] {
            for one in entry[part].as_array().into_iter().flatten() {
                let words = one["words"].as_array().unwrap();
                let named = words
                    .iter()
                    .any(|word| told.contains(word.as_str().unwrap()));
                hold(named, format!("{part} {}, said was:\n{told}", one["name"]));
            }
        }
        if entry["sound"] == true {
            let is_sound = !NOT_SOUND.iter().any(|(file, _)| *file == name);
            hold(
                told.is_empty() == is_sound,
                format!("sound, said was:\n{told}"),
            );
        }
    }
    assert!(
        missed.is_empty(),
        "{held} held, {} not:\n{}",
        missed.len(),
        missed.join("\n")
    );
    assert_eq!((files, held), (162, 906), "count what is held");
}
