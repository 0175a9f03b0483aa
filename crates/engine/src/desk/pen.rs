//! Through which everything is read of the record and written in it: a request is done once, what is noted is
//! in the log, and whoever hears of changes is told.

use std::collections::BTreeSet;
use std::sync::{Arc, Condvar, Mutex, MutexGuard, PoisonError};

use veritope_core::facts::{FactKey, FactRow, FactValue, Source};
use veritope_wire::{BenchTime, FactId, RequestId, UnitId};

use crate::desk::clock::BenchClock;
use crate::desk::error::DeskError;
use crate::desk::journal::{Journal, JournalError};
use crate::desk::record::{Entry, Scope};
use crate::desk::unit::UnitRecord;
use crate::ports::{Changed, Ids, Notify};

/// Reads the record and writes in it.
pub struct Pen {
    pub(crate) journal: Arc<dyn Journal>,
    pub(crate) clock: Arc<BenchClock>,
    pub(crate) ids: Arc<dyn Ids>,
    pub(crate) notify: Arc<dyn Notify>,
    /// Requests being carried out.
    requests: Mutex<BTreeSet<RequestId>>,
    request_done: Condvar,
}

/// A request that is being carried out; others with the same id wait.
pub(crate) struct InHand<'a> {
    pen: &'a Pen,
    request: RequestId,
}

impl Drop for InHand<'_> {
    fn drop(&mut self) {
        lock(&self.pen.requests).remove(&self.request);
        self.pen.request_done.notify_all();
    }
}

/// Whether a request is to be carried out.
pub(crate) enum Once<'a> {
    /// Yes, and others with the same id wait meanwhile.
    First(InHand<'a>),
    /// It was, in this log.
    Before(Scope),
}

/// The rooms' maps are consistent after every statement, so a panic elsewhere doesn't spoil them.
pub(crate) fn lock<T>(mutex: &Mutex<T>) -> MutexGuard<'_, T> {
    mutex.lock().unwrap_or_else(PoisonError::into_inner)
}

impl Pen {
    pub(crate) fn new(
        journal: Arc<dyn Journal>,
        clock: Arc<BenchClock>,
        ids: Arc<dyn Ids>,
        notify: Arc<dyn Notify>,
    ) -> Self {
        Self {
            journal,
            clock,
            ids,
            notify,
            requests: Mutex::default(),
            request_done: Condvar::new(),
        }
    }

    /// The bench's clock.
    #[must_use]
    pub fn clock(&self) -> Arc<BenchClock> {
        Arc::clone(&self.clock)
    }

    /// Now, as this bench counts.
    pub(crate) fn now(&self) -> BenchTime {
        self.clock.now()
    }

    /// All units, oldest first.
    pub(crate) fn units(&self) -> Vec<Arc<UnitRecord>> {
        self.journal.units()
    }

    pub(crate) fn record(&self, unit: UnitId) -> Result<Arc<UnitRecord>, DeskError> {
        self.journal.unit(unit).ok_or(DeskError::NoUnit(unit))
    }

    /// Begins what a request asks of a unit: nothing when it was carried out before. The same request from
    /// another thread waits until this one is through.
    pub(crate) fn once(
        &self,
        scope: Scope,
        request: RequestId,
    ) -> Result<Option<InHand<'_>>, DeskError> {
        let in_hand = self.in_hand(request);
        if self.journal.done(request).is_some() {
            return Ok(None);
        }
        self.is_sound(scope)?;
        Ok(Some(in_hand))
    }

    /// The same where a unit's id or a place's is what comes of it.
    pub(crate) fn once_on_the_bench(&self, request: RequestId) -> Result<Once<'_>, DeskError> {
        let in_hand = self.in_hand(request);
        if let Some(scope) = self.journal.done(request) {
            return Ok(Once::Before(scope));
        }
        self.is_sound(Scope::Bench)?;
        Ok(Once::First(in_hand))
    }

    fn in_hand(&self, request: RequestId) -> InHand<'_> {
        let mut under_way = lock(&self.requests);
        while !under_way.insert(request) {
            under_way = self
                .request_done
                .wait(under_way)
                .unwrap_or_else(PoisonError::into_inner);
        }
        drop(under_way);
        InHand { pen: self, request }
    }

    /// The day, in days since 1970, as the clock on the wall tells it: for how old files are, and nothing else.
    pub(crate) fn today(&self) -> i64 {
        self.clock.stamp().wall.ms().div_euclid(24 * 3_600_000)
    }

    /// Whether anything can be written down in a log.
    pub(crate) fn is_sound(&self, scope: Scope) -> Result<(), DeskError> {
        let damage = self.journal.damage();
        match damage.into_iter().find(|damage| damage.scope == scope) {
            Some(damage) => Err(JournalError::Held(damage).into()),
            None => Ok(()),
        }
    }

    /// Sets a damaged log aside, by a person's word; a unit's record then begins anew when its device comes
    /// back onto the bench.
    ///
    /// # Errors
    /// When it is sound, or can't be moved.
    pub fn set_log_aside(&self, scope: Scope, request: RequestId) -> Result<(), DeskError> {
        self.journal.set_aside(scope, request)?;
        self.notify.changed(Changed::Bench);
        Ok(())
    }

    pub(crate) fn append(
        &self,
        unit: UnitId,
        request: Option<RequestId>,
        entries: Vec<Entry>,
    ) -> Result<(), DeskError> {
        if !entries.is_empty() {
            self.journal.append(Scope::Unit(unit), request, entries)?;
            self.notify.changed(Changed::Unit(unit));
        }
        Ok(())
    }

    /// Writes down what is about to be done with a unit, by a judgement that rests on line `seq` of its log.
    ///
    /// # Errors
    /// [`DeskError::MovedOn`] when another line came since: nothing is written then.
    pub(crate) fn intend(
        &self,
        unit: UnitId,
        request: Option<RequestId>,
        entries: Vec<Entry>,
        seq: u64,
    ) -> Result<(), DeskError> {
        if self.record(unit)?.seq != seq {
            return Err(DeskError::MovedOn);
        }
        self.append(unit, request, entries)
    }

    pub(crate) fn append_to(
        &self,
        scope: Scope,
        request: Option<RequestId>,
        entries: Vec<Entry>,
    ) -> Result<(), DeskError> {
        self.journal.append(scope, request, entries)?;
        self.notify.changed(Changed::Bench);
        Ok(())
    }

    /// Writes down a change that was just made to a file; where that fails, it is taken back: a refused
    /// request leaves nothing.
    ///
    /// # Errors
    /// When it can't be written down, whether or not it could be taken back.
    pub(crate) fn note_or_take_back<E: std::error::Error>(
        &self,
        scope: Scope,
        request: RequestId,
        entries: Vec<Entry>,
        take_back: impl FnOnce() -> Result<(), E>,
    ) -> Result<(), DeskError> {
        let noted = match scope {
            Scope::Bench => self.append_to(scope, Some(request), entries),
            Scope::Unit(unit) => self.append(unit, Some(request), entries),
        };
        if noted.is_err()
            && let Err(error) = take_back()
        {
            tracing::error!(%error, "a change could not be taken back");
        }
        noted
    }

    pub(crate) fn row(
        &self,
        key: FactKey,
        value: FactValue,
        source: Source,
        at: BenchTime,
    ) -> FactRow {
        let value = match value {
            FactValue::Moment(dated) => FactValue::Moment(self.clock.dated(dated.told)),
            other => other,
        };
        FactRow {
            id: FactId::new(self.ids.fresh()),
            key,
            value,
            source,
            at,
        }
    }
}
