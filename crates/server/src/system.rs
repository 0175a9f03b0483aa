//! The real clock and real ids.

use std::sync::LazyLock;
use std::time::{Duration, SystemTime, UNIX_EPOCH};

use uuid::Uuid;
use veritope_core::steady::ClockLook;
use veritope_engine::ports::{Clock, Ids};
use veritope_wire::WallTime;

/// This machine's clock.
#[derive(Debug, Clone, Copy)]
pub struct SystemClock;

impl SystemClock {
    /// What it tells.
    #[must_use]
    pub fn wall(self) -> WallTime {
        let since = SystemTime::now()
            .duration_since(UNIX_EPOCH)
            .unwrap_or_default();
        WallTime::nearest_ms(i64::try_from(since.as_millis()).unwrap_or(i64::MAX))
    }
}

impl Clock for SystemClock {
    fn look(&self) -> ClockLook {
        let elapsed = rustix::time::clock_gettime(rustix::time::ClockId::Boottime);
        ClockLook {
            wall: self.wall(),
            boot: BOOT.clone(),
            elapsed_ms: elapsed.tv_sec * 1000 + elapsed.tv_nsec / 1_000_000,
        }
    }

    fn pause(&self, duration: Duration) {
        std::thread::sleep(duration);
    }
}

/// Which boot this is, as the kernel names it; empty where it doesn't.
static BOOT: LazyLock<String> = LazyLock::new(|| {
    std::fs::read_to_string("/proc/sys/kernel/random/boot_id")
        .map(|text| text.trim().to_owned())
        .unwrap_or_default()
});

/// Time-ordered UUIDs.
#[derive(Debug, Clone, Copy)]
pub struct SystemIds;

impl Ids for SystemIds {
    fn fresh(&self) -> Uuid {
        Uuid::now_v7()
    }
}
