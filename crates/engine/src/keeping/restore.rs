//! Putting partitions back from a capture (JOB 9): the present state captured first, only what
//! differs written, read back and compared, by the same unit. Also the one other write of this version,
//! a recovery image, since both end at the same door.

use veritope_core::act::{Act, Ground, ImageOf, PutBack, PutStock, Standpoint, list};
use veritope_core::budget;
use veritope_core::coverage::{Living, Origin, VerifiedCopy, WriteShown};
use veritope_core::digest::FrameList;
use veritope_core::dossier::{Dossier, Put, Witnessed};
use veritope_core::evidence::Line;
use veritope_core::facts::{FactKey, FactValue, Source};
use veritope_core::family::Wanted;
use veritope_core::family::{Changes, Chip, Family, Role};
use veritope_core::matching::{Finding, Told, version_of};
use veritope_core::partitions::{OwnPartition, role_of};
use veritope_core::permission::Permission;
use veritope_core::plan::due::in_the_way;
use veritope_core::present::{Held, in_turn, present};
use veritope_core::rule::Rule;
use veritope_core::worth;
use veritope_link::{DeviceLink, OpenWrite, Permit};
use veritope_vault::{Access, Captured, Manifest};
use veritope_wire::link::{Epoch, Spot};
use veritope_wire::{BenchTime, CaptureId, Digest, Label, UnitId};

use crate::desk::record::Entry;
use crate::desk::unit::{RunRecord, UnitRecord};
use crate::keeping::Keeping;
use crate::keeping::KeepingError;
use crate::keeping::change::{Change, Kept};
use crate::keeping::known::{Depth, Known};
use crate::keeping::reading::CaptureKind;
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
    #[serde(rename = "items")]
    pub lines: Vec<Line>,
    /// Whether anything on the list refuses for good.
    pub refused: bool,
    /// Whether it may be chosen.
    pub choose: Permission,
    /// The line that stands against it now, that for good first; what the putting back itself brings
    /// (`S2`) is not counted.
    pub against: Option<Line>,
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
    /// Whether anything of it may be put back now.
    pub restore: Permission,
}

/// One partition of a capture that is to be put back.
struct Wish<'a> {
    manifest: &'a Manifest,
    own: &'a OwnPartition,
    part: &'a Captured,
    copy: Option<&'a VerifiedCopy>,
    present: Option<Digest>,
    set: &'a [Finding],
}

impl Wish<'_> {
    /// The act that it comes to: the unit's own bytes, or its maker's.
    fn act(&self) -> Act {
        let label = self.own.label.clone();
        let image = Some(self.part.blake3);
        match self.manifest.source.origin {
            Origin::Stock => PutStock {
                label,
                set: self.manifest.capture,
                image,
            }
            .into(),
            Origin::Read | Origin::Declared => PutBack {
                label,
                capture: self.manifest.capture,
                image,
            }
            .into(),
        }
    }

    /// What its list reads of it.
    fn put<'a>(&'a self, record: &'a UnitRecord) -> Put<'a> {
        let known = record.image_source(self.manifest.capture);
        Put {
            own: self.own,
            capture: known,
            witnessed: Witnessed {
                // `manifest_of` compared the file's digest with the log's.
                manifest: known.map_or_else(|| Digest::of(b""), |known| known.manifest),
                identifiers: &self.manifest.identifiers,
                mode: self.manifest.source.mode,
                origin: self.manifest.source.origin,
            },
            copy: self.copy,
            present: self.present,
            set: self.set,
        }
    }
}

