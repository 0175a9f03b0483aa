//! A recovery that lies inside what starts a unit: put there from within, in each slot that holds anything, with
//! everything else the unit's own.

use veritope_core::facts::FactKey;
use veritope_core::goal::Goal;
use veritope_core::mode::RecoveryKind;
use veritope_engine::StepEnd;
use veritope_formats::graft::{Replaces, is_in};
use veritope_formats::look::{Limits, What, look};
use veritope_standin::profile::Profile;
use veritope_standin::{Fault, LockState, Running};
use veritope_wire::{Digest, RunId};

use crate::campaign::person::on;
use crate::relocks::sold::{met, profile};
use crate::support::{Bench, Patient, recovery_file};

const PUT: &str = "Put the recovery inside";

/// Unlocked, its system running, with one recovery on the shelf; both slots filled where `both`.
fn unit(family: &str, model: &str, build: &str, both: bool) -> (Bench, Profile, Vec<u8>) {
    let profile = profile(family, model, build);
    let bench = met(&profile, LockState::Unlocked, |_| {});
    bench.clear_shelf();
    let recovery = recovery_file(&profile, "3.4.1", &[5; 20_000]);
    bench.shelve("recovery-3.4.1.img", &recovery);
    if both {
        on(&bench.bridge, |device| {
            for part in device.profile().clone().partitions {
                let Some(stem) = part.label.strip_suffix("_b") else {
                    continue;
                };
                let bytes = device.holds(&format!("{stem}_a")).unwrap();
                device.found_with(part.label, &bytes).unwrap();
            }
        });
    }
    bench.any_two_places_do();
    bench.functions_and_owner();
    bench.say(&[(FactKey::Recovery, "stock")]);
    (bench, profile, recovery)
}

/// Up to the step that puts it inside, with what exists once in two places.
fn up_to(bench: &Bench, title: &str) -> RunId {
    let run = bench.begin(Goal::KeepRecovery);
    bench.go_on(run, title);
    let place = bench.stick();
    let capture = bench.record().captures.last().unwrap().id;
    let keeping = &bench.engine.keeping;
    keeping.copy(bench.unit, capture, place, &Patient).unwrap();
    run
}

fn lies(bench: &Bench, label: &str) -> Vec<u8> {
    on(&bench.bridge, |device| device.holds(label)).unwrap()
}

fn kernel_of(bytes: &[u8]) -> Digest {
    let What::StartImage(image) = look(&bytes, "", Limits::default()).what else {
        panic!("no start image")
    };
    let from = image.page_bytes as usize;
    let length = usize::try_from(image.kernel_bytes).unwrap();
    Digest::of(&bytes[from..from + length])
}

#[test]
fn it_is_put_into_each_slot_that_holds_anything_and_stays() {
    for both in [false, true] {
        let (bench, _, recovery) = unit("saltern", "TH5-E", "TH5.8.3.261104", both);
        let before = lies(&bench, "boot_a");
        let rest = ["system_a", "persist", "modemst1", "vbmeta_a"].map(|label| lies(&bench, label));
        let run = up_to(&bench, "Put the recovery inside boot");
        bench.go_on(run, "");
        assert!(bench.has_reached(Goal::KeepRecovery), "{:#?}", bench.log());
        assert_eq!(
            on(&bench.bridge, |device| device.truth().1),
            Running::CustomRecovery
        );
        let log = bench.log().join("\n");
        let at = |what: &str| {
            log.find(what)
                .unwrap_or_else(|| panic!("no `{what}` in\n{log}"))
        };
        assert!(
            at("About to: Capture what exists once") < at("About to: Put the recovery inside boot")
        );
        let after = lies(&bench, "boot_a");
        assert!(is_in(&after, &recovery, Replaces::Ramdisk));
        assert_eq!(
            kernel_of(&after),
            kernel_of(&before),
            "the kernel is the unit's own"
        );
        let other = lies(&bench, "boot_b");
        assert_eq!(is_in(&other, &recovery, Replaces::Ramdisk), both);
        assert_eq!(
            other.iter().all(|byte| *byte == 0),
            !both,
            "an empty slot stays empty"
        );
        assert_eq!(
            ["system_a", "persist", "modemst1", "vbmeta_a"].map(|label| lies(&bench, label)),
            rest
        );
        // It stays: the system starts from the same image, and the recovery is there again.
        bench.reach(Goal::ToSystem);
        assert_eq!(
            on(&bench.bridge, |device| device.truth().1),
            Running::System
        );
        bench.reach(Goal::ToCustomRecovery);
        assert_eq!(
            on(&bench.bridge, |device| device.truth().1),
            Running::CustomRecovery
        );
        let tag = bench.engine.views.unit_tag(bench.unit).unwrap();
        assert_eq!(tag.recovery.as_deref(), Some("recovery 3.4.1"));
    }
}

