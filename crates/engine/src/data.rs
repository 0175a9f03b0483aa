//! The data folder: its version, the bench's policy, its bridges.
//!
//! ```text
//! DATA/veritope.toml   version of the folder
//! DATA/policy.toml     what the owner of the bench decided
//! DATA/bench.toml      bridges with their tokens; readable by its owner only
//! DATA/families/       the user's own family files
//! DATA/pictures/       pictures attached to facts; never exported
//! DATA/clock.toml      what is remembered of this computer's clock
//! DATA/shelf/          images with their side files
//! DATA/vault/         captures, unless the vault lies elsewhere
//! DATA/log/            the record; everything else can be made from it
//! DATA/index.sqlite    the index of the record; `veritope rebuild` makes it anew
//! ```

use std::fs::{self, File, OpenOptions};
use std::io::{self, Write};
use std::os::unix::fs::OpenOptionsExt;
use std::path::{Path, PathBuf};

use serde::{Deserialize, Serialize};
use veritope_core::budget::Policy;
use veritope_core::family::{FamilyError, SHIPPED};
use veritope_core::steady::Steady;
use veritope_wire::{BridgeId, FactId};

use crate::families::KnownFamily;
use crate::places::Place;

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

#[derive(Serialize, Deserialize)]
struct VersionFile {
    data_version: u32,
}

/// A bridge as remembered.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Bridge {
    /// Its id.
    pub id: BridgeId,
    /// Its own name.
    pub name: String,
    /// Its address.
    pub url: String,
    /// The token that lets us in; never shown or logged.
    pub token: String,
    /// What it has beside the link: a stand-in's devices have a `body`.
    #[serde(default)]
    pub extras: Vec<String>,
}

#[derive(Default, Serialize, Deserialize)]
struct BenchFile {
    #[serde(default)]
    bridge: Vec<Bridge>,
    #[serde(default)]
    place: Vec<Place>,
}

/// A data folder that this program may use.
#[derive(Debug, Clone)]
pub struct DataFolder {
    path: PathBuf,
    vault: Option<PathBuf>,
}

impl DataFolder {
    /// Opens a folder, or makes a new one.
    ///
    /// # Errors
    /// See [`DataError`].
    pub fn open(path: &Path) -> Result<Self, DataError> {
        let folder = Self {
            path: path.to_owned(),
            vault: None,
        };
        fs::create_dir_all(path).map_err(|source| DataError::File {
            path: path.to_owned(),
            source,
        })?;
        let version = folder.join("veritope.toml");
        match read_toml::<VersionFile>(&version)? {
            Some(file) if file.data_version > DATA_VERSION => {
                return Err(DataError::Newer {
                    path: path.to_owned(),
                    found: file.data_version,
                });
            }
            Some(_) => {}
            None => write_toml(
                &version,
                &VersionFile {
                    data_version: DATA_VERSION,
                },
                Access::All,
            )?,
        }
        for name in ["families", "shelf", "log"] {
            let path = folder.join(name);
            fs::create_dir_all(&path).map_err(|source| DataError::File { path, source })?;
        }
        Ok(folder)
    }

    /// A path inside.
    #[must_use]
    pub fn join(&self, name: &str) -> PathBuf {
        self.path.join(name)
    }

    /// The bench's policy; the usual one where none was written.
    ///
    /// # Errors
    /// When the file makes no sense.
    pub fn policy(&self) -> Result<Policy, DataError> {
        Ok(read_toml(&self.join("policy.toml"))?.unwrap_or_else(Policy::usual))
    }

    /// The bridges.
    ///
    /// # Errors
    /// When the file makes no sense.
    pub fn bridges(&self) -> Result<Vec<Bridge>, DataError> {
        Ok(read_toml::<BenchFile>(&self.join("bench.toml"))?
            .unwrap_or_default()
            .bridge)
    }

