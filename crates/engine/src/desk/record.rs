//! What is written down: one entry for each thing that was seen, said, decided or done. Changing
//! acts have two, the *intent* before and the *outcome* after.

use serde::{Deserialize, Serialize};
use veritope_core::act::{Act, How};
use veritope_core::budget::Policy;
use veritope_core::consent::Consent;
use veritope_core::coverage::{BlankBytes, CaptureFacts, CopyFacts, Rest};
use veritope_core::facts::{FactKey, FactRow, FactValue, Happening, Source};
use veritope_core::family::Paired;
use veritope_core::goal::Goal;
use veritope_core::keepsafe::{KeepClass, Kept};
use veritope_core::mode::Mode;
use veritope_core::partitions::OwnPartition;
use veritope_core::plan::Sheet;
use veritope_core::rule::Rule;

use crate::stored::{
    self, Agreed, As, Copied, Damage, Ended, Fact, Happened, Keeping, Own, Pairing, Rules, Shown,
    Told, Word,
};
use veritope_wire::link::{Epoch, Handle};
use veritope_wire::{
    BenchTime, BridgeId, CaptureId, Digest, FactId, Label, PlaceId, RequestId, RunId, Stamp, UnitId,
};

/// Lines of a recovery's own log that are shown; the others are in the chain.
const SHOWN_LINES: usize = 8;

/// Whose log an entry belongs to; each has a hash chain of its own.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Scope {
    /// The bench's.
    Bench,
    /// One unit's.
    Unit(UnitId),
}

/// How a unit is reached.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(tag = "by", rename_all = "kebab-case")]
pub enum Way {
    /// Over a bench link.
    Link {
        /// The bridge.
        bridge: BridgeId,
        /// The bridge's name for it.
        handle: Handle,
    },
    /// A person is the only source.
    Hand,
}

/// A unit's first line, as the bench's chain notes it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Birth {
    /// The unit.
    pub unit: UnitId,
    /// Its name then.
    pub nickname: String,
    /// Hash of its first line.
    pub first: Digest,
}

/// Where a unit's chain ends, as the bench's chain notes it.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct ChainEnd {
    /// The unit.
    pub unit: UnitId,
    /// Number of its last line.
    pub seq: u64,
    /// Hash of that line.
    pub hash: Digest,
}

pub use crate::outcome::{DamageFacts, RunEnd, StepResult};
pub use veritope_core::coverage::WriteShown;

