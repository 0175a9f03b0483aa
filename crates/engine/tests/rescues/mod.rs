//! From dead to starting: the maker's whole set or package on a unit that nothing reads any more, and what keeps it
//! shut.

use veritope_core::facts::FactKey;
use veritope_core::goal::Goal;
use veritope_core::rule::Rule;
use veritope_engine::StepEnd;
use veritope_engine::runs::RunsError;
use veritope_engine::turns::TurnError;
use veritope_standin::profile::Profile;
use veritope_standin::{Fault, LockState, Running};
use veritope_wire::Digest;

use crate::campaign::person::on;
use crate::relocks::sold::{members, met, profile, shelve, tarred};
use crate::support::Bench;

const BUILD: &str = "OB-510.2610.v6";
const WRITTEN: &str = "Put the maker's set on it";
/// What exists once and never changes by itself.
const ONCE: [&str; 1] = ["sec_efs"];

/// A unit that worked on the bench, and whose kernel is blank all at once; brought where it answers.
fn dead(profile: &Profile, lock: LockState, answers: Running, facts: &[(FactKey, &str)]) -> Bench {
    let bench = met(profile, lock, |_| {});
    bench.clear_shelf();
    bench.engine.links.look(bench.unit).unwrap();
    bench.functions_and_owner();
    on(&bench.bridge, |device| {
        let label = "boot".to_owned();
        device.arm(Fault::Blank { label }).unwrap();
        device.met_in(answers, 1).unwrap();
    });
    bench.engine.links.look(bench.unit).unwrap();
    bench.say(&[
        (FactKey::Starts, "animation"),
        (FactKey::OwnerLogin, "known"),
        (FactKey::Battery, "90"),
    ]);
    bench.say(facts);
    bench
}

fn bramble(lock: LockState, said: &'static str) -> (Bench, Profile) {
    let profile = profile("kelpie", "OB-510E", BUILD);
    let facts = [
        (FactKey::ModelCode, "OB-510E"),
        (FactKey::Build, BUILD),
        (FactKey::Lock, said),
    ];
    let bench = dead(&profile, lock, Running::Download, &facts);
    (bench, profile)
}

fn holds(bench: &Bench, labels: &[&str]) -> Vec<Digest> {
    let of = |label: &&str| {
        on(&bench.bridge, |device| {
            Digest::of(&device.holds(label).unwrap())
        })
    };
    labels.iter().map(of).collect()
}

/// The rules that keep the step shut which is next.
fn shut(bench: &Bench, run: veritope_wire::RunId) -> Vec<Rule> {
    match bench.step(run) {
        Err(RunsError::Turn(TurnError::Closed { missing, .. })) => {
            missing.iter().map(|line| line.rule).collect()
        }
        other => panic!("{other:?}"),
    }
}

/// Cut off in the middle the set counts for nothing; put on it once more it starts, and what exists once is what it
/// was.
#[test]
fn a_locked_unit_starts_again_by_its_makers_whole_set() {
    let (bench, profile) = bramble(LockState::Locked, "locked");
    let wanted = holds(&bench, &ONCE);
    shelve(&bench, &profile);
    let run = bench.begin(Goal::Rescue);
    bench.go_on(run, WRITTEN);
    assert_eq!(shut(&bench, run), [Rule::G2], "what it costs is told first");
    bench.consent(run).unwrap();
    let cut = Fault::CableOutAfter { bytes: 9 << 20 };
    on(&bench.bridge, |device| device.arm(cut)).unwrap();
    let lies = holds(&bench, &["boot", "system"]);
    let ended = bench.step(run).unwrap();
    assert!(matches!(ended, StepEnd::Refused { .. }), "{ended:?}");
    assert_eq!(
        holds(&bench, &["boot", "system"]),
        lies,
        "half a set is none"
    );
    bench.put_back();
    let log = bench.log().join("\n");
    assert!(!log.contains("As expected"), "{log}");
    bench.go_on(run, "");
    assert!(bench.has_reached(Goal::Rescue), "{:#?}", bench.log());
    assert_eq!(bench.truth_now(), (LockState::Locked, Running::System));
    assert_eq!(holds(&bench, &ONCE), wanted);
    let known = bench.record();
    assert_eq!(known.known().text(FactKey::LastPackage), Some(BUILD));
}

