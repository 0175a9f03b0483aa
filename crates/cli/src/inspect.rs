//! `veritope verify` and `veritope inspect`: read vaults and single files without a server.

use std::fs;
use std::io::Read;
use std::process::ExitCode;

use serde_json::{Value, json};
use veritope_core::coverage::BlankBytes;
use veritope_formats::startimage::read_start_image;
use veritope_vault::{Access, Manifest, Object, Vault, VaultError, VerifyReport};
use veritope_wire::{Digest, PlaceId};

use crate::args::{InspectArgs, VerifyArgs};
use crate::{CommandError, EXIT_FOUND, EXIT_UNUSABLE};

/// Reads every capture of a vault back. Exit 0: sound; 1: damage, each partition named; 2: a
/// capture or the vault can't be used.
pub(crate) fn verify(args: &VerifyArgs) -> Result<ExitCode, CommandError> {
    let nobody = PlaceId::new(uuid::Uuid::nil());
    let vault = Vault::open(&args.path, Access::Read, nobody)?;
    let mut reports: Vec<VerifyReport> = Vec::new();
    let mut unusable = Vec::new();
    // A manifest that is gone, empty, or another's is damage of its capture; one from a later program
    // may be sound, and only that program can tell.
    let mut manifests = Vec::new();
    for unit in vault.units()? {
        for capture in vault.each_capture(unit)? {
            match capture {
                Ok(manifest) => reports.push(vault.verify(&manifest, |_| true)),
                Err(error @ VaultError::Newer { .. }) => unusable.push(error.to_string()),
                Err(error) => manifests.push(error.to_string()),
            }
        }
    }
    let in_images: usize = reports.iter().map(|report| report.damage.len()).sum();
    let damaged = in_images + manifests.len();
    if args.json {
        let all = json!({ "captures": reports, "manifests": manifests, "unusable": unusable });
        println!("{}", serde_json::to_string_pretty(&all).unwrap_or_default());
    } else {
        for report in &reports {
            let words = if report.damage.is_empty() {
                "sound"
            } else {
                "DAMAGED"
            };
            println!(
                "{words}   capture {} of unit {}: {} partitions sound, {} bytes read",
                report.capture,
                report.unit,
                report.sound.len(),
                report.bytes
            );
            for (label, blank) in &report.blank {
                let what = match blank {
                    BlankBytes::Zeros => "all zero",
                    BlankBytes::Ones => "all 0xFF",
                    BlankBytes::No => continue,
                };
                println!("  {label}: sound, and {what}");
            }
            for one in &report.damage {
                let frame = one
                    .frame
                    .map_or_else(|| "whole".to_owned(), |frame| format!("frame {frame}"));
                let label = one
                    .label
                    .as_ref()
                    .map_or_else(|| "manifest".to_owned(), ToString::to_string);
                println!(
                    "  {label} {frame}, bytes {} to {}: {} ({})",
                    one.first_byte,
                    one.last_byte,
                    one.what,
                    one.file.display()
                );
            }
        }
        for text in &manifests {
            println!("DAMAGED manifest {text}");
        }
        for text in &unusable {
            println!("UNUSABLE {text}");
        }
        println!(
            "{} captures, {damaged} damaged places, {} unusable",
            reports.len(),
            unusable.len()
        );
    }
    Ok(match (damaged, unusable.len()) {
        (0, 0) => ExitCode::SUCCESS,
        (_, 0) => ExitCode::from(EXIT_FOUND),
        _ => ExitCode::from(EXIT_UNUSABLE),
    })
}

/// Largest manifest that is looked at.
const MOST_MANIFEST_BYTES: u64 = 64 << 20;
/// Largest start image that is looked at.
const MOST_IMAGE_BYTES: u64 = 256 << 20;

