//! All that is known of a unit at one moment, brought together from record, shelf and places: what a
//! [`Dossier`] borrows from.

use std::collections::BTreeMap;
use std::sync::Arc;

use veritope_core::budget::{self, Battery, Load, Policy};
use veritope_core::coverage::{Coverage, Living};
use veritope_core::dossier::{By, Dossier, ReadBack, Shelved, StockAtHand};
use veritope_core::facts::{FactKey, Facts};
use veritope_core::family::Family;
use veritope_core::goal::Goal;
use veritope_core::matching::Wanted;
use veritope_core::published::SeenFile;
use veritope_core::relock::{Held, Stock, held, is_own_stock, own_stock};
use veritope_core::state::Presence;
use veritope_wire::{BenchTime, Digest, PlaceId};

use crate::desk::record::Way;
use crate::desk::unit::UnitRecord;
use crate::keeping::Keeping;
use crate::library::shelf::{JudgedFile, best_of};

/// How much is brought together.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Depth {
    /// What a plan and a row of the bench read.
    Row,
    /// What every list reads, the content of each partition included.
    List,
}

/// The file that is taken for a unit's recovery.
pub(crate) struct Taken {
    pub(crate) judged: JudgedFile,
    /// Why, where a person chose it though something speaks against it.
    pub(crate) reason: Option<String>,
}

impl Taken {
    fn of(record: &UnitRecord, judged: JudgedFile) -> Self {
        let chosen = record.chosen.as_ref();
        let reason = chosen
            .filter(|chosen| chosen.file == judged.digest)
            .and_then(|chosen| chosen.reason.clone());
        Self { judged, reason }
    }
}

/// The file that a run goes on with, or that a person chose.
fn decided(record: &UnitRecord) -> Option<Digest> {
    let run = record.active_run().and_then(|run| run.image);
    run.or(record.chosen.as_ref().map(|chosen| chosen.file))
}

/// All that is known of a unit at one moment.
pub(crate) struct Known<'r> {
    record: &'r UnitRecord,
    pub(crate) family: Arc<Family>,
    pub(crate) facts: Facts,
    policy: Policy,
    coverage: Option<Coverage>,
    as_captured: Option<Coverage>,
    held: Vec<Held>,
    twin: Option<String>,
    image: Option<Taken>,
    stock: Vec<StockAtHand>,
    packages: BTreeMap<String, Arc<SeenFile>>,
    battery: Option<Battery>,
    away: Vec<PlaceId>,
    by: By,
    now: BenchTime,
}

