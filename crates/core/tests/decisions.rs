//! The decision table (`decisions.txt`): facts in; verdict, rule ids and next check out. And what
//! must hold whatever the facts are.

#![expect(clippy::unwrap_used, reason = "a test fails by panicking")]

use std::collections::BTreeMap;
use std::sync::Arc;

use proptest::prelude::*;
use veritope_core::budget::Policy;
use veritope_core::dossier::{By, Dossier, Shelved, StockAtHand};
use veritope_core::evidence::{Basis, Line};
use veritope_core::facts::{FactKey, FactKind, FactRow, FactValue, Facts, InSight, Source};
use veritope_core::family::{Family, SHIPPED, load};
use veritope_core::keepsafe::{KeepSafe, Kept};
use veritope_core::published::SeenFile;
use veritope_core::standing::{Depth, Finality, Standing, StandingInput, Verdict, judge};
use veritope_core::state::Presence;
use veritope_core::steady::alone;
use veritope_wire::{BenchTime, Digest, WallTime};

const HOUR_MS: i64 = 3_600_000;

fn now() -> BenchTime {
    alone("2026-11-25T10:00:00Z".parse().unwrap())
}

fn families() -> BTreeMap<String, Family> {
    SHIPPED
        .iter()
        .map(|(file, text)| load(file, text).unwrap())
        .map(|mut family| {
            // Packages whose bytes are their names: as published, once they lie on the shelf.
            for package in &mut family.packages {
                package.blake3 = Some(Digest::of(package.name.as_bytes()));
            }
            (family.codename.clone(), family)
        })
        .collect()
}

/// The packages of a family as they lie on the shelf, hashed there.
fn shelf(family: &Family) -> BTreeMap<String, Arc<SeenFile>> {
    let packages = family.packages.iter();
    let seen = packages.map(|one| {
        (
            one.name.clone(),
            Arc::new(SeenFile::of(one.name.as_bytes())),
        )
    });
    seen.collect()
}

/// The whole packages as they lie there: each brings its maker's images of its build.
fn stock(family: &Family) -> Vec<StockAtHand> {
    let packages = family.packages.iter().filter(|one| one.from.is_none());
    let brought = packages.map(|one| StockAtHand {
        name: one.name.clone(),
        digest: Digest::of(one.name.as_bytes()),
        build: family.builds[one.to].id.clone(),
        labels: None,
        strays: Vec::new(),
        is_inside: false,
    });
    brought.collect()
}

/// What a row of the table changes but the facts.
#[derive(Clone, Copy)]
struct Around {
    kept: bool,
    shelved: bool,
    token: Presence,
}

const AT_HAND: Around = Around {
    kept: true,
    shelved: true,
    token: Presence::Here,
};

fn row(n: usize, key: FactKey, value: &str) -> FactRow {
    // Said a minute ago, or as many hours as stand behind the sign.
    let (value, ago_ms) = match value.split_once('@') {
        Some((value, hours)) => (value, hours.parse::<i64>().unwrap() * HOUR_MS),
        None => (value, 60_000),
    };
    let is_moment = key.spec().kind == FactKind::Moment;
    let value = if is_moment && value.parse::<i64>().is_ok() {
        let hours: i64 = value.parse().unwrap();
        WallTime::nearest_ms(now().ms() - hours * HOUR_MS).to_string()
    } else {
        value.to_owned()
    };
    FactRow {
        id: format!("00000000-0000-7000-8000-{n:012}").parse().unwrap(),
        key,
        value: FactValue::parse(key, &value).unwrap(),
        source: Source::Person,
        at: BenchTime::from_ms(now().ms() - ago_ms),
    }
}

fn facts(known: &BTreeMap<FactKey, String>) -> Facts {
    let rows: Vec<FactRow> = known
        .iter()
        .enumerate()
        .map(|(n, (key, value))| row(n, *key, value))
        .collect();
    let mut moments: Vec<BenchTime> = rows.iter().map(|row| row.at).collect();
    moments.sort_unstable();
    let mut sight = InSight::default();
    moments.into_iter().for_each(|at| sight.is_seen(at, false));
    Facts::new(&rows, &[], []).in_sight(sight)
}

