//! What people do with the shelf: put files on it, say what stands beside them, make others of them, take
//! them off. Each is written down.

use std::fs::File;
use std::io::{self, Read, Write as _};
use std::path::Path;

use serde::{Deserialize, Serialize};
use veritope_core::matching::Make;
use veritope_wire::{Digest, RequestId};

use crate::desk::record::{Entry, Scope};
use crate::library::LibraryError;
use crate::library::kept::Library;
use crate::library::shelf::{
    Claim, Companions, Declared, FileRecord, Instructions, Intake, Made, NotMade, day_of,
    read_beside,
};

/// What is said of a file on the shelf; nothing where it stays as it is.
#[derive(Debug, Clone, Default, Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub struct FileNote {
    /// A short name; empty takes it away.
    pub alias: Option<String>,
    /// Where it came from.
    pub origin: Option<String>,
    /// Its publisher's channel.
    pub channel: Option<String>,
    /// The day on which it was published, `2026-11-20`.
    pub dated: Option<String>,
    /// Text with its publisher's digests, or a side file.
    pub beside: Option<String>,
    /// Takes back this publisher's digest.
    pub without: Option<String>,
    /// What its bytes don't say, in a person's words.
    pub declared: Option<Declared>,
}

/// What still needs a file.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct NeededBy {
    /// Who, in one sentence.
    pub text: String,
    /// Whether that keeps it from being removed.
    pub bars: bool,
}

/// Longest word that is noted.
const MOST_WORD: usize = 400;

impl Library {
    /// Takes a file in that came whole; what is there with these bytes already stays as it is.
    ///
    /// # Errors
    /// When it can't be written or written down.
    pub fn put_on_shelf(
        &self,
        intake: Intake,
        name: &str,
        request: RequestId,
    ) -> Result<Digest, LibraryError> {
        let Some(_once) = self.pen.once(Scope::Bench, request)? else {
            // Told before: the bytes that came again are the same ones.
            let arrived = intake.end().map_err(LibraryError::shelf)?;
            return Ok(arrived.seen.seen.digest());
        };
        let at = self.pen.clock.stamp().wall;
        let arrived = intake.end().map_err(LibraryError::shelf)?;
        let (digest, is_new) = self
            .shelf
            .place(arrived, name, at)
            .map_err(LibraryError::shelf)?;
        // What it is, is seen right away, so that nobody waits for it later.
        if let Err(error) = self.shelf.told(digest) {
            tracing::warn!(%error, "a file on the shelf can't be looked into");
        }
        if is_new {
            self.note_shelved(digest, None, request)?;
        }
        Ok(digest)
    }

    fn note_shelved(
        &self,
        file: Digest,
        made_of: Option<Digest>,
        request: RequestId,
    ) -> Result<(), LibraryError> {
        let name = self.file_name(file);
        let entry = Entry::FileShelved {
            file,
            name,
            made_of,
        };
        Ok(self
            .pen
            .note_or_take_back(Scope::Bench, request, vec![entry], || {
                self.shelf.remove(file)
            })?)
    }

    pub(crate) fn file_name(&self, file: Digest) -> String {
        let record = self.shelf.file(file);
        record.map_or_else(|| file.short(), |record| record.shown().to_owned())
    }

    /// Begins to take a file in.
    ///
    /// # Errors
    /// When nothing can be written, or the bench's log is damaged.
    pub fn begin_file(&self) -> Result<Intake, LibraryError> {
        self.pen.is_sound(Scope::Bench)?;
        self.shelf.begin().map_err(LibraryError::shelf)
    }

    /// Puts bytes at hand onto the shelf, as [`Library::put_on_shelf`].
    ///
    /// # Errors
    /// When they can't be written or written down.
    pub fn put_bytes(
        &self,
        name: &str,
        bytes: &[u8],
        request: RequestId,
    ) -> Result<Digest, LibraryError> {
        let mut intake = self.begin_file()?;
        intake.write_all(bytes).map_err(LibraryError::shelf)?;
        self.put_on_shelf(intake, name, request)
    }

