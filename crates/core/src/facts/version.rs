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

    /// The first part that jumps by an order of magnitude against `other`, from 1: one of the two
    /// was probably misread (`K2`).
    #[must_use]
    pub fn jump(&self, other: &Self) -> Option<usize> {
        let pairs = self.0.iter().zip(&other.0);
        let found = pairs.enumerate().find(|(_, (a, b))| a != b);
        let (at, (a, b)) = found?;
        let (less, more) = (a.min(b), a.max(b));
        // 6.0.4 and 6.0.27 are neighbours; 6.0.4 and 6.0.271 are not.
        (*more >= 100 && u64::from(*more) >= u64::from((*less).max(1)) * 10).then_some(at + 1)
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
    fn a_part_that_jumps_is_named() {
        assert_eq!(version("6.0.27").jump(&version("6.0.4")), None);
        assert_eq!(version("6.0.271").jump(&version("6.0.27")), Some(3));
        assert_eq!(version("600.0").jump(&version("6.0")), Some(1));
        assert_eq!(version("6.0").jump(&version("6.0")), None);
    }
}
