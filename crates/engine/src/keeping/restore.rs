//! Putting partitions back from a capture (JOB 9): the present state captured first, only what
//! differs written, read back and compared, by the same unit. Also the one other write of this version,
//! a recovery image, since both end at the same door.

use veritope_core::budget;
use veritope_core::coverage::{
    CaptureFacts, Origin, Taker, VerifiedCopy, Wanted, WriteShown, wanted,
};
use veritope_core::digest::{Claimed, FrameList, Seen};
use veritope_core::facts::{FactKey, FactValue, Happening, Source};
use veritope_core::family::{Changes, Family, Role};
use veritope_core::partitions::OwnPartition;
use veritope_core::plan::Sheet;
use veritope_core::rule::Rule;
use veritope_core::seal::{
    self, Effect, Item, LinkWitness, Permit, ReadBack, RestoreEvidence, Witnessed, WriteEvidence,
};
use veritope_core::worth;
use veritope_link::DeviceLink;
use veritope_vault::{Access, Captured, Manifest};
use veritope_wire::{BenchTime, CaptureId, Digest, Label, PlaceId, UnitId};

use crate::desk::DeskError;
use crate::desk::record::Entry;
use crate::desk::unit::{RunRecord, UnitRecord};
use crate::keeping::Keeping;
use crate::keeping::KeepingError;
use crate::keeping::reading::CaptureKind;
use crate::library::shelf::read_seen;
use crate::links::watch::Observation;
use crate::progress::{Moving, Watcher};

/// What putting a capture back would do to one partition.
#[derive(Debug, Clone, PartialEq, Eq, serde::Serialize, utoipa::ToSchema)]
pub struct RestoreRow {
    /// The partition.
    pub label: Label,
    /// Whether it is one of those that a person most likely means: it exists once, what lies there is
    /// worse or should never change, and this is the capture to take it from (`E4`).
    pub suggested: bool,
    /// What the capture holds of it, in words.
    pub holds: String,
    /// Another capture that is the better one to take it from, in words; nothing where this is it.
    pub better: Option<String>,
    /// How it compares with what lies there now.
    pub compared: Compared,
    /// Since when nobody knows what lies there.
    pub not_read_since: Option<BenchTime>,
    /// Frames that differ.
    pub frames: u64,
    /// Bytes that would be written.
    pub bytes: u64,
    /// The evidence list, as far as it can be told before.
    pub items: Vec<Item>,
    /// Whether anything on the list refuses for good.
    pub refused: bool,
    /// The line that stands against it now, that for good first; what the putting back itself brings
    /// (`S2`) is not counted.
    pub against: Option<Item>,
}

/// How a captured image compares with the unit.
#[derive(Debug, Clone, Copy, PartialEq, Eq, serde::Serialize, utoipa::ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Compared {
    /// The same bytes.
    Same,
    /// Other bytes.
    Differs,
    /// What lies there now was not read since anything could change.
    NotRead,
}

/// What putting a capture back would do, before it is done.
#[derive(Debug, Clone, PartialEq, Eq, serde::Serialize, utoipa::ToSchema)]
pub struct RestorePlan {
    /// The capture.
    pub capture: CaptureId,
    /// Partition by partition, in disk order.
    pub rows: Vec<RestoreRow>,
    /// Partitions that would be written.
    pub writes: Vec<Label>,
    /// Bytes that would be written.
    pub bytes: u64,
    /// What has to be captured to compare, where anything has to be.
    pub read: Option<CaptureKind>,
}

/// What one judgement of a restore is about.
struct Ask<'a> {
    manifest: &'a Manifest,
    copy: Option<&'a VerifiedCopy>,
    present: Option<Digest>,
    /// Bytes that all of it moves.
    bytes: u64,
    /// What exists once, read back now, and places that are away.
    kept: &'a (Vec<VerifiedCopy>, Vec<PlaceId>),
}

