//! Archives and what is packed: their members, what a package says, and what lies inside.

use std::collections::BTreeMap;
use std::io::{self, Read};

use base64::Engine as _;
use base64::engine::general_purpose::STANDARD as BASE64;
use serde::Serialize;
use utoipa::ToSchema;

use super::bytes::{Numbers as _, View};
use super::finding::{Findings, Trouble};
use super::packed::{self, Packing, Unpacked};
use super::payload;
use super::script::{self, Metadata, Script};
use super::tar;
use super::transfer::{self, List, Transfer};
use super::{Inside, Looked, Looker, What};

/// What members are kept in.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Container {
    /// zip, zip64 included.
    Zip,
    /// tar.
    Tar,
}

/// An archive.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, ToSchema)]
pub struct Archive {
    /// What its members are kept in.
    pub container: Container,
    /// Members, in their order; at most 4096.
    pub members: Vec<Member>,
    /// How many there are.
    pub member_count: u64,
    /// The digest in the line behind it, as written.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub digest_line: Option<String>,
    /// What its metadata says, where it is a package.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub metadata: Option<Metadata>,
    /// What its script says, where it is a package with one.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub script: Option<Script>,
    /// Partitions that it brings block by block.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub transfers: Vec<Transfer>,
    /// What the set requires of a device, `name=value`.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub requires: Vec<String>,
}

/// A member of an archive.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, ToSchema)]
pub struct Member {
    /// Its name, as it stands there.
    pub name: String,
    /// Its length when unpacked, as the archive says.
    pub bytes: u64,
}

/// Members that are listed.
const MOST_MEMBERS: usize = 4096;
/// Bytes of a member that is too large to be held by which its kind is known.
const HEAD_BYTES: usize = 64 << 10;

impl Archive {
    pub(crate) fn name(&self) -> &'static str {
        match self.container {
            _ if self.script.is_some() || self.metadata.is_some() => "package",
            Container::Zip => "zip archive",
            Container::Tar => "tar archive",
        }
    }
}

/// What kind of thing a member is.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) enum Kind {
    File,
    Folder,
    Link(String),
    Special(&'static str),
}

/// Gathers members while they go by.
pub(crate) struct Gatherer<'a> {
    looker: Looker<'a>,
    archive: Archive,
    names: BTreeMap<String, u64>,
    lists: Vec<List>,
    payload_properties: Option<String>,
    has_program: bool,
}

impl<'a> Gatherer<'a> {
    pub(crate) fn new(container: Container, looker: Looker<'a>) -> Self {
        Self {
            looker,
            archive: Archive {
                container,
                members: Vec::new(),
                member_count: 0,
                digest_line: None,
                metadata: None,
                script: None,
                transfers: Vec::new(),
                requires: Vec::new(),
            },
            names: BTreeMap::new(),
            lists: Vec::new(),
            payload_properties: None,
            has_program: false,
        }
    }

    pub(crate) fn digest_line(&mut self, line: String) {
        self.archive.digest_line = Some(line);
    }

    /// A member begins; whether it may be looked into.
    pub(crate) fn begins(
        &mut self,
        name: &str,
        bytes: u64,
        kind: &Kind,
        at: u64,
        findings: &mut Findings,
    ) -> bool {
        self.archive.member_count += 1;
        if self.archive.members.len() < MOST_MEMBERS {
            self.archive.members.push(Member {
                name: name.to_owned(),
                bytes,
            });
        }
        let safe = check_name(name, at, findings);
        match kind {
            Kind::Folder => return false,
            Kind::Link(target) => {
                findings.matters(
                    Trouble::Link,
                    Some(at),
                    format!("`{name}` is a link to `{target}`: refused, it is not followed"),
                );
                return false;
            }
            Kind::Special(what) => {
                findings.matters(
                    Trouble::Special,
                    Some(at),
                    format!("`{name}` is a {what}, not a regular file: refused"),
                );
                return false;
            }
            Kind::File => {}
        }
        if self.names.len() < MOST_MEMBERS && self.names.insert(name.to_owned(), at).is_some() {
            findings.matters(
                Trouble::Twice,
                Some(at),
                format!("two members have the same name `{name}`: which one counts is ambiguous"),
            );
        }
        safe
    }

