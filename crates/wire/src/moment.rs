//! Moments: milliseconds since the start of 1970, UTC; RFC 3339 wherever a person or another
//! program reads them. No time-library type crosses this crate's interface.

use std::fmt;
use std::str::FromStr;

use jiff::Timestamp;
use serde::{Deserialize, Deserializer, Serialize, Serializer};

/// A point in time with millisecond steps. Always within the years 0 to 9999.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, utoipa::ToSchema)]
#[schema(value_type = String, format = DateTime)]
pub struct Moment(i64);

/// The text is not an RFC 3339 moment, or the number lies outside the years 0 to 9999.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("`{0}` is not a moment; write it like 2026-11-24T14:02:00Z")]
pub struct NotAMoment(String);

impl Moment {
    /// From milliseconds since 1970, UTC.
    ///
    /// # Errors
    /// When the moment lies outside the years 0 to 9999.
    pub fn from_ms(ms: i64) -> Result<Self, NotAMoment> {
        const YEAR_0: i64 = -62_167_219_200_000;
        const YEAR_10000: i64 = 253_402_300_800_000;
        if (YEAR_0..YEAR_10000).contains(&ms) {
            Ok(Self(ms))
        } else {
            Err(NotAMoment(ms.to_string()))
        }
    }

    /// Milliseconds since 1970, UTC.
    #[must_use]
    pub fn ms(self) -> i64 {
        self.0
    }

    /// Milliseconds from `earlier` to this moment; zero when `earlier` is in fact later.
    #[must_use]
    pub fn ms_since(self, earlier: Self) -> u64 {
        u64::try_from(self.0.saturating_sub(earlier.0)).unwrap_or(0)
    }
}

impl fmt::Display for Moment {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match Timestamp::from_millisecond(self.0) {
            Ok(stamp) => write!(f, "{stamp:.3}"),
            // Not reachable through `from_ms`, which keeps to years that jiff knows too.
            Err(_) => write!(f, "{} ms", self.0),
        }
    }
}

impl fmt::Debug for Moment {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        fmt::Display::fmt(self, f)
    }
}

impl FromStr for Moment {
    type Err = NotAMoment;

    fn from_str(text: &str) -> Result<Self, NotAMoment> {
        let refused = || NotAMoment(text.chars().take(60).collect());
        let stamp: Timestamp = text.parse().map_err(|_| refused())?;
        Self::from_ms(stamp.as_millisecond()).map_err(|_| refused())
    }
}

impl Serialize for Moment {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.collect_str(self)
    }
}

impl<'de> Deserialize<'de> for Moment {
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
    fn text_and_number_agree() {
        let moment: Moment = "2026-11-24T14:02:03.500Z".parse().unwrap();
        assert_eq!(moment.to_string(), "2026-11-24T14:02:03.500Z");
        assert_eq!(Moment::from_ms(moment.ms()).unwrap(), moment);
    }

    #[test]
    fn an_offset_is_turned_into_utc() {
        let moment: Moment = "2026-11-24T15:02:00+01:00".parse().unwrap();
        assert_eq!(moment.to_string(), "2026-11-24T14:02:00.000Z");
    }

    #[test]
    fn what_is_not_a_moment_is_refused() {
        for text in ["", "yesterday", "2026-13-01T00:00:00Z", "2026-11-24"] {
            assert!(text.parse::<Moment>().is_err(), "{text}");
        }
        assert!(Moment::from_ms(i64::MAX).is_err());
    }
}
