//! The way to a unit and this computer's side of it (`U8`): bridge, unit, the modes that a sheet uses, room,
//! power. What is found comes in as values; what it means is said here.

use crate::act::Reversibility;
use crate::evidence::{Basis, Line, Need};
use crate::facts::{FactKey, Facts, Source};
use crate::mode::Mode;
use crate::plan::Step;
use crate::rule::Rule;

/// How the bridge of a unit answered.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum BridgeSays {
    /// It answers, in the version that is wanted.
    Answers {
        /// Its name.
        name: String,
        /// That version.
        version: u32,
    },
    /// It answers in another version.
    Speaks {
        /// Its version.
        version: u32,
        /// The one that is wanted.
        wanted: u32,
    },
    /// It does not.
    Silent {
        /// Why not, where that is known.
        error: Option<String>,
    },
    /// There is none of that name.
    NotThere {
        /// What was said instead.
        error: String,
    },
}

/// How a unit is listed there.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum ListedAs {
    /// It takes commands.
    Ready,
    /// It lets no computer in.
    NotAuthorised,
    /// It is not listed.
    Absent,
}

/// Everything between the program and a unit.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Link {
    /// Nothing: every step is done by hand.
    Hand,
    /// A bridge.
    Bridge {
        /// How it answered.
        says: BridgeSays,
        /// How the unit is listed.
        listed: ListedAs,
        /// Another bridge at which the same chip answers.
        also: Option<String>,
    },
}

/// This computer.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Computer {
    /// Whether captures and unpacking have room; what is said where not.
    pub room: Result<(), String>,
    /// Whether it is on mains; nothing where that can't be read.
    pub on_mains: Option<bool>,
}

/// Bridge and unit, a line each.
#[must_use]
pub fn to_the_unit(link: &Link) -> Vec<Line> {
    let Link::Bridge { says, listed, also } = link else {
        return vec![met(
            "No link is used: every step is done by hand, and you say what you see.",
        )];
    };
    let mut lines = vec![match says {
        BridgeSays::Answers { name, version } => {
            met(format!("The bridge {name} answers, version {version}."))
        }
        BridgeSays::Speaks { version, wanted } => missing(format!(
            "The bridge speaks version {version}, wanted is {wanted}: bring one of the two up to date."
        )),
        BridgeSays::Silent { error } => {
            let why = error
                .as_ref()
                .map_or_else(String::new, |error| format!(" ({error})"));
            missing(format!(
                "The bridge does not answer{why}: start its program on this computer."
            ))
        }
        BridgeSays::NotThere { error } => missing(error.clone()),
    }];
    lines.push(match listed {
        ListedAs::Ready => met("The unit is listed and answers."),
        ListedAs::NotAuthorised => unknown(
            "The unit is listed and lets nobody in: confirm this computer on its screen.",
        ),
        ListedAs::Absent => unknown(
            "The unit is not listed: another cable, another port, the driver for the mode it is in; with nothing attached the list must be empty.",
        ),
    });
    lines.extend(also.as_ref().map(|other| {
        missing(format!(
            "{other} lists it too, by its chip: stop one of the two programs, or both will talk to it."
        ))
    }));
    lines
}

/// Room and power.
#[must_use]
pub fn of_this_computer(computer: &Computer) -> Vec<Line> {
    let room = match &computer.room {
        Ok(()) => met("This computer has room for captures and for unpacking."),
        Err(error) => missing(error.clone()),
    };
    let power = match computer.on_mains {
        Some(true) => met("This computer is on mains."),
        Some(false) => missing(
            "This computer runs on its battery: plug it in, and keep it from going to sleep.",
        ),
        None => unknown(
            "Whether this computer is on mains can't be read: see to it, and keep it from going to sleep.",
        ),
    };
    vec![room, power]
}

/// Each mode in which a sheet talks to the unit: whether it has answered there since it was last another.
#[must_use]
pub fn modes_ahead(facts: &Facts, modes: impl IntoIterator<Item = Mode>) -> Vec<Line> {
    let mut modes: Vec<Mode> = modes.into_iter().collect();
    modes.sort_unstable();
    modes.dedup();
    let lower = facts.choice(FactKey::AnswersBootloader);
    let by_link = facts
        .known(FactKey::Mode)
        .filter(|row| row.source == Source::Link);
    let lines = modes.into_iter().map(|mode| {
        let is_now = by_link.is_some() && facts.mode() == Some(mode);
        let is_lower = matches!(mode, Mode::Bootloader | Mode::Download);
        let has_answered = is_lower && lower == Some("yes");
        let shown = mode.shown();
        if is_now || has_answered {
            met(format!("It has answered in {shown}."))
        } else if is_lower || mode == Mode::System {
            unknown(format!(
                "The sheet talks to it in {shown}, where it was not seen to answer yet: go there once, nothing is lost."
            ))
        } else {
            unknown(format!(
                "The sheet talks to it in {shown}; that can be tried only on the way."
            ))
        }
    });
    lines.collect()
}

