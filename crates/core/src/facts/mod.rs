//! What is known of a unit: facts with a source and a time, some of which go stale (JOB 1, `K5`).
//!
//! Facts are append-only rows. The current one is the newest that is not stale, per source; when
//! the live sources of a steady fact differ, that is shown as a contradiction and satisfies no
//! rule. Nothing is ever resolved silently.

mod emptied;
pub mod equipment;
mod key;
mod sight;
mod value;
pub mod version;

use std::collections::{BTreeMap, BTreeSet};

use serde::{Deserialize, Serialize};
use veritope_wire::{BenchTime, FactId, WallTime};

use crate::mode::{Lock, Mode, RecoveryKind};
use crate::rule::Rule;
use crate::steady::Dated;

pub use emptied::Emptied;
pub(crate) use key::CHANGES;
pub use key::{ALL_WORKS, FactGroup, FactKey, FactKind, FactOption, FactSpec, WORKS_WELL};
pub use sight::{InSight, OUT_OF_SIGHT_HOURS};
pub use value::{FactValue, Month, NotAValue};
pub use version::Version;

/// Who says so.
#[derive(
    Debug,
    Clone,
    Copy,
    PartialEq,
    Eq,
    PartialOrd,
    Ord,
    Hash,
    Serialize,
    Deserialize,
    utoipa::ToSchema,
)]
#[serde(rename_all = "kebab-case")]
pub enum Source {
    /// Read from the device over the link.
    Link,
    /// Typed or ticked by a person.
    Person,
    /// Taken from a file.
    File,
    /// Concluded from other facts.
    Concluded,
}

/// One fact as recorded.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FactRow {
    /// Its id, for retracting it.
    pub id: FactId,
    /// What it is about.
    pub key: FactKey,
    /// What it says.
    pub value: FactValue,
    /// Who says so.
    pub source: Source,
    /// Since when.
    pub at: BenchTime,
}

/// Something that makes facts stale (`K5`).
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, utoipa::ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Happening {
    /// The unit entered another mode, went away or came back.
    ModeChanged,
    /// User data was erased.
    Wiped,
    /// The lock changed.
    LockChanged,
    /// An act on the lock was begun, and nobody saw whether the lock changed and the data went.
    LockInDoubt,
    /// A partition of the system was written.
    SystemWritten,
    /// The recovery's partition was written.
    RecoveryWritten,
    /// Another recovery was to start from its partition, and something else did: what lies there is not what was
    /// believed, or it does not start (`M11`, `T6`).
    RecoveryInDoubt,
    /// New verification metadata was written under which the owner's data can't be read: it is formatted before the
    /// system starts (`Q9`).
    DataShut,
    /// The system ran, or may have run while nobody looked: living partitions are other ones now.
    SystemRan,
}

/// How a fact reads now.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Reading<'a> {
    /// Known; the row that counts.
    Known(&'a FactRow),
    /// Was known; something happened since.
    Stale(&'a FactRow),
    /// Live sources say different things; newest of each, newest first.
    Contradicted(Vec<&'a FactRow>),
    /// Never recorded, or taken back.
    Unknown,
}

/// Facts that can't all be right.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Doubt {
    /// The rule behind it.
    pub rule: Rule,
    /// What is to be read again, the likelier first.
    pub keys: Vec<FactKey>,
    /// In one or two sentences, with what to do.
    pub text: String,
}

impl Doubt {
    /// A doubt.
    pub(crate) fn new(rule: Rule, keys: impl Into<Vec<FactKey>>, text: impl Into<String>) -> Self {
        Self {
            rule,
            keys: keys.into(),
            text: text.into(),
        }
    }
}

/// The facts of one unit at one moment.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Facts {
    /// Per key and source the newest row that was not taken back.
    newest: BTreeMap<(FactKey, Source), FactRow>,
    happened: BTreeMap<Happening, BenchTime>,
    emptied: Emptied,
    sight: InSight,
    /// What an erase leaves as it is on this unit.
    survives: BTreeSet<FactKey>,
    /// What has to be read again, since it changes by itself.
    old: BTreeSet<FactKey>,
    doubts: Vec<Doubt>,
    /// What may have been cut off or changed is shown, and known no more.
    are_held_back: bool,
}

