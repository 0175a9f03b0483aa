//! How build strings are made up (`K1`): a pattern names the groups of a build string, so that a
//! date in it can be held against the patch month.
//!
//! A pattern is text with groups in braces: `{version}` digits and points, `{yyyymmdd}`,
//! `{yymmdd}`, `{yymm}` dates, `{n}` digits, `{word}` letters and digits; the rest stands for itself.

use crate::facts::Month;
use crate::facts::version::Version;

/// A checked pattern.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Pattern {
    text: String,
    parts: Vec<Part>,
}

#[derive(Debug, Clone, PartialEq, Eq)]
enum Part {
    Literal(String),
    Group(Group),
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Group {
    Version,
    Date { digits: usize },
    Number,
    Word,
}

/// What a build string says when it fits its pattern.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Groups {
    /// Its version.
    pub version: Option<Version>,
    /// The month of its date.
    pub month: Option<Month>,
}

impl Pattern {
    /// Reads a pattern.
    ///
    /// # Errors
    /// The group that is not known, or an open brace.
    pub fn parse(text: &str) -> Result<Self, String> {
        let mut parts = Vec::new();
        let mut rest = text;
        while let Some((before, after)) = rest.split_once('{') {
            let (name, behind) = after
                .split_once('}')
                .ok_or_else(|| format!("`{{{after}` has no closing brace"))?;
            let group = match name {
                "version" => Group::Version,
                "yyyymmdd" => Group::Date { digits: 8 },
                "yymmdd" => Group::Date { digits: 6 },
                "yymm" => Group::Date { digits: 4 },
                "n" => Group::Number,
                "word" => Group::Word,
                other => {
                    return Err(format!(
                        "`{{{other}}}` is no group; there are version, yyyymmdd, yymmdd, yymm, n, word"
                    ));
                }
            };
            if !before.is_empty() {
                parts.push(Part::Literal(before.to_owned()));
            }
            parts.push(Part::Group(group));
            rest = behind;
        }
        if !rest.is_empty() {
            parts.push(Part::Literal(rest.to_owned()));
        }
        Ok(Self {
            text: text.to_owned(),
            parts,
        })
    }

    /// As written.
    #[must_use]
    pub fn text(&self) -> &str {
        &self.text
    }

    /// Takes a build string apart; nothing when it is not made up like this. A group takes as much
    /// as leaves the rest its due.
    #[must_use]
    pub fn read(&self, build: &str) -> Option<Groups> {
        fit(&self.parts, build)
    }
}

impl Group {
    /// The lengths that it may take of `rest`, the longest first.
    fn lengths(self, rest: &str) -> Vec<usize> {
        let fits = |c: char| match self {
            Self::Version => c.is_ascii_digit() || c == '.',
            Self::Date { .. } | Self::Number => c.is_ascii_digit(),
            Self::Word => c.is_ascii_alphanumeric(),
        };
        let most = rest.chars().take_while(|c| fits(*c)).count();
        match self {
            Self::Date { digits } if digits <= most => vec![digits],
            Self::Date { .. } => Vec::new(),
            _ => (1..=most).rev().collect(),
        }
    }
}

fn fit(parts: &[Part], rest: &str) -> Option<Groups> {
    let Some((first, behind)) = parts.split_first() else {
        return rest.is_empty().then(Groups::default);
    };
    match first {
        Part::Literal(text) => fit(behind, rest.strip_prefix(text.as_str())?),
        Part::Group(group) => group.lengths(rest).into_iter().find_map(|length| {
            let (found, rest) = rest.split_at(length);
            let mut own = Groups::default();
            match group {
                Group::Version => own.version = Some(Version::parse(found)?),
                Group::Date { digits } => own.month = Some(month(found, *digits)?),
                Group::Number | Group::Word => {}
            }
            let groups = fit(behind, rest)?;
            Some(Groups {
                version: own.version.or(groups.version),
                month: own.month.or(groups.month),
            })
        }),
    }
}

fn month(text: &str, digits: usize) -> Option<Month> {
    if text.len() != digits {
        return None;
    }
    let (year, month) = match digits {
        8 => (text[..4].parse().ok()?, &text[4..6]),
        _ => (2000 + text[..2].parse::<u16>().ok()?, &text[2..4]),
    };
    Month::new(year, month.parse().ok()?)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn read(pattern: &str, build: &str) -> Option<(Option<String>, Option<String>)> {
        let groups = Pattern::parse(pattern).unwrap().read(build)?;
        Some((
            groups.version.map(|v| v.to_string()),
            groups.month.map(|m| m.to_string()),
        ))
    }

    #[test]
    fn groups_are_found_and_strangers_are_not_taken_for_builds() {
        let found =
            |version: &str, month: &str| Some((Some(version.to_owned()), Some(month.to_owned())));
        assert_eq!(
            read("loop-{version}-{yyyymmdd}", "loop-4.1.7-20261011"),
            found("4.1.7", "2026-10")
        );
        assert_eq!(
            read("{word}.{yymm}.v{version}", "OB510E.2610.v12"),
            found("12", "2026-10")
        );
        // What a version could swallow is left to the date behind it.
        assert_eq!(
            read("TH5.{version}.{yymmdd}", "TH5.8.3.261104"),
            found("8.3", "2026-11")
        );
        assert_eq!(
            read("K2.{version}.{n}", "K2.5.2.80"),
            Some((Some("5.2".to_owned()), None))
        );
        for build in [
            "loop-4.1.7",
            "loop-4.1.7-20261311",
            "loop-4.1.7-2026101",
            "heron-4.1.7-20261011",
            "loop-4.1.7-20261011x",
        ] {
            assert_eq!(read("loop-{version}-{yyyymmdd}", build), None, "{build}");
        }
    }

    #[test]
    fn a_wrong_pattern_is_told() {
        assert!(
            Pattern::parse("a-{date}")
                .unwrap_err()
                .contains("`{date}` is no group")
        );
        assert!(
            Pattern::parse("a-{n")
                .unwrap_err()
                .contains("no closing brace")
        );
    }
}
