//! May I? Nothing changes a device's storage, slots or lock without a [`Permit`] for one
//! [`Effect`]. Each effect has its own evidence list, here and nowhere else; one kind can't be
//! spent as another.
//!
//! This version knows one effect, the unlock (`G1`). [`unlock_items`] is its list; [`mint`] turns a
//! complete one into a permit, bound to the unit's hardware identity and the link's epoch.

use serde::{Deserialize, Serialize};
use veritope_wire::link::Epoch;
use veritope_wire::{Digest, Moment, UnitId};

use crate::budget::{Battery, BatteryVerdict};
use crate::facts::{CitedFact, FactKey, FactValue, Facts, Happening, Reading};
use crate::family::{Consequence, Family};
use crate::keepsafe::{KeepSafe, open_classes};
use crate::mode::{Lock, Mode};
use crate::rule::Rule;

/// A change to a device that needs a permit.
#[derive(
    Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize, utoipa::ToSchema,
)]
#[serde(tag = "effect", rename_all = "kebab-case")]
pub enum Effect {
    /// Opening one stage of the lock (`G1`).
    Unlock {
        /// The family's id of the stage.
        stage: String,
    },
}

/// How one piece of evidence stands.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, utoipa::ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum ItemState {
    /// There.
    Met,
    /// Known to be otherwise.
    Missing,
    /// Not known.
    Unknown,
}

/// What closes a gap; the screen turns it into a button.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
#[serde(tag = "cure", rename_all = "kebab-case")]
pub enum Cure {
    /// Find out and type a fact.
    TypeFact {
        /// Which.
        key: FactKey,
        /// Where it stands on this family.
        place: String,
    },
    /// Do something on the device, then type the fact again.
    DoThenType {
        /// Which.
        key: FactKey,
        /// What to do.
        instruction: String,
    },
    /// Tick or waive the open classes.
    KeepSafe {
        /// How many are open.
        open: u32,
    },
    /// Charge.
    Charge {
        /// Until this charge in per cent.
        until_percent: u32,
    },
    /// Read over the link.
    ReadByLink,
    /// Read what it costs and type the name.
    Consent,
    /// Nothing helps here.
    Nothing,
}

/// One line of an evidence list.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct Item {
    /// The rule that asks for it.
    pub rule: Rule,
    /// How it stands.
    pub state: ItemState,
    /// In one sentence.
    pub text: String,
    /// What would help.
    pub cure: Option<Cure>,
    /// Minutes that this takes, where that is known.
    pub minutes: Option<u32>,
    /// The facts it rests on.
    pub facts: Vec<CitedFact>,
}

/// A consent that a person typed for one run and one stage.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, utoipa::ToSchema)]
pub struct Consent {
    /// The stage it is for.
    pub stage: String,
    /// What was typed.
    pub typed: String,
    /// Digest over the consequences that were on screen.
    pub told: Digest,
    /// When.
    pub at: Moment,
}

/// Everything that the judgement of an unlock looks at.
#[derive(Debug, Clone, Copy)]
pub struct UnlockEvidence<'a> {
    /// The family.
    pub family: &'a Family,
    /// The unit's name, which a consent repeats.
    pub nickname: &'a str,
    /// What is known.
    pub facts: &'a Facts,
    /// What was said about the owner's data.
    pub keep_safe: &'a KeepSafe,
    /// The battery, judged for the whole sheet.
    pub battery: &'a Battery,
    /// The consent for this stage on this run, if there is one.
    pub consent: Option<&'a Consent>,
}

/// Digest over what an unlock of this family costs: what a consent was told.
#[must_use]
pub fn told(consequences: &[Consequence]) -> Digest {
    let text: String = consequences
        .iter()
        .map(|one| format!("{}\n{}\n", one.area, one.text))
        .collect();
    Digest::of(text.as_bytes())
}

/// What must be there before the sheet of an unlock begins: the evidence of `G1` but the consent.
#[must_use]
pub fn unlock_preparations(evidence: &UnlockEvidence<'_>) -> Vec<Item> {
    vec![
        ownership(evidence),
        lock(evidence),
        accounts(evidence),
        screen_lock(evidence),
        battery(evidence),
        keep_safe(evidence),
    ]
}

/// The whole evidence list of `G1`.
#[must_use]
pub fn unlock_items(evidence: &UnlockEvidence<'_>) -> Vec<Item> {
    let mut items = unlock_preparations(evidence);
    items.push(consent(evidence));
    items
}

