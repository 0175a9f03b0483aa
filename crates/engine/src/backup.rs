//! Captures and their copies: take, copy, read back, repair. Reading changes nothing on a device,
//! so no permit is needed; what is read is checked all the same (`B1`-`B8`).

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};
use veritope_core::coverage::{
    self, CaptureFacts, CapturedFacts, CopyFacts, Coverage, CoverageInput, Origin, Rest,
    VerifiedCopy,
};
use veritope_core::digest::{Claimed, FrameLayout};
use veritope_core::facts::Happening;
use veritope_core::family::{Family, Role};
use veritope_vault::{
    Access, CaptureSource, Captured, ImageState, MANIFEST_VERSION, Manifest, Vault,
};
use veritope_wire::{CaptureId, Digest, JobId, Label, Moment, PlaceId, UnitId};

use crate::bench::Engine;
use crate::error::EngineError;
use crate::places::{OWN_NAME, medium_text};
use crate::reading::{CaptureKind, Meter, Moving, Reader, Tables, images, no_backup, read_tables};
use crate::record::{DamageFacts, Entry};
use crate::run::Watcher;
use crate::unit::UnitRecord;
use crate::watch::{Observation, Settling};

/// What a capture under way needs to go on after a restart.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
struct Note {
    unit: UnitId,
    kind: CaptureKind,
    taken: Moment,
    hardware: String,
    guids: Vec<String>,
}

impl Engine {
    /// How a unit's partitions are kept, by the log.
    pub(crate) fn coverage_of(&self, record: &UnitRecord, family: &Family) -> Coverage {
        let facts = record.known();
        coverage::judge(&CoverageInput {
            family,
            own: record.own.as_deref().unwrap_or(&[]),
            captures: &record.captures,
            copies: &record.copies,
            written: &record.written,
            policy: &self.policy(),
            system_ran: facts.last(Happening::SystemRan),
            now: self.now(),
        })
    }

    /// Captures a unit's partitions, and reads the capture back. One that was cut off goes on where
    /// it was.
    ///
    /// # Errors
    /// When the unit gives no rights to read now, its tables make no sense, the bytes are no
    /// backup, there is no room, or the link breaks: then what was read stays, and the next call
    /// goes on.
    pub fn capture(
        &self,
        unit: UnitId,
        kind: &CaptureKind,
        watcher: &dyn Watcher,
    ) -> Result<CaptureId, EngineError> {
        let _changing = self.begin_changing(unit)?;
        self.capture_held(unit, kind, watcher)
    }

    pub(crate) fn capture_held(
        &self,
        unit: UnitId,
        kind: &CaptureKind,
        watcher: &dyn Watcher,
    ) -> Result<CaptureId, EngineError> {
        use veritope_core::rule::Rule;
        let seen = self.observe(unit)?;
        let record = self.record(unit)?;
        let family = &*self.family_of(&record).ok_or(EngineError::NoFamily)?;
        let mode =
            seen.mode()
                .filter(|mode| mode.reads_partitions())
                .ok_or(EngineError::NotThisWay(
                    "partitions are read in a recovery: start one from memory first",
                ))?;
        let hardware = family
            .hardware_identity(&seen.facts)
            .map(|row| row.value.exact())
            .ok_or_else(|| {
                no_backup(
                    Rule::K4,
                    "the unit does not give its hardware identity, so a capture could not be told from another unit's".to_owned(),
                )
            })?;
        let device = self.device(&record)?;
        let epoch = seen.state.epoch;
        let tables = read_tables(&device, epoch)?;
        let images = images(family, &tables, kind);
        let (job, taken) = self.job_for(&record, kind, &hardware, &tables)?;
        let mut staging = self.vault.stage(job)?;
        staging.note(
            "capture",
            &Note {
                unit,
                kind: kind.clone(),
                taken,
                hardware,
                guids: tables.areas.iter().map(|area| area.guid.clone()).collect(),
            },
        )?;
        let all: u64 = images.iter().map(|image| image.length_bytes).sum();
        let twice: u64 = images
            .iter()
            .filter(|image| image.role == Some(Role::DeviceUnique))
            .map(|image| image.length_bytes)
            .sum();
        let here: u64 = images
            .iter()
            .map(|image| {
                FrameLayout::new(image.length_bytes)
                    .span(staging.frames_of(&image.label))
                    .0
            })
            .sum();
        self.vault.has_room(all - here)?;
        let mut meter = Meter {
            watcher,
            moving: Moving {
                what: String::new(),
                done_bytes: here,
                // Read back at the end, once.
                total_bytes: all + twice + all,
            },
        };
        let reader = Reader {
            device: &device,
            epoch,
        };
        let mut partitions = Vec::new();
        for image in &images {
            partitions.push(reader.take(&mut staging, image, &mut meter)?);
        }
        let manifest = Manifest {
            veritope_capture: MANIFEST_VERSION,
            capture: CaptureId::new(job.uuid()),
            unit,
            nickname: record.nickname.clone(),
            taken,
            family: family.codename.clone(),
            identifiers: identifiers(family, &record, &seen),
            build: record
                .known()
                .known(veritope_core::facts::FactKey::Build)
                .map(|row| row.value.exact()),
            source: CaptureSource {
                origin: Origin::Read,
                mode,
                rest: Rest::AtRest,
                lock: seen.lock(),
            },
            areas: tables.areas.clone(),
            partitions,
        };
        let digest = staging.finish(&manifest)?;
        let capture = facts_of(&manifest, digest);
        let own_copy = CopyFacts {
            capture: capture.id,
            place: self.vault.id(),
            name: OWN_NAME.to_owned(),
            medium: medium_text(&self.vault.medium()?),
            verified: None,
            damaged: Vec::new(),
        };
        self.append(
            unit,
            None,
            vec![
                Entry::Captured {
                    capture,
                    own: tables.own,
                },
                Entry::CopyMade { copy: own_copy },
            ],
        )?;
        // Only now: killed before, the next try finds all frames here and writes the capture down.
        staging.discard()?;
        self.read_back(&self.vault, OWN_NAME, &manifest, &mut meter)?;
        Ok(manifest.capture)
    }

