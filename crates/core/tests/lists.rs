//! Every list of the seal, of every family, in several settings: the rule, state and text of each line
//! (`snapshots/`). Whoever moves lines from one file to another, or changes how they are put together, reads
//! here what became of them.

#![expect(clippy::unwrap_used, reason = "a test fails by panicking")]

use std::collections::BTreeMap;
use std::fmt::Write as _;

use veritope_core::budget::{self, Policy};
use veritope_core::coverage::{
    Agreement, BlankBytes, CaptureFacts, CapturedFacts, CoverageInput, Origin, Rest, Taker,
};
use veritope_core::facts::{FactKey, FactRow, FactValue, Facts, Happening, Source};
use veritope_core::family::{Family, Role, SHIPPED, load};
use veritope_core::keepsafe::{KeepSafe, Kept};
use veritope_core::mode::Slot;
use veritope_core::partitions::OwnPartition;
use veritope_core::plan::sheet::{Reach, SheetHead};
use veritope_core::plan::{Cost, Goal, Sheet, State};
use veritope_core::seal::{
    self, Effect, Item, ItemState, PackageEvidence, ReadBack, RelockEvidence, RestoreEvidence,
    SlotEvidence, Torn, UnlockEvidence, WipeEvidence, Witnessed, WriteEvidence,
};
use veritope_core::steady::{Taken, alone};
use veritope_core::{coverage, relock};
use veritope_wire::{BenchTime, Digest, WallTime};

const MINUTE_MS: i64 = 60_000;

fn now() -> BenchTime {
    alone("2026-11-25T10:00:00Z".parse().unwrap())
}

fn ago(minutes: i64) -> BenchTime {
    BenchTime::from_ms(now().ms() - minutes * MINUTE_MS)
}

fn row(n: usize, key: FactKey, value: &str, source: Source) -> FactRow {
    FactRow {
        id: format!("00000000-0000-7000-8000-{n:012}").parse().unwrap(),
        key,
        value: FactValue::parse(key, value).unwrap(),
        source,
        at: ago(1),
    }
}

/// What the decision table begins with, family by family.
fn bases() -> BTreeMap<String, Vec<FactRow>> {
    include_str!("decisions.txt")
        .lines()
        .filter_map(|line| line.strip_prefix("base "))
        .map(|line| {
            let (family, known) = line.split_once('|').unwrap();
            let rows = known.split_whitespace().enumerate().map(|(n, word)| {
                let (key, value) = word.split_once('=').unwrap();
                row(n, FactKey::from_id(key).unwrap(), value, Source::Person)
            });
            (family.trim().to_owned(), rows.collect())
        })
        .collect()
}

/// A unit as it is put before the lists.
struct Setting {
    name: &'static str,
    facts: Facts,
    keep_safe: KeepSafe,
    torn: Vec<Torn>,
    captures: Vec<CaptureFacts>,
    twin: Option<&'static str>,
}

fn settings(family: &Family, base: &[FactRow]) -> Vec<Setting> {
    let kept: KeepSafe = family
        .keep_safe
        .iter()
        .map(|class| (*class, Kept::Waived { at: ago(1) }))
        .collect();
    let facts = |rows: &[FactRow]| Facts::new(rows, &[], []);
    let with = |key: FactKey, value: &str, source: Source| {
        let mut rows = base.to_vec();
        if source == Source::Person {
            rows.retain(|row| row.key != key);
        }
        rows.push(row(900, key, value, source));
        rows
    };
    let setting = |name, facts| Setting {
        name,
        facts,
        keep_safe: kept.clone(),
        torn: Vec::new(),
        captures: Vec::new(),
        twin: None,
    };
    let label = family.partitions.first().map(|spec| spec.label.clone());
    let torn = label.map(|label| Torn {
        effect: Effect::WriteImage {
            label: label.clone(),
            image: Digest::of(b"half of it"),
        },
        label,
        before: None,
        since: ago(5),
    });
    vec![
        Setting {
            keep_safe: KeepSafe::new(),
            ..setting("nothing is known", facts(&[]))
        },
        setting("prepared", facts(base)),
        setting(
            "unlocked",
            facts(&with(FactKey::Lock, "unlocked", Source::Person)),
        ),
        setting(
            "the lock is contradicted",
            facts(&with(FactKey::Lock, "unlocked", Source::Link)),
        ),
        setting(
            "all is out of date",
            Facts::new(
                base,
                &[],
                [
                    (Happening::ModeChanged, ago(0)),
                    (Happening::LockInDoubt, ago(0)),
                ],
            ),
        ),
        Setting {
            torn: torn.into_iter().collect(),
            twin: Some("Another"),
            ..setting("torn, and not told from a twin", facts(base))
        },
        Setting {
            captures: vec![captured(family)],
            ..setting(
                "unlocked, and captured",
                facts(&with(FactKey::Lock, "unlocked", Source::Person)),
            )
        },
    ]
}

