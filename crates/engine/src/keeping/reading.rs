//! Reading a unit's tables and partitions over the link, under one epoch and no other.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};
use veritope_core::captured::{Kept, of_three};
use veritope_core::coverage::{Agreement, Rest};
use veritope_core::digest::FrameLayout;
use veritope_core::extent::Extent;
use veritope_core::family::{Family, Role};
use veritope_core::partitions::{OwnPartition, describe};
use veritope_core::rule::Rule;
use veritope_formats::look::{HEAD_BYTES, superblock};
use veritope_formats::table::read_table;
use veritope_link::{DeviceLink, LinkError};
use veritope_vault::{Captured, CapturedArea, Staging, Vault, VaultError, pump};
use veritope_wire::Label;
use veritope_wire::link::{AreaLine, Epoch, MAX_READ_BYTES, PartitionLine, PartitionList, Spot};

use crate::keeping::KeepingError;
use crate::progress::{Moving, Watcher};

/// How much a capture takes.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(tag = "kind", rename_all = "kebab-case")]
pub enum CaptureKind {
    /// All but the system (`B3`).
    Quick,
    /// The system too.
    Full,
    /// Some partitions, before they are written.
    Some {
        /// Which.
        labels: Vec<Label>,
    },
}

/// The tables of a unit, read and compared.
pub(crate) struct Tables {
    pub(crate) areas: Vec<CapturedArea>,
    pub(crate) own: Vec<OwnPartition>,
    pub(crate) placed: Vec<Image>,
}

impl Tables {
    /// The first area's own identifier.
    pub(crate) fn guid(&self) -> String {
        self.areas
            .first()
            .map_or_else(String::new, |area| area.guid.clone())
    }
}

/// One thing to read.
#[derive(Debug, Clone)]
pub(crate) struct Image {
    pub(crate) label: Label,
    pub(crate) role: Option<Role>,
    pub(crate) area: u32,
    pub(crate) number: u32,
    pub(crate) offset_bytes: u64,
    pub(crate) length_bytes: u64,
    /// Whether it is read until two reads agree (`B4`).
    pub(crate) is_read_twice: bool,
}

impl Image {
    /// Where its bytes are: a table's end bears no number.
    pub(crate) fn spot(&self) -> Spot {
        let area = self.area;
        match self.number {
            0 if self.offset_bytes == 0 => Spot::AreaStart { area },
            0 => Spot::AreaEnd { area },
            number => Spot::Partition {
                area,
                number,
                label: self.label.clone(),
            },
        }
    }
}

/// Adds up what moves and tells the watcher.
pub(crate) struct Meter<'w> {
    pub(crate) watcher: &'w dyn Watcher,
    pub(crate) moving: Moving,
}

impl Meter<'_> {
    pub(crate) fn at(&mut self, what: String) {
        self.moving.what = what;
        self.watcher.moving(&self.moving);
    }

    pub(crate) fn moved(&mut self, bytes: u64) {
        self.moving.done_bytes += bytes;
        self.watcher.moving(&self.moving);
    }
}

/// The reading of a capture broke off, or its bytes are no backup.
pub(crate) fn no_backup(rule: Rule, text: String) -> KeepingError {
    KeepingError::NoBackup { rule, text }
}

/// What a capture of this kind reads: tables and the quick set first, then the rest (`B3`), each in disk order. What exists once is read twice; not so
/// what lives, while the system runs that writes to it (`B12`).
pub(crate) fn images(
    family: &Family,
    tables: &Tables,
    kind: &CaptureKind,
    rest: Rest,
) -> Vec<Image> {
    let described = describe(family, &tables.own);
    let mut images: Vec<Image> = tables
        .placed
        .iter()
        .filter_map(|image| {
            let found = described.iter().find(|d| d.own.label == image.label);
            let role = found.map(|described| described.role);
            let is_wanted = match (kind, role) {
                (CaptureKind::Some { labels }, _) => labels.contains(&image.label),
                // A table.
                (_, None) => true,
                (CaptureKind::Quick, Some(role)) => Extent::Quick.takes(role),
                (CaptureKind::Full, Some(role)) => Extent::Full.takes(role),
            };
            let is_read_twice = found.is_some_and(|found| found.is_read_twice(rest));
            is_wanted.then(|| Image {
                role,
                is_read_twice,
                ..image.clone()
            })
        })
        .collect();
    images.sort_by_key(|image| image.role.is_some_and(|role| !Extent::Quick.takes(role)));
    images
}

