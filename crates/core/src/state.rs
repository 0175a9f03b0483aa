//! The planner's view of a device: what an act can change, and the conditions that are asked of it.

use serde::Serialize;

use crate::captured::Rest;
use crate::facts::{FactKey, Facts};
use crate::family::BodyPart;
use crate::mode::{LiveReads, Lock, Mode, Modes, Readable, RecoveryKind, Slot};

/// A switch in the device's settings.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, utoipa::ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Switch {
    /// On.
    On,
    /// Off.
    Off,
}

/// Whether the owner's data is still what it was at the start of the sheet.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, utoipa::ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Data {
    /// As at the start.
    Kept,
    /// Not readable under the metadata that lies there now.
    Shut,
    /// Erased on this sheet.
    Erased,
}

/// Whether the maker's whole system was put on it.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, utoipa::ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Laid {
    /// As at the start.
    AsBefore,
    /// On this sheet.
    Makers,
}

/// Whether the partition table was read on this sheet.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, utoipa::ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum TableRead {
    /// Not yet.
    NotYet,
    /// Read.
    Read,
}

/// Whether all that exists once is captured as it is now.
#[derive(
    Debug, Clone, Copy, Default, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, utoipa::ToSchema,
)]
#[serde(rename_all = "kebab-case")]
pub enum BackedUp {
    /// Not since the system last ran.
    #[default]
    NotYet,
    /// Of it, what never changes by itself is; what lives is older, or was read while the system ran.
    Fixed,
    /// It is.
    Yes,
}

/// Whether the state rests on a look that has not been taken.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, utoipa::ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Look {
    /// All of it was seen or follows from what was seen.
    Settled,
    /// A look on the sheet was assumed to end well.
    Assumed,
}

/// Parts that don't work and that nothing stands in for, as a set. An action that needs one is not planned
/// (`N2`).
#[derive(
    Debug, Clone, Copy, Default, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, utoipa::ToSchema,
)]
#[serde(transparent)]
pub struct Broken(u8);

impl Broken {
    /// What is known to be broken, less what a person named something for.
    #[must_use]
    pub fn from_facts(facts: &Facts) -> Self {
        let is_broken = |part: &BodyPart| {
            part.is_among(facts, FactKey::Broken) && !part.is_among(facts, FactKey::StandIn)
        };
        Self::of(BodyPart::ALL.into_iter().filter(is_broken))
    }

    /// The set of these parts.
    #[must_use]
    pub fn of(parts: impl IntoIterator<Item = BodyPart>) -> Self {
        let parts = parts.into_iter();
        Self(parts.fold(0, |set, part| set | Self::bit(part)))
    }

    /// The first of these parts that doesn't work.
    #[must_use]
    pub fn first_of(self, parts: impl IntoIterator<Item = BodyPart>) -> Option<BodyPart> {
        let mut parts = parts.into_iter();
        parts.find(|part| self.0 & Self::bit(*part) != 0)
    }

    /// The parts of the set.
    pub fn parts(self) -> impl Iterator<Item = BodyPart> {
        let is_in = move |part: &BodyPart| self.0 & Self::bit(*part) != 0;
        BodyPart::ALL.into_iter().filter(is_in)
    }

    fn bit(part: BodyPart) -> u8 {
        1 << (part as u8)
    }
}

/// What an act can change. Unknown is `None` and satisfies nothing.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, utoipa::ToSchema)]
pub struct State {
    /// What runs.
    pub mode: Option<Mode>,
    /// Lock.
    pub lock: Option<Lock>,
    /// Whether the running system takes commands from a computer.
    pub debugging: Option<Switch>,
    /// Whether *off* is only half sleep, where the family has that.
    pub fast_start: Option<Switch>,
    /// The owner's data.
    pub data: Data,
    /// The partition table.
    pub table: TableRead,
    /// What lies in the recovery partition.
    pub recovery: Option<RecoveryKind>,
    /// What of the system puts the maker's recovery back as it starts.
    pub restorer: Option<Switch>,
    /// Administrator rights on the running system.
    pub rights: Option<Switch>,
    /// What exists once.
    pub backed_up: BackedUp,
    /// Lock of the critical partitions, where the family has that stage.
    pub critical: Option<Lock>,
    /// The active slot, where there are two.
    pub slot: Option<Slot>,
    /// Keys that don't work.
    pub broken: Broken,
    /// Packages that are still ahead on the way from build to build.
    pub legs_ahead: u8,
    /// The system.
    pub system: Laid,
    /// Whether something was assumed.
    pub look: Look,
}