/// One entry of a log.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(tag = "what", rename_all = "kebab-case")]
pub enum Entry {
    /// A data folder was made.
    BenchBegan {
        /// Version of the program.
        program: String,
    },
    /// A unit's chain began.
    UnitBorn {
        /// Which, and how.
        #[serde(flatten)]
        birth: Birth,
    },
    /// Where the units' chains ended at a start or stop; those that had not moved since are not repeated.
    ChainsNoted {
        /// Each.
        ends: Vec<ChainEnd>,
    },
    /// A damaged log was set aside by a person.
    LogSetAside {
        /// Whose; nothing for the bench's own.
        unit: Option<UnitId>,
        /// Where it lies in the log's folder; nothing when it was gone.
        file: Option<String>,
        /// Digest of that file.
        digest: Option<Digest>,
        /// What was wrong with it.
        why: String,
    },
    /// The index was not what the log says, and was made anew from it.
    IndexRemade {
        /// What was found.
        why: String,
    },
    /// Something that a later program wrote: it stays in the file as it stands.
    #[serde(skip)]
    OfLater {
        /// The name of its kind.
        what: String,
    },
    /// A bridge was added; its token is not written down here.
    BridgeAdded {
        /// Its id.
        bridge: BridgeId,
        /// Its own name.
        name: String,
        /// Its address.
        url: String,
    },
    /// A bridge was removed.
    BridgeRemoved {
        /// Its id.
        bridge: BridgeId,
        /// Its own name.
        name: String,
    },
    /// A family of the user's was kept; it replaces one with the same codename.
    FamilyKept {
        /// Codename.
        codename: String,
        /// Digest of its text.
        digest: Digest,
    },
    /// A family of the user's was let go.
    FamilyLeft {
        /// Codename.
        codename: String,
    },
    /// This computer's clock was set.
    ClockSet {
        /// By how much, in milliseconds; negative when it was set back.
        by_ms: i64,
    },
    /// A person said that the clock is right.
    ClockTrusted,
    /// A picture was attached to a fact.
    PictureKept {
        /// Which.
        fact: FactId,
        /// What it is about.
        #[serde(with = "As::<Word>")]
        key: FactKey,
        /// Digest of the picture; its bytes lie beside the log.
        digest: Digest,
    },
    /// An identifier that the unit gives in one mode is its own (`K4`).
    Paired {
        /// Which, where, what.
        #[serde(flatten, with = "As::<Pairing>")]
        paired: Paired,
    },
    /// A unit came onto the bench.
    UnitAdded {
        /// Its name here.
        nickname: String,
        /// Codename of its family, when known.
        family: Option<String>,
        /// How it is reached.
        way: Way,
    },
    /// Facts were recorded.
    Facts {
        /// The rows.
        #[serde(with = "As::<Vec<Fact>>")]
        facts: Vec<FactRow>,
    },
    /// A fact was taken back.
    FactRetracted {
        /// Which.
        fact: FactId,
        /// What it was about.
        #[serde(with = "As::<Word>")]
        key: FactKey,
    },
    /// Something happened that makes facts stale.
    Happened {
        /// What.
        #[serde(with = "As::<Happened>")]
        happening: Happening,
        /// When: the moment of the look that showed it, not the later one of writing it down.
        at: BenchTime,
        /// The link's epoch after it, where a link showed it.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        epoch: Option<Epoch>,
    },
    /// Something was said about a class of data, or taken back.
    KeptSafe {
        /// The class.
        #[serde(with = "As::<Word>")]
        class: KeepClass,
        /// What; nothing when taken back.
        #[serde(with = "As::<Option<Keeping>>")]
        kept: Option<Kept>,
    },
    /// A goal was chosen.
    GoalChosen {
        /// Which.
        #[serde(with = "As::<Word>")]
        goal: Goal,
        /// Why, where the family's default is another way to the same end (`M12`).
        #[serde(default, skip_serializing_if = "Option::is_none")]
        reason: Option<String>,
    },
    /// A run began with this sheet.
    RunBegan {
        /// The run.
        run: RunId,
        /// The sheet.
        #[serde(with = "As::<Box<stored::Sheet>>")]
        sheet: Box<Sheet>,
        /// Digest of the family's text that it was planned by, and goes on by to its end.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        family: Option<Digest>,
        /// Digest of the image that was judged for it, where it starts or writes one (`E5`).
        #[serde(default, skip_serializing_if = "Option::is_none")]
        image: Option<Digest>,
    },
    /// The rest of a run was planned again.
    Replanned {
        /// The run.
        run: RunId,
        /// Why.
        why: String,
        /// The new sheet.
        #[serde(with = "As::<Box<stored::Sheet>>")]
        sheet: Box<Sheet>,
    },
    /// A person consented.
    Consented {
        /// The run.
        run: RunId,
        /// To what.
        #[serde(with = "As::<Agreed>")]
        consent: Consent,
    },
    /// A step is about to be taken.
    Intent {
        /// The run.
        run: RunId,
        /// The step in words.
        title: String,
        /// What is done, where it changes anything.
        #[serde(with = "As::<Option<stored::Act>>", alias = "effect")]
        act: Option<Act>,
        /// How it is done by hand, as a complete list told it: kept, so that nobody who has begun stands
        /// there without.
        #[serde(
            default,
            with = "As::<Option<stored::HandsOn>>",
            skip_serializing_if = "Option::is_none"
        )]
        told: Option<How>,
    },
    /// What came of it.
    Outcome {
        /// The run.
        run: RunId,
        /// How it ended.
        #[serde(with = "As::<stored::Result>")]
        result: StepResult,
        /// Who says so.
        #[serde(with = "As::<Told>")]
        source: Source,
        /// What was seen, in words.
        saw: String,
    },
    /// The own log of a recovery was copied off, before it was left (`M14`).
    RecoveryLog {
        /// Its last lines, as text; signs that steer a terminal are taken out.
        text: String,
    },
    /// A partition table was read.
    TableRead {
        /// The run.
        run: RunId,
        /// The table's own identifier.
        guid: String,
        /// Its partitions.
        #[serde(with = "As::<Vec<Own>>")]
        partitions: Vec<OwnPartition>,
    },
    /// The seal refused something.
    Refused {
        /// What was wanted.
        wanted: String,
        /// The rules that stood against it.
        #[serde(with = "As::<Rules>")]
        rules: Vec<Rule>,
    },
    /// A capture was taken.
    Captured {
        /// What it holds.
        #[serde(with = "As::<stored::Capture>")]
        capture: CaptureFacts,
        /// Partitions the unit has, as its own table says.
        #[serde(with = "As::<Vec<Own>>")]
        own: Vec<OwnPartition>,
    },
    /// The unit's token is kept from now on, encrypted; the log does not hold it (`U4`).
    TokenKept,
    /// A capture that another bench took was found in a place and taken over (`E6`).
    CaptureFound {
        /// What it holds.
        #[serde(with = "As::<stored::Capture>")]
        capture: CaptureFacts,
        /// Partitions the unit had then, as its own table said.
        #[serde(with = "As::<Vec<Own>>")]
        own: Vec<OwnPartition>,
    },
    /// The unit has another name from now on.
    UnitRenamed {
        /// Which.
        nickname: String,
    },
    /// The unit is off the bench, or back on it; its record stays.
    UnitPutAway {
        /// Whether it is off.
        away: bool,
    },
    /// The unit is reached otherwise from now on.
    WayChanged {
        /// How.
        way: Way,
    },
    /// A set of the maker's was taken into the vault, every digest compared with the published one.
    StockTaken {
        /// What it holds.
        #[serde(with = "As::<stored::Capture>")]
        capture: CaptureFacts,
    },
    /// A capture was brought to a place.
    CopyMade {
        /// The copy, not read back yet.
        #[serde(with = "As::<Copied>")]
        copy: CopyFacts,
    },
    /// A capture was written as one tar, to be carried away (`B10`).
    Exported {
        /// Which.
        capture: CaptureId,
        /// Name of the tar.
        name: String,
        /// Whether it carries the unit's identity.
        identity: bool,
        /// Digest of the tar.
        blake3: Digest,
    },
    /// A copy was read back from its medium.
    CopyRead {
        /// Of which capture.
        capture: CaptureId,
        /// Where.
        place: PlaceId,
        /// The place's name.
        name: String,
        /// The medium beneath; nothing for memory.
        medium: Option<String>,
        /// What is damaged; nothing when it is sound.
        #[serde(with = "As::<Vec<Damage>>")]
        damage: Vec<DamageFacts>,
    },
    /// A partition is about to be written.
    WriteBegan {
        /// What is done.
        #[serde(with = "As::<stored::Act>", alias = "effect")]
        act: Act,
        /// What lies there, where it was captured.
        before: Option<Digest>,
    },
    /// A write is through.
    WriteEnded {
        /// The partition.
        label: Label,
        /// The image.
        image: Digest,
        /// What shows it.
        #[serde(with = "As::<Shown>")]
        shown: WriteShown,
    },
    /// A place was added.
    PlaceAdded {
        /// Its id.
        place: PlaceId,
        /// Its name.
        name: String,
        /// Where.
        path: String,
    },
    /// A place is no longer used; what lies there stays.
    PlaceRemoved {
        /// Its id.
        place: PlaceId,
        /// Its name.
        name: String,
    },
    /// A file came onto the shelf.
    FileShelved {
        /// Its digest.
        file: Digest,
        /// Its name.
        name: String,
        /// What it was made from, where it was made here.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        made_of: Option<Digest>,
    },
    /// Something was written down of a file on the shelf.
    FileNoted {
        /// Its digest.
        file: Digest,
        /// Its name.
        name: String,
        /// What, in words.
        noted: String,
    },
    /// A file left the shelf.
    FileRemoved {
        /// Its digest.
        file: Digest,
        /// Its name.
        name: String,
    },
    /// A file was chosen for a unit's recovery, or the choice was left to the bench again.
    FileChosen {
        /// Its digest; nothing where the best is taken.
        file: Option<Digest>,
        /// Its name.
        name: String,
        /// Why, where something speaks against it.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        reason: Option<String>,
    },
    /// The bench's policy was changed.
    PolicyChanged {
        /// What it is now.
        #[serde(with = "As::<stored::Policy>")]
        policy: Policy,
    },
    /// A run ended.
    RunEnded {
        /// The run.
        run: RunId,
        /// How.
        #[serde(with = "As::<Ended>")]
        end: RunEnd,
        /// Why, where no way leads on.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        why: Option<String>,
    },
}

