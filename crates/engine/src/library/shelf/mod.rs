//! Files at hand, kept once by digest: `shelf/files/DIGEST`, and `DIGEST.toml` beside with what is written
//! down of it. What a file is for is read out of its bytes; what is written beside is its publisher's or
//! a person's word.
//!
//! * `record` what is written down · `intake` bytes on their way · `told` what the bytes say
//! * `make` another file out of one · `side` what stands beside a file · `old` what folders of before held

mod intake;
mod make;
mod old;
mod record;
mod side;
pub(crate) mod told;

use std::collections::BTreeMap;
use std::fs::{self, File};
use std::io::{self, Read, Seek as _};
use std::num::NonZero;
use std::os::unix::fs::FileExt as _;
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicU64, Ordering};
use std::sync::{Arc, Mutex};
use std::time::SystemTime;

use veritope_core::digest::{FrameLayout, Seen, SeenFrame};
use veritope_core::matching::{
    Check, File as Asked, Finding, Judgement, Make, Told, Verdict, Wanted, WrappedWith, judge,
};
use veritope_core::published::{Algorithm, Compared, FileHasher, SeenFile};
use veritope_formats::look::{Bytes, Limits, look};
use veritope_formats::weak::WeakHasher;
use veritope_vault::durable;
use veritope_wire::{Digest, WallTime};

pub use self::intake::Intake;
pub use self::record::{Claim, Declared, FileRecord, Instructions, Made, RECORD_VERSION};

pub use self::make::{Companions, NotMade};
pub use self::side::{SIDE_FILE_VERSION, SideDigest, SideFile};

pub(crate) use self::side::read as read_beside;

use self::intake::Arrived;
use crate::desk::pen::lock;

/// Largest image that is sent from memory.
const MOST_IMAGE_BYTES: u64 = 256 << 20;
/// Makings that are gone back.
const MOST_MAKINGS: usize = 4;
/// Largest record that is read.
const MOST_RECORD_BYTES: u64 = 1 << 20;

/// Length and time of change of a file as it was hashed.
type Version = (u64, SystemTime);

/// The shelf's folder. What was hashed and looked into is remembered until a file changes.
#[derive(Debug)]
pub struct Shelf {
    folder: PathBuf,
    records: Mutex<BTreeMap<Digest, Arc<FileRecord>>>,
    /// Files that are there and make no sense, in a sentence each.
    damaged: Vec<String>,
    seen: Mutex<BTreeMap<Digest, (Version, Arc<SeenFile>)>>,
    told: Mutex<BTreeMap<Digest, Arc<Told>>>,
}

/// A file that was judged for one unit.
#[derive(Debug, Clone)]
pub struct JudgedFile {
    /// Its digest.
    pub digest: Digest,
    /// What is written down of it.
    pub record: Arc<FileRecord>,
    /// Its bytes, hashed here; nothing where they can't be read.
    pub seen: Option<Arc<SeenFile>>,
    /// What it says of itself; nothing where it can't be read.
    pub told: Option<Arc<Told>>,
    /// What was found.
    pub judgement: Judgement,
}

impl Shelf {
    /// The shelf in `folder`. Bytes without a record were on their way when a process died: they go.
    ///
    /// # Errors
    /// When the folder can't be read.
    pub fn open(folder: PathBuf) -> io::Result<Self> {
        let files = folder.join("files");
        durable::make_folder(&files)?;
        durable::clear_staged(&files)?;
        let mut shelf = Self {
            folder,
            records: Mutex::default(),
            damaged: Vec::new(),
            seen: Mutex::default(),
            told: Mutex::default(),
        };
        let mut records = BTreeMap::new();
        for file in fs::read_dir(&files)? {
            let path = file?.path();
            let name = path
                .file_name()
                .and_then(|name| name.to_str())
                .unwrap_or("");
            if let Some(digest) = name
                .strip_suffix(".toml")
                .and_then(|name| name.parse().ok())
            {
                match read_record(&path) {
                    Ok(record) => {
                        records.insert(digest, Arc::new(record));
                    }
                    Err(why) => shelf.damaged.push(format!("{}: {why}", path.display())),
                }
            } else if name.parse::<Digest>().is_ok() && !path.with_extension("toml").exists() {
                durable::clear(&path)?;
            }
        }
        shelf.records = Mutex::new(records);
        Ok(shelf)
    }

    /// The folder.
    pub(super) fn folder(&self) -> &Path {
        &self.folder
    }

    /// Files beside the bytes that make no sense, in a sentence each.
    pub(crate) fn damaged(&self) -> &[String] {
        &self.damaged
    }

