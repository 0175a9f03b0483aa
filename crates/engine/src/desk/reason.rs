//! Reasons that people type for what they choose.

/// Longest reason that is kept, in characters.
const MOST: usize = 400;

/// A typed reason without the blanks around it; nothing where nothing was typed.
///
/// # Errors
/// In a sentence without a full stop, when it is longer than a line that is kept, or more than one line.
pub(crate) fn read(typed: Option<&str>) -> Result<Option<&str>, String> {
    let reason = typed.map(str::trim).filter(|reason| !reason.is_empty());
    let is_a_line = |one: &str| one.chars().count() <= MOST && !one.chars().any(char::is_control);
    if reason.is_none_or(is_a_line) {
        Ok(reason)
    } else {
        Err(format!(
            "give the reason in one line of at most {MOST} characters"
        ))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_reason_is_one_line_of_a_bounded_length() {
        assert_eq!(read(None), Ok(None));
        assert_eq!(read(Some("  ")), Ok(None));
        assert_eq!(read(Some(" it stays ")), Ok(Some("it stays")));
        assert_eq!(
            read(Some(&"x".repeat(MOST))).map(|one| one.is_some()),
            Ok(true)
        );
        assert!(read(Some(&"x".repeat(MOST + 1))).is_err());
        assert!(read(Some("one\ntwo")).is_err());
    }
}
