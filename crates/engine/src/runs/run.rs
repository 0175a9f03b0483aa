//! Runs: begin, take a step, say what is seen, consent, stop.
//!
//! Every step goes the same way: observe, compare with what the sheet expects, plan again if it
//! differs, get a permit if the step changes storage or lock, write the intent down, act, observe,
//! write the outcome down. Between intent and outcome the process may die: then the step's outcome
//! is unknown until somebody looks.

use veritope_core::act::{Doing, ImageOf};
use veritope_core::consent::{Consent, told};
use veritope_core::dossier::By;
use veritope_core::facts::FactKey;
use veritope_core::family::Family;
use veritope_core::goal::Goal;
use veritope_core::mode::Mode;
use veritope_core::permission::Refusal;
use veritope_core::plan::sighting::divergence;
use veritope_core::plan::{Sheet, Step, due};
use veritope_core::prospect::{self, Judged};
use veritope_core::standing;
use veritope_core::state::{BackedUp, Data, Laid, Presence, State, Switch, TableRead};
use veritope_link::LinkError;
use veritope_wire::{RequestId, RunId, UnitId};

use crate::runs::Runs;
use crate::runs::attempt::Attempt;

use crate::desk::record::{Entry, RunEnd, Scope, StepResult, Way};
use crate::desk::unit::{RunRecord, UnitRecord};
use crate::keeping::change::Change;
use crate::keeping::known::Depth;
use crate::links::watch::Observation;
use crate::progress::Watcher;
use crate::runs::RunsError;
use crate::runs::evidence::Asking;

/// How a call to [`Runs::do_step`] ended.
#[derive(Debug, Clone, PartialEq, Eq, serde::Serialize, utoipa::ToSchema)]
#[serde(tag = "is", rename_all = "kebab-case")]
pub enum StepEnd {
    /// The same request was carried out before.
    DoneBefore,
    /// The device is as expected.
    AsExpected,
    /// The run's goal is reached.
    GoalReached,
    /// The device was not as expected before the step, so the step was not taken; there is a new
    /// sheet.
    NotTaken {
        /// What differed.
        why: String,
    },
    /// The step was taken and the device is in another state; there is a new sheet.
    Otherwise {
        /// What differed.
        why: String,
    },
    /// The device declined.
    Refused {
        /// Its words.
        words: String,
    },
    /// It is for a person's hands; how is shown now.
    ByHand,
    /// How it ended is not known.
    Unknown {
        /// Why not.
        why: String,
    },
}

impl Runs {
    /// Plans without beginning: the sheet for `goal` from what is known now.
    ///
    /// # Errors
    /// When the family is not known or no way leads there.
    pub fn preview(&self, unit: UnitId, goal: Goal) -> Result<Sheet, RunsError> {
        self.plan_for(&*self.pen.record(unit)?, goal)
    }

    pub(crate) fn plan_for(&self, record: &UnitRecord, goal: Goal) -> Result<Sheet, RunsError> {
        let family = self.library.family_of(record).ok_or(RunsError::NoFamily)?;
        let start = self.start_of(record, &family);
        let known = self
            .keeping
            .known(record, family, record.known(), Depth::List);
        Ok(standing::plan_for(
            &known.dossier(),
            start,
            goal,
            back_to(record, goal),
        )?)
    }

    /// Every goal that fits the unit's family, and how it stands; nothing while the family is not known.
    pub(crate) fn goals(&self, record: &UnitRecord) -> Vec<(Goal, Judged)> {
        let Some(family) = self.library.family_of(record) else {
            return Vec::new();
        };
        let goals = Goal::ALL.into_iter().filter(|goal| goal.fits(&family));
        self.judged(record, goals)
    }

    /// How these goals stand; nothing while the family is not known. What is known of the unit is brought together
    /// once.
    pub(crate) fn judged(
        &self,
        record: &UnitRecord,
        goals: impl IntoIterator<Item = Goal>,
    ) -> Vec<(Goal, Judged)> {
        let Some(family) = self.library.family_of(record) else {
            return Vec::new();
        };
        let start = self.start_of(record, &family);
        let mut known = self
            .keeping
            .known(record, family, record.known(), Depth::List);
        let mut judged = Vec::new();
        for goal in goals {
            let found = standing::plan_for(&known.uncharged(), start, goal, back_to(record, goal));
            let before = match &found {
                Ok(sheet) => {
                    let files = due::packages(sheet, &known.uncharged());
                    known = self
                        .keeping
                        .with_packages(known, files.iter().map(String::as_str));
                    known = known.carrying(sheet.load());
                    due::preparations(sheet, &known.dossier())
                }
                Err(_) => Vec::new(),
            };
            judged.push((goal, prospect::judge(goal, found.as_ref(), &before)));
        }
        judged
    }

