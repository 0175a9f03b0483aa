//! The demo's shelf: a recovery for every family that takes one, what lies beside such files in the world
//! (too old, of another generation, a twin's, damaged, a package, a set), and what owners brought along.

use std::io::{Cursor, Write as _};

use veritope_engine::Engine;
use veritope_engine::library::shelving::FileNote;
use veritope_formats::make::{NewMember, empty_switched_off, sparse_of, tar_of};
use veritope_standin::profile::Profile;
use veritope_standin::{package_bytes, recovery_for, stock_images};
use veritope_wire::{Digest, RequestId};

use super::{DemoError, table};
use crate::CommandError;

/// A file with what stands beside it.
pub(crate) struct DemoFile {
    name: String,
    bytes: Vec<u8>,
    /// The bytes that its publisher's digest is of, where they are others.
    published: Option<Vec<u8>>,
    is_listed: bool,
    note: FileNote,
}

fn file(name: &str, bytes: Vec<u8>) -> DemoFile {
    DemoFile {
        name: name.to_owned(),
        bytes,
        published: None,
        is_listed: true,
        note: FileNote {
            origin: Some("owl-recoveries, the project's own page".to_owned()),
            channel: Some("stable".to_owned()),
            dated: Some("2026-10-20".to_owned()),
            ..FileNote::default()
        },
    }
}

/// Makes all files. They are the same at each start.
pub(crate) fn files() -> std::io::Result<Vec<DemoFile>> {
    let mut all = Vec::new();
    // One that fits, for each family that takes one by itself.
    for (codename, model, generation) in [
        ("gimbal", "FL-1", 4),
        ("saltern", "TH5-E", 8),
        ("lodestar", "K2-G", 5),
        ("mooring", "WM-1", 3),
        ("cinder", "LN-3X", 7),
        ("halyard", "SM-9", 9),
    ] {
        let image = recovery_for(codename, model, "3.2.0", generation);
        all.push(file(&format!("{codename}-recovery-3.2.0.img"), image));
    }
    let old = recovery_for("gimbal", "FL-1", "2.9.4", 4);
    all.push(file("gimbal-recovery-2.9.4.img", old));
    let old = recovery_for("halyard", "SM-9", "3.1.0", 9);
    all.push(file("halyard-recovery-3.1.0.img", old));
    let other = recovery_for("cinder", "LN-3X", "3.4.0", 8);
    let mut fresh = file("cinder-recovery-3.4.0.img", other);
    fresh.note.dated = Some("2026-11-28".to_owned());
    all.push(fresh);
    // A download that broke: its publisher's digest is of the whole one.
    let whole = recovery_for("mooring", "WM-1", "3.3.0", 3);
    let mut damaged = file("mooring-recovery-3.3.0.img", whole.clone());
    damaged.bytes.truncate(1 << 20);
    damaged.published = Some(whole);
    all.push(damaged);
    // A package by the name of an image.
    all.push(file(
        "lodestar-recovery-3.3.0.img",
        package("lodestar", "3.3.0")?,
    ));
    all.extend(brambles()?);
    all.push(set("cinder", "LN-3X", "LN3X.7.0.2607")?);
    all.push(set("thimble", "PB-2", "bobbin-2.3")?);
    for name in ["heron-whole-8.3", "samphire-whole-2.1"] {
        let mut package = file(name, package_bytes(name));
        package.note.origin = Some("the page on which its maker publishes them".to_owned());
        all.push(package);
    }
    for name in table::brought() {
        let mut package = file(name, package_bytes(name));
        package.is_listed = false;
        package.note = FileNote::default();
        all.push(package);
    }
    Ok(all)
}

