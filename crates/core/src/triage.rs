//! It does not do what it should: symptom, causes with the likeliest first, the test that tells them
//! apart, the way out (JOB 12): for the two symptoms that a unit can arrive with unasked, and for a step that
//! ended otherwise than it should.

use serde::Serialize;

use crate::act::{Act, Touches};
use crate::facts::equipment::EquipmentId;
use crate::facts::{FactKey, FactValue, Facts, Happening};
use crate::family::{Again, Family, Method};
use crate::goal::Goal;
use crate::mode::Mode;
use crate::rule::Rule;
use crate::started::restores_on;

/// A cause of what is seen.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct Cause {
    /// The rule behind it.
    pub rule: Rule,
    /// What may be wrong.
    pub text: String,
    /// What tells it from the others.
    pub test: String,
    /// The way out.
    pub way_out: String,
    /// The goal that carries it out, where one does on this family.
    pub by: Option<WayOut>,
}

/// A goal that carries a way out out.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct WayOut {
    /// The goal.
    pub goal: Goal,
    /// Words for it on this family.
    pub title: &'static str,
}

impl Cause {
    /// The same, whose way out is a goal of units of `family`.
    fn by(self, goal: Goal, family: &Family) -> Self {
        let title = goal.shown_on(family);
        let by = goal.fits(family).then_some(WayOut { goal, title });
        Self { by, ..self }
    }
}

fn cause(rule: Rule, text: &str, test: &str, way_out: &str) -> Cause {
    Cause {
        rule,
        text: text.to_owned(),
        test: test.to_owned(),
        way_out: way_out.to_owned(),
        by: None,
    }
}

/// Causes of what the unit shows, the likeliest first; none where it shows nothing odd. `captures`
/// is how many captures of this unit are kept.
#[must_use]
pub fn causes(family: &Family, facts: &Facts, captures: usize) -> Vec<Cause> {
    let mut all = Vec::new();
    if facts.choice(FactKey::Starts) == Some("animation") {
        all.extend(endless(family, facts));
    }
    if shows_no_identity(family, facts) {
        all.push(lost(captures));
    }
    all
}

/// Causes for another end than the expected one of `act`, which should have led to `expected`: what the facts
/// tell first, then what that kind of act is known for; the harmless and the hopeless last. Never none.
#[must_use]
pub fn strayed(
    family: &Family,
    facts: &Facts,
    captures: usize,
    act: &Act,
    expected: Option<Mode>,
) -> Vec<Cause> {
    let mut all = causes(family, facts, captures);
    if facts.choice(FactKey::Starts) == Some("nothing") {
        all.push(refuses(family));
    }
    if act.file().is_some() {
        all.extend(not_installed());
    }
    let touches = act.touches(family);
    if touches.any(Touches::LOCKS) {
        all.push(cause(
            Rule::T3,
            "It refused: the form of the command is unknown to it, the switch is off, a wait is not over, the token is of another unit, or the build does not open.",
            "Read its own words on the screen, then Standing: one of these lines is open or out of date.",
            "Bring that line up to date; the sheet is planned again from there.",
        ));
    }
    if expected == Some(Mode::CustomRecovery) {
        all.extend(not_the_recovery(family, facts));
    }
    if act.part().is_some() {
        all.push(cause(
            Rule::T10,
            "The write was refused: the image is too long, in another form, of another model, or a lock of its own bars that partition.",
            "Read its words and those of the tool; nothing was written where it refused before the first byte.",
            "Look which of them it is, and choose the file that fits at its station.",
        ));
    }
    let keys = act.how_unpermitted(family).phases;
    if keys.iter().any(|phase| !phase.keys.is_empty()) || expected == Some(Mode::Off) {
        all.push(cause(
            Rule::T9,
            "The keys were let go too early, too late or in another order, or the cable was in where it must be out.",
            "Do it once more by the score and watch its first picture: it tells where the hands went astray.",
            "Switch it off, wait for the vibration, and begin again at the first phase.",
        ));
    }
    all.push(cause(
        Rule::T15,
        "Nothing is wrong: a warning at the start, black seconds, a second restart, dots that wait.",
        "Wait until the time at which it counts as stuck, with the cable as it is.",
        "Say what is seen then.",
    ));
    all.push(cause(
        Rule::T21,
        "Its battery is empty, or nothing answers at all.",
        "Charge it for half an hour and look for a battery on the screen.",
        match lower_mode(family) {
            Some("download mode") => "Then bring it into download mode by its keys; what answers nowhere goes to its maker.",
            Some(_) => "Then bring it into bootloader mode by its keys; what answers nowhere goes to its maker.",
            None => "Then start it by its keys; what answers nowhere goes to its maker.",
        },
    ));
    all
}

/// `T13`.
fn refuses(family: &Family) -> Cause {
    let again = family.relock.again;
    cause(
        Rule::T13,
        "It was locked, and what should start is not the maker's, or is damaged.",
        "Look at the lock in the lower mode, and at what was written last.",
        match again {
            _ if Goal::Rescue.fits(family) => {
                "Put the maker's system back, whole: it takes that locked too."
            }
            Again::Never => "This family does not unlock a second time: only its maker helps.",
            _ => "Unlock it again where its switch is still on, and put stock back whole.",
        },
    )
    .by(Goal::Rescue, family)
}

