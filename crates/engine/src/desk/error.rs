//! Why the record was not read or written.

use veritope_wire::UnitId;

use crate::desk::journal::JournalError;

/// Why something was not found in the record, or not noted in it.
#[derive(Debug, thiserror::Error)]
pub enum DeskError {
    /// No such unit.
    #[error("there is no unit {0} on this bench")]
    NoUnit(UnitId),
    /// The same id was used for something else.
    #[error("this request's id was used for another request before")]
    AnotherRequest,
    /// What was judged rests on an older state of the record.
    #[error("the unit's record moved on while this was judged: ask again")]
    MovedOn,
    /// It can't be noted.
    #[error(transparent)]
    Journal(#[from] JournalError),
}