impl Facts {
    /// Folds rows and happenings; their order does not matter, equal times are settled by id.
    #[must_use]
    pub fn new<'a>(
        rows: impl IntoIterator<Item = &'a FactRow>,
        retracted: &[FactId],
        happenings: impl IntoIterator<Item = (Happening, BenchTime)>,
    ) -> Self {
        let mut facts = Self::default();
        for row in rows {
            if retracted.contains(&row.id) {
                continue;
            }
            let slot = facts.newest.entry((row.key, row.source));
            slot.and_modify(|kept| {
                if (kept.at, kept.id) < (row.at, row.id) {
                    *kept = row.clone();
                }
            })
            .or_insert_with(|| row.clone());
        }
        for (what, at) in happenings {
            // In doubt it did.
            let all: &[Happening] = match what {
                Happening::LockInDoubt => &[Happening::LockChanged, Happening::Wiped],
                Happening::RecoveryInDoubt => &[Happening::RecoveryWritten],
                _ => &[what],
            };
            for what in all {
                let last = facts.happened.entry(*what).or_insert(at);
                *last = (*last).max(at);
            }
        }
        facts
    }

    /// The same of a unit of whose emptiness this is known.
    #[must_use]
    pub fn emptied(mut self, emptied: Emptied) -> Self {
        self.emptied = emptied;
        self
    }

    /// The same of a unit that was in sight then.
    #[must_use]
    pub fn in_sight(mut self, sight: InSight) -> Self {
        self.sight = sight;
        self
    }

    /// When it was in sight.
    #[must_use]
    pub fn sight(&self) -> InSight {
        self.sight
    }

    /// The same on a unit whose erases leave `keys` as they are.
    #[must_use]
    pub fn surviving(mut self, keys: impl IntoIterator<Item = FactKey>) -> Self {
        self.survives = keys.into_iter().collect();
        self
    }

    /// The same where `keys` were read too long ago.
    #[must_use]
    pub fn aged(mut self, keys: impl IntoIterator<Item = FactKey>) -> Self {
        self.old = keys.into_iter().collect();
        self
    }

    /// The same, with what can't be right among them.
    #[must_use]
    pub fn doubted(mut self, doubts: Vec<Doubt>) -> Self {
        self.doubts = doubts;
        self
    }

    /// What can't be right among them.
    #[must_use]
    pub fn doubts(&self) -> &[Doubt] {
        &self.doubts
    }

    /// Since when nothing of the owner's is on it: an erase was seen to end, and no set-up can have come
    /// since.
    #[must_use]
    pub fn empty_since(&self) -> Option<BenchTime> {
        self.emptied.since().filter(|_| !self.are_held_back)
    }

    /// The same of a record that is held back, since its log is damaged: all of them were known once.
    #[must_use]
    pub fn held_back(mut self) -> Self {
        self.are_held_back = true;
        self
    }

    /// Whether they are those of such a record.
    #[must_use]
    pub fn are_held_back(&self) -> bool {
        self.are_held_back
    }

    /// How `key` reads now.
    #[must_use]
    pub fn get(&self, key: FactKey) -> Reading<'_> {
        let mut rows: Vec<&FactRow> = self
            .newest
            .range((key, Source::Link)..=(key, Source::Concluded))
            .map(|(_, row)| row)
            .collect();
        rows.sort_by_key(|row| std::cmp::Reverse((row.at, row.id)));
        let Some(newest) = rows.first().copied() else {
            return Reading::Unknown;
        };
        let mut live: Vec<&FactRow> = rows.into_iter().filter(|row| !self.is_stale(row)).collect();
        // What was concluded yields to what was seen or said since.
        let is_seen = |row: &FactRow| row.source != Source::Concluded;
        if let Some(seen) = live.iter().find(|row| is_seen(row)).map(|row| row.at) {
            live.retain(|row| is_seen(row) || row.at >= seen);
        }
        match live.first() {
            None => Reading::Stale(newest),
            Some(first) if !key.spec().steady || live.iter().all(|r| r.value == first.value) => {
                Reading::Known(first)
            }
            Some(_) => Reading::Contradicted(live),
        }
    }

    /// The row behind a fact that is known now.
    #[must_use]
    pub fn known(&self, key: FactKey) -> Option<&FactRow> {
        match self.get(key) {
            Reading::Known(row) => Some(row),
            Reading::Stale(_) | Reading::Contradicted(_) | Reading::Unknown => None,
        }
    }

    /// The row behind a fact that is known now, or was until the system was written: what ran last (`W1`). Nothing
    /// where the unit was out of sight since, or the row is too old.
    #[must_use]
    pub fn known_before_writing(&self, key: FactKey) -> Option<&FactRow> {
        match self.get(key) {
            Reading::Known(row) => Some(row),
            Reading::Stale(row) => {
                let was_away = self.sight.left().is_some_and(|left| row.at <= left);
                let counts = !self.are_held_back && !self.old.contains(&key) && !was_away;
                counts.then_some(row)
            }
            Reading::Contradicted(_) | Reading::Unknown => None,
        }
    }

    /// The mode, when known now.
    #[must_use]
    pub fn mode(&self) -> Option<Mode> {
        self.choice(FactKey::Mode).and_then(Mode::from_id)
    }

    /// The lock, when known now.
    #[must_use]
    pub fn lock(&self) -> Option<Lock> {
        self.choice(FactKey::Lock).and_then(Lock::from_id)
    }

    /// What lies in the recovery partition, when known.
    #[must_use]
    pub fn recovery(&self) -> Option<RecoveryKind> {
        self.choice(FactKey::Recovery)
            .and_then(RecoveryKind::from_id)
    }

    /// The chosen id of a choice fact that is known now.
    #[must_use]
    pub fn choice(&self, key: FactKey) -> Option<&str> {
        match &self.known(key)?.value {
            FactValue::Choice(id) => Some(id),
            _ => None,
        }
    }

    /// The number of a count fact that is known now.
    #[must_use]
    pub fn count(&self, key: FactKey) -> Option<u32> {
        match self.known(key)?.value {
            FactValue::Count(count) => Some(count),
            _ => None,
        }
    }

    /// The text of a text fact that is known now.
    #[must_use]
    pub fn text(&self, key: FactKey) -> Option<&str> {
        match &self.known(key)?.value {
            FactValue::Text(text) => Some(text),
            _ => None,
        }
    }

    /// The moment that a fact names, when known now.
    #[must_use]
    pub fn dated(&self, key: FactKey) -> Option<Dated> {
        match self.known(key)?.value {
            FactValue::Moment(dated) => Some(dated),
            _ => None,
        }
    }

    /// These facts and one more, as if it were seen at `at`: for asking what a fact would decide.
    #[must_use]
    pub fn supposing(&self, key: FactKey, value: FactValue, at: BenchTime) -> Self {
        let mut supposed = self.clone();
        for source in [Source::Link, Source::Person, Source::File] {
            supposed.newest.remove(&(key, source));
        }
        let row = FactRow {
            id: FactId::nil(),
            key,
            value,
            source: Source::Concluded,
            at,
        };
        supposed.old.remove(&key);
        supposed.doubts.retain(|doubt| !doubt.keys.contains(&key));
        supposed.newest.insert((key, Source::Concluded), row);
        supposed
    }

    /// Whether what runs was started before the recovery's partition was written over: then it does
    /// not tell what lies there now (`K5`).
    #[must_use]
    pub fn runs_from_before(&self) -> bool {
        let written = self.last(Happening::RecoveryWritten);
        written.is_some() && written >= self.last(Happening::ModeChanged)
    }

    /// Whether the owner's data can't be read as things are: it was shut, and not erased since.
    #[must_use]
    pub fn is_data_shut(&self) -> bool {
        let shut = self.last(Happening::DataShut);
        shut.is_some() && shut > self.last(Happening::Wiped)
    }

    /// When `what` last happened.
    #[must_use]
    pub fn last(&self, what: Happening) -> Option<BenchTime> {
        self.happened.get(&what).copied()
    }

    /// Whether nothing happened since `row` that voids it.
    #[must_use]
    pub fn still_counts(&self, row: &FactRow) -> bool {
        !self.is_stale(row)
    }

    fn is_stale(&self, row: &FactRow) -> bool {
        if self.are_held_back || self.old.contains(&row.key) {
            return true;
        }
        let left = self.sight.left().filter(|_| row.key.changes_unseen());
        if left.is_some_and(|left| row.at <= left) {
            return true;
        }
        let voiding = row.key.spec().stale_on;
        // A fuse is burnt by a start of what was written, not by the writing (`W1`).
        let written = self.last(Happening::SystemWritten);
        if row.key == FactKey::RollbackIndex && self.last(Happening::SystemRan) < written {
            return false;
        }
        let survives = self.survives.contains(&row.key);
        let is_since = |what: Happening| {
            let is_left = survives && what == Happening::Wiped;
            !is_left && self.last(what).is_some_and(|at| at > row.at)
        };
        // Out of sight it may be running.
        let may_run = voiding.contains(&Happening::SystemRan)
            && is_since(Happening::ModeChanged)
            && self.mode().is_none();
        may_run || voiding.iter().any(|what| is_since(*what))
    }
}

