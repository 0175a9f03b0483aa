//! Every kind: what it asks for is asked, and nothing that it rests on may be gone.

use std::collections::BTreeMap;

use proptest::prelude::*;
use veritope_wire::Digest;

use super::testing::{
    Bench, IMAGE, LAPWING, MAKERS, erase, every_kind, id, install, install_within, makers_recovery,
    makers_set, part, put_back, put_inside, put_stock, relock, set_slot, start, unlock, write,
    write_to_read,
};
use super::{Act, Ground, Install, Standpoint, list, planned};
use crate::consent::told;
use crate::coverage::testing::capture;
use crate::coverage::{BlankBytes, CaptureFacts, Origin, Torn};
use crate::evidence::{Basis, Cure, Due, Line};
use crate::facts::testing::{at, row};
use crate::facts::{Emptied, FactKey, FactRow, Facts, Happening, Source};
use crate::family::testing::{gimbal, shipped};
use crate::family::{Paired, RouteKind};
use crate::keepsafe::KeepSafe;
use crate::matching::Fit;
use crate::mode::{Mode, Slot};
use crate::relock::{Held, Holds};
use crate::rule::Rule;
use crate::state::Presence;
use crate::worth::Inside;

fn torn(label: &str, image: &[u8]) -> Torn {
    Torn {
        label: label.parse().unwrap(),
        image: Digest::of(image),
        before: None,
        since: at(1),
    }
}

/// There is a unit with which it can be done, and then its list closes for its act and its image alone.
#[test]
fn every_kind_has_a_unit_with_which_it_closes() {
    for bench in every_kind() {
        let word = bench.act.word();
        let complete = bench.close();
        let complete = complete.unwrap_or_else(|closed| panic!("{word}: {closed:#?}"));
        assert_eq!(*complete.act(), bench.act);
        assert_eq!(complete.payload(), bench.payload);
        assert!(complete.until() > bench.now, "{word}");
        let mut other = bench;
        other.payload = Some(Digest::of(b"other bytes"));
        assert_eq!(other.rules(), [Rule::E5], "{word}");
    }
}

/// Where hands put the cable in or out, it is where they need it first (`N4`).
#[test]
fn the_cable_is_where_the_phases_have_it() {
    let mut triggered = 0;
    for (codename, _) in crate::family::SHIPPED {
        let family = shipped(codename.trim_end_matches(".toml"));
        let facts = Facts::default();
        let of = crate::dossier::Dossier::new(&family, &facts, at(1));
        for act in Act::instances(Ground::plain(&of)) {
            let phases = act.how(&family).phases;
            let goes_in = phases
                .iter()
                .any(|phase| phase.kind == crate::family::PhaseKind::CableIn);
            let words = act.words(crate::state::State::from_facts(&facts), &family);
            if goes_in {
                triggered += 1;
                assert_eq!(
                    words.cable,
                    super::Cable::Trigger,
                    "{codename}: {}",
                    words.title
                );
            }
        }
    }
    assert!(triggered >= 3, "{triggered}");
}

/// A search reads less of a list than a person does; what it leaves out it could not have used.
#[test]
fn no_plan_goes_around_what_is_asked_for_last() {
    for mut bench in every_kind() {
        bench.keep_safe = KeepSafe::new();
        (bench.consent, bench.copies, bench.captures) = (None, Vec::new(), Vec::new());
        bench.is_charged_for = false;
        let last = bench.asked(|of| {
            let (on, at) = (Ground::plain(of), Standpoint::now(of));
            let first = planned(&bench.act, on, at).len();
            list(&bench.act, on, at).into_lines().split_off(first)
        });
        for line in last {
            let is_planned_around = line.due == Due::Begin && line.absence().is_some();
            assert!(line.bit.is_none() && !is_planned_around, "{line:#?}");
        }
    }
}

/// What a met line rests on, piece by piece: gone, contradicted, out of date, it opens the list again.
#[test]
fn nothing_that_a_list_rests_on_may_be_gone() {
    let mut counts: BTreeMap<&str, [u32; 4]> = BTreeMap::new();
    for n in 0..every_kind().len() {
        let bench = || every_kind().remove(n);
        let word = bench().act.word();
        let [facts, hashed, copies, consents] = counts.entry(word).or_default();
        for line in bench().lines() {
            assert!(line.is_met(), "{word}: {}", line.text);
            assert!(!line.basis().is_empty(), "{word}: {}", line.text);
            for basis in line.basis() {
                let shut: Vec<(&str, Bench)> = match basis {
                    Basis::Fact(fact) => {
                        *facts += 1;
                        spoilt(&bench, fact.key)
                    }
                    Basis::Hashed { .. } => {
                        *hashed += 1;
                        let mut case = bench();
                        if let Some(shelf) = &mut case.shelf {
                            shelf.is_hashed = false;
                        }
                        case.packages.clear();
                        case.makers = None;
                        case.set = None;
                        if let Some(wish) = &mut case.wish {
                            (wish.verified, wish.present) = (None, None);
                        }
                        vec![("not hashed", case)]
                    }
                    Basis::Copies { .. } => {
                        *copies += 1;
                        let mut gone = bench();
                        gone.copies.clear();
                        let mut unread = bench();
                        unread.read_back = Some((Vec::new(), 20));
                        let mut old = bench();
                        old.read_back = old.read_back.map(|(labels, _)| (labels, 5));
                        let is_read = old.act.part().is_some();
                        let mut all = vec![("no copy", gone)];
                        if is_read {
                            all.extend([("not read back", unread), ("read back long ago", old)]);
                        }
                        all
                    }
                    Basis::Consent { .. } => {
                        *consents += 1;
                        let mut case = bench();
                        case.consent = None;
                        case.keep_safe.clear();
                        vec![("no consent", case)]
                    }
                    // Without a link hands read it.
                    Basis::Log { .. } if line.rule == Rule::B2 => Vec::new(),
                    Basis::Log { .. } => {
                        let mut case = bench();
                        case.held.clear();
                        case.shelf = None;
                        case.by.link = Presence::Missing;
                        if let Some(wish) = &mut case.wish {
                            wish.capture = None;
                        }
                        case.happened.push((Happening::SystemWritten, at(19)));
                        vec![("not in the log", case)]
                    }
                    Basis::Emptied { .. } => {
                        let mut case = bench();
                        case.emptied = Emptied::default();
                        vec![("not seen to end", case)]
                    }
                    // What the family's file says is changed by another file alone.
                    Basis::Clause { .. } | Basis::Ahead | Basis::Device(_) => Vec::new(),
                };
                for (how, case) in shut {
                    let rules = case.rules();
                    assert!(
                        !rules.is_empty(),
                        "{word}, {how}: {} ({basis:?})",
                        line.text
                    );
                }
            }
        }
    }
    let told = counts
        .iter()
        .map(|(word, [facts, hashed, copies, consents])| {
            format!(
                "{word}: {facts} facts, {hashed} hashed, {copies} copies, {consents} consents\n"
            )
        });
    insta::assert_snapshot!(told.collect::<String>());
}

