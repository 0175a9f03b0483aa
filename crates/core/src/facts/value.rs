//! Values of facts, checked against their key.

use super::{FactKey, FactKind};

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
}

/// The text is not a value that this fact can have.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("{title}: `{found}` does not fit; {wanted}")]
pub struct NotAValue {
    /// Words for the key.
    pub title: &'static str,
    /// What was found, cut to 60 characters.
    pub found: String,
    /// What would fit.
    pub wanted: String,
}

/// Most characters of a text value.
const TEXT_CHARS: usize = 120;

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
            found: text.chars().take(60).collect(),
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
            FactKind::Choice(options) => options
                .iter()
                .find(|option| option.id == text)
                .map(|option| Self::Choice(option.id))
                .ok_or_else(|| {
                    let ids: Vec<_> = options.iter().map(|option| option.id).collect();
                    refuse(format!("choose one of {}", ids.join(", ")))
                }),
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
        }
    }

    /// The value for screens, logs and exports: identifiers keep their last three characters only.
    #[must_use]
    pub fn shown(&self, key: FactKey) -> String {
        match (self, key.spec().kind) {
            (Self::Text(text), FactKind::Identifier) => mask(text),
            (Self::Percent(percent), _) => format!("{percent} %"),
            (Self::Choice(id), FactKind::Choice(options)) => options
                .iter()
                .find(|option| option.id == *id)
                .map_or(*id, |option| option.shown)
                .to_owned(),
            _ => self.exact(),
        }
    }
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
        ] {
            let value = FactValue::parse(key, text).unwrap();
            assert_eq!(FactValue::parse(key, &value.exact()).unwrap(), value);
        }
    }
}
