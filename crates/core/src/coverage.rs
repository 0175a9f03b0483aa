//! Is the backup enough? (JOB 6)
//!
//! Works on what the log says of captures and copies; whether bytes still lie where the log says
//! is for [`VerifiedCopy`] to show, made anew in every process.

use std::collections::BTreeSet;

use serde::Serialize;
use veritope_wire::{BenchTime, CaptureId, Digest, Label, PlaceId};

use crate::budget::{Media, Policy};
pub use crate::captured::{
    Agreement, BlankBytes, CaptureFacts, CapturedFacts, Origin, Rest, Taker,
};
use crate::digest::{Claimed, Seen};
use crate::evidence::{Basis, Cure, Due, Finality, Line, Need};
use crate::family::{Blank, Changes, Family, Role, Wanted};
use crate::partitions::{Described, Listing, OwnPartition, describe};
use crate::rule::Rule;
use crate::worth::{Worth, holds, worth};

/// How long a verification counts (`B7`), in milliseconds.
pub const VERIFIED_FOR_MS: u64 = 180 * 24 * 3_600_000;

/// How long a copy is left before the bench reads it back by itself, in milliseconds: long before it counts no longer
/// (`B7`).
pub const LEFT_FOR_MS: u64 = 30 * 24 * 3_600_000;

/// Whether a copy is to be read back by itself: nobody did for long, or ever. One that was found damaged waits for
/// its repair.
#[must_use]
pub fn is_due(copy: &CopyFacts, now: BenchTime) -> bool {
    let is_left = copy
        .verified
        .is_none_or(|at| now.ms_since(at) > LEFT_FOR_MS);
    is_left && copy.damaged.is_empty()
}

/// A copy of a capture in a place, as the log has it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct CopyFacts {
    /// Of which capture.
    pub capture: CaptureId,
    /// Where.
    pub place: PlaceId,
    /// The place's name.
    pub name: String,
    /// The medium beneath; nothing for memory, which never counts.
    pub medium: Option<String>,
    /// When it was last read back and found sound.
    pub verified: Option<BenchTime>,
    /// Partitions found damaged at the last reading.
    pub damaged: Vec<Label>,
}

/// What shows that a write is through.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, utoipa::ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum WriteShown {
    /// The device reported success for every frame.
    #[default]
    Reported,
    /// It was read back and is equal.
    ReadBack,
}

/// What was last written to a partition by us, and shown to be there.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Written {
    /// The partition.
    pub label: Label,
    /// The image.
    pub image: Digest,
    /// When.
    pub at: BenchTime,
    /// What shows it.
    pub shown: WriteShown,
}

/// A write that has begun and whose end nobody has seen (`S3`).
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Torn {
    /// The partition.
    pub label: Label,
    /// The image that was being written.
    pub image: Digest,
    /// What lay there before, if it was captured.
    pub before: Option<Digest>,
    /// Since when.
    pub since: BenchTime,
}

/// A copy that was read back from its medium in this process: its bytes were hashed, and have the
/// digest that the log gives.
///
/// It can't be copied or stored, so that it can't outlive what it saw.
#[derive(Debug)]
pub struct VerifiedCopy {
    label: Label,
    place: PlaceId,
    digest: Digest,
    at: BenchTime,
}

impl VerifiedCopy {
    /// How long it counts in a mint, in milliseconds.
    pub const FRESH_FOR_MS: u64 = 10 * 60_000;

    /// Brings what was seen of a place and what is claimed together; nothing when they differ. What was
    /// seen is spent: it can't stand for a second copy. Whoever calls this says that the bytes came off that
    /// place's medium just now; the linter and a test over the sources let one function say so (`B6`).
    #[must_use]
    pub fn read_back(
        label: Label,
        place: PlaceId,
        seen: Seen,
        claim: Claimed,
        at: BenchTime,
    ) -> Option<Self> {
        seen.agrees_with(claim).then(|| Self {
            label,
            place,
            digest: seen.digest(),
            at,
        })
    }

    /// The partition.
    #[must_use]
    pub fn label(&self) -> &Label {
        &self.label
    }

    /// The place it was read from.
    #[must_use]
    pub fn place(&self) -> PlaceId {
        self.place
    }

    /// The image's digest.
    #[must_use]
    pub fn digest(&self) -> Digest {
        self.digest
    }

    /// Until when it counts.
    #[must_use]
    pub fn until(&self) -> BenchTime {
        let for_ms = i64::try_from(Self::FRESH_FOR_MS).unwrap_or(i64::MAX);
        self.at.after_ms(for_ms)
    }

