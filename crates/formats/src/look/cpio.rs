//! Ramdisks: archives in cpio's newer form, packed or not, several behind each other.

use std::collections::BTreeMap;
use std::io::{self, BufRead as _, BufReader, Read as _};

use serde::Serialize;
use utoipa::ToSchema;

use super::bytes::{Budget, Numbers, View};
use super::finding::{Findings, Trouble};
use super::packed::{self, Packing, Unpacked};
use super::properties::{self, Properties};

/// What a ramdisk holds.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, ToSchema)]
pub struct Ramdisk {
    /// How its archives are packed, in their order.
    pub packing: Vec<Packing>,
    /// Length when unpacked, as far as it was read.
    pub unpacked_bytes: u64,
    /// Files, folders and links in it.
    pub entries: u64,
    /// What it starts: `system`, `recovery`, and `modules` where it brings any.
    pub holds: Vec<String>,
    /// Its property files.
    pub properties: Vec<Properties>,
}

const HEADER_BYTES: usize = 110;
/// Longest path of an entry.
const MOST_NAME_BYTES: usize = 4096;
/// Entries that are read of one archive.
const MOST_ENTRIES: u64 = 200_000;
/// Bytes of property files and names of links that are kept of one ramdisk.
const MOST_KEPT_BYTES: usize = 2 << 20;
/// Links that are followed from one name.
const MOST_LINKS: usize = 16;
/// Archives behind each other.
const MOST_ARCHIVES: usize = 16;

/// Whether an archive begins here.
pub(crate) fn is(head: &[u8]) -> bool {
    head.starts_with(b"070701") || head.starts_with(b"070702")
}

/// What was gathered while the entries went by.
#[derive(Debug, Default)]
struct Gathered {
    entries: u64,
    kept: usize,
    texts: BTreeMap<String, Vec<u8>>,
    links: BTreeMap<String, String>,
    recovery: bool,
    init: bool,
    modules: bool,
}

/// Reads a ramdisk, whose first byte is at `at` of the whole.
pub(crate) fn read(view: View<'_>, at: u64, budget: &Budget, findings: &mut Findings) -> Ramdisk {
    let mut gathered = Gathered::default();
    let mut ramdisk = Ramdisk::default();
    let mut next = 0;
    for _ in 0..MOST_ARCHIVES {
        let rest = view.from(next);
        let head = rest.head(16);
        if head.is_empty() {
            break;
        }
        let packing = match Packing::of(&head) {
            Some(packing) => packing,
            None if is(&head) => Packing::None,
            None => {
                if let Some(skipped) = zeros_at(rest) {
                    next += skipped;
                    continue;
                }
                let what = if next == 0 {
                    "the ramdisk"
                } else {
                    "what follows the archive"
                };
                findings.matters(
                    Trouble::Unpacking,
                    Some(at + next),
                    format!("{what} is packed in no known way"),
                );
                break;
            }
        };
        ramdisk.packing.push(packing);
        let source = packed::buffered(rest);
        let consumed = source.count();
        let mut ahead = 0;
        let told = match packed::unpack(packing, source, budget) {
            Ok(mut unpacked) => {
                let mut entries = BufReader::with_capacity(64 << 10, &mut unpacked);
                let told = walk(&mut entries, packing, &mut gathered);
                let unread = entries.buffer().len() as u64;
                if packing == Packing::None {
                    ahead = unread;
                }
                let came = unpacked.came - unread;
                ramdisk.unpacked_bytes += came;
                told.map_err(|end| (end, unpacked.over, came))
            }
            Err(error) => Err((End::Broken(error.to_string()), false, 0)),
        };
        if let Err((end, over, came)) = told {
            tell(findings, packing, &end, over, came, at + next);
            break;
        }
        next += consumed.get() - ahead;
    }
    gathered.into_ramdisk(&mut ramdisk, findings, at);
    ramdisk
}

/// How many zeros there are before the next archive; nothing where there are none, or only zeros.
fn zeros_at(view: View<'_>) -> Option<u64> {
    let head = view.head(64 << 10);
    let zeros = head.iter().take_while(|byte| **byte == 0).count();
    (zeros > 0).then_some(zeros as u64)
}

/// Why an archive was not read to its end.
#[derive(Debug)]
enum End {
    /// It ends inside an entry.
    Short(String),
    /// An entry that can't be.
    Broken(String),
}