/// After an erase that was seen to end nobody is asked what of theirs is on it, until it may be set up; what
/// was known from before the erase is not needed, and an account that is seen counts more.
#[test]
fn an_erase_that_was_seen_to_end_answers_for_what_is_gone() {
    let mut met = Vec::new();
    for n in 0..every_kind().len() {
        let erased = || {
            let mut bench = every_kind().remove(n);
            bench.forget(FactKey::Accounts);
            bench.forget(FactKey::ScreenLock);
            bench.keep_safe = KeepSafe::new();
            bench
        };
        let told = erased();
        let owner = |rules: Vec<Rule>| {
            let mut rules = rules;
            rules.retain(|rule| matches!(rule, Rule::U6 | Rule::U9 | Rule::R4));
            rules
        };
        let asked = owner(told.kinds());
        if asked.is_empty() {
            continue;
        }
        let mut empty = erased();
        empty.emptied.erased(at(9), false);
        assert_eq!(owner(empty.kinds()), [], "{}", empty.act.word());
        assert!(
            empty
                .lines()
                .iter()
                .any(|line| line.basis().contains(&Basis::Emptied { at: at(9) })),
            "{}",
            empty.act.word()
        );
        empty
            .rows
            .push(row(960, FactKey::Accounts, "1", Source::Person, 10));
        let seen = owner(empty.kinds());
        assert!(seen.contains(&Rule::U6) || !asked.contains(&Rule::U6));
        empty
            .emptied
            .told(&row(960, FactKey::Accounts, "1", Source::Person, 10));
        assert_eq!(owner(empty.kinds()), asked, "{}", empty.act.word());
        met.push(empty.act.word());
    }
    assert!(met.len() >= 4, "{met:?}");
}

/// A fact taken away, contradicted by another source, and out of date.
fn spoilt(bench: &dyn Fn() -> Bench, key: FactKey) -> Vec<(&'static str, Bench)> {
    let mut all = Vec::new();
    // What was lost is often the serial itself.
    if key != FactKey::Serial {
        let mut gone = bench();
        gone.forget(key);
        all.push(("gone", gone));
    }
    let known = bench();
    let value = known.rows.iter().find(|row| row.key == key);
    let spec = key.spec();
    if let (Some(known), true) = (value, spec.steady) {
        let other = known.value.exact().replace(['0', '1', '3'], "2");
        let other = match known.value.exact().as_str() {
            "mine" => "neither".to_owned(),
            "asked" => "mine".to_owned(),
            "locked" => "unlocked".to_owned(),
            "unlocked" => "locked".to_owned(),
            "yes" | "on" => "no".to_owned(),
            _ => other,
        };
        if crate::facts::FactValue::parse(key, &other).is_ok_and(|value| value != known.value) {
            let mut case = bench();
            case.rows.push(row(950, key, &other, Source::Person, 10));
            if let Some(live) = &mut case.live {
                live.push(row(951, key, &other, Source::Person, 10));
            }
            all.push(("contradicted", case));
        }
    }
    if let Some(what) = spec.stale_on.first() {
        let mut case = bench();
        case.happened.push((*what, at(19)));
        case.happened.push((Happening::SystemRan, at(19)));
        // What was seen at this look is as old.
        case.live = None;
        all.push(("out of date", case));
    }
    all
}

proptest! {
    /// Taking any one fact away closes the list, but for those that may be missing.
    #[test]
    fn every_single_fact_is_needed(kind in 5..15usize, gone in 0..9usize) {
        let mut bench = every_kind().remove(kind);
        let keys: Vec<FactKey> = bench.rows.iter().map(|row| row.key).collect();
        let key = keys[gone % keys.len()];
        bench.forget(key);
        let may_be_missing = match key {
            // Another serial in another mode is normal; which slot is left does not matter, nor a lock of a
            // stage that this does not open.
            FactKey::Serial | FactKey::Slot | FactKey::CriticalLock => true,
            _ => bench.act.word() == "temporary-start" && key == FactKey::Battery,
        };
        prop_assert_eq!(bench.rules().is_empty(), may_be_missing, "{} {:?}", bench.act.word(), key);
    }

    #[test]
    fn every_single_class_is_needed(gone in 0..10usize) {
        let mut bench = unlock();
        let class = bench.family.keep_safe[gone];
        bench.keep_safe.remove(&class);
        prop_assert_eq!(bench.rules(), [Rule::U9]);
    }

    #[test]
    fn every_single_copy_is_needed(gone in 0..2usize, verified in 0..2usize) {
        let rules = write().with(|bench| drop(bench.copies.remove(gone)));
        prop_assert_eq!(rules, [Rule::B6]);
        let rules = write().with(|bench| {
            if let Some((labels, _)) = &mut bench.read_back {
                labels.remove(verified);
            }
        });
        prop_assert_eq!(rules, [Rule::B7]);
    }
}

