//! What hands read of a unit: dumps that are handed in, judged by the unit's own table, and taken into the vault as a
//! capture whose origin is declared (`B12`). It counts for what exists once while no link reads the unit, and is
//! never put back.

use std::fs::File;
use std::io::{Read as _, Seek as _, SeekFrom};
use std::path::{Path, PathBuf};

use serde::Serialize;
use veritope_core::captured::{Origin, Rest};
use veritope_core::digest::FrameLayout;
use veritope_core::facts::FactKey;
use veritope_core::handed::{self, Area, Dump, End, Handed, Have, Input, Want};
use veritope_core::mode::Mode;
use veritope_core::partitions::OwnPartition;
use veritope_core::permission::Permission;
use veritope_core::rule::Rule;
use veritope_core::state::State;
use veritope_core::steady::Taken;
use veritope_formats::table::read_table;
use veritope_vault::{CaptureSource, Captured, CapturedArea, MANIFEST_VERSION, Manifest, pump};
use veritope_wire::{CaptureId, JobId, Label, RequestId, UnitId, WallTime};

use crate::desk::record::{Entry, Way};
use crate::desk::unit::UnitRecord;
use crate::keeping::backup::facts_of;
use crate::keeping::reading::{Meter, no_backup};
use crate::keeping::{Keeping, KeepingError};
use crate::library::dumps::{Batch, HeldDump, NotTakenIn};
use crate::library::places::OWN_NAME;
use crate::library::shelf::Intake;
use crate::progress::{Moving, Watcher};

/// What was handed in for a unit, as a screen shows it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct HandedView {
    /// Judged.
    #[serde(flatten)]
    pub handed: Handed,
    /// What a person said of when they were taken.
    pub taken_now: Option<bool>,
    /// Whether a file may be handed in now.
    pub put: Permission,
    /// What taking them in is called.
    pub takes: &'static str,
    /// Whether they may be taken in now.
    pub take: Permission,
    /// Bytes that are free for them.
    pub free_bytes: u64,
    /// Whether they count for what exists once: no link reads the unit.
    pub counts: bool,
}

/// What is said of a dump.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum DumpNote {
    /// It is this partition.
    Is(Label),
    /// It is taken out again.
    Out,
}

/// Most bytes of an end of an area that are read to understand its table.
const MOST_END_BYTES: u64 = 8 << 20;

impl From<NotTakenIn> for KeepingError {
    fn from(error: NotTakenIn) -> Self {
        match error {
            NotTakenIn::File(error) => Self::Shelf(format!("the dumps: {error}")),
            other => Self::BadInput(other.to_string()),
        }
    }
}

/// A batch with its areas, to be judged.
struct Known {
    batch: Batch,
    areas: Vec<Area>,
    rest: Rest,
    mode: Option<Mode>,
    since: Option<WallTime>,
}

impl Keeping {
    /// What was handed in for a unit; `only_tables` where no more than those is wanted.
    ///
    /// # Errors
    /// When the unit's family is not known or the list can't be read.
    pub fn handed(&self, unit: UnitId, only_tables: bool) -> Result<HandedView, KeepingError> {
        let record = self.pen.record(unit)?;
        let known = self.batch_of(&record)?;
        let handed = self.judged_dumps(&record, &known, only_tables)?;
        let free = self.turns.is_free(unit);
        Ok(HandedView {
            put: Permission::from(free),
            take: match &handed.open {
                Some(open) => Permission::no(open.clone(), Some(Rule::B12)),
                None => Permission::from(self.turns.is_free(unit)),
            },
            takes: match only_tables {
                true => "Read the table from them",
                false => "Keep them, by my word",
            },
            taken_now: known.batch.taken_now,
            free_bytes: self.library.vault.free_bytes()?,
            counts: record.way == Way::Hand,
            handed,
        })
    }

