//! A card that packages lie on: whether it is in, takes files as long as these, and has room (`Q11`).

use crate::evidence::{Cure, Line, choice, not_known};
use crate::facts::{FactKey, FactValue, Facts};
use crate::family::{Family, Lies, PackageSpec};
use crate::rule::Rule;

/// What the card itself has against it (`Q11`): it is out, takes no file as long as this, or has no room left.
pub(crate) fn card(spec: &PackageSpec, family: &Family, facts: &Facts) -> Option<Line> {
    let name = &spec.name;
    if facts.choice(FactKey::Card) == Some("none") {
        let cure = Cure::DoThenType {
            key: FactKey::Card,
            instruction: "Put the card with the packages in.".to_owned(),
        };
        let text = format!("{name} must lie on the card, and the card is out.");
        return Some(
            Line::missing(Rule::Q11, text, cure.by_person())
                .minutes(1)
                .citing(facts, [FactKey::Card]),
        );
    }
    let mib = spec.mib?;
    if mib >= 4096 {
        let key = FactKey::CardFormat;
        let question = format!(
            "{name} is {mib} MiB long. Does the card's file system take files of 4 GiB and more?"
        );
        match choice(facts, key) {
            None => return Some(not_known(family, facts, Rule::Q11, key, &question)),
            Some(("large", _)) => {}
            Some(_) => {
                let cure = Cure::DoThenType {
                    key,
                    instruction: "Keep what is on the card, and format it with a file system for larger files.".to_owned(),
                };
                let text =
                    format!("{name} is {mib} MiB long, and the card takes no file of 4 GiB.");
                return Some(
                    Line::missing(Rule::Q11, text, cure.by_person())
                        .minutes(10)
                        .citing(facts, [key]),
                );
            }
        }
    }
    room([spec], facts)
}

/// What a package takes at least, where its family does not say.
const LEAST_MIB: u32 = 1;

/// Whether these packages, as far as they don't lie there yet, have room on the card together (`Q11`).
pub(crate) fn room<'f>(
    specs: impl IntoIterator<Item = &'f PackageSpec>,
    facts: &Facts,
) -> Option<Line> {
    let lies_there = |spec: &&PackageSpec| {
        let row = facts.known(FactKey::CardFiles);
        row.is_some_and(
            |row| matches!(&row.value, FactValue::Names(names) if names.contains(&spec.name)),
        )
    };
    let to_come = specs
        .into_iter()
        .filter(|spec| spec.lies == Lies::Card)
        .filter(|spec| !lies_there(spec));
    let (names, mib): (Vec<&str>, Vec<u32>) = to_come
        .map(|spec| (spec.name.as_str(), spec.mib.unwrap_or(LEAST_MIB)))
        .unzip();
    let mib: u32 = mib.into_iter().sum();
    let free = facts.count(FactKey::CardFreeMib)?;
    (free < mib).then(|| {
        let lacks = mib - free;
        let cure = Cure::DoThenType {
            key: FactKey::CardFreeMib,
            instruction: format!("Make room on the card, {lacks} MiB more."),
        };
        let takes = if names.len() == 1 { "takes" } else { "take" };
        let text = format!(
            "{} {takes} {mib} MiB, and the card has {free} left: {lacks} are missing.",
            names.join(", ")
        );
        Line::missing(Rule::Q11, text, cure.by_person())
            .minutes(5)
            .citing(facts, [FactKey::CardFreeMib])
    })
}