#[test]
fn each_wrong_value_closes_an_unlock_with_its_rule() {
    for (key, value, rule) in [
        (FactKey::Ownership, "neither", Rule::Care),
        (FactKey::Accounts, "1", Rule::U6),
        (FactKey::ScreenLock, "on", Rule::U6),
        (FactKey::Battery, "29", Rule::U7),
    ] {
        let rules = unlock().with(|bench| bench.say(key, value));
        assert_eq!(rules, [rule], "{key:?}");
    }
    assert_eq!(unlock().with(|bench| bench.twin = Some("Ruff")), [Rule::K4]);
    assert_eq!(
        unlock().with(|bench| bench.forget(FactKey::ChipId)),
        [Rule::K4]
    );
    // Nothing is judged for it: that is no charge that carries it.
    assert_eq!(
        unlock().with(|bench| bench.is_charged_for = false),
        [Rule::U7]
    );
}

#[test]
fn what_the_link_says_now_counts_and_not_what_is_remembered() {
    for make in [unlock, erase, set_slot, relock, write, start] {
        for key in [FactKey::Mode, FactKey::Lock] {
            let mut bench = make();
            if let Some(live) = &mut bench.live {
                live.retain(|row| row.key != key);
            }
            assert_eq!(bench.kinds(), [Rule::L3], "{} {key:?}", bench.act.word());
        }
        let mut elsewhere = make();
        if let Some(live) = &mut elsewhere.live {
            live.retain(|row| row.key != FactKey::Mode);
            live.push(row(77, FactKey::Mode, "system", Source::Link, 1));
        }
        assert_eq!(elsewhere.kinds(), [Rule::L3], "{}", elsewhere.act.word());
    }
}

#[test]
fn a_list_that_was_read_for_a_sheet_closes_nothing() {
    let bench = unlock();
    let closed = bench.asked(|of| {
        let later = Standpoint::later(Standpoint::now(of).state);
        list(&bench.act, Ground::plain(of), later).close(None)
    });
    let missing = closed.unwrap_err().missing;
    assert_eq!(missing.len(), 1, "{missing:?}");
}

#[test]
fn an_image_that_is_still_open_closes_nothing() {
    for mut bench in [start(), write()] {
        bench.act = Act::read(bench.act.word(), &{
            let mut args = bench.act.args();
            args.remove("image");
            args
        })
        .unwrap();
        assert_eq!(bench.rules(), [Rule::E5]);
        bench.payload = None;
        assert_eq!(bench.rules(), [Rule::E5]);
        bench.act = bench.act.choosing(Digest::of(b"another"));
        bench.payload = Some(Digest::of(b"another"));
        assert_eq!(bench.rules(), [Rule::E5], "not the one that was hashed");
    }
}

#[test]
fn a_consent_counts_for_its_name_its_act_and_its_text() {
    for (make, rule) in [
        (unlock as fn() -> Bench, Rule::U11),
        (erase, Rule::G5),
        (relock, Rule::R5),
        (install, Rule::G2),
    ] {
        assert_eq!(make().with(|bench| bench.consent = None), [rule]);
        assert_eq!(make().with(|bench| bench.nickname = "Another"), [rule]);
        let other = |bench: &mut Bench| {
            bench.consent.as_mut().unwrap().stage = "something else".to_owned();
        };
        assert_eq!(make().with(other), [rule]);
        let text = |bench: &mut Bench| bench.consent.as_mut().unwrap().told = told(&[]);
        assert_eq!(make().with(text), [rule]);
    }
}

#[test]
fn what_an_unlock_destroys_is_named_and_waits_for_its_copy() {
    let family = shipped("lodestar");
    let stage = family.main_stages().next().unwrap().id.clone();
    let mut bench = unlock();
    bench.family = family;
    bench.act = super::Unlock { stage }.into();
    let costs = bench.asked(|of| bench.act.costs(of)).unwrap();
    let named = |one: &crate::family::Consequence| one.text.contains("vkeys exists once");
    assert!(costs.consequences.iter().any(named), "{costs:?}");
    let vkeys = |root: Option<&str>| {
        let facts: Vec<FactRow> = root
            .map(|root| row(9, FactKey::Root, root, Source::Person, 1))
            .into_iter()
            .collect();
        let facts = Facts::new(&facts, &[], []);
        bench.asked(|of| {
            let of = crate::dossier::Dossier {
                facts: &facts,
                live: None,
                ..*of
            };
            let lines = list(&bench.act, Ground::plain(&of), Standpoint::now(&of)).into_lines();
            let mut lines = lines.into_iter();
            lines.find(|line| line.text.contains("vkeys")).unwrap()
        })
    };
    assert!(vkeys(Some("no")).is_met(), "nothing could copy it");
    assert!(vkeys(None).is_unknown(), "unread is not no");
    let held = vkeys(Some("yes"));
    assert!(!held.is_met(), "a copy could be made, and is not");
    assert_eq!(
        held.cure(),
        Some(&Cure::Capture),
        "it can be made: that comes first"
    );
    assert!(held.absence().is_none());
}

/// `G1`, `G5`, `G8`: an erase in the middle of an update leaves nothing that starts.
#[test]
fn an_update_that_is_merging_holds_what_erases_or_switches() {
    for make in [erase as fn() -> Bench, set_slot] {
        assert_eq!(
            make().with(|bench| bench.say(FactKey::Merging, "merging")),
            [Rule::G5]
        );
        assert_eq!(
            make().with(|bench| bench.forget(FactKey::Merging)),
            [Rule::G5]
        );
    }
    // Where updates don't merge, nothing asks.
    let asks = |line: &Line| line.text.contains("merged");
    assert!(!unlock().lines().iter().any(asks));
}

