//! How a step ended: what is seen is compared with what it should bring, the outcome written down, and the
//! run goes on, ends or is planned anew. Seen by the link, or said by a person.

use veritope_core::act::{Doing, ImageOf, Reading};
use veritope_core::captured::BlankBytes;
use veritope_core::facts::{FactKey, FactValue, Facts, Happening, Source};
use veritope_core::family::Family;
use veritope_core::mode::{Lock, Mode};
use veritope_core::plan::ending::{
    Asked, How, Open, Taken, doubted, ending, is_told_by_words, left_open, looked_at,
};
use veritope_core::plan::sheet::Reach;
use veritope_core::plan::sighting::{Likelihood, Sighting, concluded, sightings};
use veritope_core::plan::{Sheet, Step};
use veritope_core::prospect::{self, Prospect};
use veritope_core::started;
use veritope_wire::{BenchTime, Label, RequestId, RunId, UnitId};

use crate::desk::record::{Entry, RunEnd, Scope, StepResult, seen_in_words};
use crate::desk::unit::{RunRecord, UnitRecord};
use crate::links::watch::Observation;
use crate::runs::Runs;
use crate::runs::RunsError;
use crate::runs::run::StepEnd;

/// Who asks how an open step ended.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Settling {
    /// The watch, by itself: only a clear success counts.
    Watching,
    /// A person, who wants the truth as it is.
    Asked,
}

/// What a person says that is seen after a step.
#[derive(Debug, Clone, Copy)]
pub struct Said<'a> {
    /// Id of the sighting.
    pub sighting: &'a str,
    /// What is seen, in a sentence, where it is none of the known.
    pub words: Option<&'a str>,
}

impl<'a> From<&'a str> for Said<'a> {
    fn from(sighting: &'a str) -> Self {
        Self {
            sighting,
            words: None,
        }
    }
}

impl Runs {
    /// Whether what a look at a lock is for is known by now, the link asked once more.
    pub(crate) fn is_looked_at(&self, unit: UnitId, step: &Step) -> bool {
        let record = self.pen.record(unit);
        let Ok(Doing::Look(key)) = record.map(|record| self.doing(&record, step)) else {
            return false;
        };
        // A unit that does not answer is looked at by a person.
        self.links.observe(unit).is_ok()
            && self
                .pen
                .record(unit)
                .is_ok_and(|record| record.known().known(key).is_some())
    }

    /// Compares what is seen after a step with what it should bring, and writes the outcome down.
    pub(crate) fn conclude(
        &self,
        unit: UnitId,
        run: RunId,
        step: &Step,
        seen: &Observation,
        otherwise: StepResult,
    ) -> Result<StepEnd, RunsError> {
        let saw = seen_in_words(seen.mode(), seen.lock());
        let ending = ending(step, &seen.facts, self.is_look(unit, step)?);
        let doubt = ending
            .doubt
            .map(|what| Entry::happened(what, self.pen.now()));
        let mut doubts: Vec<Entry> = doubt.into_iter().collect();
        if matches!(ending.how, How::Otherwise { .. }) {
            let record = self.pen.record(unit)?;
            doubts.extend(self.doubted(&record, step, seen.mode())?);
        }
        let (result, why) = match ending.how {
            How::AsExpected => (StepResult::AsExpected, None),
            How::Looked { why } => (StepResult::AsExpected, Some(why)),
            How::NotKnown { why } => (StepResult::NotKnown, Some(why)),
            How::Otherwise { why } => (otherwise, Some(why)),
        };
        if let Some(why) = why {
            self.outcome(unit, run, result, saw, doubts)?;
            self.replan(unit, run, &why, None)?;
            return Ok(StepEnd::Otherwise { why });
        }
        let record = self.pen.record(unit)?;
        let family = &*self.library.family_of(&record).ok_or(RunsError::NoFamily)?;
        let brought = self.brought(&record, step, family)?;
        if !brought.is_empty() {
            doubts.extend(brought);
            self.pen.append(unit, None, std::mem::take(&mut doubts))?;
            // What was read before that does not count any more; what answers tells it once more, else nobody does.
            let _ = self.links.observe(unit);
        }
        self.outcome(unit, run, StepResult::AsExpected, saw, doubts)?;
        self.go_on(unit, run, step)
    }

