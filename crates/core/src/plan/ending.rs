//! What the end of a step means, by what is seen then (`C1`, `L3`, `K5`): as it should be, otherwise, or not
//! known. A lock that was not seen, and an erase that nothing shows, are in doubt until somebody looks.

use super::sheet::Step;
use super::sighting::divergence;
use crate::act::{ImageOf, TRIES_OF_READING};
use crate::facts::{Facts, Happening};
use crate::family::Family;
use crate::mode::Mode;

/// How a step ended.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Ending {
    /// As it should, or not.
    pub how: How,
    /// What is not known any more, since nobody saw it.
    pub doubt: Option<Happening>,
}

/// As it should, or not.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum How {
    /// As it should.
    AsExpected,
    /// A look found something else than was hoped for: it was taken, and the rest is planned anew.
    Looked {
        /// What differs.
        why: String,
    },
    /// Otherwise.
    Otherwise {
        /// What differs.
        why: String,
    },
    /// It can't be said: what it changes was not seen.
    NotKnown {
        /// What differs.
        why: String,
    },
}

/// Whether nothing that a link reads tells that it came about: what it says itself does, or, of a whole set that is
/// sent, that all of it was taken in.
#[must_use]
pub fn is_told_by_words(step: &Step, by_link: bool) -> bool {
    step.act.shows().only_words || by_link && step.act.image_of() == Some(ImageOf::TheMakersSet)
}

/// What `step` ended as, where `seen` is what was read just after; `is_look` tells whether it was a look.
#[must_use]
pub fn ending(step: &Step, seen: &Facts, is_look: bool) -> Ending {
    let diverges = divergence(step.after, seen);
    let is_unseen = if is_told_by_words(step, false) {
        diverges.is_some()
    } else {
        seen.lock().is_none()
    };
    let doubt = step.act.doubt().filter(|_| is_unseen);
    let how = match diverges {
        None => How::AsExpected,
        Some(why) if is_look => How::Looked { why },
        Some(why) if doubt.is_some() => How::NotKnown { why },
        Some(why) => How::Otherwise { why },
    };
    Ending { how, doubt }
}

/// How a step was taken that ended otherwise.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Taken {
    /// By the link, or by hands.
    pub by_link: bool,
    /// Tries before that failed too.
    pub tries: u8,
}

/// What is not believed any more when `step` ended otherwise, with what `seen` shows (`M11`, `T6`): what lies where
/// a recovery lies. One that was to start and did not is doubted at once where a command was taken, and at the second
/// try of hands, for one may be a slip; one that hands were to write, as soon as it is not said to be written whole.
/// So with what hands were to change of the system (`R1`).
#[must_use]
pub fn doubted(family: &Family, step: &Step, seen: Option<Mode>, by: Taken) -> Vec<Happening> {
    let starts = step.after.mode == Some(Mode::CustomRecovery);
    let is_elsewhere = seen.is_some_and(|seen| ![Mode::CustomRecovery, Mode::Off].contains(&seen));
    let counts = by.by_link || by.tries + 1 >= TRIES_OF_READING;
    let lies_on = family.recovery_lies_on();
    let writes = step.act.lands_on(family);
    let is_half = !by.by_link && writes.iter().any(|label| lies_on.contains(label));
    let is_doubted = starts && is_elsewhere && counts || is_half;
    let brings = step.act.brings(family).happened;
    let is_changed = !by.by_link && brings.contains(&Happening::SystemWritten);
    let system = is_changed.then_some(Happening::SystemWritten);
    let recovery = is_doubted.then_some(Happening::RecoveryInDoubt);
    system.into_iter().chain(recovery).collect()
}

/// What is not known any more where `step` was begun and is left open for good: what it may have done on the lock, to
/// the owner's data, to the system and to what lies where a recovery lies (`K5`, `L3`, `M11`, `R1`).
#[must_use]
pub fn left_open(family: &Family, step: &Step, by: Taken) -> Vec<Happening> {
    let mut all = doubted(family, step, None, by);
    let doubt = step.act.doubt().filter(|doubt| !all.contains(doubt));
    all.splice(..0, doubt);
    all
}

/// Who wants to know how an open step ended.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Asked {
    /// Nobody: the watch saw something, and only a clear end counts.
    ByItself,
    /// A person, who wants the truth as it is.
    ByPerson,
}

/// What a look at a step that is still open comes to.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Open {
    /// It goes on: it may still be about to happen.
    GoesOn,
    /// It has not come about.
    NotComeAbout,
    /// It ended: see [`ending`].
    Ended,
    /// Nothing that is read tells whether it was done: once more, to be sure.
    OnceMore,
}