    /// The state from which is planned: what is known of the unit, and what its run and its captures brought.
    fn start_of(&self, record: &UnitRecord, family: &Family) -> State {
        let mut state = State::from_facts(&record.known());
        if record.active_run().is_some_and(|run| run.table.is_some()) {
            state.table = TableRead::Read;
        }
        let shut = state.data == Data::Shut;
        if record.active_run().is_some_and(|run| run.erased) && !shut {
            state.data = Data::Erased;
        }
        if record.active_run().is_some_and(|run| run.is_laid) {
            state.system = Laid::Makers;
        }
        let kept = self.keeping.coverage_of(record, family);
        if kept.is_captured_now() {
            state.backed_up = BackedUp::Yes;
        } else if kept.is_fixed_captured() {
            state.backed_up = BackedUp::Fixed;
        }
        state
    }

    /// Begins a run towards `goal`.
    ///
    /// # Errors
    /// When a run is under way, the sheet rests on something missing, or the preparations that its
    /// steps oblige to are not complete.
    pub fn begin_run(
        &self,
        unit: UnitId,
        goal: Goal,
        request: RequestId,
    ) -> Result<RunId, RunsError> {
        let Some(_once) = self.pen.once(Scope::Unit(unit), request)? else {
            let record = self.pen.record(unit)?;
            let run = record.run.as_ref().ok_or(RunsError::NoStep)?;
            return Ok(run.id);
        };
        let _changing = self.turns.begin_changing(unit)?;
        let record = self.pen.record(unit)?;
        if record.active_run().is_some() {
            return Err(RunsError::RunIsOpen);
        }
        if record.way != Way::Hand {
            self.links.observe(unit)?;
        }
        let record = self.pen.record(unit)?;
        // What lies on the shelf is hashed anew for this sheet.
        self.library.shelf.forget();
        let sheet = self.plan_for(&record, goal)?;
        if !sheet.why_not.is_empty() {
            return Err(RunsError::WhyNot(sheet.why_not));
        }
        if let Err(refusal) = self.may_begin(&record, &sheet, Asking::Request) {
            let wanted = format!("begin: {}", goal.shown().to_lowercase());
            return Err(self.refused(unit, wanted, refusal));
        }
        let run = RunId::new(self.pen.ids.fresh());
        let mut entries = Vec::new();
        if record.goal != Some(goal) {
            entries.push(Entry::GoalChosen { goal, reason: None });
        }
        let is_there = sheet.steps.is_empty();
        let family = self.library.family_of(&record).ok_or(RunsError::NoFamily)?;
        self.library.keep_text(&family)?;
        let takes_image = sheet
            .steps
            .iter()
            .any(|step| step.act.image_of() == Some(ImageOf::TheChosen));
        let image = takes_image
            .then(|| self.keeping.recovery_of(&record, &family, &record.known()))
            .flatten();
        entries.push(Entry::RunBegan {
            run,
            sheet: Box::new(sheet),
            family: Some(family.digest),
            image: image.map(|image| image.judged.digest),
        });
        if is_there {
            entries.push(Entry::RunEnded {
                run,
                end: RunEnd::Reached,
                why: None,
            });
        }
        self.pen.append(unit, Some(request), entries)?;
        Ok(run)
    }

    pub(crate) fn open_run(
        &self,
        record: &UnitRecord,
        run: RunId,
        revision: u32,
    ) -> Result<RunRecord, RunsError> {
        let open = record
            .active_run()
            .filter(|active| active.id == run)
            .ok_or(RunsError::NoRun(run))?;
        if open.revision == revision {
            Ok(open.clone())
        } else {
            Err(RunsError::StaleRevision {
                then: revision,
                now: open.revision,
            })
        }
    }

