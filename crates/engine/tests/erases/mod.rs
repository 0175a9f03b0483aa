//! Erasing the owner's data, and what between program and unit holds an act back that can't be undone.

use std::fs;

use veritope_core::facts::{FactKey, Happening};
use veritope_core::goal::Goal;
use veritope_core::rule::Rule;
use veritope_engine::StepEnd;
use veritope_engine::runs::RunsError;
use veritope_engine::turns::TurnError;
use veritope_engine::views::StepState;
use veritope_standin::{Fault, LockState, Running};
use veritope_wire::link::ActKind;

use crate::support::{Bench, Impatient, linked, unlocked};

impl Bench {
    fn wipes(&self) -> u32 {
        self.bridge.with("dock-1", |d| Ok(d.wipes())).unwrap()
    }

    fn where_it_is(&self) -> (LockState, Running) {
        self.bridge.with("dock-1", |d| Ok(d.truth())).unwrap()
    }

    fn says_of_supply(&self, kind: &str, online: &str) {
        let folder = self.folder.path().join("supplies").join(kind);
        fs::create_dir_all(&folder).unwrap();
        fs::write(folder.join("type"), format!("{kind}\n")).unwrap();
        fs::write(folder.join("online"), format!("{online}\n")).unwrap();
    }
}

fn refused(error: RunsError) -> (Rule, Vec<(Rule, String)>) {
    match error {
        RunsError::Turn(TurnError::Closed { rule, missing }) => (
            rule,
            missing
                .into_iter()
                .map(|item| (item.rule, item.text))
                .collect(),
        ),
        other => panic!("not refused by the seal: {other}"),
    }
}

#[test]
fn an_erase_wants_what_the_owner_keeps_and_a_name_and_leaves_the_lock() {
    let bench = unlocked();
    let early = bench
        .engine
        .runs
        .begin_run(bench.unit, Goal::Erase, bench.request())
        .unwrap_err();
    let (rule, lines) = refused(early);
    assert_eq!(rule, Rule::G5);
    assert!(lines.iter().any(|(rule, _)| *rule == Rule::U9), "{lines:?}");
    bench.prepare();
    let run = bench.begin(Goal::Erase);
    assert_eq!(
        bench.step(run).unwrap(),
        StepEnd::AsExpected,
        "to the bootloader"
    );
    let (rule, lines) = refused(bench.step(run).unwrap_err());
    assert_eq!((rule, lines[0].0), (Rule::G5, Rule::G5), "{lines:?}");
    assert_eq!(bench.wipes(), 0);
    bench.consent(run).unwrap();
    assert_eq!(bench.step(run).unwrap(), StepEnd::AsExpected);
    assert_eq!(bench.wipes(), 1);
    let record = bench.record();
    assert!(record.known().last(Happening::Wiped).is_some());
    assert!(record.known().known(FactKey::Accounts).is_none());
    assert_eq!(bench.step(run).unwrap(), StepEnd::GoalReached);
    assert_eq!(bench.where_it_is(), (LockState::Unlocked, Running::System));
    let again = bench
        .engine
        .views
        .run_page(bench.unit)
        .unwrap()
        .run
        .unwrap()
        .again;
    assert!(
        !again.is_empty(),
        "what is to be switched on again is listed"
    );
}

/// Nobody is asked what is on a unit that was erased here a minute ago, whoever looks; its system left
/// running is another thing.
#[test]
fn after_an_erase_that_was_seen_nothing_is_asked_until_it_may_be_set_up() {
    let mut bench = unlocked();
    bench.prepare();
    let run = bench.begin(Goal::Erase);
    bench.step(run).unwrap();
    bench.consent(run).unwrap();
    bench.step(run).unwrap();
    assert!(bench.record().known().empty_since().is_some());
    bench.stop_what_is_open();
    bench.restart();
    bench.engine.watch();
    let again = bench
        .engine
        .runs
        .begin_run(bench.unit, Goal::Erase, bench.request());
    let run = again.expect("nothing of the owner's is on it");
    bench.consent(run).unwrap();
    bench.step(run).unwrap();
    assert_eq!(bench.wipes(), 2);
    assert_eq!(bench.step(run).unwrap(), StepEnd::GoalReached);
    // Its system runs now, and nobody sees what its owner does there.
    assert_eq!(bench.record().known().empty_since(), None);
    let asked = bench
        .engine
        .runs
        .begin_run(bench.unit, Goal::Erase, bench.request());
    let (_, lines) = refused(asked.unwrap_err());
    let rules: Vec<Rule> = lines.iter().map(|(rule, _)| *rule).collect();
    assert!(
        rules.contains(&Rule::U6) && rules.contains(&Rule::U9),
        "{lines:?}"
    );
}

