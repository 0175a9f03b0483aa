//! Runs: a sheet taken step by step, each permitted by its list, each ended by what is seen.
//!
//! * `run`: planned, begun, consented to, taken, stopped
//! * `evidence`: what a step needs before it is permitted, and whether it may be taken · `doctor`: this computer's side of it
//! * `attempt`: one step over the link · `ending`: how it ended · `handed`: one that hands read

pub(crate) mod attempt;
pub(crate) mod doctor;
pub(crate) mod ending;
mod error;
pub(crate) mod evidence;
mod handed;
pub(crate) mod run;

pub use ending::Said;
pub use error::RunsError;

use std::path::PathBuf;
use std::sync::Arc;

use veritope_wire::UnitId;

use crate::desk::pen::Pen;
use crate::keeping::Keeping;
use crate::keeping::reading::CaptureKind;
use crate::library::kept::Library;
use crate::links::Links;
use crate::progress::Watcher;
use crate::runs::ending::Settling;
use crate::turns::Turns;

/// Takes sheets step by step.
pub struct Runs {
    pub(crate) pen: Arc<Pen>,
    pub(crate) library: Arc<Library>,
    pub(crate) turns: Arc<Turns>,
    pub(crate) links: Arc<Links>,
    pub(crate) keeping: Arc<Keeping>,
    /// The folder in which this computer tells what feeds it.
    supplies: PathBuf,
}

impl Runs {
    pub(crate) fn new(keeping: Arc<Keeping>, supplies: PathBuf) -> Self {
        Self {
            pen: Arc::clone(&keeping.pen),
            library: Arc::clone(&keeping.library),
            turns: Arc::clone(&keeping.turns),
            links: Arc::clone(&keeping.links),
            keeping,
            supplies,
        }
    }

    /// Goes on with a capture that was cut off; a run's step that waited for it is settled.
    ///
    /// # Errors
    /// As [`Keeping::capture`].
    pub fn resume_capture(
        &self,
        unit: UnitId,
        kind: &CaptureKind,
        watcher: &dyn Watcher,
    ) -> Result<(), RunsError> {
        let _changing = self.turns.begin_changing(unit)?;
        self.keeping.capture_held(unit, kind, watcher)?;
        self.settle(unit, Settling::Watching)
    }
}
