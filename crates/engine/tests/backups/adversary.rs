//! A bridge that lies: about labels, ranges, lengths, identity, epochs, emptiness. What it says is
//! looked at before it counts, and nothing that it spoiled is kept.

use super::*;
use crate::support::Lie;
use veritope_engine::keeping::KeepingError;
use veritope_engine::links::LinksError;

impl Bench {
    /// Nothing of a reading that failed is left: no capture, no work that would be gone on with.
    fn kept_nothing(&self, why: &str) {
        let view = self.engine.views.backups(self.unit).unwrap();
        assert!(view.captures.is_empty(), "{why}");
        assert!(self.engine.keeping.resumable().is_empty(), "{why}");
    }
}

#[test]
fn two_partitions_of_one_label_are_refused_by_name() {
    let bench = Bench::in_recovery();
    bench.tongue.says(Some(Lie::Twin("persist")));
    let refused = bench.capture().unwrap_err().to_string();
    assert!(refused.contains("persist"), "{refused}");
    bench.kept_nothing("bytes of which one?");
    bench.tongue.says(None);
    bench.capture().unwrap();
}

#[test]
fn a_capture_of_no_partition_is_none() {
    let bench = Bench::in_recovery();
    bench.tongue.says(Some(Lie::NoPartitions));
    bench.capture().unwrap_err();
    bench.kept_nothing("an empty table");
    bench.tongue.says(None);
    let kind = veritope_engine::CaptureKind::Some {
        labels: vec![label("nobody")],
    };
    let refused = bench.engine.keeping.capture(bench.unit, &kind, &Patient);
    let refused = refused.unwrap_err().to_string();
    assert!(
        refused.contains("a capture of nothing is none"),
        "{refused}"
    );
    bench.kept_nothing("none that was wanted");
}

#[test]
fn frames_of_another_length_or_another_state_are_no_frames() {
    let bench = Bench::in_recovery();
    for lie in [Lie::Short(1), Lie::Long(1), Lie::OtherEpoch] {
        bench.tongue.says(Some(lie));
        let refused = bench.capture().unwrap_err();
        assert!(
            matches!(refused, KeepingError::Links(LinksError::Link(_))),
            "{lie:?}: {refused}"
        );
        let view = bench.engine.views.backups(bench.unit).unwrap();
        assert!(view.captures.is_empty(), "{lie:?}");
    }
    bench.tongue.says(None);
    bench.capture().unwrap();
}

#[test]
fn another_unit_under_the_same_epoch_throws_the_capture_away() {
    let bench = Bench::in_recovery();
    // Seen before the first byte, or only after the last.
    for frames in [0, 3] {
        bench.tongue.says(Some(Lie::OtherUnitAfter(frames)));
        let refused = bench.capture().unwrap_err();
        let text = refused.to_string();
        assert!(text.contains("the unit at the link is not"), "{text}");
        bench.tongue.says(None);
        bench.kept_nothing("read from two units");
    }
}

#[test]
fn a_put_back_whose_unit_changes_on_the_way_is_torn_and_only_resumed() {
    let (bench, capture, _) = Bench::kept();
    let before = bench.digest_of("recovery");
    for name in ["recovery", "persist"] {
        bench.arm(Fault::Blank {
            label: name.to_owned(),
        });
    }
    let tongue = bench.tongue.clone();
    let watcher = OnWord(
        "writing recovery",
        Mutex::new(Some(Box::new(move || {
            tongue.says(Some(Lie::OtherUnitAfter(1)));
        }))),
    );
    let labels = [label("recovery")];
    let refused = bench
        .engine
        .keeping
        .restore(bench.unit, capture, &labels, &watcher)
        .unwrap_err();
    assert!(
        matches!(
            refused,
            KeepingError::Links(LinksError::Link(
                veritope_link::LinkError::AnotherUnit { .. }
            ))
        ),
        "{refused}"
    );
    bench.tongue.says(None);
    // Not one frame went to whoever stood there by then.
    let there = bench.bytes_of("recovery");
    let frame = usize::try_from(veritope_core::digest::FRAME_BYTES).unwrap();
    assert!(there[..frame].iter().any(|byte| *byte != 0));
    assert!(there[frame..].iter().all(|byte| *byte == 0));
    let torn = |bench: &Bench| bench.engine.views.backups(bench.unit).unwrap().torn;
    assert_eq!(torn(&bench), [label("recovery")]);
    // What lies elsewhere waits until it is whole.
    let other = rules(bench.restore(capture, &["persist"]).unwrap_err());
    assert_eq!(other, [Rule::S3]);
    bench.restore(capture, &["recovery"]).unwrap();
    assert_eq!(torn(&bench), []);
    assert_eq!(bench.digest_of("recovery"), before);
    bench.restore(capture, &["persist"]).unwrap();
}

#[test]
fn what_is_started_from_memory_is_what_was_judged() {
    let mut bench = unlocked();
    let path = bench.on_shelf("r.img");
    let sound = fs::read(&path).unwrap();
    let when = fs::metadata(&path).unwrap().modified().unwrap();
    let run = bench.begin(Goal::TemporaryRecovery);
    bench.step(run).unwrap();
    // One bit, the same length, the same time: no cache may stand between.
    let mut flipped = sound.clone();
    flipped[9_000] ^= 1;
    fs::write(&path, &flipped).unwrap();
    fs::File::options()
        .write(true)
        .open(&path)
        .unwrap()
        .set_modified(when)
        .unwrap();
    let started = |bench: &Bench| {
        let has = |line: &String| line.contains("temporary recovery");
        bench.log().iter().any(has)
    };
    let refused = bench.step(run).unwrap_err();
    assert!(!started(&bench), "{refused}");
    // Another one that would be taken in its place, and the judged one gone: not started either.
    let other = veritope_formats::startimage::build_start_image(
        "gimbal",
        "recovery",
        "3.2.1",
        &[6; 20_000],
    );
    bench.shelve("newer.img", &other);
    fs::remove_file(&path).unwrap();
    bench.restart();
    let refused = bench.step(run).unwrap_err();
    assert!(refused.to_string().contains("M8"), "{refused}");
    assert!(!started(&bench));
    // A bridge that says it took other bytes is not told to start them.
    fs::write(&path, &sound).unwrap();
    bench.restart();
    bench.tongue.says(Some(Lie::OtherMemory));
    let end = bench.step(run).unwrap();
    assert!(
        matches!(&end, StepEnd::Refused { words } if words.contains("other bytes")),
        "{end:?}"
    );
    assert!(!started(&bench));
    bench.tongue.says(None);
    while bench.step(run).unwrap() != StepEnd::GoalReached {}
}
