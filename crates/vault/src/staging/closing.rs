//! How an image whose frames are all here becomes an object: whole, or with only the frames in which it differs
//! from another one.

use std::collections::BTreeSet;
use std::fs::{self, File, OpenOptions};
use std::io;
use std::os::unix::fs::FileExt;
use std::path::Path;
use std::sync::Arc;

use veritope_core::coverage::BlankBytes;
use veritope_core::digest::{FrameLayout, FrameList};
use veritope_formats::seektable::{RestIn, build_digests, build_rest, build_seek_table};
use veritope_wire::{Digest, Label};

use super::lines::{FrameLine, Lies};
use super::{StagedImage, Staging, parent};
use crate::durable;
use crate::error::VaultError;
use crate::object::{Object, StoredFrame, changed_name, whole_name};
use crate::vault::Vault;

impl Staging<'_> {
    /// Closes an image whose frames are all here: the object gets its name. Frames that were captured before
    /// are not stored again: where they are all, the object is there already; where they are most, it holds
    /// only the others. An object that is in the vault already, and is sound, stays.
    ///
    /// # Errors
    /// When a frame is missing or the object can't be written. Where frames that were captured before are
    /// gone, what is here is forgotten, and they are read again.
    pub fn close(&mut self, label: &Label, layout: FrameLayout) -> Result<StagedImage, VaultError> {
        let path = self.part(label);
        let part = self.parts.entry(label.clone()).or_default();
        let values: Vec<Digest> = part.lines.iter().map(|line| line.value).collect();
        let blake3 = layout
            .merge(&values)
            .ok_or_else(|| VaultError::Unreadable {
                path: path.clone(),
                what: format!("{} of {} frames are here", values.len(), layout.count()),
            })?;
        let blanks = part.lines.iter().map(|line| line.blank);
        let blank = blanks.reduce(BlankBytes::and).unwrap_or(BlankBytes::No);
        let before: BTreeSet<Digest> = part
            .lines
            .iter()
            .filter_map(|line| match line.lies {
                Lies::As { as_in } => Some(as_in),
                Lies::Here { .. } => None,
            })
            .collect();
        let list = FrameList::new(layout, values.clone(), blake3);
        let is_here = |vault: &Vault| {
            let is_there = vault.object_path(blake3).exists();
            list.is_some_and(|list| is_there && vault.object_is_sound(&list, blake3))
        };
        let put = match before.into_iter().collect::<Vec<_>>()[..] {
            // Nothing has changed, and the copy that it was captured in was read back.
            [one] if one == blake3 => self.captured_before(blake3).map(drop),
            _ if is_here(self.vault) => Ok(()),
            [] => self.put_whole(label, blake3),
            [one] => self.put_changed(label, layout, one, blake3),
            _ => Err(VaultError::Unreadable {
                path: path.clone(),
                what: "its frames lie in more than one object".to_owned(),
            }),
        };
        if let Err(error) = put {
            let is_gone = matches!(
                error,
                VaultError::Unreadable { .. } | VaultError::Damaged { .. }
            );
            if is_gone {
                self.forget(label)?;
            }
            return Err(error);
        }
        let target = self.vault.object_path(blake3);
        let stored_bytes = fs::metadata(&target)
            .map_err(VaultError::at(&target))?
            .len();
        Ok(StagedImage {
            blake3,
            frames: values,
            stored_bytes,
            blank,
        })
    }

    /// The part itself becomes the object: digests and seek table go behind its frames.
    fn put_whole(&mut self, label: &Label, blake3: Digest) -> Result<(), VaultError> {
        let path = self.part(label);
        let refuse = VaultError::at(&path);
        let Some(part) = self.parts.get(label) else {
            return Ok(());
        };
        let mut end = End::default();
        for line in &part.lines {
            if let Lies::Here {
                stored_bytes,
                stored_blake3,
            } = line.lies
            {
                end.sizes.push((stored_bytes, line.bytes));
                end.digests.push(stored_blake3);
            }
        }
        let file = OpenOptions::new().write(true).open(&path);
        let file = file.map_err(|error| match error.kind() {
            io::ErrorKind::NotFound => VaultError::Unreadable {
                path: path.clone(),
                what: "what was read is gone from the disk: take it up again".to_owned(),
            },
            _ => refuse(error),
        })?;
        file.set_len(part.stored).map_err(&refuse)?;
        file.write_all_at(&end.bytes(), part.stored)
            .map_err(&refuse)?;
        file.sync_all().map_err(&refuse)?;
        self.name(&path, &whole_name(blake3))
    }

    /// The frames that differ from those of `before` become an object that names it; where they are most,
    /// all become one.
    fn put_changed(
        &mut self,
        label: &Label,
        layout: FrameLayout,
        before: Digest,
        blake3: Digest,
    ) -> Result<(), VaultError> {
        let path = self.part(label);
        let refuse = VaultError::at(&path);
        let Some(part) = self.parts.get(label) else {
            return Ok(());
        };
        let mut old = self.captured_before(before)?;
        // What that object has from another one, this has from there too.
        let rest = old.rest_image().unwrap_or(before);
        let differs = |line: &&FrameLine, old: &Object| match line.lies {
            Lies::Here { .. } => true,
            Lies::As { .. } => old.rest_image().is_some() && old.is_own(line.index),
        };
        let own = part.lines.iter().filter(|line| differs(line, &old)).count();
        let is_whole = own as u64 * 2 > layout.count();
        let spare = path.with_extension("part-new");
        let file = File::create(&spare).map_err(&refuse)?;
        let (mut at, mut from) = (0, 0);
        let mut end = End::default();
        let mut numbers = Vec::new();
        for line in &part.lines {
            let is_own = is_whole || differs(&line, &old);
            let frame = match line.lies {
                Lies::Here {
                    stored_bytes,
                    stored_blake3,
                } => {
                    let mut stored = vec![0; stored_bytes as usize];
                    let part = part.file.as_ref().map(Arc::clone);
                    let part = part.map_or_else(|| File::open(&path).map(Arc::new), Ok);
                    part.and_then(|part| part.read_exact_at(&mut stored, from))
                        .map_err(&refuse)?;
                    from += u64::from(stored_bytes);
                    StoredFrame {
                        stored,
                        bytes: line.bytes,
                        stored_blake3,
                    }
                }
                Lies::As { .. } if is_own => {
                    let frame = old.stored_frame(line.index);
                    frame.map_err(|what| damaged(label, layout, line.index, what))?
                }
                Lies::As { .. } => continue,
            };
            file.write_all_at(&frame.stored, at).map_err(&refuse)?;
            at += frame.stored.len() as u64;
            end.sizes.push((
                u32::try_from(frame.stored.len()).unwrap_or(u32::MAX),
                frame.bytes,
            ));
            end.digests.push(frame.stored_blake3);
            numbers.push(u32::try_from(line.index).unwrap_or(u32::MAX));
        }
        if !is_whole {
            end.rest = Some(RestIn {
                image: rest,
                length_bytes: layout.length_bytes(),
                own: numbers,
            });
        }
        file.write_all_at(&end.bytes(), at).map_err(&refuse)?;
        file.sync_all().map_err(&refuse)?;
        let name = if is_whole {
            whole_name(blake3)
        } else {
            changed_name(blake3)
        };
        self.name(&spare, &name)?;
        durable::clear(&path).map_err(&refuse)
    }

    /// The object of an image that was captured before.
    fn captured_before(&self, image: Digest) -> Result<Object, VaultError> {
        self.vault
            .object(image)
            .map_err(|error| VaultError::Unreadable {
                path: self.vault.object_path(image),
                what: format!(
                    "what was captured before is not here any more ({error}): take it up again"
                ),
            })
    }

    /// Gives a synced file its name among the objects.
    fn name(&self, file: &Path, name: &Path) -> Result<(), VaultError> {
        let target = self.vault.root().join("objects").join(name);
        durable::make_folder(parent(&target)).map_err(VaultError::at(&target))?;
        durable::rename(file, &target).map_err(VaultError::at(&target))
    }
}

/// What lies behind an object's frames.
#[derive(Debug, Default)]
struct End {
    sizes: Vec<(u32, u32)>,
    digests: Vec<Digest>,
    rest: Option<RestIn>,
}

impl End {
    fn bytes(&self) -> Vec<u8> {
        let mut bytes = self.rest.as_ref().map(build_rest).unwrap_or_default();
        bytes.extend(build_digests(&self.digests));
        bytes.extend(build_seek_table(&self.sizes));
        bytes
    }
}

fn damaged(label: &Label, layout: FrameLayout, index: u64, what: String) -> VaultError {
    let (first, length) = layout.span(index);
    VaultError::Damaged {
        label: label.to_string(),
        frame: index,
        first,
        last: first + length.saturating_sub(1),
        what,
    }
}
