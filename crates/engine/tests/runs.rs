//! Whole runs against the stand-in in process: the story, the refusals, the mishaps.

#![expect(clippy::unwrap_used, reason = "a test fails by panicking")]

mod backups;
mod campaign;
mod erases;
mod handed;
mod inside;
mod knowing;
mod matches;
mod reads;
mod recovers;
mod relocks;
mod rescues;
mod slots;
mod support;
mod tokens;
mod truth;
mod walk;
mod wrongs;

use std::sync::{Arc, Mutex};

use support::{Bench, Impatient, Patient, by_hand, linked, watch_with};
use veritope_core::facts::FactKey;
use veritope_core::goal::Goal;
use veritope_core::mode::Lock;
use veritope_core::rule::Rule;
use veritope_core::standing::Verdict;
use veritope_engine::desk::record::{RunEnd, StepResult};
use veritope_engine::links::LinksError;
use veritope_engine::runs::{RunsError, Said};
use veritope_engine::turns::TurnError;
use veritope_engine::views::{LinkPresence, StepState};
use veritope_engine::{StepEnd, StepPhase, Watcher};
use veritope_standin::clock::ByHand;
use veritope_standin::{Bridge, Fault};
use veritope_wire::body::{BodyAct, BodyKey, CablePlace, Push};
use veritope_wire::link::ActKind;

#[test]
fn from_first_look_to_the_table_read() {
    let bench = linked();
    let standing = bench
        .engine
        .views
        .standing_view(bench.unit)
        .unwrap()
        .standing;
    assert!(
        matches!(standing.verdict, Verdict::ReadyAfter { .. }),
        "{}",
        standing.sentence
    );
    bench.prepare();
    assert_eq!(
        bench
            .engine
            .views
            .standing_view(bench.unit)
            .unwrap()
            .standing
            .verdict,
        Verdict::Ready
    );
    let run = bench.begin(Goal::ReadTable);
    assert_eq!(bench.step(run).unwrap(), StepEnd::AsExpected);
    bench.consent(run).unwrap();
    bench.will_touch("yes");
    assert_eq!(bench.step(run).unwrap(), StepEnd::AsExpected);
    bench.hands_off();
    assert_eq!(bench.step(run).unwrap(), StepEnd::AsExpected);
    assert_eq!(bench.step(run).unwrap(), StepEnd::GoalReached);
    let view = bench
        .engine
        .views
        .run_page(bench.unit)
        .unwrap()
        .run
        .unwrap();
    assert_eq!(view.ended, Some(RunEnd::Reached));
    assert_eq!(view.table.unwrap().len(), 9);
    let tag = bench.engine.views.unit_tag(bench.unit).unwrap();
    assert_eq!(
        (tag.mode.as_deref(), tag.lock.as_deref()),
        (Some("temporary recovery"), Some("unlocked"))
    );
    let log = bench.log();
    let intents = log
        .iter()
        .filter(|line| line.starts_with("About to:"))
        .count();
    let outcomes = log
        .iter()
        .filter(|line| line.starts_with("As expected."))
        .count();
    assert_eq!((intents, outcomes), (4, 4), "{log:#?}");
    assert!(
        log.iter()
            .any(|line| line == "The owner's data was erased.")
    );
}

#[test]
fn a_run_does_not_begin_while_preparations_are_open() {
    let bench = linked();
    let error = bench
        .engine
        .runs
        .begin_run(bench.unit, Goal::Unlock, bench.request())
        .unwrap_err();
    let RunsError::Turn(TurnError::Closed {
        rule: Rule::G1,
        missing,
    }) = error
    else {
        panic!("{error}")
    };
    let rules: Vec<_> = missing.iter().map(|item| item.rule).collect();
    assert_eq!(rules, [Rule::U6, Rule::U6, Rule::U9]);
    assert!(
        bench
            .log()
            .last()
            .unwrap()
            .starts_with("The seal refused: begin: unlock")
    );
}