    /// Whether it was seen within the last ten minutes.
    #[must_use]
    pub fn is_fresh(&self, now: BenchTime) -> bool {
        now.ms_since(self.at) <= Self::FRESH_FOR_MS
    }
}

/// How far a partition is kept.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, utoipa::ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Keeping {
    /// As the rules want it.
    Enough,
    /// Captured, and something is missing yet.
    Partly,
    /// Not at all.
    Not,
    /// Never wanted, or not now.
    NotWanted,
}

/// What is asked of bytes that live.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Living {
    /// As they are now: nothing ran since that rewrites them.
    AsNow,
    /// As they were when they were captured: enough for a write that leaves them alone, since a difference is
    /// age and no damage.
    AsCaptured,
}

/// One partition of the unit and how it is kept.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct CoverageRow {
    /// The partition with its role.
    #[serde(flatten)]
    pub described: Described,
    /// Whether it is wanted.
    pub wanted: Wanted,
    /// How far it is kept.
    pub kept: Keeping,
    /// The capture that counts for it.
    pub capture: Option<CaptureId>,
    /// Places with a verified copy of that.
    pub places: u32,
    /// Those copies, each with what tells its place from others under the policy.
    #[serde(skip)]
    pub counted: Vec<(PlaceId, String)>,
    /// In one sentence.
    pub text: String,
    /// The rule behind it.
    pub rule: Rule,
    /// Whether nothing that a person could do would change it.
    #[serde(skip)]
    pub has_no_cure: bool,
}

/// How a unit's partitions are kept.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema, Default)]
pub struct Coverage {
    /// Partitions in disk order.
    pub rows: Vec<CoverageRow>,
    /// The evidence of `B6`: one line for each partition that exists once.
    #[serde(rename = "items")]
    pub lines: Vec<Line>,
}

impl Coverage {
    /// Whether all that exists once is captured since the system last ran: what a plan wants done
    /// before a write. How many copies there are is another question.
    #[must_use]
    pub fn is_captured_now(&self) -> bool {
        self.rows
            .iter()
            .filter(|row| row.described.role == Role::DeviceUnique)
            .all(|row| row.capture.is_some())
            && !self.rows.is_empty()
    }

    /// The same of what never changes by itself: that counts also where it was read live (`B12`).
    #[must_use]
    pub fn is_fixed_captured(&self) -> bool {
        let is_fixed = |row: &&CoverageRow| {
            row.described.role == Role::DeviceUnique && row.described.changes == Changes::Fixed
        };
        !self.rows.is_empty()
            && self
                .rows
                .iter()
                .filter(is_fixed)
                .all(|row| row.capture.is_some())
    }

    /// Whether the whole evidence of `B6` is there.
    #[must_use]
    pub fn is_enough(&self) -> bool {
        !self.lines.is_empty() && self.lines.iter().all(Line::is_met)
    }
}

/// Everything that the judgement looks at.
#[derive(Debug, Clone, Copy)]
pub struct CoverageInput<'a> {
    /// The family.
    pub family: &'a Family,
    /// The unit's own partitions.
    pub own: &'a [OwnPartition],
    /// Captures of this unit, any order.
    pub captures: &'a [CaptureFacts],
    /// Copies of them.
    pub copies: &'a [CopyFacts],
    /// What we wrote last.
    pub written: &'a [Written],
    /// When anything was first written from here.
    pub first_write: Option<BenchTime>,
    /// Whether hands read it, since no link does: then what they handed in counts, by their word (`B12`).
    pub by_hand: bool,
    /// The bench's policy.
    pub policy: &'a Policy,
    /// When the system last ran, as far as anybody saw.
    pub system_ran: Option<BenchTime>,
    /// Now.
    pub now: BenchTime,
}

/// What lies in a partition now means (`B5`, `E4`).
#[derive(Debug, Clone, PartialEq, Eq)]
enum Finding {
    /// Nothing stands against it.
    Holds,
    /// The family says that it may be blank.
    Expected,
    /// Nobody lists it, and it was blank when it was met: that shuts nothing (`B5`).
    AsMet,
    /// Blank in every capture there is, the first of them taken before anything was written here:
    /// nothing is left to lose.
    FoundLost,
    /// Worse than what some capture of it holds, or blank and nobody knows since when.
    Against {
        /// In one sentence.
        text: String,
        /// Whether some capture can be put back.
        has_cure: bool,
    },
}

