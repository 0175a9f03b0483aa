//! Verdicts against the truth: two thousand units whose gates are the stand-in's, judged from what a
//! person reads on them. *Ready* opens; a final *no* refuses whatever anyone tries; a wait ends at
//! its moment and not before.

use std::collections::BTreeMap;
use std::sync::Arc;

use veritope_core::budget::Policy;
use veritope_core::digest::Seen;
use veritope_core::dossier::{By, Dossier};
use veritope_core::evidence::Cure;
use veritope_core::facts::{FactKey, FactRow, FactValue, Facts, Source};
use veritope_core::family::{Family, Method, SHIPPED, load};
use veritope_core::keepsafe::{KeepSafe, Kept};
use veritope_core::standing::{Depth, Finality, Standing, StandingInput, Verdict, judge};
use veritope_core::state::Presence;
use veritope_standin::gate::{Answer, Gate, Seller, SwitchReads, Try};
use veritope_standin::scheme::{Opening, SCHEMES, Scheme};
use veritope_wire::{BenchTime, WallTime};

const UNITS: u64 = 2_000;
const HOUR_MS: i64 = 3_600_000;
const NOW_MS: i64 = 1_795_600_000_000;
const TOKEN: &str = "00A1B2C3D4E5F607";

/// Repeatable choices.
struct Dice(u64);

impl Dice {
    fn below(&mut self, count: u64) -> u64 {
        self.0 = self
            .0
            .wrapping_mul(6_364_136_223_846_793_005)
            .wrapping_add(1_442_695_040_888_963_407);
        (self.0 >> 33) % count
    }

    fn once_in(&mut self, count: u64) -> bool {
        self.below(count) == 0
    }
}

/// A unit and how its switch read a moment ago.
fn unit(scheme: &Scheme, dice: &mut Dice) -> Gate {
    let mut gate = Gate::shipped(scheme);
    let build = &scheme.builds[usize::try_from(dice.below(scheme.builds.len() as u64)).unwrap()];
    gate.build = build.id.to_owned();
    gate.fused = build.index;
    gate.switched_on = !dice.once_in(3);
    gate.open = dice.once_in(12) && scheme.opening != Opening::NoLock;
    gate.locked_again = dice.once_in(4);
    if dice.once_in(4) {
        gate.seller = Seller::Carrier;
    }
    if dice.once_in(8) {
        gate.paid = Answer::No;
    }
    if dice.once_in(8) {
        gate.managed = Answer::Yes;
    }
    if dice.once_in(4) {
        gate.service_allows = Answer::No;
    }
    gate.token = TOKEN.to_owned();
    if !dice.once_in(4) {
        gate.first_online_ms = Some(NOW_MS - i64::try_from(dice.below(400)).unwrap() * HOUR_MS);
    }
    if !dice.once_in(4) {
        gate.asked_updates = Answer::Yes;
    }
    gate.card = scheme
        .packages
        .iter()
        .filter(|_| !dice.once_in(5))
        .map(|package| package.name.to_owned())
        .collect();
    gate
}

/// What a person reads on it, with a few things left out.
fn read(
    scheme: &Scheme,
    gate: &Gate,
    has_token: bool,
    now_ms: i64,
    dice: &mut Dice,
) -> BTreeMap<FactKey, String> {
    let mut said: BTreeMap<FactKey, String> = [
        (FactKey::Ownership, "mine"),
        (FactKey::Accounts, "0"),
        (FactKey::ScreenLock, "off"),
        (FactKey::WorksWaived, "waived"),
        (FactKey::Battery, "100"),
        (FactKey::Mode, "system"),
        (FactKey::Debugging, "on"),
        (FactKey::AnswersBootloader, "yes"),
        (FactKey::Lock, if gate.open { "unlocked" } else { "locked" }),
        (
            FactKey::Relocked,
            if gate.locked_again { "yes" } else { "no" },
        ),
        (
            FactKey::Bought,
            if gate.seller == Seller::Carrier {
                "carrier"
            } else {
                "open"
            },
        ),
        (FactKey::Paid, gate.paid.id()),
        (FactKey::Managed, gate.managed.id()),
        (FactKey::ServiceAllowed, gate.service_allows.id()),
        (FactKey::Root, "no"),
        (FactKey::AskedUpdates, gate.asked_updates.id()),
        (FactKey::Token, if has_token { "in-hand" } else { "none" }),
        (FactKey::Toggle, gate.switch(scheme, now_ms).id()),
    ]
    .map(|(key, value)| (key, value.to_owned()))
    .into();
    said.insert(FactKey::Build, gate.build.clone());
    said.insert(FactKey::RollbackIndex, gate.fused.to_string());
    said.insert(FactKey::CardFiles, gate.card.join(","));
    if let Some(first) = gate.first_online_ms {
        said.insert(
            FactKey::FirstOnline,
            WallTime::nearest_ms(first).to_string(),
        );
    }
    let keys: Vec<FactKey> = said.keys().copied().collect();
    if dice.once_in(6) {
        said.remove(&keys[usize::try_from(dice.below(keys.len() as u64)).unwrap()]);
    }
    said
}

