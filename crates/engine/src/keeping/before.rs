//! What is kept of a unit from before: a capture stores only what is not there yet.

use std::collections::BTreeMap;

use veritope_core::coverage::{CaptureFacts, CopyFacts};
use veritope_vault::Captured;
use veritope_wire::Label;

use crate::desk::unit::UnitRecord;
use crate::keeping::Keeping;

/// Captures that are looked through for it.
const MOST_BEFORE: usize = 4;

impl Keeping {
    /// What this place keeps of a unit from before, by label, newest first: read back, sound, and there.
    pub(crate) fn kept_before(&self, record: &UnitRecord) -> BTreeMap<Label, Captured> {
        let vault = &self.library.vault;
        let mut captures: Vec<&CaptureFacts> = record.captures.iter().collect();
        captures.sort_by_key(|capture| std::cmp::Reverse(capture.taken.order()));
        let mut kept = BTreeMap::new();
        for capture in captures.into_iter().take(MOST_BEFORE) {
            let mut copies = record.copies.iter();
            let is_own = |copy: &&CopyFacts| (copy.capture, copy.place) == (capture.id, vault.id());
            let Some(copy) = copies.find(is_own).filter(|copy| copy.verified.is_some()) else {
                continue;
            };
            let Ok((manifest, _)) = vault
                .manifest(record.id, capture.id)
                .map_err(|error| tracing::debug!(%error, "a capture from before is not used"))
            else {
                continue;
            };
            for part in manifest.partitions {
                let logged = capture.partition(&part.label).map(|known| known.blake3);
                let is_sound = logged == Some(part.blake3)
                    && part.frame_list().is_some()
                    && !copy.damaged.contains(&part.label);
                if is_sound {
                    kept.entry(part.label.clone()).or_insert(part);
                }
            }
        }
        kept
    }
}
