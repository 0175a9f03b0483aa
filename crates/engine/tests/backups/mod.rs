//! Captures, copies, the seal that they open, writes, mishaps, and the way back.

mod adversary;
mod cable;
mod clock;
mod kept;
mod looked;

use std::fs;
use std::path::PathBuf;
use std::sync::Mutex;

use veritope_core::evidence::Line;
use veritope_core::goal::Goal;
use veritope_core::rule::Rule;
use veritope_engine::keeping::KeepingError;
use veritope_engine::links::LinksError;
use veritope_engine::runs::RunsError;
use veritope_engine::turns::TurnError;
use veritope_engine::{CaptureKind, Compared, Moving, StepEnd, StepPhase, Watcher};
use veritope_standin::Fault;
use veritope_wire::body::{BodyAct, CablePlace};
use veritope_wire::link::Listed;
use veritope_wire::{CaptureId, Digest, Label, PlaceId};

use crate::support::{Bench, Patient, unlocked};

fn label(text: &str) -> Label {
    text.parse().unwrap()
}

/// Does something to the device when so many bytes have moved.
struct At<'a> {
    bytes: u64,
    act: Mutex<Option<Box<dyn FnOnce() + Send + 'a>>>,
}

impl Watcher for At<'_> {
    fn phase(&self, _: &StepPhase) {}

    fn should_stop(&self) -> bool {
        false
    }

    fn moving(&self, moving: &Moving) {
        if moving.done_bytes >= self.bytes
            && let Some(act) = self.act.lock().unwrap().take()
        {
            act();
        }
    }
}

impl Bench {
    fn in_recovery() -> Self {
        let bench = unlocked();
        let run = bench.begin(Goal::TemporaryRecovery);
        while bench.step(run).unwrap() != StepEnd::GoalReached {}
        bench
    }

    fn capture(&self) -> Result<CaptureId, KeepingError> {
        self.engine
            .keeping
            .capture(self.unit, &CaptureKind::Quick, &Patient)
    }

    /// A second place, in a folder of its own.
    pub(crate) fn stick(&self) -> PlaceId {
        let path = self.folder.path().join("stick");
        fs::create_dir_all(&path).unwrap();
        let path = path.to_str().unwrap();
        self.engine
            .library
            .add_place("stick", path, self.request())
            .unwrap()
    }

    pub(crate) fn any_two_places_do(&self) {
        let mut policy = self.engine.library.policy();
        policy.media = veritope_core::budget::Media::Any;
        self.engine
            .library
            .set_policy(policy, self.request())
            .unwrap();
    }

    fn copy(&self, capture: CaptureId, place: PlaceId) {
        self.engine
            .keeping
            .copy(self.unit, capture, place, &Patient)
            .unwrap();
    }

    /// Captured, copied, all read back.
    fn kept() -> (Self, CaptureId, PlaceId) {
        let bench = Self::in_recovery();
        bench.any_two_places_do();
        let place = bench.stick();
        let capture = bench.capture().unwrap();
        bench.copy(capture, place);
        (bench, capture, place)
    }

    fn arm(&self, fault: Fault) {
        self.bridge
            .with("dock-1", |device| {
                device.arm(fault).unwrap();
                Ok(())
            })
            .unwrap();
    }

    fn bytes_of(&self, name: &str) -> Vec<u8> {
        self.bridge
            .with("dock-1", |device| {
                let length = device.length_of(name)?;
                let mut all = Vec::new();
                while (all.len() as u64) < length {
                    let at = all.len() as u64;
                    all.extend(device.read(name, at, (length - at).min(4 << 20))?);
                }
                Ok(all)
            })
            .unwrap()
    }

    fn digest_of(&self, name: &str) -> Digest {
        Digest::of(&self.bytes_of(name))
    }

    /// Another unit in the same mode takes this one's place; gives the digest of its `persist`.
    fn swap_in(&self, chip_id: &str) -> Digest {
        self.bridge.add(crate::support::watch_in_recovery(
            "dock-2", chip_id, &self.time,
        ));
        self.bridge.swap("dock-1", "dock-2").unwrap();
        self.digest_of("persist")
    }

