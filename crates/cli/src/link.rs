//! `veritope link`: asks a bridge without a bench; reads only.

use std::fs::OpenOptions;
use std::io::Write;
use std::path::Path;
use std::process::ExitCode;

use veritope_core::digest::SeeingHasher;
use veritope_link::conform::{self, Outcome};
use veritope_link::{HttpTransport, Transport, readings};
use veritope_wire::link::{Handle, MAX_READ_BYTES};

use crate::args::{LinkArgs, LinkAsk};
use crate::{CommandError, EXIT_FOUND};

pub(crate) fn run(args: &LinkArgs) -> Result<ExitCode, CommandError> {
    let transport = HttpTransport::new(&args.url, &args.token)?;
    match &args.ask {
        LinkAsk::Devices => {
            for line in transport.devices()?.devices {
                let listed = serde_json::to_value(line.listed).unwrap_or_default();
                println!(
                    "{}\t{}\tepoch {}",
                    line.handle.0,
                    listed.as_str().unwrap_or(""),
                    line.epoch.0
                );
            }
        }
        LinkAsk::State { device } => {
            let state = transport.state(&Handle(device.clone()))?;
            println!("epoch\t{}", state.epoch.0);
            for (key, value) in readings(&state) {
                println!("{}\t{}", key.id(), value.shown(key));
            }
        }
        LinkAsk::Partitions { device } => {
            let list = transport.partitions(&Handle(device.clone()))?;
            for part in &list.partitions {
                let (area, number) = (part.area, part.number);
                println!("{area}\t{number}\t{}\t{}", part.label, part.length_bytes);
            }
            for volume in &list.volumes {
                let (area, number) = (volume.area, volume.number);
                let length = volume.length_bytes;
                println!("{area}\t{number}\t{}\t{length}\tvolume", volume.label);
            }
        }
        LinkAsk::Read {
            device,
            label,
            file,
        } => read(&transport, device, label, file)?,
        LinkAsk::Conform => {
            let checks = conform::reads(&transport)?;
            let mut failed = 0;
            for check in &checks {
                match &check.outcome {
                    Outcome::Passed => println!("passed   {}", check.name),
                    Outcome::NotNow(why) => println!("not now  {} ({why})", check.name),
                    Outcome::Failed(why) => {
                        failed += 1;
                        println!("FAILED   {}: {why}", check.name);
                    }
                }
            }
            println!("{} checks, {failed} failed", checks.len());
            if failed > 0 {
                return Ok(ExitCode::from(EXIT_FOUND));
            }
        }
    }
    Ok(ExitCode::SUCCESS)
}

fn read(
    transport: &HttpTransport,
    device: &str,
    label: &str,
    file: &Path,
) -> Result<(), CommandError> {
    let handle = Handle(device.to_owned());
    let list = transport.partitions(&handle)?;
    let (spot, length) = list.find(label).ok_or_else(|| {
        CommandError::Input(format!(
            "{device} has no partition, volume or table called {label}; `veritope link URL partitions {device}` lists them"
        ))
    })?;
    let mut out = OpenOptions::new()
        .write(true)
        .create_new(true)
        .open(file)
        .map_err(|error| {
            CommandError::Input(format!("{} can't be made: {error}", file.display()))
        })?;
    let copied = (|| -> Result<_, CommandError> {
        let mut hasher = SeeingHasher::new();
        let mut at = 0;
        while at < length {
            let bytes = transport
                .read(&handle, &spot, at, (length - at).min(MAX_READ_BYTES))?
                .bytes;
            hasher.update(&bytes);
            out.write_all(&bytes)?;
            at += bytes.len() as u64;
        }
        out.sync_all()?;
        Ok(hasher.finish())
    })();
    match copied {
        Ok(seen) => {
            println!(
                "{}  {} bytes  {}",
                seen.digest(),
                seen.bytes(),
                file.display()
            );
            Ok(())
        }
        Err(error) => {
            // Nothing half-written stays behind.
            let _ = std::fs::remove_file(file);
            Err(error)
        }
    }
}
