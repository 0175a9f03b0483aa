//! Plans are found, not scripted.
//!
//! * [`state`]: what an act can change on a device, small enough to copy
//! * `act`: what a step does, by the family's ids
//! * `action`: what can be done, when, to what effect, at what cost
//! * `search`: A* over states to the cheapest sequence of actions
//! * [`sheet`]: the found sequence as a person reads it, each step with its *because*
//! * [`sighting`]: what may be seen after a step, for people without a link
//! * [`stuck`]: what may be done when a step takes too long
//!
//! Preparations (accounts, keep-safe, charge, consent) are not searched: they are obligations of
//! the found steps, derived by `seal` from the effects on the sheet.

mod act;
mod action;
pub mod ledger;
mod search;
pub mod sheet;
pub mod sighting;
pub mod state;
pub mod stuck;

pub use crate::family::Wipe;
pub use act::Act;
pub use action::Assumption;
pub use search::{Cost, NoPlan};
pub use sheet::{Planned, Reach, Sheet, Step, find, find_along};
pub use state::{
    BackedUp, Broken, Data, Goal, GoalKind, Look, Presence, State, Switch, TableRead, Ways,
};
