//! Captures and their copies: take, copy, read back, repair. Reading changes nothing on a device,
//! so no permit is needed; what is read is checked all the same (`B1`-`B8`).

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};
use veritope_core::coverage::{
    self, BlankBytes, CaptureFacts, CapturedFacts, CopyFacts, Coverage, CoverageInput, Living,
    Origin, Rest, Taker, VerifiedCopy, is_due,
};
use veritope_core::digest::{Claimed, FrameLayout};
use veritope_core::facts::{Facts, Happening};
use veritope_core::family::{Family, Role};
use veritope_core::mode::Mode;
use veritope_core::route;
use veritope_core::rule::Rule;
use veritope_core::state::State;
use veritope_core::steady::Taken;
use veritope_core::worth::Inside;
use veritope_formats::look::{Limits, What, look};
use veritope_formats::startimage;
use veritope_formats::table::Ends;
use veritope_link::LinkError;
use veritope_vault::{
    Access, CaptureSource, Captured, ImageState, MANIFEST_VERSION, Manifest, ObjectImage, Vault,
};
use veritope_wire::{CaptureId, Digest, JobId, Label, PlaceId, UnitId};

use crate::desk::record::{DamageFacts, Entry, Way};
use crate::desk::unit::UnitRecord;
use crate::keeping::Keeping;
use crate::keeping::KeepingError;
use crate::keeping::reading::{CaptureKind, Meter, Reader, Tables, images, no_backup, read_tables};
use crate::library::places::OWN_NAME;
use crate::links::watch::Observation;
use crate::progress::{Moving, Watcher};
use crate::stored::{self, As};

/// What a capture under way needs to go on after a restart.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
struct Note {
    unit: UnitId,
    kind: CaptureKind,
    /// Whether the system ran meanwhile.
    #[serde(default = "at_rest", with = "As::<stored::RestWord>")]
    rest: Rest,
    #[serde(with = "As::<stored::When>")]
    taken: Taken,
    hardware: String,
    /// Whether a person stopped it: then it goes on when a person says so.
    #[serde(default)]
    is_stopped: bool,
    guids: Vec<String>,
}

fn at_rest() -> Rest {
    Rest::AtRest
}

impl Keeping {
    /// How a unit's partitions are kept, by the log.
    pub(crate) fn coverage_of(&self, record: &UnitRecord, family: &Family) -> Coverage {
        self.kept_as(record, family, Living::AsNow)
    }

    /// The same with what lives asked for as it is now, or as it was captured.
    pub(crate) fn kept_as(&self, record: &UnitRecord, family: &Family, living: Living) -> Coverage {
        let facts = record.known();
        coverage::judge(&CoverageInput {
            family,
            own: record.own.as_deref().unwrap_or(&[]),
            captures: &record.captures,
            copies: &record.copies,
            written: &record.written,
            first_write: record.first_write,
            by_hand: record.way == Way::Hand,
            policy: &self.library.policy(),
            system_ran: match living {
                Living::AsNow => facts.last(Happening::SystemRan),
                Living::AsCaptured => None,
            },
            now: self.pen.now(),
        })
    }

    /// Whether a unit's partitions may be captured now, by what is known: one answer for page and request.
    ///
    /// # Errors
    /// Why not.
    pub(crate) fn may_capture(&self, record: &UnitRecord) -> Result<(), KeepingError> {
        self.may_move(record)?;
        self.reads(record, &record.known()).map(drop)
    }

    /// Whether bytes can be moved between a unit and its copies now: nothing else is being done, and it answers.
    pub(crate) fn may_move(&self, record: &UnitRecord) -> Result<(), KeepingError> {
        self.turns.is_free(record.id)?;
        if record.way == Way::Hand {
            return Err(KeepingError::NotThisWay(
                "no link reads this unit: hand in what a program of your own dumped",
            ));
        }
        if !self.links.answers(record) {
            return Err(KeepingError::NotThisWay("the unit does not answer now"));
        }
        Ok(())
    }

    /// How partitions are read in what runs now, where it gives the right (`B1`): the mode, and whether
    /// anything changes meanwhile.
    fn reads(&self, record: &UnitRecord, facts: &Facts) -> Result<(Mode, Rest), KeepingError> {
        let family = self
            .library
            .family_of(record)
            .ok_or(KeepingError::NoFamily)?;
        let rest = State::from_facts(facts).reads(family.readable());
        facts
            .mode()
            .zip(rest)
            .ok_or_else(|| no_backup(Rule::B1, route::no_right(&family, facts)))
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
    ) -> Result<CaptureId, KeepingError> {
        let _changing = self.turns.begin_changing(unit)?;
        self.capture_held(unit, kind, watcher)
    }

