//! What the stations' answers are made of.

use serde::Serialize;
use veritope_core::budget::Battery;
use veritope_core::evidence::Line;
use veritope_core::facts::{FactGroup, FactOption};
use veritope_core::family::{Consequence, PhaseSaid};
use veritope_core::goal::{Goal, GoalKind};
use veritope_core::keepsafe::{KeepClass, Kept};
use veritope_core::next::NextStep;
use veritope_core::partitions::Described;
use veritope_core::passport::Passport;
pub use veritope_core::permission::Permission;
use veritope_core::plan::asks::Asks;
use veritope_core::plan::ledger::Ledger;
use veritope_core::plan::paper::PaperStep;
use veritope_core::plan::sighting::Sighting;
use veritope_core::plan::stuck::Stuck;
use veritope_core::plan::{Sheet, Step};
use veritope_core::prospect::Judged;
use veritope_core::standing::{FactLine, Standing, Verdict};
use veritope_core::triage::Cause;
use veritope_wire::{BenchTime, BridgeId, FactId, Label, RunId, UnitId, WallTime};

use crate::desk::record::RunEnd;
use crate::desk::unit::DoneStep;
use crate::library::clock::ClockNote;
pub use crate::links::presence::{LinkPresence, LinkView};
use crate::views::files::SheetFile;

/// A bridge, for the bench.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct BridgeView {
    /// Its id.
    pub id: BridgeId,
    /// Its own name.
    pub name: String,
    /// Its address.
    pub url: String,
}

/// The seal as the tag shows it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct SealTag {
    /// The act that would come next and needs a permit; nothing when none is ahead.
    pub wanted: Option<String>,
    /// How many things are missing.
    pub missing: u32,
    /// In a few words: what it is for, and how many are missing; nothing when nothing ahead needs it.
    pub short: Option<String>,
    /// In one sentence.
    pub sentence: String,
    /// Its list.
    #[serde(rename = "items")]
    pub lines: Vec<Line>,
}

/// A unit as rows and tags show it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct UnitTag {
    /// Its id.
    pub id: UnitId,
    /// Its name here.
    pub nickname: String,
    /// Name of its family, when known.
    pub family: Option<String>,
    /// Model code, when known.
    pub model_code: Option<String>,
    /// Mode in words, when known now.
    pub mode: Option<String>,
    /// Lock in words, when known now.
    pub lock: Option<String>,
    /// Version of the other recovery that lies there, in words, while one is known to (`M11`).
    pub recovery: Option<String>,
    /// Charge in per cent, carried forward since it was read.
    pub battery_percent: Option<u32>,
    /// Link.
    pub link: LinkView,
    /// Goal.
    pub goal: Option<Goal>,
    /// Goal in words.
    pub goal_shown: Option<String>,
    /// Verdict.
    pub verdict: Verdict,
    /// The verdict in one sentence.
    pub sentence: String,
    /// Seal.
    pub seal: SealTag,
    /// What is next.
    pub next: NextStep,
    /// Whether a run is under way.
    pub running: bool,
    /// When it came back, if that was just now.
    pub arrived: Option<BenchTime>,
    /// The page on which its stand-in is in a person's hands; nothing for a real device.
    pub body_page: Option<String>,
    /// Whether anything may be said of it or decided for it: its record takes entries.
    pub note: Permission,
}

/// A unit that was put away.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct AwayUnit {
    /// Its id.
    pub id: UnitId,
    /// Its name.
    pub nickname: String,
}

/// A log that is held back, or a file of the bench's that makes no sense.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct DamagedLine {
    /// Whose log; nothing for the bench's own, and for files.
    pub unit: Option<UnitId>,
    /// Its name, where that can be read.
    pub nickname: Option<String>,
    /// What is wrong, where, and what to do.
    pub text: String,
    /// Whether it may be set aside: a log can be, a file is put right by hand.
    pub aside: Permission,
}

/// The bench.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct BenchView {
    /// Whether anything of the bench's own may be changed: its record takes entries.
    pub note: Permission,
    /// What is to be said about this computer's clock.
    pub clock: Option<ClockNote>,
    /// What is damaged in the bench's own record.
    pub damaged: Vec<DamagedLine>,
    /// Bridges.
    pub bridges: Vec<BridgeView>,
    /// Units, those that can be worked on first.
    pub units: Vec<UnitTag>,
    /// Units that were put away.
    pub away: Vec<AwayUnit>,
    /// Families to choose from, for a unit by hand.
    pub families: Vec<FamilyChoice>,
    /// Answers to the ownership question.
    #[schema(value_type = Vec<ChoiceOption>)]
    pub ownership: Vec<FactOption>,
}