    /// Takes a file in from a path of this computer; it stays where it lies. `told` hears how far it is, of
    /// how many bytes, and says whether to go on.
    ///
    /// # Errors
    /// When it is no regular file, can't be read, or there is no room.
    pub fn take_path(
        &self,
        path: &str,
        request: RequestId,
        told: &mut dyn FnMut(u64, u64) -> bool,
    ) -> Result<Digest, LibraryError> {
        let path = Path::new(path.trim());
        let bad = |why: String| LibraryError::BadInput(why);
        if !path.is_absolute() {
            return Err(bad(format!(
                "{} is no whole path; give one that begins with /",
                path.display()
            )));
        }
        let about = path
            .metadata()
            .map_err(|error| bad(format!("{}: {error}", path.display())))?;
        if !about.is_file() {
            return Err(bad(format!(
                "{} is no regular file; give the path of one",
                path.display()
            )));
        }
        let total = about.len();
        self.room_for(total)?;
        let mut file =
            File::open(path).map_err(|error| bad(format!("{}: {error}", path.display())))?;
        let mut intake = self.shelf.begin().map_err(LibraryError::shelf)?;
        intake
            .all_of(&mut file as &mut dyn Read, &mut |done| told(done, total))
            .map_err(|error| match error.kind() {
                io::ErrorKind::Interrupted => LibraryError::Stopped,
                _ => LibraryError::shelf(error),
            })?;
        let name = path.file_name().unwrap_or_default().to_string_lossy();
        self.put_on_shelf(intake, &name, request)
    }

    /// Whether there is room for so many bytes on the shelf.
    ///
    /// # Errors
    /// When there is not, with how much lacks.
    pub fn room_for(&self, bytes: u64) -> Result<(), LibraryError> {
        let free = self.vault.free_bytes()?;
        if bytes.saturating_add(KEPT_FREE_BYTES) <= free {
            return Ok(());
        }
        Err(LibraryError::BadInput(format!(
            "it has {} MiB, and {} MiB are free on the shelf's disk: make room, and put it there again",
            bytes >> 20,
            free >> 20
        )))
    }

    /// Notes what is said of a file.
    ///
    /// # Errors
    /// When there is none, or what is said makes no sense; then nothing changes.
    pub fn note_file(
        &self,
        file: Digest,
        note: FileNote,
        request: RequestId,
    ) -> Result<(), LibraryError> {
        let Some(_once) = self.pen.once(Scope::Bench, request)? else {
            return Ok(());
        };
        let before = self.shelf.file(file).ok_or(LibraryError::NoFile)?;
        let mut record = FileRecord::clone(&before);
        let noted = apply(&mut record, note).map_err(LibraryError::BadInput)?;
        if noted.is_empty() {
            return Ok(());
        }
        self.change_record(file, &before, record, noted.join(", "), request)
    }

    fn change_record(
        &self,
        file: Digest,
        before: &FileRecord,
        record: FileRecord,
        noted: String,
        request: RequestId,
    ) -> Result<(), LibraryError> {
        let entry = Entry::FileNoted {
            file,
            name: before.name.clone(),
            noted,
        };
        self.shelf
            .write(file, record)
            .map_err(LibraryError::shelf)?;
        Ok(self
            .pen
            .note_or_take_back(Scope::Bench, request, vec![entry], || {
                self.shelf.write(file, before.clone())
            })?)
    }

