//! What every other crate agrees on and nothing else: ids, digests, moments, partition labels, and
//! the messages of the bench link (documented for strangers in `docs/bench-link.md`).
//!
//! Reading order: [`ids`], [`moment`], [`digest`], [`label`], then [`link`] and [`body`].

pub mod body;
mod digest;
mod ids;
mod label;
pub mod link;
mod moment;

pub use digest::{Digest, NotADigest};
pub use ids::{BridgeId, CaptureId, FactId, JobId, NotAnId, PlaceId, RequestId, RunId, UnitId};
pub use label::{Label, NotALabel};
pub use moment::{BenchTime, NotAMoment, Stamp, WallTime};