    fn path(&self, digest: Digest) -> PathBuf {
        self.folder.join("files").join(digest.to_string())
    }

    fn record_path(&self, digest: Digest) -> PathBuf {
        self.folder.join("files").join(format!("{digest}.toml"))
    }

    /// What is written down of all files, by digest.
    #[must_use]
    pub fn files(&self) -> Vec<(Digest, Arc<FileRecord>)> {
        let records = lock(&self.records);
        let all = records.iter();
        all.map(|(digest, record)| (*digest, Arc::clone(record)))
            .collect()
    }

    /// What is written down of one.
    #[must_use]
    pub fn file(&self, digest: Digest) -> Option<Arc<FileRecord>> {
        lock(&self.records).get(&digest).cloned()
    }

    /// Begins to take a file in.
    ///
    /// # Errors
    /// When nothing can be written.
    pub fn begin(&self) -> io::Result<Intake> {
        Intake::begin(&self.folder.join("files"))
    }

    /// Puts what arrived into its place, with its record; what was there with these bytes stays as it was.
    /// Gives its digest, and whether it is new.
    pub(crate) fn place(
        &self,
        arrived: Arrived,
        name: &str,
        at: WallTime,
    ) -> io::Result<(Digest, bool)> {
        let digest = arrived.seen.seen.digest();
        if self.file(digest).is_some() {
            return Ok((digest, false));
        }
        let record = FileRecord {
            veritope_shelf_file: RECORD_VERSION,
            name: clean(name),
            alias: None,
            bytes: arrived.seen.seen.bytes(),
            sha256: arrived.seen.by(Algorithm::Sha256).unwrap_or_default(),
            taken: at,
            origin: None,
            channel: None,
            dated: None,
            published: Vec::new(),
            declared: None,
            made: None,
            instructions: Vec::new(),
        };
        let path = self.path(digest);
        arrived.staged.place(&path)?;
        if let Ok(version) = version(&path) {
            lock(&self.seen).insert(digest, (version, Arc::new(arrived.seen)));
        }
        if let Err(error) = self.write(digest, record) {
            durable::clear(&path)?;
            return Err(error);
        }
        Ok((digest, true))
    }

    /// Writes a record anew.
    pub(crate) fn write(&self, digest: Digest, record: FileRecord) -> io::Result<()> {
        let text = toml::to_string_pretty(&record).map_err(io::Error::other)?;
        durable::write(&self.record_path(digest), text.as_bytes())?;
        lock(&self.records).insert(digest, Arc::new(record));
        Ok(())
    }

    /// Takes a file off the shelf: record first, so that nothing is left that speaks of bytes that are gone.
    pub(crate) fn remove(&self, digest: Digest) -> io::Result<()> {
        durable::clear(&self.record_path(digest))?;
        lock(&self.records).remove(&digest);
        lock(&self.seen).remove(&digest);
        lock(&self.told).remove(&digest);
        durable::clear(&self.path(digest))
    }

    /// Forgets what was hashed, so that the next judgement reads every file anew.
    pub(crate) fn forget(&self) {
        lock(&self.seen).clear();
    }

    /// A file's bytes, where they lie.
    ///
    /// # Errors
    /// When it can't be opened.
    pub(crate) fn bytes(&self, digest: Digest) -> io::Result<OpenFile> {
        OpenFile::at(&self.path(digest))
    }

    /// A file, hashed as it lies there, and not again before it changes.
    ///
    /// # Errors
    /// When it is not there or can't be read.
    pub(crate) fn hashed(&self, digest: Digest) -> io::Result<Arc<SeenFile>> {
        let path = self.path(digest);
        let version = version(&path)?;
        let record = self.file(digest);
        let asked = |algorithm: Algorithm| {
            let mut claims = record.iter().flat_map(|record| record.digests());
            claims.any(|claim| claim.may_be().any(|one| one == algorithm))
        };
        if let Some((known, seen)) = lock(&self.seen).get(&digest)
            && *known == version
            && Algorithm::ALL
                .into_iter()
                .all(|one| !asked(one) || seen.by(one).is_some())
        {
            return Ok(Arc::clone(seen));
        }
        let seen = Arc::new(hash(&path, asked)?);
        lock(&self.seen).insert(digest, (version, Arc::clone(&seen)));
        Ok(seen)
    }

    /// What a file says of itself, with what is declared beside it. What these very bytes are was looked into
    /// once, and nothing changes it.
    ///
    /// # Errors
    /// When it can't be read, or is not what it was when it came.
    pub(crate) fn told(&self, digest: Digest) -> io::Result<Arc<Told>> {
        self.told_of(digest, &*self.hashed(digest)?)
    }

