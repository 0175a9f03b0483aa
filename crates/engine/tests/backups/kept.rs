//! What counts as a copy, what a spoiled one is, and how another bench goes on with a sound one.

use veritope_core::coverage::{CoverageRow, Keeping};
use veritope_engine::keeping::KeepingError;
use veritope_engine::links::LinksError;

use super::*;

impl Bench {
    /// The manifest of the only capture in a folder's vault.
    fn manifest(&self, place: &str) -> PathBuf {
        let captures = self.folder.path().join(place).join("captures");
        let days = fs::read_dir(captures.join(self.unit.to_string())).unwrap();
        let folder = days.map(|entry| entry.unwrap().path()).next().unwrap();
        folder.join("manifest.json")
    }

    fn verified(&self, capture: CaptureId, place: PlaceId) -> String {
        let verified = self
            .engine
            .keeping
            .verify(self.unit, capture, place, &Patient);
        if let Err(refused) = verified {
            return refused.to_string();
        }
        self.log().last().unwrap().clone()
    }
}

const STRANGER: &str = "0192f0c1-0000-7000-8000-0000000000ff";

fn with(sound: &str, key: &str, value: serde_json::Value) -> String {
    let mut manifest: serde_json::Value = serde_json::from_str(sound).unwrap();
    manifest[key] = value;
    manifest.to_string()
}

type Spoil = fn(&str) -> Option<String>;

/// Ways to spoil a manifest, each of which made some reader say yes.
const SPOILED: [(&str, Spoil); 7] = [
    ("missing", |_| None),
    ("edited", |sound| Some(sound.replacen('2', "3", 1))),
    ("empty", |_| Some(String::new())),
    ("an object of nothing", |_| Some("{}".to_owned())),
    ("without partitions", |sound| {
        Some(with(sound, "partitions", serde_json::json!([])))
    }),
    ("of another capture", |sound| {
        Some(with(sound, "capture", STRANGER.into()))
    }),
    ("of another unit", |sound| {
        Some(with(sound, "unit", STRANGER.into()))
    }),
];

#[test]
fn a_manifest_that_is_not_its_own_is_damage_and_is_repaired_from_a_sound_one() {
    let (bench, capture, stick) = Bench::kept();
    let path = bench.manifest("stick");
    let sound = fs::read_to_string(&path).unwrap();
    for (name, spoil) in SPOILED {
        match spoil(&sound) {
            None => fs::remove_file(&path).unwrap(),
            Some(text) => fs::write(&path, text).unwrap(),
        }
        let said = bench.verified(capture, stick);
        assert!(said.to_lowercase().contains("manifest"), "{name}: {said}");
        assert!(!said.contains("sound"), "{name}: {said}");
        // As long as it is spoiled it is no copy.
        let coverage = bench
            .engine
            .views
            .backups(bench.unit)
            .unwrap()
            .coverage
            .unwrap();
        let is_persist = |row: &&CoverageRow| row.described.own.label == label("persist");
        let persist = coverage.rows.iter().find(is_persist).unwrap();
        assert_ne!(persist.kept, Keeping::Enough, "{name}");
        bench
            .engine
            .keeping
            .repair(bench.unit, capture, stick, &Patient)
            .unwrap();
        assert_eq!(fs::read_to_string(&path).unwrap(), sound, "{name}");
        assert!(bench.verified(capture, stick).contains("sound"), "{name}");
    }
}

#[test]
fn a_manifest_is_never_repaired_from_a_spoiled_one() {
    let (bench, capture, stick) = Bench::kept();
    for place in ["vault", "stick"] {
        fs::write(bench.manifest(place), "{}").unwrap();
    }
    bench
        .engine
        .keeping
        .repair(bench.unit, capture, stick, &Patient)
        .unwrap_err();
    assert_eq!(fs::read_to_string(bench.manifest("stick")).unwrap(), "{}");
}

#[test]
fn links_and_pipes_on_a_place_are_never_followed() {
    let (bench, capture, stick) = Bench::kept();
    let own = bench.object(capture, "persist");
    let stored = own.strip_prefix(bench.folder.path().join("vault")).unwrap();
    let there = bench.folder.path().join("stick").join(stored);
    for kind in ["link", "pipe"] {
        fs::remove_file(&there).unwrap();
        match kind {
            // It leads to sound bytes, on the very medium that it is to be a copy beside.
            "link" => std::os::unix::fs::symlink(&own, &there).unwrap(),
            // Whoever opens it to read waits for ever.
            _ => assert!(
                std::process::Command::new("mkfifo")
                    .arg(&there)
                    .status()
                    .unwrap()
                    .success()
            ),
        }
        let said = bench.verified(capture, stick);
        assert!(said.contains("persist is damaged"), "{kind}: {said}");
        bench
            .engine
            .keeping
            .repair(bench.unit, capture, stick, &Patient)
            .unwrap();
        assert!(fs::symlink_metadata(&there).unwrap().is_file(), "{kind}");
        assert!(bench.verified(capture, stick).contains("sound"), "{kind}");
    }
}

