//! A family file that is known, shipped or the user's.

use std::sync::Arc;

use veritope_core::family::{self, Family, FamilyError};

/// A family with the text that it was read from.
#[derive(Debug, Clone)]
pub struct KnownFamily {
    /// The family.
    pub family: Arc<Family>,
    /// The file's text.
    pub text: Arc<str>,
    /// Whether it is the user's file.
    pub own: bool,
}

impl KnownFamily {
    /// Reads a family of the user's, or a shipped one.
    ///
    /// # Errors
    /// The first thing that is wrong with the text.
    pub(crate) fn read(file: &str, text: &str, own: bool) -> Result<Self, FamilyError> {
        Ok(Self {
            family: Arc::new(family::load(file, text)?),
            text: text.into(),
            own,
        })
    }
}