    /// Replaces the list of bridges.
    ///
    /// # Errors
    /// When it can't be written; then the old one stands.
    pub fn set_bridges(&self, bridges: Vec<Bridge>) -> Result<(), DataError> {
        let file = BenchFile {
            bridge: bridges,
            place: self.places()?,
        };
        write_toml(&self.join("bench.toml"), &file, Access::OwnerOnly)
    }

    /// The places beside the bench's own vault.
    ///
    /// # Errors
    /// When the file makes no sense.
    pub fn places(&self) -> Result<Vec<Place>, DataError> {
        Ok(read_toml::<BenchFile>(&self.join("bench.toml"))?
            .unwrap_or_default()
            .place)
    }

    /// Replaces the list of places.
    ///
    /// # Errors
    /// When it can't be written; then the old one stands.
    pub fn set_places(&self, places: Vec<Place>) -> Result<(), DataError> {
        let file = BenchFile {
            bridge: self.bridges()?,
            place: places,
        };
        write_toml(&self.join("bench.toml"), &file, Access::OwnerOnly)
    }

    /// Replaces the policy.
    ///
    /// # Errors
    /// When it can't be written; then the old one stands.
    pub fn set_policy(&self, policy: &Policy) -> Result<(), DataError> {
        write_toml(&self.join("policy.toml"), policy, Access::All)
    }

    /// What was remembered of the clock; nothing at the first start. A file that makes no sense is
    /// taken for none: it holds no decision of anybody's.
    ///
    /// # Errors
    /// When it is there and can't be read.
    pub fn remembered_clock(&self) -> Result<Option<Steady>, DataError> {
        match read_toml(&self.join("clock.toml")) {
            Err(DataError::Unreadable { .. }) => Ok(None),
            other => other,
        }
    }

    /// Remembers the clock.
    ///
    /// # Errors
    /// When it can't be written.
    pub fn remember_clock(&self, steady: &Steady) -> Result<(), DataError> {
        write_toml(&self.join("clock.toml"), steady, Access::All)
    }

    fn picture_file(&self, fact: FactId) -> PathBuf {
        self.join("pictures").join(fact.to_string())
    }

    /// Keeps the picture of a fact, in place of an older one; for its owner's eyes only.
    ///
    /// # Errors
    /// When it can't be written; then the old one stands.
    pub fn write_picture(&self, fact: FactId, bytes: &[u8]) -> Result<(), DataError> {
        let path = self.picture_file(fact);
        fs::create_dir_all(self.join("pictures"))
            .and_then(|()| durable_write(&path, bytes, Access::OwnerOnly))
            .map_err(|source| DataError::File { path, source })
    }

    /// The picture of a fact.
    ///
    /// # Errors
    /// When it can't be read.
    pub fn read_picture(&self, fact: FactId) -> Result<Vec<u8>, DataError> {
        let path = self.picture_file(fact);
        fs::read(&path).map_err(|source| DataError::File { path, source })
    }

    /// Removes pictures that `is_named` names nowhere: the process was killed between the picture and
    /// its entry.
    ///
    /// # Errors
    /// When the folder can't be listed or a file not removed.
    pub fn clear_pictures(&self, is_named: impl Fn(FactId) -> bool) -> Result<(), DataError> {
        let folder = self.join("pictures");
        let failed = |source| DataError::File {
            path: folder.clone(),
            source,
        };
        let listed = match fs::read_dir(&folder) {
            Ok(listed) => listed,
            Err(error) if error.kind() == std::io::ErrorKind::NotFound => return Ok(()),
            Err(error) => return Err(failed(error)),
        };
        for file in listed {
            let file = file.map_err(failed)?;
            let name = file.file_name();
            let fact = name.to_str().and_then(|name| name.parse::<FactId>().ok());
            if fact.is_some_and(|fact| !is_named(fact)) {
                fs::remove_file(file.path()).map_err(failed)?;
            }
        }
        Ok(())
    }

