//! Writing an image from elsewhere onto a partition: `G4`, and `G3` for the one case in which a
//! write is the only way to get rights to read.

use veritope_wire::{BenchTime, Digest, Label};

use super::copies::{ReadBack, not_read_back};
use super::{
    Closed, Cure, Effect, Item, ItemState, LinkWitness, Permit, Torn, admit, battery, cite,
    in_mode, item, not_known, open_items, ownership, reported, torn,
};
use crate::budget::Battery;
use crate::coverage::Coverage;
use crate::digest::{Claimed, Seen};
use crate::facts::{FactKey, FactKind, Facts};
use crate::family::{BeforeForeign, Family, Role};
use crate::matching::{Finding, Fit};
use crate::mode::Lock;
use crate::rule::Rule;

/// Everything that the judgement of a write looks at.
#[derive(Debug, Clone, Copy)]
pub struct WriteEvidence<'a> {
    /// The family.
    pub family: &'a Family,
    /// What is known.
    pub facts: &'a Facts,
    /// The partition that is written; nothing where the family has no way to write one.
    pub label: Option<&'a Label>,
    /// What the matching found.
    pub findings: &'a [Finding],
    /// The image, hashed just now where it lies.
    pub seen: Option<&'a Seen>,
    /// What its publisher says that it is.
    pub published: Option<Claimed>,
    /// How the unit's partitions are kept.
    pub coverage: &'a Coverage,
    /// The battery, judged for the whole sheet.
    pub battery: &'a Battery,
    /// Writes whose end nobody has seen.
    pub torn: &'a [Torn],
    /// Copies that were read back in this process.
    pub read_back: ReadBack<'a>,
    /// Now.
    pub now: BenchTime,
}

impl WriteEvidence<'_> {
    fn image(&self) -> Option<Digest> {
        self.seen.map(Seen::digest)
    }
}

/// The evidence list of `G4`.
#[must_use]
pub fn write_items(evidence: &WriteEvidence<'_>) -> Vec<Item> {
    let mut items = common(evidence);
    if evidence.coverage.items.is_empty() {
        items.push(Item {
            cure: Some(Cure::Capture),
            ..item(
                Rule::B2,
                ItemState::Unknown,
                "The unit's own partition table was not read: what exists once is not known.",
                Vec::new(),
            )
        });
    }
    items.extend(evidence.coverage.items.iter().cloned());
    items.push(way_back(evidence.label, evidence.coverage));
    items
}

/// The evidence list of `G3`: all other writes stay shut until `B6`, so this one needs no copies,
/// and is there only where nothing else gives rights to read.
#[must_use]
pub fn read_route_items(evidence: &WriteEvidence<'_>) -> Vec<Item> {
    let mut items = common(evidence);
    let family = evidence.family;
    items.push(if family.temporary_start.is_some() {
        Item {
            cure: Some(Cure::Capture),
            ..item(
                Rule::B1,
                ItemState::Missing,
                "A recovery can be started from memory here, so nothing is written to be able to read.",
                Vec::new(),
            )
        }
    } else {
        item(
            Rule::B1,
            ItemState::Met,
            "Nothing else gives rights to read on this family.",
            Vec::new(),
        )
    });
    items
}

fn common(evidence: &WriteEvidence<'_>) -> Vec<Item> {
    let mut items = vec![
        ownership(evidence.family, evidence.facts),
        unlocked(evidence.family, evidence.facts),
        place(evidence),
    ];
    items.extend(evidence.findings.iter().map(|finding| {
        let state = match finding.fit {
            Fit::Fits => ItemState::Met,
            Fit::Stops => ItemState::Missing,
        };
        item(finding.rule, state, finding.text.clone(), Vec::new())
    }));
    items.extend(before_foreign(evidence.family, evidence.facts));
    items.push(proven(evidence));
    items.push(battery(evidence.family, evidence.facts, evidence.battery));
    if let (Some(label), Some(image)) = (evidence.label, evidence.image()) {
        let effect = Effect::WriteImage {
            label: label.clone(),
            image,
        };
        items.extend(torn(evidence.torn, Some(&effect)));
    }
    items
}