#[test]
fn each_single_piece_that_is_missing_keeps_an_erase_shut() {
    type Spoil = fn(&mut Bench);
    let cases: [(Spoil, Rule); 6] = [
        (|b| b.forget(FactKey::Ownership), Rule::Care),
        (|b| b.say(FactKey::Accounts, "1"), Rule::U6),
        (|b| b.say(FactKey::ScreenLock, "on"), Rule::U6),
        (|b| b.say(FactKey::Battery, "12"), Rule::U7),
        (|b| b.keep_safe.clear(), Rule::U9),
        (|b| b.torn.push(torn("boot_a", b"x")), Rule::S3),
    ];
    for (spoil, rule) in cases {
        assert_eq!(erase().with(spoil), [rule]);
    }
}

#[test]
fn a_slot_that_ships_empty_or_is_not_whole_is_never_switched_to() {
    let in_b = |held: &Held| held.label.as_str().ends_with("_b");
    let empty = set_slot().with(|case| {
        for held in case.held.iter_mut().filter(|held| in_b(held)) {
            held.holds = Holds::Empty;
        }
    });
    assert_eq!(empty, [Rule::Q11]);
    let unread = set_slot().with(|case| case.held.retain(|one| one.label.as_str() != "boot_b"));
    assert_eq!(unread, [Rule::Q11]);
    let boot = |case: &mut Bench, label: &str, holds: Holds| {
        let mut all = case.held.iter_mut();
        all.find(|one| one.label.as_str() == label).unwrap().holds = holds;
    };
    for holds in [
        Holds::Foreign,
        Holds::Empty,
        Holds::Stock {
            build: "TH5.8.2.260905".to_owned(),
        },
    ] {
        assert_eq!(
            set_slot().with(|case| boot(case, "boot_b", holds)),
            [Rule::Q11]
        );
    }
    // The slot that is left may hold what it will.
    let left = set_slot().with(|case| boot(case, "boot_a", Holds::Foreign));
    assert_eq!(left, []);
    assert_eq!(
        set_slot().with(|case| case.say(FactKey::RollbackIndex, "9")),
        [Rule::W1]
    );
    // Unknown is not zero.
    assert_eq!(
        set_slot().with(|case| case.forget(FactKey::RollbackIndex)),
        [Rule::W1]
    );
    assert_eq!(set_slot().with(|case| case.keep_safe.clear()), [Rule::U9]);
    let pair = super::SetSlot { slot: Slot::B };
    let one_slot = set_slot().with(|case| {
        case.family = gimbal();
        case.act = pair.into();
    });
    assert!(one_slot.contains(&Rule::G5), "{one_slot:?}");
}

#[test]
fn anything_foreign_refuses_a_relock_by_name_and_no_word_changes_it() {
    let mut bench = relock();
    for held in &mut bench.held {
        if matches!(held.label.as_str(), "vendor" | "recovery") {
            held.holds = Holds::Foreign;
        }
    }
    bench.say(FactKey::Recovery, "stock");
    let missing = bench.close().unwrap_err().missing;
    assert_eq!(missing[0].rule, Rule::R7);
    assert!(missing[0].text.contains("recovery"), "{}", missing[0].text);
    assert!(missing[0].text.contains("vendor"), "{}", missing[0].text);
    let labels = ["recovery", "vendor"].map(|label| label.parse().unwrap());
    let labels = labels.into();
    assert_eq!(missing[0].cure(), Some(&Cure::PutStock { labels }));
}

#[test]
fn each_other_piece_keeps_a_relock_shut_with_its_rule() {
    type Spoil = fn(&mut Bench);
    let cases: [(Spoil, &[Rule]); 12] = [
        // What nothing proves is no stock.
        (
            |b| b.held.retain(|one| one.label.as_str() != "modem"),
            &[Rule::R1],
        ),
        (|b| b.say(FactKey::RollbackIndex, "4"), &[Rule::R2]),
        (
            |b| b.happened.push((Happening::SystemWritten, at(8))),
            &[Rule::R3],
        ),
        // The ticks are older too, and what runs may be another one. The fuse waits for a start.
        (
            |b| b.happened.push((Happening::SystemWritten, at(10))),
            &[Rule::R1, Rule::R3],
        ),
        (
            |b| {
                b.happened.push((Happening::SystemWritten, at(10)));
                b.happened.push((Happening::SystemRan, at(11)));
            },
            &[Rule::R1, Rule::R2, Rule::R3],
        ),
        (|b| b.say(FactKey::Toggle, "off"), &[Rule::R6]),
        (|b| b.say(FactKey::Accounts, "1"), &[Rule::R4]),
        (|b| b.keep_safe.clear(), &[Rule::R4]),
        (|b| b.say(FactKey::Ownership, "neither"), &[Rule::Care]),
        // What the broken write left there is no proof of anything.
        (|b| b.torn.push(torn("vendor", b"x")), &[Rule::R1, Rule::S3]),
        (|b| b.forget(FactKey::Build), &[Rule::R1]),
        (|b| b.say(FactKey::Build, "LN3X.7.0.2607"), &[Rule::R1]),
    ];
    for (n, (spoil, rules)) in cases.into_iter().enumerate() {
        assert_eq!(relock().with(spoil), rules, "case {n}");
    }
    assert_eq!(relock().with(|b| b.say(FactKey::Build, LAPWING)), []);
}

