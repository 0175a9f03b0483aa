//! Why the bench's files can't be used.

use std::io;
use std::path::PathBuf;

use veritope_core::family::FamilyError;

/// Version of the data folder.
///
/// Changes: 1 = first. Older folders are opened and brought up to date; newer ones are refused.
pub const DATA_VERSION: u32 = 1;

/// Why a data folder can't be used; one sentence each.
#[derive(Debug, thiserror::Error)]
pub enum DataError {
    /// Something in it can't be read or written.
    #[error("{}: {source}", .path.display())]
    File {
        /// The file.
        path: PathBuf,
        /// Why.
        #[source]
        source: io::Error,
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
