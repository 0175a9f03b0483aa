//! What an owner has to say, or to do, before anything of theirs is erased or closed: which unit it is,
//! accounts signed out, the screen's lock off, what is to be kept put elsewhere, an update finished.

use super::{Cure, Item, ItemState, cite, item, not_known};
use crate::facts::{FactKey, FactValue, Facts, Happening};
use crate::family::Family;
use crate::keepsafe::{KeepSafe, open_classes};
use crate::rule::Rule;

/// A second unit of the same model is a stop until the two are told apart (`K4`).
pub(super) fn twin(family: &Family, facts: &Facts, twin: Option<&str>) -> Option<Item> {
    let other = twin?;
    let ids = &family.identifiers;
    let key = ids.first().map_or(FactKey::Serial, |id| id.key);
    let text = format!("{other} is of the same model: by what is this one told from it?");
    Some(not_known(family, facts, Rule::K4, key, &text))
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

/// Nothing is erased or made active while an update is being merged, where the family's updates do that;
/// the line stands in the list of `rule`.
pub(super) fn merging(rule: Rule, family: &Family, facts: &Facts) -> Option<Item> {
    family.place(FactKey::Merging)?;
    let cited = cite(facts, FactKey::Merging);
    Some(match facts.choice(FactKey::Merging) {
        Some("no") => item(rule, ItemState::Met, "No update is being merged.", cited),
        Some(_) => item(
            rule,
            ItemState::Missing,
            "An update is being merged: start the system and let it finish, or what is erased now leaves nothing that starts.",
            cited,
        ),
        None => not_known(
            family,
            facts,
            rule,
            FactKey::Merging,
            "Is an update still being merged?",
        ),
    })
}