fn tell(findings: &mut Findings, packing: Packing, end: &End, over: bool, came: u64, at: u64) {
    if over {
        findings.matters(
            Trouble::ExpandsTooFar,
            Some(at),
            format!(
                "expands too far: more than the limit, after {came} bytes unpacking was stopped"
            ),
        );
        return;
    }
    match end {
        End::Short(entry) => findings.matters(
            Trouble::CutShort,
            Some(at),
            format!("cut short: the archive ends inside {entry}, after {came} bytes"),
        ),
        End::Broken(why) => findings.matters(
            Trouble::Unpacking,
            Some(at),
            format!(
                "damaged: the {} ramdisk can't be unpacked past byte {came} ({why})",
                packing.name()
            ),
        ),
    }
}

/// What entries are read from.
type Entries<'a, 'b> = BufReader<&'a mut Unpacked<'b>>;

/// Goes through the entries; a stream may hold several archives, with zeros between. What is not
/// packed ends where something else follows an archive.
fn walk(from: &mut Entries<'_, '_>, packing: Packing, gathered: &mut Gathered) -> Result<(), End> {
    let mut header = [0; HEADER_BYTES];
    let mut is_between = false;
    loop {
        skip_zeros(from)?;
        let next = from.fill_buf().map_err(End::of)?;
        if next.is_empty() || (is_between && packing == Packing::None && !is_begun(next)) {
            return Ok(());
        }
        if fill(from, &mut header)? < HEADER_BYTES {
            return Err(End::Short("an entry's head".into()));
        }
        if !is(&header) {
            return Err(End::Broken("an entry does not begin with its mark".into()));
        }
        let field = |index: usize| {
            let text = std::str::from_utf8(&header[6 + index * 8..14 + index * 8]).ok()?;
            u32::from_str_radix(text, 16).ok()
        };
        let (Some(mode), Some(size), Some(name_bytes)) = (field(1), field(6), field(11)) else {
            return Err(End::Broken("an entry's numbers are none".into()));
        };
        let name_bytes = name_bytes as usize;
        if name_bytes == 0 || name_bytes > MOST_NAME_BYTES {
            return Err(End::Broken(format!("a name of {name_bytes} bytes")));
        }
        let mut name = vec![0; (HEADER_BYTES + name_bytes).next_multiple_of(4) - HEADER_BYTES];
        if fill(from, &mut name)? < name_bytes {
            return Err(End::Short("an entry's name".into()));
        }
        let name = name.text(0, name_bytes);
        is_between = name == "TRAILER!!!";
        if is_between {
            continue;
        }
        gathered.entries += 1;
        if gathered.entries > MOST_ENTRIES {
            return Err(End::Broken(format!("more than {MOST_ENTRIES} entries")));
        }
        let padded = u64::from(size).next_multiple_of(4);
        gathered.entry(from, &name, mode, u64::from(size), padded)?;
    }
}

impl End {
    fn of(error: io::Error) -> Self {
        if error.kind() == io::ErrorKind::UnexpectedEof {
            Self::Short("what is packed".into())
        } else {
            Self::Broken(error.to_string())
        }
    }
}

/// Whether an archive may begin with the bytes that are there, few as they may be.
fn is_begun(next: &[u8]) -> bool {
    is(next) || (next.len() < 6 && b"07070".starts_with(&next[..next.len().min(5)]))
}

/// Passes over zeros, which fill an archive's last block.
fn skip_zeros(from: &mut Entries<'_, '_>) -> Result<(), End> {
    loop {
        let there = from.fill_buf().map_err(End::of)?;
        let zeros = there.iter().take_while(|byte| **byte == 0).count();
        let is_all = zeros == there.len();
        from.consume(zeros);
        if zeros == 0 || !is_all {
            return Ok(());
        }
    }
}

/// Reads until `into` is full or the stream ends.
fn fill(from: &mut Entries<'_, '_>, into: &mut [u8]) -> Result<usize, End> {
    let mut got = 0;
    while got < into.len() {
        match from.read(&mut into[got..]) {
            Ok(0) => break,
            Ok(read) => got += read,
            Err(error) => return Err(End::of(error)),
        }
    }
    Ok(got)
}

