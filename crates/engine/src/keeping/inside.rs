//! A recovery put inside what starts a unit: each partition is read, made anew with the recovery's ramdisk in it,
//! written where it differs and read back. What was made is never kept as a file: it is of one unit.

use veritope_core::act::{Act, PutInside};
use veritope_core::captured::BlankBytes;
use veritope_core::coverage::WriteShown;
use veritope_core::digest::{FrameList, Seen};
use veritope_core::dossier::MadeOf;
use veritope_core::family::Replaces;
use veritope_core::matching::{Wanted, is_anothers};
use veritope_core::rule::Rule;
use veritope_formats::graft;
use veritope_formats::look::{Limits, look};
use veritope_vault::{Captured, Manifest};
use veritope_wire::{Digest, Label};

use crate::desk::record::Entry;
use crate::desk::unit::UnitRecord;
use crate::keeping::change::Change;
use crate::keeping::reading::{CaptureKind, no_backup};
use crate::keeping::restore::{differing, frame_in, lay};
use crate::keeping::{Keeping, KeepingError};
use crate::library::shelf::told::told;
use crate::progress::Watcher;

/// What is put inside, and where.
pub(crate) struct Inside<'a> {
    /// Partitions of the family, one after the other.
    pub(crate) labels: &'a [Label],
    /// What of each the ramdisk takes the place of.
    pub(crate) replaces: Replaces,
    /// The recovery, hashed as it was read.
    pub(crate) bytes: &'a [u8],
    pub(crate) seen: &'a Seen,
}

impl Keeping {
    /// Puts a recovery inside each partition of `inside` that holds anything. What lies there is captured first;
    /// a partition whose write was cut is made of what lay there before. All are made before the first is written.
    ///
    /// # Errors
    /// When no partition takes it, the seal stays closed, or the link breaks: what was cut is then named as torn,
    /// and the same call finishes it.
    pub(crate) fn put_inside(
        &self,
        change: &Change<'_>,
        inside: &Inside<'_>,
        intent: &Entry,
        watcher: &dyn Watcher,
    ) -> Result<(), KeepingError> {
        let unit = change.unit;
        let record = self.pen.record(unit)?;
        let own = record.own.iter().flatten();
        let here: Vec<Label> = own
            .map(|own| own.label.clone())
            .filter(|label| inside.labels.contains(label))
            .collect();
        let kind = CaptureKind::Some { labels: here };
        let present = self.capture_held(unit, &kind, watcher)?;
        let record = self.pen.record(unit)?;
        let present = self.manifest_of(&record, present)?;
        let mut made = Vec::new();
        for label in inside.labels {
            let Some(now) = present.partition(label) else {
                continue;
            };
            if now.blank != BlankBytes::No {
                continue;
            }
            made.push((now, self.made_for(&record, now, inside)?));
        }
        if made.is_empty() {
            let labels: Vec<&str> = inside.labels.iter().map(Label::as_str).collect();
            let text = format!(
                "nothing lies on {}: there is nothing to put it into",
                labels.join(" or ")
            );
            return Err(no_backup(Rule::M3, text));
        }
        // What was cut is made whole before anything else is written (S3).
        made.sort_by_key(|(now, _)| !record.torn.iter().any(|torn| torn.label == now.label));
        let family = self.family_of(&record)?;
        let mut intent = Some(intent);
        for (now, bytes) in &made {
            self.put_into(change, inside, (now, bytes), intent.take(), watcher)?;
        }
        let act = Act::from(PutInside {
            image: Some(inside.seen.digest()),
            into: None,
        });
        let entries = self.left_by(&act, &family)?;
        Ok(self.pen.append(unit, None, entries)?)
    }