#[test]
fn a_package_needs_its_digest_its_place_its_base_and_what_it_declares() {
    let package = |bench: &mut Bench, change: fn(&mut crate::family::PackageSpec)| {
        let name = bench.act.file().unwrap().to_owned();
        let mut all = bench.family.packages.iter_mut();
        change(all.find(|one| one.name == name).unwrap());
    };
    assert_eq!(install().with(|b| b.packages.clear()), [Rule::Q11]);
    assert_eq!(
        install().with(|b| b.packages[0].1 = b"half of it"),
        [Rule::M8]
    );
    assert_eq!(
        install().with(|b| package(b, |one| one.keeps_unique = false)),
        [Rule::G2]
    );
    assert_eq!(
        install().with(|b| package(b, |one| one.blake3 = None)),
        [Rule::M8]
    );
    assert_eq!(
        install().with(|b| b.say(FactKey::RollbackIndex, "1")),
        [Rule::W1]
    );
    let other = install().with(|b| {
        b.act = Install {
            package: "mallet-3.2-to-3.3".to_owned(),
            image: None,
        }
        .into();
    });
    assert_eq!(other, [Rule::G2, Rule::Q11, Rule::Q12]);
}

#[test]
fn once_unlocked_copies_can_be_there_and_must() {
    let rules = install().with(|b| b.say(FactKey::Lock, "unlocked"));
    assert!(rules.contains(&Rule::B6), "{rules:?}");
    let rule = |lock: &str| {
        let mut bench = install();
        bench.say(FactKey::Lock, lock);
        bench.asked(|of| bench.act.rule(of))
    };
    assert_eq!((rule("locked"), rule("unlocked")), (Rule::G2, Rule::G4));
}

#[test]
fn what_the_units_own_screens_must_say_keeps_every_foreign_write_shut() {
    let said = [
        (FactKey::Toggle, "fixed-on"),
        (FactKey::DownloadGuard, "checking"),
        (FactKey::ResetLock, "off"),
    ];
    for make in [write as fn() -> Bench, put_stock] {
        let guarded = || {
            let mut bench = make();
            bench.family.before_foreign = shipped("kelpie").before_foreign;
            bench
        };
        assert_eq!(guarded().kinds(), [Rule::L5]);
        let say = |bench: &mut Bench| said.iter().for_each(|(key, value)| bench.say(*key, value));
        assert_eq!(guarded().with(say), []);
        let waiting = |bench: &mut Bench| {
            say(bench);
            bench.say(FactKey::DownloadGuard, "waiting");
        };
        assert_eq!(guarded().with(waiting), [Rule::L5]);
    }
}

#[test]
fn a_copy_that_is_garbage_counts_as_none_and_one_that_is_away_by_the_log() {
    let mut bench = write();
    let second = bench.copies[1].place;
    bench.garbled = vec![second];
    assert_eq!(bench.kinds(), [Rule::B7]);
    bench.away = vec![second];
    assert_eq!(bench.kinds(), []);
    // Away all of them: nothing was seen.
    bench.garbled = bench.copies.iter().map(|copy| copy.place).collect();
    bench.away.clone_from(&bench.garbled);
    assert_eq!(bench.kinds(), [Rule::B7]);
    // Only asked about: that is left to the step, and closes nothing.
    assert_eq!(write().with(|bench| bench.read_back = None), [Rule::B7]);
}

#[test]
fn each_lack_closes_a_write_with_its_rule() {
    type Spoil = fn(&mut Bench);
    fn onto(bench: &mut Bench, label: &str) {
        let image = Some(Digest::of(IMAGE));
        let label = label.parse().unwrap();
        bench.act = super::WriteImage { label, image }.into();
    }
    let cases: [(Spoil, &[Rule]); 11] = [
        (|b| b.captures.clear(), &[Rule::B3, Rule::Q1]),
        (|b| b.is_table_read = false, &[Rule::B6, Rule::Q1]),
        (
            |b| b.read_back = Some((vec!["persist", "modemst1"], 9)),
            &[Rule::B7],
        ),
        (
            |b| b.shelf.as_mut().unwrap().published = b"another",
            &[Rule::M8],
        ),
        (
            |b| b.shelf.as_mut().unwrap().codename = "kelpie",
            &[Rule::M1],
        ),
        (|b| onto(b, "persist"), &[Rule::S1]),
        (|b| onto(b, "misc"), &[Rule::S5]),
        (|b| onto(b, "aboot"), &[Rule::G4]),
        (|b| onto(b, "attic"), &[Rule::Q1, Rule::S1]),
        (|b| b.torn.push(torn("persist", b"x")), &[Rule::S3]),
        (|b| b.shelf = None, &[Rule::M1]),
    ];
    for (n, (spoil, wanted)) in cases.into_iter().enumerate() {
        assert_eq!(write().with(spoil), wanted, "case {n}");
    }
    // An interrupted write is taken up again, or written over whole by another list.
    for image in [IMAGE, b"another image"] {
        assert_eq!(write().with(|b| b.torn = vec![torn("recovery", image)]), []);
    }
}

/// What goes inside an image of the unit's own was made of that image and of the recovery that was judged; it is a
/// foreign write like any other.
#[test]
fn what_is_put_inside_was_made_of_what_lies_there_and_of_the_judged_recovery() {
    type Spoil = fn(&mut Bench);
    assert_eq!(put_inside().kinds(), []);
    let cases: [(Spoil, &[Rule]); 10] = [
        (|b| b.made = None, &[Rule::Q11]),
        (
            |b| b.made.as_mut().unwrap().0 = "boot".parse().unwrap(),
            &[Rule::Q11],
        ),
        (
            |b| b.made.as_mut().unwrap().1 = Digest::of(b"another"),
            &[Rule::Q11],
        ),
        (
            |b| b.made.as_mut().unwrap().2 = Digest::of(b"another"),
            &[Rule::Q11],
        ),
        (|b| b.payload = Some(Digest::of(b"another")), &[Rule::E5]),
        (
            |b| b.shelf.as_mut().unwrap().codename = "kelpie",
            &[Rule::M1],
        ),
        (|b| b.shelf = None, &[Rule::M1]),
        (|b| b.captures.clear(), &[Rule::B3, Rule::Q1]),
        (|b| b.torn.push(torn("persist", b"x")), &[Rule::S3]),
        (|b| b.family.recovery_inside = None, &[Rule::M3]),
    ];
    for (n, (spoil, wanted)) in cases.into_iter().enumerate() {
        assert_eq!(put_inside().with(spoil), wanted, "case {n}");
    }
    assert_eq!(
        put_inside().with(|b| b.torn = vec![torn("recovery", IMAGE)]),
        []
    );
}

