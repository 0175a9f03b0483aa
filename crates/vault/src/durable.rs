//! The one way in which this program writes files: on the disk when it returns, as a whole or not at all,
//! and for the owner's eyes only.

use std::fs::{self, DirBuilder, File};
use std::io::{self, Write};
use std::os::unix::fs::{DirBuilderExt, PermissionsExt};
use std::path::Path;

/// How the name of a file begins that is not in its place yet.
const STAGED: &str = ".staged-";

/// Makes a folder for its owner only, and waits until its parent knows it; one that is there stays as it is.
///
/// # Errors
/// When it can't be made.
pub fn make_folder(path: &Path) -> io::Result<()> {
    if path.is_dir() {
        return Ok(());
    }
    if let Some(parent) = path
        .parent()
        .filter(|parent| !parent.as_os_str().is_empty())
    {
        make_folder(parent)?;
    }
    match DirBuilder::new().mode(0o700).create(path) {
        Err(error) if error.kind() != io::ErrorKind::AlreadyExists => return Err(error),
        _ => {}
    }
    sync_parent(path)
}

/// Replaces `path` as a whole, a link itself and not what it leads to: staged beside it under a name of its
/// own, synced, renamed, folder synced. The file is its owner's only.
///
/// # Errors
/// When it can't be written; then what was there stands, and nothing is left beside it.
pub fn write(path: &Path, bytes: &[u8]) -> io::Result<()> {
    let folder = path
        .parent()
        .filter(|parent| !parent.as_os_str().is_empty())
        .unwrap_or(Path::new("."));
    let mut staged = tempfile::Builder::new()
        .prefix(STAGED)
        .tempfile_in(folder)
        .map_err(as_it_is)?;
    staged.write_all(bytes).map_err(as_it_is)?;
    staged.as_file().sync_all()?;
    staged.persist(path).map_err(|error| error.error)?;
    sync_parent(path)
}

/// A file that is written bit by bit and is in no place yet; dropped, it is gone.
#[derive(Debug)]
pub struct Staged(tempfile::NamedTempFile);

impl Staged {
    /// A new one in `folder`, where its place will be.
    ///
    /// # Errors
    /// When it can't be made.
    pub fn within(folder: &Path) -> io::Result<Self> {
        let staged = tempfile::Builder::new()
            .prefix(STAGED)
            .tempfile_in(folder)
            .map_err(as_it_is)?;
        Ok(Self(staged))
    }

    /// The file, to write and to read.
    pub fn file(&mut self) -> &mut File {
        self.0.as_file_mut()
    }

    /// Where it lies for now.
    #[must_use]
    pub fn path(&self) -> &Path {
        self.0.path()
    }

    /// Puts it into its place: synced, renamed, folder synced.
    ///
    /// # Errors
    /// When it can't be; then what was there stands, and nothing is left beside it.
    pub fn place(self, path: &Path) -> io::Result<()> {
        self.0.as_file().sync_all()?;
        self.0.persist(path).map_err(|error| error.error)?;
        sync_parent(path)
    }
}

/// Puts a file into a folder of its own so that the folder is never seen without it: made whole in
/// `staging`, synced, renamed to `folder`. In a folder that is there, the file alone is replaced.
///
/// # Errors
/// When it can't be written; then what was there stands, and nothing is left beside it.
pub(crate) fn write_with_folder(
    staging: &Path,
    folder: &Path,
    name: &str,
    bytes: &[u8],
) -> io::Result<()> {
    if folder.is_dir() {
        return write(&folder.join(name), bytes);
    }
    if let Some(parent) = folder.parent() {
        make_folder(parent)?;
    }
    make_folder(staging)?;
    let staged = tempfile::Builder::new()
        .prefix(STAGED)
        .permissions(fs::Permissions::from_mode(0o700))
        .tempdir_in(staging)
        .map_err(as_it_is)?;
    write(&staged.path().join(name), bytes)?;
    fs::rename(staged.path(), folder)?;
    // It has another name now, under which it stays.
    let _ = staged.keep();
    sync_parent(folder)
}

/// Without the name of the staged file, which says nothing to anybody.
fn as_it_is(error: io::Error) -> io::Error {
    match error.kind() {
        io::ErrorKind::StorageFull => rustix::io::Errno::NOSPC.into(),
        io::ErrorKind::ReadOnlyFilesystem => rustix::io::Errno::ROFS.into(),
        io::ErrorKind::PermissionDenied => rustix::io::Errno::ACCESS.into(),
        _ => error,
    }
}

