//! zip: read by its directory, as whoever unpacks it does, and held against what lies before.

use std::io::{Read, Write};

use super::archive::{Archive, Container, Gatherer, Kind, hold};
use super::bytes::{Numbers, View};
use super::finding::{Findings, Trouble};
use super::out::{NotTaken, copied, damaged};
use super::packed::{self, Unpacked};
use super::{Inside, Looker};

const LOCAL_MAGIC: u32 = 0x0403_4B50;
const ENTRY_MAGIC: u32 = 0x0201_4B50;
const END_MAGIC: u32 = 0x0605_4B50;
const END64_MAGIC: u32 = 0x0606_4B50;
const LOCATOR_MAGIC: u32 = 0x0706_4B50;
/// The end record with its longest comment.
const MOST_END_BYTES: u64 = 22 + 65_535;
/// Largest directory that is read.
const MOST_DIRECTORY_BYTES: u64 = 16 << 20;
const STORED: u16 = 0;
const DEFLATED: u16 = 8;

/// Whether a zip begins here.
pub(crate) fn is(head: &[u8]) -> bool {
    head.len() >= 4 && matches!(head.u32_le(0), LOCAL_MAGIC | END_MAGIC)
}

/// One entry of the directory.
struct Entry {
    name: String,
    method: u16,
    checksum: u32,
    packed: u64,
    bytes: u64,
    local_at: u64,
    mode: u32,
    encrypted: bool,
}

/// Where the directory lies, and where it stands in the file.
struct Directory {
    at: u64,
    bytes: u64,
}

fn directory(view: View<'_>) -> Option<Directory> {
    let from = view.length().saturating_sub(MOST_END_BYTES);
    let tail = view.from(from).head(MOST_END_BYTES as usize);
    let at = (0..tail.len().checked_sub(21)?).rev().find(|at| {
        tail.u32_le(*at) == END_MAGIC && at + 22 + usize::from(tail.u16_le(at + 20)) <= tail.len()
    })?;
    let mut found = Directory {
        at: tail.u32_le(at + 16).into(),
        bytes: tail.u32_le(at + 12).into(),
    };
    // The larger form stands before, with a record that tells where.
    let end_at = from + at as u64;
    if let Some(locator) = end_at
        .checked_sub(20)
        .and_then(|at| view.array::<20>(at).ok())
        && locator.u32_le(0) == LOCATOR_MAGIC
        && let Ok(end) = view.array::<56>(locator.u64_le(8))
        && end.u32_le(0) == END64_MAGIC
    {
        found = Directory {
            at: end.u64_le(48),
            bytes: end.u64_le(40),
        };
    }
    Some(found)
}

/// Reads a zip.
pub(crate) fn read(
    view: View<'_>,
    looker: Looker<'_>,
    findings: &mut Findings,
    inside: &mut Vec<Inside>,
) -> Archive {
    let mut gatherer = Gatherer::new(Container::Zip, looker);
    let Some(directory) = directory(view) else {
        findings.matters(
            Trouble::CutShort,
            Some(view.length()),
            "cut short: the directory at its end is missing".into(),
        );
        return gatherer.ends(findings);
    };
    let listed = Some(directory.bytes)
        .filter(|bytes| *bytes <= MOST_DIRECTORY_BYTES)
        .and_then(|bytes| view.bytes(directory.at, usize::try_from(bytes).ok()?).ok());
    let Some(listed) = listed else {
        findings.matters(
            Trouble::ImpossibleSize,
            None,
            format!(
                "impossible: its directory of {} bytes from byte {} lies past the end",
                directory.bytes, directory.at
            ),
        );
        return gatherer.ends(findings);
    };
    let entries = entries(&listed, findings);
    check_shared(&entries, findings);
    // What tells of the others comes first: lists before data, properties before a payload.
    let order = |entry: &Entry| {
        let file = entry.name.rsplit('/').next().unwrap_or_default();
        u8::from(!(file.ends_with(".list") || file.ends_with(".txt")))
    };
    let mut sorted: Vec<&Entry> = entries.iter().collect();
    sorted.sort_by_key(|entry| order(entry));
    let mut may: Vec<bool> = Vec::new();
    for entry in &entries {
        let kind = kind_of(entry);
        may.push(gatherer.begins(&entry.name, entry.bytes, &kind, entry.local_at, findings));
    }
    for entry in sorted {
        let index = entries.iter().position(|one| std::ptr::eq(one, entry));
        if index.is_some_and(|index| may[index]) {
            one(view, entry, looker, &mut gatherer, findings, inside);
        }
    }
    gatherer.ends(findings)
}

fn kind_of(entry: &Entry) -> Kind {
    match entry.mode & 0o170_000 {
        0o120_000 => Kind::Link("what its bytes say".into()),
        0o060_000 | 0o020_000 => Kind::Special("device node"),
        0o010_000 => Kind::Special("pipe"),
        _ if entry.name.ends_with('/') => Kind::Folder,
        _ => Kind::File,
    }
}

