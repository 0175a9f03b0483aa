//! Observe, compare, replan, permit, act, record.
//!
//! Synchronous, on the caller's thread, over small traits ([`ports`]): whoever embeds the engine
//! brings the journal, the clock, the ids, and a way to reach bridges. The rules are the core's;
//! the engine brings them together with what is seen and writes down what comes of it.
//!
//! Rooms, from the ground up; each is a type that holds those below it, so that none can call upward, and
//! `cli/tests/arrows.rs` holds the same of files:
//!
//! * [`ports`]: what comes from outside · `stored`, over `outcome`: the forms in which what is known lies in
//!   files · [`progress`](Watcher): what whoever waits hears of work
//! * [`desk`]: the record, its only writer, the time that it counts, and the [`desk::pen::Pen`] through which
//!   all others read it and write in it
//! * [`library`]: what the bench keeps in files
//! * [`turns`]: one change a unit at a time
//! * [`links`]: bridges, and what they show
//! * [`units`]: who is on the bench, and what a person says of them
//! * [`keeping`]: what exists once
//! * [`runs`]: sheets, taken step by step
//! * [`views`]: what screens show, over a handle that can only read
//! * [`Engine`]: the bench as a whole

pub mod desk;
mod engine;
pub mod keeping;
pub mod library;
pub mod links;
mod outcome;
pub mod ports;
mod progress;
pub mod runs;
mod stored;
pub mod turns;
pub mod units;
pub mod views;

pub use desk::DeskError;
pub use desk::clock::BenchClock;
pub use engine::{Engine, OpenError, Parts, SUPPLIES};
pub use keeping::found::{FoundCapture, FoundUnit};
pub use keeping::reading::CaptureKind;
pub use keeping::restore::{Compared, RestorePlan, RestoreRow};
pub use keeping::stock::StockLine;
pub use library::LibraryError;
pub use library::clock::ClockNote;
pub use library::families::{
    FamilyChecked, FamilyLine, FamilyOrigin, FamilyPage, GuideLine, GuidePartition,
    MOST_FAMILY_BYTES,
};
pub use library::family::KnownFamily;
pub use library::pictures::{MOST_PICTURE_BYTES, Picture};
pub use library::place::Place;
pub use library::places::PlaceView;
pub use links::{FoundDevice, Recognised};
pub use progress::{Moving, StepPhase, Watcher};
pub use runs::run::StepEnd;
pub use units::{KeepSaid, NewUnit};
pub use veritope_vault::For;
pub use views::backups::{BackupsView, CaptureLine, CaptureView, CapturedLine, CopyLine, HeldLine};