#[test]
fn an_erase_whose_end_nobody_saw_is_not_believed_and_done_again() {
    let bench = unlocked();
    bench.prepare();
    let run = bench.begin(Goal::Erase);
    bench.step(run).unwrap();
    bench.consent(run).unwrap();
    let fault = Fault::CableOutOnAct {
        act: ActKind::Erase,
    };
    bench
        .bridge
        .with("dock-1", |d| Ok(d.arm(fault)))
        .unwrap()
        .unwrap();
    assert!(matches!(bench.step(run).unwrap(), StepEnd::Unknown { .. }));
    bench.put_back();
    // Looking at it by itself settles nothing: no fact tells.
    bench.engine.watch();
    let page = bench.engine.views.run_page(bench.unit).unwrap();
    let step = page.run.and_then(|run| run.step).unwrap();
    assert!(matches!(step.state, StepState::Unknown));
    bench.engine.runs.look_at_step(bench.unit).unwrap();
    let run = bench.record().active_run().unwrap().clone();
    assert!(!run.erased);
    assert!(run.diverged.unwrap().contains("once more"));
    // What the owner keeps safe was said of the data that may be gone: asked anew.
    bench.prepare();
    bench.consent(run.id).unwrap();
    while bench.step(run.id).unwrap() != StepEnd::GoalReached {}
    assert_eq!(bench.where_it_is().1, Running::System);
    assert!(bench.wipes() >= 1);
}

#[test]
fn a_process_killed_in_an_erase_comes_back_to_an_end_that_it_does_not_know() {
    let mut bench = unlocked();
    bench.prepare();
    let run = bench.begin(Goal::Erase);
    bench.step(run).unwrap();
    bench.consent(run).unwrap();
    let revision = bench.revision();
    let end = bench
        .engine
        .runs
        .do_step(bench.unit, run, revision, bench.request(), &Impatient);
    assert!(matches!(end.unwrap(), StepEnd::Unknown { .. }));
    bench.restart();
    // Long after the device was through with it.
    bench.pass(120);
    bench.engine.watch();
    assert_eq!(bench.wipes(), 1);
    let blind = bench.step(run).unwrap_err();
    assert!(matches!(blind, RunsError::LookFirst), "{blind}");
    assert!(!bench.record().active_run().unwrap().erased);
    bench.engine.runs.look_at_step(bench.unit).unwrap();
    bench.prepare();
    bench.consent(run).unwrap();
    while bench.step(run).unwrap() != StepEnd::GoalReached {}
    assert_eq!(bench.wipes(), 2, "once more, to be sure");
    assert_eq!(bench.where_it_is(), (LockState::Unlocked, Running::System));
}

#[test]
fn a_locked_unit_is_erased_by_its_makers_recovery_not_by_unlocking_it() {
    let bench = linked();
    bench.prepare();
    let sheet = bench.engine.runs.preview(bench.unit, Goal::Erase).unwrap();
    let titles: Vec<_> = sheet.steps.iter().map(|step| step.title.as_str()).collect();
    assert_eq!(
        titles,
        [
            "Restart into bootloader mode",
            "Restart into stock recovery",
            "Erase everything in the maker's recovery",
            "Start the system"
        ]
    );
    assert_eq!(sheet.head.wipes, 1);
}

#[test]
fn a_computer_on_its_battery_begins_nothing_that_cant_be_undone() {
    let bench = linked();
    bench.prepare();
    bench.says_of_supply("Mains", "0");
    let error = bench
        .engine
        .runs
        .begin_run(bench.unit, Goal::Unlock, bench.request())
        .unwrap_err();
    let (_, lines) = refused(error);
    assert_eq!(lines.len(), 1);
    assert_eq!(lines[0].0, Rule::U8);
    assert!(lines[0].1.contains("runs on its battery"), "{lines:?}");
    // What can be undone goes on.
    let run = bench.begin(Goal::ToBootloader);
    while bench.step(run).unwrap() != StepEnd::GoalReached {}
    bench.says_of_supply("Mains", "1");
    let run = bench.begin(Goal::Unlock);
    bench.consent(run).unwrap();
    // The plug is pulled in between: the step is not taken.
    bench.says_of_supply("Mains", "0");
    let (rule, lines) = refused(bench.step(run).unwrap_err());
    assert_eq!((rule, lines[0].0), (Rule::G1, Rule::U8));
    assert_eq!(bench.where_it_is().0, LockState::Locked);
    bench.says_of_supply("Mains", "1");
    bench.will_touch("yes");
    assert_eq!(bench.step(run).unwrap(), StepEnd::AsExpected);
}

#[test]
fn two_bridges_that_list_the_same_chip_are_one_too_many() {
    let bench = linked();
    bench.prepare();
    let doctor = || {
        bench
            .engine
            .runs
            .doctor(bench.unit, Some(Goal::Unlock))
            .unwrap()
    };
    assert!(doctor().iter().all(|line| !line.is_missing()));
    bench
        .engine
        .links
        .add_bridge("http://other", "t", bench.request())
        .unwrap();
    let missing: Vec<_> = doctor()
        .into_iter()
        .filter(|line| line.is_missing())
        .collect();
    assert_eq!(missing.len(), 1);
    assert!(missing[0].text.contains("by its chip"), "{missing:?}");
    let error = bench
        .engine
        .runs
        .begin_run(bench.unit, Goal::Unlock, bench.request())
        .unwrap_err();
    assert_eq!(refused(error).1[0].0, Rule::U8);
}
