//! A capture in another place: objects first, the manifest last, byte for byte.

use std::collections::BTreeMap;
use std::fs::{self, OpenOptions};
use std::io::{Read, Seek, SeekFrom, Write};
use std::path::{Path, PathBuf};

use veritope_wire::{CaptureId, Digest, UnitId};

use crate::durable;
use crate::error::VaultError;
use crate::manifest::{Captured, Manifest};
use crate::plain;
use crate::vault::Vault;

/// What a copy took.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Copied {
    /// Bytes that were written.
    pub written_bytes: u64,
    /// Objects that were there already.
    pub present: u64,
    /// Digest of the manifest's file.
    pub manifest: Digest,
}

/// Bytes copied at once.
const PIECE: usize = 1 << 20;

impl Vault {
    /// Copies a capture to `target`. What an earlier try brought there is not brought again; what
    /// the target holds is not trusted for that, only its length, since the copy is read back
    /// before it counts. `each` hears of written bytes and may stop the work by answering `false`.
    ///
    /// # Errors
    /// When something can't be read or written, there is no room, or the manifest here is not the one that
    /// is `known`. What was copied stays, without a manifest, and is gone on with.
    pub fn copy_to(
        &self,
        target: &Vault,
        unit: UnitId,
        capture: CaptureId,
        known: Digest,
        mut each: impl FnMut(u64) -> bool,
    ) -> Result<Copied, VaultError> {
        target.may_write()?;
        let (manifest, digest) = self.manifest(unit, capture)?;
        if digest != known {
            return Err(VaultError::Unreadable {
                path: self.capture_folder(&manifest).join("manifest.json"),
                what: "it is not the manifest that was written when this capture was taken"
                    .to_owned(),
            });
        }
        let mut missing = BTreeMap::new();
        let mut present = 0;
        for part in &manifest.partitions {
            if target.holds(part) {
                present += 1;
                continue;
            }
            for file in self.files_of(part.blake3)? {
                let length = length_of(&self.root().join(&file));
                if length.is_some() && length != length_of(&target.root().join(&file)) {
                    missing.insert(file, length.unwrap_or(0));
                }
            }
        }
        target.has_room(missing.values().sum())?;
        let mut copied = Copied {
            written_bytes: 0,
            present,
            manifest: digest,
        };
        // What others need comes before what needs it.
        let is_changed = |file: &Path| file.to_string_lossy().ends_with(".changed.zst");
        let mut files: Vec<PathBuf> = missing.into_keys().collect();
        files.sort_by_key(|file| is_changed(file));
        for file in files {
            copied.written_bytes += copy_file(self, target, &file, &mut each)?;
        }
        self.copy_manifest_to(target, &manifest, known)?;
        Ok(copied)
    }

    /// Whether what lies here for an image is an object of its length, by its tables.
    fn holds(&self, part: &Captured) -> bool {
        let object = self.object(part.blake3);
        object.is_ok_and(|object| {
            let info = object.info();
            (info.bytes, info.frames) == (part.length_bytes, part.layout().count())
        })
    }

    /// Brings the manifest of a capture to `target`, byte for byte, if its file has the digest that is
    /// `known` of it: nothing else ever goes over a manifest.
    ///
    /// # Errors
    /// When it is another one here, or can't be read or written.
    pub fn copy_manifest_to(
        &self,
        target: &Vault,
        manifest: &Manifest,
        known: Digest,
    ) -> Result<(), VaultError> {
        target.may_write()?;
        let from = self.capture_folder(manifest).join("manifest.json");
        let bytes = self.manifest_bytes(&from)?;
        if Digest::of(&bytes) != known {
            return Err(VaultError::Unreadable {
                path: from,
                what: "it is not the manifest that was written when this capture was taken"
                    .to_owned(),
            });
        }
        let folder = target.capture_folder(manifest);
        plain::check(target.root(), &folder)?;
        target.put_manifest(&folder, &bytes)
    }
}

/// Bytes of what lies there, if it is a file itself and nothing that leads to one.
fn length_of(path: &Path) -> Option<u64> {
    let meta = fs::symlink_metadata(path).ok()?;
    meta.is_file().then_some(meta.len())
}

/// Copies a file of an object into place, over whatever lies there, a link or a pipe too; a part that an
/// earlier try left is gone on with.
pub(crate) fn copy_file(
    source: &Vault,
    target: &Vault,
    file: &Path,
    each: &mut impl FnMut(u64) -> bool,
) -> Result<u64, VaultError> {
    let (from, to) = (source.root().join(file), target.root().join(file));
    let to = to.as_path();
    if let Some(parent) = to.parent() {
        plain::check(target.root(), parent)?;
        durable::make_folder(parent).map_err(VaultError::at(parent))?;
    }
    let part = to.with_extension("zst-part");
    if length_of(&part).is_none() {
        durable::clear(&part).map_err(VaultError::at(&part))?;
    }
    let (bad_source, bad_part) = (VaultError::at(&from), VaultError::at(&part));
    let mut source = plain::open(source.root(), &from)?;
    let length = source.metadata().map_err(&bad_source)?.len();
    let mut file = OpenOptions::new()
        .create(true)
        .truncate(false)
        .write(true)
        .open(&part)
        .map_err(&bad_part)?;
    // Synced pieces only: what is behind the last whole piece may be anything.
    let here = file.metadata().map_err(&bad_part)?.len().min(length);
    let mut at = here - here % PIECE as u64;
    file.set_len(at).map_err(&bad_part)?;
    source.seek(SeekFrom::Start(at)).map_err(&bad_source)?;
    file.seek(SeekFrom::Start(at)).map_err(&bad_part)?;
    let mut piece = vec![0; PIECE];
    let mut written = 0;
    while at < length {
        let count = PIECE.min(usize::try_from(length - at).unwrap_or(PIECE));
        source
            .read_exact(&mut piece[..count])
            .map_err(&bad_source)?;
        file.write_all(&piece[..count]).map_err(&bad_part)?;
        file.sync_data().map_err(&bad_part)?;
        at += count as u64;
        written += count as u64;
        if !each(count as u64) {
            return Err(VaultError::Stopped);
        }
    }
    file.sync_all().map_err(&bad_part)?;
    durable::rename(&part, to).map_err(VaultError::at(to))?;
    Ok(written)
}
