//! The arrows between crates (docs/architecture.md), read from cargo itself. Any other is a
//! mistake, and so is a dependency of the core beyond its list.

#![expect(clippy::unwrap_used, reason = "a test fails by panicking")]

use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};

use cargo_metadata::{DependencyKind, MetadataCommand};

/// Who may use whom, for what ships.
const ARROWS: &[(&str, &[&str])] = &[
    ("wire", &[]),
    ("core", &["wire"]),
    ("formats", &["wire"]),
    ("link", &["core", "formats", "wire"]),
    ("vault", &["core", "formats", "wire"]),
    ("engine", &["core", "formats", "link", "vault", "wire"]),
    ("standin", &["formats", "wire"]),
    ("server", &["core", "engine", "formats", "link", "wire"]),
    (
        "cli",
        &[
            "core", "engine", "formats", "link", "server", "standin", "vault", "wire",
        ],
    ),
    (
        "e2e",
        &[
            "cli", "core", "engine", "formats", "link", "server", "standin", "vault", "wire",
        ],
    ),
    ("xtask", &[]),
];

/// What the rules may be made of: no clock, files, network, randomness or database.
const CORE: &[&str] = &[
    "blake3",
    "ring",
    "rustc-hash",
    "serde",
    "thiserror",
    "toml",
    "utoipa",
];

/// The short name of a workspace crate.
fn room(package: &str) -> Option<&str> {
    match package {
        "veritope" => Some("cli"),
        "xtask" => Some("xtask"),
        other => other.strip_prefix("veritope-"),
    }
}

#[test]
fn crates_depend_inwards_only() {
    let metadata = MetadataCommand::new()
        .manifest_path(concat!(env!("CARGO_MANIFEST_DIR"), "/../../Cargo.toml"))
        .no_deps()
        .exec()
        .unwrap();
    let mut seen = BTreeSet::new();
    for package in metadata.workspace_packages() {
        let name = room(package.name.as_str()).unwrap();
        let allowed = ARROWS.iter().find(|(crate_name, _)| *crate_name == name);
        let (_, allowed) = allowed.unwrap_or_else(|| panic!("{name} is not on the map"));
        let ships = package
            .dependencies
            .iter()
            .filter(|dependency| dependency.kind == DependencyKind::Normal);
        for dependency in ships {
            match room(&dependency.name) {
                Some(used) => assert!(allowed.contains(&used), "{name} → {used} is not an arrow"),
                None if name == "core" => assert!(
                    CORE.contains(&dependency.name.as_str()),
                    "core may not use {}",
                    dependency.name
                ),
                None if name == "xtask" => panic!("xtask uses {}", dependency.name),
                None => {}
            }
        }
        seen.insert(name.to_owned());
    }
    assert_eq!(seen.len(), ARROWS.len(), "every crate of the map is there");
}

/// Crates whose files are in no circle but of parent and child.
const HELD: [&str; 9] = [
    "wire", "core", "formats", "link", "vault", "engine", "standin", "server", "cli",
];

/// Rooms of the engine from the ground up: each reaches itself and those before it.
const ENGINE: [&str; 13] = [
    "outcome", "ports", "progress", "stored", "desk", "library", "turns", "links", "units",
    "keeping", "runs", "views", "engine",
];

/// Rooms of other crates that reach down only: (crate, room, what it may reach). What is not named here is
/// held to be in no circle alone.
const ROOMS: &[(&str, &str, &[&str])] = &[
    ("vault", "durable", &[]),
    ("vault", "error", &[]),
    ("core", "digest", &[]),
    ("core", "mode", &[]),
    ("core", "rule", &[]),
    ("core", "steady", &[]),
    ("core", "captured", &["steady"]),
    (
        "core",
        "facts",
        &["facts", "keepsafe", "mode", "plan", "rule", "steady"],
    ),
];

/// Who alone may reach a room.
const READ_ONLY: &[(&str, &str, &[&str])] = &[("engine", "views", &["engine", "views"])];

/// What ships of each file below a folder, by module. Tests may look up; words about a file are no use of it.
fn sources(source: &Path) -> BTreeMap<String, String> {
    let mut files = BTreeMap::new();
    let mut folders = vec![source.to_owned()];
    while let Some(folder) = folders.pop() {
        for entry in std::fs::read_dir(folder).into_iter().flatten() {
            let path = entry.unwrap().path();
            if path.is_dir() {
                folders.push(path);
            } else if path.extension().is_some_and(|kind| kind == "rs") {
                let inside = path.strip_prefix(source).unwrap().with_extension("");
                let name = inside.to_str().unwrap().replace('/', "::");
                let name = name.strip_suffix("::mod").unwrap_or(&name).to_owned();
                let text = std::fs::read_to_string(&path).unwrap();
                let ships = text.split("#[cfg(test)]").next().unwrap();
                let lines = ships.lines().map(|line| line.split("//").next().unwrap());
                files.insert(name, lines.collect::<Vec<_>>().join("\n"));
            }
        }
    }
    files
}

