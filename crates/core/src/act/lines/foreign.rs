//! What the unit's own screens must say before anything foreign is written (`L5`).

use crate::evidence::{Cure, Due, Line, choice, not_known};
use crate::facts::{FactKey, FactKind, Facts, Happening};
use crate::family::{BeforeForeign, Family};
use crate::mode::Lock;
use crate::rule::Rule;

/// The lines that the family names.
#[must_use]
pub(crate) fn before_foreign(family: &Family, facts: &Facts) -> Vec<Line> {
    let asks_lock = family
        .before_foreign
        .iter()
        .any(|wanted| wanted.key == FactKey::Lock);
    let waits_for_unlock = asks_lock && facts.lock() != Some(Lock::Unlocked);
    let line = |wanted: &BeforeForeign| {
        let key = wanted.key;
        let title = key.spec().title;
        let line = match choice(facts, key) {
            Some((value, basis)) if value == wanted.value => {
                let text = format!("{title}: {}.", shown(key, value));
                Line::met(Rule::L5, text, basis)
            }
            // What a locked unit says of itself is another thing after the unlock's wipe: its lock stands for it.
            Some(_) if key != FactKey::Lock && waits_for_unlock => return None,
            Some((value, _)) => Line::missing(
                Rule::L5,
                format!(
                    "{title}: {}, wanted is {}. {}",
                    shown(key, value),
                    shown(key, &wanted.value),
                    wanted.reason
                ),
                Cure::DoThenType {
                    key,
                    instruction: wanted.reason.clone(),
                }
                .by_person(),
            )
            .citing(facts, [key]),
            None => {
                let wanted = shown(key, &wanted.value);
                let question = format!("{title}: is it {wanted}?");
                not_known(family, facts, Rule::L5, key, &question)
            }
        };
        // What lapses with the mode is read in the mode that it is asked in.
        let lapses = key.spec().stale_on.contains(&Happening::ModeChanged);
        Some(if lapses { line.due(Due::Door) } else { line })
    };
    family.before_foreign.iter().filter_map(line).collect()
}

/// A choice in words.
fn shown(key: FactKey, value: &str) -> &str {
    match key.spec().kind {
        FactKind::Choice(options) => options
            .iter()
            .find(|option| option.id == value)
            .map_or(value, |option| option.shown),
        _ => value,
    }
}
