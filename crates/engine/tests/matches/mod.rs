//! Files of every sort, held against one unit of each family that keeps a recovery: right ones, wrong ones, cut,
//! renamed, wrapped, hostile. None that is not the right one is ever taken, and each says why.

use std::collections::BTreeMap;
use std::fmt::Write as _;
use std::io::{Cursor, Write as _};

use flate2::Compression;
use flate2::write::GzEncoder;
use veritope_core::family::{Container, Family};
use veritope_core::matching::Verdict;
use veritope_core::rule::Rule;
use veritope_engine::library::shelving::FileNote;
use veritope_engine::views::MatchLine;
use veritope_formats::make::{empty_switched_off, sparse_of};
use veritope_formats::startimage::{
    RecoveryWords, build_kernel_alone, build_ramdisk_alone, build_recovery, build_start_image,
    build_vendor_part,
};
use veritope_standin::LockState;
use veritope_standin::profile::Profile;
use veritope_wire::Digest;

use crate::recovers::tarred;
use crate::relocks::sold::met;
use crate::support::Bench;

/// What becomes of a file.
#[derive(Clone, Copy, PartialEq)]
enum Becomes {
    /// It may be taken as it is.
    Fits,
    /// The right form can be made of it.
    Makes,
    /// It is not taken, and this criterion is one that says so.
    NotBy(Rule),
    /// It is taken only by a person who says why, for this criterion.
    Asks(Rule),
    /// It is not held against the unit at all.
    LeftOut,
}
use Becomes::{Asks, Fits, LeftOut, Makes, NotBy};

struct Sample {
    name: &'static str,
    bytes: Vec<u8>,
    /// What its publisher gives, where that is not its own.
    publishers: Option<Digest>,
    becomes: Becomes,
}

/// Keeps a recovery of its own.
const FAMILIES: [&str; 5] = ["cinder", "gimbal", "kelpie", "lodestar", "mooring"];

fn words<'a>(codename: &'a str, model: &'a str) -> RecoveryWords<'a> {
    RecoveryWords {
        codename,
        model,
        version: "3.4.0",
        generation: 0,
    }
}

fn zipped(members: &[(&str, &[u8])]) -> Vec<u8> {
    let mut zip = zip::ZipWriter::new(Cursor::new(Vec::new()));
    for (name, bytes) in members {
        let options = zip::write::SimpleFileOptions::default();
        zip.start_file(*name, options).unwrap();
        zip.write_all(bytes).unwrap();
    }
    zip.finish().unwrap().into_inner()
}

fn packed(bytes: &[u8]) -> Vec<u8> {
    let mut packed = GzEncoder::new(Vec::new(), Compression::fast());
    packed.write_all(bytes).unwrap();
    packed.finish().unwrap()
}