/// `M11`, `M12`: what installs itself is judged like what is written, where it runs.
#[test]
fn what_runs_from_memory_installs_itself_under_the_same_lines_as_a_write() {
    assert_eq!(install_within().kinds(), []);
    type Case<'a> = (fn(&mut Bench), &'a [Rule]);
    let cases: [Case<'_>; 5] = [
        (|b| b.shelf = None, &[Rule::M1]),
        (
            |b| b.shelf.as_mut().unwrap().codename = "kelpie",
            &[Rule::M1],
        ),
        (|b| b.payload = Some(Digest::of(b"another")), &[Rule::E5]),
        (|b| b.captures.clear(), &[Rule::B3, Rule::Q1]),
        (|b| b.family.install_within = None, &[Rule::M11]),
    ];
    for (n, (spoil, wanted)) in cases.into_iter().enumerate() {
        assert_eq!(install_within().with(spoil), wanted, "case {n}");
    }
}

#[test]
fn writing_to_be_able_to_read_needs_no_copies_and_is_refused_where_another_way_is() {
    assert_eq!(write_to_read().kinds(), []);
    let rules = write_to_read().with(|b| b.family.temporary_start = gimbal().temporary_start);
    assert_eq!(rules, [Rule::B1]);
    let bench = write_to_read();
    assert_eq!(bench.asked(|of| bench.act.rule(of)), Rule::G3);
    assert!(
        gimbal()
            .read_routes
            .iter()
            .any(|route| route.kind == RouteKind::TemporaryStart)
    );
}

/// What goes back is what its maker published of the very build that runs, and it is a foreign write like any
/// other: copies, a way back, no half-written part beside it.
#[test]
fn the_makers_recovery_goes_back_as_published_for_the_build_that_runs() {
    type Spoil = fn(&mut Bench);
    assert_eq!(makers_recovery().kinds(), []);
    let cases: [(Spoil, &[Rule]); 8] = [
        (|b| b.makers = Some(b"another"), &[Rule::R1]),
        (|b| b.makers = None, &[Rule::Q11]),
        (|b| b.stock.clear(), &[Rule::Q8]),
        (|b| b.stock[0].build = "another".to_owned(), &[Rule::Q8]),
        (|b| b.forget(FactKey::Build), &[Rule::Q8]),
        (|b| b.family.builds[0].images.clear(), &[Rule::R1]),
        (|b| b.captures.clear(), &[Rule::B3, Rule::Q1]),
        (|b| b.torn.push(torn("persist", b"x")), &[Rule::S3]),
    ];
    for (n, (spoil, wanted)) in cases.into_iter().enumerate() {
        assert_eq!(makers_recovery().with(spoil), wanted, "case {n}");
    }
    // Half of it is written over.
    assert_eq!(
        makers_recovery().with(|b| b.torn = vec![torn("recovery", MAKERS)]),
        []
    );
}

/// The rescue of a unit that nothing reads goes without copies, by what its maker published and nothing else; where
/// it can be read, they come first.
#[test]
fn the_makers_set_is_proven_and_goes_without_copies_only_where_nothing_reads() {
    type Spoil = fn(&mut Bench);
    let cases: [(Spoil, &[Rule]); 12] = [
        (|b| b.stock.clear(), &[Rule::M8]),
        (|b| b.stock[0].is_inside = true, &[Rule::M8]),
        (|b| b.stock[0].build = "another".to_owned(), &[Rule::M8]),
        (
            |b| b.stock[0].strays.push("persist.img".to_owned()),
            &[Rule::S1],
        ),
        (|b| b.set = None, &[Rule::R1]),
        (
            |b| b.set.as_mut().unwrap().file = Digest::of(b"x"),
            &[Rule::R1],
        ),
        (
            |b| b.set.as_mut().unwrap().images[0].1 = Digest::of(b"x"),
            &[Rule::R1],
        ),
        (|b| b.family.builds[0].images.clear(), &[Rule::R1]),
        // Another text than the one that ships proves nothing.
        (|b| b.family.digest = Digest::of(b"edited"), &[Rule::R1]),
        (|b| b.forget(FactKey::Lock), &[Rule::L3]),
        // What is open can be read first.
        (|b| b.say(FactKey::Lock, "unlocked"), &[Rule::B6, Rule::G4]),
        (|b| b.torn.push(torn("persist", b"x")), &[Rule::S3]),
    ];
    for (n, (spoil, wanted)) in cases.into_iter().enumerate() {
        assert_eq!(makers_set().with(spoil), wanted, "case {n}");
    }
    let tried = |times: u8| {
        move |b: &mut Bench| {
            b.say(FactKey::Lock, "unlocked");
            b.failed_reads = times;
        }
    };
    // Once may be a slip of hands.
    assert_eq!(makers_set().with(tried(1)), [Rule::B6, Rule::G4]);
    assert_eq!(makers_set().with(tried(2)), [], "tried twice");
}

/// What lives grows older with each start: a package that leaves alone what exists once takes it as it was
/// captured on the way, and any other write wants it as it is now (`B6`).
#[test]
fn what_lives_may_be_older_for_a_package_that_leaves_it_alone() {
    let ran = |b: &mut Bench| b.system_ran = b.now;
    assert_eq!(makers_recovery().with(ran), [Rule::B6]);
    assert_eq!(write().with(ran), [Rule::B6]);
    let unlocked = |bench: &mut Bench| {
        bench.say(FactKey::Lock, "unlocked");
        bench.is_table_read = true;
        bench.captures = write().captures;
        bench.copies = write().copies;
        bench.read_back = write().read_back;
    };
    let open = install().with(unlocked);
    let mut aged = install();
    unlocked(&mut aged);
    ran(&mut aged);
    assert!(!aged.kinds().contains(&Rule::B6), "{:?}", aged.kinds());
    assert_eq!(aged.kinds(), open);
    aged.captures.clear();
    assert!(aged.kinds().contains(&Rule::B3), "never captured is no age");
}