    /// What is to be written down when a step went as expected. What is sent is through, and written down,
    /// before anybody looks.
    fn brought(
        &self,
        record: &UnitRecord,
        step: &Step,
        family: &veritope_core::family::Family,
    ) -> Result<Vec<Entry>, RunsError> {
        let doing = self.doing(record, step);
        if matches!(doing, Doing::Send { .. } | Doing::PutInside { .. }) {
            return Ok(Vec::new());
        }
        // On the sheet it is open which image goes out; the run knows.
        let image = record.active_run().and_then(|run| run.image);
        let act = step.act.clone();
        let act = match (act.image_of(), image) {
            (Some(ImageOf::TheChosen), Some(image)) => act.choosing(image),
            _ => act,
        };
        Ok(self.keeping.left_by(&act, family)?)
    }

    /// That another recovery is not believed to lie there any more.
    fn doubted(
        &self,
        record: &UnitRecord,
        step: &Step,
        seen: Option<Mode>,
    ) -> Result<Vec<Entry>, RunsError> {
        let family = self.library.family_of(record).ok_or(RunsError::NoFamily)?;
        let all = doubted(&family, step, seen, self.taken(record, step));
        Ok(self.happened(all))
    }

    /// How a step that is open ends where its run is stopped: nobody saw it, and what it may have done is not known.
    pub(crate) fn left_open(
        &self,
        record: &UnitRecord,
        run: &RunRecord,
    ) -> Result<Vec<Entry>, RunsError> {
        let Some(step) = run.next_step().filter(|_| run.open.is_some()) else {
            return Ok(Vec::new());
        };
        let family = self.library.family_of(record).ok_or(RunsError::NoFamily)?;
        let mut entries = self.happened(left_open(&family, step, self.taken(record, step)));
        entries.push(Entry::Outcome {
            run: run.id,
            result: StepResult::NotKnown,
            source: Source::Person,
            saw: "The run was stopped before anybody said how it ended.".to_owned(),
        });
        Ok(entries)
    }

    fn taken(&self, record: &UnitRecord, step: &Step) -> Taken {
        Taken {
            by_link: self.is_by_link(record, step),
            tries: record.active_run().map_or(0, |run| run.failed_reads),
        }
    }

    fn happened(&self, all: Vec<Happening>) -> Vec<Entry> {
        let at = self.pen.now();
        let all = all.into_iter();
        all.map(|what| Entry::happened(what, at)).collect()
    }

    fn is_look(&self, unit: UnitId, step: &Step) -> Result<bool, RunsError> {
        let record = self.pen.record(unit)?;
        Ok(matches!(self.doing(&record, step), Doing::Look(_)))
    }

    /// Writes down how a step ended that the link saw, at once with what is not known any more for it: neither is
    /// there without the other.
    pub(crate) fn outcome(
        &self,
        unit: UnitId,
        run: RunId,
        result: StepResult,
        saw: String,
        doubts: Vec<Entry>,
    ) -> Result<(), RunsError> {
        let mut entries = doubts;
        entries.push(Entry::Outcome {
            run,
            result,
            source: Source::Link,
            saw,
        });
        Ok(self.pen.append(unit, None, entries)?)
    }

    /// After a step that went as expected: on to the next, the goal, or a plan beyond a look.
    pub(crate) fn go_on(
        &self,
        unit: UnitId,
        run: RunId,
        step: &Step,
    ) -> Result<StepEnd, RunsError> {
        let record = self.pen.record(unit)?;
        let Some(open) = record.active_run().filter(|open| open.id == run) else {
            return Ok(StepEnd::AsExpected);
        };
        let is_look = self.is_look(unit, step)?;
        let wanted: Option<Lock> = open.sheet.goal.lock();
        if wanted.is_some() && open.next_step().is_none() && record.known().lock() != wanted {
            self.replan(unit, run, "The lock was not seen.", None)?;
            return Ok(StepEnd::AsExpected);
        }
        if open.next_step().is_none() && open.sheet.reach == Reach::Goal && !is_look {
            self.pen.append(
                unit,
                None,
                vec![Entry::RunEnded {
                    run,
                    end: RunEnd::Reached,
                    why: None,
                }],
            )?;
            return Ok(StepEnd::GoalReached);
        }
        if is_look || open.next_step().is_none() {
            self.replan(unit, run, "The look was taken.", None)?;
        }
        Ok(StepEnd::AsExpected)
    }

