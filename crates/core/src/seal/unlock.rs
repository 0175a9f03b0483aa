//! Unlocking a stage (`G1`): preparations, consequences told, typed consent.

use serde::{Deserialize, Serialize};
use veritope_wire::{Digest, Moment};

use super::gates::gates;
use super::{
    Closed, Cure, Effect, Item, ItemState, LinkWitness, Permit, admit, battery, by_link, cite,
    in_mode, item, not_known, open_items, ownership,
};
use crate::budget::Battery;
use crate::facts::{FactKey, FactValue, Facts, Happening};
use crate::family::{Consequence, Family};
use crate::keepsafe::{KeepSafe, open_classes};
use crate::mode::Lock;
use crate::rule::Rule;

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
    /// Now.
    pub now: Moment,
    /// The consent for this stage on this run, if there is one.
    pub consent: Option<&'a Consent>,
    /// Another unit on the bench with which this one could be confused (`K4`).
    pub twin: Option<&'a str>,
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
    let mut items = vec![ownership(evidence.family, evidence.facts), lock(evidence)];
    items.extend(twin(evidence.family, evidence.facts, evidence.twin));
    items.extend(gates(evidence));
    items.extend([
        accounts(evidence.family, evidence.facts),
        screen_lock(evidence.family, evidence.facts),
        battery(evidence.family, evidence.facts, evidence.battery),
        keep_safe(evidence.family, evidence.facts, evidence.keep_safe),
    ]);
    items
}

/// The whole evidence list of `G1`.
#[must_use]
pub fn unlock_items(evidence: &UnlockEvidence<'_>) -> Vec<Item> {
    let mut items = unlock_preparations(evidence);
    items.push(consent(evidence));
    items
}

/// A second unit of the same model is a stop until the two are told apart (`K4`).
pub(super) fn twin(family: &Family, facts: &Facts, twin: Option<&str>) -> Option<Item> {
    let other = twin?;
    let ids = &family.identifiers;
    let key = ids.first().map_or(FactKey::Serial, |id| id.key);
    let text = format!("{other} is of the same model: by what is this one told from it?");
    Some(not_known(family, facts, Rule::K4, key, &text))
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
            evidence.family,
            evidence.facts,
            Rule::L3,
            FactKey::Lock,
            "Is it locked or unlocked?",
        ),
    }
}

pub(super) fn accounts(family: &Family, facts: &Facts) -> Item {
    let Some(row) = facts.known(FactKey::Accounts) else {
        return not_known(
            family,
            facts,
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

pub(super) fn screen_lock(family: &Family, facts: &Facts) -> Item {
    let cited = cite(facts, FactKey::ScreenLock);
    match facts.choice(FactKey::ScreenLock) {
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
            family,
            facts,
            Rule::U6,
            FactKey::ScreenLock,
            "Is the screen lock on or off?",
        ),
    }
}

pub(super) fn keep_safe(family: &Family, facts: &Facts, said: &KeepSafe) -> Item {
    let open = open_classes(&family.keep_safe, said, facts.last(Happening::Wiped));
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
                family.keep_safe.len(),
                names.join(", ")
            ),
            Vec::new(),
        )
    }
}

fn consent(evidence: &UnlockEvidence<'_>) -> Item {
    consented(
        evidence.consent,
        evidence.nickname,
        &evidence.family.consequences,
        Rule::U11,
    )
}

/// The line that the consequences were told and the name was typed.
pub(super) fn consented(
    consent: Option<&Consent>,
    nickname: &str,
    consequences: &[Consequence],
    rule: Rule,
) -> Item {
    let valid = consent
        .is_some_and(|consent| consent.typed == nickname && consent.told == told(consequences));
    if valid {
        return item(
            rule,
            ItemState::Met,
            "The consequences were told and the name was typed.",
            Vec::new(),
        );
    }
    Item {
        cure: Some(Cure::Consent),
        ..item(
            rule,
            ItemState::Missing,
            format!("Nobody has consented: read what it costs and type {nickname}."),
            Vec::new(),
        )
    }
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
    let mut missing = open_items(unlock_items(evidence));
    let family = evidence.family;
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
    missing.extend(in_mode(&[spec.mode], witness));
    if witness.live.lock() != Some(Lock::Locked) {
        missing.push(by_link(item(
            Rule::L3,
            ItemState::Missing,
            "The link does not report it as locked now.",
            cite(witness.live, FactKey::Lock),
        )));
    }
    admit(
        Effect::Unlock {
            stage: stage.to_owned(),
        },
        missing,
        family,
        evidence.facts,
        witness,
    )
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;
    use veritope_wire::link::Epoch;

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
        twin: Option<&'static str>,
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
            twin: None,
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
            now: at(1),
            consent: bench.consent.as_ref(),
            twin: bench.twin,
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
    fn a_second_unit_of_the_model_is_a_stop_until_told_apart() {
        let mut twins = complete();
        twins.twin = Some("Ruff");
        assert_eq!(rules(mint(&twins).unwrap_err()), [Rule::K4]);
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