    fn object(&self, capture: CaptureId, name: &str) -> PathBuf {
        let view = self.engine.views.capture_view(self.unit, capture).unwrap();
        let part = view
            .partitions
            .iter()
            .find(|part| part.label == label(name))
            .unwrap();
        let hex = part.blake3.to_string();
        self.folder
            .path()
            .join(format!("vault/objects/{}/{hex}.zst", &hex[..2]))
    }

    fn restore(&self, capture: CaptureId, names: &[&str]) -> Result<(), KeepingError> {
        let labels: Vec<Label> = names.iter().map(|name| label(name)).collect();
        self.engine
            .keeping
            .restore(self.unit, capture, &labels, &Patient)
    }

    /// Runs to the write of the recovery; gives what the step says.
    fn to_the_write(&self) -> Result<StepEnd, RunsError> {
        let run = self.begin(Goal::KeepRecovery);
        loop {
            let step = self
                .engine
                .views
                .run_page(self.unit)
                .unwrap()
                .run
                .unwrap()
                .step
                .unwrap();
            let is_write = step.step.permitted;
            let end = self.step(run);
            if is_write || end.is_err() {
                return end;
            }
        }
    }
}

fn missing(error: impl Into<RunsError>) -> Vec<Line> {
    match error.into() {
        RunsError::Turn(TurnError::Closed { missing, .. }) => missing,
        other => panic!("not refused by the seal: {other}"),
    }
}

fn rules(error: impl Into<RunsError>) -> Vec<Rule> {
    let mut rules: Vec<Rule> = missing(error).into_iter().map(|item| item.rule).collect();
    rules.sort();
    rules.dedup();
    rules
}

#[test]
fn captured_copied_verified_written_wiped_and_brought_back() {
    let (bench, capture, _) = Bench::kept();
    let before = bench.digest_of("persist");
    assert_eq!(bench.to_the_write().unwrap(), StepEnd::AsExpected);
    let run = bench
        .engine
        .views
        .run_page(bench.unit)
        .unwrap()
        .run
        .unwrap()
        .id;
    assert_eq!(
        bench.step(run).unwrap(),
        StepEnd::GoalReached,
        "the recovery is seen running"
    );

    bench.arm(Fault::Blank {
        label: "persist".to_owned(),
    });
    assert_ne!(bench.digest_of("persist"), before);
    bench.restore(capture, &["persist", "modemst1"]).unwrap();
    assert_eq!(bench.digest_of("persist"), before);
    let log = bench.log();
    for line in [
        "captured at rest",
        "About to write persist",
        "read back and equal",
        "read back from its medium: sound",
    ] {
        assert!(
            log.iter().any(|sentence| sentence.contains(line)),
            "{line} is in the log"
        );
    }
    // What was there before is kept: the blank one too.
    assert!(
        log.iter()
            .any(|sentence| sentence.contains("Blank: persist")),
        "{log:#?}"
    );
}

#[test]
fn only_what_differs_is_written() {
    let (bench, capture, _) = Bench::kept();
    bench.arm(Fault::Blank {
        label: "persist".to_owned(),
    });
    bench
        .restore(capture, &["persist", "modemst1", "recovery"])
        .unwrap();
    let writes: Vec<_> = bench
        .log()
        .into_iter()
        .filter(|s| s.starts_with("About to write"))
        .collect();
    assert_eq!(writes.len(), 1, "{writes:?}");
    assert!(writes[0].contains("persist"));
}

