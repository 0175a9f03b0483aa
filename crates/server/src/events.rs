//! What changed, as events with numbers: a client that lost the stream says the last number it saw
//! and gets what it missed, or `reset` when that is too long ago.

use std::collections::VecDeque;
use std::sync::{Mutex, PoisonError};

use serde::Serialize;
use tokio::sync::broadcast;
use veritope_engine::ports::{Changed, Notify};
use veritope_wire::{RunId, UnitId};

use crate::job::JobView;

/// One event of the stream.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
#[serde(tag = "event", rename_all = "kebab-case")]
pub enum Event {
    /// Bridges or the list of units changed.
    Bench,
    /// A unit changed.
    Unit {
        /// Which.
        unit: UnitId,
    },
    /// A step of a run moved.
    Run {
        /// Of which unit.
        unit: UnitId,
        /// Which run.
        run: RunId,
    },
    /// A job changed its state.
    Job {
        /// The job as it is now.
        job: JobView,
    },
    /// What was missed is no longer known: read everything anew.
    Reset,
}

/// Events that are remembered for clients that come back.
const REMEMBERED: usize = 512;

/// An event with its number, from 1 in each life of the server.
pub type Numbered = (u64, Event);

#[derive(Default)]
struct Past {
    last: u64,
    events: VecDeque<Numbered>,
}

/// Hands events to everybody who listens.
pub struct Events {
    past: Mutex<Past>,
    live: broadcast::Sender<Numbered>,
}

impl Default for Events {
    fn default() -> Self {
        Self {
            past: Mutex::default(),
            live: broadcast::channel(REMEMBERED).0,
        }
    }
}

impl Events {
    /// Tells everybody.
    pub fn tell(&self, event: Event) {
        let mut past = self.past.lock().unwrap_or_else(PoisonError::into_inner);
        past.last += 1;
        let numbered = (past.last, event);
        past.events.push_back(numbered.clone());
        if past.events.len() > REMEMBERED {
            past.events.pop_front();
        }
        // Sent under the lock, so that numbers arrive in order; nobody listening is no error.
        let _ = self.live.send(numbered);
    }

    /// What came after event `seen`, and the stream of what comes from now on.
    pub fn after(&self, seen: Option<u64>) -> (Vec<Numbered>, broadcast::Receiver<Numbered>) {
        let past = self.past.lock().unwrap_or_else(PoisonError::into_inner);
        let live = self.live.subscribe();
        let missed = match seen {
            None => Vec::new(),
            Some(seen) => {
                let oldest = past.events.front().map_or(past.last + 1, |(n, _)| *n);
                // A number from an earlier life of the server, or one that has been forgotten.
                if seen > past.last || seen + 1 < oldest {
                    vec![(past.last, Event::Reset)]
                } else {
                    past.events
                        .iter()
                        .filter(|(n, _)| *n > seen)
                        .cloned()
                        .collect()
                }
            }
        };
        (missed, live)
    }
}

impl Notify for Events {
    fn changed(&self, what: Changed) {
        self.tell(match what {
            Changed::Bench => Event::Bench,
            Changed::Unit(unit) => Event::Unit { unit },
            Changed::Run(unit, run) => Event::Run { unit, run },
        });
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_client_that_comes_back_gets_what_it_missed_or_a_reset() {
        let events = Events::default();
        (0..3).for_each(|_| events.tell(Event::Bench));
        let numbers = |seen| {
            events
                .after(seen)
                .0
                .iter()
                .map(|(n, _)| *n)
                .collect::<Vec<_>>()
        };
        assert_eq!(numbers(Some(1)), [2, 3]);
        assert_eq!(numbers(Some(3)), Vec::<u64>::new());
        assert_eq!(numbers(None), Vec::<u64>::new());
        assert_eq!(events.after(Some(9)).0, [(3, Event::Reset)]);
        (0..REMEMBERED).for_each(|_| events.tell(Event::Bench));
        assert_eq!(events.after(Some(1)).0[0].1, Event::Reset);
    }
}
