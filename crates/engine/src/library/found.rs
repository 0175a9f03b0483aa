//! What images were seen to be, kept beside their digests: what was looked into once is not looked into
//! again, and a newer looker looks again.
//!
//! `DATA/found/ab/DIGEST.json` can be made anew from the bytes at any time: nothing rests on it but what
//! the screens show.

use std::fs;

use serde::{Deserialize, Serialize};
use veritope_formats::look::{Bytes, LOOKER, Limits, Looked, Trouble, Weight, look};
use veritope_wire::Digest;

use crate::library::LibraryError;
use crate::library::kept::Library;

/// What an image was seen to be.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, utoipa::ToSchema)]
pub struct SeenInside {
    /// In one line, in the words of the trade.
    pub headline: String,
    /// What is wrong with it or to be known, what matters most first.
    pub findings: Vec<SeenFinding>,
}

/// One thing that was found in an image.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, utoipa::ToSchema)]
pub struct SeenFinding {
    /// Whether it matters, or is only to be known.
    pub matters: bool,
    /// Byte at which it shows, from the start of the image.
    pub at: Option<u64>,
    /// A sentence.
    pub says: String,
}

/// The file: its looker's version, what the screens show, and all that was seen.
#[derive(Serialize)]
struct FoundFile<'a> {
    looker: u32,
    seen: &'a SeenInside,
    looked: &'a Looked,
}

#[derive(Deserialize)]
struct KnownFile {
    looker: u32,
    seen: SeenInside,
}

/// Largest file of findings that is read back.
const MOST_BYTES: u64 = 4 << 20;

impl Library {
    /// What the image with this digest was seen to be; nothing where nobody looked yet, or only an older
    /// looker did.
    #[must_use]
    pub fn seen_inside(&self, image: Digest) -> Option<SeenInside> {
        let path = self.data.join(&found_name(image));
        let is_usual = fs::metadata(&path).is_ok_and(|about| about.len() <= MOST_BYTES);
        let bytes = is_usual.then(|| fs::read(&path).ok()).flatten()?;
        let known: KnownFile = serde_json::from_slice(&bytes).ok()?;
        (known.looker == LOOKER).then_some(known.seen)
    }

    /// Looks into an image that has this digest, unless that was done.
    ///
    /// # Errors
    /// When what was found can't be written.
    pub(crate) fn look_into(
        &self,
        image: Digest,
        name: &str,
        bytes: &dyn Bytes,
    ) -> Result<(), LibraryError> {
        if self.seen_inside(image).is_some() {
            return Ok(());
        }
        self.keep_seen(image, &look(bytes, name, Limits::default()))
    }

    /// Keeps what was seen of an image that has this digest.
    ///
    /// # Errors
    /// When it can't be written.
    pub(crate) fn keep_seen(&self, image: Digest, looked: &Looked) -> Result<(), LibraryError> {
        // What a medium could not give says nothing of the image.
        if looked
            .findings
            .iter()
            .any(|one| one.trouble == Trouble::Medium)
        {
            return Ok(());
        }
        let seen = SeenInside::of(looked);
        let file = FoundFile {
            looker: LOOKER,
            seen: &seen,
            looked,
        };
        let text = serde_json::to_vec_pretty(&file).unwrap_or_default();
        Ok(self.data.put_secret(&found_name(image), &text)?)
    }
}

/// The file's name in the data folder.
fn found_name(image: Digest) -> String {
    let name = image.to_string();
    format!("found/{}/{name}.json", &name[..2])
}

impl SeenInside {
    fn of(looked: &Looked) -> Self {
        let mut findings = Vec::new();
        gather(looked, "", &mut findings);
        findings.sort_by_key(|one: &SeenFinding| !one.matters);
        Self {
            headline: looked.headline(),
            findings,
        }
    }
}

/// Findings of an image and of what lies in it, each with the name of what it is of.
fn gather(looked: &Looked, within: &str, into: &mut Vec<SeenFinding>) {
    for one in &looked.findings {
        let says = if within.is_empty() {
            one.says.clone()
        } else {
            format!("{within}: {}", one.says)
        };
        into.push(SeenFinding {
            matters: one.weight > Weight::Note,
            at: one.at.filter(|_| within.is_empty()),
            says,
        });
    }
    for one in &looked.inside {
        gather(&one.looked, &one.name, into);
    }
}
