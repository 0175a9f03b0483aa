//! Verdicts against the truth: two thousand units whose gates are the stand-in's, judged from what a
//! person reads on them: some with a broken part, read a day ago, beside a twin, with a token that is not kept
//! or another's, without their card, or with odd choices in the write tool. *Ready* opens; a final *no* refuses whatever anyone tries; a wait ends at
//! its moment and not before.

use std::collections::BTreeMap;
use std::sync::Arc;

use veritope_core::budget::Policy;
use veritope_core::dossier::{By, Dossier};
use veritope_core::evidence::{Cure, Line};
use veritope_core::facts::{FactKey, FactRow, FactValue, Facts, InSight, Source};
use veritope_core::family::{Family, Method, SHIPPED, load};
use veritope_core::keepsafe::{KeepSafe, Kept};
use veritope_core::published::SeenFile;
use veritope_core::rule::Rule;
use veritope_core::standing::{
    Depth, Finality, Outcome, OutlookOf, Standing, StandingInput, Verdict, judge,
};
use veritope_core::state::Presence;
use veritope_standin::gate::{Answer, Gate, Seller, SwitchReads, Try};
use veritope_standin::parts_to_open;
use veritope_standin::scheme::{Off, Opening, SCHEMES, Scheme, Switch};
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
        .filter(|package| package.off == Off::Card && !dice.once_in(5))
        .map(|package| package.name.to_owned())
        .collect();
    gate
}

/// What is drawn besides the gate.
#[derive(Debug, Clone, Default)]
struct Around {
    /// A part that does not work.
    broken: Option<&'static str>,
    /// What was read thirty hours ago and is otherwise since.
    aged: Option<FactKey>,
    /// Whether another of its kind can't be told from it.
    twin: bool,
    /// The token that was mailed, and whether it was typed and kept.
    token: Mailed,
    /// How the card is.
    card: Card,
    /// What stands ticked in the write tool.
    ticked: Option<&'static str>,
}

#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
enum Mailed {
    #[default]
    NotYet,
    Kept,
    NotKept,
    /// Asked for with an equipment ID that can't be right: it opens another unit.
    Anothers,
}

#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
enum Card {
    #[default]
    In,
    /// Packages were put on it, and it lies beside the unit.
    Out,
    /// Nothing more fits on it.
    Full,
}

const PARTS: [&str; 7] = [
    "screen",
    "touch",
    "power-key",
    "volume-up",
    "volume-down",
    "port",
    "home-key",
];

fn around(scheme: &Scheme, dice: &mut Dice) -> Around {
    let mut around = Around {
        token: match dice.below(9) {
            0..=2 => Mailed::NotYet,
            3 => Mailed::NotKept,
            4 => Mailed::Anothers,
            _ => Mailed::Kept,
        },
        ..Around::default()
    };
    match dice.below(14) {
        0 => around.broken = Some(PARTS[usize::try_from(dice.below(7)).unwrap()]),
        1 => {
            let keys = [FactKey::Toggle, FactKey::Lock, FactKey::Build];
            around.aged = Some(keys[usize::try_from(dice.below(3)).unwrap()]);
        }
        2 => around.twin = true,
        3 => around.card = Card::Out,
        4 => around.card = Card::Full,
        5 => {
            let choices = match scheme.codename {
                "thimble" => ["Erase everything", "Write only", "Verify twice"],
                _ => ["Re-partition", "Auto-restart", "Verify twice"],
            };
            around.ticked = Some(choices[usize::try_from(dice.below(3)).unwrap()]);
        }
        _ => {}
    }
    around
}

/// The unit as it is now: what was read a day ago is otherwise since, the card lies where it lies.
fn meanwhile(scheme: &Scheme, gate: &mut Gate, around: &Around, dice: &mut Dice) {
    match around.aged {
        Some(FactKey::Toggle) => gate.switched_on = !gate.switched_on,
        Some(FactKey::Lock) => gate.open = !gate.open && scheme.opening != Opening::NoLock,
        Some(FactKey::Build) => {
            let count = scheme.builds.len() as u64;
            let build = &scheme.builds[usize::try_from(dice.below(count)).unwrap()];
            gate.build = build.id.to_owned();
            gate.fused = gate.fused.max(build.index);
        }
        _ => {}
    }
    if around.card == Card::Out {
        gate.card.clear();
    }
    if around.token == Mailed::Anothers {
        gate.token = "5555555555555555".to_owned();
    }
}

