//! A mode is concluded from two signs (`K5`).
//!
//! The first sign is the word of the link. The second is what else the link reads: each family lists
//! the facts that a link reads in one mode and not in another (`mode.tells`). A bridge that says
//! *bootloader* and reads what only the running system gives has not understood its device, and
//! nothing is decided on its word. Where a family lists nothing, there is one sign, and it says so.
//!
//! By hand the two signs are what a step brings and what a person sees
//! ([`crate::plan::sighting`]).

use std::collections::BTreeSet;

use crate::facts::FactKey;
use crate::family::Family;
use crate::mode::Mode;

/// What the signs of a mode come to.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Signs {
    /// The link says no mode.
    None,
    /// The link says so, and nothing speaks for or against it.
    One(Mode),
    /// The link says so, and what it reads fits that mode.
    Two(Mode),
    /// What the link reads fits other modes, or none.
    Disagree {
        /// What the link says.
        said: Mode,
        /// The modes that what it reads would fit.
        fits: Vec<Mode>,
    },
}

impl Signs {
    /// The mode that may be relied on.
    #[must_use]
    pub fn mode(&self) -> Option<Mode> {
        match self {
            Self::One(mode) | Self::Two(mode) => Some(*mode),
            Self::None | Self::Disagree { .. } => None,
        }
    }

    /// What is wrong and what to do, in one sentence, when the signs disagree.
    #[must_use]
    pub fn doubt(&self) -> Option<String> {
        let Self::Disagree { said, fits } = self else {
            return None;
        };
        let fits: Vec<&str> = fits.iter().map(|mode| mode.shown()).collect();
        let reads = if fits.is_empty() {
            "what it reads fits no mode of this family".to_owned()
        } else {
            format!("what it reads fits {}", fits.join(" or "))
        };
        Some(format!(
            "The link says {}, but {reads}: look at the unit's own screen, and read it again.",
            said.shown()
        ))
    }
}

/// Weighs the link's word against what else it reads.
#[must_use]
pub fn of_link(family: &Family, said: Option<Mode>, reads: &BTreeSet<FactKey>) -> Signs {
    let Some(said) = said else {
        return Signs::None;
    };
    let telling: BTreeSet<FactKey> = family
        .modes
        .iter()
        .flat_map(|spec| spec.tells.iter().copied())
        .collect();
    if telling.is_empty() {
        return Signs::One(said);
    }
    let told: BTreeSet<FactKey> = reads.intersection(&telling).copied().collect();
    let fits: Vec<Mode> = family
        .modes
        .iter()
        .filter(|spec| spec.tells.iter().copied().collect::<BTreeSet<_>>() == told)
        .map(|spec| spec.mode)
        .collect();
    if fits.contains(&said) {
        Signs::Two(said)
    } else {
        Signs::Disagree { said, fits }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::family::testing::{gimbal, shipped};

    fn reads(keys: &[FactKey]) -> BTreeSet<FactKey> {
        // What a link reads everywhere tells nothing.
        keys.iter()
            .copied()
            .chain([FactKey::Codename, FactKey::Lock])
            .collect()
    }

    #[test]
    fn the_word_of_the_link_and_what_it_reads_make_two_signs() {
        use FactKey::{Build, Debugging, Recovery, Serial};
        let family = gimbal();
        let cases: [(Mode, &[FactKey]); 4] = [
            (Mode::System, &[Serial, Build, Debugging]),
            (Mode::Bootloader, &[Serial]),
            (Mode::TemporaryRecovery, &[]),
            (Mode::CustomRecovery, &[Recovery]),
        ];
        for (mode, keys) in cases {
            assert_eq!(
                of_link(&family, Some(mode), &reads(keys)),
                Signs::Two(mode),
                "{mode:?}"
            );
        }
        assert_eq!(of_link(&family, None, &reads(&[Serial])), Signs::None);
    }

    #[test]
    fn signs_that_disagree_give_no_mode() {
        let signs = of_link(
            &shipped("kelpie"),
            Some(Mode::Download),
            &reads(&[FactKey::Serial, FactKey::Build, FactKey::Debugging]),
        );
        assert_eq!(signs.mode(), None);
        assert_eq!(
            signs.doubt().unwrap(),
            "The link says download mode, but what it reads fits running system: look at the unit's own screen, and read it again."
        );
        let odd = of_link(
            &gimbal(),
            Some(Mode::System),
            &reads(&[FactKey::Build, FactKey::Recovery]),
        );
        assert!(odd.doubt().unwrap().contains("fits no mode of this family"));
    }

    #[test]
    fn a_family_that_lists_nothing_leaves_one_sign() {
        let mut family = gimbal();
        for mode in &mut family.modes {
            mode.tells.clear();
        }
        let signs = of_link(&family, Some(Mode::Bootloader), &reads(&[FactKey::Build]));
        assert_eq!(signs, Signs::One(Mode::Bootloader));
        assert_eq!(signs.doubt(), None);
    }
}