fn judged(family: &Family, facts: &Facts, around: Around) -> Standing {
    let facts = &family.told(facts.clone(), now());
    let at = BenchTime::from_ms(now().ms() - 60_000);
    let keep_safe: KeepSafe = family
        .keep_safe
        .iter()
        .filter(|_| around.kept)
        .map(|class| (*class, Kept::Waived { at }))
        .collect();
    let (packages, stock) = match around.shelved {
        true => (shelf(family), stock(family)),
        false => (BTreeMap::new(), Vec::new()),
    };
    judge(&StandingInput {
        nickname: "Unit",
        facts,
        of: Some(Dossier {
            nickname: "Unit",
            keep_safe: &keep_safe,
            packages: &packages,
            stock: &stock,
            by: By {
                link: Presence::Here,
                token: around.token,
            },
            recovery: Some(Shelved::default()),
            ..Dossier::new(family, facts, now())
        }),
        policy: &Policy::usual(),
        depth: Depth::Page,
    })
}

fn short(verdict: &Verdict) -> String {
    match verdict {
        Verdict::Ready => "ready".to_owned(),
        Verdict::ReadyAfter { minutes } => format!("ready-after:{minutes}"),
        Verdict::WaitUntil { at } => format!("wait:{}", (at.ms() - now().ms()) / HOUR_MS),
        Verdict::AskTheVendor { .. } => "ask".to_owned(),
        Verdict::NotPossible {
            finality: Finality::Final,
        } => "no-final".to_owned(),
        Verdict::NotPossible {
            finality: Finality::Open,
        } => "no-open".to_owned(),
        Verdict::AlreadyUnlocked { .. } => "unlocked".to_owned(),
        Verdict::NoLock => "no-lock".to_owned(),
        Verdict::NotKnownYet => "unknown".to_owned(),
    }
}

/// The facts that a line rests on, or that were looked at.
fn cited(line: &Line) -> Vec<FactKey> {
    let basis = line.basis().iter();
    basis
        .filter_map(|basis| match basis {
            Basis::Fact(fact) => Some(fact.key),
            _ => None,
        })
        .collect()
}

type Known = BTreeMap<FactKey, String>;

fn pairs(text: &str) -> Known {
    text.split_whitespace()
        .map(|word| {
            let (key, value) = word.split_once('=').unwrap();
            (FactKey::from_id(key).unwrap(), value.to_owned())
        })
        .collect()
}

struct Table {
    bases: BTreeMap<String, Known>,
    rows: Vec<[String; 5]>,
}

fn table() -> Table {
    let mut table = Table {
        bases: BTreeMap::new(),
        rows: Vec::new(),
    };
    for line in include_str!("decisions.txt").lines() {
        let cells: Vec<String> = line.split('|').map(|cell| cell.trim().to_owned()).collect();
        if line.starts_with('#') || line.is_empty() {
            continue;
        }
        if let Some(family) = cells[0].strip_prefix("base ") {
            table.bases.insert(family.to_owned(), pairs(&cells[1]));
        } else {
            table.rows.push(cells.try_into().unwrap());
        }
    }
    table
}

fn changed(base: &Known, changes: &str) -> (Known, Around) {
    let mut known = base.clone();
    let mut around = AT_HAND;
    for word in changes.split_whitespace().filter(|word| *word != "(base)") {
        if word == "!keep" {
            around.kept = false;
        } else if word == "!token" {
            around.token = Presence::Missing;
        } else if word == "!shelf" {
            around.shelved = false;
        } else if let Some(key) = word.strip_prefix('-') {
            known.remove(&FactKey::from_id(key).unwrap());
        } else {
            known.extend(pairs(word));
        }
    }
    (known, around)
}