/// A fact as a judgement cites it: masked where it identifies (`K3`).
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct CitedFact {
    /// What it is about.
    pub key: FactKey,
    /// Words for the key.
    pub title: String,
    /// The value as it may be shown.
    pub shown: String,
    /// The same, where it is a moment that was told.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub moment: Option<WallTime>,
    /// Who says so.
    pub source: Source,
    /// Since when.
    pub at: BenchTime,
}

impl From<&FactRow> for CitedFact {
    fn from(row: &FactRow) -> Self {
        Self {
            key: row.key,
            title: row.key.spec().title.to_owned(),
            shown: row.value.shown(row.key),
            moment: match row.value {
                FactValue::Moment(dated) => Some(dated.told),
                _ => None,
            },
            source: row.source,
            at: row.at,
        }
    }
}

#[cfg(test)]
pub(crate) mod testing {
    //! Short ways to write facts down in tests.
    use veritope_wire::Stamp;

    use super::*;

    /// The same on a bench whose clock was never set.
    pub(crate) fn stamp(minute: i64) -> Stamp {
        let bench = at(minute);
        Stamp {
            wall: WallTime::nearest_ms(bench.ms()),
            bench,
        }
    }

    pub(crate) fn at(minute: i64) -> BenchTime {
        BenchTime::from_ms(1_795_500_000_000 + minute * 60_000)
    }