impl Keeping {
    /// Brings together what is known of `record` by `facts`; nothing of a file is hashed that did not change
    /// since it was hashed before.
    pub(crate) fn known<'r>(
        &self,
        record: &'r UnitRecord,
        family: Arc<Family>,
        facts: Facts,
        depth: Depth,
    ) -> Known<'r> {
        let now = self.pen.now();
        let image = self.recovery_of(record, &family, &facts);
        let link = match &record.way {
            Way::Link { bridge, .. } if self.links.transport(*bridge).is_ok() => Presence::Here,
            Way::Link { .. } | Way::Hand => Presence::Missing,
        };
        let token = if record.has_token {
            Presence::Here
        } else {
            Presence::Missing
        };
        let coverage = record
            .own
            .is_some()
            .then(|| self.coverage_of(record, &family));
        Known {
            record,
            policy: self.library.policy(),
            coverage,
            // Asked for what leaves it alone: packages and whole sets.
            as_captured: (record.own.is_some() && Goal::Rescue.fits(&family))
                .then(|| self.kept_as(record, &family, Living::AsCaptured)),
            held: match depth {
                Depth::Row => Vec::new(),
                Depth::List => held_of(record, &family, &facts),
            },
            twin: self.links.twin_of(record, &family, &facts),
            image,
            stock: if family.recovery_write.is_some() || family.makers_set.is_some() {
                self.stock_at_hand(record, &family)
            } else {
                Vec::new()
            },
            packages: BTreeMap::new(),
            battery: None,
            away: match depth {
                Depth::Row => Vec::new(),
                Depth::List => self.library.places_away(),
            },
            by: By { link, token },
            now,
            facts: family.told(self.links.sighted(record, facts), now),
            family,
        }
    }

    /// The file that is taken for a unit's recovery: the one that its run goes on with, the one that a person
    /// chose, or the best of those that fit.
    pub(crate) fn recovery_of(
        &self,
        record: &UnitRecord,
        family: &Family,
        facts: &Facts,
    ) -> Option<Taken> {
        let wanted = Wanted::of(family, facts, record.own.as_deref().unwrap_or(&[]))?;
        let (file, today) = (decided(record), self.pen.today());
        let judged = self.library.shelf.taken(&wanted, file, today)?;
        Some(Taken::of(record, judged))
    }

    /// The same out of all files of the shelf, which were judged already.
    pub(crate) fn recovery_among(
        record: &UnitRecord,
        wanted: &Wanted<'_>,
        all: &[JudgedFile],
    ) -> Option<Taken> {
        let judged = match decided(record) {
            Some(file) => all.iter().find(|one| one.digest == file),
            None => best_of(all, wanted),
        };
        Some(Taken::of(record, judged?.clone()))
    }

    /// The same with these packages, hashed where they lie. What is not there or can't be read was not
    /// hashed; the list says so.
    pub(crate) fn with_packages<'r, 'n>(
        &self,
        known: Known<'r>,
        names: impl IntoIterator<Item = &'n str>,
    ) -> Known<'r> {
        let family = Arc::clone(&known.family);
        let hashed = |name: &str| {
            let published = family.package(name).and_then(|spec| spec.blake3);
            let seen = self.library.shelf.package(name, published).ok()?;
            Some((name.to_owned(), seen))
        };
        Known {
            packages: names.into_iter().filter_map(hashed).collect(),
            ..known
        }
    }
}

impl Known<'_> {
    /// The same with the battery judged for this load.
    pub(crate) fn carrying(self, load: Load) -> Self {
        let battery = budget::battery(load, &self.facts, &self.family, &self.policy, self.now);
        Self {
            battery: Some(battery),
            ..self
        }
    }

    /// What a plan reads, for which nothing is charged yet.
    pub(crate) fn uncharged(&self) -> Dossier<'_> {
        Dossier {
            battery: None,
            ..self.dossier()
        }
    }

    /// What every list reads.
    pub(crate) fn dossier(&self) -> Dossier<'_> {
        let record = self.record;
        Dossier {
            unit: record.id,
            nickname: &record.nickname,
            by: self.by,
            twin: self.twin.as_deref(),
            paired: &record.paired,
            keep_safe: &record.keep_safe,
            torn: &record.torn,
            battery: self.battery.as_ref(),
            captures: &record.captures,
            coverage: self.coverage.as_ref(),
            as_captured: self.as_captured.as_ref(),
            read_back: ReadBack {
                copies: None,
                away: &self.away,
                needed: self.policy.copies,
            },
            held: &self.held,
            is_own_stock: is_own_stock(&record.captures, record.first_write, record.seen_locked),
            recovery: self.image.as_ref().map(|image| Shelved {
                name: image.judged.record.shown(),
                version: image.judged.judgement.version.as_deref(),
                findings: &image.judged.judgement.findings,
                reason: image.reason.as_deref(),
                known_by: Some(image.judged.digest),
                seen: image.judged.seen.as_deref().map(|seen| &seen.seen),
            }),
            stock: &self.stock,
            failed_reads: record.active_run().map_or(0, |run| run.failed_reads),
            packages: &self.packages,
            seq: record.seq,
            ..Dossier::new(&self.family, &self.facts, self.now)
        }
    }
}

/// What is known of each partition, held against what a shipped family file says that the maker
/// publishes, and against the unit's own capture from while it was seen locked.
fn held_of(record: &UnitRecord, family: &Family, known: &Facts) -> Vec<Held> {
    let mut stocks = Stock::published(family, known.text(FactKey::ModelCode));
    let own = own_stock(&record.captures, record.first_write, record.seen_locked);
    stocks.extend(own.and_then(Stock::own));
    held(&stocks, &record.captures, &record.written)
}
