//! What a place says of itself, and on which medium it lies: two folders of one disk are one
//! accident away from each other, whatever lies between them and the disk.

use std::collections::BTreeSet;
use std::fs;
use std::os::unix::fs::MetadataExt;
use std::path::{Path, PathBuf};

use serde::{Deserialize, Serialize};
use veritope_core::coverage::MEDIA_JOIN;
use veritope_wire::PlaceId;

use crate::error::VaultError;

/// `place.toml` in a place's folder. What else stands there is not believed: a folder can't say on
/// which medium it lies.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct PlaceFile {
    /// Version of the layout.
    pub vault_version: u32,
    /// Its id; goes with the folder wherever that is carried.
    pub id: PlaceId,
}

/// What holds the bytes in the end.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Serialize)]
#[serde(tag = "is", content = "id", rename_all = "kebab-case")]
pub enum Medium {
    /// Whole disks, by the system's names for them, sorted.
    Disks(Vec<String>),
    /// Memory, or what is not known to be a disk: never counts as a copy.
    Memory,
}

/// Deepest stack of loops and mappers that is looked through.
const DEEPEST: u32 = 16;

impl Medium {
    /// The medium under a folder: through partitions, loops over files, mappers and arrays.
    ///
    /// # Errors
    /// When the folder can't be looked at.
    pub fn of(folder: &Path) -> Result<Self, VaultError> {
        Self::beneath(Path::new("/sys"), folder)
    }

    fn beneath(sys: &Path, folder: &Path) -> Result<Self, VaultError> {
        let device = fs::metadata(folder).map_err(VaultError::at(folder))?.dev();
        let mut disks = BTreeSet::new();
        let known = walk(sys, number(device), DEEPEST, &mut disks);
        Ok(match known {
            Some(()) if !disks.is_empty() => Self::Disks(disks.into_iter().collect()),
            _ => Self::Memory,
        })
    }

    /// Words for a person; equal for equal media.
    #[must_use]
    pub fn shown(&self) -> String {
        match self {
            Self::Disks(names) => {
                let each: Vec<String> = names.iter().map(|name| format!("disk {name}")).collect();
                each.join(MEDIA_JOIN)
            }
            Self::Memory => "memory, which does not count".to_owned(),
        }
    }
}

fn number(device: u64) -> String {
    let (major, minor) = (rustix::fs::major(device), rustix::fs::minor(device));
    format!("{major}:{minor}")
}

/// Adds the whole disks beneath a block device; nothing when one of them can't be told.
fn walk(sys: &Path, number: String, depth: u32, disks: &mut BTreeSet<String>) -> Option<()> {
    let entry = fs::canonicalize(sys.join("dev/block").join(number)).ok()?;
    let whole = if entry.join("partition").exists() {
        entry.parent()?.to_owned()
    } else {
        entry
    };
    if depth == 0 {
        return None;
    }
    // A mapper or an array lies on what it is made of.
    let parts: Vec<PathBuf> = fs::read_dir(whole.join("slaves"))
        .map(|all| all.flatten().map(|one| one.path()).collect())
        .unwrap_or_default();
    if !parts.is_empty() {
        return parts.iter().try_for_each(|part| {
            let number = fs::read_to_string(part.join("dev")).ok()?;
            walk(sys, number.trim().to_owned(), depth - 1, disks)
        });
    }
    // A loop lies where its file lies.
    if let Ok(file) = fs::read_to_string(whole.join("loop/backing_file")) {
        let file = PathBuf::from(file.trim_end_matches('\n'));
        let device = fs::metadata(&file).ok()?.dev();
        return walk(sys, self::number(device), depth - 1, disks);
    }
    let name = whole.file_name()?.to_str()?;
    // Memory that calls itself a disk is memory all the same.
    if name.starts_with("ram") || name.starts_with("zram") || name.starts_with("loop") {
        return None;
    }
    disks.insert(name.to_owned());
    Some(())
}

/// Bytes free for us in the file system of `folder`.
pub(crate) fn free_bytes(folder: &Path) -> Result<u64, VaultError> {
    let stat = rustix::fs::statvfs(folder).map_err(|error| VaultError::at(folder)(error.into()))?;
    Ok(stat.f_bavail.saturating_mul(stat.f_frsize))
}

/// Makes sure that `needed` bytes are free in the file system of `folder` (`B8`).
pub(crate) fn has_room(folder: &Path, needed: u64) -> Result<(), VaultError> {
    let free = free_bytes(folder)?;
    if free >= needed {
        return Ok(());
    }
    Err(VaultError::NoRoom {
        path: folder.to_owned(),
        needed,
        free,
    })
}

#[cfg(test)]
mod tests {
    use std::os::unix::fs::symlink;

    use super::*;

    #[test]
    fn memory_is_no_disk() {
        assert_eq!(Medium::of(Path::new("/dev/shm")).unwrap(), Medium::Memory);
    }

    /// A system with one disk: a partition of it, a mapper over that partition, a loop over a file on
    /// it, and an array over it and a second one.
    #[test]
    fn loops_mappers_and_arrays_are_looked_through() {
        let place = tempfile::tempdir().unwrap();
        let sys = place.path().join("sys");
        let folder = place.path().join("folder");
        fs::create_dir_all(&folder).unwrap();
        let own = number(fs::metadata(&folder).unwrap().dev());
        let device = |path: &str, number: &str| {
            let path = sys.join("devices").join(path);
            fs::create_dir_all(&path).unwrap();
            fs::write(path.join("dev"), format!("{number}\n")).unwrap();
            fs::create_dir_all(sys.join("dev/block")).unwrap();
            let _ = fs::remove_file(sys.join("dev/block").join(number));
            symlink(&path, sys.join("dev/block").join(number)).unwrap();
            path
        };
        let of = || Medium::beneath(&sys, &folder).unwrap().shown();
        assert_eq!(of(), "memory, which does not count", "not known: none");
        device("sdq", "8:240");
        let part = device("sdq/sdq1", "8:241");
        fs::write(part.join("partition"), "1").unwrap();
        // The folder lies on the partition itself.
        let on = |path: &Path| {
            let link = sys.join("dev/block").join(&own);
            let _ = fs::remove_file(&link);
            symlink(path, link).unwrap();
        };
        on(&part);
        assert_eq!(of(), "disk sdq");
        let mapper = device("dm-9", "253:9");
        fs::create_dir_all(mapper.join("slaves")).unwrap();
        symlink(&part, mapper.join("slaves/sdq1")).unwrap();
        on(&mapper);
        assert_eq!(of(), "disk sdq");
        let other = device("sdr", "65:0");
        symlink(&other, mapper.join("slaves/sdr")).unwrap();
        assert_eq!(of(), "disk sdq + disk sdr");
        // Without its file a loop lies nowhere; round in circles it ends as well.
        let round = device("loop9", "7:9");
        on(&round);
        assert_eq!(of(), "memory, which does not count");
        fs::create_dir_all(round.join("loop")).unwrap();
        fs::write(
            round.join("loop/backing_file"),
            format!("{}\n", folder.display()),
        )
        .unwrap();
        assert_eq!(of(), "memory, which does not count");
    }
}