    pub(crate) fn row(n: u64, key: FactKey, value: &str, source: Source, minute: i64) -> FactRow {
        FactRow {
            id: format!("00000000-0000-7000-8000-{n:012}").parse().unwrap(),
            key,
            value: FactValue::parse(key, value).unwrap(),
            source,
            at: at(minute),
        }
    }

    /// All of them read over the link in one minute.
    pub(crate) fn linked(pairs: &[(FactKey, &str)], minute: i64) -> Vec<FactRow> {
        pairs
            .iter()
            .zip(1..)
            .map(|((key, value), n)| row(n, *key, value, Source::Link, minute))
            .collect()
    }

    pub(crate) fn facts(pairs: &[(FactKey, &str)]) -> Facts {
        Facts::new(&linked(pairs, 0), &[], [])
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::testing::{at, row};
    use super::*;

    #[test]
    fn what_runs_from_before_a_write_does_not_tell_what_lies_there() {
        let happened = |all: &[(Happening, i64)]| {
            let all: Vec<_> = all.iter().map(|(what, n)| (*what, at(*n))).collect();
            Facts::new(&[], &[], all).runs_from_before()
        };
        assert!(!happened(&[(Happening::ModeChanged, 1)]));
        assert!(happened(&[
            (Happening::ModeChanged, 1),
            (Happening::RecoveryWritten, 1)
        ]));
        assert!(!happened(&[
            (Happening::RecoveryWritten, 1),
            (Happening::ModeChanged, 2)
        ]));
    }

    #[test]
    fn two_live_sources_that_differ_are_a_contradiction() {
        let rows = [
            row(1, FactKey::Lock, "locked", Source::Person, 0),
            row(2, FactKey::Lock, "unlocked", Source::Link, 5),
        ];
        let facts = Facts::new(&rows, &[], []);
        assert!(
            matches!(facts.get(FactKey::Lock), Reading::Contradicted(ref both) if both.len() == 2)
        );
        assert_eq!(facts.lock(), None);
        let after = Facts::new(&rows, &[], [(Happening::LockChanged, at(3))]);
        assert_eq!(after.lock(), Some(Lock::Unlocked));
    }

    #[test]
    fn what_was_concluded_yields_to_what_is_seen_since() {
        let told = |minute| {
            let rows = [
                row(1, FactKey::Recovery, "custom", Source::Concluded, 3),
                row(2, FactKey::Recovery, "stock", Source::Link, minute),
            ];
            Facts::new(&rows, &[], []).recovery()
        };
        assert_eq!(told(5), Some(RecoveryKind::Stock));
        assert_eq!(told(2), None, "what was seen before contradicts it");
    }

    #[test]
    fn a_mode_is_void_after_any_event_but_a_serial_is_not() {
        let rows = [
            row(1, FactKey::Mode, "system", Source::Link, 0),
            row(2, FactKey::Serial, "FL1-220417", Source::Link, 0),
        ];
        let facts = Facts::new(&rows, &[], [(Happening::ModeChanged, at(1))]);
        assert!(matches!(facts.get(FactKey::Mode), Reading::Stale(_)));
        assert!(matches!(facts.get(FactKey::Serial), Reading::Known(_)));
    }

    #[test]
    fn the_newest_battery_reading_counts_whoever_read_it() {
        let rows = [
            row(1, FactKey::Battery, "80", Source::Person, 0),
            row(2, FactKey::Battery, "74", Source::Link, 9),
        ];
        let facts = Facts::new(&rows, &[], []);
        assert_eq!(
            facts.known(FactKey::Battery).unwrap().value,
            FactValue::Percent(74)
        );
    }

    #[test]
    fn a_fact_taken_back_uncovers_the_one_before() {
        let rows = [
            row(1, FactKey::Accounts, "1", Source::Person, 0),
            row(2, FactKey::Accounts, "0", Source::Person, 1),
        ];
        let facts = Facts::new(&rows, &[rows[1].id], []);
        assert_eq!(
            facts.known(FactKey::Accounts).unwrap().value,
            FactValue::Count(1)
        );
    }

    proptest! {
        #[test]
        fn order_of_rows_does_not_matter(order in Just((0..6usize).collect::<Vec<_>>()).prop_shuffle()) {
            let rows: Vec<FactRow> = [
                row(1, FactKey::Lock, "locked", Source::Person, 0),
                row(2, FactKey::Lock, "unlocked", Source::Link, 5),
                row(3, FactKey::Lock, "unlocked", Source::Person, 5),
                row(4, FactKey::Mode, "system", Source::Link, 5),
                row(5, FactKey::Mode, "bootloader", Source::Link, 5),
                row(6, FactKey::Battery, "41", Source::Link, 2),
            ].into();
            let straight = Facts::new(&rows, &[], [(Happening::Wiped, at(4))]);
            let shuffled = Facts::new(order.iter().map(|i| &rows[*i]), &[], [(Happening::Wiped, at(4))]);
            prop_assert_eq!(straight, shuffled);
        }
    }
}