#[test]
fn unlocking_before_consent_is_refused_and_nothing_is_sent() {
    let bench = linked();
    bench.prepare();
    let run = bench.begin(Goal::Unlock);
    bench.step(run).unwrap();
    let events = bench
        .bridge
        .with("dock-1", |d| Ok(d.events(0).len()))
        .unwrap();
    let error = bench.step(run).unwrap_err();
    assert!(
        matches!(&error, RunsError::Turn(TurnError::Closed { rule: Rule::G1, missing }) if missing[0].rule == Rule::U11),
        "{error}"
    );
    assert_eq!(
        bench
            .bridge
            .with("dock-1", |d| Ok(d.events(0).len()))
            .unwrap(),
        events
    );
    let wrong = bench.engine.runs.consent(
        bench.unit,
        run,
        bench.revision(),
        "sanderling",
        bench.request(),
    );
    assert!(matches!(wrong, Err(RunsError::WrongName { .. })));
}

#[test]
fn no_on_the_device_is_a_refusal_and_the_step_can_be_taken_again() {
    let bench = linked();
    bench.prepare();
    let run = bench.begin(Goal::Unlock);
    bench.step(run).unwrap();
    bench.consent(run).unwrap();
    bench.will_touch("no");
    assert!(matches!(bench.step(run).unwrap(), StepEnd::Refused { .. }));
    assert_eq!(
        bench
            .engine
            .views
            .unit_tag(bench.unit)
            .unwrap()
            .lock
            .as_deref(),
        Some("locked")
    );
    bench.will_touch("yes");
    assert_eq!(bench.step(run).unwrap(), StepEnd::AsExpected);
    bench.hands_off();
    assert_eq!(
        bench.step(run).unwrap(),
        StepEnd::GoalReached,
        "the system was started once"
    );
}

#[test]
fn a_device_that_went_elsewhere_is_noticed_before_the_step() {
    let bench = linked();
    bench.prepare();
    let run = bench.begin(Goal::Unlock);
    bench.step(run).unwrap();
    bench.consent(run).unwrap();
    bench.body(&BodyAct::Touch {
        button: "start".to_owned(),
    });
    bench.pass(30);
    let StepEnd::NotTaken { why } = bench.step(run).unwrap() else {
        panic!()
    };
    assert_eq!(why, "Expected: bootloader mode. Seen: running system.");
    let view = bench
        .engine
        .views
        .run_page(bench.unit)
        .unwrap()
        .run
        .unwrap();
    assert_eq!(view.sheet.steps[0].title, "Restart into bootloader mode");
    assert_eq!(view.diverged.as_deref(), Some(why.as_str()));
}

#[test]
fn the_same_request_is_carried_out_once() {
    let bench = linked();
    bench.prepare();
    let run = bench.begin(Goal::Unlock);
    let (revision, request) = (bench.revision(), bench.request());
    let first = bench
        .engine
        .runs
        .do_step(bench.unit, run, revision, request, &Patient)
        .unwrap();
    let lines = bench.log().len();
    let again = bench
        .engine
        .runs
        .do_step(bench.unit, run, revision, request, &Patient)
        .unwrap();
    assert_eq!((first, again), (StepEnd::AsExpected, StepEnd::DoneBefore));
    assert_eq!(bench.log().len(), lines);
    let stale = bench
        .engine
        .runs
        .do_step(bench.unit, run, revision, bench.request(), &Patient);
    assert!(matches!(stale, Err(RunsError::StaleRevision { .. })));
}

#[test]
fn another_unit_under_the_same_handle_is_not_recorded() {
    let mut bench = linked();
    bench.bridge = Bridge::new(
        "table",
        "t",
        [watch_with("9a:77:01:5c:20:ff", Arc::new(ByHand::default()))],
    );
    bench.restart();
    let lines = bench.log().len();
    let error = bench.engine.links.look(bench.unit).unwrap_err();
    assert!(matches!(error, LinksError::AnotherUnit { .. }), "{error}");
    assert_eq!(bench.log().len(), lines);
    let tag = bench.engine.views.unit_tag(bench.unit).unwrap();
    assert_eq!(tag.link.presence, LinkPresence::AnotherUnit);
}

