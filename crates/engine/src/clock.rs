//! What is to be said of the bench's clock, and what is remembered of it: see [`crate::desk::clock`].

use std::sync::Arc;

use serde::Serialize;
use veritope_wire::{BenchTime, RequestId};

use crate::bench::Engine;
use crate::desk::clock::BenchClock;
use crate::desk::record::{Entry, Scope};
use crate::error::EngineError;

/// How often what is remembered of the clock is written down, in milliseconds.
const WRITE_EVERY_MS: u64 = 60_000;

/// This computer's clock was set while the bench counts waits.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct ClockNote {
    /// In one or two sentences.
    pub text: String,
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
                crate::desk::record::set_in_words(ahead_ms)
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