/// The lock lets foreign bytes in.
pub(super) fn unlocked(family: &Family, facts: &Facts) -> Item {
    match facts.lock() {
        Some(Lock::Unlocked) => item(
            Rule::L3,
            ItemState::Met,
            "It is unlocked.",
            cite(facts, FactKey::Lock),
        ),
        Some(Lock::Locked) => item(
            Rule::L3,
            ItemState::Missing,
            "It is locked: it takes only the maker's bytes.",
            cite(facts, FactKey::Lock),
        ),
        None => not_known(
            family,
            facts,
            Rule::L3,
            FactKey::Lock,
            "Is it locked or unlocked?",
        ),
    }
}

/// What the unit's own screens must say before anything foreign is written, as the family has it
/// (`L5`).
#[must_use]
pub fn before_foreign(family: &Family, facts: &Facts) -> Vec<Item> {
    let line = |wanted: &BeforeForeign| {
        let key = wanted.key;
        let title = key.spec().title;
        match facts.choice(key) {
            Some(value) if value == wanted.value => item(
                Rule::L5,
                ItemState::Met,
                format!("{title}: {}.", shown(key, value)),
                cite(facts, key),
            ),
            Some(value) => Item {
                cure: Some(Cure::DoThenType {
                    key,
                    instruction: wanted.reason.clone(),
                }),
                ..item(
                    Rule::L5,
                    ItemState::Missing,
                    format!(
                        "{title}: {}, wanted is {}. {}",
                        shown(key, value),
                        shown(key, &wanted.value),
                        wanted.reason
                    ),
                    cite(facts, key),
                )
            },
            None => {
                let wanted = shown(key, &wanted.value);
                not_known(
                    family,
                    facts,
                    Rule::L5,
                    key,
                    &format!("{title}: is it {wanted}?"),
                )
            }
        }
    };
    family.before_foreign.iter().map(line).collect()
}

/// A choice in words.
fn shown(key: FactKey, value: &str) -> &str {
    match key.spec().kind {
        FactKind::Choice(options) => options
            .iter()
            .find(|option| option.id == value)
            .map_or(value, |option| option.shown),
        _ => value,
    }
}

/// Images go to the recovery only (`G3`, `G4` in this version); the boot chain never alone,
/// lock-state and control never (`S5`), what exists once never from elsewhere (`S1`).
fn place(evidence: &WriteEvidence<'_>) -> Item {
    let Some(label) = evidence.label else {
        return item(
            Rule::G4,
            ItemState::Missing,
            "This family has no way to write a recovery.",
            Vec::new(),
        );
    };
    let role = evidence.family.partition(label).map(|spec| spec.role);
    let (rule, state, text) = match role {
        Some(Role::Recovery) => (
            Rule::G4,
            ItemState::Met,
            format!("{label} is the recovery's own partition."),
        ),
        Some(Role::LockState | Role::BootControl) => (
            Rule::S5,
            ItemState::Missing,
            format!("{label} is never written by us."),
        ),
        Some(Role::DeviceUnique) | None => (
            Rule::S1,
            ItemState::Missing,
            format!("{label} exists once in the world: it takes its own bytes back and no others."),
        ),
        Some(
            Role::BootChain
            | Role::Boot
            | Role::Overlay
            | Role::Verification
            | Role::RadioFirmware
            | Role::Os
            | Role::UserData
            | Role::Cache
            | Role::Reserve,
        ) => (
            Rule::G4,
            ItemState::Missing,
            format!("Images are not written to {label}."),
        ),
    };
    item(rule, state, text, Vec::new())
}

