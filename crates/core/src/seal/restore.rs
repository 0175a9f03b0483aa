//! Putting a partition back from a capture (`G7`, JOB 9). There is no override for anything that
//! tells whose bytes these are.

use std::collections::BTreeMap;

use veritope_wire::{BenchTime, Digest};

use super::copies::{ReadBack, not_read_back};
use super::index::index;
use super::write::{before_foreign, unlocked, way_back};
use super::{
    Closed, Cure, Effect, Item, ItemState, LinkWitness, Permit, Torn, admit, battery, cite,
    in_mode, item, open_items, ownership, reported, torn,
};
use crate::budget::Battery;
use crate::coverage::{CaptureFacts, Coverage, Origin, Taker, VerifiedCopy};
use crate::facts::{FactKey, Facts, Reading, Source};
use crate::family::{Family, Paired, Role};
use crate::matching::{Finding, Fit};
use crate::mode::{Lock, Mode};
use crate::partitions::OwnPartition;
use crate::rule::Rule;
use crate::worth::{Worth, holds, worth};

/// What a capture's manifest says of its unit, as read from the place it is restored from.
#[derive(Debug, Clone, Copy)]
pub struct Witnessed<'a> {
    /// Digest of the manifest's file as it lies there now.
    pub manifest: Digest,
    /// Identifiers in the manifest, by fact key.
    pub identifiers: &'a BTreeMap<String, String>,
    /// The mode in which they were read.
    pub mode: Mode,
    /// Origin that the manifest gives.
    pub origin: Origin,
}

/// Everything that the judgement of a restore looks at, for one partition.
#[derive(Debug, Clone, Copy)]
pub struct RestoreEvidence<'a> {
    /// The family.
    pub family: &'a Family,
    /// What is known of the unit.
    pub facts: &'a Facts,
    /// What the link says of it now; nothing while it is only asked about.
    pub live: Option<&'a Facts>,
    /// Identifiers by the mode in which the unit gives them (`K4`).
    pub paired: &'a [Paired],
    /// The partition as the unit's own table has it now.
    pub own: &'a OwnPartition,
    /// The capture by this unit's log; nothing when the log doesn't know it.
    pub capture: Option<&'a CaptureFacts>,
    /// All captures of the unit, this one's fellows.
    pub captures: &'a [CaptureFacts],
    /// The capture by its own manifest.
    pub witnessed: Witnessed<'a>,
    /// The image, read back from the place just now.
    pub copy: Option<&'a VerifiedCopy>,
    /// What lies there now, if it was captured since this restore was asked for.
    pub present: Option<Digest>,
    /// How the unit's partitions are kept; asked for where the bytes are not the unit's own (`G4`).
    pub coverage: Option<&'a Coverage>,
    /// Copies of what exists once, read back now; asked for there too.
    pub read_back: ReadBack<'a>,
    /// What was found of the set, where the bytes are the maker's.
    pub set: &'a [Finding],
    /// Writes whose end nobody has seen.
    pub torn: &'a [Torn],
    /// The battery, judged for all that is put back together.
    pub battery: &'a Battery,
    /// Now.
    pub now: BenchTime,
}

impl RestoreEvidence<'_> {
    fn image(&self) -> Option<Digest> {
        let part = self.capture?.partition(&self.own.label)?;
        Some(part.blake3)
    }

    fn is_stock(&self) -> bool {
        self.witnessed.origin == Origin::Stock
    }

    fn effect(&self) -> Option<Effect> {
        if self.is_stock() {
            return Some(Effect::WriteImage {
                label: self.own.label.clone(),
                image: self.image()?,
            });
        }
        Some(Effect::Restore {
            label: self.own.label.clone(),
            capture: self.capture?.id,
            image: self.image()?,
        })
    }

    fn role(&self) -> Option<Role> {
        let spec = self.family.partition(&self.own.label);
        spec.map(|spec| spec.role)
    }
}

/// The evidence list for one partition: `G7` for the unit's own bytes, `G4` for the maker's (`E3`).
#[must_use]
pub fn restore_items(evidence: &RestoreEvidence<'_>) -> Vec<Item> {
    let mut items = vec![
        ownership(evidence.family, evidence.facts),
        unlocked(evidence.family, evidence.facts),
    ];
    if evidence.is_stock() {
        items.extend(set(evidence));
    } else {
        items.extend(identity(evidence));
        items.extend(not_worse(evidence));
        items.extend(own_index(evidence));
    }
    items.push(role(evidence));
    items.push(length(evidence));
    items.push(verified(evidence));
    items.push(present(evidence));
    items.push(battery(evidence.family, evidence.facts, evidence.battery));
    if let Some(effect) = evidence.effect() {
        items.extend(torn(evidence.torn, Some(&effect)));
    }
    items
}

