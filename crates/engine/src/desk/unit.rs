//! What the entries of one unit add up to. One fold, used by every store: what it yields after any
//! prefix of the log is the truth at that point.

use std::collections::BTreeMap;

use serde::Serialize;
use veritope_core::act::{Act, How, Touches};
use veritope_core::consent::Consent;
use veritope_core::coverage::{Agreement, CaptureFacts, CopyFacts, Torn, Written};
use veritope_core::extent::Pace;
use veritope_core::facts::{Emptied, FactKey, FactRow, Facts, Happening, InSight, Source};
use veritope_core::family::Paired;
use veritope_core::goal::Goal;
use veritope_core::keepsafe::KeepSafe;
use veritope_core::mode::{Lock, Mode};
use veritope_core::partitions::OwnPartition;
use veritope_core::plan::{Sheet, Step};
use veritope_core::state::{Data, Laid};
use veritope_core::steady::Taken;
use veritope_wire::link::Epoch;
use veritope_wire::{BenchTime, CaptureId, Digest, FactId, Label, PlaceId, RunId, UnitId};

use crate::desk::record::{DamageFacts, Entry, RunEnd, Stamped, StepResult, Way};

/// Everything known of one unit.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct UnitRecord {
    /// Its id.
    pub id: UnitId,
    /// Its name on this bench.
    pub nickname: String,
    /// Codename of its family, when known.
    pub family: Option<String>,
    /// How it is reached.
    pub way: Way,
    /// Since when it is here.
    pub added: BenchTime,
    /// Number of entries folded in.
    pub seq: u64,
    /// Fact rows; superseded ones of the same key and source are dropped unless they can surface
    /// again by taking the newer back.
    pub facts: Vec<FactRow>,
    /// Facts taken back.
    pub retracted: Vec<FactId>,
    /// When what last happened.
    pub happened: Vec<(Happening, BenchTime)>,
    /// Whether anything of the owner's can be on it since an erase.
    pub emptied: Emptied,
    /// What was said about the owner's data.
    pub keep_safe: KeepSafe,
    /// What is to be reached.
    pub goal: Option<Goal>,
    /// Why that and not the family's first way, where somebody said.
    pub goal_reason: Option<String>,
    /// The file that a person chose for its recovery.
    pub chosen: Option<ChosenFile>,
    /// The newest run.
    pub run: Option<RunRecord>,
    /// Captures, oldest first.
    pub captures: Vec<CaptureFacts>,
    /// Whether its token is kept here.
    pub has_token: bool,
    /// The maker's sets that were taken into the vault for it, the oldest first.
    pub stocks: Vec<CaptureFacts>,
    /// Their copies.
    pub copies: Vec<CopyFacts>,
    /// Damage found in copies, by capture and place, at the last reading.
    pub damage: Vec<(CaptureId, PlaceId, Vec<DamageFacts>)>,
    /// The unit's own partitions, as last read.
    pub own: Option<Vec<OwnPartition>>,
    /// Writes whose end nobody has seen.
    pub torn: Vec<Torn>,
    /// What was last written to partitions, and seen to be there.
    pub written: Vec<Written>,
    /// The link's epoch after the last happening.
    pub epoch: Option<Epoch>,
    /// Identifiers by the mode in which the unit gives them (`K4`).
    pub paired: Vec<Paired>,
    /// Digests of the pictures attached to facts.
    pub pictures: BTreeMap<FactId, Digest>,
    /// When the link first said that it is locked (`R1`).
    pub seen_locked: Option<BenchTime>,
    /// How fast captures went (`B8`).
    pub paces: Vec<Pace>,
    /// When anything was first written from here (`B5`, `R1`).
    pub first_write: Option<BenchTime>,
    /// When anything was last written, installed, erased or made active, or may have been.
    pub touched: Option<BenchTime>,
    /// Whether it was put away.
    pub is_away: bool,
    /// When it was in sight (`K5`).
    pub sight: InSight,
}

/// A file that a person chose.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ChosenFile {
    /// Its digest.
    pub file: Digest,
    /// Why, where something speaks against it.
    pub reason: Option<String>,
}