#[test]
fn every_row_of_the_table_comes_out_as_written() {
    let (families, table) = (families(), table());
    assert!(table.rows.len() >= 300, "{} rows", table.rows.len());
    let mut wrong = Vec::new();
    for [codename, changes, verdict, rules, next] in &table.rows {
        let (known, around) = changed(&table.bases[codename], changes);
        let standing = judged(&families[codename], &facts(&known), around);
        let open = standing.lines.iter().filter(|line| !line.is_met());
        let found_rules: Vec<&str> = open.map(|line| line.rule.id()).collect();
        let found_rules = if found_rules.is_empty() {
            "-".to_owned()
        } else {
            found_rules.join(" ")
        };
        let found_next = standing
            .next_check
            .as_ref()
            .map_or("-", |check| check.key.id());
        let found = [&short(&standing.verdict), &found_rules, found_next];
        if found != [verdict, rules, next] {
            wrong.push(format!(
                "{codename} | {changes} | {} | {} | {}",
                found[0], found[1], found[2]
            ));
        }
    }
    assert!(
        wrong.is_empty(),
        "{} rows come out otherwise:\n{}",
        wrong.len(),
        wrong.join("\n")
    );
}

/// Some facts, of any keys, with any values that they can have.
fn some_facts() -> impl Strategy<Value = Vec<(FactKey, String)>> {
    let one = (0..FactKey::ALL.len(), 0..12usize).prop_map(|(key, n)| {
        let key = FactKey::ALL[key];
        let value = match key.spec().kind {
            FactKind::Choice(options) => options[n % options.len()].id.to_owned(),
            FactKind::Many(options) => options[n % options.len()].id.to_owned(),
            FactKind::Percent => (n * 9).to_string(),
            FactKind::Count(_) => (n % 4).to_string(),
            FactKind::Moment => (n as i64 * 40).to_string(),
            FactKind::Month => format!("2026-{:02}", n + 1),
            FactKind::EquipmentId => {
                ["351846071234569", "none", "351846171234569"][n % 3].to_owned()
            }
            FactKind::Version => format!("6.0.{n}"),
            FactKind::Names => ["mallet-full-3.1", "mallet-enabler-3.1"][n % 2].to_owned(),
            FactKind::Text if key == FactKey::Build => {
                ["WM1-3.4-2610", "WM1-4.0-2612", "WM1-3.1-2603", "odd"][n % 4].to_owned()
            }
            FactKind::Text | FactKind::Identifier => format!("text-{n}"),
        };
        (key, value)
    });
    prop::collection::vec(one, 0..30)
}

fn any_family() -> impl Strategy<Value = String> {
    (0..SHIPPED.len()).prop_map(|n| SHIPPED[n].0.trim_end_matches(".toml").to_owned())
}

