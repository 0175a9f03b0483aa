//! The time that this bench counts, over its machine's clocks: see [`veritope_core::steady`]. Whoever writes
//! the record and whoever judges look at the same one.

use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::time::Duration;

use veritope_core::steady::{Dated, Steady};
use veritope_wire::{BenchTime, Stamp, WallTime};

use crate::ports::Clock;

/// One bench's time: one for all that writes, judges and waits on it.
pub struct BenchClock {
    machine: Arc<dyn Clock>,
    own: Mutex<OwnTime>,
}

/// What is remembered of the clock.
pub(crate) struct OwnTime {
    pub(crate) steady: Steady,
    /// When it was last to be written down, and what was untold then.
    pub(crate) tried: Option<(BenchTime, i64)>,
    /// By how much the clock was set, in milliseconds, as far as that is not in the log yet.
    pub(crate) untold_ms: i64,
    is_remembered: bool,
}

impl OwnTime {
    /// So much of it is in the log now.
    pub(crate) fn was_told(&mut self, by_ms: i64) {
        self.untold_ms -= by_ms;
        if let Some((_, untold_ms)) = &mut self.tried {
            *untold_ms -= by_ms;
        }
    }
}

impl BenchClock {
    /// Goes on from what was remembered, or begins.
    #[must_use]
    pub fn open(remembered: Option<Steady>, machine: Arc<dyn Clock>) -> Arc<Self> {
        let is_remembered = remembered.is_some();
        let steady = remembered.unwrap_or_else(|| Steady::begin(machine.look()));
        let own = OwnTime {
            steady,
            is_remembered,
            tried: None,
            untold_ms: 0,
        };
        Arc::new(Self {
            machine,
            own: Mutex::new(own),
        })
    }

    fn lock(&self) -> MutexGuard<'_, OwnTime> {
        // A look is followed as a whole or not at all.
        self.own.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Goes on from `newest`, the last that was written down, where what is remembered is older or lost.
    pub(crate) fn no_earlier_than(&self, newest: Stamp) {
        let mut own = self.lock();
        own.steady = if own.is_remembered {
            own.steady.clone().no_earlier_than(newest.bench)
        } else {
            Steady::after(newest)
        };
    }

    /// After a look at the machine's clocks.
    pub(crate) fn looked<T>(&self, then: impl FnOnce(&mut OwnTime) -> T) -> T {
        // Within the lock, so that looks are followed in the order in which they were taken.
        let mut own = self.lock();
        let look = self.machine.look();
        if let Some(jump) = own.steady.follow(&look) {
            own.untold_ms += jump.by_ms;
        }
        then(&mut own)
    }

    /// Now, in both times.
    #[must_use]
    pub fn stamp(&self) -> Stamp {
        self.looked(|own| own.steady.stamp())
    }

    /// Now, as it is counted.
    #[must_use]
    pub fn now(&self) -> BenchTime {
        self.stamp().bench
    }

    /// What the clock on the wall would have told at a moment: for people only.
    #[must_use]
    pub fn wall_of(&self, counted: BenchTime) -> WallTime {
        self.looked(|own| own.steady.wall_of(counted))
    }

    /// A moment that somebody tells who looks at the clock on the wall, to be recorded.
    #[must_use]
    pub fn dated(&self, told: WallTime) -> Dated {
        self.looked(|own| own.steady.dated(told))
    }

    /// Waits.
    pub fn pause(&self, duration: Duration) {
        self.machine.pause(duration);
    }
}
