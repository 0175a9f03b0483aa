//! Locking again: only on what is proven to be the maker's, with every field that the bench
//! believes held against the device.

pub(crate) mod sold;

use veritope_core::evidence::Cure;
use veritope_core::facts::{FactGroup, FactKey};
use veritope_core::goal::Goal;
use veritope_core::relock::Proof;
use veritope_core::rule::Rule;
use veritope_core::standing::{Outcome, OutlookOf};
use veritope_engine::links::LinksError;
use veritope_engine::runs::RunsError;
use veritope_engine::turns::TurnError;
use veritope_engine::views::LinkPresence;
use veritope_engine::{CaptureKind, StepEnd};
use veritope_standin::{Fault, LockState, Running};
use veritope_wire::body::BodyAct;
use veritope_wire::link::{ActKind, ActRequest};
use veritope_wire::{CaptureId, Digest};

use crate::support::{Bench, Patient, linked};

impl Bench {
    fn to(&self, goal: Goal) {
        let run = self.begin(goal);
        while self.step(run).unwrap() != StepEnd::GoalReached {}
    }

    fn let_in(&self) {
        self.body(&BodyAct::Touch {
            button: "debugging".to_owned(),
        });
        self.engine.links.look(self.unit).unwrap();
    }

    fn tick_functions(&self) {
        let all: Vec<_> = FactKey::ALL
            .iter()
            .filter(|key| key.spec().group == FactGroup::Works)
            .map(|key| (*key, "yes"))
            .collect();
        self.say(&all);
    }

    /// Unlocked by us, everything captured from memory before anything was written, the system
    /// running again and the computer let in.
    fn opened_and_captured() -> (Self, CaptureId) {
        let bench = linked();
        bench.prepare();
        let run = bench.begin(Goal::Unlock);
        bench.step(run).unwrap();
        bench.consent(run).unwrap();
        bench.will_touch("yes");
        assert_eq!(bench.step(run).unwrap(), StepEnd::AsExpected);
        bench.hands_off();
        assert_eq!(bench.step(run).unwrap(), StepEnd::GoalReached);
        bench.let_in();
        bench.to(Goal::TemporaryRecovery);
        let capture = bench
            .engine
            .keeping
            .capture(bench.unit, &CaptureKind::Full, &Patient)
            .unwrap();
        bench.to(Goal::ToSystem);
        (bench, capture)
    }

    fn truth(&self) -> (LockState, Running) {
        self.bridge.with("dock-1", |d| Ok(d.truth())).unwrap()
    }

    fn believed(&self) -> (Option<String>, Option<String>) {
        let tag = self.engine.views.unit_tag(self.unit).unwrap();
        (tag.lock, tag.mode)
    }
}

fn rules(error: RunsError) -> Vec<Rule> {
    match error {
        RunsError::Turn(TurnError::Closed { rule, missing }) => {
            assert_eq!(rule, Rule::G8);
            missing.into_iter().map(|item| item.rule).collect()
        }
        other => panic!("not refused by the seal: {other}"),
    }
}

#[test]
fn its_own_first_capture_is_its_stock_and_it_locks_again() {
    let (bench, _) = Bench::opened_and_captured();
    let refused = bench
        .engine
        .runs
        .begin_run(bench.unit, Goal::Relock, bench.request())
        .unwrap_err();
    // After the wipe: what works, the owner's data and the accounts are asked anew.
    assert_eq!(rules(refused), [Rule::R3, Rule::R4, Rule::R4]);
    bench.tick_functions();
    bench.prepare();
    let run = bench.begin(Goal::Relock);
    assert_eq!(bench.step(run).unwrap(), StepEnd::AsExpected);
    let unasked = bench.step(run).unwrap_err();
    assert_eq!(rules(unasked), [Rule::R5]);
    bench.consent(run).unwrap();
    bench.will_touch("no");
    assert!(matches!(bench.step(run).unwrap(), StepEnd::Refused { .. }));
    assert_eq!(bench.truth().0, LockState::Unlocked);
    bench.will_touch("yes");
    assert_eq!(bench.step(run).unwrap(), StepEnd::AsExpected);
    bench.hands_off();
    assert_eq!(bench.truth(), (LockState::Locked, Running::Bootloader));
    assert_eq!(
        bench.step(run).unwrap(),
        StepEnd::GoalReached,
        "the locked start is seen"
    );
    assert_eq!(bench.truth(), (LockState::Locked, Running::System));
    assert_eq!(
        bench.believed(),
        (Some("locked".to_owned()), Some("running system".to_owned()))
    );
    let log = bench.log();
    assert!(
        log.iter()
            .any(|line| line.contains("About to: Lock it again. This can't be undone."))
    );
    let standing = bench.engine.views.standing_view(bench.unit).unwrap();
    let relocked = standing
        .facts
        .iter()
        .find(|fact| fact.line.key == FactKey::Relocked)
        .unwrap();
    assert_eq!(relocked.line.rows[0].shown, "yes");
}

