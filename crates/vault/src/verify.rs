//! Whether stored bytes are still what was read (`B7`): each object is read back from its medium,
//! decoded and hashed, frame by frame, so that damage has a place.

use std::path::PathBuf;

use serde::Serialize;
use veritope_core::coverage::BlankBytes;
use veritope_core::digest::{FrameList, SeeingHasher, Seen};
use veritope_wire::{CaptureId, Digest, Label, UnitId};

use crate::durable;
use crate::error::VaultError;
use crate::manifest::{Captured, Manifest};
use crate::object::whole_name;
use crate::vault::Vault;

/// One damaged stretch of an image.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct Damage {
    /// The partition; nothing where it is the capture's manifest.
    pub label: Option<Label>,
    /// The frame, from 0; nothing when the whole object is missing or unreadable.
    pub frame: Option<u64>,
    /// First byte of the image that can't be relied on.
    pub first_byte: u64,
    /// Last byte of it.
    pub last_byte: u64,
    /// The object's file.
    pub file: PathBuf,
    /// What was found.
    pub what: String,
}

/// How one image stands.
#[derive(Debug)]
pub enum ImageState {
    /// All of it was read back and has the digest that the manifest gives.
    Sound(Seen),
    /// Some of it is not what it was.
    Damaged(Vec<Damage>),
}

/// How a capture stands.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct VerifyReport {
    /// The capture.
    pub capture: CaptureId,
    /// Its unit.
    pub unit: UnitId,
    /// Partitions that are sound.
    pub sound: Vec<Label>,
    /// Those of them that are sound and hold nothing: all zero, or all 0xFF.
    pub blank: Vec<(Label, BlankBytes)>,
    /// Damage found.
    pub damage: Vec<Damage>,
    /// Bytes of image that were hashed.
    pub bytes: u64,
}

/// Whether a sound image is all zero or all 0xFF, told by the values of its frames, not by the word of
/// its manifest.
fn blank_by_frames(part: &Captured) -> Option<BlankBytes> {
    let layout = part.layout();
    [(0x00, BlankBytes::Zeros), (0xFF, BlankBytes::Ones)]
        .into_iter()
        .find(|(byte, _)| {
            // A frame that is not blank ends it at once, which the first mostly does.
            (0..layout.count()).zip(&part.frames).all(|(index, value)| {
                let (_, length) = layout.span(index);
                let bytes = vec![*byte; usize::try_from(length).unwrap_or(0)];
                layout.value(index, &bytes) == *value
            })
        })
        .map(|(_, blank)| blank)
}

impl Vault {
    /// Reads one image back from the medium and compares it with its manifest. `each` hears how
    /// many bytes were hashed, frame by frame, and may stop the work by answering `false`.
    pub fn verify_image(&self, part: &Captured, mut each: impl FnMut(u64) -> bool) -> ImageState {
        let whole = |what: String| {
            ImageState::Damaged(vec![Damage {
                label: Some(part.label.clone()),
                frame: None,
                first_byte: 0,
                last_byte: part.length_bytes.saturating_sub(1),
                file: self.object_path(part.blake3),
                what,
            }])
        };
        let Some(list) = part.frame_list() else {
            return whole("the manifest's frames don't add up to its digest".to_owned());
        };
        let mut object = match self.object(part.blake3) {
            Ok(object) => object,
            Err(error) => return whole(error.to_string()),
        };
        let info = object.info();
        if info.bytes != part.length_bytes || info.frames != list.layout().count() {
            return whole(format!(
                "the object holds {} bytes, the partition has {}",
                info.bytes, part.length_bytes
            ));
        }
        let mut hasher = SeeingHasher::new();
        let mut damage = Vec::new();
        for index in 0..list.layout().count() {
            let (first, length) = list.layout().span(index);
            let found = object.frame(index).and_then(|bytes| {
                hasher.update(&bytes);
                if list.admits(index, &bytes) {
                    Ok(())
                } else {
                    Err("the bytes are not the ones that were read".to_owned())
                }
            });
            if let Err(what) = found {
                damage.push(Damage {
                    label: Some(part.label.clone()),
                    frame: Some(index),
                    first_byte: first,
                    last_byte: first + length.saturating_sub(1),
                    file: object.path_of(index).to_owned(),
                    what,
                });
            }
            if !each(length) {
                return whole("the reading was stopped".to_owned());
            }
        }
        if damage.is_empty() {
            ImageState::Sound(hasher.finish())
        } else {
            ImageState::Damaged(damage)
        }
    }

