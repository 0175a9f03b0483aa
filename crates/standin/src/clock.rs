//! Device time: injected, so that tests turn it by hand and the demo lets a minute pass in seconds.

use std::sync::atomic::{AtomicI64, Ordering};
use std::time::Instant;

/// Milliseconds of device time, never going back.
pub trait DeviceClock: Send + Sync {
    /// Now.
    fn now_ms(&self) -> i64;

    /// How many of its milliseconds pass in one of the wall's; at least 1.
    fn scale(&self) -> i64 {
        1
    }
}

/// Real time, sped up.
#[derive(Debug)]
pub struct Scaled {
    start: Instant,
    origin_ms: AtomicI64,
    scale: u32,
}

impl Scaled {
    /// A clock that stands at `origin_ms` now and runs `scale` times as fast as the wall.
    #[must_use]
    pub fn from(origin_ms: i64, scale: u32) -> Self {
        Self {
            start: Instant::now(),
            origin_ms: AtomicI64::new(origin_ms),
            scale,
        }
    }

    /// Lets `seconds` of device time pass at once, so that a demo begins in the middle of things.
    pub fn skip(&self, seconds: i64) {
        self.origin_ms.fetch_add(seconds * 1000, Ordering::SeqCst);
    }
}

impl DeviceClock for Scaled {
    fn now_ms(&self) -> i64 {
        let real = i64::try_from(self.start.elapsed().as_millis()).unwrap_or(i64::MAX);
        self.origin_ms
            .load(Ordering::SeqCst)
            .saturating_add(real.saturating_mul(i64::from(self.scale)))
    }

    fn scale(&self) -> i64 {
        i64::from(self.scale.max(1))
    }
}

/// A clock that stands still until it is turned.
#[derive(Debug, Default)]
pub struct ByHand(AtomicI64);

impl ByHand {
    /// Lets `seconds` pass.
    pub fn pass(&self, seconds: i64) {
        self.0.fetch_add(seconds * 1000, Ordering::SeqCst);
    }
}

impl DeviceClock for ByHand {
    fn now_ms(&self) -> i64 {
        self.0.load(Ordering::SeqCst)
    }
}