#[test]
fn a_restart_cut_off_by_a_killed_process_stands_at_the_truth_afterwards() {
    let mut bench = linked();
    bench.prepare();
    let run = bench.begin(Goal::Unlock);
    let end = bench
        .engine
        .runs
        .do_step(
            bench.unit,
            run,
            bench.revision(),
            bench.request(),
            &Impatient,
        )
        .unwrap();
    assert!(matches!(end, StepEnd::Unknown { .. }));
    bench.restart();
    bench.engine.watch();
    let step = bench
        .engine
        .views
        .run_page(bench.unit)
        .unwrap()
        .run
        .unwrap()
        .step
        .unwrap();
    assert!(
        matches!(step.state, StepState::Unknown),
        "the device is still on its way"
    );
    let blind = bench.step(run).unwrap_err();
    assert!(matches!(blind, RunsError::LookFirst), "{blind}");
    bench.pass(10);
    bench.engine.watch();
    let view = bench
        .engine
        .views
        .run_page(bench.unit)
        .unwrap()
        .run
        .unwrap();
    assert_eq!(view.done[0].result, StepResult::AsExpected);
    assert_eq!(view.step.unwrap().step.title, "Unlock the bootloader");
}

#[test]
fn an_unlock_cut_off_while_the_device_asks_stays_unknown_until_somebody_looks() {
    let mut bench = linked();
    bench.prepare();
    let run = bench.begin(Goal::Unlock);
    bench.step(run).unwrap();
    bench.consent(run).unwrap();
    bench
        .engine
        .runs
        .do_step(
            bench.unit,
            run,
            bench.revision(),
            bench.request(),
            &Impatient,
        )
        .unwrap();
    bench.restart();
    bench.engine.watch();
    let step = bench
        .engine
        .views
        .run_page(bench.unit)
        .unwrap()
        .run
        .unwrap()
        .step
        .unwrap();
    assert!(matches!(step.state, StepState::Unknown));
    // The owner says yes while nobody watches; the bench finds out by itself.
    bench.body(&BodyAct::Touch {
        button: "yes".to_owned(),
    });
    bench.pass(40);
    bench.engine.watch();
    let view = bench
        .engine
        .views
        .run_page(bench.unit)
        .unwrap()
        .run
        .unwrap();
    assert_eq!(view.done[1].result, StepResult::AsExpected);
    assert_eq!(
        bench
            .engine
            .views
            .unit_tag(bench.unit)
            .unwrap()
            .lock
            .as_deref(),
        Some("unlocked")
    );
}

#[test]
fn looking_tells_that_an_unlock_has_not_come_about() {
    let mut bench = linked();
    bench.prepare();
    let run = bench.begin(Goal::Unlock);
    bench.step(run).unwrap();
    bench.consent(run).unwrap();
    bench
        .engine
        .runs
        .do_step(
            bench.unit,
            run,
            bench.revision(),
            bench.request(),
            &Impatient,
        )
        .unwrap();
    bench.restart();
    bench.body(&BodyAct::Touch {
        button: "no".to_owned(),
    });
    bench.engine.runs.look_at_step(bench.unit).unwrap();
    let view = bench
        .engine
        .views
        .run_page(bench.unit)
        .unwrap()
        .run
        .unwrap();
    assert_eq!(view.done[1].result, StepResult::Otherwise);
    assert!(matches!(view.step.unwrap().state, StepState::Ready));
}

#[test]
fn a_cable_out_in_a_step_is_unknown_and_settles_when_it_is_back() {
    let bench = linked();
    bench.prepare();
    let run = bench.begin(Goal::Unlock);
    bench
        .bridge
        .with("dock-1", |d| {
            d.arm(Fault::CableOutOnAct {
                act: ActKind::Restart,
            })
            .unwrap();
            Ok(())
        })
        .unwrap();
    let end = bench.step(run).unwrap();
    assert_eq!(
        end,
        StepEnd::Unknown {
            why: "the unit went away".to_owned()
        }
    );
    assert_eq!(
        bench.engine.views.unit_tag(bench.unit).unwrap().mode,
        None,
        "a mode is void when nobody sees it"
    );
    bench.body(&BodyAct::Cable { to: CablePlace::In });
    bench.engine.watch();
    let view = bench
        .engine
        .views
        .run_page(bench.unit)
        .unwrap()
        .run
        .unwrap();
    assert_eq!(view.done[0].result, StepResult::AsExpected);
}

