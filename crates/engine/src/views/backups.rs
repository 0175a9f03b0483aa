//! What the backups station shows: how each partition is kept, captures and their copies, the core
//! chart.

use std::collections::BTreeMap;

use serde::Serialize;
use veritope_core::budget::Policy;
use veritope_core::chart::{Chart, ColumnInput, Held, Trust, chart};
use veritope_core::coverage::{
    Agreement, BlankBytes, CaptureFacts, CopyFacts, Coverage, Origin, Rest, Taker,
};
use veritope_core::extent::{Extent, cost, time_ms};
use veritope_core::family::{Family, Role};
use veritope_core::partitions::describe;
use veritope_core::route::{self, Way};
use veritope_core::state::State;
use veritope_core::worth::{self, Worth};
use veritope_wire::{BenchTime, CaptureId, Digest, Label, PlaceId, UnitId, WallTime};

use crate::desk::record::DamageFacts;
use crate::desk::unit::UnitRecord;
use crate::keeping::{Keeping, KeepingError};
use crate::library::found::SeenInside;
use crate::library::places::PlaceView;
use crate::views::Permission;
use crate::views::ViewError;
use crate::views::Views;

/// A copy of a capture.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct CopyLine {
    /// Where.
    pub place: PlaceId,
    /// The place's name.
    pub name: String,
    /// The medium beneath, in words.
    pub medium: String,
    /// When it was last read back.
    pub read: Option<BenchTime>,
    /// Whether it counts now.
    pub trust: Trust,
    /// Damage found at the last reading.
    pub damage: Vec<DamageFacts>,
    /// Whether it may be read back now.
    pub verify: Permission,
    /// Whether it may be repaired now, where anything of it is damaged.
    pub repair: Option<Permission>,
}

/// A place that could have a copy.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct CopyTo {
    /// Where.
    pub place: PlaceId,
    /// The place's name.
    pub name: String,
    /// Whether it may be brought there now.
    pub copy: Permission,
}

/// A capture.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct CaptureLine {
    /// Its id.
    pub id: CaptureId,
    /// The number by which a person tells it from others, in the order of their taking.
    pub number: u32,
    /// When it was begun.
    pub taken: WallTime,
    /// What this bench had counted then; nothing where another took it.
    pub counted: Option<BenchTime>,
    /// Whether another bench took it.
    pub taker: Taker,
    /// What it holds of what exists once, in words: what is blank first.
    pub holds: Vec<HeldLine>,
    /// Partitions and tables in it.
    pub partitions: u32,
    /// Bytes of all images.
    pub bytes: u64,
    /// At rest or live.
    pub rest: Rest,
    /// Whether hands read it, and where it comes from is a person's word (`B12`).
    pub by_hand: bool,
    /// Whether it may be exported now.
    pub export: Permission,
    /// Its copies.
    pub copies: Vec<CopyLine>,
    /// Places that have no copy of it yet.
    pub copy_to: Vec<CopyTo>,
}

/// What a capture holds of a partition that exists once.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct HeldLine {
    /// The partition.
    pub label: Label,
    /// In words.
    pub text: String,
    /// How much it is worth (`E4`).
    pub worth: Worth,
    /// Whether that is to be minded: not where it may be blank, or nobody lists it and it was met so (`B5`).
    pub is_minded: bool,
}

/// One captured partition.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct CapturedLine {
    /// The partition, or a table.
    pub label: Label,
    /// Its role; nothing for a table.
    pub role: Option<Role>,
    /// Length in bytes.
    pub length_bytes: u64,
    /// Digest of the image.
    pub blake3: Digest,
    /// How often it was read.
    pub agreement: Agreement,
    /// Whether it holds anything.
    pub blank: BlankBytes,
    /// What its bytes were seen to be; nothing before a copy of it was read back.
    pub seen: Option<SeenInside>,
}

/// What a capture would cost.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct ExtentLine {
    /// Which.
    pub extent: Extent,
    /// What the seal opens with it.
    pub opens: &'static str,
    /// Bytes that are read over the link.
    pub read_bytes: u64,
    /// Bytes that it takes here at most.
    pub kept_bytes: u64,
    /// Bytes of room that are missing for that.
    pub missing_bytes: u64,
    /// Milliseconds, at the pace measured here; nothing before any was.
    pub ms: Option<u64>,
}

/// Captures whose pace counts.
const MOST_PACES: usize = 5;

/// What a capture holds.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct CaptureView {
    /// The capture.
    pub id: CaptureId,
    /// Partitions in disk order.
    pub partitions: Vec<CapturedLine>,
}

