//! What the log knows of each partition's content, for the judgement of a relock and of another slot.

use veritope_core::budget;
use veritope_core::facts::FactKey;
use veritope_core::family::Family;
use veritope_core::mode::Slot;
use veritope_core::plan::Sheet;
use veritope_core::relock::{Held, Stock, held, own_stock};
use veritope_core::seal::{Consent, RelockEvidence, SlotEvidence};

use crate::desk::unit::UnitRecord;
use crate::runs::Runs;

impl Runs {
    /// Brings the evidence for a relock together and hands it on.
    pub(crate) fn with_relock<T>(
        &self,
        record: &UnitRecord,
        family: &Family,
        sheet: &Sheet,
        consent: Option<&Consent>,
        judge: impl FnOnce(&RelockEvidence<'_>) -> T,
    ) -> T {
        let facts = record.known();
        let battery = budget::battery(
            sheet,
            &facts,
            family,
            &self.library.policy(),
            self.pen.now(),
        );
        judge(&RelockEvidence {
            family,
            nickname: &record.nickname,
            facts: &facts,
            held: &held_of(record, family),
            torn: &record.torn,
            keep_safe: &record.keep_safe,
            battery: Some(&battery),
            now: self.pen.now(),
            consent,
            twin: self.links.twin_of(record, family, &facts).as_deref(),
        })
    }

    /// Brings the evidence for a slot switch together and hands it on.
    pub(crate) fn with_slot<T>(
        &self,
        record: &UnitRecord,
        family: &Family,
        sheet: &Sheet,
        slot: Slot,
        judge: impl FnOnce(&SlotEvidence<'_>) -> T,
    ) -> T {
        let facts = record.known();
        let battery = budget::battery(
            sheet,
            &facts,
            family,
            &self.library.policy(),
            self.pen.now(),
        );
        judge(&SlotEvidence {
            family,
            facts: &facts,
            slot,
            held: &held_of(record, family),
            torn: &record.torn,
            keep_safe: &record.keep_safe,
            battery: &battery,
            twin: self.links.twin_of(record, family, &facts).as_deref(),
        })
    }
}

/// What is known of each partition, held against what a shipped family file says that the maker
/// publishes, and against the unit's own capture from while it was seen locked.
pub(crate) fn held_of(record: &UnitRecord, family: &Family) -> Vec<Held> {
    let known = record.known();
    let mut stocks = Stock::published(family, known.text(FactKey::ModelCode));
    let own = own_stock(&record.captures, record.first_write, record.seen_locked);
    stocks.extend(own.and_then(Stock::own));
    held(&stocks, &record.captures, &record.written)
}