/// The maker's bytes go by the list of any foreign image: the set is this unit's, what its screens must
/// say is said (`L5`), what exists once is kept (`B6`), there is a way back (`Q1`), and it is not below
/// the fuse (`W1`).
fn set(evidence: &RestoreEvidence<'_>) -> Vec<Item> {
    let (family, facts) = (evidence.family, evidence.facts);
    let known = evidence.capture.is_some_and(|capture| {
        capture.manifest == evidence.witnessed.manifest && capture.origin == Origin::Stock
    });
    let mut items = vec![if known {
        item(
            Rule::M8,
            ItemState::Met,
            "Every image of the set had the digest of its list when it was taken into the vault.",
            Vec::new(),
        )
    } else {
        item(
            Rule::S1,
            ItemState::Missing,
            "The log has no such set: where these bytes come from is only declared.",
            Vec::new(),
        )
    }];
    // The index has a line of its own, which an unknown fuse does not leave out.
    let findings = evidence.set.iter().filter(|one| one.rule != Rule::W1);
    items.extend(findings.map(|finding| {
        let state = match finding.fit {
            Fit::Fits => ItemState::Met,
            Fit::Stops => ItemState::Missing,
        };
        item(finding.rule, state, finding.text.clone(), Vec::new())
    }));
    let build = evidence.capture.and_then(|set| set.build.as_deref());
    items.extend(index(
        Rule::W1,
        family,
        facts,
        build.unwrap_or("The set"),
        build
            .and_then(|build| family.build(build))
            .map(|(_, spec)| spec.rollback),
    ));
    items.extend(before_foreign(family, facts));
    match evidence.coverage {
        Some(coverage) if !coverage.items.is_empty() => {
            items.extend(coverage.items.iter().cloned());
            items.push(way_back(Some(&evidence.own.label), coverage));
        }
        _ => items.push(Item {
            cure: Some(Cure::Capture),
            ..item(
                Rule::B6,
                ItemState::Missing,
                "What exists once on this unit is not captured yet.",
                Vec::new(),
            )
        }),
    }
    items
}

/// `S2`: what starts the unit is not put back below the fuse, own bytes or not.
fn own_index(evidence: &RestoreEvidence<'_>) -> Option<Item> {
    let is_asked = matches!(
        evidence.role(),
        Some(Role::BootChain | Role::Boot | Role::Recovery | Role::Verification)
    );
    if !is_asked {
        return None;
    }
    let family = evidence.family;
    let build = evidence.capture.and_then(|one| one.build.as_deref());
    index(
        Rule::W1,
        family,
        evidence.facts,
        build.unwrap_or("What was captured"),
        build
            .and_then(|build| family.build(build))
            .map(|(_, spec)| spec.rollback),
    )
}

/// `E4`: a blank, damaged or worse image never goes over a better one.
fn not_worse(evidence: &RestoreEvidence<'_>) -> Option<Item> {
    // What is never put back at all is told by its role.
    if role(evidence).state != ItemState::Met {
        return None;
    }
    Some(compared_worth(evidence))
}

fn compared_worth(evidence: &RestoreEvidence<'_>) -> Item {
    let label = &evidence.own.label;
    let line = |state, text: String| item(Rule::E4, state, text, Vec::new());
    let part = |capture: &CaptureFacts| capture.partition(label).cloned();
    let Some((capture, image)) = evidence.capture.and_then(|one| Some((one, part(one)?))) else {
        return line(
            ItemState::Unknown,
            format!("What the capture holds of {label} is not known."),
        );
    };
    let all = evidence.captures;
    let image_worth = worth(capture, &image, all);
    if image_worth == Worth::Nothing {
        return line(
            ItemState::Missing,
            format!(
                "The capture holds nothing of {label} ({}): put back, it would only take away.",
                holds(&image)
            ),
        );
    }
    let there = evidence.present.and_then(|digest| {
        let mut known = all.iter().filter_map(|one| Some((one, part(one)?)));
        known.find(|(_, part)| part.blake3 == digest)
    });
    match there {
        Some((of, there)) if worth(of, &there, all) > image_worth => line(
            ItemState::Missing,
            format!(
                "What lies in {label} now is better ({}) than what the capture holds ({}).",
                holds(&there),
                holds(&image)
            ),
        ),
        _ => line(
            ItemState::Met,
            format!("The capture holds of {label}: {}.", holds(&image)),
        ),
    }
}