    /// The job to go on with, or a new one. What was read before the system ran is not gone on
    /// with: living partitions are other ones now.
    fn job_for(
        &self,
        record: &UnitRecord,
        kind: &CaptureKind,
        hardware: &str,
        tables: &Tables,
    ) -> Result<(JobId, Moment), EngineError> {
        let guids: Vec<String> = tables.areas.iter().map(|area| area.guid.clone()).collect();
        let ran = record.known().last(Happening::SystemRan);
        for job in self.vault.staged()? {
            let Some(note) = self.vault.note_of::<Note>(job, "capture")? else {
                continue;
            };
            // Another unit's work may be under way; this unit's is ours alone.
            if note.unit != record.id || note.kind != *kind {
                continue;
            }
            // Written down, and killed before it was cleared.
            let is_done = record
                .captures
                .iter()
                .any(|capture| capture.id.uuid() == job.uuid());
            let is_same = !is_done && note.hardware == hardware && note.guids == guids;
            if is_same && ran.is_none_or(|ran| ran < note.taken) {
                return Ok((job, note.taken));
            }
            self.vault.stage(job)?.discard()?;
        }
        Ok((JobId::new(self.parts.ids.fresh()), self.now()))
    }

    /// Clears what killed processes left that nobody goes on with: work without a note, and captures
    /// that were written down before their staging was cleared. Only before anything runs.
    pub(crate) fn clear_leftovers(&self) -> Result<(), EngineError> {
        let units = self.parts.journal.units()?;
        self.data
            .clear_pictures(|fact| units.iter().any(|unit| unit.pictures.contains_key(&fact)))?;
        for job in self.vault.staged()? {
            let note = self.vault.note_of::<Note>(job, "capture")?;
            let is_done = |note: &Note| {
                let known = self.parts.journal.unit(note.unit);
                known.is_ok_and(|record| {
                    record.is_some_and(|record| {
                        let mut captures = record.captures.iter();
                        captures.any(|known| known.id.uuid() == job.uuid())
                    })
                })
            };
            if note.as_ref().is_none_or(is_done) {
                self.vault.stage(job)?.discard()?;
            }
        }
        Ok(())
    }

    /// Goes on with a capture that was cut off; a run's step that waited for it is settled.
    ///
    /// # Errors
    /// As [`Engine::capture`].
    pub fn resume_capture(
        &self,
        unit: UnitId,
        kind: &CaptureKind,
        watcher: &dyn Watcher,
    ) -> Result<(), EngineError> {
        let _changing = self.begin_changing(unit)?;
        self.capture_held(unit, kind, watcher)?;
        self.settle(unit, Settling::Watching)
    }

