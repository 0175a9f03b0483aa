//! The ids of the job's rules (JOB), so that a judgement can say on what it rests and a typo in an
//! id does not compile.

use serde::Serialize;

macro_rules! rules {
    ($($id:ident: $gist:literal,)*) => {
        /// A rule of the job, spelled as in JOB.
        #[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, utoipa::ToSchema)]
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

            /// The rule with this id.
            #[must_use]
            pub fn from_id(id: &str) -> Option<Self> {
                Self::ALL.iter().copied().find(|rule| rule.id() == id)
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
    B3: "Tables, boot chain, device-unique, boot, recovery and control partitions are always captured.",
    B4: "What exists once is read twice, at rest, and both reads agree.",
    B5: "A backup is as long as its partition, and a blank one is explained.",
    B6: "Enough copies of everything that exists once, in enough places, before a foreign write.",
    B7: "A copy counts when it was read back from its medium, not longer than 180 days ago.",
    B8: "Room and time are computed before.",
    Care: "Only devices that one owns or is asked to work on are worked on (JOB 14).",
    C1: "Done means that the tool's answer and the device's own new state agree, read again.",
    E1: "What is unknown, contradicted or out of date satisfies nothing and never counts as zero.",
    E2: "What is asked for can be done here, or it is said what it would take.",
    E4: "Which bytes are better is judged by what they hold; worse ones never go over better ones.",
    E5: "What is sent is what was judged: it is hashed while it is sent.",
    E6: "A list, a name or a word can prove damage, never whose or which maker's bytes these are.",
    G1: "An unlock needs its preparations, its consequences told, and a typed consent.",
    G2: "A package of the maker's before the unlock needs its digest, its base and a consent of its own.",
    G3: "Writing only to be able to read is allowed when nothing else gives that right.",
    G4: "An image is written when everything that exists once is safe, and there is a way back.",
    G5: "Wipe, format, slot switch: the owner's data kept safe, nothing is being merged.",
    G6: "Nothing is erased whole before everything that exists once is kept.",
    G7: "Bytes go back to the unit that they came from, verified, with the present state kept.",
    G8: "A lock is closed on proven stock only, with the way back open and a consent.",
    K1: "A date in the build string agrees with the patch month, or both are read again.",
    K2: "Versions compare part by part; a part that jumps is read again.",
    K3: "An equipment ID has a check digit that proves that something is wrong, not where; masked on screen.",
    K4: "A unit is recognised by its identifiers, not by its nickname.",
    K5: "Facts go stale: the mode on any event, settings after a wipe.",
    K6: "Sold by a carrier and locked to a carrier differ; only the first bears on the bootloader.",
    K7: "What works is checked once at intake, or nobody knows later what was lost.",
    L1: "The family's own command form first; the other only if the first is unknown to the device.",
    L2: "A second stage for critical partitions only when the plan writes them.",
    L3: "After confirming, the state is read again from the device as evidence.",
    L4: "A wipe resets debugging.",
    L5: "Before the first foreign write the download screen's own lines read as the family says.",
    M1: "A file must name this family's codename.",
    M2: "Twins that differ by one letter may share nothing.",
    M5: "A file must fit its partition.",
    M8: "A file must have the digest that its publisher gives.",
    M11: "Where the system restores its own recovery, one goes straight from the write into the new one.",
    N1: "Ways into a mode differ by family, and are never shown without the unit's name.",
    N2: "A choreography is phases with a cue each, and says what a missed cue looks like and the safe way to try again.",
    N3: "On bootloader menus presses are counted from the highlight; the default answer is usually no.",
    N4: "Each step says whether cable and card are in or out.",
    N5: "Switching off that only hibernates does not count as off.",
    N6: "Link command first, keys next, a forced restart last, and never while an erase or a write may be running.",
    Q1: "The way back first: the partition that is written over is captured and verified.",
    Q8: "A set is complete only when every member of it is there, and no two builds share a folder.",
    Q11: "What replaces something is proven whole where it lies before anything is erased.",
    Q12: "A package goes onto the base that it states, and onto no other.",
    Q13: "A start of the system is a checkpoint after a risky step.",
    Q14: "Each choice of a write tool is taken, left or never touched, as the family says.",
    R1: "Each slot's checked partitions are proven to be one stock build of this variant and region.",
    R2: "The stock's rollback index is at or above the fused one.",
    R3: "Stock has started once since the last write, and the functions were checked before the lock.",
    R4: "Locking erases: data is kept safe and accounts are removed, as before an unlock.",
    R5: "Where it never unlocks again, the unit's name is typed for that.",
    R6: "The unlock switch stays on until the locked start was seen: it is the only way back.",
    R7: "Anything foreign left refuses the lock; there is no override.",
    S1: "What exists once goes back only to the unit that it came from, told by its hardware identity.",
    S2: "What is put back is verified just before, and what is there now is captured first.",
    S3: "Only what differs is written, read back and compared; interrupted, it is resumed or put back.",
    S4: "Raw user data of an encrypted unit is useless and is not put back.",
    S5: "Lock-state and control partitions are never written by us.",
    S6: "A whole erase only when the layout moves partitions, with everything that exists once read out before.",
    T5: "An animation past its bound: what was written last, where, and whether the data fits it.",
    T11: "No network or equipment ID: compare with what worked at intake.",
    U1: "A greyed switch has four causes: carrier, unpaid, managed, already unlocked.",
    U2: "A hidden switch: go online and ask for updates first, then wait the family's hours.",
    U3: "Where the service screen says that unlocking is not allowed, it is not.",
    U4: "A token belongs to one unit; it takes an account, the equipment ID, an agreement and a mail.",
    U5: "The build must be one that can be unlocked.",
    U6: "Accounts are removed and the screen lock is off before an unlock, or the maker's theft protection stands.",
    U7: "The battery carries the whole sheet with a quarter to spare, and never under 30 % into an erase.",
    U8: "The unit answers this computer in every mode that the sheet uses, before anything is lost.",
    U9: "Unlocking counts as erasing: every class of data is kept safe or waived first.",
    U10: "Relocked on a family that never unlocks again is final.",
    U11: "What the unlock costs is told before consent.",
    W1: "Never below a fused rollback index; a build's first start may fuse its own.",
}

impl std::fmt::Display for Rule {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(self.id())
    }
}