/// How an identifier of a capture compares with the unit.
enum Compared {
    Same,
    Different,
    Missing,
}

/// Compares one identifier: with what the link says now, and with all that is known. A contradicted one
/// counts as different. A unit that gives another serial in another mode is told by its pairs (`K4`).
fn compare(evidence: &RestoreEvidence<'_>, key: FactKey, there: Option<&String>) -> Compared {
    let family = evidence.family;
    let real = |value: String| (!family.is_placeholder(key, &value)).then_some(value);
    let live_mode = evidence.live.and_then(Facts::mode);
    let mut here: Vec<(String, Option<Mode>)> = Vec::new();
    for (facts, mode) in [(evidence.live, live_mode), (Some(evidence.facts), None)] {
        let Some(facts) = facts else { continue };
        match facts.get(key) {
            Reading::Contradicted(_) => return Compared::Different,
            Reading::Known(row) => here.extend(real(row.value.exact()).map(|value| (value, mode))),
            Reading::Stale(_) | Reading::Unknown => {}
        }
    }
    let Some(there) = there.cloned().and_then(real) else {
        return Compared::Missing;
    };
    let is_pair = |mode: Mode, value: &str| {
        let mut pairs = evidence.paired.iter();
        pairs.any(|pair| (pair.key, pair.mode) == (key, mode) && pair.value == value)
    };
    let is_same = |(value, mode): &(String, Option<Mode>)| {
        *value == there
            || mode.is_some_and(|mode| {
                mode != evidence.witnessed.mode
                    && is_pair(mode, value)
                    && is_pair(evidence.witnessed.mode, &there)
            })
    };
    if here.is_empty() {
        Compared::Missing
    } else if here.iter().all(is_same) {
        Compared::Same
    } else {
        Compared::Different
    }
}

/// `S1`: identifiers one by one. One *different* refuses; the hardware identity must be *same*, said by
/// the link itself; any other may be missing.
fn identity(evidence: &RestoreEvidence<'_>) -> Vec<Item> {
    let mut items = Vec::new();
    let known = match evidence.capture {
        Some(capture) => {
            capture.manifest == evidence.witnessed.manifest && capture.origin == Origin::Read
        }
        None => false,
    };
    let is_declared = !known || evidence.witnessed.origin == Origin::Declared;
    let taker = evidence.capture.map(|capture| capture.taker);
    items.push(if is_declared {
        item(
            Rule::S1,
            ItemState::Missing,
            "This capture is not in the unit's own record: where its bytes come from is only declared.",
            Vec::new(),
        )
    } else if taker == Some(Taker::AnotherBench) {
        item(
            Rule::S1,
            ItemState::Met,
            "Another bench took this capture; it is held against this unit by its identifiers.",
            Vec::new(),
        )
    } else {
        item(
            Rule::S1,
            ItemState::Met,
            "The unit's own record has this capture, with this manifest.",
            Vec::new(),
        )
    });
    for id in &evidence.family.identifiers {
        let there = evidence.witnessed.identifiers.get(id.key.id());
        let title = id.key.spec().title;
        let cited = cite(evidence.live.unwrap_or(evidence.facts), id.key);
        let compared = compare(evidence, id.key, there);
        let from_link = |facts: &Facts| {
            facts
                .known(id.key)
                .is_some_and(|row| row.source == Source::Link)
        };
        let is_said_by_link = evidence
            .live
            .map_or_else(|| from_link(evidence.facts), from_link);
        items.push(match compared {
            Compared::Same if id.hardware && !is_said_by_link => item(
                Rule::S1,
                ItemState::Missing,
                format!("{title} is not said by the link now, and nothing else tells this unit for sure."),
                cited,
            ),
            Compared::Same => item(
                Rule::S1,
                ItemState::Met,
                format!("{title}: the same in the capture and at the link."),
                cited,
            ),
            Compared::Different => item(
                Rule::S1,
                ItemState::Missing,
                format!("{title} differs: these bytes belong to another unit. Nothing opens this."),
                cited,
            ),
            Compared::Missing if id.hardware => item(
                Rule::S1,
                ItemState::Missing,
                format!(
                    "{title} is missing on one side, and nothing else tells this unit for sure."
                ),
                cited,
            ),
            Compared::Missing => item(
                Rule::S1,
                ItemState::Met,
                format!("{title} is missing on one side; what was lost is often the identifier."),
                cited,
            ),
        });
    }
    items
}

