//! Remembers what a product was made from, so that nothing is made twice.

use std::collections::hash_map::DefaultHasher;
use std::fs;
use std::hash::{Hash, Hasher};
use std::path::{Path, PathBuf};

use crate::{Outcome, Trouble};

/// A number that changes with any file in `sources` (folders are walked), by name or content.
pub(crate) fn of(base: &Path, sources: &[&str]) -> Outcome<String> {
    let mut files = Vec::new();
    for source in sources {
        collect(&base.join(source), &mut files)?;
    }
    files.sort();
    let mut hasher = DefaultHasher::new();
    for file in files {
        file.strip_prefix(base).unwrap_or(&file).hash(&mut hasher);
        let bytes = fs::read(&file).map_err(|error| unreadable(&file, &error))?;
        bytes.hash(&mut hasher);
    }
    Ok(format!("{:016x}\n", hasher.finish()))
}

/// Whether the stamp at `path` says `stamp`.
pub(crate) fn is(path: &Path, stamp: &str) -> bool {
    fs::read_to_string(path).is_ok_and(|kept| kept == stamp)
}

/// Keeps the stamp, once what it stands for is made.
pub(crate) fn keep(path: &Path, stamp: &str) -> Outcome {
    fs::write(path, stamp)
        .map_err(|error| Trouble(format!("{} can't be written: {error}", path.display())))
}

fn collect(path: &Path, files: &mut Vec<PathBuf>) -> Outcome {
    if !path.is_dir() {
        files.push(path.to_owned());
        return Ok(());
    }
    for entry in fs::read_dir(path).map_err(|error| unreadable(path, &error))? {
        let entry = entry.map_err(|error| unreadable(path, &error))?;
        collect(&entry.path(), files)?;
    }
    Ok(())
}

fn unreadable(path: &Path, error: &std::io::Error) -> Trouble {
    Trouble(format!("{} can't be read: {error}", path.display()))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_and_contents_both_count() {
        let folder = std::env::temp_dir().join(format!("xtask-stamp-{}", std::process::id()));
        fs::create_dir_all(folder.join("in")).unwrap();
        fs::write(folder.join("in/a"), "one").unwrap();
        let first = of(&folder, &["in"]).unwrap();
        assert_eq!(of(&folder, &["in"]).unwrap(), first);
        fs::write(folder.join("in/a"), "two").unwrap();
        let second = of(&folder, &["in"]).unwrap();
        assert_ne!(second, first);
        fs::rename(folder.join("in/a"), folder.join("in/b")).unwrap();
        assert_ne!(of(&folder, &["in"]).unwrap(), second);
        fs::remove_dir_all(&folder).unwrap();
    }
}
