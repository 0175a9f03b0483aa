//! Where captures are kept: a folder that any zstd program can read (`docs/capture-format.md`).
//!
//! ```text
//! VAULT/place.toml                                what this place is called; its medium, if declared
//! VAULT/objects/ab/<blake3>.zst                   an image: independent frames, seek table behind
//! VAULT/objects/ab/<blake3>.changed.zst           an image: those frames in which it differs from another
//! VAULT/captures/<unit>/<date>-<id>/manifest.json what was read, written last, never changed
//! VAULT/staging/<job>/                            what is under way; frames.jsonl tells how far
//! ```
//!
//! Reading order: [`Vault`], [`Manifest`], then `staging` (how bytes come in), `object` (how they
//! lie), `verify` (whether they still do), `copy`, `export` (one tar for whoever has no bench).

mod copy;
pub mod durable;
mod error;
mod export;
mod manifest;
mod object;
mod place;
mod plain;
mod pump;
mod staging;
mod syncer;
mod vault;
mod verify;

pub use copy::Copied;
pub use error::VaultError;
pub use export::{ExportReport, Exported, For, MemberState, OpenExport};
pub use manifest::{BothEnds, CaptureSource, Captured, CapturedArea, MANIFEST_VERSION, Manifest};
pub use object::{Object, ObjectImage, ObjectInfo};
pub use place::{Medium, PlaceFile};
pub use pump::{FrameDone, Packed, pump};
pub use staging::{StagedImage, Staging};
pub use vault::{Access, Vault};
pub use verify::{Damage, ImageState, VerifyReport};
