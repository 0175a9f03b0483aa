//! What whoever waits for work hears of it.

use serde::Serialize;
use veritope_wire::BenchTime;

/// What a step is doing, while it is being taken.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum StepPhase {
    /// The device is at it.
    Running {
        /// Since when, or since it last asked.
        since: BenchTime,
    },
    /// The device asks something on its own screen.
    Asking {
        /// The question in its words.
        question: String,
        /// The highlighted answer.
        default: String,
    },
}

/// How far a job that moves bytes is.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct Moving {
    /// What it is at, in words.
    pub what: String,
    /// Bytes moved.
    pub done_bytes: u64,
    /// Bytes to move in all.
    pub total_bytes: u64,
}

/// Watches a step: hears its phases and may stop the waiting.
pub trait Watcher {
    /// The step entered a phase.
    fn phase(&self, phase: &StepPhase);

    /// Whether to stop waiting. The device goes on regardless.
    fn should_stop(&self) -> bool;

    /// Whether it is a person who stops it, rather than the server with all its work.
    fn is_cancelled(&self) -> bool {
        false
    }

    /// Bytes moved. Called often.
    fn moving(&self, _: &Moving) {}
}