/// Tells what a file is. Exit 0 when it is one of ours and whole, 1 when it is damaged, 2 when it
/// is none of ours.
pub(crate) fn inspect(args: &InspectArgs) -> Result<ExitCode, CommandError> {
    let path = &args.file;
    let unreadable = |error: std::io::Error| {
        CommandError::Input(format!("{} can't be read: {error}", path.display()))
    };
    let mut head = Vec::new();
    let mut file = fs::File::open(path).map_err(unreadable)?;
    let length = file.metadata().map_err(unreadable)?.len();
    Read::by_ref(&mut file)
        .take(16)
        .read_to_end(&mut head)
        .map_err(unreadable)?;
    drop(file);
    let (told, code) = if head.starts_with(&[0x28, 0xB5, 0x2F, 0xFD]) {
        object(args)?
    } else if head.starts_with(b"STARTIMG") && length <= MOST_IMAGE_BYTES {
        let bytes = fs::read(path).map_err(unreadable)?;
        match read_start_image(&bytes) {
            Ok(image) => (
                json!({
                    "is": "start image", "codename": image.codename, "kind": image.kind,
                    "version": image.version, "payload_bytes": image.payload_bytes,
                    "blake3": Digest::of(&bytes),
                }),
                0,
            ),
            Err(error) => (
                json!({ "is": "start image", "damaged": error.to_string() }),
                EXIT_FOUND,
            ),
        }
    } else if head.first() == Some(&b'{') && length <= MOST_MANIFEST_BYTES {
        manifest(&fs::read(path).map_err(unreadable)?, args)?
    } else {
        return Err(CommandError::Input(format!(
            "{} is no object, manifest or start image",
            path.display()
        )));
    };
    print(&told, args.json);
    Ok(ExitCode::from(code))
}

fn object(args: &InspectArgs) -> Result<(Value, u8), CommandError> {
    let mut object = Object::open(&args.file)?;
    let info = object.info();
    let mut hasher = veritope_core::digest::SeeingHasher::new();
    let mut damaged = Vec::new();
    for index in 0..info.frames {
        match object.frame(index) {
            Ok(bytes) => hasher.update(&bytes),
            Err(what) => damaged.push(json!({ "frame": index, "what": what })),
        }
    }
    let digest = hasher.finish().digest().to_string();
    let named = args.file.file_stem().and_then(|stem| stem.to_str());
    if damaged.is_empty() && named.is_some_and(|name| name.len() == 64 && name != digest) {
        damaged.push(
            json!({ "what": "the image does not have the digest that the file's name gives" }),
        );
    }
    let code = if damaged.is_empty() { 0 } else { EXIT_FOUND };
    Ok((
        json!({
            "is": "object", "frames": info.frames, "image_bytes": info.bytes,
            "stored_bytes": info.stored_bytes, "blake3": digest, "damaged": damaged,
        }),
        code,
    ))
}

fn manifest(bytes: &[u8], args: &InspectArgs) -> Result<(Value, u8), CommandError> {
    let manifest: Manifest = serde_json::from_slice(bytes).map_err(|error| {
        CommandError::Input(format!("{} is no manifest: {error}", args.file.display()))
    })?;
    let mut broken = Vec::new();
    let partitions: Vec<Value> = manifest
        .partitions
        .iter()
        .map(|part| {
            if part.frame_list().is_none() {
                broken.push(part.label.to_string());
            }
            json!({
                "label": part.label, "bytes": part.length_bytes, "blake3": part.blake3,
                "read": part.agreement, "blank": part.blank,
            })
        })
        .collect();
    let code = if broken.is_empty() { 0 } else { EXIT_FOUND };
    Ok((
        json!({
            // Identifiers stay masked here: this is for looking over (K3).
            "is": "manifest", "capture": manifest.capture, "unit": manifest.unit,
            "taken": manifest.taken, "family": manifest.family,
            "manifest_blake3": Digest::of(bytes), "partitions": partitions,
            "frames_do_not_add_up": broken,
        }),
        code,
    ))
}

fn print(told: &Value, as_json: bool) {
    if as_json {
        println!("{}", serde_json::to_string_pretty(told).unwrap_or_default());
        return;
    }
    for (key, value) in told.as_object().into_iter().flatten() {
        match value {
            Value::Array(items) => {
                println!("{key}\t{}", items.len());
                for item in items {
                    println!("  {}", one_line(item));
                }
            }
            other => println!("{key}\t{}", one_line(other)),
        }
    }
}

fn one_line(value: &Value) -> String {
    match value {
        Value::String(text) => text.clone(),
        Value::Object(fields) => {
            let fields: Vec<String> = fields
                .iter()
                .map(|(key, value)| format!("{key} {}", one_line(value)))
                .collect();
            fields.join(", ")
        }
        other => other.to_string(),
    }
}
