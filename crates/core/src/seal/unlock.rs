//! Unlocking a stage (`G1`): preparations, consequences told, typed consent.

use veritope_wire::{BenchTime, Label};

use super::consent::{Consent, consented, meant_for_another};
use super::gates::gates;
use super::owner::{accounts, keep_safe, merging, screen_lock, twin};
use super::{
    Closed, Cure, Effect, Item, ItemState, LinkWitness, Permit, Torn, admit, battery, cite,
    in_mode, item, not_known, open_items, ownership, reported, torn,
};
use crate::budget::Battery;
use crate::coverage::{Coverage, Keeping};
use crate::facts::{FactKey, Facts};
use crate::family::{Consequence, Family, RouteKind, RouteLock};
use crate::keepsafe::KeepSafe;
use crate::mode::Lock;
use crate::rule::Rule;

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
    /// How the unit's partitions are kept, where its table was ever read.
    pub coverage: Option<&'a Coverage>,
    /// Writes whose end nobody has seen.
    pub torn: &'a [Torn],
    /// Now.
    pub now: BenchTime,
    /// The consent for this stage on this run, if there is one.
    pub consent: Option<&'a Consent>,
    /// Another unit on the bench with which this one could be confused (`K4`).
    pub twin: Option<&'a str>,
}

/// What must be there before the sheet of an unlock begins: the evidence of `G1` but the consent.
#[must_use]
pub fn unlock_preparations(evidence: &UnlockEvidence<'_>) -> Vec<Item> {
    let mut items = vec![ownership(evidence.family, evidence.facts), lock(evidence)];
    items.extend(twin(evidence.family, evidence.facts, evidence.twin));
    items.extend(gates(evidence));
    items.extend(torn(evidence.torn, None));
    // Where it is not known yet, it is read on the way: the list of the step wants it known.
    let is_known = |line: &Item| line.state == ItemState::Missing;
    items.extend(merging(Rule::G1, evidence.family, evidence.facts).filter(is_known));
    items.extend(destroyed(evidence));
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
    let is_left = |line: &Item| line.state != ItemState::Missing;
    items.extend(merging(Rule::G1, evidence.family, evidence.facts).filter(is_left));
    items.push(consent(evidence));
    items
}

/// What unlocking costs: what the family says, and by name what exists once and does not survive it.
#[must_use]
pub fn unlock_consequences(family: &Family) -> Vec<Consequence> {
    let mut all = family.consequences.clone();
    all.extend(family.destroyed().into_iter().map(|label| Consequence {
        area: label.to_string(),
        text: format!("{label} exists once in the world and is destroyed; nothing brings it back."),
    }));
    all
}

