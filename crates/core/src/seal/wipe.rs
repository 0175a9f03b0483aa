//! Erasing the owner's data (`G5`): what would be lost is kept safe, nothing is being merged, the name
//! was typed.

use super::consent::{Consent, consented, data_lost, meant_for_another};
use super::owner::{accounts, keep_safe, merging, screen_lock, twin};
use super::{
    Closed, Effect, Item, ItemState, LinkWitness, Permit, Torn, admit, battery, in_mode,
    open_items, ownership, reported, torn,
};
use crate::budget::Battery;
use crate::facts::Facts;
use crate::family::{Consequence, Family, RouteLock, WipeSpec};
use crate::keepsafe::KeepSafe;
use crate::mode::Lock;
use crate::rule::Rule;

/// Everything that the judgement of a wipe looks at.
#[derive(Debug, Clone, Copy)]
pub struct WipeEvidence<'a> {
    /// The family.
    pub family: &'a Family,
    /// The unit's name, which a consent repeats.
    pub nickname: &'a str,
    /// What is known.
    pub facts: &'a Facts,
    /// The way to erase.
    pub wipe: &'a WipeSpec,
    /// What was said about the owner's data.
    pub keep_safe: &'a KeepSafe,
    /// Writes whose end nobody has seen.
    pub torn: &'a [Torn],
    /// The battery, judged for the whole sheet.
    pub battery: &'a Battery,
    /// The consent to this wipe, if there is one.
    pub consent: Option<&'a Consent>,
    /// Another unit on the bench with which this one could be confused (`K4`).
    pub twin: Option<&'a str>,
}

/// What a consent to a wipe is for.
#[must_use]
pub fn wipe_stage(way: &str) -> String {
    format!("wipe {way}")
}

/// What a wipe costs, told before the name is typed.
#[must_use]
pub fn wipe_consequences(wipe: &WipeSpec) -> Vec<Consequence> {
    let one = |area: &str, text: &str| Consequence {
        area: area.to_owned(),
        text: text.to_owned(),
    };
    vec![
        data_lost(wipe.wipe),
        one(
            "the rest",
            "System, lock and what exists once stay as they are.",
        ),
    ]
}

/// What must be there before the sheet of a wipe begins: the evidence of `G5` but the consent.
#[must_use]
pub fn wipe_preparations(evidence: &WipeEvidence<'_>) -> Vec<Item> {
    let (family, facts) = (evidence.family, evidence.facts);
    let mut items = vec![ownership(family, facts)];
    items.extend(twin(family, facts, evidence.twin));
    // Where it is not known yet, it is read on the way: the list of the step wants it known.
    items.extend(merging(Rule::G5, family, facts).filter(|line| line.state == ItemState::Missing));
    // Nothing is erased while what starts the unit may be half written.
    items.extend(torn(evidence.torn, None));
    items.extend([
        accounts(family, facts),
        screen_lock(family, facts),
        battery(family, facts, evidence.battery),
        keep_safe(family, facts, evidence.keep_safe),
    ]);
    items
}

/// The whole evidence list of `G5`.
#[must_use]
pub fn wipe_items(evidence: &WipeEvidence<'_>) -> Vec<Item> {
    let mut items = wipe_preparations(evidence);
    let known = |line: &Item| line.state != ItemState::Missing;
    items.extend(merging(Rule::G5, evidence.family, evidence.facts).filter(known));
    items.push(consented(
        evidence.consent,
        evidence.nickname,
        &wipe_consequences(evidence.wipe),
        Rule::G5,
    ));
    items
}

/// Mints the permit for one wipe (`G5`).
///
/// # Errors
/// When any line of the list is not met, the consent was given for something else, or the unit at
/// the link is not the one that was judged or not where and as the command wants it.
pub fn mint_wipe(evidence: &WipeEvidence<'_>, witness: &LinkWitness<'_>) -> Result<Permit, Closed> {
    let mut missing = open_items(wipe_items(evidence));
    let wipe = evidence.wipe;
    let stage = wipe_stage(&wipe.id);
    missing.extend(meant_for_another(evidence.consent, &stage, Rule::G5));
    missing.extend(in_mode(&[wipe.mode], witness));
    if wipe.lock == RouteLock::Unlocked {
        missing.extend(reported(Lock::Unlocked, witness));
    }
    admit(
        Effect::Wipe {
            way: wipe.id.clone(),
        },
        missing,
        evidence.family,
        evidence.facts,
        witness,
    )
}