    fn batch_of(&self, record: &UnitRecord) -> Result<Known, KeepingError> {
        let batch = self
            .library
            .dumps
            .batch(record.id)
            .map_err(NotTakenIn::File)?;
        let facts = record.known();
        let family = self.family_of(record)?;
        let mode = facts.known(FactKey::Mode);
        Ok(Known {
            areas: self.areas_of(record.id, &batch),
            rest: State::from_facts(&facts)
                .reads(family.readable())
                .unwrap_or(Rest::Live),
            mode: facts.mode(),
            since: mode.map(|row| self.pen.clock.wall_of(row.at)),
            batch,
        })
    }

    fn judged_dumps(
        &self,
        record: &UnitRecord,
        known: &Known,
        only_tables: bool,
    ) -> Result<Handed, KeepingError> {
        let family = self.family_of(record)?;
        let dumps: Vec<Dump<'_>> = known.batch.files.iter().map(as_dump).collect();
        Ok(handed::judge(&Input {
            family: &family,
            dumps: &dumps,
            areas: &known.areas,
            rest: known.rest,
            since: known.since,
            taken_now: known.batch.taken_now,
            only_tables,
        }))
    }

    /// The storage areas whose ends were handed in: first those whose files bear a number, then as they came.
    fn areas_of(&self, unit: UnitId, batch: &Batch) -> Vec<Area> {
        let mut guids: Vec<(&str, Option<u32>)> = Vec::new();
        for dump in &batch.files {
            let Some(end) = &dump.end else { continue };
            let number = table_number(&dump.name);
            match guids.iter_mut().find(|(guid, _)| *guid == end.guid) {
                Some((_, known)) => *known = known.or(number),
                None => guids.push((&end.guid, number)),
            }
        }
        guids.sort_by_key(|(_, number)| number.unwrap_or(u32::MAX));
        let area = |(guid, n): (&str, u32)| self.area_of(unit, batch, guid, n);
        let numbered = guids.into_iter().map(|(guid, _)| guid).zip(0..);
        numbered.filter_map(area).collect()
    }

    fn area_of(&self, unit: UnitId, batch: &Batch, guid: &str, number: u32) -> Option<Area> {
        let of = |wanted: &[End]| {
            let mut files = batch.files.iter();
            files.find(|dump| {
                let end = dump.end.as_ref();
                end.is_some_and(|end| end.guid == guid && wanted.contains(&end.which))
            })
        };
        let head = of(&[End::Whole, End::Head]);
        let tail = of(&[End::Whole, End::Tail]);
        let any = head.or(tail)?.end.as_ref()?;
        let (first, last) = any.partitions.unwrap_or((any.area_bytes, any.area_bytes));
        let mut area = Area {
            guid: guid.to_owned(),
            area: number,
            sector_bytes: any.sector_bytes,
            length_bytes: any.area_bytes,
            ends: (first, any.area_bytes.saturating_sub(last)),
            own: Vec::new(),
            trouble: None,
        };
        let (Some(head), Some(tail)) = (head, tail) else {
            return Some(area);
        };
        match self.table_of(unit, &area, (head, tail)) {
            Ok(own) => area.own = own,
            Err(trouble) => area.trouble = Some(trouble),
        }
        Some(area)
    }

    /// The table of an area out of its two ends, both copies sound and equal (`B2`).
    fn table_of(
        &self,
        unit: UnitId,
        area: &Area,
        (head, tail): (&HeldDump, &HeldDump),
    ) -> Result<Vec<OwnPartition>, String> {
        let (first, last) = area.ends;
        let least = |bytes: u64| bytes.clamp(64 << 10, MOST_END_BYTES);
        let read = |dump: &HeldDump, from_end: bool, bytes: u64| {
            let bytes = bytes.min(dump.bytes);
            let at = if from_end { dump.bytes - bytes } else { 0 };
            read_at(&self.library.dumps.path(unit, dump.id), at, bytes)
                .map_err(|error| format!("{} can't be read: {error}", dump.name))
        };
        let head = read(head, false, least(first))?;
        let tail = read(tail, true, least(last))?;
        let table = read_table(&head, &tail, area.length_bytes, area.sector_bytes)
            .map_err(|error| error.to_string())?;
        let own = table.entries.into_iter().map(|entry| OwnPartition {
            label: entry.label,
            number: entry.number,
            offset_bytes: entry.offset_bytes,
            length_bytes: entry.length_bytes,
        });
        Ok(own.collect())
    }

