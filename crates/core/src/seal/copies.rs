//! Copies of what exists once, read back now (`B6`, `B7`): every one that can be reached, before a
//! foreign write is permitted. Those in places that are away count by the log.

use veritope_wire::{BenchTime, PlaceId};

use super::{Cure, Item, ItemState, item};
use crate::coverage::{Coverage, Keeping, VerifiedCopy, apart};
use crate::family::Role;
use crate::rule::Rule;

/// What was read back in this process.
#[derive(Debug, Clone, Copy)]
pub struct ReadBack<'a> {
    /// Copies whose bytes were hashed.
    pub copies: &'a [VerifiedCopy],
    /// Places that don't answer: nothing of them can be read, and nothing of them was found changed.
    pub away: &'a [PlaceId],
    /// How many copies the policy wants.
    pub needed: u8,
}

/// The lines of what exists once and is not kept well enough by what was read back just now.
#[must_use]
pub fn not_read_back(coverage: &Coverage, read: &ReadBack<'_>, now: BenchTime) -> Vec<Item> {
    let unique = coverage
        .rows
        .iter()
        .filter(|row| row.described.role == Role::DeviceUnique)
        // Where the log knows of none, its own line says so.
        .filter(|row| row.kept == Keeping::Enough || !row.counted.is_empty());
    unique
        .filter_map(|row| {
            let label = &row.described.own.label;
            let is_seen = |place: PlaceId| {
                read.copies.iter().any(|copy| {
                    copy.label() == label && copy.place() == place && copy.is_fresh(now)
                })
            };
            let good: Vec<_> = row
                .counted
                .iter()
                .filter(|(place, _)| read.away.contains(place) || is_seen(*place))
                .cloned()
                .collect();
            let text = if !row.counted.iter().any(|(place, _)| is_seen(*place)) {
                format!("No copy of {label} was read back just now.")
            } else if row.kept == Keeping::Enough && apart(&good) < u32::from(read.needed.max(1)) {
                // Where the log knows too few, its own line says so.
                format!(
                    "{label}: {} of {} copies were whole when they were read back just now.",
                    apart(&good),
                    read.needed
                )
            } else {
                return None;
            };
            Some(Item {
                cure: row.capture.map(|capture| Cure::KeepCopies { capture }),
                ..item(Rule::B7, ItemState::Missing, text, Vec::new())
            })
        })
        .collect()
}
