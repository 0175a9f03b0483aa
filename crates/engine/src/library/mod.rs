//! What the bench keeps in files: its folder, families, policy, bridges and places, the shelf.
//!
//! * [`hold`]: one folder, one process
//! * [`data`]: the folder: version, policy, bridges, places, families, secrets
//! * [`family`], [`place`]: what is remembered of each
//! * [`shelf`]: files at hand, judged

pub mod data;
mod error;
pub mod family;
pub mod hold;
pub mod place;
pub mod shelf;

pub use error::{DATA_VERSION, DataError};
