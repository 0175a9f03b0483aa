//! Builds, packages and the maker's write tool as a file words them.

use std::collections::BTreeMap;

use serde::Deserialize;
use toml::Spanned;
use veritope_wire::Digest;

use super::YesNo;
use crate::family::{Advice, Leaves, Lies, PackageKind, Stock, ToolErases, Unlockable};
use crate::mode::Mode;

/// A choice of the maker's write tool.
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct RawToolChoice {
    /// Its id.
    #[schema(value_type = String)]
    pub(crate) id: Spanned<String>,
    /// As the tool words it.
    pub(crate) title: String,
    /// Take, leave or never.
    pub(crate) advice: Advice,
    /// What it erases beside what it writes.
    #[serde(default)]
    pub(crate) erases: ToolErases,
    /// When it may be taken all the same, in words.
    #[serde(default)]
    pub(crate) unless: String,
    /// Why.
    pub(crate) reason: String,
}

/// A build.
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct RawBuild {
    /// Its build string.
    #[schema(value_type = String)]
    pub(crate) id: Spanned<String>,
    /// Its patch month, such as `2026-11`.
    #[schema(value_type = String)]
    pub(crate) patch: Spanned<String>,
    /// System generation.
    pub(crate) generation: u32,
    /// Whether it can be unlocked.
    pub(crate) unlockable: Unlockable,
    /// Rollback index that its first start fuses.
    #[serde(default)]
    pub(crate) rollback: u32,
    /// Whether its stock is published.
    pub(crate) stock: Stock,
    /// What else to know.
    #[serde(default)]
    pub(crate) note: String,
    /// Model codes that it is for; all of them where none is named (M2).
    #[serde(default)]
    #[schema(value_type = Vec<String>)]
    pub(crate) variants: Vec<Spanned<String>>,
    /// Where and when the digests were learned, such as `2026-08-02, the maker's list`.
    pub(crate) learned: Option<String>,
    /// BLAKE3 digests of the maker's images by partition, without a slot: the image and zeros up to
    /// the end of its partition, in the size that this file gives (R1).
    #[serde(default)]
    #[schema(value_type = BTreeMap<String, String>)]
    pub(crate) images: BTreeMap<String, Digest>,
}

/// A package.
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct RawPackage {
    /// Its file name.
    #[schema(value_type = String)]
    pub(crate) name: Spanned<String>,
    /// What it is.
    pub(crate) kind: PackageKind,
    /// Build that it leads to.
    #[schema(value_type = String)]
    pub(crate) to: Spanned<String>,
    /// The only build it goes onto, for increments.
    #[schema(value_type = Option<String>)]
    pub(crate) from: Option<Spanned<String>>,
    /// Mode that it is installed in.
    #[schema(value_type = Mode)]
    pub(crate) mode: Spanned<Mode>,
    /// Mode that the unit is in after.
    #[schema(value_type = Mode)]
    pub(crate) ends_in: Spanned<Mode>,
    /// Minutes it takes.
    pub(crate) minutes: u32,
    /// Seconds with hands on the device.
    #[serde(default)]
    pub(crate) hands_on: u32,
    /// Key presses.
    #[serde(default)]
    pub(crate) presses: u16,
    /// Whether it wipes user data.
    pub(crate) wipes: YesNo,
    /// Whether partitions are exactly the build's after it.
    #[serde(default)]
    pub(crate) leaves: Leaves,
    /// Whether it is the maker's and declares that what exists once is left alone (`G2`).
    #[serde(default)]
    pub(crate) keeps_unique: YesNo,
    /// Digest of the file, as published (`M8`).
    #[serde(default)]
    #[schema(value_type = Option<String>)]
    pub(crate) blake3: Option<Digest>,
    /// Where it has to lie.
    pub(crate) lies: Lies,
    /// Its length in MiB, rounded up.
    pub(crate) mib: Option<u32>,
    /// How to install it.
    pub(crate) hand: String,
}
