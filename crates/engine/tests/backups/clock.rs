//! Whoever sets the clock on the wall, forward or back, in the middle of what moves bytes or waits: what
//! came first stays first, and nothing takes longer or shorter for it.

use std::sync::Mutex;
use std::sync::atomic::Ordering;

use veritope_core::goal::Goal;
use veritope_engine::views::StepState;
use veritope_engine::{CaptureKind, Compared, StepEnd, StepPhase, Watcher};
use veritope_standin::Fault;

use super::{At, label};
use crate::support::{Bench, Lie, unlocked};

const HOUR_MS: i64 = 3_600_000;
const SET_BY_MS: [i64; 3] = [-100 * HOUR_MS, 100 * HOUR_MS, 0];

impl Bench {
    fn set_clock(&self, by_ms: i64) {
        self.time.set_by_ms.store(by_ms, Ordering::SeqCst);
    }

    /// Somebody sets the clock when the first bytes have moved.
    fn set_on_the_way(&self, by_ms: i64) -> At<'_> {
        At {
            bytes: 1,
            act: Mutex::new(Some(Box::new(move || self.set_clock(by_ms)))),
        }
    }

    fn blank_persist(&self) {
        self.arm(Fault::Blank {
            label: "persist".to_owned(),
        });
    }
}

#[test]
fn in_a_capture_and_in_a_write_it_exchanges_nothing() {
    let (bench, good, _) = Bench::kept();
    let compared = || {
        let plan = bench.engine.keeping.restore_plan(bench.unit, good).unwrap();
        let persist = plan.rows.iter().find(|row| row.label == label("persist"));
        persist.unwrap().compared
    };
    for by_ms in SET_BY_MS {
        bench.blank_persist();
        let watcher = bench.set_on_the_way(by_ms);
        let quick = CaptureKind::Quick;
        let blank = bench
            .engine
            .keeping
            .capture(bench.unit, &quick, &watcher)
            .unwrap();
        assert_eq!(compared(), Compared::Differs, "captured, set by {by_ms} ms");
        let order = bench.record().captures;
        assert_eq!(order.last().unwrap().id, blank);
        let counted: Vec<_> = order.iter().map(|one| one.taken.counted()).collect();
        assert!(counted.is_sorted(), "{counted:?}");

        bench.set_clock(0);
        let watcher = bench.set_on_the_way(by_ms);
        let persist = [label("persist")];
        bench
            .engine
            .keeping
            .restore(bench.unit, good, &persist, &watcher)
            .unwrap();
        assert_eq!(compared(), Compared::Same, "put back, set by {by_ms} ms");
        bench.set_clock(0);
    }
}

#[test]
fn in_the_middle_of_a_step_it_neither_sticks_nor_ends_it() {
    for by_ms in SET_BY_MS {
        let bench = unlocked();
        let time = bench.time.clone();
        bench.at_each_pause(move || time.set_by_ms.store(by_ms, Ordering::SeqCst));
        let run = bench.begin(Goal::TemporaryRecovery);
        while bench.step(run).unwrap() != StepEnd::GoalReached {}
        let done = bench.record().run.unwrap().done;
        assert!(done.len() >= 2);
        for step in done {
            let took_ms = step.ended.ms_since(step.began);
            assert!(
                (1..HOUR_MS.unsigned_abs()).contains(&took_ms),
                "{took_ms} ms, set by {by_ms} ms"
            );
        }
    }
}

/// Looks at the run page while a step is taken: for how long it says, what is left, and whether it is stuck.
struct Looking<'a> {
    bench: &'a Bench,
    set_by_ms: i64,
    seen: Mutex<Vec<(u64, u64, bool)>>,
}

impl Watcher for Looking<'_> {
    fn phase(&self, _: &StepPhase) {
        self.bench.set_clock(self.set_by_ms);
        let page = self.bench.engine.views.run_page(self.bench.unit).unwrap();
        let view = page.run.unwrap().step.unwrap();
        if let StepState::Running {
            elapsed_ms,
            stuck_in_ms: Some(left_ms),
        } = view.state
        {
            let bound_ms = u64::from(view.step.stuck_seconds) * 1000;
            assert!(left_ms == 0 || elapsed_ms + left_ms == bound_ms);
            let mut seen = self.seen.lock().unwrap();
            seen.push((elapsed_ms, left_ms, view.stuck.is_some()));
        }
    }

    fn should_stop(&self) -> bool {
        false
    }
}

/// The server counts how long a step takes and says when that is too long; a clock that is set does not.
#[test]
fn how_long_it_takes_is_counted_and_stuck_is_said_when_it_is() {
    for set_by_ms in SET_BY_MS {
        let bench = unlocked();
        let run = bench.begin(Goal::TemporaryRecovery);
        bench.tongue.says(Some(Lie::Hangs));
        let watcher = Looking {
            bench: &bench,
            set_by_ms,
            seen: Mutex::default(),
        };
        let request = bench.request();
        let revision = bench.revision();
        let engine = &bench.engine;
        let _ = engine
            .runs
            .do_step(bench.unit, run, revision, request, &watcher);
        let seen = watcher.seen.into_inner().unwrap();
        assert!(seen.is_sorted(), "{seen:?}");
        let is_said = |one: &&(u64, u64, bool)| (one.1 == 0) == one.2;
        assert_eq!(seen.iter().filter(is_said).count(), seen.len(), "{seen:?}");
        let stuck = seen.iter().filter(|(_, left, _)| *left == 0).count();
        assert!(stuck > 0 && stuck < seen.len(), "{seen:?}");
    }
}

#[test]
fn between_starts_of_the_bench_it_exchanges_nothing() {
    let (mut bench, good, _) = Bench::kept();
    for by_ms in SET_BY_MS {
        bench.blank_persist();
        bench.set_clock(by_ms);
        bench.restart();
        let before = bench.engine.pen.clock().now();
        bench.capture().unwrap();
        bench.set_clock(-by_ms);
        bench.restart();
        assert!(before < bench.engine.pen.clock().now());
        bench.engine.links.look(bench.unit).unwrap();
        bench.restore(good, &["persist"]).unwrap();
        let plan = bench.engine.keeping.restore_plan(bench.unit, good).unwrap();
        assert_eq!(plan.writes, [], "set by {by_ms} ms");
    }
}