    /// Records the typed consent to a stage's consequences.
    ///
    /// # Errors
    /// When the typed name is not the unit's, or the page was stale.
    pub fn consent(
        &self,
        unit: UnitId,
        run: RunId,
        revision: u32,
        typed: &str,
        request: RequestId,
    ) -> Result<(), RunsError> {
        let Some(_once) = self.pen.once(Scope::Unit(unit), request)? else {
            return Ok(());
        };
        let record = self.pen.record(unit)?;
        let open = self.open_run(&record, run, revision)?;
        let step = open.next_step().ok_or(RunsError::NoStep)?;
        let costs = self.costs_of(&record, &open.sheet, step);
        let Some((stage, costs)) = costs.and_then(|costs| Some((costs.stage?, costs.consequences)))
        else {
            return Err(RunsError::NotThisWay("the next step needs no consent"));
        };
        if typed != record.nickname {
            return Err(RunsError::WrongName {
                typed: typed.chars().take(60).collect(),
                wanted: record.nickname.clone(),
            });
        }
        let consent = Consent {
            stage,
            typed: typed.to_owned(),
            told: told(&costs),
            at: self.pen.now(),
        };
        Ok(self
            .pen
            .append(unit, Some(request), vec![Entry::Consented { run, consent }])?)
    }

    /// Stops a run. What a device is doing goes on.
    ///
    /// # Errors
    /// When a step is being taken, or the page was stale.
    pub fn stop_run(
        &self,
        unit: UnitId,
        run: RunId,
        revision: u32,
        request: RequestId,
    ) -> Result<(), RunsError> {
        let Some(_once) = self.pen.once(Scope::Unit(unit), request)? else {
            return Ok(());
        };
        let _changing = self.turns.begin_changing(unit)?;
        let record = self.pen.record(unit)?;
        let mut entries = self.left_open(&record, &self.open_run(&record, run, revision)?)?;
        entries.push(Entry::RunEnded {
            run,
            end: RunEnd::Stopped,
            why: None,
        });
        Ok(self.pen.append(unit, Some(request), entries)?)
    }

    /// What is done for a step with this unit, and by whom.
    pub(crate) fn doing(&self, record: &UnitRecord, step: &Step) -> Doing {
        let here = |is: bool| {
            if is {
                Presence::Here
            } else {
                Presence::Missing
            }
        };
        let by = By {
            link: here(record.way != Way::Hand),
            token: here(record.has_token),
        };
        match self.library.family_of(record) {
            Some(family) => step.act.doing(&family, by),
            None => Doing::Hands,
        }
    }

    /// Whether the link takes this step, rather than a person's hands.
    pub(crate) fn is_by_link(&self, record: &UnitRecord, step: &Step) -> bool {
        record.way != Way::Hand
            && match self.doing(record, step) {
                // What the link reads is known already when it answers; the rest is looked at, and all of it by
                // a person where nothing answers.
                Doing::Look(key) => key == FactKey::Mode && self.links.answers(record),
                Doing::Hands => false,
                Doing::Command(_)
                | Doing::Read(_)
                | Doing::Send { .. }
                | Doing::PutInside { .. } => true,
            }
    }

    /// Says why something is not done, and writes down what a list refused.
    fn refused(&self, unit: UnitId, wanted: String, refusal: Refusal) -> RunsError {
        match refusal {
            Refusal::Open { rule, missing } => {
                self.turns.refuse(unit, wanted, rule, missing).into()
            }
            Refusal::UnderWay(_) => RunsError::LookFirst,
            Refusal::NoAnswer => LinkError::Refused(not_there()).into(),
        }
    }

