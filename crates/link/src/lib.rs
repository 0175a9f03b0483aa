//! The bench side of the bench link.
//!
//! [`DeviceLink`] is what the engine holds: one device, one unit, the last epoch seen. It is a
//! struct, so nobody can stand in for it; what varies is the [`Transport`] beneath. A transport's
//! changing methods take a [`Passed`] request, which only this crate can make: whatever changes a device
//! has passed [`DeviceLink`], and what needs a permit has handed it over there.
//!
//! [`HttpTransport`] speaks `docs/bench-link.md`; [`conform`](mod@conform) tests a stranger's
//! bridge.

pub mod conform;
mod device;
mod http;
mod transport;

pub use device::{DeviceLink, NotNow, OpenWrite, Permit, readings};
pub use http::HttpTransport;
pub use transport::{
    FilePiece, LinkError, Passed, ReadBytes, StreamPiece, ToMemory, Transport, WriteBytes,
};
