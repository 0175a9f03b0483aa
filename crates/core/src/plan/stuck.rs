//! What may be done when a step takes longer than its family's bound (`N6`, JOB 11).

use serde::Serialize;

use super::sheet::Step;
use crate::act::Touches;
use crate::family::Family;
use crate::family::Key;
use crate::mode::Mode;
use crate::state::Data;

/// Words for a step that is past its bound.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct Stuck {
    /// What to do first, and what not to.
    pub text: String,
    /// How it is restarted by force; only where the step may be cut.
    pub forced: Option<String>,
}

/// Whether nothing is erased, written or merged while `step` runs, so that cutting it loses nothing.
#[must_use]
pub fn may_be_cut(family: &Family, step: &Step) -> bool {
    // The first start after an erase lays the storage out anew.
    let lays_out = step.before.data == Data::Erased && step.after.mode == Some(Mode::System);
    let touches = step.act.touches(family);
    touches.within(Touches::MEMORY) && !lays_out
}

/// Milliseconds until `step`, which has been at it for `elapsed_ms`, counts as stuck: 0 from then on;
/// nothing where the family sets it no bound (`N6`).
#[must_use]
pub fn stuck_in_ms(step: &Step, elapsed_ms: u64) -> Option<u64> {
    let bound = u64::from(step.stuck_seconds) * 1000;
    (bound > 0).then(|| bound.saturating_sub(elapsed_ms))
}

/// The same of a step that hands do: what they take themselves is no waiting.
#[must_use]
pub fn stuck_in_hand_ms(step: &Step, elapsed_ms: u64) -> Option<u64> {
    let hands = u64::from(step.hands_on_seconds) * 1000;
    let left = stuck_in_ms(step, elapsed_ms.saturating_sub(hands))?;
    Some(match elapsed_ms < hands {
        true => left + (hands - elapsed_ms),
        false => left,
    })
}

/// What to say when `step` is stuck.
#[must_use]
pub fn stuck(family: &Family, step: &Step) -> Stuck {
    if !may_be_cut(family, step) {
        return Stuck {
            text: "Longer than it should take. Power and cable stay; look at the unit and wait: what is cut off now may be lost.".to_owned(),
            forced: None,
        };
    }
    let forced = family.forced_restart.as_ref().filter(|forced| {
        let keys = forced.keys.iter().copied();
        let parts = keys.filter_map(Key::part);
        step.before.broken.first_of(parts).is_none()
    });
    Stuck {
        text: "Longer than it should take. Nothing is being written: look at the unit first, then at the cable.".to_owned(),
        forced: forced.map(|forced| format!("Last of all, a forced restart. {}", forced.hand)),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::facts::FactKey;
    use crate::facts::testing::facts;
    use crate::family::{BodyPart, SHIPPED, load};
    use crate::goal::Goal;
    use crate::plan::testing::{Ways, find};
    use crate::state::{Broken, Presence, State};

    #[test]
    fn force_is_offered_only_where_nothing_is_written_and_the_keys_work() {
        let ways = Ways {
            link: Presence::Here,
            image: Presence::Here,
        };
        let (mut cut, mut kept) = (0, 0);
        for (file, text) in SHIPPED {
            let family = load(file, text).unwrap();
            let start = State::from_facts(&facts(&[
                (FactKey::Mode, "system"),
                (FactKey::Debugging, "on"),
                (FactKey::Recovery, "stock"),
            ]));
            for lock in [crate::mode::Lock::Locked, crate::mode::Lock::Unlocked] {
                for goal in Goal::ALL {
                    let start = State {
                        lock: Some(lock),
                        ..start
                    };
                    let Ok(sheet) = find(&family, start, goal, ways) else {
                        continue;
                    };
                    for step in &sheet.steps {
                        let said = stuck(&family, step);
                        let touches = step.act.touches(&family);
                        let writes = !touches.within(Touches::MEMORY) || step.wipe.is_some();
                        assert!(!(writes && said.forced.is_some()), "{}", step.title);
                        assert_eq!(
                            said.forced.is_some(),
                            may_be_cut(&family, step),
                            "{}",
                            step.title
                        );
                        cut += u32::from(said.forced.is_some());
                        kept += u32::from(said.forced.is_none());
                        let mut dead = step.clone();
                        dead.before.broken = Broken::of(BodyPart::ALL);
                        // A dock's button is no part of the unit.
                        let keys = family.forced_restart.iter().flat_map(|one| &one.keys);
                        let is_left = keys.clone().all(|key| key.part().is_none());
                        let forced = stuck(&family, &dead).forced;
                        assert_eq!(forced.is_some(), is_left && said.forced.is_some());
                    }
                }
            }
        }
        assert!(cut > 20 && kept > 20, "{cut} {kept}");
    }

    #[test]
    fn the_first_start_after_an_erase_is_waited_for() {
        let family = crate::family::testing::gimbal();
        let state = State::from_facts(&facts(&[
            (FactKey::Mode, "bootloader"),
            (FactKey::Lock, "unlocked"),
        ]));
        let ways = Ways {
            link: Presence::Here,
            image: Presence::Missing,
        };
        let erase = find(&family, state, Goal::Erase, ways).unwrap();
        let last = erase.steps.last().unwrap();
        assert_eq!(last.after.mode, Some(Mode::System));
        assert!(!may_be_cut(&family, last));
        let usual = find(&family, state, Goal::ToSystem, ways).unwrap();
        assert!(may_be_cut(&family, &usual.steps[0]));
    }
}