fn skip(from: &mut Entries<'_, '_>, bytes: u64, name: &str) -> Result<(), End> {
    let skipped = io::copy(&mut from.take(bytes), &mut io::sink()).map_err(End::of)?;
    if skipped < bytes {
        return Err(End::Short(format!("`{name}`")));
    }
    Ok(())
}

impl Gathered {
    fn entry(
        &mut self,
        from: &mut Entries<'_, '_>,
        name: &str,
        mode: u32,
        size: u64,
        padded: u64,
    ) -> Result<(), End> {
        let path = normal(name);
        let file = path.rsplit('/').next().unwrap_or_default();
        self.recovery |= matches!(path.as_str(), "sbin/recovery" | "system/bin/recovery");
        self.init |= matches!(path.as_str(), "init" | "system/bin/init");
        self.modules |= file.ends_with(".ko");
        let is_link = mode & 0o170_000 == 0o120_000;
        let is_file = mode & 0o170_000 == 0o100_000;
        let most = if is_link {
            MOST_NAME_BYTES
        } else {
            properties::MOST_BYTES
        } as u64;
        if !(is_link || is_file) || size > most || self.kept >= MOST_KEPT_BYTES {
            return skip(from, padded, name);
        }
        let mut bytes = vec![0; usize::try_from(size).unwrap_or(0)];
        if (fill(from, &mut bytes)? as u64) < size {
            return Err(End::Short(format!("`{name}`")));
        }
        skip(from, padded - size, name)?;
        if is_link {
            self.kept += bytes.len() + path.len();
            self.links.insert(path, bytes.text(0, bytes.len()));
        } else if properties::is_property_text(&bytes) {
            self.kept += bytes.len() + path.len();
            self.texts.insert(path, bytes);
        }
        Ok(())
    }

    fn into_ramdisk(self, ramdisk: &mut Ramdisk, findings: &mut Findings, at: u64) {
        ramdisk.entries = self.entries;
        if self.init && !self.recovery {
            ramdisk.holds.push("system".into());
        }
        if self.recovery {
            ramdisk.holds.push("recovery".into());
        }
        if self.modules {
            ramdisk.holds.push("modules".into());
        }
        let mut read: Vec<Properties> = Vec::new();
        for path in self
            .texts
            .keys()
            .filter(|path| properties::is_usual_name(path))
        {
            read.push(properties::read(path, &self.texts[path]));
        }
        for (link, target) in &self.links {
            if !properties::is_usual_name(link) {
                continue;
            }
            match self.follow(link) {
                Some(end) if self.texts.contains_key(&end) => {
                    if !read.iter().any(|one| one.from == end) {
                        let through = format!("{end} (through {link})");
                        read.push(properties::read(&through, &self.texts[&end]));
                    }
                }
                // What lies on a partition that is mounted later is no mistake.
                Some(_) => {}
                None => findings.matters(
                    Trouble::LinkRing,
                    Some(at),
                    format!("`{link}` points at `{target}`: the links lead in a loop and can't be followed"),
                ),
            }
        }
        read.retain(Properties::says_something);
        ramdisk.properties = read;
    }

    /// Where a path leads, links followed within; nothing where they lead in a ring.
    fn follow(&self, path: &str) -> Option<String> {
        let mut path = path.to_owned();
        for _ in 0..MOST_LINKS {
            let Some(next) = self.one_link(&path) else {
                return Some(path);
            };
            path = next;
        }
        None
    }

    /// The path with its first link replaced; nothing where there is none.
    fn one_link(&self, path: &str) -> Option<String> {
        let ends = path
            .match_indices('/')
            .map(|(at, _)| at)
            .chain([path.len()]);
        for end in ends {
            let Some(target) = self.links.get(&path[..end]) else {
                continue;
            };
            let parent = path[..end]
                .rsplit_once('/')
                .map_or("", |(parent, _)| parent);
            let rest = &path[end..];
            return Some(if target.starts_with('/') {
                normal(&format!("{target}{rest}"))
            } else {
                normal(&format!("{parent}/{target}{rest}"))
            });
        }
        None
    }
}

/// A path without `.`, `..` and leading slashes.
fn normal(path: &str) -> String {
    let mut parts: Vec<&str> = Vec::new();
    for part in path.split('/') {
        match part {
            "" | "." => {}
            ".." => drop(parts.pop()),
            part => parts.push(part),
        }
    }
    parts.join("/")
}