/// Takes away the files and folders that killed processes staged in a folder and never put into place.
///
/// # Errors
/// When the folder can't be listed or one of them not removed.
pub fn clear_staged(folder: &Path) -> io::Result<()> {
    let listed = match fs::read_dir(folder) {
        Err(error) if error.kind() == io::ErrorKind::NotFound => return Ok(()),
        other => other?,
    };
    for file in listed {
        let file = file?;
        let is_staged = file
            .file_name()
            .to_str()
            .is_some_and(|name| name.starts_with(STAGED));
        let kind = file.file_type()?;
        if is_staged && kind.is_file() {
            clear(&file.path())?;
        } else if is_staged && kind.is_dir() {
            fs::remove_dir_all(file.path())?;
        }
    }
    Ok(())
}

/// Takes away what lies at `path`, a link itself and not what it leads to; nothing there is fine.
///
/// # Errors
/// When it can't be taken away.
pub fn clear(path: &Path) -> io::Result<()> {
    match fs::remove_file(path) {
        Err(error) if error.kind() != io::ErrorKind::NotFound => Err(error),
        _ => Ok(()),
    }
}

/// Renames a synced file into place.
pub(crate) fn rename(from: &Path, to: &Path) -> io::Result<()> {
    fs::rename(from, to)?;
    sync_parent(to)
}

fn sync_parent(path: &Path) -> io::Result<()> {
    match path.parent() {
        Some(parent) if parent.as_os_str().is_empty() => File::open(".")?.sync_all(),
        Some(parent) => File::open(parent)?.sync_all(),
        None => Ok(()),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn mode(path: &Path) -> u32 {
        fs::symlink_metadata(path).unwrap().permissions().mode() & 0o777
    }

    #[test]
    fn what_is_written_is_whole_and_its_owners_only() {
        let folder = tempfile::tempdir().unwrap();
        let inside = folder.path().join("a/b");
        make_folder(&inside).unwrap();
        let path = inside.join("file");
        write(&path, b"first").unwrap();
        write(&path, b"second").unwrap();
        assert_eq!(fs::read(&path).unwrap(), b"second");
        assert_eq!((mode(&path), mode(&inside)), (0o600, 0o700));
        assert_eq!(
            fs::read_dir(&inside).unwrap().count(),
            1,
            "nothing is left beside it"
        );
    }

    #[test]
    fn a_link_is_replaced_and_what_it_leads_to_is_not_touched() {
        let folder = tempfile::tempdir().unwrap();
        let elsewhere = folder.path().join("elsewhere");
        fs::write(&elsewhere, b"mine").unwrap();
        let path = folder.path().join("file");
        std::os::unix::fs::symlink(&elsewhere, &path).unwrap();
        write(&path, b"ours").unwrap();
        assert_eq!(fs::read(&elsewhere).unwrap(), b"mine");
        assert!(fs::symlink_metadata(&path).unwrap().is_file());
    }

    #[test]
    fn what_a_killed_process_staged_is_cleared_and_nothing_else() {
        let folder = tempfile::tempdir().unwrap();
        fs::write(folder.path().join(".staged-Xy12"), b"half").unwrap();
        fs::create_dir(folder.path().join(".staged-Qk81")).unwrap();
        fs::write(folder.path().join(".staged-Qk81/file"), b"whole").unwrap();
        fs::write(folder.path().join("file"), b"whole").unwrap();
        clear_staged(folder.path()).unwrap();
        let left: Vec<_> = fs::read_dir(folder.path())
            .unwrap()
            .map(|file| file.unwrap().file_name())
            .collect();
        assert_eq!(left, ["file"]);
        clear_staged(&folder.path().join("none")).unwrap();
    }

    #[test]
    fn a_folder_comes_with_its_file_or_not_at_all() {
        let root = tempfile::tempdir().unwrap();
        let staging = root.path().join("staging");
        make_folder(&staging).unwrap();
        let folder = root.path().join("unit/day");
        write_with_folder(&staging, &folder, "file", b"first").unwrap();
        write_with_folder(&staging, &folder, "file", b"second").unwrap();
        assert_eq!(fs::read(folder.join("file")).unwrap(), b"second");
        assert_eq!((mode(&folder.join("file")), mode(&folder)), (0o600, 0o700));
        // What can't be put into place leaves nothing, here or there.
        let taken = root.path().join("taken");
        fs::write(&taken, b"a file").unwrap();
        write_with_folder(&staging, &taken, "file", b"third").unwrap_err();
        assert_eq!(fs::read(&taken).unwrap(), b"a file");
        assert_eq!(fs::read_dir(&staging).unwrap().count(), 0);
    }
}
