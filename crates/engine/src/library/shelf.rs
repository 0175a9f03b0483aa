//! Files at hand: images with a side file that says what their publisher says. For now this finds
//! the one recovery that a family can start from memory; the whole shelf comes with its screen.

use std::collections::BTreeMap;
use std::fs;
use std::io::{self, Read};
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, PoisonError};
use std::time::SystemTime;

use serde::{Deserialize, Serialize};
use veritope_core::digest::{Claimed, SeeingHasher, Seen};
use veritope_core::family::Family;
use veritope_core::matching::{Descriptor, Finding, Fit, Published, judge_recovery};
use veritope_core::rule::Rule;
use veritope_formats::startimage::read_start_image;
use veritope_wire::Digest;

/// What a side file holds.
#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct SideFile {
    /// Name of the image beside it.
    image: String,
    /// Codename that the publisher gives.
    codename: String,
    /// Digest that the publisher gives.
    blake3: Digest,
}

/// An image, judged for one family.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct ShelfImage {
    /// File name.
    pub name: String,
    /// Version that its own descriptor gives.
    pub version: Option<String>,
    /// Length in bytes.
    pub length_bytes: u64,
    /// What was judged.
    pub findings: Vec<Finding>,
    /// Digest that its publisher gives.
    #[serde(skip)]
    pub published: Option<Digest>,
    /// Its bytes, hashed as it was judged; not again before the file changes.
    #[serde(skip)]
    pub(crate) seen: Option<Arc<Seen>>,
    /// Where it lies.
    #[serde(skip)]
    pub path: PathBuf,
}

impl ShelfImage {
    /// Whether every criterion holds.
    #[must_use]
    pub fn fits(&self) -> bool {
        !self.findings.is_empty() && self.findings.iter().all(|finding| finding.fit == Fit::Fits)
    }
}

/// Largest image that is looked at.
const MOST_IMAGE_BYTES: u64 = 256 << 20;

/// Codename of the family, path, length and time of change of a judged image.
type Judged = (String, PathBuf, u64, SystemTime, Digest);

/// The shelf folder. Judgements are kept until the file changes.
#[derive(Debug)]
pub struct Shelf {
    folder: PathBuf,
    judged: Mutex<BTreeMap<Judged, ShelfImage>>,
    /// By path, length and time of change.
    packages: Mutex<BTreeMap<(PathBuf, u64, SystemTime), Arc<Seen>>>,
}

impl Shelf {
    /// The folder.
    pub(super) fn folder(&self) -> &Path {
        &self.folder
    }

    /// The shelf in `folder`.
    #[must_use]
    pub fn new(folder: PathBuf) -> Self {
        Self {
            folder,
            judged: Mutex::default(),
            packages: Mutex::default(),
        }
    }

    /// All images that have a side file, judged for `family`, in the order of their names. A side
    /// file that can't be read shows as an image that doesn't fit, with the reason.
    ///
    /// # Errors
    /// When the folder can't be listed.
    pub fn images(&self, family: &Family) -> io::Result<Vec<ShelfImage>> {
        let mut sides: Vec<PathBuf> = fs::read_dir(&self.folder)?
            .map(|file| file.map(|file| file.path()))
            .collect::<Result<_, _>>()?;
        sides.retain(|path| path.extension().is_some_and(|ending| ending == "toml"));
        sides.sort();
        Ok(sides
            .iter()
            .map(|side| {
                self.image(side, family)
                    .unwrap_or_else(|reason| ShelfImage {
                        name: side
                            .file_name()
                            .map_or_else(String::new, |n| n.to_string_lossy().into_owned()),
                        version: None,
                        length_bytes: 0,
                        findings: vec![Finding {
                            rule: Rule::M8,
                            fit: Fit::Stops,
                            text: reason,
                        }],
                        published: None,
                        seen: None,
                        path: side.clone(),
                    })
            })
            .collect())
    }

