//! All that a view can reach: what reads, and nothing that writes, sends or changes.

use std::io;
use std::sync::Arc;

use veritope_core::act::{Act, Reading};
use veritope_core::budget::Policy;
use veritope_core::consent::Costs;
use veritope_core::coverage::Coverage;
use veritope_core::dossier::StockAtHand;
use veritope_core::evidence::Line;
use veritope_core::facts::Facts;
use veritope_core::family::Family;
use veritope_core::goal::Goal;
use veritope_core::matching::{Told, Wanted};
use veritope_core::permission::Refusal;
use veritope_core::plan::sighting::Sighting;
use veritope_core::plan::{Sheet, Step};
use veritope_core::prospect::Judged;
use veritope_core::published::SeenFile;
use veritope_vault::{Manifest, VaultError};
use veritope_wire::{
    BenchTime, BridgeId, CaptureId, Digest, Label, RunId, Stamp, UnitId, WallTime,
};

use crate::desk::DeskError;
use crate::desk::record::Scope;
use crate::desk::unit::{RunRecord, UnitRecord};
use crate::desk::witness::Damage;
use crate::keeping::KeepingError;
use crate::keeping::known::{Depth, Known, Taken};
use crate::library::clock::ClockNote;
use crate::library::data::DamagedFile;
use crate::library::found::SeenInside;
use crate::library::places::PlaceView;
use crate::library::shelf::{FileRecord, JudgedFile};
use crate::library::shelving::NeededBy;
use crate::links::presence::LinkView;
use crate::progress::StepPhase;
use crate::runs::evidence::Asking;
use crate::runs::{Runs, RunsError};
use crate::turns::TurnError;

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
    library.vault => free_bytes() -> Result<u64, VaultError>;
    library => seen_inside(image: Digest) -> Option<SeenInside>;
    library.shelf => files() -> Vec<(Digest, Arc<FileRecord>)>;
    library.shelf => file(digest: Digest) -> Option<Arc<FileRecord>>;
    library.shelf => judged(wanted: &Wanted<'_>, today: i64) -> Vec<JudgedFile>;
    library.shelf => hashed(digest: Digest) -> io::Result<Arc<SeenFile>>;
    library.shelf => told(digest: Digest) -> io::Result<Arc<Told>>;
    library => needed_by(file: Digest) -> Vec<NeededBy>;
    keeping => recovery_of(record: &UnitRecord, family: &Family, facts: &Facts) -> Option<Taken>;
    keeping => set_to_put(record: &UnitRecord, family: &Family) -> Option<(StockAtHand, Arc<FileRecord>)>;
    pen => today() -> i64;
    turns => is_free(unit: UnitId) -> Result<(), TurnError>;
    turns => is_changing(unit: UnitId) -> bool;
    turns => phase(run: RunId) -> Option<StepPhase>;
    links => arrived(unit: UnitId) -> Option<BenchTime>;
    links => body_page(record: &UnitRecord) -> Option<String>;
    links => sighted(record: &UnitRecord, facts: Facts) -> Facts;
    links => bridges() -> Vec<(BridgeId, String, String)>;
    links => link_view(record: &UnitRecord) -> LinkView;
    keeping => coverage_of(record: &UnitRecord, family: &Family) -> Coverage;
    keeping => frames_of(record: &UnitRecord, label: &Label, image: Digest) -> Option<Vec<Digest>>;
    keeping => manifest_of(record: &UnitRecord, capture: CaptureId) -> Result<Manifest, KeepingError>;
}

impl Seen {
    pub(super) fn of(runs: Arc<Runs>) -> Self {
        Self(runs)
    }

    pub(super) fn plan_for(&self, record: &UnitRecord, goal: Goal) -> Result<Sheet, RunsError> {
        self.0.plan_for(record, goal)
    }

    pub(super) fn goals(&self, record: &UnitRecord) -> Vec<(Goal, Judged)> {
        self.0.goals(record)
    }

    pub(super) fn goals_of(
        &self,
        record: &UnitRecord,
        goals: impl IntoIterator<Item = Goal>,
    ) -> Vec<(Goal, Judged)> {
        self.0.judged(record, goals)
    }

    pub(super) fn preparations(&self, record: &UnitRecord, sheet: &Sheet) -> Vec<Line> {
        self.0.preparations(record, sheet)
    }

    pub(super) fn seal_of(
        &self,
        record: &UnitRecord,
        run: &RunRecord,
        step: &Step,
    ) -> Option<Vec<Line>> {
        self.0.seal_of(record, run, step)
    }

    pub(super) fn sightings_of(&self, record: &UnitRecord, step: &Step) -> Vec<Sighting> {
        self.0.sightings_of(record, step)
    }

    pub(super) fn reading_in_hand(&self, record: &UnitRecord) -> Option<(RunId, Reading)> {
        self.0.reading_in_hand(record)
    }

    pub(super) fn is_by_link(&self, record: &UnitRecord, step: &Step) -> bool {
        self.0.is_by_link(record, step)
    }

    pub(super) fn list_of(&self, record: &UnitRecord, sheet: &Sheet, act: &Act) -> Vec<Line> {
        self.0.list_of(record, sheet, act)
    }

    pub(super) fn costs_of(
        &self,
        record: &UnitRecord,
        sheet: &Sheet,
        step: &Step,
    ) -> Option<Costs> {
        self.0.costs_of(record, sheet, step)
    }

    pub(super) fn may_begin(&self, record: &UnitRecord, sheet: &Sheet) -> Result<(), Refusal> {
        self.0.may_begin(record, sheet, Asking::Page)
    }

    pub(super) fn may_step(
        &self,
        record: &UnitRecord,
        run: &RunRecord,
        step: &Step,
        under_way: Option<&str>,
    ) -> Result<(), Refusal> {
        self.0.may_step(record, run, step, under_way, Asking::Page)
    }

    pub(super) fn may_capture(&self, record: &UnitRecord) -> Result<(), KeepingError> {
        self.0.keeping.may_capture(record)
    }

    /// All that is known of a unit, as its record may be shown now, with the packages of its family that are
    /// on the shelf.
    pub(super) fn known<'r>(
        &self,
        record: &'r UnitRecord,
        family: Arc<Family>,
        facts: Facts,
        depth: Depth,
    ) -> Known<'r> {
        let named = Arc::clone(&family);
        let names = named.packages.iter().map(|one| one.name.as_str());
        let keeping = &self.0.keeping;
        keeping.with_packages(keeping.known(record, family, facts, depth), names)
    }
}