    /// Captures that were cut off and whose unit could be read on now: they go on by themselves.
    #[must_use]
    pub fn resumable(&self) -> Vec<(UnitId, CaptureKind)> {
        let Ok(jobs) = self.vault.staged() else {
            return Vec::new();
        };
        jobs.into_iter()
            .filter_map(|job| {
                let note: Note = self.vault.note_of(job, "capture").ok()??;
                // Whoever is at it now is left alone.
                if self.is_changing(note.unit) {
                    return None;
                }
                let record = self.record(note.unit).ok()?;
                let mode = record.known().mode();
                let is_readable = mode.is_some_and(veritope_core::mode::Mode::reads_partitions)
                    && self.answers(&record);
                (is_readable && !matches!(note.kind, CaptureKind::Some { .. })).then_some(note)
            })
            .map(|note| (note.unit, note.kind))
            .collect()
    }

    /// Reads a copy back from its medium and writes down what was found (`B7`).
    fn read_back(
        &self,
        vault: &Vault,
        name: &str,
        manifest: &Manifest,
        meter: &mut Meter<'_>,
    ) -> Result<(), EngineError> {
        meter.at(format!("reading the copy in {name} back"));
        let report = vault.verify(manifest, |bytes| {
            meter.moved(bytes);
            !meter.watcher.should_stop()
        });
        if meter.watcher.should_stop() {
            return Err(EngineError::Stopped);
        }
        let damage = report
            .damage
            .into_iter()
            .map(|one| DamageFacts {
                label: one.label,
                frame: one.frame,
                first_byte: one.first_byte,
                last_byte: one.last_byte,
                what: one.what,
            })
            .collect();
        self.append(
            manifest.unit,
            None,
            vec![Entry::CopyRead {
                capture: manifest.capture,
                place: vault.id(),
                name: name.to_owned(),
                medium: medium_text(&vault.medium()?),
                damage,
            }],
        )
    }

    /// The manifest of a capture, from the first place that has it with the digest that the log
    /// knows.
    pub(crate) fn manifest_of(
        &self,
        record: &UnitRecord,
        capture: CaptureId,
    ) -> Result<Manifest, EngineError> {
        let facts = record
            .image_source(capture)
            .ok_or(EngineError::NoCapture(capture))?;
        let mut last = EngineError::NoCapture(capture);
        for place in self.all_places() {
            let found = self
                .open_place(place.id, Access::Read)
                .and_then(|(_, vault)| Ok(vault.manifest(record.id, capture)?));
            match found {
                Ok((manifest, digest)) if digest == facts.manifest => return Ok(manifest),
                Ok(_) => {
                    last = no_backup(
                        veritope_core::rule::Rule::S1,
                        format!(
                            "the manifest in {} is not the one that was written",
                            place.name
                        ),
                    );
                }
                Err(error) => last = error,
            }
        }
        Err(last)
    }

    /// Brings a capture to another place and reads it back there.
    ///
    /// # Errors
    /// When a place can't be used, or there is no room.
    pub fn copy(
        &self,
        unit: UnitId,
        capture: CaptureId,
        place: PlaceId,
        watcher: &dyn Watcher,
    ) -> Result<(), EngineError> {
        let record = self.record(unit)?;
        let manifest = self.manifest_of(&record, capture)?;
        let (target, vault) = self.open_place(place, Access::Write)?;
        let stored: u64 = manifest
            .partitions
            .iter()
            .map(|part| part.stored_bytes)
            .sum();
        let mut meter = Meter {
            watcher,
            moving: Moving {
                what: format!("copying to {}", target.name),
                done_bytes: 0,
                total_bytes: stored + manifest.bytes(),
            },
        };
        self.vault.copy_to(&vault, unit, capture, |bytes| {
            meter.moved(bytes);
            !watcher.should_stop()
        })?;
        let copy = CopyFacts {
            capture,
            place,
            name: target.name.clone(),
            medium: medium_text(&vault.medium()?),
            verified: None,
            damaged: Vec::new(),
        };
        self.append(unit, None, vec![Entry::CopyMade { copy }])?;
        self.read_back(&vault, &target.name, &manifest, &mut meter)
    }

    /// Reads a copy back.
    ///
    /// # Errors
    /// When the place can't be used or does not have the capture.
    pub fn verify(
        &self,
        unit: UnitId,
        capture: CaptureId,
        place: PlaceId,
        watcher: &dyn Watcher,
    ) -> Result<(), EngineError> {
        let record = self.record(unit)?;
        let manifest = self.manifest_of(&record, capture)?;
        let (place, vault) = self.open_place(place, Access::Read)?;
        let mut meter = Meter {
            watcher,
            moving: Moving {
                what: String::new(),
                done_bytes: 0,
                total_bytes: manifest.bytes(),
            },
        };
        self.read_back(&vault, &place.name, &manifest, &mut meter)
    }

