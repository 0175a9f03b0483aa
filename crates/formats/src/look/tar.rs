//! tar: members behind each other, long names in extended heads, perhaps a digest line behind.

use std::io::{self, Read};

use md5::{Digest as _, Md5};

use super::archive::{Archive, Container, Gatherer, Kind};
use super::bytes::{Numbers, View};
use super::finding::{Findings, Trouble};
use super::out::NotTaken;
use super::packed::Unpacked;
use super::{Inside, Looker};

const BLOCK_BYTES: usize = 512;
/// Longest extended head that is read.
const MOST_EXTENDED_BYTES: u64 = 64 << 10;
/// Members that are gone through.
const MOST_MEMBERS: u32 = 1 << 20;

/// Whether a tar begins here: its mark, and a first head whose sum holds.
pub(crate) fn is(head: &[u8]) -> bool {
    head.len() >= BLOCK_BYTES && &head[257..262] == b"ustar" && sum_holds(head)
}

fn sum_holds(head: &[u8]) -> bool {
    let sum: u64 = head[..BLOCK_BYTES]
        .iter()
        .enumerate()
        .map(|(index, byte)| {
            if (148..156).contains(&index) {
                32
            } else {
                u64::from(*byte)
            }
        })
        .sum();
    octal(&head[148..156]) == Some(sum)
}

/// A number in octal, or in its larger binary form.
fn octal(field: &[u8]) -> Option<u64> {
    if field.first()? & 0x80 != 0 {
        return field.get(field.len() - 8..).map(|low| low.u64_be(0));
    }
    let text = field.text(0, field.len());
    let text = text.trim();
    if text.is_empty() {
        Some(0)
    } else {
        u64::from_str_radix(text, 8).ok()
    }
}

/// What the heads before a member said of it.
#[derive(Default)]
struct Said {
    name: Option<String>,
    link: Option<String>,
    bytes: Option<u64>,
}

/// One head, read.
struct Head {
    name: String,
    bytes: u64,
    kind: u8,
    link: String,
}

enum Step {
    /// The archive's end.
    End,
    /// Bytes that are no head.
    Damaged,
    Head(Head),
}

fn step(block: &[u8]) -> Step {
    if block.iter().all(|byte| *byte == 0) {
        return Step::End;
    }
    let (true, Some(bytes)) = (sum_holds(block), octal(&block[124..136])) else {
        return Step::Damaged;
    };
    let prefix = if &block[257..263] == b"ustar\0" {
        block.text(345, 155)
    } else {
        String::new()
    };
    let name = block.text(0, 100);
    Step::Head(Head {
        name: if prefix.is_empty() {
            name
        } else {
            format!("{prefix}/{name}")
        },
        bytes,
        kind: block[156],
        link: block.text(157, 100),
    })
}

impl Said {
    /// Takes what an extended head says; `false` where `kind` is none.
    fn take(&mut self, kind: u8, body: &[u8]) {
        match kind {
            b'L' => self.name = Some(body.text(0, body.len())),
            b'K' => self.link = Some(body.text(0, body.len())),
            _ => {
                for (key, value) in records(body) {
                    match key.as_str() {
                        "path" => self.name = Some(value),
                        "linkpath" => self.link = Some(value),
                        "size" => self.bytes = value.parse().ok(),
                        _ => {}
                    }
                }
            }
        }
    }

    fn applied(self, head: Head) -> (String, u64, Kind) {
        let name = self.name.unwrap_or(head.name);
        let kind = match head.kind {
            b'1' | b'2' => Kind::Link(self.link.unwrap_or(head.link)),
            b'3' | b'4' => Kind::Special("device node"),
            b'6' => Kind::Special("pipe"),
            b'5' => Kind::Folder,
            _ if name.ends_with('/') => Kind::Folder,
            _ => Kind::File,
        };
        (name, self.bytes.unwrap_or(head.bytes), kind)
    }
}

