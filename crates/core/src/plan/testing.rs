//! Short ways to a sheet in tests.

use super::{NoPlan, Sheet};
use crate::dossier::{By, Dossier, Shelved};
use crate::facts::Facts;
use crate::facts::testing::at;
use crate::family::Family;
use crate::goal::Goal;
use crate::state::{Presence, State};

/// What is at hand.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Ways {
    pub(crate) link: Presence,
    pub(crate) image: Presence,
}

impl Ways {
    pub(crate) const ALL: Self = Self {
        link: Presence::Here,
        image: Presence::Here,
    };
}

/// A unit of which only these facts are known.
pub(crate) fn known<'a>(family: &'a Family, facts: &'a Facts, ways: Ways) -> Dossier<'a> {
    let is_shelved = ways.image == Presence::Here;
    let of = Dossier::new(family, facts, at(0));
    Dossier {
        by: By {
            link: ways.link,
            ..of.by
        },
        recovery: is_shelved.then_some(Shelved::default()),
        ..of
    }
}

/// The sheet from a state, whatever else is known.
pub(crate) fn find(family: &Family, start: State, goal: Goal, ways: Ways) -> Result<Sheet, NoPlan> {
    super::find(&known(family, &Facts::default(), ways), start, goal)
}
