//! A capture as one tar that common tools read without us (`B10`, `docs/capture-format.md`): a READ-ME whose commands
//! run as they stand, the manifest, the images as zstd, lists of digests. Written as it goes, and read again in one
//! pass.

use std::collections::BTreeMap;
use std::fs::File;
use std::io::{self, BufReader, Read, Write};
use std::path::{Path, PathBuf};

use serde::Serialize;
use veritope_core::digest::SeeingHasher;
use veritope_core::extent::goes_to_another;
use veritope_core::published::{Algorithm, FileHasher};
use veritope_formats::seektable::{build_digests, build_seek_table, digests_bytes, table_bytes};
use veritope_wire::{Digest, Label};

use crate::durable;
use crate::error::VaultError;
use crate::manifest::{Captured, Manifest};
use crate::object::Object;
use crate::vault::{Vault, parsed};

/// For whom an export is (`B10`).
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum For {
    /// For the unit's owner: everything, its identity too.
    Owner,
    /// For somebody else: without what exists once, the state of its lock and its identifiers.
    Another,
}

/// What was written.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Exported {
    /// Where it lies.
    pub path: PathBuf,
    /// Length in bytes.
    pub bytes: u64,
    /// Digest of the tar.
    pub blake3: Digest,
    /// Images in it.
    pub images: u32,
}

/// How one member of an export stands.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct MemberState {
    /// Its name.
    pub name: String,
    /// What is wrong with it, in one sentence; nothing where it is sound.
    pub damage: Option<String>,
    /// First byte of the image that can't be relied on, where that is known.
    pub first_byte: Option<u64>,
}

/// How an export stands.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
pub struct ExportReport {
    /// Members with an image, in their order.
    pub members: Vec<MemberState>,
    /// What else is wrong, in one sentence each.
    pub damage: Vec<String>,
    /// Bytes of image that were hashed.
    pub bytes: u64,
}

impl ExportReport {
    /// Whether all of it is what was exported.
    #[must_use]
    pub fn is_sound(&self) -> bool {
        self.damage.is_empty() && self.members.iter().all(|one| one.damage.is_none())
    }
}

const READ_ME: &str = "READ-ME.txt";
const MANIFEST: &str = "manifest.json";
const TABLE: &str = "TABLE.txt";
const LISTS: [&str; 3] = ["B3SUMS", "SHA256SUMS", "RAW.B3SUMS"];
/// Largest member that is held in memory.
const MOST_TEXT_BYTES: u64 = 64 << 20;