/// `length key=value` lines of an extended head.
fn records(body: &[u8]) -> Vec<(String, String)> {
    let mut records = Vec::new();
    let mut rest = body;
    while let Some(space) = rest.iter().position(|byte| *byte == b' ') {
        let length = rest.text(0, space).parse::<usize>().unwrap_or(0);
        let Some(record) = rest
            .get(space + 1..length)
            .filter(|record| !record.is_empty())
        else {
            break;
        };
        let text = String::from_utf8_lossy(&record[..record.len() - 1]).into_owned();
        if let Some((key, value)) = text.split_once('=') {
            records.push((key.to_owned(), value.to_owned()));
        }
        rest = &rest[length..];
    }
    records
}

fn is_extended(kind: u8) -> bool {
    matches!(kind, b'x' | b'g' | b'L' | b'K')
}

/// Bytes of the blocks that a body of `bytes` takes.
fn padded(bytes: u64) -> u64 {
    bytes
        .checked_next_multiple_of(BLOCK_BYTES as u64)
        .unwrap_or(u64::MAX)
}

/// What a walk over heads comes upon.
enum Met {
    /// A member: where its head begins, and where its body does.
    Member {
        name: String,
        bytes: u64,
        kind: Kind,
        at: u64,
        body_at: u64,
    },
    /// The archive's end.
    End,
    /// Bytes that are no head, where one should be.
    Damaged,
    /// No whole head any more, or more members than are counted.
    Over,
}

/// Goes over the heads of an archive that lies there whole; what extended heads say is applied to the next.
struct Walk<'v> {
    view: View<'v>,
    /// Where the next head should be.
    at: u64,
    left: u32,
}

impl<'v> Walk<'v> {
    fn over(view: View<'v>) -> Self {
        Self {
            view,
            at: 0,
            left: MOST_MEMBERS,
        }
    }

    fn next(&mut self) -> Met {
        let mut said = Said::default();
        while let Some(left) = self.left.checked_sub(1) {
            self.left = left;
            let at = self.at;
            let Ok(block) = self.view.array::<BLOCK_BYTES>(at) else {
                return Met::Over;
            };
            let head = match step(&block) {
                Step::End => return Met::End,
                Step::Damaged => return Met::Damaged,
                Step::Head(head) => head,
            };
            let body_at = at + BLOCK_BYTES as u64;
            if is_extended(head.kind) {
                let most = head.bytes.min(MOST_EXTENDED_BYTES);
                let body = self
                    .view
                    .part_or_less(body_at, most)
                    .head(MOST_EXTENDED_BYTES as usize);
                said.take(head.kind, &body);
                self.at = body_at.saturating_add(padded(head.bytes));
                continue;
            }
            let (name, bytes, kind) = said.applied(head);
            self.at = body_at.saturating_add(padded(bytes));
            return Met::Member {
                name,
                bytes,
                kind,
                at,
                body_at,
            };
        }
        Met::Over
    }
}

/// Reads a tar that lies there whole: members are parts of it.
pub(crate) fn read(
    view: View<'_>,
    looker: Looker<'_>,
    findings: &mut Findings,
    inside: &mut Vec<Inside>,
) -> Archive {
    let mut gatherer = Gatherer::new(Container::Tar, looker);
    let mut walk = Walk::over(view);
    let ended = loop {
        match walk.next() {
            Met::Member {
                name,
                bytes,
                kind,
                at,
                body_at,
            } => {
                let may = gatherer.begins(&name, bytes, &kind, at, findings);
                match view.part(body_at, bytes) {
                    Some(part) if may => gatherer.member(&name, part, findings, inside),
                    Some(_) => {}
                    None if kind == Kind::File => {
                        findings.cut_short(
                            &format!("`{name}`"),
                            body_at.saturating_add(bytes),
                            view.length(),
                        );
                    }
                    None => {}
                }
            }
            Met::End => break true,
            Met::Over => break false,
            Met::Damaged => {
                // A digest line may follow at once, where the archive's end is left out.
                let ended = digest_line(view, walk.at).is_some();
                if !ended {
                    findings.matters(
                        Trouble::ChecksumWrong,
                        Some(walk.at),
                        "damaged: no member begins where one should, its checksum does not match"
                            .into(),
                    );
                }
                break ended;
            }
        }
    };
    let at = walk.at;
    if let Some((line_at, said)) = digest_line(view, at) {
        check_line(view.part_or_less(0, line_at), &said, looker, findings);
        gatherer.digest_line(said);
    } else if !ended && at < view.length() {
        findings.note(
            Trouble::NotLookedAt,
            Some(at),
            "what follows was not looked at".into(),
        );
    }
    gatherer.ends(findings)
}