/// The image is whole where it lies (`Q11`).
fn proven(evidence: &WriteEvidence<'_>) -> Item {
    match (evidence.seen, evidence.published) {
        (Some(seen), Some(claim)) if seen.agrees_with(claim) => item(
            Rule::Q11,
            ItemState::Met,
            format!(
                "The image was hashed where it lies: {}.",
                seen.digest().short()
            ),
            Vec::new(),
        ),
        (Some(_), _) => item(
            Rule::Q11,
            ItemState::Missing,
            "The image is not what its publisher says: fetch it again.",
            Vec::new(),
        ),
        (None, _) => item(
            Rule::Q11,
            ItemState::Unknown,
            "No image of a recovery that fits is on the shelf.",
            Vec::new(),
        ),
    }
}

/// What is written over was captured and read back (`Q1`).
pub(super) fn way_back(label: Option<&Label>, coverage: &Coverage) -> Item {
    let label = label.map_or("the partition", Label::as_str);
    let row = coverage
        .rows
        .iter()
        .find(|row| row.described.own.label.as_str() == label);
    match row {
        Some(row) if row.places > 0 => item(
            Rule::Q1,
            ItemState::Met,
            format!("{label} as it is now is captured and read back: the way back."),
            Vec::new(),
        ),
        row => Item {
            cure: Some(
                row.and_then(|row| row.capture)
                    .map_or(Cure::Capture, |capture| Cure::KeepCopies { capture }),
            ),
            ..item(
                Rule::Q1,
                ItemState::Missing,
                format!("There is no way back: {label} is not captured and read back."),
                Vec::new(),
            )
        },
    }
}

/// Mints the permit to write an image (`G4`). Every copy of what exists once that can be reached was read
/// back in this process within ten minutes; those in places that are away count by the log.
///
/// # Errors
/// When any line of the list is not met, or the unit at the link is not the one that was judged.
pub fn mint_write(
    evidence: &WriteEvidence<'_>,
    witness: &LinkWitness<'_>,
) -> Result<Permit, Closed> {
    let mut missing = open_items(write_items(evidence));
    missing.extend(not_read_back(
        evidence.coverage,
        &evidence.read_back,
        evidence.now,
    ));
    close(evidence, missing, witness, |label, image| {
        Effect::WriteImage { label, image }
    })
}

/// Mints the permit to write only to get rights to read (`G3`).
///
/// # Errors
/// When any line of the list is not met, or the unit at the link is not the one that was judged.
pub fn mint_read_route(
    evidence: &WriteEvidence<'_>,
    witness: &LinkWitness<'_>,
) -> Result<Permit, Closed> {
    let missing = open_items(read_route_items(evidence));
    close(evidence, missing, witness, |label, image| {
        Effect::ReadRouteWrite { label, image }
    })
}