    /// Takes the next step of a run; returns when it is through, or when it is for a person's hands.
    ///
    /// # Errors
    /// When it is not taken: stale page, the last step's outcome is unknown, the seal is closed, the
    /// unit is not there. Nothing was sent to the device then.
    pub fn do_step(
        &self,
        unit: UnitId,
        run: RunId,
        revision: u32,
        request: RequestId,
        watcher: &dyn Watcher,
    ) -> Result<StepEnd, RunsError> {
        let _changing = self.turns.begin_changing(unit)?;
        let record = self.pen.record(unit)?;
        if self.pen.journal.done(request).is_some() {
            return Ok(StepEnd::DoneBefore);
        }
        let open = self.open_run(&record, run, revision)?;
        if open.open.is_some() {
            return Err(RunsError::LookFirst);
        }
        let step = open.next_step().ok_or(RunsError::NoStep)?.clone();
        let family = self.library.family_of(&record);
        let family = match (family, open.family) {
            (Some(family), Some(digest)) if family.digest != digest => {
                return Err(RunsError::FamilyGone);
            }
            (None, Some(_)) => return Err(RunsError::FamilyGone),
            (family, _) => family.ok_or(RunsError::NoFamily)?,
        };
        let intent = Entry::Intent {
            run,
            title: step.title.clone(),
            act: step.permitted.then(|| step.act.clone()),
            told: None,
        };
        if !self.is_by_link(&record, &step) {
            if record.way != Way::Hand && self.is_looked_at(unit, &step) {
                self.pen.append(unit, Some(request), vec![intent])?;
                let saw = "The link has it.".to_owned();
                self.outcome(unit, run, StepResult::AsExpected, saw, Vec::new())?;
                return self.go_on(unit, run, &step);
            }
            // A file is hashed as it lies there now, not as it lay when it was last looked at.
            self.library.shelf.forget();
            if let Err(refusal) = self.may_step(&record, &open, &step, None, Asking::Request) {
                return Err(self.refused(unit, step.title, refusal));
            }
            if step.permitted {
                let chosen = self.chosen(&record, &family, &open, &step.act)?;
                let change = Change {
                    request: Some(request),
                    ..chosen.change(unit, &open, &step)
                };
                // How is told by the complete list alone, and written down with the intent.
                self.keeping.by_hand(&change, |complete| Entry::Intent {
                    run,
                    title: step.title.clone(),
                    act: Some(complete.act().clone()),
                    told: Some(complete.how(&family)),
                })?;
            } else {
                self.pen.append(unit, Some(request), vec![intent])?;
            }
            return Ok(StepEnd::ByHand);
        }
        let seen = self.links.observe(unit)?;
        if seen.mode().is_none() {
            return Err(LinkError::Refused(not_there()).into());
        }
        let shut = lets_nobody_in(&step, &seen);
        let record = self.pen.record(unit)?;
        // What lives may have been rewritten since it was captured for this very step (B6).
        let kept = self.start_of(&record, &family).backed_up;
        let is_aged = step.permitted && kept < step.before.backed_up;
        let aged = is_aged.then(|| "What was captured for it is not as it is now.".to_owned());
        let differs = divergence(step.before, &seen.facts).or(shut).or(aged);
        if let Some(why) = differs {
            self.replan(unit, run, &why, Some(request))?;
            return Ok(StepEnd::NotTaken { why });
        }
        if let Err(refusal) = self.may_step(&record, &open, &step, None, Asking::Request) {
            return Err(self.refused(unit, step.title, refusal));
        }
        let attempt = self.attempt(unit, &open, &step, &seen, intent, request, watcher);
        self.turns.set_phase(unit, run, None);
        match attempt? {
            Attempt::Lost(why) => Ok(StepEnd::Unknown { why }),
            Attempt::Declined(words) => {
                let saw = format!("It said: {words}.");
                self.outcome(unit, run, StepResult::Refused, saw, Vec::new())?;
                Ok(StepEnd::Refused { words })
            }
            Attempt::Through => match self.links.observe(unit) {
                Ok(seen) if seen.mode().is_none() => Ok(StepEnd::Unknown {
                    why: "the unit went away".to_owned(),
                }),
                Ok(seen) => self.conclude(unit, run, &step, &seen, StepResult::Otherwise),
                Err(error) => Ok(StepEnd::Unknown {
                    why: error.to_string(),
                }),
            },
        }
    }
}

/// What differs where the step is a command and the system takes none, as it did when this was
/// planned.
fn lets_nobody_in(step: &Step, seen: &Observation) -> Option<String> {
    let was_on = step.before.debugging == Some(Switch::On);
    let is_off = seen.facts.choice(FactKey::Debugging) == Some("off");
    (was_on && is_off && seen.mode() == Some(Mode::System))
        .then(|| "Expected: commands from a computer on. Seen: off.".to_owned())
}

fn not_there() -> veritope_wire::link::Refusal {
    veritope_wire::link::Refusal {
        code: veritope_wire::link::RefusalCode::NotConnected,
        words: "the unit is not there".to_owned(),
    }
}

/// The build that the unit's last run towards `goal` began on, where that run has not reached it: what was begun
/// from build to build is not there yet, though it was stopped on the way.
fn back_to(record: &UnitRecord, goal: Goal) -> Option<&str> {
    let run = record.run.as_ref().filter(|run| run.sheet.goal == goal)?;
    let is_there = matches!(run.ended, Some((RunEnd::Reached, _)));
    run.began_on.as_deref().filter(|_| !is_there)
}