    /// Plans the rest of a run anew where what a person said since it was planned leads another way. A step
    /// that is under way ends first; where no way leads on by what was said the run stays as it is, and its
    /// step says what bars it: what was said may be taken back.
    ///
    /// # Errors
    /// When nothing can be written down.
    pub fn reconsider(&self, unit: UnitId) -> Result<(), RunsError> {
        let Ok(_changing) = self.turns.begin_changing(unit) else {
            return Ok(());
        };
        let record = self.pen.record(unit)?;
        let Some(run) = record.active_run().filter(|run| run.open.is_none()) else {
            return Ok(());
        };
        let Ok(sheet) = self.plan_for(&record, run.sheet.goal) else {
            return Ok(());
        };
        let acts = sheet.steps.iter().map(|step| &step.act);
        let ahead = run.sheet.steps.get(run.at..).unwrap_or(&[]).iter();
        let is_same = acts.eq(ahead.map(|step| &step.act));
        if is_same || self.barred(&record, &sheet).is_some() {
            return Ok(());
        }
        let why = "What is known now leads another way.";
        self.replan(unit, run.id, why, None)
    }

    /// What bars a sheet that can't be finished, with its rule.
    fn barred(&self, record: &UnitRecord, sheet: &Sheet) -> Option<String> {
        let before = self.preparations(record, sheet);
        match prospect::judge(sheet.goal, Ok(sheet), &before).prospect {
            Prospect::NoWay { because, rule } => {
                let rule = rule.map_or_else(String::new, |rule| format!(" ({rule})"));
                Some(format!("{because}{rule}"))
            }
            Prospect::ThereAlready | Prospect::Open | Prospect::After { .. } => None,
        }
    }

    /// Plans the rest of a run from what is known now.
    pub(crate) fn replan(
        &self,
        unit: UnitId,
        run: RunId,
        why: &str,
        request: Option<RequestId>,
    ) -> Result<(), RunsError> {
        let record = self.pen.record(unit)?;
        let goal = record.active_run().ok_or(RunsError::NoRun(run))?.sheet.goal;
        let sheet = match self.plan_for(&record, goal) {
            Ok(sheet) => sheet,
            // The run ends where it is, and says why; nobody is sent round in it.
            Err(RunsError::NoPlan(barred)) => {
                let ended = Entry::RunEnded {
                    run,
                    end: RunEnd::NoWay,
                    why: Some(format!("{why} From here {barred}.")),
                };
                return Ok(self.pen.append(unit, request, vec![ended])?);
            }
            Err(error) => return Err(error),
        };
        if let Some(barred) = self.barred(&record, &sheet) {
            let ended = Entry::RunEnded {
                run,
                end: RunEnd::NoWay,
                why: Some(format!("{why} {barred}")),
            };
            return Ok(self.pen.append(unit, request, vec![ended])?);
        }
        let is_there = sheet.steps.is_empty() && sheet.reach == Reach::Goal;
        let mut entries = vec![Entry::Replanned {
            run,
            why: why.to_owned(),
            sheet: Box::new(sheet),
        }];
        if is_there {
            entries.push(Entry::RunEnded {
                run,
                end: RunEnd::Reached,
                why: None,
            });
        }
        Ok(self.pen.append(unit, request, entries)?)
    }

    /// What a person may say was seen after the open step of a run.
    pub(crate) fn sightings_of(&self, record: &UnitRecord, step: &Step) -> Vec<Sighting> {
        let by_hand = !self.is_by_link(record, step);
        let family = self.library.family_of(record);
        let mut all = family.map_or_else(Vec::new, |family| sightings(&family, step, by_hand));
        // What hands read is told by what they hand in.
        if by_hand && matches!(self.doing(record, step), Doing::Read(_)) {
            all.retain(|one| one.likelihood != Likelihood::Expected);
        }
        all
    }

