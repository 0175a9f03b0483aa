//! Copies of what exists once, read back now (`B6`, `B7`): every one that can be reached, before a foreign
//! write is permitted. Those in places that are away count by the log. And the way back (`Q1`).

use veritope_wire::{Label, PlaceId};

use crate::coverage::{Coverage, Keeping, Living, apart};
use crate::dossier::Dossier;
use crate::evidence::{Basis, Cure, Due, Line, Need};
use crate::family::Role;
use crate::rule::Rule;

/// How what exists once is kept, and what was read back of it just now.
pub(crate) fn copies(of: &Dossier<'_>, living: Living) -> Vec<Line> {
    let coverage = match living {
        Living::AsNow => of.coverage,
        Living::AsCaptured => of.as_captured,
    };
    let kept = coverage.map_or(&[][..], |coverage| &coverage.lines);
    if kept.is_empty() {
        return vec![
            Line::missing(
                Rule::B6,
                "What exists once on this unit is not captured yet.",
                Need::Carried {
                    cure: Some(Cure::Capture),
                },
            )
            .due(Due::Door),
        ];
    }
    let mut lines = kept.to_vec();
    lines.extend(not_read_back(of, coverage));
    lines
}

/// The lines of what exists once and is not kept well enough by what was read back just now; while it is
/// only asked about, that is left to the step.
fn not_read_back(of: &Dossier<'_>, coverage: Option<&Coverage>) -> Vec<Line> {
    let read = &of.read_back;
    let (Some(coverage), Some(copies)) = (coverage, read.copies) else {
        let text = "Every copy that can be reached is read back before anything is sent.";
        let need = Need::Ours { cure: None };
        return vec![Line::unknown(Rule::B7, text, need).due(Due::Door)];
    };
    let unique = coverage
        .rows
        .iter()
        .filter(|row| row.described.role == Role::DeviceUnique)
        // Where the log knows of none, its own line says so.
        .filter(|row| row.kept == Keeping::Enough || !row.counted.is_empty());
    unique
        .map(|row| {
            let label = &row.described.own.label;
            let is_seen = |place: PlaceId| {
                copies.iter().any(|copy| {
                    copy.label() == label && copy.place() == place && copy.is_fresh(of.now)
                })
            };
            let good: Vec<_> = row
                .counted
                .iter()
                .filter(|(place, _)| read.away.contains(place) || is_seen(*place))
                .cloned()
                .collect();
            let (seen, needed) = (apart(&good), u32::from(read.needed.max(1)));
            let text = if !row.counted.iter().any(|(place, _)| is_seen(*place)) {
                format!("No copy of {label} was read back just now.")
            } else if row.kept == Keeping::Enough && seen < needed {
                // Where the log knows too few, its own line says so.
                format!(
                    "{label}: {seen} of {} copies were whole when they were read back just now.",
                    read.needed
                )
            } else {
                let basis = Basis::Copies {
                    label: label.clone(),
                    places: seen,
                };
                let text = format!("{label} was read back just now.");
                return Line::met(Rule::B7, text, basis).due(Due::Door);
            };
            let need = match row.capture {
                Some(capture) => Cure::KeepCopies { capture }.by_person(),
                None => Need::Carried {
                    cure: Some(Cure::Capture),
                },
            };
            Line::missing(Rule::B7, text, need).due(Due::Door)
        })
        .collect()
}

/// What is written over was captured and read back (`Q1`).
pub(crate) fn way_back(label: &Label, of: &Dossier<'_>) -> Line {
    let rows = of.coverage.map(|coverage| &coverage.rows);
    let mut rows = rows.into_iter().flatten();
    let row = rows.find(|row| row.described.own.label == *label);
    let line = match row {
        Some(row) if row.places > 0 => Line::met(
            Rule::Q1,
            format!("{label} as it is now is captured and read back: the way back."),
            Basis::Copies {
                label: label.clone(),
                places: row.places,
            },
        ),
        row => {
            let need = match row.and_then(|row| row.capture) {
                Some(capture) => Cure::KeepCopies { capture }.by_person(),
                None => Need::Carried {
                    cure: Some(Cure::Capture),
                },
            };
            let text = format!("There is no way back: {label} is not captured and read back.");
            Line::missing(Rule::Q1, text, need)
        }
    };
    line.due(Due::Door)
}
