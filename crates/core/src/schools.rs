//! The schools of working with a recovery (`M12`), side by side, the family's default first.

use serde::Serialize;

use crate::family::Family;
use crate::goal::Goal;
use crate::mode::Mode;
use crate::prospect::Prospect;
use crate::started::restores;

/// One school, as far as a family knows it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct School {
    /// The goal that it comes to here.
    pub goal: Goal,
    /// What is done, in a few words.
    pub title: &'static str,
    /// What it leaves on the unit, in one sentence.
    pub leaves: &'static str,
}

/// The schools that `family` knows. What is started from memory writes nothing and comes first where there is
/// such a start; else the recovery is written, and the system's own packages are the way without one.
#[must_use]
pub fn schools(family: &Family) -> Vec<School> {
    let from_memory = Goal::TemporaryRecovery.fits(family).then_some(School {
        goal: Goal::TemporaryRecovery,
        title: "Start it from memory",
        leaves: "Nothing is written: the next start is as it was before.",
    });
    let written = Goal::KeepRecovery.fits(family).then_some(School {
        goal: Goal::KeepRecovery,
        title: match family.recovery_inside.is_some() || family.install_within.is_some() {
            true => "Start it from memory, then install it from within",
            false => "Write it, then straight into it",
        },
        leaves: match (&family.recovery_inside, restores(family)) {
            _ if family.install_within.is_some() => "It stays: its install switches off what puts the maker's back. That changes the system a little: locking again and increments want stock first.",
            (Some(_), _) => "It stays in each slot, until a package or a patched start image is written over it.",
            (None, true) => "It stays until the system starts, which puts the maker's back.",
            (None, false) => "It stays, until a package or the maker's own recovery is written over it.",
        },
    });
    let takes_packages = family
        .packages
        .iter()
        .any(|one| one.mode == Mode::StockRecovery);
    let without = (takes_packages && Goal::ToStockRecovery.fits(family)).then_some(School {
        goal: Goal::ToStockRecovery,
        title: "The maker's packages only",
        leaves: "No other recovery is written; the maker's takes its own packages and reads nothing.",
    });
    [from_memory, written, without]
        .into_iter()
        .flatten()
        .collect()
}

/// Whether a reason is asked for the school at place `at` (`M12`): the family's default comes first, and leads
/// somewhere on this unit.
#[must_use]
pub fn asks_why(at: usize, default: &Prospect) -> bool {
    at > 0 && !matches!(default, Prospect::NoWay { .. })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::family::testing::shipped;

    #[test]
    fn the_school_that_writes_least_comes_first() {
        let goals = |codename: &str| {
            let schools = schools(&shipped(codename)).into_iter();
            schools.map(|one| one.goal).collect::<Vec<_>>()
        };
        let both = [Goal::TemporaryRecovery, Goal::KeepRecovery];
        assert_eq!(goals("gimbal"), both);
        assert_eq!(goals("cinder"), both);
        assert_eq!(goals("kelpie"), [Goal::KeepRecovery]);
        assert_eq!(
            goals("mooring"),
            [Goal::KeepRecovery, Goal::ToStockRecovery]
        );
        assert_eq!(goals("saltern"), both);
        assert_eq!(goals("halyard"), both);
        assert_eq!(goals("thimble"), []);
    }

    #[test]
    fn another_than_the_default_wants_a_reason_where_the_default_leads_somewhere() {
        let no_way = Prospect::NoWay {
            because: "It is locked for good.".to_owned(),
            rule: None,
        };
        assert!(!asks_why(0, &Prospect::Open));
        assert!(asks_why(1, &Prospect::Open));
        assert!(!asks_why(1, &no_way));
    }

    #[test]
    fn what_does_not_stay_is_said() {
        let leaves = |codename: &str| schools(&shipped(codename)).pop().unwrap().leaves;
        assert!(leaves("kelpie").contains("puts the maker's back"));
        assert!(leaves("gimbal").starts_with("It stays, until"));
    }
}