impl Keeping {
    /// What is known to lie in a partition now: what was read of it, or written and read back, since
    /// anything could last have changed it; nothing otherwise.
    pub(crate) fn present_of(record: &UnitRecord, label: &Label) -> Option<Digest> {
        if record.torn.iter().any(|torn| torn.label == *label) {
            return None;
        }
        // What we write elsewhere leaves this partition as it is; what was written here counts once it
        // was read back.
        let elsewhere = [Happening::SystemWritten, Happening::RecoveryWritten];
        let events = record.happened.iter();
        let moved = events
            .filter(|(what, _)| !elsewhere.contains(what))
            .map(|(_, at)| *at)
            .max();
        let written = record
            .written
            .iter()
            .find(|written| written.label == *label);
        let read_back = written.filter(|one| one.shown == WriteShown::ReadBack);
        let captured = record
            .captures
            .iter()
            .filter(|capture| capture.taker == Taker::Us)
            .filter_map(|capture| {
                Some((capture.taken.counted()?, capture.partition(label)?.blake3))
            })
            .max_by_key(|(taken, _)| *taken)
            .filter(|(taken, _)| written.is_none_or(|written| written.at < *taken));
        let newest = captured.or(read_back.map(|one| (one.at, one.image)));
        newest
            .filter(|(at, _)| moved.is_none_or(|moved| moved < *at))
            .map(|(_, digest)| digest)
    }

    /// Plans putting a capture back.
    ///
    /// # Errors
    /// When there is no such capture or the unit's family is not known.
    pub fn restore_plan(
        &self,
        unit: UnitId,
        capture: CaptureId,
    ) -> Result<RestorePlan, KeepingError> {
        let record = self.pen.record(unit)?;
        let family = &*self
            .library
            .family_of(&record)
            .ok_or(KeepingError::NoFamily)?;
        let manifest = self.manifest_of(&record, capture)?;
        let mut plan = RestorePlan {
            capture,
            rows: Vec::new(),
            writes: Vec::new(),
            bytes: 0,
            read: None,
        };
        let facts = record.known();
        let own = record.own.clone().unwrap_or_default();
        let nothing = (Vec::new(), self.library.places_away());
        for part in manifest
            .partitions
            .iter()
            .filter(|part| part.role.is_some())
        {
            let Some(own) = own.iter().find(|own| own.label == part.label) else {
                continue;
            };
            let present = Self::present_of(&record, &part.label);
            let ask = Ask {
                manifest: &manifest,
                copy: None,
                present,
                bytes: 3 * part.length_bytes,
                kept: &nothing,
            };
            let items = self.with_restore_evidence(&record, family, own, &ask, seal::restore_items);
            let refused = items.iter().any(is_final);
            let now = present.and_then(|digest| self.frames_of(&record, &part.label, digest));
            let (compared, frames, bytes) = match (present, now) {
                (Some(digest), _) if digest == part.blake3 => (Compared::Same, 0, 0),
                (Some(_), Some(now)) => {
                    let differing = differing(part, &now);
                    let bytes = differing.iter().map(|n| part.layout().span(*n).1).sum();
                    (Compared::Differs, differing.len() as u64, bytes)
                }
                (Some(_), None) => (Compared::Differs, part.layout().count(), part.length_bytes),
                (None, _) => (Compared::NotRead, 0, 0),
            };
            if !refused && compared == Compared::Differs {
                plan.writes.push(part.label.clone());
                plan.bytes += bytes;
            }
            if !refused && compared == Compared::NotRead {
                let is_system = wanted(part.role.unwrap_or(Role::Reserve)) == Wanted::InFull;
                plan.read = match (&plan.read, is_system) {
                    (Some(CaptureKind::Full), _) | (_, true) => Some(CaptureKind::Full),
                    _ => Some(CaptureKind::Quick),
                };
            }
            let is_unique = part.role == Some(Role::DeviceUnique);
            let changes = family
                .partition(&part.label)
                .map_or(Changes::Living, |spec| spec.changes);
            let best = worth::proposed(
                &part.label,
                own.length_bytes,
                changes,
                &record.captures,
                &facts,
            );
            let known = record.image_source(capture);
            let here = known.and_then(|known| known.partition(&part.label));
            let worth_of = |digest: Digest| {
                let all = record.captures.iter();
                all.filter_map(|one| Some((one, one.partition(&part.label)?)))
                    .find(|(_, part)| part.blake3 == digest)
                    .map(|(one, part)| worth::worth(one, part, &record.captures))
            };
            let there = present.and_then(worth_of);
            let is_wanted = changes == Changes::Fixed || there < worth_of(part.blake3);
            plan.rows.push(RestoreRow {
                label: part.label.clone(),
                suggested: !refused
                    && compared == Compared::Differs
                    && is_unique
                    && best == Some(capture)
                    && is_wanted,
                holds: here.map_or_else(String::new, worth::holds),
                better: best
                    .filter(|best| is_unique && *best != capture)
                    .filter(|best| {
                        let other = record.image_source(*best);
                        let other = other.and_then(|other| other.partition(&part.label));
                        other.map(|part| part.blake3) != Some(part.blake3)
                    })
                    .map(|best| format!("better taken from capture {}", record.number_of(best))),
                compared,
                not_read_since: match compared {
                    Compared::NotRead => record.last_change(),
                    Compared::Same | Compared::Differs => None,
                },
                frames,
                bytes,
                against: items
                    .iter()
                    .find(|item| is_final(item))
                    .or_else(|| {
                        // What lies there is captured, and so the way back, by the putting back itself.
                        let own = [Rule::S2, Rule::Q1];
                        let mut open = items.iter().filter(|item| !own.contains(&item.rule));
                        open.find(|item| item.state != veritope_core::seal::ItemState::Met)
                    })
                    .cloned(),
                items,
                refused,
            });
        }
        Ok(plan)
    }

