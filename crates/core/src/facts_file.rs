//! A unit's facts as a TOML file (`docs/facts-format.md`), for judging without a bench.
//!
//! ```toml
//! schema = 1
//! nickname = "Gull"
//! [facts]
//! lock = "locked"
//! battery = { value = 64, at = "2026-11-26T09:00:00Z", source = "link" }
//! [keep-safe]
//! photos = "waived"
//! chats = { place = "house disk" }
//! [bench]
//! link = "here"
//! image = "missing"
//! ```

use std::collections::BTreeMap;
use std::ops::Range;

use serde::Deserialize;
use toml::Spanned;
use veritope_wire::{BenchTime, FactId, WallTime};

use crate::dossier::{By, Dossier, Shelved};
use crate::facts::{FactKey, FactRow, FactValue, Facts, InSight, Source};
use crate::family::Family;
use crate::keepsafe::{KeepClass, KeepSafe, Kept};
use crate::state::Presence;
use crate::steady::alone;

/// Version of the file's format. Changes: 1 = first.
pub const FACTS_SCHEMA: u32 = 1;

/// A facts file that can't be used, in one sentence with file and line.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("{file}, line {line}: {what}")]
pub struct FactsFileError {
    /// The file's name.
    pub file: String,
    /// Line, from 1.
    pub line: usize,
    /// What is wrong there, and what to do.
    pub what: String,
}

/// What a facts file says.
#[derive(Debug, Clone)]
pub struct FactsFile {
    /// The unit's name.
    pub nickname: String,
    /// Its facts.
    pub facts: Facts,
    /// What was said about the owner's data.
    pub keep_safe: KeepSafe,
    /// What is at hand.
    pub link: Presence,
    /// A recovery image that matches it.
    pub image: Presence,
    /// Its unlock token, kept with it.
    pub token: Presence,
}

impl FactsFile {
    /// What is known of it, as a unit of `family`.
    #[must_use]
    pub fn dossier<'a>(&'a self, family: &'a Family, now: BenchTime) -> Dossier<'a> {
        let is_shelved = self.image == Presence::Here;
        let of = Dossier::new(family, &self.facts, now);
        Dossier {
            nickname: &self.nickname,
            keep_safe: &self.keep_safe,
            by: By {
                link: self.link,
                token: self.token,
            },
            recovery: is_shelved.then_some(Shelved::default()),
            ..of
        }
    }
}

/// A unit's facts as a file.
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
#[schema(title = "Veritope facts file")]
pub struct RawFactsFile {
    /// Version of this format: 1.
    #[schema(value_type = u32)]
    schema: Spanned<u32>,
    /// The unit's name in sentences; "the unit" when left out.
    #[serde(default = "nameless")]
    nickname: String,
    /// Facts by key: the value alone, said by a person just now, or a table with `value`, `at` and
    /// `source`. Keys and values are those that the screens take.
    #[serde(default)]
    #[schema(value_type = BTreeMap<String, RawFact>)]
    facts: BTreeMap<Spanned<String>, Spanned<RawFact>>,
    /// Classes of the owner's data: `"waived"`, or a table with the `place` of the copy.
    #[serde(default, rename = "keep-safe")]
    #[schema(value_type = BTreeMap<String, RawKept>)]
    keep_safe: BTreeMap<Spanned<String>, RawKept>,
    /// What the bench has at hand.
    #[serde(default)]
    bench: RawBench,
}

fn nameless() -> String {
    "the unit".to_owned()
}

/// A fact: its value, or its value with time and source.
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(untagged)]
pub enum RawFact {
    /// Value, time, source.
    Whole(RawWhole),
    /// A number.
    Number(i64),
    /// A word, a version, a moment.
    Text(String),
    /// Several names.
    Names(Vec<String>),
    /// Readings of several sources: where they differ, nothing counts (`K5`).
    Several(Vec<RawWhole>),
}