/// Judged over all captures of the unit that hold the partition, whatever was put back since.
fn finding(input: &CoverageInput<'_>, row: &CoverageRow, all: &[&CaptureFacts]) -> Finding {
    let label = &row.described.own.label;
    let spec = input.family.partition(label);
    let is_unique = row.described.role == Role::DeviceUnique;
    let part = |capture: &CaptureFacts| capture.partition(label).cloned();
    let Some((newest, now)) = all.first().and_then(|one| Some((*one, part(one)?))) else {
        return Finding::Holds;
    };
    if !is_unique {
        return Finding::Holds;
    }
    let may_be_blank = spec.is_some_and(|spec| spec.blank == Blank::Expected);
    let of = |capture: &CaptureFacts| {
        part(capture).map_or(Worth::Nothing, |part| worth(capture, &part, input.captures))
    };
    let best = input.captures.iter().map(of).max();
    let best = best.unwrap_or(Worth::Nothing);
    if now.blank != BlankBytes::No {
        if may_be_blank {
            return Finding::Expected;
        }
        if best > Worth::Nothing {
            return Finding::Against {
                text: format!(
                    "{label} is blank now and held something before: put it back from a capture first."
                ),
                has_cure: true,
            };
        }
        let first = all.last().map(|one| one.taken);
        let is_before = match (first, input.first_write) {
            (Some(first), Some(write)) => first.is_before(write) == Some(true),
            (_, None) => true,
            (None, Some(_)) => false,
        };
        return if is_before && row.described.listing == Listing::NotListed {
            Finding::AsMet
        } else if is_before {
            Finding::FoundLost
        } else {
            Finding::Against {
                text: format!(
                    "{label} is blank in every capture, and the first of them was taken after something had been written here: nothing tells whether it was lost before."
                ),
                has_cure: false,
            }
        };
    }
    // Read live or handed in is told by its own line.
    if newest.rest == Rest::AtRest && newest.origin == Origin::Read && of(newest) < best {
        return Finding::Against {
            text: format!(
                "{label} holds {} now, and {} before: put it back from a capture first.",
                holds(&now),
                all.iter()
                    .filter(|one| of(one) == best)
                    .find_map(|one| part(one))
                    .map_or_else(|| "something better".to_owned(), |part| holds(&part))
            ),
            has_cure: true,
        };
    }
    // Where hands read it, no dump is better than another one.
    let least = match best {
        Worth::Doubtful if input.by_hand => Worth::Doubtful,
        _ => Worth::Good,
    };
    let earliest = all
        .iter()
        .rev()
        .filter(|one| of(one) == least)
        .find_map(|one| part(one));
    if row.described.changes == Changes::Fixed
        && let Some(earliest) = earliest
        && earliest.blake3 != now.blake3
    {
        return Finding::Against {
            text: format!(
                "{label} never changes by itself, and what lies there now is not what the first capture holds: put that back, or find out what wrote it."
            ),
            has_cure: true,
        };
    }
    Finding::Holds
}

/// Judges how a unit's partitions are kept.
#[must_use]
pub fn judge(input: &CoverageInput<'_>) -> Coverage {
    let mut rows = Vec::new();
    let mut lines = Vec::new();
    for described in describe(input.family, input.own) {
        let row = row(input, described);
        if row.described.role == Role::DeviceUnique {
            lines.push(line(&row));
        }
        rows.push(row);
    }
    Coverage { rows, lines }
}

