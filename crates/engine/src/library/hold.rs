//! One data folder, one process: a lock on the folder itself, taken before anything in it is opened.

use std::fs::{self, File, Permissions, TryLockError};
use std::io::{self, Read};
use std::os::unix::fs::PermissionsExt;
use std::path::{Path, PathBuf};
use std::sync::Arc;

use veritope_vault::durable;

use crate::library::error::DataError;

/// The file in which whoever holds a folder says who it is. The lock is on the folder: what a killed process
/// left here holds nothing.
const HOLDER: &str = "holder";

/// A data folder by its path, or held already.
#[derive(Debug, Clone)]
pub enum Folder {
    /// Nobody here holds it yet.
    Free(PathBuf),
    /// This process holds it.
    Held(Arc<Hold>),
}

impl Folder {
    /// Holds it from now on.
    ///
    /// # Errors
    /// As [`Hold::take`].
    pub fn take(self) -> Result<Arc<Hold>, DataError> {
        match self {
            Self::Free(path) => Hold::take(&path),
            Self::Held(hold) => Ok(hold),
        }
    }
}

/// A data folder that this process alone may use, until the last copy of this is dropped.
#[derive(Debug)]
pub struct Hold {
    path: PathBuf,
    /// Closing it lets go of the lock.
    _folder: File,
}

impl Hold {
    /// Takes a folder, made if need be; nothing in it is opened or changed.
    ///
    /// # Errors
    /// When another process holds it, with who that is; or when it can't be made or opened.
    pub fn take(path: &Path) -> Result<Arc<Self>, DataError> {
        let refuse = |why| DataError::File {
            path: path.to_owned(),
            why,
        };
        durable::make_folder(path).map_err(refuse)?;
        let folder = File::open(path).map_err(refuse)?;
        match folder.try_lock() {
            Ok(()) => Ok(Arc::new(Self {
                path: path.to_owned(),
                _folder: folder,
            })),
            Err(TryLockError::WouldBlock) => Err(DataError::Held {
                path: path.to_owned(),
                by: holder(path),
            }),
            Err(TryLockError::Error(why)) => Err(refuse(why)),
        }
    }

    /// The folder.
    #[must_use]
    pub fn path(&self) -> &Path {
        &self.path
    }

    /// Says who holds it, for whoever finds it held, and keeps others out of it.
    ///
    /// # Errors
    /// When that can't be written.
    pub(crate) fn sign(&self) -> io::Result<()> {
        let program = std::env::args().next().unwrap_or_default();
        let program = Path::new(&program)
            .file_name()
            .map_or_else(|| "a program".into(), |name| name.to_string_lossy());
        let what = std::env::args()
            .nth(1)
            .filter(|word| !word.starts_with('-'));
        let what = what.map_or_else(String::new, |word| format!(" {word}"));
        fs::set_permissions(&self.path, Permissions::from_mode(0o700))?;
        let text = format!("{program}{what}, process {}\n", std::process::id());
        let path = self.path.join(HOLDER);
        match durable::write(&path, text.as_bytes()) {
            // A full disk keeps nobody from reading; who was here before is not said any more.
            Err(error) if error.kind() == io::ErrorKind::StorageFull => {
                match fs::remove_file(&path) {
                    Err(error) if error.kind() != io::ErrorKind::NotFound => Err(error),
                    _ => Ok(()),
                }
            }
            other => other,
        }
    }
}

fn holder(path: &Path) -> String {
    let mut text = String::new();
    let read =
        File::open(path.join(HOLDER)).and_then(|file| file.take(200).read_to_string(&mut text));
    let said = text.lines().next().unwrap_or("").trim();
    match read {
        Ok(_) if !said.is_empty() => said.chars().filter(|c| !c.is_control()).collect(),
        _ => "another process".to_owned(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_folder_is_held_once_and_the_second_says_by_whom_and_touches_nothing() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("data");
        let first = Hold::take(&path).unwrap();
        first.sign().unwrap();
        let before = fs::metadata(&path).unwrap().modified().unwrap();
        let refused = Hold::take(&path).unwrap_err().to_string();
        assert!(
            refused.contains(&format!("process {}", std::process::id())),
            "{refused}"
        );
        assert!(refused.contains("is in use"), "{refused}");
        assert_eq!(fs::metadata(&path).unwrap().modified().unwrap(), before);
        drop(first);
        Hold::take(&path).unwrap();
    }

    #[test]
    fn what_a_killed_process_signed_holds_nothing() {
        let folder = tempfile::tempdir().unwrap();
        fs::write(folder.path().join(HOLDER), "veritope serve, process 1\n").unwrap();
        Hold::take(folder.path()).unwrap();
    }
}
