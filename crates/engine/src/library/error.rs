//! Why the bench's files can't be used.

use std::io;
use std::path::PathBuf;

use veritope_core::facts::NotAValue;
use veritope_core::family::FamilyError;
use veritope_vault::VaultError;
use veritope_wire::{FactId, PlaceId};

use crate::desk::DeskError;
use crate::desk::journal::JournalError;

/// Version of the data folder.
///
/// Changes: 1 = first. Older folders are opened and brought up to date; newer ones are refused.
pub const DATA_VERSION: u32 = 1;

/// Why a data folder can't be used; one sentence each.
#[derive(Debug, thiserror::Error)]
pub enum DataError {
    /// Something in it can't be read or written.
    #[error("{}: {why}", .path.display())]
    File {
        /// The file.
        path: PathBuf,
        /// Why.
        why: io::Error,
    },
    /// Another process uses the folder.
    #[error("{} is in use by {by}: use that bench, or stop it first. Nothing was touched", .path.display())]
    Held {
        /// The folder.
        path: PathBuf,
        /// Who uses it, as they say.
        by: String,
    },
    /// A file of ours makes no sense.
    #[error("{}: {what}; repair it or move it away", .path.display())]
    Unreadable {
        /// The file.
        path: PathBuf,
        /// What is wrong.
        what: String,
    },
    /// The folder was made by a later program.
    #[error(
        "{} is a data folder of version {found}, this program knows {DATA_VERSION}: use a newer Veritope or another --data",
        .path.display()
    )]
    Newer {
        /// The folder.
        path: PathBuf,
        /// Its version.
        found: u32,
    },
    /// A family file is damaged.
    #[error(transparent)]
    Family(#[from] FamilyError),
}

/// Why something that the bench keeps in files was not read or changed.
#[derive(Debug, thiserror::Error)]
pub enum LibraryError {
    /// The record.
    #[error(transparent)]
    Desk(#[from] DeskError),
    /// The data folder.
    #[error(transparent)]
    Data(#[from] DataError),
    /// A vault.
    #[error(transparent)]
    Vault(Box<VaultError>),
    /// No such family.
    #[error("no family `{0}` is known here")]
    NoFamilyNamed(String),
    /// The unit's family is not known.
    #[error("which family this unit belongs to is not known, so nothing is kept for it")]
    NoFamily,
    /// No such fact.
    #[error("there is no fact {0} of this unit that a person typed")]
    NoFact(FactId),
    /// No such place.
    #[error("there is no place {0} on this bench")]
    NoPlace(PlaceId),
    /// A place is not there now.
    #[error("{0} is not there now: connect it, or choose another place")]
    PlaceAway(String),
    /// A file that should be at hand is not.
    #[error("{0}")]
    Shelf(String),
    /// There is no such file on the shelf.
    #[error("there is no such file on the shelf")]
    NoFile,
    /// The shelf can't be written or read.
    #[error("the shelf can't be used: {0}")]
    ShelfFile(std::io::Error),
    /// A person stopped it.
    #[error("stopped; nothing of it was kept")]
    Stopped,
    /// It would not be used.
    #[error("{0}")]
    NotThisWay(&'static str),
    /// A value that can't be.
    #[error(transparent)]
    NotAValue(#[from] NotAValue),
    /// Other input that can't be.
    #[error("{0}")]
    BadInput(String),
}

impl LibraryError {
    pub(crate) fn shelf(error: io::Error) -> Self {
        Self::ShelfFile(error)
    }
}

impl From<JournalError> for LibraryError {
    fn from(error: JournalError) -> Self {
        Self::Desk(error.into())
    }
}

impl From<VaultError> for LibraryError {
    fn from(error: VaultError) -> Self {
        Self::Vault(Box::new(error))
    }
}
