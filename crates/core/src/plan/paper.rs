//! A sheet as it lies on paper beside the unit: each step with a box to tick, what hands do, what should be
//! seen, and from when on it is stuck.

use serde::Serialize;

use super::sheet::{Sheet, Step};
use super::sighting::{Likelihood, sightings};
use crate::act::{Cable, Reversibility};
use crate::family::{Family, Menu, Wipe, said};

/// A step on paper.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct PaperStep {
    /// What is done.
    pub title: String,
    /// Why.
    pub because: String,
    /// What hands do, in order; one sentence alone where the bench does it, or tells it once it is permitted.
    pub hands: Vec<String>,
    /// What the unit asks meanwhile, and how to answer.
    pub answer: Option<String>,
    /// What should be seen then.
    pub expected: Option<String>,
    /// Where the cable is.
    pub cable: Cable,
    /// Usual seconds, hands and waiting together.
    pub usual_seconds: u32,
    /// Seconds from which on it counts as stuck; 0 where there is no bound.
    pub stuck_seconds: u32,
    /// Whether it can't be undone.
    pub is_final: bool,
    /// What it wipes.
    pub wipe: Option<Wipe>,
}

/// The steps of `sheet` on paper; `by_link` tells which of them the bench does.
#[must_use]
pub fn paper(family: &Family, sheet: &Sheet, by_link: impl Fn(&Step) -> bool) -> Vec<PaperStep> {
    sheet
        .steps
        .iter()
        .map(|step| PaperStep {
            title: step.title.clone(),
            because: step.because.clone(),
            hands: if by_link(step) {
                vec!["The bench does it over the link.".to_owned()]
            } else {
                hands(step)
            },
            answer: step.question.as_ref().map(|asks| asks.answer.clone()),
            expected: sightings(family, step, !by_link(step))
                .into_iter()
                .find(|one| one.likelihood == Likelihood::Expected)
                .map(|one| one.text),
            cable: step.cable,
            usual_seconds: step.waiting_seconds.saturating_add(step.hands_on_seconds),
            stuck_seconds: step.stuck_seconds,
            is_final: step.reversibility == Reversibility::NoReturn,
            wipe: step.wipe,
        })
        .collect()
}

fn hands(step: &Step) -> Vec<String> {
    if !step.phases.is_empty() {
        let told = said(&step.phases).into_iter();
        let lines = told.map(|phase| [phase.act, phase.until, phase.then]);
        let lines = lines.map(|parts| parts.join(" ").trim().to_owned());
        return lines.collect();
    }
    let one = step.menu.as_ref().map(Menu::said);
    let one = one.unwrap_or_else(|| step.by_hand.clone());
    vec![match one.is_empty() && step.permitted {
        true => "How is told on the screen once the list of this step is complete.".to_owned(),
        false => one,
    }]
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::facts::FactKey;
    use crate::facts::testing::facts;
    use crate::family::testing::shipped;
    use crate::goal::Goal;
    use crate::plan::testing::{Ways, find};
    use crate::state::{Presence, State};

    #[test]
    fn by_hand_every_step_says_what_hands_do_and_what_is_seen_then() {
        let family = shipped("kelpie");
        let pairs = [
            (FactKey::Mode, "system"),
            (FactKey::Lock, "locked"),
            (FactKey::Debugging, "off"),
        ];
        let ways = Ways {
            link: Presence::Missing,
            image: Presence::Missing,
        };
        let state = State::from_facts(&facts(&pairs));
        let sheet = find(&family, state, Goal::Unlock, ways).unwrap();
        let printed = paper(&family, &sheet, |_| false);
        assert_eq!(printed.len(), sheet.steps.len());
        for (step, of) in printed.iter().zip(&sheet.steps) {
            assert!(!step.hands.is_empty() && step.hands.iter().all(|one| !one.is_empty()));
            assert!(
                step.expected.as_ref().is_some_and(|text| !text.is_empty()),
                "{step:?}"
            );
            // How an unlock goes stays with the seal, on paper as on the screen.
            assert_eq!(
                step.is_final,
                step.hands[0].starts_with("How is told"),
                "{step:?}"
            );
            assert_eq!(step.usual_seconds, of.waiting_seconds + of.hands_on_seconds);
        }
        let linked = paper(&family, &sheet, |_| true);
        assert!(
            linked
                .iter()
                .all(|step| step.hands == ["The bench does it over the link."])
        );
    }
}
