//! How a unit's link stands.

use serde::Serialize;
use veritope_link::LinkError;
use veritope_wire::BenchTime;
use veritope_wire::link::{Epoch, Listed};

/// How a unit's link stands.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, utoipa::ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum LinkPresence {
    /// It answers.
    Ready,
    /// A prompt on the device must be answered first.
    NotAuthorised,
    /// Not there now.
    Absent,
    /// The bridge doesn't answer.
    BridgeGone,
    /// Another unit answers in its place.
    AnotherUnit,
    /// Something answers, and nothing says that it is this unit (`K4`).
    NotTold,
    /// The signs of its mode disagree (`K5`).
    Doubtful,
    /// There is no link; a person is the source.
    ByHand,
}

impl From<Listed> for LinkPresence {
    fn from(listed: Listed) -> Self {
        match listed {
            Listed::Ready => Self::Ready,
            Listed::NotAuthorised => Self::NotAuthorised,
            Listed::Absent => Self::Absent,
        }
    }
}

impl LinkPresence {
    pub(crate) fn of_error(error: &LinkError) -> Self {
        match error {
            LinkError::Refused(_) => Self::Absent,
            LinkError::AnotherUnit { .. } => Self::AnotherUnit,
            _ => Self::BridgeGone,
        }
    }
}

/// A unit's link, for the tag.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct LinkView {
    /// How it stands.
    pub presence: LinkPresence,
    /// Since when; not known before the first look.
    pub since: Option<BenchTime>,
}

/// Where a unit was plugged in as it was recognised.
#[derive(Debug, Clone)]
pub(crate) struct Plugged {
    /// The socket, where the bridge tells sockets apart.
    pub(crate) port: Option<String>,
    /// The epoch then.
    pub(crate) epoch: Epoch,
}

/// How a unit's link stands, and stood.
#[derive(Debug, Clone)]
pub(crate) struct Live {
    pub(crate) presence: LinkPresence,
    pub(crate) epoch: Option<Epoch>,
    pub(crate) since: BenchTime,
    pub(crate) read_at: BenchTime,
    /// When it came back after it had been away.
    pub(crate) arrived: Option<BenchTime>,
    /// Where and under which epoch it was last recognised.
    pub(crate) recognised: Option<Plugged>,
    /// How it stood at a glance since, while a step was at it.
    pub(crate) glimpse: Option<(LinkPresence, BenchTime)>,
}

impl Live {
    /// What the tag says, and since when.
    pub(crate) fn shown(&self) -> (LinkPresence, BenchTime) {
        self.glimpse.unwrap_or((self.presence, self.since))
    }
}