#[test]
fn a_write_before_the_second_copy_is_refused() {
    let bench = Bench::in_recovery();
    bench.any_two_places_do();
    bench.capture().unwrap();
    let recovery = bench.digest_of("recovery");
    let refused = missing(bench.to_the_write().unwrap_err());
    assert!(
        refused.iter().all(|item| item.rule == Rule::B6),
        "{refused:?}"
    );
    assert_eq!(refused.len(), 2, "persist and modemst1");
    assert!(
        refused[0].text.contains("1 of 2 copies"),
        "{}",
        refused[0].text
    );
    assert!(
        bench
            .log()
            .iter()
            .any(|s| s.contains("The seal refused: Write the recovery (B6)"))
    );
    // The bootloader gives no reading; back to a recovery to look.
    let run = bench
        .engine
        .views
        .run_page(bench.unit)
        .unwrap()
        .run
        .unwrap();
    bench
        .engine
        .runs
        .stop_run(bench.unit, run.id, run.revision, bench.request())
        .unwrap();
    let run = bench.begin(Goal::TemporaryRecovery);
    while bench.step(run).unwrap() != StepEnd::GoalReached {}
    assert_eq!(bench.digest_of("recovery"), recovery, "nothing was written");
}

#[test]
fn two_places_on_one_disk_are_one_by_the_usual_policy() {
    let bench = Bench::in_recovery();
    let place = bench.stick();
    let capture = bench.capture().unwrap();
    bench.copy(capture, place);
    assert_eq!(rules(bench.to_the_write().unwrap_err()), [Rule::B6]);
}

#[test]
fn a_copy_that_was_deleted_or_damaged_since_closes_the_seal() {
    for spoil in ["delete", "flip"] {
        let (bench, capture, _) = Bench::kept();
        // Both places: the log still says that they are whole.
        let own = bench.object(capture, "persist");
        let other = bench
            .folder
            .path()
            .join("stick")
            .join(own.strip_prefix(bench.folder.path().join("vault")).unwrap());
        for object in [&own, &other] {
            if spoil == "delete" {
                fs::remove_file(object).unwrap();
            } else {
                let mut bytes = fs::read(object).unwrap();
                bytes[100] ^= 1;
                fs::write(object, bytes).unwrap();
            }
        }
        let refused = rules(bench.to_the_write().unwrap_err());
        // They were read back, and now the log knows.
        assert_eq!(refused, [Rule::B6], "{spoil}");
        let log = bench.log();
        let damaged = log
            .iter()
            .filter(|line| line.contains("persist is damaged"));
        assert_eq!(damaged.count(), 2, "{spoil}: {log:#?}");
    }
}

#[test]
fn damage_in_one_place_is_repaired_from_the_other() {
    let (bench, capture, _) = Bench::kept();
    let object = bench.object(capture, "persist");
    let mut bytes = fs::read(&object).unwrap();
    let at = bytes.len() / 3;
    bytes[at] ^= 0x40;
    fs::write(&object, bytes).unwrap();
    let own = bench
        .engine
        .library
        .places()
        .into_iter()
        .find(|place| place.own)
        .unwrap()
        .id;
    bench
        .engine
        .keeping
        .verify(bench.unit, capture, own, &Patient)
        .unwrap();
    assert!(
        bench
            .log()
            .last()
            .unwrap()
            .contains("frame 0, bytes 0 to 4194303"),
        "{:?}",
        bench.log().last()
    );
    bench
        .engine
        .keeping
        .repair(bench.unit, capture, own, &Patient)
        .unwrap();
    assert!(bench.log().last().unwrap().contains("sound"));
    assert_eq!(bench.to_the_write().unwrap(), StepEnd::AsExpected);
}

#[test]
fn once_the_system_ran_what_lives_is_captured_again() {
    let (bench, _, _) = Bench::kept();
    let run = bench.begin(Goal::Unlock);
    while bench.step(run).unwrap() != StepEnd::GoalReached {}
    let run = bench.begin(Goal::KeepRecovery);
    let titles: Vec<String> = bench
        .engine
        .views
        .run_page(bench.unit)
        .unwrap()
        .run
        .unwrap()
        .sheet
        .steps
        .into_iter()
        .map(|step| step.title)
        .collect();
    assert!(
        titles.contains(&"Capture what exists once".to_owned()),
        "{titles:?}"
    );
    let _ = run;
}