/// One run.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct RunRecord {
    /// Its id.
    pub id: RunId,
    /// Raised by every entry of the run; a request repeats the one it was decided on.
    pub revision: u32,
    /// When it began.
    pub begun: BenchTime,
    /// The sheet in force.
    pub sheet: Sheet,
    /// Index of the next step on it.
    pub at: usize,
    /// Steps taken, on this sheet and on earlier ones.
    pub done: Vec<DoneStep>,
    /// Consents given.
    pub consents: Vec<Consent>,
    /// The step whose intent has no outcome yet.
    pub open: Option<OpenIntent>,
    /// Why the sheet in force is not the first one.
    pub diverged: Option<String>,
    /// The act of the last step, and where it should have led, where it ended otherwise.
    pub strayed: Option<(Act, Option<Mode>)>,
    /// The table, once read.
    pub table: Option<Vec<OwnPartition>>,
    /// The build that ran when it began, where it was known.
    pub began_on: Option<String>,
    /// Whether a step of it has erased the owner's data.
    pub erased: bool,
    /// Whether a step of it has put the maker's whole system on the unit.
    pub is_laid: bool,
    /// How often a step that was to read it, or to lead to where it is read, ended otherwise; begins anew with one
    /// that did not.
    pub failed_reads: u8,
    /// Digest of the family's text that it goes by.
    pub family: Option<Digest>,
    /// Digest of the image that was judged for it.
    pub image: Option<Digest>,
    /// How it ended.
    pub ended: Option<(RunEnd, BenchTime)>,
}

/// An intent without an outcome.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct OpenIntent {
    /// The step in words.
    pub title: String,
    /// Since when.
    pub since: BenchTime,
    /// How it is done by hand, as a complete list told it.
    pub told: Option<How>,
}

/// A step that was taken.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct DoneStep {
    /// The step in words.
    pub title: String,
    /// How it ended.
    pub result: StepResult,
    /// What was seen.
    pub saw: String,
    /// When it began.
    pub began: BenchTime,
    /// When it ended.
    pub ended: BenchTime,
}

impl UnitRecord {
    /// The record after the unit's first entry; `None` when that entry is another kind.
    #[must_use]
    pub fn begin(first: &Stamped, unit: UnitId) -> Option<Self> {
        let Entry::UnitAdded {
            nickname,
            family,
            way,
        } = &first.entry
        else {
            return None;
        };
        Some(Self {
            id: unit,
            nickname: nickname.clone(),
            family: family.clone(),
            way: way.clone(),
            added: first.at.bench,
            seq: first.seq,
            facts: Vec::new(),
            retracted: Vec::new(),
            happened: Vec::new(),
            emptied: Emptied::default(),
            keep_safe: KeepSafe::new(),
            goal: None,
            goal_reason: None,
            chosen: None,
            run: None,
            captures: Vec::new(),
            has_token: false,
            stocks: Vec::new(),
            copies: Vec::new(),
            damage: Vec::new(),
            own: None,
            torn: Vec::new(),
            written: Vec::new(),
            epoch: None,
            paired: Vec::new(),
            paces: Vec::new(),
            pictures: BTreeMap::new(),
            seen_locked: None,
            first_write: None,
            touched: None,
            is_away: false,
            sight: InSight::default(),
        })
    }