impl Vault {
    /// Writes a capture as one tar to `path`, which becomes its name when all of it is on the disk. `each` hears of
    /// bytes that were written and may stop the work by answering `false`; then nothing is left.
    ///
    /// # Errors
    /// When an image or the manifest is damaged here (it is not the one that is `known`), or the tar can't be written.
    pub fn export(
        &self,
        (manifest, known): (&Manifest, Digest),
        whom: For,
        path: &Path,
        mut each: impl FnMut(u64) -> bool,
    ) -> Result<Exported, VaultError> {
        let refuse = VaultError::at(path);
        let folder = path.parent().unwrap_or(Path::new("/"));
        // What a killed process left of an earlier one.
        durable::clear_staged(folder).map_err(&refuse)?;
        let mut staged = durable::Staged::within(folder).map_err(&refuse)?;
        let parts: Vec<&Captured> = manifest
            .partitions
            .iter()
            .filter(|part| whom == For::Owner || goes_to_another(part.role))
            .collect();
        if parts.is_empty() {
            return Err(VaultError::Unreadable {
                path: self.capture_folder(manifest),
                what:
                    "all that this capture holds exists once: nothing of it goes to somebody else"
                        .to_owned(),
            });
        }
        let needed = parts.iter().map(|part| part.stored_bytes).sum();
        crate::place::has_room(folder, needed)?;
        let mut tar = Tar {
            into: Hashing::new(staged.file()),
            mtime: manifest.taken.ms().max(0) / 1000,
        };
        let text = read_me(manifest, whom, &parts);
        tar.text(READ_ME, text.as_bytes()).map_err(&refuse)?;
        let file = self.capture_folder(manifest).join(MANIFEST);
        let own = self.manifest_bytes(&file)?;
        if Digest::of(&own) != known {
            return Err(VaultError::Unreadable {
                path: file,
                what: "it is not the manifest that was written when this capture was taken"
                    .to_owned(),
            });
        }
        let about = match whom {
            For::Owner => own,
            For::Another => without_identity(manifest, &parts),
        };
        tar.text(MANIFEST, &about).map_err(&refuse)?;
        tar.text(TABLE, table(&parts).as_bytes()).map_err(&refuse)?;
        let (mut b3, mut sha, mut raw) = (String::new(), String::new(), String::new());
        for (part, n) in parts.iter().zip(1..) {
            let name = format!("{n:02}-{}.img", part.label);
            let mut object = self.object(part.blake3)?;
            let layout = object.layout();
            let member = format!("{name}.zst");
            let length = object.member_bytes(layout.count());
            tar.head(&member, length).map_err(&refuse)?;
            let mut of_member = FileHasher::new([Algorithm::Sha256]);
            let mut put = |bytes: &[u8]| {
                of_member.update(bytes);
                tar.into.write_all(bytes).map_err(VaultError::at(path))
            };
            let damaged = |index: u64, what: String| {
                let (first, length) = layout.span(index);
                VaultError::Damaged {
                    label: part.label.to_string(),
                    frame: index,
                    first,
                    last: first + length.saturating_sub(1),
                    what,
                }
            };
            let (mut sizes, mut digests) = (Vec::new(), Vec::new());
            for index in 0..layout.count() {
                let frame = object.stored_frame(index);
                let frame = frame.map_err(|what| damaged(index, what))?;
                put(&frame.stored)?;
                sizes.push((
                    u32::try_from(frame.stored.len()).unwrap_or(u32::MAX),
                    frame.bytes,
                ));
                digests.push(frame.stored_blake3);
                if !each(frame.stored.len() as u64) {
                    return Err(VaultError::Stopped);
                }
            }
            put(&build_digests(&digests))?;
            put(&build_seek_table(&sizes))?;
            tar.fill(length).map_err(&refuse)?;
            let seen = of_member.finish();
            let sha256 = seen
                .by(Algorithm::Sha256)
                .ok_or_else(|| damaged(0, "it was not hashed".to_owned()))?;
            b3.push_str(&format!("{}  {member}\n", seen.seen.digest()));
            sha.push_str(&format!("{sha256}  {member}\n"));
            raw.push_str(&format!("{}  {name}\n", part.blake3));
        }
        for (name, text) in LISTS.iter().zip([b3, sha, raw]) {
            tar.text(name, text.as_bytes()).map_err(&refuse)?;
        }
        let Hashing { hasher, bytes, .. } = tar.end().map_err(&refuse)?;
        staged.place(path).map_err(&refuse)?;
        Ok(Exported {
            path: path.to_owned(),
            bytes,
            blake3: hasher.finish().digest(),
            images: u32::try_from(parts.len()).unwrap_or(u32::MAX),
        })
    }
}

impl Object {
    /// Bytes of the object as one that holds all its frames.
    fn member_bytes(&self, frames: u64) -> u64 {
        let stored: u64 = (0..frames).map(|index| self.stored_length(index)).sum();
        stored + digests_bytes(frames) + table_bytes(frames)
    }
}

/// Writes and hashes.
struct Hashing<W> {
    into: W,
    hasher: SeeingHasher,
    bytes: u64,
}

impl<W: Write> Hashing<W> {
    fn new(into: W) -> Self {
        Self {
            into,
            hasher: SeeingHasher::new(),
            bytes: 0,
        }
    }
}

impl<W: Write> Write for Hashing<W> {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        let written = self.into.write(bytes)?;
        self.hasher.update(&bytes[..written]);
        self.bytes += written as u64;
        Ok(written)
    }

    fn flush(&mut self) -> io::Result<()> {
        self.into.flush()
    }
}

/// A tar whose members are written as they come, each of a length that is known before.
struct Tar<W> {
    into: Hashing<W>,
    mtime: i64,
}

const BLOCK: u64 = 512;

impl<W: Write> Tar<W> {
    fn head(&mut self, name: &str, length: u64) -> io::Result<()> {
        let mut head = tar::Header::new_ustar();
        head.set_path(name)?;
        head.set_size(length);
        head.set_mode(0o600);
        head.set_mtime(u64::try_from(self.mtime).unwrap_or(0));
        head.set_entry_type(tar::EntryType::Regular);
        head.set_cksum();
        self.into.write_all(head.as_bytes())
    }

