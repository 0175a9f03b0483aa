//! The facts as the panel shows them.

use serde::Serialize;

use crate::facts::{CitedFact, FactGroup, FactKey, Facts, Reading};
use crate::family::Family;

/// One line of what is known, for the facts panel.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct FactLine {
    /// Key.
    pub key: FactKey,
    /// Words for it.
    pub title: String,
    /// Where it is shown.
    pub group: FactGroup,
    /// Whether this family says where it is read, or somebody has said it.
    pub asked: bool,
    /// How it reads now.
    pub reading: FactReading,
    /// The rows behind it, newest first.
    pub rows: Vec<CitedFact>,
    /// Where it stands on this family, when a person can find it.
    pub place: Option<String>,
    /// How it is written, where that needs saying.
    pub help: Option<String>,
}

/// How a fact reads now.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, utoipa::ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum FactReading {
    /// Known.
    Known,
    /// Was known; something happened since.
    Stale,
    /// Sources differ.
    Contradicted,
    /// Not known.
    Unknown,
}

/// All facts of a unit as lines, in the order of [`FactKey::ALL`].
#[must_use]
pub fn fact_lines(facts: &Facts, family: Option<&Family>) -> Vec<FactLine> {
    FactKey::ALL
        .iter()
        .map(|&key| {
            let (reading, rows) = match facts.get(key) {
                Reading::Known(row) => (FactReading::Known, vec![row.into()]),
                Reading::Stale(row) => (FactReading::Stale, vec![row.into()]),
                Reading::Contradicted(rows) => (
                    FactReading::Contradicted,
                    rows.into_iter().map(CitedFact::from).collect(),
                ),
                Reading::Unknown => (FactReading::Unknown, Vec::new()),
            };
            FactLine {
                key,
                title: key.spec().title.to_owned(),
                group: key.spec().group,
                asked: reading != FactReading::Unknown || is_asked(key, family),
                reading,
                rows,
                place: family
                    .and_then(|f| f.place(key))
                    .map(|place| place.place.clone()),
                help: help(key, family),
            }
        })
        .collect()
}

/// For a build string, as this family makes them up; otherwise as all of its kind are written.
fn help(key: FactKey, family: Option<&Family>) -> Option<String> {
    let pattern = family.and_then(|family| family.build_string.as_ref());
    match (key, pattern) {
        (FactKey::Build, Some(pattern)) => Some(format!(
            "Whole and letter by letter, made up as {}.",
            pattern.text()
        )),
        _ => key.spec().kind.help().map(str::to_owned),
    }
}

/// Asked of every unit, or of this family's.
fn is_asked(key: FactKey, family: Option<&Family>) -> bool {
    const ALWAYS: [FactKey; 6] = [
        FactKey::Ownership,
        FactKey::Debugging,
        FactKey::Battery,
        FactKey::Mode,
        FactKey::Broken,
        FactKey::Complaint,
    ];
    ALWAYS.contains(&key) || family.is_some_and(|family| family.place(key).is_some())
}
