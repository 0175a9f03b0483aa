//! The form of one line of a log (`docs/log-format.md`): one JSON object, whose last field is the hash of
//! all before it, so that a changed, missing or moved line shows.

use std::fmt;
use std::str::FromStr;

use serde::{Deserialize, Deserializer, Serialize, Serializer};
use serde_json::value::RawValue;
use veritope_wire::{BenchTime, Digest, RequestId, Stamp, UnitId, WallTime};

use crate::desk::record::{Entry, Scope, Stamped};

/// Version of a line's layout.
///
/// Changes: 1 = first. 2 = entries for families, the clock and pictures. 3 = units renamed, put away, linked
/// anew, captures taken over. 4.0 = minor versions; `of` and `bench`; births and ends in the bench's chain.
/// 5.0 = two times: what the clock told and what the bench counted. 6.0 = acts of a sheet by the family's ids.
/// 7.0 = one form of an act, on sheets and in intents; how a step is done is not kept before it is permitted.
pub const LINE_VERSION: LineVersion = LineVersion { major: 7, minor: 9 };

/// Most bytes of one line; longer ones are refused when they are written, and damage when they are read.
pub const MOST_LINE_BYTES: usize = 4 << 20;

/// Which layout a line has. An older one is read; of a newer minor one what is not known is kept as it
/// stands; a newer major one is for a newer program.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub struct LineVersion {
    /// Raised when an older program would misread what is written.
    pub major: u32,
    /// Raised when something was added that may be passed over.
    pub minor: u32,
}

impl fmt::Display for LineVersion {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}.{}", self.major, self.minor)
    }
}

impl Serialize for LineVersion {
    fn serialize<S: Serializer>(&self, to: S) -> Result<S::Ok, S::Error> {
        to.collect_str(self)
    }
}

impl<'de> Deserialize<'de> for LineVersion {
    fn deserialize<D: Deserializer<'de>>(from: D) -> Result<Self, D::Error> {
        #[derive(Deserialize)]
        #[serde(untagged)]
        enum Form {
            /// Before version 4.
            Number(u32),
            Text(String),
        }
        match Form::deserialize(from)? {
            Form::Number(major) => Ok(Self { major, minor: 0 }),
            Form::Text(text) => {
                let parsed = text.split_once('.').and_then(|(major, minor)| {
                    Some(Self {
                        major: u32::from_str(major).ok()?,
                        minor: u32::from_str(minor).ok()?,
                    })
                });
                parsed.ok_or_else(|| serde::de::Error::custom("a version is two numbers"))
            }
        }
    }
}

/// Where a chain stands.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Head {
    /// Entries in it.
    pub entries: u64,
    /// Hash of the last one.
    pub hash: Option<Digest>,
}

/// How far the bench's chain was when a unit's line was written.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct Cite {
    /// Number of its last line.
    pub seq: u64,
    /// Hash of that line.
    pub hash: Digest,
}

/// A line without its own hash.
#[derive(Serialize)]
struct Written<'a> {
    v: LineVersion,
    of: &'a str,
    seq: u64,
    at: WallTime,
    counted: BenchTime,
    prev: Option<Digest>,
    #[serde(skip_serializing_if = "Option::is_none")]
    bench: Option<Cite>,
    #[serde(skip_serializing_if = "Option::is_none")]
    request: Option<RequestId>,
    entry: &'a Entry,
}

/// The same as it is read, its entry not looked into yet.
#[derive(Deserialize)]
struct Found<'a> {
    #[serde(default)]
    of: Option<String>,
    seq: u64,
    at: WallTime,
    /// Before version 5 there was one time.
    #[serde(default)]
    counted: Option<BenchTime>,
    prev: Option<Digest>,
    #[serde(default)]
    bench: Option<Cite>,
    #[serde(default)]
    request: Option<RequestId>,
    #[serde(borrow)]
    entry: &'a RawValue,
}

/// The name of a scope in files and in the index.
#[must_use]
pub fn name_of(scope: Scope) -> String {
    match scope {
        Scope::Bench => "bench".to_owned(),
        Scope::Unit(unit) => unit.to_string(),
    }
}

/// The scope of a name; nothing when it is none.
#[must_use]
pub fn scope_of(name: &str) -> Option<Scope> {
    if name == "bench" {
        return Some(Scope::Bench);
    }
    // Only the one spelling that is written: another one would be a second file of the same unit.
    let unit = name.parse::<UnitId>().ok()?;
    (unit.to_string() == name).then_some(Scope::Unit(unit))
}

/// Lines made, to be appended in one go.
pub(super) struct Made {
    pub(super) text: String,
    pub(super) head: Head,
    pub(super) stamped: Vec<Stamped>,
}