/// What a look shows of `step`, which is open; `by_link` tells whether the bench takes it.
#[must_use]
pub fn looked_at(step: &Step, seen: &Facts, by_link: bool, asked: Asked) -> Open {
    if is_told_by_words(step, by_link) {
        // By hand a person says so, by link it is done again, and until then nothing counts that it would
        // have taken.
        return match asked {
            Asked::ByPerson if by_link => Open::OnceMore,
            Asked::ByPerson | Asked::ByItself => Open::GoesOn,
        };
    }
    // An act on the lock is over when the lock was seen, by the link or by a person (L3).
    let is_unseen = seen.lock().is_none() && step.act.doubt().is_some();
    let is_nothing_told = seen.mode().is_none();
    if is_nothing_told || asked == Asked::ByItself && is_unseen {
        return Open::GoesOn;
    }
    if divergence(step.after, seen).is_none() {
        return Open::Ended;
    }
    let is_as_before = divergence(step.before, seen).is_none();
    match (is_as_before, asked) {
        (false, _) => Open::Ended,
        // A question may wait, or a person's hands.
        (true, Asked::ByItself) => Open::GoesOn,
        (true, Asked::ByPerson) if by_link => Open::NotComeAbout,
        (true, Asked::ByPerson) => Open::GoesOn,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::act::PutMakersSet;
    use crate::facts::FactKey;
    use crate::facts::testing::facts;
    use crate::family::testing::{gimbal, shipped};
    use crate::goal::Goal;
    use crate::plan::testing::{Ways, find};
    use crate::state::State;

    /// `M11`: a command that led elsewhere tells at once, hands at their second try, and what is dark tells nothing.
    #[test]
    fn another_recovery_is_not_believed_in_once_something_else_answered() {
        let known = [
            (FactKey::Mode, "bootloader"),
            (FactKey::Lock, "unlocked"),
            (FactKey::Recovery, "custom"),
        ];
        let state = State::from_facts(&facts(&known));
        let sheet = find(&gimbal(), state, Goal::ToCustomRecovery, Ways::ALL);
        let step = sheet.unwrap().steps.remove(0);
        let doubt = [Happening::RecoveryInDoubt];
        let of = |step: &Step, seen, by_link, tries| {
            doubted(&gimbal(), step, seen, Taken { by_link, tries })
        };
        let elsewhere = Some(Mode::Bootloader);
        assert_eq!(of(&step, elsewhere, true, 0), doubt);
        assert_eq!(of(&step, elsewhere, false, 0), []);
        assert_eq!(of(&step, elsewhere, false, 1), doubt);
        for none in [None, Some(Mode::Off), Some(Mode::CustomRecovery)] {
            assert_eq!(of(&step, none, true, 3), []);
        }
        let kelpie = shipped("kelpie");
        let known = [(FactKey::Mode, "download"), (FactKey::Lock, "unlocked")];
        let state = State::from_facts(&facts(&known));
        let sheet = find(&kelpie, state, Goal::KeepRecovery, Ways::ALL).unwrap();
        let mut steps = sheet.steps.iter();
        let write = steps.find(|step| step.act.part().is_some()).unwrap();
        let of = |by_link| {
            let taken = Taken { by_link, tries: 0 };
            doubted(&kelpie, write, Some(Mode::Download), taken)
        };
        // The mode stays as it is: whether a whole set was taken in, nothing but its own answer tells.
        let set = PutMakersSet {
            build: None,
            image: None,
            shuts: false,
        };
        let set = Step {
            act: set.into(),
            ..write.clone()
        };
        let seen = facts(&[(FactKey::Mode, "download")]);
        let look = |by_link, asked| looked_at(&set, &seen, by_link, asked);
        assert_eq!(look(true, Asked::ByPerson), Open::OnceMore);
        assert_eq!(look(true, Asked::ByItself), Open::GoesOn);
        assert_eq!(
            left_open(
                &kelpie,
                &set,
                Taken {
                    by_link: true,
                    tries: 0
                }
            ),
            [Happening::SystemWritten]
        );
        assert_eq!(of(false), doubt, "half of it may lie there");
        assert_eq!(of(true), [], "the link tells of its bytes itself");
        let cinder = shipped("cinder");
        let known = [
            (FactKey::Mode, "bootloader"),
            (FactKey::Lock, "unlocked"),
            (FactKey::Recovery, "stock"),
        ];
        let state = State::from_facts(&facts(&known));
        let sheet = find(&cinder, state, Goal::KeepRecovery, Ways::ALL).unwrap();
        let mut steps = sheet.steps.iter();
        let within = steps.find(|step| step.act.word() == "install-within");
        let by = Taken {
            by_link: false,
            tries: 0,
        };
        let both = [Happening::SystemWritten, Happening::RecoveryInDoubt];
        let mode = Some(Mode::TemporaryRecovery);
        assert_eq!(doubted(&cinder, within.unwrap(), mode, by), both);
        // A run that is stopped over it knows no more.
        assert_eq!(left_open(&cinder, within.unwrap(), by), both);
        let mut steps = sheet.steps.iter();
        let moves = steps.find(|step| step.act.brings(&cinder).happened.is_empty());
        assert_eq!(left_open(&cinder, moves.unwrap(), by), []);
    }

    fn step(goal: Goal, word: &str) -> Step {
        let lock = if goal == Goal::Erase {
            "unlocked"
        } else {
            "locked"
        };
        let known = [
            (FactKey::Mode, "system"),
            (FactKey::Lock, lock),
            (FactKey::Debugging, "on"),
        ];
        let state = State::from_facts(&facts(&known));
        let sheet = find(&gimbal(), state, goal, Ways::ALL).unwrap();
        let mut steps = sheet.steps.into_iter();
        steps.find(|step| step.act.word() == word).unwrap()
    }

    fn seen(pairs: &[(FactKey, &str)]) -> Facts {
        facts(pairs)
    }

    const UNLOCKED: [(FactKey, &str); 2] =
        [(FactKey::Mode, "bootloader"), (FactKey::Lock, "unlocked")];
    const LOCKED: [(FactKey, &str); 2] = [(FactKey::Mode, "bootloader"), (FactKey::Lock, "locked")];

    #[test]
    fn an_unlock_is_over_when_the_lock_was_seen() {
        let unlock = step(Goal::Unlock, "unlock");
        let of = |pairs: &[(FactKey, &str)]| ending(&unlock, &seen(pairs), false);
        assert_eq!(of(&UNLOCKED).how, How::AsExpected);
        assert_eq!(of(&UNLOCKED).doubt, None);
        assert!(matches!(of(&LOCKED).how, How::Otherwise { .. }));
        assert_eq!(of(&LOCKED).doubt, None);
        // Somewhere else, and the lock not seen: nobody knows.
        let elsewhere = of(&[(FactKey::Mode, "system")]);
        assert!(matches!(elsewhere.how, How::NotKnown { .. }));
        assert_eq!(elsewhere.doubt, Some(Happening::LockInDoubt));
        // As a look it is taken all the same.
        let look = ending(&unlock, &seen(&LOCKED), true);
        assert!(matches!(look.how, How::Looked { .. }));
    }

    #[test]
    fn a_step_that_is_open_is_waited_for_until_its_end_is_clear() {
        let unlock = step(Goal::Unlock, "unlock");
        let look = |pairs: &[(FactKey, &str)], by_link, asked| {
            looked_at(&unlock, &seen(pairs), by_link, asked)
        };
        for asked in [Asked::ByItself, Asked::ByPerson] {
            for by_link in [true, false] {
                assert_eq!(look(&UNLOCKED, by_link, asked), Open::Ended);
                assert_eq!(look(&[], by_link, asked), Open::GoesOn, "it tells nothing");
            }
        }
        assert_eq!(look(&LOCKED, true, Asked::ByItself), Open::GoesOn);
        assert_eq!(look(&LOCKED, true, Asked::ByPerson), Open::NotComeAbout);
        assert_eq!(look(&LOCKED, false, Asked::ByPerson), Open::GoesOn);
        let no_lock = [(FactKey::Mode, "bootloader")];
        assert_eq!(look(&no_lock, true, Asked::ByItself), Open::GoesOn);
        let system = [(FactKey::Mode, "system"), (FactKey::Lock, "locked")];
        assert_eq!(look(&system, true, Asked::ByItself), Open::Ended);
    }

    #[test]
    fn an_erase_is_never_read_off_what_a_link_tells() {
        let erase = step(Goal::Erase, "wipe");
        for pairs in [&UNLOCKED[..], &[(FactKey::Mode, "system")], &[]] {
            let look = |by_link, asked| looked_at(&erase, &seen(pairs), by_link, asked);
            assert_eq!(look(true, Asked::ByItself), Open::GoesOn);
            assert_eq!(look(true, Asked::ByPerson), Open::OnceMore);
            assert_eq!(look(false, Asked::ByPerson), Open::GoesOn);
        }
        // The step that was itself told of its end believes it only where the unit is as it should be.
        assert_eq!(ending(&erase, &seen(&UNLOCKED), false).doubt, None);
        let strayed = ending(&erase, &seen(&[(FactKey::Mode, "system")]), false);
        assert_eq!(strayed.doubt, Some(Happening::Wiped));
    }
}