/// What is started may do anything, so it is one that fits, with the digest of its publisher.
#[test]
fn what_is_started_from_memory_is_judged_like_what_is_written() {
    type Spoil = fn(&mut Bench);
    let cases: [(Spoil, &[Rule]); 6] = [
        (
            |b| b.shelf.as_mut().unwrap().published = b"another",
            &[Rule::M8],
        ),
        (
            |b| b.shelf.as_mut().unwrap().codename = "kelpie",
            &[Rule::M1],
        ),
        (
            |b| b.shelf.as_mut().unwrap().is_hashed = false,
            &[Rule::Q11],
        ),
        (|b| b.say(FactKey::Ownership, "neither"), &[Rule::Care]),
        (|b| b.twin = Some("Another"), &[Rule::K4]),
        (|b| b.forget(FactKey::ChipId), &[Rule::K4]),
    ];
    for (n, (spoil, wanted)) in cases.into_iter().enumerate() {
        assert_eq!(start().with(spoil), wanted, "case {n}");
    }
    // What is torn is put back from what is started: that is no reason against it.
    assert_eq!(start().with(|b| b.torn.push(torn("persist", b"x"))), []);
}

/// The other unit's bytes, in whatever clothes.
#[test]
fn another_units_capture_is_refused_under_each_disguise() {
    type Disguise = fn(&mut Bench);
    fn named(bench: &mut Bench, key: &str, value: &str) {
        let ids = &mut bench.wish.as_mut().unwrap().identifiers;
        ids.insert(key.to_owned(), value.to_owned());
    }
    let disguises: [(&str, Disguise); 6] = [
        ("its own", |b| named(b, "chip-id", "9a:77:01:31:b8:0d")),
        ("the right serial, another chip", |b| {
            named(b, "chip-id", "9a:77:01:5c:20:e5");
        }),
        ("no chip id at all", |b| {
            b.wish.as_mut().unwrap().identifiers.remove("chip-id");
        }),
        ("a placeholder for a chip id", |b| {
            named(b, "chip-id", "00:00:00:00:00:00");
        }),
        ("a manifest that was rewritten to match", |b| {
            b.wish.as_mut().unwrap().manifest = Digest::of(b"rewritten");
        }),
        ("another serial", |b| named(b, "serial", "FL1-211130-0417")),
    ];
    for (name, disguise) in disguises {
        assert_eq!(put_back().with(disguise), [Rule::S1], "{name}");
    }
    // A lost serial is normal.
    let lost = |b: &mut Bench| drop(b.wish.as_mut().unwrap().identifiers.remove("serial"));
    assert_eq!(put_back().with(lost), []);
}

/// `S1` by what the link says now, and a contradicted identifier is a different one.
#[test]
fn what_the_link_says_now_counts_and_a_contradiction_is_another_unit() {
    fn live(bench: &mut Bench, key: FactKey, value: &str) {
        let live = bench.live.as_mut().unwrap();
        live.retain(|one| one.key != key);
        live.push(row(90, key, value, Source::Link, 1));
    }
    assert_eq!(
        put_back().with(|b| live(b, FactKey::Serial, "FL1-211130-0417")),
        [Rule::S1]
    );
    let differs = row(91, FactKey::Serial, "FL1-211130-0417", Source::Person, 2);
    assert_eq!(put_back().with(|b| b.rows.push(differs)), [Rule::S1]);
    // A placeholder is missing, which is normal but for the hardware identity.
    assert_eq!(
        put_back().with(|b| live(b, FactKey::Serial, "0123456789abcdef")),
        []
    );
    // The serial of another mode is told by the pairs, and by nothing else.
    let elsewhere = |b: &mut Bench| {
        live(b, FactKey::Mode, "custom-recovery");
        live(b, FactKey::Serial, "FL77");
    };
    assert_eq!(put_back().with(elsewhere), [Rule::S1]);
    let pair = |mode, value: &str| Paired {
        key: FactKey::Serial,
        mode,
        value: value.to_owned(),
    };
    let told = |b: &mut Bench| {
        elsewhere(b);
        b.paired = vec![
            pair(Mode::TemporaryRecovery, "FL1-220417-0093"),
            pair(Mode::CustomRecovery, "FL77"),
        ];
    };
    assert_eq!(put_back().with(told), []);
}

/// `E4`: the all-zero capture of the mishap stays where it is.
#[test]
fn a_blank_or_worse_image_never_goes_over_a_better_one() {
    fn persist(capture: &mut CaptureFacts) -> &mut crate::coverage::CapturedFacts {
        let mut parts = capture.partitions.iter_mut();
        parts.find(|part| part.label.as_str() == "persist").unwrap()
    }
    fn wished(bench: &mut Bench) -> &mut crate::coverage::CapturedFacts {
        persist(bench.wish.as_mut().unwrap().capture.as_mut().unwrap())
    }
    let there = Digest::of(b"what lies there");
    let mut bench = put_back();
    bench.captures = vec![capture(2, 15)];
    wished(&mut bench).blank = BlankBytes::Zeros;
    assert_eq!(bench.kinds(), [Rule::E4]);
    // Over a blank one it would still only take away.
    let other = persist(&mut bench.captures[0]);
    (other.blank, other.blake3) = (BlankBytes::Ones, there);
    assert_eq!(bench.kinds(), [Rule::E4]);
    // Without its file system over one that has it.
    let mut bench = put_back();
    bench.captures = vec![capture(2, 15)];
    let other = persist(&mut bench.captures[0]);
    other.blake3 = there;
    other.inside = Some(Inside::FileSystem {
        kind: "FAT".to_owned(),
    });
    wished(&mut bench).inside = Some(Inside::Other);
    assert_eq!(bench.kinds(), [Rule::E4]);
    // The other way round is what a putting back is for.
    bench.captures.clear();
    assert_eq!(bench.kinds(), []);
}