/// A fact with time and source.
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub struct RawWhole {
    /// The value.
    value: RawValue,
    /// When it was seen; the moment of the judgement when left out.
    #[serde(default)]
    at: Option<WallTime>,
    /// Who says so; a person when left out.
    #[serde(default)]
    source: Option<Source>,
}

/// A value.
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(untagged)]
pub enum RawValue {
    /// A number.
    Number(i64),
    /// A word, a version, a moment.
    Text(String),
    /// Several names.
    Names(Vec<String>),
}

/// What was said about a class of data.
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(untagged)]
pub enum RawKept {
    /// `"waived"`.
    Word(RawWaived),
    /// Copied and opened to check.
    Safe {
        /// Where the copy lies.
        place: String,
    },
}

/// Nothing of it there, or not wanted.
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum RawWaived {
    /// Waived.
    Waived,
}

/// What the bench has at hand.
#[derive(Default, Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub struct RawBench {
    /// A link to the unit; here when left out.
    #[serde(default)]
    link: RawPresence,
    /// A recovery image for it on the shelf; here when left out.
    #[serde(default)]
    image: RawPresence,
    /// Its unlock token, checked and kept with it; missing when left out.
    token: Option<RawPresence>,
}

/// Whether something is at hand.
#[derive(Default, Clone, Copy, Deserialize, utoipa::ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum RawPresence {
    /// It is.
    #[default]
    Here,
    /// It is not.
    Missing,
}

impl From<RawPresence> for Presence {
    fn from(raw: RawPresence) -> Self {
        match raw {
            RawPresence::Here => Self::Here,
            RawPresence::Missing => Self::Missing,
        }
    }
}

