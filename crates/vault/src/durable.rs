//! Writes that are on the disk when they return.

use std::fs::{self, File};
use std::io::Write;
use std::path::Path;

use crate::error::VaultError;

/// Makes a folder and waits until its parent knows it.
pub(crate) fn make_folder(path: &Path) -> Result<(), VaultError> {
    if path.is_dir() {
        return Ok(());
    }
    if let Some(parent) = path.parent() {
        make_folder(parent)?;
    }
    match fs::create_dir(path) {
        Err(error) if error.kind() != std::io::ErrorKind::AlreadyExists => {
            return Err(VaultError::at(path)(error));
        }
        _ => {}
    }
    sync_parent(path)
}

/// Replaces `path` as a whole: staged beside it, synced, renamed, folder synced.
pub(crate) fn write(path: &Path, bytes: &[u8]) -> Result<(), VaultError> {
    let staged = path.with_extension("staged");
    let refuse = VaultError::at(&staged);
    // What an earlier try left, or whoever wrote this place: a link there would be followed.
    clear(&staged)?;
    let mut file = File::create_new(&staged).map_err(&refuse)?;
    file.write_all(bytes).map_err(&refuse)?;
    file.sync_all().map_err(&refuse)?;
    drop(file);
    rename(&staged, path)
}

/// Takes away what lies at `path`, a link itself and not what it leads to; nothing there is fine.
pub(crate) fn clear(path: &Path) -> Result<(), VaultError> {
    match fs::remove_file(path) {
        Err(error) if error.kind() != std::io::ErrorKind::NotFound => {
            Err(VaultError::at(path)(error))
        }
        _ => Ok(()),
    }
}

/// Renames a synced file into place.
pub(crate) fn rename(from: &Path, to: &Path) -> Result<(), VaultError> {
    fs::rename(from, to).map_err(VaultError::at(to))?;
    sync_parent(to)
}

fn sync_parent(path: &Path) -> Result<(), VaultError> {
    let Some(parent) = path.parent() else {
        return Ok(());
    };
    File::open(parent)
        .and_then(|folder| folder.sync_all())
        .map_err(VaultError::at(parent))
}
