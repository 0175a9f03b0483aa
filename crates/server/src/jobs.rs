//! Work under way: steps of runs, captures, copies, restores. Each has a thread of its own; the engine sees to it that a unit has one at a
//! time. A job lives in memory only: what it did is in the log, what it was about to do is there
//! too, as an intent, and the engine settles that after a restart.

use std::collections::VecDeque;
use std::sync::atomic::{AtomicBool, AtomicU32, AtomicU64, Ordering};
use std::sync::{Arc, Mutex, PoisonError, TryLockError};
use std::time::{Duration, Instant};

use tokio::sync::oneshot;
use veritope_core::permission::sentence;
use veritope_engine::keeping::KeepingError;
use veritope_engine::runs::RunsError;
use veritope_engine::{Engine, LibraryError, Moving, StepEnd, StepPhase, Watcher};
use veritope_wire::{RequestId, RunId, UnitId};

use crate::error::chain;
use crate::events::{Event, Events};
pub use crate::job::{JobProgress, JobState, JobView};

/// Jobs that are remembered.
const REMEMBERED: usize = 50;

/// All jobs since the server started.
pub struct Jobs {
    events: Arc<Events>,
    next: AtomicU64,
    all: Mutex<VecDeque<Known>>,
    stopping: Arc<AtomicBool>,
    /// One job at a time computes; whoever holds this does.
    heavy: Mutex<()>,
    /// How many wait for that.
    waiting: AtomicU32,
}

/// A remembered job.
struct Known {
    view: JobView,
    request: Option<RequestId>,
    cancel: Arc<AtomicBool>,
}

/// Least time between two events of a job's progress.
const PROGRESS_EVERY: Duration = Duration::from_millis(200);