    /// The image that was judged for a sheet, read whole and judged again over the very bytes that are
    /// sent (`E5`): no length and no time of change stands for them.
    ///
    /// # Errors
    /// In one sentence: none fits any more, or it is not the one with the digest `judged`.
    pub(crate) fn image_to_send(
        &self,
        family: &Family,
        judged: Option<Digest>,
    ) -> Result<(Vec<u8>, Seen), String> {
        let image = self
            .recovery_for(family)
            .map_err(|error| error.to_string())?
            .ok_or("the recovery image is no longer on the shelf, or is not what it was: fetch it again (M8)")?;
        let (bytes, seen) =
            read_seen(&image.path).map_err(|error| format!("{}: {error}", image.name))?;
        if !image
            .published
            .is_some_and(|published| seen.agrees_with(Claimed(published)))
        {
            return Err(format!(
                "{} has digest {}…, which is not the one that was judged: fetch it again (E5)",
                image.name,
                seen.digest().short()
            ));
        }
        // The findings were made over bytes of this very digest.
        match judged {
            Some(judged) if judged != seen.digest() => Err(format!(
                "this sheet began with image {}…, and {} is {}…: stop the run and look at the new one first (E5)",
                judged.short(),
                image.name,
                seen.digest().short()
            )),
            _ => Ok((bytes, seen)),
        }
    }

    /// Forgets what was hashed, so that the next judgement reads every file anew.
    pub(crate) fn forget(&self) {
        let poisoned = PoisonError::into_inner;
        self.judged.lock().unwrap_or_else(poisoned).clear();
        let poisoned = PoisonError::into_inner;
        self.packages.lock().unwrap_or_else(poisoned).clear();
    }

    /// The first image that fits, by name.
    ///
    /// # Errors
    /// When the folder can't be listed.
    pub fn recovery_for(&self, family: &Family) -> io::Result<Option<ShelfImage>> {
        Ok(self.images(family)?.into_iter().find(ShelfImage::fits))
    }

    /// A package's file in the folder `packages`, hashed as it lies there; of any length, and not again
    /// before it changes.
    ///
    /// # Errors
    /// When there is none of that name, or it can't be read.
    pub fn package(&self, name: &str) -> io::Result<Arc<Seen>> {
        if Path::new(name).file_name() != Some(name.as_ref()) {
            return Err(io::ErrorKind::InvalidInput.into());
        }
        let path = self.folder.join("packages").join(name);
        let file = fs::File::open(&path)?;
        let meta = file.metadata()?;
        let key = (path, meta.len(), meta.modified()?);
        let mut packages = self.packages.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(known) = packages.get(&key) {
            return Ok(known.clone());
        }
        let seen = Arc::new(seen_of(file)?);
        packages.insert(key, seen.clone());
        Ok(seen)
    }

    fn image(&self, side: &Path, family: &Family) -> Result<ShelfImage, String> {
        let text = fs::read_to_string(side).map_err(|error| error.to_string())?;
        let claims: SideFile = toml::from_str(&text).map_err(|e| e.message().to_owned())?;
        if Path::new(&claims.image).file_name() != Some(claims.image.as_ref()) {
            return Err("`image` must be the name of a file beside it".to_owned());
        }
        let path = self.folder.join(&claims.image);
        let meta = fs::metadata(&path).map_err(|error| format!("{}: {error}", claims.image))?;
        let changed = meta.modified().map_err(|error| error.to_string())?;
        let key = (
            family.codename.clone(),
            path.clone(),
            meta.len(),
            changed,
            claims.blake3,
        );
        let mut judged = self.judged.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(known) = judged.get(&key) {
            return Ok(known.clone());
        }
        let (bytes, seen) = read_seen(&path).map_err(|error| error.to_string())?;
        let image = read_start_image(&bytes).map_err(|error| error.to_string())?;
        let shelf_image = ShelfImage {
            name: claims.image,
            version: Some(image.version.clone()),
            length_bytes: seen.bytes(),
            findings: judge_recovery(
                family,
                &Descriptor {
                    codename: image.codename,
                    kind: image.kind,
                    version: image.version,
                },
                &Published {
                    codename: claims.codename,
                    blake3: Claimed(claims.blake3),
                },
                &seen,
            ),
            published: Some(claims.blake3),
            seen: Some(Arc::new(seen)),
            path,
        };
        judged.insert(key, shelf_image.clone());
        Ok(shelf_image)
    }
}

