//! Is everything the maker's? What `R1` asks of each slot before a lock is closed.
//!
//! A lock on foreign bytes leaves a unit that refuses to start and can't be opened. So what counts
//! is proof, partition by partition, and the kinds of proof are ranked. A person's word is enough to
//! say that something is *not* stock, and never enough to say that it is.

use serde::{Deserialize, Serialize};
use veritope_wire::{BenchTime, Digest, Label};

use crate::coverage::{BlankBytes, CaptureFacts, CapturedFacts, Rest, Torn, Written};
use crate::facts::{FactKey, FactRow, FactValue, Facts, Source};
use crate::family::{BuildSpec, Family, PartitionSpec, Role};
use crate::mode::RecoveryKind;
use crate::worth::Inside;

/// How it is known what a partition holds, the best first (`R1`).
#[derive(
    Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, utoipa::ToSchema,
)]
#[serde(rename_all = "kebab-case")]
pub enum Proof {
    /// Read by a temporary start now.
    ReadTemporary,
    /// Read by the custom recovery before its last restart.
    ReadRecovery,
    /// Written from that build by a route that reports success, and nothing since.
    Written,
    /// Seen running.
    Seen,
    /// Said by a person. Proves that something is foreign; proves nothing else.
    Said,
}

impl Proof {
    /// In words, fitting behind a label.
    #[must_use]
    pub fn shown(self) -> &'static str {
        match self {
            Self::ReadTemporary => "read by a temporary start",
            Self::ReadRecovery => "read by the recovery",
            Self::Written => "written, and nothing since",
            Self::Seen => "seen running",
            Self::Said => "somebody said so",
        }
    }
}

/// What a partition holds.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(tag = "holds", rename_all = "kebab-case")]
pub enum Holds {
    /// The maker's bytes of this build.
    Stock {
        /// Its build string.
        build: String,
    },
    /// Nothing; a slot that was never filled.
    Empty,
    /// Other bytes.
    Foreign,
}

/// What is known of one partition.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, utoipa::ToSchema)]
pub struct Held {
    /// The partition.
    pub label: Label,
    /// What it holds.
    #[serde(flatten)]
    pub holds: Holds,
    /// How that is known.
    pub proof: Proof,
    /// Since when.
    pub at: BenchTime,
    /// What it was compared with.
    pub against: Against,
}

/// What a partition's bytes were compared with.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Against {
    /// The unit's own first capture, which holds what lay there then.
    Own,
    /// What the maker published.
    Published,
}

/// The unit's own capture that counts as its stock (`R1`): the first one at rest that this bench took
/// before anything was written from here, of a unit that was seen locked before. A locked unit starts
/// nothing but the maker's bytes, so what lay on it when it was opened was stock.
#[must_use]
pub fn own_stock(
    captures: &[CaptureFacts],
    first_write: Option<BenchTime>,
    seen_locked: Option<BenchTime>,
) -> Option<&CaptureFacts> {
    let locked = seen_locked?;
    let ours = captures
        .iter()
        .filter(|one| one.is_read_here() && one.rest == Rest::AtRest);
    ours.filter_map(|one| Some((one.taken.counted()?, one)))
        .filter(|(taken, _)| locked < *taken && first_write.is_none_or(|at| *taken < at))
        .min_by_key(|(taken, _)| *taken)
        .map(|(_, one)| one)
}

/// Whether [`own_stock`] finds a capture, or would find one that is taken now.
#[must_use]
pub fn is_own_stock(
    captures: &[CaptureFacts],
    first_write: Option<BenchTime>,
    seen_locked: Option<BenchTime>,
) -> bool {
    let would = seen_locked.is_some() && first_write.is_none();
    would || own_stock(captures, first_write, seen_locked).is_some()
}

/// The maker's bytes of one build, as far as they are known for sure: by the digests of a shipped
/// family file, or by the unit's own capture. A list that came with images is neither (`E6`).
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Stock {
    build: String,
    against: Against,
    images: Vec<(Label, Digest)>,
}

impl Stock {
    /// What lay on the unit while it was seen locked. What says of itself that it is somebody's
    /// recovery is never stock; a capture of an unknown build proves nothing.
    #[must_use]
    pub fn own(capture: &CaptureFacts) -> Option<Self> {
        let is_custom = |part: &&CapturedFacts| {
            let inside = part.inside.as_ref();
            inside.is_some_and(Inside::is_custom_recovery)
        };
        let parts = capture.partitions.iter();
        Some(Self {
            build: capture.build.clone()?,
            against: Against::Own,
            images: parts
                .filter(|part| !is_custom(part))
                .map(|part| (part.label.clone(), part.blake3))
                .collect(),
        })
    }

