//! Taking over what another bench kept: a stick with captures outlives the data folder of the bench that
//! wrote it. Units, identities, captures and digests are read first and shown; nothing is taken before a
//! person says so. What is taken over is told apart from our own ever after: its word is damage's word,
//! and never proof of stock or enough for a foreign write (`E6`). Bytes that exist once still go back
//! only to the unit whose hardware identity the link says now (`S1`).

use serde::Serialize;
use veritope_core::coverage::{BlankBytes, CaptureFacts, Taker};
use veritope_core::facts::{FactKey, FactValue, Source};
use veritope_core::family::Family;
use veritope_core::partitions::OwnPartition;
use veritope_core::steady::Taken;
use veritope_core::worth;
use veritope_vault::{Access, Manifest, VaultError};
use veritope_wire::{CaptureId, PlaceId, RequestId, UnitId, WallTime};

use crate::keeping::Keeping;
use crate::keeping::backup::facts_of;

use crate::desk::record::{Entry, Way};
use crate::desk::unit::UnitRecord;
use crate::keeping::KeepingError;
use crate::keeping::reading::Meter;
use crate::progress::{Moving, Watcher};

/// A capture found in a place.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct FoundCapture {
    /// Its id.
    pub id: CaptureId,
    /// When it was begun, by its manifest.
    pub taken: WallTime,
    /// Partitions and tables in it.
    pub partitions: u32,
    /// Bytes of all images.
    pub bytes: u64,
    /// What exists once and is blank in it, in words.
    pub blank: Vec<String>,
    /// Whether this bench knows it.
    pub known: bool,
}

/// A unit found in a place.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct FoundUnit {
    /// Its id, by the bench that took the captures.
    pub unit: UnitId,
    /// Its name there.
    pub nickname: String,
    /// Name of its family; nothing where that is not known here.
    pub family: Option<String>,
    /// Codename that the manifests give.
    pub codename: String,
    /// Its identifiers, masked.
    pub identifiers: Vec<String>,
    /// Whether it is on this bench.
    pub here: bool,
    /// Captures that can be read, the newest first.
    pub captures: Vec<FoundCapture>,
    /// Captures that can't, in a sentence each.
    pub unreadable: Vec<String>,
}

impl Keeping {
    /// Reads what lies in a place, whoever wrote it. Nothing is taken.
    ///
    /// # Errors
    /// When the place can't be read.
    pub fn found_in(&self, place: PlaceId) -> Result<Vec<FoundUnit>, KeepingError> {
        let (_, vault) = self.library.open_place(place, Access::Read)?;
        let records = self.pen.journal.units();
        let mut all = Vec::new();
        for unit in vault.units()? {
            let (manifests, unreadable) = self.manifests_in(&vault, unit)?;
            let record = records.iter().find(|record| record.id == unit);
            let Some(newest) = manifests.first() else {
                if !unreadable.is_empty() {
                    all.push(FoundUnit {
                        unit,
                        nickname: record.map_or_else(String::new, |one| one.nickname.clone()),
                        family: None,
                        codename: String::new(),
                        identifiers: Vec::new(),
                        here: record.is_some(),
                        captures: Vec::new(),
                        unreadable,
                    });
                }
                continue;
            };
            let family = self.library.family_named(&newest.family);
            all.push(found_unit(
                &manifests,
                record.map(|record| &**record),
                family.as_deref(),
                unreadable,
            ));
        }
        Ok(all)
    }

    /// Manifests of a unit in a place, the newest first; and what can't be read, in sentences.
    fn manifests_in(
        &self,
        vault: &veritope_vault::Vault,
        unit: UnitId,
    ) -> Result<(Vec<Manifest>, Vec<String>), VaultError> {
        let mut sound = Vec::new();
        let mut unreadable = Vec::new();
        for one in vault.each_capture(unit)? {
            match one {
                Ok(manifest) => sound.push(manifest),
                Err(error) => unreadable.push(error.to_string()),
            }
        }
        sound.sort_by_key(|manifest| std::cmp::Reverse((manifest.taken, manifest.capture)));
        Ok((sound, unreadable))
    }

    /// Takes over a unit that was found in a place, with all its captures that are not known here; each is
    /// read back from its medium. A unit that is not on this bench comes onto it, by hand until a link to it
    /// is found; `ownership` is asked of those. Killed on the way, the same request goes on.
    ///
    /// # Errors
    /// When there is nothing of this unit, its family is not known here, its name can't be used, or the
    /// place can't be read.
    pub fn take_over(
        &self,
        place: PlaceId,
        unit: UnitId,
        ownership: Option<&str>,
        request: RequestId,
        watcher: &dyn Watcher,
    ) -> Result<(), KeepingError> {
        let (of, vault) = self.library.open_place(place, Access::Read)?;
        let (mut manifests, _) = self.manifests_in(&vault, unit)?;
        let Some(newest) = manifests.first().cloned() else {
            return Err(KeepingError::BadInput(format!(
                "{} holds no capture of that unit that can be read",
                of.name
            )));
        };
        self.admit(&newest, ownership, request)?;
        let record = self.pen.record(unit)?;
        manifests.retain(|one| record.captures.iter().all(|known| known.id != one.capture));
        // The oldest first, as they were taken.
        manifests.reverse();
        let mut meter = Meter {
            watcher,
            moving: Moving {
                what: format!("taking over what lies in {}", of.name),
                done_bytes: 0,
                total_bytes: manifests.iter().map(Manifest::bytes).sum(),
            },
        };
        for manifest in manifests {
            let (read, digest) = vault.manifest(unit, manifest.capture)?;
            let capture = CaptureFacts {
                taker: Taker::AnotherBench,
                ..facts_of(&read, digest, Taken::elsewhere(read.taken, None))
            };
            let copy = self.unread_copy(capture.id, &of.name, &vault)?;
            let own = own_of(&read);
            self.pen.append(
                unit,
                None,
                vec![
                    Entry::CaptureFound { capture, own },
                    Entry::CopyMade { copy },
                ],
            )?;
            self.read_back(&vault, &of.name, &read, &mut meter)?;
        }
        Ok(())
    }
}

