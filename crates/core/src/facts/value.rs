//! Values of facts, checked against their key.

use veritope_wire::WallTime;

use super::equipment::EquipmentId;
use super::version::Version;
use super::{FactKey, FactKind, FactOption};
use crate::steady::Dated;

/// A value that fits its key.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum FactValue {
    /// Short text, or an identifier in full.
    Text(String),
    /// Whole number.
    Count(u32),
    /// Whole per cent.
    Percent(u8),
    /// Id of the chosen option.
    Choice(&'static str),
    /// Ids of the chosen options, in the order of the list.
    Many(Vec<&'static str>),
    /// Names, sorted, none twice.
    Names(Vec<String>),
    /// An equipment ID, right or wrong.
    Equipment(EquipmentId),
    /// A version.
    Version(Version),
    /// A month.
    Month(Month),
    /// A moment that somebody told.
    Moment(Dated),
}

/// A month of a year.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Month {
    year: u16,
    month: u8,
}

impl Month {
    /// Checks year (2000 to 2099) and month.
    #[must_use]
    pub fn new(year: u16, month: u8) -> Option<Self> {
        ((2000..2100).contains(&year) && (1..=12).contains(&month)).then_some(Self { year, month })
    }

    /// Reads `2026-11`.
    #[must_use]
    pub fn parse(text: &str) -> Option<Self> {
        let (year, month) = text.split_once('-')?;
        if year.len() != 4 || month.len() != 2 {
            return None;
        }
        Self::new(year.parse().ok()?, month.parse().ok()?)
    }

    /// The month of a moment, UTC.
    #[must_use]
    pub fn of(moment: WallTime) -> Option<Self> {
        Self::parse(moment.to_string().get(..7)?)
    }

    /// Months from `earlier` to this one, negative when it is before.
    #[must_use]
    pub fn months_since(self, earlier: Self) -> i32 {
        let count = |month: Self| i32::from(month.year) * 12 + i32::from(month.month);
        count(self) - count(earlier)
    }
}

impl std::fmt::Display for Month {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "{:04}-{:02}", self.year, self.month)
    }
}

/// The text is not a value that this fact can have.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("{title}: `{found}` does not fit; {wanted}")]
pub struct NotAValue {
    /// Words for the key.
    pub title: &'static str,
    /// What was found, cut to 60 characters; masked where it would identify the unit.
    pub found: String,
    /// What would fit.
    pub wanted: String,
}

/// Most characters of a text value.
const TEXT_CHARS: usize = 120;
/// Most names of a list.
const MOST_NAMES: usize = 100;

impl FactValue {
    /// Reads a value for `key`; blanks around it don't count.
    ///
    /// # Errors
    /// When the text is not a value that the key can have; the error says what would fit.
    pub fn parse(key: FactKey, text: &str) -> Result<Self, NotAValue> {
        let spec = key.spec();
        let text = text.trim();
        let refuse = |wanted: String| NotAValue {
            title: spec.title,
            found: match spec.kind {
                FactKind::Identifier | FactKind::EquipmentId => mask(text),
                _ => text.chars().take(60).collect(),
            },
            wanted,
        };
        match spec.kind {
            FactKind::Text | FactKind::Identifier => {
                let count = text.chars().count();
                if (1..=TEXT_CHARS).contains(&count) && !text.chars().any(char::is_control) {
                    Ok(Self::Text(text.to_owned()))
                } else {
                    Err(refuse(format!(
                        "write 1 to {TEXT_CHARS} characters on one line"
                    )))
                }
            }
            FactKind::Count(most) => match text.parse::<u32>() {
                Ok(count) if count <= most => Ok(Self::Count(count)),
                _ => Err(refuse(format!("write a whole number from 0 to {most}"))),
            },
            FactKind::Percent => match text.trim_end_matches(['%', ' ']).parse::<u8>() {
                Ok(percent) if percent <= 100 => Ok(Self::Percent(percent)),
                _ => Err(refuse("write a whole number from 0 to 100".to_owned())),
            },
            FactKind::Choice(options) => one_of(options, as_said_now(key, text))
                .map(Self::Choice)
                .ok_or_else(|| refuse(choose(options))),
            FactKind::Many(options) => {
                let mut chosen = Vec::new();
                for word in words(text) {
                    let id = one_of(options, word).ok_or_else(|| refuse(choose(options)))?;
                    chosen.push(id);
                }
                let ids = options.iter().map(|option| option.id);
                Ok(Self::Many(ids.filter(|id| chosen.contains(id)).collect()))
            }
            FactKind::Names => {
                let mut names: Vec<String> = words(text).map(str::to_owned).collect();
                names.sort();
                names.dedup();
                let sound = |name: &String| {
                    name.chars().count() <= TEXT_CHARS && !name.chars().any(char::is_control)
                };
                if names.len() <= MOST_NAMES && names.iter().all(sound) {
                    Ok(Self::Names(names))
                } else {
                    Err(refuse(format!(
                        "write at most {MOST_NAMES} names, separated by commas"
                    )))
                }
            }
            FactKind::EquipmentId => EquipmentId::parse(text)
                .map(Self::Equipment)
                .map_err(|wanted| refuse(wanted.to_string())),
            FactKind::Version => Version::parse(text)
                .map(Self::Version)
                .ok_or_else(|| refuse("write numbers with points between, as 6.0.27".to_owned())),
            FactKind::Month => Month::parse(text)
                .map(Self::Month)
                .ok_or_else(|| refuse("write a month as 2026-11".to_owned())),
            FactKind::Moment => text
                .parse()
                .map(|told| Self::Moment(Dated::alone(told)))
                .map_err(|_| refuse("write a moment as 2026-11-24T14:02:00Z".to_owned())),
        }
    }