fn own(family: &Family) -> Vec<OwnPartition> {
    let mut offset_bytes = 1 << 20;
    let mut all = Vec::new();
    for (spec, number) in family.partitions.iter().zip(1..) {
        let length_bytes = u64::from(spec.mib) << 20;
        all.push(OwnPartition {
            label: spec.label.clone(),
            number,
            offset_bytes,
            length_bytes,
        });
        offset_bytes += length_bytes;
    }
    all
}

/// Everything, read at rest and twice.
fn captured(family: &Family) -> CaptureFacts {
    let partitions = own(family).into_iter().map(|part| CapturedFacts {
        blake3: Digest::of(part.label.as_str().as_bytes()),
        length_bytes: part.length_bytes,
        agreement: Agreement::Twice,
        blank: BlankBytes::No,
        inside: None,
        is_unique: family
            .partition(&part.label)
            .is_some_and(|spec| spec.role == Role::DeviceUnique),
        label: part.label,
    });
    CaptureFacts {
        id: "00000000-0000-7000-8000-00000000cafe".parse().unwrap(),
        taken: Taken::told(WallTime::nearest_ms(ago(3).ms()), Some(ago(3))),
        manifest: Digest::of(b"manifest"),
        origin: Origin::Read,
        rest: Rest::AtRest,
        partitions: partitions.collect(),
        build: None,
        taker: Taker::Us,
        list: None,
    }
}

/// A sheet that takes nothing of the battery.
fn no_sheet(family: &Family, facts: &Facts) -> Sheet {
    Sheet {
        goal: Goal::ToSystem,
        family: family.digest,
        start: State::from_facts(facts),
        reach: Reach::Goal,
        steps: Vec::new(),
        head: SheetHead {
            hands_on_seconds: 0,
            waiting_seconds: 0,
            wipes: 0,
            mode_changes: 0,
            no_returns: 0,
            drain_permille: 0,
        },
        why_not: Vec::new(),
        cost: Cost::default(),
        expanded: 0,
    }
}