    /// Takes the next entry in.
    pub fn apply(&mut self, stamped: &Stamped) {
        self.seq = stamped.seq;
        let now = stamped.at.bench;
        // A linked unit that goes is noted as gone: until then it was there.
        let went = matches!(
            stamped.entry,
            Entry::Happened {
                happening: Happening::ModeChanged,
                ..
            }
        );
        let stayed = matches!(self.way, Way::Link { .. }) && !went;
        self.sight.is_seen(now, stayed);
        match &stamped.entry {
            Entry::Facts { facts } => {
                facts.iter().for_each(|row| self.take_fact(row));
            }
            Entry::FactRetracted { fact, .. } => self.retracted.push(*fact),
            Entry::Paired { paired } => {
                self.paired
                    .retain(|pair| (pair.key, pair.mode) != (paired.key, paired.mode));
                self.paired.push(paired.clone());
            }
            Entry::PictureKept { fact, digest, .. } => {
                self.pictures.insert(*fact, *digest);
            }
            Entry::Happened {
                happening,
                at,
                epoch,
            } => {
                if epoch.is_some() {
                    self.epoch = *epoch;
                }
                if *happening != Happening::ModeChanged {
                    self.touched = self.touched.max(Some(*at));
                }
                let is_watched = self.active_run().is_some_and(|run| run.open.is_some());
                self.emptied.happened(*happening, is_watched);
                self.happened.retain(|(what, _)| what != happening);
                self.happened.push((*happening, *at));
            }
            Entry::KeptSafe {
                class,
                kept: Some(kept),
            } => {
                self.keep_safe.insert(*class, kept.clone());
            }
            Entry::KeptSafe { class, kept: None } => {
                self.keep_safe.remove(class);
            }
            Entry::GoalChosen { goal, reason } => {
                self.goal = Some(*goal);
                self.goal_reason.clone_from(reason);
            }
            Entry::FileChosen { file, reason, .. } => {
                self.chosen = file.map(|file| ChosenFile {
                    file,
                    reason: reason.clone(),
                });
            }
            Entry::RunBegan {
                run,
                sheet,
                family,
                image,
            } => {
                self.run = Some(RunRecord {
                    id: *run,
                    revision: 1,
                    begun: now,
                    sheet: (**sheet).clone(),
                    at: 0,
                    done: Vec::new(),
                    consents: Vec::new(),
                    open: None,
                    diverged: None,
                    strayed: None,
                    table: None,
                    began_on: self.known().text(FactKey::Build).map(str::to_owned),
                    erased: false,
                    is_laid: false,
                    failed_reads: 0,
                    family: *family,
                    image: *image,
                    ended: None,
                });
            }
            Entry::Captured { capture, own } => {
                self.own = Some(own.clone());
                self.paces.extend(pace(capture, now));
                self.captures.push(capture.clone());
            }
            Entry::CaptureFound { capture, own } => {
                self.own.get_or_insert_with(|| own.clone());
                if self.captures.iter().all(|known| known.id != capture.id) {
                    let taken = Taken::elsewhere(capture.taken.wall, Some(now));
                    self.captures.push(CaptureFacts {
                        taken,
                        ..capture.clone()
                    });
                    self.captures.sort_by_key(|one| (one.taken.order(), one.id));
                }
            }
            Entry::UnitRenamed { nickname } => self.nickname.clone_from(nickname),
            Entry::UnitPutAway { away } => self.is_away = *away,
            Entry::WayChanged { way } => self.way = way.clone(),
            Entry::TokenKept => self.has_token = true,
            Entry::StockTaken { capture } => self.stocks.push(capture.clone()),
            Entry::CopyMade { copy } => {
                self.copies
                    .retain(|known| (known.capture, known.place) != (copy.capture, copy.place));
                self.copies.push(copy.clone());
            }
            Entry::CopyRead {
                capture,
                place,
                name,
                medium,
                damage,
            } => {
                let key = (*capture, *place);
                // Without its manifest nothing of the copy can be told.
                let all = damage.iter().any(|one| one.label.is_none());
                let known = self.captures.iter().find(|one| one.id == *capture);
                let mut labels: Vec<Label> = match known {
                    Some(known) if all => {
                        let parts = known.partitions.iter();
                        parts.map(|part| part.label.clone()).collect()
                    }
                    _ => damage.iter().filter_map(|one| one.label.clone()).collect(),
                };
                labels.dedup();
                if let Some(copy) = self
                    .copies
                    .iter_mut()
                    .find(|known| (known.capture, known.place) == key)
                {
                    copy.verified = Some(now);
                    copy.damaged = labels;
                    copy.name.clone_from(name);
                    copy.medium.clone_from(medium);
                }
                self.damage.retain(|(c, p, _)| (*c, *p) != key);
                if !damage.is_empty() {
                    self.damage.push((*capture, *place, damage.clone()));
                }
            }
            Entry::WriteBegan { act, before } => {
                self.touched = Some(now);
                self.first_write.get_or_insert(now);
                let written = act.part().and_then(|part| Some((part.label, part.image?)));
                if let Some((label, image)) = written {
                    let first = self.torn.iter().find(|torn| torn.label == *label);
                    // What lay there before the first try is what can be put back.
                    let before = first.map_or(*before, |torn| torn.before);
                    let since = first.map_or(now, |torn| torn.since);
                    let torn = Torn {
                        label: label.clone(),
                        image,
                        before,
                        since,
                    };
                    self.torn.retain(|known| known.label != *label);
                    self.torn.push(torn);
                }
            }
            Entry::WriteEnded {
                label,
                image,
                shown,
            } => {
                self.touched = Some(now);
                self.torn.retain(|torn| torn.label != *label);
                self.written.retain(|known| known.label != *label);
                self.written.push(Written {
                    label: label.clone(),
                    image: *image,
                    at: now,
                    shown: *shown,
                });
            }
            entry => {
                if let Entry::TableRead { partitions, .. } = entry {
                    self.own = Some(partitions.clone());
                }
                if let Entry::Intent { act: Some(act), .. } = entry
                    && !act.most().within(Touches::READS.and(Touches::MEMORY))
                {
                    self.touched = Some(now);
                }
                if let Some(run) = &mut self.run {
                    run.empties(entry, &mut self.emptied, now);
                    run.apply(entry, now);
                }
            }
        }
    }

