//! What exists once: read, kept, verified, copied, put back, taken over.
//!
//! * `reading`: tables and partitions over a link
//! * `backup`: captures, copies, what is read back of them · `before`: what need not be stored again
//! * `known`: all that is known of a unit, brought together · `change`: the one way by which anything is changed
//! * `restore`: what is put back, and how it is judged
//! * `export`: captures as one tar, out and in
//! * `handed`: what hands read · `found`: what another bench kept · `stock`: sets of the maker's · `choosing`: which file is taken

pub(crate) mod backup;
mod before;
pub(crate) mod change;
mod choosing;
mod error;
mod export;
pub(crate) mod found;
pub mod handed;
pub(crate) mod inside;
pub(crate) mod known;
pub(crate) mod reading;
pub(crate) mod restore;
pub(crate) mod stock;

pub use error::KeepingError;

use std::sync::Arc;

use crate::desk::pen::Pen;
use crate::library::kept::Library;
use crate::links::Links;
use crate::turns::Turns;

/// Keeps what exists once.
pub struct Keeping {
    pub(crate) pen: Arc<Pen>,
    pub(crate) library: Arc<Library>,
    pub(crate) turns: Arc<Turns>,
    pub(crate) links: Arc<Links>,
}

impl Keeping {
    pub(crate) fn new(links: Arc<Links>) -> Self {
        Self {
            pen: Arc::clone(&links.pen),
            library: Arc::clone(&links.library),
            turns: Arc::clone(&links.turns),
            links,
        }
    }
}