    /// The whole of a member.
    pub(crate) fn member(
        &mut self,
        name: &str,
        view: View<'_>,
        findings: &mut Findings,
        inside: &mut Vec<Inside>,
    ) {
        let file = name.rsplit('/').next().unwrap_or(name);
        self.has_program |= file == "update-binary";
        if view.length() <= script::MOST_BYTES.max(transfer::MOST_BYTES) && is_telling(file) {
            self.text(name, file, view, findings);
        }
        if file.ends_with(".new.dat") || file.ends_with(".new.dat.br") {
            self.data(name, file, view, findings);
        }
        if file == "payload.bin"
            && let Some(said) = self.payload_properties.take()
        {
            check_payload(view, &said, self.looker, findings);
        }
        let Some(deeper) = self.looker.deeper() else {
            return;
        };
        // Brotli has no mark: what the name says is all there is to know it by.
        let looked = deeper.look(view, file);
        let plain = matches!(looked.what, What::Bytes | What::Text | What::Empty);
        if !plain || !looked.findings.is_empty() || looked.footer.is_some() {
            inside.push(Inside {
                name: name.to_owned(),
                looked,
            });
        }
    }

    /// The beginning of a member that is too large to be held: its kind, and what its head says.
    pub(crate) fn beginning(&mut self, name: &str, head: &[u8], inside: &mut Vec<Inside>) {
        let Some(deeper) = self.looker.deeper() else {
            return;
        };
        let looked = deeper.look(View::whole(&head), "");
        if !matches!(looked.what, What::Bytes | What::Text | What::Empty) {
            inside.push(Inside {
                name: format!("{name}, its beginning"),
                looked: Looked {
                    // Cut by us, not by whoever made it.
                    findings: Vec::new(),
                    ..looked
                },
            });
        }
    }

    fn text(&mut self, name: &str, file: &str, view: View<'_>, findings: &mut Findings) {
        let bytes = view.head(transfer::MOST_BYTES as usize);
        let text = bytes.text(0, bytes.len());
        if file == "updater-script" {
            self.archive.script = Some(script::read(&text));
        } else if file == "metadata" && name.contains("META-INF/") {
            self.archive.metadata = Some(script::metadata(&text));
        } else if file == "payload_properties.txt" {
            self.payload_properties = Some(text);
        } else if file.ends_with(".transfer.list") {
            match transfer::read(name, &text, findings) {
                Some(list) => self.lists.push(list),
                None => findings.matters(
                    Trouble::UnknownVersion,
                    None,
                    format!("`{name}` is no transfer list that is known"),
                ),
            }
        } else {
            self.archive.requires.extend(script::requirements(&text));
        }
    }

    /// New blocks: held against the list of the same partition.
    fn data(&mut self, name: &str, file: &str, view: View<'_>, findings: &mut Findings) {
        let stem = file.split(".new.dat").next().unwrap_or_default();
        let Some(list) = self
            .lists
            .iter_mut()
            .find(|list| list.transfer.partition == stem)
        else {
            return;
        };
        list.transfer.member = Some(name.to_owned());
        let budget = self.looker.budget;
        if !file.ends_with(".br") {
            list.check(view, budget, findings);
            return;
        }
        let unpacked = packed::unpack(Packing::Brotli, packed::buffered(view), budget)
            .map_err(|error| Unheld::Damaged(error.to_string()))
            .and_then(|unpacked| hold(unpacked, None, self.looker));
        match unpacked {
            Ok(bytes) => {
                list.check(View::whole(&bytes), budget, findings);
                budget.release(bytes.len() as u64);
            }
            Err(why) => why.tell(name, 0, findings),
        }
    }

    /// What was said of the whole, once all members went by.
    pub(crate) fn ends(mut self, findings: &mut Findings) -> Archive {
        self.archive.transfers = self.lists.into_iter().map(|list| list.transfer).collect();
        let base = self.archive.transfers.iter().any(|one| one.needs_base)
            || self
                .archive
                .script
                .as_ref()
                .is_some_and(|one| !one.bases.is_empty());
        let metadata = self.archive.metadata.as_ref();
        if let Some(from) = metadata.and_then(|one| one.pre_build.as_ref()) {
            findings.note(
                Trouble::BaseNeeded,
                None,
                format!("incremental: it needs exactly the build `{from}` as its base"),
            );
        } else if base {
            findings.note(
                Trouble::BaseNeeded,
                None,
                "it needs exactly one of the builds that its script names as its base".into(),
            );
        }
        if metadata.is_some_and(|one| one.steps_down) {
            findings.matters(
                Trouble::StepDown,
                None,
                "a downgrade: it leads to an older build, and erases the owner's data".into(),
            );
        }
        let does = self
            .archive
            .script
            .as_ref()
            .is_some_and(|one| one.does_something);
        if self.has_program && !does {
            findings.matters(
                Trouble::TouchesUnknown,
                None,
                "what it touches is unknown: a program does all, nothing is written in its script"
                    .into(),
            );
        }
        self.archive
    }
}

