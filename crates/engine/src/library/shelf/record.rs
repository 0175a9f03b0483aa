//! What is written down of a file on the shelf, beside its bytes: `shelf/files/DIGEST.toml`.

use serde::{Deserialize, Serialize};
use veritope_core::matching::{About, Said, Speaker, Told};
use veritope_core::published::{Algorithm, NotADigest, PublishedDigest};
use veritope_wire::{Digest, WallTime};

/// Version of the record's form. Changes: 1 = first.
pub const RECORD_VERSION: u32 = 1;

/// What is written down of one file.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct FileRecord {
    /// [`RECORD_VERSION`].
    pub veritope_shelf_file: u32,
    /// Its name as it came.
    pub name: String,
    /// A short name that a person gave it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub alias: Option<String>,
    /// Length in bytes.
    pub bytes: u64,
    /// SHA-256 as it came, for whoever compares by hand.
    pub sha256: String,
    /// When it came onto the shelf.
    pub taken: WallTime,
    /// Where it came from, in a person's words or as an address; never gone to.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub origin: Option<String>,
    /// Its publisher's channel, such as *stable*.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub channel: Option<String>,
    /// The day on which it was published, `2026-11-20`.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub dated: Option<String>,
    /// Digests that its publisher gives.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub published: Vec<Claim>,
    /// What whoever brought it says that it is for; read only where its bytes say nothing.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub declared: Option<Declared>,
    /// What it was made from, and how, where it was made here.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub made: Option<Made>,
    /// Its publisher's instructions, kept on the shelf.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub instructions: Vec<Instructions>,
}

/// A publisher's digest.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Claim {
    /// In hexadecimal.
    pub digest: String,
    /// How it was computed, where that is said.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub algorithm: Option<Algorithm>,
    /// Where it stands.
    pub from: String,
}

/// What a side file, or a person, says.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Declared {
    /// Codename that it is for.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub codename: Option<String>,
    /// Model codes.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub models: Vec<String>,
    /// Its version.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub version: Option<String>,
    /// Build.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub build: Option<String>,
    /// Generation of the system that it is for.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub generation: Option<String>,
}

/// What a file was made from.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Made {
    /// The file.
    pub of: Digest,
    /// Its name then.
    pub name: String,
    /// How, in words.
    pub how: String,
}

/// Instructions of a publisher's.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Instructions {
    /// Their digest; they lie on the shelf.
    pub digest: Digest,
    /// Their name.
    pub name: String,
    /// When they came.
    pub taken: WallTime,
}

impl FileRecord {
    /// The short name, or the one that it came with.
    #[must_use]
    pub fn shown(&self) -> &str {
        self.alias.as_deref().unwrap_or(&self.name)
    }

    /// The publisher's digests; what makes no sense counts as none.
    pub fn digests(&self) -> impl Iterator<Item = PublishedDigest> {
        self.published.iter().filter_map(|claim| claim.read().ok())
    }

    /// Adds what is declared to what the bytes say.
    pub(crate) fn complete(&self, told: &mut Told) {
        let Some(declared) = &self.declared else {
            return;
        };
        let fields = [
            (About::Device, &declared.codename),
            (About::Version, &declared.version),
            (About::Build, &declared.build),
            (About::Generation, &declared.generation),
        ];
        for (about, value) in fields {
            told.said.extend(value.as_ref().map(|value| Said {
                about,
                value: value.clone(),
                by: Speaker::Side,
            }));
        }
        told.said.extend(declared.models.iter().map(|value| Said {
            about: About::Model,
            value: value.clone(),
            by: Speaker::Side,
        }));
    }
}

impl Claim {
    /// The digest.
    ///
    /// # Errors
    /// When it is none.
    pub fn read(&self) -> Result<PublishedDigest, NotADigest> {
        match self.algorithm {
            Some(algorithm) => PublishedDigest::new(algorithm, &self.digest),
            None => PublishedDigest::read(&self.digest, ""),
        }
    }
}

impl Declared {
    /// Whether nothing is declared.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        *self == Self::default()
    }
}
