//! The bench over HTTP: routes, the index of the record, events, jobs, the built front end. No rule
//! of the job is here; what may be done and why not comes from the engine as data.
//!
//! * [`store`]: the record: the engine's desk, and its index
//! * `index`: SQLite, made from the log on a thread of its own
//! * [`jobs`]: steps under way, on threads of their own
//! * [`events`]: what changed, as a stream that can be resumed
//! * `routes`: the API; [`openapi`] prints its description
//! * [`front`]: the built front end, embedded or from a folder
//! * `body`: bytes of any length, as they come
//! * `guard`: who may ask: this machine, this origin, bodies of a sane size

mod body;
mod calendar;
mod error;
pub mod events;
pub mod front;
mod guard;
mod index;
pub mod job;
pub mod jobs;
mod routes;
mod serve;
pub mod store;
mod system;
mod tables;

pub use error::chain;
pub use routes::openapi;
pub use serve::{Config, Running, ServeError, bench_clock, open_engine, start};
pub use system::{SystemClock, SystemIds};