#[test]
fn a_recovery_left_behind_is_named_refused_and_cured_by_its_own_stock() {
    let (bench, capture) = Bench::opened_and_captured();
    let mut policy = bench.engine.library.policy();
    policy.media = veritope_core::budget::Media::Any;
    bench
        .engine
        .library
        .set_policy(policy, bench.request())
        .unwrap();
    let path = bench.folder.path().join("stick");
    std::fs::create_dir_all(&path).unwrap();
    let place = bench
        .engine
        .library
        .add_place("stick", path.to_str().unwrap(), bench.request())
        .unwrap();
    // What lives was rewritten by the start since: it is captured again before the write.
    bench.to(Goal::TemporaryRecovery);
    let newer = bench
        .engine
        .keeping
        .capture(bench.unit, &CaptureKind::Quick, &Patient)
        .unwrap();
    for one in [capture, newer] {
        bench
            .engine
            .keeping
            .copy(bench.unit, one, place, &Patient)
            .unwrap();
    }
    bench.to(Goal::KeepRecovery);
    bench.tick_functions();
    bench.prepare();
    let refused = bench
        .engine
        .runs
        .begin_run(bench.unit, Goal::Relock, bench.request())
        .unwrap_err();
    let RunsError::Turn(TurnError::Closed { missing, .. }) = refused else {
        panic!("{refused}")
    };
    let foreign = missing.iter().find(|item| item.rule == Rule::R7).unwrap();
    assert!(foreign.text.contains("recovery ("), "{}", foreign.text);
    assert!(
        foreign.text.contains(Proof::Seen.shown()),
        "{}",
        foreign.text
    );
    assert_eq!(
        foreign.cure(),
        Some(&Cure::PutStock {
            labels: vec!["recovery".parse().unwrap()]
        })
    );
    let standing = bench
        .engine
        .views
        .standing_view(bench.unit)
        .unwrap()
        .standing;
    let outlook = standing
        .outlook
        .iter()
        .find(|one| one.of == OutlookOf::Relock)
        .unwrap();
    assert_eq!(outlook.outcome, Outcome::Refused);

    // The cure: its own stock recovery, from the first capture. Then stock has to start once more.
    bench
        .engine
        .keeping
        .restore(
            bench.unit,
            capture,
            &["recovery".parse().unwrap()],
            &Patient,
        )
        .unwrap();
    let again = bench
        .engine
        .runs
        .begin_run(bench.unit, Goal::Relock, bench.request())
        .unwrap_err();
    let open = rules(again);
    assert!(
        open.contains(&Rule::R3) && !open.contains(&Rule::R7),
        "{open:?}"
    );
    bench.to(Goal::ToSystem);
    bench.tick_functions();
    let run = bench.begin(Goal::Relock);
    bench.step(run).unwrap();
    bench.consent(run).unwrap();
    bench.will_touch("yes");
    bench.step(run).unwrap();
    bench.hands_off();
    assert_eq!(bench.step(run).unwrap(), StepEnd::GoalReached);
    assert_eq!(bench.truth(), (LockState::Locked, Running::System));
}

/// What the seal keeps people from: the raw device lets itself be locked on foreign bytes, and then
/// starts nothing.
#[test]
fn locked_on_foreign_bytes_the_raw_device_refuses_to_start() {
    let (bench, _) = Bench::opened_and_captured();
    bench.to(Goal::ToBootloader);
    let state = bench.bridge.with("dock-1", |d| Ok(d.state())).unwrap();
    bench
        .bridge
        .with("dock-1", |device| {
            let bytes = vec![7; 4096];
            device.write("boot", 0, &bytes, state.epoch, Digest::of(&bytes))?;
            let args = [("form".to_owned(), "newer".to_owned())].into();
            device.act(&ActRequest {
                kind: ActKind::Lock,
                args,
                epoch: state.epoch,
            })
        })
        .unwrap();
    bench.body(&BodyAct::Touch {
        button: "yes".to_owned(),
    });
    bench.pass(60);
    assert_eq!(bench.truth(), (LockState::Locked, Running::Bootloader));
    bench.body(&BodyAct::Touch {
        button: "start".to_owned(),
    });
    bench.pass(200);
    assert_eq!(bench.truth(), (LockState::Locked, Running::Refusing));
    let face = bench.bridge.with("dock-1", |d| Ok(d.face())).unwrap();
    assert!(
        face.lines[0].contains("not the maker's"),
        "{:?}",
        face.lines
    );
}

/// `K5`: a bridge that takes the unit for being elsewhere is not believed, and nothing is recorded.
#[test]
fn a_mode_with_one_sign_against_it_is_not_known() {
    let bench = linked();
    bench
        .bridge
        .with("dock-1", |device| {
            device
                .arm(Fault::SaysMode {
                    mode: "bootloader".to_owned(),
                })
                .unwrap();
            Ok(())
        })
        .unwrap();
    let lines = bench.log().len();
    let error = bench.engine.links.look(bench.unit).unwrap_err();
    assert_eq!(
        error.to_string(),
        "The link says bootloader mode, but what it reads fits running system: look at the unit's own screen, and read it again (K5). Nothing was recorded"
    );
    let tag = bench.engine.views.unit_tag(bench.unit).unwrap();
    assert_eq!(tag.link.presence, LinkPresence::Doubtful);
    assert_eq!(tag.mode, None);
    // That it is not known any more is the only new line.
    assert_eq!(bench.log().len(), lines + 1);
    bench.prepare();
    let begun = bench
        .engine
        .runs
        .begin_run(bench.unit, Goal::Unlock, bench.request());
    assert!(matches!(
        begun,
        Err(RunsError::Links(LinksError::Doubtful { .. }))
    ));
}
