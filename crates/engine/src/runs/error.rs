//! Why a step was not taken, or a sheet not begun.

use veritope_core::facts::NotAValue;
use veritope_core::plan::NoPlan;
use veritope_core::plan::sheet::WhyNot;
use veritope_link::LinkError;
use veritope_wire::RunId;

use crate::desk::DeskError;
use crate::keeping::KeepingError;
use crate::library::LibraryError;
use crate::links::LinksError;
use crate::turns::TurnError;

/// Why a step was not taken, or a sheet not begun.
#[derive(Debug, thiserror::Error)]
pub enum RunsError {
    /// No such run, or it has ended.
    #[error("run {0} is not under way")]
    NoRun(RunId),
    /// A run is under way already.
    #[error("a run is under way with this unit: finish or stop it first")]
    RunIsOpen,
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
    /// Something must be supplied before the sheet can begin.
    #[error("{}", .0.iter().map(|why| why.text.as_str()).collect::<Vec<_>>().join(" "))]
    WhyNot(Vec<WhyNot>),
    /// No way there.
    #[error("there is no sheet")]
    NoPlan(#[from] NoPlan),
    /// The typed name is not the unit's.
    #[error("`{typed}` is not the unit's name; type {wanted} as it stands")]
    WrongName {
        /// What was typed.
        typed: String,
        /// What is wanted.
        wanted: String,
    },
    /// The step is not taken that way.
    #[error("{0}")]
    NotThisWay(&'static str),
    /// A value that can't be.
    #[error(transparent)]
    NotAValue(#[from] NotAValue),
    /// Other input that can't be.
    #[error("{0}")]
    BadInput(String),
    /// What exists once.
    #[error(transparent)]
    Keeping(KeepingError),
    /// The link.
    #[error(transparent)]
    Links(LinksError),
    /// Who may change the unit.
    #[error(transparent)]
    Turn(TurnError),
    /// The record.
    #[error(transparent)]
    Desk(#[from] DeskError),
    /// What the bench keeps in files.
    #[error(transparent)]
    Library(LibraryError),
}

impl From<LinkError> for RunsError {
    fn from(error: LinkError) -> Self {
        LinksError::from(error).into()
    }
}

/// A cause has one place, however it came up.
impl From<KeepingError> for RunsError {
    fn from(error: KeepingError) -> Self {
        match error {
            KeepingError::Links(error) => Self::Links(error),
            KeepingError::Turn(error) => Self::Turn(error),
            KeepingError::Desk(error) => Self::Desk(error),
            KeepingError::Library(error) => Self::Library(error),
            other => Self::Keeping(other),
        }
    }
}

impl From<TurnError> for RunsError {
    fn from(error: TurnError) -> Self {
        match error {
            TurnError::Desk(error) => Self::Desk(error),
            other => Self::Turn(other),
        }
    }
}

impl From<LibraryError> for RunsError {
    fn from(error: LibraryError) -> Self {
        match error {
            LibraryError::Desk(error) => Self::Desk(error),
            other => Self::Library(other),
        }
    }
}

impl From<LinksError> for RunsError {
    fn from(error: LinksError) -> Self {
        match error {
            LinksError::Desk(error) => Self::Desk(error),
            LinksError::Turn(error) => Self::Turn(error),
            LinksError::Library(error) => Self::Library(error),
            other => Self::Links(other),
        }
    }
}