fn judged(family: &Family, said: &BTreeMap<FactKey, String>, now_ms: i64) -> Standing {
    let now = BenchTime::from_ms(now_ms);
    let rows: Vec<FactRow> = said
        .iter()
        .enumerate()
        .map(|(n, (key, value))| FactRow {
            id: format!("00000000-0000-7000-8000-{n:012}").parse().unwrap(),
            key: *key,
            value: FactValue::parse(*key, value).unwrap(),
            source: Source::Person,
            at: now,
        })
        .collect();
    let keep_safe: KeepSafe = family
        .keep_safe
        .iter()
        .map(|class| (*class, Kept::Waived { at: now }))
        .collect();
    let packages = family.packages.iter().map(|one| {
        let bytes = veritope_standin::package_bytes(&one.name);
        (one.name.clone(), Arc::new(Seen::of(&bytes)))
    });
    let packages: BTreeMap<_, _> = packages.collect();
    let facts = family.told(Facts::new(&rows, &[], []), now);
    let of = Dossier::new(family, &facts, now);
    judge(&StandingInput {
        nickname: "Unit",
        facts: &facts,
        of: Some(Dossier {
            nickname: "Unit",
            keep_safe: &keep_safe,
            packages: &packages,
            by: By {
                link: Presence::Here,
                // What has come was typed, checked and kept.
                token: match facts.choice(FactKey::Token) {
                    Some("in-hand") => Presence::Here,
                    _ => Presence::Missing,
                },
            },
            ..of
        }),
        policy: &Policy::usual(),
        depth: Depth::Page,
    })
}

/// The try that the family's own stage describes.
fn tries(family: &Family) -> Vec<Try> {
    let stage = family.main_stages().next().unwrap();
    match stage.method {
        Method::LongPress => vec![Try::LongPress],
        Method::Token => vec![Try::Token {
            token: TOKEN.to_owned(),
        }],
        Method::Command => stage
            .forms
            .iter()
            .map(|form| Try::Command { form: form.clone() })
            .collect(),
    }
}

/// Follows the judgement: the packages of its chain and the unlock among them.
fn follow(
    scheme: &Scheme,
    family: &Family,
    gate: &mut Gate,
    standing: &Standing,
    now_ms: i64,
) -> Result<(), String> {
    let open = |gate: &mut Gate| {
        let mut said = Vec::new();
        for how in tries(family) {
            match gate.try_open(scheme, &how, now_ms) {
                Ok(()) => return Ok(()),
                Err(words) => said.push(words),
            }
        }
        Err(format!("{said:?}"))
    };
    let Some(chain) = &standing.chain else {
        return open(gate);
    };
    for leg in &chain.legs {
        match leg {
            veritope_core::builds::Leg::Package { name, .. } => {
                gate.install(scheme, name)
                    .map_err(|words| format!("{name}: {words}"))?;
            }
            veritope_core::builds::Leg::Unlock { .. } => open(gate)?,
        }
    }
    let is_there = gate.build == chain.end && gate.open && (gate.exact || !chain.exact);
    if is_there {
        Ok(())
    } else {
        Err(format!("ends on {}", gate.build))
    }
}

/// Everything that anyone could try, over and over: switch, packages, every way to open, now and in
/// ten years.
fn anything_opens(scheme: &Scheme, gate: &Gate) -> Option<String> {
    let ways = [
        Try::Command {
            form: "newer".to_owned(),
        },
        Try::Command {
            form: "older".to_owned(),
        },
        Try::LongPress,
        Try::Token {
            token: TOKEN.to_owned(),
        },
        Try::Token {
            token: "FFFFFFFFFFFFFFFF".to_owned(),
        },
    ];
    let mut seen = Vec::new();
    let mut open = vec![gate.clone()];
    while let Some(mut gate) = open.pop() {
        gate.card = scheme
            .packages
            .iter()
            .map(|one| one.name.to_owned())
            .collect();
        gate.asked_updates = Answer::Yes;
        gate.first_online_ms = gate.first_online_ms.or(Some(NOW_MS));
        for now_ms in [NOW_MS, NOW_MS + 10 * 365 * 24 * HOUR_MS] {
            gate.move_switch(scheme, true, now_ms);
            for way in &ways {
                if gate.clone().try_open(scheme, way, now_ms).is_ok() {
                    return Some(format!("{way:?} on {}", gate.build));
                }
            }
        }
        for package in scheme.packages {
            let mut next = gate.clone();
            if next.install(scheme, package.name).is_ok() && !seen.contains(&next) {
                seen.push(next.clone());
                open.push(next);
            }
        }
    }
    None
}