/// Another recovery than the one that was written answers, or none (`T6`, `T12`, `T10`).
fn not_the_recovery(family: &Family, facts: &Facts) -> Vec<Cause> {
    let gone = match (restores_on(family, facts), &family.recovery_inside) {
        (true, _) => {
            "The maker's recovery came back: a start of the system in between puts it there."
        }
        (false, Some(_)) => {
            "What holds it was written since, by a package or a patched start image: that writes over it."
        }
        (false, None) => "The maker's recovery, or a package that brings it, was written over it.",
    };
    let again = "Install the one that fits once more, and go straight into it.";
    let mut all = vec![
        cause(
            Rule::T6,
            gone,
            "Look at the top line of the recovery that starts: the maker's word, or another.",
            again,
        ),
        cause(
            Rule::M1,
            "What lies there was made for another model, and the bootloader turns back from it.",
            "Hold the file against this unit at Recovery; what lies on the unit is looked into once it is captured.",
            again,
        ),
        cause(
            Rule::T10,
            "Only half of it arrived, or it is no image that starts: an archive, or one that is still packed.",
            "Look at Log whether the write was reported whole, and at Shelf what the file really is.",
            again,
        ),
    ];
    let is_checked = family
        .recovery_write
        .as_ref()
        .is_some_and(|spec| !spec.companions.is_empty());
    if is_checked {
        all.push(cause(
            Rule::T10,
            "The metadata beside it still checks, and refuses what its maker did not sign.",
            "Look into the tar that was sent: what goes with the recovery has its two switches set.",
            "Write it once more, with what goes with it, in the same go.",
        ));
    }
    // One way out for all of them.
    let first = all.remove(0).by(Goal::KeepRecovery, family);
    all.insert(0, first);
    all
}

/// `T17`, `T18`.
fn not_installed() -> [Cause; 2] {
    [
        cause(
            Rule::T17,
            "The package was not read whole, or its signature was not accepted.",
            "Stay in the recovery. Hash the package where it lies, and compare.",
            "Copy it anew, or send it from this computer; do not start the system in between.",
        ),
        cause(
            Rule::T18,
            "It wants another base than the one that is installed.",
            "Compare the build that runs with the one that the package names.",
            "Install the package that leads to its base first.",
        ),
    ]
}

/// Whether a unit with a radio shows no equipment ID.
#[must_use]
pub fn shows_no_identity(family: &Family, facts: &Facts) -> bool {
    let has_radio = family.equipment.as_ref().is_some_and(|spec| spec.count > 0);
    let shows_none = matches!(
        facts.known(FactKey::EquipmentId).map(|row| &row.value),
        Some(FactValue::Equipment(EquipmentId::None))
    );
    has_radio && (shows_none || facts.choice(FactKey::WorksIdentity) == Some("no"))
}

/// `T5`. What the log says of wipes and starts orders the causes; without a log, what is quickest to
/// find out comes first.
fn endless(family: &Family, facts: &Facts) -> Vec<Cause> {
    let wiped = facts.last(Happening::Wiped);
    let written = facts.last(Happening::SystemWritten);
    let ran = facts.last(Happening::SystemRan);
    let has_slots = family.has_slots();
    let leftovers = cause(
        Rule::T5,
        "Data of another system is left over.",
        "In a recovery look whether user data opens, and whether it is of this system.",
        "Keep what can be kept, then wipe data.",
    )
    .by(Goal::Erase, family);
    let in_between = cause(
        Rule::T5,
        "It was wiped before a start of the old system in between.",
        "The log, or whoever did it: did the old system start after the last wipe?",
        "Wipe data once more, then start the new system first.",
    )
    .by(Goal::Erase, family);
    let damaged = cause(
        Rule::T5,
        "What starts it is damaged, or only half of it was written.",
        "The log, or whoever did it: was the end of the last write seen?",
        "Put the maker's system back, whole.",
    )
    .by(Goal::Rescue, family);
    let slot = cause(
        Rule::T5,
        "It starts the wrong slot.",
        "Read the active slot in the lower mode, and what lies in each.",
        "Make the slot active that holds a whole system.",
    );
    let add_ons = cause(
        Rule::T5,
        "Add-ons are of another generation.",
        "Compare the add-ons' generation with the system's.",
        "Install the system anew without them.",
    );
    let started_after_wipe = matches!((wiped, ran), (Some(wiped), Some(ran)) if ran > wiped);
    let written_after_wipe = match (written, wiped) {
        (Some(written), Some(wiped)) => written > wiped,
        (Some(_), None) => true,
        _ => false,
    };
    let mut all = Vec::new();
    if facts.is_data_shut() {
        all.push(
            cause(
                Rule::T5,
                "Its data can't be read under the metadata that came with the recovery.",
                "The log: metadata was written, and its data was not formatted since.",
                "Bring it into recovery by its keys, format the data there, and start it.",
            )
            .by(Goal::Erase, family),
        );
    }
    if started_after_wipe {
        all.extend([in_between.clone(), leftovers.clone()]);
    } else {
        all.push(leftovers.clone());
        if written_after_wipe || wiped.is_none() {
            all.push(in_between);
        }
    }
    if has_slots {
        all.push(slot);
    }
    all.extend(damaged.by.is_some().then_some(damaged));
    all.push(add_ons);
    all
}

