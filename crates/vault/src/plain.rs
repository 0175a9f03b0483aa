//! Files of a vault, and nothing that only looks like one. A place may be a stick that somebody else
//! wrote: a link could lead anywhere on this computer, a pipe would hold whoever opens it. Neither is
//! ever followed.

use std::fs::{self, File};
use std::io;
use std::path::{Component, Path};

use rustix::fs::{Mode, OFlags};

use crate::error::VaultError;

/// Makes sure that nothing on the way from `root` to `path` is a link; what is not there yet is none.
///
/// # Errors
/// Names the link.
pub(crate) fn check(root: &Path, path: &Path) -> Result<(), VaultError> {
    let Ok(rest) = path.strip_prefix(root) else {
        return Err(not_plain(path, "it does not lie in this place"));
    };
    let mut at = root.to_owned();
    for part in rest.components() {
        let Component::Normal(name) = part else {
            return Err(not_plain(path, "its path leads out of this place"));
        };
        at.push(name);
        match fs::symlink_metadata(&at) {
            Ok(meta) if meta.file_type().is_symlink() => {
                return Err(not_plain(&at, "it is a link, and links are not followed"));
            }
            Ok(_) => {}
            Err(error) if error.kind() == io::ErrorKind::NotFound => return Ok(()),
            Err(error) => return Err(VaultError::at(&at)(error)),
        }
    }
    Ok(())
}

/// Opens a file of the place at `root` for reading.
///
/// # Errors
/// When it is not there, is no plain file, or a link is on the way.
pub(crate) fn open(root: &Path, path: &Path) -> Result<File, VaultError> {
    check(root, path)?;
    open_file(path)
}

/// Opens one file for reading; a link, a pipe or a device is none.
///
/// # Errors
/// When it is not there or no plain file.
pub(crate) fn open_file(path: &Path) -> Result<File, VaultError> {
    let refuse = VaultError::at(path);
    let flags = OFlags::RDONLY | OFlags::CLOEXEC | OFlags::NOFOLLOW | OFlags::NONBLOCK;
    let opened = match rustix::fs::open(path, flags, Mode::empty()) {
        Ok(opened) => opened,
        Err(rustix::io::Errno::LOOP) => {
            return Err(not_plain(path, "it is a link, and links are not followed"));
        }
        Err(error) => return Err(refuse(error.into())),
    };
    let file = File::from(opened);
    if file.metadata().map_err(refuse)?.is_file() {
        Ok(file)
    } else {
        Err(not_plain(
            path,
            "it is no file but a pipe, a folder or a device",
        ))
    }
}

fn not_plain(path: &Path, what: &str) -> VaultError {
    VaultError::Unreadable {
        path: path.to_owned(),
        what: what.to_owned(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::os::unix::fs::symlink;

    #[test]
    fn links_and_pipes_are_refused_wherever_they_stand() {
        let place = tempfile::tempdir().unwrap();
        let root = place.path();
        fs::create_dir_all(root.join("objects/ab")).unwrap();
        fs::write(root.join("objects/ab/one"), b"bytes").unwrap();
        fs::write(root.join("elsewhere"), b"secret").unwrap();
        assert!(open(root, &root.join("objects/ab/one")).is_ok());
        symlink(root.join("elsewhere"), root.join("objects/ab/two")).unwrap();
        symlink(root.join("objects/ab"), root.join("objects/cd")).unwrap();
        for name in ["objects/ab/two", "objects/cd/one", "../x", "objects/ab"] {
            let error = open(root, &root.join(name)).unwrap_err();
            assert!(
                matches!(error, VaultError::Unreadable { .. }),
                "{name}: {error}"
            );
        }
        let pipe = root.join("objects/ab/three");
        rustix::fs::mknodat(
            rustix::fs::CWD,
            &pipe,
            rustix::fs::FileType::Fifo,
            Mode::from_raw_mode(0o600),
            0,
        )
        .unwrap();
        // It answers at once: a pipe that is opened the usual way waits for its other end.
        assert!(open(root, &pipe).is_err());
    }
}
