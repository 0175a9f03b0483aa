//! What may be seen after a step: the expected first, then what else is known, so that a person
//! without a link reports what is there instead of pressing *done*.

use serde::Serialize;

use super::sheet::Step;
use crate::facts::FactKey;
use crate::family::Family;
use crate::mode::Lock;

/// One thing that may be seen.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct Sighting {
    /// Its id within the step.
    pub id: String,
    /// What a person would say.
    pub text: String,
    /// Whether it is what the step should bring.
    pub likelihood: Likelihood,
    /// The facts that it states; empty when it states that nothing known is seen.
    #[serde(skip)]
    pub facts: Vec<(FactKey, &'static str)>,
}

/// Expected or not.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, utoipa::ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Likelihood {
    /// What the step should bring.
    Expected,
    /// Known to happen instead.
    Known,
    /// None of the known.
    SomethingElse,
}

/// What may be seen after `step`, expected first, *something else* last.
#[must_use]
pub fn sightings(family: &Family, step: &Step) -> Vec<Sighting> {
    let mut all = Vec::new();
    let looks = |mode| family.mode(mode).map_or("", |spec| spec.looks.as_str());
    let locks = if step.before.lock == step.after.lock {
        vec![None]
    } else {
        vec![step.after.lock, other(step.after.lock)]
    };
    let expected_mode = step.after.mode;
    let modes = expected_mode.into_iter().chain(
        family
            .modes
            .iter()
            .map(|spec| spec.mode)
            .filter(|mode| Some(*mode) != expected_mode),
    );
    for mode in modes {
        // The lock is asked only where the step should have changed it and the mode shows it.
        let asked: &[Option<Lock>] = if Some(mode) == expected_mode {
            &locks
        } else {
            &[None]
        };
        for &lock in asked {
            let is_expected =
                Some(mode) == expected_mode && (lock.is_none() || lock == step.after.lock);
            let mut facts = vec![(FactKey::Mode, mode.id())];
            let mut text = looks(mode).to_owned();
            let mut id = mode.id().to_owned();
            if let Some(lock) = lock {
                facts.push((FactKey::Lock, lock.id()));
                text = format!("{text} It says {}.", lock.id());
                id = format!("{id}-{}", lock.id());
            }
            all.push(Sighting {
                id,
                text,
                likelihood: if is_expected {
                    Likelihood::Expected
                } else {
                    Likelihood::Known
                },
                facts,
            });
        }
    }
    all.push(Sighting {
        id: "something-else".to_owned(),
        text: "Something else".to_owned(),
        likelihood: Likelihood::SomethingElse,
        facts: Vec::new(),
    });
    all
}

fn other(lock: Option<Lock>) -> Option<Lock> {
    lock.map(|lock| match lock {
        Lock::Locked => Lock::Unlocked,
        Lock::Unlocked => Lock::Locked,
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::facts::testing::facts;
    use crate::family::testing::gimbal;
    use crate::plan::{Goal, Presence, State, Ways, find};

    #[test]
    fn after_an_unlock_both_locks_can_be_reported() {
        let family = gimbal();
        let state = State::from_facts(&facts(&[
            (FactKey::Mode, "bootloader"),
            (FactKey::Lock, "locked"),
        ]));
        let ways = Ways {
            link: Presence::Missing,
            image: Presence::Here,
        };
        let sheet = find(&family, state, Goal::Unlock, ways).unwrap();
        let ids: Vec<_> = sightings(&family, &sheet.steps[0])
            .into_iter()
            .map(|s| s.id)
            .collect();
        assert_eq!(
            ids,
            [
                "bootloader-unlocked",
                "bootloader-locked",
                "off",
                "system",
                "temporary-recovery",
                "something-else"
            ]
        );
    }
}