fn close(
    evidence: &WriteEvidence<'_>,
    mut missing: Vec<Item>,
    witness: &LinkWitness<'_>,
    effect: impl FnOnce(Label, Digest) -> Effect,
) -> Result<Permit, Closed> {
    if let Some(spec) = &evidence.family.recovery_write {
        missing.extend(in_mode(&[spec.mode], witness));
    }
    missing.extend(reported(Lock::Unlocked, witness));
    let (Some(label), Some(image)) = (evidence.label, evidence.image()) else {
        return Err(Closed { missing });
    };
    admit(
        effect(label.clone(), image),
        missing,
        evidence.family,
        evidence.facts,
        witness,
    )
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;
    use veritope_wire::link::Epoch;

    use super::super::testing::{self, witness};
    use super::*;
    use crate::budget::{self, Policy};
    use crate::coverage::testing::{capture, copy, own};
    use crate::coverage::{self, CaptureFacts, CopyFacts, CoverageInput, VerifiedCopy};
    use crate::facts::testing::{at, linked, row};
    use crate::facts::{FactRow, Source};
    use crate::family::testing::gimbal;
    use crate::matching::{Descriptor, Published, judge_recovery};
    use crate::plan::{Goal, Presence, State, Ways, find};

    const IMAGE: &[u8] = b"a recovery for this family";

    /// A complete set of evidence; tests take single pieces out.
    struct Case {
        family: Family,
        rows: Vec<FactRow>,
        live: Vec<FactRow>,
        captures: Vec<CaptureFacts>,
        copies: Vec<CopyFacts>,
        verified: Vec<&'static str>,
        verified_at: i64,
        /// Places whose copies did not read back, and places that don't answer.
        garbled: Vec<veritope_wire::PlaceId>,
        away: Vec<veritope_wire::PlaceId>,
        torn: Vec<Torn>,
        label: Label,
        image: &'static [u8],
        published: &'static [u8],
        codename: &'static str,
    }

    fn complete() -> Case {
        let pairs = [
            (FactKey::Ownership, "mine"),
            (FactKey::Lock, "unlocked"),
            (FactKey::Battery, "81"),
            (FactKey::ChipId, "9a:77:01:5c:20:e4"),
            (FactKey::Mode, "bootloader"),
        ];
        let rows = linked(&pairs, 0);
        let taken = capture(1, 10);
        Case {
            family: gimbal(),
            live: rows.clone(),
            rows,
            copies: vec![copy(&taken, 1, 11), copy(&taken, 2, 12)],
            captures: vec![taken],
            verified: vec!["persist", "modemst1"],
            verified_at: 20,
            garbled: Vec::new(),
            away: Vec::new(),
            torn: Vec::new(),
            label: "recovery".parse().unwrap(),
            image: IMAGE,
            published: IMAGE,
            codename: "gimbal",
        }
    }

    fn judged<T>(case: &Case, judge: impl FnOnce(&WriteEvidence<'_>, &LinkWitness<'_>) -> T) -> T {
        let facts = Facts::new(&case.rows, &[], []);
        let live = Facts::new(&case.live, &[], []);
        let ways = Ways {
            link: Presence::Here,
            image: Presence::Here,
        };
        let policy = Policy::usual();
        let start = State::from_facts(&facts);
        let sheet = find(&case.family, start, Goal::KeepRecovery, ways).unwrap();
        let battery = budget::battery(&sheet, &facts, &case.family, &policy, at(20));
        let coverage = coverage::judge(&CoverageInput {
            family: &case.family,
            own: &own(),
            captures: &case.captures,
            copies: &case.copies,
            written: &[],
            first_write: None,
            policy: &policy,
            system_ran: Some(at(5)),
            now: at(20),
        });
        let seen = Seen::of(case.image);
        let claim = Claimed(Digest::of(case.published));
        let findings = judge_recovery(
            &case.family,
            &Descriptor {
                codename: case.codename.to_owned(),
                kind: "recovery".to_owned(),
                version: "3.2.0".to_owned(),
            },
            &Published {
                codename: "gimbal".to_owned(),
                blake3: claim,
            },
            &seen,
        );
        // Every copy that the log knows, unless a test took one away.
        let each = case.copies.iter().flat_map(|copy| {
            let labels = case.verified.iter();
            labels.map(|label| (copy.place, *label))
        });
        let copies: Vec<VerifiedCopy> = each
            .filter(|(place, _)| !case.garbled.contains(place))
            .map(|(place, label)| {
                VerifiedCopy::read_back(
                    label.parse().unwrap(),
                    place,
                    Seen::of(label.as_bytes()),
                    Claimed(Digest::of(label.as_bytes())),
                    at(case.verified_at),
                )
                .unwrap()
            })
            .collect();
        let evidence = WriteEvidence {
            family: &case.family,
            facts: &facts,
            label: Some(&case.label),
            findings: &findings,
            seen: Some(&seen),
            published: Some(claim),
            coverage: &coverage,
            battery: &battery,
            torn: &case.torn,
            read_back: ReadBack {
                copies: &copies,
                away: &case.away,
                needed: policy.copies,
            },
            now: at(20),
        };
        let witness = witness(&live, 7);
        judge(&evidence, &witness)
    }

    fn rules(case: &Case) -> Vec<Rule> {
        let mut rules = testing::rules(&judged(case, mint_write));
        rules.sort();
        rules.dedup();
        rules
    }

    #[test]
    fn complete_evidence_opens_for_this_image_and_this_partition_only() {
        let permit = judged(&complete(), mint_write).unwrap();
        let (label, image) = permit.effect().writes().unwrap();
        assert_eq!((label.as_str(), image), ("recovery", Digest::of(IMAGE)));
        assert_eq!(permit.epoch(), Epoch(7));
        assert_eq!(permit.effect().rule(), Rule::G4);
    }

    #[test]
    fn what_the_units_own_screens_must_say_keeps_every_foreign_write_shut() {
        let kelpie = crate::family::testing::shipped("kelpie");
        let said = [
            (FactKey::Toggle, "fixed-on"),
            (FactKey::DownloadGuard, "checking"),
            (FactKey::ResetLock, "off"),
            (FactKey::Lock, "unlocked"),
        ];
        let mut case = complete();
        case.family
            .before_foreign
            .clone_from(&kelpie.before_foreign);
        let open = |case: &Case| {
            let list = judged(case, |evidence, _| read_route_items(evidence));
            let of_l5 = list.iter().filter(|item| item.rule == Rule::L5);
            of_l5.filter(|item| item.state != ItemState::Met).count()
        };
        // Only the lock is known.
        assert_eq!(open(&case), 3);
        assert!(judged(&case, mint_write).is_err());
        for ((key, value), n) in said.iter().zip(50..) {
            case.rows.push(row(n, *key, value, Source::Person, 1));
        }
        assert_eq!(open(&case), 0);
        assert!(judged(&case, mint_write).is_ok());
        case.rows.push(row(
            60,
            FactKey::DownloadGuard,
            "waiting",
            Source::Person,
            2,
        ));
        assert_eq!(open(&case), 1);
        assert!(judged(&case, mint_write).is_err());
    }

    proptest! {
        /// Taking any one piece away closes the seal.
        #[test]
        fn every_single_fact_is_needed(gone in 0..5usize) {
            let mut case = complete();
            let key = case.rows.remove(gone).key;
            // The mode is judged live; what the bench remembers of it is not evidence.
            prop_assert_eq!(rules(&case).is_empty(), key == FactKey::Mode);
        }

        #[test]
        fn every_single_live_reading_is_needed(key in prop::sample::select(vec![FactKey::Mode, FactKey::Lock, FactKey::ChipId])) {
            let mut case = complete();
            case.live.retain(|row| row.key != key);
            prop_assert!(!rules(&case).is_empty());
        }

        #[test]
        fn every_single_copy_is_needed(gone in 0..2usize, verified in 0..2usize) {
            let mut case = complete();
            case.copies.remove(gone);
            prop_assert_eq!(rules(&case), [Rule::B6]);
            let mut case = complete();
            case.verified.remove(verified);
            prop_assert_eq!(rules(&case), [Rule::B7]);
        }
    }

    #[test]
    fn a_copy_that_is_garbage_counts_as_none_and_one_that_is_away_by_the_log() {
        let mut case = complete();
        let second = case.copies[1].place;
        case.garbled = vec![second];
        assert_eq!(rules(&case), [Rule::B7]);
        case.away = vec![second];
        assert_eq!(rules(&case), []);
        // Away all of them: nothing was seen.
        case.garbled = case.copies.iter().map(|copy| copy.place).collect();
        case.away.clone_from(&case.garbled);
        assert_eq!(rules(&case), [Rule::B7]);
    }

    #[test]
    fn each_lack_closes_it_with_its_rule() {
        type Spoil = fn(&mut Case);
        let cases: [(Spoil, &[Rule]); 11] = [
            (|c| c.captures.clear(), &[Rule::B3, Rule::Q1]),
            (|c| c.verified_at = 9, &[Rule::B7]),
            (|c| c.published = b"another", &[Rule::M8, Rule::Q11]),
            (|c| c.codename = "kelpie", &[Rule::M1]),
            (|c| c.label = "persist".parse().unwrap(), &[Rule::S1]),
            (|c| c.label = "misc".parse().unwrap(), &[Rule::S5]),
            (|c| c.label = "aboot".parse().unwrap(), &[Rule::G4]),
            (
                |c| c.label = "attic".parse().unwrap(),
                &[Rule::Q1, Rule::S1],
            ),
            (
                |c| {
                    c.rows
                        .push(row(99, FactKey::Ownership, "neither", Source::Person, 1))
                },
                &[Rule::Care],
            ),
            (
                |c| {
                    c.live
                        .iter_mut()
                        .filter(|r| r.key == FactKey::ChipId)
                        .for_each(|r| {
                            *r = row(50, FactKey::ChipId, "9a:77:01:5c:20:e5", Source::Link, 1);
                        })
                },
                &[Rule::K4],
            ),
            (
                |c| {
                    c.torn.push(Torn {
                        label: "persist".parse().unwrap(),
                        effect: Effect::WriteImage {
                            label: "persist".parse().unwrap(),
                            image: Digest::of(b"x"),
                        },
                        before: None,
                        since: at(1),
                    });
                },
                &[Rule::S3],
            ),
        ];
        for (index, (spoil, wanted)) in cases.into_iter().enumerate() {
            let mut case = complete();
            spoil(&mut case);
            assert_eq!(rules(&case), wanted, "case {index}");
        }
    }

    #[test]
    fn an_interrupted_write_may_be_taken_up_again() {
        let mut case = complete();
        let write = |image: &[u8]| Torn {
            label: "recovery".parse().unwrap(),
            effect: Effect::WriteImage {
                label: "recovery".parse().unwrap(),
                image: Digest::of(image),
            },
            before: None,
            since: at(1),
        };
        case.torn = vec![write(IMAGE)];
        assert_eq!(rules(&case), []);
        // Another image writes it whole too, by its own list.
        case.torn = vec![write(b"another image")];
        assert_eq!(rules(&case), []);
    }

    #[test]
    fn writing_to_be_able_to_read_is_refused_where_something_else_gives_the_right() {
        let closed = judged(&complete(), mint_read_route).unwrap_err();
        let rules: Vec<Rule> = closed.missing.iter().map(|item| item.rule).collect();
        assert_eq!(rules, [Rule::B1]);
        let mut case = complete();
        case.family.temporary_start = None;
        // No copies can exist yet, and none are asked for; it is another kind of permit.
        case.captures.clear();
        case.copies.truncate(1);
        let permit = judged_without_a_plan(&case);
        assert_eq!(permit.effect().rule(), Rule::G3);
    }

    /// A family without a temporary start has no sheet to a kept recovery by our planner yet.
    fn judged_without_a_plan(case: &Case) -> Permit {
        let with_start = Case {
            family: gimbal(),
            ..complete()
        };
        judged(&with_start, |evidence, witness| {
            let evidence = WriteEvidence {
                family: &case.family,
                coverage: &coverage::judge(&CoverageInput {
                    family: &case.family,
                    own: &[],
                    captures: &[],
                    copies: &[],
                    written: &[],
                    first_write: None,
                    policy: &Policy::usual(),
                    system_ran: None,
                    now: at(20),
                }),
                read_back: ReadBack {
                    copies: &[],
                    ..evidence.read_back
                },
                ..*evidence
            };
            mint_read_route(&evidence, witness)
        })
        .unwrap()
    }
}