#[test]
fn a_cable_out_in_a_capture_reads_nothing_twice() {
    let bench = Bench::in_recovery();
    bench.arm(Fault::CableOutAfter { bytes: 20 << 20 });
    assert!(matches!(
        bench.capture(),
        Err(KeepingError::Links(LinksError::Link(_)))
    ));
    bench.body(&BodyAct::Cable { to: CablePlace::In });
    let first = std::sync::Arc::new(Mutex::new(None));
    let watcher = First(first.clone());
    bench
        .engine
        .keeping
        .capture(bench.unit, &CaptureKind::Quick, &watcher)
        .unwrap();
    let begun = first.lock().unwrap().clone().unwrap();
    assert!(
        begun.done_bytes >= 12 << 20,
        "it goes on at {} bytes",
        begun.done_bytes
    );
    // And equals an undisturbed one.
    let again = bench.capture().unwrap();
    let views = bench.engine.views.backups(bench.unit).unwrap();
    assert_eq!(views.captures.len(), 2);
    let digests = |n: usize| -> Vec<Digest> {
        let view = bench
            .engine
            .views
            .capture_view(bench.unit, views.captures[n].id)
            .unwrap();
        view.partitions.iter().map(|part| part.blake3).collect()
    };
    assert_eq!(digests(0), digests(1));
    assert_eq!(views.captures[0].id, again);
}

struct First(std::sync::Arc<Mutex<Option<Moving>>>);

impl Watcher for First {
    fn phase(&self, _: &StepPhase) {}

    fn should_stop(&self) -> bool {
        false
    }

    fn moving(&self, moving: &Moving) {
        self.0.lock().unwrap().get_or_insert_with(|| moving.clone());
    }
}

#[test]
fn a_bit_that_came_over_wrong_is_settled_by_a_third_read() {
    let bench = Bench::in_recovery();
    let whole = bench.digest_of("persist");
    bench.arm(Fault::FlipOnRead {
        label: "persist".to_owned(),
        byte: 70_000,
    });
    let capture = bench.capture().unwrap();
    let view = bench
        .engine
        .views
        .capture_view(bench.unit, capture)
        .unwrap();
    let part = view
        .partitions
        .iter()
        .find(|part| part.label == label("persist"))
        .unwrap();
    assert_eq!(part.blake3, whole, "what two reads agree on");
    assert_eq!(
        part.agreement,
        veritope_core::coverage::Agreement::TwoOfThree
    );
}

#[test]
fn a_unit_that_is_swapped_while_it_is_read_spoils_nothing() {
    let bench = Bench::in_recovery();
    let bridge = bench.bridge.clone();
    let watcher = At {
        bytes: 8 << 20,
        act: Mutex::new(Some(Box::new(move || {
            bridge
                .with("dock-1", |device| {
                    device.body(&BodyAct::Cable {
                        to: CablePlace::Out,
                    })?;
                    device.body(&BodyAct::Cable { to: CablePlace::In })
                })
                .unwrap();
        }))),
    };
    let cut = bench
        .engine
        .keeping
        .capture(bench.unit, &CaptureKind::Quick, &watcher);
    assert!(
        matches!(cut, Err(KeepingError::Links(LinksError::Link(_)))),
        "read under one epoch only: {cut:?}"
    );
    assert_eq!(
        bench
            .engine
            .views
            .backups(bench.unit)
            .unwrap()
            .captures
            .len(),
        0
    );
}

#[test]
fn an_interrupted_write_is_resumed_or_put_back_and_nothing_else() {
    let (bench, capture, _) = Bench::kept();
    let before = bench.digest_of("persist");
    bench.arm(Fault::Blank {
        label: "persist".to_owned(),
    });
    // The cable comes out in the middle of the frame that is written.
    let persist = 4 << 20;
    bench.arm(Fault::CableOutAfter {
        bytes: 2 * persist + persist / 2,
    });
    let cut = bench.restore(capture, &["persist"]).unwrap_err();
    assert!(
        matches!(cut, KeepingError::Links(LinksError::Link(_))),
        "{cut}"
    );
    bench.body(&BodyAct::Cable { to: CablePlace::In });
    assert_ne!(bench.digest_of("persist"), before, "torn");
    let view = bench.engine.views.backups(bench.unit).unwrap();
    assert_eq!(view.torn, [label("persist")]);
    // Another partition's write waits.
    let refused = rules(bench.restore(capture, &["recovery"]).unwrap_err());
    assert_eq!(refused, [Rule::S3]);
    // The same write is taken up again.
    bench.restore(capture, &["persist"]).unwrap();
    assert_eq!(bench.digest_of("persist"), before);
    assert_eq!(bench.engine.views.backups(bench.unit).unwrap().torn, []);
}