    /// Fills a member of this length up to a whole block.
    fn fill(&mut self, length: u64) -> io::Result<()> {
        let rest = usize::try_from((BLOCK - length % BLOCK) % BLOCK).unwrap_or(0);
        self.into.write_all(&[0; BLOCK as usize][..rest])
    }

    fn text(&mut self, name: &str, bytes: &[u8]) -> io::Result<()> {
        self.head(name, bytes.len() as u64)?;
        self.into.write_all(bytes)?;
        self.fill(bytes.len() as u64)
    }

    fn end(mut self) -> io::Result<Hashing<W>> {
        self.into.write_all(&[0; 2 * BLOCK as usize])?;
        self.into.flush()?;
        Ok(self.into)
    }
}

/// What stands beside an export, for a person: how to check and unpack it without us.
fn read_me(manifest: &Manifest, whom: For, parts: &[&Captured]) -> String {
    let first = match whom {
        For::Owner => {
            "This carries the identity of one unit: it is its owner's, and nobody else's.\n\n"
        }
        For::Another => "",
    };
    let name = match whom {
        For::Owner => format!("{}, ", manifest.nickname),
        For::Another => String::new(),
    };
    let build = manifest.build.as_deref().unwrap_or("of an unknown build");
    let day = &manifest.taken.to_string()[..10];
    let left = match whom {
        For::Owner => "",
        For::Another => {
            "What exists once, the state of the lock and all identifiers were left out.\n"
        }
    };
    format!(
        "{first}b3sum -c B3SUMS\n\n\
         A capture of {name}family {}, {build}, taken on {day}: {} images.\n{left}\n\
         In the folder where this was unpacked:\n\n\
         \x20   b3sum -c B3SUMS\n\
         \x20   sha256sum -c SHA256SUMS\n\
         \x20   zstd -d -q *.img.zst\n\
         \x20   b3sum -c RAW.B3SUMS\n\n\
         The first two tell whether the packed images are whole; they say the same in two ways. The third unpacks\n\
         them, the last one tells whether each image is what was read. TABLE.txt says where each one lies on the unit,\n\
         manifest.json all that was known when it was taken. Numbers and places differ from unit to unit.\n",
        manifest.family,
        parts.len(),
    )
}

/// Where each image lies, as text.
fn table(parts: &[&Captured]) -> String {
    let mut text = String::from("area  number  first byte        bytes             label\n");
    for part in parts {
        text.push_str(&format!(
            "{:<5} {:<7} {:<17} {:<17} {}\n",
            part.area, part.number, part.offset_bytes, part.length_bytes, part.label
        ));
    }
    text
}

/// The manifest as somebody else may have it.
fn without_identity(manifest: &Manifest, parts: &[&Captured]) -> Vec<u8> {
    let shown = Manifest {
        identifiers: BTreeMap::new(),
        nickname: String::new(),
        partitions: parts.iter().map(|part| (*part).clone()).collect(),
        ..manifest.clone()
    };
    let mut bytes = serde_json::to_vec_pretty(&shown).unwrap_or_default();
    bytes.push(b'\n');
    bytes
}

/// An export on its way in: its manifest, and each image as it goes by.
pub struct OpenExport {
    path: PathBuf,
    file: File,
    /// What it says of itself.
    pub manifest: Manifest,
    /// Digest of its manifest's bytes.
    pub digest: Digest,
    bytes: Vec<u8>,
    /// Whether its first line says that it carries an identity.
    pub carries_identity: bool,
}

impl OpenExport {
    /// Reads what begins an export.
    ///
    /// # Errors
    /// When it can't be read or is none.
    pub fn open(path: &Path) -> Result<Self, VaultError> {
        let file = crate::plain::open_file(path)?;
        let mut entries = tar::Archive::new(BufReader::new(
            file.try_clone().map_err(VaultError::at(path))?,
        ));
        let unreadable = |what: &str| VaultError::Unreadable {
            path: path.to_owned(),
            what: what.to_owned(),
        };
        let mut carries_identity = false;
        let all = entries.entries().map_err(VaultError::at(path))?;
        for entry in all.take(3) {
            let mut entry = entry.map_err(|_| unreadable("it is no export: no tar"))?;
            let name = entry
                .path()
                .map_err(VaultError::at(path))?
                .to_string_lossy()
                .into_owned();
            match name.as_str() {
                READ_ME => {
                    let text = text_of(&mut entry).map_err(VaultError::at(path))?;
                    carries_identity = text.starts_with(b"This carries the identity");
                }
                MANIFEST => {
                    let bytes = text_of(&mut entry).map_err(VaultError::at(path))?;
                    return Ok(Self {
                        manifest: parsed(path, &bytes)?,
                        digest: Digest::of(&bytes),
                        bytes,
                        carries_identity,
                        path: path.to_owned(),
                        file,
                    });
                }
                _ => break,
            }
        }
        Err(unreadable(
            "it is no export of captures: its manifest is not among the first members",
        ))
    }

