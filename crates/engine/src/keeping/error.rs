//! Why what exists once was not read, kept or put back.

use veritope_core::facts::NotAValue;
use veritope_core::rule::Rule;
use veritope_link::LinkError;
use veritope_vault::VaultError;
use veritope_wire::CaptureId;

use crate::desk::DeskError;
use crate::library::{DataError, LibraryError};
use crate::links::LinksError;
use crate::turns::TurnError;

/// Why what exists once was not read, kept or put back.
#[derive(Debug, thiserror::Error)]
pub enum KeepingError {
    /// The unit's family is not known.
    #[error("which family this unit belongs to is not known, so nothing is planned for it")]
    NoFamily,
    /// No such capture.
    #[error("there is no capture {0} of this unit")]
    NoCapture(CaptureId),
    /// What was read or put back can't be relied on.
    #[error("{text} ({rule})")]
    NoBackup {
        /// The rule behind it.
        rule: Rule,
        /// In one sentence.
        text: String,
    },
    /// A person stopped it.
    #[error("it was stopped; what was read stays, and goes on when it is begun again")]
    Stopped,
    /// A file that should be at hand is not.
    #[error("{0}")]
    Shelf(String),
    /// The step is not taken that way.
    #[error("{0}")]
    NotThisWay(&'static str),
    /// The last step has no outcome yet.
    #[error("it is not known how the last step ended: look first")]
    LookFirst,
    /// There is no next step.
    #[error("there is no step left on this sheet")]
    NoStep,
    /// A value that can't be.
    #[error(transparent)]
    NotAValue(#[from] NotAValue),
    /// Other input that can't be.
    #[error("{0}")]
    BadInput(String),
    /// A vault.
    #[error(transparent)]
    Vault(Box<VaultError>),
    /// Hashing or compressing failed.
    #[error("hashing and compressing failed")]
    Pump(#[from] std::io::Error),
    /// The link.
    #[error(transparent)]
    Links(LinksError),
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

impl From<LinkError> for KeepingError {
    fn from(error: LinkError) -> Self {
        LinksError::from(error).into()
    }
}

impl From<DataError> for KeepingError {
    fn from(error: DataError) -> Self {
        LibraryError::from(error).into()
    }
}

impl From<VaultError> for KeepingError {
    fn from(error: VaultError) -> Self {
        match error {
            VaultError::Stopped => Self::Stopped,
            other => Self::Vault(Box::new(other)),
        }
    }
}

/// A vault is a vault, whoever opened it.
impl From<LibraryError> for KeepingError {
    fn from(error: LibraryError) -> Self {
        match error {
            LibraryError::Vault(error) => (*error).into(),
            LibraryError::Desk(error) => Self::Desk(error),
            other => Self::Library(other),
        }
    }
}

// A cause has one place, however it came up.

impl From<TurnError> for KeepingError {
    fn from(error: TurnError) -> Self {
        match error {
            TurnError::Desk(error) => Self::Desk(error),
            other => Self::Turn(other),
        }
    }
}

impl From<LinksError> for KeepingError {
    fn from(error: LinksError) -> Self {
        match error {
            LinksError::Desk(error) => Self::Desk(error),
            LinksError::Turn(error) => Self::Turn(error),
            LinksError::Library(error) => Self::Library(error),
            other => Self::Links(other),
        }
    }
}
