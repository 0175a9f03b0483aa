//! What bench chain, unit chains and index say of one another. Each is a witness of the others: an edit, a
//! cut, a loss or an exchange that leaves one of them untouched does not agree with that one, and is named.

use std::path::{Path, PathBuf};

use veritope_wire::UnitId;

use crate::desk::files::{Broken, ChainRead};
use crate::desk::line::{Cite, Head};
use crate::desk::record::{Birth, Scope};

/// A chain that can't be relied on, and is held back.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Damage {
    /// Whose.
    pub scope: Scope,
    /// Its file.
    pub path: PathBuf,
    /// What is wrong and where, in one sentence without a full stop.
    pub what: String,
    /// Whether what can be read of it is this chain's at all.
    pub is_readable: bool,
    /// Whether it is sound, and only this program too old for it.
    pub is_newer: bool,
}

impl Damage {
    fn new(scope: Scope, path: &Path, what: String, is_readable: bool) -> Self {
        Self {
            scope,
            path: path.to_owned(),
            what,
            is_readable,
            is_newer: false,
        }
    }

    pub(super) fn no_beginning(path: &Path, scope: Scope) -> Self {
        let what = "it does not begin with the unit's arrival".to_owned();
        Self::new(scope, path, what, false)
    }

    pub(super) fn in_doubt(path: &Path, scope: Scope, error: &std::io::Error) -> Self {
        let what = format!(
            "a line was refused ({error}) and could not be taken back: whether it stands there is not known"
        );
        Self::new(scope, path, what, true)
    }

    /// What is wrong with a chain that ended at `head` when it was last written; nothing when it goes on from
    /// there or ends there.
    #[must_use]
    pub fn since(path: &Path, scope: Scope, read: &ChainRead, head: Head) -> Option<Self> {
        let what = match &read.broken {
            Some(why) => Some(broken(why)),
            None => against(read, head, "this program"),
        };
        what.map(|what| Self::new(scope, path, what, true))
    }

    fn because(mut self, why: &Broken) -> Self {
        self.is_newer = matches!(why, Broken::Newer { .. });
        self
    }

    fn file(&self) -> String {
        let name = self.path.file_name().unwrap_or(self.path.as_os_str());
        format!("log/{}", name.to_string_lossy())
    }

    /// What is wrong, where, and what to do.
    #[must_use]
    pub fn in_words(&self) -> String {
        let file = self.file();
        if self.is_newer {
            return format!("{file}: {}. This one adds nothing to it.", self.what);
        }
        match self.scope {
            Scope::Unit(_) => format!(
                "{file}: {}. Nothing is added to it. Put the file back from a copy of the data folder and start again (if it is the index that is wrong, `veritope rebuild` makes it anew), or set it aside: then the device comes onto the bench anew, and its captures are taken over from where they lie.",
                self.what
            ),
            Scope::Bench => format!(
                "{file}: {}. Nothing is added to it, and no unit comes onto the bench. Put the file back from a copy of the data folder and start again, or set it aside: a new one begins then, and units go on as they are.",
                self.what
            ),
        }
    }
}

/// What others say of one unit's chain.
#[derive(Debug, Clone, Copy)]
pub(super) struct Told<'a> {
    /// Its birth, in the bench's chain.
    pub(super) birth: Option<&'a Birth>,
    /// Its end, as the bench's chain last noted it.
    pub(super) noted: Option<Head>,
    /// Its end, as it was last indexed.
    pub(super) indexed: Option<Head>,
    /// Whether the bench's chain is of before births were noted.
    pub(super) is_old_bench: bool,
}

fn broken(broken: &Broken) -> String {
    match broken {
        Broken::Line { line, what } => format!("line {line}: {what}"),
        Broken::Newer { line } => {
            format!("line {line} was written by a newer Veritope: use that one")
        }
        Broken::File { what } => format!("it can't be read: {what}"),
    }
}

