//! A vault: one folder, written by one bench at a time.

use std::fs::{self, File, TryLockError};
use std::io::Read;
use std::path::{Path, PathBuf};

use veritope_wire::{CaptureId, Digest, JobId, PlaceId, UnitId};

use crate::durable;
use crate::error::VaultError;
use crate::manifest::{MANIFEST_VERSION, Manifest};
use crate::object::{Object, changed_name, whole_name};
use crate::place::{Medium, PlaceFile, free_bytes, has_room};
use crate::plain;

/// Version of the folder's layout.
///
/// Changes: 1 = first. 2 = objects hold the digests of their frames as stored; a vault of version 1
/// is read as it is, and becomes version 2 when it is opened for writing. 3 = an object may hold only the
/// frames in which it differs from another; likewise.
const VAULT_VERSION: u32 = 3;
/// Most of a `place.toml` that is read.
const MOST_PLACE_BYTES: u64 = 64 << 10;
/// Largest manifest that is read.
const MOST_MANIFEST_BYTES: u64 = 64 << 20;

/// What a vault is opened for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Access {
    /// Reading and writing; only one bench has it.
    Write,
    /// Reading; others may write meanwhile, since nothing that has a name ever changes.
    Read,
}

/// A place that keeps captures.
#[derive(Debug)]
pub struct Vault {
    root: PathBuf,
    place: PlaceFile,
    access: Access,
    _writer: Option<File>,
}

impl Vault {
    /// Opens a vault; for writing, a new one is made where there is none, with `id`.
    ///
    /// # Errors
    /// When it can't be used, was made by a newer program, or is written by another bench.
    pub fn open(root: &Path, access: Access, id: PlaceId) -> Result<Self, VaultError> {
        let file = root.join("place.toml");
        if access == Access::Write {
            for folder in ["objects", "captures", "staging"] {
                plain::check(root, &root.join(folder))?;
                let folder = root.join(folder);
                durable::make_folder(&folder).map_err(VaultError::at(&folder))?;
            }
            if !file.exists() {
                Self::declare(root, id)?;
            }
        }
        let mut text = String::new();
        plain::open(root, &file)?
            .take(MOST_PLACE_BYTES)
            .read_to_string(&mut text)
            .map_err(VaultError::at(&file))?;
        let mut place: PlaceFile =
            toml::from_str(&text).map_err(|error| VaultError::Unreadable {
                path: file.clone(),
                what: error.message().to_owned(),
            })?;
        if place.vault_version > VAULT_VERSION {
            return Err(VaultError::Newer {
                path: file,
                found: place.vault_version,
            });
        }
        let writer = match access {
            Access::Read => None,
            Access::Write => Some(lock(root)?),
        };
        if writer.is_some() {
            let staging = root.join("staging");
            durable::clear_staged(&staging).map_err(VaultError::at(&staging))?;
        }
        if writer.is_some() && place.vault_version < VAULT_VERSION {
            place.vault_version = VAULT_VERSION;
            write_place(root, &place)?;
        }
        Ok(Self {
            root: root.to_owned(),
            place,
            access,
            _writer: writer,
        })
    }

    /// Writes `place.toml` into a folder that has none.
    ///
    /// # Errors
    /// When it can't be written.
    pub fn declare(root: &Path, id: PlaceId) -> Result<(), VaultError> {
        durable::make_folder(root).map_err(VaultError::at(root))?;
        let place = PlaceFile {
            vault_version: VAULT_VERSION,
            id,
        };
        write_place(root, &place)
    }

    /// Takes away what opening it made in a folder where nothing of a vault lay. Folders that hold anything
    /// stay, and then it stays a place.
    ///
    /// # Errors
    /// When something can't be removed.
    pub fn withdraw(self) -> Result<(), VaultError> {
        for folder in ["objects", "captures", "staging"] {
            let folder = self.root.join(folder);
            fs::remove_dir(&folder).map_err(VaultError::at(&folder))?;
        }
        for file in ["place.toml", "writer.lock"] {
            let file = self.root.join(file);
            durable::clear(&file).map_err(VaultError::at(&file))?;
        }
        Ok(())
    }

    /// Whether anything of a vault lies in `root`: a place that is there and does not open is another
    /// matter than one that is away.
    #[must_use]
    pub fn lies_in(root: &Path) -> bool {
        ["place.toml", "objects", "captures"]
            .iter()
            .any(|name| fs::symlink_metadata(root.join(name)).is_ok())
    }

    /// Where it lies.
    #[must_use]
    pub fn root(&self) -> &Path {
        &self.root
    }

    /// Its id.
    #[must_use]
    pub fn id(&self) -> PlaceId {
        self.place.id
    }

