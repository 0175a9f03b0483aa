//! Two times that don't compare: the world's ([`WallTime`]), which people, files and other benches go by,
//! and the one that a bench counts ([`BenchTime`]), by which everything is judged. A clock on the wall may
//! be set; what a bench counts goes on. `veritope_core::steady` alone turns one into the other.
//!
//! Milliseconds inside, RFC 3339 wherever a person or another program reads them. No time-library type
//! crosses this crate's interface.

use std::fmt;
use std::str::FromStr;

use jiff::Timestamp;
use serde::{Deserialize, Deserializer, Serialize, Serializer};

const YEAR_0: i64 = -62_167_219_200_000;
const YEAR_10000: i64 = 253_402_300_800_000;

/// A point in the world's time, as some clock on a wall told it. Always within the years 0 to 9999.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, utoipa::ToSchema)]
#[schema(value_type = String, format = DateTime)]
pub struct WallTime(i64);

/// The text is not an RFC 3339 moment, or the number lies outside the years 0 to 9999.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("`{0}` is not a moment; write it like 2026-11-24T14:02:00Z")]
pub struct NotAMoment(String);

impl WallTime {
    /// From milliseconds since 1970, UTC.
    ///
    /// # Errors
    /// When the moment lies outside the years 0 to 9999.
    pub fn from_ms(ms: i64) -> Result<Self, NotAMoment> {
        if (YEAR_0..YEAR_10000).contains(&ms) {
            Ok(Self(ms))
        } else {
            Err(NotAMoment(ms.to_string()))
        }
    }

    /// The same, held within those years.
    #[must_use]
    pub fn nearest_ms(ms: i64) -> Self {
        Self(ms.clamp(YEAR_0, YEAR_10000 - 1))
    }

    /// Milliseconds since 1970, UTC.
    #[must_use]
    pub fn ms(self) -> i64 {
        self.0
    }
}

impl fmt::Display for WallTime {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match Timestamp::from_millisecond(self.0) {
            Ok(stamp) => write!(f, "{stamp:.3}"),
            // Not reachable through `from_ms`, which keeps to years that jiff knows too.
            Err(_) => write!(f, "{} ms", self.0),
        }
    }
}

impl fmt::Debug for WallTime {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        fmt::Display::fmt(self, f)
    }
}

impl FromStr for WallTime {
    type Err = NotAMoment;

    fn from_str(text: &str) -> Result<Self, NotAMoment> {
        let refused = || NotAMoment(text.chars().take(60).collect());
        let stamp: Timestamp = text.parse().map_err(|_| refused())?;
        Self::from_ms(stamp.as_millisecond()).map_err(|_| refused())
    }
}

impl Serialize for WallTime {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.collect_str(self)
    }
}

impl<'de> Deserialize<'de> for WallTime {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        String::deserialize(deserializer)?
            .parse()
            .map_err(serde::de::Error::custom)
    }
}

/// A point in the time that a bench counts by its own counter: it never goes back and never jumps, whatever
/// is done to the clock on the wall.
///
/// Milliseconds, from an origin at which the clock read 1970 if the one that the data folder was made by
/// was right and never set; so what was counted reads as that clock would. Other benches count another one.
/// Has no words: for people it is turned into [`WallTime`].
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, utoipa::ToSchema)]
#[schema(value_type = String, format = DateTime)]
pub struct BenchTime(i64);

impl BenchTime {
    /// From what was counted, in milliseconds; held within the years 0 to 9999.
    #[must_use]
    pub fn from_ms(ms: i64) -> Self {
        Self(ms.clamp(YEAR_0, YEAR_10000 - 1))
    }

    /// What was counted, in milliseconds.
    #[must_use]
    pub fn ms(self) -> i64 {
        self.0
    }

    /// Milliseconds from `earlier` to this one; zero when `earlier` is in fact later.
    #[must_use]
    pub fn ms_since(self, earlier: Self) -> u64 {
        u64::try_from(self.0.saturating_sub(earlier.0)).unwrap_or(0)
    }

    /// So many milliseconds later; earlier where negative.
    #[must_use]
    pub fn after_ms(self, ms: i64) -> Self {
        Self::from_ms(self.0.saturating_add(ms))
    }
}

impl fmt::Debug for BenchTime {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{} as counted", WallTime(self.0))
    }
}

impl Serialize for BenchTime {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        WallTime(self.0).serialize(serializer)
    }
}

impl<'de> Deserialize<'de> for BenchTime {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        WallTime::deserialize(deserializer).map(|text| Self(text.0))
    }
}

/// When something was written down, in both times. Has no order: within a chain that is the number of the
/// line.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, utoipa::ToSchema)]
pub struct Stamp {
    /// What the clock on the wall told.
    pub wall: WallTime,
    /// What the bench had counted.
    pub bench: BenchTime,
}

#[cfg(test)]
mod tests {
    use static_assertions::assert_not_impl_any;

    use super::*;

    // Moments of two clocks are never compared, and a stamp has no order.
    assert_not_impl_any!(WallTime: PartialEq<BenchTime>, PartialOrd<BenchTime>);
    assert_not_impl_any!(BenchTime: PartialEq<WallTime>, PartialOrd<WallTime>, fmt::Display);
    assert_not_impl_any!(Stamp: PartialOrd);

    #[test]
    fn text_and_number_agree() {
        let time: WallTime = "2026-11-24T14:02:03.500Z".parse().unwrap();
        assert_eq!(time.to_string(), "2026-11-24T14:02:03.500Z");
        assert_eq!(WallTime::from_ms(time.ms()).unwrap(), time);
    }

    #[test]
    fn an_offset_is_turned_into_utc() {
        let time: WallTime = "2026-11-24T15:02:00+01:00".parse().unwrap();
        assert_eq!(time.to_string(), "2026-11-24T14:02:00.000Z");
    }

    #[test]
    fn what_is_not_a_time_is_refused() {
        for text in ["", "yesterday", "2026-13-01T00:00:00Z", "2026-11-24"] {
            assert!(text.parse::<WallTime>().is_err(), "{text}");
        }
        assert!(WallTime::from_ms(i64::MAX).is_err());
    }

    #[test]
    fn what_is_counted_is_held_within_its_bounds() {
        assert_eq!(BenchTime::from_ms(i64::MAX), BenchTime::from_ms(YEAR_10000));
        let now = BenchTime::from_ms(1_795_500_000_000);
        assert_eq!(now.after_ms(i64::MIN), BenchTime::from_ms(YEAR_0));
        assert_eq!(
            (
                now.ms_since(now.after_ms(-5)),
                now.ms_since(now.after_ms(5))
            ),
            (5, 0)
        );
    }
}
