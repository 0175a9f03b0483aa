//! Files of this program's own: objects of a vault, manifests of captures.

use std::collections::HashMap;
use std::fs;
use std::path::{Path, PathBuf};

use serde::Serialize;
use utoipa::ToSchema;
use veritope_core::digest::{FRAME_BYTES, SeeingHasher};
use veritope_formats::look::{Finding, Limits, Looked, Trouble, Weight, look};
use veritope_formats::table::Ends;
use veritope_vault::{Captured, Manifest, Object, ObjectImage};

use super::{InspectedFile, files_below, one_line};

/// A file of this program's own.
#[derive(Debug, Serialize, ToSchema)]
#[serde(tag = "is", rename_all = "kebab-case")]
pub(super) enum Own {
    /// An object of a vault; what was looked into is the image that it keeps.
    Object {
        /// Frames.
        frames: u64,
        /// Bytes as they lie there.
        stored_bytes: u64,
        /// Digest of the image.
        blake3: String,
    },
    /// A capture's manifest.
    Manifest {
        /// The capture.
        capture: String,
        /// The unit.
        unit: String,
        /// When it was taken.
        taken: String,
        /// Family.
        family: String,
        /// Partitions.
        partitions: Vec<OwnPartition>,
    },
}

/// A partition of a capture.
#[derive(Debug, Serialize, ToSchema)]
pub(super) struct OwnPartition {
    label: String,
    bytes: u64,
    blake3: String,
    /// How it was read.
    read: String,
    /// Whether it is nothing but one byte.
    blank: String,
    /// Whether its list of frames is whole.
    frames_add_up: bool,
}

/// What the manifests of the vaults that were met say of tables: by the digest of either end of an
/// area, the paths of both and the area's length.
#[derive(Debug, Default)]
pub(super) struct Areas {
    vaults: HashMap<PathBuf, HashMap<String, AreaEnds>>,
}

/// The two ends of an area and its length in bytes.
#[derive(Debug, Clone)]
struct AreaEnds {
    head: PathBuf,
    tail: PathBuf,
    length_bytes: u64,
}

impl Areas {
    /// The area whose table the object at `path` keeps, named `digest`; nothing where the vault that it
    /// lies in, if it does, has no manifest that says so.
    fn of(&mut self, path: &Path, digest: &str) -> Option<AreaEnds> {
        // VAULT/objects/ab/DIGEST.zst
        let root = path.ancestors().nth(3)?;
        let known = self
            .vaults
            .entry(root.to_owned())
            .or_insert_with(|| areas_of(root));
        known.get(digest).cloned()
    }
}

fn areas_of(root: &Path) -> HashMap<String, AreaEnds> {
    let mut files = Vec::new();
    // What can't be read pairs nothing; each file of a folder is named for itself.
    let _ = files_below(&root.join("captures"), &mut files);
    let object = |part: &Captured| {
        let digest = part.blake3.to_string();
        let folder = root.join("objects").join(&digest[..2]);
        folder.join(format!("{digest}.zst"))
    };
    let mut areas = HashMap::new();
    for file in files {
        let manifest = fs::read(file)
            .ok()
            .and_then(|bytes| serde_json::from_slice::<Manifest>(&bytes).ok());
        for part in manifest.iter().flat_map(|one| &one.partitions) {
            if let Some(ends) = manifest.as_ref().and_then(|one| one.both_ends(part)) {
                let ends = AreaEnds {
                    head: object(ends.head),
                    tail: object(ends.tail),
                    length_bytes: ends.length_bytes,
                };
                areas.insert(part.blake3.to_string(), ends);
            }
        }
    }
    areas
}

/// Looks into the area of which the two ends are kept.
fn look_at_area(ends: &AreaEnds) -> Option<Looked> {
    let area = Ends {
        head: &ObjectImage::new(Object::open(&ends.head).ok()?),
        tail: &ObjectImage::new(Object::open(&ends.tail).ok()?),
        length_bytes: ends.length_bytes,
    };
    Some(look(&area, "", Limits::default()))
}

/// An object of a vault: every frame is read and hashed, then its image is looked into.
pub(super) fn object_of(path: &Path, mut object: Object, areas: &mut Areas) -> InspectedFile {
    let info = object.info();
    let mut hasher = SeeingHasher::new();
    let mut damage = Vec::new();
    for index in 0..info.frames {
        match object.frame(index) {
            Ok(bytes) => hasher.update(&bytes),
            Err(what) => damage.push(Finding {
                trouble: Trouble::ChecksumWrong,
                weight: Weight::Matters,
                at: Some(index * FRAME_BYTES),
                says: format!("frame {index} of the object is damaged: {what}"),
            }),
        }
    }
    let digest = hasher.finish().digest().to_string();
    let named = path.file_stem().and_then(|stem| stem.to_str());
    if damage.is_empty() && named.is_some_and(|name| name.len() == 64 && name != digest) {
        damage.push(Finding {
            trouble: Trouble::DigestDiffers,
            weight: Weight::Matters,
            at: None,
            says: "the image does not match the digest in the file's name".into(),
        });
    }
    // An area's table stands at both its ends: neither is looked into without the other.
    let mut looked = areas
        .of(path, &digest)
        .and_then(|ends| look_at_area(&ends))
        .unwrap_or_else(|| look(&ObjectImage::new(object), "", Limits::default()));
    looked.findings.splice(0..0, damage);
    InspectedFile {
        file: path.display().to_string(),
        own: Some(Own::Object {
            frames: info.frames,
            stored_bytes: info.stored_bytes,
            blake3: digest,
        }),
        looked,
    }
}

/// What a capture's manifest says; nothing where it is another file. Identifiers stay masked: this is
/// for looking over (`K3`).
pub(super) fn manifest_of(bytes: &[u8]) -> Option<Own> {
    let manifest: Manifest = serde_json::from_slice(bytes).ok()?;
    let partitions = manifest.partitions.iter().map(|part| OwnPartition {
        label: part.label.to_string(),
        bytes: part.length_bytes,
        blake3: part.blake3.to_string(),
        read: word(&part.agreement),
        blank: word(&part.blank),
        frames_add_up: part.frame_list().is_some(),
    });
    Some(Own::Manifest {
        capture: manifest.capture.to_string(),
        unit: manifest.unit.to_string(),
        taken: word(&manifest.taken),
        family: word(&manifest.family),
        partitions: partitions.collect(),
    })
}

/// A value in the word by which it is stored.
fn word(value: &impl Serialize) -> String {
    serde_json::to_value(value).map_or_else(|_| String::new(), |value| one_line(&value))
}