    fn put_into(
        &self,
        change: &Change<'_>,
        inside: &Inside<'_>,
        (now, bytes): (&Captured, &[u8]),
        intent: Option<&Entry>,
        watcher: &dyn Watcher,
    ) -> Result<(), KeepingError> {
        let list = FrameList::of(bytes);
        let (label, sent) = (&now.label, list.image());
        let act = Act::from(PutInside {
            image: Some(inside.seen.digest()),
            into: Some((label.clone(), sent)),
        });
        let differing = differing(list.values(), &now.frames);
        let change = Change {
            act: act.clone(),
            payload: Some(sent),
            seen: Some(inside.seen),
            made: Some(MadeOf {
                label,
                base: now.blake3,
                recovery: inside.seen.digest(),
                made: sent,
            }),
            request: change.request.filter(|_| intent.is_some()),
            ..*change
        };
        let begun = || {
            let (act, before) = (act.clone(), Some(now.blake3));
            // What is there already is only read back.
            let write = (!differing.is_empty()).then_some(Entry::WriteBegan { act, before });
            intent.cloned().into_iter().chain(write).collect()
        };
        self.change(&change, begun, |device, permit| {
            let bytes_of = |index| frame_in(bytes, &list, index);
            lay(device, permit, (now, &list), &differing, bytes_of, watcher)
        })?;
        let ended = Entry::WriteEnded {
            label: label.clone(),
            image: sent,
            shown: WriteShown::ReadBack,
        };
        Ok(self.pen.append(change.unit, None, vec![ended])?)
    }

    /// What goes to a partition: what lies there, with the recovery in it.
    fn made_for(
        &self,
        record: &UnitRecord,
        now: &Captured,
        inside: &Inside<'_>,
    ) -> Result<Vec<u8>, KeepingError> {
        let label = &now.label;
        let replaces = match inside.replaces {
            Replaces::Ramdisk => graft::Replaces::Ramdisk,
            Replaces::VendorRamdisk => graft::Replaces::VendorRamdisk,
        };
        let torn = record.torn.iter().find(|torn| torn.label == *label);
        let before = torn.and_then(|torn| torn.before);
        let base = match before {
            Some(before) if before != now.blake3 => self.captured_as(record, label, before)?,
            _ => self.whole(now)?,
        };
        let no = |rule, why: &str| {
            let text =
                format!("{label}: {why}; put it back from a capture or from the maker's set first");
            no_backup(rule, text)
        };
        // The rest of it stays: it has to be this unit's own.
        let family = self.family_of(record)?;
        let (facts, own) = (record.known(), record.own.as_deref().unwrap_or(&[]));
        let wanted = Wanted::of(&family, &facts, own);
        let told = told(&look(&base.as_slice(), "", Limits::default()));
        if let Some(why) = wanted.and_then(|wanted| is_anothers(&wanted, &told)) {
            let why = format!("what lies there is another device's ({why})");
            return Err(no(Rule::M1, &why));
        }
        graft::graft(&base, inside.bytes, replaces).map_err(|why| no(Rule::M4, &why.to_string()))
    }

    /// The bytes that some capture holds of a partition under this digest.
    fn captured_as(
        &self,
        record: &UnitRecord,
        label: &Label,
        image: Digest,
    ) -> Result<Vec<u8>, KeepingError> {
        let holds = |manifest: &Manifest| {
            manifest
                .partition(label)
                .filter(|part| part.blake3 == image)
                .cloned()
        };
        let mut captures = record.captures.iter();
        let part = captures.find_map(|one| holds(&self.manifest_of(record, one.id).ok()?));
        let gone = || {
            let text = format!(
                "what lay on {label} before its write was cut is in no capture any more: put it back from one, or from the maker's set"
            );
            no_backup(Rule::Q1, text)
        };
        self.whole(&part.ok_or_else(gone)?)
    }

    /// A captured partition's bytes, each frame held against its digest.
    fn whole(&self, part: &Captured) -> Result<Vec<u8>, KeepingError> {
        let mut bytes = Vec::new();
        for index in 0..part.layout().count() {
            bytes.extend(self.library.vault.frame(part, index)?);
        }
        Ok(bytes)
    }
}
