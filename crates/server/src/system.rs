//! The real clock and real ids.

use std::time::{Duration, SystemTime, UNIX_EPOCH};

use uuid::Uuid;
use veritope_engine::ports::{Clock, Ids};
use veritope_wire::Moment;

/// This machine's clock.
#[derive(Debug, Clone, Copy)]
pub struct SystemClock;

impl Clock for SystemClock {
    fn now(&self) -> Moment {
        let since = SystemTime::now()
            .duration_since(UNIX_EPOCH)
            .unwrap_or_default();
        let ms = i64::try_from(since.as_millis()).unwrap_or(i64::MAX);
        Moment::from_ms(ms).unwrap_or_else(|_| unreachable_year())
    }

    fn pause(&self, duration: Duration) {
        std::thread::sleep(duration);
    }
}

/// A machine whose clock stands after the year 9999 is taken back to 1970; nothing is lost by it.
fn unreachable_year() -> Moment {
    match Moment::from_ms(0) {
        Ok(moment) => moment,
        Err(error) => unreachable!("1970 is a moment: {error}"),
    }
}

/// Time-ordered UUIDs.
#[derive(Debug, Clone, Copy)]
pub struct SystemIds;

impl Ids for SystemIds {
    fn fresh(&self) -> Uuid {
        Uuid::now_v7()
    }
}
