//! What hands read of a unit without a link: handed in, judged, kept by their word, and what that counts for (`B12`).

use std::io::Write as _;

use veritope_core::coverage::{Agreement, Keeping, Origin};
use veritope_core::facts::FactKey;
use veritope_core::goal::Goal;
use veritope_core::handed::{Have, Taken};
use veritope_core::rule::Rule;
use veritope_engine::keeping::KeepingError;
use veritope_engine::keeping::handed::DumpNote;
use veritope_engine::runs::RunsError;
use veritope_formats::look::Bytes;
use veritope_formats::make::{NewMember, sparse_of, tar_of};
use veritope_standin::Running;
use veritope_wire::{Digest, WallTime};

use crate::campaign::person::{HANDLE, on};
use crate::support::{Bench, Patient, by_hand};

type Files = Vec<(String, Vec<u8>)>;

/// A watch by hand whose recovery runs, and what its person's own program dumps of it.
fn dumped() -> (Bench, Files) {
    let bench = by_hand();
    bench.any_two_places_do();
    on(&bench.bridge, |device| {
        device.met_in(Running::TemporaryRecovery, 0)
    })
    .unwrap();
    bench.say(&[
        (FactKey::Mode, "temporary-recovery"),
        (FactKey::Lock, "unlocked"),
        (FactKey::Battery, "90"),
    ]);
    let files = on(&bench.bridge, |device| device.dumped()).unwrap();
    (bench, files)
}

impl Bench {
    fn hand_all(&self, files: &Files, marked: &str) {
        for (name, bytes) in files {
            let name = name.replace(".img", &format!("{marked}.img"));
            self.hand_in(&name, bytes);
        }
    }

    fn taken_for(&self, name: &str) -> Taken {
        let view = self.engine.runs.handed(self.unit).unwrap();
        let mut dumps = view.handed.dumps.into_iter();
        dumps.find(|dump| dump.name == name).unwrap().taken
    }

    fn open(&self) -> Option<String> {
        self.engine.runs.handed(self.unit).unwrap().handed.open
    }

    fn put(&self, name: &str, bytes: &[u8], written: Option<WallTime>) -> Result<(), KeepingError> {
        let keeping = &self.engine.keeping;
        let mut intake = keeping.begin_dump(self.unit, bytes.len() as u64).unwrap();
        intake.write_all(bytes).unwrap();
        keeping.put_dump(self.unit, intake, name, written, self.request())
    }
}

fn packed_tar(files: &[(&str, &[u8])]) -> Vec<u8> {
    let members: Vec<NewMember<'_>> = files
        .iter()
        .map(|(name, bytes)| NewMember { name, bytes })
        .collect();
    let mut tar = Vec::new();
    tar_of(&members, &mut tar).unwrap();
    tar
}

#[test]
fn two_dumps_that_agree_are_kept_by_word_and_never_put_back() {
    let (bench, files) = dumped();
    bench.hand_all(&files, "");
    let open = bench.open().unwrap();
    assert!(open.contains("second time"), "{open}");
    assert!(matches!(
        bench.engine.runs.take_handed(bench.unit, &Patient),
        Err(RunsError::Keeping(KeepingError::NoBackup {
            rule: Rule::B12,
            ..
        }))
    ));
    bench.hand_all(&files, "-2");
    assert_eq!(bench.open(), None);
    let capture = bench.engine.runs.take_handed(bench.unit, &Patient).unwrap();
    let capture = capture.unwrap();
    // Nothing waits any more, and every byte is the device's own.
    let after = bench.engine.runs.handed(bench.unit).unwrap();
    assert!(after.handed.dumps.is_empty());
    let record = bench.record();
    let facts = record
        .captures
        .iter()
        .find(|one| one.id == capture)
        .unwrap();
    assert_eq!(facts.origin, Origin::Declared);
    for part in &facts.partitions {
        let name = format!("{}.img", part.label);
        let (_, bytes) = files.iter().find(|(one, _)| *one == name).unwrap();
        assert_eq!(part.blake3, Digest::of(bytes), "{name}");
        if part.is_unique {
            assert_eq!(part.agreement, Agreement::Twice, "{name}");
        }
    }
    // One place is too few; a second one, and it counts, by word.
    let rows = || {
        bench
            .engine
            .views
            .backups(bench.unit)
            .unwrap()
            .coverage
            .unwrap()
            .rows
    };
    let unique = |row: &&veritope_core::coverage::CoverageRow| {
        row.described.role == veritope_core::family::Role::DeviceUnique
    };
    assert!(
        rows()
            .iter()
            .filter(unique)
            .all(|row| row.kept == Keeping::Partly)
    );
    let place = bench.stick();
    bench
        .engine
        .keeping
        .copy(bench.unit, capture, place, &Patient)
        .unwrap();
    for row in rows().iter().filter(unique) {
        assert_eq!(row.kept, Keeping::Enough, "{}", row.text);
        assert!(row.text.contains("by your word"), "{}", row.text);
    }
    let passport = bench.engine.views.passport(bench.unit).unwrap();
    assert_eq!(passport.passport.unwrap().open[0].rule, Rule::B12);
    // It tells nothing of what lies there, and is never put back: not even once a link reads the unit.
    let bridge = bench.engine.views.bench_view().unwrap().bridges[0].id;
    let units = &bench.engine.units;
    bench.say(&[(FactKey::ChipId, "9a:77:01:5c:20:e4")]);
    units
        .link_unit(bench.unit, bridge, HANDLE, bench.request())
        .unwrap();
    assert!(
        rows()
            .iter()
            .filter(unique)
            .all(|row| row.kept != Keeping::Enough)
    );
    let plan = bench
        .engine
        .keeping
        .restore_plan(bench.unit, capture)
        .unwrap();
    let of_unique = facts.partitions.iter().filter(|part| part.is_unique);
    for part in of_unique {
        let row = plan
            .rows
            .iter()
            .find(|row| row.label == part.label)
            .unwrap();
        assert!(row.refused && !row.suggested, "{}", part.label);
    }
}

