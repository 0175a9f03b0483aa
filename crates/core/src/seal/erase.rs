//! What a whole erase would take (`G6`, `S6`). This version judges it and mints no permit for it:
//! a write tool's choice that erases everything is a person's own act, and what can be done about it
//! is said before.

use super::{Cure, Item, ItemState, cite, item};
use crate::facts::{FactKey, Facts};
use crate::family::{Advice, Family, Role, ToolChoice, ToolErases};
use crate::rule::Rule;

/// The choice that stands ticked in the write tool, when it erases everything.
pub(crate) fn standing_choice<'f>(family: &'f Family, facts: &Facts) -> Option<&'f ToolChoice> {
    let id = facts.text(FactKey::ToolChoice)?;
    family
        .tool_choices
        .iter()
        .find(|choice| choice.id == id && choice.erases == ToolErases::Everything)
}

/// The evidence list of `G6` for the erase that stands ticked: one line for each partition that
/// exists once, with how it is kept (`kept`, from [`crate::coverage`]; empty where nothing was ever
/// captured), and the choice that would do instead.
#[must_use]
pub fn erase_items(family: &Family, facts: &Facts, kept: &[Item]) -> Vec<Item> {
    let Some(choice) = standing_choice(family, facts) else {
        return Vec::new();
    };
    let mut items = Vec::new();
    let instead = family
        .tool_choices
        .iter()
        .find(|other| other.advice == Advice::Take && other.erases == ToolErases::Nothing);
    if let Some(instead) = instead {
        let unless = if choice.unless.is_empty() {
            String::new()
        } else {
            format!(" Unless: {}", choice.unless)
        };
        items.push(Item {
            cure: Some(Cure::DoThenType {
                key: FactKey::ToolChoice,
                instruction: format!(
                    "Tick {} in the write tool, then note {} here.",
                    instead.title, instead.id
                ),
            }),
            minutes: Some(1),
            ..item(
                Rule::S6,
                ItemState::Missing,
                format!(
                    "{} stands ticked; {} does without it. {}{unless}",
                    choice.title, instead.title, choice.reason
                ),
                cite(facts, FactKey::ToolChoice),
            )
        });
    }
    if kept.is_empty() {
        items.extend(
            family
                .partitions
                .iter()
                .filter(|part| part.role == Role::DeviceUnique)
                .map(|part| Item {
                    cure: Some(Cure::Capture),
                    ..item(
                        Rule::G6,
                        ItemState::Missing,
                        format!(
                            "{} exists once and is kept nowhere: read it out first.",
                            part.label
                        ),
                        Vec::new(),
                    )
                }),
        );
    } else {
        items.extend(kept.iter().cloned().map(|item| Item {
            rule: Rule::G6,
            ..item
        }));
    }
    items
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::facts::testing::facts;
    use crate::family::testing::shipped;

    #[test]
    fn an_erase_of_everything_names_what_exists_once_and_the_choice_that_does_without() {
        let family = shipped("thimble");
        let ticked = facts(&[(FactKey::ToolChoice, "erase-everything")]);
        let items = erase_items(&family, &ticked, &[]);
        assert_eq!(items[0].rule, Rule::S6);
        assert!(items[0].text.contains("Write only does without it"));
        assert_eq!(items.iter().filter(|item| item.rule == Rule::G6).count(), 6);
        assert!(items.iter().all(|item| item.state == ItemState::Missing));
    }

    #[test]
    fn a_choice_that_erases_nothing_asks_for_nothing() {
        let family = shipped("thimble");
        for said in ["write-only", "no such choice"] {
            let ticked = facts(&[(FactKey::ToolChoice, said)]);
            assert_eq!(erase_items(&family, &ticked, &[]), [], "{said}");
        }
        assert_eq!(erase_items(&family, &facts(&[]), &[]), []);
    }
}