/// Whatever is wrong with the set is found before a byte goes out.
#[test]
fn a_set_that_is_not_all_its_makers_is_not_written() {
    let (bench, profile) = bramble(LockState::Locked, "locked");
    let lies = holds(&bench, &["boot", "system"]);
    let mut one_other = members(&profile);
    let boot = one_other.iter_mut().find(|(name, _)| name == "boot.img");
    *boot.unwrap().1.last_mut().unwrap() ^= 1;
    let set = bench.shelve("one-other.tar", &tarred(&one_other));
    let run = bench.begin(Goal::Rescue);
    bench.go_on(run, WRITTEN);
    bench.consent(run).unwrap();
    assert_eq!(shut(&bench, run), [Rule::R1]);
    bench.stop_what_is_open();
    bench
        .engine
        .library
        .remove_file(set, bench.request())
        .unwrap();
    // With what exists once among its members, by whatever name, or with two images of a partition, nothing begins.
    let boot = members(&profile).remove(1).1;
    let cases = [
        ("efs.img", vec![7; 4096], Rule::S1),
        ("efs", vec![7; 4096], Rule::S1),
        // What is there twice is no set at all.
        ("boot.img", boot, Rule::M8),
    ];
    for (name, bytes, rule) in cases {
        let mut more = members(&profile);
        more.push((name.to_owned(), bytes));
        let set = bench.shelve("more.tar", &tarred(&more));
        let runs = &bench.engine.runs;
        match runs.begin_run(bench.unit, Goal::Rescue, bench.request()) {
            Err(RunsError::Turn(TurnError::Closed { missing, .. })) => {
                let rules: Vec<Rule> = missing.iter().map(|line| line.rule).collect();
                assert_eq!(rules, [rule], "{name}");
            }
            other => panic!("{name}: {other:?}"),
        }
        bench
            .engine
            .library
            .remove_file(set, bench.request())
            .unwrap();
    }
    assert_eq!(holds(&bench, &["boot", "system"]), lies);
}

/// A console whose loader reads whatever happens: read out first, then the set, and what exists once stays.
#[test]
fn where_a_loader_reads_it_is_read_out_before_the_set() {
    let profile = Profile::named("thimble").unwrap();
    let facts = [(FactKey::Build, "bobbin-2.3")];
    let bench = dead(&profile, LockState::Unlocked, Running::Download, &facts);
    bench.any_two_places_do();
    let once = ["proinfo", "protect1", "protect2", "devkey"];
    let wanted = holds(&bench, &once);
    shelve(&bench, &profile);
    let run = bench.begin(Goal::Rescue);
    bench.go_on(run, WRITTEN);
    let captures = bench.record().captures.clone();
    assert_eq!(captures.len(), 1, "read out first");
    bench.consent(run).unwrap();
    assert!(shut(&bench, run).contains(&Rule::B6), "in one place only");
    bench
        .engine
        .keeping
        .copy(
            bench.unit,
            captures[0].id,
            bench.stick(),
            &crate::support::Patient,
        )
        .unwrap();
    // It is started with the cable out; then a person plugs it in again.
    bench.go_on(run, "");
    bench.put_back();
    bench.engine.runs.look_at_step(bench.unit).unwrap();
    assert!(bench.has_reached(Goal::Rescue), "{:#?}", bench.log());
    assert_eq!(bench.truth_now().1, Running::System);
    assert_eq!(holds(&bench, &once), wanted);
}

/// Its maker's recovery takes the whole package from the card, though the system does not start.
#[test]
fn a_whole_package_from_the_card_starts_it_again() {
    let profile = profile("mooring", "WM-1", "WM1-3.1-2603");
    let facts = [(FactKey::Build, "WM1-3.1-2603"), (FactKey::Lock, "locked")];
    let bench = dead(&profile, LockState::Locked, Running::StockRecovery, &facts);
    let name = "mallet-full-3.1";
    bench.shelve(name, &veritope_standin::package_bytes(name));
    on(&bench.bridge, |device| device.puts_on_its_card(name)).unwrap();
    bench.say(&[(FactKey::Card, "in"), (FactKey::CardFiles, name)]);
    let wanted = holds(&bench, &["fsg"]);
    bench.reach(Goal::Rescue);
    assert!(bench.has_reached(Goal::Rescue), "{:#?}", bench.log());
    assert_eq!(bench.truth_now(), (LockState::Locked, Running::System));
    assert_eq!(holds(&bench, &["fsg"]), wanted);
}