/// The backups station.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct BackupsView {
    /// How each partition is kept; nothing before the unit's own table was read.
    pub coverage: Option<Coverage>,
    /// Captures, newest first.
    pub captures: Vec<CaptureLine>,
    /// The core chart, once there is a table.
    pub chart: Option<Chart>,
    /// When anything could last have changed what lies on the unit.
    pub not_read_since: Option<BenchTime>,
    /// Partitions whose last write was interrupted.
    pub torn: Vec<Label>,
    /// Places.
    pub places: Vec<PlaceView>,
    /// The policy that copies are counted by.
    pub policy: Policy,
    /// Whether a capture can be taken now.
    pub take: Permission,
    /// What each capture that can be taken would cost (`B8`); none before the unit's own table was read.
    pub extents: Vec<ExtentLine>,
    /// The ways to read it, in the order of choice, and why not the others (`B1`).
    pub ways: Vec<Way>,
    /// The capture that serves as stock where the maker publishes none: the first one.
    pub stock: Option<CaptureId>,
}

impl Views {
    /// What a capture holds.
    ///
    /// # Errors
    /// When there is no such capture or its manifest can't be read.
    pub fn capture_view(&self, unit: UnitId, capture: CaptureId) -> Result<CaptureView, ViewError> {
        let record = self.seen.record(unit)?;
        let manifest = self.seen.manifest_of(&record, capture)?;
        Ok(CaptureView {
            id: capture,
            partitions: manifest
                .partitions
                .into_iter()
                .map(|part| CapturedLine {
                    seen: self.seen.seen_inside(part.blake3),
                    label: part.label,
                    role: part.role,
                    length_bytes: part.length_bytes,
                    blake3: part.blake3,
                    agreement: part.agreement,
                    blank: part.blank,
                })
                .collect(),
        })
    }

    /// The backups station.
    ///
    /// # Errors
    /// When there is no such unit.
    pub fn backups(&self, unit: UnitId) -> Result<BackupsView, ViewError> {
        let record = self.seen.record(unit)?;
        let family = self.seen.family_of(&record);
        let family = family.as_deref();
        let places = self.seen.places();
        let work = self.may_work(&record);
        let mut captures: Vec<CaptureLine> = record
            .captures
            .iter()
            .map(|capture| line(&record, family, capture, &places, &work))
            .collect();
        captures.reverse();
        let coverage = family
            .filter(|_| record.own.is_some())
            .map(|family| self.seen.coverage_of(&record, family));
        let chart = family.zip(record.own.as_ref()).map(|(family, own)| {
            let described = describe(family, own);
            chart(&described, self.live(&record), self.columns(&record))
        });
        let ways = family.map(|family| route::ways(family, &record.known()));
        let ways = ways.unwrap_or_default();
        Ok(BackupsView {
            coverage,
            stock: record.captures.first().map(|capture| capture.id),
            captures,
            chart,
            not_read_since: record.last_change(),
            torn: record.torn.iter().map(|torn| torn.label.clone()).collect(),
            places,
            policy: self.seen.policy(),
            take: self.may_capture(&record),
            extents: self.extents(&record, family)?,
            ways,
        })
    }

    /// What captures would cost: by the unit's own table, and by how fast earlier ones of this unit went, or
    /// else of others of its family.
    fn extents(
        &self,
        record: &UnitRecord,
        family: Option<&Family>,
    ) -> Result<Vec<ExtentLine>, ViewError> {
        let Some((family, own)) = family.zip(record.own.as_ref()) else {
            return Ok(Vec::new());
        };
        let mut paces = record.paces.clone();
        if paces.is_empty() {
            let units = self.seen.units();
            let alike = units.iter().filter(|unit| unit.family == record.family);
            paces = alike.flat_map(|unit| unit.paces.clone()).collect();
        }
        let newest = paces.len().saturating_sub(MOST_PACES);
        let rest = State::from_facts(&record.known()).reads(family.readable());
        let free_bytes = self.seen.free_bytes().map_err(KeepingError::from)?;
        let line = |extent: Extent| {
            let cost = cost(family, own, extent, rest.unwrap_or(Rest::AtRest));
            ExtentLine {
                extent,
                opens: extent.opens(),
                read_bytes: cost.read_bytes,
                kept_bytes: cost.kept_bytes,
                missing_bytes: cost.kept_bytes.saturating_sub(free_bytes),
                ms: time_ms(cost.read_bytes, &paces[newest..]),
            }
        };
        Ok([Extent::Quick, Extent::Full].map(line).into())
    }

    fn may_capture(&self, record: &UnitRecord) -> Permission {
        match self.seen.may_capture(record) {
            Ok(()) => Permission::yes(),
            Err(KeepingError::NoBackup { rule, text }) => Permission::no(text, Some(rule)),
            Err(error) => Err::<(), _>(error).into(),
        }
    }