    /// What a shipped family file says that the maker publishes for this model code, each build with
    /// all its slots.
    #[must_use]
    pub fn published(family: &Family, model: Option<&str>) -> Vec<Self> {
        let images = |build: &BuildSpec| {
            let of = |spec: &PartitionSpec| {
                let mut images = build.images.iter();
                let known = images.find(|(label, _)| label == spec.stem());
                known.map(|(_, digest)| (spec.label.clone(), *digest))
            };
            family.partitions.iter().filter_map(of).collect()
        };
        family
            .published(model)
            .into_iter()
            .map(|build| Self {
                build: build.id.clone(),
                against: Against::Published,
                images: images(build),
            })
            .collect()
    }

    fn image(&self, label: &Label) -> Option<Digest> {
        let found = self.images.iter().find(|(known, _)| known == label);
        found.map(|(_, digest)| *digest)
    }
}

/// What captures and our own writes say of each partition, compared with the stock builds that are
/// known. A partition that none of them holds stays unproven.
#[must_use]
pub fn held(stocks: &[Stock], captures: &[CaptureFacts], written: &[Written]) -> Vec<Held> {
    let mut labels: Vec<&Label> = stocks
        .iter()
        .flat_map(|stock| stock.images.iter().map(|(label, _)| label))
        .collect();
    labels.sort_unstable();
    labels.dedup();
    let mut all = Vec::new();
    for label in labels {
        // What was published says more than what lay there once.
        let judge = |image: Digest| {
            let mut equals: Vec<_> = stocks
                .iter()
                .filter(|stock| stock.image(label) == Some(image))
                .collect();
            equals.sort_by_key(|stock| stock.against == Against::Own);
            equals
                .first()
                .map_or((Holds::Foreign, Against::Own), |stock| {
                    let build = stock.build.clone();
                    (Holds::Stock { build }, stock.against)
                })
        };
        let reads = captures
            .iter()
            .filter(|one| one.rest == Rest::AtRest && one.is_read_here());
        let reads = reads.filter_map(|one| Some((one.taken.counted()?, one.partition(label)?)));
        for (taken, read) in reads {
            let (holds, against) = match read.blank {
                BlankBytes::No => judge(read.blake3),
                _ => (Holds::Empty, Against::Own),
            };
            all.push(Held {
                label: label.clone(),
                holds,
                proof: Proof::ReadTemporary,
                at: taken,
                against,
            });
        }
        for write in written.iter().filter(|write| write.label == *label) {
            let (holds, against) = judge(write.image);
            all.push(Held {
                label: label.clone(),
                holds,
                proof: Proof::Written,
                at: write.at,
                against,
            });
        }
    }
    all
}

/// How the checked partitions stand.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Purity {
    /// Not the maker's, with how that is known.
    pub foreign: Vec<(Label, Proof)>,
    /// Nothing proves what they hold.
    pub unproven: Vec<Label>,
    /// The stock build of each slot that holds one, by slot (`""` where there are no slots).
    pub builds: Vec<(&'static str, String)>,
    /// Slots whose partitions are stock of more than one build.
    pub mixed: Vec<&'static str>,
    /// Slots that hold nothing at all.
    pub empty: Vec<&'static str>,
}

impl Purity {
    /// Whether all is proven to be the maker's.
    #[must_use]
    pub fn is_proven(&self) -> bool {
        self.foreign.is_empty()
            && self.unproven.is_empty()
            && self.mixed.is_empty()
            && !self.builds.is_empty()
    }
}

/// What facts alone say of a partition: a recovery that was seen, and what a person knows to be
/// foreign.
fn said(spec: &PartitionSpec, facts: &Facts) -> Option<(Holds, Proof, BenchTime)> {
    if spec.role == Role::Recovery
        && let Some(row) = facts.known(FactKey::Recovery)
    {
        let is_seen = |row: &FactRow| row.source == Source::Link;
        let proof = if is_seen(row) {
            Proof::Seen
        } else {
            Proof::Said
        };
        match facts.recovery() {
            Some(RecoveryKind::Custom) => return Some((Holds::Foreign, proof, row.at)),
            Some(RecoveryKind::Stock) if is_seen(row) => {
                let build = facts.text(FactKey::Build)?.to_owned();
                return Some((Holds::Stock { build }, Proof::Seen, row.at));
            }
            _ => {}
        }
    }
    let row = facts.known(FactKey::Foreign)?;
    match &row.value {
        FactValue::Names(names) => names
            .iter()
            .any(|name| name == spec.label.as_str())
            .then_some((Holds::Foreign, Proof::Said, row.at)),
        _ => None,
    }
}

