//! What a cable does to a capture: it comes out at every sixteenth of a partition, and it flips bits. What came
//! over is not read again, and what exists once is what the device holds.

use super::*;
use crate::support::Lie;

/// The partition that is read on its own.
const LARGE: &str = "system";

impl Bench {
    fn objects(&self) -> std::path::PathBuf {
        self.folder.path().join("vault/objects")
    }

    /// What is kept lies nowhere any more: the next capture stores all of it.
    fn loses_its_objects(&self) {
        let objects = self.objects();
        for folder in std::fs::read_dir(&objects).unwrap() {
            std::fs::remove_dir_all(folder.unwrap().path()).unwrap();
        }
    }

    fn stored_bytes(&self) -> u64 {
        let mut all = 0;
        for folder in std::fs::read_dir(self.objects()).unwrap() {
            for file in std::fs::read_dir(folder.unwrap().path()).unwrap() {
                all += file.unwrap().metadata().unwrap().len();
            }
        }
        all
    }

    fn captured(&self, capture: CaptureId, name: &str) -> Digest {
        let view = self.engine.views.capture_view(self.unit, capture).unwrap();
        let mut parts = view.partitions.iter();
        parts.find(|part| part.label == label(name)).unwrap().blake3
    }
}

#[test]
fn a_cable_out_at_each_sixteenth_of_a_partition_costs_one_frame() {
    let bench = Bench::in_recovery();
    let wanted = bench.digest_of(LARGE);
    let length = bench.bytes_of(LARGE).len() as u64;
    let kind = CaptureKind::Some {
        labels: vec![label(LARGE)],
    };
    let capture = || bench.engine.keeping.capture(bench.unit, &kind, &Patient);
    let tables = 2 << 20;
    bench.tongue.says(None);
    capture().unwrap();
    let undisturbed = bench.tongue.frames();
    for sixteenth in 1..16 {
        bench.loses_its_objects();
        bench.tongue.says(None);
        bench.arm(Fault::CableOutAfter {
            bytes: tables + length * sixteenth / 16,
        });
        capture().unwrap_err();
        bench.put_back();
        let capture = capture().unwrap();
        assert_eq!(bench.captured(capture, LARGE), wanted, "{sixteenth}");
        // Tables are read again, and the frame that did not come; nothing else is.
        let frames = bench.tongue.frames();
        assert!(
            frames <= undisturbed + 3,
            "{frames} frames were read after {sixteenth} sixteenths, {undisturbed} are all"
        );
    }
}

#[test]
fn bits_that_flip_on_the_way_change_nothing_that_exists_once() {
    let bench = Bench::in_recovery();
    let once = ["persist", "misc"].map(|name| (name, bench.digest_of(name)));
    let mut taken = 0;
    // One in 64 MiB, beginning at each 4 MiB of them: so each frame of all is hit in some round.
    for phase in 0..16 {
        bench.tongue.says(Some(Lie::FlipsEvery {
            bytes: 64 << 20,
            from: phase << 22,
        }));
        bench.loses_its_objects();
        // What hits a table is a table that makes no sense, and is asked for again.
        let capture = (0..3).find_map(|_| bench.capture().ok());
        let Some(capture) = capture else { continue };
        taken += 1;
        for (name, digest) in &once {
            assert_eq!(bench.captured(capture, name), *digest, "{name}, {phase}");
        }
    }
    assert!(taken >= 14, "{taken} of 16 captures came about");
}

#[test]
fn a_second_capture_stores_what_changed() {
    let bench = Bench::in_recovery();
    bench.capture().unwrap();
    let all = bench.stored_bytes();
    bench.capture().unwrap();
    assert_eq!(bench.stored_bytes(), all, "nothing changed");
    // One frame of three becomes another.
    let length = bench.bytes_of("boot").len() as u64;
    let changed = bench.bridge.with("dock-1", |device| {
        let epoch = device.line().epoch;
        let bytes = [0x5A; 512];
        device.write("boot", length / 2, &bytes, epoch, Digest::of(&bytes))
    });
    changed.unwrap();
    let wanted = bench.digest_of("boot");
    let capture = bench.capture().unwrap();
    assert_eq!(bench.captured(capture, "boot"), wanted);
    let more = bench.stored_bytes() - all;
    assert!(more > 0 && more < 5 << 20, "{more} bytes more than {all}");
    // What is kept and rots is not built on: the next capture stores it anew.
    let object = bench.object(capture, "persist");
    let mut bytes = std::fs::read(&object).unwrap();
    bytes[40] ^= 4;
    std::fs::write(&object, bytes).unwrap();
    let after = bench.capture().unwrap();
    let record = bench.record();
    let mut copies = record.copies.iter();
    let copy = copies.find(|copy| copy.capture == after).unwrap();
    assert!(copy.verified.is_some() && copy.damaged.is_empty());
}