    /// Values of the frames of an image that some capture of this unit holds.
    pub(crate) fn frames_of(
        &self,
        record: &UnitRecord,
        label: &Label,
        image: Digest,
    ) -> Option<Vec<Digest>> {
        record
            .captures
            .iter()
            .filter(|capture| capture.partition(label).is_some_and(|p| p.blake3 == image))
            .find_map(|capture| {
                let manifest = self.manifest_of(record, capture.id).ok()?;
                Some(manifest.partition(label)?.frames.clone())
            })
    }

    fn with_restore_evidence<T>(
        &self,
        record: &UnitRecord,
        family: &Family,
        own: &OwnPartition,
        ask: &Ask<'_>,
        judge: impl FnOnce(&RestoreEvidence<'_>) -> T,
    ) -> T {
        let facts = record.known();
        let policy = self.library.policy();
        let capture = ask.manifest.capture;
        let known: Option<&CaptureFacts> = record.image_source(capture);
        let stock = known.filter(|known| known.origin == Origin::Stock);
        let coverage = stock.map(|_| self.coverage_of(record, family));
        let set = stock.map_or_else(Vec::new, |stock| self.set_findings(record, family, stock));
        let battery = budget::moving(ask.bytes, &facts, family, &policy, self.pen.now());
        judge(&RestoreEvidence {
            family,
            facts: &facts,
            live: None,
            paired: &record.paired,
            own,
            capture: known,
            captures: &record.captures,
            witnessed: Witnessed {
                // `manifest_of` compared the file's digest with the log's.
                manifest: known.map_or_else(|| Digest::of(b""), |known| known.manifest),
                identifiers: &ask.manifest.identifiers,
                mode: ask.manifest.source.mode,
                origin: ask.manifest.source.origin,
            },
            copy: ask.copy,
            present: ask.present,
            coverage: coverage.as_ref(),
            read_back: ReadBack {
                copies: &ask.kept.0,
                away: &ask.kept.1,
                needed: policy.copies,
            },
            set: &set,
            torn: &record.torn,
            battery: &battery,
            now: self.pen.now(),
        })
    }

    /// Puts partitions back from a capture. What lies there now is captured first; only frames that
    /// differ are written; each partition is read back and compared.
    ///
    /// # Errors
    /// When the seal stays closed for a partition (nothing of it is written then), a frame of the
    /// capture is damaged, the unit at the link becomes another one, or the link breaks: the partition
    /// is then named as torn, and the same call finishes it.
    pub fn restore(
        &self,
        unit: UnitId,
        capture: CaptureId,
        labels: &[Label],
        watcher: &dyn Watcher,
    ) -> Result<(), KeepingError> {
        let _changing = self.turns.begin_changing(unit)?;
        let record = self.pen.record(unit)?;
        if record.active_run().is_some_and(|run| run.open.is_some()) {
            return Err(KeepingError::LookFirst);
        }
        if labels.is_empty() {
            return Err(KeepingError::BadInput(
                "name at least one partition".to_owned(),
            ));
        }
        let manifest = self.manifest_of(&record, capture)?;
        // What nothing opens is refused before the unit is touched at all, reading included.
        let family = &*self
            .library
            .family_of(&record)
            .ok_or(KeepingError::NoFamily)?;
        let seen = self.links.observe(unit)?;
        let record = self.pen.record(unit)?;
        let moved: u64 = labels
            .iter()
            .filter_map(|label| manifest.partition(label))
            .map(|part| part.length_bytes)
            .sum();
        // Read for the record, written, read back.
        let bytes = moved.saturating_mul(3);
        let nothing = (Vec::new(), Vec::new());
        for label in labels {
            let own = own_of(&record, label)?;
            let ask = Ask {
                manifest: &manifest,
                copy: None,
                present: Self::present_of(&record, label),
                bytes,
                kept: &nothing,
            };
            let items = self.with_restore_evidence(&record, family, &own, &ask, |evidence| {
                seal::restore_items(&RestoreEvidence {
                    live: Some(&seen.facts),
                    ..*evidence
                })
            });
            let refused: Vec<Item> = items.into_iter().filter(is_final).collect();
            if !refused.is_empty() {
                let rule = list_of(&manifest);
                return Err(self
                    .turns
                    .refuse(unit, format!("put {label} back"), rule, refused)
                    .into());
            }
        }
        drop(seen);
        let present = self.capture_held(
            unit,
            &CaptureKind::Some {
                labels: labels.to_vec(),
            },
            watcher,
        )?;
        let record = self.pen.record(unit)?;
        let present = self.manifest_of(&record, present)?;
        let kept = match manifest.source.origin {
            Origin::Stock => self.read_copies_back(unit, family)?,
            Origin::Read | Origin::Declared => nothing,
        };
        for label in order(&manifest, labels) {
            self.restore_one(unit, &manifest, &present, &kept, bytes, &label, watcher)?;
        }
        Ok(())
    }

    #[expect(
        clippy::too_many_arguments,
        reason = "the parts of one restore, brought together here only"
    )]
    fn restore_one(
        &self,
        unit: UnitId,
        manifest: &Manifest,
        present: &Manifest,
        kept: &(Vec<VerifiedCopy>, Vec<PlaceId>),
        bytes: u64,
        label: &Label,
        watcher: &dyn Watcher,
    ) -> Result<(), KeepingError> {
        let record = self.pen.record(unit)?;
        let family = &*self
            .library
            .family_of(&record)
            .ok_or(KeepingError::NoFamily)?;
        let not_in = || KeepingError::BadInput(format!("the capture holds no {label}"));
        let part = manifest.partition(label).ok_or_else(not_in)?;
        let now = present.partition(label).ok_or_else(not_in)?;
        let own = own_of(&record, label)?;
        let claim = record
            .image_source(manifest.capture)
            .and_then(|known| known.partition(label))
            .map_or(part.blake3, |known| known.blake3);
        let verified = self.verified_copy(part, claim);
        let seen = self.links.observe(unit)?;
        let record = self.pen.record(unit)?;
        let witness = LinkWitness {
            unit,
            live: &seen.facts,
            epoch: seen.state.epoch,
        };
        let ask = Ask {
            manifest,
            copy: verified.as_ref().map(|(_, copy)| copy),
            present: Some(now.blake3),
            bytes,
            kept,
        };
        let permit = self.with_restore_evidence(&record, family, &own, &ask, |evidence| {
            seal::mint_restore(evidence, &witness)
        });
        let permit = match permit {
            Ok(permit) => permit,
            Err(closed) => {
                let rule = list_of(manifest);
                let wanted = format!("put {label} back");
                return Err(self.turns.refuse(unit, wanted, rule, closed.missing).into());
            }
        };
        let (place, _) = verified.ok_or_else(not_in)?;
        let (_, vault) = self.library.open_place(place, Access::Read)?;
        let differing = differing(part, &now.frames);
        let device = self.links.device(&record)?;
        let (effect, chip) = (permit.effect().clone(), permit.chip().clone());
        let list = part.frame_list().ok_or_else(not_in)?;
        let mut moving = Moving {
            what: format!("writing {label}"),
            done_bytes: 0,
            total_bytes: differing
                .iter()
                .map(|n| part.layout().span(*n).1)
                .sum::<u64>()
                + part.length_bytes,
        };
        if !differing.is_empty() {
            self.write_frames(
                unit,
                &device,
                permit,
                effect,
                Some(now.blake3),
                list.clone(),
                &differing,
                |index| Ok(vault.frame(part, index)?),
                &mut moving,
                watcher,
            )?;
        }
        // Read back whole, and compared with the capture frame by frame.
        moving.what = format!("reading {label} back");
        let layout = part.layout();
        let mut unequal = Vec::new();
        for index in 0..layout.count() {
            let (first, count) = layout.span(index);
            let bytes = device.read(label.as_str(), first, count, seen.state.epoch)?;
            moving.done_bytes += count;
            watcher.moving(&moving);
            if !list.admits(index, &bytes) {
                unequal.push(index);
            }
        }
        // Whoever read it back is whoever was written to.
        device.is_still(&chip, seen.state.epoch)?;
        if !unequal.is_empty() {
            return Err(KeepingError::NoBackup {
                rule: Rule::S3,
                text: format!(
                    "{label} reads back otherwise than it was written, in {} frames from {} on: worn storage or a bad cable; take it up again",
                    unequal.len(),
                    unequal[0]
                ),
            });
        }
        let mut entries = vec![Entry::WriteEnded {
            label: label.clone(),
            image: part.blake3,
            shown: WriteShown::ReadBack,
        }];
        entries.extend(self.system_written(unit, label)?);
        Ok(self.pen.append(unit, None, entries)?)
    }

    /// Writes frames through the door, the intent on disk before the first.
    #[expect(
        clippy::too_many_arguments,
        reason = "the parts of one write, brought together here only"
    )]
    fn write_frames(
        &self,
        unit: UnitId,
        device: &DeviceLink,
        permit: Permit,
        effect: Effect,
        before: Option<Digest>,
        list: FrameList,
        frames: &[u64],
        mut bytes_of: impl FnMut(u64) -> Result<Vec<u8>, KeepingError>,
        moving: &mut Moving,
        watcher: &dyn Watcher,
    ) -> Result<(), KeepingError> {
        let open = device.open_write(permit, list)?;
        self.pen
            .append(unit, None, vec![Entry::WriteBegan { effect, before }])?;
        watcher.moving(moving);
        for index in frames {
            let bytes = bytes_of(*index)?;
            open.put(*index, &bytes)?;
            moving.done_bytes += bytes.len() as u64;
            watcher.moving(moving);
        }
        Ok(())
    }

    /// The evidence list for writing a recovery, with the image hashed where it lies.
    pub(crate) fn write_list(&self, record: &UnitRecord, sheet: &Sheet) -> Vec<Item> {
        let Some(family) = self.library.family_of(record) else {
            return Vec::new();
        };
        let family = &*family;
        let nothing = (Vec::new(), Vec::new());
        self.with_write_evidence(record, family, sheet, &nothing, None, seal::write_items)
    }

    fn with_write_evidence<T>(
        &self,
        record: &UnitRecord,
        family: &Family,
        sheet: &Sheet,
        kept: &(Vec<VerifiedCopy>, Vec<PlaceId>),
        seen: Option<&Seen>,
        judge: impl FnOnce(&WriteEvidence<'_>) -> T,
    ) -> T {
        let facts = record.known();
        let policy = self.library.policy();
        let coverage = self.coverage_of(record, family);
        let battery = budget::battery(sheet, &facts, family, &policy, self.pen.now());
        let image = self.library.shelf.recovery_for(family).ok().flatten();
        let label = family
            .recovery_write
            .as_ref()
            .map(|spec| spec.partition.clone());
        // For showing, the judgement that the shelf keeps until the file changes is enough; for
        // minting the caller has hashed the very bytes that it will send.
        let shown;
        let seen = match (seen, &image) {
            (Some(seen), _) => Some(seen),
            (None, Some(image)) => {
                shown = read_seen(&image.path).ok().map(|(_, seen)| seen);
                shown.as_ref()
            }
            (None, None) => None,
        };
        judge(&WriteEvidence {
            family,
            facts: &facts,
            label: label.as_ref(),
            findings: image.as_ref().map_or(&[][..], |image| &image.findings),
            seen,
            published: image
                .as_ref()
                .and_then(|image| image.published)
                .map(Claimed),
            coverage: &coverage,
            battery: &battery,
            torn: &record.torn,
            read_back: ReadBack {
                copies: &kept.0,
                away: &kept.1,
                needed: policy.copies,
            },
            now: self.pen.now(),
        })
    }

    /// Writes the recovery of a run's step.
    pub(crate) fn write_recovery(
        &self,
        unit: UnitId,
        run: &RunRecord,
        seen: &Observation,
        title: &str,
        begin: impl FnOnce() -> Result<(), DeskError>,
        watcher: &dyn Watcher,
    ) -> Result<(), KeepingError> {
        let record = self.pen.record(unit)?;
        let family = &*self
            .library
            .family_of(&record)
            .ok_or(KeepingError::NoFamily)?;
        let (bytes, hashed) = self.library.judged_image(family, run.image)?;
        let kept = self.read_copies_back(unit, family)?;
        let record = self.pen.record(unit)?;
        let witness = LinkWitness {
            unit,
            live: &seen.facts,
            epoch: seen.state.epoch,
        };
        let permit = self.with_write_evidence(
            &record,
            family,
            &run.sheet,
            &kept,
            Some(&hashed),
            |evidence| seal::mint_write(evidence, &witness),
        );
        let permit = match permit {
            Ok(permit) => permit,
            Err(closed) => {
                return Err(self
                    .turns
                    .refuse(unit, title.to_owned(), Rule::G4, closed.missing)
                    .into());
            }
        };
        let (effect, chip) = (permit.effect().clone(), permit.chip().clone());
        let Some((label, digest)) = effect.writes().map(|(label, image)| (label.clone(), image))
        else {
            return Err(KeepingError::NoStep);
        };
        let before = record
            .captures
            .iter()
            .filter_map(|capture| Some((capture.taken.order(), capture.partition(&label)?.blake3)))
            .max_by_key(|(taken, _)| *taken)
            .map(|(_, digest)| digest);
        begin()?;
        let device = self.links.device(&record)?;
        let list = FrameList::of(&bytes);
        let frames: Vec<u64> = (0..list.layout().count()).collect();
        let layout = list.layout();
        let mut moving = Moving {
            what: format!("writing {label}"),
            done_bytes: 0,
            total_bytes: bytes.len() as u64,
        };
        self.write_frames(
            unit,
            &device,
            permit,
            effect,
            before,
            list,
            &frames,
            |index| {
                let (first, count) = layout.span(index);
                let range = usize::try_from(first)
                    .ok()
                    .zip(usize::try_from(first + count).ok())
                    .and_then(|(first, end)| bytes.get(first..end));
                range.map(<[u8]>::to_vec).ok_or(KeepingError::NoStep)
            },
            &mut moving,
            watcher,
        )?;
        device.is_still(&chip, seen.state.epoch)?;
        // The device reported every frame; that the recovery runs is for the next step to show.
        let kind = FactValue::parse(FactKey::Recovery, "custom")?;
        Ok(self.pen.append(
            unit,
            None,
            vec![
                Entry::WriteEnded {
                    label,
                    image: digest,
                    shown: WriteShown::Reported,
                },
                Entry::happened(Happening::RecoveryWritten, self.pen.now()),
                Entry::Facts {
                    facts: vec![self.pen.row(
                        FactKey::Recovery,
                        kind,
                        Source::Concluded,
                        self.pen.now(),
                    )],
                },
            ],
        )?)
    }
}