/// The one regular member called `name`.
pub(crate) fn member<'a>(view: View<'a>, name: &str) -> Result<View<'a>, NotTaken> {
    let mut walk = Walk::over(view);
    let mut found = None;
    loop {
        match walk.next() {
            Met::Member {
                name: own,
                bytes,
                kind,
                body_at,
                ..
            } if own == name => {
                if kind != Kind::File {
                    return Err(NotTaken::Refused(own, "it is no regular file"));
                }
                let part = view.part(body_at, bytes).ok_or_else(|| {
                    NotTaken::Damaged(format!(
                        "`{name}` is cut short, the archive ends at byte {}",
                        view.length()
                    ))
                })?;
                if found.replace(part).is_some() {
                    return Err(NotTaken::Twice(own));
                }
            }
            Met::Member { .. } => {}
            Met::Damaged if digest_line(view, walk.at).is_none() => {
                return Err(NotTaken::Damaged(format!(
                    "no member begins at byte {}, where one should",
                    walk.at
                )));
            }
            Met::Damaged | Met::End | Met::Over => break,
        }
    }
    found.ok_or_else(|| NotTaken::Missing(name.to_owned()))
}

/// The line `digest  name` behind an archive: where it begins, and its digest.
fn digest_line(view: View<'_>, end: u64) -> Option<(u64, String)> {
    let from = view.length().saturating_sub(512).max(end);
    let tail = view.from(from).head(512);
    let start = tail
        .iter()
        .rposition(|byte| *byte == 0)
        .map_or(0, |at| at + 1);
    let line = std::str::from_utf8(&tail[start..]).ok()?;
    let (digest, name) = line.trim_end().split_once(char::is_whitespace)?;
    let is_digest = digest.len() == 32 && digest.bytes().all(|byte| byte.is_ascii_hexdigit());
    (is_digest && !name.trim().is_empty()).then(|| (from + start as u64, digest.to_owned()))
}

fn check_line(view: View<'_>, said: &str, looker: Looker<'_>, findings: &mut Findings) {
    if !looker.budget.expand(view.length()) {
        findings.note(
            Trouble::NotLookedAt,
            None,
            "the digest line was not checked: more than one look may read".into(),
        );
        return;
    }
    let mut hash = Md5::new();
    let read = view.pieces(|piece| {
        hash.update(piece);
        true
    });
    if read.is_err() {
        findings.medium(None);
        return;
    }
    let found = hex::encode(hash.finalize());
    if !found.eq_ignore_ascii_case(said) {
        findings.matters(
            Trouble::DigestDiffers,
            None,
            "the digest line behind the archive does not match: it was changed or cut".into(),
        );
    }
}

/// A stream whose first bytes were read already.
struct Stream<'a> {
    head: io::Cursor<Vec<u8>>,
    rest: Unpacked<'a>,
}

impl Read for Stream<'_> {
    fn read(&mut self, into: &mut [u8]) -> io::Result<usize> {
        match self.head.read(into)? {
            0 => self.rest.read(into),
            read => Ok(read),
        }
    }
}

impl Stream<'_> {
    /// Reads until `into` is full or the stream ends.
    fn fill(&mut self, into: &mut [u8]) -> io::Result<usize> {
        let mut got = 0;
        while got < into.len() {
            match self.read(&mut into[got..])? {
                0 => break,
                read => got += read,
            }
        }
        Ok(got)
    }
}

