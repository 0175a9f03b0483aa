//! What may be seen after a step: the expected first, then what else is known, so that a person
//! without a link reports what is there instead of pressing *done*.

use serde::Serialize;

use super::sheet::Step;
use crate::act::Touches;
use crate::facts::{FactKey, Facts, Happening};
use crate::family::{Family, Role};
use crate::mode::{Lock, Mode, Slot};
use crate::state::State;

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
    /// Whether it tells of an erase that it came about, or that it did not.
    #[serde(skip)]
    pub erased: Option<bool>,
}

impl Sighting {
    /// Whether the system ran, or may have run, where this is seen: it does, or nothing tells what does.
    #[must_use]
    pub fn may_have_run(&self) -> bool {
        let mode = self.facts.iter().find(|(key, _)| *key == FactKey::Mode);
        mode.is_none_or(|(_, mode)| *mode == Mode::System.id())
    }

    /// What is written down of it: its text, or a person's own words where it is none of the known.
    ///
    /// # Errors
    /// When it is none of the known and no sentence says what is seen, or one too long.
    pub fn said(&self, words: Option<&str>) -> Result<String, String> {
        let words = words.map(str::trim).filter(|words| !words.is_empty());
        match (self.likelihood, words) {
            (Likelihood::SomethingElse, None) => {
                Err("say in a sentence what is seen instead".to_owned())
            }
            (Likelihood::SomethingElse, Some(words)) if words.chars().count() > MOST_WORDS => {
                Err(format!("say it in at most {MOST_WORDS} letters"))
            }
            (Likelihood::SomethingElse, Some(words)) => {
                let words: Vec<&str> = words.split_whitespace().collect();
                let sentence = words.join(" ");
                let is_ended = sentence.ends_with(['.', '!', '?']);
                Ok(if is_ended {
                    sentence
                } else {
                    format!("{sentence}.")
                })
            }
            _ => Ok(self.text.clone()),
        }
    }
}

/// Letters that a person's own words for what is seen may have.
const MOST_WORDS: usize = 300;

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