/// Of these lines those that hold `steps` back: what is known to be wrong, where one of the steps can't be
/// undone. What is only not known holds nothing back.
#[must_use]
pub fn holding(steps: &[Step], lines: impl IntoIterator<Item = Line>) -> Vec<Line> {
    let is_final = |step: &Step| step.reversibility == Reversibility::NoReturn;
    if !steps.iter().any(is_final) {
        return Vec::new();
    }
    lines.into_iter().filter(Line::is_missing).collect()
}

fn met(text: impl Into<String>) -> Line {
    Line::met(Rule::U8, text, Basis::log("this look at the connection"))
}

fn missing(text: impl Into<String>) -> Line {
    Line::missing(Rule::U8, text, Need::Carried { cure: None })
}

fn unknown(text: impl Into<String>) -> Line {
    Line::unknown(Rule::U8, text, Need::Carried { cure: None })
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;
    use crate::facts::testing::facts;
    use crate::family::testing::gimbal;
    use crate::goal::Goal;
    use crate::plan::testing::{Ways, find};
    use crate::state::State;

    fn bridge(says: BridgeSays, listed: ListedAs) -> Link {
        Link::Bridge {
            says,
            listed,
            also: None,
        }
    }

    fn answers() -> BridgeSays {
        BridgeSays::Answers {
            name: "table".to_owned(),
            version: 2,
        }
    }

    fn steps(goal: Goal) -> Vec<Step> {
        let known = [
            (FactKey::Mode, "system"),
            (FactKey::Lock, "locked"),
            (FactKey::Debugging, "on"),
        ];
        let state = State::from_facts(&facts(&known));
        find(&gimbal(), state, goal, Ways::ALL).unwrap().steps
    }

    #[test]
    fn what_is_wrong_holds_back_only_what_cant_be_undone() {
        let other = BridgeSays::Speaks {
            version: 1,
            wanted: 2,
        };
        let wrong = || to_the_unit(&bridge(other.clone(), ListedAs::Ready));
        assert_eq!(holding(&steps(Goal::Unlock), wrong()).len(), 1);
        assert_eq!(holding(&steps(Goal::ToBootloader), wrong()), []);
        // What is only not known is said, and holds nothing back.
        let absent = to_the_unit(&bridge(answers(), ListedAs::Absent));
        assert!(absent.iter().any(Line::is_unknown));
        assert_eq!(holding(&steps(Goal::Unlock), absent), []);
        assert_eq!(holding(&steps(Goal::Unlock), to_the_unit(&Link::Hand)), []);
    }

    #[test]
    fn a_mode_has_answered_where_the_link_was_in_it_or_somebody_saw_it() {
        let known = facts(&[
            (FactKey::Mode, "system"),
            (FactKey::AnswersBootloader, "yes"),
        ]);
        let modes = [
            Mode::System,
            Mode::Bootloader,
            Mode::CustomRecovery,
            Mode::System,
        ];
        let lines = modes_ahead(&known, modes);
        let met: Vec<bool> = lines.iter().map(Line::is_met).collect();
        assert_eq!(met, [true, true, false], "each once");
        let nothing = modes_ahead(&Facts::default(), modes);
        assert!(nothing.iter().all(Line::is_unknown));
    }

    proptest! {
        /// Nothing that is unknown or wrong counts as met, whatever else is found.
        #[test]
        fn only_what_is_found_good_is_met(room in any::<bool>(), mains in any::<Option<bool>>(), also in any::<bool>(), listed in 0..3usize) {
            let computer = Computer {
                room: if room { Ok(()) } else { Err("12 MiB are missing".to_owned()) },
                on_mains: mains,
            };
            let found = of_this_computer(&computer);
            prop_assert_eq!(found[0].is_met(), room);
            prop_assert_eq!(found[1].is_met(), mains == Some(true));
            prop_assert_eq!(found[1].is_unknown(), mains.is_none());
            let listed = [ListedAs::Ready, ListedAs::NotAuthorised, ListedAs::Absent][listed];
            let link = Link::Bridge { says: answers(), listed, also: also.then(|| "shelf".to_owned()) };
            let lines = to_the_unit(&link);
            prop_assert_eq!(lines.iter().all(Line::is_met), listed == ListedAs::Ready && !also);
            prop_assert_eq!(lines.len(), 2 + usize::from(also));
        }
    }
}
