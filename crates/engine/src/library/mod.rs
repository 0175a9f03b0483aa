//! What the bench keeps in files: its folder, families, policy, bridges and places, the shelf.
//!
//! * [`hold`]: one folder, one process
//! * [`data`]: the folder: version, policy, bridges, places, families, secrets
//! * [`family`], [`place`]: what is remembered of each
//! * [`shelf`]: files at hand, judged · [`shelving`]: what people do with them
//! * `dumps`: what hands read, on its way into the vault
//! * [`found`]: what images were seen to be, beside their digests
//! * [`kept`]: all of it as it is known now; families, places, pictures, tokens and the clock are changed through it

pub(crate) mod clock;
pub mod data;
pub(crate) mod dumps;
mod error;
pub(crate) mod families;
pub mod family;
pub mod found;
pub mod hold;
pub mod kept;
pub(crate) mod pictures;
pub mod place;
pub(crate) mod places;
pub mod shelf;
pub mod shelving;
pub(crate) mod token;

pub use error::{DATA_VERSION, DataError, LibraryError};
