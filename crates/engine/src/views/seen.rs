//! All that a view can reach: what reads, and nothing that writes, sends or changes.

use std::io;
use std::sync::Arc;

use veritope_core::budget::Policy;
use veritope_core::coverage::Coverage;
use veritope_core::facts::Facts;
use veritope_core::family::Family;
use veritope_core::plan::sighting::Sighting;
use veritope_core::plan::{Goal, Sheet, Step, Ways};
use veritope_core::seal::{Item, UnlockEvidence};
use veritope_vault::Manifest;
use veritope_wire::{
    BenchTime, BridgeId, CaptureId, Digest, Label, RunId, Stamp, UnitId, WallTime,
};

use crate::desk::DeskError;
use crate::desk::record::Scope;
use crate::desk::unit::{RunRecord, UnitRecord};
use crate::desk::witness::Damage;
use crate::keeping::KeepingError;
use crate::library::clock::ClockNote;
use crate::library::data::DamagedFile;
use crate::library::places::PlaceView;
use crate::library::shelf::ShelfImage;
use crate::links::presence::LinkView;
use crate::progress::StepPhase;
use crate::runs::{Runs, RunsError};

/// The rooms below, for reading.
#[derive(Clone)]
pub(super) struct Seen(Arc<Runs>);

/// Hands a question on to the room that answers it.
macro_rules! asks {
    ($($($room:ident).+ => $name:ident($($arg:ident: $of:ty),*) -> $gives:ty;)*) => {
        impl Seen {
            $(pub(super) fn $name(&self, $($arg: $of),*) -> $gives {
                self.0.$($room).+.$name($($arg),*)
            })*
        }
    };
}

asks! {
    pen.clock => stamp() -> Stamp;
    pen.clock => wall_of(at: BenchTime) -> WallTime;
    pen.journal => damage() -> Vec<Damage>;
    pen.journal => unit(unit: UnitId) -> Option<Arc<UnitRecord>>;
    pen => is_sound(scope: Scope) -> Result<(), DeskError>;
    pen => now() -> BenchTime;
    pen => record(unit: UnitId) -> Result<Arc<UnitRecord>, DeskError>;
    pen => units() -> Vec<Arc<UnitRecord>>;
    library => clock_note() -> Option<ClockNote>;
    library => codename_of(record: &UnitRecord) -> Option<String>;
    library => damaged_files() -> Vec<DamagedFile>;
    library => families() -> Vec<Arc<Family>>;
    library => family_named(codename: &str) -> Option<Arc<Family>>;
    library => family_of(record: &UnitRecord) -> Option<Arc<Family>>;
    library => places() -> Vec<PlaceView>;
    library => policy() -> Policy;
    library.shelf => images(family: &Family) -> io::Result<Vec<ShelfImage>>;
    turns => is_changing(unit: UnitId) -> bool;
    turns => phase(run: RunId) -> Option<StepPhase>;
    links => answers(record: &UnitRecord) -> bool;
    links => arrived(unit: UnitId) -> Option<BenchTime>;
    links => body_page(record: &UnitRecord) -> Option<String>;
    links => bridges() -> Vec<(BridgeId, String, String)>;
    links => link_view(record: &UnitRecord) -> LinkView;
    links => twin_of(record: &UnitRecord, family: &Family, facts: &Facts) -> Option<String>;
    keeping => coverage_of(record: &UnitRecord, family: &Family) -> Coverage;
    keeping => frames_of(record: &UnitRecord, label: &Label, image: Digest) -> Option<Vec<Digest>>;
    keeping => manifest_of(record: &UnitRecord, capture: CaptureId) -> Result<Manifest, KeepingError>;
    keeping => write_list(record: &UnitRecord, sheet: &Sheet) -> Vec<Item>;
}

impl Seen {
    pub(super) fn of(runs: Arc<Runs>) -> Self {
        Self(runs)
    }

    pub(super) fn connection_hold_seen(&self, record: &UnitRecord, steps: &[Step]) -> Option<Item> {
        self.0.connection_hold_seen(record, steps)
    }

    pub(super) fn plan_for(&self, record: &UnitRecord, goal: Goal) -> Result<Sheet, RunsError> {
        self.0.plan_for(record, goal)
    }

    pub(super) fn preparations(&self, record: &UnitRecord, sheet: &Sheet) -> Vec<Item> {
        self.0.preparations(record, sheet)
    }

    pub(super) fn seal_of(
        &self,
        record: &UnitRecord,
        run: &RunRecord,
        step: &Step,
    ) -> Option<Vec<Item>> {
        self.0.seal_of(record, run, step)
    }

    pub(super) fn sightings_of(&self, record: &UnitRecord, step: &Step) -> Vec<Sighting> {
        self.0.sightings_of(record, step)
    }

    pub(super) fn ways(&self, record: &UnitRecord, family: &Family) -> Ways {
        self.0.ways(record, family)
    }

    /// The list of an unlock that no sheet has planned yet.
    pub(super) fn with_evidence<T>(
        &self,
        record: &UnitRecord,
        family: &Family,
        sheet: &Sheet,
        judge: impl FnOnce(&UnlockEvidence<'_>) -> T,
    ) -> T {
        self.0.with_evidence(record, family, sheet, None, judge)
    }
}
