//! What the bytes of captured partitions were seen to be, and that nobody is asked twice.

use std::collections::BTreeMap;
use std::fs;
use std::path::PathBuf;

use veritope_engine::library::found::SeenInside;
use veritope_formats::look::LOOKER;
use veritope_wire::{CaptureId, Digest};

use super::{Bench, Patient};

impl Bench {
    /// Label by label: the digest, and what was seen.
    fn inside(&self, capture: CaptureId) -> BTreeMap<String, (Digest, Option<SeenInside>)> {
        let view = self.engine.views.capture_view(self.unit, capture).unwrap();
        view.partitions
            .into_iter()
            .map(|part| (part.label.to_string(), (part.blake3, part.seen)))
            .collect()
    }

    fn found_file(&self, image: Digest) -> PathBuf {
        let name = image.to_string();
        let folder = self.folder.path().join("found").join(&name[..2]);
        folder.join(format!("{name}.json"))
    }
}

#[test]
fn each_captured_partition_is_looked_into_once() {
    let (bench, capture, stick) = Bench::kept();
    let seen = bench.inside(capture);
    let headline = |label: &str| seen[label].1.as_ref().unwrap().headline.clone();
    assert_eq!(
        headline("boot"),
        "start image of a system, header 0, build loop-4.1.7-20261011 for gimbal"
    );
    assert_eq!(headline("persist"), "FAT12 file system `DEVICE`");
    assert_eq!(headline("misc"), "blank, nothing but 0x00");
    assert_eq!(headline("modemst1"), "bytes of no known kind");
    // A table stands at both ends of its area: each end is told with the other.
    for end in ["table-0.primary", "table-0.backup"] {
        assert_eq!(
            headline(end),
            "partition table, 9 partitions in sectors of 512"
        );
    }
    for (label, (_, seen)) in &seen {
        let findings = &seen.as_ref().unwrap().findings;
        assert!(findings.is_empty(), "{label}: {findings:?}");
    }

    // Reading a copy back again asks nobody again: what lies there is what is shown.
    let (boot, _) = seen["boot"];
    let file = bench.found_file(boot);
    let text = fs::read_to_string(&file).unwrap();
    let kept = text.replace("start image of a system", "kept as it was");
    fs::write(&file, &kept).unwrap();
    let read_back = || {
        bench
            .engine
            .keeping
            .verify(bench.unit, capture, stick, &Patient)
            .unwrap();
    };
    read_back();
    assert_eq!(fs::read_to_string(&file).unwrap(), kept);

    // What an older looker found is not shown, and a newer one looks again.
    fs::write(
        &file,
        kept.replace(&format!("\"looker\": {LOOKER}"), "\"looker\": 0"),
    )
    .unwrap();
    assert_eq!(bench.inside(capture)["boot"].1, None);
    read_back();
    assert_eq!(fs::read_to_string(&file).unwrap(), text);
    // So does a file that makes no sense.
    fs::write(&file, "{").unwrap();
    assert_eq!(bench.inside(capture)["boot"].1, None);
    read_back();
    assert_eq!(fs::read_to_string(&file).unwrap(), text);
}