/// Hashes a file piece by piece.
fn seen_of(mut file: fs::File) -> io::Result<Seen> {
    let mut hasher = SeeingHasher::new();
    let mut piece = vec![0; 1 << 20];
    loop {
        match file.read(&mut piece)? {
            0 => return Ok(hasher.finish()),
            n => hasher.update(&piece[..n]),
        }
    }
}

/// Reads a file whole and hashes the very bytes that were read.
///
/// # Errors
/// When it can't be read or is larger than an image can be.
pub(crate) fn read_seen(path: &Path) -> io::Result<(Vec<u8>, Seen)> {
    let mut bytes = Vec::new();
    fs::File::open(path)?
        .take(MOST_IMAGE_BYTES + 1)
        .read_to_end(&mut bytes)?;
    if bytes.len() as u64 > MOST_IMAGE_BYTES {
        return Err(io::Error::other(format!(
            "larger than {MOST_IMAGE_BYTES} bytes"
        )));
    }
    let seen = Seen::of(&bytes);
    Ok((bytes, seen))
}

#[cfg(test)]
mod tests {
    use veritope_formats::startimage::build_start_image;

    use super::*;

    fn gimbal() -> Family {
        let text = include_str!("../../../../families/gimbal.toml");
        veritope_core::family::load("gimbal.toml", text).unwrap()
    }

    #[test]
    fn an_image_changed_after_it_was_judged_is_judged_again() {
        let folder = tempfile::tempdir().unwrap();
        let shelf = Shelf::new(folder.path().to_owned());
        let mut bytes = build_start_image("gimbal", "recovery", "3.2.0", &[1; 3000]);
        let image = folder.path().join("r.img");
        fs::write(&image, &bytes).unwrap();
        let side = format!(
            "image = \"r.img\"\ncodename = \"gimbal\"\nblake3 = \"{}\"\n",
            Digest::of(&bytes)
        );
        fs::write(folder.path().join("r.toml"), side).unwrap();
        assert_eq!(
            shelf.recovery_for(&gimbal()).unwrap().unwrap().name,
            "r.img"
        );
        // One byte of slack more: still a start image, no longer the published bytes.
        bytes.push(0);
        fs::write(&image, &bytes).unwrap();
        assert_eq!(shelf.recovery_for(&gimbal()).unwrap(), None);
    }

    #[test]
    fn a_package_is_hashed_once_until_it_changes_and_may_be_long() {
        let folder = tempfile::tempdir().unwrap();
        let shelf = Shelf::new(folder.path().to_owned());
        let packages = folder.path().join("packages");
        fs::create_dir(&packages).unwrap();
        let file = fs::File::create(packages.join("full")).unwrap();
        file.set_len(MOST_IMAGE_BYTES + 3).unwrap();
        let first = shelf.package("full").unwrap();
        assert_eq!(first.bytes(), MOST_IMAGE_BYTES + 3);
        assert!(Arc::ptr_eq(&first, &shelf.package("full").unwrap()));
        fs::write(packages.join("full"), b"another").unwrap();
        let second = shelf.package("full").unwrap();
        assert!(second.agrees_with(Claimed(Digest::of(b"another"))));
        assert!(shelf.package("../full").is_err());
        assert!(shelf.package("none").is_err());
    }

    #[test]
    fn a_side_file_that_points_elsewhere_is_refused() {
        let folder = tempfile::tempdir().unwrap();
        let side = format!(
            "image = \"../r.img\"\ncodename = \"gimbal\"\nblake3 = \"{}\"\n",
            Digest::of(b"")
        );
        fs::write(folder.path().join("r.toml"), side).unwrap();
        let images = Shelf::new(folder.path().to_owned())
            .images(&gimbal())
            .unwrap();
        assert!(images[0].findings[0].text.contains("a file beside it"));
        assert!(!images[0].fits());
    }
}