/// How the beginning of a job turned out.
pub enum Begun {
    /// It is under way.
    UnderWay(JobView),
    /// It ended at once.
    Ended(StepEnd),
    /// It was not begun.
    NotBegun(RunsError),
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
            heavy: Mutex::default(),
            waiting: AtomicU32::new(0),
        }
    }

    /// Stops a job; what it moved stays. Gives whether there is one to stop.
    pub fn cancel(&self, id: u64) -> bool {
        let all = self.all.lock().unwrap_or_else(PoisonError::into_inner);
        let known = all.iter().find(|known| known.view.id == id);
        if let Some(known) = known {
            known.cancel.store(true, Ordering::SeqCst);
        }
        known.is_some()
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
            .map(|known| known.view.clone())
            .collect()
    }

    fn set(&self, job: JobView, request: Option<RequestId>, cancel: &Arc<AtomicBool>) {
        let mut all = self.all.lock().unwrap_or_else(PoisonError::into_inner);
        match all.iter_mut().find(|known| known.view.id == job.id) {
            Some(known) if known.view == job => return,
            Some(known) => known.view = job.clone(),
            None => all.push_back(Known {
                view: job.clone(),
                request,
                cancel: Arc::clone(cancel),
            }),
        }
        // The oldest that has ended goes; whatever is under way stays, however many there are.
        if all.len() > REMEMBERED
            && let Some(at) = all.iter().position(|known| known.view.state.has_ended())
        {
            all.remove(at);
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
        // The engine itself carries a step out once a request.
        self.spawn(Some(unit), Some(run), "a step", None, move |watcher| {
            engine
                .runs
                .do_step(unit, run, revision, request, watcher)
                .map(Ended::Step)
        })
    }

    /// Moves bytes on a thread of its own; one such job at a time, others wait and say why. The
    /// answer comes as soon as bytes move or it waits, or it has ended or was refused. The same
    /// request again gives the job that it began.
    pub fn move_bytes(
        self: &Arc<Self>,
        unit: Option<UnitId>,
        what: &str,
        request: Option<RequestId>,
        work: impl FnOnce(&dyn Watcher) -> Result<String, RunsError> + Send + 'static,
    ) -> oneshot::Receiver<Begun> {
        let known = self
            .all
            .lock()
            .unwrap_or_else(PoisonError::into_inner)
            .iter()
            .find(|known| request.is_some() && known.request == request)
            .map(|known| known.view.clone());
        if let Some(job) = known {
            let (told, answer) = oneshot::channel();
            // The receiver is right here.
            let _ = told.send(Begun::UnderWay(job));
            return answer;
        }
        let jobs = Arc::clone(self);
        self.spawn(unit, None, what, request, move |watcher| {
            let _turn = match jobs.heavy.try_lock() {
                Ok(turn) => turn,
                Err(TryLockError::Poisoned(poisoned)) => poisoned.into_inner(),
                Err(TryLockError::WouldBlock) => {
                    watcher.waits("Another capture, copy or restore is being computed.");
                    jobs.waiting.fetch_add(1, Ordering::SeqCst);
                    let turn = jobs.heavy.lock().unwrap_or_else(PoisonError::into_inner);
                    jobs.waiting.fetch_sub(1, Ordering::SeqCst);
                    turn
                }
            };
            work(watcher).map(Ended::Bytes)
        })
    }

    /// Does work that nobody waits for, where nothing else moves bytes, and slowly; it ends as soon as anything else wants
    /// to.
    pub fn when_idle(
        self: &Arc<Self>,
        unit: UnitId,
        what: &str,
        work: impl FnOnce(&dyn Watcher) -> Result<String, RunsError> + Send + 'static,
    ) {
        let jobs = Arc::clone(self);
        drop(self.spawn(Some(unit), None, what, None, move |watcher| {
            let Ok(_turn) = jobs.heavy.try_lock() else {
                return Err(KeepingError::Stopped.into());
            };
            work(&GivesWay {
                watcher,
                gave_way: AtomicBool::new(false),
            })
            .map(Ended::Bytes)
        }));
    }

    fn spawn(
        self: &Arc<Self>,
        unit: Option<UnitId>,
        run: Option<RunId>,
        what: &str,
        request: Option<RequestId>,
        work: impl FnOnce(&JobWatcher<'_>) -> Result<Ended, RunsError> + Send + 'static,
    ) -> oneshot::Receiver<Begun> {
        let (told, answer) = oneshot::channel();
        let jobs = Arc::clone(self);
        let job = JobView {
            id: self.next.fetch_add(1, Ordering::SeqCst),
            unit,
            run,
            what: what.to_owned(),
            cancel: JobState::Running.may_cancel(),
            state: JobState::Running,
            progress: None,
        };
        let spawned = std::thread::Builder::new()
            .name(format!("job-{}", job.id))
            .spawn(move || {
                let watcher = JobWatcher {
                    jobs: &jobs,
                    job: Mutex::new(job),
                    request,
                    cancel: Arc::default(),
                    begun: Instant::now(),
                    last: Mutex::new(None),
                    told: Mutex::new(Some(told)),
                };
                let end = work(&watcher);
                watcher.end(end);
            });
        if let Err(error) = spawned {
            tracing::error!(%error, "no thread for a job");
        }
        answer
    }
}

/// How a job's work ended.
enum Ended {
    Step(StepEnd),
    Bytes(String),
}

struct JobWatcher<'a> {
    jobs: &'a Jobs,
    job: Mutex<JobView>,
    request: Option<RequestId>,
    cancel: Arc<AtomicBool>,
    begun: Instant,
    last: Mutex<Option<Instant>>,
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

    /// Changes the job as it is shown, and answers whoever began it.
    fn show(&self, change: impl FnOnce(&mut JobView)) {
        let mut job = self.job.lock().unwrap_or_else(PoisonError::into_inner);
        change(&mut job);
        job.cancel = job.state.may_cancel();
        let job = job.clone();
        self.jobs.set(job.clone(), self.request, &self.cancel);
        self.first(|| Begun::UnderWay(job));
    }

    fn waits(&self, why: &str) {
        self.show(|job| {
            job.state = JobState::Waiting {
                why: why.to_owned(),
            };
        });
    }

    fn end(&self, end: Result<Ended, RunsError>) {
        let state = match &end {
            Ok(Ended::Step(end)) => state_of(end),
            Ok(Ended::Bytes(text)) => JobState::Done { text: text.clone() },
            Err(
                error @ (RunsError::Keeping(KeepingError::Stopped)
                | RunsError::Library(LibraryError::Stopped)),
            ) => JobState::Cancelled {
                text: sentence(&error.to_string()),
            },
            Err(error) => JobState::Failed {
                text: sentence(&chain(error)),
            },
        };
        let was_shown = self
            .told
            .lock()
            .unwrap_or_else(PoisonError::into_inner)
            .is_none();
        let is_through = matches!(end, Ok(Ended::Bytes(_)));
        if was_shown || is_through {
            let mut job = self.job.lock().unwrap_or_else(PoisonError::into_inner);
            job.cancel = state.may_cancel();
            job.state = state;
            self.jobs.set(job.clone(), self.request, &self.cancel);
        }
        let job = self
            .job
            .lock()
            .unwrap_or_else(PoisonError::into_inner)
            .clone();
        self.first(|| match end {
            Ok(Ended::Step(end)) => Begun::Ended(end),
            Ok(Ended::Bytes(_)) => Begun::UnderWay(job),
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
        StepEnd::AsExpected => done("The unit is as expected."),
        StepEnd::GoalReached => done("The goal is reached."),
        StepEnd::ByHand => done("It is for your hands now."),
        StepEnd::NotTaken { why } => JobState::Done {
            text: format!("Not taken, planned again. {why}"),
        },
        StepEnd::Otherwise { why } => JobState::Done {
            text: format!("Planned again. {why}"),
        },
        StepEnd::Refused { words } => JobState::Failed {
            text: format!("The unit declined: {words}."),
        },
        StepEnd::Unknown { why } => JobState::Failed {
            text: format!("How it ended is not known: {why}. Look at the unit."),
        },
    }
}

impl Watcher for JobWatcher<'_> {
    fn phase(&self, phase: &StepPhase) {
        let state = match phase {
            StepPhase::Running { .. } => JobState::Running,
            StepPhase::Asking { question, .. } => JobState::Waiting {
                why: format!("The unit asks: {question}"),
            },
        };
        self.show(|job| job.state = state);
    }

    fn should_stop(&self) -> bool {
        self.jobs.stopping.load(Ordering::SeqCst) || self.cancel.load(Ordering::SeqCst)
    }

    fn is_cancelled(&self) -> bool {
        self.cancel.load(Ordering::SeqCst)
    }

    fn moving(&self, moving: &Moving) {
        let mut last = self.last.lock().unwrap_or_else(PoisonError::into_inner);
        let is_new = {
            let job = self.job.lock().unwrap_or_else(PoisonError::into_inner);
            job.progress.as_ref().map(|known| known.what.as_str()) != Some(moving.what.as_str())
        };
        if !is_new && last.is_some_and(|last| last.elapsed() < PROGRESS_EVERY) {
            return;
        }
        *last = Some(Instant::now());
        drop(last);
        let milliseconds = u64::try_from(self.begun.elapsed().as_millis()).unwrap_or(u64::MAX);
        let rate = moving
            .done_bytes
            .saturating_mul(1000)
            .checked_div(milliseconds)
            .unwrap_or(0);
        let left = moving.total_bytes.saturating_sub(moving.done_bytes);
        self.show(|job| {
            job.state = JobState::Running;
            job.progress = Some(JobProgress {
                what: moving.what.clone(),
                done_bytes: moving.done_bytes,
                total_bytes: moving.total_bytes,
                permille: (moving
                    .done_bytes
                    .min(moving.total_bytes)
                    .saturating_mul(1000))
                .checked_div(moving.total_bytes)
                .unwrap_or(1000),
                bytes_per_second: rate,
                seconds_left: left.checked_div(rate),
            });
        });
    }
}

/// Watches work that gives way to any other.
struct GivesWay<'a, 'j> {
    watcher: &'a JobWatcher<'j>,
    /// Once it did, it does: whoever asks a second time hears the same.
    gave_way: AtomicBool,
}

/// Rest after each piece of work that nobody waits for.
const REST: Duration = Duration::from_millis(40);

impl Watcher for GivesWay<'_, '_> {
    fn phase(&self, phase: &StepPhase) {
        self.watcher.phase(phase);
    }

    fn should_stop(&self) -> bool {
        if self.watcher.jobs.waiting.load(Ordering::SeqCst) > 0 {
            self.gave_way.store(true, Ordering::SeqCst);
        }
        self.gave_way.load(Ordering::SeqCst) || self.watcher.should_stop()
    }

    fn is_cancelled(&self) -> bool {
        self.watcher.is_cancelled()
    }

    fn moving(&self, moving: &Moving) {
        std::thread::sleep(REST);
        self.watcher.moving(moving);
    }
}

#[cfg(test)]
mod tests {
    use veritope_engine::turns::TurnError;

    use std::sync::mpsc;

    use super::*;

    fn unit() -> UnitId {
        UnitId::new(uuid::Uuid::from_u128(1))
    }

    fn request(n: u128) -> Option<RequestId> {
        Some(RequestId::new(uuid::Uuid::from_u128(n)))
    }

    fn moving(done_bytes: u64) -> Moving {
        Moving {
            what: "reading".to_owned(),
            done_bytes,
            total_bytes: 100,
        }
    }

    /// The job's state once it is no longer under way.
    fn end_of(jobs: &Arc<Jobs>, id: u64) -> JobView {
        let until = Instant::now() + Duration::from_secs(10);
        loop {
            let job = jobs.list().into_iter().find(|job| job.id == id).unwrap();
            if !matches!(job.state, JobState::Running | JobState::Waiting { .. }) {
                return job;
            }
            assert!(Instant::now() < until, "{job:?}");
            std::thread::yield_now();
        }
    }

    fn under_way(answer: oneshot::Receiver<Begun>) -> JobView {
        match answer.blocking_recv().unwrap() {
            Begun::UnderWay(job) => job,
            Begun::Ended(_) | Begun::NotBegun(_) => panic!("it is not under way"),
        }
    }

    /// Work that moves a byte, then waits until it is let go.
    fn held(
        go: mpsc::Receiver<()>,
    ) -> impl FnOnce(&dyn Watcher) -> Result<String, RunsError> + Send + 'static {
        move |watcher| {
            watcher.moving(&moving(1));
            go.recv().unwrap();
            if watcher.should_stop() {
                return Err(KeepingError::Stopped.into());
            }
            Ok("through".to_owned())
        }
    }

    #[test]
    fn one_job_moves_bytes_and_the_next_says_why_it_waits() {
        let jobs = Arc::new(Jobs::new(Arc::default()));
        let (go, wait) = mpsc::channel();
        let first = under_way(jobs.move_bytes(Some(unit()), "capture", request(1), held(wait)));
        let second = under_way(jobs.move_bytes(Some(unit()), "copy", request(2), |_| {
            Ok("copied".to_owned())
        }));
        assert!(matches!(second.state, JobState::Waiting { ref why } if why.contains("Another")));
        go.send(()).unwrap();
        let done = |text: &str| JobState::Done {
            text: text.to_owned(),
        };
        assert_eq!(end_of(&jobs, first.id).state, done("through"));
        assert_eq!(end_of(&jobs, second.id).state, done("copied"));
    }

    #[test]
    fn what_nobody_waits_for_ends_as_soon_as_anything_else_wants_to() {
        let jobs = Arc::new(Jobs::new(Arc::default()));
        let (begun, begins) = mpsc::channel();
        jobs.when_idle(unit(), "reading a copy back", move |watcher| {
            watcher.moving(&moving(1));
            begun.send(()).unwrap();
            while !watcher.should_stop() {
                std::thread::yield_now();
            }
            // The other one may be through by now: it gave way all the same.
            assert!(watcher.should_stop());
            Err(KeepingError::Stopped.into())
        });
        begins.recv().unwrap();
        let other = under_way(jobs.move_bytes(Some(unit()), "copy", request(2), |_| {
            Ok("copied".to_owned())
        }));
        let done = JobState::Done {
            text: "copied".to_owned(),
        };
        assert_eq!(end_of(&jobs, other.id).state, done);
        let first = jobs.list().into_iter().find(|job| job.id != other.id);
        let end = end_of(&jobs, first.unwrap().id).state;
        assert!(matches!(end, JobState::Cancelled { .. }), "{end:?}");
        // While anything moves bytes it does not begin, and nobody hears of it.
        let (go, wait) = mpsc::channel();
        let held = under_way(jobs.move_bytes(Some(unit()), "capture", request(3), held(wait)));
        let before = jobs.list().len();
        let (asked, asks) = mpsc::channel::<()>();
        jobs.when_idle(unit(), "reading a copy back", move |_| {
            asked.send(()).unwrap();
            Ok("read".to_owned())
        });
        assert!(asks.recv().is_err(), "it was dropped unasked");
        assert_eq!(jobs.list().len(), before);
        go.send(()).unwrap();
        end_of(&jobs, held.id);
    }

    #[test]
    fn a_job_that_is_stopped_says_what_stays() {
        let jobs = Arc::new(Jobs::new(Arc::default()));
        let (go, wait) = mpsc::channel();
        let job = under_way(jobs.move_bytes(Some(unit()), "capture", request(1), held(wait)));
        assert!(jobs.cancel(job.id));
        assert!(!jobs.cancel(job.id + 1), "there is no such job");
        go.send(()).unwrap();
        let JobState::Cancelled { text } = end_of(&jobs, job.id).state else {
            panic!("not cancelled");
        };
        assert!(text.contains("what was read stays"), "{text}");
    }

    #[test]
    fn the_same_request_gives_the_job_that_it_began() {
        let jobs = Arc::new(Jobs::new(Arc::default()));
        let work = |_: &dyn Watcher| Ok("done".to_owned());
        let first = under_way(jobs.move_bytes(Some(unit()), "capture", request(1), work));
        end_of(&jobs, first.id);
        let again = under_way(jobs.move_bytes(Some(unit()), "capture", request(1), work));
        assert_eq!(again.id, first.id);
        let other = under_way(jobs.move_bytes(Some(unit()), "capture", request(2), work));
        assert_ne!(other.id, first.id);
        assert_eq!(jobs.list().len(), 2);
    }

    #[test]
    fn a_job_under_way_is_never_forgotten_and_its_end_is_told() {
        let jobs = Arc::new(Jobs::new(Arc::default()));
        let (go, wait) = mpsc::channel();
        let first = under_way(jobs.move_bytes(Some(unit()), "capture", request(1), held(wait)));
        // More steps come and go than are remembered; steps take no turn.
        for n in 0..2 * REMEMBERED as u64 {
            let job = JobView {
                id: 1000 + n,
                state: JobState::Done {
                    text: "done".to_owned(),
                },
                ..first.clone()
            };
            jobs.set(job, None, &Arc::default());
        }
        assert_eq!(jobs.list().len(), REMEMBERED);
        assert!(jobs.cancel(first.id), "it can still be stopped");
        go.send(()).unwrap();
        assert!(matches!(
            end_of(&jobs, first.id).state,
            JobState::Cancelled { .. }
        ));
    }

    #[test]
    fn what_is_refused_at_once_is_no_job() {
        let jobs = Arc::new(Jobs::new(Arc::default()));
        let answer = jobs.move_bytes(Some(unit()), "capture", request(1), |_| {
            Err(TurnError::Busy.into())
        });
        assert!(matches!(
            answer.blocking_recv().unwrap(),
            Begun::NotBegun(RunsError::Turn(TurnError::Busy))
        ));
        assert_eq!(jobs.list(), []);
    }

    #[test]
    fn progress_carries_rate_and_time_left_and_comes_at_most_five_times_a_second() {
        let events = Arc::new(Events::default());
        let jobs = Arc::new(Jobs::new(Arc::clone(&events)));
        let job = under_way(
            jobs.move_bytes(Some(unit()), "capture", request(1), |watcher| {
                (0..=100).for_each(|n| watcher.moving(&moving(n)));
                Ok("done".to_owned())
            }),
        );
        let ended = end_of(&jobs, job.id);
        let progress = ended.progress.unwrap();
        assert_eq!(
            (progress.total_bytes, progress.what.as_str()),
            (100, "reading")
        );
        let told = events.after(Some(0)).0.len();
        assert!(
            told <= 4,
            "{told} events for a hundred movements in no time"
        );
    }
}