    pub(crate) fn capture_held(
        &self,
        unit: UnitId,
        kind: &CaptureKind,
        watcher: &dyn Watcher,
    ) -> Result<CaptureId, KeepingError> {
        let seen = self.links.observe(unit)?;
        let record = self.pen.record(unit)?;
        let family = &*self
            .library
            .family_of(&record)
            .ok_or(KeepingError::NoFamily)?;
        let (mode, rest) = self.reads(&record, &seen.facts)?;
        let chip = family.chip(&seen.facts).ok_or_else(|| {
                no_backup(
                    Rule::K4,
                    "the unit does not give its hardware identity, so a capture could not be told from another unit's".to_owned(),
                )
            })?;
        let device = self.links.device(&record)?;
        let epoch = seen.state.epoch;
        let tables = read_tables(&device, epoch)?;
        let images = images(family, &tables, kind, rest);
        if images.iter().all(|image| image.number == 0) {
            return Err(no_backup(
                Rule::B3,
                "the unit's table names no partition that is wanted here: a capture of nothing is none"
                    .to_owned(),
            ));
        }
        device.is_still(&chip, epoch)?;
        let (job, taken) = self.job_for(&record, kind, rest, &chip.value, &tables)?;
        let mut staging = self.library.vault.stage(job)?;
        let mut note = Note {
            unit,
            kind: kind.clone(),
            rest,
            taken,
            hardware: chip.value.clone(),
            is_stopped: false,
            guids: tables.areas.iter().map(|area| area.guid.clone()).collect(),
        };
        staging.note("capture", &note)?;
        let all: u64 = images.iter().map(|image| image.length_bytes).sum();
        let twice: u64 = images
            .iter()
            .filter(|image| image.is_read_twice)
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
        self.library.vault.has_room(all - here)?;
        let mut meter = Meter {
            watcher,
            moving: Moving {
                what: String::new(),
                done_bytes: here,
                // Read back at the end, once.
                total_bytes: all + twice + all,
            },
        };
        let before = self.kept_before(&record);
        let reader = Reader {
            device: &device,
            epoch,
            before: &before,
            vault: &self.library.vault,
        };
        let mut partitions = Vec::new();
        for image in &images {
            match reader.take(&mut staging, image, &mut meter) {
                Ok(part) => partitions.push(part),
                Err(KeepingError::Stopped) if watcher.is_cancelled() => {
                    // A person's word: it does not go on by itself.
                    note.is_stopped = true;
                    staging.note("capture", &note)?;
                    return Err(KeepingError::Stopped);
                }
                Err(error) => return Err(error),
            }
        }
        // Whoever gave the last byte is whoever gave the first: else none of it counts.
        match device.is_still(&chip, epoch) {
            Ok(()) => {}
            Err(error @ LinkError::AnotherUnit { .. }) => {
                staging.discard()?;
                return Err(error.into());
            }
            Err(error) => return Err(error.into()),
        }
        partitions.sort_by_key(|part| (part.area, part.offset_bytes));
        for part in &mut partitions {
            part.inside = Some(self.look_inside(part)?);
        }
        let manifest = Manifest {
            veritope_capture: MANIFEST_VERSION,
            capture: CaptureId::new(job.uuid()),
            unit,
            nickname: record.nickname.clone(),
            taken: taken.wall,
            family: family.codename.clone(),
            identifiers: identifiers(family, &record, &seen),
            build: record
                .known()
                .known(veritope_core::facts::FactKey::Build)
                .map(|row| row.value.exact()),
            source: CaptureSource {
                origin: Origin::Read,
                mode,
                rest,
                lock: seen.lock(),
            },
            areas: tables.areas.clone(),
            partitions,
        };
        let digest = staging.finish(&manifest)?;
        let capture = facts_of(&manifest, digest, taken);
        let own_copy = self.unread_copy(capture.id, OWN_NAME, &self.library.vault)?;
        self.pen.append(
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
        self.read_back(&self.library.vault, OWN_NAME, &manifest, &mut meter)?;
        Ok(manifest.capture)
    }

    /// The job to go on with, or a new one. What was read before anything could have changed it, by the
    /// system or by a write, is not gone on with: those partitions are other ones now.
    fn job_for(
        &self,
        record: &UnitRecord,
        kind: &CaptureKind,
        rest: Rest,
        hardware: &str,
        tables: &Tables,
    ) -> Result<(JobId, Taken), KeepingError> {
        let guids: Vec<String> = tables.areas.iter().map(|area| area.guid.clone()).collect();
        let changed = record.touched;
        for job in self.library.vault.staged()? {
            let Some(note) = self.library.vault.note_of::<Note>(job, "capture")? else {
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
            // Half at rest and half live would be neither.
            let is_same =
                !is_done && note.rest == rest && note.hardware == hardware && note.guids == guids;
            if is_same && changed.is_none_or(|at| note.taken.is_after(at) == Some(true)) {
                return Ok((job, note.taken));
            }
            self.library.vault.stage(job)?.discard()?;
        }
        let taken = Taken::here(self.pen.clock.stamp());
        Ok((JobId::new(self.pen.ids.fresh()), taken))
    }

    /// Clears what killed processes left that nobody goes on with: work without a note, and captures
    /// that were written down before their staging was cleared. Only before anything runs.
    pub(crate) fn clear_leftovers(&self) -> Result<(), KeepingError> {
        let units = self.pen.journal.units();
        // While a log is held back, it is not known what it names.
        if self.pen.journal.damage().is_empty() {
            self.library.data.clear_pictures(|fact| {
                units.iter().any(|unit| unit.pictures.contains_key(&fact))
            })?;
        }
        for job in self.library.vault.staged()? {
            let note = self.library.vault.note_of::<Note>(job, "capture")?;
            let is_done = |note: &Note| {
                let known = self.pen.journal.unit(note.unit);
                known.is_some_and(|record| {
                    let mut captures = record.captures.iter();
                    captures.any(|known| known.id.uuid() == job.uuid())
                })
            };
            if note.as_ref().is_none_or(is_done) {
                self.library.vault.stage(job)?.discard()?;
            }
        }
        Ok(())
    }

    /// Captures that were cut off and whose unit could be read on now: they go on by themselves.
    #[must_use]
    pub fn resumable(&self) -> Vec<(UnitId, CaptureKind)> {
        let Ok(jobs) = self.library.vault.staged() else {
            return Vec::new();
        };
        jobs.into_iter()
            .filter_map(|job| {
                let note: Note = self.library.vault.note_of(job, "capture").ok()??;
                // Whoever is at it now is left alone.
                if self.turns.is_changing(note.unit) {
                    return None;
                }
                let record = self.pen.record(note.unit).ok()?;
                let is_readable =
                    self.reads(&record, &record.known()).is_ok() && self.links.answers(&record);
                let is_wanted = !note.is_stopped && !matches!(note.kind, CaptureKind::Some { .. });
                (is_readable && is_wanted).then_some(note)
            })
            .map(|note| (note.unit, note.kind))
            .collect()
    }

    /// A copy of a capture that lies in a place now, and that nobody read back yet.
    pub(crate) fn unread_copy(
        &self,
        capture: CaptureId,
        name: &str,
        vault: &Vault,
    ) -> Result<CopyFacts, KeepingError> {
        Ok(CopyFacts {
            capture,
            place: vault.id(),
            name: name.to_owned(),
            medium: self.library.medium_of(vault.id(), vault)?,
            verified: None,
            damaged: Vec::new(),
        })
    }

    /// Reads a copy back from its medium and writes down what was found (`B7`).
    pub(crate) fn read_back(
        &self,
        vault: &Vault,
        name: &str,
        manifest: &Manifest,
        meter: &mut Meter<'_>,
    ) -> Result<(), KeepingError> {
        meter.at(format!("reading the copy in {name} back"));
        let record = self.pen.record(manifest.unit)?;
        let known = record.image_source(manifest.capture);
        // A copy is its objects and its manifest.
        let of_manifest = known.and_then(|known| manifest_damage(vault, &record, known));
        let report = vault.verify(manifest, |bytes| {
            meter.moved(bytes);
            !meter.watcher.should_stop()
        });
        if meter.watcher.should_stop() {
            return Err(KeepingError::Stopped);
        }
        let damage = report.damage.into_iter().chain(of_manifest);
        let damage: Vec<DamageFacts> = damage
            .map(|one| DamageFacts {
                label: one.label,
                frame: one.frame,
                first_byte: one.first_byte,
                last_byte: one.last_byte,
                what: one.what,
            })
            .collect();
        let sound: Vec<&Captured> = manifest
            .partitions
            .iter()
            .filter(|part| {
                !damage
                    .iter()
                    .any(|one| one.label.as_ref() == Some(&part.label))
            })
            .collect();
        let entry = Entry::CopyRead {
            capture: manifest.capture,
            place: vault.id(),
            name: name.to_owned(),
            medium: self.library.medium_of(vault.id(), vault)?,
            damage,
        };
        self.pen.append(manifest.unit, None, vec![entry])?;
        // What it says is written down; what its bytes are is for the screens, and is no part of that.
        for part in sound {
            if meter.watcher.should_stop() {
                break;
            }
            meter.at(format!("looking into {}", part.label));
            // A disk that has no room for it leaves it unseen, as the page then says.
            if self.look_into(vault, manifest, part).is_err() {
                break;
            }
        }
        Ok(())
    }

    /// What a captured image says that it is; kept for the screens too.
    pub(crate) fn look_inside(&self, part: &Captured) -> Result<Inside, KeepingError> {
        if part.blank != BlankBytes::No || part.number == 0 {
            return Ok(Inside::Other);
        }
        let image = ObjectImage::new(self.library.vault.object(part.blake3)?);
        let looked = look(&image, part.label.as_str(), Limits::default());
        // Nothing rests on it: without room it is looked at again when a copy is read back.
        let _ = self.library.keep_seen(part.blake3, &looked);
        if let What::FileSystem(system) = &looked.what {
            return Ok(Inside::FileSystem {
                kind: system.kind.short().to_owned(),
            });
        }
        Ok(match startimage::of(&looked) {
            Ok(image) => Inside::StartImage {
                codename: image.codename,
                kind: image.kind,
                version: image.version,
            },
            Err(_) => Inside::Other,
        })
    }

    /// Looks into a captured image whose digest was just read back, unless that was done.
    fn look_into(
        &self,
        vault: &Vault,
        manifest: &Manifest,
        part: &Captured,
    ) -> Result<(), KeepingError> {
        if self.library.seen_inside(part.blake3).is_some() {
            return Ok(());
        }
        let open = |part: &Captured| vault.object(part.blake3).map(ObjectImage::new);
        let name = part.label.as_str();
        if part.number > 0 {
            let image = open(part)?;
            return Ok(self.library.look_into(part.blake3, name, &image)?);
        }
        let Some(ends) = manifest.both_ends(part) else {
            return Ok(());
        };
        let area = Ends {
            head: &open(ends.head)?,
            tail: &open(ends.tail)?,
            length_bytes: ends.length_bytes,
        };
        Ok(self.library.look_into(part.blake3, name, &area)?)
    }

    /// The manifest of a capture, from the first place that has it with the digest that the log
    /// knows.
    pub(crate) fn manifest_of(
        &self,
        record: &UnitRecord,
        capture: CaptureId,
    ) -> Result<Manifest, KeepingError> {
        let facts = record
            .image_source(capture)
            .ok_or(KeepingError::NoCapture(capture))?;
        let mut last = KeepingError::NoCapture(capture);
        for place in self.library.all_places() {
            let found = self
                .library
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
                Err(error) => last = error.into(),
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
    ) -> Result<(), KeepingError> {
        let record = self.pen.record(unit)?;
        let manifest = self.manifest_of(&record, capture)?;
        let (target, vault) = self.library.open_place(place, Access::Write)?;
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
        let known = record
            .image_source(capture)
            .ok_or(KeepingError::NoCapture(capture))?;
        // From the first place that has it whole enough to copy; the copy is read back before it counts.
        let mut done = Err(KeepingError::NoCapture(capture));
        for source in self
            .library
            .all_places()
            .into_iter()
            .filter(|one| one.id != place)
        {
            let copied = self
                .library
                .open_place(source.id, Access::Read)
                .and_then(|(_, from)| {
                    Ok(
                        from.copy_to(&vault, unit, capture, known.manifest, |bytes| {
                            meter.moved(bytes);
                            !watcher.should_stop()
                        })?,
                    )
                });
            let is_done = copied.is_ok() || watcher.should_stop();
            // What the first place says is said, if none has it.
            if is_done || matches!(done, Err(KeepingError::NoCapture(_))) {
                done = Ok(copied.map(drop)?);
            }
            if is_done {
                break;
            }
        }
        done?;
        let copy = self.unread_copy(capture, &target.name, &vault)?;
        self.pen
            .append(unit, None, vec![Entry::CopyMade { copy }])?;
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
    ) -> Result<(), KeepingError> {
        let record = self.pen.record(unit)?;
        let manifest = self.manifest_of(&record, capture)?;
        let (place, vault) = self.library.open_place(place, Access::Read)?;
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

    /// The copy that is to be read back by itself now: of those whose turn it is, in places that can be reached, the one
    /// that was left longest; not one that was tried a while ago.
    #[must_use]
    pub fn due_to_read(
        &self,
        was_tried: impl Fn(CaptureId, PlaceId) -> bool,
    ) -> Option<(UnitId, CaptureId, PlaceId)> {
        let now = self.pen.now();
        let away = self.library.places_away();
        let units = self.pen.journal.units();
        let copies = units
            .iter()
            .flat_map(|record| record.copies.iter().map(|copy| (record.id, copy)));
        copies
            .filter(|(_, copy)| is_due(copy, now) && !away.contains(&copy.place))
            .filter(|(_, copy)| !was_tried(copy.capture, copy.place))
            .min_by_key(|(_, copy)| copy.verified)
            .map(|(unit, copy)| (unit, copy.capture, copy.place))
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
    ) -> Result<(), KeepingError> {
        let record = self.pen.record(unit)?;
        let manifest = self.manifest_of(&record, capture)?;
        let (damaged_place, damaged) = self.library.open_place(place, Access::Write)?;
        let damage = record
            .damage
            .iter()
            .filter(|(c, p, _)| (*c, *p) == (capture, place))
            .flat_map(|(_, _, damage)| damage);
        let labels: Vec<Label> = damage.clone().filter_map(|one| one.label.clone()).collect();
        if damage.clone().any(|one| one.label.is_none()) {
            self.repair_manifest(&record, &manifest, &damaged)?;
        }
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
                .library
                .all_places()
                .into_iter()
                .filter(|other| other.id != place)
            {
                let done = self
                    .library
                    .open_place(other.id, Access::Read)
                    .and_then(|(_, sound)| Ok(damaged.repair_from(&sound, part)?));
                match done {
                    Ok(()) => {
                        is_repaired = true;
                        break;
                    }
                    Err(error) => last = error.into(),
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
        self.library.all_places().into_iter().find_map(|place| {
            let (_, vault) = self.library.open_place(place.id, Access::Read).ok()?;
            Some((place.id, self.read_off(&vault, place.id, part, claim)?))
        })
    }

    /// One image of a place, read off its medium now and hashed on the way: the only maker of evidence that
    /// a copy is there.
    #[expect(clippy::disallowed_methods, reason = "the one that reads copies back")]
    fn read_off(
        &self,
        vault: &Vault,
        place: PlaceId,
        part: &Captured,
        claim: Digest,
    ) -> Option<VerifiedCopy> {
        let ImageState::Sound(seen) = vault.verify_image(part, |_| true) else {
            return None;
        };
        let label = part.label.clone();
        VerifiedCopy::read_back(label, place, seen, Claimed(claim), self.pen.now())
    }

    /// Every copy of what exists once, in every place that can be reached, read back now; with the places
    /// that are away. A copy that is found damaged is read back whole and written down.
    ///
    /// # Errors
    /// When what was found can't be written down.
    pub(crate) fn read_copies_back(
        &self,
        unit: UnitId,
        family: &Family,
        living: Living,
    ) -> Result<(Vec<VerifiedCopy>, Vec<PlaceId>), KeepingError> {
        let record = self.pen.record(unit)?;
        let coverage = self.kept_as(&record, family, living);
        let unique = coverage
            .rows
            .iter()
            .filter(|row| row.described.role == Role::DeviceUnique);
        let mut copies = Vec::new();
        let mut damaged: Vec<(CaptureId, PlaceId)> = Vec::new();
        let away = self.library.places_away();
        for row in unique {
            let label = &row.described.own.label;
            let Some(known) = row
                .capture
                .and_then(|capture| record.captures.iter().find(|one| one.id == capture))
            else {
                continue;
            };
            let Some(claim) = known.partition(label).map(|part| part.blake3) else {
                continue;
            };
            for (place, _) in row
                .counted
                .iter()
                .filter(|(place, _)| !away.contains(place))
            {
                let seen = self.copy_of(&record, known, label, claim, *place);
                match seen {
                    Some(copy) => copies.push(copy),
                    None => damaged.push((known.id, *place)),
                }
            }
        }
        damaged.sort_unstable();
        damaged.dedup();
        for (capture, place) in damaged {
            let manifest = self.manifest_of(&record, capture);
            let opened = self.library.open_place(place, Access::Read);
            if let (Ok(manifest), Ok((place, vault))) = (manifest, opened) {
                let mut meter = Meter {
                    watcher: &Unwatched,
                    moving: Moving {
                        what: String::new(),
                        done_bytes: 0,
                        total_bytes: manifest.bytes(),
                    },
                };
                self.read_back(&vault, &place.name, &manifest, &mut meter)?;
            }
        }
        Ok((copies, away))
    }

    /// One partition of one copy, its manifest first.
    fn copy_of(
        &self,
        record: &UnitRecord,
        known: &CaptureFacts,
        label: &Label,
        claim: Digest,
        place: PlaceId,
    ) -> Option<VerifiedCopy> {
        let (_, vault) = self.library.open_place(place, Access::Read).ok()?;
        let (manifest, digest) = vault.manifest(record.id, known.id).ok()?;
        let part = manifest
            .partition(label)
            .filter(|_| digest == known.manifest)?;
        self.read_off(&vault, place, part, claim)
    }

    /// Brings the manifest of a capture over a damaged one, from a place where it is the one that the log
    /// knows; nothing else ever goes over it.
    fn repair_manifest(
        &self,
        record: &UnitRecord,
        manifest: &Manifest,
        damaged: &Vault,
    ) -> Result<(), KeepingError> {
        let known = record
            .image_source(manifest.capture)
            .ok_or(KeepingError::NoCapture(manifest.capture))?;
        let mut last = no_backup(
            veritope_core::rule::Rule::B6,
            "no other place has the manifest of this capture as it was written".to_owned(),
        );
        for other in self
            .library
            .all_places()
            .into_iter()
            .filter(|other| other.id != damaged.id())
        {
            let done = self
                .library
                .open_place(other.id, Access::Read)
                .and_then(|(_, sound)| {
                    Ok(sound.copy_manifest_to(damaged, manifest, known.manifest)?)
                });
            match done {
                Ok(()) => return Ok(()),
                Err(error) => last = error.into(),
            }
        }
        Err(last)
    }
}

/// Watches nothing.
struct Unwatched;

impl Watcher for Unwatched {
    fn phase(&self, _: &crate::progress::StepPhase) {}

    fn should_stop(&self) -> bool {
        false
    }
}

/// What is wrong with the manifest of a copy, if anything: gone, edited, empty, or another one's.
fn manifest_damage(
    vault: &Vault,
    record: &UnitRecord,
    known: &CaptureFacts,
) -> Option<veritope_vault::Damage> {
    let what = match vault.manifest(record.id, known.id) {
        Ok((_, digest)) if digest == known.manifest => return None,
        Ok(_) => "it is not the one that was written when the capture was taken".to_owned(),
        Err(veritope_vault::VaultError::NoCapture(_)) => "it is gone".to_owned(),
        Err(error) => error.to_string(),
    };
    Some(veritope_vault::Damage {
        label: None,
        frame: None,
        first_byte: 0,
        last_byte: 0,
        file: vault.root().to_owned(),
        what,
    })
}

/// What the log keeps of a manifest.
pub(crate) fn facts_of(manifest: &Manifest, digest: Digest, taken: Taken) -> CaptureFacts {
    CaptureFacts {
        id: manifest.capture,
        taken,
        manifest: digest,
        origin: manifest.source.origin,
        rest: manifest.source.rest,
        build: manifest.build.clone(),
        taker: Taker::Us,
        list: None,
        partitions: manifest
            .partitions
            .iter()
            .map(|part| CapturedFacts {
                label: part.label.clone(),
                length_bytes: part.length_bytes,
                blake3: part.blake3,
                agreement: part.agreement,
                blank: part.blank,
                inside: part.inside.clone(),
                is_unique: part.role == Some(Role::DeviceUnique),
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
