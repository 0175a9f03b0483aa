//! One change a unit at a time, how far each is, and what was refused.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::{Arc, Mutex};

use veritope_core::evidence::Line;
use veritope_core::rule::Rule;
use veritope_wire::{RunId, UnitId};

use crate::desk::DeskError;
use crate::desk::pen::{Pen, lock};
use crate::desk::record::{Entry, Scope};
use crate::ports::Changed;
use crate::progress::StepPhase;

/// Why a unit may not be changed.
#[derive(Debug, thiserror::Error)]
pub enum TurnError {
    /// Another change of this unit is under way.
    #[error("something is being done with this unit at the moment: wait for it")]
    Busy,
    /// The seal is closed.
    #[error("the seal is closed for this ({rule}): {}", .missing.iter().map(|item| item.text.as_str()).collect::<Vec<_>>().join(" "))]
    Closed {
        /// The list that is not complete.
        rule: Rule,
        /// What is missing on it.
        missing: Vec<Line>,
    },
    /// The record.
    #[error(transparent)]
    Desk(#[from] DeskError),
}

/// Who is at which unit.
pub struct Turns {
    pen: Arc<Pen>,
    changing: Mutex<BTreeSet<UnitId>>,
    phases: Mutex<BTreeMap<RunId, StepPhase>>,
}

/// Takes a unit out of the set of those being changed when dropped.
pub(crate) struct Changing<'a> {
    turns: &'a Turns,
    unit: UnitId,
}

impl Drop for Changing<'_> {
    fn drop(&mut self) {
        lock(&self.turns.changing).remove(&self.unit);
        self.turns.pen.notify.changed(Changed::Unit(self.unit));
    }
}

impl Turns {
    pub(crate) fn new(pen: Arc<Pen>) -> Self {
        Self {
            pen,
            changing: Mutex::default(),
            phases: Mutex::default(),
        }
    }

    pub(crate) fn begin_changing(&self, unit: UnitId) -> Result<Changing<'_>, TurnError> {
        self.pen.is_sound(Scope::Unit(unit))?;
        if lock(&self.changing).insert(unit) {
            Ok(Changing { turns: self, unit })
        } else {
            Err(TurnError::Busy)
        }
    }

    /// Whether a change of a unit could begin.
    pub(crate) fn is_free(&self, unit: UnitId) -> Result<(), TurnError> {
        self.pen.is_sound(Scope::Unit(unit))?;
        if self.is_changing(unit) {
            return Err(TurnError::Busy);
        }
        Ok(())
    }

    pub(crate) fn is_changing(&self, unit: UnitId) -> bool {
        lock(&self.changing).contains(&unit)
    }

    pub(crate) fn phase(&self, run: RunId) -> Option<StepPhase> {
        lock(&self.phases).get(&run).cloned()
    }

    pub(crate) fn set_phase(&self, unit: UnitId, run: RunId, phase: Option<StepPhase>) {
        let mut phases = lock(&self.phases);
        let before = match &phase {
            Some(phase) => phases.insert(run, phase.clone()),
            None => phases.remove(&run),
        };
        drop(phases);
        if before != phase {
            self.pen.notify.changed(Changed::Run(unit, run));
        }
    }

    /// Writes down that a list refused something, and gives the error to answer with.
    pub(crate) fn refuse(
        &self,
        unit: UnitId,
        wanted: String,
        rule: Rule,
        missing: Vec<Line>,
    ) -> TurnError {
        let mut rules: Vec<Rule> = missing.iter().map(|item| item.rule).collect();
        rules.dedup();
        let refused = Entry::Refused { wanted, rules };
        match self.pen.append(unit, None, vec![refused]) {
            Ok(()) => TurnError::Closed { rule, missing },
            Err(error) => error.into(),
        }
    }
}
