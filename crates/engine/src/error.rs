//! Why something that was asked of the engine did not come about.

use veritope_core::facts::NotAValue;
use veritope_core::plan::NoPlan;
use veritope_core::plan::sheet::WhyNot;
use veritope_core::rule::Rule;
use veritope_core::seal::Item;
use veritope_link::LinkError;
use veritope_vault::VaultError;
use veritope_wire::{BridgeId, CaptureId, FactId, PlaceId, RunId, UnitId};

use crate::desk::journal::JournalError;
use crate::library::DataError;

/// Refusals and failures, each one sentence that says what, where and what to do.
#[derive(Debug, thiserror::Error)]
pub enum EngineError {
    /// No such unit.
    #[error("there is no unit {0} on this bench")]
    NoUnit(UnitId),
    /// No such bridge.
    #[error("there is no bridge {0} on this bench")]
    NoBridge(BridgeId),
    /// No such family.
    #[error("no family `{0}` is known here")]
    NoFamilyNamed(String),
    /// No such fact.
    #[error("there is no fact {0} to take back")]
    NoFact(FactId),
    /// No such run, or it has ended.
    #[error("run {0} is not under way")]
    NoRun(RunId),
    /// A run is under way already.
    #[error("a run is under way with this unit: finish or stop it first")]
    RunIsOpen,
    /// Another change of this unit is under way.
    #[error("something is being done with this unit at the moment: wait for it")]
    Busy,
    /// The page was older than the run.
    #[error("the run has moved on (revision {now}, the page showed {then}): look again")]
    StaleRevision {
        /// What the request repeated.
        then: u32,
        /// What it is.
        now: u32,
    },
    /// The last step has no outcome yet.
    #[error("it is not known how the last step ended: look first")]
    LookFirst,
    /// There is no next step.
    #[error("there is no step left on this sheet")]
    NoStep,
    /// The unit's family is not known.
    #[error("which family this unit belongs to is not known, so nothing is planned for it")]
    NoFamily,
    /// The text that a sheet began with can't be had any more.
    #[error(
        "the family's text that this sheet began with is no longer here, so it can't go on: stop the run and begin a new one"
    )]
    FamilyGone,
    /// The seal is closed.
    #[error("the seal is closed for this ({rule}): {}", .missing.iter().map(|item| item.text.as_str()).collect::<Vec<_>>().join(" "))]
    Closed {
        /// The list that is not complete.
        rule: Rule,
        /// What is missing on it.
        missing: Vec<Item>,
    },
    /// Something must be supplied before the sheet can begin.
    #[error("{}", .0.iter().map(|why| why.text.as_str()).collect::<Vec<_>>().join(" "))]
    WhyNot(Vec<WhyNot>),
    /// No way there.
    #[error("there is no sheet: {0}")]
    NoPlan(#[from] NoPlan),
    /// The typed name is not the unit's.
    #[error("`{typed}` is not the unit's name; type {wanted} as it stands")]
    WrongName {
        /// What was typed.
        typed: String,
        /// What is wanted.
        wanted: String,
    },
    /// A value that can't be.
    #[error(transparent)]
    NotAValue(#[from] NotAValue),
    /// Other input that can't be.
    #[error("{0}")]
    BadInput(String),
    /// The step is not taken that way.
    #[error("{0}")]
    NotThisWay(&'static str),
    /// Something about the link.
    #[error(transparent)]
    Link(#[from] LinkError),
    /// The device that answers is another one.
    #[error(
        "the unit at the link is not {nickname}: its identifiers differ (K4). Nothing was recorded"
    )]
    AnotherUnit {
        /// The unit that was expected.
        nickname: String,
    },
    /// The signs of its mode disagree.
    #[error("{} (K5). Nothing was recorded", .text.trim_end_matches('.'))]
    Doubtful {
        /// How, and what to do.
        text: String,
    },
    /// A file that should be at hand is not.
    #[error("{0}")]
    Shelf(String),
    /// No such place.
    #[error("there is no place {0} on this bench")]
    NoPlace(PlaceId),
    /// A place is not there now.
    #[error("{0} is not there now: connect it, or choose another place")]
    PlaceAway(String),
    /// No such capture.
    #[error("there is no capture {0} of this unit")]
    NoCapture(CaptureId),
    /// What was read or put back can't be relied on.
    #[error("{text} ({rule})")]
    NoBackup {
        /// The rule behind it.
        rule: Rule,
        /// In one sentence.
        text: String,
    },
    /// A person stopped it.
    #[error("it was stopped; what was read stays, and goes on when it is begun again")]
    Stopped,
    /// A vault.
    #[error(transparent)]
    Vault(Box<VaultError>),
    /// Hashing or compressing failed.
    #[error("hashing and compressing failed: {0}")]
    Pump(#[from] std::io::Error),
    /// The record.
    #[error(transparent)]
    Journal(#[from] JournalError),
    /// The data folder.
    #[error(transparent)]
    Data(#[from] DataError),
}
