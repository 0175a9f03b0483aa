//! What somebody else's recovery asks once it runs, with the answer for the step at hand (`M14`).

use serde::Serialize;

use super::sheet::Step;
use crate::act::Touches;
use crate::mode::Mode;

/// A question that a recovery may ask, or a setting that it has.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct Asks {
    /// About what it asks.
    pub about: &'static str,
    /// What is answered, in one sentence.
    pub answer: &'static str,
}

const fn asks(about: &'static str, answer: &'static str) -> Asks {
    Asks { about, answer }
}

/// Whether one of somebody else's runs in `mode`.
fn is_a_recovery(mode: Option<Mode>) -> bool {
    matches!(mode, Some(Mode::TemporaryRecovery | Mode::CustomRecovery))
}

/// What the recovery may ask at `step`, where `rest` are the steps after it; nothing where none runs (`M14`). Whether
/// it may change anything is answered by what is done in it: what only reads wants no change.
#[must_use]
pub fn asks_at(step: &Step, rest: &[Step]) -> Vec<Asks> {
    let (was, is) = (
        is_a_recovery(step.before.mode),
        is_a_recovery(step.after.mode),
    );
    let mut all = Vec::new();
    if is {
        let here = std::iter::once(step).chain(rest);
        let mut inside = here
            .skip_while(|one| !is_a_recovery(one.before.mode))
            .take_while(|one| is_a_recovery(one.before.mode));
        let changes = inside.any(|one| !one.act.most().within(Touches::READS));
        all.push(match changes {
            true => asks(
                "Changes to the system",
                "Allow them: what comes next writes from within.",
            ),
            false => asks(
                "Changes to the system",
                "Keep it read only: what comes next only reads.",
            ),
        });
        all.push(asks(
            "When its screen goes dark",
            "Set it to the longest: a read is long, and nobody touches it meanwhile.",
        ));
    }
    if was && !is {
        all.push(asks(
            "Nothing is installed: restart all the same?",
            "Stop and look, unless nothing was to be installed.",
        ));
        all.push(asks(
            "To repair rights, or install an app of its own",
            "No, both: that writes to the system.",
        ));
    }
    all
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::facts::FactKey;
    use crate::facts::testing::facts;
    use crate::family::testing::shipped;
    use crate::goal::Goal;
    use crate::plan::testing::{Ways, find};
    use crate::state::State;

    /// Of each step of a sheet, by title, what is answered about changes.
    fn changes(codename: &str, goal: Goal) -> Vec<(String, &'static str)> {
        let known = [
            (FactKey::Mode, "bootloader"),
            (FactKey::Lock, "unlocked"),
            (FactKey::Recovery, "stock"),
        ];
        let state = State::from_facts(&facts(&known));
        let steps = find(&shipped(codename), state, goal, Ways::ALL)
            .unwrap()
            .steps;
        let asked = steps.iter().enumerate().flat_map(|(at, step)| {
            let asked = asks_at(step, &steps[at + 1..]);
            let first = asked
                .into_iter()
                .filter(|one| one.about.starts_with("Changes"));
            first
                .map(|one| (step.title.clone(), one.answer))
                .collect::<Vec<_>>()
        });
        asked.collect()
    }

    #[test]
    fn what_only_reads_wants_no_change_and_what_installs_from_within_does() {
        let reads = changes("gimbal", Goal::BackUp);
        assert!(!reads.is_empty());
        assert!(
            reads.iter().all(|(_, answer)| answer.starts_with("Keep")),
            "{reads:?}"
        );
        let within = changes("saltern", Goal::KeepRecovery);
        let start = within
            .iter()
            .find(|(title, _)| title.starts_with("Start the recovery"));
        assert!(start.unwrap().1.starts_with("Allow"), "{within:?}");
    }

    #[test]
    fn nothing_is_asked_where_no_recovery_runs() {
        let known = [(FactKey::Mode, "system"), (FactKey::Lock, "locked")];
        let state = State::from_facts(&facts(&known));
        let sheet = find(&shipped("gimbal"), state, Goal::Unlock, Ways::ALL).unwrap();
        for (at, step) in sheet.steps.iter().enumerate() {
            assert_eq!(asks_at(step, &sheet.steps[at + 1..]), []);
        }
    }
}