/// `T11`.
fn lost(captures: usize) -> Cause {
    let way_out = if captures > 0 {
        "Put it back from this unit's own capture."
    } else {
        "Read out what is there before anything else; without a capture of this unit only its maker can help."
    };
    cause(
        Rule::T11,
        "The radio's identity is gone, or only not readable.",
        "Read the partitions that exist once, at rest: blank, or whole with another system that can't read them?",
        way_out,
    )
}

/// What the first test takes: the mode that a unit which doesn't start can still be brought to.
#[must_use]
pub fn lower_mode(family: &Family) -> Option<&'static str> {
    let stage = family.main_stages().next()?;
    Some(match stage.method {
        Method::LongPress => "download mode",
        Method::Command | Method::Token => "bootloader mode",
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::facts::Source;
    use crate::facts::testing::{at, facts, row};
    use crate::family::testing::shipped;

    fn texts(causes: &[Cause]) -> Vec<&str> {
        causes.iter().map(|cause| cause.text.as_str()).collect()
    }

    #[test]
    fn an_endless_animation_without_a_log_begins_with_what_is_quickest_to_see() {
        let said = facts(&[(FactKey::Starts, "animation")]);
        let found = causes(&shipped("lodestar"), &said, 0);
        assert_eq!(
            texts(&found),
            [
                "Data of another system is left over.",
                "It was wiped before a start of the old system in between.",
                "Add-ons are of another generation.",
            ]
        );
        let slots = causes(&shipped("saltern"), &said, 0);
        assert!(texts(&slots).contains(&"It starts the wrong slot."));
    }

    #[test]
    fn a_start_after_the_wipe_makes_that_the_likeliest() {
        let rows = [row(1, FactKey::Starts, "animation", Source::Person, 9)];
        let happened = [(Happening::Wiped, at(3)), (Happening::SystemRan, at(5))];
        let known = Facts::new(&rows, &[], happened);
        let found = causes(&shipped("lodestar"), &known, 0);
        assert!(found[0].text.starts_with("It was wiped before"));
    }

    #[test]
    fn a_capture_of_its_own_is_the_way_out_of_a_lost_identity() {
        let said = facts(&[(FactKey::WorksIdentity, "no")]);
        let family = shipped("lodestar");
        assert!(causes(&family, &said, 0)[0].way_out.contains("its maker"));
        assert!(causes(&family, &said, 1)[0].way_out.contains("own capture"));
        assert_eq!(causes(&shipped("gimbal"), &said, 0), [], "no radio");
    }

    /// Whatever a step was, another end has causes, the fitting ones first; the same one never twice.
    #[test]
    fn a_step_that_strays_always_has_causes() {
        use crate::goal::Goal;
        use crate::plan::testing::{Ways, find};
        use crate::state::State;
        let mut seen = std::collections::BTreeSet::new();
        for (file, text) in crate::family::SHIPPED {
            let family = crate::family::load(file, text).unwrap();
            let known = facts(&[
                (FactKey::Mode, "system"),
                (FactKey::Lock, "locked"),
                (FactKey::Debugging, "on"),
            ]);
            for goal in Goal::ALL {
                let Ok(sheet) = find(&family, State::from_facts(&known), goal, Ways::ALL) else {
                    continue;
                };
                for step in &sheet.steps {
                    let all = strayed(&family, &known, 0, &step.act, step.after.mode);
                    let rules: Vec<Rule> = all.iter().map(|one| one.rule).collect();
                    assert!(
                        rules.ends_with(&[Rule::T15, Rule::T21]),
                        "{file}: {rules:?}"
                    );
                    let mut texts = texts(&all);
                    texts.dedup();
                    assert_eq!(texts.len(), all.len(), "{file}");
                    let locks = step.act.touches(&family).any(Touches::LOCKS);
                    assert_eq!(rules.contains(&Rule::T3), locks, "{file}: {}", step.title);
                    seen.extend(rules);
                }
            }
        }
        assert!(
            seen.contains(&Rule::T9) && seen.contains(&Rule::T3),
            "{seen:?}"
        );
        let refuses = facts(&[(FactKey::Starts, "nothing")]);
        let family = shipped("cinder");
        let sheet = find(
            &family,
            State::from_facts(&facts(&[(FactKey::Mode, "off")])),
            Goal::ToSystem,
            Ways::ALL,
        );
        let step = &sheet.unwrap().steps[0];
        let all = strayed(&family, &refuses, 0, &step.act, step.after.mode);
        assert_eq!(all[0].rule, Rule::T13);
        assert!(
            all[0].way_out.contains("only its maker"),
            "{}",
            all[0].way_out
        );
    }
}