/// Reads both copies of every area's table and the bridge's list; all must agree (`B2`).
pub(crate) fn read_tables(device: &DeviceLink, epoch: Epoch) -> Result<Tables, KeepingError> {
    let odd = |text: String| no_backup(Rule::B2, text);
    let list = device.partitions()?;
    told_apart(&list)?;
    let mut tables = Tables {
        areas: Vec::new(),
        own: Vec::new(),
        placed: Vec::new(),
    };
    for area in &list.areas {
        let lines: Vec<&PartitionLine> = list
            .partitions
            .iter()
            .filter(|part| part.area == area.area)
            .collect();
        let (primary, backup) = ends(area, &lines)?;
        let most = |length: u64| length.min(MAX_READ_BYTES);
        let head = device.read(&primary.spot(), 0, most(primary.length_bytes), epoch)?;
        let tail = device.read(&backup.spot(), 0, most(backup.length_bytes), epoch)?;
        let table = read_table(&head, &tail, area.length_bytes, area.sector_bytes)
            .map_err(|error| odd(error.to_string()))?;
        let listed = lines
            .iter()
            .map(|p| (&p.label, p.number, p.offset_bytes, p.length_bytes));
        let read = table
            .entries
            .iter()
            .map(|e| (&e.label, e.number, e.offset_bytes, e.length_bytes));
        if !listed.eq(read) {
            return Err(odd(
                "the bridge's list is not what the unit's own table says".to_owned(),
            ));
        }
        tables.areas.push(CapturedArea {
            area: area.area,
            sector_bytes: area.sector_bytes,
            length_bytes: area.length_bytes,
            guid: table.guid,
        });
        tables.placed.push(primary);
        for entry in table.entries {
            tables.placed.push(Image {
                label: entry.label.clone(),
                role: None,
                area: area.area,
                number: entry.number,
                offset_bytes: entry.offset_bytes,
                length_bytes: entry.length_bytes,
                is_read_twice: false,
            });
            tables.own.push(OwnPartition {
                label: entry.label,
                number: entry.number,
                offset_bytes: entry.offset_bytes,
                length_bytes: entry.length_bytes,
            });
        }
        tables.placed.push(backup);
    }
    Ok(tables)
}

/// Two partitions of one label can't be told apart yet, and one would be taken for the other; the ends of
/// an area are read under labels too.
fn told_apart(list: &PartitionList) -> Result<(), KeepingError> {
    let ends = list.areas.iter().flat_map(|area| {
        let number = area.area;
        ["primary", "backup"].map(|end| (format!("table-{number}.{end}"), 0, number))
    });
    let parts = list.partitions.iter();
    let named = parts.map(|part| (part.label.to_string(), part.number, part.area));
    let mut seen: BTreeMap<String, (u32, u32)> = BTreeMap::new();
    for (label, number, area) in ends.chain(named) {
        if let Some((other, there)) = seen.insert(label.clone(), (number, area)) {
            return Err(no_backup(
                Rule::B2,
                format!(
                    "two partitions are called {label}: number {other} of area {there} and number {number} of area {area}; they can't be told apart yet, so nothing of this unit is read"
                ),
            ));
        }
    }
    Ok(())
}

/// The two ends of an area, which hold its table.
fn ends(area: &AreaLine, lines: &[&PartitionLine]) -> Result<(Image, Image), KeepingError> {
    let first = lines.iter().map(|part| part.offset_bytes).min();
    let last = lines
        .iter()
        .map(|part| part.offset_bytes.saturating_add(part.length_bytes))
        .max();
    let (first, last) = (first.unwrap_or(area.length_bytes), last.unwrap_or(0));
    let end = |name: &str, offset_bytes: u64, length_bytes: u64| {
        Ok::<_, KeepingError>(Image {
            label: format!("table-{}.{name}", area.area).parse().map_err(
                |error: veritope_wire::NotALabel| KeepingError::BadInput(error.to_string()),
            )?,
            role: None,
            area: area.area,
            number: 0,
            offset_bytes,
            length_bytes,
            is_read_twice: false,
        })
    };
    Ok((
        end("primary", 0, first)?,
        end("backup", last, area.length_bytes.saturating_sub(last))?,
    ))
}

/// Reads images under one epoch.
pub(crate) struct Reader<'d> {
    pub(crate) device: &'d DeviceLink,
    pub(crate) epoch: Epoch,
    /// What is kept of this unit from before, where, and was read back: frames that are the same are not
    /// stored again, if what is kept still lies there as it was written.
    pub(crate) before: &'d BTreeMap<Label, Captured>,
    pub(crate) vault: &'d Vault,
}

