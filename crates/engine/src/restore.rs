//! Putting partitions back from a capture (JOB 9): the present state captured first, only what
//! differs written, read back and compared. Also the one other write of this version, a recovery
//! image, since both end at the same door.

use veritope_core::budget;
use veritope_core::coverage::{CaptureFacts, Origin, VerifiedCopy};
use veritope_core::digest::{Claimed, FrameList, Seen};
use veritope_core::facts::{FactKey, FactValue, Happening, Source};
use veritope_core::family::{Family, Role};
use veritope_core::partitions::OwnPartition;
use veritope_core::plan::Sheet;
use veritope_core::seal::{
    self, Effect, Item, LinkWitness, Permit, RestoreEvidence, Witnessed, WriteEvidence,
};
use veritope_link::DeviceLink;
use veritope_vault::{Access, Captured, Manifest};
use veritope_wire::{CaptureId, Digest, Label, UnitId};

use crate::bench::Engine;
use crate::error::EngineError;
use crate::reading::{CaptureKind, Moving};
use crate::record::{Entry, WriteShown};
use crate::run::Watcher;
use crate::shelf::read_seen;
use crate::unit::{RunRecord, UnitRecord};
use crate::watch::Observation;

/// What putting a capture back would do to one partition.
#[derive(Debug, Clone, PartialEq, Eq, serde::Serialize, utoipa::ToSchema)]
pub struct RestoreRow {
    /// The partition.
    pub label: Label,
    /// Whether it is one of those that a person most likely means: it exists once, and differs.
    pub suggested: bool,
    /// How it compares with what lies there now.
    pub compared: Compared,
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
}