#[test]
fn bytes_damaged_after_they_were_judged_do_not_reach_the_device() {
    let (bench, capture, _) = Bench::kept();
    bench.arm(Fault::Blank {
        label: "persist".to_owned(),
    });
    let blank = bench.digest_of("persist");
    let own = bench.object(capture, "persist");
    let other = bench
        .folder
        .path()
        .join("stick")
        .join(own.strip_prefix(bench.folder.path().join("vault")).unwrap());
    // As soon as the permit is there and the writing begins, both objects go bad.
    let watcher = OnWord(
        "writing persist",
        Mutex::new(Some(Box::new(move || {
            for object in [&own, &other] {
                let mut bytes = fs::read(object).unwrap();
                bytes[200] ^= 1;
                fs::write(object, bytes).unwrap();
            }
        }))),
    );
    let labels = [label("persist")];
    let refused = bench
        .engine
        .keeping
        .restore(bench.unit, capture, &labels, &watcher)
        .unwrap_err();
    assert!(
        refused
            .to_string()
            .contains("persist of this capture is damaged at frame 0"),
        "{refused}"
    );
    assert_eq!(
        bench.digest_of("persist"),
        blank,
        "not one unchecked frame is there"
    );
}

#[test]
fn a_permit_does_not_outlive_a_reconnect() {
    let (bench, capture, _) = Bench::kept();
    bench.arm(Fault::Blank {
        label: "persist".to_owned(),
    });
    let blank = bench.digest_of("persist");
    let bridge = bench.bridge.clone();
    let watcher = OnWord(
        "writing persist",
        Mutex::new(Some(Box::new(move || {
            bridge
                .with("dock-1", |device| {
                    device.body(&BodyAct::Cable {
                        to: CablePlace::Out,
                    })?;
                    device.body(&BodyAct::Cable { to: CablePlace::In })
                })
                .unwrap();
        }))),
    );
    let labels = [label("persist")];
    let refused = bench
        .engine
        .keeping
        .restore(bench.unit, capture, &labels, &watcher)
        .unwrap_err();
    assert!(
        matches!(
            refused,
            KeepingError::Links(LinksError::Link(
                veritope_link::LinkError::StalePermit { .. }
            ))
        ),
        "refused before the frame is sent: {refused}"
    );
    assert_eq!(bench.digest_of("persist"), blank);
}

#[test]
fn another_unit_at_the_link_gets_nothing() {
    let (bench, capture, _) = Bench::kept();
    let other = bench.swap_in("9a:77:01:31:b8:0d");
    let refused = bench.restore(capture, &["persist"]).unwrap_err();
    assert!(
        matches!(refused, KeepingError::Links(LinksError::AnotherUnit { .. })),
        "{refused}"
    );
    assert!(matches!(
        bench.capture(),
        Err(KeepingError::Links(LinksError::AnotherUnit { .. }))
    ));
    assert_eq!(bench.digest_of("persist"), other, "it keeps its own");
}

#[test]
fn a_manifest_that_was_rewritten_is_no_capture_of_this_unit() {
    let (bench, capture, _) = Bench::kept();
    for place in ["vault", "stick"] {
        let folder = bench
            .folder
            .path()
            .join(place)
            .join("captures")
            .join(bench.unit.to_string());
        let day = fs::read_dir(folder)
            .unwrap()
            .next()
            .unwrap()
            .unwrap()
            .path();
        let path = day.join("manifest.json");
        let text = fs::read_to_string(&path).unwrap();
        fs::write(path, text.replace("9a:77:01:5c:20:e4", "9a:77:01:31:b8:0d")).unwrap();
    }
    let refused = bench.restore(capture, &["persist"]).unwrap_err();
    assert!(
        matches!(refused, KeepingError::NoBackup { rule: Rule::S1, .. }),
        "{refused}"
    );
}

