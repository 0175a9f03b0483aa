//! `veritope verify`: reads a vault or an exported tar back without a server.

use std::process::ExitCode;

use serde_json::json;
use veritope_core::coverage::BlankBytes;
use veritope_vault::{Access, OpenExport, Vault, VaultError, VerifyReport};
use veritope_wire::PlaceId;

use crate::args::VerifyArgs;
use crate::{CommandError, EXIT_FOUND, EXIT_UNUSABLE};

/// Reads every capture of a vault back. Exit 0: sound; 1: damage, each partition named; 2: a
/// capture or the vault can't be used.
pub(crate) fn verify(args: &VerifyArgs) -> Result<ExitCode, CommandError> {
    if args.path.is_file() {
        return export(args);
    }
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

/// Reads an exported tar in one pass: each image held against its manifest and the lists that go with it.
fn export(args: &VerifyArgs) -> Result<ExitCode, CommandError> {
    let export = OpenExport::open(&args.path)?;
    let report = export.read(|_, _, _| Ok(()), |_| true)?;
    if args.json {
        println!(
            "{}",
            serde_json::to_string_pretty(&report).unwrap_or_default()
        );
    } else {
        if export.carries_identity {
            println!("This export carries the identity of one unit.");
        }
        for member in &report.members {
            match &member.damage {
                None => println!("sound     {}", member.name),
                Some(what) => println!("DAMAGED   {}: {what}", member.name),
            }
        }
        for what in &report.damage {
            println!("DAMAGED   {what}");
        }
        println!(
            "{} images, {} bytes read",
            report.members.len(),
            report.bytes
        );
    }
    Ok(if report.is_sound() {
        ExitCode::SUCCESS
    } else {
        ExitCode::from(EXIT_FOUND)
    })
}
