//! Captures out of the bench and back: one tar that common tools read (`B10`), written down in the unit's log, and
//! taken in again, whoever wrote it.

use std::path::{Path, PathBuf};
use std::sync::mpsc::sync_channel;

use veritope_core::coverage::{CaptureFacts, Taker};
use veritope_core::rule::Rule;
use veritope_core::steady::Taken;
use veritope_vault::{Access, Exported, For, Manifest, OpenExport, Staging, VaultError, pump};
use veritope_wire::{CaptureId, JobId, RequestId, UnitId};

use crate::desk::record::{Entry, Scope};
use crate::keeping::backup::facts_of;
use crate::keeping::found::{FoundUnit, found_unit, own_of};
use crate::keeping::reading::{Meter, no_backup};
use crate::keeping::{Keeping, KeepingError};
use crate::library::places::OWN_NAME;
use crate::progress::{Moving, Watcher};

/// Frames that wait for the packer while an export is read.
const AHEAD: usize = 3;

impl Keeping {
    /// Writes a capture as one tar into a folder of this computer, from the first place where it is sound, and notes
    /// that.
    ///
    /// # Errors
    /// When no place has it sound, the folder can't be written, or a file of that name is there.
    pub fn export(
        &self,
        unit: UnitId,
        capture: CaptureId,
        whom: For,
        folder: &str,
        request: RequestId,
        watcher: &dyn Watcher,
    ) -> Result<PathBuf, KeepingError> {
        let record = self.pen.record(unit)?;
        let manifest = self.manifest_of(&record, capture)?;
        let known = record.image_source(capture);
        let known = known.ok_or(KeepingError::NoCapture(capture))?.manifest;
        let folder = Path::new(folder.trim());
        if !folder.is_absolute() || !folder.is_dir() {
            return Err(KeepingError::BadInput(format!(
                "{} is no folder of this computer; give one that is there, by its whole path",
                folder.display()
            )));
        }
        let path = folder.join(name_of(&manifest, whom));
        if path.exists() {
            return Err(KeepingError::BadInput(format!(
                "{} is there already; nothing is written over it: give another folder",
                path.display()
            )));
        }
        let total_bytes = manifest
            .partitions
            .iter()
            .map(|part| part.stored_bytes)
            .sum();
        let mut last = KeepingError::NoCapture(capture);
        for place in self.library.all_places() {
            let mut meter = Meter {
                watcher,
                moving: Moving {
                    what: format!("exporting from {}", place.name),
                    done_bytes: 0,
                    total_bytes,
                },
            };
            let written = self
                .library
                .open_place(place.id, Access::Read)
                .and_then(|(_, vault)| {
                    Ok(vault.export((&manifest, known), whom, &path, |bytes| {
                        meter.moved(bytes);
                        !watcher.should_stop()
                    })?)
                });
            match written {
                Ok(Exported { blake3, .. }) => {
                    let name = path.file_name().unwrap_or_default().to_string_lossy();
                    let entry = Entry::Exported {
                        capture,
                        name: name.into_owned(),
                        identity: whom == For::Owner,
                        blake3,
                    };
                    self.pen.append(unit, Some(request), vec![entry])?;
                    return Ok(path);
                }
                Err(error) => {
                    last = error.into();
                    if watcher.should_stop() {
                        return Err(KeepingError::Stopped);
                    }
                }
            }
        }
        Err(last)
    }

    /// What an export holds, whoever wrote it. Nothing is taken.
    ///
    /// # Errors
    /// When it can't be read, or is none.
    pub fn look_at_export(&self, path: &str) -> Result<FoundUnit, KeepingError> {
        let export = opened(path)?;
        let records = self.pen.journal.units();
        let record = records.iter().find(|one| one.id == export.manifest.unit);
        let family = self.library.family_named(&export.manifest.family);
        Ok(found_unit(
            std::slice::from_ref(&export.manifest),
            record.map(|record| &**record),
            family.as_deref(),
            Vec::new(),
        ))
    }