const _: () = assert!(
    size_of::<State>() <= 16,
    "the search copies states by the thousand"
);

impl State {
    /// The state that the facts known now add up to, at the start of a sheet.
    #[must_use]
    pub fn from_facts(facts: &Facts) -> Self {
        Self {
            mode: facts.mode(),
            lock: facts.lock(),
            debugging: switch(facts, FactKey::Debugging),
            fast_start: switch(facts, FactKey::FastStart),
            data: if facts.is_data_shut() {
                Data::Shut
            } else {
                Data::Kept
            },
            table: TableRead::NotYet,
            recovery: facts.recovery(),
            restorer: switch(facts, FactKey::Restorer),
            critical: facts.choice(FactKey::CriticalLock).and_then(Lock::from_id),
            slot: facts.choice(FactKey::Slot).and_then(Slot::from_id),
            broken: Broken::from_facts(facts),
            rights: match facts.choice(FactKey::Root) {
                Some("yes") => Some(Switch::On),
                Some("no") => Some(Switch::Off),
                _ => None,
            },
            backed_up: BackedUp::NotYet,
            legs_ahead: 0,
            system: Laid::AsBefore,
            look: Look::Settled,
        }
    }
}

fn switch(facts: &Facts, key: FactKey) -> Option<Switch> {
    match facts.choice(key)? {
        "on" => Some(Switch::On),
        "off" => Some(Switch::Off),
        _ => None,
    }
}

impl State {
    /// Whether what runs gives the right to read partitions, and whether anything changes meanwhile.
    /// Unknown gives none.
    #[must_use]
    pub fn reads(self, readable: Readable) -> Option<Rest> {
        let mode = self.mode?;
        if readable.at_rest.has(mode) {
            return Some(Rest::AtRest);
        }
        let is_open = match readable.live {
            LiveReads::Never => false,
            LiveReads::Unlocked => self.lock == Some(Lock::Unlocked),
            LiveReads::Always => true,
        };
        let has_rights = mode == Mode::System && self.rights == Some(Switch::On);
        (has_rights && is_open).then_some(Rest::Live)
    }
}

/// Whether something is at hand.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, utoipa::ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Presence {
    /// It is.
    Here,
    /// It is not.
    Missing,
}

/// A condition on a state, with one predicate. Acts ask for it, goals are made of it, acts bring it.
///
/// Unknown satisfies nothing.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize)]
#[serde(tag = "bit", content = "of", rename_all = "kebab-case")]
pub enum Bit {
    /// It is in this mode.
    InMode(Mode),
    /// It is in one of these modes.
    InOneOf(Modes),
    /// What runs gives the right to read partitions.
    Reads(Readable),
    /// It runs something: a screen or a link tells of it.
    Runs,
    /// The lock is so.
    Lock(Lock),
    /// The lock of the critical partitions is so.
    Critical(Lock),
    /// The running system takes commands.
    Debugging,
    /// *Off* is off, not half sleep (`N5`).
    FastStartOff,
    /// This recovery lies in the partition.
    Recovery(RecoveryKind),
    /// The maker's recovery lies there, or may: which one shows when it runs.
    MayBeStock,
    /// So many packages are ahead on the way from build to build; one bit for each number.
    Legs(u64),
    /// Closed while more packages than this are ahead, open after.
    LockOnWay(u8),
    /// What exists once is captured, unless more packages than this are ahead.
    KeptOnWay(u8),
    /// What exists once is captured as it is now.
    BackedUp,
    /// What exists once and never changes by itself is captured.
    FixedKept,
    /// The partition table is read.
    TableRead,
    /// The maker's whole system was put on it on this sheet.
    MakersLaid,
    /// The owner's data was erased on this sheet.
    Erased,
    /// The owner's data can be read by the system, or is empty.
    DataReads,
    /// This slot is the active one.
    Slot(Slot),
    /// No look that was not taken is built on.
    Settled,
    /// It is not so yet: there is something to do.
    Open(Axis),
}

/// What an act would bring that must not be there already.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Axis {
    /// The mode is not known.
    Mode,
    /// The lock is not known.
    Lock,
    /// The lock of the critical partitions is not known.
    Critical,
    /// The owner's data is what it was.
    Data,
    /// Slot a is not the active one.
    SlotA,
    /// Slot b is not the active one.
    SlotB,
}