#[test]
fn one_ramdisk_of_the_vendors_part_is_replaced() {
    let (bench, _, recovery) = unit("halyard", "SM-9", "SM9.2.1.261021", false);
    let untouched = ["boot_a", "init_boot_a"].map(|label| lies(&bench, label));
    let run = up_to(&bench, "Put the recovery inside vendor_boot");
    bench.go_on(run, "");
    assert!(bench.has_reached(Goal::KeepRecovery), "{:#?}", bench.log());
    assert_eq!(
        on(&bench.bridge, |device| device.truth().1),
        Running::CustomRecovery
    );
    assert!(is_in(
        &lies(&bench, "vendor_boot_a"),
        &recovery,
        Replaces::VendorRamdisk
    ));
    assert_eq!(
        ["boot_a", "init_boot_a"].map(|label| lies(&bench, label)),
        untouched
    );
    bench.reach(Goal::ToSystem);
    assert_eq!(
        on(&bench.bridge, |device| device.truth().1),
        Running::System
    );
}

/// `M13`: the maker's whole system goes over what lies there, the recovery included, which goes back in the same run
/// and stays.
#[test]
fn what_a_package_writes_over_goes_back_in_the_same_go() {
    let units = [
        (
            "saltern",
            "TH5-E",
            "TH5.8.3.261104",
            "boot",
            Replaces::Ramdisk,
        ),
        (
            "halyard",
            "SM-9",
            "SM9.2.1.261021",
            "vendor_boot",
            Replaces::VendorRamdisk,
        ),
    ];
    for (family, model, build, part, replaces) in units {
        let (bench, _, recovery) = unit(family, model, build, false);
        let put = format!("Put the recovery inside {part}");
        let run = up_to(&bench, &put);
        bench.go_on(run, "");
        bench.reach(Goal::ToSystem);
        let family = bench.engine.library.family_named(family).unwrap();
        let package = &family.packages[0].name;
        bench.shelve(package, &veritope_standin::package_bytes(package));
        // What somebody changed of its system since is put right by it.
        let firmware = lies(&bench, "abl_a");
        on(&bench.bridge, |device| {
            device.found_with("abl_a", &[9; 4096])
        })
        .unwrap();
        let run = bench.begin(Goal::Renew);
        let install = format!("Install {package}");
        bench.go_on(run, &install);
        let capture = bench.record().captures.last().unwrap().id;
        let keeping = &bench.engine.keeping;
        keeping
            .copy(bench.unit, capture, bench.stick(), &Patient)
            .unwrap();
        bench.go_on(run, &put);
        let slot = format!("{part}_a");
        assert!(
            !is_in(&lies(&bench, &slot), &recovery, replaces),
            "written over"
        );
        assert_eq!(bench.record().known().recovery(), Some(RecoveryKind::Stock));
        bench.go_on(run, "");
        assert!(bench.has_reached(Goal::Renew), "{:#?}", bench.log());
        assert!(is_in(&lies(&bench, &slot), &recovery, replaces));
        assert!(
            lies(&bench, "abl_a") == firmware,
            "the rest is the maker's again"
        );
        let known = bench.record().known();
        assert_eq!(known.text(FactKey::LastPackage), Some(package.as_str()));
        bench.reach(Goal::ToSystem);
        bench.reach(Goal::ToCustomRecovery);
        assert_eq!(bench.truth_now().1, Running::CustomRecovery);
    }
}