/// Members that say something of the whole.
fn is_telling(file: &str) -> bool {
    matches!(
        file,
        "updater-script" | "metadata" | "payload_properties.txt"
    ) || file.ends_with(".transfer.list")
        || (file.ends_with("-info.txt") && file.len() < 64)
}

/// Whether a name stays below the folder that it would be unpacked into.
pub(crate) fn stays_below(name: &str) -> bool {
    check_name(name, 0, &mut Findings::default())
}

/// Names stay below the folder that a person would unpack into.
fn check_name(name: &str, at: u64, findings: &mut Findings) -> bool {
    let absolute = name.starts_with(['/', '\\']) || name.get(1..2) == Some(":");
    let climbs = name.split(['/', '\\']).any(|part| part == "..");
    if absolute {
        findings.matters(
            Trouble::LeavesFolder,
            Some(at),
            format!("refused: `{name}` is an absolute name, it would lie outside of the folder"),
        );
    } else if climbs {
        findings.matters(
            Trouble::LeavesFolder,
            Some(at),
            format!("refused: `{name}` climbs out of the folder"),
        );
    }
    !absolute && !climbs
}

/// Holds a payload against the properties beside it.
fn check_payload(view: View<'_>, said: &str, looker: Looker<'_>, findings: &mut Findings) {
    let field = |key: &str| {
        said.lines()
            .filter_map(|line| line.split_once('='))
            .find(|(name, _)| name.trim() == key)
            .map(|(_, value)| value.trim())
    };
    if let Some(bytes) = field("FILE_SIZE")
        && bytes.parse() != Ok(view.length())
    {
        findings.matters(
            Trouble::DigestDiffers,
            None,
            format!(
                "the properties state a payload of {bytes} bytes, it has {}: they do not match",
                view.length()
            ),
        );
    }
    let whole = field("FILE_HASH").map(|said| (said, view));
    let head = field("METADATA_SIZE")
        .and_then(|bytes| view.part(0, bytes.parse().ok()?))
        .and_then(|part| Some((field("METADATA_HASH")?, part)));
    for (said, part) in whole.into_iter().chain(head) {
        if !looker.budget.expand(part.length()) {
            findings.note(
                Trouble::NotLookedAt,
                None,
                format!(
                    "{} bytes were not hashed: more than one look may read",
                    part.length()
                ),
            );
            continue;
        }
        match payload::sha256(part) {
            Ok(digest) if BASE64.encode(digest) != said => findings.matters(
                Trouble::DigestDiffers,
                None,
                "the payload does not match the digest that its properties state".into(),
            ),
            Ok(_) => {}
            Err(_) => findings.medium(None),
        }
    }
}

/// Why something packed could not be held whole.
#[derive(Debug)]
pub(crate) enum Unheld {
    /// More than may be in memory, or than the archive says.
    TooLarge(String),
    /// The budget of the whole look is spent.
    Over(u64),
    /// The packed bytes end too soon.
    Short(u64),
    /// The packed bytes are damaged.
    Damaged(String),
}

impl Unheld {
    pub(crate) fn tell(self, what: &str, at: u64, findings: &mut Findings) {
        match self {
            Self::TooLarge(why) => findings.matters(
                Trouble::ExpandsTooFar,
                Some(at),
                format!("`{what}` expands too far: {why}"),
            ),
            Self::Over(came) => findings.matters(
                Trouble::ExpandsTooFar,
                Some(at),
                format!("`{what}` expands to more than the limit: unpacking was stopped after {came} bytes"),
            ),
            Self::Short(came) => findings.matters(
                Trouble::CutShort,
                Some(at),
                format!("cut short: `{what}` ends before its time, after {came} bytes"),
            ),
            Self::Damaged(why) => findings.matters(
                Trouble::Unpacking,
                Some(at),
                format!("`{what}` is damaged: it can't be unpacked ({why})"),
            ),
        }
    }
}