/// An entry as written: numbered, timed, part of a chain.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Stamped {
    /// Whose log.
    pub scope: Scope,
    /// Number in that log, from 1.
    pub seq: u64,
    /// When.
    pub at: Stamp,
    /// The request that brought it, if one did.
    pub request: Option<RequestId>,
    /// The line's hash.
    pub hash: Digest,
    /// The entry.
    pub entry: Entry,
}

/// What an entry is about, for filtering.
#[derive(
    Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, utoipa::ToSchema,
)]
#[serde(rename_all = "kebab-case")]
pub enum EntryKind {
    /// The bench itself.
    Bench,
    /// Facts, and what makes them stale.
    Facts,
    /// The owner's data.
    KeepSafe,
    /// Goals, sheets, consents.
    Decisions,
    /// Intents and outcomes.
    Acts,
    /// Captures, copies, what was read back.
    Backups,
    /// Refusals of the seal.
    Refusals,
}

impl EntryKind {
    /// The id used in stores and in the API.
    #[must_use]
    pub fn id(self) -> &'static str {
        match self {
            Self::Bench => "bench",
            Self::Facts => "facts",
            Self::KeepSafe => "keep-safe",
            Self::Decisions => "decisions",
            Self::Acts => "acts",
            Self::Backups => "backups",
            Self::Refusals => "refusals",
        }
    }
}

