//! Which frames of a piece of work are here: lines of `frames.jsonl`, and what of them counts after a machine
//! that stopped.

use std::collections::BTreeMap;
use std::fs::File;
use std::io::{self, BufRead};
use std::os::unix::fs::FileExt;
use std::path::Path;
use std::sync::Arc;

use serde::{Deserialize, Serialize};
use veritope_core::coverage::BlankBytes;
use veritope_wire::{Digest, Label};

use crate::pump::FrameDone;

/// A frame's line in `frames.jsonl`.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub(super) struct FrameLine {
    pub(super) label: Label,
    pub(super) index: u64,
    pub(super) bytes: u32,
    pub(super) value: Digest,
    pub(super) blank: BlankBytes,
    #[serde(flatten)]
    pub(super) lies: Lies,
}

/// Where a frame lies.
#[derive(Debug, Clone, Serialize, Deserialize)]
#[serde(untagged)]
pub(super) enum Lies {
    /// In the part, behind those before it. A line of an earlier version has no digest and counts as torn:
    /// that frame is read again.
    Here {
        stored_bytes: u32,
        /// Digest of the zstd frame.
        stored_blake3: Digest,
    },
    /// In the object of this image, at the same place: it was captured before.
    As { as_in: Digest },
}

impl Lies {
    /// Where a frame is put that was done, beside the image that was captured before; nothing where it was
    /// neither packed nor captured.
    pub(super) fn of(frame: &FrameDone, known: Option<Digest>) -> Option<Self> {
        match &frame.packed {
            Some(packed) => Some(Self::Here {
                stored_bytes: u32::try_from(packed.stored.len()).unwrap_or(u32::MAX),
                stored_blake3: packed.stored_blake3,
            }),
            None => known.map(|as_in| Self::As { as_in }),
        }
    }
}

/// A line of `frames.jsonl`.
#[derive(Debug, Serialize, Deserialize)]
#[serde(untagged)]
pub(super) enum Line {
    /// A frame is here.
    Frame(FrameLine),
    /// So many frames of a label are on the disk.
    Mark { synced: Label, frames: u64 },
}

/// The frames of one image so far.
#[derive(Debug, Default)]
pub(super) struct Part {
    pub(super) lines: Vec<FrameLine>,
    /// Opened when something is written.
    pub(super) file: Option<Arc<File>>,
    /// Bytes of the frames that lie in it.
    pub(super) stored: u64,
    /// Those of them that the thread was asked to see to.
    pub(super) asked: u64,
}

impl Part {
    pub(super) fn push(&mut self, line: FrameLine) {
        if let Lies::Here { stored_bytes, .. } = line.lies {
            self.stored += u64::from(stored_bytes);
        }
        self.lines.push(line);
    }
}

pub(super) fn as_line(line: &Line) -> io::Result<Vec<u8>> {
    let mut text = serde_json::to_vec(line)?;
    text.push(b'\n');
    Ok(text)
}

/// The frames that lines tell of, by label, with how many of each are on the disk for sure; and whether the
/// last line is torn.
#[expect(clippy::type_complexity, reason = "it is taken apart at once")]
pub(super) fn read_lines(
    mut reader: impl BufRead,
) -> io::Result<(BTreeMap<Label, (Part, u64)>, bool)> {
    let mut parts: BTreeMap<Label, (Part, u64)> = BTreeMap::new();
    let mut text = String::new();
    loop {
        text.clear();
        if reader.read_line(&mut text)? == 0 {
            return Ok((parts, false));
        }
        // A line without its end was being written when the process died.
        let line = text.strip_suffix('\n');
        match line.and_then(|line| serde_json::from_str(line).ok()) {
            Some(Line::Mark { synced, frames }) => {
                let (_, marked) = parts.entry(synced).or_default();
                *marked = frames.max(*marked);
            }
            Some(Line::Frame(line)) => {
                let (part, _) = parts.entry(line.label.clone()).or_default();
                if line.index != part.lines.len() as u64 {
                    return Ok((parts, true));
                }
                part.push(line);
            }
            None => return Ok((parts, true)),
        }
    }
}

/// Hashes what is not on the disk for sure, and lets go of what is not as it was written and all behind it.
/// Says whether anything was. A part that is no longer here became an object.
pub(super) fn keep_sound(part: &mut Part, synced: u64, path: &Path) -> io::Result<bool> {
    let file = match File::open(path) {
        Err(error) if error.kind() == io::ErrorKind::NotFound => return Ok(false),
        other => other?,
    };
    let lines = std::mem::take(part).lines;
    let count = lines.len();
    for line in lines {
        if let (
            Lies::Here {
                stored_bytes,
                stored_blake3,
            },
            true,
        ) = (&line.lies, line.index >= synced)
        {
            let mut stored = vec![0; *stored_bytes as usize];
            let is_read = file.read_exact_at(&mut stored, part.stored).is_ok();
            if !is_read || Digest::of(&stored) != *stored_blake3 {
                break;
            }
        }
        part.push(line);
    }
    Ok(part.lines.len() < count)
}