    /// Writes a file that only its owner reads, replaced as a whole.
    ///
    /// # Errors
    /// When it can't be written.
    pub fn put_secret(&self, name: &str, bytes: &[u8]) -> Result<(), DataError> {
        let path = self.join(name);
        let failed = |source| DataError::File {
            path: path.clone(),
            source,
        };
        if let Some(folder) = path.parent() {
            fs::create_dir_all(folder).map_err(failed)?;
        }
        durable_write(&path, bytes, Access::OwnerOnly).map_err(failed)
    }

    /// Reads such a file; nothing when there is none.
    ///
    /// # Errors
    /// When it is there and can't be read.
    pub fn secret(&self, name: &str) -> Result<Option<Vec<u8>>, DataError> {
        let path = self.join(name);
        match fs::read(&path) {
            Ok(bytes) => Ok(Some(bytes)),
            Err(error) if error.kind() == io::ErrorKind::NotFound => Ok(None),
            Err(source) => Err(DataError::File { path, source }),
        }
    }

    /// The same folder with its vault elsewhere.
    #[must_use]
    pub fn with_vault(mut self, vault: Option<PathBuf>) -> Self {
        self.vault = vault;
        self
    }

    /// Where the bench's own vault lies.
    #[must_use]
    pub fn vault(&self) -> PathBuf {
        self.vault.clone().unwrap_or_else(|| self.join("vault"))
    }

    /// All families: those of the user, then the shipped ones that the user's don't replace.
    ///
    /// # Errors
    /// When a file can't be read or is damaged; it names file, line and key.
    pub fn families(&self) -> Result<Vec<KnownFamily>, DataError> {
        let mut families: Vec<KnownFamily> = Vec::new();
        for (path, text) in self.own_families()? {
            families.push(KnownFamily::read(&path.display().to_string(), &text, true)?);
        }
        for (name, text) in SHIPPED {
            let shipped = KnownFamily::read(name, text, false)?;
            if families
                .iter()
                .all(|known| known.family.codename != shipped.family.codename)
            {
                families.push(shipped);
            }
        }
        Ok(families)
    }

    /// The user's own files with their texts, sorted.
    fn own_families(&self) -> Result<Vec<(PathBuf, String)>, DataError> {
        let folder = self.join("families");
        let at = |source| DataError::File {
            path: folder.clone(),
            source,
        };
        let mut files: Vec<PathBuf> = fs::read_dir(&folder)
            .map_err(at)?
            .map(|file| file.map(|file| file.path()))
            .collect::<Result<_, _>>()
            .map_err(at)?;
        files.retain(|path| path.extension().is_some_and(|ending| ending == "toml"));
        files.sort();
        files
            .into_iter()
            .map(|path| {
                let text = fs::read_to_string(&path).map_err(|source| DataError::File {
                    path: path.clone(),
                    source,
                })?;
                Ok((path, text))
            })
            .collect()
    }

    /// The user's file that holds the family `codename`, or where a new one would lie.
    fn family_file(&self, codename: &str) -> Result<PathBuf, DataError> {
        for (path, text) in self.own_families()? {
            let known = KnownFamily::read(&path.display().to_string(), &text, true)?;
            if known.family.codename == codename {
                return Ok(path);
            }
        }
        Ok(self.join("families").join(format!("{codename}.toml")))
    }

    /// Writes a family's text, which was checked before.
    ///
    /// # Errors
    /// When it can't be written; then the old one stands.
    pub fn write_family(&self, codename: &str, text: &str) -> Result<(), DataError> {
        let path = self.family_file(codename)?;
        durable_write(&path, text.as_bytes(), Access::All)
            .map_err(|source| DataError::File { path, source })
    }

    /// Removes a family of the user's.
    ///
    /// # Errors
    /// When it can't be removed.
    pub fn remove_family(&self, codename: &str) -> Result<(), DataError> {
        let path = self.family_file(codename)?;
        fs::remove_file(&path).map_err(|source| DataError::File { path, source })
    }
}

/// Who may read a file.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Access {
    All,
    OwnerOnly,
}