#[test]
fn by_hand_the_person_is_the_source_and_the_seal_withholds_the_how() {
    let bench = by_hand();
    bench.say(&[
        (FactKey::Lock, "locked"),
        (FactKey::Mode, "system"),
        (FactKey::Battery, "70"),
    ]);
    bench.prepare();
    // What no link reads, hands dump (B12).
    let reads = bench
        .engine
        .runs
        .preview(bench.unit, Goal::ReadTable)
        .unwrap();
    assert!(reads.why_not.is_empty());
    let run = bench.begin(Goal::TemporaryRecovery);
    let step = || {
        bench
            .engine
            .views
            .run_page(bench.unit)
            .unwrap()
            .run
            .unwrap()
            .step
            .unwrap()
    };
    let seen = |what: &str| {
        bench
            .engine
            .runs
            .say_seen(
                bench.unit,
                run,
                bench.revision(),
                what.into(),
                bench.request(),
            )
            .unwrap()
    };
    let mut titles = Vec::new();
    while titles.len() < 9 {
        titles.push(step().step.title);
        if step().consent_wanted {
            assert_eq!(step().step.by_hand, "", "not how, before consent");
            assert!(matches!(
                bench.step(run),
                Err(RunsError::Turn(TurnError::Closed { .. }))
            ));
            bench.consent(run).unwrap();
        }
        assert_eq!(bench.step(run).unwrap(), StepEnd::ByHand);
        assert_ne!(step().step.by_hand, "");
        let expected = step().sightings[0].id.clone();
        if seen(&expected) == StepEnd::GoalReached {
            break;
        }
    }
    assert_eq!(
        titles,
        [
            "Let this computer command it",
            "Restart into bootloader mode",
            "Unlock the bootloader",
            "Start the recovery from memory"
        ]
    );
}

#[test]
fn by_hand_something_else_is_planned_around() {
    let bench = by_hand();
    bench.say(&[(FactKey::Lock, "unlocked"), (FactKey::Mode, "bootloader")]);
    let run = bench.begin(Goal::TemporaryRecovery);
    bench.step(run).unwrap();
    let say = |words: Option<&str>| {
        let said = Said {
            sighting: "something-else",
            words,
        };
        let runs = &bench.engine.runs;
        runs.say_seen(bench.unit, run, bench.revision(), said, bench.request())
    };
    // What nobody describes leads nowhere; nothing is written down of it.
    let lines = bench.log().len();
    assert!(matches!(say(Some("  ")), Err(RunsError::BadInput(_))));
    assert!(matches!(
        say(Some(&"a".repeat(301))),
        Err(RunsError::BadInput(_))
    ));
    assert_eq!(bench.log().len(), lines);
    let end = say(Some("A red  triangle\nand a number.")).unwrap();
    assert!(matches!(end, StepEnd::Otherwise { .. }));
    let page = bench.engine.views.run_page(bench.unit).unwrap();
    let run = page.run.unwrap();
    let why = run.diverged.unwrap();
    assert_eq!(why, "Seen instead: A red triangle and a number.");
    let rules: Vec<_> = run.causes.iter().map(|cause| cause.rule).collect();
    assert_eq!(rules, [Rule::T15, Rule::T21], "{:#?}", run.causes);
    let step = run.step.unwrap();
    assert_eq!(step.step.title, "Look which mode it is in");
    assert_eq!(step.state, StepState::Ready, "not the same list again");
}

