//! Every list of the seal, of every family, in several settings: the rule, state and text of each line
//! (`snapshots/`). Whoever moves lines from one file to another, or changes how they are put together, reads
//! here what became of them.

#![expect(clippy::unwrap_used, reason = "a test fails by panicking")]

use std::collections::BTreeMap;
use std::fmt::Write as _;

use veritope_core::act::{
    Act, Erase, EraseAll, Ground, Install, InstallWithin, PutBack, PutInside, PutStock, Relock,
    SetSlot, Standpoint, StartImage, Unlock, WriteImage, WriteToRead, list,
};
use veritope_core::budget::{self, Load, Policy};
use veritope_core::coverage::{
    Agreement, BlankBytes, CaptureFacts, CapturedFacts, CoverageInput, Origin, Rest, Taker, Torn,
};
use veritope_core::dossier::{By, Dossier, Put, ReadBack, Witnessed};
use veritope_core::evidence::{Due, Line};
use veritope_core::facts::{FactKey, FactRow, FactValue, Facts, Happening, Source};
use veritope_core::family::{Family, Role, SHIPPED, load};
use veritope_core::keepsafe::{KeepSafe, Kept};
use veritope_core::mode::{Mode, Slot};
use veritope_core::partitions::OwnPartition;
use veritope_core::state::Presence;
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
        image: Digest::of(b"half of it"),
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

/// All lists of this family in this setting, each by its name; as they are now, unit linked.
fn lists(family: &Family, on: &Setting) -> Vec<(String, Vec<Line>)> {
    let facts = &on.facts;
    let policy = Policy::usual();
    let battery = budget::battery(Load::default(), facts, family, &policy, now());
    let own = own(family);
    let coverage = coverage::judge(&CoverageInput {
        family,
        own: &own,
        captures: &on.captures,
        copies: &[],
        written: &[],
        first_write: None,
        by_hand: false,
        policy: &policy,
        system_ran: None,
        now: now(),
    });
    let held = relock::held(&[], &on.captures, &[]);
    let of = Dossier {
        nickname: "Unit",
        by: By {
            link: Presence::Here,
            token: Presence::Missing,
        },
        twin: on.twin,
        keep_safe: &on.keep_safe,
        torn: &on.torn,
        battery: Some(&battery),
        captures: &on.captures,
        coverage: Some(&coverage),
        read_back: ReadBack {
            copies: None,
            away: &[],
            needed: policy.copies,
        },
        held: &held,
        ..Dossier::new(family, facts, now())
    };
    let mut all = Vec::new();
    let mut add = |name: &str, act: Act, of: &Dossier<'_>| {
        let lines = list(&act, Ground::plain(of), Standpoint::now(of)).into_lines();
        all.push((name.to_owned(), lines));
    };
    let stage = family.main_stages().next();
    let stage = stage.map_or_else(String::new, |stage| stage.id.clone());
    add("unlock", Unlock { stage }.into(), &of);
    if let Some(package) = family.packages.first() {
        let package = package.name.clone();
        add(
            "package",
            Install {
                package,
                image: None,
            }
            .into(),
            &of,
        );
    }
    let stage = family.relock.order.first();
    let stage = stage.map_or_else(String::new, Clone::clone);
    add("relock", Relock { stage }.into(), &of);
    if family.slot_switch.is_some() {
        add("slot b", SetSlot { slot: Slot::B }.into(), &of);
    }
    for wipe in &family.wipes {
        let way = wipe.id.clone();
        add(&wipe.id, Erase { way }.into(), &of);
    }
    let image = None;
    if family.temporary_start.is_some() {
        add("start from memory", StartImage { image }.into(), &of);
    }
    if let Some(spec) = &family.recovery_write {
        let label = spec.partition.clone();
        let write = WriteImage { label, image };
        add("write a recovery", write.into(), &of);
        let label = spec.partition.clone();
        let write = WriteToRead { label, image };
        add("write to be able to read", write.into(), &of);
    }
    if family.install_within.is_some() {
        add("install from within", InstallWithin { image }.into(), &of);
    }
    if family.recovery_inside.is_some() {
        let into = None;
        add(
            "put a recovery inside",
            PutInside { image, into }.into(),
            &of,
        );
    }
    let everything = EraseAll::ticked(family, facts);
    if let Some(everything) = everything {
        add("erase all", everything.into(), &of);
    }
    let is_unique = |part: &&OwnPartition| {
        let spec = family.partition(&part.label);
        spec.is_some_and(|spec| spec.role == Role::DeviceUnique)
    };
    let is_system = |part: &&OwnPartition| {
        let spec = family.partition(&part.label);
        spec.is_some_and(|spec| spec.role == Role::Os)
    };
    let identifiers = BTreeMap::new();
    let put = |own| Put {
        own,
        capture: on.captures.first(),
        witnessed: Witnessed {
            manifest: Digest::of(b"manifest"),
            identifiers: &identifiers,
            mode: Mode::TemporaryRecovery,
            origin: Origin::Read,
        },
        copy: None,
        present: None,
        set: &[],
    };
    let capture = "00000000-0000-7000-8000-00000000cafe".parse().unwrap();
    if let Some(own) = own.iter().find(is_unique) {
        let label = own.label.clone();
        let put = Some(put(own));
        let back = PutBack {
            label,
            capture,
            image,
        };
        add(
            &format!("put {} back", own.label),
            back.into(),
            &Dossier { put, ..of },
        );
    }
    if let Some(own) = own.iter().find(is_system) {
        let label = own.label.clone();
        let put = Some(put(own));
        let set = capture;
        let stock = PutStock { label, set, image };
        add(
            &format!("put stock on {}", own.label),
            stock.into(),
            &Dossier { put, ..of },
        );
    }
    all
}

/// By when it must be met, and how it stands.
fn state(line: &Line) -> String {
    let due = match line.due {
        Due::Begin => "begin",
        Due::Way => "way",
        Due::Door => "door",
    };
    let state = if line.is_met() {
        "met"
    } else if line.is_missing() {
        "missing"
    } else {
        "unknown"
    };
    format!("{due} {state}")
}

#[test]
fn every_line_of_every_list() {
    let bases = bases();
    let mut counted = 0;
    for (file, source) in SHIPPED {
        let family = load(file, source).unwrap();
        let mut text = String::new();
        // What reads the same in several settings is told once.
        let mut told: BTreeMap<String, &str> = BTreeMap::new();
        for on in &settings(&family, &bases[&family.codename]) {
            for (list, lines) in lists(&family, on) {
                let mut body = String::new();
                for line in &lines {
                    counted += 1;
                    writeln!(body, "  {} {}: {}", line.rule.id(), state(line), line.text).unwrap();
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
    assert!(counted > 1000, "{counted}");
}
