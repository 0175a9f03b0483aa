//! A place for captures, as the bench remembers it.

use std::path::PathBuf;

use serde::{Deserialize, Serialize};
use veritope_wire::PlaceId;

/// A place as remembered.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Place {
    /// Its id, the same as in its folder.
    pub id: PlaceId,
    /// Its name.
    pub name: String,
    /// Its folder.
    pub path: PathBuf,
    /// A medium that this bench takes it for, as it does a stand-in's stick; a folder can't say so itself.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub medium: Option<String>,
}
