//! What the record promises to whoever writes in it.

use std::sync::Arc;

use veritope_wire::{RequestId, UnitId};

use crate::desk::line::Head;
use crate::desk::record::{Entry, Scope, Stamped};
use crate::desk::unit::UnitRecord;
use crate::desk::witness::Damage;

/// Something was not written down; then nothing of it stands in the log.
#[derive(Debug, thiserror::Error)]
pub enum JournalError {
    /// The log is damaged, and nothing is added to it.
    #[error("{}", .0.in_words().trim_end_matches('.'))]
    Held(Damage),
    /// The log can't be written.
    #[error("the log can't be written, so nothing was done")]
    Written(#[source] std::io::Error),
    /// A line is longer than any reader takes.
    #[error(
        "this would be a line of {0} bytes in the log, more than any reader takes; nothing was done"
    )]
    TooLong(usize),
    /// A unit's log has to begin with its arrival.
    #[error("the log of unit {0} has to begin with its arrival")]
    NoBeginning(UnitId),
    /// There is nothing to set aside.
    #[error("this log is sound: there is nothing to set aside")]
    NothingDamaged,
}

/// What came of an append.
#[derive(Debug)]
pub enum Appended {
    /// The entries are on the disk.
    Now(Vec<Stamped>),
    /// The same request was carried out before, in this scope; nothing was added.
    Before(Scope),
}

/// Keeps the record.
///
/// Contract: when `append` returns, the entries are on the disk, in order, all or none; a request that was
/// carried out is not carried out again, whoever asks, from however many threads; `unit` and `units` answer
/// from everything appended before, and from memory; one writer at a time. A log that is damaged is held
/// back: it is read as far as it is sound, and nothing is added to it.
pub trait Journal: Send + Sync {
    /// Writes entries down.
    ///
    /// # Errors
    /// When they are not on the disk; then nothing of them is.
    fn append(
        &self,
        scope: Scope,
        request: Option<RequestId>,
        entries: Vec<Entry>,
    ) -> Result<Appended, JournalError>;

    /// What is known of one unit.
    fn unit(&self, unit: UnitId) -> Option<Arc<UnitRecord>>;

    /// All units, oldest first.
    fn units(&self) -> Vec<Arc<UnitRecord>>;

    /// Whose log holds what came of a request, if it was carried out.
    fn done(&self, request: RequestId) -> Option<Scope>;

    /// Where a scope's chain ends.
    fn head(&self, scope: Scope) -> Head;

    /// Every log that is held back.
    fn damage(&self) -> Vec<Damage>;

    /// Sets a damaged log aside, by a person's word: a unit's record begins anew when the device comes back
    /// onto the bench, the bench's at once.
    ///
    /// # Errors
    /// When it is not damaged, or can't be moved or noted.
    fn set_aside(&self, scope: Scope, request: RequestId) -> Result<(), JournalError>;
}