/// What may be put back at all (`S3`, `S4`, `S5`).
fn role(evidence: &RestoreEvidence<'_>) -> Item {
    let label = &evidence.own.label;
    let role = evidence.role();
    if evidence.is_stock() && role == Some(Role::DeviceUnique) {
        return item(
            Rule::S1,
            ItemState::Missing,
            format!("{label} exists once in the world: it takes its own bytes back and no others."),
            Vec::new(),
        );
    }
    let (rule, state, text) = match role {
        Some(
            Role::DeviceUnique
            | Role::Recovery
            | Role::Boot
            | Role::Overlay
            | Role::Verification
            | Role::RadioFirmware
            | Role::Os,
        ) => (
            Rule::S3,
            ItemState::Met,
            format!("{label} may be put back."),
        ),
        Some(Role::UserData) => (
            Rule::S4,
            ItemState::Missing,
            format!("{label} is encrypted with a key that a wipe destroys: raw bytes are useless."),
        ),
        Some(Role::LockState | Role::BootControl) => (
            Rule::S5,
            ItemState::Missing,
            format!("{label} is read for the record and never written by us."),
        ),
        Some(Role::BootChain) => (
            Rule::S3,
            ItemState::Missing,
            format!("{label} starts the device and starts it now: it is left alone."),
        ),
        Some(Role::Cache | Role::Reserve) => (
            Rule::S3,
            ItemState::Missing,
            format!("{label} is scratch: nothing of it is kept."),
        ),
        None => (
            Rule::B5,
            ItemState::Missing,
            format!(
                "The family does not list {label}: it is not written before a person gives it a role."
            ),
        ),
    };
    item(rule, state, text, Vec::new())
}

fn length(evidence: &RestoreEvidence<'_>) -> Item {
    let own = evidence.own;
    let captured = evidence
        .capture
        .and_then(|capture| capture.partition(&own.label));
    match captured {
        Some(part) if part.length_bytes == own.length_bytes => item(
            Rule::S1,
            ItemState::Met,
            format!("{} has the length that it had.", own.label),
            Vec::new(),
        ),
        Some(part) => item(
            Rule::S1,
            ItemState::Missing,
            format!(
                "{} had {} bytes and has {} now.",
                own.label, part.length_bytes, own.length_bytes
            ),
            Vec::new(),
        ),
        None => item(
            Rule::S1,
            ItemState::Missing,
            format!("The capture holds no {}.", own.label),
            Vec::new(),
        ),
    }
}

/// `S2`: the image's digest, seen just before.
fn verified(evidence: &RestoreEvidence<'_>) -> Item {
    let label = &evidence.own.label;
    let image = evidence.image();
    let is_seen = evidence.copy.is_some_and(|copy| {
        copy.label() == label && Some(copy.digest()) == image && copy.is_fresh(evidence.now)
    });
    if is_seen {
        return item(
            Rule::S2,
            ItemState::Met,
            format!("The capture of {label} was read back just now and is whole."),
            Vec::new(),
        );
    }
    item(
        Rule::S2,
        ItemState::Missing,
        format!("The capture of {label} was not read back whole just now."),
        Vec::new(),
    )
}

/// `S2`: what is there now, captured first.
fn present(evidence: &RestoreEvidence<'_>) -> Item {
    let label = &evidence.own.label;
    match evidence.present {
        Some(_) => item(
            Rule::S2,
            ItemState::Met,
            format!("What lies in {label} now is captured."),
            Vec::new(),
        ),
        None => Item {
            cure: Some(Cure::Capture),
            ..item(
                Rule::S2,
                ItemState::Missing,
                format!("What lies in {label} now is not captured yet."),
                Vec::new(),
            )
        },
    }
}

