//! The other slot: started only when it is proven whole, and left again; what a person does to a raw
//! device that ships with an empty one.

use veritope_core::facts::FactKey;
use veritope_core::goal::Goal;
use veritope_core::rule::Rule;
use veritope_engine::StepEnd;
use veritope_engine::runs::RunsError;
use veritope_engine::turns::TurnError;
use veritope_standin::{Device, Fault, LockState, Running, stock_images};
use veritope_wire::body::{BodyAct, CablePlace};
use veritope_wire::link::{ActKind, ActRequest};

use crate::campaign::person::on;
use crate::relocks::sold::{met, profile, shelve};
use crate::support::Bench;

const SWITCH: &str = "Make slot b the active one";
const FIRST: &str = "TH5.8.2.260905";
const SECOND: &str = "TH5.8.3.261104";

/// A phone with both of the maker's sets in the vault, all of it read; `updated` has filled slot b.
fn on_table(updated: bool) -> Bench {
    let [first, second] = [FIRST, SECOND].map(|build| profile("saltern", "TH5-E", build));
    let bench = met(&first, LockState::Unlocked, |device| {
        for (label, bytes) in stock_images(&second) {
            if updated && let Some(name) = label.strip_suffix("_a") {
                device.found_with(&format!("{name}_b"), &bytes).unwrap();
            }
        }
    });
    shelve(&bench, &first);
    shelve(&bench, &second);
    bench.start_recovery();
    bench.capture_all();
    for build in [FIRST, SECOND] {
        bench.take(build).unwrap();
    }
    bench.reach(Goal::ToSystem);
    bench.functions_and_owner();
    bench
}

fn active(bench: &Bench) -> String {
    on(&bench.bridge, |device| device.truths()["slot"].clone())
}

fn command(device: &mut Device, kind: ActKind, key: &str, value: &str) {
    let request = ActRequest {
        kind,
        args: [(key.to_owned(), value.to_owned())].into(),
        epoch: device.state().epoch,
    };
    device.act(&request).unwrap();
}

#[test]
fn a_slot_proven_whole_is_started_and_left_again() {
    let bench = on_table(true);
    for (goal, slot) in [(Goal::SlotB, "b"), (Goal::SlotA, "a")] {
        bench.reach(goal);
        assert!(bench.has_reached(goal), "{}", bench.log().join("\n"));
        assert_eq!(active(&bench), slot);
        assert_eq!(
            bench.truth_now(),
            (LockState::Unlocked, Running::System),
            "nothing but the slot is another one"
        );
        // The marks in the table are another one's, and it is as sound as before.
        bench.start_recovery();
        bench.capture_all();
        bench.reach(Goal::ToSystem);
        bench.functions_and_owner();
    }
}

#[test]
fn a_slot_that_ships_empty_is_refused_and_one_that_nobody_read_is_not_known() {
    let bench = on_table(false);
    let refused = bench
        .engine
        .runs
        .begin_run(bench.unit, Goal::SlotB, bench.request());
    let Err(RunsError::Turn(TurnError::Closed { rule, missing })) = refused else {
        panic!("{refused:?}");
    };
    assert_eq!(rule, Rule::G5);
    let lines: Vec<_> = missing.iter().map(|item| item.rule).collect();
    assert_eq!(lines, [Rule::Q11], "{missing:?}");
    assert!(missing[0].text.starts_with("Slot b holds nothing"));
    assert_eq!(active(&bench), "a");

    // The raw device does as it is told, and starts nothing.
    on(&bench.bridge, |device| {
        command(device, ActKind::Restart, "mode", "bootloader");
    });
    bench.pass(60);
    on(&bench.bridge, |device| {
        command(device, ActKind::SetSlot, "slot", "b");
        assert_eq!(device.state().facts["slot"], "b");
        command(device, ActKind::Restart, "mode", "system");
    });
    bench.pass(300);
    assert_eq!(
        bench.truth_now(),
        (LockState::Unlocked, Running::Bootloader)
    );
    bench.engine.links.look(bench.unit).unwrap();
    assert_eq!(bench.record().known().choice(FactKey::Slot), Some("b"));
    // The way back to the slot that is whole stands open.
    bench.say(&[
        (FactKey::ScreenLock, "off"),
        (FactKey::WorksWaived, "waived"),
    ]);
    bench.reach(Goal::SlotA);
    assert!(bench.has_reached(Goal::SlotA), "{}", bench.log().join("\n"));
    assert_eq!(active(&bench), "a");
}

/// The end of a switch is what the bootloader says of the slot, not that it still stands there.
#[test]
fn a_switch_whose_end_nobody_saw_is_settled_by_the_slot_that_is_read() {
    for falls_back in [false, true] {
        let bench = on_table(true);
        let run = bench.begin(Goal::SlotB);
        bench.go_on(run, SWITCH);
        on(&bench.bridge, |device| {
            let act = ActKind::SetSlot;
            device.arm(Fault::CableOutOnAct { act }).unwrap();
        });
        assert!(matches!(bench.step(run).unwrap(), StepEnd::Unknown { .. }));
        on(&bench.bridge, |device| {
            let to = CablePlace::In;
            device.body(&BodyAct::Cable { to }).unwrap();
            if falls_back {
                command(device, ActKind::SetSlot, "slot", "a");
            }
        });
        bench.engine.runs.look_at_step(bench.unit).unwrap();
        let page = bench.engine.views.run_page(bench.unit).unwrap();
        let next = page.run.and_then(|run| run.step).unwrap().step.title;
        let wanted = if falls_back {
            SWITCH
        } else {
            "Start the system"
        };
        assert_eq!(next, wanted, "falls back: {falls_back}");
        bench.go_on(run, "");
        assert!(bench.has_reached(Goal::SlotB));
        assert_eq!(active(&bench), "b");
    }
}