/// What a token scheme may ask of the account and of the maker's own tool (`U4`): no shipped family does.
#[test]
fn a_scheme_that_asks_more_of_the_account_is_judged_by_it() {
    let (_, text) = SHIPPED
        .iter()
        .find(|(file, _)| *file == "lodestar.toml")
        .unwrap();
    let more =
        "mail_hours = 24\naccount_hours = 72\nunits_per_account = 2\ntool_erases = \"yes\"\n";
    let family = load("lodestar.toml", &text.replace("mail_hours = 24\n", more)).unwrap();
    let judge_with = |more: &str| {
        let (mut known, around) = changed(
            &table().bases["lodestar"],
            "-token portal-account=yes portal-agreed=yes",
        );
        for pair in more.split_whitespace() {
            let (key, value) = pair.split_once('=').unwrap();
            known.insert(FactKey::from_id(key).unwrap(), value.to_owned());
        }
        let standing = judged(&family, &facts(&known), around);
        let open = standing.lines.iter().filter(|line| !line.is_met());
        let open: Vec<String> = open.map(|line| line.text.clone()).collect();
        (short(&standing.verdict), open.join(" "))
    };
    let (verdict, open) = judge_with("");
    assert_eq!(verdict, "ask");
    assert!(
        open.contains("72 h after it was made: since when"),
        "{open}"
    );
    assert!(open.contains("for 2 units: how many had one?"), "{open}");
    assert!(open.contains("own tool erases by itself"), "{open}");
    let (verdict, open) = judge_with("account-since=20 account-units=0");
    assert!(
        open.contains("The account may ask 72 h after"),
        "{verdict} {open}"
    );
    let (verdict, open) = judge_with("account-since=80 account-units=2");
    assert!(
        open.contains("had a token for 2 units, and gets one for 2"),
        "{verdict} {open}"
    );
    let (_, open) = judge_with("account-since=80 account-units=1");
    assert!(!open.contains("account"), "{open}");
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(192))]

    /// *Ready* says that nothing is unknown: with any one fact of a ready unit gone, it is either
    /// ready for the same lines or no longer ready.
    #[test]
    fn what_is_not_known_never_counts_as_ready(codename in any_family(), said in some_facts(), gone in 0..30usize) {
        let (families, table) = (families(), table());
        let mut known = table.bases[&codename].clone();
        known.extend(said);
        let key = *known.keys().nth(gone % known.len()).unwrap();
        let before = judged(&families[&codename], &facts(&known), AT_HAND);
        if before.verdict == Verdict::Ready {
            prop_assert!(before.lines.iter().all(Line::is_met));
            // What it is recognised by is asked of nobody; it only must not contradict. Of two that stand in for one
            // another either is enough.
            let halves = [(FactKey::Battery, FactKey::FedBy), (FactKey::Accounts, FactKey::OwnerLogin)];
            let is_half = halves.iter().any(|(one, other)| {
                (key == *one && known.contains_key(other)) || (key == *other && known.contains_key(one))
            });
            let optional = [FactKey::ModelCode, FactKey::Codename, FactKey::Region];
            let rests = before.lines.iter().any(|line| cited(line).contains(&key));
            let rests = rests && !is_half && !optional.contains(&key);
            known.remove(&key);
            let after = judged(&families[&codename], &facts(&known), AT_HAND);
            prop_assert!(!rests || after.verdict != Verdict::Ready, "{:?} gone, still ready", key);
        }
        // Nothing known at all is never ready.
        let nothing = judged(&families[&codename], &Facts::default(), AT_HAND);
        prop_assert!(matches!(nothing.verdict, Verdict::NotKnownYet | Verdict::NoLock));
    }

    #[test]
    fn the_order_of_facts_does_not_matter(codename in any_family(), said in some_facts(), turn in 0..30usize) {
        let families = families();
        let mut rows: Vec<FactRow> = said.iter().enumerate().map(|(n, (key, value))| row(n, *key, value)).collect();
        let straight = judged(&families[&codename], &Facts::new(&rows, &[], []), AT_HAND);
        rows.reverse();
        let turn = turn.min(rows.len());
        rows.rotate_left(turn);
        let turned = judged(&families[&codename], &Facts::new(&rows, &[], []), AT_HAND);
        prop_assert_eq!(straight, turned);
    }

    /// A final *no* stays final whatever else becomes known; only the fact that it cites, read
    /// otherwise, can change it.
    #[test]
    fn a_further_fact_never_turns_a_final_no_into_ready(codename in any_family(), said in some_facts(), more in some_facts()) {
        let (families, table) = (families(), table());
        let family = &families[&codename];
        let mut known = table.bases[&codename].clone();
        known.extend(said);
        let before = judged(family, &facts(&known), AT_HAND);
        if before.verdict == (Verdict::NotPossible { finality: Finality::Final }) {
            let rests: Vec<FactKey> = before.lines.iter()
                .filter(|line| line.absence() == Some(Finality::Final))
                .flat_map(cited)
                .collect();
            prop_assert!(!rests.is_empty(), "a final no cites what it rests on");
            for (key, value) in more {
                known.entry(key).or_insert(value);
            }
            let after = judged(family, &facts(&known), AT_HAND);
            prop_assert_ne!(&after.verdict, &Verdict::Ready);
            prop_assert!(!matches!(after.verdict, Verdict::ReadyAfter { .. }), "{:?}", after.sentence);
        }
    }
}
