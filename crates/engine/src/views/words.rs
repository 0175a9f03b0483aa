//! Words for what answers tell by its kind alone: a source, a role, a key. Screens show them; none makes its own.

use std::collections::BTreeMap;

use serde::Serialize;
use veritope_core::act::Cable;
use veritope_core::budget::BatteryVerdict;
use veritope_core::chart::Trust;
use veritope_core::evidence::LineState;
use veritope_core::facts::Source;
use veritope_core::family::{Cue, Key, Role, Wipe};
use veritope_core::matching::{Fit, Verdict as MatchVerdict};
use veritope_core::partitions::Listing;
use veritope_core::standing::{Level, Outcome};

use crate::links::presence::LinkPresence;
use crate::outcome::StepResult;

/// What is told by its kind, with words for each.
macro_rules! worded {
    ($($(#[$doc:meta])* $field:ident: $of:ident { $($kind:ident $words:literal,)+ })+) => {
        /// The words, by what they are for and by the id in answers.
        #[derive(Debug, Clone, Serialize, utoipa::ToSchema)]
        pub struct WordBook {
            $($(#[$doc])* pub $field: BTreeMap<$of, &'static str>,)+
        }

        /// All words.
        #[must_use]
        pub fn words() -> WordBook {
            $(
                /// Stops the build until a new kind has words.
                const fn $field(of: $of) -> &'static str {
                    match of { $($of::$kind => $words,)+ }
                }
            )+
            WordBook {
                $($field: [$($of::$kind,)+].map(|kind| (kind, $field(kind))).into(),)+
            }
        }
    };
}

worded! {
    /// How a line stands.
    line: LineState {
        Met "There",
        Missing "Missing",
        Unknown "Not known",
    }
    /// Who says so.
    source: Source {
        Link "read over the link",
        Person "said by a person",
        File "from a file",
        Concluded "concluded",
    }
    /// The same, where there is little room.
    source_short: Source {
        Link "by link",
        Person "said",
        File "from a file",
        Concluded "concluded",
    }
    /// Whether a criterion holds.
    fit: Fit {
        Fits "Fits",
        Unknown "Not known",
        Doubtful "Doubtful",
        Stops "Does not fit",
    }
    /// What comes of a file.
    match_verdict: MatchVerdict {
        Fits "Fits as it is",
        WithReason "Fits with a reason",
        Makes "Fits once it is made",
        Unknown "Not known whether it fits",
        Stops "Does not fit",
    }
    /// What a partition is there for.
    role: Role {
        BootChain "starts the unit; never written alone",
        Overlay "describes the hardware to the system",
        Verification "tells which bytes are genuine",
        RadioFirmware "runs the radio",
        Reserve "kept free",
        Boot "starts the system",
        Recovery "recovery",
        Os "system",
        DeviceUnique "exists once in the world",
        LockState "how the lock stands; never written",
        BootControl "start control; by commands only",
        UserData "the owner's data",
        Cache "scratch",
    }
    /// A copy, or what lies on the unit.
    trust: Trust {
        Live "on the unit",
        Unverified "not read back yet",
        Verified "read back, whole",
        Damaged "damaged",
    }
    /// How much a finding weighs.
    level: Level {
        Note "To know",
        Doubtful "Look again",
        FoundLost "Found lost",
    }
    /// How something comes out.
    outcome: Outcome {
        Open "Nothing in the way",
        After "After this",
        Refused "Refused",
    }
    /// How the family's list and the unit's own table agree.
    listing: Listing {
        AsListed "",
        OtherSize "other size than usual",
        ByBook "not on the family's list; by the book of usual labels",
        NotListed "not known to this family, so treated as existing once",
    }
    /// What a wipe takes.
    wipe: Wipe {
        Data "Data wipe: loses apps and settings.",
        FormatData "Format data: loses all internal storage and its encryption key.",
    }
    /// How a step ended.
    result: StepResult {
        AsExpected "as expected",
        Otherwise "not as expected",
        Refused "the unit declined",
        NotKnown "how it ended is not known",
    }
    /// A key.
    key: Key {
        Power "power",
        VolumeUp "volume up",
        VolumeDown "volume down",
        Home "home",
        DockButton "dock button",
        Screen "finger",
    }
    /// What ends a phase, where there is little room; seconds are counted.
    cue: Cue {
        Black "black",
        Vibration "vibrates",
        Logo "mark shows",
        Steady "stands still",
        Question "question",
        Lamp "lamp",
        CableIn "cable in",
        Seconds "seconds",
    }
    /// Where the cable is (`N4`).
    cable: Cable {
        In "The cable is in and stays in.",
        Out "The cable comes out and stays out.",
        Trigger "The cable is out; putting it in sets this off.",
        Either "",
    }
    /// What the charge is good for (`U7`).
    battery: BatteryVerdict {
        Enough "enough as it is",
        UnderFloor "enough, though under the floor of this bench",
        TooLow "charge first",
        NotKnown "the charge is not known",
    }
    /// How a link stands.
    presence: LinkPresence {
        Ready "answers",
        NotAuthorised "listed, takes no commands",
        Absent "not there",
        BridgeGone "bridge does not answer",
        AnotherUnit "another unit answers",
        NotTold "something answers, not told which unit",
        Doubtful "its signs disagree",
        ByHand "none, by hand",
    }
}