    /// The same of bytes that were hashed just now.
    fn told_of(&self, digest: Digest, seen: &SeenFile) -> io::Result<Arc<Told>> {
        if seen.seen.digest() != digest {
            return Err(io::Error::other(
                "it is not what it was when it came onto the shelf",
            ));
        }
        let known = lock(&self.told).get(&digest).cloned();
        let told = match known {
            Some(told) => told,
            None => {
                let name = self.file(digest).map(|record| record.name.clone());
                let looked = look(
                    &self.bytes(digest)?,
                    name.as_deref().unwrap_or(""),
                    Limits::default(),
                );
                let told = Arc::new(told::told(&looked));
                lock(&self.told).insert(digest, Arc::clone(&told));
                told
            }
        };
        Ok(match self.file(digest) {
            Some(record) if record.declared.is_some() => {
                let mut told = Told::clone(&told);
                record.complete(&mut told);
                Arc::new(told)
            }
            _ => told,
        })
    }

    /// All files, judged for a unit, the best first. `today` is the day, in days since 1970.
    #[must_use]
    pub fn judged(&self, wanted: &Wanted<'_>, today: i64) -> Vec<JudgedFile> {
        let files = self.files();
        let mut all: Vec<JudgedFile> = files
            .into_iter()
            .map(|(digest, record)| self.judge(digest, record, wanted, today))
            .collect();
        all.sort_by_cached_key(|one| one.judgement.order(&one.record.name));
        all
    }

    fn judge(
        &self,
        digest: Digest,
        record: Arc<FileRecord>,
        wanted: &Wanted<'_>,
        today: i64,
    ) -> JudgedFile {
        let hashed = self.hashed(digest);
        let told = match &hashed {
            Ok(seen) => self.told_of(digest, seen),
            Err(error) => Err(io::Error::other(error.to_string())),
        };
        let seen = hashed.ok();
        let told = match told {
            Ok(told) => told,
            Err(error) => {
                return JudgedFile {
                    judgement: Judgement::damaged(error.to_string()),
                    digest,
                    seen,
                    told: None,
                    record,
                };
            }
        };
        let (checks, source) = self.checks(seen.as_deref(), &record);
        let made_of = source.as_deref().map(FileRecord::shown);
        let file = Asked {
            told: &told,
            name: &record.name,
            digest,
            checks: &checks,
            made_of,
            origin: record.origin.as_deref(),
            days_old: record.days_old(today),
        };
        JudgedFile {
            judgement: judge(wanted, &file),
            digest,
            seen,
            told: Some(told),
            record,
        }
    }

    /// Digests of a file's publisher, held against its bytes; of one that was made here and has none of its own,
    /// those of what it was made of, as that lies there now.
    fn checks(
        &self,
        seen: Option<&SeenFile>,
        record: &Arc<FileRecord>,
    ) -> (Vec<Check>, Option<Arc<FileRecord>>) {
        let of = |seen: Option<&SeenFile>, record: &FileRecord| -> Vec<Check> {
            let Some(seen) = seen else {
                return Vec::new();
            };
            let digests = record.digests();
            digests
                .map(|published| Check {
                    compared: seen.compare(&published),
                    published,
                })
                .collect()
        };
        let own = of(seen, record);
        if !own.is_empty() {
            return (own, None);
        }
        let mut made = record.made.clone();
        for _ in 0..MOST_MAKINGS {
            let source = made.and_then(|made| Some((made.of, self.file(made.of)?)));
            let Some((digest, source)) = source else {
                break;
            };
            let checks = of(self.hashed(digest).ok().as_deref(), &source);
            if !checks.is_empty() {
                return (checks, Some(source));
            }
            made = source.made.clone();
        }
        (own, None)
    }

    /// The file that is taken: the one that was chosen, or the best of those that fit; while the unit's model is
    /// not known, the best of those against which nothing else speaks.
    #[must_use]
    pub fn taken(
        &self,
        wanted: &Wanted<'_>,
        chosen: Option<Digest>,
        today: i64,
    ) -> Option<JudgedFile> {
        if let Some(digest) = chosen {
            let record = self.file(digest)?;
            return Some(self.judge(digest, record, wanted, today));
        }
        best_of(&self.judged(wanted, today), wanted).cloned()
    }