/// What a person reads on it, with a few things left out.
fn read(
    scheme: &Scheme,
    gate: &Gate,
    around: &Around,
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
        (
            FactKey::Token,
            match around.token {
                Mailed::NotYet => "none",
                Mailed::Kept | Mailed::NotKept | Mailed::Anothers => "in-hand",
            },
        ),
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
    if let Some(part) = around.broken {
        said.insert(FactKey::Broken, part.to_owned());
    }
    if let Some(ticked) = around.ticked {
        said.insert(FactKey::ToolChoice, ticked.to_owned());
    }
    if around.token == Mailed::Anothers {
        // The last digit is none that belongs behind the others.
        said.insert(FactKey::EquipmentId, "356049111234561".to_owned());
    }
    match around.card {
        Card::In => {}
        Card::Out => drop(said.insert(FactKey::Card, "none".to_owned())),
        Card::Full => drop(said.insert(FactKey::CardFreeMib, "0".to_owned())),
    }
    let keys: Vec<FactKey> = said.keys().copied().collect();
    if dice.once_in(6) {
        said.remove(&keys[usize::try_from(dice.below(keys.len() as u64)).unwrap()]);
    }
    said
}

fn judged(
    family: &Family,
    said: &BTreeMap<FactKey, String>,
    around: &Around,
    now_ms: i64,
) -> Standing {
    let now = BenchTime::from_ms(now_ms);
    let rows: Vec<FactRow> = said
        .iter()
        .enumerate()
        .map(|(n, (key, value))| FactRow {
            id: format!("00000000-0000-7000-8000-{n:012}").parse().unwrap(),
            key: *key,
            value: FactValue::parse(*key, value).unwrap(),
            source: Source::Person,
            at: match around.aged == Some(*key) {
                true => BenchTime::from_ms(now_ms - 30 * HOUR_MS),
                false => now,
            },
        })
        .collect();
    let keep_safe: KeepSafe = family
        .keep_safe
        .iter()
        .map(|class| (*class, Kept::Waived { at: now }))
        .collect();
    let packages = family.packages.iter().map(|one| {
        let bytes = veritope_standin::package_bytes(&one.name);
        (one.name.clone(), Arc::new(SeenFile::of(&bytes)))
    });
    let packages: BTreeMap<_, _> = packages.collect();
    let mut sight = InSight::default();
    if around.aged.is_some() {
        sight.is_seen(BenchTime::from_ms(now_ms - 30 * HOUR_MS), false);
    }
    sight.is_seen(now, false);
    let facts = family.told(Facts::new(&rows, &[], []).in_sight(sight), now);
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
                token: match around.token {
                    Mailed::Kept | Mailed::Anothers => Presence::Here,
                    Mailed::NotYet | Mailed::NotKept => Presence::Missing,
                },
            },
            twin: around.twin.then_some("Another"),
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

/// *Ready*, now or after what hands do, rests on nothing that is broken, old, another's or away.
fn can_be_done(
    scheme: &Scheme,
    around: &Around,
    said: &BTreeMap<FactKey, String>,
    standing: &Standing,
    about: &str,
) {
    let open = || standing.lines.iter().filter(|item| !item.is_met());
    if let Some(part) = around
        .broken
        .filter(|_| said.contains_key(&FactKey::Broken))
    {
        let takes = parts_to_open(scheme.codename, scheme.opening);
        assert!(!takes.contains(&part), "{about}");
    }
    let is_token = scheme.opening == Opening::Token && !matches!(around.token, Mailed::NotYet);
    if is_token && around.token != Mailed::Kept && said.contains_key(&FactKey::EquipmentId) {
        assert!(
            open().any(|line| line.rule == Rule::U4 || line.rule == Rule::K3),
            "{about}"
        );
    }
    if around.twin {
        // Which of the two it is comes first.
        assert!(open().any(|line| line.rule == Rule::K4), "{about}");
    }
    if around.aged.is_some_and(|key| key != FactKey::Build) && standing.verdict == Verdict::Ready {
        // It was not asked for: this family has no such thing.
        assert!(scheme.switch == Switch::None, "{about}");
    }
    let fetches = open().any(|line| matches!(line.cure(), Some(Cure::Fetch { .. })));
    if around.card == Card::Full && said.contains_key(&FactKey::CardFreeMib) && fetches {
        let is_room = |line: &Line| line.text.contains("card");
        assert!(standing.lines.iter().any(is_room), "{about}");
    }
}

