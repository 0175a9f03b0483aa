//! What the log knows of each partition's content, for the judgement of a relock.

use veritope_core::facts::{FactKey, Source};
use veritope_core::family::Family;
use veritope_core::mode::Lock;
use veritope_core::relock::{Held, held, own_stock};

use crate::bench::Engine;
use crate::unit::UnitRecord;

impl Engine {
    /// What is known of each partition, held against the unit's own capture from before anything
    /// was written here; nothing where there is none.
    pub(crate) fn held_of(&self, record: &UnitRecord, family: &Family) -> Vec<Held> {
        let seen_locked = record
            .facts
            .iter()
            .filter(|row| row.key == FactKey::Lock && row.source == Source::Link)
            .filter(|row| row.value.exact() == Lock::Locked.id())
            .map(|row| row.at)
            .min();
        let Some(stock) = own_stock(&record.captures, &record.written, seen_locked) else {
            return Vec::new();
        };
        // The build that ran when it was captured.
        let build = record
            .facts
            .iter()
            .filter(|row| row.key == FactKey::Build && row.at <= stock.taken)
            .max_by_key(|row| (row.at, row.id))
            .map(|row| row.value.exact());
        let Some(build) = build.filter(|build| family.build(build).is_some()) else {
            return Vec::new();
        };
        held(stock, &build, &record.captures, &record.written)
    }
}
