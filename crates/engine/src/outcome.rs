//! What steps, runs and readings of copies came to.

use serde::Serialize;
use veritope_wire::Label;

/// How a step ended.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, utoipa::ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum StepResult {
    /// The device is as the step should leave it.
    AsExpected,
    /// The device is in another state.
    Otherwise,
    /// The device declined.
    Refused,
    /// Nobody saw how it ended, and looking does not tell.
    NotKnown,
}

/// How a run ended.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, utoipa::ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum RunEnd {
    /// At its goal.
    Reached,
    /// By a person.
    Stopped,
    /// Where no way leads on.
    NoWay,
}

/// One damaged stretch of a copy.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct DamageFacts {
    /// The partition; nothing where it is the capture's manifest.
    pub label: Option<Label>,
    /// The frame, from 0; nothing when the whole object is missing or unreadable.
    pub frame: Option<u64>,
    /// First byte of the image that can't be relied on.
    pub first_byte: u64,
    /// Last byte of it.
    pub last_byte: u64,
    /// What was found.
    pub what: String,
}

impl DamageFacts {
    /// What is damaged, and where.
    #[must_use]
    pub fn in_words(&self) -> String {
        let Some(label) = &self.label else {
            return format!("its manifest is damaged: {}", self.what);
        };
        let whole = || "as a whole".to_owned();
        let frame = self
            .frame
            .map_or_else(whole, |frame| format!("frame {frame}"));
        format!(
            "{label} is damaged, {frame}, bytes {} to {}",
            self.first_byte, self.last_byte
        )
    }
}