impl Keeping {
    /// What is known to lie in a partition now: what was read of it, or written and read back, since
    /// anything could last have changed it; nothing otherwise.
    pub(crate) fn present_of(record: &UnitRecord, label: &Label) -> Option<Digest> {
        let held = Held {
            torn: &record.torn,
            written: &record.written,
            captures: &record.captures,
            happened: &record.happened,
        };
        present(held, label)
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
        let shared = self.family_of(&record)?;
        let family = &*shared;
        let manifest = self.manifest_of(&record, capture)?;
        let set = self.set_of(&record, family, capture);
        let mut plan = RestorePlan {
            capture,
            rows: Vec::new(),
            writes: Vec::new(),
            bytes: 0,
            read: None,
            restore: self.may_move(&record).into(),
        };
        let facts = record.known();
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
            let wish = Wish {
                manifest: &manifest,
                own,
                part,
                copy: None,
                present,
                set: &set,
            };
            let known = self.known(&record, shared.clone(), record.known(), Depth::List);
            let known = known.carrying(budget::moving(3 * part.length_bytes, family));
            let lines = lines(&known, &record, &wish, None);
            let refused = lines.iter().any(is_final);
            let now = present.and_then(|digest| self.frames_of(&record, &part.label, digest));
            let (compared, frames, bytes) = match (present, now) {
                (Some(digest), _) if digest == part.blake3 => (Compared::Same, 0, 0),
                (Some(_), Some(now)) => {
                    let differing = differing(&part.frames, &now);
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
                let is_system = part
                    .role
                    .is_some_and(|role| role.spec().wanted == Wanted::InFull);
                plan.read = match (&plan.read, is_system) {
                    (Some(CaptureKind::Full), _) | (_, true) => Some(CaptureKind::Full),
                    _ => Some(CaptureKind::Quick),
                };
            }
            let is_unique = part.role == Some(Role::DeviceUnique);
            let (_, changes) = role_of(family, &part.label);
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
            let against = lines
                .iter()
                .find(|line| is_final(line))
                .or_else(|| {
                    // What lies there is captured, and so the way back, by the putting back itself.
                    let mut open = in_the_way(&lines).into_iter();
                    open.find(|line| line.rule != Rule::Q1)
                })
                .cloned();
            plan.rows.push(RestoreRow {
                label: part.label.clone(),
                choose: match (&against, compared) {
                    (Some(line), _) if refused => {
                        Permission::no(line.text.clone(), Some(line.rule))
                    }
                    (_, Compared::Differs) => Permission::yes(),
                    (_, Compared::Same) => Permission::no("The same bytes lie there.", None),
                    (_, Compared::NotRead) => {
                        Permission::no("It is captured first, to compare.", None)
                    }
                },
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
                against,
                lines,
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

    /// What is found of a set of the maker's, where `capture` is one.
    fn set_of(&self, record: &UnitRecord, family: &Family, capture: CaptureId) -> Vec<Finding> {
        let known = record.image_source(capture);
        let stock = known.filter(|known| known.origin == Origin::Stock);
        stock.map_or_else(Vec::new, |stock| self.set_findings(record, family, stock))
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
        let family = self.family_of(&record)?;
        let seen = self.links.observe(unit)?;
        let record = self.pen.record(unit)?;
        let moved: u64 = labels
            .iter()
            .filter_map(|label| manifest.partition(label))
            .map(|part| part.length_bytes)
            .sum();
        // Read for the record, written, read back.
        let bytes = moved.saturating_mul(3);
        let set = self.set_of(&record, &family, capture);
        for label in labels {
            let own = own_of(&record, label)?;
            let part = manifest
                .partition(label)
                .ok_or_else(|| KeepingError::BadInput(format!("the capture holds no {label}")))?;
            let wish = Wish {
                manifest: &manifest,
                own: &own,
                part,
                copy: None,
                present: Self::present_of(&record, label),
                set: &set,
            };
            let known = self.known(&record, family.clone(), record.known(), Depth::List);
            let known = known.carrying(budget::moving(bytes, &family));
            let lines = lines(&known, &record, &wish, Some(&seen.facts));
            let refused: Vec<Line> = lines.into_iter().filter(is_final).collect();
            if !refused.is_empty() {
                let rule = wish.act().rule(&known.dossier());
                let wanted = format!("put {label} back");
                return Err(self.turns.refuse(unit, wanted, rule, refused).into());
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
            Origin::Stock => Some(self.read_copies_back(unit, &family, Living::AsNow)?),
            Origin::Read | Origin::Declared => None,
        };
        for label in order(&manifest, labels) {
            let of = (&manifest, &present);
            self.restore_one(unit, of, kept.as_ref(), bytes, &label, watcher)?;
        }
        Ok(())
    }

    fn restore_one(
        &self,
        unit: UnitId,
        (manifest, present): (&Manifest, &Manifest),
        kept: Option<&Kept>,
        bytes: u64,
        label: &Label,
        watcher: &dyn Watcher,
    ) -> Result<(), KeepingError> {
        let record = self.pen.record(unit)?;
        let family = self.family_of(&record)?;
        let not_in = || KeepingError::BadInput(format!("the capture holds no {label}"));
        let part = manifest.partition(label).ok_or_else(not_in)?;
        let now = present.partition(label).ok_or_else(not_in)?;
        let own = own_of(&record, label)?;
        let claim = record
            .image_source(manifest.capture)
            .and_then(|known| known.partition(label))
            .map_or(part.blake3, |known| known.blake3);
        let verified = self.verified_copy(part, claim);
        let set = self.set_of(&record, &family, manifest.capture);
        let wish = Wish {
            manifest,
            own: &own,
            part,
            copy: verified.as_ref().map(|(_, copy)| copy),
            present: Some(now.blake3),
            set: &set,
        };
        let act = wish.act();
        let title = format!("put {label} back");
        let list = part.frame_list().ok_or_else(not_in)?;
        let change = Change {
            unit,
            act: act.clone(),
            title: &title,
            payload: Some(list.image()),
            seen: None,
            set: None,
            made: None,
            load: budget::moving(bytes, &family),
            consents: &[],
            put: Some(wish.put(&record)),
            kept,
            request: None,
        };
        let differing = differing(&part.frames, &now.frames);
        let begun = || {
            let before = Some(now.blake3);
            let act = act.clone();
            // What is the same already is only read back.
            let writes = (!differing.is_empty()).then_some(Entry::WriteBegan { act, before });
            writes.into_iter().collect()
        };
        self.change(&change, begun, |device, permit| {
            let (place, _) = verified.as_ref().ok_or_else(not_in)?;
            let (_, vault) = self.library.open_place(*place, Access::Read)?;
            let bytes_of = |index| Ok(vault.frame(part, index)?);
            lay(device, permit, (now, &list), &differing, bytes_of, watcher)
        })?;
        let mut entries = vec![Entry::WriteEnded {
            label: label.clone(),
            image: part.blake3,
            shown: WriteShown::ReadBack,
        }];
        entries.extend(self.left_by(&act, &family)?);
        Ok(self.pen.append(unit, None, entries)?)
    }

    /// Writes the image of a run's step, whole.
    pub(crate) fn write_image(
        &self,
        run: &RunRecord,
        change: &Change<'_>,
        intent: &Entry,
        bytes: &[u8],
        watcher: &dyn Watcher,
    ) -> Result<(), KeepingError> {
        let unit = change.unit;
        let record = self.pen.record(unit)?;
        let family = self.family_of(&record)?;
        let (Some(part), Some(digest)) = (change.act.part(), change.payload) else {
            return Err(KeepingError::NoStep);
        };
        let label = part.label;
        let before = record
            .captures
            .iter()
            .filter_map(|capture| Some((capture.taken.order(), capture.partition(label)?.blake3)))
            .max_by_key(|(taken, _)| *taken)
            .map(|(_, digest)| digest);
        let list = FrameList::of(bytes);
        let frames: Vec<u64> = (0..list.layout().count()).collect();
        let mut moving = Moving {
            what: format!("writing {label}"),
            done_bytes: 0,
            total_bytes: bytes.len() as u64,
        };
        let begun = || {
            let act = change.act.clone();
            vec![intent.clone(), Entry::WriteBegan { act, before }]
        };
        tracing::debug!(run = ?run.id, %label, "writing an image");
        self.change(change, begun, |device, permit| {
            let (chip, epoch) = (permit.chip().cloned(), permit.epoch());
            let open = device.open(permit, list.clone())?;
            let bytes_of = |index| frame_in(bytes, &list, index);
            write_frames(&open, &frames, bytes_of, &mut moving, watcher)?;
            still(device, chip.as_ref(), epoch)
        })?;
        // The device reported every frame; that what was written runs is for the next step to show.
        let mut entries = vec![Entry::WriteEnded {
            label: label.clone(),
            image: digest,
            shown: WriteShown::Reported,
        }];
        entries.extend(self.left_by(&change.act, &family)?);
        Ok(self.pen.append(unit, None, entries)?)
    }

    /// The version that the file on the shelf gives itself which an act writes as a unit's recovery.
    fn version_of(&self, act: &Act, family: &Family) -> Option<String> {
        let is_chosen = act.image_of() == Some(ImageOf::TheChosen);
        let is_written = is_chosen && !act.lands_on(family).is_empty();
        let image = act.image().filter(|_| is_written)??;
        version_in(&*self.library.shelf.told(image).ok()?)
    }

    /// What an act that is through leaves behind: what facts were read from is another one, or gone
    /// (`K5`).
    pub(crate) fn left_by(&self, act: &Act, family: &Family) -> Result<Vec<Entry>, KeepingError> {
        let brings = act.brings(family);
        let at = self.pen.now();
        let happened = brings.happened.into_iter();
        let mut entries: Vec<Entry> = happened.map(|what| Entry::happened(what, at)).collect();
        let mut facts = Vec::new();
        for (key, value) in brings.facts {
            let value = FactValue::parse(key, &value)?;
            facts.push(self.pen.row(key, value, Source::Concluded, self.pen.now()));
        }
        // By its own word, since the bytes are the ones that were judged (K2, M11).
        let version = self.version_of(act, family).and_then(|version| {
            let value = FactValue::parse(FactKey::RecoveryVersion, &version);
            value.ok()
        });
        let version = version.map(|value| (FactKey::RecoveryVersion, value));
        facts.extend(
            version.map(|(key, value)| self.pen.row(key, value, Source::Concluded, self.pen.now())),
        );
        if !facts.is_empty() {
            entries.push(Entry::Facts { facts });
        }
        Ok(entries)
    }
}

/// The version that a file gives itself, or what lies in it.
fn version_in(told: &Told) -> Option<String> {
    let mut inside = told.inside.iter();
    version_of(told)
        .map(str::to_owned)
        .or_else(|| inside.find_map(|piece| version_in(&piece.told)))
}

/// Lays an image over what was captured of a partition: the frames that differ go out, and all of it is read back
/// and compared.
pub(crate) fn lay(
    device: &DeviceLink,
    permit: Permit,
    (now, list): (&Captured, &FrameList),
    differing: &[u64],
    bytes_of: impl FnMut(u64) -> Result<Vec<u8>, KeepingError>,
    watcher: &dyn Watcher,
) -> Result<(), KeepingError> {
    let (chip, epoch) = (permit.chip().cloned(), permit.epoch());
    let (label, layout) = (&now.label, list.layout());
    let written: u64 = differing.iter().map(|n| layout.span(*n).1).sum();
    let mut moving = Moving {
        what: format!("writing {label}"),
        done_bytes: 0,
        total_bytes: written + now.length_bytes,
    };
    if !differing.is_empty() {
        let open = device.open(permit, list.clone())?;
        write_frames(&open, differing, bytes_of, &mut moving, watcher)?;
    }
    moving.what = format!("reading {label} back");
    // Where the unit's own table has it now, which may be elsewhere than it was.
    let spot = Spot::Partition {
        area: now.area,
        number: now.number,
        label: label.clone(),
    };
    read_back(device, epoch, (&spot, list), &mut moving, watcher)?;
    // Whoever read it back is whoever was written to.
    still(device, chip.as_ref(), epoch)
}

/// Bytes of frame `index` of an image that lies in memory.
pub(crate) fn frame_in(
    bytes: &[u8],
    list: &FrameList,
    index: u64,
) -> Result<Vec<u8>, KeepingError> {
    let (first, count) = list.layout().span(index);
    let range = usize::try_from(first)
        .ok()
        .zip(usize::try_from(first + count).ok())
        .and_then(|(first, end)| bytes.get(first..end));
    range.map(<[u8]>::to_vec).ok_or(KeepingError::NoStep)
}

/// Writes frames through the door.
fn write_frames(
    open: &OpenWrite<'_>,
    frames: &[u64],
    mut bytes_of: impl FnMut(u64) -> Result<Vec<u8>, KeepingError>,
    moving: &mut Moving,
    watcher: &dyn Watcher,
) -> Result<(), KeepingError> {
    watcher.moving(moving);
    for index in frames {
        let bytes = bytes_of(*index)?;
        open.put(*index, &bytes)?;
        moving.done_bytes += bytes.len() as u64;
        watcher.moving(moving);
    }
    Ok(())
}

/// Reads a partition back whole and compares it with its image, frame by frame.
fn read_back(
    device: &DeviceLink,
    epoch: Epoch,
    (spot, list): (&Spot, &FrameList),
    moving: &mut Moving,
    watcher: &dyn Watcher,
) -> Result<(), KeepingError> {
    let layout = list.layout();
    let mut unequal = Vec::new();
    for index in 0..layout.count() {
        let (first, count) = layout.span(index);
        let bytes = device.read(spot, first, count, epoch)?;
        moving.done_bytes += count;
        watcher.moving(moving);
        if !list.admits(index, &bytes) {
            unequal.push(index);
        }
    }
    match unequal.first() {
        None => Ok(()),
        Some(first) => Err(KeepingError::NoBackup {
            rule: Rule::S3,
            text: format!(
                "{spot} reads back otherwise than it was written, in {} frames from {first} on: worn storage or a bad cable; take it up again",
                unequal.len(),
            ),
        }),
    }
}

fn still(device: &DeviceLink, chip: Option<&Chip>, epoch: Epoch) -> Result<(), KeepingError> {
    match chip {
        Some(chip) => Ok(device.is_still(chip, epoch)?),
        None => Ok(()),
    }
}

/// The list for one partition, by what the device says of itself where it was looked at.
fn lines(
    known: &Known<'_>,
    record: &UnitRecord,
    wish: &Wish<'_>,
    live: Option<&veritope_core::facts::Facts>,
) -> Vec<Line> {
    let of = Dossier {
        live,
        put: Some(wish.put(record)),
        ..known.dossier()
    };
    list(&wish.act(), Ground::plain(&of), Standpoint::now(&of)).into_lines()
}

/// Whether nothing that a person could do would open this line. Where the unit is, is looked at first.
fn is_final(line: &Line) -> bool {
    line.is_missing() && line.absence().is_some()
}

/// Of these frames those that are not what lies there.
pub(crate) fn differing(frames: &[Digest], now: &[Digest]) -> Vec<u64> {
    frames
        .iter()
        .zip(0..)
        .filter(|(value, n)| {
            let n: u64 = *n;
            usize::try_from(n).ok().and_then(|n| now.get(n)) != Some(*value)
        })
        .map(|(_, n)| n)
        .collect()
}

/// These labels in the order in which they are written (`S3`).
fn order(manifest: &Manifest, labels: &[Label]) -> Vec<Label> {
    let parts = manifest.partitions.iter();
    let mut wanted: Vec<&Captured> = parts.filter(|part| labels.contains(&part.label)).collect();
    in_turn(&mut wanted, |part| (part.role, part.offset_bytes));
    wanted.into_iter().map(|part| part.label.clone()).collect()
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