impl Entry {
    /// Something happened that makes facts stale (`K5`), at no known moment of the link.
    #[must_use]
    pub fn happened(happening: Happening, at: BenchTime) -> Self {
        Self::Happened {
            happening,
            at,
            epoch: None,
        }
    }

    /// What it is about.
    #[must_use]
    pub fn kind(&self) -> EntryKind {
        match self {
            Self::BenchBegan { .. }
            | Self::UnitBorn { .. }
            | Self::ChainsNoted { .. }
            | Self::LogSetAside { .. }
            | Self::IndexRemade { .. }
            | Self::OfLater { .. }
            | Self::BridgeAdded { .. }
            | Self::BridgeRemoved { .. }
            | Self::FamilyKept { .. }
            | Self::FamilyLeft { .. }
            | Self::ClockSet { .. }
            | Self::ClockTrusted
            | Self::PlaceAdded { .. }
            | Self::PlaceRemoved { .. }
            | Self::FileShelved { .. }
            | Self::FileNoted { .. }
            | Self::FileRemoved { .. }
            | Self::PolicyChanged { .. } => EntryKind::Bench,
            Self::Captured { .. }
            | Self::CaptureFound { .. }
            | Self::StockTaken { .. }
            | Self::CopyMade { .. }
            | Self::Exported { .. }
            | Self::CopyRead { .. } => EntryKind::Backups,
            Self::UnitAdded { .. }
            | Self::UnitRenamed { .. }
            | Self::UnitPutAway { .. }
            | Self::WayChanged { .. }
            | Self::TokenKept
            | Self::Facts { .. }
            | Self::FactRetracted { .. }
            | Self::PictureKept { .. }
            | Self::Paired { .. }
            | Self::Happened { .. } => EntryKind::Facts,
            Self::KeptSafe { .. } => EntryKind::KeepSafe,
            Self::GoalChosen { .. }
            | Self::FileChosen { .. }
            | Self::RunBegan { .. }
            | Self::Replanned { .. }
            | Self::Consented { .. }
            | Self::RunEnded { .. } => EntryKind::Decisions,
            Self::Intent { .. }
            | Self::Outcome { .. }
            | Self::RecoveryLog { .. }
            | Self::TableRead { .. }
            | Self::WriteBegan { .. }
            | Self::WriteEnded { .. } => EntryKind::Acts,
            Self::Refused { .. } => EntryKind::Refusals,
        }
    }