/// What stands ticked and destroys is refused, what nobody knows is not waved through.
fn tool_is_judged(
    scheme: &Scheme,
    around: &Around,
    said: &BTreeMap<FactKey, String>,
    standing: &Standing,
    about: &str,
) {
    let has_tool = matches!(scheme.codename, "kelpie" | "thimble");
    let ticked = around
        .ticked
        .filter(|_| has_tool && said.contains_key(&FactKey::ToolChoice));
    let Some(ticked) = ticked else { return };
    let mut of_tool = standing
        .outlook
        .iter()
        .filter(|one| matches!(one.of, OutlookOf::Tool | OutlookOf::WholeErase));
    let is_fine = ticked == "Write only";
    let is_waved = of_tool.all(|one| one.outcome == Outcome::Open);
    assert_eq!(is_waved, is_fine, "{about}: {ticked}");
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
        let around = around(scheme, &mut dice);
        let said = read(scheme, &gate, &around, NOW_MS, &mut dice);
        meanwhile(scheme, &mut gate, &around, &mut dice);
        let standing = judged(family, &said, &around, NOW_MS);
        let open = standing.lines.iter().filter(|line| !line.is_met());
        let open: Vec<&str> = open.map(|line| line.text.as_str()).collect();
        let about = format!(
            "seed {seed}, {}, {around:?}: {} {open:?}",
            scheme.codename, standing.sentence
        );
        tool_is_judged(scheme, &around, &said, &standing, &about);
        if let Verdict::Ready | Verdict::ReadyAfter { .. } = standing.verdict {
            can_be_done(scheme, &around, &said, &standing, &about);
        }
        for (drawn, is) in [
            ("broken", around.broken.is_some()),
            ("aged", around.aged.is_some()),
            ("twin", around.twin),
            ("token not kept", around.token == Mailed::NotKept),
            ("token of another", around.token == Mailed::Anothers),
            ("card out", around.card == Card::Out),
            ("card full", around.card == Card::Full),
            ("ticked", around.ticked.is_some()),
        ] {
            *counted.entry(drawn).or_default() += u32::from(is);
        }
        // What hands can't do on it, hands that work could: the gate tells nothing of that.
        let barred = standing
            .lines
            .iter()
            .any(|line| line.rule == Rule::N2 && line.absence().is_some());
        let because = standing.because.as_deref().unwrap_or_default();
        let is_body = barred || because.contains("does not work here");
        if is_body {
            let part = around.broken.unwrap_or_default();
            // Or something has to be changed in its settings first.
            let takes = parts_to_open(scheme.codename, scheme.opening);
            assert!(
                takes.contains(&part) || matches!(part, "screen" | "touch"),
                "{about}"
            );
            *counted.entry("not by these hands").or_default() += 1;
            continue;
        }
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
                        match item.cure() {
                            Some(Cure::Fetch { packages, .. }) => {
                                gate.card.extend(packages.iter().cloned());
                            }
                            // It goes back in, with what lies on it.
                            Some(Cure::DoThenType { key, .. }) if *key == FactKey::Card => {
                                let lies = said.get(&FactKey::CardFiles);
                                let lies = lies.into_iter().flat_map(|names| names.split(','));
                                gate.card.extend(lies.map(str::to_owned));
                            }
                            _ => {}
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
                let early = judged(family, &said, &around, before);
                assert_eq!(early.verdict, standing.verdict, "{about}");
                let late = judged(family, &said, &around, then);
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
        "not by these hands",
        "broken",
        "aged",
        "twin",
        "token not kept",
        "token of another",
        "card out",
        "card full",
        "ticked",
    ] {
        let count = counted.get(kind).copied().unwrap_or(0);
        assert!(
            count >= 20,
            "too few of *{kind}* to prove anything: {counted:?}"
        );
    }
}
