//! A step that reads, taken by hands: it ends when what they dumped is in the vault, by nothing that anybody says
//! (`B12`).

use veritope_core::act::{Doing, ImageOf, Reading};
use veritope_core::captured::Rest;
use veritope_core::facts::Source;
use veritope_core::plan::Step;
use veritope_core::state::State;
use veritope_wire::{CaptureId, Digest, RunId, UnitId};

use crate::desk::record::{Entry, StepResult};
use crate::desk::unit::{RunRecord, UnitRecord};
use crate::keeping::handed::HandedView;
use crate::progress::Watcher;
use crate::runs::{Runs, RunsError};

impl Runs {
    /// What the step that is in a person's hands reads; nothing where none does.
    pub(crate) fn reading_in_hand(&self, record: &UnitRecord) -> Option<(RunId, Reading)> {
        let (run, step) = in_hand(record)?;
        match self.doing(record, step) {
            Doing::Read(reading) if !self.is_by_link(record, step) => Some((run.id, reading)),
            _ => None,
        }
    }

    /// What was handed in for a unit, by what its open step wants.
    ///
    /// # Errors
    /// When the unit's family is not known or the list can't be read.
    pub fn handed(&self, unit: UnitId) -> Result<HandedView, RunsError> {
        let record = self.pen.record(unit)?;
        let reading = self.reading_in_hand(&record);
        let only_tables = matches!(reading, Some((_, Reading::Table)));
        Ok(self.keeping.handed(unit, only_tables)?)
    }

    /// Takes in what was handed in: the table alone where the open step reads that, else all of it as a capture. The
    /// step that waited for it ends by it.
    ///
    /// # Errors
    /// When something is still wanted, a dump is another one than it was, or there is no room.
    pub fn take_handed(
        &self,
        unit: UnitId,
        watcher: &dyn Watcher,
    ) -> Result<Option<CaptureId>, RunsError> {
        let _changing = self.turns.begin_changing(unit)?;
        let record = self.pen.record(unit)?;
        match self.reading_in_hand(&record) {
            Some((run, Reading::Table)) => {
                let (guid, partitions) = self.keeping.handed_table(&record)?;
                let read = Entry::TableRead {
                    run,
                    guid,
                    partitions,
                };
                self.through(unit, run, vec![read], "Its table was handed in.")?;
                Ok(None)
            }
            Some((run, Reading::Capture)) => {
                // Taken, and killed before the step was ended.
                let capture = match self.is_captured(unit)? {
                    true => None,
                    false => Some(self.keeping.take_handed_held(unit, watcher)?),
                };
                if self.is_captured(unit)? {
                    self.through(unit, run, Vec::new(), "Its dumps were handed in.")?;
                } else {
                    let why = "What was handed in is of another day, or does not count.";
                    let ended = outcome(run, StepResult::Otherwise, why);
                    self.pen.append(unit, None, vec![ended])?;
                    self.replan(unit, run, why, None)?;
                }
                Ok(capture)
            }
            None => Ok(Some(self.keeping.take_handed_held(unit, watcher)?)),
        }
    }

    /// The file that the step in a person's hands writes, byte for byte, with a name: what was judged is what goes out
    /// (`E5`). Nothing where the step is not in hand, or writes none.
    ///
    /// # Errors
    /// When the file is gone, or is another one than it was.
    pub fn hand_file(&self, unit: UnitId) -> Result<Option<(String, Vec<u8>)>, RunsError> {
        let record = self.pen.record(unit)?;
        let Some((run, step)) =
            in_hand(&record).filter(|(_, step)| !self.is_by_link(&record, step))
        else {
            return Ok(None);
        };
        let Some(of) = step.act.image_of() else {
            return Ok(None);
        };
        let family = self.library.family_of(&record).ok_or(RunsError::NoFamily)?;
        let bytes = self.chosen(&record, &family, run, &step.act)?.into_bytes();
        let ending = match of {
            ImageOf::TheMakersSet => "tar",
            ImageOf::ThePackage => "zip",
            ImageOf::TheChosen | ImageOf::TheMakers => "img",
        };
        let part = step.act.part();
        let stem = part.map_or_else(|| "image".to_owned(), |part| part.label.to_string());
        let short = Digest::of(&bytes).short();
        Ok(Some((format!("{stem}-{short}.{ending}"), bytes)))
    }

    /// Whether what a capture should bring in the mode that runs is here.
    fn is_captured(&self, unit: UnitId) -> Result<bool, RunsError> {
        let record = self.pen.record(unit)?;
        let family = self.library.family_of(&record).ok_or(RunsError::NoFamily)?;
        let kept = self.keeping.coverage_of(&record, &family);
        let reads = State::from_facts(&record.known()).reads(family.readable());
        Ok(kept.is_captured_now() || (reads == Some(Rest::Live) && kept.is_fixed_captured()))
    }

    /// The open step went as expected.
    fn through(
        &self,
        unit: UnitId,
        run: RunId,
        brought: Vec<Entry>,
        saw: &str,
    ) -> Result<(), RunsError> {
        let record = self.pen.record(unit)?;
        let step = record.active_run().and_then(|run| run.next_step());
        let step = step.ok_or(RunsError::NoStep)?.clone();
        let mut entries = brought;
        entries.push(outcome(run, StepResult::AsExpected, saw));
        self.pen.append(unit, None, entries)?;
        self.go_on(unit, run, &step)?;
        Ok(())
    }
}

/// The open step of a run.
fn in_hand(record: &UnitRecord) -> Option<(&RunRecord, &Step)> {
    let run = record.active_run().filter(|run| run.open.is_some())?;
    Some((run, run.next_step()?))
}

fn outcome(run: RunId, result: StepResult, saw: &str) -> Entry {
    Entry::Outcome {
        run,
        result,
        source: Source::Person,
        saw: saw.to_owned(),
    }
}