    /// Reads all of it in one pass, image by image in pieces of a frame. `take` gets each piece with its number, once
    /// it has the value that the manifest gives, and `each` hears of bytes of image and may stop it.
    ///
    /// # Errors
    /// When it can't be read, or `take` says no.
    pub fn read(
        &self,
        mut take: impl FnMut(&Captured, u64, &[u8]) -> Result<(), VaultError>,
        mut each: impl FnMut(u64) -> bool,
    ) -> Result<ExportReport, VaultError> {
        let refuse = VaultError::at(&self.path);
        let mut report = ExportReport {
            members: Vec::new(),
            damage: Vec::new(),
            bytes: 0,
        };
        let mut file = self.file.try_clone().map_err(&refuse)?;
        io::Seek::rewind(&mut file).map_err(&refuse)?;
        let mut archive = tar::Archive::new(BufReader::with_capacity(1 << 20, file));
        let mut lists: BTreeMap<&str, BTreeMap<String, String>> = BTreeMap::new();
        let mut seen: BTreeMap<String, [String; 3]> = BTreeMap::new();
        for entry in archive.entries().map_err(&refuse)? {
            let mut entry = match entry {
                Ok(entry) => entry,
                Err(error) => {
                    report.damage.push(format!(
                        "it ends too soon, or is no tar from here on: {error}"
                    ));
                    break;
                }
            };
            let name = entry
                .path()
                .map_err(&refuse)?
                .to_string_lossy()
                .into_owned();
            if let Some(list) = LISTS.into_iter().find(|list| *list == name) {
                match text_of(&mut entry) {
                    Ok(text) => {
                        lists.insert(list, listed(&text));
                    }
                    Err(error) => report.damage.push(format!("{name}: {error}")),
                }
                continue;
            }
            let Some(part) = self.part_of(&name) else {
                if ![READ_ME, MANIFEST, TABLE].contains(&name.as_str()) {
                    report
                        .damage
                        .push(format!("{name} belongs to no image of its manifest"));
                }
                continue;
            };
            let (state, digests) = image(&name, part, &mut entry, &mut take, &mut |bytes| {
                report.bytes += bytes;
                each(bytes)
            })?;
            seen.insert(name, digests);
            report.members.push(state);
        }
        self.compare(&mut report, &lists, &seen);
        Ok(report)
    }

    /// The image that a member is of.
    fn part_of(&self, name: &str) -> Option<&Captured> {
        let stem = name.strip_suffix(".img.zst")?;
        let (number, label) = stem.split_once('-')?;
        let label: Label = label.parse().ok()?;
        number.parse::<u32>().ok()?;
        self.manifest.partition(&label)
    }

    /// Holds the lists against what was hashed, and looks what is missing.
    fn compare(
        &self,
        report: &mut ExportReport,
        lists: &BTreeMap<&str, BTreeMap<String, String>>,
        seen: &BTreeMap<String, [String; 3]>,
    ) {
        for (list, at) in LISTS.into_iter().zip(0..) {
            let Some(lines) = lists.get(list) else {
                report.damage.push(format!("{list} is missing"));
                continue;
            };
            for member in &mut report.members {
                let name = match list {
                    "RAW.B3SUMS" => member.name.trim_end_matches(".zst"),
                    _ => member.name.as_str(),
                };
                let has = seen.get(&member.name).map(|all| all[at].as_str());
                let what = match lines.get(name) {
                    None => format!("{list} does not name it"),
                    Some(said) if Some(said.as_str()) != has => {
                        format!("it has another digest than {list} says")
                    }
                    Some(_) => continue,
                };
                member.damage.get_or_insert(what);
            }
        }
        for part in &self.manifest.partitions {
            let mut members = report.members.iter();
            let is_here = members.any(|one| {
                self.part_of(&one.name)
                    .is_some_and(|known| known.label == part.label)
            });
            if !is_here {
                report.damage.push(format!("{} is missing", part.label));
            }
        }
    }
}