/// `K5`, `L3`: what hands had begun when the run was stopped may have been done.
#[test]
fn a_run_stopped_over_what_hands_began_leaves_that_in_doubt() {
    let bench = by_hand();
    bench.say(&[
        (FactKey::Lock, "locked"),
        (FactKey::Mode, "system"),
        (FactKey::Battery, "70"),
    ]);
    bench.prepare();
    let lock = || bench.record().known().lock();
    let to_the_lock = || {
        let run = bench.begin(Goal::TemporaryRecovery);
        loop {
            let page = bench.engine.views.run_page(bench.unit).unwrap();
            let step = page.run.unwrap().step.unwrap();
            if step.step.title == "Unlock the bootloader" {
                return run;
            }
            assert_eq!(bench.step(run).unwrap(), StepEnd::ByHand);
            let said = step.sightings[0].id.as_str().into();
            let runs = &bench.engine.runs;
            runs.say_seen(bench.unit, run, bench.revision(), said, bench.request())
                .unwrap();
        }
    };
    to_the_lock();
    bench.stop_what_is_open();
    assert_eq!(lock(), Some(Lock::Locked), "nothing was begun");
    let run = to_the_lock();
    bench.consent(run).unwrap();
    assert_eq!(bench.step(run).unwrap(), StepEnd::ByHand);
    bench.stop_what_is_open();
    assert_eq!(lock(), None, "unlocked or not, nobody said");
    let stopped = bench.record().run.unwrap();
    let result = stopped.done.last().map(|step| step.result);
    assert_eq!(result, Some(StepResult::NotKnown));
}

#[test]
fn a_forced_restart_in_the_middle_is_seen_by_the_watch() {
    let bench = linked();
    bench.engine.watch();
    let push = |key, to| bench.body(&BodyAct::Key { key, to });
    push(BodyKey::Screen, Push::Down);
    push(BodyKey::DockButton, Push::Down);
    bench.pass(15);
    push(BodyKey::DockButton, Push::Up);
    bench.engine.watch();
    assert_eq!(
        bench
            .engine
            .views
            .unit_tag(bench.unit)
            .unwrap()
            .link
            .presence,
        LinkPresence::Absent
    );
    bench.pass(14);
    bench.engine.watch();
    let tag = bench.engine.views.unit_tag(bench.unit).unwrap();
    assert_eq!(
        (tag.link.presence, tag.mode.as_deref()),
        (LinkPresence::Ready, Some("bootloader mode"))
    );
}

/// Lifts the watch when it asks, and puts it back when the bench says that it is gone.
struct Lifting<'a> {
    bench: &'a Bench,
    seen: Mutex<Vec<LinkPresence>>,
}

impl Watcher for Lifting<'_> {
    fn phase(&self, phase: &StepPhase) {
        if !matches!(phase, StepPhase::Asking { .. }) {
            return;
        }
        let mut seen = self.seen.lock().unwrap();
        let tag = self.bench.engine.views.unit_tag(self.bench.unit).unwrap();
        if seen.last() == Some(&tag.link.presence) {
            return;
        }
        seen.push(tag.link.presence);
        if tag.link.presence == LinkPresence::Ready && seen.len() == 1 {
            self.bench.lift();
        } else {
            self.bench.put_back();
            self.bench.will_touch("yes");
        }
    }

    fn should_stop(&self) -> bool {
        false
    }
}

#[test]
fn a_cable_pulled_while_the_device_asks_is_said_at_once() {
    let bench = linked();
    bench.prepare();
    let run = bench.begin(Goal::Unlock);
    bench.step(run).unwrap();
    bench.consent(run).unwrap();
    let watcher = Lifting {
        bench: &bench,
        seen: Mutex::default(),
    };
    let end = bench
        .engine
        .runs
        .do_step(bench.unit, run, bench.revision(), bench.request(), &watcher)
        .unwrap();
    assert_eq!(end, StepEnd::AsExpected);
    let seen = watcher.seen.into_inner().unwrap();
    assert_eq!(seen[..2], [LinkPresence::Ready, LinkPresence::Absent]);
    assert_eq!(bench.record().known().lock(), Some(Lock::Unlocked));
}

#[test]
fn watching_an_idle_unit_writes_nothing() {
    let bench = linked();
    bench.engine.watch();
    let lines = bench.log().len();
    for _ in 0..5 {
        bench.engine.watch();
    }
    assert_eq!(bench.log().len(), lines);
}