    /// The medium beneath.
    ///
    /// # Errors
    /// When the folder is gone.
    pub fn medium(&self) -> Result<Medium, VaultError> {
        Medium::of(&self.root)
    }

    pub(crate) fn may_write(&self) -> Result<(), VaultError> {
        match self.access {
            Access::Write => Ok(()),
            Access::Read => Err(VaultError::ReadOnly(self.root.clone())),
        }
    }

    /// Bytes that are free here.
    ///
    /// # Errors
    /// When the folder is gone.
    pub fn free_bytes(&self) -> Result<u64, VaultError> {
        free_bytes(&self.root)
    }

    /// Makes sure that `needed` bytes are free (`B8`).
    ///
    /// # Errors
    /// [`VaultError::NoRoom`], with the bytes missing.
    pub fn has_room(&self, needed: u64) -> Result<(), VaultError> {
        has_room(&self.root, needed)
    }

    /// Where the object of an image lies, or will: whole, or with only the frames in which it differs from
    /// another. One that is there whole comes first.
    #[must_use]
    pub fn object_path(&self, image: Digest) -> PathBuf {
        let objects = self.root.join("objects");
        let (whole, changed) = (whole_name(image), changed_name(image));
        let is_there = |name: &PathBuf| fs::symlink_metadata(objects.join(name)).is_ok();
        let is_changed = !is_there(&whole) && is_there(&changed);
        objects.join(if is_changed { changed } else { whole })
    }

    /// The files that the object of an image is made of, below the vault's folder: its own last.
    ///
    /// # Errors
    /// When it is not there or no object.
    pub(crate) fn files_of(&self, image: Digest) -> Result<Vec<PathBuf>, VaultError> {
        let objects = Path::new("objects");
        let rest = self.object(image)?.rest_image();
        Ok(match rest {
            Some(rest) => vec![
                objects.join(whole_name(rest)),
                objects.join(changed_name(image)),
            ],
            None => vec![objects.join(whole_name(image))],
        })
    }

    /// Opens the object of an image.
    ///
    /// # Errors
    /// When it is not there or no object.
    pub fn object(&self, image: Digest) -> Result<Object, VaultError> {
        Object::open_in(&self.root, &self.object_path(image))
    }

    /// Pieces of work that have begun and not ended.
    ///
    /// # Errors
    /// When the folder can't be listed.
    pub fn staged(&self) -> Result<Vec<JobId>, VaultError> {
        let names = list(&self.root.join("staging"))?;
        Ok(names.iter().filter_map(|name| name.parse().ok()).collect())
    }

    /// Folder of a capture: unit, day and id are in its path (`B9`).
    #[must_use]
    pub fn capture_folder(&self, manifest: &Manifest) -> PathBuf {
        let day = &manifest.taken.to_string()[..10];
        self.root
            .join("captures")
            .join(manifest.unit.to_string())
            .join(format!("{day}-{}", manifest.capture))
    }

    /// All manifests of a unit, in the order of their folders.
    ///
    /// # Errors
    /// When a folder or a manifest can't be read.
    pub fn captures(&self, unit: UnitId) -> Result<Vec<Manifest>, VaultError> {
        self.each_capture(unit)?.into_iter().collect()
    }

    /// The same, each capture for itself: one that can't be read leaves the others alone.
    ///
    /// # Errors
    /// When the unit's folder can't be listed.
    pub fn each_capture(
        &self,
        unit: UnitId,
    ) -> Result<Vec<Result<Manifest, VaultError>>, VaultError> {
        let folder = self.root.join("captures").join(unit.to_string());
        plain::check(&self.root, &folder)?;
        if !folder.exists() {
            return Ok(Vec::new());
        }
        let read = |name: &String| {
            // The day, a dash, the id.
            let capture = name.get(11..).and_then(|id| id.parse().ok());
            let path = folder.join(name).join("manifest.json");
            let (manifest, _) = self.read_manifest(&path)?;
            is_itself(&path, &manifest, unit, capture)?;
            Ok(manifest)
        };
        Ok(list(&folder)?.iter().map(read).collect())
    }

    /// All units that have captures here.
    ///
    /// # Errors
    /// When the folder can't be listed.
    pub fn units(&self) -> Result<Vec<UnitId>, VaultError> {
        plain::check(&self.root, &self.root.join("captures"))?;
        let names = list(&self.root.join("captures"))?;
        Ok(names.iter().filter_map(|name| name.parse().ok()).collect())
    }