impl Keeping {
    /// What was read of build and generation is no longer so once a partition was written that
    /// they are read from (`K5`).
    fn system_written(&self, unit: UnitId, label: &Label) -> Result<Option<Entry>, KeepingError> {
        let family = self.library.family_of(&*self.pen.record(unit)?);
        let role = family.and_then(|family| family.partition(label).map(|part| part.role));
        let happening = match role {
            Some(Role::Os | Role::Boot | Role::BootChain | Role::RadioFirmware) => {
                Some(Happening::SystemWritten)
            }
            Some(Role::Recovery) => Some(Happening::RecoveryWritten),
            _ => None,
        };
        Ok(happening.map(|happening| Entry::happened(happening, self.pen.now())))
    }
}

/// The list that putting this back needs: the unit's own bytes, or its maker's.
fn list_of(manifest: &Manifest) -> Rule {
    match manifest.source.origin {
        Origin::Stock => Rule::G4,
        _ => Rule::G7,
    }
}

/// Whether nothing that a person could do would open this line.
fn is_final(item: &Item) -> bool {
    item.state == veritope_core::seal::ItemState::Missing
        && match item.rule {
            Rule::E4
            | Rule::S1
            | Rule::S4
            | Rule::S5
            | Rule::B5
            | Rule::M1
            | Rule::M2
            | Rule::W1 => true,
            // Roles that are not put back; a torn partition has a cure.
            Rule::S3 => item.cure.is_none(),
            _ => false,
        }
}