/// Reads a tar that comes as a stream: members that may be held are looked into, of others their
/// beginning.
pub(crate) fn read_stream(
    head: Vec<u8>,
    rest: Unpacked<'_>,
    looker: Looker<'_>,
    findings: &mut Findings,
    inside: &mut Vec<Inside>,
) -> Archive {
    let mut gatherer = Gatherer::new(Container::Tar, looker);
    let mut stream = Stream {
        head: io::Cursor::new(head),
        rest,
    };
    if let Err(error) = members(&mut stream, looker, &mut gatherer, findings, inside) {
        if stream.rest.over {
            findings.note(
                Trouble::NotLookedAt,
                None,
                format!(
                    "the rest was not unpacked: {} bytes are the limit of one look",
                    stream.rest.came
                ),
            );
        } else if error.kind() == io::ErrorKind::UnexpectedEof {
            findings.matters(
                Trouble::CutShort,
                None,
                format!(
                    "cut short: the archive ends after {} bytes",
                    stream.rest.came
                ),
            );
        } else {
            findings.matters(
                Trouble::Unpacking,
                None,
                format!(
                    "damaged: it can't be unpacked past byte {} ({error})",
                    stream.rest.came
                ),
            );
        }
    }
    gatherer.ends(findings)
}

fn members(
    stream: &mut Stream<'_>,
    looker: Looker<'_>,
    gatherer: &mut Gatherer<'_>,
    findings: &mut Findings,
    inside: &mut Vec<Inside>,
) -> io::Result<()> {
    let mut said = Said::default();
    let mut at = 0_u64;
    let mut block = [0; BLOCK_BYTES];
    for _ in 0..MOST_MEMBERS {
        match stream.fill(&mut block)? {
            0 => return Ok(()),
            BLOCK_BYTES => {}
            _ => return Err(io::ErrorKind::UnexpectedEof.into()),
        }
        let head = match step(&block) {
            Step::End => return Ok(()),
            Step::Damaged => return Err(io::Error::other("no member begins where one should")),
            Step::Head(head) => head,
        };
        at += BLOCK_BYTES as u64;
        if is_extended(head.kind) {
            let kept = usize::try_from(head.bytes.min(MOST_EXTENDED_BYTES)).unwrap_or(0);
            let mut body = vec![0; kept];
            stream.fill(&mut body)?;
            said.take(head.kind, &body);
            skip(stream, padded(head.bytes).saturating_sub(kept as u64))?;
            at = at.saturating_add(padded(head.bytes));
            continue;
        }
        let (name, bytes, kind) = std::mem::take(&mut said).applied(head);
        let may = gatherer.begins(&name, bytes, &kind, at, findings);
        let fits = bytes <= looker.budget.left_to_hold();
        let kept = if !may {
            0
        } else if fits {
            bytes
        } else {
            bytes.min(64 << 10)
        };
        // At most what may be held, whatever the head claims.
        let mut body = Vec::new();
        Read::by_ref(stream).take(kept).read_to_end(&mut body)?;
        if (body.len() as u64) < kept {
            return Err(io::ErrorKind::UnexpectedEof.into());
        }
        if may && fits {
            looker.budget.hold(kept);
            gatherer.member(&name, View::whole(&body), findings, inside);
            looker.budget.release(kept);
        } else if may {
            gatherer.beginning(&name, &body, inside);
        }
        skip(stream, padded(bytes).saturating_sub(kept))?;
        at = at.saturating_add(padded(bytes));
    }
    Ok(())
}

fn skip(stream: &mut Stream<'_>, bytes: u64) -> io::Result<()> {
    let passed = io::copy(&mut Read::by_ref(stream).take(bytes), &mut io::sink())?;
    if passed < bytes {
        return Err(io::ErrorKind::UnexpectedEof.into());
    }
    Ok(())
}
