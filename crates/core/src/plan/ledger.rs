//! The wipe ledger (`Q9`): every wipe of a sheet by its name, what it takes and what it leaves, the
//! set-ups that are wasted between two of them, and what is to be switched on again after the last
//! (`L4`).

use serde::Serialize;
use veritope_wire::Label;

use super::sheet::{Sheet, Step};
use crate::facts::FactKey;
use crate::family::{Family, ToggleKept, Wipe};
use crate::mode::Mode;

/// A wipe of the sheet.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct WipeLine {
    /// The step, from 1.
    pub step: u32,
    /// Which wipe it is.
    pub wipe: Wipe,
    /// What it takes.
    pub lost: Vec<String>,
    /// What it leaves.
    pub kept: Vec<String>,
}

/// What a sheet wipes.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct Ledger {
    /// Its wipes in order.
    pub wipes: Vec<WipeLine>,
    /// Starts of the system after a wipe with another wipe ahead: what is set up there is lost again.
    pub wasted_setups: u32,
    /// What is to be switched on again at the end, with where.
    pub again: Vec<String>,
}

/// The ledger of `sheet`.
#[must_use]
pub fn ledger(family: &Family, sheet: &Sheet) -> Ledger {
    let toggle_goes = family
        .toggle
        .as_ref()
        .is_some_and(|toggle| toggle.kept == ToggleKept::UserData);
    let own = |text: &str| text.to_owned();
    let wipes: Vec<WipeLine> = sheet
        .steps
        .iter()
        .zip(1..)
        .filter_map(|(step, number)| {
            let wipe = step.wipe?;
            let mut lost = vec![own("apps and settings"), own("accounts")];
            let has_card = family.place(FactKey::Card).is_some();
            let mut kept: Vec<String> = has_card
                .then(|| own("the external card"))
                .into_iter()
                .collect();
            match once(family, step) {
                Once::Kept => kept.push(own("what exists once")),
                Once::But(labels) => {
                    lost.push(format!("{labels}, for good"));
                    kept.push(own("what else exists once"));
                }
                Once::NotSaid => {
                    lost.push(own("perhaps what exists once: nobody says that it stays"));
                }
            }
            match wipe {
                Wipe::FormatData => lost.extend([own("internal files"), own("the encryption key")]),
                Wipe::Data => kept.push(own("internal files where they lie apart")),
            }
            if family.toggle.is_some() {
                let list = if toggle_goes { &mut lost } else { &mut kept };
                list.push(own("the unlock switch"));
            }
            Some(WipeLine {
                step: number,
                wipe,
                lost,
                kept,
            })
        })
        .collect();
    let mut wasted_setups = 0;
    for pair in wipes.windows(2) {
        let (first, next) = (pair[0].step as usize, pair[1].step as usize);
        let between = sheet.steps.get(first - 1..next - 1).unwrap_or(&[]);
        let starts = between.iter().any(|step| {
            step.after.mode == Some(Mode::System) && step.before.mode != step.after.mode
        });
        wasted_setups += u32::from(starts);
    }
    Ledger {
        again: if wipes.is_empty() {
            Vec::new()
        } else {
            again(family)
        },
        wipes,
        wasted_setups,
    }
}

/// What a step leaves of what exists once, as far as the family says.
enum Once {
    /// All of it.
    Kept,
    /// All but these.
    But(String),
    /// The family does not say.
    NotSaid,
}

fn once(family: &Family, step: &Step) -> Once {
    let lost = step.act.destroys(family);
    match lost {
        None => Once::NotSaid,
        Some(labels) if labels.is_empty() => Once::Kept,
        Some(labels) => {
            let labels: Vec<&str> = labels.iter().map(Label::as_str).collect();
            Once::But(labels.join(", "))
        }
    }
}