    /// What it reads of the charge, where it tells nothing else: such readings in a row are one line to a
    /// person.
    #[must_use]
    pub fn gauge(&self) -> Option<String> {
        let Self::Facts { facts } = self else {
            return None;
        };
        let is_charge = |row: &&FactRow| row.key == FactKey::Battery && row.source == Source::Link;
        let last = facts.iter().rfind(is_charge)?;
        (facts.iter().filter(is_charge).count() == facts.len())
            .then(|| last.value.shown(FactKey::Battery))
    }

    /// The entry as a sentence, identifiers masked (`K3`).
    #[must_use]
    pub fn sentence(&self) -> String {
        match self {
            Self::BenchBegan { program } => format!("This bench began, with version {program}."),
            Self::UnitBorn { birth } => format!(
                "The log of {} began with {}.",
                birth.nickname,
                birth.first.short()
            ),
            Self::ChainsNoted { ends } => match ends.len() {
                0 => "No log has moved since it was last noted.".to_owned(),
                1 => "The end of one log was noted.".to_owned(),
                count => format!("The ends of {count} logs were noted."),
            },
            Self::LogSetAside {
                unit, file, why, ..
            } => format!(
                "The log {} was set aside{}: {why}.",
                unit.map_or_else(
                    || "of the bench".to_owned(),
                    |unit| format!("of unit {unit}")
                ),
                file.as_ref()
                    .map(|file| format!(" as {file}"))
                    .unwrap_or_default()
            ),
            Self::IndexRemade { why } => {
                format!("The index was made anew from the log: {why}.")
            }
            Self::OfLater { what } => {
                format!("A newer Veritope wrote this line ({what}); use that one to read it.")
            }
            Self::BridgeAdded { name, url, .. } => format!("Bridge {name} at {url} was added."),
            Self::BridgeRemoved { name, .. } => format!("Bridge {name} was removed."),
            Self::FamilyKept { codename, digest } => {
                format!("Family {codename} was kept as {}.", digest.short())
            }
            Self::FamilyLeft { codename } => {
                format!("The bench's own family {codename} was let go.")
            }
            Self::ClockSet { by_ms } => format!(
                "This computer's clock was set {}; waits go on as if it had not been.",
                set_in_words(*by_ms)
            ),
            Self::ClockTrusted => "The clock is right, a person says.".to_owned(),
            Self::Paired { paired } => format!(
                "{} {} in {} is this unit's.",
                paired.key.spec().title,
                FactValue::Text(paired.value.clone()).shown(paired.key),
                paired.mode.shown()
            ),
            Self::PictureKept { key, .. } => format!(
                "A picture was attached to: {}.",
                key.spec().title.to_lowercase()
            ),
            Self::UnitAdded { nickname, way, .. } => match way {
                Way::Link { handle, .. } => {
                    format!("{nickname} came onto the bench, linked as {}.", handle.0)
                }
                Way::Hand => format!("{nickname} came onto the bench, by hand."),
            },
            Self::Facts { facts } => {
                let said: Vec<String> = facts
                    .iter()
                    .map(|row| format!("{} {}", row.key.spec().title, row.value.shown(row.key)))
                    .collect();
                let who = facts.first().map_or("recorded", |row| match row.source {
                    Source::Link => "read over the link",
                    Source::Person => "said by a person",
                    Source::File => "from a file",
                    Source::Concluded => "concluded",
                });
                format!("{} ({who}).", said.join(", "))
            }
            Self::FactRetracted { key, .. } => format!("{} was taken back.", key.spec().title),
            Self::Happened { happening, .. } => match happening {
                Happening::ModeChanged => "The unit changed its mode, left or came back.",
                Happening::Wiped => "The owner's data was erased.",
                Happening::LockChanged => "The lock changed.",
                Happening::LockInDoubt => {
                    "The lock may have changed, and what a wipe takes may be gone: look again."
                }
                Happening::SystemWritten => "A partition of the system was written.",
                Happening::RecoveryWritten => {
                    "The recovery was written over: which one it is is to be seen."
                }
                Happening::RecoveryInDoubt => {
                    "What lies where a recovery lies is in doubt: which one it is is to be seen."
                }
                Happening::DataShut => {
                    "Metadata was written under which the owner's data can't be read: it is formatted before the system starts."
                }
                Happening::SystemRan => {
                    "The system ran, or may have run: what lives was rewritten."
                }
            }
            .to_owned(),
            Self::KeptSafe { class, kept } => match kept {
                Some(Kept::Safe { place, .. }) => {
                    format!("{}: kept safe at {place}.", class.shown())
                }
                Some(Kept::Waived { .. }) => format!("{}: waived.", class.shown()),
                None => format!("{}: open again.", class.shown()),
            },
            Self::GoalChosen { goal, reason } => {
                let goal = goal.shown().to_lowercase();
                let why = reason.iter().map(|reason| format!(", because: {reason}"));
                format!("Goal: {goal}{}.", why.collect::<String>())
            }
            Self::RunBegan { sheet, .. } => format!(
                "A run began: {}, {} steps.",
                sheet.goal.shown().to_lowercase(),
                sheet.steps.len()
            ),
            Self::Replanned { why, sheet, .. } => {
                format!(
                    "The rest was planned again, {} steps. {why}",
                    sheet.steps.len()
                )
            }
            Self::Consented { consent, .. } => {
                format!("Consent to what it costs, by typing {}.", consent.typed)
            }
            Self::Intent { title, act, .. } => match act {
                Some(act) if !act.most().can_be_undone() => {
                    format!("About to: {title}. This can't be undone.")
                }
                Some(_) | None => format!("About to: {title}."),
            },
            Self::Outcome { result, saw, .. } => match result {
                StepResult::AsExpected => format!("As expected. {saw}"),
                StepResult::Otherwise => format!("Not as expected. {saw}"),
                StepResult::Refused => format!("The unit declined. {saw}"),
                StepResult::NotKnown => format!("How it ended is not known. {saw}"),
            },
            Self::RecoveryLog { text } => {
                let lines: Vec<&str> = text.lines().collect();
                let last = lines[lines.len().saturating_sub(SHOWN_LINES)..].join(" · ");
                format!("The recovery's own log was copied off before it was left: {last}")
            }
            Self::TableRead { partitions, .. } => {
                format!(
                    "The partition table was read: {} partitions.",
                    partitions.len()
                )
            }
            Self::Captured { capture, .. } => captured_in_words(capture),
            Self::CaptureFound { capture, .. } => format!(
                "A capture of another bench was taken over: {} partitions.",
                capture.partitions.len()
            ),
            Self::UnitRenamed { nickname } => format!("It is called {nickname} from now on."),
            Self::UnitPutAway { away: true } => "It was put away; its record stays.".to_owned(),
            Self::UnitPutAway { away: false } => "It is back on the bench.".to_owned(),
            Self::WayChanged { way } => match way {
                Way::Link { handle, .. } => format!("It is linked as {} from now on.", handle.0),
                Way::Hand => "It is worked on by hand from now on.".to_owned(),
            },
            Self::TokenKept => "Its unlock token is kept, encrypted.".to_owned(),
            Self::StockTaken { capture } => format!(
                "The maker's set {} was taken into the vault, {} images, each with the digest of its list.",
                capture.build.as_deref().unwrap_or("without a build"),
                capture.partitions.len()
            ),
            Self::CopyMade { copy } => {
                format!(
                    "The capture was brought to {}; it is not read back yet.",
                    copy.name
                )
            }
            Self::Exported { name, identity, .. } => {
                let what = match identity {
                    true => "with its identity, for its owner",
                    false => "without its identity, for somebody else",
                };
                format!("A capture was exported as {name}, {what}.")
            }
            Self::CopyRead { name, damage, .. } => match damage.first() {
                None => format!("The copy in {name} was read back from its medium: sound."),
                Some(first) => format!("The copy in {name} was read back: {}.", first.in_words()),
            },
            Self::WriteBegan { act, .. } => match act.part() {
                Some(part) => format!(
                    "About to write {}, image {}.",
                    part.label,
                    part.image
                        .map_or_else(|| "not chosen".to_owned(), |image| image.short())
                ),
                None => "About to change the lock.".to_owned(),
            },
            Self::WriteEnded {
                label,
                image,
                shown,
            } => match shown {
                WriteShown::Reported => format!(
                    "{label} was written, image {}; the unit reports success.",
                    image.short()
                ),
                WriteShown::ReadBack => format!(
                    "{label} was written, image {}, read back and equal.",
                    image.short()
                ),
            },
            Self::PlaceAdded { name, path, .. } => format!("Place {name} at {path} was added."),
            Self::PlaceRemoved { name, .. } => {
                format!("Place {name} is no longer used; what lies there stays.")
            }
            Self::FileShelved {
                file,
                name,
                made_of,
            } => match made_of {
                Some(of) => format!(
                    "{name} ({}…) was made of {}… and lies on the shelf.",
                    file.short(),
                    of.short()
                ),
                None => format!("{name} ({}…) came onto the shelf.", file.short()),
            },
            Self::FileNoted { file, name, noted } => {
                format!("Of {name} ({}…) was noted: {noted}.", file.short())
            }
            Self::FileRemoved { file, name } => {
                format!("{name} ({}…) left the shelf.", file.short())
            }
            Self::FileChosen { file, name, reason } => match (file, reason) {
                (Some(file), Some(reason)) => format!(
                    "{name} ({}…) was chosen for the recovery, because: {reason}.",
                    file.short()
                ),
                (Some(file), None) => {
                    format!("{name} ({}…) was chosen for the recovery.", file.short())
                }
                (None, _) => "The recovery that fits best is taken.".to_owned(),
            },
            Self::PolicyChanged { policy } => format!(
                "Policy: {} copies, places {}, warning under {} %.",
                policy.copies,
                match policy.media {
                    veritope_core::budget::Media::Distinct => "on different media",
                    veritope_core::budget::Media::Any => "anywhere",
                },
                policy.battery_floor_percent
            ),
            Self::Refused { wanted, rules } => {
                let ids: Vec<_> = rules.iter().map(|rule| rule.id()).collect();
                format!("The seal refused: {wanted} ({}).", ids.join(", "))
            }
            Self::RunEnded { end, why, .. } => match end {
                RunEnd::Reached => "The run reached its goal.".to_owned(),
                RunEnd::Stopped => "The run was stopped by a person.".to_owned(),
                RunEnd::NoWay => format!(
                    "The run ended, as no way leads on. {}",
                    why.as_deref().unwrap_or("")
                ),
            },
        }
    }
}

