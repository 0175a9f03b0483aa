//! What the engine needs from outside, as small traits with a written contract.

use std::sync::Arc;
use std::time::Duration;

use uuid::Uuid;
use veritope_core::steady::ClockLook;
use veritope_link::{HttpTransport, LinkError, Transport};
use veritope_wire::{Moment, RequestId, RunId, UnitId};

use crate::record::{Entry, Scope, Stamped};
use crate::unit::UnitRecord;

/// The record can't be read or written.
#[derive(Debug, thiserror::Error)]
#[error("the record can't be {doing}")]
pub struct JournalError {
    /// What was tried: "read" or "written".
    pub doing: &'static str,
    /// Why.
    #[source]
    pub source: Box<dyn std::error::Error + Send + Sync>,
}

/// Keeps the record.
///
/// Contract: when `append` returns, the entries are on the disk, in order, all or none; `unit`
/// answers from everything appended before; one writer at a time.
pub trait Journal: Send + Sync {
    /// Writes entries down.
    ///
    /// # Errors
    /// When they are not on the disk; then nothing of them is.
    fn append(
        &self,
        scope: Scope,
        request: Option<RequestId>,
        entries: Vec<Entry>,
    ) -> Result<Vec<Stamped>, JournalError>;

    /// What is known of one unit.
    ///
    /// # Errors
    /// When the record can't be read.
    fn unit(&self, unit: UnitId) -> Result<Option<UnitRecord>, JournalError>;

    /// All units, oldest first.
    ///
    /// # Errors
    /// When the record can't be read.
    fn units(&self) -> Result<Vec<UnitRecord>, JournalError>;
}

/// Tells the time and lets it pass.
pub trait Clock: Send + Sync {
    /// The clock on the wall, and how long this boot has lasted.
    fn look(&self) -> ClockLook;

    /// Now, as the clock on the wall says.
    fn now(&self) -> Moment {
        self.look().wall
    }

    /// Waits.
    fn pause(&self, duration: Duration);
}

/// Makes ids.
pub trait Ids: Send + Sync {
    /// A new UUID, later ones sorting after earlier ones.
    fn fresh(&self) -> Uuid;
}

/// Something that a screen may want to show anew.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Changed {
    /// Bridges or the list of units.
    Bench,
    /// One unit.
    Unit(UnitId),
    /// A step of a run moved.
    Run(UnitId, RunId),
}

/// Hears about changes. Called often; must not block.
pub trait Notify: Send + Sync {
    /// Something changed.
    fn changed(&self, what: Changed);
}

/// Nobody listens.
#[derive(Debug, Clone, Copy)]
pub struct Silent;

impl Notify for Silent {
    fn changed(&self, _: Changed) {}
}

/// Reaches bridges.
pub trait Connect: Send + Sync {
    /// Prepares talking to a bridge.
    ///
    /// # Errors
    /// When the address is none.
    fn connect(&self, url: &str, token: &str) -> Result<Arc<dyn Transport>, LinkError>;
}

/// Reaches bridges over HTTP.
#[derive(Debug, Clone, Copy)]
pub struct OverHttp;

impl Connect for OverHttp {
    fn connect(&self, url: &str, token: &str) -> Result<Arc<dyn Transport>, LinkError> {
        Ok(Arc::new(HttpTransport::new(url, token)?))
    }
}
