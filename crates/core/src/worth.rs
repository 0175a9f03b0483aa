//! Which bytes are better? Judged by what they hold and by nothing else (`E4`): good before doubtful
//! before blank or damaged. A worse image never goes over a better one.

use serde::Serialize;
use veritope_wire::{BenchTime, CaptureId, Label};

pub use crate::captured::Inside;
use crate::captured::{Agreement, BlankBytes, CaptureFacts, CapturedFacts, Origin, Rest};
use crate::facts::{FactGroup, FactKey, Facts};
use crate::family::{Changes, Family};
use crate::partitions::{LARGE_BYTES, may_be_blank};

/// How much bytes are worth, the least first.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, utoipa::ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Worth {
    /// Blank.
    Nothing,
    /// Something stands against them.
    Doubtful,
    /// Nothing stands against them.
    Good,
}

/// What a captured partition holds, in words: for a person who has to choose between captures.
#[must_use]
pub fn holds(part: &CapturedFacts) -> String {
    match (part.blank, &part.inside) {
        (BlankBytes::Zeros, _) => "blank: all zero".to_owned(),
        (BlankBytes::Ones, _) => "blank: all 0xFF".to_owned(),
        (BlankBytes::No, Some(inside)) => inside.shown(),
        (BlankBytes::No, None) => "bytes".to_owned(),
    }
}

/// What the bytes of `part` are worth, held against all captures of the same partition. A head that
/// lost the file system which others show is doubtful; so is what was read once (but for what nobody
/// lists and is too large for more, `B5`), what is not known to stay as it is while the system runs
/// (`B12`), and what was handed in.
#[must_use]
pub fn worth(capture: &CaptureFacts, part: &CapturedFacts, all: &[CaptureFacts]) -> Worth {
    if part.blank != BlankBytes::No {
        return Worth::Nothing;
    }
    let same = all.iter().filter_map(|one| one.partition(&part.label));
    let is_unlike = same
        .filter(|one| one.blank == BlankBytes::No)
        .any(|one| has_lost_its_form(part, one));
    let is_once = part.agreement == Agreement::Once;
    let should_agree = part.is_unique && part.length_bytes <= LARGE_BYTES;
    let is_doubtful = is_unlike
        || (capture.rest == Rest::Live && is_once)
        || capture.origin == Origin::Declared
        || (is_once && capture.origin == Origin::Read && should_agree);
    if is_doubtful {
        Worth::Doubtful
    } else {
        Worth::Good
    }
}

/// Whether this worth is to be minded: not where nothing lies in what may be blank (`B5`).
#[must_use]
pub fn is_minded(worth: Worth, family: Option<&Family>, label: &Label) -> bool {
    let may_be_blank = family.is_some_and(|family| may_be_blank(family, label));
    worth != Worth::Good && !(worth == Worth::Nothing && may_be_blank)
}

/// Whether `part` shows no file system where `other` shows one.
fn has_lost_its_form(part: &CapturedFacts, other: &CapturedFacts) -> bool {
    matches!(other.inside, Some(Inside::FileSystem { .. })) && part.inside == Some(Inside::Other)
}

/// Which capture is to be put back, partition by partition (`E4`): of living bytes the newest good
/// one, and one from before a function was noted as not working where there is one; of fixed bytes the
/// earliest good one.
#[must_use]
pub fn proposed(
    label: &Label,
    length_bytes: u64,
    changes: Changes,
    captures: &[CaptureFacts],
    facts: &Facts,
) -> Option<CaptureId> {
    let mut good: Vec<&CaptureFacts> = captures
        .iter()
        .filter(|one| {
            let part = one.partition(label);
            part.is_some_and(|part| {
                part.length_bytes == length_bytes && worth(one, part, captures) == Worth::Good
            })
        })
        .collect();
    good.sort_by_key(|one| (one.taken.order(), one.id));
    if changes == Changes::Fixed {
        return good.first().map(|one| one.id);
    }
    let broken = broken_since(facts);
    let working = good
        .iter()
        .rev()
        .find(|one| broken.is_none_or(|since| one.taken.is_before(since) == Some(true)));
    working.or(good.last()).map(|one| one.id)
}

/// Since when a function is noted as not working; the earliest of them.
fn broken_since(facts: &Facts) -> Option<BenchTime> {
    let works = FactKey::ALL
        .iter()
        .filter(|key| key.spec().group == FactGroup::Works);
    works
        .filter(|key| facts.choice(**key) == Some("no"))
        .filter_map(|key| facts.known(*key))
        .map(|row| row.at)
        .min()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::coverage::testing::capture;
    use crate::facts::Source;
    use crate::facts::testing::row;

    fn persist(capture: &mut CaptureFacts) -> &mut CapturedFacts {
        let mut parts = capture.partitions.iter_mut();
        parts.find(|part| part.label.as_str() == "persist").unwrap()
    }

    fn label() -> Label {
        "persist".parse().unwrap()
    }

    fn worths(all: &[CaptureFacts]) -> Vec<Worth> {
        let part = |one: &CaptureFacts| worth(one, one.partition(&label()).unwrap(), all);
        all.iter().map(part).collect()
    }

    #[test]
    fn blank_is_nothing_and_a_lost_form_is_doubtful() {
        let mut all = vec![capture(1, 1), capture(2, 2), capture(3, 3), capture(4, 4)];
        persist(&mut all[0]).inside = Some(Inside::FileSystem {
            kind: "FAT".to_owned(),
        });
        persist(&mut all[1]).inside = Some(Inside::Other);
        persist(&mut all[2]).blank = BlankBytes::Ones;
        all[3].rest = Rest::Live;
        persist(&mut all[3]).agreement = Agreement::Once;
        assert_eq!(
            worths(&all),
            [
                Worth::Good,
                Worth::Doubtful,
                Worth::Nothing,
                Worth::Doubtful
            ]
        );
        // Read live, what agrees with itself does not live (B12).
        persist(&mut all[3]).agreement = Agreement::Twice;
        assert_eq!(worths(&all)[3], Worth::Good);
        // What was captured before anybody looked inside is not held against anything.
        persist(&mut all[1]).inside = None;
        assert_eq!(worths(&all)[1], Worth::Good);
    }

    #[test]
    fn of_living_bytes_the_newest_good_of_fixed_the_earliest() {
        let mut all = vec![capture(1, 1), capture(2, 2), capture(3, 3)];
        persist(&mut all[2]).blank = BlankBytes::Zeros;
        let length = persist(&mut all[0]).length_bytes;
        let nothing = Facts::default();
        let of = |changes, facts: &Facts| proposed(&label(), length, changes, &all, facts);
        assert_eq!(of(Changes::Living, &nothing), Some(all[1].id));
        assert_eq!(of(Changes::Fixed, &nothing), Some(all[0].id));
        // The camera is noted as dead between the two: what lay there before it died.
        let said = [row(1, FactKey::WorksCamera, "no", Source::Person, 2)];
        let facts = Facts::new(&said, &[], []);
        assert_eq!(of(Changes::Living, &facts), Some(all[0].id));
        assert_eq!(
            proposed(&label(), length + 1, Changes::Living, &all, &nothing),
            None
        );
    }
}
