//! The arrows between crates (docs/architecture.md), read from cargo itself. Any other is a
//! mistake, and so is a dependency of the core beyond its list.

use std::collections::BTreeSet;

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
            "cli", "core", "engine", "link", "server", "standin", "vault", "wire",
        ],
    ),
    ("xtask", &[]),
];

/// What the rules may be made of: no clock, files, network, randomness or database.
const CORE: &[&str] = &["blake3", "serde", "thiserror", "toml", "utoipa"];

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
