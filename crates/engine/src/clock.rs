//! The time that this bench counts, over its machine's clocks: see [`veritope_core::steady`]. Whoever writes
//! the record and whoever judges look at the same one.

use std::sync::{Arc, Mutex};
use std::time::Duration;

use serde::Serialize;
use veritope_core::steady::{Dated, Steady};
use veritope_wire::{BenchTime, RequestId, Stamp, WallTime};

use crate::bench::{Engine, lock};
use crate::error::EngineError;
use crate::ports::Clock;
use crate::record::{Entry, Scope};

/// How often what is remembered of the clock is written down, in milliseconds.
const WRITE_EVERY_MS: u64 = 60_000;

/// This computer's clock was set while the bench counts waits.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct ClockNote {
    /// In one or two sentences.
    pub text: String,
}

/// One bench's time: one for all that writes, judges and waits on it.
pub struct BenchClock {
    machine: Arc<dyn Clock>,
    own: Mutex<OwnTime>,
}

struct OwnTime {
    steady: Steady,
    written: Option<BenchTime>,
    /// A jump that is not in the log yet.
    untold_ms: Option<i64>,
    is_remembered: bool,
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
            written: None,
            untold_ms: None,
        };
        Arc::new(Self {
            machine,
            own: Mutex::new(own),
        })
    }

    /// Goes on from `newest`, the last that was written down, where what is remembered is older or lost.
    pub(crate) fn no_earlier_than(&self, newest: Stamp) {
        let mut own = lock(&self.own);
        own.steady = if own.is_remembered {
            own.steady.clone().no_earlier_than(newest.bench)
        } else {
            Steady::after(newest)
        };
    }

    /// After a look at the machine's clocks.
    fn looked<T>(&self, then: impl FnOnce(&mut OwnTime) -> T) -> T {
        // Within the lock, so that looks are followed in the order in which they were taken.
        let mut own = lock(&self.own);
        let look = self.machine.look();
        if let Some(jump) = own.steady.follow(&look) {
            own.untold_ms = Some(own.untold_ms.unwrap_or(0) + jump.by_ms);
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

impl Engine {
    /// The bench's clock.
    #[must_use]
    pub fn clock(&self) -> Arc<BenchClock> {
        Arc::clone(&self.parts.clock)
    }

    /// Now, as this bench counts.
    pub(crate) fn now(&self) -> BenchTime {
        self.parts.clock.now()
    }

    /// Writes down what is remembered, and tells the log of a jump. Called by the watch.
    pub(crate) fn keep_time(&self) -> Result<(), EngineError> {
        let (untold_ms, steady) = self.parts.clock.looked(|own| {
            let now = own.steady.stamp().bench;
            let untold_ms = own.untold_ms.take();
            let is_due = own
                .written
                .is_none_or(|written| now.ms_since(written) >= WRITE_EVERY_MS);
            if untold_ms.is_none() && !is_due {
                return (None, None);
            }
            own.written = Some(now);
            (untold_ms, Some(own.steady.clone()))
        });
        if let Some(steady) = steady {
            self.data.remember_clock(&steady)?;
        }
        match untold_ms {
            Some(by_ms) => self.append_to(Scope::Bench, None, vec![Entry::ClockSet { by_ms }]),
            None => Ok(()),
        }
    }

    /// What is to be said about the clock; nothing while it was not set.
    pub(crate) fn clock_note(&self) -> Option<ClockNote> {
        let ahead_ms = self.parts.clock.looked(|own| own.steady.set_by_ms());
        (ahead_ms != 0).then(|| ClockNote {
            text: format!(
                "This computer's clock was set {}. Waits go on as if it had not been; say so if it is right now.",
                set_in_words(ahead_ms)
            ),
        })
    }

    /// A person says that the clock is right: what people see of times goes by it from now on; what was
    /// counted goes on.
    ///
    /// # Errors
    /// When it can't be written down.
    pub fn trust_clock(&self, request: RequestId) -> Result<(), EngineError> {
        let Some(_once) = self.once(Scope::Bench, request)? else {
            return Ok(());
        };
        let trusted = self.parts.clock.looked(|own| {
            let is_set = own.steady.set_by_ms() != 0;
            own.steady.trust();
            is_set.then(|| own.steady.clone())
        });
        let Some(steady) = trusted else {
            return Ok(());
        };
        self.data.remember_clock(&steady)?;
        self.append_to(Scope::Bench, Some(request), vec![Entry::ClockTrusted])
    }
}

/// `100 h forward`, `12 min back`.
pub(crate) fn set_in_words(by_ms: i64) -> String {
    let minutes = by_ms.unsigned_abs().div_ceil(60_000);
    let way = if by_ms > 0 { "forward" } else { "back" };
    if minutes < 120 {
        format!("{minutes} min {way}")
    } else {
        format!("{} h {way}", minutes / 60)
    }
}
