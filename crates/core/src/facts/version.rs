//! Versions (`K2`): numbers with points between, compared part by part, never as decimals or text.

use std::fmt;

/// A version.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Version(Vec<u32>);

/// Most parts.
const MOST_PARTS: usize = 8;

impl Version {
    /// Reads a version; nothing when a part is not a number.
    #[must_use]
    pub fn parse(text: &str) -> Option<Self> {
        let parts: Vec<u32> = text
            .split('.')
            .map(|part| {
                let plain = !part.is_empty() && part.bytes().all(|byte| byte.is_ascii_digit());
                plain.then(|| part.parse().ok()).flatten()
            })
            .collect::<Option<_>>()?;
        (parts.len() <= MOST_PARTS).then_some(Self(parts))
    }

    /// The first part, from 1, with more digits than that part has in any of `known`: it was probably misread
    /// (`K2`). Nothing where none is known.
    #[must_use]
    pub fn longer_part(&self, known: &[Self]) -> Option<usize> {
        let digits = |part: &u32| part.checked_ilog10().unwrap_or(0);
        let mut parts = self.0.iter().enumerate();
        parts.find_map(|(at, part)| {
            let known = known.iter().filter_map(|one| one.0.get(at));
            let most = known.map(digits).max()?;
            (digits(part) > most).then_some(at + 1)
        })
    }
}

impl fmt::Display for Version {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let parts: Vec<String> = self.0.iter().map(u32::to_string).collect();
        f.write_str(&parts.join("."))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn version(text: &str) -> Version {
        Version::parse(text).unwrap()
    }

    #[test]
    fn parts_are_numbers_not_text_and_not_decimals() {
        assert!(version("6.0.27") > version("6.0.4"));
        assert!(version("6.0") < version("6.0.1"));
        assert!(version("10") > version("9.9.9"));
        for text in ["", "6.", "6.0a", "-1", "6..1", "99999999999"] {
            assert_eq!(Version::parse(text), None, "{text}");
        }
    }

    #[test]
    fn a_part_with_a_digit_more_is_named() {
        let longer = |found: &str, known: &[&str]| {
            let known: Vec<Version> = known.iter().map(|text| version(text)).collect();
            version(found).longer_part(&known)
        };
        assert_eq!(longer("6.0.27", &["6.0.4", "6.0.12"]), None);
        assert_eq!(longer("6.0.27", &["6.0.4"]), Some(3));
        assert_eq!(longer("60.0", &["6.0", "5.1"]), Some(1));
        assert_eq!(longer("6.0.1", &["6.0"]), None, "no such part is known");
        assert_eq!(longer("6.0", &[]), None);
    }
}