/// A choice, for forms.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct ChoiceOption {
    /// The id to send.
    pub id: String,
    /// Words.
    pub shown: String,
}

/// A family to choose.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct FamilyChoice {
    /// Codename.
    pub codename: String,
    /// Name.
    pub name: String,
    /// What kind of thing.
    pub form: String,
}

/// A class of data and what was said about it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct KeepLine {
    /// The class.
    pub class: KeepClass,
    /// Words for it.
    pub title: String,
    /// What was said and still counts.
    pub kept: Option<Kept>,
}

/// How a fact is typed.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
#[serde(tag = "is", rename_all = "kebab-case")]
pub enum FactInput {
    /// Short text.
    Text,
    /// A whole number up to `most`.
    Count {
        /// Largest.
        most: u32,
    },
    /// Per cent.
    Percent,
    /// 15 digits, or 16, or none.
    EquipmentId,
    /// Numbers with points between.
    Version,
    /// A month, `2026-11`.
    Month,
    /// A moment, RFC 3339.
    Moment,
    /// Names, separated by commas.
    Names,
    /// Any number of a list, separated by commas.
    Many {
        /// The list.
        options: Vec<ChoiceOption>,
    },
    /// One of a list.
    Choice {
        /// The list.
        options: Vec<ChoiceOption>,
    },
}

/// A fact line with how to type it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct FactEntry {
    /// The fact.
    #[serde(flatten)]
    pub line: FactLine,
    /// How it is typed.
    pub input: FactInput,
    /// The newest row that a person said and may take back.
    pub undo: Option<FactId>,
    /// That row, where a picture is attached to it.
    pub picture: Option<FactId>,
}

/// What goes with a unit.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct PassportView {
    /// The unit.
    pub tag: UnitTag,
    /// What goes with it, where its family is known.
    pub passport: Option<Passport>,
}

/// A group of facts.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct FactGroupLine {
    /// The group.
    pub id: FactGroup,
    /// Words for it.
    pub title: String,
}

/// What a unit waits for.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Wait {
    /// When it ends.
    pub at: WallTime,
    /// When this was asked.
    pub asked: WallTime,
    /// In a few words.
    pub title: String,
    /// Why, with rule ids.
    pub text: String,
}

/// All functions said to work in one go.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct AllWorks {
    /// What is asked once more before.
    pub ask: &'static str,
    /// The answer that is given for each function then.
    pub answer: &'static str,
}

/// The standing station.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct StandingView {
    /// What is to be said about this computer's clock.
    pub clock: Option<ClockNote>,
    /// Groups of facts, in the order they are shown.
    pub groups: Vec<FactGroupLine>,
    /// The judgement.
    pub standing: Standing,
    /// Facts.
    pub facts: Vec<FactEntry>,
    /// Keep-safe list.
    pub keep_safe: Vec<KeepLine>,
    /// What is asked once more before all that is open on it is waived.
    pub waive_all: Option<String>,
    /// How all functions are said to work in one go (`K7`).
    pub all_works: AllWorks,
    /// Whether what is ahead, the unlock or the goal that was chosen, asks for that list.
    pub asks_keep_safe: bool,
    /// What the chosen goal asks for before its sheet begins, where no other list here says it.
    pub goal_list: Option<GoalList>,
}

/// What a goal asks for.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct GoalList {
    /// The goal in words.
    pub title: String,
    /// Line by line.
    #[serde(rename = "items")]
    pub lines: Vec<Line>,
}

/// A sheet that could begin.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct SheetPreview {
    /// The goal.
    pub goal: Goal,
    /// Words for it.
    pub title: String,
    /// The sheet, when there is one.
    pub sheet: Option<Sheet>,
    /// Battery for it.
    pub battery: Option<Battery>,
    /// What it wipes.
    pub ledger: Ledger,
    /// What its steps oblige to.
    pub preparations: Vec<Line>,
    /// The same steps as they are printed.
    pub paper: Vec<PaperStep>,
    /// The file that it takes; nothing where it takes none, or none fits.
    pub file: Option<SheetFile>,
    /// That it is another way than the family's first, where that leads somewhere too (`M12`).
    pub instead: Option<InsteadOfFirst>,
    /// Whether it may begin.
    pub begin: Permission,
}

/// Another way than the family's first was chosen.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct InsteadOfFirst {
    /// The first, in a few words.
    pub first: &'static str,
    /// Why, as it was kept; nothing while nobody said.
    pub reason: Option<String>,
}

/// A goal to choose.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct GoalChoice {
    /// The goal.
    pub id: Goal,
    /// Words.
    pub shown: String,
    /// What it is good for.
    pub good_for: &'static str,
    /// How it stands; nothing while a run is open.
    pub judged: Option<Judged>,
    /// What it comes to.
    pub kind: GoalKind,
}