/// What does not agree with an end that somebody saw.
fn against(read: &ChainRead, seen: Head, who: &str) -> Option<String> {
    let hash = seen.hash?;
    match read.hash_at(seen.entries) {
        Some(there) if there == hash => None,
        Some(_) => Some(format!(
            "line {} is not the one that {who} has: it was written anew",
            seen.entries
        )),
        None => Some(format!(
            "it ends at line {}, and {who} has seen line {}: lines were cut off",
            read.hashes.len(),
            seen.entries
        )),
    }
}

const BENCH_LOG: &str = "the bench's log";
const INDEX: &str = "the index";

/// What is wrong with a unit's chain; nothing when all agree.
pub(super) fn of_unit(
    path: &Path,
    unit: UnitId,
    read: Option<&ChainRead>,
    told: &Told<'_>,
    bench: &ChainRead,
) -> Option<Damage> {
    let scope = Scope::Unit(unit);
    let Some(read) = read else {
        let who = if told.birth.is_some() {
            BENCH_LOG
        } else {
            INDEX
        };
        let name = told
            .birth
            .map(|birth| format!(" of {}", birth.nickname))
            .unwrap_or_default();
        let what = format!("the log{name} is gone, and {who} knows of it");
        let is_known = told.birth.is_some() || told.indexed.is_some();
        return is_known.then(|| Damage::new(scope, path, what, false));
    };
    let first = read.hashes.first();
    if let Some(birth) = told.birth
        && first.is_some_and(|first| *first != birth.first)
    {
        let what = format!(
            "its first line is not the one that {BENCH_LOG} noted for {}: it is another log, or was written anew",
            birth.nickname
        );
        return Some(Damage::new(scope, path, what, false));
    }
    if let Some(why) = &read.broken {
        let damage = Damage::new(scope, path, broken(why), first.is_some());
        return Some(damage.because(why));
    }
    if let Some(what) = told.noted.and_then(|seen| against(read, seen, BENCH_LOG)) {
        return Some(Damage::new(scope, path, what, true));
    }
    if let Some(what) = told.indexed.and_then(|seen| against(read, seen, INDEX)) {
        return Some(Damage::new(scope, path, what, true));
    }
    if first.is_none() {
        // Made, and killed before the first line: nothing was ever acknowledged. Else it was emptied.
        let what = format!("it is empty, and {BENCH_LOG} knows of it");
        return told.birth.map(|_| Damage::new(scope, path, what, false));
    }
    // Without a birth: written before births were noted, or the process was killed between its first line
    // and its birth. Then that line cites the bench's chain.
    let is_ours = match read.cites.first() {
        // Where the bench's chain is cut, that one is at fault.
        Some((_, cite)) => bench
            .hash_at(cite.seq)
            .is_none_or(|there| there == cite.hash),
        None => told.is_old_bench,
    };
    (told.birth.is_none() && !is_ours).then(|| {
        let what = format!("{BENCH_LOG} does not know of it: it is another bench's");
        Damage::new(scope, path, what, true)
    })
}

/// What is wrong with the bench's chain; nothing when all agree.
pub(super) fn of_bench(
    path: &Path,
    read: Option<&ChainRead>,
    indexed: Option<Head>,
    cites: &[(UnitId, Cite)],
    has_units: bool,
) -> Option<Damage> {
    let damaged = |what: String| Some(Damage::new(Scope::Bench, path, what, true));
    let Some(read) = read.filter(|read| !read.hashes.is_empty() || read.broken.is_some()) else {
        let is_missed = has_units || indexed.is_some();
        return is_missed
            .then(|| damaged("it is gone, and there are logs of units".to_owned()))
            .flatten();
    };
    if let Some(why) = &read.broken {
        return damaged(broken(why)).map(|damage| damage.because(why));
    }
    if let Some(what) = indexed.and_then(|seen| against(read, seen, INDEX)) {
        return damaged(what);
    }
    let bad = cites.iter().find_map(|(unit, cite)| {
        let seen = Head {
            entries: cite.seq,
            hash: Some(cite.hash),
        };
        against(read, seen, &format!("the log of unit {unit}"))
    });
    bad.and_then(damaged)
}
