//! The data folder: its version, the bench's policy, its bridges.
//!
//! ```text
//! DATA/veritope.toml   version of the folder
//! DATA/policy.toml     what the owner of the bench decided
//! DATA/bench.toml      bridges with their tokens; readable by its owner only
//! DATA/families/       the user's own family files
//! DATA/pictures/       pictures attached to facts; never exported
//! DATA/found/          what images were seen to be; made anew when it is gone
//! DATA/clock.toml      what is remembered of this computer's clock
//! DATA/shelf/          images with their side files
//! DATA/vault/         captures, unless the vault lies elsewhere
//! DATA/log/            the record; everything else can be made from it
//! DATA/index.sqlite    the index of the record; `veritope rebuild` makes it anew
//! DATA/holder          which process uses the folder
//! ```
//!
//! The folder is its owner's only, and so is every file that is written in it.

use std::fs::{self, Permissions};
use std::io;
use std::os::unix::fs::PermissionsExt;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, PoisonError};

use serde::{Deserialize, Serialize};
use veritope_core::budget::Policy;
use veritope_core::family::{FamilyError, SHIPPED};
use veritope_core::steady::Steady;
use veritope_vault::durable;
use veritope_wire::{BridgeId, FactId};

use crate::library::error::{DATA_VERSION, DataError};
use crate::library::family::KnownFamily;
use crate::library::hold::Hold;
use crate::library::place::Place;
use crate::stored::{self, Form};

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

/// A data folder that this program may use, and no other while this is kept.
#[derive(Debug, Clone)]
pub struct DataFolder {
    hold: Arc<Hold>,
    vault: Option<PathBuf>,
    /// Bridges and places share a file: whoever changes one reads the other from it.
    bench_file: Arc<Mutex<()>>,
}

impl DataFolder {
    /// Opens a folder, or makes a new one.
    ///
    /// # Errors
    /// See [`DataError`]; a folder that is held or newer is not touched.
    pub fn open(path: &Path) -> Result<Self, DataError> {
        Self::within(Hold::take(path)?)
    }

    /// Opens a folder that is held already.
    ///
    /// # Errors
    /// See [`DataError`]; a newer folder is not touched.
    pub fn within(hold: Arc<Hold>) -> Result<Self, DataError> {
        let folder = Self {
            hold,
            vault: None,
            bench_file: Arc::default(),
        };
        let version = folder.join("veritope.toml");
        let found = read_toml::<VersionFile>(&version)?;
        if let Some(file) = &found
            && file.data_version > DATA_VERSION
        {
            return Err(DataError::Newer {
                path: folder.path().to_owned(),
                found: file.data_version,
            });
        }
        let refuse = |why| DataError::File {
            path: folder.path().to_owned(),
            why,
        };
        folder.hold.sign().map_err(refuse)?;
        if found.is_none() {
            let file = VersionFile {
                data_version: DATA_VERSION,
            };
            write_toml(&version, &file)?;
        }
        for name in [
            "", "families", "shelf", "log", "pictures", "running", "tokens",
        ] {
            let path = folder.join(name);
            let made = match name {
                "" | "families" | "shelf" | "log" => durable::make_folder(&path),
                _ => Ok(()),
            };
            made.and_then(|()| durable::clear_staged(&path))
                .and_then(|()| close_to_others(&path))
                .map_err(|why| DataError::File { path, why })?;
        }
        Ok(folder)
    }

    /// The folder.
    #[must_use]
    pub fn path(&self) -> &Path {
        self.hold.path()
    }

    /// A path inside.
    #[must_use]
    pub fn join(&self, name: &str) -> PathBuf {
        self.path().join(name)
    }

    /// The bench's policy; the usual one where none was written.
    ///
    /// # Errors
    /// When the file makes no sense.
    pub fn policy(&self) -> Result<Policy, DataError> {
        let path = self.join("policy.toml");
        let Some(form) = read_toml::<stored::Policy>(&path)? else {
            return Ok(Policy::usual());
        };
        form.read()
            .map_err(|what| DataError::Unreadable { path, what })
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
        let _file = self
            .bench_file
            .lock()
            .unwrap_or_else(PoisonError::into_inner);
        let file = BenchFile {
            bridge: bridges,
            place: self.places()?,
        };
        write_toml(&self.join("bench.toml"), &file)
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
        let _file = self
            .bench_file
            .lock()
            .unwrap_or_else(PoisonError::into_inner);
        let file = BenchFile {
            bridge: self.bridges()?,
            place: places,
        };
        write_toml(&self.join("bench.toml"), &file)
    }