/// Frames of `part` that are not what lies there.
fn differing(part: &Captured, now: &[Digest]) -> Vec<u64> {
    part.frames
        .iter()
        .zip(0..)
        .filter(|(value, n)| {
            let n: u64 = *n;
            usize::try_from(n).ok().and_then(|n| now.get(n)) != Some(*value)
        })
        .map(|(_, n)| n)
        .collect()
}

/// The order of writing (`S3`): radio, system, then what starts it, what exists once last.
fn order(manifest: &Manifest, labels: &[Label]) -> Vec<Label> {
    let mut ordered: Vec<(u8, &Captured)> = manifest
        .partitions
        .iter()
        .filter(|part| labels.contains(&part.label))
        .map(|part| {
            let place = match part.role {
                Some(Role::RadioFirmware) => 0,
                Some(Role::Os) => 1,
                Some(Role::Boot | Role::Recovery | Role::Overlay | Role::Verification) => 2,
                Some(Role::DeviceUnique) => 4,
                _ => 3,
            };
            (place, part)
        })
        .collect();
    ordered.sort_by_key(|(place, part)| (*place, part.offset_bytes));
    ordered
        .into_iter()
        .map(|(_, part)| part.label.clone())
        .collect()
}

fn own_of(record: &UnitRecord, label: &Label) -> Result<OwnPartition, KeepingError> {
    record
        .own
        .iter()
        .flatten()
        .find(|own| own.label == *label)
        .cloned()
        .ok_or_else(|| {
            KeepingError::BadInput(format!("the unit's own table has no partition {label}"))
        })
}
