//! Why there is nothing to show.

use crate::desk::DeskError;
use crate::keeping::KeepingError;

/// Why there is nothing to show.
#[derive(Debug, thiserror::Error)]
pub enum ViewError {
    /// It waits for nothing.
    #[error("{0} waits for nothing now, see Standing")]
    WaitsForNothing(String),
    /// The record.
    #[error(transparent)]
    Desk(#[from] DeskError),
    /// What exists once.
    #[error(transparent)]
    Keeping(KeepingError),
}

impl From<KeepingError> for ViewError {
    fn from(error: KeepingError) -> Self {
        match error {
            KeepingError::Desk(error) => Self::Desk(error),
            other => Self::Keeping(other),
        }
    }
}