fn row(input: &CoverageInput<'_>, described: Described) -> CoverageRow {
    let label = described.own.label.clone();
    let mut row = CoverageRow {
        wanted: described.role.spec().wanted,
        described,
        kept: Keeping::Not,
        capture: None,
        places: 0,
        text: String::new(),
        rule: Rule::B3,
        counted: Vec::new(),
        has_no_cure: false,
    };
    if row.wanted == Wanted::Never {
        row.kept = Keeping::NotWanted;
        "Not captured: nothing of it could be put back, or nothing is lost."
            .clone_into(&mut row.text);
        return row;
    }
    let mut holding: Vec<(&CaptureFacts, &CapturedFacts)> = input
        .captures
        .iter()
        .filter_map(|capture| Some((capture, capture.partition(&label)?)))
        .filter(|(_, part)| part.length_bytes == row.described.own.length_bytes)
        .collect();
    holding.sort_by_key(|(capture, _)| std::cmp::Reverse((capture.taken.order(), capture.id)));
    // What was put back since is what lies there now: the capture that it came from counts, and
    // what was captured in between does not.
    let put_back = input
        .written
        .iter()
        .find(|written| written.label == label)
        .filter(|written| {
            let newest = holding.first();
            newest.is_some_and(|(one, _)| one.taken.is_after(written.at) == Some(false))
                && holding.iter().any(|(_, part)| part.blake3 == written.image)
        });
    if let Some(written) = put_back {
        // Those of the written bytes first; the others still tell what there was.
        holding.sort_by_key(|(_, part)| part.blake3 != written.image);
    }
    let known_at = |capture: &CaptureFacts| match put_back {
        Some(written) => Some(written.at),
        None => capture.taken.counted(),
    };
    let is_unique = row.described.role == Role::DeviceUnique;
    let mut all: Vec<&CaptureFacts> = holding.iter().map(|(capture, _)| *capture).collect();
    if let [_, rest @ ..] = all.as_mut_slice() {
        rest.sort_by_key(|capture| std::cmp::Reverse((capture.taken.order(), capture.id)));
    }
    let finding = finding(input, &row, &all);
    if let Finding::Against { text, has_cure } = finding {
        row.kept = Keeping::Partly;
        // What hands read is never put back from here; by their own means they may.
        let by_hand = input.by_hand && has_cure;
        row.rule = if by_hand { Rule::B12 } else { Rule::B5 };
        row.text = match by_hand {
            true => format!("{text} It is put back by your own means, and dumped again."),
            false => text,
        };
        row.has_no_cure = !has_cure;
        return row;
    }
    let Some((capture, part)) = holding.first().copied() else {
        if is_unique || row.wanted == Wanted::Always {
            row.text = format!("{label} was never captured.");
        } else {
            row.kept = Keeping::NotWanted;
            row.text = format!("{label} is in full captures only.");
        }
        return row;
    };
    if is_unique && let Some((rule, text)) = unsound(input, &row, capture, part, known_at(capture))
    {
        row.kept = Keeping::Partly;
        row.rule = rule;
        row.text = text;
        return row;
    }
    row.capture = Some(capture.id);
    row.rule = Rule::B6;
    row.counted = counted(input, capture.id, &label);
    row.places = apart(&row.counted);
    let needed = if row.described.is_kept_twice() {
        u32::from(input.policy.copies.max(1))
    } else {
        1
    };
    let lost = match finding {
        Finding::FoundLost => {
            " It was blank in every capture: found lost before anything was written."
        }
        Finding::AsMet => " It was blank when it was met, and nobody says what it is for.",
        _ => "",
    };
    let whose = match capture.origin {
        Origin::Declared => " Kept by your word: hands read it.",
        Origin::Read | Origin::Stock => "",
    };
    let lost = format!("{whose}{lost}");
    if !is_unique {
        row.kept = if row.places > 0 {
            Keeping::Enough
        } else {
            Keeping::Partly
        };
        row.text = match row.places {
            0 => format!("{label} is captured; no copy of it was read back yet."),
            n => format!("{label} is captured, read back in {n} places."),
        };
    } else if row.places >= needed {
        row.kept = Keeping::Enough;
        row.text = match (row.places, needed) {
            (places @ 2.., 1) => format!("{label}: {places} copies read back; one would do.{lost}"),
            (places, _) => format!("{label}: {places} of {needed} copies read back.{lost}"),
        };
    } else {
        row.kept = Keeping::Partly;
        let never = uncounted(input, capture.id, row.places);
        row.text = format!(
            "{label}: {} of {needed} copies read back.{never}{lost}",
            row.places
        );
    }
    row
}

/// Why a capture of a partition that exists once does not count, if so.
fn unsound(
    input: &CoverageInput<'_>,
    row: &CoverageRow,
    capture: &CaptureFacts,
    part: &CapturedFacts,
    known_at: Option<BenchTime>,
) -> Option<(Rule, String)> {
    let label = &row.described.own.label;
    if capture.taker == Taker::AnotherBench {
        return Some((
            Rule::E6,
            format!(
                "{label} was captured by another bench, whose word alone this is: capture it here too."
            ),
        ));
    }
    if capture.origin == Origin::Declared && !input.by_hand {
        return Some((
            Rule::S1,
            format!("Where the bytes of {label} come from was only declared: capture it."),
        ));
    }
    if capture.rest == Rest::Live && row.described.changes == Changes::Living {
        return Some((
            Rule::B12,
            format!("{label} was read while the system ran, and it lives: capture it at rest."),
        ));
    }
    if part.agreement == Agreement::Once && row.described.is_kept_twice() {
        let text = match capture.origin {
            Origin::Declared => {
                format!("One dump of {label} was handed in: hand in two that agree.")
            }
            Origin::Read | Origin::Stock => {
                format!("{label} was read once only: capture it again, it is read twice.")
            }
        };
        return Some((Rule::B4, text));
    }
    let ran_since = |ran| known_at.is_none_or(|at| ran >= at);
    let is_old =
        row.described.changes == Changes::Living && input.system_ran.is_some_and(ran_since);
    is_old.then(|| {
        (
            Rule::B6,
            format!("The system ran since {label} was captured, and it lives: capture it again."),
        )
    })
}