    /// The file's bytes, read whole and hashed as they are read (`E5`): no length and no time of change stands
    /// for them.
    ///
    /// # Errors
    /// In one sentence: it is gone, too long, or not the one with that digest.
    pub(crate) fn whole(&self, digest: Digest) -> Result<(Vec<u8>, Seen), String> {
        let record = self.file(digest);
        let record = record.ok_or(
            "the image is no longer on the shelf: put it back there, or choose another (M8)",
        )?;
        let name = record.shown();
        let (bytes, seen) =
            read_seen(&self.path(digest)).map_err(|error| format!("{name}: {error}"))?;
        if seen.digest() != digest {
            return Err(format!(
                "{name} has digest {}…, which is not the one that was judged: fetch it again (E5)",
                seen.digest().short()
            ));
        }
        Ok((bytes, seen))
    }

    /// What steps make of a file, in memory; nothing is put onto the shelf.
    ///
    /// # Errors
    /// See [`NotMade`].
    pub(crate) fn out_of(&self, file: Digest, steps: &[Make]) -> Result<Vec<u8>, NotMade> {
        let none = |_: &WrappedWith| Err("nothing goes with it".to_owned());
        let mut arrived = self.make(file, steps, &none)?;
        let mut bytes = Vec::new();
        let file = arrived.staged.file();
        file.seek(io::SeekFrom::Start(0))?;
        file.take(MOST_IMAGE_BYTES).read_to_end(&mut bytes)?;
        Ok(bytes)
    }

    /// What speaks against a file as it lies there: it can't be read, is damaged, or is not what its publisher
    /// says (`M8`).
    pub(crate) fn trouble(&self, file: Digest) -> Option<Finding> {
        let told = match self.told(file) {
            Ok(told) => told,
            Err(error) => return Some(Finding::damaged(error.to_string())),
        };
        if let Some(trouble) = told.troubles.first() {
            return Some(Finding::damaged(trouble.clone()));
        }
        let (seen, record) = (self.hashed(file).ok()?, self.file(file)?);
        let mut digests = record.digests();
        digests
            .any(|one| seen.compare(&one) == Compared::Differs)
            .then(|| Finding::damaged("it has another digest than its publisher gives".to_owned()))
    }

    /// The file with the published digest, else the one called `name`; of several the one that came last.
    fn named(&self, name: &str, published: Option<Digest>) -> Option<Digest> {
        let records = lock(&self.records);
        if let Some(digest) = published.filter(|digest| records.contains_key(digest)) {
            return Some(digest);
        }
        let those = records.iter().filter(|(_, record)| record.name == name);
        those
            .max_by_key(|(_, record)| record.taken)
            .map(|(digest, _)| *digest)
    }

    /// A package of that name or digest, hashed as it lies there.
    ///
    /// # Errors
    /// When there is none, or it can't be read.
    pub(crate) fn package(
        &self,
        name: &str,
        published: Option<Digest>,
    ) -> io::Result<Arc<SeenFile>> {
        let file = self.named(name, published);
        self.hashed(file.ok_or(io::ErrorKind::NotFound)?)
    }
}

impl FileRecord {
    /// Days since it was published, where that is said.
    #[must_use]
    pub fn days_old(&self, today: i64) -> Option<i64> {
        let dated = self.dated.as_deref()?;
        Some(today - day_of(dated)?)
    }
}

/// Days since 1970 of `2026-11-20`.
#[must_use]
pub fn day_of(date: &str) -> Option<i64> {
    let moment: WallTime = format!("{date}T00:00:00Z").parse().ok()?;
    Some(moment.ms().div_euclid(24 * 3_600_000))
}

/// A file's name without folders and without what screens can't show.
fn clean(name: &str) -> String {
    let last = name.rsplit(['/', '\\']).next().unwrap_or("");
    let name: String = last
        .chars()
        .filter(|sign| !sign.is_control())
        .take(200)
        .collect();
    if name.trim().is_empty() {
        "file".to_owned()
    } else {
        name.trim().to_owned()
    }
}

fn read_record(path: &Path) -> Result<FileRecord, String> {
    let mut text = String::new();
    let file = File::open(path).map_err(|error| error.to_string())?;
    file.take(MOST_RECORD_BYTES)
        .read_to_string(&mut text)
        .map_err(|error| error.to_string())?;
    let record: FileRecord = toml::from_str(&text).map_err(|error| error.message().to_owned())?;
    if record.veritope_shelf_file > RECORD_VERSION {
        return Err(format!(
            "a record of version {}, this program knows {RECORD_VERSION}",
            record.veritope_shelf_file
        ));
    }
    Ok(record)
}

fn version(path: &Path) -> io::Result<Version> {
    let about = fs::metadata(path)?;
    Ok((about.len(), about.modified()?))
}

