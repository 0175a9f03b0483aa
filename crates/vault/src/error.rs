//! Why something in a vault did not come about.

use std::io;
use std::path::{Path, PathBuf};

use veritope_wire::CaptureId;

/// One sentence each: what, where, what to do.
#[derive(Debug, thiserror::Error)]
pub enum VaultError {
    /// A file or folder can't be read or written.
    #[error("{}: {why}", .path.display())]
    File {
        /// Which.
        path: PathBuf,
        /// Why.
        why: io::Error,
    },
    /// A file of the vault makes no sense.
    #[error("{}: {what}", .path.display())]
    Unreadable {
        /// Which.
        path: PathBuf,
        /// What is wrong.
        what: String,
    },
    /// A file was written by a later program.
    #[error("{} was written by a newer Veritope (version {found}); use that one", .path.display())]
    Newer {
        /// Which.
        path: PathBuf,
        /// Its version.
        found: u32,
    },
    /// Another bench writes this vault.
    #[error("{} is being written by another bench; it can be read meanwhile", .0.display())]
    Busy(PathBuf),
    /// A person stopped it; what was copied stays, and is gone on with.
    #[error("it was stopped")]
    Stopped,
    /// Opened for reading only.
    #[error("{} was opened for reading only", .0.display())]
    ReadOnly(PathBuf),
    /// No such capture here.
    #[error("capture {0} is not in this place")]
    NoCapture(CaptureId),
    /// Not enough room.
    #[error(
        "{} has {free} bytes free, {needed} are needed: {} more; make room and try again",
        .path.display(), .needed - .free
    )]
    NoRoom {
        /// Where.
        path: PathBuf,
        /// Bytes needed.
        needed: u64,
        /// Bytes free.
        free: u64,
    },
    /// An image is not what its manifest says.
    #[error("{label} of this capture is damaged at frame {frame}, bytes {first} to {last}: {what}")]
    Damaged {
        /// The partition.
        label: String,
        /// The frame, from 0.
        frame: u64,
        /// First byte of it in the image.
        first: u64,
        /// Last byte of it in the image.
        last: u64,
        /// What was found.
        what: String,
    },
}

impl VaultError {
    /// For `map_err`: names the file.
    pub(crate) fn at(path: &Path) -> impl Fn(io::Error) -> Self {
        let path = path.to_owned();
        move |why| Self::File {
            path: path.clone(),
            why,
        }
    }
}