/// Plover's: the right one with what goes with it, its twin's, a raw one that can be wrapped, and the maker's
/// set of the build that runs.
fn brambles() -> std::io::Result<Vec<DemoFile>> {
    let tar = |model: &str, version: &str| -> std::io::Result<Vec<u8>> {
        let recovery = recovery_for("kelpie", model, version, 14);
        let metadata = empty_switched_off();
        let members = [
            NewMember {
                name: "recovery.img",
                bytes: &recovery,
            },
            NewMember {
                name: "vbmeta.img",
                bytes: &metadata,
            },
        ];
        let mut tar = Vec::new();
        tar_of(&members, &mut tar)?;
        Ok(tar)
    };
    let mut twin = file("bramble-recovery-3.4.1.tar", tar("OB-510N", "3.4.1")?);
    twin.note.alias = Some("for the N".to_owned());
    Ok(vec![
        file("bramble-s-recovery-3.4.1.tar", tar("OB-510D", "3.4.1")?),
        twin,
        file(
            "bramble-s-recovery-3.5.0.img",
            recovery_for("kelpie", "OB-510D", "3.5.0", 14),
        ),
        set("kelpie", "OB-510D", "OB-510.2610.v6")?,
    ])
}

/// A package whose script writes a recovery.
fn package(codename: &str, version: &str) -> std::io::Result<Vec<u8>> {
    let image = recovery_for(codename, "", version, 0);
    let script = format!(
        "getprop(\"ro.product.device\") == \"{codename}\" || abort(\"not for this one\");\npackage_extract_file(\"recovery.img\", \"/dev/block/by-name/recovery\");\n"
    );
    let mut zip = zip::ZipWriter::new(Cursor::new(Vec::new()));
    let options = zip::write::SimpleFileOptions::default();
    for (name, bytes) in [
        ("META-INF/updater-script", script.as_bytes()),
        ("recovery.img", &image),
    ] {
        zip.start_file(name, options)
            .map_err(std::io::Error::other)?;
        zip.write_all(bytes)?;
    }
    let whole = zip.finish().map_err(std::io::Error::other)?;
    Ok(whole.into_inner())
}

/// The maker's images of a build in one archive: sparse, or without the empty end in whole pages.
fn set(codename: &str, model: &str, build: &str) -> std::io::Result<DemoFile> {
    let profile = Profile::named(codename)
        .and_then(|profile| profile.variant(model))
        .and_then(|profile| profile.on_build(build))
        .ok_or_else(|| std::io::Error::other(format!("no stand-in for {model} on {build}")))?;
    let mut members = Vec::new();
    for (label, mut bytes) in stock_images(&profile) {
        if ["system", "vendor", "product"].contains(&label) {
            let mut sparse = Vec::new();
            sparse_of(&bytes, 0, &mut sparse)?;
            bytes = sparse;
        } else {
            let used = bytes
                .iter()
                .rposition(|byte| *byte != 0)
                .map_or(0, |last| last + 1);
            bytes.truncate(used.next_multiple_of(4096));
        }
        members.push((format!("{label}.img"), bytes));
    }
    let members: Vec<NewMember<'_>> = members
        .iter()
        .map(|(name, bytes)| NewMember { name, bytes })
        .collect();
    let mut tar = Vec::new();
    tar_of(&members, &mut tar)?;
    let mut set = file(&format!("{build}.tar"), tar);
    set.note.origin = Some("the maker's page of files".to_owned());
    set.note.channel = None;
    Ok(set)
}

/// Puts them onto the shelf.
pub(crate) fn fill(engine: &Engine, files: Vec<DemoFile>) -> Result<(), CommandError> {
    let request = || RequestId::new(uuid::Uuid::now_v7());
    for mut one in files {
        let library = &engine.library;
        let id = library
            .put_bytes(&one.name, &one.bytes, request())
            .map_err(DemoError::bench)?;
        let published = one.published.as_ref().unwrap_or(&one.bytes);
        one.note.beside = one
            .is_listed
            .then(|| format!("BLAKE3 ({}) = {}", one.name, Digest::of(published)));
        library
            .note_file(id, one.note, request())
            .map_err(DemoError::bench)?;
    }
    Ok(())
}