#[test]
fn what_is_no_dump_says_why_and_takes_nothing_with_it() {
    let (bench, files) = dumped();
    let bytes_of = |label: &str| {
        let name = format!("{label}.img");
        files
            .iter()
            .find(|(one, _)| *one == name)
            .unwrap()
            .1
            .clone()
    };
    bench.hand_all(&files, "");
    let persist = bytes_of("persist");
    // Cut short, too long, of nobody, text, empty of sense.
    bench.hand_in("a/persist.img", &persist[..persist.len() - 4096]);
    bench.hand_in("b/persist.img", &[&persist[..], &[0; 512]].concat());
    bench.hand_in("notes.txt", b"dumped on a Sunday");
    bench.hand_in("zero.img", &[0; 777]);
    assert_eq!(bench.taken_for("a/persist.img"), Taken::NoBackup);
    assert_eq!(bench.taken_for("b/persist.img"), Taken::NoBackup);
    assert_eq!(bench.taken_for("notes.txt"), Taken::NotKnown);
    assert_eq!(bench.taken_for("zero.img"), Taken::NotKnown);
    // A list of digests proves damage, whatever the length says.
    let sums = format!("{}  c/persist.img\n", Digest::of(b"other bytes"));
    bench.hand_in("c/persist.img", &persist);
    bench.put("B3SUMS", sums.as_bytes(), None).unwrap();
    assert_eq!(bench.taken_for("c/persist.img"), Taken::NoBackup);
    // And its own name is `persist.img` for that list too: what it names by folder is named without.
    let right = format!("{}  persist.img\n", Digest::of(&persist));
    assert!(right.len() > 64);
    // Out again.
    let view = bench.engine.runs.handed(bench.unit).unwrap();
    for dump in view
        .handed
        .dumps
        .iter()
        .filter(|dump| dump.name.contains('/'))
    {
        bench
            .engine
            .keeping
            .note_dump(bench.unit, dump.id, DumpNote::Out)
            .unwrap();
    }
    let left = bench.engine.runs.handed(bench.unit).unwrap().handed.dumps;
    assert!(left.iter().all(|dump| !dump.name.contains('/')));
    // Thrown away, nothing is left on the disk.
    bench.engine.keeping.clear_dumps(bench.unit).unwrap();
    let folder = bench.folder.path().join("data/dumps");
    let is_empty = std::fs::read_dir(&folder).map_or(true, |mut all| all.next().is_none());
    assert!(is_empty);
}

