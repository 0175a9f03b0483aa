//! What is wrong with bytes, or to be known of them: data, each in one sentence with its place.

use serde::Serialize;
use utoipa::ToSchema;

/// How much a finding matters.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Weight {
    /// To be known; the bytes are as whoever made them wanted.
    Note,
    /// The bytes are not whole, not true to themselves, or not to be relied on.
    Matters,
    /// What was begun can't be read at all.
    Unreadable,
}

/// Kinds of findings: the words may change, these don't.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, ToSchema)]
#[serde(rename_all = "kebab-case")]
#[expect(missing_docs, reason = "each name says it")]
pub enum Trouble {
    CutShort,
    ImpossibleSize,
    ImpossibleCount,
    UnknownVersion,
    DamagedCopy,
    DamagedBoth,
    CopiesDiffer,
    Misplaced,
    ChecksumWrong,
    DigestDiffers,
    SignatureWrong,
    NotSigned,
    VerificationOff,
    Overlap,
    PastEnd,
    Twice,
    LinkRing,
    ExpandsTooFar,
    Unpacking,
    Trailing,
    InnerHeader,
    NoKernel,
    NoRamdisk,
    SetOnPurpose,
    OnePiece,
    BaseNeeded,
    StepDown,
    TouchesUnknown,
    LeavesFolder,
    Link,
    Special,
    SharedBytes,
    NotLookedAt,
    Medium,
}

/// One finding.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, ToSchema)]
pub struct Finding {
    /// Of which kind.
    pub trouble: Trouble,
    /// How much it matters.
    pub weight: Weight,
    /// Byte at which it shows, from the start of what was looked into.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub at: Option<u64>,
    /// One sentence for a person, without a full stop.
    pub says: String,
}

/// Most findings that are kept of one thing: a file of lies is not told to its end.
const MOST: usize = 64;

/// Gathers findings.
#[derive(Debug, Default)]
pub(crate) struct Findings {
    all: Vec<Finding>,
}

impl Findings {
    pub(crate) fn add(&mut self, weight: Weight, trouble: Trouble, at: Option<u64>, says: String) {
        let again = |one: &Finding| one.trouble == trouble && one.says == says;
        if self.all.len() < MOST && !self.all.iter().any(again) {
            self.all.push(Finding {
                trouble,
                weight,
                at,
                says,
            });
        }
    }

    /// To be known.
    pub(crate) fn note(&mut self, trouble: Trouble, at: Option<u64>, says: String) {
        self.add(Weight::Note, trouble, at, says);
    }

    /// Not whole, not true to itself, or not to be relied on.
    pub(crate) fn matters(&mut self, trouble: Trouble, at: Option<u64>, says: String) {
        self.add(Weight::Matters, trouble, at, says);
    }

    /// Can't be read at all.
    pub(crate) fn unreadable(&mut self, trouble: Trouble, at: Option<u64>, says: String) {
        self.add(Weight::Unreadable, trouble, at, says);
    }

    /// `what` would reach to byte `end`, and there are `length`.
    pub(crate) fn cut_short(&mut self, what: &str, end: u64, length: u64) {
        self.matters(
            Trouble::CutShort,
            Some(length),
            format!("cut short: {what} reaches to byte {end}, the file ends at {length}"),
        );
    }

    /// The medium failed.
    pub(crate) fn medium(&mut self, at: Option<u64>) {
        self.unreadable(
            Trouble::Medium,
            at,
            "the medium can't be read here; try another copy".into(),
        );
    }

    /// What was found in a part that begins at `by` of the whole.
    pub(crate) fn take(&mut self, of: Findings, by: u64, part: &str) {
        for one in of.all {
            let says = if part.is_empty() {
                one.says
            } else {
                format!("{part}: {}", one.says)
            };
            let at = one.at.map(|at| at.saturating_add(by));
            self.add(one.weight, one.trouble, at, says);
        }
    }

    /// Whether nothing was found.
    pub(crate) fn is_empty(&self) -> bool {
        self.all.is_empty()
    }

    pub(crate) fn all(mut self) -> Vec<Finding> {
        self.all.sort_by_key(|one| std::cmp::Reverse(one.weight));
        self.all
    }
}
