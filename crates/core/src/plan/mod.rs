//! Plans are found, not scripted.
//!
//! * `search`: A* over states to the cheapest sequence of acts
//! * [`sheet`]: the found sequence as a person reads it, each step with its *because*
//! * [`due`]: what must be there before a sheet begins, and what stands in the way of a step
//! * [`sighting`]: what may be seen after a step, for people without a link
//! * [`stuck`]: what may be done when a step takes too long
//!
//! What a step asks of the unit's state are rows of its list ([`crate::act`]). Preparations (accounts,
//! keep-safe, charge, consent) are not searched: they are the other lines of the same lists.

pub mod asks;
pub mod due;
pub mod ending;
pub mod ledger;
pub mod paper;
mod search;
pub mod sheet;
pub mod sighting;
pub mod stuck;
#[cfg(test)]
pub(crate) mod testing;

pub use crate::family::Wipe;
pub use search::{Cost, NoPlan};
pub use sheet::{Reach, Sheet, Step, WhyNoWay, find, find_along, find_to_an_end};
