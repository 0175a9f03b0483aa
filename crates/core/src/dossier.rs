//! All that is known of one unit at one moment, borrowed: what every list reads, and nothing else.
//!
//! The record part is the engine's word. What a device can answer itself is asked of it again at the door
//! ([`crate::act::Ask`]); what is bytes is [`Seen`] or a [`VerifiedCopy`].

use std::collections::BTreeMap;
use std::sync::Arc;

use veritope_wire::{BenchTime, Digest, Label, PlaceId, UnitId};

use crate::budget::Battery;
use crate::consent::Consent;
use crate::coverage::{CaptureFacts, Coverage, Origin, Torn, VerifiedCopy};
use crate::digest::Seen;
use crate::facts::Facts;
use crate::family::{Family, Paired};
use crate::keepsafe::KeepSafe;
use crate::matching::Finding;
use crate::mode::Mode;
use crate::partitions::OwnPartition;
use crate::published::SeenFile;
use crate::relock::Held;
use crate::state::Presence;

/// All that is known of one unit.
#[derive(Debug, Clone, Copy)]
pub struct Dossier<'a> {
    /// Which unit.
    pub unit: UnitId,
    /// Its name, which a consent repeats.
    pub nickname: &'a str,
    /// Its family.
    pub family: &'a Family,
    /// What is known.
    pub facts: &'a Facts,
    /// What the device says of itself at this look; nothing while it is only asked about.
    pub live: Option<&'a Facts>,
    /// How it can be reached.
    pub by: By,
    /// Another unit on the bench with which this one could be confused (`K4`).
    pub twin: Option<&'a str>,
    /// Identifiers by the mode in which the unit gives them (`K4`).
    pub paired: &'a [Paired],
    /// What was said about the owner's data.
    pub keep_safe: &'a KeepSafe,
    /// Consents that were typed on this run.
    pub consents: &'a [Consent],
    /// Writes whose end nobody has seen.
    pub torn: &'a [Torn],
    /// The battery, judged for all that is done together; nothing where nothing is planned yet.
    pub battery: Option<&'a Battery>,
    /// Captures of this unit.
    pub captures: &'a [CaptureFacts],
    /// How its partitions are kept, where its table was ever read.
    pub coverage: Option<&'a Coverage>,
    /// The same where what lives is asked for as it was captured.
    pub as_captured: Option<&'a Coverage>,
    /// Copies of what exists once that were read back in this process.
    pub read_back: ReadBack<'a>,
    /// What is known of each partition's content (`R1`).
    pub held: &'a [Held],
    /// Whether a capture of it counts as its own stock, or would: it was seen locked, and nothing was written
    /// since (`R1`).
    pub is_own_stock: bool,
    /// The recovery on the shelf that is taken for it.
    pub recovery: Option<Shelved<'a>>,
    /// The maker's own images that lie on the shelf for it: what a write can be taken back with.
    pub stock: &'a [StockAtHand],
    /// The maker's image that is about to be sent, hashed as it goes out; nothing while it is only asked about.
    pub makers_image: Option<&'a Seen>,
    /// The maker's whole set that is about to be sent, each image of it hashed; nothing while it is only asked about.
    pub makers_set: Option<&'a SetSeen>,
    /// What is about to be sent with a recovery inside, and what it was made of; nothing while it is only asked
    /// about.
    pub made: Option<MadeOf<'a>>,
    /// How often a step of the sheet that was to read it, or to lead to where it is read, ended otherwise.
    pub failed_reads: u8,
    /// Packages on the shelf, hashed where they lie, by name.
    pub packages: &'a BTreeMap<String, Arc<SeenFile>>,
    /// What is put back, where that is asked about.
    pub put: Option<Put<'a>>,
    /// Number of the last line of the unit's log that this rests on.
    pub seq: u64,
    /// Now.
    pub now: BenchTime,
}

/// How a unit can be reached.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct By {
    /// Over a bench link.
    pub link: Presence,
    /// With its own unlock token (`U4`).
    pub token: Presence,
}

/// The file on the shelf that is taken: the one that was chosen, or the one that fits best.
#[derive(Debug, Clone, Copy, Default)]
pub struct Shelved<'a> {
    /// Its name there.
    pub name: &'a str,
    /// Version that it gives itself.
    pub version: Option<&'a str>,
    /// What the matching found.
    pub findings: &'a [Finding],
    /// Why it is taken though something speaks against it, in a person's words.
    pub reason: Option<&'a str>,
    /// The digest by which the shelf knows it.
    pub known_by: Option<Digest>,
    /// Its bytes, hashed where they lie; nothing where they were not read now.
    pub seen: Option<&'a Seen>,
}

