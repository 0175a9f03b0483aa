//! Unlock tokens (`U4`): checked before use, kept with their unit, encrypted. The key lies beside
//! them, readable by its owner only; a token that is carried to another unit's name doesn't open.

use chacha20poly1305::aead::{Aead, AeadCore, KeyInit, OsRng, Payload};
use chacha20poly1305::{Key, XChaCha20Poly1305, XNonce};
use veritope_core::facts::{FactKey, FactValue, Source};
use veritope_wire::{RequestId, UnitId};

use crate::desk::record::{Entry, Scope};
use crate::library::LibraryError;
use crate::library::kept::Library;

/// Bytes of the key.
const KEY: usize = 32;
/// Bytes of a nonce, which stands before what it sealed.
const NONCE: usize = 24;

impl Library {
    /// Keeps a unit's token, in place of one that is there. Neither the log nor any answer holds it.
    ///
    /// # Errors
    /// When the family takes no token, the text is none (nothing is kept then), or the folder can't
    /// be written.
    pub fn keep_token(
        &self,
        unit: UnitId,
        token: &str,
        request: RequestId,
    ) -> Result<(), LibraryError> {
        let Some(_once) = self.pen.once(Scope::Unit(unit), request)? else {
            return Ok(());
        };
        let record = self.pen.record(unit)?;
        let family = &*self.family_of(&record).ok_or(LibraryError::NoFamily)?;
        let spec = family.token.as_ref().ok_or(LibraryError::NotThisWay(
            "units of this family are unlocked without a token",
        ))?;
        let token = token.trim();
        if let Some(fault) = spec.fault(token) {
            return Err(LibraryError::BadInput(fault));
        }
        let nonce = XChaCha20Poly1305::generate_nonce(&mut OsRng);
        let name = unit.to_string();
        let payload = Payload {
            msg: token.as_bytes(),
            aad: name.as_bytes(),
        };
        let sealed = self
            .cipher()?
            .encrypt(&nonce, payload)
            .map_err(|_| LibraryError::BadInput("the token could not be encrypted".to_owned()))?;
        let mut bytes = nonce.to_vec();
        bytes.extend(sealed);
        let file = format!("tokens/{unit}");
        let before = self.data.secret(&file)?;
        self.data.put_secret(&file, &bytes)?;
        let has_come = FactValue::parse(FactKey::Token, "in-hand")?;
        let fact = self
            .pen
            .row(FactKey::Token, has_come, Source::Person, self.pen.now());
        let entries = vec![Entry::TokenKept, Entry::Facts { facts: vec![fact] }];
        Ok(self
            .pen
            .note_or_take_back(Scope::Unit(unit), request, entries, || {
                self.data.put_back(&file, before)
            })?)
    }

    /// The unit's token, if one is kept and opens.
    pub(crate) fn token_of(&self, unit: UnitId) -> Result<Option<String>, LibraryError> {
        let Some(bytes) = self.data.secret(&format!("tokens/{unit}"))? else {
            return Ok(None);
        };
        let Some((nonce, sealed)) = bytes.split_at_checked(NONCE) else {
            return Ok(None);
        };
        let name = unit.to_string();
        let payload = Payload {
            msg: sealed,
            aad: name.as_bytes(),
        };
        let opened = self.cipher()?.decrypt(XNonce::from_slice(nonce), payload);
        Ok(opened.ok().and_then(|bytes| String::from_utf8(bytes).ok()))
    }

    fn cipher(&self) -> Result<XChaCha20Poly1305, LibraryError> {
        let key = match self.data.secret("tokens/key")? {
            Some(bytes) if bytes.len() == KEY => *Key::from_slice(&bytes),
            // Another one would keep what lies under the old one shut for good.
            Some(bytes) => {
                return Err(LibraryError::BadInput(format!(
                    "the file tokens/key in the data folder has {} bytes, wanted are {KEY}: put it back from a copy, or move it away and type each unit's token again",
                    bytes.len()
                )));
            }
            None => {
                let key = XChaCha20Poly1305::generate_key(&mut OsRng);
                self.data.put_secret("tokens/key", &key)?;
                key
            }
        };
        Ok(XChaCha20Poly1305::new(&key))
    }
}