/// The run station.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct RunPage {
    /// Goals to choose from.
    pub goals: Vec<GoalChoice>,
    /// The sheet table, when no run is under way and a goal is chosen.
    pub preview: Option<SheetPreview>,
    /// The newest run.
    pub run: Option<RunView>,
}

/// Who takes a step.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, utoipa::ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum TakenBy {
    /// The link.
    Link,
    /// A person's hands.
    Hand,
}

/// Where the step in hand stands.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
#[serde(tag = "is", rename_all = "kebab-case")]
pub enum StepState {
    /// Not begun.
    Ready,
    /// The device is at it.
    Running {
        /// For how long, in milliseconds, when this was answered; what the device asked in between is not
        /// counted.
        elapsed_ms: u64,
        /// Milliseconds until it counts as stuck, 0 from then on; nothing where it never does.
        stuck_in_ms: Option<u64>,
    },
    /// The device asks.
    Asking {
        /// The question in its words.
        question: String,
        /// The highlighted answer.
        default: String,
    },
    /// A person is at it and says what is seen.
    InHand {
        /// For how long, in milliseconds, when this was answered.
        elapsed_ms: u64,
        /// Milliseconds until it counts as stuck, 0 from then on; nothing where it never does.
        stuck_in_ms: Option<u64>,
    },
    /// How it ended is not known: look.
    Unknown,
}

/// The step in hand.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct StepView {
    /// Its number on the sheet, from 1.
    pub number: u32,
    /// Steps on the sheet.
    pub of: u32,
    /// The step; what to do by hand is withheld while the seal is closed.
    pub step: Step,
    /// The file that goes out with it, as the sheet names it; nothing where none does.
    pub file: Option<SheetFile>,
    /// Its phases in words, one for one.
    pub phases: Vec<PhaseSaid>,
    /// Its way through a menu in words.
    pub menu: Option<String>,
    /// What a person presses to take it.
    pub label: String,
    /// What a person presses once the name is typed: only to consent where more is missing, else to consent and
    /// take it.
    pub consents: String,
    /// Whether its consent is all that is missing.
    pub lacks_consent_only: bool,
    /// Usual seconds until its end, hands and waiting.
    pub usual_seconds: u32,
    /// Who takes it.
    pub by: TakenBy,
    /// Where it stands.
    pub state: StepState,
    /// What may be seen, the expected first; for a person to look for or, by hand, to say.
    pub sightings: Vec<Sighting>,
    /// Whether the file that hands write with it can be saved now: the one that was judged (`E5`).
    pub gives_file: bool,
    /// Whether it ends by what hands dump and hand in, while it is in their hands.
    pub hands_in: bool,
    /// The evidence list, where the step needs a permit.
    pub seal: Option<Vec<Line>>,
    /// What it costs, where consent is wanted.
    pub consequences: Vec<Consequence>,
    /// Whether a consent is wanted and missing.
    pub consent_wanted: bool,
    /// What a recovery that runs then may ask, with the answer for this step (`M14`).
    pub asks: Vec<Asks>,
    /// What may be done, once it is past its bound.
    pub stuck: Option<Stuck>,
    /// Whether it may be taken now.
    pub permission: Permission,
    /// Whether its consent may be given now.
    pub consent: Permission,
    /// Whether what is seen may be said now: while it is in a person's hands.
    pub say: Permission,
    /// Whether a look may settle how it ended: while that is not known.
    pub look: Permission,
}

/// A run.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct RunView {
    /// Its id.
    pub id: RunId,
    /// Repeat this in every request.
    pub revision: u32,
    /// Goal in words.
    pub title: String,
    /// When it began.
    pub begun: BenchTime,
    /// The sheet in force.
    pub sheet: Sheet,
    /// Steps taken.
    pub done: Vec<DoneStep>,
    /// The step in hand; nothing when ended.
    pub step: Option<StepView>,
    /// Why the sheet in force is not the first one.
    pub diverged: Option<String>,
    /// What may be behind it, the likeliest first, where the last step ended otherwise than it should.
    pub causes: Vec<Cause>,
    /// The table, once read.
    pub table: Option<Vec<Described>>,
    /// Partitions that the family lists and the table lacks.
    pub lacking: Vec<Label>,
    /// How it ended.
    pub ended: Option<RunEnd>,
    /// When it ended.
    pub ended_at: Option<BenchTime>,
    /// What a wipe of this run switched off, once it ended (`L4`).
    pub again: Vec<String>,
    /// Said where the family's text was changed since the sheet began.
    pub older_text: Option<String>,
    /// Whether it may be stopped now.
    pub stop: Permission,
}