impl Engine {
    /// What is known to lie in a partition now: the newest capture of it, or what was written
    /// since; nothing when the system ran or another write came after.
    pub(crate) fn present_of(record: &UnitRecord, label: &Label) -> Option<Digest> {
        use veritope_core::facts::Happening;
        let ran = record.known().last(Happening::SystemRan);
        let written = record
            .written
            .iter()
            .find(|written| written.label == *label);
        let captured = record
            .captures
            .iter()
            .filter_map(|capture| Some((capture.taken, capture.partition(label)?.blake3)))
            .max_by_key(|(taken, _)| *taken);
        if record.torn.iter().any(|torn| torn.label == *label) {
            return None;
        }
        let newest = match (written, captured) {
            (Some(written), Some((taken, _))) if written.at > taken => {
                Some((written.at, written.image))
            }
            (Some(written), None) => Some((written.at, written.image)),
            (_, captured) => captured,
        };
        newest
            .filter(|(at, _)| ran.is_none_or(|ran| ran < *at))
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
    ) -> Result<RestorePlan, EngineError> {
        let record = self.record(unit)?;
        let family = &*self.family_of(&record).ok_or(EngineError::NoFamily)?;
        let manifest = self.manifest_of(&record, capture)?;
        let mut plan = RestorePlan {
            capture,
            rows: Vec::new(),
            writes: Vec::new(),
            bytes: 0,
        };
        let own = record.own.clone().unwrap_or_default();
        for part in manifest
            .partitions
            .iter()
            .filter(|part| part.role.is_some())
        {
            let Some(own) = own.iter().find(|own| own.label == part.label) else {
                continue;
            };
            let present = Self::present_of(&record, &part.label);
            let items = self.with_restore_evidence(
                &record,
                family,
                own,
                &manifest,
                capture,
                None,
                present,
                seal::restore_items,
            );
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
            plan.rows.push(RestoreRow {
                label: part.label.clone(),
                suggested: !refused
                    && compared == Compared::Differs
                    && part.role == Some(Role::DeviceUnique),
                compared,
                frames,
                bytes,
                against: items
                    .iter()
                    .find(|item| is_final(item))
                    .or_else(|| {
                        let own = veritope_core::rule::Rule::S2;
                        let mut open = items.iter().filter(|item| item.rule != own);
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

    #[expect(
        clippy::too_many_arguments,
        reason = "the parts of one judgement, brought together here only"
    )]
    fn with_restore_evidence<T>(
        &self,
        record: &UnitRecord,
        family: &Family,
        own: &OwnPartition,
        manifest: &Manifest,
        capture: CaptureId,
        copy: Option<&VerifiedCopy>,
        present: Option<Digest>,
        judge: impl FnOnce(&RestoreEvidence<'_>) -> T,
    ) -> T {
        let facts = record.known();
        let known: Option<&CaptureFacts> = record.image_source(capture);
        let stock = known.filter(|known| known.origin == Origin::Stock);
        let coverage = stock.map(|_| self.coverage_of(record, family));
        let set = stock.map_or_else(Vec::new, |stock| self.set_findings(record, family, stock));
        let charge = budget::charge_now(&facts, family, self.now());
        judge(&RestoreEvidence {
            family,
            facts: &facts,
            own,
            capture: known,
            witnessed: Witnessed {
                // `manifest_of` compared the file's digest with the log's.
                manifest: known.map_or_else(|| Digest::of(b""), |known| known.manifest),
                identifiers: &manifest.identifiers,
                origin: manifest.source.origin,
            },
            copy,
            present,
            coverage: coverage.as_ref(),
            set: &set,
            torn: &record.torn,
            charge: charge.as_ref(),
            now: self.now(),
        })
    }

    /// Puts partitions back from a capture. What lies there now is captured first; only frames that
    /// differ are written; each partition is read back and compared.
    ///
    /// # Errors
    /// When the seal stays closed for a partition (nothing of it is written then), a frame of the
    /// capture is damaged, or the link breaks: the partition is then named as torn, and the same
    /// call finishes it.
    pub fn restore(
        &self,
        unit: UnitId,
        capture: CaptureId,
        labels: &[Label],
        watcher: &dyn Watcher,
    ) -> Result<(), EngineError> {
        let _changing = self.begin_changing(unit)?;
        let record = self.record(unit)?;
        if record.active_run().is_some_and(|run| run.open.is_some()) {
            return Err(EngineError::LookFirst);
        }
        if labels.is_empty() {
            return Err(EngineError::BadInput(
                "name at least one partition".to_owned(),
            ));
        }
        let manifest = self.manifest_of(&record, capture)?;
        // What nothing opens is refused before the unit is touched at all, reading included.
        let family = &*self.family_of(&record).ok_or(EngineError::NoFamily)?;
        let seen = self.observe(unit)?;
        let record = self.record(unit)?;
        for label in labels {
            let own = own_of(&record, label)?;
            let items = self.with_restore_evidence(
                &record,
                family,
                &own,
                &manifest,
                capture,
                None,
                None,
                seal::restore_items,
            );
            let refused: Vec<Item> = items.into_iter().filter(is_final).collect();
            if !refused.is_empty() {
                let rule = list_of(&manifest);
                return Err(self.refuse_write(unit, format!("put {label} back"), rule, refused)?);
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
        let present = {
            let record = self.record(unit)?;
            self.manifest_of(&record, present)?
        };
        for label in order(&manifest, labels) {
            self.restore_one(unit, &manifest, &present, &label, watcher)?;
        }
        Ok(())
    }

    fn restore_one(
        &self,
        unit: UnitId,
        manifest: &Manifest,
        present: &Manifest,
        label: &Label,
        watcher: &dyn Watcher,
    ) -> Result<(), EngineError> {
        let record = self.record(unit)?;
        let family = &*self.family_of(&record).ok_or(EngineError::NoFamily)?;
        let not_in = || EngineError::BadInput(format!("the capture holds no {label}"));
        let part = manifest.partition(label).ok_or_else(not_in)?;
        let now = present.partition(label).ok_or_else(not_in)?;
        let own = own_of(&record, label)?;
        let claim = record
            .image_source(manifest.capture)
            .and_then(|known| known.partition(label))
            .map_or(part.blake3, |known| known.blake3);
        let verified = self.verified_copy(part, claim);
        let seen = self.observe(unit)?;
        let record = self.record(unit)?;
        let witness = LinkWitness {
            unit,
            live: &seen.facts,
            epoch: seen.state.epoch,
        };
        let permit = self.with_restore_evidence(
            &record,
            family,
            &own,
            manifest,
            manifest.capture,
            verified.as_ref().map(|(_, copy)| copy),
            Some(now.blake3),
            |evidence| seal::mint_restore(evidence, &witness),
        );
        let permit = match permit {
            Ok(permit) => permit,
            Err(closed) => {
                let rule = list_of(manifest);
                let wanted = format!("put {label} back");
                return Err(self.refuse_write(unit, wanted, rule, closed.missing)?);
            }
        };
        let (place, _) = verified.ok_or_else(not_in)?;
        let (_, vault) = self.open_place(place, Access::Read)?;
        let differing = differing(part, &now.frames);
        let device = self.device(&record)?;
        let effect = permit.effect().clone();
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
                family,
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
        if !unequal.is_empty() {
            return Err(EngineError::NoBackup {
                rule: veritope_core::rule::Rule::S3,
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
        self.append(unit, None, entries)
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
        family: &Family,
        permit: Permit,
        effect: Effect,
        before: Option<Digest>,
        list: FrameList,
        frames: &[u64],
        mut bytes_of: impl FnMut(u64) -> Result<Vec<u8>, EngineError>,
        moving: &mut Moving,
        watcher: &dyn Watcher,
    ) -> Result<(), EngineError> {
        let identity = hardware_key(family);
        let open = device.open_write(permit, identity, list)?;
        self.append(unit, None, vec![Entry::WriteBegan { effect, before }])?;
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
        let Some(family) = self.family_of(record) else {
            return Vec::new();
        };
        let family = &*family;
        self.with_write_evidence(record, family, sheet, &[], None, seal::write_items)
    }

    fn with_write_evidence<T>(
        &self,
        record: &UnitRecord,
        family: &Family,
        sheet: &Sheet,
        copies: &[VerifiedCopy],
        seen: Option<&Seen>,
        judge: impl FnOnce(&WriteEvidence<'_>) -> T,
    ) -> T {
        let facts = record.known();
        let coverage = self.coverage_of(record, family);
        let battery = budget::battery(sheet, &facts, family, &self.policy(), self.now());
        let image = self.shelf.recovery_for(family).ok().flatten();
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
            copies,
            now: self.now(),
        })
    }

    /// Writes the recovery of a run's step.
    pub(crate) fn write_recovery(
        &self,
        unit: UnitId,
        run: &RunRecord,
        seen: &Observation,
        title: &str,
        begin: impl FnOnce() -> Result<(), EngineError>,
        watcher: &dyn Watcher,
    ) -> Result<(), EngineError> {
        let record = self.record(unit)?;
        let family = &*self.family_of(&record).ok_or(EngineError::NoFamily)?;
        let image = self
            .shelf
            .recovery_for(family)
            .map_err(|error| EngineError::Shelf(error.to_string()))?
            .ok_or_else(|| {
                EngineError::Shelf("the recovery image is no longer on the shelf".to_owned())
            })?;
        let (bytes, hashed) = read_seen(&image.path)
            .map_err(|error| EngineError::Shelf(format!("{}: {error}", image.name)))?;
        let coverage = self.coverage_of(&record, family);
        let copies = self.fresh_copies(&record, &coverage);
        let witness = LinkWitness {
            unit,
            live: &seen.facts,
            epoch: seen.state.epoch,
        };
        let permit = self.with_write_evidence(
            &record,
            family,
            &run.sheet,
            &copies,
            Some(&hashed),
            |evidence| seal::mint_write(evidence, &witness),
        );
        let permit = match permit {
            Ok(permit) => permit,
            Err(closed) => {
                return Err(self.refuse_write(
                    unit,
                    title.to_owned(),
                    veritope_core::rule::Rule::G4,
                    closed.missing,
                )?);
            }
        };
        let effect = permit.effect().clone();
        let Some((label, digest)) = effect.writes().map(|(label, image)| (label.clone(), image))
        else {
            return Err(EngineError::NoStep);
        };
        let before = record
            .captures
            .iter()
            .filter_map(|capture| Some((capture.taken, capture.partition(&label)?.blake3)))
            .max_by_key(|(taken, _)| *taken)
            .map(|(_, digest)| digest);
        begin()?;
        let device = self.device(&record)?;
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
            family,
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
                range.map(<[u8]>::to_vec).ok_or(EngineError::NoStep)
            },
            &mut moving,
            watcher,
        )?;
        // The device reported every frame; that the recovery runs is for the next step to show.
        let kind = FactValue::parse(FactKey::Recovery, "custom")?;
        self.append(
            unit,
            None,
            vec![
                Entry::WriteEnded {
                    label,
                    image: digest,
                    shown: WriteShown::Reported,
                },
                Entry::happened(Happening::RecoveryWritten, self.now()),
                Entry::Facts {
                    facts: vec![self.row(FactKey::Recovery, kind, Source::Concluded, self.now())],
                },
            ],
        )
    }
}

impl Engine {
    /// What was read of build and generation is no longer so once a partition was written that
    /// they are read from (`K5`).
    fn system_written(&self, unit: UnitId, label: &Label) -> Result<Option<Entry>, EngineError> {
        let family = self.family_of(&self.record(unit)?);
        let role = family.and_then(|family| family.partition(label).map(|part| part.role));
        let happening = match role {
            Some(Role::Os | Role::Boot | Role::BootChain | Role::RadioFirmware) => {
                Some(Happening::SystemWritten)
            }
            Some(Role::Recovery) => Some(Happening::RecoveryWritten),
            _ => None,
        };
        Ok(happening.map(|happening| Entry::happened(happening, self.now())))
    }
}

/// The list that putting this back needs: the unit's own bytes, or its maker's.
fn list_of(manifest: &Manifest) -> veritope_core::rule::Rule {
    match manifest.source.origin {
        Origin::Stock => veritope_core::rule::Rule::G4,
        _ => veritope_core::rule::Rule::G7,
    }
}

/// Whether nothing that a person could do would open this line.
fn is_final(item: &Item) -> bool {
    use veritope_core::rule::Rule;
    item.state == veritope_core::seal::ItemState::Missing
        && match item.rule {
            Rule::S1 | Rule::S4 | Rule::S5 | Rule::B5 | Rule::M1 | Rule::M2 | Rule::W1 => true,
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

fn own_of(record: &UnitRecord, label: &Label) -> Result<OwnPartition, EngineError> {
    record
        .own
        .iter()
        .flatten()
        .find(|own| own.label == *label)
        .cloned()
        .ok_or_else(|| {
            EngineError::BadInput(format!("the unit's own table has no partition {label}"))
        })
}

/// The fact that no erase reaches.
pub(crate) fn hardware_key(family: &Family) -> FactKey {
    family
        .identifiers
        .iter()
        .find(|id| id.hardware)
        .map_or(FactKey::ChipId, |id| id.key)
}