/// Copies of this partition that count, each with what tells its place from others.
fn counted(input: &CoverageInput<'_>, capture: CaptureId, label: &Label) -> Vec<(PlaceId, String)> {
    input
        .copies
        .iter()
        .filter(|copy| copy.capture == capture && !copy.damaged.contains(label))
        .filter(|copy| {
            copy.verified
                .is_some_and(|at| input.now.ms_since(at) <= VERIFIED_FOR_MS)
        })
        .filter_map(|copy| {
            let medium = copy.medium.as_ref()?;
            let told = match input.policy.media {
                Media::Distinct => medium.clone(),
                Media::Any => copy.place.to_string(),
            };
            Some((copy.place, told))
        })
        .collect()
}

/// A copy that counts no longer, since nobody read it back for too long (`B7`).
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Overdue<'a> {
    /// Name of its place.
    pub place: &'a str,
    /// Days since it was read back.
    pub days: u64,
}

/// The copy that was read back longest ago, of those that count for what exists once and for which that was too long;
/// nothing where all of them still count.
#[must_use]
pub fn overdue<'a>(
    rows: &[CoverageRow],
    copies: &'a [CopyFacts],
    now: BenchTime,
) -> Option<Overdue<'a>> {
    let counts = |copy: &&CopyFacts| {
        let mut unique = rows.iter();
        copy.damaged.is_empty() && unique.any(|row| row.is_of(copy.capture))
    };
    let aged = copies.iter().filter(counts).filter_map(|copy| {
        let age = now.ms_since(copy.verified?);
        (age > VERIFIED_FOR_MS).then_some((age, copy))
    });
    aged.max_by_key(|(age, _)| *age).map(|(age, copy)| Overdue {
        place: &copy.name,
        days: age / (24 * 3_600_000),
    })
}

impl CoverageRow {
    /// Whether it exists once, and this capture counts for it.
    fn is_of(&self, capture: CaptureId) -> bool {
        self.described.role == Role::DeviceUnique && self.capture == Some(capture)
    }
}

/// Which copies are there and count for nothing as long as they lie where they lie (`B6`); empty where all do.
fn uncounted(input: &CoverageInput<'_>, capture: CaptureId, apart: u32) -> String {
    let of_it: Vec<&CopyFacts> = copies_of(input, capture).collect();
    let in_memory: Vec<&str> = of_it
        .iter()
        .filter(|copy| copy.medium.is_none())
        .map(|copy| copy.name.as_str())
        .collect();
    let on_media = of_it.len() - in_memory.len();
    let is_old = |copy: &&CopyFacts| {
        let read = copy.verified.map(|at| input.now.ms_since(at));
        read.is_some_and(|age| age > VERIFIED_FOR_MS)
    };
    let old: Vec<&str> = copies_of(input, capture)
        .filter(is_old)
        .map(|copy| copy.name.as_str())
        .collect();
    if !old.is_empty() {
        format!(
            " What lies in {} was read back longer than 180 days ago: read it back once more.",
            old.join(" and ")
        )
    } else if !in_memory.is_empty() {
        format!(
            " {} lies in memory, which is gone when this computer stops, and never counts.",
            in_memory.join(" and ")
        )
    } else if apart > 0 && on_media > apart as usize && input.policy.media == Media::Distinct {
        " Places on one medium count as one.".to_owned()
    } else {
        String::new()
    }
}

fn copies_of<'a>(
    input: &CoverageInput<'a>,
    capture: CaptureId,
) -> impl Iterator<Item = &'a CopyFacts> {
    let copies = input.copies.iter();
    copies.filter(move |copy| copy.capture == capture)
}

/// How many of these places stand apart: two that share a disk beneath count as one.
#[must_use]
pub fn apart(counted: &[(PlaceId, String)]) -> u32 {
    let mut groups: Vec<BTreeSet<&str>> = Vec::new();
    for (_, medium) in counted {
        let mut disks: BTreeSet<&str> = medium.split(MEDIA_JOIN).collect();
        groups.retain(|group| {
            let shares = !group.is_disjoint(&disks);
            if shares {
                disks.extend(group.iter());
            }
            !shares
        });
        groups.push(disks);
    }
    u32::try_from(groups.len()).unwrap_or(u32::MAX)
}

