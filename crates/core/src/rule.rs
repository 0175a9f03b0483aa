//! The ids of the job's rules (JOB), so that a judgement can say on what it rests and a typo in an
//! id does not compile.

use serde::{Deserialize, Serialize};

macro_rules! rules {
    ($($id:ident: $gist:literal,)*) => {
        /// A rule of the job, spelled as in JOB.
        #[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize, utoipa::ToSchema)]
        pub enum Rule {
            $(#[doc = $gist] $id,)*
        }

        impl Rule {
            /// All rules that this version applies.
            pub const ALL: &[Self] = &[$(Self::$id,)*];

            /// The id as written in JOB.
            #[must_use]
            pub fn id(self) -> &'static str {
                match self { $(Self::$id => stringify!($id),)* }
            }

            /// The rule's gist in one sentence, for a person.
            #[must_use]
            pub fn gist(self) -> &'static str {
                match self { $(Self::$id => $gist,)* }
            }
        }
    };
}

rules! {
    B1: "Bytes are read by the way that writes least; a temporary start writes nothing.",
    B2: "Labels, numbers and sizes come from the unit's own tables.",
    Care: "Only devices that one owns or is asked to work on are worked on (JOB 14).",
    C1: "Done means that the tool's answer and the device's own new state agree, read again.",
    G1: "An unlock needs its preparations, its consequences told, and a typed consent.",
    K3: "Identifiers are masked on screen and in exports.",
    K4: "A unit is recognised by its identifiers, not by its nickname.",
    K5: "Facts go stale: the mode on any event, settings after a wipe.",
    L1: "The family's own command form first; the other only if the first is unknown to the device.",
    L3: "After confirming, the state is read again from the device as evidence.",
    L4: "A wipe resets debugging.",
    M1: "A file must name this family's codename.",
    M5: "A file must fit its partition.",
    M8: "A file must have the digest that its publisher gives.",
    N4: "Each step says whether cable and card are in or out.",
    N6: "Link command first, keys next, a forced restart last.",
    Q13: "A start of the system is a checkpoint after a risky step.",
    S1: "What belongs to one unit is done to that unit only, told by its hardware identity.",
    U5: "The build must be one that can be unlocked.",
    U6: "Accounts are removed and the screen lock is off before an unlock, or the maker's theft protection stands.",
    U7: "The battery carries the whole sheet with a quarter to spare, and never under 30 % into an erase.",
    U9: "Unlocking counts as erasing: every class of data is kept safe or waived first.",
    U10: "Relocked on a family that never unlocks again is final.",
    U11: "What the unlock costs is told before consent.",
}

impl std::fmt::Display for Rule {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(self.id())
    }
}