fn read_toml<T: serde::de::DeserializeOwned>(path: &Path) -> Result<Option<T>, DataError> {
    match fs::read_to_string(path) {
        Ok(text) => toml::from_str(&text)
            .map(Some)
            .map_err(|error| DataError::Unreadable {
                path: path.to_owned(),
                what: error.message().to_owned(),
            }),
        Err(error) if error.kind() == io::ErrorKind::NotFound => Ok(None),
        Err(source) => Err(DataError::File {
            path: path.to_owned(),
            source,
        }),
    }
}

fn write_toml<T: Serialize>(path: &Path, value: &T, access: Access) -> Result<(), DataError> {
    let text = toml::to_string(value).map_err(|error| DataError::Unreadable {
        path: path.to_owned(),
        what: error.to_string(),
    })?;
    durable_write(path, text.as_bytes(), access).map_err(|source| DataError::File {
        path: path.to_owned(),
        source,
    })
}

/// Replaces a file as a whole: staged, synced, renamed, folder synced.
fn durable_write(path: &Path, bytes: &[u8], access: Access) -> io::Result<()> {
    let staged = path.with_extension("staged");
    let mode = match access {
        Access::All => 0o644,
        Access::OwnerOnly => 0o600,
    };
    let mut file = OpenOptions::new()
        .write(true)
        .create(true)
        .truncate(true)
        .mode(mode)
        .open(&staged)?;
    file.write_all(bytes)?;
    file.sync_all()?;
    drop(file);
    fs::rename(&staged, path)?;
    match path.parent() {
        Some(folder) => File::open(folder)?.sync_all(),
        None => Ok(()),
    }
}

#[cfg(test)]
mod tests {
    use std::os::unix::fs::PermissionsExt;

    use super::*;

    #[test]
    fn a_newer_folder_is_refused_in_one_sentence_and_left_alone() {
        let folder = tempfile::tempdir().unwrap();
        fs::write(folder.path().join("veritope.toml"), "data_version = 9\n").unwrap();
        let error = DataFolder::open(folder.path()).unwrap_err().to_string();
        assert!(error.contains("version 9, this program knows 1"), "{error}");
        assert!(!folder.path().join("log").exists());
    }

    #[test]
    fn a_damaged_family_of_the_users_is_named_with_its_line() {
        let folder = tempfile::tempdir().unwrap();
        let data = DataFolder::open(folder.path()).unwrap();
        fs::write(
            data.join("families/mine.toml"),
            "schema = 1\nidentity = 3\n",
        )
        .unwrap();
        let error = data.families().unwrap_err().to_string();
        assert!(error.contains("mine.toml, line 2"), "{error}");
    }

    #[test]
    fn the_users_file_replaces_the_shipped_one() {
        let folder = tempfile::tempdir().unwrap();
        let data = DataFolder::open(folder.path()).unwrap();
        let shipped = data.families().unwrap();
        assert_eq!(shipped[5].family.variants[0].code, "FL-1");
        let text = SHIPPED[5].1.replace("\"FL-1\"", "\"FL-1B\"");
        fs::write(data.join("families/mine.toml"), text).unwrap();
        let families = data.families().unwrap();
        assert_eq!(
            (families.len(), families[0].family.variants[0].code.as_str()),
            (SHIPPED.len(), "FL-1B")
        );
    }

    #[test]
    fn tokens_are_for_the_owners_eyes() {
        let folder = tempfile::tempdir().unwrap();
        let data = DataFolder::open(folder.path()).unwrap();
        let bridge = Bridge {
            id: "0192f0c1-2345-7abc-8def-0123456789ab".parse().unwrap(),
            name: "dock table".to_owned(),
            url: "http://127.0.0.1:7311".to_owned(),
            token: "secret".to_owned(),
            extras: Vec::new(),
        };
        data.set_bridges(vec![bridge.clone()]).unwrap();
        assert_eq!(data.bridges().unwrap(), [bridge]);
        let mode = fs::metadata(data.join("bench.toml"))
            .unwrap()
            .permissions()
            .mode();
        assert_eq!(mode & 0o777, 0o600);
    }
}