#[test]
fn each_lack_closes_a_putting_back_with_its_rule() {
    type Spoil = fn(&mut super::testing::Wish);
    let cases: [(Spoil, &[Rule]); 7] = [
        (|w| w.capture = None, &[Rule::E4, Rule::S1, Rule::S2]),
        (|w| w.origin = Origin::Declared, &[Rule::S1]),
        (|w| w.verified = None, &[Rule::S2]),
        (|w| w.verified = Some(("persist", 5)), &[Rule::S2]),
        (|w| w.verified = Some(("modemst1", 20)), &[Rule::S2]),
        (|w| w.present = None, &[Rule::S2]),
        (|w| w.own.length_bytes += 512, &[Rule::S1]),
    ];
    for (n, (spoil, wanted)) in cases.into_iter().enumerate() {
        let rules = put_back().with(|b| spoil(b.wish.as_mut().unwrap()));
        assert_eq!(rules, wanted, "case {n}");
    }
    assert_eq!(
        put_back().with(|b| b.say(FactKey::Battery, "29")),
        [Rule::U7]
    );
}

fn onto(bench: &mut Bench, label: &'static str) {
    let image = Some(Digest::of(label.as_bytes()));
    bench.act = super::PutBack {
        label: label.parse().unwrap(),
        capture: id(1),
        image,
    }
    .into();
    bench.payload = image;
    let wish = bench.wish.as_mut().unwrap();
    wish.own = part(label);
    wish.verified = Some((label, 20));
}

/// `S2`, `W1`: the unit's own bytes too; a build that is not known has no index, and never a 0.
#[test]
fn own_bytes_that_start_it_are_not_put_back_below_the_fuse() {
    let mut bench = put_back();
    let builds = &mut bench.family.builds;
    *builds = shipped("cinder").builds;
    builds.truncate(1);
    let mut older = builds[0].clone();
    older.id = "older".to_owned();
    (builds[0].rollback, older.rollback) = (3, 2);
    let runs = builds[0].id.clone();
    builds.push(older);
    onto(&mut bench, "recovery");
    bench.say(FactKey::Build, &runs);
    for (build, wanted) in [
        (Some(runs.as_str()), &[][..]),
        (Some("older"), &[Rule::W1]),
        (Some("of nobody"), &[Rule::W1]),
        (None, &[Rule::W1]),
    ] {
        let capture = bench.wish.as_mut().unwrap().capture.as_mut().unwrap();
        capture.build = build.map(str::to_owned);
        assert_eq!(bench.kinds(), wanted, "{build:?}");
    }
    // What runs is not known, so neither is what may be fused.
    bench.wish.as_mut().unwrap().capture.as_mut().unwrap().build = Some(runs);
    bench.forget(FactKey::Build);
    assert_eq!(bench.kinds(), [Rule::W1]);
}

#[test]
fn roles_that_are_never_put_back_are_refused() {
    for (name, rule) in [
        ("misc", Rule::S5),
        ("aboot", Rule::S3),
        ("userdata", Rule::S4),
        ("cache", Rule::S3),
    ] {
        assert_eq!(put_back().with(|b| onto(b, name)), [rule], "{name}");
    }
}

#[test]
fn a_torn_partition_takes_what_writes_it_whole_and_holds_the_others() {
    assert_eq!(
        put_back().with(|b| b.torn = vec![torn("persist", b"x")]),
        []
    );
    assert_eq!(
        put_back().with(|b| b.torn = vec![torn("modemst1", b"x")]),
        [Rule::S3]
    );
}

#[test]
fn the_makers_bytes_go_by_the_list_of_a_write_and_never_onto_what_exists_once() {
    let bench = put_stock();
    assert_eq!(bench.asked(|of| bench.act.rule(of)), Rule::G4);
    assert_eq!(put_stock().with(|b| b.is_table_read = false), [Rule::B6]);
    // Every copy of what exists once is read back now, as before any foreign write.
    assert_eq!(
        put_stock().with(|b| b.read_back = Some((Vec::new(), 20))),
        [Rule::B7]
    );
    assert_eq!(
        put_stock().with(|b| b.wish.as_mut().unwrap().set[0].fit = Fit::Stops),
        [Rule::M2]
    );
    // A capture of a unit can't pass for a set, nor a set for a capture.
    let read = |b: &mut Bench| {
        b.wish.as_mut().unwrap().capture.as_mut().unwrap().origin = Origin::Read;
    };
    assert_eq!(put_stock().with(read), [Rule::S1]);
    let once = put_stock().with(|b| {
        let image = Some(Digest::of(b"persist"));
        b.act = super::PutStock {
            label: "persist".parse().unwrap(),
            set: id(9),
            image,
        }
        .into();
        b.payload = image;
        let wish = b.wish.as_mut().unwrap();
        (wish.own, wish.verified) = (part("persist"), Some(("persist", 20)));
    });
    assert!(once.contains(&Rule::S1), "{once:?}");
}

/// What is written down is read as the same act, and every kind has words of its own.
#[test]
fn every_act_comes_back_as_it_was_written_down() {
    let mut words = Vec::new();
    for bench in every_kind() {
        let (word, args) = (bench.act.word(), bench.act.args());
        assert_eq!(Act::read(word, &args), Some(bench.act));
        words.push(word);
    }
    words.sort_unstable();
    words.dedup();
    assert_eq!(words.len(), every_kind().len());
    assert_eq!(Act::read("no such act", &super::Args::new()), None);
}
