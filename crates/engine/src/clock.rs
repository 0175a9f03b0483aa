//! Our own time, over the machine's clock: see [`veritope_core::steady`].

use std::sync::Mutex;

use serde::Serialize;
use veritope_core::steady::{ClockLook, Steady};
use veritope_wire::{Moment, RequestId};

use crate::bench::{Engine, lock};
use crate::error::EngineError;
use crate::record::{Entry, Scope};

/// How often what is remembered of the clock is written down, in milliseconds.
const WRITE_EVERY_MS: u64 = 60_000;

/// This computer's clock was set while the bench counts waits.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct ClockNote {
    /// In one or two sentences.
    pub text: String,
}

/// What the engine remembers of the clock.
pub(crate) struct OwnTime {
    steady: Steady,
    written: Option<Moment>,
    /// A jump that is not in the log yet.
    untold_ms: Option<i64>,
}

impl OwnTime {
    /// Goes on from what was remembered, or begins.
    pub(crate) fn begin(remembered: Option<Steady>, look: ClockLook) -> Mutex<Self> {
        let mut time = Self {
            steady: remembered.unwrap_or_else(|| Steady::begin(look.clone())),
            written: None,
            untold_ms: None,
        };
        time.follow(&look);
        Mutex::new(time)
    }

    fn follow(&mut self, look: &ClockLook) -> Moment {
        if let Some(jump) = self.steady.follow(look) {
            self.untold_ms = Some(self.untold_ms.unwrap_or(0) + jump.by_ms);
        }
        self.steady.at(look)
    }
}

impl Engine {
    /// Now, in our own time: what the clock was set by since is taken off.
    pub(crate) fn now(&self) -> Moment {
        let look = self.parts.clock.look();
        lock(&self.time).follow(&look)
    }

    /// Writes down what is remembered, and tells the log of a jump. Called by the watch.
    pub(crate) fn keep_time(&self) -> Result<(), EngineError> {
        let now = self.now();
        let mut time = lock(&self.time);
        let untold_ms = time.untold_ms.take();
        let is_due = time
            .written
            .is_none_or(|written| now.ms_since(written) >= WRITE_EVERY_MS);
        if untold_ms.is_none() && !is_due {
            return Ok(());
        }
        time.written = Some(now);
        let steady = time.steady.clone();
        drop(time);
        self.data.remember_clock(&steady)?;
        match untold_ms {
            Some(by_ms) => self.append_to(Scope::Bench, None, vec![Entry::ClockSet { by_ms }]),
            None => Ok(()),
        }
    }

    /// What is to be said about the clock; nothing while it was not set.
    pub(crate) fn clock_note(&self) -> Option<ClockNote> {
        let ahead_ms = lock(&self.time).steady.ahead_ms();
        (ahead_ms != 0).then(|| ClockNote {
            text: format!(
                "This computer's clock was set {}. Waits go on as if it had not been; say so if it is right now.",
                set_in_words(ahead_ms)
            ),
        })
    }

    /// A person says that the clock is right: from now on it counts as it stands.
    ///
    /// # Errors
    /// When it can't be written down.
    pub fn trust_clock(&self, request: RequestId) -> Result<(), EngineError> {
        let Some(_once) = self.once(Scope::Bench, request)? else {
            return Ok(());
        };
        let look = self.parts.clock.look();
        let mut time = lock(&self.time);
        time.follow(&look);
        if time.steady.ahead_ms() == 0 {
            return Ok(());
        }
        time.steady.trust(look);
        let steady = time.steady.clone();
        drop(time);
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