/// Reads all that comes into memory, at most `declared` bytes and what may be held.
pub(crate) fn hold(
    mut from: Unpacked<'_>,
    declared: Option<u64>,
    looker: Looker<'_>,
) -> Result<Vec<u8>, Unheld> {
    let most = looker
        .budget
        .left_to_hold()
        .min(declared.unwrap_or(u64::MAX));
    let mut bytes = Vec::new();
    let read = Read::by_ref(&mut from)
        .take(most + 1)
        .read_to_end(&mut bytes);
    if let Err(error) = read {
        return Err(match error.kind() {
            _ if from.over => Unheld::Over(from.came),
            io::ErrorKind::UnexpectedEof => Unheld::Short(from.came),
            _ => Unheld::Damaged(error.to_string()),
        });
    }
    let came = bytes.len() as u64;
    if came > most {
        return Err(Unheld::TooLarge(match declared {
            Some(declared) if most == declared => {
                format!("more than the {declared} bytes that the archive states")
            }
            _ => format!("more than the limit of {most} bytes in memory"),
        }));
    }
    if declared.is_some_and(|declared| came < declared) {
        return Err(Unheld::Short(came));
    }
    looker.budget.hold(came);
    Ok(bytes)
}

/// Something packed by itself: unpacked and looked into where it may be held.
pub(crate) fn read_packed(
    view: View<'_>,
    name: &str,
    packing: Packing,
    looker: Looker<'_>,
    findings: &mut Findings,
    inside: &mut Vec<Inside>,
) -> What {
    let packed_as = |unpacked_bytes| What::Packed {
        packing,
        unpacked_bytes,
    };
    let (mut unpacked, end) = match packed::unpack_all(packing, view, looker.budget) {
        Ok(begun) => begun,
        Err(error) => {
            Unheld::Damaged(error.to_string()).tell(packing.name(), 0, findings);
            return packed_as(None);
        }
    };
    let mut head = Vec::new();
    let begun = Read::by_ref(&mut unpacked)
        .take(HEAD_BYTES as u64)
        .read_to_end(&mut head);
    if begun.is_ok() && tar::is(&head) {
        // A set is as large as a storage area: its members are looked into as they go by.
        let stem = name
            .rsplit_once('.')
            .map_or(name, |(stem, _)| stem)
            .to_owned();
        let archive = tar::read_stream(head, unpacked, looker, findings, inside);
        let looked = Looked {
            bytes: 0,
            what: What::Archive(Box::new(archive)),
            footer: None,
            findings: Vec::new(),
            inside: std::mem::take(inside),
        };
        inside.push(Inside { name: stem, looked });
        return packed_as(None);
    }
    // A ramdisk may be several archives behind each other.
    if begun.is_ok() && super::cpio::is(&head) {
        drop(unpacked);
        return What::Ramdisk(Box::new(super::cpio::read(
            view,
            0,
            looker.budget,
            findings,
        )));
    }
    let rest = match begun {
        Ok(_) => hold(unpacked, None, looker),
        Err(error) if error.kind() == io::ErrorKind::UnexpectedEof => {
            Err(Unheld::Short(head.len() as u64))
        }
        Err(_) if unpacked.over => Err(Unheld::Over(unpacked.came)),
        Err(error) => Err(Unheld::Damaged(error.to_string())),
    };
    match rest {
        Ok(rest) => {
            tell_behind(view, end.get(), packing, findings);
            let held = rest.len() as u64;
            head.extend_from_slice(&rest);
            drop(rest);
            let looked = looker.look(View::whole(&head), name);
            looker.budget.release(held);
            let bytes = head.len() as u64;
            inside.push(Inside {
                name: "unpacked".into(),
                looked,
            });
            packed_as(Some(bytes))
        }
        Err(Unheld::TooLarge(why)) => {
            findings.note(
                Trouble::NotLookedAt,
                None,
                format!("not unpacked whole: it expands to {why}"),
            );
            let looked = looker.look(View::whole(&head), name);
            inside.push(Inside {
                name: "unpacked, its beginning".into(),
                looked: Looked {
                    // Cut by us, not by whoever made it.
                    findings: Vec::new(),
                    ..looked
                },
            });
            packed_as(None)
        }
        Err(why) => {
            why.tell(packing.name(), 0, findings);
            packed_as(None)
        }
    }
}

/// What stands behind the last packed stream, which ended at byte `end`; zeros fill a block.
fn tell_behind(view: View<'_>, end: u64, packing: Packing, findings: &mut Findings) {
    let behind = view.from(end);
    if behind.head(64 << 10).iter().any(|byte| *byte != 0) {
        findings.note(
            Trouble::Trailing,
            Some(end),
            format!(
                "{} bytes stand behind what is packed as {} and are no part of it",
                behind.length(),
                packing.name()
            ),
        );
    }
}