    /// Begins to take a dump in.
    ///
    /// # Errors
    /// When nothing can be written, or something else is being done with the unit.
    pub fn begin_dump(&self, unit: UnitId, bytes: u64) -> Result<Intake, KeepingError> {
        self.pen.record(unit)?;
        self.turns.is_free(unit)?;
        self.library.room_for(bytes)?;
        Ok(self.library.dumps.begin(unit).map_err(NotTakenIn::File)?)
    }

    /// Takes a dump in that came whole.
    ///
    /// # Errors
    /// When it can't be taken apart or written; then nothing of it is there.
    pub fn put_dump(
        &self,
        unit: UnitId,
        intake: Intake,
        name: &str,
        written: Option<WallTime>,
        request: RequestId,
    ) -> Result<(), KeepingError> {
        let written = written.map(WallTime::ms);
        self.library
            .dumps
            .put(unit, intake, name, written, request)?;
        self.pen.notify.changed(crate::ports::Changed::Unit(unit));
        Ok(())
    }

    /// Takes in a file, or all files below a folder, from a path of this computer; they stay where they lie.
    ///
    /// # Errors
    /// When it can't be read, or holds nothing.
    pub fn take_dumps_from(
        &self,
        unit: UnitId,
        path: &str,
        request: RequestId,
        watcher: &dyn Watcher,
    ) -> Result<u32, KeepingError> {
        let path = Path::new(path.trim());
        if !path.is_absolute() {
            return Err(KeepingError::BadInput(format!(
                "{} is no whole path; give one that begins with /",
                path.display()
            )));
        }
        let files = files_below(path)?;
        let total_bytes = files.iter().map(|(_, bytes)| bytes).sum();
        let mut moving = Moving {
            what: "copying and hashing".to_owned(),
            done_bytes: 0,
            total_bytes,
        };
        let base = path.parent().unwrap_or(path);
        let mut taken = 0;
        for (file, bytes) in &files {
            let told = |error: std::io::Error| {
                KeepingError::BadInput(format!("{} can't be read: {error}", file.display()))
            };
            let mut opened = File::open(file).map_err(told)?;
            let meta = opened.metadata().map_err(told)?;
            let written = meta.modified().ok().and_then(|at| {
                let since = at.duration_since(std::time::UNIX_EPOCH).ok()?;
                WallTime::from_ms(i64::try_from(since.as_millis()).ok()?).ok()
            });
            let before = moving.done_bytes;
            let mut intake = self.begin_dump(unit, *bytes)?;
            let mut told_of = |done: u64| {
                moving.done_bytes = before + done;
                watcher.moving(&moving);
                !watcher.should_stop()
            };
            match intake.all_of(&mut opened, &mut told_of) {
                Err(error) if error.kind() == std::io::ErrorKind::Interrupted => {
                    return Err(KeepingError::Stopped);
                }
                other => other.map_err(told)?,
            }
            let name = file.strip_prefix(base).unwrap_or(file).to_string_lossy();
            let of_it = RequestId::new(self.pen.ids.fresh());
            let request = if taken == 0 { request } else { of_it };
            self.put_dump(unit, intake, &name, written, request)?;
            taken += 1;
        }
        Ok(taken)
    }

    /// Notes what a person says of a dump.
    ///
    /// # Errors
    /// When there is no such dump.
    pub fn note_dump(&self, unit: UnitId, id: u32, note: DumpNote) -> Result<(), KeepingError> {
        self.pen.record(unit)?;
        self.turns.is_free(unit)?;
        match note {
            DumpNote::Is(label) => self.library.dumps.say(unit, id, Some(label))?,
            DumpNote::Out => self.library.dumps.remove(unit, id)?,
        }
        self.pen.notify.changed(crate::ports::Changed::Unit(unit));
        Ok(())
    }

