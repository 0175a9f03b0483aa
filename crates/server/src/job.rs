//! A job, as the screens see it.

use serde::Serialize;
use veritope_core::permission::Permission;
use veritope_wire::{RunId, UnitId};

/// Where a job stands.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
#[serde(tag = "is", rename_all = "kebab-case")]
pub enum JobState {
    /// At it.
    Running,
    /// Waiting for a person at the device.
    Waiting {
        /// What for, in one sentence.
        why: String,
    },
    /// Through.
    Done {
        /// What came of it, in one sentence.
        text: String,
    },
    /// Not through, or not known.
    Failed {
        /// Why, in one sentence.
        text: String,
    },
    /// Stopped by a person, or with the server; what was read stays.
    Cancelled {
        /// What that means, in one sentence.
        text: String,
    },
}

impl JobState {
    /// Whether nothing more comes of it.
    #[must_use]
    pub fn has_ended(&self) -> bool {
        match self {
            Self::Running | Self::Waiting { .. } => false,
            Self::Done { .. } | Self::Failed { .. } | Self::Cancelled { .. } => true,
        }
    }

    /// Whether it may be stopped: as long as more comes of it.
    #[must_use]
    pub fn may_cancel(&self) -> Permission {
        if self.has_ended() {
            Permission::no("It has ended.", None)
        } else {
            Permission::yes()
        }
    }
}

/// How far a job that moves bytes is.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct JobProgress {
    /// What it is at.
    pub what: String,
    /// Bytes moved.
    pub done_bytes: u64,
    /// Bytes in all.
    pub total_bytes: u64,
    /// The share that is moved, in thousandths; all of it at the end.
    pub permille: u64,
    /// Bytes a second, over the whole job.
    pub bytes_per_second: u64,
    /// Seconds left at that rate, once there is one.
    pub seconds_left: Option<u64>,
}

/// A job, for the tray.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct JobView {
    /// Its number since the server started.
    pub id: u64,
    /// Which unit; nothing for work on the shelf.
    pub unit: Option<UnitId>,
    /// Which run, for a step of one.
    pub run: Option<RunId>,
    /// What it does, in words.
    pub what: String,
    /// Where it stands.
    pub state: JobState,
    /// How far it is, where bytes move.
    pub progress: Option<JobProgress>,
    /// Whether it may be stopped now.
    pub cancel: Permission,
}