    /// A person says what is seen after a step taken by hand.
    ///
    /// # Errors
    /// When the step was not begun, the sighting is none of those offered, or the page was stale.
    pub fn say_seen(
        &self,
        unit: UnitId,
        run: RunId,
        revision: u32,
        said: Said<'_>,
        request: RequestId,
    ) -> Result<StepEnd, RunsError> {
        let Some(_once) = self.pen.once(Scope::Unit(unit), request)? else {
            return Ok(StepEnd::DoneBefore);
        };
        let _changing = self.turns.begin_changing(unit)?;
        let record = self.pen.record(unit)?;
        let open = self.open_run(&record, run, revision)?;
        let step = open.next_step().ok_or(RunsError::NoStep)?.clone();
        let family = &*self.library.family_of(&record).ok_or(RunsError::NoFamily)?;
        if open.open.is_none() {
            return Err(RunsError::NotThisWay("this step has not been begun"));
        }
        if self.is_by_link(&record, &step) {
            return Err(RunsError::NotThisWay(
                "the link sees this step; look instead",
            ));
        }
        let chosen = self
            .sightings_of(&record, &step)
            .into_iter()
            .find(|known| known.id == said.sighting)
            .ok_or_else(|| {
                let sighting = said.sighting;
                RunsError::BadInput(format!("`{sighting}` is none of what may be seen"))
            })?;
        let saw = chosen.said(said.words).map_err(RunsError::BadInput)?;
        let at = self.pen.now();
        let mut entries = vec![Entry::happened(Happening::ModeChanged, at)];
        if chosen.may_have_run() {
            let all = started::happened(Some(family), &record.known()).into_iter();
            entries.extend(all.map(|what| Entry::happened(what, at)));
        }
        let mut facts = Vec::new();
        for (key, value) in &chosen.facts {
            facts.push(
                self.pen
                    .row(*key, FactValue::parse(*key, value)?, Source::Person, at),
            );
        }
        let stated = |key: FactKey| {
            chosen
                .facts
                .iter()
                .find(|(k, _)| *k == key)
                .map(|(_, v)| *v)
        };
        let lock = stated(FactKey::Lock).and_then(Lock::from_id);
        for happening in concluded(family, record.known().lock(), lock) {
            entries.push(Entry::happened(happening, at));
        }
        if !facts.is_empty() {
            entries.push(Entry::Facts { facts });
        }
        let is_expected = chosen.likelihood == Likelihood::Expected;
        if lock.is_none() && chosen.erased.is_none() {
            entries.extend(in_doubt(&step, at));
        }
        if is_expected {
            entries.extend(self.brought(&record, &step, family)?);
        }
        let result = if is_expected {
            StepResult::AsExpected
        } else {
            let mode = stated(FactKey::Mode).and_then(Mode::from_id);
            entries.extend(self.doubted(&record, &step, mode)?);
            StepResult::Otherwise
        };
        entries.push(Entry::Outcome {
            run,
            result,
            source: Source::Person,
            saw: saw.clone(),
        });
        self.pen.append(unit, Some(request), entries)?;
        if is_expected {
            return self.go_on(unit, run, &step);
        }
        let why = format!("Seen instead: {saw}");
        self.replan(unit, run, &why, None)?;
        Ok(StepEnd::Otherwise { why })
    }

    /// Looks how the open step of a run ended, on a person's wish.
    ///
    /// # Errors
    /// When the unit doesn't answer.
    pub fn look_at_step(&self, unit: UnitId) -> Result<(), RunsError> {
        let _changing = self.turns.begin_changing(unit)?;
        self.links.observe(unit)?;
        self.settle(unit, Settling::Asked)
    }

    /// What was sent and never reported whole: nothing that the unit shows tells whether it is there (`E1`). What
    /// it would have left behind may be so, and the rest is planned from that, once it answers.
    fn not_reported(
        &self,
        unit: UnitId,
        run: RunId,
        step: &Step,
        family: &Family,
    ) -> Result<(), RunsError> {
        if self.links.observe(unit)?.mode().is_none() {
            return Ok(());
        }
        let at = self.pen.now();
        let happened = step.act.brings(family).happened.into_iter();
        let entries: Vec<Entry> = happened.map(|what| Entry::happened(what, at)).collect();
        let saw = "The unit did not report it as written whole.".to_owned();
        self.outcome(unit, run, StepResult::NotKnown, saw, entries)?;
        let why = "Whether it was written whole is not known.";
        self.replan(unit, run, why, None)
    }