impl Reader<'_> {
    fn frame(&self, image: &Image, index: u64) -> Result<Vec<u8>, LinkError> {
        let (first, count) = FrameLayout::new(image.length_bytes).span(index);
        self.device.read(&image.spot(), first, count, self.epoch)
    }

    /// Reads an image into the vault; one that exists once is read again until two reads agree.
    pub(crate) fn take(
        &self,
        staging: &mut Staging<'_>,
        image: &Image,
        meter: &mut Meter<'_>,
    ) -> Result<Captured, KeepingError> {
        let before = self.before.get(&image.label);
        let before = before.filter(|part| {
            part.length_bytes == image.length_bytes && self.vault.is_as_written(part)
        });
        match self.take_beside(staging, image, before, meter) {
            // What was kept is gone or damaged: all of it is stored anew.
            Err(KeepingError::Vault(error)) if before.is_some() && is_lost(&error) => {
                self.take_beside(staging, image, None, meter)
            }
            other => other,
        }
    }

    fn take_beside(
        &self,
        staging: &mut Staging<'_>,
        image: &Image,
        before: Option<&Captured>,
        meter: &mut Meter<'_>,
    ) -> Result<Captured, KeepingError> {
        let layout = FrameLayout::new(image.length_bytes);
        self.bring(staging, image, before, meter)?;
        let agreement = if image.is_read_twice {
            self.read_again(staging, image, before, meter)?
        } else {
            Agreement::Once
        };
        let staged = staging.close(&image.label, layout)?;
        let part = Captured {
            label: image.label.clone(),
            role: image.role,
            area: image.area,
            number: image.number,
            offset_bytes: image.offset_bytes,
            length_bytes: image.length_bytes,
            blake3: staged.blake3,
            frames: staged.frames,
            stored_bytes: staged.stored_bytes,
            agreement,
            blank: staged.blank,
            inside: None,
        };
        Ok(part)
    }

    /// Brings the frames that are not here yet.
    fn bring(
        &self,
        staging: &mut Staging<'_>,
        image: &Image,
        before: Option<&Captured>,
        meter: &mut Meter<'_>,
    ) -> Result<(), KeepingError> {
        meter.at(format!("reading {}", image.label));
        let layout = FrameLayout::new(image.length_bytes);
        let from = staging.frames_of(&image.label);
        let watcher = meter.watcher;
        let read = |index: u64, _| {
            if watcher.should_stop() {
                return Err(KeepingError::Stopped);
            }
            let bytes = self.frame(image, index)?;
            if index == 0 {
                is_whole(image, &bytes)?;
            }
            Ok(bytes)
        };
        let (known, as_in) = (
            before.map(|part| &part.frames[..]),
            before.map(|part| part.blake3),
        );
        pump(layout, from, known, read, |frame| {
            staging.append(&image.label, frame, as_in)?;
            meter.moved(u64::from(frame.bytes));
            Ok(())
        })
    }

    /// Reads an image a second time. A frame that comes otherwise is read a third time, and what two reads
    /// agree on is kept; where no two do, none of it is (`B4`).
    fn read_again(
        &self,
        staging: &mut Staging<'_>,
        image: &Image,
        before: Option<&Captured>,
        meter: &mut Meter<'_>,
    ) -> Result<Agreement, KeepingError> {
        meter.at(format!("reading {} again", image.label));
        let layout = FrameLayout::new(image.length_bytes);
        let first = staging.values_of(&image.label);
        let as_in = before.map(|part| part.blake3);
        let watcher = meter.watcher;
        let mut agreement = Agreement::Twice;
        let read = |index: u64, _| {
            if watcher.should_stop() {
                return Err(KeepingError::Stopped);
            }
            Ok(self.frame(image, index)?)
        };
        pump(layout, 0, Some(&first), read, |second| {
            meter.moved(u64::from(second.bytes));
            let index = second.index;
            let was = usize::try_from(index).ok().and_then(|at| first.get(at));
            if was == Some(&second.value) {
                return Ok(());
            }
            agreement = Agreement::TwoOfThree;
            let third = layout.value(index, &self.frame(image, index)?);
            match of_three(was, &second.value, &third) {
                Some(Kept::First) => Ok(()),
                Some(Kept::Second) => Ok(staging.replace(&image.label, second, as_in)?),
                None => Err(no_backup(
                    Rule::B4,
                    format!(
                        "no two reads of frame {index} of {} agree: a bad cable or worn storage; change the cable and try again",
                        image.label
                    ),
                )),
            }
        })?;
        Ok(agreement)
    }
}

fn is_lost(error: &VaultError) -> bool {
    matches!(
        error,
        VaultError::Damaged { .. } | VaultError::Unreadable { .. }
    )
}

/// A file system that declares more bytes than there are is not whole (`B5`).
fn is_whole(image: &Image, head: &[u8]) -> Result<(), KeepingError> {
    match superblock(&head[..head.len().min(HEAD_BYTES)]) {
        Some(system) if system.declared_bytes > image.length_bytes => Err(no_backup(
            Rule::B5,
            format!(
                "the {} in {} declares {} bytes, and there are {}: this is not a backup of it",
                system.kind.name(),
                image.label,
                system.declared_bytes,
                image.length_bytes
            ),
        )),
        _ => Ok(()),
    }
}