/// Mints the permit to put one partition back: `G7` for the unit's own bytes, `G4` for the maker's.
///
/// # Errors
/// When any line of the list is not met, or the unit at the link is not the one that was judged.
pub fn mint_restore(
    evidence: &RestoreEvidence<'_>,
    witness: &LinkWitness<'_>,
) -> Result<Permit, Closed> {
    let evidence = &RestoreEvidence {
        live: Some(witness.live),
        ..*evidence
    };
    let mut missing = open_items(restore_items(evidence));
    if let (true, Some(coverage)) = (evidence.is_stock(), evidence.coverage) {
        missing.extend(not_read_back(coverage, &evidence.read_back, evidence.now));
    }
    let modes = [Mode::TemporaryRecovery, Mode::CustomRecovery];
    missing.extend(in_mode(&modes, witness));
    missing.extend(reported(Lock::Unlocked, witness));
    let Some(effect) = evidence.effect() else {
        return Err(Closed { missing });
    };
    admit(effect, missing, evidence.family, evidence.facts, witness)
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::super::testing::{self, witness};
    use super::*;
    use crate::budget::Policy;
    use crate::budget::{BatteryVerdict, Charge};
    use crate::coverage::testing::{capture, copy, own};
    use crate::coverage::{self, BlankBytes};
    use crate::digest::{Claimed, Seen};
    use crate::facts::FactRow;
    use crate::facts::testing::{at, linked, row};
    use crate::family::testing::gimbal;
    use crate::worth::Inside;

    /// A complete set of evidence for putting `persist` back.
    struct Case {
        family: Family,
        rows: Vec<FactRow>,
        live: Vec<FactRow>,
        own: OwnPartition,
        capture: Option<CaptureFacts>,
        manifest: Digest,
        origin: Origin,
        identifiers: BTreeMap<String, String>,
        verified: Option<(&'static str, i64)>,
        present: Option<Digest>,
        /// Fellows of the capture.
        others: Vec<CaptureFacts>,
        paired: Vec<Paired>,
        /// Whether copies of what exists once were read back just now.
        is_read_back: bool,
        torn: Vec<Torn>,
        charge: Option<u32>,
        coverage: Option<Coverage>,
        set: Vec<Finding>,
    }

    fn complete() -> Case {
        let pairs = [
            (FactKey::Ownership, "mine"),
            (FactKey::Lock, "unlocked"),
            (FactKey::ChipId, "9a:77:01:5c:20:e4"),
            (FactKey::Serial, "FL1-220417-0093"),
            (FactKey::Mode, "temporary-recovery"),
        ];
        let rows = linked(&pairs, 0);
        let taken = capture(1, 10);
        Case {
            family: gimbal(),
            live: rows.clone(),
            rows,
            own: own()
                .into_iter()
                .find(|own| own.label.as_str() == "persist")
                .unwrap(),
            manifest: taken.manifest,
            capture: Some(taken),
            origin: Origin::Read,
            identifiers: [
                ("chip-id", "9a:77:01:5c:20:e4"),
                ("serial", "FL1-220417-0093"),
            ]
            .map(|(key, value)| (key.to_owned(), value.to_owned()))
            .into(),
            verified: Some(("persist", 20)),
            present: Some(Digest::of(b"what lies there")),
            others: Vec::new(),
            paired: Vec::new(),
            is_read_back: true,
            torn: Vec::new(),
            charge: Some(810),
            coverage: None,
            set: Vec::new(),
        }
    }

    fn minted(case: &Case) -> Result<Permit, Closed> {
        let family = &case.family;
        let facts = Facts::new(&case.rows, &[], []);
        let live = Facts::new(&case.live, &[], []);
        let taken = capture(1, 10);
        let verified = case.verified.map(|(label, minute)| {
            VerifiedCopy::read_back(
                label.parse().unwrap(),
                copy(&taken, 1, 0).place,
                Seen::of(label.as_bytes()),
                Claimed(Digest::of(label.as_bytes())),
                at(minute),
            )
            .unwrap()
        });
        let kept = capture(2, 10);
        let each = [1, 2].map(|place| copy(&kept, place, 0).place);
        let fresh: Vec<VerifiedCopy> = each
            .into_iter()
            .flat_map(|place| ["persist", "modemst1"].map(|label| (place, label)))
            .filter(|_| case.is_read_back)
            .map(|(place, label)| {
                let bytes = label.as_bytes();
                let claim = Claimed(Digest::of(bytes));
                VerifiedCopy::read_back(
                    label.parse().unwrap(),
                    place,
                    Seen::of(bytes),
                    claim,
                    at(20),
                )
                .unwrap()
            })
            .collect();
        let charge = case.charge.map(|permille| Charge {
            permille,
            read_at: at(0),
            carried_permille: 0,
        });
        let battery = Battery {
            sheet_permille: 10,
            begin_from_percent: 30,
            verdict: match &charge {
                None => BatteryVerdict::NotKnown,
                Some(charge) if charge.permille < 300 => BatteryVerdict::TooLow,
                Some(_) => BatteryVerdict::Enough,
            },
            charge,
        };
        let mut captures: Vec<CaptureFacts> = case.capture.iter().cloned().collect();
        captures.extend(case.others.iter().cloned());
        let evidence = RestoreEvidence {
            family,
            facts: &facts,
            live: None,
            paired: &case.paired,
            own: &case.own,
            capture: case.capture.as_ref(),
            captures: &captures,
            witnessed: Witnessed {
                manifest: case.manifest,
                identifiers: &case.identifiers,
                mode: Mode::TemporaryRecovery,
                origin: case.origin,
            },
            copy: verified.as_ref(),
            present: case.present,
            coverage: case.coverage.as_ref(),
            read_back: ReadBack {
                copies: &fresh,
                away: &[],
                needed: 2,
            },
            set: &case.set,
            torn: &case.torn,
            battery: &battery,
            now: at(20),
        };
        mint_restore(&evidence, &witness(&live, 7))
    }

    fn rules(case: &Case) -> Vec<Rule> {
        let mut rules = testing::rules(&minted(case));
        rules.sort();
        rules.dedup();
        rules
    }

    #[test]
    fn complete_evidence_opens_for_this_partition_and_this_image_only() {
        let permit = minted(&complete()).unwrap();
        let (label, image) = permit.effect().writes().unwrap();
        assert_eq!((label.as_str(), image), ("persist", Digest::of(b"persist")));
        assert_eq!(permit.effect().rule(), Rule::G7);
    }

    /// The other unit's bytes, in whatever clothes.
    #[test]
    fn another_units_capture_is_refused_under_each_disguise() {
        type Disguise = fn(&mut Case);
        let disguises: [(&str, Disguise); 5] = [
            ("its own identifiers", |c| {
                c.identifiers
                    .insert("chip-id".to_owned(), "9a:77:01:31:b8:0d".to_owned());
            }),
            ("the right serial, another chip", |c| {
                c.identifiers
                    .insert("chip-id".to_owned(), "9a:77:01:5c:20:e5".to_owned());
            }),
            ("no chip id at all", |c| {
                drop(c.identifiers.remove("chip-id"))
            }),
            ("a placeholder for a chip id", |c| {
                c.identifiers
                    .insert("chip-id".to_owned(), "00:00:00:00:00:00".to_owned());
            }),
            ("a manifest that was rewritten to match", |c| {
                c.manifest = Digest::of(b"rewritten")
            }),
        ];
        for (name, disguise) in disguises {
            let mut case = complete();
            disguise(&mut case);
            assert_eq!(rules(&case), [Rule::S1], "{name}");
        }
    }

    #[test]
    fn a_lost_serial_is_normal_and_another_one_is_not() {
        let mut case = complete();
        case.identifiers.remove("serial");
        assert_eq!(rules(&case), []);
        let mut case = complete();
        case.rows.retain(|row| row.key != FactKey::Serial);
        assert_eq!(rules(&case), []);
        let mut case = complete();
        case.identifiers
            .insert("serial".to_owned(), "FL1-211130-0417".to_owned());
        assert_eq!(rules(&case), [Rule::S1]);
    }

    /// `S1` by what the link says now, and a contradicted identifier is a different one.
    #[test]
    fn what_the_link_says_now_counts_and_a_contradiction_is_another_unit() {
        let live = |case: &mut Case, key: FactKey, value: &str| {
            case.live.retain(|one| one.key != key);
            case.live.push(row(90, key, value, Source::Link, 1));
        };
        let mut case = complete();
        live(&mut case, FactKey::Serial, "FL1-211130-0417");
        assert_eq!(rules(&case), [Rule::S1], "another serial at the link");
        let mut case = complete();
        case.rows.push(row(
            91,
            FactKey::Serial,
            "FL1-211130-0417",
            Source::Person,
            2,
        ));
        assert_eq!(rules(&case), [Rule::S1], "two sources differ");
        // A placeholder is missing, which is normal but for the hardware identity.
        let mut case = complete();
        live(&mut case, FactKey::Serial, "0123456789abcdef");
        assert_eq!(rules(&case), []);
        let mut case = complete();
        live(&mut case, FactKey::ChipId, "01:23:45:67:89:ab");
        assert!(rules(&case).contains(&Rule::K4));
        // The serial of another mode is told by the pairs, and by nothing else.
        let mut case = complete();
        live(&mut case, FactKey::Mode, "custom-recovery");
        live(&mut case, FactKey::Serial, "FL77");
        assert_eq!(rules(&case), [Rule::S1]);
        let pair = |mode, value: &str| Paired {
            key: FactKey::Serial,
            mode,
            value: value.to_owned(),
        };
        case.paired = vec![
            pair(Mode::TemporaryRecovery, "FL1-220417-0093"),
            pair(Mode::CustomRecovery, "FL77"),
        ];
        assert_eq!(rules(&case), []);
    }

    /// `E4`: the all-zero capture of the mishap stays where it is.
    #[test]
    fn a_blank_or_worse_image_never_goes_over_a_better_one() {
        let persist = |capture: &mut CaptureFacts, blank, digest: &[u8]| {
            let mut parts = capture.partitions.iter_mut();
            let part = parts.find(|part| part.label.as_str() == "persist").unwrap();
            (part.blank, part.blake3) = (blank, Digest::of(digest));
        };
        let mut case = complete();
        case.others = vec![capture(2, 15)];
        persist(
            case.capture.as_mut().unwrap(),
            BlankBytes::Zeros,
            b"persist",
        );
        assert_eq!(rules(&case), [Rule::E4]);
        // Over a blank one it would still only take away.
        persist(&mut case.others[0], BlankBytes::Ones, b"what lies there");
        assert_eq!(rules(&case), [Rule::E4]);
        // Without its file system over one that has it.
        let mut case = complete();
        case.others = vec![capture(2, 15)];
        persist(&mut case.others[0], BlankBytes::No, b"what lies there");
        for (of, inside) in [
            (case.capture.as_mut().unwrap(), Inside::Other),
            (
                &mut case.others[0],
                Inside::FileSystem {
                    kind: "FAT".to_owned(),
                },
            ),
        ] {
            let mut parts = of.partitions.iter_mut();
            let part = parts.find(|part| part.label.as_str() == "persist").unwrap();
            part.inside = Some(inside);
        }
        assert_eq!(rules(&case), [Rule::E4]);
        // The other way round is what a restore is for.
        case.others.swap_remove(0);
        assert_eq!(rules(&case), []);
    }

    #[test]
    fn each_lack_closes_it_with_its_rule() {
        type Spoil = fn(&mut Case);
        let cases: [(Spoil, &[Rule]); 10] = [
            (|c| c.capture = None, &[Rule::E4, Rule::S1, Rule::S2]),
            (|c| c.origin = Origin::Declared, &[Rule::S1]),
            (|c| c.verified = None, &[Rule::S2]),
            (|c| c.verified = Some(("persist", 5)), &[Rule::S2]),
            (|c| c.verified = Some(("modemst1", 20)), &[Rule::S2]),
            (|c| c.present = None, &[Rule::S2]),
            (|c| c.charge = Some(299), &[Rule::U7]),
            (|c| c.charge = None, &[Rule::U7]),
            (|c| c.own.length_bytes += 512, &[Rule::S1]),
            (
                |c| c.live.retain(|row| row.key != FactKey::Mode),
                &[Rule::L3],
            ),
        ];
        for (index, (spoil, wanted)) in cases.into_iter().enumerate() {
            let mut case = complete();
            spoil(&mut case);
            assert_eq!(rules(&case), wanted, "case {index}");
        }
    }

    /// `S2`, `W1`: the unit's own bytes too; a build that is not known has no index, and never a 0.
    #[test]
    fn own_bytes_that_start_it_are_not_put_back_below_the_fuse() {
        let mut case = complete();
        let builds = &mut case.family.builds;
        *builds = crate::family::testing::shipped("cinder").builds;
        builds.truncate(1);
        let mut older = builds[0].clone();
        older.id = "older".to_owned();
        (builds[0].rollback, older.rollback) = (3, 2);
        let runs = builds[0].id.clone();
        builds.push(older);
        case.own = own()
            .into_iter()
            .find(|own| own.label.as_str() == "recovery")
            .unwrap();
        case.verified = Some(("recovery", 20));
        case.rows
            .push(row(80, FactKey::Build, &runs, Source::Link, 1));
        for (build, wanted) in [
            (Some(runs.as_str()), &[][..]),
            (Some("older"), &[Rule::W1]),
            (Some("of nobody"), &[Rule::W1]),
            (None, &[Rule::W1]),
        ] {
            let capture = case.capture.as_mut().unwrap();
            capture.build = build.map(str::to_owned);
            assert_eq!(rules(&case), wanted, "{build:?}");
        }
        // What runs is not known, so neither is what may be fused.
        case.capture.as_mut().unwrap().build = Some(runs);
        case.rows.retain(|row| row.key != FactKey::Build);
        assert_eq!(rules(&case), [Rule::W1]);
    }

    #[test]
    fn roles_that_are_never_put_back_are_refused() {
        for (name, rule) in [
            ("misc", Rule::S5),
            ("aboot", Rule::S3),
            ("userdata", Rule::S4),
            ("cache", Rule::S3),
        ] {
            let mut case = complete();
            case.own = own()
                .into_iter()
                .find(|own| own.label.as_str() == name)
                .unwrap();
            case.verified = Some((name, 20));
            assert_eq!(rules(&case), [rule], "{name}");
        }
    }

    #[test]
    fn a_torn_partition_takes_the_same_write_or_what_lay_there() {
        let torn = |capture: u64, before: Option<Digest>| Torn {
            label: "persist".parse().unwrap(),
            effect: Effect::Restore {
                label: "persist".parse().unwrap(),
                capture: super::tests::capture(capture, 10).id,
                image: Digest::of(b"persist"),
            },
            before,
            since: at(1),
        };
        let mut case = complete();
        case.torn = vec![torn(1, None)];
        assert_eq!(rules(&case), [], "the same");
        case.torn = vec![torn(2, Some(Digest::of(b"persist")))];
        assert_eq!(rules(&case), [], "what lay there");
        case.torn = vec![torn(2, Some(Digest::of(b"else")))];
        assert_eq!(rules(&case), [], "another image, whole");
        case.torn[0].label = "modemst1".parse().unwrap();
        assert_eq!(rules(&case), [Rule::S3], "another partition");
    }

    proptest! {
        /// Taking any one fact away closes the seal, but for those that may be missing.
        #[test]
        fn every_single_fact_is_needed(gone in 0..5usize) {
            let mut case = complete();
            let key = case.rows.remove(gone).key;
            let may_be_missing = matches!(key, FactKey::Serial | FactKey::Mode);
            prop_assert_eq!(rules(&case).is_empty(), may_be_missing);
        }
    }

    /// The maker's bytes for `recovery`, with everything that `G4` asks for.
    fn of_the_maker() -> Case {
        let mut case = complete();
        case.own = own()
            .into_iter()
            .find(|own| own.label.as_str() == "recovery")
            .unwrap();
        let mut set = capture(1, 10);
        set.origin = Origin::Stock;
        case.manifest = set.manifest;
        case.capture = Some(set);
        case.origin = Origin::Stock;
        case.identifiers.clear();
        case.verified = Some(("recovery", 20));
        case.set = vec![Finding {
            rule: Rule::M2,
            fit: Fit::Fits,
            text: "For FL-1.".to_owned(),
        }];
        let taken = capture(2, 10);
        case.coverage = Some(coverage::judge(&coverage::CoverageInput {
            family: &gimbal(),
            own: &own(),
            captures: std::slice::from_ref(&taken),
            copies: &[copy(&taken, 1, 11), copy(&taken, 2, 12)],
            written: &[],
            first_write: None,
            policy: &Policy::usual(),
            system_ran: Some(at(5)),
            now: at(20),
        }));
        case
    }

    #[test]
    fn the_makers_bytes_go_back_as_a_write_and_never_onto_what_exists_once() {
        let permit = minted(&of_the_maker()).unwrap();
        assert!(
            matches!(permit.effect(), Effect::WriteImage { label, .. } if label.as_str() == "recovery")
        );
        let rules = |change: &dyn Fn(&mut Case)| {
            let mut case = of_the_maker();
            change(&mut case);
            let closed = minted(&case).unwrap_err();
            closed
                .missing
                .into_iter()
                .map(|item| item.rule)
                .collect::<Vec<_>>()
        };
        assert_eq!(rules(&|case| case.coverage = None), [Rule::B6]);
        // Every copy of what exists once is read back now, as before any foreign write.
        assert_eq!(
            rules(&|case| case.is_read_back = false),
            [Rule::B7, Rule::B7]
        );
        assert_eq!(rules(&|case| case.set[0].fit = Fit::Stops), [Rule::M2]);
        // A capture of a unit can't pass for a set, nor a set for a capture.
        assert_eq!(
            rules(&|case| case.capture.as_mut().unwrap().origin = Origin::Read),
            [Rule::S1]
        );
        assert!(
            rules(&|case| {
                let unique = own()
                    .into_iter()
                    .find(|own| own.label.as_str() == "persist");
                case.own = unique.unwrap();
                case.verified = Some(("persist", 20));
            })
            .contains(&Rule::S1)
        );
    }
}