    /// Keeps another file on the shelf as its publisher's instructions for this one.
    ///
    /// # Errors
    /// When one of the two is not there.
    pub fn keep_instructions(
        &self,
        file: Digest,
        instructions: Digest,
        request: RequestId,
    ) -> Result<(), LibraryError> {
        let Some(_once) = self.pen.once(Scope::Bench, request)? else {
            return Ok(());
        };
        let before = self.shelf.file(file).ok_or(LibraryError::NoFile)?;
        let text = self.shelf.file(instructions).ok_or(LibraryError::NoFile)?;
        let mut record = FileRecord::clone(&before);
        if record
            .instructions
            .iter()
            .any(|one| one.digest == instructions)
        {
            return Ok(());
        }
        record.instructions.push(Instructions {
            digest: instructions,
            name: text.name.clone(),
            taken: text.taken,
        });
        let noted = format!("its publisher's instructions are {}", text.name);
        self.change_record(file, &before, record, noted, request)
    }

    /// What still needs a file.
    #[must_use]
    pub fn needed_by(&self, file: Digest) -> Vec<NeededBy> {
        let mut all = Vec::new();
        let name = self.shelf.file(file).map(|record| record.name.clone());
        for unit in self.pen.units() {
            let nickname = &unit.nickname;
            if let Some(run) = unit.active_run() {
                let steps = run.sheet.steps.iter().skip(run.at);
                let installs = |wanted: &str| Some(wanted) == name.as_deref();
                let mut files = steps.filter_map(|step| step.act.file());
                if run.image == Some(file) || files.any(installs) {
                    all.push(NeededBy {
                        text: format!("The run of {nickname} goes on with it."),
                        bars: true,
                    });
                }
            }
            if unit.chosen.as_ref().is_some_and(|one| one.file == file) {
                all.push(NeededBy {
                    text: format!("It was chosen for {nickname}."),
                    bars: false,
                });
            }
        }
        for (_, other) in self.shelf.files() {
            if other.instructions.iter().any(|one| one.digest == file) {
                all.push(NeededBy {
                    text: format!("It holds the instructions of {}.", other.shown()),
                    bars: false,
                });
            }
            if other.made.as_ref().is_some_and(|made| made.of == file) {
                all.push(NeededBy {
                    text: format!("{} was made of it, and stays.", other.shown()),
                    bars: false,
                });
            }
        }
        all
    }

    /// Takes a file off the shelf.
    ///
    /// # Errors
    /// When a run goes on with it, or it can't be removed.
    pub fn remove_file(&self, file: Digest, request: RequestId) -> Result<(), LibraryError> {
        let Some(_once) = self.pen.once(Scope::Bench, request)? else {
            return Ok(());
        };
        if self.shelf.file(file).is_none() {
            return Err(LibraryError::NoFile);
        }
        if let Some(needed) = self.needed_by(file).into_iter().find(|one| one.bars) {
            return Err(LibraryError::BadInput(format!("it stays: {}", needed.text)));
        }
        let name = self.file_name(file);
        // Written down first: bytes that are gone can't be taken back.
        let entry = Entry::FileRemoved { file, name };
        self.pen
            .append_to(Scope::Bench, Some(request), vec![entry])?;
        self.shelf.remove(file).map_err(LibraryError::shelf)
    }

    /// Makes another file of one, and puts it onto the shelf.
    ///
    /// # Errors
    /// When a step gives nothing, or what goes with it is not at hand; then nothing is left of it.
    pub fn make_file(
        &self,
        of: Digest,
        steps: &[Make],
        companions: Companions<'_>,
        request: RequestId,
    ) -> Result<Digest, LibraryError> {
        let Some(_once) = self.pen.once(Scope::Bench, request)? else {
            let files = self.shelf.files().into_iter();
            let mut made = files.filter(|(_, one)| one.made.as_ref().is_some_and(|m| m.of == of));
            return made
                .next()
                .map(|(digest, _)| digest)
                .ok_or(LibraryError::NoFile);
        };
        let source = self.shelf.file(of).ok_or(LibraryError::NoFile)?;
        let arrived = self
            .shelf
            .make(of, steps, companions)
            .map_err(|why: NotMade| LibraryError::BadInput(why.to_string()))?;
        let at = self.pen.clock.stamp().wall;
        let name = name_of(&source.name, steps);
        let (digest, is_new) = self
            .shelf
            .place(arrived, &name, at)
            .map_err(LibraryError::shelf)?;
        if !is_new {
            return Ok(digest);
        }
        let how: Vec<String> = steps.iter().map(Make::shown).collect();
        let record = self.shelf.file(digest).ok_or(LibraryError::NoFile)?;
        let mut record = FileRecord::clone(&record);
        record.made = Some(Made {
            of,
            name: source.name.clone(),
            how: how.join(", then "),
        });
        record.origin.clone_from(&source.origin);
        record.channel.clone_from(&source.channel);
        record.dated.clone_from(&source.dated);
        self.shelf
            .write(digest, record)
            .map_err(LibraryError::shelf)?;
        self.note_shelved(digest, Some(of), request)?;
        Ok(digest)
    }
}