/// What may be seen after `step`, expected first, *something else* last; `by_hand` tells whether hands take it. What
/// hands write ends with two sightings: what the tool counted, and the unit's own word (`G3`).
#[must_use]
pub fn sightings(family: &Family, step: &Step, by_hand: bool) -> Vec<Sighting> {
    let mut all = Vec::new();
    let looks = |mode| family.mode(mode).map_or("", |spec| spec.looks.as_str());
    let shows = step.act.shows();
    let is_critical = shows.lock == Some(FactKey::CriticalLock);
    let tells = shows.only_words.then(|| OnlyWords::of(step));
    // What a package brings its own menu tells of.
    let writes = step.act.touches(family).any(Touches::WRITES) && step.act.file().is_none();
    let by_tool = by_hand && writes && tells.is_none();
    let (key, before, after) = if is_critical {
        let (before, after) = (step.before.critical, step.after.critical);
        (FactKey::CriticalLock, before, after)
    } else {
        (FactKey::Lock, step.before.lock, step.after.lock)
    };
    let locks = if before == after {
        vec![None]
    } else {
        vec![after, other(after)]
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
            let is_expected = Some(mode) == expected_mode && (lock.is_none() || lock == after);
            let mut facts = vec![(FactKey::Mode, mode.id())];
            let mut text = looks(mode).to_owned();
            let mut id = mode.id().to_owned();
            if is_expected {
                facts.extend(shows.facts.iter().copied());
                if let Some(instead) = shows.instead {
                    instead.clone_into(&mut text);
                }
                if let Some(besides) = &shows.besides {
                    text = format!("{text} {besides}");
                }
                if let Some(tells) = &tells {
                    id = format!("{id}-{}", tells.done);
                }
                if by_tool {
                    text = format!(
                        "{text} Your tool, on this computer or on a helper phone, counted every byte as sent, and the unit says that it took them."
                    );
                    id = format!("{id}-written");
                }
            }
            if let Some(lock) = lock {
                facts.push((key, lock.id()));
                let of = if is_critical {
                    " of the critical partitions"
                } else {
                    ""
                };
                text = format!("{text} It says {}{of}.", lock.id());
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
                erased: (is_expected && is_wipe(step)).then_some(true),
            });
        }
    }
    if let Some(tells) = &tells {
        let mode = expected_mode.unwrap_or(Mode::System);
        all.push(Sighting {
            id: format!("{}-not-{}", mode.id(), tells.done),
            text: format!("{} {}", looks(mode), tells.not),
            likelihood: Likelihood::Known,
            facts: vec![(FactKey::Mode, mode.id())],
            erased: is_wipe(step).then_some(false),
        });
    }
    if by_tool && let Some(mode) = expected_mode {
        let others = [
            (
                "half-told",
                "Only one of the two says so: the tool counted every byte, or the unit says that it took them.",
            ),
            (
                "not-written",
                "The tool stopped or counted fewer bytes, or the unit says no.",
            ),
        ];
        all.extend(others.map(|(id, text)| Sighting {
            id: format!("{}-{id}", mode.id()),
            text: format!("{} {text}", looks(mode)),
            likelihood: Likelihood::Known,
            facts: vec![(FactKey::Mode, mode.id())],
            erased: None,
        }));
    }
    let mut mishap = |id: &str, text: &str, facts: Vec<(FactKey, &'static str)>| {
        all.push(Sighting {
            id: id.to_owned(),
            text: text.to_owned(),
            likelihood: Likelihood::Known,
            facts,
            erased: None,
        });
    };
    if may_start(step) {
        mishap(
            "animation",
            "The start picture, moving without an end.",
            vec![(FactKey::Starts, "animation")],
        );
        mishap(
            "not-verified",
            "A notice that what should start could not be verified, and there it stays.",
            vec![(FactKey::Starts, "nothing")],
        );
    }
    if let (Some(_), Some(mode)) = (step.act.file(), step.before.mode) {
        mishap(
            "nothing-installed",
            "It says that nothing was installed, and stays in its menu.",
            vec![(FactKey::Mode, mode.id())],
        );
    }
    if expected_mode != Some(Mode::Off) {
        mishap(
            "charging",
            "Dark with a battery: it is off and charges.",
            vec![(FactKey::Mode, Mode::Off.id())],
        );
    }
    if expected_mode == Some(Mode::Off) && family.place(FactKey::FastStart).is_some() {
        all.push(Sighting {
            id: "asleep".to_owned(),
            text: "Dark, but it did not shake: it only sleeps.".to_owned(),
            likelihood: Likelihood::Known,
            facts: vec![
                (FactKey::Mode, Mode::System.id()),
                (FactKey::FastStart, "on"),
            ],
            erased: None,
        });
    }
    all.push(Sighting {
        id: "something-else".to_owned(),
        text: "Something else".to_owned(),
        likelihood: Likelihood::SomethingElse,
        facts: Vec::new(),
        erased: None,
    });
    all
}

/// What is said of an act that nothing but its own words tells of.
struct OnlyWords {
    done: &'static str,
    not: &'static str,
}

impl OnlyWords {
    fn of(step: &Step) -> Self {
        match is_wipe(step) {
            true => Self {
                done: "erased",
                not: "It says nothing of an erase.",
            },
            false => Self {
                done: "done",
                not: "It says that it failed, or says nothing.",
            },
        }
    }
}

fn is_wipe(step: &Step) -> bool {
    step.wipe.is_some()
}

/// Whether its system may start in `step`, as hoped or because hands slipped, or may have been starting before: where
/// another mode is reached than it was in, or nobody knew in which.
fn may_start(step: &Step) -> bool {
    let (before, after) = (step.before.mode, step.after.mode);
    after == Some(Mode::System) || before != after && after != Some(Mode::Off)
}

/// What must have happened when the lock reads `after` where it read `before` (`K5`): facts that it
/// voids can't be kept.
#[must_use]
pub fn concluded(family: &Family, before: Option<Lock>, after: Option<Lock>) -> Vec<Happening> {
    match (before, after) {
        (Some(Lock::Locked), Some(Lock::Unlocked)) => {
            let erased = family
                .stages
                .iter()
                .any(|stage| stage.erases.contains(&Role::UserData));
            let mut all = vec![Happening::LockChanged];
            all.extend(erased.then_some(Happening::Wiped));
            all
        }
        // Locking erases (R4).
        (Some(Lock::Unlocked), Some(Lock::Locked)) => {
            vec![Happening::LockChanged, Happening::Wiped]
        }
        _ => Vec::new(),
    }
}

