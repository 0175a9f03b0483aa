//! The rules of the job, each with its id, its gist and its reason: a judgement says on what it rests, a typo
//! in an id does not compile, and `docs/rules.md` is made of them.

use serde::Serialize;

macro_rules! rules {
    ($($id:ident: $gist:literal $reason:literal,)*) => {
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

            /// What it comes to, with its numbers and its reason.
            #[must_use]
            pub fn reason(self) -> &'static str {
                match self { $(Self::$id => $reason,)* }
            }
        }
    };
}

rules! {
    B1: "Bytes are read by the way that writes least; a temporary start writes nothing."
        "In this order: a recovery started from memory, a read-out mode of the maker's, administrator rights on the running system (what is read so is live), and only then a recovery that is written for it (G3). What is read goes straight over the link and is never left on the unit, and the link's rights are looked at before the first block: a copy that lies on the unit goes with it.",
    B2: "Labels, numbers and sizes come from the unit's own tables."
        "Partition numbers differ from unit to unit of one model, and makers move partitions between builds; a list from elsewhere puts bytes in the wrong place.",
    B3: "Tables, boot chain, device-unique, boot, recovery and control partitions are always captured."
        "All tables with both their copies, boot chain, what exists once, boot, recovery, overlay, verification, radio firmware, lock-state and control records: always. The operating system where no verified stock of the build is at hand. User data that is encrypted never as raw bytes, for a wipe takes its key; caches never. The quick set leaves the operating system out and takes minutes.",
    B4: "What exists once is read twice, at rest, and both reads agree."
        "A difference is a bad cable or bad flash, and a third read decides. A running system rewrites what lives, so what is read while it runs is marked live and read again at rest.",
    B5: "A backup is as long as its partition, and a blank one is explained."
        "Shorter than the partition, or a file system that declares more bytes than there are: no backup. All 0x00 or all 0xFF is expected where the family says so, found lost where every capture is blank and the first was taken before anything was written, and otherwise keeps writes shut.",
    B6: "Enough copies of everything that exists once, in enough places, before a foreign write."
        "Two by default, on different media unless the policy says that any will do. A copy on the unit itself, or on a card left in it, counts as none. What lives is read again before each session of writing; what never changes must be equal to the first capture.",
    B7: "A copy counts when it was read back from its medium, not longer than 180 days ago."
        "Read from the medium and not from memory, unpacked, and with the digest that the log has. A copy that can be reached is read back once more before a foreign write, within 10 minutes; one that was carried away counts by the log.",
    B8: "Room and time are computed before."
        "Free bytes and the file-size limit of the target; too little is refused with the number of bytes that are missing. What is interrupted goes on where it was.",
    B10: "What is handed to somebody else leaves out what exists once and the state of the lock."
        "A whole one says on its first line that it carries an identity. Somebody else's gets no identifiers either; what is in it can be checked and unpacked with common tools alone.",
    B12: "Of what is read while the system runs, only what never changes counts; of what hands read, what was read twice."
        "Fixed partitions read twice and equal are kept as at rest; living ones are kept too, marked, and don't count: the system writes to them meanwhile. On a unit without a link two dumps of what exists once that agree and have the length that its table gives count as kept, by your word; they are never put back by the bench.",
    Care: "Only devices that one owns or is asked to work on are worked on (JOB 14)."
        "A unit whose owner can't be named is not worked on. Identifiers are never altered and theft protection is never defeated; radio rules and local law apply, and a swollen or hot battery goes to somebody licensed.",
    C1: "Done means that the tool's answer and the unit's own new state agree, read again."
        "A tool that reports success has been wrong often enough; the pair of before and after is kept.",
    C3: "What was changed for the work is put back, or stands open."
        "Power saving, a driver, a program that was stopped: on a computer that is used for other things nobody remembers it a week later.",
    E1: "What is unknown, contradicted or out of date satisfies nothing and never counts as zero."
        "A line that is met says what was read, by whom and when. An index that is not known is not 0, and two sources that differ are none.",
    E2: "What is asked for can be done here, or it is said what it would take."
        "Every cure and every next step leads somewhere on this family in this state. A sheet that begins can be finished.",
    E4: "Which bytes are better is judged by what they hold; worse ones never go over better ones."
        "Good before doubtful before blank or damaged. Of bytes that live the newest good ones are proposed, of bytes that never change the earliest; what they replace is captured first.",
    E5: "What is sent is what was judged: it is hashed while it is sent."
        "Against the digest that the judgement cited; a name, a length or a time of change stands for nothing.",
    E6: "A list, a name or a word can prove damage, never whose or which maker's bytes these are."
        "Whoever made a folder made its list too. Only digests that ship with the program, and what lay on the unit itself while it was seen locked, say what is stock.",
    G1: "An unlock needs its preparations, its consequences told, and a typed consent."
        "Gates, accounts, screen lock, battery and the owner's data (U1 to U9), told costs (U11), and the name of the unit typed. What exists once and does not survive is named, and captured first wherever anything gives the right to read it.",
    G2: "A package of the maker's before the unlock needs its digest, its base and a consent of its own."
        "It must declare that it leaves alone what exists once, be whole, fit the base that it states, and not be below the fuse. The consent says that this is before any backup, for nothing can be copied yet.",
    G3: "Writing only to be able to read is allowed when nothing else gives that right."
        "The recovery's own partition and the companions that the family names, nothing else, and all other writes stay shut until the copies of B6 are there.",
    G4: "An image is written when everything that exists once is safe, and there is a way back."
        "Copies (B6), a way back (Q1), an image proven whole (Q11) and this unit's. A package that does not say what it touches touches everything.",
    G5: "Wipe, format, slot switch: the owner's data kept safe, nothing is being merged."
        "An erase in the middle of an update that is being merged leaves nothing that starts.",
    G6: "Nothing is erased whole before everything that exists once is kept."
        "Each partition of the unit's own table that exists once, with the copies of B6.",
    G7: "Bytes go back to the unit that they came from, verified, with the present state kept."
        "By S1 to S5. From one's own single copy too: this is the rescue, and asks for no second copy.",
    G8: "A lock is closed on proven stock only, with the way back open and a consent."
        "By R1 to R7. A lock that closes over foreign bytes leaves a unit that starts nothing and can't be opened.",
    K1: "A date in the build string agrees with the patch month, or both are read again."
        "Only where the family's pattern says which part is a date; a doubt, never a refusal.",
    K2: "Versions compare part by part; a part that jumps is read again."
        "Never as decimals or text: 6.0.27 is above 6.0.4. A part that is ten times what it was is more often misread than true.",
    K3: "An equipment ID has a check digit that proves that something is wrong, not where; masked on screen."
        "15 digits, the last a check digit over the others. Every position has a repair, so where it is wrong comes from elsewhere: the family's first eight digits, a second reading, two neighbours swapped. 16 digits carry a software version in place of the check digit.",
    K4: "A unit is recognised by its identifiers, not by its nickname."
        "It may give another serial in another mode, paired once in a session. All one sign, counting, words such as unknown: missing, never an identity. A second unit of the same model is a stop until the two are told apart.",
    K5: "Facts go stale: the mode on any event, settings after a wipe."
        "By the clock only what changes by itself: battery, waits, updates. The rest when the unit was out of sight; model, purchase and identifiers never. A mode is concluded from two signs.",
    K6: "Sold by a carrier and locked to a carrier differ; only the first bears on the bootloader."
        "It is a fact of the unit, not of its variant.",
    K7: "What works is checked once at intake, or nobody knows later what was lost."
        "Calls, data, wireless, camera, fingerprint, sensors, equipment ID, charging.",
    L1: "The family's own command form first; the other only if the first is unknown to the unit."
        "Any other refusal is a refusal.",
    L2: "A second stage for critical partitions only when the plan writes them."
        "Whether it is open already is asked first: opening it erases once more.",
    L3: "After confirming, the state is read again from the unit as evidence."
        "The cable stays in, and a lock that nobody has seen since is not known.",
    L4: "A wipe resets debugging."
        "The unlock switch only where the family keeps it in user data; once unlocked it shows as fixed on.",
    L5: "Before the first foreign write the download screen's own lines read as the family says."
        "They are the unit's own word that it lets foreign bytes in; a write before that is refused or leaves a mark.",
    M1: "A file must name this family's codename."
        "Its own descriptor and its publisher; a shared image may name a sister model only if its own descriptor says so.",
    M2: "Twins that differ by one letter may share nothing."
        "Variant, chipset, region and carrier's build: each shares files only with itself.",
    M3: "An image goes to the partition that it was built for."
        "A recovery lies in a partition of its own, inside boot, or inside another boot part; the wrong one starts nothing.",
    M4: "A file has the form that its route takes, and brings nothing besides."
        "Names say little: a package may be named image, and the members of a tar decide where the bytes land. What can be made into the right form is made first.",
    M5: "A file must fit its partition."
        "Equal is judged over the image's length, and what lies behind it is its own.",
    M6: "A recovery decrypts the generation that the system is of, or the plan empties the data."
        "Told by its property files, never by its head, which may claim anything; otherwise the owner's files stay scrambled in it.",
    M7: "A recovery is at least of the version that the next package needs."
        "An older one refuses the package or installs it half: the newer recovery first, and a restart into it.",
    M8: "A file must have the digest that its publisher gives."
        "A damaged file and a changed one look alike without it.",
    M9: "What has to be written with a recovery is written in the same go, each time."
        "Without it the bootloader refuses to start the new one, or the system puts the old one back.",
    M10: "A recovery can be worked with what of the unit's body works."
        "A dead touch or screen leaves nobody a way to answer it.",
    M11: "Where the system restores its own recovery, one goes straight from the write into the new one."
        "A single start of the system in between puts the maker's recovery back.",
    N1: "Ways into a mode differ by family, and are never shown without the unit's name."
        "The same two keys start the bootloader on one and the system on another.",
    N2: "A choreography is phases with a cue each, and says what a missed cue looks like and the safe way to try again."
        "Which keys go down, what ends the phase, who lets go first. On one screen a short and a long press of the same key do opposite things. What takes a key that does not work is not planned.",
    N3: "On bootloader menus presses are counted from the highlight; the default answer is usually no."
        "Touch is usually dead there.",
    N4: "Each step says whether cable and card are in or out."
        "The cable may itself be what sets a step off.",
    N5: "Switching off that only hibernates does not count as off."
        "Keys lead nowhere from half sleep: fast start is switched off first, or the vibration is waited for.",
    N6: "Link command first, keys next, a forced restart last, and never while an erase or a write may be running."
        "What is cut off in an erase or a write may be lost for good.",
    Q1: "The way back first: the partition that is written over is captured and verified."
        "Or verified stock of the present build is at hand.",
    Q3: "A package lies where the erase does not take it and the recovery reads it."
        "On storage that a recovery shows without sense it is not found: then from the card, or sent by the computer.",
    Q8: "A set is complete only when every member of it is there, and no two builds share a folder."
        "Half a set leaves a mix of two builds, which starts nothing and can't be locked.",
    Q11: "What replaces something is proven whole where it lies before anything is erased."
        "On this computer, on the card, in the other slot; and it stays reachable while the erase runs.",
    Q12: "A package goes onto the base that it states, and onto no other."
        "At least, exactly or at most a build; another base is gone to first.",
    Q13: "A start of the system is a checkpoint after a risky step."
        "It belongs to the end of what was asked for, and not between, where it would spoil a wipe or a recovery.",
    Q14: "Each choice of a write tool is taken, left or never touched, as the family says."
        "Re-partitioning never; locking in the same go only where locking is what is wanted.",
    R1: "Each slot's checked partitions are proven to be one stock build of this variant and region."
        "Proof by partition, the best first: read by a temporary start now, read by the recovery before its last restart, written by a route that reports success with nothing since, stock seen running. A slot may be empty, or hold another stock build. Less is no proof, and no lock.",
    R2: "The stock's rollback index is at or above the fused one."
        "Also in the slot that is not active: below it nothing starts again.",
    R3: "Stock has started once since the last write, and the functions were checked before the lock."
        "Afterwards nothing that exists once can be put back.",
    R4: "Locking erases: data is kept safe and accounts are removed, as before an unlock."
        "At the moment of confirming, like an unlock.",
    R5: "Where it never unlocks again, the unit's name is typed for that."
        "The costs are told before, marks that stay among them.",
    R6: "The unlock switch stays on until the locked start was seen: it is the only way back."
        "The critical stage is closed in the family's order.",
    R7: "Anything foreign left refuses the lock; there is no override."
        "Systems that an owner signed with keys of their own are foreign to this list.",
    S1: "What exists once goes back only to the unit that it came from, told by its hardware identity."
        "Identifiers one by one: one that differs refuses and nothing opens it; one that is missing is normal, for it is often what was lost. The hardware identity, which no erase reaches, must be said by the link and be the same. Bytes whose origin was only declared are never written there.",
    S2: "What is put back is verified just before, and what is there now is captured first."
        "The unit's own bytes too. What starts the unit is never put back below the fused index.",
    S3: "Only what differs is written, read back and compared; interrupted, it is resumed or put back."
        "Radio first, then the operating system, then what starts it, what exists once last. A partition whose write was interrupted holds everything else back until it is whole.",
    S4: "Raw user data of an encrypted unit is useless and is not put back."
        "A wipe destroys the key that it was written with.",
    S5: "Lock-state and control partitions are never written by us."
        "They are read for the record; mode and slot commands change them.",
    S6: "A whole erase only when the layout moves partitions, with everything that exists once read out before."
        "Where the write tool has a choice without the erase, that one is offered.",
    T1: "Nothing is listed: cable, mode, driver or port."
        "A cable that only charges, another mode than thought, no driver for this mode, a port that sleeps: one after the other, and with nothing attached the list must be empty.",
    T3: "An unlock that is refused has five causes."
        "The command is unknown in this form, the switch is off, the wait is not over, the token is of another unit, the build does not open. The unit's own words tell which.",
    T5: "An animation past its bound: what was written last, where, and whether the data fits it."
        "Wiped before a start in between, leftovers of another system, the wrong slot, add-ons of another generation: the log says which is likely.",
    T6: "The maker's recovery came back: something writes it at a start of the system, or a package did."
        "Look at what answers, install it once more, and go into it before the system starts.",
    T9: "Keys that lead elsewhere were let go too early or too late."
        "The order and the seconds of a choreography decide; a cable that is in sends many units into charging.",
    T10: "A write that is refused says why: size, container, model check, lock of the critical partitions, base."
        "Nothing was written then. The words on the unit and of the tool tell which of them it is.",
    T11: "No network or equipment ID: compare with what worked at intake."
        "Then put back what this unit's own capture holds, and nothing else's.",
    T13: "A locked unit that refuses to start found something that is not the maker's."
        "Where it may be unlocked again it is, and stock goes back whole; where not, only its maker helps.",
    T15: "Some things look wrong and are not."
        "A warning at the start, black seconds, a second restart, nothing moving until the cable goes in, waiting dots, a greyed switch that is on, a sideload that ends below 100 %.",
    T17: "Nothing was installed: stay in the recovery and send the package again."
        "A start of the system in between can lose the recovery, and half a system does not start.",
    T18: "A package on the wrong base is refused."
        "It states the build that it wants; that build is installed first.",
    T21: "Nothing at all: charge it for half an hour, then try the lower mode."
        "An empty battery looks like a dead unit. What answers in no mode goes to its maker.",
    U1: "A greyed switch has four causes: carrier, unpaid, managed, already unlocked."
        "They are told apart before anything is judged: a carrier's *never* is final, the other two are asked about.",
    U2: "A hidden switch: go online and ask for updates first, then wait the family's hours."
        "Minutes first, then for example 168 hours from the first time online. The moment is computed in the bench's own time, so that setting a clock shortens nothing.",
    U3: "Where the service screen says that unlocking is not allowed, it is not."
        "Nothing changes it.",
    U4: "A token belongs to one unit; it takes an account, the equipment ID, an agreement and a mail."
        "Its length and letters are checked before it is used; it is kept encrypted with its unit.",
    U5: "The build must be one that can be unlocked."
        "If not, packages may lead to one that is and back, cheapest by wipes and then by minutes, never below the fuse. Where a build to come closes the door, updates stay off until then.",
    U6: "Accounts are removed and the screen lock is off before an unlock, or the maker's theft protection stands."
        "After the erase the unit asks for an earlier account. Nobody's login is asked for here.",
    U7: "The battery carries the whole sheet with a quarter to spare, and never under 30 % into an erase."
        "Durations times the drain of each mode, plus 25 %. Under 30 % nothing is erased and no boot chain written; under the bench's own floor, 50 % at first, it is said.",
    U8: "The unit answers this computer in every mode that the sheet uses, before anything is lost."
        "The second mode often needs a driver of its own. The bridge's program runs once, the computer is on mains and has room.",
    U9: "Unlocking counts as erasing: every class of data is kept safe or waived first."
        "Photos, messages, contacts, login seeds and the like, each with where it lies and when that was opened to check, or given up.",
    U10: "Relocked on a family that never unlocks again is final."
        "Nothing changes it.",
    U11: "What the unlock costs is told before consent."
        "Data, keys of the maker's, warranty, marks that no relock removes, payment and protected media, a warning at each start, updates by hand.",
    W1: "Never below a fused rollback index; a build's first start may fuse its own."
        "What is burnt in can't be undone. Where nothing reads it, the index of what starts now bounds it from above.",
}

impl std::fmt::Display for Rule {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(self.id())
    }
}

/// A rule as it is shown.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct RuleLine {
    /// Its id.
    pub id: Rule,
    /// In one sentence.
    pub gist: &'static str,
    /// What it comes to, with its numbers and its reason.
    pub reason: &'static str,
}

/// All rules that this version applies.
#[must_use]
pub fn lines() -> Vec<RuleLine> {
    let line = |rule: &Rule| RuleLine {
        id: *rule,
        gist: rule.gist(),
        reason: rule.reason(),
    };
    Rule::ALL.iter().map(line).collect()
}

/// The book of all rules, as `docs/rules.md` holds it.
#[must_use]
pub fn book() -> String {
    let mut book = String::from(
        "# The rules\n\nMade from `crates/core/src/rule.rs` by `cargo xtask schema`; a test holds the two together. Judgements on\nscreen, log entries and code cite these ids.\n",
    );
    for rule in Rule::ALL {
        let line = format!("\n## {rule}\n\n**{}**\n\n{}\n", rule.gist(), rule.reason());
        book.push_str(&line);
    }
    book
}
