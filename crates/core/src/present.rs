//! What lies in a partition now, as far as this bench knows: by its newest capture, or by what it wrote there
//! and read back (`B12`, `S2`). And the order in which several are written (`S3`).

use veritope_wire::{BenchTime, Digest, Label};

use crate::captured::{Agreement, CaptureFacts, Rest};
use crate::coverage::{Torn, WriteShown, Written};
use crate::facts::Happening;
use crate::family::Role;

/// What a unit's record says of its partitions.
#[derive(Debug, Clone, Copy)]
pub struct Held<'a> {
    /// Writes whose end nobody has seen.
    pub torn: &'a [Torn],
    /// What was written last, partition by partition.
    pub written: &'a [Written],
    /// Captures.
    pub captures: &'a [CaptureFacts],
    /// When what last happened.
    pub happened: &'a [(Happening, BenchTime)],
}

/// Digest of what lies in `label` now; nothing where it may be another one by now: its write was interrupted,
/// its system ran, it was erased, opened or out of sight since, or the running system wrote to it as it was
/// read. What was written elsewhere leaves it as it is.
#[must_use]
pub fn present(of: Held<'_>, label: &Label) -> Option<Digest> {
    if of.torn.iter().any(|torn| torn.label == *label) {
        return None;
    }
    let elsewhere = [Happening::SystemWritten, Happening::RecoveryWritten];
    let events = of.happened.iter();
    let moved = events
        .filter(|(what, _)| !elsewhere.contains(what))
        .map(|(_, at)| *at)
        .max();
    let written = of.written.iter().find(|one| one.label == *label);
    let read_back = written.filter(|one| one.shown == WriteShown::ReadBack);
    let ours = of.captures.iter().filter(|one| one.is_read_here());
    let captured = ours
        .filter_map(|one| Some((one.taken.counted()?, one.rest, one.partition(label)?)))
        .max_by_key(|(taken, ..)| *taken)
        // What the running system writes to is another one by now.
        .filter(|(_, rest, part)| {
            *rest == Rest::AtRest || !(part.is_unique && part.agreement == Agreement::Once)
        })
        .map(|(taken, _, part)| (taken, part.blake3))
        .filter(|(taken, _)| written.is_none_or(|written| written.at < *taken));
    let newest = captured.or(read_back.map(|one| (one.at, one.image)));
    newest
        .filter(|(at, _)| moved.is_none_or(|moved| moved < *at))
        .map(|(_, digest)| digest)
}

/// Sorts partitions into the order in which they are written (`S3`): radio, system, then what starts it, what
/// exists once last; alike ones as they lie on the disk. What has no role is never written (`B5`): its turn
/// is nobody's. `of` gives role and offset.
pub fn in_turn<T>(parts: &mut [T], of: impl Fn(&T) -> (Option<Role>, u64)) {
    parts.sort_by_key(|part| {
        let (role, offset) = of(part);
        (role.map_or(u8::MAX, |role| role.spec().turn), offset)
    });
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;
    use crate::captured::Taker;
    use crate::coverage::testing::capture;
    use crate::facts::testing::at;

    fn label() -> Label {
        "recovery".parse().unwrap()
    }

    fn written(image: &[u8], minute: i64, shown: WriteShown) -> Written {
        Written {
            label: label(),
            image: Digest::of(image),
            at: at(minute),
            shown,
        }
    }

    fn held<'a>(written: &'a [Written], happened: &'a [(Happening, BenchTime)]) -> Held<'a> {
        Held {
            torn: &[],
            written,
            captures: &[],
            happened,
        }
    }

    #[test]
    fn what_was_written_counts_once_it_was_read_back_and_nothing_happened_since() {
        let shown = [written(b"a", 5, WriteShown::ReadBack)];
        let a = Some(Digest::of(b"a"));
        assert_eq!(present(held(&shown, &[]), &label()), a);
        for (what, minute, expected) in [
            (Happening::SystemRan, 4, a),
            (Happening::SystemRan, 6, None),
            (Happening::ModeChanged, 6, None),
            (Happening::Wiped, 6, None),
            (Happening::SystemWritten, 6, a),
            (Happening::RecoveryWritten, 6, a),
        ] {
            let happened = [(what, at(minute))];
            assert_eq!(
                present(held(&shown, &happened), &label()),
                expected,
                "{what:?}"
            );
        }
        let torn = [Torn {
            label: label(),
            image: Digest::of(b"b"),
            before: None,
            since: at(4),
        }];
        let interrupted = Held {
            torn: &torn,
            ..held(&shown, &[])
        };
        assert_eq!(present(interrupted, &label()), None);
        assert_eq!(present(held(&[], &[]), &label()), None);
    }

    #[test]
    fn a_capture_tells_what_lies_there_but_not_what_the_system_writes_to() {
        let of = |captures: &[CaptureFacts]| {
            let held = Held {
                captures,
                ..held(&[], &[])
            };
            present(held, &label())
        };
        let expected = Some(Digest::of(b"recovery"));
        assert_eq!(of(&[capture(1, 5)]), expected);
        let live = |agreement| {
            let mut live = capture(2, 6);
            live.rest = Rest::Live;
            for part in &mut live.partitions {
                part.agreement = agreement;
            }
            live
        };
        assert_eq!(of(&[capture(1, 5), live(Agreement::Twice)]), expected);
        assert_eq!(
            of(&[capture(1, 5), live(Agreement::Once)]),
            None,
            "the newest counts"
        );
        let mut theirs = capture(3, 7);
        theirs.taker = Taker::AnotherBench;
        assert_eq!(of(&[theirs]), None);
        let shown = [written(b"a", 6, WriteShown::Reported)];
        let over = Held {
            captures: &[capture(1, 5)],
            ..held(&shown, &[])
        };
        assert_eq!(
            present(over, &label()),
            None,
            "written over, and not read back"
        );
    }

    proptest! {
        /// A later happening never turns *not known* into *known*.
        #[test]
        fn more_happening_tells_no_more(minutes in prop::collection::vec(0..20i64, 0..5), more in 0..20i64) {
            let shown = [written(b"a", 10, WriteShown::ReadBack)];
            let happened: Vec<_> = minutes.iter().map(|minute| (Happening::SystemRan, at(*minute))).collect();
            let before = present(held(&shown, &happened), &label());
            let mut longer = happened.clone();
            longer.push((Happening::ModeChanged, at(more)));
            let after = present(held(&shown, &longer), &label());
            prop_assert!(after.is_none() || after == before);
        }

        /// Whatever order they come in, what exists once is written last and every partition once.
        #[test]
        fn what_exists_once_comes_last(order in Just((0..6u64).collect::<Vec<_>>()).prop_shuffle()) {
            let roles = [Role::DeviceUnique, Role::Boot, Role::Os, Role::RadioFirmware, Role::DeviceUnique, Role::Recovery];
            let mut parts: Vec<(Option<Role>, u64)> = order.iter().map(|n| (Some(roles[usize::try_from(*n).unwrap()]), *n)).collect();
            in_turn(&mut parts, |part| *part);
            let found: Vec<u64> = parts.iter().map(|(_, n)| *n).collect();
            prop_assert_eq!(found, vec![3, 2, 1, 5, 0, 4]);
        }
    }
}
