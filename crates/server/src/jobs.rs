//! Steps under way. Each has a thread of its own; the engine sees to it that a unit has one at a
//! time. A job lives in memory only: what it did is in the log, what it was about to do is there
//! too, as an intent, and the engine settles that after a restart.

use std::collections::VecDeque;
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};
use std::sync::{Arc, Mutex, PoisonError};

use serde::Serialize;
use tokio::sync::oneshot;
use veritope_engine::ports::Clock;
use veritope_engine::{Engine, EngineError, StepEnd, StepPhase, Watcher};
use veritope_wire::{Moment, RequestId, RunId, UnitId};

use crate::error::chain;
use crate::events::{Event, Events};
use crate::system::SystemClock;

/// Where a job stands.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
#[serde(tag = "is", rename_all = "kebab-case")]
pub enum JobState {
    /// At it.
    Running,
    /// Waiting for a person at the device.
    Waiting {
        /// What for, in one sentence.
        why: String,
    },
    /// Through.
    Done {
        /// What came of it, in one sentence.
        text: String,
    },
    /// Not through, or not known.
    Failed {
        /// Why, in one sentence.
        text: String,
    },
}

/// A job, for the tray.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct JobView {
    /// Its number since the server started.
    pub id: u64,
    /// Which unit.
    pub unit: UnitId,
    /// Which run.
    pub run: RunId,
    /// Where it stands.
    pub state: JobState,
    /// Since when.
    pub since: Moment,
}

/// Jobs that are remembered.
const REMEMBERED: usize = 50;

/// All jobs since the server started.
pub struct Jobs {
    events: Arc<Events>,
    next: AtomicU64,
    all: Mutex<VecDeque<JobView>>,
    stopping: Arc<AtomicBool>,
}

/// How the beginning of a job turned out.
pub enum Begun {
    /// It is under way.
    UnderWay(JobView),
    /// It ended at once.
    Ended(StepEnd),
    /// It was not begun.
    NotBegun(EngineError),
}

impl Jobs {
    /// No jobs yet; `events` hears of them.
    #[must_use]
    pub fn new(events: Arc<Events>) -> Self {
        Self {
            events,
            next: AtomicU64::new(1),
            all: Mutex::default(),
            stopping: Arc::default(),
        }
    }

    /// Makes every job stop waiting; devices go on.
    pub fn stop(&self) {
        self.stopping.store(true, Ordering::SeqCst);
    }

    /// All remembered jobs, newest first.
    #[must_use]
    pub fn list(&self) -> Vec<JobView> {
        self.all
            .lock()
            .unwrap_or_else(PoisonError::into_inner)
            .iter()
            .rev()
            .cloned()
            .collect()
    }

    fn set(&self, job: JobView) {
        let mut all = self.all.lock().unwrap_or_else(PoisonError::into_inner);
        match all.iter_mut().find(|known| known.id == job.id) {
            Some(known) if *known == job => return,
            Some(known) => *known = job.clone(),
            None => all.push_back(job.clone()),
        }
        if all.len() > REMEMBERED {
            all.pop_front();
        }
        drop(all);
        self.events.tell(Event::Job { job });
    }

    /// Takes a step on a thread of its own. The answer comes as soon as the device is at it, or the
    /// step has ended or was refused.
    pub fn step(
        self: &Arc<Self>,
        engine: Arc<Engine>,
        unit: UnitId,
        run: RunId,
        revision: u32,
        request: RequestId,
    ) -> oneshot::Receiver<Begun> {
        let (told, answer) = oneshot::channel();
        let jobs = Arc::clone(self);
        let job = JobView {
            id: self.next.fetch_add(1, Ordering::SeqCst),
            unit,
            run,
            state: JobState::Running,
            since: SystemClock.now(),
        };
        let spawned = std::thread::Builder::new()
            .name(format!("step-{}", job.id))
            .spawn(move || {
                let watcher = JobWatcher {
                    jobs: &jobs,
                    job,
                    told: Mutex::new(Some(told)),
                };
                let end = engine.do_step(unit, run, revision, request, &watcher);
                watcher.end(end);
            });
        if let Err(error) = spawned {
            tracing::error!(%error, "no thread for a step");
        }
        answer
    }
}

struct JobWatcher<'a> {
    jobs: &'a Jobs,
    job: JobView,
    told: Mutex<Option<oneshot::Sender<Begun>>>,
}

impl JobWatcher<'_> {
    fn first(&self, begun: impl FnOnce() -> Begun) {
        if let Some(told) = self
            .told
            .lock()
            .unwrap_or_else(PoisonError::into_inner)
            .take()
        {
            // The page may have gone; the job goes on all the same.
            let _ = told.send(begun());
        }
    }

    fn end(&self, end: Result<StepEnd, EngineError>) {
        let state = match &end {
            Ok(end) => state_of(end),
            Err(error) => JobState::Failed { text: chain(error) },
        };
        let was_shown = self
            .told
            .lock()
            .unwrap_or_else(PoisonError::into_inner)
            .is_none();
        if was_shown {
            self.jobs.set(JobView {
                state,
                ..self.job.clone()
            });
        }
        self.first(|| match end {
            Ok(end) => Begun::Ended(end),
            Err(error) => Begun::NotBegun(error),
        });
    }
}

fn state_of(end: &StepEnd) -> JobState {
    let done = |text: &str| JobState::Done {
        text: text.to_owned(),
    };
    match end {
        StepEnd::DoneBefore => done("This was done before."),
        StepEnd::AsExpected => done("The device is as expected."),
        StepEnd::GoalReached => done("The goal is reached."),
        StepEnd::ByHand => done("It is for your hands now."),
        StepEnd::NotTaken { why } => JobState::Done {
            text: format!("Not taken, planned again. {why}"),
        },
        StepEnd::Otherwise { why } => JobState::Done {
            text: format!("Planned again. {why}"),
        },
        StepEnd::Refused { words } => JobState::Failed {
            text: format!("The device declined: {words}."),
        },
        StepEnd::Unknown { why } => JobState::Failed {
            text: format!("How it ended is not known: {why}. Look at the device."),
        },
    }
}

impl Watcher for JobWatcher<'_> {
    fn phase(&self, phase: &StepPhase) {
        let state = match phase {
            StepPhase::Running { .. } => JobState::Running,
            StepPhase::Asking { question, .. } => JobState::Waiting {
                why: format!("The device asks: {question}"),
            },
        };
        let job = JobView {
            state,
            ..self.job.clone()
        };
        self.jobs.set(job.clone());
        self.first(|| Begun::UnderWay(job));
    }

    fn should_stop(&self) -> bool {
        self.jobs.stopping.load(Ordering::SeqCst)
    }
}