#[test]
fn two_thousand_units_are_judged_as_they_are() {
    let families: BTreeMap<String, Family> = SHIPPED
        .iter()
        .map(|(file, text)| load(file, text).unwrap())
        .map(|family| (family.codename.clone(), family))
        .collect();
    let mut counted: BTreeMap<&str, u32> = BTreeMap::new();
    for seed in 0..UNITS {
        let mut dice = Dice(seed + 1);
        for _ in 0..8 {
            dice.below(2);
        }
        let scheme = &SCHEMES[usize::try_from(dice.below(7)).unwrap()];
        let family = &families[scheme.codename];
        let mut gate = unit(scheme, &mut dice);
        let has_token = !dice.once_in(3);
        let said = read(scheme, &gate, has_token, NOW_MS, &mut dice);
        let standing = judged(family, &said, NOW_MS);
        let about = format!("seed {seed}, {}: {}", scheme.codename, standing.sentence);
        let kind = match &standing.verdict {
            Verdict::Ready => {
                let done = follow(scheme, family, &mut gate, &standing, NOW_MS);
                assert_eq!(done, Ok(()), "{about}");
                "ready"
            }
            Verdict::ReadyAfter { .. } => {
                // Does what the open lines ask for; looking is not enough where a fact is missing.
                let open = || standing.lines.iter().filter(|item| !item.is_met());
                if open().all(|item| item.is_missing()) {
                    gate.move_switch(scheme, true, NOW_MS);
                    for item in open() {
                        if let Some(Cure::Fetch { packages, .. }) = item.cure() {
                            gate.card.extend(packages.iter().cloned());
                        }
                    }
                    let done = follow(scheme, family, &mut gate, &standing, NOW_MS);
                    assert_eq!(done, Ok(()), "{about}");
                }
                "ready after"
            }
            Verdict::WaitUntil { at } => {
                let (before, then) = (at.ms() - 1, at.ms());
                assert_eq!(gate.switch(scheme, before), SwitchReads::Absent, "{about}");
                let early = judged(family, &said, before);
                assert_eq!(early.verdict, standing.verdict, "{about}");
                let late = judged(family, &said, then);
                assert!(
                    !matches!(late.verdict, Verdict::WaitUntil { .. }),
                    "{about}"
                );
                gate.move_switch(scheme, true, before);
                assert!(
                    tries(family)
                        .iter()
                        .all(|how| gate.clone().try_open(scheme, how, before).is_err()),
                    "{about}"
                );
                gate.move_switch(scheme, true, then);
                assert_eq!(
                    follow(scheme, family, &mut gate, &late, then),
                    Ok(()),
                    "{about}"
                );
                "wait"
            }
            Verdict::AskTheVendor { .. } => {
                gate.move_switch(scheme, true, NOW_MS);
                let wrong = Try::Token {
                    token: "FFFFFFFFFFFFFFFF".to_owned(),
                };
                let all = tries(family)
                    .into_iter()
                    .filter(|how| !matches!(how, Try::Token { .. }));
                for how in all.chain([wrong]) {
                    assert!(
                        gate.clone().try_open(scheme, &how, NOW_MS).is_err(),
                        "{about}"
                    );
                }
                "ask"
            }
            Verdict::NotPossible {
                finality: Finality::Final,
            } => {
                assert_eq!(anything_opens(scheme, &gate), None, "{about}");
                "never"
            }
            Verdict::NotPossible {
                finality: Finality::Open,
            } => {
                assert_eq!(anything_opens(scheme, &gate), None, "{about}");
                "not now"
            }
            Verdict::AlreadyUnlocked { .. } => {
                assert!(gate.open, "{about}");
                "open"
            }
            Verdict::NoLock => {
                assert_eq!(scheme.opening, Opening::NoLock, "{about}");
                "no lock"
            }
            Verdict::NotKnownYet => "not known",
        };
        *counted.entry(kind).or_default() += 1;
    }
    for kind in [
        "ready",
        "ready after",
        "wait",
        "ask",
        "never",
        "open",
        "no lock",
        "not known",
    ] {
        let count = counted.get(kind).copied().unwrap_or(0);
        assert!(
            count >= 20,
            "too few of *{kind}* to prove anything: {counted:?}"
        );
    }
}