    /// Repairs what is damaged in a place from a copy that is sound elsewhere, and reads it back.
    ///
    /// # Errors
    /// When no other copy is sound, or the place can't be written.
    pub fn repair(
        &self,
        unit: UnitId,
        capture: CaptureId,
        place: PlaceId,
        watcher: &dyn Watcher,
    ) -> Result<(), EngineError> {
        let record = self.record(unit)?;
        let manifest = self.manifest_of(&record, capture)?;
        let (damaged_place, damaged) = self.open_place(place, Access::Write)?;
        let labels: Vec<Label> = record
            .damage
            .iter()
            .filter(|(c, p, _)| (*c, *p) == (capture, place))
            .flat_map(|(_, _, damage)| damage.iter().map(|one| one.label.clone()))
            .collect();
        let parts = manifest
            .partitions
            .iter()
            .filter(|part| labels.contains(&part.label));
        for part in parts {
            let mut last = no_backup(
                veritope_core::rule::Rule::B6,
                format!("there is no other copy of {} to repair it from", part.label),
            );
            let mut is_repaired = false;
            for other in self
                .all_places()
                .into_iter()
                .filter(|other| other.id != place)
            {
                let done = self
                    .open_place(other.id, Access::Read)
                    .and_then(|(_, sound)| Ok(damaged.repair_from(&sound, part)?));
                match done {
                    Ok(()) => {
                        is_repaired = true;
                        break;
                    }
                    Err(error) => last = error,
                }
            }
            if !is_repaired {
                return Err(last);
            }
        }
        let mut meter = Meter {
            watcher,
            moving: Moving {
                what: String::new(),
                done_bytes: 0,
                total_bytes: manifest.bytes(),
            },
        };
        self.read_back(&damaged, &damaged_place.name, &manifest, &mut meter)
    }

    /// Reads one captured image back from the first place where it is sound, as evidence.
    pub(crate) fn verified_copy(
        &self,
        part: &Captured,
        claim: Digest,
    ) -> Option<(PlaceId, VerifiedCopy)> {
        self.all_places().into_iter().find_map(|place| {
            let (_, vault) = self.open_place(place.id, Access::Read).ok()?;
            match vault.verify_image(part, |_| true) {
                ImageState::Sound(seen) => {
                    let copy = VerifiedCopy::new(
                        part.label.clone(),
                        place.id,
                        &seen,
                        Claimed(claim),
                        self.now(),
                    )?;
                    Some((place.id, copy))
                }
                ImageState::Damaged(_) => None,
            }
        })
    }

    /// One copy of everything that exists once, read back now.
    pub(crate) fn fresh_copies(
        &self,
        record: &UnitRecord,
        coverage: &Coverage,
    ) -> Vec<VerifiedCopy> {
        let unique = coverage
            .rows
            .iter()
            .filter(|row| row.described.role == Role::DeviceUnique);
        unique
            .filter_map(|row| {
                let manifest = self.manifest_of(record, row.capture?).ok()?;
                let label = &row.described.own.label;
                let facts = record.captures.iter().find(|c| c.id == manifest.capture)?;
                let claim = facts.partition(label)?.blake3;
                let part = manifest.partition(label)?;
                self.verified_copy(part, claim).map(|(_, copy)| copy)
            })
            .collect()
    }
}

/// What the log keeps of a manifest.
pub(crate) fn facts_of(manifest: &Manifest, digest: Digest) -> CaptureFacts {
    CaptureFacts {
        id: manifest.capture,
        taken: manifest.taken,
        manifest: digest,
        origin: manifest.source.origin,
        rest: manifest.source.rest,
        build: manifest.build.clone(),
        partitions: manifest
            .partitions
            .iter()
            .map(|part| CapturedFacts {
                label: part.label.clone(),
                length_bytes: part.length_bytes,
                blake3: part.blake3,
                agreement: part.agreement,
                blank: part.blank,
            })
            .collect(),
    }
}

/// Identifiers as the unit gives them now, and those that it gave in another mode (`K4`).
fn identifiers(
    family: &Family,
    record: &UnitRecord,
    seen: &Observation,
) -> BTreeMap<String, String> {
    let known = record.known();
    family
        .identifiers
        .iter()
        .filter_map(|id| {
            let row = seen.facts.known(id.key).or_else(|| known.known(id.key))?;
            Some((id.key.id().to_owned(), row.value.exact()))
        })
        .collect()
}
