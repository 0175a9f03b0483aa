//! Whether a unit's system may have run, and what its start changes (`K5`, `B6`, `M11`).
//!
//! A system that runs rewrites what lives, and on some families puts the maker's recovery back. Nobody has to
//! be told that it ran: it is concluded from what a look shows, and where nothing tells it, it may have.

use crate::facts::{FactKey, Facts, Happening};
use crate::family::{Family, RestoredBy};
use crate::mode::{Mode, RecoveryKind};
use crate::state::{BackedUp, State, Switch};

/// What two looks at a unit tell of the time between them.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Between {
    /// Its mode at the look before; nothing where it was not known any more.
    pub before: Option<Mode>,
    /// The last mode that was ever seen.
    pub last: Option<Mode>,
    /// Its mode now.
    pub now: Option<Mode>,
    /// Where a step that is under way leads.
    pub led_to: Option<Mode>,
    /// By how much its link's epoch was raised; the most where that is not known.
    pub raised: u64,
}

impl Between {
    /// Whether its system may have run in between, of a unit of `family`.
    #[must_use]
    pub fn may_have_run(self, family: Option<&Family>) -> bool {
        let Some(now) = self.now.filter(|now| *now != Mode::System) else {
            return true;
        };
        if self.led_to == Some(now) {
            return false;
        }
        // Leaving a mode and coming back to it through the system raises the epoch three times at
        // least, where no single way leads from the system into it; a cable out and in raises it twice.
        let is_same = self.before == Some(now) || self.last == Some(now);
        let has_short_way = family.is_none_or(|family| {
            let mut ways = family.moves.iter();
            ways.any(|way| way.from == Mode::System && way.to == now)
        });
        !(is_same && !has_short_way && self.raised <= 2)
    }
}

/// Whether a start of its system puts the maker's recovery back, unless that was switched off (`M11`).
pub(crate) fn restores(family: &Family) -> bool {
    family.kept.restored_by == RestoredBy::SystemStart
}

/// Whether a start of the system of this unit does: nothing known of a switch counts as on.
pub(crate) fn restores_on(family: &Family, facts: &Facts) -> bool {
    restores(family) && facts.choice(FactKey::Restorer) != Some("off")
}

/// Whether a recovery lasts until the system starts, and nothing here makes it stay (`M11`).
pub(crate) fn is_for_a_session(family: &Family) -> bool {
    restores(family) && family.install_within.is_none()
}

/// What is written down when the system of a unit ran, or may have.
#[must_use]
pub fn happened(family: Option<&Family>, facts: &Facts) -> Vec<Happening> {
    // Assumed to be gone until somebody looks.
    let comes_back = family.is_some_and(|family| restores_on(family, facts));
    let is_gone = comes_back && facts.recovery() == Some(RecoveryKind::Custom);
    let gone = is_gone.then_some(Happening::RecoveryWritten);
    [Happening::SystemRan].into_iter().chain(gone).collect()
}

/// The state of a sheet after a start of the system.
pub(crate) fn started(mut at: State, family: &Family) -> State {
    at.backed_up = at.backed_up.min(BackedUp::Fixed);
    let comes_back = restores(family) && at.restorer != Some(Switch::Off);
    if comes_back && at.recovery == Some(RecoveryKind::Custom) {
        at.recovery = None;
    }
    at
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::facts::testing::facts;
    use crate::family::testing::shipped;

    #[test]
    fn a_system_may_have_run_unless_something_tells_that_it_did_not() {
        let gimbal = shipped("gimbal");
        let kelpie = shipped("kelpie");
        let seen = Between {
            before: Some(Mode::CustomRecovery),
            last: Some(Mode::CustomRecovery),
            now: Some(Mode::CustomRecovery),
            led_to: None,
            raised: 2,
        };
        // A cable out and in.
        assert!(!seen.may_have_run(Some(&gimbal)));
        assert!(seen.may_have_run(None), "of what family nobody knows");
        let often = Between { raised: 3, ..seen };
        assert!(often.may_have_run(Some(&gimbal)));
        // A command leads from the system straight there.
        let download = Between {
            before: Some(Mode::Download),
            now: Some(Mode::Download),
            ..seen
        };
        assert!(download.may_have_run(Some(&kelpie)));
        let ours = Between {
            led_to: Some(Mode::Download),
            ..download
        };
        assert!(!ours.may_have_run(Some(&kelpie)));
        let system = Between {
            now: Some(Mode::System),
            led_to: Some(Mode::System),
            ..seen
        };
        assert!(system.may_have_run(Some(&gimbal)));
        let gone = Between { now: None, ..seen };
        assert!(gone.may_have_run(Some(&gimbal)));
    }

    #[test]
    fn where_the_system_restores_its_own_another_recovery_is_gone_after_a_start() {
        let custom = facts(&[(FactKey::Recovery, "custom")]);
        let stock = facts(&[(FactKey::Recovery, "stock")]);
        let (kelpie, gimbal) = (shipped("kelpie"), shipped("gimbal"));
        let gone = [Happening::SystemRan, Happening::RecoveryWritten];
        assert_eq!(happened(Some(&kelpie), &custom), gone);
        assert_eq!(happened(Some(&kelpie), &stock), [Happening::SystemRan]);
        assert_eq!(happened(Some(&gimbal), &custom), [Happening::SystemRan]);
        assert_eq!(happened(None, &custom), [Happening::SystemRan]);
        let state = State::from_facts(&custom);
        assert_eq!(started(state, &kelpie).recovery, None);
        assert_eq!(started(state, &gimbal), state);
        let off = facts(&[(FactKey::Recovery, "custom"), (FactKey::Restorer, "off")]);
        assert_eq!(happened(Some(&kelpie), &off), [Happening::SystemRan]);
        let state = State::from_facts(&off);
        assert_eq!(started(state, &kelpie), state);
    }
}