    /// Notes when the dumps were taken: since the unit is in its mode, or before.
    ///
    /// # Errors
    /// When it can't be written.
    pub fn say_when_dumped(&self, unit: UnitId, taken_now: bool) -> Result<(), KeepingError> {
        self.pen.record(unit)?;
        self.library.dumps.say_when(unit, Some(taken_now))?;
        self.pen.notify.changed(crate::ports::Changed::Unit(unit));
        Ok(())
    }

    /// Throws away what was handed in and not taken.
    ///
    /// # Errors
    /// When something else is being done with the unit, or it can't be removed.
    pub fn clear_dumps(&self, unit: UnitId) -> Result<(), KeepingError> {
        self.turns.is_free(unit)?;
        self.library.dumps.clear(unit).map_err(NotTakenIn::File)?;
        self.pen.notify.changed(crate::ports::Changed::Unit(unit));
        Ok(())
    }

    /// The unit's own partitions by the tables that were handed in, where all that is wanted of those is here; and the
    /// identifier of the first area.
    pub(crate) fn handed_table(
        &self,
        record: &UnitRecord,
    ) -> Result<(String, Vec<OwnPartition>), KeepingError> {
        let known = self.batch_of(record)?;
        let handed = self.judged_dumps(record, &known, true)?;
        if let Some(open) = handed.open {
            return Err(no_backup(Rule::B2, fragment(&open)));
        }
        told_apart(&known.areas)?;
        let guid = known.areas.first().map(|area| area.guid.clone());
        let own = known.areas.into_iter().flat_map(|area| area.own).collect();
        Ok((guid.unwrap_or_default(), own))
    }

    /// Takes what was handed in into the vault as a capture, and reads it back.
    ///
    /// # Errors
    /// When something is still wanted, a dump is another one than it was, or there is no room.
    pub fn take_handed(
        &self,
        unit: UnitId,
        watcher: &dyn Watcher,
    ) -> Result<CaptureId, KeepingError> {
        let _changing = self.turns.begin_changing(unit)?;
        self.take_handed_held(unit, watcher)
    }