    /// What is known now.
    #[must_use]
    pub fn known(&self) -> Facts {
        Facts::new(&self.facts, &self.retracted, self.happened.iter().copied())
            .emptied(self.emptied)
            .in_sight(self.sight)
    }

    /// What bytes can be put back from: a capture of the unit, or a set of its maker's.
    #[must_use]
    pub fn image_source(&self, id: CaptureId) -> Option<&CaptureFacts> {
        self.captures
            .iter()
            .chain(&self.stocks)
            .find(|one| one.id == id)
    }

    /// When anything could last have changed what lies in its partitions: it was written, erased or
    /// opened, its system ran, or it was out of sight.
    #[must_use]
    pub fn last_change(&self) -> Option<BenchTime> {
        let moved = self.happened.iter().map(|(_, at)| *at).max();
        self.touched.max(moved)
    }

    /// The number by which a person tells this capture from others: in the order of their taking, from 1.
    #[must_use]
    pub fn number_of(&self, capture: CaptureId) -> usize {
        let at = self.captures.iter().position(|one| one.id == capture);
        at.map_or(0, |at| at + 1)
    }

    /// The run that is under way.
    #[must_use]
    pub fn active_run(&self) -> Option<&RunRecord> {
        self.run.as_ref().filter(|run| run.ended.is_none())
    }

    /// Whether a step that changes the lock or the system was begun and its end is not known: until
    /// somebody looks, neither the lock nor what a wipe takes along is known.
    #[must_use]
    pub fn is_in_doubt(&self) -> bool {
        self.in_doubt().is_some()
    }

    /// The same of the lock alone, which neither a wipe nor an image touches.
    #[must_use]
    pub fn is_lock_in_doubt(&self) -> bool {
        let touches_lock = |act: &Act| {
            let touches = act.most();
            // A package may lock or unlock; nothing says that it does not.
            touches.any(Touches::LOCKS) || act.file().is_some()
        };
        self.in_doubt().is_some_and(touches_lock)
    }

    fn in_doubt(&self) -> Option<&Act> {
        let run = self.active_run().filter(|run| run.open.is_some())?;
        let step = run.next_step().filter(|step| step.permitted)?;
        // What is only started from memory changes neither.
        let changes = !step.act.most().within(Touches::READS.and(Touches::MEMORY));
        changes.then_some(&step.act)
    }