#[test]
fn a_folder_does_not_declare_itself_a_medium() {
    let bench = Bench::in_recovery();
    let place = bench.stick();
    let file = bench.folder.path().join("stick/place.toml");
    let mut text = fs::read_to_string(&file).unwrap();
    text.push_str("medium = \"a stick of its own\"\n");
    fs::write(&file, text).unwrap();
    let capture = bench.capture().unwrap();
    // Whether it is still taken as a place or not: it is no second medium.
    let _ = bench
        .engine
        .keeping
        .copy(bench.unit, capture, place, &Patient);
    assert_eq!(rules(bench.to_the_write().unwrap_err()), [Rule::B6]);
}

/// Stops once so many bytes have moved.
struct StopAt(u64, std::sync::atomic::AtomicBool);

impl Watcher for StopAt {
    fn phase(&self, _: &StepPhase) {}

    fn should_stop(&self) -> bool {
        self.1.load(std::sync::atomic::Ordering::SeqCst)
    }

    fn is_cancelled(&self) -> bool {
        self.should_stop()
    }

    fn moving(&self, moving: &Moving) {
        let enough = moving.done_bytes >= self.0;
        self.1.fetch_or(enough, std::sync::atomic::Ordering::SeqCst);
    }
}

#[test]
fn a_capture_that_was_cancelled_does_not_go_on_by_itself() {
    let mut bench = Bench::in_recovery();
    let stop = StopAt(8 << 20, false.into());
    let kind = CaptureKind::Quick;
    let cut = bench
        .engine
        .keeping
        .capture(bench.unit, &kind, &stop)
        .unwrap_err();
    assert!(matches!(cut, KeepingError::Stopped), "{cut}");
    assert!(bench.engine.keeping.resumable().is_empty());
    bench.restart();
    assert!(
        bench.engine.keeping.resumable().is_empty(),
        "nor after a restart"
    );
    // Whoever takes one again does not read twice what lies there.
    let first = std::sync::Arc::new(Mutex::new(None));
    let watcher = First(first.clone());
    bench
        .engine
        .keeping
        .capture(bench.unit, &kind, &watcher)
        .unwrap();
    assert!(first.lock().unwrap().clone().unwrap().done_bytes >= 4 << 20);
}

#[test]
fn a_copy_that_was_cancelled_is_cancelled_and_goes_on_when_asked() {
    let bench = Bench::in_recovery();
    bench.any_two_places_do();
    let place = bench.stick();
    let capture = bench.capture().unwrap();
    let cut = bench
        .engine
        .keeping
        .copy(bench.unit, capture, place, &crate::support::Impatient)
        .unwrap_err();
    assert!(matches!(cut, KeepingError::Stopped), "{cut}");
    let copies = |bench: &Bench| bench.record().copies.len();
    let before = copies(&bench);
    bench.copy(capture, place);
    assert_eq!(copies(&bench), before + 1);
}

#[test]
fn a_capture_broken_off_before_a_write_is_begun_anew() {
    let (bench, capture, _) = Bench::kept();
    bench.arm(Fault::Blank {
        label: "persist".to_owned(),
    });
    bench.arm(Fault::CableOutAfter { bytes: 20 << 20 });
    assert!(matches!(
        bench.capture(),
        Err(KeepingError::Links(LinksError::Link(_)))
    ));
    bench.body(&BodyAct::Cable { to: CablePlace::In });
    bench.restore(capture, &["persist"]).unwrap();
    let first = std::sync::Arc::new(Mutex::new(None));
    let watcher = First(first.clone());
    let again = bench
        .engine
        .keeping
        .capture(bench.unit, &CaptureKind::Quick, &watcher)
        .unwrap();
    let begun = first.lock().unwrap().clone().unwrap();
    assert!(begun.done_bytes < 4 << 20, "{}", begun.done_bytes);
    let view = bench.engine.views.capture_view(bench.unit, again).unwrap();
    let persist = view.partitions.iter().find(|p| p.label == label("persist"));
    assert_eq!(persist.unwrap().blake3, bench.digest_of("persist"));
}