    /// Replaces the policy.
    ///
    /// # Errors
    /// When it can't be written; then the old one stands.
    pub fn set_policy(&self, policy: &Policy) -> Result<(), DataError> {
        write_toml(&self.join("policy.toml"), &stored::Policy::of(policy))
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
        write_toml(&self.join("clock.toml"), steady)
    }

    fn picture_file(&self, fact: FactId) -> PathBuf {
        self.join("pictures").join(fact.to_string())
    }

    /// The picture of a fact.
    ///
    /// # Errors
    /// When it can't be read.
    pub fn read_picture(&self, fact: FactId) -> Result<Vec<u8>, DataError> {
        let path = self.picture_file(fact);
        fs::read(&path).map_err(|why| DataError::File { path, why })
    }

    /// Removes pictures that `is_named` names nowhere: the process was killed between the picture and
    /// its entry.
    ///
    /// # Errors
    /// When the folder can't be listed or a file not removed.
    pub fn clear_pictures(&self, is_named: impl Fn(FactId) -> bool) -> Result<(), DataError> {
        let folder = self.join("pictures");
        let failed = |why| DataError::File {
            path: folder.clone(),
            why,
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
        let failed = |why| DataError::File {
            path: path.clone(),
            why,
        };
        if let Some(folder) = path.parent() {
            durable::make_folder(folder).map_err(failed)?;
        }
        durable::write(&path, bytes).map_err(failed)
    }

    /// Puts such a file back to what it was before it was replaced: a refused request leaves nothing.
    ///
    /// # Errors
    /// When it can't be written.
    pub(crate) fn put_back(&self, name: &str, before: Option<Vec<u8>>) -> Result<(), DataError> {
        let path = self.join(name);
        let put = match before {
            Some(bytes) => durable::write(&path, &bytes),
            None => fs::remove_file(&path),
        };
        put.map_err(|why| DataError::File { path, why })
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
            Err(why) => Err(DataError::File { path, why }),
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

    /// All families: those of the user, then the shipped ones that the user's don't replace. A file of the
    /// user's that is damaged counts as none, and no shipped one takes its place: what it said is not known.
    ///
    /// # Errors
    /// When the folder can't be listed.
    pub fn families(&self) -> Result<(Vec<KnownFamily>, Vec<DamagedFile>), DataError> {
        let mut families: Vec<KnownFamily> = Vec::new();
        let mut damaged = Vec::new();
        for (path, text) in self.own_families()? {
            match KnownFamily::read(&path.display().to_string(), &text, true) {
                Ok(known) => families.push(known),
                Err(error) => damaged.push(DamagedFile::family(&path, &text, &error)),
            }
        }
        for (name, text) in SHIPPED {
            let shipped = KnownFamily::read(name, text, false)?;
            let codename = &shipped.family.codename;
            let is_replaced = families
                .iter()
                .any(|known| known.family.codename == *codename);
            let is_damaged = damaged
                .iter()
                .any(|one| one.codename.as_ref() == Some(codename));
            if !is_replaced && !is_damaged {
                families.push(shipped);
            }
        }
        Ok((families, damaged))
    }

    /// The user's own files with their texts, sorted.
    fn own_families(&self) -> Result<Vec<(PathBuf, String)>, DataError> {
        let folder = self.join("families");
        let at = |why| DataError::File {
            path: folder.clone(),
            why,
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
                let bytes = fs::read(&path).map_err(|why| DataError::File {
                    path: path.clone(),
                    why,
                })?;
                // What is no text is damage, with a line of its own.
                Ok((path, String::from_utf8_lossy(&bytes).into_owned()))
            })
            .collect()
    }

    /// The user's file that holds the family `codename`, or where a new one would lie.
    fn family_file(&self, codename: &str) -> Result<PathBuf, DataError> {
        for (path, text) in self.own_families()? {
            let is_it = match KnownFamily::read(&path.display().to_string(), &text, true) {
                Ok(known) => known.family.codename == codename,
                Err(error) => {
                    let damaged = DamagedFile::family(&path, &text, &error);
                    damaged.codename.as_deref() == Some(codename)
                }
            };
            if is_it {
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
        durable::write(&path, text.as_bytes()).map_err(|why| DataError::File { path, why })
    }

    /// Removes a family of the user's.
    ///
    /// # Errors
    /// When it can't be removed.
    pub fn remove_family(&self, codename: &str) -> Result<(), DataError> {
        let path = self.family_file(codename)?;
        fs::remove_file(&path).map_err(|why| DataError::File { path, why })
    }
}

/// Takes away what an earlier version let others do with the files of a folder. Links stay as they are.
fn close_to_others(folder: &Path) -> io::Result<()> {
    let listed = match fs::read_dir(folder) {
        Err(error) if error.kind() == io::ErrorKind::NotFound => return Ok(()),
        other => other?,
    };
    for file in listed {
        let file = file?;
        let meta = file.metadata()?;
        let mode = meta.permissions().mode();
        let is_open = mode & 0o077 != 0;
        if is_open && (meta.is_file() || meta.is_dir()) {
            match fs::set_permissions(file.path(), Permissions::from_mode(mode & 0o7700)) {
                // Somebody else's file: the folder is closed all the same.
                Err(error) if error.kind() == io::ErrorKind::PermissionDenied => {}
                other => other?,
            }
        }
    }
    Ok(())
}

/// A file of the bench's that is damaged: what it held counts no longer until it is mended.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct DamagedFile {
    /// Which.
    pub path: PathBuf,
    /// The family that it was of, where that can be told.
    pub codename: Option<String>,
    /// What is wrong, where, and what follows, in sentences.
    pub text: String,
}

impl DamagedFile {
    fn family(path: &Path, text: &str, error: &FamilyError) -> Self {
        // Its own word for what it is of, if that still stands; else the name under which it was kept.
        let said = text.lines().find_map(|line| {
            let (key, value) = line.split_once('=')?;
            let value = value.trim().strip_prefix('"')?.split('"').next()?;
            (key.trim() == "codename").then(|| value.to_owned())
        });
        let stem = path
            .file_stem()
            .map(|stem| stem.to_string_lossy().into_owned());
        let codename = said.or(stem);
        let of = codename.as_deref().unwrap_or("it");
        Self {
            text: format!(
                "{error}. Nothing is judged of units of {of} until the file is mended, or moved away and the bench started again."
            ),
            path: path.to_owned(),
            codename,
        }
    }

    pub(crate) fn policy(path: PathBuf, error: &DataError) -> Self {
        Self {
            text: format!("{error}. The usual policy counts until it is set anew under Settings."),
            path,
            codename: None,
        }
    }

    pub(crate) fn shelf(folder: &Path, what: &str) -> Self {
        Self {
            text: format!(
                "{what}. It is not taken onto the shelf until that is mended and the bench started again."
            ),
            path: folder.to_owned(),
            codename: None,
        }
    }

    pub(crate) fn bench(path: PathBuf, error: &DataError) -> Self {
        Self {
            text: format!("{error}. No bridge and no place is known until then."),
            path,
            codename: None,
        }
    }
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
        Err(why) => Err(DataError::File {
            path: path.to_owned(),
            why,
        }),
    }
}

fn write_toml<T: Serialize>(path: &Path, value: &T) -> Result<(), DataError> {
    let text = toml::to_string(value).map_err(|error| DataError::Unreadable {
        path: path.to_owned(),
        what: error.to_string(),
    })?;
    durable::write(path, text.as_bytes()).map_err(|why| DataError::File {
        path: path.to_owned(),
        why,
    })
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
        let (families, damaged) = data.families().unwrap();
        assert!(damaged[0].text.contains("mine.toml, line 2"), "{damaged:?}");
        assert_eq!((families.len(), damaged.len()), (SHIPPED.len(), 1));
        // Where it can be told what it was of, nothing takes its place.
        let text = SHIPPED[5].1.replacen("schema = ", "schema = 99", 1);
        fs::write(data.join("families/mine.toml"), text).unwrap();
        let (families, damaged) = data.families().unwrap();
        let codename = damaged[0].codename.as_deref();
        assert_eq!(
            (families.len(), codename),
            (SHIPPED.len() - 1, Some("gimbal"))
        );
    }

    #[test]
    fn the_users_file_replaces_the_shipped_one() {
        let folder = tempfile::tempdir().unwrap();
        let data = DataFolder::open(folder.path()).unwrap();
        let (shipped, _) = data.families().unwrap();
        assert_eq!(shipped[5].family.variants[0].code, "FL-1");
        let text = SHIPPED[5].1.replace("\"FL-1\"", "\"FL-1B\"");
        fs::write(data.join("families/mine.toml"), text).unwrap();
        let (families, _) = data.families().unwrap();
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