    /// Whether the object of an image reads back whole.
    pub(crate) fn object_is_sound(&self, list: &FrameList, image: Digest) -> bool {
        let Ok(mut object) = self.object(image) else {
            return false;
        };
        object.info().bytes == list.layout().length_bytes()
            && (0..list.layout().count()).all(|index| {
                object
                    .frame(index)
                    .is_ok_and(|bytes| list.admits(index, &bytes))
            })
    }

    /// Whether every frame of an image still lies on the medium as it was written, by the digests of its
    /// object: read from there, hashed, and not unpacked. An object without digests is not told.
    #[must_use]
    pub fn is_as_written(&self, part: &Captured) -> bool {
        let Ok(mut object) = self.object(part.blake3) else {
            return false;
        };
        let info = object.info();
        let frames = part.layout().count();
        (info.bytes, info.frames) == (part.length_bytes, frames)
            && object.has_digests()
            && (0..frames).all(|index| object.stored_frame(index).is_ok())
    }

    /// Brings a sound object from another place over a damaged one. Whether it is sound there is
    /// found out first; what was here is replaced as a whole.
    ///
    /// # Errors
    /// When the other place's object is damaged too, or this one can't be written.
    pub fn repair_from(&self, other: &Vault, part: &Captured) -> Result<(), VaultError> {
        self.may_write()?;
        if let ImageState::Damaged(damage) = other.verify_image(part, |_| true) {
            let first = damage.into_iter().next();
            return Err(VaultError::Damaged {
                label: part.label.to_string(),
                frame: first.as_ref().and_then(|one| one.frame).unwrap_or(0),
                first: first.as_ref().map_or(0, |one| one.first_byte),
                last: first.as_ref().map_or(0, |one| one.last_byte),
                what: first.map_or_else(String::new, |one| one.what),
            });
        }
        let files = other.files_of(part.blake3)?;
        for file in &files {
            crate::copy::copy_file(other, self, file, &mut |_| true)?;
        }
        // A whole one would come first, and it is the one that is damaged.
        let whole = self.root().join("objects").join(whole_name(part.blake3));
        if !files.iter().any(|file| self.root().join(file) == whole) {
            durable::clear(&whole).map_err(VaultError::at(&whole))?;
        }
        Ok(())
    }

    /// Reads a whole capture back.
    pub fn verify(&self, manifest: &Manifest, mut each: impl FnMut(u64) -> bool) -> VerifyReport {
        let mut report = VerifyReport {
            capture: manifest.capture,
            unit: manifest.unit,
            sound: Vec::new(),
            blank: Vec::new(),
            damage: Vec::new(),
            bytes: 0,
        };
        for part in &manifest.partitions {
            let mut hashed = 0;
            let state = self.verify_image(part, |bytes| {
                hashed += bytes;
                each(bytes)
            });
            report.bytes += hashed;
            match state {
                ImageState::Sound(_) => {
                    report.sound.push(part.label.clone());
                    if let Some(blank) = blank_by_frames(part) {
                        report.blank.push((part.label.clone(), blank));
                    }
                }
                ImageState::Damaged(damage) => report.damage.extend(damage),
            }
        }
        report
    }

    /// Reads one frame of an image back and checks it against the manifest.
    ///
    /// # Errors
    /// [`VaultError::Damaged`], naming partition, frame and bytes.
    pub fn frame(&self, part: &Captured, index: u64) -> Result<Vec<u8>, VaultError> {
        let layout = part.layout();
        let (first, length) = layout.span(index);
        let damaged = |what: String| VaultError::Damaged {
            label: part.label.to_string(),
            frame: index,
            first,
            last: first + length.saturating_sub(1),
            what,
        };
        let list = part
            .frame_list()
            .ok_or_else(|| damaged("the manifest's frames don't add up".to_owned()))?;
        let mut object = self.object(part.blake3)?;
        let info = object.info();
        // Tables that are not this image's tell of no frame where it lies.
        if info.bytes != part.length_bytes || info.frames != layout.count() {
            return Err(damaged(format!(
                "the object holds {} bytes, the partition has {}",
                info.bytes, part.length_bytes
            )));
        }
        let bytes = object.frame(index).map_err(damaged)?;
        if list.admits(index, &bytes) {
            Ok(bytes)
        } else {
            Err(damaged(
                "the bytes are not the ones that were read".to_owned(),
            ))
        }
    }
}
