//! Why nothing came over a link.

use veritope_core::facts::NotAValue;
use veritope_link::LinkError;
use veritope_wire::BridgeId;

use crate::desk::DeskError;
use crate::library::{DataError, LibraryError};
use crate::turns::TurnError;

/// Why nothing came over a link.
#[derive(Debug, thiserror::Error)]
pub enum LinksError {
    /// No such bridge.
    #[error("there is no bridge {0} on this bench")]
    NoBridge(BridgeId),
    /// The step is not taken that way.
    #[error("{0}")]
    NotThisWay(&'static str),
    /// A value that can't be.
    #[error(transparent)]
    NotAValue(#[from] NotAValue),
    /// Other input that can't be.
    #[error("{0}")]
    BadInput(String),
    /// Something about the link.
    #[error(transparent)]
    Link(#[from] LinkError),
    /// The device that answers is another one.
    #[error(
        "the unit at the link is not {nickname}: its identifiers differ (K4). Nothing was recorded"
    )]
    AnotherUnit {
        /// The unit that was expected.
        nickname: String,
    },
    /// Nothing says which unit it is.
    #[error("{text} (K4). Nothing was recorded")]
    NotTold {
        /// What to do.
        text: String,
    },
    /// The signs of its mode disagree.
    #[error("{} (K5). Nothing was recorded", .text.trim_end_matches('.'))]
    Doubtful {
        /// How, and what to do.
        text: String,
    },
    /// Who may change the unit.
    #[error(transparent)]
    Turn(TurnError),
    /// The record.
    #[error(transparent)]
    Desk(#[from] DeskError),
    /// What the bench keeps in files.
    #[error(transparent)]
    Library(LibraryError),
}

impl From<DataError> for LinksError {
    fn from(error: DataError) -> Self {
        LibraryError::from(error).into()
    }
}

// A cause has one place, however it came up.

impl From<TurnError> for LinksError {
    fn from(error: TurnError) -> Self {
        match error {
            TurnError::Desk(error) => Self::Desk(error),
            other => Self::Turn(other),
        }
    }
}

impl From<LibraryError> for LinksError {
    fn from(error: LibraryError) -> Self {
        match error {
            LibraryError::Desk(error) => Self::Desk(error),
            other => Self::Library(other),
        }
    }
}