/// All lists of this family in this setting, each by its name.
fn lists(family: &Family, on: &Setting) -> Vec<(String, Vec<Item>)> {
    let facts = &on.facts;
    let policy = Policy::usual();
    let battery = budget::battery(&no_sheet(family, facts), facts, family, &policy, now());
    let own = own(family);
    let coverage = coverage::judge(&CoverageInput {
        family,
        own: &own,
        captures: &on.captures,
        copies: &[],
        written: &[],
        first_write: None,
        policy: &policy,
        system_ran: None,
        now: now(),
    });
    let held = relock::held(&[], &on.captures, &[]);
    let read_back = ReadBack {
        copies: &[],
        away: &[],
        needed: policy.copies,
    };
    let mut all = Vec::new();
    let mut add = |name: &str, items: Vec<Item>| all.push((name.to_owned(), items));

    let unlock = UnlockEvidence {
        family,
        nickname: "Unit",
        facts,
        keep_safe: &on.keep_safe,
        battery: &battery,
        coverage: Some(&coverage),
        torn: &on.torn,
        now: now(),
        consent: None,
        twin: on.twin,
    };
    add("before an unlock", seal::unlock_preparations(&unlock));
    add("unlock", seal::unlock_items(&unlock));
    if let Some(package) = family.packages.first() {
        let evidence = PackageEvidence {
            family,
            nickname: "Unit",
            facts,
            package,
            seen: None,
            keep_safe: &on.keep_safe,
            coverage: &coverage,
            battery: &battery,
            torn: &on.torn,
            consent: None,
        };
        add("before a package", seal::package_preparations(&evidence));
        add("package ahead", seal::package_ahead(&evidence));
        add("package", seal::package_items(&evidence));
    }
    let relock = RelockEvidence {
        family,
        nickname: "Unit",
        facts,
        held: &held,
        torn: &on.torn,
        keep_safe: &on.keep_safe,
        battery: Some(&battery),
        now: now(),
        consent: None,
        twin: on.twin,
    };
    add("before a relock", seal::relock_preparations(&relock));
    add("relock", seal::relock_items(&relock));
    if family.slot_switch.is_some() {
        let slot = SlotEvidence {
            family,
            facts,
            slot: Slot::B,
            held: &held,
            torn: &on.torn,
            keep_safe: &on.keep_safe,
            battery: &battery,
            twin: on.twin,
        };
        add("before slot b", seal::slot_preparations(&slot));
        add("slot b", seal::slot_items(&slot));
    }
    for wipe in &family.wipes {
        let evidence = WipeEvidence {
            family,
            nickname: "Unit",
            facts,
            wipe,
            keep_safe: &on.keep_safe,
            torn: &on.torn,
            battery: &battery,
            consent: None,
            twin: on.twin,
        };
        add(
            &format!("before {}", wipe.id),
            seal::wipe_preparations(&evidence),
        );
        add(&wipe.id, seal::wipe_items(&evidence));
    }
    let label = family.recovery_write.as_ref().map(|spec| &spec.partition);
    let write = WriteEvidence {
        family,
        facts,
        label,
        findings: &[],
        seen: None,
        published: None,
        coverage: &coverage,
        battery: &battery,
        torn: &on.torn,
        read_back,
        now: now(),
    };
    add("write a recovery", seal::write_items(&write));
    add("write to be able to read", seal::read_route_items(&write));
    add(
        "before a foreign write",
        seal::before_foreign(family, facts),
    );
    add(
        "erase all",
        seal::erase_items(family, facts, &coverage.items),
    );
    let is_unique = |part: &&OwnPartition| {
        let spec = family.partition(&part.label);
        spec.is_some_and(|spec| spec.role == Role::DeviceUnique)
    };
    if let Some(own) = own.iter().find(is_unique) {
        let identifiers = BTreeMap::new();
        let restore = RestoreEvidence {
            family,
            facts,
            live: None,
            paired: &[],
            own,
            capture: on.captures.first(),
            captures: &on.captures,
            witnessed: Witnessed {
                manifest: Digest::of(b"manifest"),
                identifiers: &identifiers,
                mode: veritope_core::mode::Mode::TemporaryRecovery,
                origin: Origin::Read,
            },
            copy: None,
            present: None,
            coverage: Some(&coverage),
            read_back,
            set: &[],
            torn: &on.torn,
            battery: &battery,
            now: now(),
        };
        add(
            &format!("put {} back", own.label),
            seal::restore_items(&restore),
        );
    }
    all
}

fn state(item: &Item) -> &'static str {
    match item.state {
        ItemState::Met => "met",
        ItemState::Missing => "missing",
        ItemState::Unknown => "unknown",
    }
}

#[test]
fn every_line_of_every_list() {
    let bases = bases();
    let mut lines = 0;
    for (file, source) in SHIPPED {
        let family = load(file, source).unwrap();
        let mut text = String::new();
        // What reads the same in several settings is told once.
        let mut told: BTreeMap<String, &str> = BTreeMap::new();
        for on in &settings(&family, &bases[&family.codename]) {
            for (list, items) in lists(&family, on) {
                let mut body = String::new();
                for item in &items {
                    lines += 1;
                    writeln!(body, "  {} {}: {}", item.rule.id(), state(item), item.text).unwrap();
                }
                let before = *told.entry(format!("{list}\n{body}")).or_insert(on.name);
                writeln!(text, "{}: {list}", on.name).unwrap();
                if before == on.name {
                    text.push_str(&body);
                } else {
                    writeln!(text, "  as when {before}").unwrap();
                }
            }
        }
        insta::assert_snapshot!(family.codename.as_str(), text);
    }
    assert!(lines > 1000, "{lines}");
}