/// What stays free on the disk beside.
const KEPT_FREE_BYTES: u64 = 64 << 20;

/// The name of what is made by `steps` of a file called `of`.
fn name_of(of: &str, steps: &[Make]) -> String {
    let stem = of.rsplit_once('.').map_or(of, |(stem, _)| stem);
    match steps.last() {
        Some(Make::TakeOut { member }) => {
            let member = member.rsplit('/').next().unwrap_or(member);
            format!("{stem}-{member}")
        }
        Some(Make::TakePartition { partition }) => format!("{stem}-{partition}.img"),
        Some(Make::Wrap { .. }) => format!("{stem}.tar"),
        Some(Make::Expand) => format!("{stem}-expanded.img"),
        _ => stem.to_owned(),
    }
}

/// Applies a note; what was noted, in words. Nothing is applied where a part makes no sense.
fn apply(record: &mut FileRecord, note: FileNote) -> Result<Vec<String>, String> {
    let mut noted = Vec::new();
    let word = |text: &str| -> Result<Option<String>, String> {
        let text = text.trim();
        if text.chars().count() > MOST_WORD || text.chars().any(char::is_control) {
            return Err(format!(
                "at most {MOST_WORD} characters in one line are kept"
            ));
        }
        Ok(Some(text.to_owned()).filter(|text| !text.is_empty()))
    };
    if let Some(dated) = &note.dated
        && !dated.trim().is_empty()
        && day_of(dated.trim()).is_none()
    {
        return Err(format!("`{dated}` is no day; write one like 2026-11-20"));
    }
    let fields = [
        ("short name", note.alias, &mut record.alias),
        ("origin", note.origin, &mut record.origin),
        ("channel", note.channel, &mut record.channel),
        ("published on", note.dated, &mut record.dated),
    ];
    for (title, value, field) in fields {
        let Some(value) = value else { continue };
        let value = word(&value)?;
        if *field != value {
            noted.push(match &value {
                Some(value) => format!("{title} {value}"),
                None => format!("no {title}"),
            });
            *field = value;
        }
    }
    if let Some(text) = note.beside {
        let beside = read_beside(&text, &record.name, "pasted")?;
        for claim in beside.published {
            let shown = claim.digest.chars().take(8).collect::<String>();
            let same = |known: &Claim| known.digest == claim.digest;
            if !record.published.iter().any(same) {
                noted.push(format!("its publisher's digest {shown}…"));
                record.published.push(claim);
            }
        }
        if let Some(declared) = beside.declared {
            noted.push("what its side file declares".to_owned());
            record.declared = Some(declared);
        }
        record.origin = beside.origin.or(record.origin.take());
        record.channel = beside.channel.or(record.channel.take());
        record.dated = beside.dated.or(record.dated.take());
    }
    if let Some(without) = note.without {
        let before = record.published.len();
        record.published.retain(|claim| claim.digest != without);
        if record.published.len() < before {
            noted.push("a publisher's digest was taken back".to_owned());
        }
    }
    if let Some(declared) = note.declared {
        noted.push("what it is for, in a person's words".to_owned());
        record.declared = Some(declared).filter(|one| !one.is_empty());
    }
    Ok(noted)
}