    /// Writes down how an open step ended, as far as the device shows it.
    pub(crate) fn settle(&self, unit: UnitId, asked: Settling) -> Result<(), RunsError> {
        let record = self.pen.record(unit)?;
        let Some(run) = record.active_run() else {
            return Ok(());
        };
        let (Some(_), Some(step)) = (&run.open, run.next_step()) else {
            return Ok(());
        };
        let family = &*self.library.family_of(&record).ok_or(RunsError::NoFamily)?;
        let (id, step) = (run.id, step.clone());
        let by_link = self.is_by_link(&record, &step);
        if let Doing::Read(reading) = self.doing(&record, &step) {
            // Reading may be taken again: what is here is not read twice, and nothing changes.
            let is_here = match reading {
                Reading::Capture => self.keeping.coverage_of(&record, family).is_captured_now(),
                Reading::Table => run.table.is_some(),
            };
            if asked == Settling::Asked || is_here {
                let result = if is_here {
                    StepResult::AsExpected
                } else {
                    StepResult::Otherwise
                };
                self.outcome(unit, id, result, "Looked again.".to_owned(), Vec::new())?;
                if result == StepResult::AsExpected {
                    self.go_on(unit, id, &step)?;
                }
            }
            return Ok(());
        }
        let since = run.open.as_ref().map(|open| open.since);
        let is_through = match self.doing(&record, &step) {
            Doing::PutInside { labels, .. } => is_put_inside(&record, &labels, since),
            _ => step
                .act
                .part()
                .is_none_or(|part| is_reported(&record, part.label, since)),
        };
        if by_link && !is_through {
            return self.not_reported(unit, id, &step, family);
        }
        let asked = match asked {
            Settling::Watching => Asked::ByItself,
            Settling::Asked => Asked::ByPerson,
        };
        // What only words tell is not looked for.
        let seen = match looked_at(&step, &Facts::default(), by_link, asked) {
            Open::OnceMore => {
                let what = match step.wipe {
                    Some(_) => "it was erased",
                    None => "all of it was taken in",
                };
                let saw = format!("Whether {what} can't be told by looking.");
                let doubt = in_doubt(&step, self.pen.now()).into_iter().collect();
                self.outcome(unit, id, StepResult::NotKnown, saw, doubt)?;
                self.replan(unit, id, "It is done once more, to be sure.", None)?;
                return Ok(());
            }
            Open::GoesOn | Open::NotComeAbout | Open::Ended if is_told_by_words(&step, by_link) => {
                return Ok(());
            }
            Open::GoesOn | Open::NotComeAbout | Open::Ended => self.links.observe(unit)?,
        };
        match looked_at(&step, &seen.facts, by_link, asked) {
            Open::GoesOn | Open::OnceMore => {}
            Open::NotComeAbout => {
                let words = seen_in_words(seen.mode(), seen.lock());
                let saw = format!("It has not come about. {words}");
                self.outcome(unit, id, StepResult::Otherwise, saw, Vec::new())?;
            }
            Open::Ended => {
                self.conclude(unit, id, &step, &seen, StepResult::Otherwise)?;
            }
        }
        Ok(())
    }
}

/// Whether the unit reported what was sent to this partition as whole, since then.
fn is_reported(record: &UnitRecord, label: &Label, since: Option<BenchTime>) -> bool {
    let mut written = record.written.iter();
    let is_torn = record.torn.iter().any(|torn| torn.label == *label);
    !is_torn && written.any(|one| one.label == *label && since.is_none_or(|since| one.at >= since))
}

/// Whether a recovery was put into all of these that hold anything, since then: none is cut, and each was told.
fn is_put_inside(record: &UnitRecord, labels: &[Label], since: Option<BenchTime>) -> bool {
    let holds = |label: &&Label| {
        let of = record.captures.iter();
        let read = of.filter_map(|one| Some((one.taken.order(), one.partition(label)?.blank)));
        read.max_by_key(|(order, _)| *order)
            .is_some_and(|(_, blank)| blank == BlankBytes::No)
    };
    let mut holding = labels.iter().filter(holds).peekable();
    holding.peek().is_some() && holding.all(|label| is_reported(record, label, since))
}

/// What is to be written down when a step on the lock ended and the lock was not seen, or a wipe whose
/// end nobody knows (`K5`, `L3`).
fn in_doubt(step: &Step, at: BenchTime) -> Option<Entry> {
    step.act.doubt().map(|what| Entry::happened(what, at))
}