#[test]
fn packed_sparse_and_nested_dumps_come_apart_and_bombs_do_not() {
    let (bench, files) = dumped();
    let views: Vec<(String, &[u8])> = files
        .iter()
        .map(|(name, bytes)| (format!("first/{name}"), &bytes[..]))
        .collect();
    let named: Vec<(&str, &[u8])> = views
        .iter()
        .map(|(name, bytes)| (&name[..], *bytes))
        .collect();
    let tar = packed_tar(&named);
    let gz = {
        let mut packer = flate2::write::GzEncoder::new(Vec::new(), flate2::Compression::fast());
        packer.write_all(&tar).unwrap();
        packer.finish().unwrap()
    };
    bench.put("dumps.tar.gz", &gz, None).unwrap();
    let zst = zstd::encode_all(&tar[..], 1).unwrap();
    let sum = format!("SHA256 (again.tar.zst) = {}\n", "0".repeat(64));
    bench.put("again.tar.zst", &zst, None).unwrap();
    let wants = || bench.engine.runs.handed(bench.unit).unwrap().handed;
    assert!(
        wants().wants.iter().all(|want| want.have == Have::Enough),
        "{:?}",
        wants().open
    );
    // Nobody says when the members were read.
    assert!(wants().asks_when.is_some());
    bench
        .engine
        .keeping
        .say_when_dumped(bench.unit, true)
        .unwrap();
    assert_eq!(bench.open(), None);
    // A list that says otherwise of the archive speaks against all that came in it.
    bench.put("SHA256SUMS", sum.as_bytes(), None).unwrap();
    assert!(bench.open().is_some());
    bench.engine.keeping.clear_dumps(bench.unit).unwrap();
    // Sparse, as some tools write.
    let (name, bytes) = files
        .iter()
        .find(|(name, _)| name == "persist.img")
        .unwrap();
    let mut sparse = Vec::new();
    let view: &[u8] = bytes;
    sparse_of(&view, view.length(), &mut sparse).unwrap();
    bench.hand_all(&files[..4].to_vec(), "");
    bench.put(name, &sparse, None).unwrap();
    assert_eq!(
        bench.taken_for("persist.img"),
        Taken::Of {
            label: "persist".parse().unwrap()
        }
    );
    // Archives in archives in archives, and a damaged one: one sentence, and nothing of them is there.
    let before = wants().dumps.len();
    let mut nested = tar.clone();
    for _ in 0..3 {
        nested = packed_tar(&[("inner.tar", &nested)]);
    }
    let refused = bench.put("deep.tar", &nested, None).unwrap_err();
    assert!(matches!(refused, KeepingError::BadInput(_)), "{refused}");
    let refused = bench
        .put("cut.tar.gz", &gz[..gz.len() / 2], None)
        .unwrap_err();
    assert!(matches!(refused, KeepingError::BadInput(_)), "{refused}");
    assert_eq!(wants().dumps.len(), before);
}

#[test]
fn of_another_day_they_are_kept_and_the_step_is_not_taken_for_done() {
    let (bench, files) = dumped();
    let old = WallTime::nearest_ms(1_500_000_000_001);
    for n in 0..2 {
        for (name, bytes) in &files {
            let written = WallTime::nearest_ms(old.ms() + n * 3 + 1);
            bench
                .put(&format!("{n}/{name}"), bytes, Some(written))
                .unwrap();
        }
    }
    assert!(bench.open().unwrap().contains("when"));
    bench
        .engine
        .keeping
        .say_when_dumped(bench.unit, false)
        .unwrap();
    let capture = bench.engine.runs.take_handed(bench.unit, &Patient).unwrap();
    let record = bench.record();
    let facts = record
        .captures
        .iter()
        .find(|one| Some(one.id) == capture)
        .unwrap();
    assert_eq!(
        facts.taken.counted(),
        None,
        "when that was, no clock here tells"
    );
    let rows = bench
        .engine
        .views
        .backups(bench.unit)
        .unwrap()
        .coverage
        .unwrap()
        .rows;
    let lives = |row: &&veritope_core::coverage::CoverageRow| {
        row.described.role == veritope_core::family::Role::DeviceUnique
            && row.described.changes == veritope_core::family::Changes::Living
    };
    assert!(rows.iter().filter(lives).count() > 0);
    assert!(
        rows.iter()
            .filter(lives)
            .all(|row| row.kept != Keeping::Enough)
    );
}

#[test]
fn a_step_that_reads_ends_by_what_is_handed_in_and_by_nothing_that_is_said() {
    let (bench, files) = dumped();
    let run = bench.begin(Goal::BackUp);
    bench.step(run).unwrap();
    let step = bench.next_step().unwrap();
    assert!(step.hands_in);
    // No sighting says that it is done.
    let expected = step
        .sightings
        .iter()
        .any(|one| one.likelihood == veritope_core::plan::sighting::Likelihood::Expected);
    assert!(!expected);
    bench.hand_all(&files, "");
    bench.hand_all(&files, "-2");
    let folder = bench.folder.path().to_owned();
    // A path of this computer does too, the second time over: the very same files count once.
    let path = folder.join("dumped");
    std::fs::create_dir_all(path.join("second")).unwrap();
    std::fs::write(path.join("second/misc.img"), [9; 512]).unwrap();
    let taken = bench
        .engine
        .keeping
        .take_dumps_from(
            bench.unit,
            path.to_str().unwrap(),
            bench.request(),
            &Patient,
        )
        .unwrap();
    assert_eq!(taken, 1);
    assert_eq!(bench.taken_for("dumped/second/misc.img"), Taken::NoBackup);
    bench.engine.runs.take_handed(bench.unit, &Patient).unwrap();
    assert!(bench.has_reached(Goal::BackUp));
}