/// Cut in the middle, in either slot, it counts for nothing; done once more it is made of what lay there before, not
/// of the half.
#[test]
fn a_cut_leaves_nothing_that_counts_and_once_more_is_the_same() {
    // Tables and both slots are read first; each is written and read back before the next.
    for (mib, torn) in [(51, "boot_a"), (98, "boot_b")] {
        let cut = Fault::CableOutAfter { bytes: mib << 20 };
        let (bench, _, recovery) = unit("saltern", "TH5-E", "TH5.8.3.261104", true);
        let before = lies(&bench, "boot_a");
        let run = up_to(&bench, "Put the recovery inside boot");
        on(&bench.bridge, |device| device.arm(cut)).unwrap();
        let ended = bench.step(run).unwrap();
        assert!(matches!(ended, StepEnd::Unknown { .. }), "{ended:?}");
        let labels: Vec<_> = bench
            .record()
            .torn
            .iter()
            .map(|one| one.label.to_string())
            .collect();
        assert_eq!(labels, [torn]);
        bench.put_back();
        bench.engine.runs.look_at_step(bench.unit).unwrap();
        let log = bench.log().join("\n");
        let after = log.split(&format!("About to: {PUT}")).last().unwrap();
        assert!(
            after.contains("did not report it as written whole"),
            "{after}"
        );
        assert_eq!(bench.record().known().recovery(), None);
        bench.go_on(run, "");
        assert!(bench.has_reached(Goal::KeepRecovery), "{:#?}", bench.log());
        assert_eq!(bench.record().torn, []);
        for label in ["boot_a", "boot_b"] {
            let after = lies(&bench, label);
            assert!(is_in(&after, &recovery, Replaces::Ramdisk), "{label}");
            assert_eq!(kernel_of(&after), kernel_of(&before));
        }
    }
}

/// Where nothing that starts lies on it, nothing is written.
#[test]
fn what_holds_no_start_image_is_left_alone() {
    let (bench, _, _) = unit("saltern", "TH5-E", "TH5.8.3.261104", true);
    let run = up_to(&bench, "Put the recovery inside boot");
    let junk = vec![0x5a; 24 << 20];
    on(&bench.bridge, |device| device.found_with("boot_b", &junk)).unwrap();
    let before = lies(&bench, "boot_a");
    let ended = bench.step(run);
    assert!(
        format!("{ended:?}").contains("boot_b: what lies there takes no recovery"),
        "{ended:?}"
    );
    assert_eq!(lies(&bench, "boot_a"), before);
    assert_eq!(lies(&bench, "boot_b"), junk);
}

/// What is written over it takes it away: the bench believes it no more, and the maker's is seen again.
#[test]
fn what_was_captured_before_takes_it_away_again() {
    let (bench, _, recovery) = unit("saltern", "TH5-E", "TH5.8.3.261104", false);
    let run = up_to(&bench, "Put the recovery inside boot");
    let capture = bench.record().captures.last().unwrap().id;
    let before = lies(&bench, "boot_a");
    bench.go_on(run, "");
    let label = "boot_a".parse().unwrap();
    let keeping = &bench.engine.keeping;
    keeping
        .restore(bench.unit, capture, &[label], &Patient)
        .unwrap();
    assert_eq!(lies(&bench, "boot_a"), before);
    assert_eq!(bench.record().known().recovery(), None);
    bench.reach(Goal::ToStockRecovery);
    assert_eq!(
        on(&bench.bridge, |device| device.truth().1),
        Running::StockRecovery
    );
    assert!(!is_in(
        &lies(&bench, "boot_a"),
        &recovery,
        Replaces::Ramdisk
    ));
    let standing = bench
        .engine
        .views
        .standing_view(bench.unit)
        .unwrap()
        .standing;
    let findings = format!("{:?}", standing.findings);
    assert!(findings.contains("boot was written since"), "{findings}");
}