/// Which modules of its crate each file names.
fn imports(source: &Path) -> BTreeMap<String, BTreeSet<String>> {
    let files = sources(source);
    let names: BTreeSet<String> = files.keys().cloned().collect();
    let of = |own: &str, text: &str| {
        let mut named = BTreeSet::new();
        for (at, _) in text.match_indices("crate::") {
            let path: String = text[at + "crate::".len()..]
                .chars()
                .take_while(|c| c.is_ascii_lowercase() || *c == '_' || *c == ':')
                .collect();
            // The longest part of it that is a file.
            let mut path = path.trim_end_matches(':');
            while !names.contains(path) {
                let Some((shorter, _)) = path.rsplit_once("::") else {
                    break;
                };
                path = shorter;
            }
            if names.contains(path) && path != own {
                named.insert(path.to_owned());
            }
        }
        named
    };
    files
        .iter()
        .map(|(own, text)| (own.clone(), of(own, text)))
        .collect()
}

fn is_family(one: &str, other: &str) -> bool {
    let inside = |child: &str, parent: &str| {
        child
            .strip_prefix(parent)
            .is_some_and(|rest| rest.starts_with("::"))
    };
    inside(one, other) || inside(other, one)
}

#[test]
fn files_reach_down_only() {
    for name in HELD {
        let source = PathBuf::from(env!("CARGO_MANIFEST_DIR")).join(format!("../{name}/src"));
        let all = imports(&source);
        for (file, named) in &all {
            let top = |name: &str| name.split("::").next().unwrap().to_owned();
            let is_of = |(of, room, _): &&(&str, &str, &[&str])| *of == name && *room == top(file);
            for (_, _, may) in ROOMS.iter().filter(is_of) {
                let other = named.iter().find(|one| !may.contains(&top(one).as_str()));
                assert_eq!(other, None, "{name}: {file} reaches up");
            }
            if name == "engine" && file != "lib" {
                let own = ENGINE.iter().position(|room| *room == top(file));
                let own = own.unwrap_or_else(|| panic!("{file} is in no room"));
                let up = named
                    .iter()
                    .find(|one| !ENGINE[..=own].contains(&top(one).as_str()));
                assert_eq!(up, None, "engine: {file} reaches up");
            }
            for (_, room, may) in READ_ONLY.iter().filter(|(of, _, _)| *of == name) {
                let reaches = named.iter().any(|one| top(one) == *room);
                let is_allowed = may.contains(&top(file).as_str()) || file == "lib";
                assert!(!reaches || is_allowed, "{name}: {file} reaches {room}");
            }
        }
        // Whatever names nothing that is left is taken away; what stays is in a circle, or above one.
        let mut left = all.clone();
        for (file, named) in &mut left {
            named.retain(|one| !is_family(one, file) && one != "lib");
        }
        while let Some(file) = left
            .iter()
            .find(|(_, named)| named.is_empty())
            .map(|(file, _)| file.clone())
        {
            left.remove(&file);
            left.values_mut().for_each(|named| {
                named.remove(&file);
            });
        }
        assert!(
            left.is_empty(),
            "{name}: in circles or above them: {left:#?}"
        );
    }
}

/// That bytes came off a place's medium is said by one function, whatever the linter lets pass.
#[test]
fn one_function_says_that_a_copy_was_read_back() {
    let crates = PathBuf::from(env!("CARGO_MANIFEST_DIR")).join("..");
    let mut says = Vec::new();
    for krate in std::fs::read_dir(crates).unwrap() {
        for (name, text) in sources(&krate.unwrap().path().join("src")) {
            if is_of_tests(&name) {
                continue;
            }
            let times = text.matches("VerifiedCopy::read_back(").count();
            says.extend(std::iter::repeat_n(name, times));
        }
    }
    assert_eq!(says, ["keeping::backup"]);
}

/// Files of a crate's own tests.
fn is_of_tests(name: &str) -> bool {
    name.split("::")
        .any(|room| matches!(room, "testing" | "tests"))
}

/// Kinds of acts are told apart in one room: what is done is asked of the act, and whoever does it sees a
/// `Doing`. A match on a kind anywhere else is a list that the next kind would be forgotten in.
#[test]
fn kinds_of_acts_are_told_apart_in_one_room() {
    let crates = PathBuf::from(env!("CARGO_MANIFEST_DIR")).join("..");
    let mut told = Vec::new();
    let mut read = 0;
    for krate in std::fs::read_dir(crates).unwrap() {
        let folder = krate.unwrap().path();
        let is_core = folder.ends_with("core");
        for (name, text) in sources(&folder.join("src")) {
            read += 1;
            if (is_core && name.starts_with("act")) || is_of_tests(&name) {
                continue;
            }
            // What stands in the file's own tests is theirs.
            let code = text.split("#[cfg(test)]\nmod ").next().unwrap();
            let named = code.match_indices("Act::").filter(|(at, _)| {
                let before = code[..*at].chars().next_back();
                let after = code[at + 5..].chars().next();
                before.is_none_or(|c| !c.is_alphanumeric()) && after.is_some_and(char::is_uppercase)
            });
            told.extend(named.map(|_| name.clone()));
        }
    }
    assert!(read > 100, "{read}");
    assert!(told.is_empty(), "{told:?}");
}