/// Reads a facts file from the `text` of `file`; what has no time was seen at `now`.
///
/// # Errors
/// The first thing that is wrong, with its line: not TOML, an unknown key, a value that the fact
/// can't have, a moment after `now`.
pub fn load(file: &str, text: &str, now: WallTime) -> Result<FactsFile, FactsFileError> {
    let refuse = |span: Range<usize>, what: String| FactsFileError {
        file: file.to_owned(),
        line: text.get(..span.start).unwrap_or(text).matches('\n').count() + 1,
        what,
    };
    let raw: RawFactsFile = toml::from_str(text).map_err(|error| {
        let what = error.message().replace('\n', ", ");
        refuse(error.span().unwrap_or(0..0), what)
    })?;
    if *raw.schema.get_ref() != FACTS_SCHEMA {
        return Err(refuse(
            raw.schema.span(),
            format!(
                "`schema` is {}, this program knows {FACTS_SCHEMA}",
                raw.schema.get_ref()
            ),
        ));
    }
    let counted = alone(now);
    let mut rows = Vec::new();
    for (name, fact) in raw.facts {
        let key = FactKey::from_id(name.get_ref()).ok_or_else(|| {
            refuse(
                name.span(),
                format!("no fact is called `{}`", name.get_ref()),
            )
        })?;
        let whole = |whole: &RawWhole| {
            (
                match &whole.value {
                    RawValue::Number(number) => number.to_string(),
                    RawValue::Text(text) => text.clone(),
                    RawValue::Names(names) => names.join(", "),
                },
                whole.at.unwrap_or(now),
                whole.source.unwrap_or(Source::Person),
            )
        };
        let readings = match fact.get_ref() {
            RawFact::Whole(one) => vec![whole(one)],
            RawFact::Number(number) => vec![(number.to_string(), now, Source::Person)],
            RawFact::Text(text) => vec![(text.clone(), now, Source::Person)],
            RawFact::Names(names) => vec![(names.join(", "), now, Source::Person)],
            RawFact::Several(all) => all.iter().map(whole).collect(),
        };
        for (value, at, source) in readings {
            if at > now {
                let what = format!("`{}` is seen at {at}, after {now}", key.id());
                return Err(refuse(fact.span(), what));
            }
            let value = FactValue::parse(key, &value)
                .map_err(|error| refuse(fact.span(), format!("`{}`: {error}", key.id())))?;
            rows.push(FactRow {
                id: FactId::nil(),
                key,
                value,
                source,
                at: alone(at),
            });
        }
    }
    let mut keep_safe = KeepSafe::new();
    for (name, kept) in raw.keep_safe {
        let class = KeepClass::from_id(name.get_ref()).ok_or_else(|| {
            let what = format!("no class of data is called `{}`", name.get_ref());
            refuse(name.span(), what)
        })?;
        let kept = match kept {
            RawKept::Word(RawWaived::Waived) => Kept::Waived { at: counted },
            RawKept::Safe { place } => Kept::Safe { place, at: counted },
        };
        keep_safe.insert(class, kept);
    }
    // A file tells of it when its facts were seen, and now.
    let mut moments: Vec<BenchTime> = rows.iter().map(|row| row.at).collect();
    moments.push(counted);
    moments.sort_unstable();
    let mut sight = InSight::default();
    moments.into_iter().for_each(|at| sight.is_seen(at, false));
    Ok(FactsFile {
        nickname: raw.nickname,
        facts: Facts::new(&rows, &[], []).in_sight(sight),
        keep_safe,
        link: raw.bench.link.into(),
        image: raw.bench.image.into(),
        token: raw.bench.token.map_or(Presence::Missing, Presence::from),
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::facts::Reading;

    fn now() -> WallTime {
        "2026-11-26T10:00:00Z".parse().unwrap()
    }

    #[test]
    fn values_times_and_sources_are_read() {
        let text = "schema = 1\nnickname = \"Gull\"\n[facts]\nlock = \"locked\"\naccounts = 1\ncard-files = [\"a.zip\", \"b.zip\"]\nbattery = { value = 64, at = \"2026-11-26T09:00:00Z\", source = \"link\" }\n[keep-safe]\nphotos = \"waived\"\nchats = { place = \"house disk\" }\n[bench]\nimage = \"missing\"\n";
        let file = load("gull.toml", text, now()).unwrap();
        assert_eq!(file.facts.count(FactKey::Accounts), Some(1));
        let Reading::Known(battery) = file.facts.get(FactKey::Battery) else {
            panic!("known");
        };
        assert_eq!(
            (battery.source, battery.at),
            (Source::Link, alone("2026-11-26T09:00:00Z".parse().unwrap()))
        );
        assert_eq!(file.keep_safe.len(), 2);
        assert_eq!(file.image, Presence::Missing);
        assert_eq!(file.link, Presence::Here);
    }

    #[test]
    fn each_mistake_is_one_sentence_with_its_line() {
        let of = |body: &str| {
            load("f.toml", &format!("schema = 1\n{body}"), now())
                .unwrap_err()
                .to_string()
        };
        for (body, wanted) in [
            (
                "[facts]\nlok = 1\n",
                "f.toml, line 3: no fact is called `lok`",
            ),
            ("[facts]\nbattery = 640\n", "f.toml, line 3: `battery`"),
            (
                "[facts]\nequipment-id = \"12345678901234\"\n",
                "f.toml, line 3: `equipment-id`",
            ),
            (
                "[facts]\nbattery = { value = 1, at = \"2027-01-01T00:00:00Z\" }\n",
                "after 2026-11-26",
            ),
            (
                "[keep-safe]\nfoto = \"waived\"\n",
                "f.toml, line 3: no class of data is called `foto`",
            ),
            ("[fact]\n", "f.toml, line 2"),
            ("[facts\n", "f.toml, line 2"),
        ] {
            let said = of(body);
            assert!(
                said.contains(wanted) && !said.contains('\n'),
                "{body}: {said}"
            );
        }
        let newer = load("f.toml", "schema = 9\n", now())
            .unwrap_err()
            .to_string();
        assert!(newer.contains("`schema` is 9"), "{newer}");
    }
}