fn captured_in_words(capture: &CaptureFacts) -> String {
    let bytes: u64 = capture
        .partitions
        .iter()
        .map(|part| part.length_bytes)
        .sum();
    let how = match capture.rest {
        Rest::AtRest => "at rest",
        Rest::Live => "while the system ran",
    };
    let blank: Vec<&str> = capture
        .partitions
        .iter()
        .filter(|part| part.blank != BlankBytes::No)
        .map(|part| part.label.as_str())
        .collect();
    let blank = if blank.is_empty() {
        String::new()
    } else {
        format!(" Blank: {}.", blank.join(", "))
    };
    let what = match capture.partitions.len() {
        1 => "1 partition".to_owned(),
        many => format!("{many} partitions"),
    };
    format!("{what} captured {how}, {} MiB.{blank}", bytes >> 20)
}

/// What was seen, in words for an outcome.
#[must_use]
pub fn seen_in_words(mode: Option<Mode>, lock: Option<veritope_core::mode::Lock>) -> String {
    match (mode, lock) {
        (Some(mode), Some(lock)) => format!("Seen: {}, {}.", mode.shown(), lock.id()),
        (Some(mode), None) => format!("Seen: {}.", mode.shown()),
        (None, Some(lock)) => format!("Seen: {}.", lock.id()),
        (None, None) => "Nothing known was seen.".to_owned(),
    }
}

/// `100 h forward`, `12 min back`.
pub(crate) fn set_in_words(by_ms: i64) -> String {
    let minutes = by_ms.unsigned_abs().div_ceil(60_000);
    let way = if by_ms > 0 { "forward" } else { "back" };
    if minutes < 120 {
        format!("{minutes} min {way}")
    } else {
        format!("{} h {way}", minutes / 60)
    }
}