/// What a wipe switched off and somebody may want on again, with where (`L4`), in the order in which it is
/// done; first of all what must be so before the unit is online.
#[must_use]
pub fn again(family: &Family) -> Vec<String> {
    let mut all = vec![
        "Automatic updates off, before it is online for the first time: an update may close the lock's way or write over the recovery.".to_owned(),
        family.debugging.hand.clone(),
    ];
    let toggle = family.toggle.as_ref();
    all.extend(
        toggle
            .filter(|toggle| toggle.kept == ToggleKept::UserData)
            .map(|toggle| toggle.hand.clone()),
    );
    all.push("The owner's accounts and the screen lock, by the owner.".to_owned());
    if let Some(place) = family.place(FactKey::FastStart) {
        all.push(format!("{} It is on again after a wipe.", place.place));
    }
    all
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::facts::testing::facts;
    use crate::family::testing::shipped;
    use crate::goal::Goal;
    use crate::plan::testing::{Ways, find};
    use crate::state::{Presence, State};

    const WAYS: Ways = Ways {
        link: Presence::Here,
        image: Presence::Missing,
    };

    fn of(codename: &str, pairs: &[(FactKey, &str)], goal: Goal) -> Ledger {
        let family = shipped(codename);
        let state = State::from_facts(&facts(pairs));
        ledger(&family, &find(&family, state, goal, WAYS).unwrap())
    }

    #[test]
    fn where_the_switch_lives_in_user_data_it_goes_too_and_is_on_the_list_to_come() {
        let pairs = [
            (FactKey::Mode, "system"),
            (FactKey::Lock, "locked"),
            (FactKey::Debugging, "on"),
        ];
        let kelpie = of("kelpie", &pairs, Goal::Unlock);
        assert_eq!(kelpie.wipes.len(), 1);
        assert!(
            kelpie.wipes[0]
                .lost
                .contains(&"the unlock switch".to_owned())
        );
        assert!(
            kelpie
                .again
                .iter()
                .any(|line| line.contains("Permit unlock"))
        );
        let saltern = of("saltern", &pairs, Goal::Unlock);
        assert!(
            saltern.wipes[0]
                .kept
                .contains(&"the unlock switch".to_owned())
        );
        assert!(
            !saltern
                .again
                .iter()
                .any(|line| line.contains("Allow unlocking"))
        );
        assert_eq!(saltern.wasted_setups, 0);
    }

    #[test]
    fn what_exists_once_is_kept_only_where_the_family_says_so() {
        let pairs = [(FactKey::Mode, "bootloader"), (FactKey::Lock, "locked")];
        let lodestar = of("lodestar", &pairs, Goal::Unlock);
        assert!(
            lodestar.wipes[0]
                .lost
                .contains(&"vkeys, for good".to_owned())
        );
        assert!(
            lodestar.wipes[0]
                .kept
                .contains(&"what else exists once".to_owned())
        );
        let watch = of("gimbal", &pairs, Goal::Unlock);
        let card = "the external card".to_owned();
        assert!(!watch.wipes[0].kept.contains(&card), "it has none");
        let mut mooring = shipped("mooring");
        let said = |family: &Family| {
            let at = family.packages.iter().position(|one| one.wipes).unwrap();
            let step = Step {
                act: crate::act::Install {
                    package: family.packages[at].name.clone(),
                    image: None,
                }
                .into(),
                wipe: Some(Wipe::Data),
                ..find(
                    family,
                    State::from_facts(&facts(&pairs)),
                    Goal::ToSystem,
                    WAYS,
                )
                .unwrap()
                .steps
                .remove(0)
            };
            let mut sheet = find(
                family,
                State::from_facts(&facts(&pairs)),
                Goal::ToSystem,
                WAYS,
            )
            .unwrap();
            sheet.steps = vec![step];
            ledger(family, &sheet).wipes.remove(0)
        };
        let whole = said(&mooring);
        assert!(whole.kept.contains(&"what exists once".to_owned()));
        for package in &mut mooring.packages {
            package.keeps_unique = false;
        }
        let silent = said(&mooring);
        assert!(!silent.kept.iter().any(|kept| kept.contains("exists once")));
        assert!(silent.lost.iter().any(|lost| lost.contains("exists once")));
    }

    #[test]
    fn two_stages_in_a_row_waste_no_set_up_and_nothing_wiped_asks_for_nothing() {
        let pairs = [
            (FactKey::Mode, "bootloader"),
            (FactKey::Lock, "unlocked"),
            (FactKey::CriticalLock, "unlocked"),
        ];
        let relock = of("saltern", &pairs, Goal::Relock);
        assert_eq!((relock.wipes.len(), relock.wasted_setups), (2, 0));
        assert_eq!(of("saltern", &pairs, Goal::ToSystem), Ledger::default());
    }
}