    /// Link readings come by the hundred and nobody takes them back one by one, so only the newest
    /// of a key stays; what a person said stays whole, for undo.
    fn take_fact(&mut self, row: &FactRow) {
        self.emptied.told(row);
        if row.source == Source::Link {
            if row.key == FactKey::Lock && row.value.exact() == Lock::Locked.id() {
                self.seen_locked.get_or_insert(row.at);
            }
            self.facts
                .retain(|known| known.source != Source::Link || known.key != row.key);
        }
        self.facts.push(row.clone());
    }
}

impl RunRecord {
    /// What an entry says of the owner's data: that a step which erases was seen to end, or that the run is
    /// over.
    fn empties(&self, entry: &Entry, emptied: &mut Emptied, at: BenchTime) {
        match entry {
            Entry::Outcome { run, result, .. }
                if *run == self.id && *result == StepResult::AsExpected =>
            {
                // What only shuts the data away erases nothing.
                let erases = |step: &&Step| step.wipe.is_some() && step.after.data == Data::Erased;
                if let Some(step) = self.next_step().filter(erases) {
                    emptied.erased(at, step.after.mode == Some(Mode::System));
                }
            }
            Entry::RunEnded { run, .. } if *run == self.id => emptied.sheet_ended(),
            _ => {}
        }
    }

    fn apply(&mut self, entry: &Entry, at: BenchTime) {
        match entry {
            Entry::Replanned { run, why, sheet } if *run == self.id => {
                self.sheet = (**sheet).clone();
                self.at = 0;
                self.open = None;
                self.diverged = Some(why.clone());
            }
            Entry::Consented { run, consent } if *run == self.id => {
                self.consents.retain(|known| known.stage != consent.stage);
                self.consents.push(consent.clone());
            }
            Entry::Intent {
                run, title, told, ..
            } if *run == self.id => {
                self.open = Some(OpenIntent {
                    title: title.clone(),
                    since: at,
                    told: told.clone(),
                });
            }
            Entry::Outcome {
                run, result, saw, ..
            } if *run == self.id => {
                let (title, began) = match self.open.take() {
                    Some(open) => (open.title, open.since),
                    None => (String::new(), at),
                };
                self.done.push(DoneStep {
                    title,
                    result: *result,
                    saw: saw.clone(),
                    began,
                    ended: at,
                });
                let step = self.sheet.steps.get(self.at);
                self.strayed = step
                    .filter(|_| *result == StepResult::Otherwise)
                    .map(|step| (step.act.clone(), step.after.mode));
                let reads = step.is_some_and(Step::is_to_read);
                match result {
                    StepResult::AsExpected if reads => self.failed_reads = 0,
                    StepResult::Otherwise if reads => {
                        self.failed_reads = self.failed_reads.saturating_add(1);
                    }
                    _ => {}
                }
                if *result == StepResult::AsExpected {
                    self.erased |= step.is_some_and(|step| step.after.data == Data::Erased);
                    self.is_laid |= step.is_some_and(|step| step.after.system == Laid::Makers);
                    self.at += 1;
                    self.diverged = None;
                }
            }
            Entry::TableRead {
                run, partitions, ..
            } if *run == self.id => {
                self.table = Some(partitions.clone());
            }
            Entry::RunEnded { run, end, why } if *run == self.id => {
                self.ended = Some((*end, at));
                if why.is_some() {
                    self.diverged.clone_from(why);
                }
            }
            _ => return,
        }
        self.revision += 1;
    }

    /// The next step, while the run is under way.
    #[must_use]
    pub fn next_step(&self) -> Option<&Step> {
        if self.ended.is_some() {
            None
        } else {
            self.sheet.steps.get(self.at)
        }
    }
}

/// How fast a capture went that was written down at `now`; not of another bench's.
fn pace(capture: &CaptureFacts, now: BenchTime) -> Option<Pace> {
    let ms = now.ms_since(capture.taken.counted()?);
    let read = capture.partitions.iter().map(|part| {
        let times = if part.agreement == Agreement::Once {
            1
        } else {
            2
        };
        part.length_bytes * times
    });
    Some(Pace {
        bytes: read.sum(),
        ms,
    })
}