/// One of each sort for a unit of `profile`.
fn samples(profile: &Profile, family: &Family) -> Vec<Sample> {
    let (codename, model) = (profile.codename, profile.model_code);
    let in_tar = family
        .recovery_place()
        .is_some_and(|place| matches!(place.container, Container::Tar { .. }));
    let off = empty_switched_off();
    // The form that its route takes.
    let form = |image: Vec<u8>| {
        if in_tar {
            tarred(&[("recovery.img", &image), ("vbmeta.img", &off)])
        } else {
            image
        }
    };
    let image = |noise: u8| build_recovery(words(codename, model), &[noise; 20_000]);
    let anothers = family.variants.iter().find(|one| {
        let own = family.variant(model);
        let shares = own.is_some_and(|own| own.shares_images.contains(&one.code));
        one.code != model && !shares && !family.kept.all_variants
    });
    let room = family.recovery_place().map_or(0, |place| {
        let spec = family.partition(place.label);
        spec.map_or(0, |spec| usize::try_from(spec.mib).unwrap() << 20)
    });
    let mut all: Vec<Sample> = Vec::new();
    let mut add = |name, bytes, becomes| {
        all.push(Sample {
            name,
            bytes,
            publishers: None,
            becomes,
        });
    };
    let alone = if in_tar { Makes } else { Fits };
    add("right", form(image(5)), Fits);
    add("renamed to a picture", form(image(6)), Fits);
    add("without its route's form", image(7), alone);
    add(
        "of another device",
        form(build_recovery(words("elsewhere", ""), &[5; 20_000])),
        NotBy(Rule::M1),
    );
    if let Some(other) = anothers {
        let twin = build_recovery(words(codename, &other.code), &[5; 20_000]);
        add("of a twin", form(twin), NotBy(Rule::M2));
    }
    // Where variants differ, silence about the variant is worse than silence about the device.
    let silent = match anothers {
        Some(_) => NotBy(Rule::M2),
        None => Asks(Rule::M1),
    };
    add(
        "that says nothing of its device",
        form(build_recovery(words("", ""), &[5; 20_000])),
        silent,
    );
    let mut long = image(8);
    long.resize(room + 4096, 0);
    add("longer than its place", form(long), NotBy(Rule::M5));
    let right = form(image(9));
    add(
        "half of one",
        right[..right.len() / 2].to_vec(),
        NotBy(Rule::M4),
    );
    add("nothing at all", Vec::new(), LeftOut);
    add("zeros", vec![0; 50_000], NotBy(Rule::M4));
    add(
        "a text",
        b"This is the maker's stock.\n".to_vec(),
        NotBy(Rule::M4),
    );
    add(
        "a kernel alone",
        form(build_kernel_alone(&[5; 20_000])),
        NotBy(Rule::M3),
    );
    add(
        "a ramdisk alone",
        form(build_ramdisk_alone(codename, "3.4.0")),
        NotBy(Rule::M3),
    );
    add(
        "what starts the system",
        form(build_start_image(codename, "system", "3.4.0", &[5; 20_000])),
        NotBy(Rule::M3),
    );
    add(
        "the vendor part",
        build_vendor_part(codename, "3.4.0", &[5; 20_000]),
        NotBy(Rule::M4),
    );
    add("metadata alone", off.clone(), NotBy(Rule::M4));
    add("in a zip", zipped(&[("recovery.img", &image(10))]), Makes);
    let nested = zipped(&[("inner.zip", &zipped(&[("recovery.img", &image(11))]))]);
    add("in a zip in a zip", nested.clone(), Makes);
    add(
        "three deep",
        zipped(&[("outer.zip", &nested)]),
        NotBy(Rule::M4),
    );
    add("packed", packed(&image(12)), Makes);
    add(
        "in a tar alone",
        tarred(&[("recovery.img", &image(13))]),
        Makes,
    );
    let mut sparse = Vec::new();
    let plain = image(14);
    sparse_of(&plain.as_slice(), plain.len() as u64, &mut sparse).unwrap();
    add("sparse", sparse, Makes);
    add(
        "in a zip that climbs",
        zipped(&[("../../recovery.img", &image(15))]),
        NotBy(Rule::M4),
    );
    let script = format!(
        "getprop(\"ro.product.device\") == \"{codename}\" || abort(\"no\");\npackage_extract_file(\"recovery.img\", \"/dev/block/by-name/recovery\");\n"
    );
    let package = zipped(&[
        ("META-INF/updater-script", script.as_bytes()),
        ("recovery.img", &image(16)),
    ]);
    add("a package that writes one", package, Makes);
    add("a bomb", packed(&vec![0; 64 << 20]), NotBy(Rule::M4));
    if in_tar {
        let inner = image(17);
        let members: [(&str, &[u8]); 3] = [
            ("recovery.img", &inner),
            ("vbmeta.img", &off),
            ("efs.img", b"x"),
        ];
        add("a tar with one too many", tarred(&members), Makes);
        let twice: [(&str, &[u8]); 3] = [
            ("recovery.img", &inner),
            ("recovery.img", &plain),
            ("vbmeta.img", &off),
        ];
        add("a tar with the same twice", tarred(&twice), NotBy(Rule::M4));
    }
    all.push(Sample {
        name: "changed on its way",
        bytes: form(image(18)),
        publishers: Some(Digest::of(b"as it was published")),
        becomes: NotBy(Rule::M8),
    });
    all
}

/// Puts a sample onto the shelf; why it was refused where it was.
fn put(bench: &Bench, name: &str, bytes: &[u8], publishers: Digest) -> Result<Digest, String> {
    let library = &bench.engine.library;
    let file = library
        .put_bytes(name, bytes, bench.request())
        .map_err(|error| error.to_string())?;
    let note = FileNote {
        beside: Some(format!("BLAKE3 ({name}) = {publishers}")),
        ..FileNote::default()
    };
    library
        .note_file(file, note, bench.request())
        .map_err(|error| error.to_string())?;
    Ok(file)
}

