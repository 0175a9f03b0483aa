//! Observe, compare, replan, permit, act, record.
//!
//! Synchronous, on the caller's thread, over small traits ([`ports`]): whoever embeds the engine
//! brings the journal, the clock, the ids, and a way to reach bridges. The rules are the core's;
//! the engine brings them together with what is seen and writes down what comes of it.
//!
//! Rooms, from the ground up; `cli/tests/arrows.rs` holds that each reaches down only:
//!
//! * [`ports`]: what comes from outside
//! * `stored`, over `outcome`: the forms in which what is known lies in files
//! * [`desk`]: the record, its only writer, and the time that it counts
//! * [`library`]: what the bench keeps in files
//! * [`Engine`]: everything that can be asked and done; its methods lie in `bench`, `watch`, `run`, `places`,
//!   `reading`, `backup`, `restore`, `families`, `pictures`, `view` and their neighbours

mod attempt;
mod backup;
mod backups_view;
mod bench;
mod body;
mod clock;
pub mod desk;
mod doctor;
mod ending;
mod error;
mod evidence;
mod families;
mod found;
pub mod library;
mod outcome;
mod pictures;
mod places;
pub mod ports;
mod presence;
mod progress;
mod reading;
mod relock;
mod restore;
mod run;
mod stock;
mod stored;
mod token;
pub mod view;
mod watch;

pub use backups_view::{BackupsView, CaptureLine, CaptureView, CapturedLine, CopyLine, HeldLine};
pub use bench::{Engine, FoundDevice, KeepSaid, NewUnit, Parts, Recognised, SUPPLIES};
pub use clock::ClockNote;
pub use desk::clock::BenchClock;
pub use error::EngineError;
pub use families::{
    FamilyChecked, FamilyLine, FamilyOrigin, FamilyPage, GuideLine, GuidePartition,
    MOST_FAMILY_BYTES,
};
pub use found::{FoundCapture, FoundUnit};
pub use library::family::KnownFamily;
pub use library::place::Place;
pub use pictures::{MOST_PICTURE_BYTES, Picture};
pub use places::PlaceView;
pub use progress::{Moving, StepPhase, Watcher};
pub use reading::CaptureKind;
pub use restore::{Compared, RestorePlan, RestoreRow};
pub use run::StepEnd;
pub use stock::StockLine;