#[test]
fn a_blank_capture_is_never_put_back_over_a_better_one() {
    let (bench, _, place) = Bench::kept();
    let good = bench.digest_of("persist");
    bench.arm(Fault::Blank {
        label: "persist".to_owned(),
    });
    let blank = bench.capture().unwrap();
    bench.copy(blank, place);
    // Two captures hold the good bytes and one holds nothing: nothing was found lost.
    let plan = bench
        .engine
        .keeping
        .restore_plan(bench.unit, blank)
        .unwrap();
    let row = plan.rows.iter().find(|row| row.label == label("persist"));
    assert!(row.unwrap().refused, "{row:?}");
    assert!(plan.writes.is_empty(), "never preselected");
    let refused = bench.restore(blank, &["persist"]).unwrap_err();
    assert!(rules(refused).contains(&Rule::E4));
    let coverage = bench
        .engine
        .views
        .backups(bench.unit)
        .unwrap()
        .coverage
        .unwrap();
    let said = serde_json::to_string(&coverage).unwrap();
    assert!(
        !said.contains("found lost"),
        "what is kept elsewhere is not lost: {said}"
    );
    assert_ne!(bench.digest_of("persist"), good);
}

#[test]
fn a_fresh_bench_takes_over_what_another_wrote_and_puts_it_back() {
    let (bench, capture, _) = Bench::kept();
    let good = bench.digest_of("persist");
    // The data folder is gone; what lies on the stick is not.
    let empty = tempfile::tempdir().unwrap();
    let fresh = bench.fresh_bench(empty.path());
    let request = || bench.request();
    let stick = bench.folder.path().join("stick");
    let place = fresh
        .library
        .add_place("stick", stick.to_str().unwrap(), request())
        .unwrap();
    let found = fresh.keeping.found_in(place).unwrap();
    assert_eq!(found.len(), 1);
    assert_eq!(
        (found[0].nickname.as_str(), found[0].here),
        ("Sanderling", false)
    );
    assert_eq!(found[0].captures[0].id, capture);
    assert!(
        fresh.views.bench_view().unwrap().units.is_empty(),
        "nothing is taken before somebody says so"
    );
    fresh
        .keeping
        .take_over(place, bench.unit, Some("mine"), request(), &Patient)
        .unwrap();
    let again = fresh.keeping.found_in(place).unwrap();
    assert!(again[0].here && again[0].captures[0].known);
    // The same unit answers at a link; another one is refused.
    let bridge = fresh
        .links
        .add_bridge("http://table", "t", request())
        .unwrap();
    fresh
        .units
        .link_unit(bench.unit, bridge, "dock-1", request())
        .unwrap();
    bench.arm(Fault::Blank {
        label: "persist".to_owned(),
    });
    fresh.links.look(bench.unit).unwrap();
    let labels = [label("persist")];
    fresh
        .keeping
        .restore(bench.unit, capture, &labels, &Patient)
        .unwrap();
    assert_eq!(bench.digest_of("persist"), good);
    bench.swap_in("9a:77:01:31:b8:0d");
    let refused = fresh
        .keeping
        .restore(bench.unit, capture, &labels, &Patient)
        .unwrap_err();
    assert!(
        matches!(refused, KeepingError::Links(LinksError::AnotherUnit { .. })),
        "{refused}"
    );
}

/// A copy that was left for a month is read back by itself, the longest left first; after half a year without that it
/// counts no longer, and *Next* says so.
#[test]
fn a_copy_that_was_left_is_read_back_and_one_that_was_left_too_long_is_named() {
    let (bench, capture, stick) = Bench::kept();
    let due = |tried: &[PlaceId]| {
        let keeping = &bench.engine.keeping;
        keeping.due_to_read(|_, place| tried.contains(&place))
    };
    assert_eq!(due(&[]), None);
    let day = 24 * 3_600_000;
    bench.time.later(31 * day);
    let (unit, of, first) = due(&[]).unwrap();
    assert_eq!((unit, of), (bench.unit, capture));
    // The bench's own was read back first.
    assert_ne!(first, stick);
    assert_eq!(due(&[first]).map(|(.., place)| place), Some(stick));
    for place in [first, stick] {
        bench
            .engine
            .keeping
            .verify(bench.unit, capture, place, &Patient)
            .unwrap();
    }
    assert_eq!(due(&[]), None);
    bench.time.later(181 * day);
    let tag = || bench.engine.views.unit_tag(bench.unit).unwrap();
    let next = tag().next.sentence;
    assert!(next.contains("181 days ago, and counts for 180"), "{next}");
    let place = due(&[]).unwrap().2;
    // One that is away is left alone.
    fs::rename(
        bench.folder.path().join("stick"),
        bench.folder.path().join("gone"),
    )
    .unwrap();
    assert_ne!(due(&[place]).map(|(.., place)| place), Some(stick));
}