/// Judges every checked partition of the family (`R1`). `held` may hold several entries for one
/// partition; the newest counts, of equal ones the best proof. What is known to be foreign counts
/// unless a proof came after it and what that is held against came before it. What an interrupted write
/// left in the partitions of `torn` is not known, whatever was seen of them (`S3`).
#[must_use]
pub fn purity(family: &Family, facts: &Facts, held: &[Held], torn: &[Torn]) -> Purity {
    let known = |spec: &PartitionSpec| {
        let is_torn = torn.iter().any(|one| one.label == spec.label);
        best(spec, facts, held).filter(|_| !is_torn)
    };
    let mut purity = Purity::default();
    let mut slots: Vec<(&'static str, Vec<&PartitionSpec>)> = Vec::new();
    for spec in family
        .partitions
        .iter()
        .filter(|spec| spec.role.spec().is_checked)
    {
        let slot = spec.slot_id();
        match slots.iter_mut().find(|(known, _)| *known == slot) {
            Some((_, specs)) => specs.push(spec),
            None => slots.push((slot, vec![spec])),
        }
    }
    for (slot, specs) in slots {
        let mut builds: Vec<String> = Vec::new();
        let (mut empty, mut unproven) = (0usize, Vec::new());
        for spec in &specs {
            match known(spec) {
                Some((Holds::Foreign, proof)) => purity.foreign.push((spec.label.clone(), proof)),
                Some((Holds::Stock { build }, _)) => {
                    if !builds.contains(&build) {
                        builds.push(build);
                    }
                }
                Some((Holds::Empty, _)) => empty += 1,
                None => unproven.push(spec.label.clone()),
            }
        }
        if empty == specs.len() && !slot.is_empty() {
            purity.empty.push(slot);
            continue;
        }
        // A partition that is empty within a slot that is not is a hole, not a slot never filled.
        if empty > 0 {
            let holes = specs
                .iter()
                .filter(|spec| matches!(known(spec), Some((Holds::Empty, _))));
            purity
                .foreign
                .extend(holes.map(|spec| (spec.label.clone(), Proof::ReadTemporary)));
        }
        purity.unproven.extend(unproven);
        match builds.len() {
            0 => {}
            1 => purity.builds.push((slot, builds.remove(0))),
            _ => purity.mixed.push(slot),
        }
    }
    purity
}

fn best(spec: &PartitionSpec, facts: &Facts, held: &[Held]) -> Option<(Holds, Proof)> {
    let mut known: Vec<&Held> = held
        .iter()
        .filter(|held| held.label == spec.label && held.proof != Proof::Said)
        .collect();
    // The newest read or write says what lies there now; of one moment the better proof.
    known.sort_by_key(|held| (std::cmp::Reverse(held.at), held.proof));
    let told = said(spec, facts);
    let (Some(newest), Some(oldest)) = (known.first(), known.last()) else {
        return told.map(|(holds, proof, _)| (holds, proof));
    };
    // What is called foreign after the newest proof is so now. Before the oldest, the unit's own
    // capture that the others are held against may have it in it; what the maker published has not.
    if let Some((Holds::Foreign, proof, at)) = told
        && (at > newest.at
            || (at < oldest.at && newest.against == Against::Own && newest.holds != Holds::Foreign))
    {
        return Some((Holds::Foreign, proof));
    }
    Some((newest.holds.clone(), newest.proof))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::facts::testing::{at, facts, row};
    use crate::family::testing::{gimbal, shipped};

    fn held(label: &str, holds: Holds, proof: Proof, when: i64) -> Held {
        Held {
            label: label.parse().unwrap(),
            holds,
            proof,
            at: at(when),
            against: Against::Own,
        }
    }

    fn stock(build: &str) -> Holds {
        Holds::Stock {
            build: build.to_owned(),
        }
    }

    /// Every checked partition read as stock of `build`.
    fn all_read(family: &Family, build: &str) -> Vec<Held> {
        family
            .partitions
            .iter()
            .filter(|spec| spec.role.spec().is_checked)
            .map(|spec| held(spec.label.as_str(), stock(build), Proof::ReadTemporary, 5))
            .collect()
    }

    fn labels(list: &[(Label, Proof)]) -> Vec<&str> {
        list.iter().map(|(label, _)| label.as_str()).collect()
    }

    #[test]
    fn nothing_is_stock_because_somebody_says_so() {
        let family = shipped("cinder");
        let said = facts(&[
            (FactKey::Recovery, "stock"),
            (FactKey::Build, "LN3X.7.0.2607"),
        ]);
        let purity = purity(&family, &said, &[], &[]);
        assert_eq!(purity.foreign, []);
        assert!(purity.unproven.len() >= 8);
        assert!(!purity.is_proven());
    }

    #[test]
    fn a_word_is_enough_to_call_it_foreign() {
        let family = shipped("cinder");
        let said = facts(&[(FactKey::Recovery, "custom"), (FactKey::Foreign, "vendor")]);
        let purity = purity(&family, &said, &[], &[]);
        assert_eq!(labels(&purity.foreign), ["recovery", "vendor"]);
    }

    #[test]
    fn all_read_and_equal_is_proven_and_the_newest_word_counts() {
        let family = gimbal();
        let mut all = all_read(&family, "loop-4.1.7-20261011");
        let nothing = facts(&[]);
        assert!(purity(&family, &nothing, &all, &[]).is_proven());
        all.push(held("boot", Holds::Foreign, Proof::Written, 9));
        assert_eq!(
            labels(&purity(&family, &nothing, &all, &[]).foreign),
            ["boot"]
        );
        all.push(held(
            "boot",
            stock("loop-4.1.7-20261011"),
            Proof::ReadRecovery,
            12,
        ));
        assert!(purity(&family, &nothing, &all, &[]).is_proven());
    }

    #[test]
    fn what_was_foreign_before_the_first_proof_spoils_that_proof() {
        let family = gimbal();
        let all = all_read(&family, "loop-4.1.7-20261011");
        let custom = |minute: i64| {
            let rows = [row(1, FactKey::Recovery, "custom", Source::Link, minute)];
            Facts::new(&rows, &[], [])
        };
        // Read at minute 5: what was seen before lay in what was read, what was seen after lies there.
        for minute in [3, 9] {
            let found = purity(&family, &custom(minute), &all, &[]);
            assert_eq!(labels(&found.foreign), ["recovery"], "minute {minute}");
        }
        // Seen in between, then written anew from what was captured before: stock again.
        let mut cured = all;
        cured.push(held(
            "recovery",
            stock("loop-4.1.7-20261011"),
            Proof::Written,
            12,
        ));
        assert!(purity(&family, &custom(9), &cured, &[]).is_proven());
        assert!(!purity(&family, &custom(3), &cured, &[]).is_proven());
    }

    #[test]
    fn a_slot_never_filled_is_no_obstacle_and_a_hole_in_one_is() {
        let family = shipped("saltern");
        let build = "TH5.8.3.261104";
        let mut all: Vec<Held> = all_read(&family, build)
            .into_iter()
            .map(|mut held| {
                if held.label.as_str().ends_with("_b") {
                    held.holds = Holds::Empty;
                }
                held
            })
            .collect();
        let nothing = facts(&[]);
        let untouched = purity(&family, &nothing, &all, &[]);
        assert!(untouched.is_proven());
        assert_eq!(untouched.empty, ["b"]);
        let boot_b = all
            .iter_mut()
            .find(|held| held.label.as_str() == "boot_b")
            .unwrap();
        boot_b.holds = stock(build);
        let holed = purity(&family, &nothing, &all, &[]);
        assert!(!holed.is_proven());
        assert!(labels(&holed.foreign).contains(&"system_b"));
    }

    #[test]
    fn each_slot_may_hold_another_stock_build_and_one_slot_may_not_hold_two() {
        let family = shipped("saltern");
        let (old, new) = ("TH5.8.2.260905", "TH5.8.3.261104");
        let mut all: Vec<Held> = all_read(&family, old)
            .into_iter()
            .map(|mut held| {
                if held.label.as_str().ends_with("_b") {
                    held.holds = stock(new);
                }
                held
            })
            .collect();
        let nothing = facts(&[]);
        let updated = purity(&family, &nothing, &all, &[]);
        assert!(updated.is_proven());
        assert_eq!(
            updated.builds,
            [("a", old.to_owned()), ("b", new.to_owned())]
        );
        all[0].holds = stock(new);
        let mixed = purity(&family, &nothing, &all, &[]);
        assert_eq!(mixed.mixed, ["a"]);
        assert!(!mixed.is_proven());
    }

    #[test]
    fn what_somebody_called_foreign_once_does_not_spoil_what_was_published() {
        let cinder = shipped("cinder");
        let vendor = cinder
            .partitions
            .iter()
            .find(|spec| spec.label.as_str() == "vendor");
        let build = "LN3X.7.0.2607".to_owned();
        let facts = Facts::new(
            &[row(1, FactKey::Foreign, "vendor", Source::Person, 1)],
            &[],
            [],
        );
        let stock = Holds::Stock { build };
        let mut known = held("vendor", stock.clone(), Proof::Written, 5);
        let judged = |known: &Held| best(vendor.unwrap(), &facts, std::slice::from_ref(known));
        assert_eq!(judged(&known), Some((Holds::Foreign, Proof::Said)));
        known.against = Against::Published;
        assert_eq!(judged(&known), Some((stock, Proof::Written)));
        known.holds = Holds::Foreign;
        known.proof = Proof::ReadTemporary;
        assert_eq!(judged(&known), Some((Holds::Foreign, Proof::ReadTemporary)));
    }
}
