//! What a place says of itself, and on which medium it lies: two folders of one disk are one
//! accident away from each other.

use std::fs;
use std::os::unix::fs::MetadataExt;
use std::path::Path;

use serde::{Deserialize, Serialize};
use veritope_wire::PlaceId;

use crate::error::VaultError;

/// `place.toml` in a place's folder.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct PlaceFile {
    /// Version of the layout.
    pub vault_version: u32,
    /// Its id; goes with the folder wherever that is carried.
    pub id: PlaceId,
    /// A medium that declares itself, as a stand-in's stick does.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub medium: Option<String>,
}

/// What holds the bytes in the end.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Serialize)]
#[serde(tag = "is", content = "id", rename_all = "kebab-case")]
pub enum Medium {
    /// A whole disk, by the system's name for it.
    Disk(String),
    /// A medium that declares itself.
    Declared(String),
    /// Memory: gone with the power, never counts as a copy.
    Memory,
}

impl Medium {
    /// The medium under a folder, unless `declared` names one.
    ///
    /// # Errors
    /// When the folder can't be looked at.
    pub fn of(folder: &Path, declared: Option<&str>) -> Result<Self, VaultError> {
        if let Some(declared) = declared {
            return Ok(Self::Declared(declared.to_owned()));
        }
        let device = fs::metadata(folder).map_err(VaultError::at(folder))?.dev();
        Ok(disk(device).map_or(Self::Memory, Self::Disk))
    }

    /// Words for a person.
    #[must_use]
    pub fn shown(&self) -> String {
        match self {
            Self::Disk(name) => format!("disk {name}"),
            Self::Declared(name) => name.clone(),
            Self::Memory => "memory, which does not count".to_owned(),
        }
    }
}

/// The whole disk beneath a block device; nothing for file systems without one.
fn disk(device: u64) -> Option<String> {
    let (major, minor) = (rustix::fs::major(device), rustix::fs::minor(device));
    let entry = fs::canonicalize(format!("/sys/dev/block/{major}:{minor}")).ok()?;
    let whole = if entry.join("partition").exists() {
        entry.parent()?
    } else {
        &entry
    };
    Some(whole.file_name()?.to_str()?.to_owned())
}

/// Bytes free for us in the file system of `folder`.
pub(crate) fn free_bytes(folder: &Path) -> Result<u64, VaultError> {
    let stat = rustix::fs::statvfs(folder).map_err(|error| VaultError::at(folder)(error.into()))?;
    Ok(stat.f_bavail.saturating_mul(stat.f_frsize))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn memory_is_no_disk_and_a_declared_medium_is_believed() {
        let shm = Path::new("/dev/shm");
        assert_eq!(Medium::of(shm, None).unwrap(), Medium::Memory);
        assert_eq!(
            Medium::of(shm, Some("stick 7")).unwrap(),
            Medium::Declared("stick 7".to_owned())
        );
    }
}
