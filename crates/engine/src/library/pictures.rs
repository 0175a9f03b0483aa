//! Pictures of a screen, attached to a fact that a person typed. They stay on this computer: they
//! lie in `DATA/pictures`, the log holds their digests, and nothing exports them.

use veritope_core::facts::Source;
use veritope_wire::{Digest, FactId, RequestId, UnitId};

use crate::desk::record::{Entry, Scope};
use crate::desk::unit::UnitRecord;
use crate::library::LibraryError;
use crate::library::kept::Library;

/// Most bytes of a picture.
pub const MOST_PICTURE_BYTES: usize = 8 << 20;

/// A picture as it was kept.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Picture {
    /// Its bytes.
    pub bytes: Vec<u8>,
    /// `image/png` or `image/jpeg`.
    pub media_type: &'static str,
}

/// What the bytes are by their own beginning, whatever anybody says they are.
fn media_type(bytes: &[u8]) -> Option<&'static str> {
    if bytes.starts_with(b"\x89PNG\r\n\x1a\n") {
        Some("image/png")
    } else if bytes.starts_with(&[0xFF, 0xD8, 0xFF]) {
        Some("image/jpeg")
    } else {
        None
    }
}

impl Library {
    /// Attaches a picture to a fact that a person typed, in place of one that is there.
    ///
    /// # Errors
    /// When there is no such fact, or the bytes are no PNG or JPEG picture, or too many.
    pub fn put_picture(
        &self,
        unit: UnitId,
        fact: FactId,
        bytes: &[u8],
        request: RequestId,
    ) -> Result<(), LibraryError> {
        let Some(_once) = self.pen.once(Scope::Unit(unit), request)? else {
            return Ok(());
        };
        let record = self.pen.record(unit)?;
        if bytes.len() > MOST_PICTURE_BYTES {
            return Err(LibraryError::BadInput(format!(
                "the picture has {} bytes; at most {MOST_PICTURE_BYTES} are kept, take a smaller one",
                bytes.len()
            )));
        }
        if media_type(bytes).is_none() {
            return Err(LibraryError::BadInput(
                "this is no PNG or JPEG picture; take one of the screen and choose it again"
                    .to_owned(),
            ));
        }
        let key = typed(&record, fact)?;
        let file = format!("pictures/{fact}");
        let before = self.data.secret(&file)?;
        self.data.put_secret(&file, bytes)?;
        let entry = Entry::PictureKept {
            fact,
            key,
            digest: Digest::of(bytes),
        };
        Ok(self
            .pen
            .note_or_take_back(Scope::Unit(unit), request, vec![entry], || {
                self.data.put_back(&file, before)
            })?)
    }

    /// The picture of a fact, as it was kept.
    ///
    /// # Errors
    /// When there is none, or its file was changed since.
    pub fn picture(&self, unit: UnitId, fact: FactId) -> Result<Picture, LibraryError> {
        let record = self.pen.record(unit)?;
        let digest = record
            .pictures
            .get(&fact)
            .ok_or(LibraryError::NoFact(fact))?;
        let bytes = self.data.read_picture(fact)?;
        let media_type = media_type(&bytes);
        match media_type {
            Some(media_type) if Digest::of(&bytes) == *digest => Ok(Picture { bytes, media_type }),
            _ => Err(LibraryError::BadInput(
                "the picture's file was changed since it was kept: attach it anew".to_owned(),
            )),
        }
    }
}

fn typed(record: &UnitRecord, fact: FactId) -> Result<veritope_core::facts::FactKey, LibraryError> {
    record
        .facts
        .iter()
        .find(|row| row.id == fact && row.source == Source::Person)
        .filter(|row| !record.retracted.contains(&row.id))
        .map(|row| row.key)
        .ok_or(LibraryError::NoFact(fact))
}
