//! What is done for an act, and by whom: all that the engine and the link see of it.

use veritope_wire::{Digest, Label};

use crate::facts::{FactKey, FactValue, Facts};
use crate::family::Replaces;
use crate::mode::{Lock, Mode, Slot};

/// What is done for an act.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Doing {
    /// Somebody looks: this fact is known then.
    Look(FactKey),
    /// A person's hands do it.
    Hands,
    /// The link is told to.
    Command(Command),
    /// The link reads.
    Read(Reading),
    /// The link reads what lies on these partitions, and sends it back with a recovery inside.
    PutInside {
        /// The partitions, one after the other; those that hold nothing are left alone.
        labels: Vec<Label>,
        /// What of each the recovery's ramdisk takes the place of.
        replaces: Replaces,
        /// The recovery; nothing while it is open which one.
        image: Option<Digest>,
    },
    /// The link sends bytes to a partition.
    Send {
        /// The partition.
        label: Label,
        /// The image; nothing while it is open which one.
        image: Option<Digest>,
    },
}

/// A command over the link.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Command {
    /// Restart into a mode; storage, slots and lock stay as they are.
    Restart(Mode),
    /// Put an image into memory and start it.
    StartImage {
        /// The image; nothing while it is open which one.
        image: Option<Digest>,
    },
    /// Stream a file to what takes it in: its members' names, or it itself, decide where its bytes land (`M4`).
    TakeIn {
        /// What takes it in.
        by: TakenBy,
        /// The file; nothing while it is open which one.
        image: Option<Digest>,
    },
    /// Open a stage of the lock.
    Unlock {
        /// The stage.
        stage: String,
        /// Command forms in the order to try (`L1`).
        forms: Vec<String>,
        /// Whether it takes the unit's own token (`U4`).
        token: bool,
    },
    /// Close a stage of the lock.
    Lock {
        /// The stage.
        stage: String,
        /// Command forms in the order to try (`L1`).
        forms: Vec<String>,
    },
    /// Erase the owner's data with what belongs to it, the one set that a link has.
    EraseUserData,
    /// Make a slot the active one.
    SetSlot(Slot),
}

/// What takes in a file that is streamed.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum TakenBy {
    /// Download mode.
    Download,
    /// A recovery, which installs it.
    Recovery,
}

/// What is read.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Reading {
    /// The partition table (`B2`).
    Table,
    /// What a quick capture holds (`B3`).
    Capture,
}

/// What the device itself must answer at the door, before anything goes out to it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Ask {
    /// It is in one of these modes.
    Mode(Vec<Mode>),
    /// Its lock is so.
    Lock(Lock),
}

impl Ask {
    /// Whether what the device answered, as parsed, is that.
    #[must_use]
    pub fn is_answered(&self, said: &[(FactKey, FactValue)]) -> bool {
        let answer = |key: FactKey| {
            let mut all = said.iter().filter(|(known, _)| *known == key);
            all.next().map(|(_, value)| value.exact())
        };
        match self {
            Self::Mode(modes) => {
                answer(FactKey::Mode).is_some_and(|said| modes.iter().any(|mode| mode.id() == said))
            }
            Self::Lock(lock) => answer(FactKey::Lock).is_some_and(|said| said == lock.id()),
        }
    }

    /// What it asks, in the middle of a sentence.
    #[must_use]
    pub fn shown(&self) -> String {
        match self {
            Self::Mode(modes) => {
                let names: Vec<&str> = modes.iter().map(|mode| mode.shown()).collect();
                format!("it must be in {} for this", names.join(" or "))
            }
            Self::Lock(lock) => format!("the link does not report it as {} now", lock.id()),
        }
    }

    /// Whether these facts say so, for a look that is already read.
    #[must_use]
    pub fn is_so(&self, facts: &Facts) -> bool {
        match self {
            Self::Mode(modes) => facts.mode().is_some_and(|mode| modes.contains(&mode)),
            Self::Lock(lock) => facts.lock() == Some(*lock),
        }
    }
}