    /// Takes an export into the bench's own vault: every image held against its manifest, and read back. A capture
    /// that this bench took itself is a copy of it again; another one is told apart ever after. `ownership` is asked of
    /// a unit that comes onto the bench by it.
    ///
    /// # Errors
    /// When anything in it is damaged (nothing of it is kept then), its family is not known here, or there is no room.
    pub fn import(
        &self,
        path: &str,
        ownership: Option<&str>,
        request: RequestId,
        watcher: &dyn Watcher,
    ) -> Result<CaptureId, KeepingError> {
        let export = opened(path)?;
        let manifest = export.manifest.clone();
        self.pen.is_sound(Scope::Bench)?;
        if self.library.family_named(&manifest.family).is_none() {
            return Err(KeepingError::BadInput(format!(
                "family {} is not known here: bring its file under Families first",
                manifest.family
            )));
        }
        let all = manifest.bytes();
        self.library.vault.has_room(all)?;
        let mut meter = Meter {
            watcher,
            moving: Moving {
                what: "taking an export in".to_owned(),
                done_bytes: 0,
                total_bytes: all.saturating_mul(2),
            },
        };
        let job = JobId::new(self.pen.ids.fresh());
        let mut staging = self.library.vault.stage(job)?;
        if let Err(error) = images(&export, &mut staging, &mut meter) {
            staging.discard()?;
            return Err(error);
        }
        self.admit(&manifest, ownership, request)?;
        let record = self.pen.record(manifest.unit)?;
        let known = record
            .captures
            .iter()
            .find(|one| one.id == manifest.capture);
        if known.is_some_and(|known| known.manifest != export.digest) {
            staging.discard()?;
            return Err(no_backup(
                Rule::S1,
                "the manifest in it is not the one that this bench wrote of that capture"
                    .to_owned(),
            ));
        }
        self.library.vault.put_imported(&export)?;
        staging.discard()?;
        let copy = self.unread_copy(manifest.capture, OWN_NAME, &self.library.vault)?;
        let mut entries = Vec::new();
        if known.is_none() {
            entries.push(Entry::CaptureFound {
                capture: CaptureFacts {
                    taker: Taker::AnotherBench,
                    ..facts_of(
                        &manifest,
                        export.digest,
                        Taken::elsewhere(manifest.taken, None),
                    )
                },
                own: own_of(&manifest),
            });
        }
        entries.push(Entry::CopyMade { copy });
        self.pen.append(manifest.unit, None, entries)?;
        self.read_back(&self.library.vault, OWN_NAME, &manifest, &mut meter)?;
        Ok(manifest.capture)
    }
}

fn opened(path: &str) -> Result<OpenExport, KeepingError> {
    let path = Path::new(path.trim());
    if !path.is_absolute() {
        return Err(KeepingError::BadInput(format!(
            "{} is no whole path; give one that begins with /",
            path.display()
        )));
    }
    Ok(OpenExport::open(path)?)
}

/// Reads an export on one thread while the images go into the vault on this one.
fn images(
    export: &OpenExport,
    staging: &mut Staging<'_>,
    meter: &mut Meter<'_>,
) -> Result<(), KeepingError> {
    let watcher = meter.watcher;
    let (pieces, coming) = sync_channel::<Vec<u8>>(AHEAD);
    std::thread::scope(|scope| {
        let reading = scope.spawn(move || {
            export.read(
                |_, _, bytes| pieces.send(bytes.to_vec()).map_err(|_| VaultError::Stopped),
                |_| true,
            )
        });
        let put = export.manifest.partitions.iter().try_for_each(|part| {
            let layout = part.layout();
            let read = |_, _| {
                if watcher.should_stop() {
                    return Err(KeepingError::Stopped);
                }
                coming
                    .recv()
                    .map_err(|_| damaged("it ends too soon".to_owned()))
            };
            pump(layout, 0, None, read, |frame| {
                staging.append(&part.label, frame, None)?;
                meter.moved(u64::from(frame.bytes));
                Ok::<_, KeepingError>(())
            })?;
            let staged = staging.close(&part.label, layout)?;
            match staged.blake3 == part.blake3 {
                true => Ok(()),
                false => Err(damaged(format!(
                    "{} is not what its manifest says",
                    part.label
                ))),
            }
        });
        drop(coming);
        let report = reading.join().unwrap_or(Err(VaultError::Stopped));
        match (put, report) {
            (Err(KeepingError::Stopped), _) => Err(KeepingError::Stopped),
            // What the reading found says more than where the writing stopped.
            (_, Ok(report)) if !report.is_sound() => {
                let of_member = report.members.into_iter().find_map(|one| {
                    let what = one.damage?;
                    Some(format!("{}: {what}", one.name))
                });
                let what = of_member.or_else(|| report.damage.into_iter().next());
                Err(damaged(what.unwrap_or_default()))
            }
            (Err(error), _) => Err(error),
            (Ok(()), Err(error)) => Err(error.into()),
            (Ok(()), Ok(_)) => Ok(()),
        }
    })
}

fn damaged(what: String) -> KeepingError {
    no_backup(
        Rule::B7,
        format!("the export is damaged, and nothing of it is taken: {what}"),
    )
}

/// Name of an export: unit, day and build are in it (`B9`); somebody else's does not bear the unit's name.
fn name_of(manifest: &Manifest, whom: For) -> String {
    let clean = |text: &str| -> String {
        let signs = text.chars().map(|sign| match sign {
            sign if sign.is_ascii_alphanumeric() || sign == '.' => sign,
            _ => '-',
        });
        signs.take(40).collect()
    };
    let day = &manifest.taken.to_string()[..10];
    let build = manifest.build.as_deref().map(clean);
    let build = build.map_or_else(String::new, |build| format!("-{build}"));
    let short = manifest.capture.to_string();
    let short = &short[short.len() - 6..];
    match whom {
        For::Owner => format!(
            "{}-{day}{build}-{short}-whole.tar",
            clean(&manifest.nickname)
        ),
        For::Another => format!(
            "{}-{day}{build}-{short}-to-share.tar",
            clean(&manifest.family)
        ),
    }
}
