//! Making the other slot the active one (`G5`): it holds a whole system that may start, nothing is being
//! merged, and what the owner would miss there is kept safe. It erases nothing and can be taken back, so
//! no name is typed.

use super::index::index;
use super::owner::{keep_safe, merging, twin};
use super::{
    Closed, Cure, Effect, Item, ItemState, LinkWitness, Permit, Torn, admit, battery, by_link,
    in_mode, item, open_items, ownership, reported, torn,
};
use crate::budget::Battery;
use crate::facts::Facts;
use crate::family::Family;
use crate::keepsafe::KeepSafe;
use crate::mode::{Lock, Slot};
use crate::relock::{Held, purity, slot_of};
use crate::rule::Rule;

/// Everything that the judgement of a slot switch looks at.
#[derive(Debug, Clone, Copy)]
pub struct SlotEvidence<'a> {
    /// The family.
    pub family: &'a Family,
    /// What is known.
    pub facts: &'a Facts,
    /// The slot that is to be active.
    pub slot: Slot,
    /// What is known of each partition's content.
    pub held: &'a [Held],
    /// Writes whose end nobody has seen.
    pub torn: &'a [Torn],
    /// What was said about the owner's data.
    pub keep_safe: &'a KeepSafe,
    /// The battery, judged for the whole sheet.
    pub battery: &'a Battery,
    /// Another unit on the bench with which this one could be confused (`K4`).
    pub twin: Option<&'a str>,
}

/// What must be there before the sheet of a slot switch begins: the evidence of `G5`, but for what is
/// read on the way.
#[must_use]
pub fn slot_preparations(evidence: &SlotEvidence<'_>) -> Vec<Item> {
    let mut items = slot_items(evidence);
    items.retain(|line| line.rule != Rule::G5 || line.state == ItemState::Missing);
    items
}

/// The whole evidence list of `G5` for a slot switch.
#[must_use]
pub fn slot_items(evidence: &SlotEvidence<'_>) -> Vec<Item> {
    let (family, facts) = (evidence.family, evidence.facts);
    let mut items = vec![ownership(family, facts)];
    items.extend(twin(family, facts, evidence.twin));
    let whole = whole(evidence);
    let may_start = (whole.state == ItemState::Met).then(|| fused(evidence));
    items.push(whole);
    items.extend(may_start.flatten());
    items.extend(torn(evidence.torn, None));
    items.extend(merging(Rule::G5, family, facts));
    items.extend([
        battery(family, facts, evidence.battery),
        keep_safe(family, facts, evidence.keep_safe),
    ]);
    items
}

/// Nothing is left behind before what takes its place is proven whole where it lies (`Q11`, `Q5`), and
/// may start (`W1`).
fn whole(evidence: &SlotEvidence<'_>) -> Item {
    let (family, facts) = (evidence.family, evidence.facts);
    let id = evidence.slot.id();
    let pure = purity(family, facts, evidence.held, evidence.torn);
    let line = |state, text: String| item(Rule::Q11, state, text, Vec::new());
    if pure.empty.contains(&id) {
        return line(
            ItemState::Missing,
            format!(
                "Slot {id} holds nothing, so nothing starts from it: fill it with the same stock first."
            ),
        );
    }
    if pure.mixed.contains(&id) {
        return line(
            ItemState::Missing,
            format!("Slot {id} holds parts of more than one build: it is not whole."),
        );
    }
    let within = |label: &&veritope_wire::Label| {
        family
            .partition(label)
            .is_some_and(|spec| slot_of(spec, family) == id)
    };
    let foreign = pure.foreign.iter().map(|(label, _)| label);
    if let Some(label) = foreign.into_iter().find(within) {
        return line(
            ItemState::Missing,
            format!(
                "What {label} holds is no stock build's, so nothing tells whether slot {id} is whole."
            ),
        );
    }
    let build = pure.builds.iter().find(|(slot, _)| *slot == id);
    let Some((_, build)) = build.filter(|_| !pure.unproven.iter().any(|label| within(&label)))
    else {
        return Item {
            cure: Some(Cure::Capture),
            ..line(
                ItemState::Unknown,
                format!(
                    "Nothing proves what slot {id} holds: read it with the system, from a recovery started from memory."
                ),
            )
        };
    };
    line(
        ItemState::Met,
        format!("Slot {id} holds {build}, proven whole."),
    )
}

/// What the slot holds may start (`W1`); asked once it is known.
fn fused(evidence: &SlotEvidence<'_>) -> Option<Item> {
    let (family, facts) = (evidence.family, evidence.facts);
    let id = evidence.slot.id();
    let pure = purity(family, facts, evidence.held, evidence.torn);
    let (_, build) = pure.builds.iter().find(|(slot, _)| *slot == id)?;
    let known = family.build(build).map(|(_, spec)| spec.rollback);
    index(Rule::W1, family, facts, build, known)
}

/// Mints the permit for making one slot the active one (`G5`).
///
/// # Errors
/// When any line of the list is not met, or the unit at the link is not the one that was judged or not
/// where and as the command wants it.
pub fn mint_slot(evidence: &SlotEvidence<'_>, witness: &LinkWitness<'_>) -> Result<Permit, Closed> {
    let mut missing = open_items(slot_items(evidence));
    match &evidence.family.slot_switch {
        Some(spec) => missing.extend(in_mode(&[spec.mode], witness)),
        None => missing.push(by_link(item(
            Rule::G5,
            ItemState::Missing,
            format!("{} has one slot.", evidence.family.name()),
            Vec::new(),
        ))),
    }
    missing.extend(reported(Lock::Unlocked, witness));
    admit(
        Effect::SetSlot {
            slot: evidence.slot,
        },
        missing,
        evidence.family,
        evidence.facts,
        witness,
    )
}