impl Keeping {
    /// Sees to it that the unit of a capture from elsewhere is on the bench: by hand, until a link to it is found.
    /// `ownership` is asked of one that was not.
    ///
    /// # Errors
    /// When its family is not known here, or nobody said whose it is.
    pub(crate) fn admit(
        &self,
        newest: &Manifest,
        ownership: Option<&str>,
        request: RequestId,
    ) -> Result<(), KeepingError> {
        let unit = newest.unit;
        let family = self.library.family_named(&newest.family).ok_or_else(|| {
            KeepingError::BadInput(format!(
                "family {} is not known here: bring its file under Families first",
                newest.family
            ))
        })?;
        let records = self.pen.journal.units();
        if records.iter().all(|record| record.id != unit) {
            let whose = ownership.ok_or_else(|| {
                KeepingError::BadInput("say whose it is: it comes onto the bench".to_owned())
            })?;
            let owner = FactValue::parse(FactKey::Ownership, whose)?;
            let at = self.pen.now();
            let mut facts = vec![self.pen.row(FactKey::Ownership, owner, Source::Person, at)];
            for id in &family.identifiers {
                let value = newest.identifiers.get(id.key.id());
                let real = value.filter(|value| !family.is_placeholder(id.key, value));
                if let Some(value) = real.and_then(|value| FactValue::parse(id.key, value).ok()) {
                    facts.push(self.pen.row(id.key, value, Source::File, at));
                }
            }
            let added = Entry::UnitAdded {
                nickname: free_name(&newest.nickname, &records),
                family: Some(family.codename.clone()),
                way: Way::Hand,
            };
            self.pen
                .append(unit, Some(request), vec![added, Entry::Facts { facts }])?;
            self.pen.notify.changed(crate::ports::Changed::Bench);
        }
        Ok(())
    }
}

/// A name that no unit has yet.
fn free_name(wanted: &str, records: &[std::sync::Arc<UnitRecord>]) -> String {
    let clean: String = wanted
        .chars()
        .filter(|sign| !sign.is_control())
        .take(36)
        .collect();
    let clean = match clean.trim() {
        "" => "Taken over".to_owned(),
        name => name.to_owned(),
    };
    let is_free = |name: &str| records.iter().all(|record| record.nickname != name);
    let numbered = (2..).map(|n| format!("{clean} {n}"));
    std::iter::once(clean.clone())
        .chain(numbered)
        .find(|name| is_free(name))
        .unwrap_or(clean)
}

/// The unit's table as the capture shows it.
pub(crate) fn own_of(manifest: &Manifest) -> Vec<OwnPartition> {
    let parts = manifest
        .partitions
        .iter()
        .filter(|part| part.role.is_some());
    parts
        .map(|part| OwnPartition {
            label: part.label.clone(),
            number: part.number,
            offset_bytes: part.offset_bytes,
            length_bytes: part.length_bytes,
        })
        .collect()
}

/// A unit by captures of it from elsewhere, the newest first; there is one at least.
pub(crate) fn found_unit(
    manifests: &[Manifest],
    record: Option<&UnitRecord>,
    family: Option<&Family>,
    unreadable: Vec<String>,
) -> FoundUnit {
    let newest = &manifests[0];
    let identifiers = newest.identifiers.iter().filter_map(|(id, value)| {
        let key = FactKey::from_id(id)?;
        let shown = FactValue::Text(value.clone()).shown(key);
        Some(format!("{} {shown}", key.spec().title))
    });
    FoundUnit {
        unit: newest.unit,
        nickname: newest.nickname.clone(),
        family: family.map(Family::name),
        codename: newest.family.clone(),
        identifiers: identifiers.collect(),
        here: record.is_some(),
        captures: manifests
            .iter()
            .map(|manifest| found(manifest, record))
            .collect(),
        unreadable,
    }
}

fn found(manifest: &Manifest, record: Option<&UnitRecord>) -> FoundCapture {
    let facts = facts_of(
        manifest,
        veritope_wire::Digest::of(b""),
        Taken::elsewhere(manifest.taken, None),
    );
    let blank = facts
        .partitions
        .iter()
        .filter(|part| part.is_unique && part.blank != BlankBytes::No)
        .map(|part| format!("{}: {}", part.label, worth::holds(part)));
    FoundCapture {
        id: manifest.capture,
        taken: manifest.taken,
        partitions: u32::try_from(manifest.partitions.len()).unwrap_or(u32::MAX),
        bytes: manifest.bytes(),
        blank: blank.collect(),
        known: record.is_some_and(|record| {
            let mut captures = record.captures.iter();
            captures.any(|known| known.id == manifest.capture)
        }),
    }
}