impl Axis {
    /// The axis of a slot.
    #[must_use]
    pub fn of(slot: Slot) -> Self {
        match slot {
            Slot::A => Self::SlotA,
            Slot::B => Self::SlotB,
        }
    }
}

impl Bit {
    /// Whether `state` has it.
    #[must_use]
    pub fn holds(self, state: State) -> bool {
        match self {
            Self::InMode(mode) => state.mode == Some(mode),
            Self::InOneOf(modes) => state.mode.is_some_and(|mode| modes.has(mode)),
            Self::Reads(readable) => state.reads(readable).is_some(),
            Self::Runs => state.mode.is_some_and(|mode| mode != Mode::Off),
            Self::Lock(lock) => state.lock == Some(lock),
            Self::Critical(lock) => state.critical == Some(lock),
            Self::Debugging => state.debugging == Some(Switch::On),
            Self::FastStartOff => state.fast_start == Some(Switch::Off),
            Self::Recovery(kind) => state.recovery == Some(kind),
            Self::MayBeStock => state
                .recovery
                .is_none_or(|kind| kind == RecoveryKind::Stock),
            Self::Legs(numbers) => 1u64
                .checked_shl(state.legs_ahead.into())
                .is_some_and(|one| one & numbers != 0),
            Self::LockOnWay(after) => {
                let wanted = if state.legs_ahead > after {
                    Lock::Locked
                } else {
                    Lock::Unlocked
                };
                state.lock == Some(wanted)
            }
            Self::KeptOnWay(after) => {
                state.legs_ahead > after || state.backed_up >= BackedUp::Fixed
            }
            Self::BackedUp => state.backed_up == BackedUp::Yes,
            Self::FixedKept => state.backed_up >= BackedUp::Fixed,
            Self::TableRead => state.table == TableRead::Read,
            Self::MakersLaid => state.system == Laid::Makers,
            Self::Erased => state.data == Data::Erased,
            Self::DataReads => state.data != Data::Shut,
            Self::Slot(slot) => state.slot == Some(slot),
            Self::Settled => state.look == Look::Settled,
            Self::Open(axis) => match axis {
                Axis::Mode => state.mode.is_none(),
                Axis::Lock => state.lock.is_none(),
                Axis::Critical => state.critical.is_none(),
                Axis::Data => state.data != Data::Erased,
                Axis::SlotA => state.slot != Some(Slot::A),
                Axis::SlotB => state.slot != Some(Slot::B),
            },
        }
    }

    /// Whether it is looked at as a step is asked for, and the rest planned anew where it differs: then
    /// nobody has to be told of it before.
    #[must_use]
    pub fn is_looked_at_first(self) -> bool {
        matches!(
            self,
            Self::InMode(_) | Self::InOneOf(_) | Self::Reads(_) | Self::Runs
        )
    }