#[cfg(test)]
mod tests {
    use super::super::consent::told;
    use super::super::testing::{rules, waived, witness};
    use super::*;
    use crate::budget::{self, Policy};
    use crate::facts::testing::{at, linked, row};
    use crate::facts::{FactKey, FactRow, Source};
    use crate::family::testing::shipped;
    use crate::plan::{Goal, Presence, State, Ways, find};

    struct Case {
        family: Family,
        rows: Vec<FactRow>,
        live: Vec<FactRow>,
        keep_safe: KeepSafe,
        consent: Option<Consent>,
    }

    /// Everything is there; tests take single pieces out.
    fn complete() -> Case {
        let family = shipped("saltern");
        let pairs = [
            (FactKey::Ownership, "mine"),
            (FactKey::Lock, "unlocked"),
            (FactKey::CriticalLock, "locked"),
            (FactKey::Accounts, "0"),
            (FactKey::ScreenLock, "off"),
            (FactKey::Battery, "81"),
            (FactKey::ChipId, "9a77015c20e40001"),
            (FactKey::Mode, "bootloader"),
            (FactKey::Merging, "no"),
        ];
        let rows = linked(&pairs, 0);
        let consequences = wipe_consequences(&family.wipes[0]);
        Case {
            keep_safe: waived(&family, 1),
            consent: Some(Consent {
                stage: wipe_stage(&family.wipes[0].id),
                typed: "Gull".to_owned(),
                told: told(&consequences),
                at: at(1),
            }),
            live: rows.clone(),
            rows,
            family,
        }
    }

    fn mint(case: &Case) -> Result<Permit, Closed> {
        let facts = Facts::new(&case.rows, &[], []);
        let live = Facts::new(&case.live, &[], []);
        let ways = Ways {
            link: Presence::Here,
            image: Presence::Missing,
        };
        let start = State {
            lock: Some(Lock::Unlocked),
            ..State::from_facts(&facts)
        };
        let sheet = find(&case.family, start, Goal::Erase, ways).unwrap();
        let battery = budget::battery(&sheet, &facts, &case.family, &Policy::usual(), at(2));
        mint_wipe(
            &WipeEvidence {
                family: &case.family,
                nickname: "Gull",
                facts: &facts,
                wipe: &case.family.wipes[0],
                keep_safe: &case.keep_safe,
                torn: &[],
                battery: &battery,
                consent: case.consent.as_ref(),
                twin: None,
            },
            &witness(&live, 3),
        )
    }

    fn without(key: FactKey) -> Case {
        let mut case = complete();
        case.rows.retain(|row| row.key != key);
        case
    }

    fn with(key: FactKey, value: &str) -> Case {
        let mut case = without(key);
        case.rows.push(row(40, key, value, Source::Link, 0));
        case
    }

    #[test]
    fn a_complete_list_opens_this_wipe_and_nothing_else() {
        let permit = mint(&complete()).unwrap();
        let way = complete().family.wipes[0].id.clone();
        assert_eq!(*permit.effect(), Effect::Wipe { way });
        assert_eq!(permit.effect().rule(), Rule::G5);
        assert_eq!(permit.effect().writes(), None);
    }

    #[test]
    fn each_single_piece_that_is_missing_keeps_it_shut() {
        let cases = [
            (without(FactKey::Ownership), Rule::Care),
            (without(FactKey::Accounts), Rule::U6),
            (with(FactKey::Accounts, "1"), Rule::U6),
            (with(FactKey::ScreenLock, "on"), Rule::U6),
            (with(FactKey::Battery, "12"), Rule::U7),
            (without(FactKey::Merging), Rule::G5),
            (with(FactKey::Merging, "yes"), Rule::G5),
        ];
        for (case, rule) in cases {
            assert_eq!(rules(&mint(&case)), [rule]);
        }
    }

    #[test]
    fn consent_keep_safe_and_what_the_link_says_count_too() {
        let mut case = complete();
        case.keep_safe.clear();
        assert!(mint(&case).is_err());
        let mut case = complete();
        case.consent = None;
        assert!(mint(&case).is_err());
        let mut case = complete();
        if let Some(consent) = &mut case.consent {
            consent.stage = "main".to_owned();
        }
        assert!(mint(&case).is_err());
        for (key, value) in [
            (FactKey::Mode, "system"),
            (FactKey::Lock, "locked"),
            (FactKey::ChipId, "9a77015c20e40002"),
        ] {
            let mut case = complete();
            case.live.retain(|row| row.key != key);
            case.live.push(row(41, key, value, Source::Link, 0));
            assert!(mint(&case).is_err(), "{key:?}");
        }
    }
}