fn entries(listed: &[u8], findings: &mut Findings) -> Vec<Entry> {
    let mut entries = Vec::new();
    let mut at = 0;
    while at + 46 <= listed.len() && listed.u32_le(at) == ENTRY_MAGIC {
        let name_bytes = usize::from(listed.u16_le(at + 28));
        let extra_bytes = usize::from(listed.u16_le(at + 30));
        let comment_bytes = usize::from(listed.u16_le(at + 32));
        let name = listed
            .get(at + 46..at + 46 + name_bytes)
            .unwrap_or_default();
        let extra = listed
            .get(at + 46 + name_bytes..at + 46 + name_bytes + extra_bytes)
            .unwrap_or_default();
        let mut entry = Entry {
            name: String::from_utf8_lossy(name).into_owned(),
            method: listed.u16_le(at + 10),
            checksum: listed.u32_le(at + 16),
            packed: listed.u32_le(at + 20).into(),
            bytes: listed.u32_le(at + 24).into(),
            local_at: listed.u32_le(at + 42).into(),
            mode: listed.u32_le(at + 38) >> 16,
            encrypted: listed.u16_le(at + 8) & 1 != 0,
        };
        larger(&mut entry, extra);
        entries.push(entry);
        at += 46 + name_bytes + extra_bytes + comment_bytes;
    }
    if at < listed.len() && listed.u32_le(at) == ENTRY_MAGIC {
        findings.matters(
            Trouble::CutShort,
            None,
            "cut short: the directory ends inside an entry".into(),
        );
    }
    entries
}

/// Lengths of 64 bits stand in an extra field, each only where its short form is full.
fn larger(entry: &mut Entry, extra: &[u8]) {
    let mut at = 0;
    while at + 4 <= extra.len() {
        let (id, length) = (extra.u16_le(at), usize::from(extra.u16_le(at + 2)));
        if id == 1 {
            let mut next = at + 4;
            for field in [&mut entry.bytes, &mut entry.packed, &mut entry.local_at] {
                if *field == u64::from(u32::MAX) && next + 8 <= at + 4 + length {
                    *field = extra.u64_le(next);
                    next += 8;
                }
            }
        }
        at += 4 + length;
    }
}

/// No two members may lie on the same bytes: that is how a small file expands to a large one.
fn check_shared(entries: &[Entry], findings: &mut Findings) {
    let mut places: Vec<(u64, u64, &str)> = entries
        .iter()
        .filter(|entry| entry.packed > 0)
        .map(|entry| {
            // The local head is at least 30 bytes and the name.
            let end = entry.local_at.saturating_add(30 + entry.name.len() as u64);
            (
                entry.local_at,
                end.saturating_add(entry.packed),
                entry.name.as_str(),
            )
        })
        .collect();
    places.sort_unstable();
    for pair in places.windows(2) {
        if pair[0].1 > pair[1].0 {
            findings.matters(
                Trouble::SharedBytes,
                Some(pair[1].0),
                format!(
                    "members `{}` and `{}` overlap: they share the same bytes",
                    pair[0].2, pair[1].2
                ),
            );
            return;
        }
    }
}

/// Reads one member.
fn one(
    view: View<'_>,
    entry: &Entry,
    looker: Looker<'_>,
    gatherer: &mut Gatherer<'_>,
    findings: &mut Findings,
    inside: &mut Vec<Inside>,
) {
    let name = &entry.name;
    let Ok(local) = view.array::<30>(entry.local_at) else {
        findings.cut_short(
            &format!("`{name}`"),
            entry.local_at.saturating_add(30),
            view.length(),
        );
        return;
    };
    if local.u32_le(0) != LOCAL_MAGIC {
        findings.matters(
            Trouble::ImpossibleSize,
            Some(entry.local_at),
            format!(
                "the directory puts `{name}` at byte {}, where no member begins: it is damaged",
                entry.local_at
            ),
        );
        return;
    }
    if entry.encrypted {
        findings.note(
            Trouble::NotLookedAt,
            Some(entry.local_at),
            format!("`{name}` is encrypted, and not looked into"),
        );
        return;
    }
    let at = entry.local_at + 30 + u64::from(local.u16_le(26)) + u64::from(local.u16_le(28));
    let Some(packed) = view.part(at, entry.packed) else {
        findings.cut_short(
            &format!("`{name}`"),
            at.saturating_add(entry.packed),
            view.length(),
        );
        return;
    };
    match entry.method {
        STORED => {
            if looker.budget.expand(packed.length()) {
                let mut sum = crc32fast::Hasher::new();
                let read = packed.pieces(|piece| {
                    sum.update(piece);
                    true
                });
                if read.is_err() {
                    findings.medium(Some(at));
                    return;
                }
                check(entry, sum.finalize(), at, findings);
            } else {
                findings.note(
                    Trouble::NotLookedAt,
                    Some(at),
                    format!(
                        "the checksum of `{name}` was not checked: more than one look may read"
                    ),
                );
            }
            gatherer.member(name, packed, findings, inside);
        }
        DEFLATED if entry.bytes > looker.budget.left_to_hold() => {
            findings.note(
                Trouble::NotLookedAt,
                Some(at),
                format!("`{name}` would be {} bytes unpacked, more than may be in memory: only its beginning was looked at", entry.bytes),
            );
            let mut head = Vec::new();
            let begun = deflated(packed, looker)
                .take(64 << 10)
                .read_to_end(&mut head);
            if begun.is_ok() {
                gatherer.beginning(name, &head, inside);
            }
        }
        DEFLATED => match hold(deflated(packed, looker), Some(entry.bytes), looker) {
            Ok(bytes) => {
                let mut sum = crc32fast::Hasher::new();
                sum.update(&bytes);
                check(entry, sum.finalize(), at, findings);
                gatherer.member(name, View::whole(&bytes), findings, inside);
                looker.budget.release(bytes.len() as u64);
            }
            Err(why) => why.tell(name, at, findings),
        },
        method => findings.note(
            Trouble::NotLookedAt,
            Some(at),
            format!("`{name}` is packed by method {method}, which is not unpacked here"),
        ),
    }
}