    pub(crate) fn take_handed_held(
        &self,
        unit: UnitId,
        watcher: &dyn Watcher,
    ) -> Result<CaptureId, KeepingError> {
        let record = self.pen.record(unit)?;
        let family = self.family_of(&record)?;
        let known = self.batch_of(&record)?;
        let handed = self.judged_dumps(&record, &known, false)?;
        if let Some(open) = handed.open {
            return Err(no_backup(Rule::B12, fragment(&open)));
        }
        told_apart(&known.areas)?;
        let is_now = known.batch.taken_now != Some(false);
        let here = handed.wants.iter().filter(|want| want.have == Have::Enough);
        let here: Vec<&Want> = here.collect();
        let all = here.iter().filter_map(|want| want.length_bytes).sum();
        self.library.vault.has_room(all)?;
        let mut meter = Meter {
            watcher,
            moving: Moving {
                what: String::new(),
                done_bytes: 0,
                total_bytes: 2 * all,
            },
        };
        let job = JobId::new(self.pen.ids.fresh());
        let mut staging = self.library.vault.stage(job)?;
        let mut partitions = Vec::new();
        for want in here {
            let part = self.take_dump(unit, &known, want, &mut staging, &mut meter);
            match part {
                Ok(part) => partitions.push(part),
                Err(error) => {
                    staging.discard()?;
                    return Err(error);
                }
            }
        }
        partitions.sort_by_key(|part| (part.area, part.offset_bytes));
        for part in &mut partitions {
            part.inside = Some(self.look_inside(part)?);
        }
        let taken = match is_now {
            true => Taken::here(self.pen.clock.stamp()),
            false => {
                let written = known.batch.files.iter().filter_map(|one| one.written_ms);
                let wall = written.min().map(WallTime::nearest_ms);
                let wall = wall.unwrap_or_else(|| self.pen.clock.stamp().wall);
                Taken::elsewhere(wall, None)
            }
        };
        let facts = record.known();
        let manifest = Manifest {
            veritope_capture: MANIFEST_VERSION,
            capture: CaptureId::new(job.uuid()),
            unit,
            nickname: record.nickname.clone(),
            taken: taken.wall,
            family: family.codename.clone(),
            identifiers: family
                .identifiers
                .iter()
                .filter_map(|id| {
                    let row = facts.known(id.key)?;
                    Some((id.key.id().to_owned(), row.value.exact()))
                })
                .collect(),
            build: facts.known(FactKey::Build).map(|row| row.value.exact()),
            source: CaptureSource {
                origin: Origin::Declared,
                // What is of another day was read nobody knows how.
                mode: known.mode.filter(|_| is_now).unwrap_or(Mode::Off),
                rest: if is_now { known.rest } else { Rest::Live },
                lock: facts.lock(),
            },
            areas: known
                .areas
                .iter()
                .map(|area| CapturedArea {
                    area: area.area,
                    sector_bytes: area.sector_bytes,
                    length_bytes: area.length_bytes,
                    guid: area.guid.clone(),
                })
                .collect(),
            partitions,
        };
        let digest = staging.finish(&manifest)?;
        let capture = facts_of(&manifest, digest, taken);
        let copy = self.unread_copy(capture.id, OWN_NAME, &self.library.vault)?;
        let own = known
            .areas
            .iter()
            .flat_map(|area| area.own.clone())
            .collect();
        self.pen.append(
            unit,
            None,
            vec![Entry::Captured { capture, own }, Entry::CopyMade { copy }],
        )?;
        staging.discard()?;
        self.read_back(&self.library.vault, OWN_NAME, &manifest, &mut meter)?;
        self.library.dumps.clear(unit).map_err(NotTakenIn::File)?;
        Ok(manifest.capture)
    }

    /// Stores one dump as the image of its partition; it must be what was hashed when it came.
    fn take_dump(
        &self,
        unit: UnitId,
        known: &Known,
        want: &Want,
        staging: &mut veritope_vault::Staging<'_>,
        meter: &mut Meter<'_>,
    ) -> Result<Captured, KeepingError> {
        let changed = |name: &str| {
            no_backup(
                Rule::E5,
                format!("{name} is another file than the one that was handed in: hand it in again"),
            )
        };
        let length_bytes = want.length_bytes.unwrap_or(0);
        let from = want.from.first().copied();
        let mut files = known.batch.files.iter();
        let dump = files
            .find(|dump| Some(dump.id) == from)
            .ok_or_else(|| changed(want.label.as_str()))?;
        let path = self.library.dumps.path(unit, dump.id);
        // An end of an area may be handed in with more than belongs to it.
        let is_tail = want.role.is_none() && want.offset_bytes > 0;
        let first = if is_tail {
            dump.bytes.saturating_sub(length_bytes)
        } else {
            0
        };
        meter.at(format!("keeping {}", want.label));
        let layout = FrameLayout::new(length_bytes);
        let watcher = meter.watcher;
        let mut file = File::open(&path).map_err(|_| changed(&dump.name))?;
        let read = |index: u64, spare: Vec<u8>| {
            if watcher.should_stop() {
                return Err(KeepingError::Stopped);
            }
            let (at, count) = layout.span(index);
            let mut bytes = spare;
            bytes.resize(usize::try_from(count).unwrap_or(0), 0);
            file.seek(SeekFrom::Start(first + at))
                .and_then(|_| file.read_exact(&mut bytes))
                .map_err(|_| changed(&dump.name))?;
            Ok(bytes)
        };
        pump(layout, 0, None, read, |frame| {
            staging.append(&want.label, frame, None)?;
            meter.moved(u64::from(frame.bytes));
            Ok(())
        })?;
        let staged = staging.close(&want.label, layout)?;
        if want.role.is_some() && staged.blake3 != dump.blake3 {
            return Err(changed(&dump.name));
        }
        let own = known.areas.iter().flat_map(|area| &area.own);
        let number = own
            .filter(|_| want.role.is_some())
            .find(|own| own.label == want.label)
            .map_or(0, |own| own.number);
        Ok(Captured {
            label: want.label.clone(),
            role: want.role,
            area: want.area,
            number,
            offset_bytes: want.offset_bytes,
            length_bytes,
            blake3: staged.blake3,
            frames: staged.frames,
            stored_bytes: staged.stored_bytes,
            agreement: want.agreement,
            blank: staged.blank,
            inside: None,
        })
    }
}