/// What of a state an observation can cover: the mode and, where they were told, lock and slot. Names
/// the first of them that is not as expected.
#[must_use]
pub fn divergence(expected: State, seen: &Facts) -> Option<String> {
    let differs = |wanted: &str, found: &str| Some(format!("Expected: {wanted}. Seen: {found}."));
    let (mode, lock) = (seen.mode(), seen.lock());
    if mode.is_some() && mode != expected.mode {
        let word = |mode: Option<Mode>| mode.map_or("not known", Mode::shown);
        return differs(word(expected.mode), word(mode));
    }
    if let (Some(wanted), Some(found)) = (expected.lock, lock)
        && wanted != found
    {
        return differs(wanted.id(), found.id());
    }
    let slot = seen.choice(FactKey::Slot).and_then(Slot::from_id);
    if let (Some(wanted), Some(found)) = (expected.slot, slot)
        && wanted != found
    {
        let word = |slot: Slot| format!("slot {} active", slot.id());
        return differs(&word(wanted), &word(found));
    }
    None
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
    use crate::goal::Goal;
    use crate::plan::testing::{Ways, find};
    use crate::state::{Presence, State};

    #[test]
    fn a_lock_that_changed_means_a_wipe_either_way() {
        let family = gimbal();
        let (locked, unlocked) = (Some(Lock::Locked), Some(Lock::Unlocked));
        assert_eq!(
            concluded(&family, locked, unlocked),
            [Happening::LockChanged, Happening::Wiped]
        );
        assert_eq!(
            concluded(&family, unlocked, locked),
            [Happening::LockChanged, Happening::Wiped]
        );
        assert_eq!(concluded(&family, None, unlocked), []);
        assert_eq!(concluded(&family, locked, None), []);
    }

    #[test]
    fn only_what_was_seen_can_diverge() {
        let expected = State {
            mode: Some(Mode::Bootloader),
            lock: Some(Lock::Unlocked),
            slot: Some(Slot::B),
            ..State::from_facts(&facts(&[]))
        };
        let seen = |pairs: &[(FactKey, &str)]| divergence(expected, &facts(pairs));
        let (mode, lock) = (FactKey::Mode, FactKey::Lock);
        assert_eq!(seen(&[(mode, "bootloader")]), None);
        assert_eq!(seen(&[]), None);
        assert_eq!(seen(&[(mode, "bootloader"), (FactKey::Slot, "b")]), None);
        assert_eq!(
            seen(&[(mode, "bootloader"), (FactKey::Slot, "a")]).unwrap(),
            "Expected: slot b active. Seen: slot a active."
        );
        assert_eq!(
            seen(&[(mode, "bootloader"), (lock, "locked")]).unwrap(),
            "Expected: unlocked. Seen: locked."
        );
        assert_eq!(
            seen(&[(mode, "system"), (lock, "unlocked")]).unwrap(),
            "Expected: bootloader mode. Seen: running system."
        );
    }

    #[test]
    fn after_a_wipe_it_is_asked_whether_it_erased() {
        let family = crate::family::testing::shipped("mooring");
        let state = State::from_facts(&facts(&[
            (FactKey::Mode, "stock-recovery"),
            (FactKey::Lock, "locked"),
        ]));
        let ways = Ways {
            link: Presence::Missing,
            image: Presence::Missing,
        };
        let sheet = find(&family, state, Goal::Erase, ways).unwrap();
        let all = sightings(&family, &sheet.steps[0], false);
        assert_eq!(all[0].id, "stock-recovery-erased");
        assert_eq!(all[0].likelihood, Likelihood::Expected);
        let not = all.iter().find(|one| one.id == "stock-recovery-not-erased");
        assert_eq!(not.map(|one| one.likelihood), Some(Likelihood::Known));
        assert!(!all.iter().any(|one| one.id == "stock-recovery"));
    }

    /// `G3`: the mode alone is no sign that hands wrote anything; by link nobody is asked.
    #[test]
    fn what_hands_write_is_told_by_the_tool_and_by_the_unit() {
        for codename in ["gimbal", "kelpie", "lodestar", "mooring"] {
            let family = crate::family::testing::shipped(codename);
            let lower = family.lower_mode().unwrap();
            let state = State::from_facts(&facts(&[
                (FactKey::Mode, lower.id()),
                (FactKey::Lock, "unlocked"),
                (FactKey::Recovery, "stock"),
            ]));
            let ways = Ways {
                link: Presence::Missing,
                image: Presence::Here,
            };
            let Ok(sheet) = find(&family, state, Goal::KeepRecovery, ways) else {
                continue;
            };
            let mut steps = sheet.steps.iter();
            let write = steps.find(|step| step.act.part().is_some()).unwrap();
            let ids = |by_hand| {
                let all = sightings(&family, write, by_hand).into_iter();
                all.map(|one| (one.likelihood, one.id)).collect::<Vec<_>>()
            };
            let at = |end: &str| format!("{}{end}", lower.id());
            let by_hand = ids(true);
            assert_eq!(by_hand[0], (Likelihood::Expected, at("-written")));
            for end in ["-half-told", "-not-written"] {
                assert!(
                    by_hand.contains(&(Likelihood::Known, at(end))),
                    "{by_hand:?}"
                );
            }
            assert!(by_hand.iter().all(|(_, id)| *id != at("")), "{by_hand:?}");
            assert_eq!(ids(false)[0], (Likelihood::Expected, at("")));
        }
    }

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
        let ids: Vec<_> = sightings(&family, &sheet.steps[0], false)
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
                "stock-recovery",
                "custom-recovery",
                "charging",
                "something-else"
            ]
        );
    }

    /// What goes wrong on the way into the system, in a menu and in the dark is there to be said, on every
    /// family; the system may have run wherever nothing else is seen to run.
    #[test]
    fn the_usual_mishaps_may_be_said() {
        for (file, text) in crate::family::SHIPPED {
            let family = crate::family::load(file, text).unwrap();
            let known = facts(&[
                (FactKey::Mode, "system"),
                (FactKey::Debugging, "on"),
                (FactKey::Build, "WM1-3.4-2610"),
            ]);
            let start = State {
                recovery: Some(crate::mode::RecoveryKind::Stock),
                ..State::from_facts(&known)
            };
            let goals = [
                Goal::Unlock,
                Goal::Erase,
                Goal::ToSystem,
                Goal::ToBootloader,
            ];
            let sheets = goals.map(|goal| find(&family, start, goal, Ways::ALL));
            for step in sheets.into_iter().flatten().flat_map(|sheet| sheet.steps) {
                let all = sightings(&family, &step, false);
                let has = |id: &str| all.iter().any(|one| one.id == id);
                let (was, is) = (step.before.mode, step.after.mode);
                let starts = is == Some(Mode::System) || was != is && is != Some(Mode::Off);
                assert_eq!((has("animation"), has("not-verified")), (starts, starts));
                assert_eq!(
                    has("nothing-installed"),
                    step.act.file().is_some(),
                    "{file}"
                );
                assert_eq!(
                    has("charging"),
                    step.after.mode != Some(Mode::Off),
                    "{file}"
                );
                for one in &all {
                    let elsewhere = one
                        .facts
                        .iter()
                        .any(|(key, mode)| *key == FactKey::Mode && *mode != Mode::System.id());
                    assert_eq!(one.may_have_run(), !elsewhere, "{file}: {}", one.id);
                }
            }
        }
    }

    #[test]
    fn what_is_none_of_the_known_takes_a_sentence() {
        let family = gimbal();
        let start = State::from_facts(&facts(&[
            (FactKey::Mode, "system"),
            (FactKey::Debugging, "on"),
        ]));
        let sheet = find(&family, start, Goal::ToBootloader, Ways::ALL).unwrap();
        let all = sightings(&family, &sheet.steps[0], false);
        let (first, last) = (&all[0], &all[all.len() - 1]);
        assert_eq!(last.likelihood, Likelihood::SomethingElse);
        assert_eq!(first.said(None), Ok(first.text.clone()));
        assert_eq!(first.said(Some("aside")), Ok(first.text.clone()));
        assert!(last.said(None).is_err() && last.said(Some(" \n")).is_err());
        assert_eq!(last.said(Some(" two\nlines ")), Ok("two lines.".to_owned()));
        let long = "ä".repeat(MOST_WORDS);
        assert_eq!(last.said(Some(&long)), Ok(format!("{long}.")));
        assert!(last.said(Some(&format!("{long}ä"))).is_err());
    }
}