fn holds(line: &MatchLine, becomes: Becomes) -> bool {
    match becomes {
        Fits => line.verdict == Verdict::Fits,
        Makes => line.verdict == Verdict::Makes,
        NotBy(rule) => {
            let is_kept_away = matches!(line.verdict, Verdict::Stops | Verdict::Unknown);
            let says = line.cells.iter().any(|cell| cell.rule == rule && cell.bars);
            is_kept_away && says
        }
        Asks(rule) => {
            let mut cells = line.cells.iter();
            let says = cells.any(|cell| cell.rule == rule && !cell.why.is_empty());
            line.verdict == Verdict::WithReason && says
        }
        LeftOut => false,
    }
}

#[test]
fn of_files_of_every_sort_the_right_ones_fit_and_each_other_says_why() {
    let mut told = String::new();
    let mut wrong = String::new();
    let mut held = 0;
    for codename in FAMILIES {
        let profile = Profile::named(codename).unwrap().small();
        let bench = met(&profile, LockState::Unlocked, |_| {});
        bench.clear_shelf();
        let family = bench.engine.library.family_named(codename).unwrap();
        let mut put_there: BTreeMap<Digest, Sample> = BTreeMap::new();
        for sample in samples(&profile, &family) {
            held += 1;
            let publishers = sample
                .publishers
                .unwrap_or_else(|| Digest::of(&sample.bytes));
            match put(&bench, sample.name, &sample.bytes, publishers) {
                Ok(file) => drop(put_there.insert(file, sample)),
                Err(why) => writeln!(wrong, "{codename}, {}: refused: {why}", sample.name).unwrap(),
            }
        }
        let page = bench.engine.views.recovery_page(bench.unit).unwrap();
        let lines: BTreeMap<Digest, &MatchLine> = page
            .files
            .iter()
            .chain(&page.others)
            .map(|line| (line.id, line))
            .collect();
        for (file, sample) in &put_there {
            // What can be no recovery at all is not held against it.
            let Some(line) = lines.get(file) else {
                writeln!(told, "{codename}, {}: no recovery", sample.name).unwrap();
                if !matches!(sample.becomes, NotBy(_) | LeftOut) {
                    writeln!(wrong, "{codename}, {}: left out", sample.name).unwrap();
                }
                continue;
            };
            let says = format!(
                "{codename}, {}: {:?}: {}",
                sample.name, line.verdict, line.said
            );
            writeln!(told, "{says}").unwrap();
            if !holds(line, sample.becomes) {
                let cells = line.cells.iter().filter(|cell| cell.bars);
                let bars: Vec<_> = cells.map(|cell| (cell.rule, &cell.why)).collect();
                writeln!(wrong, "{says} {bars:?}").unwrap();
            }
        }
        // Among all of them one that fits is taken.
        let taken = page.files.iter().find(|line| line.is_taken).unwrap();
        assert!(
            put_there[&taken.id].becomes == Fits,
            "{codename}: {}",
            taken.said
        );
    }
    assert_eq!(wrong, "");
    assert!(held >= 120, "{held}");
    let mut lines: Vec<&str> = told.lines().collect();
    lines.sort_unstable();
    insta::assert_snapshot!("files", lines.join("\n"));
}

/// Files made by another hand are none of this unit's, whatever they say: none crashes, and none fits.
#[test]
fn no_file_of_another_hand_fits_a_unit_that_it_was_not_made_for() {
    let bench = met(
        &Profile::named("kelpie").unwrap().small(),
        LockState::Unlocked,
        |_| {},
    );
    bench.clear_shelf();
    let root = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("../formats/tests/platform");
    let mut put_there = 0;
    for folder in std::fs::read_dir(root).unwrap() {
        let folder = folder.unwrap().path();
        for file in std::fs::read_dir(&folder).into_iter().flatten() {
            let path = file.unwrap().path();
            let name = path.file_name().unwrap().to_string_lossy().into_owned();
            if path.is_dir() {
                continue;
            }
            let bytes = std::fs::read(&path).unwrap();
            let digest = Digest::of(&bytes);
            put_there += usize::from(put(&bench, &name, &bytes, digest).is_ok());
        }
    }
    assert!(put_there >= 60, "{put_there}");
    let page = bench.engine.views.recovery_page(bench.unit).unwrap();
    let mut lines = page.files.iter().chain(&page.others);
    assert!(lines.clone().all(|line| !line.said.is_empty()));
    let fits = lines.find(|line| line.is_taken || line.verdict == Verdict::Fits);
    assert!(
        fits.is_none(),
        "{:?}",
        fits.map(|line| (&line.name, &line.said))
    );
}