/// What stands between the disks of a medium that lies on several.
pub const MEDIA_JOIN: &str = " + ";

/// The line of `B6` for what exists once. That it is captured is brought by a sheet's own capture; in how
/// many places it lies is for a person.
fn line(row: &CoverageRow) -> Line {
    let label = row.described.own.label.clone();
    let places = row.places;
    let line = if row.kept == Keeping::Enough {
        let copies = Basis::Copies { label, places };
        Line::met(row.rule, row.text.clone(), copies)
    } else {
        let need = match (row.rule, row.capture) {
            (Rule::B5, _) if row.has_no_cure => Need::Absent {
                finality: Finality::Open,
            },
            (Rule::B5, _) => Cure::PutBack.by_person(),
            (_, Some(capture)) => Cure::KeepCopies { capture }.by_person(),
            (_, None) => Need::Carried {
                cure: Some(Cure::Capture),
            },
        };
        let seen = row.capture.map(|_| Basis::Copies { label, places });
        Line::missing(row.rule, row.text.clone(), need).seen(seen)
    };
    line.due(Due::Door)
}

#[cfg(test)]
pub(crate) mod testing {
    //! A watch that is kept as the rules want it.
    use super::*;
    use crate::facts::testing::{at, stamp};
    use crate::family::testing::gimbal;
    use crate::steady::Taken;

    pub(crate) fn own() -> Vec<OwnPartition> {
        let mut offset = 1 << 20;
        gimbal()
            .partitions
            .iter()
            .zip(1..)
            .map(|(spec, number)| {
                let length_bytes = u64::from(spec.mib) << 20;
                offset += length_bytes;
                OwnPartition {
                    label: spec.label.clone(),
                    number,
                    offset_bytes: offset - length_bytes,
                    length_bytes,
                }
            })
            .collect()
    }

    pub(crate) fn capture(n: u64, minute: i64) -> CaptureFacts {
        CaptureFacts {
            id: format!("00000000-0000-7000-8000-{n:012}").parse().unwrap(),
            taken: Taken::here(stamp(minute)),
            manifest: Digest::of(&n.to_le_bytes()),
            origin: Origin::Read,
            rest: Rest::AtRest,
            build: None,
            taker: Taker::Us,
            list: None,
            partitions: own()
                .iter()
                .map(|own| CapturedFacts {
                    label: own.label.clone(),
                    length_bytes: own.length_bytes,
                    blake3: Digest::of(own.label.as_str().as_bytes()),
                    agreement: Agreement::Twice,
                    blank: BlankBytes::No,
                    inside: None,
                    is_unique: true,
                })
                .collect(),
        }
    }

