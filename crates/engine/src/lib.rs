//! Observe, compare, replan, permit, act, record.
//!
//! Synchronous, on the caller's thread, over small traits ([`ports`]): whoever embeds the engine
//! brings the journal, the clock, the ids, and a way to reach bridges. The rules are the core's;
//! the engine brings them together with what is seen and writes down what comes of it.
//!
//! * [`record`]: what is written down, and the sentence for each
//! * [`desk`]: its only writer: the hash-chained files, and what they say of one another
//! * [`unit`]: what the entries of one unit add up to
//! * [`data`]: the data folder: version, policy, bridges
//! * [`shelf`]: files at hand, judged
//! * [`Engine`]: everything that can be asked and done; its parts are in `bench`, `watch`, `run`, `places`,
//!   `reading`, `backup`, `restore`, `families`, `pictures`, `clock`, `view`

mod attempt;
mod backup;
mod backups_view;
mod bench;
mod body;
mod clock;
pub mod data;
pub mod desk;
mod doctor;
mod ending;
mod error;
mod evidence;
mod families;
mod found;
pub mod hold;
mod pictures;
mod places;
pub mod ports;
mod reading;
pub mod record;
mod relock;
mod restore;
mod run;
pub mod shelf;
mod stock;
mod token;
pub mod unit;
pub mod view;
mod watch;

pub use backups_view::{BackupsView, CaptureLine, CaptureView, CapturedLine, CopyLine, HeldLine};
pub use bench::{Engine, FoundDevice, KeepSaid, NewUnit, Parts, Recognised, SUPPLIES};
pub use clock::{BenchClock, ClockNote};
pub use error::EngineError;
pub use families::{
    FamilyChecked, FamilyLine, FamilyOrigin, FamilyPage, GuideLine, GuidePartition, KnownFamily,
    MOST_FAMILY_BYTES,
};
pub use found::{FoundCapture, FoundUnit};
pub use pictures::{MOST_PICTURE_BYTES, Picture};
pub use places::{Place, PlaceView};
pub use reading::{CaptureKind, Moving};
pub use restore::{Compared, RestorePlan, RestoreRow};
pub use run::{StepEnd, StepPhase, Watcher};
pub use stock::StockLine;