/// Writes the one regular member called `name`, held against its checksum.
pub(crate) fn take(
    view: View<'_>,
    name: &str,
    most: u64,
    into: &mut dyn Write,
) -> Result<u64, NotTaken> {
    let cut = || NotTaken::Damaged("its directory is missing or lies past the end".to_owned());
    let directory = directory(view).ok_or_else(cut)?;
    let listed = Some(directory.bytes)
        .filter(|bytes| *bytes <= MOST_DIRECTORY_BYTES)
        .and_then(|bytes| view.bytes(directory.at, usize::try_from(bytes).ok()?).ok())
        .ok_or_else(cut)?;
    let mut findings = Findings::default();
    let entries = entries(&listed, &mut findings);
    check_shared(&entries, &mut findings);
    if !findings.is_empty() {
        return Err(damaged(findings));
    }
    let mut those = entries.iter().filter(|entry| entry.name == name);
    let entry = those
        .next()
        .ok_or_else(|| NotTaken::Missing(name.to_owned()))?;
    let refused = |why| Err(NotTaken::Refused(name.to_owned(), why));
    if those.next().is_some() {
        return Err(NotTaken::Twice(name.to_owned()));
    }
    if kind_of(entry) != Kind::File {
        return refused("it is no regular file");
    }
    if entry.encrypted {
        return refused("it is encrypted");
    }
    let local = view.array::<30>(entry.local_at);
    let Some(local) = local.ok().filter(|local| local.u32_le(0) == LOCAL_MAGIC) else {
        return Err(NotTaken::Damaged(format!(
            "no member begins where `{name}` should"
        )));
    };
    let at = entry.local_at + 30 + u64::from(local.u16_le(26)) + u64::from(local.u16_le(28));
    let Some(packed) = view.part(at, entry.packed) else {
        return Err(NotTaken::Damaged(format!("`{name}` is cut short")));
    };
    let mut source: Box<dyn Read + '_> = match entry.method {
        STORED => Box::new(packed.reader()),
        DEFLATED => Box::new(flate2::bufread::DeflateDecoder::new(packed::buffered(
            packed,
        ))),
        _ => return refused("it is packed in a way that is not unpacked here"),
    };
    let mut into = Summed {
        into,
        sum: crc32fast::Hasher::new(),
    };
    // Never more than the directory says: what expands past that is no member of it.
    let bytes = copied(&mut source, entry.bytes.min(most), &mut into)?;
    if bytes != entry.bytes || into.sum.finalize() != entry.checksum {
        return Err(NotTaken::Damaged(format!(
            "the checksum of `{name}` does not match"
        )));
    }
    Ok(bytes)
}

/// Passes bytes on and sums them up.
struct Summed<'a> {
    into: &'a mut dyn Write,
    sum: crc32fast::Hasher,
}

impl Write for Summed<'_> {
    fn write(&mut self, bytes: &[u8]) -> std::io::Result<usize> {
        let written = self.into.write(bytes)?;
        self.sum.update(&bytes[..written]);
        Ok(written)
    }

    fn flush(&mut self) -> std::io::Result<()> {
        self.into.flush()
    }
}

fn deflated<'a>(packed: View<'a>, looker: Looker<'a>) -> Unpacked<'a> {
    let inner = flate2::bufread::DeflateDecoder::new(packed::buffered(packed));
    Unpacked::of(Box::new(inner), looker.budget)
}

fn check(entry: &Entry, sum: u32, at: u64, findings: &mut Findings) {
    if sum != entry.checksum {
        findings.matters(
            Trouble::ChecksumWrong,
            Some(at),
            format!(
                "the checksum of `{}` does not match: it is damaged",
                entry.name
            ),
        );
    }
}