    /// The whole value, as stored; identifiers in full.
    #[must_use]
    pub fn exact(&self) -> String {
        match self {
            Self::Text(text) => text.clone(),
            Self::Count(count) => count.to_string(),
            Self::Percent(percent) => percent.to_string(),
            Self::Choice(id) => (*id).to_owned(),
            Self::Many(ids) => ids.join(","),
            Self::Names(names) => names.join(","),
            Self::Equipment(id) => id.to_string(),
            Self::Version(version) => version.to_string(),
            Self::Month(month) => month.to_string(),
            Self::Moment(dated) => dated.told.to_string(),
        }
    }

    /// The value for screens, logs and exports: identifiers keep their last three characters only.
    #[must_use]
    pub fn shown(&self, key: FactKey) -> String {
        match (self, key.spec().kind) {
            (Self::Text(text), FactKind::Identifier) => mask(text),
            (Self::Percent(percent), _) => format!("{percent} %"),
            (Self::Equipment(EquipmentId::None), _) => "none".to_owned(),
            (Self::Equipment(id), _) => mask(&id.to_string()),
            (Self::Choice(id), FactKind::Choice(options)) => shown_as(options, id).to_owned(),
            (Self::Many(ids), FactKind::Many(options)) if !ids.is_empty() => {
                let words: Vec<_> = ids.iter().map(|id| shown_as(options, id)).collect();
                words.join(", ")
            }
            (Self::Names(names), _) if !names.is_empty() => names.join(", "),
            (Self::Many(_) | Self::Names(_), _) => "none".to_owned(),
            _ => self.exact(),
        }
    }
}

fn words(text: &str) -> impl Iterator<Item = &str> {
    text.split(',')
        .map(str::trim)
        .filter(|word| !word.is_empty())
}

/// The words that version 1 of the bench link and logs of before have for what has three answers now.
fn as_said_now(key: FactKey, text: &str) -> &str {
    match (key, text) {
        (FactKey::Merging, "yes") => "merging",
        (FactKey::Merging, "no") => "none",
        _ => text,
    }
}

fn one_of(options: &[FactOption], text: &str) -> Option<&'static str> {
    options
        .iter()
        .find(|option| option.id == text)
        .map(|option| option.id)
}

fn shown_as<'a>(options: &[FactOption], id: &'a str) -> &'a str {
    options
        .iter()
        .find(|option| option.id == id)
        .map_or(id, |option| option.shown)
}

fn choose(options: &[FactOption]) -> String {
    let ids: Vec<_> = options.iter().map(|option| option.id).collect();
    format!("choose one of {}", ids.join(", "))
}

/// Keeps the last three characters, or none of a text shorter than eight.
fn mask(text: &str) -> String {
    let count = text.chars().count();
    let kept = if count < 8 { 0 } else { 3 };
    let tail: String = text.chars().skip(count - kept).collect();
    format!("…{tail}")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn an_identifier_is_masked_and_a_build_is_not() {
        let serial = FactValue::parse(FactKey::Serial, "FL1-220417-0093").unwrap();
        assert_eq!(serial.shown(FactKey::Serial), "…093");
        assert_eq!(
            FactValue::parse(FactKey::Serial, "1234567")
                .unwrap()
                .shown(FactKey::Serial),
            "…"
        );
        let id = FactValue::parse(FactKey::EquipmentId, "351846071234561").unwrap();
        assert_eq!(id.shown(FactKey::EquipmentId), "…561");
        let build = FactValue::parse(FactKey::Build, "loop-4.1.7").unwrap();
        assert_eq!(build.shown(FactKey::Build), "loop-4.1.7");
    }

    #[test]
    fn a_wrong_value_is_refused_with_what_would_fit() {
        for (key, text, wanted) in [
            (FactKey::Battery, "101", "from 0 to 100"),
            (FactKey::Battery, "full", "from 0 to 100"),
            (FactKey::Accounts, "-1", "from 0 to 99"),
            (FactKey::Accounts, "none", "from 0 to 99"),
            (FactKey::Lock, "open", "locked, unlocked"),
            (FactKey::Build, "", "1 to 120 characters"),
            (FactKey::Build, "two\nlines", "1 to 120 characters"),
            (FactKey::EquipmentId, "35184607123456", "it has 14 digits"),
            (FactKey::EquipmentId, "351846O71234561", "digits only"),
            (FactKey::RecoveryVersion, "6.0.x", "6.0.27"),
            (FactKey::Patch, "2026-13", "2026-11"),
            (FactKey::FirstOnline, "61 hours ago", "2026-11-24T14:02:00Z"),
            (FactKey::Broken, "touch, glass", "choose one of screen"),
        ] {
            let error = FactValue::parse(key, text).unwrap_err().to_string();
            assert!(error.contains(wanted), "{error}");
        }
    }

    #[test]
    fn what_is_stored_reads_back_equal() {
        for (key, text) in [
            (FactKey::Battery, "64 %"),
            (FactKey::Accounts, "2"),
            (FactKey::Mode, "temporary-recovery"),
            (FactKey::ChipId, " 9A:77:01 "),
            (FactKey::EquipmentId, "35 184607 123456 1"),
            (FactKey::EquipmentId2, "none"),
            (FactKey::RecoveryVersion, "6.0.27"),
            (FactKey::Patch, "2026-11"),
            (FactKey::FirstOnline, "2026-11-24T14:02:00+01:00"),
            (FactKey::Broken, "port, touch"),
            (FactKey::CardFiles, "full-3.2, enabler-3.1"),
            (FactKey::CardFiles, ""),
        ] {
            let value = FactValue::parse(key, text).unwrap();
            assert_eq!(FactValue::parse(key, &value.exact()).unwrap(), value);
        }
    }
}