#[cfg(test)]
mod tests {
    use super::super::testing::{rules, waived, witness};
    use super::*;
    use crate::budget::{self, Policy};
    use crate::facts::testing::{at, linked, row};
    use crate::facts::{FactKey, FactRow, Source};
    use crate::family::testing::shipped;
    use crate::plan::{Goal, Presence, State, Ways, find};
    use crate::relock::{Against, Holds, Proof, is_checked};

    struct Case {
        family: Family,
        rows: Vec<FactRow>,
        live: Vec<FactRow>,
        held: Vec<Held>,
        keep_safe: KeepSafe,
    }

    const BUILD: &str = "TH5.8.3.261104";

    /// Both slots hold the same stock; tests take single pieces out.
    fn complete() -> Case {
        let family = shipped("saltern");
        let rows = linked(
            &[
                (FactKey::Ownership, "mine"),
                (FactKey::Lock, "unlocked"),
                (FactKey::CriticalLock, "locked"),
                (FactKey::Battery, "81"),
                (FactKey::ChipId, "9a77015c20e40001"),
                (FactKey::Mode, "bootloader"),
                (FactKey::Merging, "no"),
                (FactKey::RollbackIndex, "3"),
                (FactKey::Slot, "a"),
            ],
            9,
        );
        let held = family
            .partitions
            .iter()
            .filter(|spec| is_checked(spec.role))
            .map(|spec| Held {
                label: spec.label.clone(),
                holds: Holds::Stock {
                    build: BUILD.to_owned(),
                },
                proof: Proof::ReadTemporary,
                at: at(6),
                against: Against::Own,
            })
            .collect();
        Case {
            keep_safe: waived(&family, 1),
            live: rows.clone(),
            rows,
            held,
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
        let sheet = find(&case.family, start, Goal::SlotB, ways).unwrap();
        let battery = budget::battery(&sheet, &facts, &case.family, &Policy::usual(), at(10));
        mint_slot(
            &SlotEvidence {
                family: &case.family,
                facts: &facts,
                slot: Slot::B,
                held: &case.held,
                torn: &[],
                keep_safe: &case.keep_safe,
                battery: &battery,
                twin: None,
            },
            &witness(&live, 3),
        )
    }

    fn with(change: impl FnOnce(&mut Case)) -> Vec<Rule> {
        let mut case = complete();
        change(&mut case);
        rules(&mint(&case))
    }

    fn said(case: &mut Case, key: FactKey, value: &str) {
        case.rows.retain(|row| row.key != key);
        case.rows.push(row(40, key, value, Source::Link, 9));
    }

    #[test]
    fn a_whole_other_slot_opens_this_switch_and_nothing_else() {
        let permit = mint(&complete()).unwrap();
        assert_eq!(*permit.effect(), Effect::SetSlot { slot: Slot::B });
        assert_eq!(permit.effect().rule(), Rule::G5);
        assert_eq!(permit.effect().writes(), None);
    }

    #[test]
    fn a_slot_that_ships_empty_or_is_not_whole_is_never_switched_to() {
        let in_b = |held: &Held| held.label.as_str().ends_with("_b");
        let empty = with(|case| {
            for held in case.held.iter_mut().filter(|held| in_b(held)) {
                held.holds = Holds::Empty;
            }
        });
        assert_eq!(empty, [Rule::Q11]);
        let unread = with(|case| case.held.retain(|held| held.label.as_str() != "boot_b"));
        assert_eq!(unread, [Rule::Q11]);
        for holds in [
            Holds::Foreign,
            Holds::Empty,
            Holds::Stock {
                build: "TH5.8.2.260905".to_owned(),
            },
        ] {
            let torn = with(|case| {
                let boot = case
                    .held
                    .iter_mut()
                    .find(|one| one.label.as_str() == "boot_b");
                boot.unwrap().holds = holds;
            });
            assert_eq!(torn, [Rule::Q11]);
        }
        // The slot that is left may hold what it will.
        let left = with(|case| {
            let boot = case
                .held
                .iter_mut()
                .find(|one| one.label.as_str() == "boot_a");
            boot.unwrap().holds = Holds::Foreign;
        });
        assert_eq!(left, []);
    }

    #[test]
    fn each_other_piece_that_is_missing_keeps_it_shut() {
        assert_eq!(
            with(|case| said(case, FactKey::RollbackIndex, "9")),
            [Rule::W1]
        );
        // Unknown is not zero.
        assert_eq!(
            with(|case| case.rows.retain(|row| row.key != FactKey::RollbackIndex)),
            [Rule::W1]
        );
        assert_eq!(with(|case| said(case, FactKey::Merging, "yes")), [Rule::G5]);
        assert_eq!(
            with(|case| case.rows.retain(|row| row.key != FactKey::Merging)),
            [Rule::G5]
        );
        assert_eq!(with(|case| case.keep_safe.clear()), [Rule::U9]);
        assert_eq!(
            with(|case| said(case, FactKey::Ownership, "neither")),
            [Rule::Care]
        );
        for (key, rule) in [
            (FactKey::Mode, Rule::L3),
            (FactKey::Lock, Rule::L3),
            (FactKey::ChipId, Rule::K4),
        ] {
            let shut = with(|case| case.live.retain(|row| row.key != key));
            assert_eq!(shut, [rule], "{key:?}");
        }
    }
}