/// Images of the maker's that lie on the shelf for a unit, in one file.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct StockAtHand {
    /// The file's name.
    pub name: String,
    /// Its digest, as seen.
    pub digest: Digest,
    /// Its build.
    pub build: String,
    /// Partitions that it has images for, without a slot or with one; nothing where it is a package, which
    /// brings the whole.
    pub labels: Option<Vec<Label>>,
    /// Its members that are no image of a partition which the maker publishes, and second images of one.
    pub strays: Vec<String>,
    /// Whether its archive lies in others, out of which it is taken first.
    pub is_inside: bool,
}

/// A whole set, hashed image by image as they go out.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SetSeen {
    /// Digest of its file.
    pub file: Digest,
    /// Each image, filled up to its partition's length.
    pub images: Vec<(Label, Digest)>,
}

/// An image made of what lies on a partition and of a recovery, each hashed as it was read.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct MadeOf<'a> {
    /// The partition.
    pub label: &'a Label,
    /// What lies there.
    pub base: Digest,
    /// The recovery's file.
    pub recovery: Digest,
    /// What was made.
    pub made: Digest,
}

impl StockAtHand {
    /// Whether it is an archive of images that a unit can take in as it is.
    #[must_use]
    pub fn is_a_set(&self) -> bool {
        self.labels.is_some() && !self.is_inside
    }

    /// Whether it brings the maker's image of `label`.
    #[must_use]
    pub fn brings(&self, label: &Label) -> bool {
        self.labels
            .as_ref()
            .is_none_or(|labels| labels.contains(label))
    }
}

/// What was read back in this process.
#[derive(Debug, Clone, Copy)]
pub struct ReadBack<'a> {
    /// Copies whose bytes were hashed; nothing while it is only asked about.
    pub copies: Option<&'a [VerifiedCopy]>,
    /// Places that don't answer: nothing of them can be read, and nothing of them was found changed.
    pub away: &'a [PlaceId],
    /// How many copies the policy wants.
    pub needed: u8,
}

/// One partition that is put back from a capture, or from a set of the maker's.
#[derive(Debug, Clone, Copy)]
pub struct Put<'a> {
    /// The partition as the unit's own table has it now.
    pub own: &'a OwnPartition,
    /// The capture by this unit's log; nothing when the log doesn't know it.
    pub capture: Option<&'a CaptureFacts>,
    /// The capture by its own manifest.
    pub witnessed: Witnessed<'a>,
    /// The image, read back from its place just now.
    pub copy: Option<&'a VerifiedCopy>,
    /// What lies there now, if it was captured since this was asked for.
    pub present: Option<Digest>,
    /// What was found of the set, where the bytes are the maker's.
    pub set: &'a [Finding],
}

/// What a capture's manifest says of its unit, as read from the place it is put back from.
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

static NO_KEEP_SAFE: KeepSafe = KeepSafe::new();
static NO_PACKAGES: BTreeMap<String, Arc<SeenFile>> = BTreeMap::new();

impl<'a> Dossier<'a> {
    /// A unit of `family` of which only `facts` are known, worked on by hand.
    #[must_use]
    pub fn new(family: &'a Family, facts: &'a Facts, now: BenchTime) -> Self {
        Self {
            unit: UnitId::nil(),
            nickname: "",
            family,
            facts,
            live: None,
            by: By {
                link: Presence::Missing,
                token: Presence::Missing,
            },
            twin: None,
            paired: &[],
            keep_safe: &NO_KEEP_SAFE,
            consents: &[],
            torn: &[],
            battery: None,
            captures: &[],
            coverage: None,
            as_captured: None,
            read_back: ReadBack {
                copies: None,
                away: &[],
                needed: 1,
            },
            held: &[],
            is_own_stock: false,
            recovery: None,
            stock: &[],
            makers_image: None,
            makers_set: None,
            made: None,
            failed_reads: 0,
            packages: &NO_PACKAGES,
            put: None,
            seq: 0,
            now,
        }
    }

    /// What the device says of itself now, or what is known where it was not looked at.
    #[must_use]
    pub fn told(&self) -> &'a Facts {
        self.live.unwrap_or(self.facts)
    }
}

impl Shelved<'_> {
    /// Its name and version.
    #[must_use]
    pub fn shown(&self) -> String {
        match (self.name, self.version) {
            ("", None) => "A recovery".to_owned(),
            ("", Some(version)) => format!("A recovery, version {version},"),
            (name, Some(version)) if !name.contains(version) => {
                format!("{name}, version {version},")
            }
            (name, _) => name.to_owned(),
        }
    }
}