/// The best of files that were judged: one that fits, or one that waits for nothing but the unit's model.
pub(crate) fn best_of<'j>(all: &'j [JudgedFile], wanted: &Wanted<'_>) -> Option<&'j JudgedFile> {
    let fits = |one: &&JudgedFile| one.judgement.verdict == Verdict::Fits;
    let waits = |one: &&JudgedFile| wanted.waits_for_model(&one.judgement);
    all.iter().find(fits).or_else(|| all.iter().find(waits))
}

/// Hashes a file piece by piece, by each algorithm that is asked for.
fn hash(path: &Path, asked: impl Fn(Algorithm) -> bool) -> io::Result<SeenFile> {
    let others = Algorithm::ALL
        .into_iter()
        .filter(|one| *one != Algorithm::Blake3);
    if !others.into_iter().any(&asked) {
        return hash_at_once(path);
    }
    let mut hasher = FileHasher::new(Algorithm::ALL.into_iter().filter(|one| asked(*one)));
    let wants_weak = Algorithm::ALL
        .into_iter()
        .any(|one| one.is_weak() && asked(one));
    let mut weak = wants_weak.then(WeakHasher::default);
    let mut file = File::open(path)?;
    let mut piece = vec![0; 1 << 20];
    loop {
        let read = file.read(&mut piece)?;
        if read == 0 {
            break;
        }
        hasher.update(&piece[..read]);
        if let Some(weak) = &mut weak {
            weak.update(&piece[..read]);
        }
    }
    let seen = hasher.finish();
    Ok(match weak {
        None => seen,
        Some(weak) => {
            let (md5, sha1) = weak.finish();
            seen.and(Algorithm::Md5, md5).and(Algorithm::Sha1, sha1)
        }
    })
}

/// Hashes a file by BLAKE3 on all cores at once.
///
/// # Errors
/// When it can't be read, or becomes shorter meanwhile.
pub fn hash_at_once(path: &Path) -> io::Result<SeenFile> {
    let file = OpenFile::at(path)?;
    let layout = FrameLayout::new(file.length());
    let next = AtomicU64::new(0);
    let work = || {
        let mut hashed = Vec::new();
        let mut bytes = Vec::new();
        loop {
            let index = next.fetch_add(1, Ordering::Relaxed);
            if index >= layout.count() {
                return Ok(hashed);
            }
            let (first, length) = layout.span(index);
            bytes.resize(usize::try_from(length).map_err(io::Error::other)?, 0);
            file.read_exact_at(first, &mut bytes)?;
            hashed.extend(SeenFrame::of(layout, index, &bytes));
        }
    };
    let cores = std::thread::available_parallelism().map_or(1, NonZero::get);
    let threads = cores.min(usize::try_from(layout.count()).unwrap_or(1));
    let done: Vec<io::Result<Vec<SeenFrame>>> = std::thread::scope(|scope| {
        let others: Vec<_> = (1..threads).map(|_| scope.spawn(work)).collect();
        let mut done = vec![work()];
        let broke = |_| Err(io::Error::other("hashing broke off"));
        done.extend(
            others
                .into_iter()
                .map(|one| one.join().unwrap_or_else(broke)),
        );
        done
    });
    let mut frames = Vec::new();
    for part in done {
        frames.extend(part?);
    }
    let seen = Seen::of_frames(layout, frames);
    Ok(seen.ok_or(io::ErrorKind::UnexpectedEof)?.into())
}

/// A file, read where it lies.
pub(crate) struct OpenFile {
    file: File,
    length: u64,
}

impl OpenFile {
    pub(crate) fn at(path: &Path) -> io::Result<Self> {
        let file = File::open(path)?;
        let length = file.metadata()?.len();
        Ok(Self { file, length })
    }
}

impl Bytes for OpenFile {
    fn length(&self) -> u64 {
        self.length
    }

    fn read_exact_at(&self, at: u64, into: &mut [u8]) -> io::Result<()> {
        self.file.read_exact_at(into, at)
    }
}

/// Reads a file whole and hashes the very bytes that were read.
///
/// # Errors
/// When it can't be read or is larger than an image can be.
pub(crate) fn read_seen(path: &Path) -> io::Result<(Vec<u8>, Seen)> {
    let mut bytes = Vec::new();
    File::open(path)?
        .take(MOST_IMAGE_BYTES + 1)
        .read_to_end(&mut bytes)?;
    if bytes.len() as u64 > MOST_IMAGE_BYTES {
        return Err(io::Error::other(format!(
            "larger than {MOST_IMAGE_BYTES} bytes"
        )));
    }
    let seen = Seen::of(&bytes);
    Ok((bytes, seen))
}