    /// The unit itself, as far as what lies there is known.
    fn live(&self, record: &UnitRecord) -> ColumnInput {
        let own = record.own.iter().flatten();
        let mut newest = None;
        let held = own
            .map(|own| {
                let held = match Keeping::present_of(record, &own.label) {
                    None => Held::NotRead,
                    Some(digest) => {
                        let last = record.captures.last().map(|capture| capture.taken);
                        newest = newest.or(last);
                        Held::Image {
                            digest,
                            frames: self
                                .seen
                                .frames_of(record, &own.label, digest)
                                .unwrap_or_default(),
                            trust: Trust::Live,
                            moved: false,
                        }
                    }
                };
                (own.label.clone(), held)
            })
            .collect();
        ColumnInput {
            capture: None,
            at: newest.map(|taken| taken.wall),
            held,
        }
    }

    /// Captures, newest first.
    fn columns(&self, record: &UnitRecord) -> Vec<ColumnInput> {
        let own = record.own.as_deref().unwrap_or(&[]);
        record
            .captures
            .iter()
            .rev()
            .map(|capture| {
                let manifest = self.seen.manifest_of(record, capture.id).ok();
                let copies: Vec<&CopyFacts> = record
                    .copies
                    .iter()
                    .filter(|copy| copy.capture == capture.id)
                    .collect();
                let held: BTreeMap<Label, Held> = capture
                    .partitions
                    .iter()
                    .map(|part| {
                        let stored = manifest.as_ref().and_then(|m| m.partition(&part.label));
                        let here = own.iter().find(|own| own.label == part.label);
                        let held = Held::Image {
                            digest: part.blake3,
                            frames: stored.map(|s| s.frames.clone()).unwrap_or_default(),
                            trust: trust(&copies, &part.label),
                            moved: here.zip(stored).is_some_and(|(own, stored)| {
                                own.length_bytes != stored.length_bytes
                                    || own.offset_bytes != stored.offset_bytes
                            }),
                        };
                        (part.label.clone(), held)
                    })
                    .collect();
                ColumnInput {
                    capture: Some(capture.id),
                    at: Some(capture.taken.wall),
                    held,
                }
            })
            .collect()
    }
}

/// How well a partition of a capture is kept, over all its copies: damage in any place shows.
fn trust(copies: &[&CopyFacts], label: &Label) -> Trust {
    if copies.iter().any(|copy| copy.damaged.contains(label)) {
        Trust::Damaged
    } else if copies.iter().any(|copy| copy.verified.is_some()) {
        Trust::Verified
    } else {
        Trust::Unverified
    }
}

fn line(
    record: &UnitRecord,
    family: Option<&Family>,
    capture: &CaptureFacts,
    places: &[PlaceView],
    work: &Permission,
) -> CaptureLine {
    let at = |place: PlaceId| match places.iter().find(|known| known.id == place) {
        Some(PlaceView {
            problem: Some(problem),
            ..
        }) => Permission::no(problem.clone(), None),
        Some(_) => work.clone(),
        None => Permission::no("This place is no longer one of the bench's.", None),
    };
    let copies: Vec<CopyLine> = record
        .copies
        .iter()
        .filter(|copy| copy.capture == capture.id)
        .map(|copy| CopyLine {
            place: copy.place,
            name: copy.name.clone(),
            medium: copy
                .medium
                .clone()
                .unwrap_or_else(|| "memory, which does not count".to_owned()),
            read: copy.verified,
            verify: at(copy.place),
            repair: (!copy.damaged.is_empty()).then(|| at(copy.place)),
            trust: match (copy.verified, copy.damaged.is_empty()) {
                (_, false) => Trust::Damaged,
                (Some(_), true) => Trust::Verified,
                (None, true) => Trust::Unverified,
            },
            damage: record
                .damage
                .iter()
                .filter(|(c, p, _)| (*c, *p) == (capture.id, copy.place))
                .flat_map(|(_, _, damage)| damage.clone())
                .collect(),
        })
        .collect();
    let mut holds: Vec<HeldLine> = capture
        .partitions
        .iter()
        .filter(|part| part.is_unique)
        .map(|part| {
            let worth = worth::worth(capture, part, &record.captures);
            HeldLine {
                label: part.label.clone(),
                text: worth::holds(part),
                worth,
                is_minded: worth::is_minded(worth, family, &part.label),
            }
        })
        .collect();
    holds.sort_by_key(|held| held.worth);
    CaptureLine {
        id: capture.id,
        number: u32::try_from(record.number_of(capture.id)).unwrap_or(u32::MAX),
        taken: capture.taken.wall,
        counted: capture.taken.counted(),
        taker: capture.taker,
        holds,
        partitions: u32::try_from(capture.partitions.len()).unwrap_or(u32::MAX),
        bytes: capture
            .partitions
            .iter()
            .map(|part| part.length_bytes)
            .sum(),
        rest: capture.rest,
        by_hand: capture.origin == Origin::Declared,
        export: work.clone(),
        copy_to: places
            .iter()
            .filter(|place| copies.iter().all(|copy| copy.place != place.id))
            .map(|place| CopyTo {
                place: place.id,
                name: place.name.clone(),
                copy: at(place.id),
            })
            .collect(),
        copies,
    }
}