impl Vault {
    /// Puts the manifest of an export into its place, byte for byte, once its images are here.
    ///
    /// # Errors
    /// When it can't be written, or an image is not here.
    pub fn put_imported(&self, export: &OpenExport) -> Result<(), VaultError> {
        self.may_write()?;
        for part in &export.manifest.partitions {
            self.object(part.blake3)?;
        }
        let folder = self.capture_folder(&export.manifest);
        crate::plain::check(self.root(), &folder)?;
        self.put_manifest(&folder, &export.bytes)
    }
}

/// One image as it goes by: its packed bytes and its own are hashed, and each frame is held against the manifest.
fn image(
    name: &str,
    part: &Captured,
    entry: &mut impl Read,
    take: &mut impl FnMut(&Captured, u64, &[u8]) -> Result<(), VaultError>,
    each: &mut impl FnMut(u64) -> bool,
) -> Result<(MemberState, [String; 3]), VaultError> {
    let mut state = MemberState {
        name: name.to_owned(),
        damage: None,
        first_byte: None,
    };
    let mut packed = FileHasher::new([Algorithm::Sha256]);
    let mut raw = SeeingHasher::new();
    let layout = part.layout();
    let list = part.frame_list();
    let mut unpacked = zstd::stream::read::Decoder::new(Passing {
        from: &mut *entry,
        hasher: &mut packed,
    })
    .map_err(VaultError::at(Path::new(name)))?;
    for index in 0..layout.count() {
        let (first, length) = layout.span(index);
        let mut bytes = vec![0; usize::try_from(length).unwrap_or(0)];
        let what = match unpacked.read_exact(&mut bytes) {
            Err(error) => Some(format!("it can't be unpacked: {error}")),
            Ok(()) => {
                raw.update(&bytes);
                let is_it = list.as_ref().is_some_and(|list| list.admits(index, &bytes));
                (!is_it).then(|| "the bytes are not the ones that were read".to_owned())
            }
        };
        if let Some(what) = what {
            let last = first + length.saturating_sub(1);
            state.damage = Some(format!("frame {index}, bytes {first} to {last}: {what}"));
            state.first_byte = Some(first);
            break;
        }
        take(part, index, &bytes)?;
        if !each(length) {
            return Err(VaultError::Stopped);
        }
    }
    if state.damage.is_none() {
        let mut more = [0];
        match unpacked.read(&mut more) {
            Ok(0) => {}
            _ => state.damage = Some("it goes on after its end".to_owned()),
        }
    }
    drop(unpacked);
    // What is left of it is hashed too: the lists are of the whole.
    let mut rest = Passing {
        from: entry,
        hasher: &mut packed,
    };
    if io::copy(&mut rest, &mut io::sink()).is_err() {
        state
            .damage
            .get_or_insert_with(|| "it ends too soon".to_owned());
    }
    let seen = packed.finish();
    let digests = [
        seen.seen.digest().to_string(),
        seen.by(Algorithm::Sha256)
            .unwrap_or_else(|| "not hashed".to_owned()),
        raw.finish().digest().to_string(),
    ];
    Ok((state, digests))
}

/// Reads, and hashes what goes by.
struct Passing<'h, R> {
    from: R,
    hasher: &'h mut FileHasher,
}

impl<R: Read> Read for Passing<'_, R> {
    fn read(&mut self, into: &mut [u8]) -> io::Result<usize> {
        let read = self.from.read(into)?;
        self.hasher.update(&into[..read]);
        Ok(read)
    }
}

fn text_of(entry: &mut impl Read) -> io::Result<Vec<u8>> {
    let mut text = Vec::new();
    entry.take(MOST_TEXT_BYTES).read_to_end(&mut text)?;
    Ok(text)
}

/// Digests by name, as a list has them.
fn listed(text: &[u8]) -> BTreeMap<String, String> {
    let text = String::from_utf8_lossy(text);
    let lines = text.lines().filter_map(|line| line.split_once("  "));
    lines
        .map(|(digest, name)| (name.to_owned(), digest.to_owned()))
        .collect()
}
