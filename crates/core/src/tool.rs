//! What stands ticked in the maker's write tool, each choice in the tool's own words: taken, left alone, never
//! (`Q14`, `S6`, `M11`). A choice that the family's file does not list is not known, never harmless.

use crate::evidence::{Basis, Cure, Line, Need};
use crate::facts::{FactKey, FactValue, Facts};
use crate::family::{Advice, Family, ToolChoice, ToolErases};
use crate::rule::Rule;

/// The names that stand ticked, as somebody read them off; nothing where nobody did.
fn named(facts: &Facts) -> Option<&[String]> {
    match &facts.known(FactKey::ToolChoice)?.value {
        FactValue::Names(names) => Some(names),
        _ => None,
    }
}

/// Whether a name is this choice: by its id, or by its words in the tool.
fn is(choice: &ToolChoice, name: &str) -> bool {
    let name = name.trim();
    name.eq_ignore_ascii_case(&choice.id) || name.eq_ignore_ascii_case(&choice.title)
}

/// The choice that stands ticked and would erase everything, if one does.
#[must_use]
pub fn erases_everything<'f>(family: &'f Family, facts: &Facts) -> Option<&'f ToolChoice> {
    let ticked = named(facts)?;
    let mut choices = family.tool_choices.iter();
    choices.find(|choice| {
        choice.erases == ToolErases::Everything && ticked.iter().any(|name| is(choice, name))
    })
}

/// One line for each choice that stands ticked, and for each that should and does not; none where nobody has
/// looked, or the family has no such tool.
#[must_use]
pub fn choices(family: &Family, facts: &Facts) -> Vec<Line> {
    let Some((ticked, row)) = named(facts).zip(facts.known(FactKey::ToolChoice)) else {
        return Vec::new();
    };
    let change = |what: String| Need::Person {
        cure: Cure::DoThenType {
            key: FactKey::ToolChoice,
            instruction: format!("{what} Then note all that stands ticked."),
        },
    };
    let told = |name: &String| {
        let known = family.tool_choices.iter().find(|choice| is(choice, name));
        let Some(choice) = known else {
            let text = format!(
                "{name} stands ticked, and this family's file does not list it: what it does is not known."
            );
            let need = change(format!(
                "Take the tick off {name}, or add it to the family's file."
            ));
            return Line::unknown(Rule::Q14, text, need).seen([Basis::from(row)]);
        };
        let (title, reason) = (&choice.title, &choice.reason);
        let off = || change(format!("Take the tick off {title}."));
        match choice.advice {
            Advice::Take => Line::met(Rule::Q14, format!("{title} stands ticked. {reason}"), row),
            Advice::Leave => {
                let text = format!("{title} stands ticked, and is left alone. {reason}");
                Line::missing(Rule::Q14, text, off()).seen([Basis::from(row)])
            }
            Advice::Never => {
                let unless = match choice.unless.as_str() {
                    "" => String::new(),
                    unless => format!(" Unless: {unless}"),
                };
                let rule = match choice.erases {
                    ToolErases::Everything => Rule::S6,
                    _ => Rule::Q14,
                };
                let text = format!("{title} stands ticked, and never is. {reason}{unless}");
                Line::missing(rule, text, off()).seen([Basis::from(row)])
            }
        }
    };
    let lacking = family.tool_choices.iter().filter(|choice| {
        choice.advice == Advice::Take && !ticked.iter().any(|name| is(choice, name))
    });
    let to_take = |choice: &ToolChoice| {
        let text = format!("{} does not stand ticked. {}", choice.title, choice.reason);
        let need = change(format!("Tick {}.", choice.title));
        Line::missing(Rule::Q14, text, need).seen([Basis::from(row)])
    };
    let told = ticked.iter().map(told);
    told.chain(lacking.map(to_take)).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::facts::testing::facts;
    use crate::family::testing::shipped;

    /// Each way in which a choice may stand, as a person reads it.
    #[test]
    fn each_choice_is_taken_left_or_never_and_an_unknown_one_is_not_known() {
        let told = |codename: &str, ticked: &str| {
            let lines = choices(&shipped(codename), &facts(&[(FactKey::ToolChoice, ticked)]));
            let told = lines.iter().map(|line| {
                let stands = if line.is_met() {
                    "met"
                } else if line.is_missing() {
                    "missing"
                } else {
                    "not known"
                };
                format!("  {stands} {} {}", line.rule.id(), line.text)
            });
            let told: Vec<String> = told.collect();
            format!("{codename}, {ticked}\n{}", told.join("\n"))
        };
        let all = [
            told("thimble", "write-only"),
            told("thimble", "Write only, Lock when done"),
            told("thimble", "erase-everything"),
            told("thimble", "write-only, verify twice"),
            told("kelpie", "auto-restart, Re-partition"),
        ];
        insta::assert_snapshot!(all.join("\n"));
        assert!(choices(&shipped("kelpie"), &Facts::default()).is_empty());
    }
}