/// What exists once and is destroyed: captured before, where anything gives rights to read while it is
/// locked; else it is told in the consent, by name.
fn destroyed(evidence: &UnlockEvidence<'_>) -> Vec<Item> {
    let (family, facts) = (evidence.family, evidence.facts);
    let has_route = family
        .read_routes
        .iter()
        .any(|route| route.lock == RouteLock::Any && route.kind == RouteKind::RunningSystem);
    let is_kept = |label: &Label| {
        let rows = evidence.coverage.map(|coverage| &coverage.rows);
        rows.into_iter()
            .flatten()
            .any(|row| row.described.own.label == *label && row.kept == Keeping::Enough)
    };
    let line = |label: Label| {
        if is_kept(&label) {
            let text = format!("{label} is destroyed by the unlock, and what it holds is kept.");
            return item(Rule::G1, ItemState::Met, text, Vec::new());
        }
        if !has_route {
            let text = format!(
                "{label} is destroyed by the unlock. Nothing reads it while it is locked: the consent names it."
            );
            return item(Rule::G1, ItemState::Met, text, Vec::new());
        }
        match facts.choice(FactKey::Root) {
            Some("no") => item(
                Rule::G1,
                ItemState::Met,
                format!(
                    "{label} is destroyed by the unlock. Without administrator rights nothing reads it before: the consent names it."
                ),
                cite(facts, FactKey::Root),
            ),
            Some(_) => Item {
                cure: Some(Cure::Nothing),
                ..item(
                    Rule::G1,
                    ItemState::Missing,
                    format!(
                        "{label} is destroyed by the unlock, and the running system has the rights to copy it before. This version does not read by that way yet: the unlock waits for it."
                    ),
                    cite(facts, FactKey::Root),
                )
            },
            None => not_known(
                family,
                facts,
                Rule::G1,
                FactKey::Root,
                &format!(
                    "{label} is destroyed by the unlock; with administrator rights it can be copied before. Does the running system give them?"
                ),
            ),
        }
    };
    family.destroyed().into_iter().map(line).collect()
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

fn consent(evidence: &UnlockEvidence<'_>) -> Item {
    consented(
        evidence.consent,
        evidence.nickname,
        &unlock_consequences(evidence.family),
        Rule::U11,
    )
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
    missing.extend(meant_for_another(evidence.consent, stage, Rule::G1));
    missing.extend(in_mode(&[spec.mode], witness));
    missing.extend(reported(Lock::Locked, witness));
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

    use super::super::consent::told;
    use super::super::testing::{rules, waived, witness};
    use super::*;
    use crate::budget::{self, Policy};
    use crate::facts::Happening;
    use crate::facts::testing::{at, linked, row};
    use crate::facts::{FactRow, Source};
    use crate::family::testing::gimbal;
    use crate::keepsafe::open_classes;
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
        let rows = linked(&pairs, 0);
        Bench {
            keep_safe: waived(&family, 0),
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
            coverage: None,
            torn: &[],
            now: at(1),
            consent: bench.consent.as_ref(),
            twin: bench.twin,
        };
        mint_unlock("main", &evidence, &witness(&live, 7))
    }

    #[test]
    fn complete_evidence_opens_for_this_epoch_and_hardware_only() {
        let permit = mint(&complete()).unwrap();
        assert_eq!(permit.epoch(), Epoch(7));
        assert_eq!(permit.chip().value, "9a:77:01:5c:20:e4");
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
            prop_assert_eq!(rules(&mint(&bench)), [Rule::U9]);
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
            assert_eq!(rules(&mint(&bench)), [rule], "{key:?}");
        }
    }

    #[test]
    fn a_consent_counts_for_its_name_its_stage_and_its_text() {
        let mut none = complete();
        none.consent = None;
        assert_eq!(rules(&mint(&none)), [Rule::U11]);
        let mut misspelt = complete();
        misspelt.nickname = "Ruff";
        assert_eq!(rules(&mint(&misspelt)), [Rule::U11]);
        let mut other_stage = complete();
        other_stage.consent.as_mut().unwrap().stage = "critical".to_owned();
        assert_eq!(rules(&mint(&other_stage)), [Rule::G1]);
        let mut other_text = complete();
        other_text.family.consequences.pop();
        assert_eq!(rules(&mint(&other_text)), [Rule::U11]);
    }

    #[test]
    fn a_swapped_unit_is_told_by_its_hardware() {
        let mut swapped = complete();
        swapped.live.retain(|row| row.key != FactKey::ChipId);
        assert_eq!(rules(&mint(&swapped)), [Rule::K4]);
        swapped.live.push(row(
            50,
            FactKey::ChipId,
            "9a:77:01:5c:20:e5",
            Source::Link,
            1,
        ));
        assert_eq!(rules(&mint(&swapped)), [Rule::K4]);
    }

    #[test]
    fn a_second_unit_of_the_model_is_a_stop_until_told_apart() {
        let mut twins = complete();
        twins.twin = Some("Ruff");
        assert_eq!(rules(&mint(&twins)), [Rule::K4]);
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

    /// `G1`: what exists once and goes with the unlock is named, and copied first where anything can.
    #[test]
    fn what_an_unlock_destroys_is_named_and_waits_for_its_copy() {
        let family = crate::family::testing::shipped("lodestar");
        let told = unlock_consequences(&family);
        assert!(
            told.iter()
                .any(|one| one.text.contains("vkeys exists once")),
            "the consent names it: {told:?}"
        );
        let bench = complete();
        let lines = |root: Option<&str>| {
            let rows: Vec<FactRow> = root
                .map(|root| row(9, FactKey::Root, root, Source::Person, 1))
                .into_iter()
                .collect();
            let facts = Facts::new(&rows, &[], []);
            let sheet = find(
                &bench.family,
                State::from_facts(&Facts::new(&bench.rows, &[], [])),
                Goal::Unlock,
                Ways {
                    link: Presence::Here,
                    image: Presence::Here,
                },
            )
            .unwrap();
            let battery = budget::battery(&sheet, &facts, &family, &Policy::usual(), at(1));
            let evidence = UnlockEvidence {
                family: &family,
                nickname: bench.nickname,
                facts: &facts,
                keep_safe: &bench.keep_safe,
                battery: &battery,
                coverage: None,
                torn: &[],
                now: at(1),
                consent: None,
                twin: None,
            };
            let one = destroyed(&evidence);
            assert_eq!(one.len(), 1, "{one:?}");
            (one[0].state, one[0].cure.clone())
        };
        assert_eq!(lines(Some("no")).0, ItemState::Met, "nothing could copy it");
        assert_eq!(lines(None).0, ItemState::Unknown, "unread is not no");
        assert_eq!(
            lines(Some("yes")),
            (ItemState::Missing, Some(Cure::Nothing)),
            "a copy could be made, and is not"
        );
    }

    /// `G1`, `G8`: an erase in the middle of an update leaves nothing that starts.
    #[test]
    fn an_update_that_is_merging_holds_what_erases() {
        let family = crate::family::testing::shipped("saltern");
        let line = |said: Option<&str>| {
            let rows: Vec<FactRow> = said
                .map(|said| row(9, FactKey::Merging, said, Source::Link, 1))
                .into_iter()
                .collect();
            let facts = Facts::new(&rows, &[], []);
            super::super::owner::merging(Rule::G1, &family, &facts).unwrap()
        };
        assert_eq!(line(Some("no")).state, ItemState::Met);
        assert_eq!(line(Some("yes")).state, ItemState::Missing);
        assert_eq!(line(None).state, ItemState::Unknown);
        let gimbal = gimbal();
        let facts = Facts::new(&[], &[], []);
        let none = super::super::owner::merging(Rule::G1, &gimbal, &facts);
        assert!(none.is_none(), "its updates don't merge");
    }
}