    /// The facts that it is read from.
    #[must_use]
    pub fn keys(self) -> &'static [FactKey] {
        match self {
            Self::InMode(_) | Self::InOneOf(_) | Self::Runs | Self::Open(Axis::Mode) => {
                &[FactKey::Mode]
            }
            Self::Reads(_) => &[FactKey::Mode, FactKey::Root, FactKey::Lock],
            Self::Lock(_) | Self::LockOnWay(_) | Self::Open(Axis::Lock) => &[FactKey::Lock],
            Self::Critical(_) | Self::Open(Axis::Critical) => &[FactKey::CriticalLock],
            Self::Debugging => &[FactKey::Debugging],
            Self::FastStartOff => &[FactKey::FastStart],
            Self::Recovery(_) | Self::MayBeStock => &[FactKey::Recovery],
            Self::Slot(_) | Self::Open(Axis::SlotA | Axis::SlotB) => &[FactKey::Slot],
            Self::Legs(_) => &[FactKey::Build],
            Self::BackedUp
            | Self::FixedKept
            | Self::KeptOnWay(_)
            | Self::TableRead
            | Self::MakersLaid
            | Self::Erased
            | Self::DataReads
            | Self::Settled
            | Self::Open(Axis::Data) => &[],
        }
    }

    /// What step `number` lacks without it, in a sentence.
    #[must_use]
    pub fn because(self, number: usize) -> String {
        match self {
            Self::InMode(Mode::Off) => format!("Step {number} begins switched off."),
            Self::InMode(mode) => format!("Step {number} can only be done in {}.", mode.shown()),
            Self::InOneOf(_) | Self::Reads(_) => {
                format!("Step {number} needs a mode that reads partitions.")
            }
            Self::Lock(lock) => format!(
                "Step {number} can only be done while the unit is {}.",
                lock.id()
            ),
            Self::Debugging => {
                format!("Step {number} is a command, and the system takes none until this is on.")
            }
            Self::FastStartOff => format!(
                "Step {number} switches it off, and while this is on that is only half sleep."
            ),
            Self::Recovery(_) | Self::MayBeStock => {
                format!("Step {number} starts the recovery that this brings.")
            }
            Self::Critical(_) => {
                format!("Step {number} closes the main lock, and the critical one goes first.")
            }
            Self::Legs(_) => format!("Step {number} wants the build that this brings."),
            Self::BackedUp | Self::KeptOnWay(_) => format!(
                "Step {number} writes, and nothing is written before what exists once is kept."
            ),
            Self::FixedKept => {
                format!("Step {number} destroys what exists once, and a copy can be made before.")
            }
            Self::LockOnWay(_) => format!("Step {number} goes by the lock that this brings."),
            Self::DataReads => format!(
                "Step {number} starts the system, which can't read the data under the metadata that lies there."
            ),
            Self::Runs
            | Self::TableRead
            | Self::MakersLaid
            | Self::Erased
            | Self::Slot(_)
            | Self::Settled
            | Self::Open(_) => {
                format!("Step {number} builds on it.")
            }
        }
    }

    /// Why there is no way, where it is this that nothing brings; in the middle of a sentence.
    #[must_use]
    pub fn lacking(self) -> String {
        match self {
            Self::Lock(Lock::Unlocked) => {
                "it must be unlocked for this, and unlocking erases: that is a goal of its own"
                    .to_owned()
            }
            Self::Lock(Lock::Locked) => {
                "it must be locked for this, and locking is a goal of its own".to_owned()
            }
            Self::InMode(mode) => {
                format!("no way that this family knows leads into {}", mode.shown())
            }
            Self::Reads(Readable { at_rest: modes, .. })
                if modes == Modes::from_iter([Mode::CustomRecovery]) =>
            {
                format!("its partitions are read by a recovery {NOT_FIRST}")
            }
            Self::BackedUp | Self::FixedKept => {
                format!("what exists once would have to be read before, by a recovery {NOT_FIRST}")
            }
            Self::InOneOf(modes) | Self::Reads(Readable { at_rest: modes, .. }) => {
                match modes.shown() {
                    Some(modes) => format!("no way that this family knows leads into {modes}"),
                    None => "no mode that this family knows reads its partitions".to_owned(),
                }
            }
            Self::KeptOnWay(_) => {
                "what exists once would have to be kept before a package goes over the unlocked unit, and nothing that this family knows reads it there".to_owned()
            }
            Self::Recovery(RecoveryKind::Custom) => {
                "no other recovery lies in its partition".to_owned()
            }
            Self::MayBeStock | Self::Recovery(RecoveryKind::Stock) => {
                "another recovery lies in its partition: the maker's would have to be put back first"
                    .to_owned()
            }
            Self::Critical(_) => {
                "the lock of the critical partitions is not as this wants it, and nothing changes it here"
                    .to_owned()
            }
            Self::Debugging => {
                "it takes commands only once that is switched on in its settings, and nothing leads there"
                    .to_owned()
            }
            Self::FastStartOff => {
                "switched off is only half sleep while fast start is on, and nothing leads there to switch it"
                    .to_owned()
            }
            Self::Slot(slot) => format!("nothing here makes slot {} the active one", slot.id()),
            Self::Runs => "it is off, and nothing that this family knows starts it".to_owned(),
            Self::DataReads => {
                "the owner's data can't be read under the metadata that lies there, and nothing here formats it"
                    .to_owned()
            }
            Self::MakersLaid => {
                "nothing that this family knows takes the maker's whole system in".to_owned()
            }
            Self::Erased => "nothing that this family knows erases the owner's data".to_owned(),
            Self::TableRead => "nothing that this family knows reads its table".to_owned(),
            Self::Legs(_) | Self::LockOnWay(_) => {
                "no way from build to build leads there".to_owned()
            }
            Self::Settled | Self::Open(_) => {
                "no way that this family knows leads there".to_owned()
            }
        }
    }
}

/// Why a recovery that would read is not written first.
pub(crate) const NOT_FIRST: &str =
    "that would have to be written first, and nothing here writes one before there are copies (G3)";