#[test]
fn a_capture_that_the_units_record_does_not_know_is_not_put_back() {
    let (bench, _, _) = Bench::kept();
    let (other, capture, _) = Bench::kept();
    // Its files brought over by hand, under this unit's name.
    let from = other
        .folder
        .path()
        .join("vault/captures")
        .join(other.unit.to_string());
    let to = bench
        .folder
        .path()
        .join("vault/captures")
        .join(bench.unit.to_string());
    for entry in fs::read_dir(from).unwrap() {
        let entry = entry.unwrap();
        let folder = to.join(format!("2026-01-01-{}", uuid::Uuid::from_u128(77)));
        fs::create_dir_all(&folder).unwrap();
        fs::copy(
            entry.path().join("manifest.json"),
            folder.join("manifest.json"),
        )
        .unwrap();
    }
    let stranger: CaptureId = uuid::Uuid::from_u128(77).to_string().parse().unwrap();
    let refused = bench.restore(stranger, &["persist"]).unwrap_err();
    assert!(matches!(refused, KeepingError::NoCapture(_)), "{refused}");
    let _ = capture;
}

/// Does something when the work gets to a word.
struct OnWord<'a>(&'static str, Mutex<Option<Box<dyn FnOnce() + Send + 'a>>>);

impl Watcher for OnWord<'_> {
    fn phase(&self, _: &StepPhase) {}

    fn should_stop(&self) -> bool {
        false
    }

    fn moving(&self, moving: &Moving) {
        if moving.what == self.0
            && let Some(act) = self.1.lock().unwrap().take()
        {
            act();
        }
    }
}

#[test]
fn partitions_that_are_never_written_are_refused_with_their_rule() {
    let (bench, capture, _) = Bench::kept();
    for (name, rule) in [("misc", Rule::S5), ("aboot", Rule::S3)] {
        assert_eq!(
            rules(bench.restore(capture, &[name]).unwrap_err()),
            [rule],
            "{name}"
        );
    }
    let error = bench.restore(capture, &["userdata"]).unwrap_err();
    assert!(error.to_string().contains("userdata"), "{error}");
}

#[test]
fn the_plan_tells_what_would_be_written_before_it_is() {
    let (bench, capture, _) = Bench::kept();
    bench.arm(Fault::Blank {
        label: "persist".to_owned(),
    });
    bench.capture().unwrap();
    let plan = bench
        .engine
        .keeping
        .restore_plan(bench.unit, capture)
        .unwrap();
    assert_eq!(plan.writes, [label("persist")]);
    let row = |name: &str| {
        plan.rows
            .iter()
            .find(|row| row.label == label(name))
            .unwrap()
    };
    assert_eq!(row("persist").compared, Compared::Differs);
    assert_eq!((row("persist").frames, plan.bytes), (1, 4 << 20));
    assert_eq!(row("modemst1").compared, Compared::Same);
    assert!(row("misc").refused);
}

#[test]
fn the_present_state_is_not_known_once_the_unit_went_away() {
    let (bench, capture, _) = Bench::kept();
    let run = bench.begin(Goal::Unlock);
    while bench.step(run).unwrap() != StepEnd::GoalReached {}
    let plan = bench
        .engine
        .keeping
        .restore_plan(bench.unit, capture)
        .unwrap();
    assert!(
        plan.rows
            .iter()
            .all(|row| row.compared == Compared::NotRead)
    );
    assert_eq!(plan.writes, []);
    let refused = bench.restore(capture, &["persist"]).unwrap_err();
    assert!(
        refused.to_string().contains("gives no right to read"),
        "{refused}"
    );
    let listed = bench
        .bridge
        .with("dock-1", |device| Ok(device.line().listed))
        .unwrap();
    assert_ne!(listed, Listed::Absent);
}