/// Makes the lines of these entries, which follow `head`.
///
/// # Errors
/// The bytes of a line that is longer than [`MOST_LINE_BYTES`].
pub(super) fn make(
    scope: Scope,
    head: Head,
    at: Stamp,
    cite: Option<Cite>,
    request: Option<RequestId>,
    entries: Vec<Entry>,
) -> Result<Made, usize> {
    let name = name_of(scope);
    let mut made = Made {
        text: String::new(),
        head,
        stamped: Vec::new(),
    };
    let mut bench = cite;
    for entry in entries {
        let seq = made.head.entries + 1;
        let line = Written {
            v: LINE_VERSION,
            of: &name,
            seq,
            at: at.wall,
            counted: at.bench,
            prev: made.head.hash,
            bench: bench.take(),
            request,
            entry: &entry,
        };
        // Our own types have no keys but text and no numbers but whole ones: they are always written.
        let body = serde_json::to_string(&line).unwrap_or_default();
        let (sealed, hash) = seal(&body);
        if sealed.len() >= MOST_LINE_BYTES {
            return Err(sealed.len());
        }
        made.text.push_str(&sealed);
        made.text.push('\n');
        made.head = Head {
            entries: seq,
            hash: Some(hash),
        };
        made.stamped.push(Stamped {
            scope,
            seq,
            at,
            request,
            hash,
            entry,
        });
    }
    Ok(made)
}

/// Closes a line: the hash over everything before it becomes its last field.
pub(super) fn seal(body: &str) -> (String, Digest) {
    let open = body.strip_suffix('}').unwrap_or(body);
    let hash = Digest::of(open.as_bytes());
    (format!("{open},\"hash\":\"{hash}\"}}"), hash)
}

/// Splits a sealed line into what was hashed and the hash it claims.
fn unseal(line: &str) -> Option<(&str, Digest)> {
    let (open, rest) = line.rsplit_once(",\"hash\":\"")?;
    let hash = rest.strip_suffix("\"}")?.parse().ok()?;
    Some((open, hash))
}

/// A line that was read, with what it says of the bench's chain.
pub(super) struct Read {
    pub(super) stamped: Stamped,
    pub(super) bench: Option<Cite>,
    pub(super) version: LineVersion,
    /// Whether it tells what the bench had counted.
    pub(super) counts: bool,
}

/// Why a line can't be relied on.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) enum Bad {
    /// It is damaged, missing or out of place.
    Broken(String),
    /// It was written by a later program.
    Newer,
}

/// Reads the line that follows `head` in the chain of `scope`.
pub(super) fn read(line: &[u8], scope: Scope, head: Head) -> Result<Read, Bad> {
    let broken = |what: &str| Bad::Broken(what.to_owned());
    let text = std::str::from_utf8(line).map_err(|_| broken("not a line of a log"))?;
    let (open, hash) = unseal(text).ok_or_else(|| broken("not a line of a log"))?;
    if Digest::of(open.as_bytes()) != hash {
        return Err(broken("changed after it was written"));
    }
    #[derive(Deserialize)]
    struct Version {
        v: LineVersion,
    }
    let body = format!("{open}}}");
    let parse = |error: serde_json::Error| broken(&error.to_string());
    let Version { v } = serde_json::from_str(&body).map_err(parse)?;
    if v.major > LINE_VERSION.major {
        return Err(Bad::Newer);
    }
    let found: Found<'_> = serde_json::from_str(&body).map_err(parse)?;
    if found.of.is_some_and(|of| of != name_of(scope)) {
        return Err(broken("it is another log's"));
    }
    if found.prev != head.hash || found.seq != head.entries + 1 {
        return Err(broken("does not follow the line before it"));
    }
    let entry = match serde_json::from_str(found.entry.get()) {
        Ok(entry) => entry,
        // It stays in the file as it stands; only what it says is not known here.
        Err(_) if v > LINE_VERSION => Entry::OfLater {
            what: what_of(found.entry),
        },
        Err(error) => return Err(broken(&error.to_string())),
    };
    Ok(Read {
        stamped: Stamped {
            scope,
            seq: found.seq,
            at: Stamp {
                wall: found.at,
                bench: found.counted.unwrap_or(BenchTime::from_ms(found.at.ms())),
            },
            request: found.request,
            hash,
            entry,
        },
        bench: found.bench,
        version: v,
        counts: found.counted.is_some(),
    })
}

fn what_of(entry: &RawValue) -> String {
    #[derive(Deserialize)]
    struct What {
        what: String,
    }
    let what = serde_json::from_str::<What>(entry.get()).map(|what| what.what);
    what.unwrap_or_default()
        .chars()
        .filter(|c| c.is_ascii_lowercase() || *c == '-')
        .take(40)
        .collect()
}