fn cite(facts: &Facts, key: FactKey) -> Vec<CitedFact> {
    match facts.get(key) {
        Reading::Known(row) | Reading::Stale(row) => vec![row.into()],
        Reading::Contradicted(rows) => rows.into_iter().map(CitedFact::from).collect(),
        Reading::Unknown => Vec::new(),
    }
}

/// The line for a fact that is not known now, with where to find it.
fn not_known(evidence: &UnlockEvidence<'_>, rule: Rule, key: FactKey, question: &str) -> Item {
    let place = evidence.family.place(key);
    let text = match evidence.facts.get(key) {
        Reading::Contradicted(_) => {
            format!("{question} Two sources say different things: look again.")
        }
        Reading::Stale(_) => format!("{question} It was known, but something happened since."),
        Reading::Known(_) | Reading::Unknown => question.to_owned(),
    };
    Item {
        rule,
        state: ItemState::Unknown,
        text,
        cure: Some(Cure::TypeFact {
            key,
            place: place.map_or_else(String::new, |place| place.place.clone()),
        }),
        minutes: place.map(|place| place.minutes).or(Some(1)),
        facts: cite(evidence.facts, key),
    }
}

fn item(rule: Rule, state: ItemState, text: impl Into<String>, facts: Vec<CitedFact>) -> Item {
    Item {
        rule,
        state,
        text: text.into(),
        cure: None,
        minutes: None,
        facts,
    }
}

fn ownership(evidence: &UnlockEvidence<'_>) -> Item {
    let cited = cite(evidence.facts, FactKey::Ownership);
    match evidence.facts.choice(FactKey::Ownership) {
        Some("mine" | "asked") => item(
            Rule::Care,
            ItemState::Met,
            "The unit is yours, or its owner asked you.",
            cited,
        ),
        Some(_) => Item {
            cure: Some(Cure::Nothing),
            ..item(
                Rule::Care,
                ItemState::Missing,
                "Nobody who may decide about this unit is known, so it is not worked on.",
                cited,
            )
        },
        None => not_known(
            evidence,
            Rule::Care,
            FactKey::Ownership,
            "Is it yours, or did its owner ask you?",
        ),
    }
}

fn lock(evidence: &UnlockEvidence<'_>) -> Item {
    let cited = cite(evidence.facts, FactKey::Lock);
    match evidence.facts.lock() {
        Some(Lock::Locked) => item(Rule::L3, ItemState::Met, "It is locked.", cited),
        Some(Lock::Unlocked) => Item {
            cure: Some(Cure::Nothing),
            ..item(
                Rule::L3,
                ItemState::Missing,
                "It is unlocked already.",
                cited,
            )
        },
        None => not_known(
            evidence,
            Rule::L3,
            FactKey::Lock,
            "Is it locked or unlocked?",
        ),
    }
}

fn accounts(evidence: &UnlockEvidence<'_>) -> Item {
    let Some(row) = evidence.facts.known(FactKey::Accounts) else {
        return not_known(
            evidence,
            Rule::U6,
            FactKey::Accounts,
            "How many accounts are signed in?",
        );
    };
    match row.value {
        FactValue::Count(0) => item(
            Rule::U6,
            ItemState::Met,
            "No account is signed in.",
            vec![row.into()],
        ),
        _ => Item {
            cure: Some(Cure::DoThenType {
                key: FactKey::Accounts,
                instruction: "Let it sync once more, then sign every account out on the unit itself. The bench never asks for a login.".to_owned(),
            }),
            minutes: Some(5),
            ..item(
                Rule::U6,
                ItemState::Missing,
                format!(
                    "{} signed in: after the erase the unit would ask for an earlier account.",
                    row.value.exact()
                ),
                vec![row.into()],
            )
        },
    }
}

fn screen_lock(evidence: &UnlockEvidence<'_>) -> Item {
    let cited = cite(evidence.facts, FactKey::ScreenLock);
    match evidence.facts.choice(FactKey::ScreenLock) {
        Some("off") => item(Rule::U6, ItemState::Met, "The screen lock is off.", cited),
        Some(_) => Item {
            cure: Some(Cure::DoThenType {
                key: FactKey::ScreenLock,
                instruction: "Switch the screen lock off on the unit. Keep the code to yourself."
                    .to_owned(),
            }),
            minutes: Some(1),
            ..item(
                Rule::U6,
                ItemState::Missing,
                "The screen lock is on.",
                cited,
            )
        },
        None => not_known(
            evidence,
            Rule::U6,
            FactKey::ScreenLock,
            "Is the screen lock on or off?",
        ),
    }
}

