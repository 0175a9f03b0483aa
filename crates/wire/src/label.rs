//! Partition labels as the unit's own table spells them.

use std::fmt;
use std::str::FromStr;

use serde::{Deserialize, Deserializer, Serialize, Serializer};

/// A partition's label: 1 to 36 characters out of `a-z A-Z 0-9 _ - .`, not starting with a dot, so
/// that it can be a file's name and a path segment as it stands.
#[derive(Clone, PartialEq, Eq, PartialOrd, Ord, Hash, utoipa::ToSchema)]
#[schema(value_type = String)]
pub struct Label(String);

/// The text can't be a partition's label.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("`{0}` is not a partition label: 1 to 36 letters, digits, `_`, `-` or `.`")]
pub struct NotALabel(String);

impl Label {
    /// The label's text.
    #[must_use]
    pub fn as_str(&self) -> &str {
        &self.0
    }
}

impl FromStr for Label {
    type Err = NotALabel;

    fn from_str(text: &str) -> Result<Self, NotALabel> {
        let fits = (1..=36).contains(&text.len())
            && !text.starts_with('.')
            && text
                .bytes()
                .all(|b| b.is_ascii_alphanumeric() || matches!(b, b'_' | b'-' | b'.'));
        if fits {
            Ok(Self(text.to_owned()))
        } else {
            Err(NotALabel(text.chars().take(60).collect()))
        }
    }
}

impl fmt::Display for Label {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.0)
    }
}

impl fmt::Debug for Label {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.0)
    }
}

impl Serialize for Label {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.serialize_str(&self.0)
    }
}

impl<'de> Deserialize<'de> for Label {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        String::deserialize(deserializer)?
            .parse()
            .map_err(serde::de::Error::custom)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn labels_that_would_leave_their_folder_are_refused() {
        for text in [
            "",
            ".",
            "..",
            "../x",
            "a/b",
            "a b",
            "modem\0",
            &"x".repeat(37),
        ] {
            assert!(text.parse::<Label>().is_err(), "{text:?}");
        }
        for text in ["modemst1", "boot_a", "table-0.primary"] {
            assert_eq!(text.parse::<Label>().unwrap().as_str(), text);
        }
    }
}
