//! What is to be said of the bench's clock, and what is remembered of it: see [`crate::desk::clock`].

use serde::Serialize;
use veritope_wire::RequestId;

use crate::desk::record::{Entry, Scope};
use crate::library::LibraryError;
use crate::library::kept::Library;

/// How often what is remembered of the clock is written down, in milliseconds.
const WRITE_EVERY_MS: u64 = 60_000;

/// This computer's clock was set while the bench counts waits.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct ClockNote {
    /// In one or two sentences.
    pub text: String,
}

impl Library {
    /// Writes down what is remembered, and tells the log of a jump; what can't be written is tried again.
    /// Called by the watch.
    pub(crate) fn keep_time(&self) -> Result<(), LibraryError> {
        let clock = &self.pen.clock;
        let (untold_ms, steady) = clock.looked(|own| {
            let now = own.steady.stamp().bench;
            let is_due = own
                .tried
                .is_none_or(|(tried, _)| now.ms_since(tried) >= WRITE_EVERY_MS);
            let is_news = own.untold_ms != own.tried.map_or(0, |(_, untold_ms)| untold_ms);
            let is_wanted = is_due || is_news;
            if is_wanted {
                own.tried = Some((now, own.untold_ms));
            }
            (own.untold_ms, is_wanted.then(|| own.steady.clone()))
        });
        let Some(steady) = steady else {
            return Ok(());
        };
        // The log first: whoever is killed in between tells it twice rather than never.
        if untold_ms != 0 {
            let set = Entry::ClockSet { by_ms: untold_ms };
            self.pen.append_to(Scope::Bench, None, vec![set])?;
            clock.looked(|own| own.was_told(untold_ms));
        }
        Ok(self.data.remember_clock(&steady)?)
    }

    /// What is to be said about the clock; nothing while it was not set.
    pub(crate) fn clock_note(&self) -> Option<ClockNote> {
        let ahead_ms = self.pen.clock.looked(|own| own.steady.set_by_ms());
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
    pub fn trust_clock(&self, request: RequestId) -> Result<(), LibraryError> {
        let Some(_once) = self.pen.once(Scope::Bench, request)? else {
            return Ok(());
        };
        let clock = &self.pen.clock;
        let before = clock.looked(|own| own.steady.clone());
        if before.set_by_ms() == 0 {
            return Ok(());
        }
        let mut trusted = before.clone();
        trusted.trust();
        self.data.remember_clock(&trusted)?;
        let entries = vec![Entry::ClockTrusted];
        self.pen
            .note_or_take_back(Scope::Bench, request, entries, || {
                self.data.remember_clock(&before)
            })?;
        clock.looked(|own| own.steady.trust());
        Ok(())
    }
}