fn battery(evidence: &UnlockEvidence<'_>) -> Item {
    let battery = evidence.battery;
    let cited = cite(evidence.facts, FactKey::Battery);
    let Some(charge) = &battery.charge else {
        return not_known(
            evidence,
            Rule::U7,
            FactKey::Battery,
            "How full is the battery?",
        );
    };
    let percent = charge.permille / 10;
    let needed = battery.begin_from_percent;
    match battery.verdict {
        BatteryVerdict::TooLow => Item {
            cure: Some(Cure::Charge {
                until_percent: needed,
            }),
            ..item(
                Rule::U7,
                ItemState::Missing,
                format!("{percent} % is too low: charge until {needed} %."),
                cited,
            )
        },
        BatteryVerdict::UnderFloor => item(
            Rule::U7,
            ItemState::Met,
            format!(
                "{percent} % carries the whole sheet ({needed} % would do), but is under your own floor."
            ),
            cited,
        ),
        BatteryVerdict::Enough | BatteryVerdict::NotKnown => item(
            Rule::U7,
            ItemState::Met,
            format!("{percent} % carries the whole sheet; {needed} % would do."),
            cited,
        ),
    }
}

fn keep_safe(evidence: &UnlockEvidence<'_>) -> Item {
    let open = open_classes(
        &evidence.family.keep_safe,
        evidence.keep_safe,
        evidence.facts.last(Happening::Wiped),
    );
    let count = u32::try_from(open.len()).unwrap_or(u32::MAX);
    if open.is_empty() {
        return item(
            Rule::U9,
            ItemState::Met,
            "Everything the owner would lose is kept safe or waived.",
            Vec::new(),
        );
    }
    let names: Vec<_> = open
        .iter()
        .take(3)
        .map(|class| class.shown().to_lowercase())
        .collect();
    let more = if open.len() > names.len() {
        " and more"
    } else {
        ""
    };
    Item {
        cure: Some(Cure::KeepSafe { open: count }),
        minutes: Some(count),
        ..item(
            Rule::U9,
            ItemState::Missing,
            format!(
                "{count} of {} kinds of data are neither kept safe nor waived: {}{more}.",
                evidence.family.keep_safe.len(),
                names.join(", ")
            ),
            Vec::new(),
        )
    }
}

fn consent(evidence: &UnlockEvidence<'_>) -> Item {
    let valid = evidence.consent.is_some_and(|consent| {
        consent.typed == evidence.nickname && consent.told == told(&evidence.family.consequences)
    });
    if valid {
        return item(
            Rule::U11,
            ItemState::Met,
            "The consequences were told and the name was typed.",
            Vec::new(),
        );
    }
    Item {
        cure: Some(Cure::Consent),
        ..item(
            Rule::U11,
            ItemState::Missing,
            format!(
                "Nobody has consented: read what it costs and type {}.",
                evidence.nickname
            ),
            Vec::new(),
        )
    }
}

/// What the link says of the unit at the moment of minting.
#[derive(Debug, Clone, Copy)]
pub struct LinkWitness<'a> {
    /// The unit that the bench believes is attached.
    pub unit: UnitId,
    /// The facts that the link reports now.
    pub live: &'a Facts,
    /// The epoch they belong to.
    pub epoch: Epoch,
}

/// Leave for one effect on one unit under one epoch.
///
/// It is spent by handing it over, and can't be copied, stored or made elsewhere:
/// ```compile_fail
/// fn misuse(permit: &veritope_core::seal::Permit) -> veritope_core::seal::Permit { permit.clone() }
/// ```
/// ```compile_fail
/// fn store<T: serde::Serialize>(_: T) {}
/// fn misuse(permit: veritope_core::seal::Permit) { store(permit) }
/// ```
/// ```compile_fail
/// fn read_back<T: serde::de::DeserializeOwned>() {}
/// fn misuse() { read_back::<veritope_core::seal::Permit>() }
/// ```
/// ```compile_fail
/// fn forge(effect: veritope_core::seal::Effect) -> veritope_core::seal::Permit {
///     veritope_core::seal::Permit { effect, epoch: todo!(), hardware: todo!(), unit: todo!() }
/// }
/// ```
#[derive(Debug)]
pub struct Permit {
    effect: Effect,
    unit: UnitId,
    hardware: String,
    epoch: Epoch,
}

impl Permit {
    /// The one effect it is for.
    #[must_use]
    pub fn effect(&self) -> &Effect {
        &self.effect
    }

    /// The unit it is for.
    #[must_use]
    pub fn unit(&self) -> UnitId {
        self.unit
    }

    /// The hardware identity it is for, in full.
    #[must_use]
    pub fn hardware(&self) -> &str {
        &self.hardware
    }

