//! What the engine needs from outside, as small traits with a written contract.

use std::sync::Arc;
use std::time::Duration;

use uuid::Uuid;
use veritope_core::steady::ClockLook;
use veritope_link::{HttpTransport, LinkError, Transport};
use veritope_wire::{RunId, UnitId};

/// A machine's clocks; what a bench counts by them is the desk's.
pub trait Clock: Send + Sync {
    /// The clock on the wall, and how long this boot has lasted.
    fn look(&self) -> ClockLook;

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
