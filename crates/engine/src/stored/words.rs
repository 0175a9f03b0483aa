//! Things that are one word in the log.

use serde::{Deserialize, Serialize};
use veritope_core::act::{Cable, Reversibility};
use veritope_core::budget::Media;
use veritope_core::coverage::{Agreement, BlankBytes, Origin, Rest, Taker, WriteShown};
use veritope_core::facts::{FactKey, Happening, Source};
use veritope_core::family::{BodyPart, Cue, Key, PhaseKind, Wipe};
use veritope_core::goal::Goal;
use veritope_core::keepsafe::KeepClass;
use veritope_core::mode::{Lock, Mode, RecoveryKind, Slot};
use veritope_core::plan::Reach;
use veritope_core::rule::Rule;
use veritope_core::state::{BackedUp, Data, Laid, Look, Switch, TableRead};

use super::Form;
use crate::outcome::{RunEnd, StepResult};

/// What has an id of its own, kept for good: written as that.
#[derive(Serialize, Deserialize)]
#[serde(transparent)]
pub(crate) struct Word(String);

macro_rules! by_id {
    ($($of:ty, $what:literal;)*) => {
        $(impl Form<$of> for Word {
            fn of(it: &$of) -> Self {
                Self(it.id().to_owned())
            }

            fn read(self) -> std::result::Result<$of, String> {
                <$of>::from_id(&self.0).ok_or_else(|| format!("`{}` is no {}", self.0, $what))
            }
        })*
    };
}

by_id! {
    FactKey, "fact";
    Goal, "goal";
    KeepClass, "class of the owner's data";
    Lock, "state of a lock";
    Mode, "mode";
    RecoveryKind, "kind of recovery";
    Rule, "rule";
    Slot, "slot";
}

/// Words that only the log spells.
macro_rules! words {
    ($($name:ident of $of:ident { $($word:ident $id:literal,)* })*) => {
        $(#[derive(serde::Serialize, serde::Deserialize)]
        pub(crate) enum $name {
            $(#[serde(rename = $id)] $word,)*
        }

        impl Form<$of> for $name {
            fn of(it: &$of) -> Self {
                match it { $($of::$word => Self::$word,)* }
            }

            fn read(self) -> std::result::Result<$of, String> {
                Ok(match self { $(Self::$word => $of::$word,)* })
            }
        })*
    };
}

words! {
    Told of Source {
        Link "link", Person "person", File "file", Concluded "concluded",
    }
    Happened of Happening {
        ModeChanged "mode-changed", Wiped "wiped", LockChanged "lock-changed", LockInDoubt "lock-in-doubt",
        SystemWritten "system-written", RecoveryWritten "recovery-written", SystemRan "system-ran",
        RecoveryInDoubt "recovery-in-doubt", DataShut "data-shut",
    }
    Result of StepResult {
        AsExpected "as-expected", Otherwise "otherwise", Refused "refused", NotKnown "not-known",
    }
    Ended of RunEnd {
        Reached "reached", Stopped "stopped", NoWay "no-way",
    }
    Shown of WriteShown {
        Reported "reported", ReadBack "read-back",
    }
    OriginWord of Origin {
        Stock "stock", Read "read", Declared "declared",
    }
    RestWord of Rest {
        AtRest "at-rest", Live "live",
    }
    AgreementWord of Agreement {
        Once "once", Twice "twice", TwoOfThree "two-of-three",
    }
    BlankWord of BlankBytes {
        No "no", Zeros "zeros", Ones "ones",
    }
    TakerWord of Taker {
        Us "us", AnotherBench "another-bench",
    }
    MediaWord of Media {
        Distinct "distinct", Any "any",
    }
    SwitchWord of Switch {
        On "on", Off "off",
    }
    DataWord of Data {
        Kept "kept", Shut "shut", Erased "erased",
    }
    TableWord of TableRead {
        NotYet "not-yet", Read "read",
    }
    BackedUpWord of BackedUp {
        NotYet "not-yet", Fixed "fixed", Yes "yes",
    }
    LaidWord of Laid {
        AsBefore "as-before", Makers "makers",
    }
    LookWord of Look {
        Settled "settled", Assumed "assumed",
    }
    ReachWord of Reach {
        Goal "goal", FirstLook "first-look",
    }
    ReversibilityWord of Reversibility {
        CanBeUndone "can-be-undone", NoReturn "no-return",
    }
    CableWord of Cable {
        In "in", Either "either", Out "out", Trigger "trigger",
    }
    WipeWord of Wipe {
        Data "data", FormatData "format-data",
    }
    KeyWord of Key {
        Power "power", VolumeUp "volume-up", VolumeDown "volume-down", Home "home",
        DockButton "dock-button", Screen "screen",
    }
    BodyPartWord of BodyPart {
        PowerKey "power", VolumeUp "volume-up", VolumeDown "volume-down", HomeKey "home",
        Touch "screen", Screen "display", Port "port",
    }
    PhaseWord of PhaseKind {
        Hold "hold", Tap "tap", TapRepeatedly "tap-repeatedly", Swap "swap", CableIn "cable-in",
        CableOut "cable-out", Touch "touch", Tool "tool", Wait "wait",
    }
    CueWord of Cue {
        Black "black", Vibration "vibration", Logo "logo", Steady "steady", Question "question",
        Lamp "lamp", CableIn "cable-in", Seconds "seconds",
    }
}