    /// The manifest of one capture, with the digest of the file.
    ///
    /// # Errors
    /// When it is not here, can't be read, holds nothing, or is another capture's or another unit's.
    pub fn manifest(
        &self,
        unit: UnitId,
        capture: CaptureId,
    ) -> Result<(Manifest, Digest), VaultError> {
        let folder = self.root.join("captures").join(unit.to_string());
        let ending = format!("-{capture}");
        let names = if folder.exists() {
            list(&folder)?
        } else {
            Vec::new()
        };
        let path = names
            .iter()
            .find(|name| name.ends_with(&ending))
            .map(|name| folder.join(name).join("manifest.json"))
            .filter(|path| fs::symlink_metadata(path).is_ok())
            .ok_or(VaultError::NoCapture(capture))?;
        let (manifest, digest) = self.read_manifest(&path)?;
        is_itself(&path, &manifest, unit, Some(capture))?;
        Ok((manifest, digest))
    }

    /// Writes a capture's manifest: its folder comes with it, so that one without a manifest is damage.
    pub(crate) fn put_manifest(&self, folder: &Path, bytes: &[u8]) -> Result<(), VaultError> {
        let staging = self.root.join("staging");
        durable::write_with_folder(&staging, folder, "manifest.json", bytes)
            .map_err(VaultError::at(&folder.join("manifest.json")))
    }

    /// Reads a manifest and the digest of its bytes.
    fn read_manifest(&self, path: &Path) -> Result<(Manifest, Digest), VaultError> {
        let bytes = self.manifest_bytes(path)?;
        Ok((parsed(path, &bytes)?, Digest::of(&bytes)))
    }

    /// The bytes of a manifest's file.
    pub(crate) fn manifest_bytes(&self, path: &Path) -> Result<Vec<u8>, VaultError> {
        let refuse = VaultError::at(path);
        let mut bytes = Vec::new();
        plain::open(&self.root, path)?
            .take(MOST_MANIFEST_BYTES + 1)
            .read_to_end(&mut bytes)
            .map_err(refuse)?;
        if bytes.len() as u64 > MOST_MANIFEST_BYTES {
            return Err(VaultError::Unreadable {
                path: path.to_owned(),
                what: "it is too large to be a manifest".to_owned(),
            });
        }
        Ok(bytes)
    }
}

/// A manifest that holds something, of this unit and capture.
fn is_itself(
    path: &Path,
    manifest: &Manifest,
    unit: UnitId,
    capture: Option<CaptureId>,
) -> Result<(), VaultError> {
    let what = if manifest.unit != unit {
        "it is another unit's manifest"
    } else if capture != Some(manifest.capture) {
        "it is another capture's manifest"
    } else if manifest.partitions.is_empty() {
        "it names no partition: a capture of nothing is none"
    } else {
        return Ok(());
    };
    Err(VaultError::Unreadable {
        path: path.to_owned(),
        what: what.to_owned(),
    })
}

fn write_place(root: &Path, place: &PlaceFile) -> Result<(), VaultError> {
    let path = root.join("place.toml");
    let text = toml::to_string(place).map_err(|error| VaultError::Unreadable {
        path: path.clone(),
        what: error.to_string(),
    })?;
    durable::write(&path, text.as_bytes()).map_err(VaultError::at(&path))
}

/// A manifest's bytes as a manifest.
pub(crate) fn parsed(path: &Path, bytes: &[u8]) -> Result<Manifest, VaultError> {
    let unreadable = |error: serde_json::Error| VaultError::Unreadable {
        path: path.to_owned(),
        what: error.to_string(),
    };
    #[derive(serde::Deserialize)]
    struct Version {
        veritope_capture: u32,
    }
    let version: Version = serde_json::from_slice(bytes).map_err(unreadable)?;
    if version.veritope_capture > MANIFEST_VERSION {
        return Err(VaultError::Newer {
            path: path.to_owned(),
            found: version.veritope_capture,
        });
    }
    serde_json::from_slice(bytes).map_err(unreadable)
}

/// Names in a folder, sorted; a folder that can't be listed is an error, never an empty list.
fn list(folder: &Path) -> Result<Vec<String>, VaultError> {
    let refuse = VaultError::at(folder);
    let mut names = Vec::new();
    for entry in fs::read_dir(folder).map_err(&refuse)? {
        if let Ok(name) = entry.map_err(&refuse)?.file_name().into_string() {
            names.push(name);
        }
    }
    names.sort();
    Ok(names)
}

fn lock(root: &Path) -> Result<File, VaultError> {
    let path = root.join("writer.lock");
    plain::check(root, &path)?;
    if path.exists() {
        plain::open(root, &path)?;
    }
    let file = File::options()
        .create(true)
        .truncate(false)
        .write(true)
        .open(&path)
        .map_err(VaultError::at(&path))?;
    match file.try_lock() {
        Ok(()) => Ok(file),
        Err(TryLockError::WouldBlock) => Err(VaultError::Busy(root.to_owned())),
        Err(TryLockError::Error(why)) => Err(VaultError::at(&path)(why)),
    }
}
