//! The bench as a whole: its rooms, each on those below.

use std::path::PathBuf;
use std::sync::Arc;

use crate::desk::clock::BenchClock;
use crate::desk::journal::Journal;
use crate::desk::pen::Pen;
use crate::keeping::{Keeping, KeepingError};
use crate::library::LibraryError;
use crate::library::data::DataFolder;
use crate::library::kept::Library;
use crate::links::{Links, LinksError};
use crate::ports::{Connect, Ids, Notify};
use crate::runs::Runs;
use crate::runs::ending::Settling;
use crate::turns::Turns;
use crate::units::Units;
use crate::views::Views;

/// What the engine is made of.
pub struct Parts {
    /// The record.
    pub journal: Arc<dyn Journal>,
    /// The time, the same that the record is written by.
    pub clock: Arc<BenchClock>,
    /// New ids.
    pub ids: Arc<dyn Ids>,
    /// Who hears about changes.
    pub notify: Arc<dyn Notify>,
    /// The way to bridges.
    pub connect: Arc<dyn Connect>,
    /// The folder in which this computer tells what feeds it; [`SUPPLIES`] on a bench.
    pub supplies: PathBuf,
}

/// Where a computer tells what feeds it.
pub const SUPPLIES: &str = "/sys/class/power_supply";

/// Why a bench was not opened.
#[derive(Debug, thiserror::Error)]
pub enum OpenError {
    /// What it keeps in files.
    #[error(transparent)]
    Library(#[from] LibraryError),
    /// Its bridges.
    #[error(transparent)]
    Links(#[from] LinksError),
    /// Captures that were cut off.
    #[error(transparent)]
    Keeping(#[from] KeepingError),
}

/// Everything that can be asked and done on a bench, room by room.
pub struct Engine {
    /// The record.
    pub pen: Arc<Pen>,
    /// What the bench keeps in files.
    pub library: Arc<Library>,
    /// One change a unit at a time.
    pub turns: Arc<Turns>,
    /// Bridges, and what they show.
    pub links: Arc<Links>,
    /// Who is on the bench, and what a person says of them.
    pub units: Units,
    /// What exists once.
    pub keeping: Arc<Keeping>,
    /// Sheets, taken step by step.
    pub runs: Arc<Runs>,
    /// What screens show.
    pub views: Views,
}

impl Engine {
    /// Opens a bench on a data folder.
    ///
    /// # Errors
    /// When a file or the vault can't be read. What makes no sense is named, and counts for nothing until it
    /// is mended.
    pub fn open(data: DataFolder, parts: Parts) -> Result<Self, OpenError> {
        let pen = Arc::new(Pen::new(
            parts.journal,
            parts.clock,
            parts.ids,
            parts.notify,
        ));
        let library = Arc::new(Library::open(Arc::clone(&pen), data)?);
        let turns = Arc::new(Turns::new(Arc::clone(&pen)));
        let links = Arc::new(Links::open(
            Arc::clone(&library),
            Arc::clone(&turns),
            parts.connect,
        )?);
        let keeping = Arc::new(Keeping::new(Arc::clone(&links)));
        keeping.clear_leftovers()?;
        let runs = Arc::new(Runs::new(Arc::clone(&keeping), parts.supplies));
        Ok(Self {
            views: Views::of(Arc::clone(&runs)),
            units: Units::new(Arc::clone(&links)),
            pen,
            library,
            turns,
            links,
            keeping,
            runs,
        })
    }

    /// Looks once at every bridge, and settles the steps of what was seen; keeps the time. Meant to be called
    /// every second or so.
    pub fn watch(&self) {
        if let Err(error) = self.library.keep_time() {
            tracing::warn!(%error, "the clock can't be written down");
        }
        for unit in self.links.watch() {
            // Whoever is at it by now looks for themselves.
            if self.turns.is_changing(unit) {
                continue;
            }
            if let Err(error) = self.runs.settle(unit, Settling::Watching) {
                tracing::debug!(%unit, %error, "settling");
            }
        }
    }
}