    /// The epoch under which it is good.
    #[must_use]
    pub fn epoch(&self) -> Epoch {
        self.epoch
    }
}

/// The seal stays closed; carries what is missing.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("the seal is closed: {} missing", .missing.len())]
pub struct Closed {
    /// What is missing, in the order of the list.
    pub missing: Vec<Item>,
}

/// Mints the permit for one stage of an unlock (`G1`).
///
/// # Errors
/// When any item of the list is not met, the unit at the link is not the one that was judged, or
/// it is not in the mode that takes the command.
pub fn mint_unlock(
    stage: &str,
    evidence: &UnlockEvidence<'_>,
    witness: &LinkWitness<'_>,
) -> Result<Permit, Closed> {
    let mut missing: Vec<Item> = unlock_items(evidence)
        .into_iter()
        .filter(|item| item.state != ItemState::Met)
        .collect();
    let family = evidence.family;
    let by_link = |item: Item| Item {
        cure: Some(Cure::ReadByLink),
        ..item
    };
    let Some(spec) = family.stages.iter().find(|spec| spec.id == stage) else {
        missing.push(item(
            Rule::G1,
            ItemState::Missing,
            format!("{} has no unlock stage `{stage}`.", family.name()),
            Vec::new(),
        ));
        return Err(Closed { missing });
    };
    if evidence
        .consent
        .is_some_and(|consent| consent.stage != stage)
    {
        missing.push(item(
            Rule::G1,
            ItemState::Missing,
            "The consent was given for another stage.",
            Vec::new(),
        ));
    }
    if witness.live.mode() != Some(spec.mode) {
        let found = witness.live.mode().map_or("not known", Mode::shown);
        missing.push(by_link(item(
            Rule::L3,
            ItemState::Missing,
            format!(
                "It must be in {} for this; now: {found}.",
                spec.mode.shown()
            ),
            cite(witness.live, FactKey::Mode),
        )));
    }
    if witness.live.lock() != Some(Lock::Locked) {
        missing.push(by_link(item(
            Rule::L3,
            ItemState::Missing,
            "The link does not report it as locked now.",
            cite(witness.live, FactKey::Lock),
        )));
    }
    let known = family.hardware_identity(evidence.facts);
    let live = family.hardware_identity(witness.live);
    let hardware = match (known, live) {
        (Some(known), Some(live)) if known.value == live.value => Some(live.value.exact()),
        (_, None) => {
            missing.push(by_link(item(
                Rule::K4,
                ItemState::Unknown,
                "The unit at the link does not give its hardware identity.",
                Vec::new(),
            )));
            None
        }
        (known, Some(live)) => {
            missing.push(item(
                Rule::K4,
                ItemState::Missing,
                "The unit at the link is another one: its hardware identity differs.",
                known
                    .into_iter()
                    .chain([live])
                    .map(CitedFact::from)
                    .collect(),
            ));
            None
        }
    };
    match hardware {
        Some(hardware) if missing.is_empty() => Ok(Permit {
            effect: Effect::Unlock {
                stage: stage.to_owned(),
            },
            unit: witness.unit,
            hardware,
            epoch: witness.epoch,
        }),
        _ => Err(Closed { missing }),
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;
    use crate::budget::{self, Policy};
    use crate::facts::testing::{at, row};
    use crate::facts::{FactRow, Source};
    use crate::family::testing::gimbal;
    use crate::keepsafe::Kept;
    use crate::plan::{Goal, Presence, State, Ways, find};

    /// A complete set of evidence; tests take single pieces out.
    struct Bench {
        family: Family,
        rows: Vec<FactRow>,
        live: Vec<FactRow>,
        keep_safe: KeepSafe,
        consent: Option<Consent>,
        nickname: &'static str,
    }

    fn complete() -> Bench {
        let family = gimbal();
        let pairs = [
            (FactKey::Ownership, "mine"),
            (FactKey::Lock, "locked"),
            (FactKey::Accounts, "0"),
            (FactKey::ScreenLock, "off"),
            (FactKey::Battery, "81"),
            (FactKey::ChipId, "9a:77:01:5c:20:e4"),
            (FactKey::Mode, "bootloader"),
        ];
        let rows: Vec<_> = pairs
            .iter()
            .zip(1..)
            .map(|((key, value), n)| row(n, *key, value, Source::Link, 0))
            .collect();
        Bench {
            keep_safe: family
                .keep_safe
                .iter()
                .map(|class| (*class, Kept::Waived { at: at(0) }))
                .collect(),
            consent: Some(Consent {
                stage: "main".to_owned(),
                typed: "Sanderling".to_owned(),
                told: told(&family.consequences),
                at: at(1),
            }),
            live: rows.clone(),
            family,
            rows,
            nickname: "Sanderling",
        }
    }

    fn mint(bench: &Bench) -> Result<Permit, Closed> {
        let facts = Facts::new(&bench.rows, &[], []);
        let live = Facts::new(&bench.live, &[], []);
        let ways = Ways {
            link: Presence::Here,
            image: Presence::Here,
        };
        let sheet = find(&bench.family, State::from_facts(&facts), Goal::Unlock, ways).unwrap();
        let battery = budget::battery(&sheet, &facts, &bench.family, &Policy::usual(), at(1));
        let evidence = UnlockEvidence {
            family: &bench.family,
            nickname: bench.nickname,
            facts: &facts,
            keep_safe: &bench.keep_safe,
            battery: &battery,
            consent: bench.consent.as_ref(),
        };
        let unit = "0192f0c1-2345-7abc-8def-0123456789ab".parse().unwrap();
        mint_unlock(
            "main",
            &evidence,
            &LinkWitness {
                unit,
                live: &live,
                epoch: Epoch(7),
            },
        )
    }

    fn rules(closed: Closed) -> Vec<Rule> {
        closed.missing.into_iter().map(|item| item.rule).collect()
    }

    #[test]
    fn complete_evidence_opens_for_this_epoch_and_hardware_only() {
        let permit = mint(&complete()).unwrap();
        assert_eq!(permit.epoch(), Epoch(7));
        assert_eq!(permit.hardware(), "9a:77:01:5c:20:e4");
    }

    proptest! {
        /// Taking any one piece away closes the seal.
        #[test]
        fn every_single_fact_is_needed(gone in 0..7usize) {
            let mut bench = complete();
            let key = bench.rows.remove(gone).key;
            // The mode is judged live; what the bench remembers of it is not evidence.
            prop_assert_eq!(mint(&bench).is_ok(), key == FactKey::Mode);
        }

        #[test]
        fn every_single_class_is_needed(gone in 0..10usize) {
            let mut bench = complete();
            let class = bench.family.keep_safe[gone];
            bench.keep_safe.remove(&class);
            prop_assert_eq!(rules(mint(&bench).unwrap_err()), [Rule::U9]);
        }
    }

    #[test]
    fn each_wrong_value_closes_it_with_its_rule() {
        for (key, value, rule) in [
            (FactKey::Ownership, "neither", Rule::Care),
            (FactKey::Accounts, "1", Rule::U6),
            (FactKey::ScreenLock, "on", Rule::U6),
            (FactKey::Battery, "29", Rule::U7),
        ] {
            let mut bench = complete();
            bench.rows.push(row(99, key, value, Source::Link, 1));
            assert_eq!(rules(mint(&bench).unwrap_err()), [rule], "{key:?}");
        }
    }

    #[test]
    fn a_consent_counts_for_its_name_its_stage_and_its_text() {
        let mut none = complete();
        none.consent = None;
        assert_eq!(rules(mint(&none).unwrap_err()), [Rule::U11]);
        let mut misspelt = complete();
        misspelt.nickname = "Ruff";
        assert_eq!(rules(mint(&misspelt).unwrap_err()), [Rule::U11]);
        let mut other_stage = complete();
        other_stage.consent.as_mut().unwrap().stage = "critical".to_owned();
        assert_eq!(rules(mint(&other_stage).unwrap_err()), [Rule::G1]);
        let mut other_text = complete();
        other_text.family.consequences.pop();
        assert_eq!(rules(mint(&other_text).unwrap_err()), [Rule::U11]);
    }

    #[test]
    fn a_swapped_unit_is_told_by_its_hardware() {
        let mut swapped = complete();
        swapped.live.retain(|row| row.key != FactKey::ChipId);
        assert_eq!(rules(mint(&swapped).unwrap_err()), [Rule::K4]);
        swapped.live.push(row(
            50,
            FactKey::ChipId,
            "9a:77:01:5c:20:e5",
            Source::Link,
            1,
        ));
        assert_eq!(rules(mint(&swapped).unwrap_err()), [Rule::K4]);
    }

    #[test]
    fn data_waived_before_an_erase_is_asked_again() {
        let bench = complete();
        let facts = Facts::new(&bench.rows, &[], [(Happening::Wiped, at(1))]);
        assert_eq!(
            open_classes(
                &bench.family.keep_safe,
                &bench.keep_safe,
                facts.last(Happening::Wiped)
            )
            .len(),
            10
        );
    }
}
