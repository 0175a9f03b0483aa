//! A block of text, pasted from a settings or bootloader screen: which facts does it state?
//!
//! A family says what its screens print in front of each fact. A line that begins so, with or
//! without a colon or an equals sign behind, gives the rest of the line; where that is empty, the
//! next line. Nothing is recorded here: each hit is confirmed by a person.

use serde::Serialize;

use crate::facts::{FactKey, FactValue};
use crate::family::Family;
use crate::permission::Permission;

/// Most bytes of a pasted block.
pub const MOST_PASTED_BYTES: usize = 64 << 10;

/// A fact that the text seems to state.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct Hit {
    /// Which.
    pub key: FactKey,
    /// Words for it.
    pub title: String,
    /// Line of the text, from 1.
    pub line: u32,
    /// What stands there; identifiers are masked.
    pub found: String,
    /// The value to record, in full; nothing when it does not fit. It does not leave the program:
    /// the lines that a person confirms are read again.
    #[serde(skip)]
    pub value: Option<String>,
    /// Whether it can be recorded, or why it does not fit.
    pub take: Permission,
}

/// Finds what `text` states, in the order of its lines; of a fact that stands twice each is given.
#[must_use]
pub fn hits(family: &Family, text: &str) -> Vec<Hit> {
    let lines: Vec<&str> = text.lines().map(str::trim).collect();
    let mut hits = Vec::new();
    for (at, line) in lines.iter().enumerate() {
        // The longest words that fit: "Model number" is not "Model" with "number" behind.
        let best = family
            .places
            .iter()
            .flat_map(|place| place.prints.iter().map(move |words| (place, words)))
            .filter_map(|(place, words)| Some((place, words, behind(line, words)?)))
            .max_by_key(|(_, words, _)| words.len());
        let Some((place, _, rest)) = best else {
            continue;
        };
        let (stands, number) = if rest.is_empty() {
            (lines.get(at + 1).copied().unwrap_or(""), at + 2)
        } else {
            (rest, at + 1)
        };
        let meant = place
            .says
            .iter()
            .find(|(printed, _)| printed.eq_ignore_ascii_case(stands))
            .map(|(_, value)| value.clone());
        let read = match meant {
            Some(value) => Ok(value),
            None => FactValue::parse(place.key, stands),
        };
        let title = place.key.spec().title;
        hits.push(Hit {
            key: place.key,
            title: title.to_owned(),
            line: u32::try_from(number).unwrap_or(u32::MAX),
            found: match &read {
                Ok(value) => value.shown(place.key),
                Err(error) => error.found.clone(),
            },
            value: read.as_ref().ok().map(FactValue::exact),
            take: match read {
                Ok(_) => Permission::yes(),
                Err(error) => Permission::no(error.to_string(), None),
            },
        });
    }
    hits
}

/// What stands behind `words` in a line that begins with them.
fn behind<'a>(line: &'a str, words: &str) -> Option<&'a str> {
    let head = line.get(..words.len())?;
    if !head.eq_ignore_ascii_case(words) {
        return None;
    }
    let rest = &line[words.len()..];
    if rest.chars().next().is_some_and(char::is_alphanumeric) {
        return None;
    }
    let rest = rest.trim_start();
    match rest.strip_prefix([':', '=']) {
        Some(behind) => Some(behind.trim_start()),
        // "Model number: X" states a model number, not the model "number: X".
        None if rest.contains(": ") || rest.contains("= ") => None,
        None => Some(rest),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::family::testing::shipped;

    fn found(text: &str) -> Vec<(FactKey, Option<String>)> {
        let family = shipped("kelpie");
        hits(&family, text)
            .into_iter()
            .map(|hit| (hit.key, hit.value))
            .collect()
    }

    #[test]
    fn lines_of_a_settings_screen_become_facts() {
        let text = "About\n  Model number: OB-510E\nBuild number\n  OB-510.2610.v6\nSecurity patch = 2026-10\n\
                    Permit unlock: greyed on\nUNLOCK LOCK: ON\nModel numbers are printed here\n\
                    Model number of the box: OB-510N\n";
        let value = |text: &str| Some(text.to_owned());
        assert_eq!(
            found(text),
            [
                (FactKey::ModelCode, value("OB-510E")),
                (FactKey::Build, value("OB-510.2610.v6")),
                (FactKey::Patch, value("2026-10")),
                (FactKey::Toggle, value("fixed-on")),
                (FactKey::Lock, value("locked")),
            ]
        );
    }

    #[test]
    fn what_does_not_fit_says_why_and_nothing_gives_nothing() {
        let family = shipped("kelpie");
        let hits = hits(&family, "Equipment ID: 35604911123456\nBattery: lots");
        assert!(
            hits[0]
                .take
                .reason
                .as_ref()
                .unwrap()
                .contains("it has 14 digits")
        );
        assert_eq!((hits[0].value.as_ref(), hits.len()), (None, 2));
        assert_eq!(found(""), []);
        assert_eq!(found("nothing of this\nis a fact"), []);
    }

    #[test]
    fn identifiers_in_a_hit_are_masked() {
        let family = shipped("kelpie");
        let hit = &hits(&family, "Serial number R58N30ABCDE")[0];
        assert_eq!(hit.found, "…CDE");
        assert_eq!(hit.value.as_deref(), Some("R58N30ABCDE"));
    }
}