    pub(crate) fn copy(of: &CaptureFacts, place: u64, minute: i64) -> CopyFacts {
        CopyFacts {
            capture: of.id,
            place: format!("00000000-0000-7000-9000-{place:012}")
                .parse()
                .unwrap(),
            name: format!("place {place}"),
            medium: Some(format!("disk {place}")),
            verified: Some(at(minute)),
            damaged: Vec::new(),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::testing::{capture, copy, own};
    use super::*;
    use crate::facts::testing::at;
    use crate::family::testing::gimbal;

    // What was seen, and what it permits, can't be copied, stored or read back.
    static_assertions::assert_not_impl_any!(VerifiedCopy: Clone, serde::Serialize, serde::de::DeserializeOwned);

    struct Case {
        own: Vec<OwnPartition>,
        captures: Vec<CaptureFacts>,
        copies: Vec<CopyFacts>,
        written: Vec<Written>,
        first_write: Option<BenchTime>,
        policy: Policy,
        system_ran: Option<BenchTime>,
        now: BenchTime,
    }

    fn kept() -> Case {
        let taken = capture(1, 10);
        Case {
            own: own(),
            copies: vec![copy(&taken, 1, 11), copy(&taken, 2, 12)],
            captures: vec![taken],
            written: Vec::new(),
            first_write: None,
            policy: Policy::usual(),
            system_ran: Some(at(5)),
            now: at(20),
        }
    }

    fn judged(case: &Case) -> Coverage {
        judge(&input(case, &gimbal()))
    }

    fn input<'a>(case: &'a Case, family: &'a Family) -> CoverageInput<'a> {
        CoverageInput {
            family,
            own: &case.own,
            captures: &case.captures,
            copies: &case.copies,
            written: &case.written,
            first_write: case.first_write,
            by_hand: false,
            policy: &case.policy,
            system_ran: case.system_ran,
            now: case.now,
        }
    }

    #[test]
    fn a_copy_that_was_read_back_too_long_ago_is_named_and_asked_for() {
        let mut case = kept();
        let rows = |case: &Case| judged(case).rows;
        assert_eq!(overdue(&rows(&case), &case.copies, case.now), None);
        case.now = at(20 + 200 * 24 * 60);
        let rows = rows(&case);
        let old = overdue(&rows, &case.copies, case.now).unwrap();
        assert_eq!((old.place, old.days), ("place 1", 200));
        let unique = |row: &&CoverageRow| row.described.role == Role::DeviceUnique;
        let row = rows.iter().find(unique).unwrap();
        assert!(
            row.text.contains("longer than 180 days ago"),
            "{}",
            row.text
        );
        // A damaged one is told as that.
        for copy in &mut case.copies {
            copy.damaged = vec!["persist".parse().unwrap()];
        }
        assert_eq!(overdue(&rows, &case.copies, case.now), None);
    }

    #[test]
    fn a_copy_is_read_back_by_itself_long_before_it_counts_no_longer() {
        let case = kept();
        let copy = case.copies[0].clone();
        let later = |days: i64| at(11 + days * 24 * 60);
        assert!(!is_due(&copy, later(30)));
        assert!(is_due(&copy, later(31)));
        let unread = CopyFacts {
            verified: None,
            ..copy.clone()
        };
        assert!(is_due(&unread, later(0)));
        let damaged = CopyFacts {
            damaged: vec!["persist".parse().unwrap()],
            ..copy
        };
        assert!(!is_due(&damaged, later(31)));
    }

    #[test]
    fn by_hand_two_dumps_that_agree_count_and_nothing_less() {
        let mut case = kept();
        case.captures[0].origin = Origin::Declared;
        let by = |case: &Case, by_hand| {
            let lines = judge(&CoverageInput {
                by_hand,
                ..input(case, &gimbal())
            })
            .lines;
            let open = lines.into_iter().find(|line| !line.is_met());
            open.map(|line| line.rule)
        };
        assert_eq!(by(&case, true), None);
        assert_eq!(by(&case, false), Some(Rule::S1), "a link reads it");
        let word = judge(&CoverageInput {
            by_hand: true,
            ..input(&case, &gimbal())
        });
        assert!(
            word.lines
                .iter()
                .all(|line| line.text.contains("by your word"))
        );
        persist(&mut case.captures[0]).agreement = Agreement::Once;
        assert_eq!(by(&case, true), Some(Rule::B4));
        // Blank now, and held before: not put back from here.
        let mut later = capture(2, 15);
        later.origin = Origin::Declared;
        persist(&mut later).blank = BlankBytes::Zeros;
        case.captures.push(later);
        assert_eq!(by(&case, true), Some(Rule::B12));
    }

    fn missing(case: &Case) -> Vec<(Rule, String)> {
        let open = judged(case).lines.into_iter();
        open.filter(|line| !line.is_met())
            .map(|line| (line.rule, line.text))
            .collect()
    }

    fn persist(capture: &mut CaptureFacts) -> &mut CapturedFacts {
        let mut parts = capture.partitions.iter_mut();
        parts.find(|part| part.label.as_str() == "persist").unwrap()
    }

    #[test]
    fn two_verified_copies_on_two_media_are_enough() {
        let coverage = judged(&kept());
        assert!(coverage.is_enough() && coverage.is_captured_now());
        assert_eq!(coverage.lines.len(), 2, "persist and modemst1");
    }

    #[test]
    fn each_lack_is_named_with_its_rule() {
        type Spoil = fn(&mut Case);
        let cases: [(Spoil, Rule, &str); 11] = [
            (|c| c.captures.clear(), Rule::B3, "never captured"),
            (
                |c| c.captures[0].rest = Rest::Live,
                Rule::B12,
                "while the system ran",
            ),
            (
                |c| c.captures[0].origin = Origin::Declared,
                Rule::S1,
                "only declared",
            ),
            (
                |c| persist(&mut c.captures[0]).agreement = Agreement::Once,
                Rule::B4,
                "once only",
            ),
            (
                |c| c.system_ran = Some(at(15)),
                Rule::B6,
                "capture it again",
            ),
            (|c| drop(c.copies.pop()), Rule::B6, "1 of 2 copies"),
            (|c| c.copies[1].verified = None, Rule::B6, "1 of 2 copies"),
            (|c| c.copies[1].medium = None, Rule::B6, "1 of 2 copies"),
            (
                |c| c.copies[1].medium = c.copies[0].medium.clone(),
                Rule::B6,
                "1 of 2 copies",
            ),
            (
                |c| c.copies[1].damaged = vec!["persist".parse().unwrap()],
                Rule::B6,
                "1 of 2 copies",
            ),
            (
                |c| c.now = at(12 + 180 * 24 * 60),
                Rule::B6,
                "1 of 2 copies",
            ),
        ];
        for (spoil, rule, words) in cases {
            let mut case = kept();
            spoil(&mut case);
            let found = missing(&case);
            let (found_rule, text) = found
                .first()
                .unwrap_or_else(|| panic!("{words}: nothing missing"));
            assert_eq!(*found_rule, rule, "{words}");
            assert!(text.contains(words), "{text}");
        }
    }

    /// What nobody lists: blank when it was met shuts nothing; above 64 MiB one read and one copy do; what
    /// the book lists is kept like the family's own.
    #[test]
    fn what_nobody_lists_is_kept_as_far_as_can_be_asked() {
        let mut case = kept();
        let add = |case: &mut Case, label: &str, mib: u64, blank, agreement| {
            let label: Label = label.parse().unwrap();
            case.own.push(OwnPartition {
                label: label.clone(),
                number: 40,
                offset_bytes: 1 << 40,
                length_bytes: mib << 20,
            });
            let part = CapturedFacts {
                label,
                length_bytes: mib << 20,
                blake3: Digest::of(b"theirs"),
                agreement,
                blank,
                inside: None,
                is_unique: true,
            };
            case.captures[0].partitions.push(part);
        };
        add(&mut case, "mystery", 1, BlankBytes::Zeros, Agreement::Twice);
        add(&mut case, "vault", 65, BlankBytes::No, Agreement::Once);
        add(&mut case, "nvramBAK", 1, BlankBytes::No, Agreement::Twice);
        assert_eq!(missing(&case), []);
        let text = |label: &str| {
            let rows = judged(&case).rows;
            let mut rows = rows.into_iter();
            rows.find(|row| row.described.own.label.as_str() == label)
                .unwrap()
                .text
        };
        assert!(
            text("mystery").contains("blank when it was met"),
            "{}",
            text("mystery")
        );
        assert!(
            text("vault").contains("2 copies read back; one would do"),
            "{}",
            text("vault")
        );

        // Blank only after something was written here is no *as met*.
        case.first_write = Some(at(0));
        let rules: Vec<Rule> = missing(&case).into_iter().map(|(rule, _)| rule).collect();
        assert_eq!(rules, [Rule::B5]);
        case.first_write = None;
        // What the book lists is wanted twice, and an unexplained blank is told as lost.
        let part = case.captures[0].partitions.last_mut().unwrap();
        part.agreement = Agreement::Once;
        let open = missing(&case);
        assert!(
            open[0].1.contains("nvramBAK was read once only"),
            "{open:?}"
        );
    }

    #[test]
    fn any_two_places_do_when_the_policy_says_so() {
        let mut case = kept();
        case.copies[1].medium = case.copies[0].medium.clone();
        case.policy.media = Media::Any;
        assert_eq!(missing(&case), []);
    }

    #[test]
    fn a_blank_partition_is_unexplained_or_found_lost() {
        let mut case = kept();
        persist(&mut case.captures[0]).blank = BlankBytes::Zeros;
        persist(&mut case.captures[0]).blake3 = Digest::of(b"zeros");
        // Blank in all there is: told, and nothing is left to lose.
        let coverage = judged(&case);
        assert!(coverage.is_enough());
        assert!(
            coverage.lines[0].text.contains("found lost"),
            "{}",
            coverage.lines[0].text
        );
        // It held something before: shut until it is put back.
        let before = capture(2, 7);
        case.captures.push(before);
        let found = missing(&case);
        assert_eq!(found[0].0, Rule::B5, "{found:?}");
        // Put back: the capture that it came from counts again.
        let whole = case.captures[1].clone();
        case.copies
            .extend([copy(&whole, 1, 11), copy(&whole, 2, 12)]);
        case.written = vec![Written {
            label: "persist".parse().unwrap(),
            image: persist(&mut case.captures[1]).blake3,
            at: at(16),
            shown: WriteShown::ReadBack,
        }];
        let found = missing(&case);
        assert!(
            found.iter().all(|(_, text)| !text.contains("persist")),
            "{found:?}"
        );
    }

    #[test]
    fn another_length_is_no_backup_of_it() {
        let mut case = kept();
        persist(&mut case.captures[0]).length_bytes -= 512;
        assert!(missing(&case)[0].1.contains("never captured"));
    }
}