/// Two partitions of one label can't be told apart by the names of files.
fn told_apart(areas: &[Area]) -> Result<(), KeepingError> {
    let mut labels: Vec<&Label> = areas
        .iter()
        .flat_map(|area| area.own.iter().map(|own| &own.label))
        .collect();
    labels.sort_unstable();
    match labels.windows(2).find(|pair| pair[0] == pair[1]) {
        None => Ok(()),
        Some(pair) => Err(no_backup(
            Rule::B2,
            format!(
                "two partitions are called {}; they can't be told apart yet, so nothing of this unit is taken in",
                pair[0]
            ),
        )),
    }
}

/// A sentence as the middle of one.
fn fragment(sentence: &str) -> String {
    sentence.trim_end_matches('.').to_owned()
}

fn as_dump(held: &HeldDump) -> Dump<'_> {
    Dump {
        id: held.id,
        name: &held.name,
        bytes: held.bytes,
        digest: held.blake3,
        written: held.written_ms.map(WallTime::nearest_ms),
        blank: held.blank,
        declares: held.declares,
        end: held.end.as_ref().map(|end| (end.guid.as_str(), end.which)),
        against: held.against.as_deref(),
        said: held.said.as_ref(),
    }
}

/// The number that a file of a table bears: `table-1.primary.img`.
fn table_number(name: &str) -> Option<u32> {
    let (_, rest) = name.rsplit_once("table-")?;
    let end = rest.find(|sign: char| !sign.is_ascii_digit());
    rest[..end.unwrap_or(rest.len())].parse().ok()
}

fn read_at(path: &Path, at: u64, bytes: u64) -> std::io::Result<Vec<u8>> {
    let mut file = File::open(path)?;
    file.seek(SeekFrom::Start(at))?;
    let mut read = Vec::new();
    file.take(bytes).read_to_end(&mut read)?;
    Ok(read)
}

/// Files below a path, or the one that it is, with their lengths; links are not followed.
fn files_below(path: &Path) -> Result<Vec<(PathBuf, u64)>, KeepingError> {
    const MOST: usize = 4096;
    let told = |path: &Path, error: std::io::Error| {
        KeepingError::BadInput(format!("{} can't be read: {error}", path.display()))
    };
    let mut waiting = vec![path.to_owned()];
    let mut files = Vec::new();
    while let Some(at) = waiting.pop() {
        let meta = std::fs::symlink_metadata(&at).map_err(|error| told(&at, error))?;
        if meta.is_dir() {
            for entry in std::fs::read_dir(&at).map_err(|error| told(&at, error))? {
                waiting.push(entry.map_err(|error| told(&at, error))?.path());
            }
        } else if meta.is_file() {
            files.push((at, meta.len()));
        }
        if files.len() + waiting.len() > MOST {
            return Err(KeepingError::BadInput(format!(
                "{} holds more than {MOST} files: give the folder of one unit",
                path.display()
            )));
        }
    }
    if files.is_empty() {
        return Err(KeepingError::BadInput(format!(
            "{} holds no file",
            path.display()
        )));
    }
    files.sort();
    Ok(files)
}
