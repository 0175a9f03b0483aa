//! The record: the one that writes it, and what it adds up to.
//!
//! ```text
//! DATA/log/bench.jsonl   the bench's chain: births of units, ends of their chains, what is the bench's
//! DATA/log/UNIT.jsonl    one unit's chain
//! DATA/log/aside/        files that were damaged and set aside
//! ```
//!
//! * [`record`]: what is written down, and the sentence for each; [`unit`]: what one unit's entries add up to
//! * [`clock`]: the time that is counted, which stamps each line
//! * [`line`]: the form of a line, and the hash that closes it
//! * [`files`]: the files: reading a chain through, appending all or nothing
//! * [`witness`]: what bench chain, unit chains and index say of one another, and what does not agree
//! * [`journal`]: what it promises; [`Desk`]: the only writer; appended means synced, and the folds are of what was appended
//! * `reason`: why somebody chose as they did, in the form in which it is kept
//!
//! A chain that is damaged is held back: what can be read of it is shown, nothing is added to it, and the
//! rest of the bench goes on.

pub mod clock;
mod error;
pub mod files;
pub mod journal;
pub mod line;
pub mod pen;
pub(crate) mod reason;
pub mod record;
pub mod unit;
pub mod witness;

pub use error::DeskError;

use std::collections::{BTreeMap, HashMap};
use std::path::Path;
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

use veritope_wire::{Digest, RequestId, Stamp, UnitId};

use crate::desk::clock::BenchClock;
use crate::desk::files::{ChainRead, LogError, LogFiles};
use crate::desk::journal::{Appended, Journal, JournalError};
use crate::desk::line::{Cite, Head};
use crate::desk::record::{Birth, ChainEnd, Entry, Scope, Stamped};
use crate::desk::unit::UnitRecord;
use crate::desk::witness::{Damage, Told};

/// Hears of what was appended, in the order in which it was; must not block.
pub trait Follow: Send {
    /// These are on the disk.
    fn took(&self, stamped: &[Stamped]);

    /// This chain was set aside: what was known of it counts no longer.
    fn set_aside(&self, scope: Scope);
}

/// Nobody follows.
#[derive(Debug, Clone, Copy)]
pub struct Alone;

impl Follow for Alone {
    fn took(&self, _: &[Stamped]) {}

    fn set_aside(&self, _: Scope) {}
}

/// What the bench's chain says of the units' chains.
#[derive(Debug, Default)]
struct BenchFold {
    births: BTreeMap<UnitId, Birth>,
    ends: BTreeMap<UnitId, Head>,
    /// Whether chains were ever noted: a bench of before has none.
    notes_chains: bool,
    /// Up to which line a unit cites a chain of the bench's that was set aside.
    cite_older: BTreeMap<UnitId, u64>,
    /// The chain before this one was set aside, and where the units' chains ended is not read yet.
    is_after_another: bool,
}

impl BenchFold {
    fn take(&mut self, entry: &Entry) {
        match entry {
            Entry::UnitBorn { birth } => {
                self.births.insert(birth.unit, birth.clone());
                self.ends.remove(&birth.unit);
            }
            Entry::ChainsNoted { ends } => {
                self.notes_chains = true;
                if std::mem::take(&mut self.is_after_another) {
                    let each = ends.iter().map(|end| (end.unit, end.seq));
                    self.cite_older = each.collect();
                }
                self.ends.extend(ends.iter().map(|end| {
                    let head = Head {
                        entries: end.seq,
                        hash: Some(end.hash),
                    };
                    (end.unit, head)
                }));
            }
            Entry::LogSetAside { unit: None, .. } => self.is_after_another = true,
            Entry::LogSetAside {
                unit: Some(unit), ..
            } => {
                self.births.remove(unit);
                self.ends.remove(unit);
            }
            _ => {}
        }
    }
}

#[derive(Debug, Clone, Copy, Default)]
struct Chain {
    head: Head,
    /// How far the bench's chain was when this one last cited it.
    cited: u64,
}

struct State {
    files: LogFiles,
    chains: BTreeMap<Scope, Chain>,
    units: BTreeMap<UnitId, Arc<UnitRecord>>,
    bench: BenchFold,
    done: HashMap<RequestId, Scope>,
    damage: BTreeMap<Scope, Damage>,
    follow: Box<dyn Follow>,
}

/// The record's only writer.
pub struct Desk {
    state: Mutex<State>,
    clock: Arc<BenchClock>,
}

/// A chain as it was read at the start.
struct Begun {
    read: ChainRead,
    stamped: Vec<Stamped>,
}

impl Desk {
    /// Opens the folder, reads every chain from end to end and holds them against one another and against
    /// `seen`, how far each was when it was last indexed. What a killed process left half-written at the
    /// end of a file is moved to a file of its own beside it: it was never acknowledged. A chain that is
    /// damaged is held back; the rest opens.
    ///
    /// # Errors
    /// When the folder itself can't be made or listed.
    pub fn open(
        folder: &Path,
        clock: Arc<BenchClock>,
        seen: &BTreeMap<Scope, Head>,
        follow: Box<dyn Follow>,
    ) -> Result<Self, LogError> {
        let files = LogFiles::open(folder)?;
        let mut begun = BTreeMap::new();
        let mut newest: Option<Stamp> = None;
        for scope in files.scopes()? {
            let mut stamped = Vec::new();
            let read = files.read_through(scope, &mut |one| stamped.push(one));
            newest = newest
                .into_iter()
                .chain(read.newest)
                .max_by_key(|at| at.bench);
            begun.insert(scope, Begun { read, stamped });
        }
        if let Some(newest) = newest {
            clock.no_earlier_than(newest);
        }
        let mut state = State {
            files,
            chains: BTreeMap::new(),
            units: BTreeMap::new(),
            bench: BenchFold::default(),
            done: HashMap::new(),
            damage: BTreeMap::new(),
            follow,
        };
        if let Some(own) = begun.get(&Scope::Bench) {
            own.stamped
                .iter()
                .for_each(|one| state.bench.take(&one.entry));
        }
        state.judge(&begun, seen);
        let desk = Self {
            state: Mutex::new(state),
            clock,
        };
        let mut state = desk.lock();
        for (scope, one) in begun {
            state.begin(scope, one);
        }
        let is_new = !state.chains.contains_key(&Scope::Bench);
        let noted = if is_new && !state.damage.contains_key(&Scope::Bench) {
            desk.write(&mut state, Scope::Bench, None, vec![began()])
                .map(drop)
        } else {
            Ok(())
        };
        if let Err(error) = noted.and_then(|()| desk.note_chains(&mut state)) {
            tracing::warn!(%error, "the ends of the chains could not be noted at the start");
        }
        drop(state);
        Ok(desk)
    }

    fn lock(&self) -> MutexGuard<'_, State> {
        // Every statement leaves the maps as the files are, so a panic elsewhere doesn't spoil them.
        self.state.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Notes in the bench's chain where each unit's chain ends now, and births that it does not have yet.
    ///
    /// # Errors
    /// When it can't be written; what is noted then is what was noted before.
    pub fn note(&self) -> Result<(), JournalError> {
        self.note_chains(&mut self.lock())
    }

    fn note_chains(&self, state: &mut State) -> Result<(), JournalError> {
        let begun = state.chains.contains_key(&Scope::Bench);
        if !begun || state.damage.contains_key(&Scope::Bench) {
            return Ok(());
        }
        let entries = state.to_note();
        if entries.is_empty() {
            return Ok(());
        }
        self.write(state, Scope::Bench, None, entries).map(drop)
    }

    fn write(
        &self,
        state: &mut State,
        scope: Scope,
        request: Option<RequestId>,
        entries: Vec<Entry>,
    ) -> Result<Vec<Stamped>, JournalError> {
        if let Some(damage) = state.damage.get(&scope) {
            return Err(JournalError::Held(damage.clone()));
        }
        let chain = state.chains.get(&scope).copied().unwrap_or_default();
        if let (Scope::Unit(unit), Some(first)) = (scope, entries.first())
            && !state.units.contains_key(&unit)
            && !matches!(first, Entry::UnitAdded { .. })
        {
            return Err(JournalError::NoBeginning(unit));
        }
        // A unit's line says how far the bench's chain was, when that has grown: so each shows a cut of
        // the other.
        let cite = match (scope, state.damage.contains_key(&Scope::Bench)) {
            (Scope::Unit(_), false) => state.chains.get(&Scope::Bench).and_then(|bench| {
                let hash = bench
                    .head
                    .hash
                    .filter(|_| bench.head.entries > chain.cited)?;
                Some(Cite {
                    seq: bench.head.entries,
                    hash,
                })
            }),
            _ => None,
        };
        let at = self.clock.stamp();
        let made = line::make(scope, chain.head, at, cite, request, entries)
            .map_err(JournalError::TooLong)?;
        match state.files.append(scope, &made.text) {
            Ok(()) => {}
            Err(files::NotAppended::TakenBack(error)) => return Err(JournalError::Written(error)),
            Err(files::NotAppended::InDoubt(error)) => {
                // What was refused may stand at its end: nothing may follow it.
                state.damage.insert(
                    scope,
                    Damage::in_doubt(&state.files.path(scope), scope, &error),
                );
                return Err(JournalError::Written(error));
            }
        }
        state.chains.insert(
            scope,
            Chain {
                head: made.head,
                cited: cite.map_or(chain.cited, |cite| cite.seq),
            },
        );
        state.fold(&made.stamped);
        state.follow.took(&made.stamped);
        Ok(made.stamped)
    }
}

fn began() -> Entry {
    Entry::BenchBegan {
        program: env!("CARGO_PKG_VERSION").to_owned(),
    }
}

fn born(record: &UnitRecord, first: Digest) -> Entry {
    Entry::UnitBorn {
        birth: Birth {
            unit: record.id,
            nickname: record.nickname.clone(),
            first,
        },
    }
}

impl State {
    /// Holds the chains against one another, and back what does not agree.
    fn judge(&mut self, begun: &BTreeMap<Scope, Begun>, seen: &BTreeMap<Scope, Head>) {
        let none = ChainRead::default();
        let bench = begun.get(&Scope::Bench).map_or(&none, |one| &one.read);
        let mut scopes: Vec<Scope> = begun.keys().copied().collect();
        scopes.extend(self.bench.births.keys().map(|unit| Scope::Unit(*unit)));
        scopes.extend(seen.keys().copied());
        scopes.sort();
        scopes.dedup();
        let mut cites = Vec::new();
        for scope in &scopes {
            let Scope::Unit(unit) = *scope else { continue };
            let read = begun.get(scope).map(|one| &one.read);
            let told = Told {
                birth: self.bench.births.get(&unit),
                noted: self.bench.ends.get(&unit).copied(),
                indexed: seen.get(scope).copied(),
                is_old_bench: !self.bench.notes_chains,
            };
            let path = self.files.path(*scope);
            if let Some(damage) = witness::of_unit(&path, unit, read, &told, bench) {
                self.damage.insert(*scope, damage);
            } else if let Some(read) = read {
                let older = self.bench.cite_older.get(&unit).copied().unwrap_or(0);
                let since = read.cites.iter().filter(|(line, _)| *line > older);
                cites.extend(since.map(|(_, cite)| (unit, *cite)));
            }
        }
        let has_units = begun.keys().any(|scope| *scope != Scope::Bench);
        let path = self.files.path(Scope::Bench);
        let own = begun.get(&Scope::Bench).map(|one| &one.read);
        let indexed = seen.get(&Scope::Bench).copied();
        if let Some(damage) = witness::of_bench(&path, own, indexed, &cites, has_units) {
            self.damage.insert(Scope::Bench, damage);
        }
    }

    /// Births that the bench's chain does not have yet, and ends that moved since they were noted.
    fn to_note(&self) -> Vec<Entry> {
        let mut entries = Vec::new();
        for (unit, record) in &self.units {
            let scope = Scope::Unit(*unit);
            let is_held = self.damage.contains_key(&scope);
            if !is_held
                && !self.bench.births.contains_key(unit)
                && let Some(first) = files::first_hash(&self.files.path(scope))
            {
                entries.push(born(record, first));
            }
        }
        let ends: Vec<ChainEnd> = self
            .chains
            .iter()
            .filter_map(|(scope, chain)| {
                let Scope::Unit(unit) = *scope else {
                    return None;
                };
                let is_new = self.bench.ends.get(&unit) != Some(&chain.head);
                let is_sound = !self.damage.contains_key(scope);
                (is_new && is_sound).then_some(ChainEnd {
                    unit,
                    seq: chain.head.entries,
                    hash: chain.head.hash?,
                })
            })
            .collect();
        if !ends.is_empty() || !self.bench.notes_chains {
            entries.push(Entry::ChainsNoted { ends });
        }
        entries
    }

    /// Births and ends of all units, for a bench's chain that begins anew; of units that are held back what
    /// the one before said.
    fn to_tell_anew(&self, before: &BenchFold) -> Vec<Entry> {
        let held = |unit: &UnitId| self.damage.contains_key(&Scope::Unit(*unit));
        let births = before.births.values().filter(|birth| held(&birth.unit));
        let mut entries: Vec<Entry> = births
            .map(|birth| Entry::UnitBorn {
                birth: birth.clone(),
            })
            .collect();
        entries.extend(self.to_note());
        let told = before.ends.iter().filter(|(unit, _)| held(unit));
        let told = told.filter_map(|(unit, head)| {
            Some(ChainEnd {
                unit: *unit,
                seq: head.entries,
                hash: head.hash?,
            })
        });
        if let Some(Entry::ChainsNoted { ends }) = entries.last_mut() {
            ends.extend(told);
        }
        entries
    }

    /// Takes in what was read at the start, as far as it is what it says.
    fn begin(&mut self, scope: Scope, begun: Begun) {
        let is_foreign = self
            .damage
            .get(&scope)
            .is_some_and(|damage| !damage.is_readable);
        if is_foreign {
            return;
        }
        if begun.stamped.is_empty() && !self.damage.contains_key(&scope) {
            return;
        }
        let older = match scope {
            Scope::Unit(unit) => self.bench.cite_older.get(&unit).copied().unwrap_or(0),
            Scope::Bench => 0,
        };
        let last = begun.read.cites.last().filter(|(line, _)| *line > older);
        let cited = last.map_or(0, |(_, cite)| cite.seq);
        let head = begun.read.head();
        self.chains.insert(scope, Chain { head, cited });
        if !self.damage.contains_key(&scope) {
            self.follow.took(&begun.stamped);
        }
        for one in &begun.stamped {
            if let Some(request) = one.request {
                self.done.insert(request, scope);
            }
        }
        if let Scope::Unit(unit) = scope {
            let mut record: Option<UnitRecord> = None;
            for one in &begun.stamped {
                match &mut record {
                    Some(record) => record.apply(one),
                    None => record = UnitRecord::begin(one, unit),
                }
            }
            match record {
                Some(record) => drop(self.units.insert(unit, Arc::new(record))),
                None => {
                    let path = self.files.path(scope);
                    self.damage
                        .entry(scope)
                        .or_insert_with(|| Damage::no_beginning(&path, scope));
                }
            }
        }
    }

    fn fold(&mut self, stamped: &[Stamped]) {
        for one in stamped {
            if let Some(request) = one.request {
                self.done.insert(request, one.scope);
            }
            match one.scope {
                Scope::Bench => self.bench.take(&one.entry),
                Scope::Unit(unit) => match self.units.get_mut(&unit) {
                    Some(record) => Arc::make_mut(record).apply(one),
                    None => {
                        if let Some(record) = UnitRecord::begin(one, unit) {
                            self.units.insert(unit, Arc::new(record));
                        }
                    }
                },
            }
        }
    }
}

impl Journal for Desk {
    fn append(
        &self,
        scope: Scope,
        request: Option<RequestId>,
        entries: Vec<Entry>,
    ) -> Result<Appended, JournalError> {
        let mut state = self.lock();
        if let Some(scope) = request.and_then(|request| state.done.get(&request)) {
            return Ok(Appended::Before(*scope));
        }
        if let Scope::Unit(_) = scope
            && !state.chains.contains_key(&scope)
            && let Some(damage) = state.damage.get(&Scope::Bench)
        {
            // A birth that can't be noted would look like a stranger's at the next start.
            return Err(JournalError::Held(damage.clone()));
        }
        let is_birth = matches!(scope, Scope::Unit(_)) && !state.chains.contains_key(&scope);
        let stamped = self.write(&mut state, scope, request, entries)?;
        if is_birth && let Err(error) = self.note_chains(&mut state) {
            tracing::warn!(%error, "a birth is not noted in the bench's log yet");
        }
        Ok(Appended::Now(stamped))
    }

    fn unit(&self, unit: UnitId) -> Option<Arc<UnitRecord>> {
        self.lock().units.get(&unit).cloned()
    }

    fn units(&self) -> Vec<Arc<UnitRecord>> {
        let mut all: Vec<_> = self.lock().units.values().cloned().collect();
        all.sort_by_key(|record| (record.added, record.id));
        all
    }

    fn done(&self, request: RequestId) -> Option<Scope> {
        self.lock().done.get(&request).copied()
    }

    fn head(&self, scope: Scope) -> Head {
        let state = self.lock();
        state
            .chains
            .get(&scope)
            .map(|chain| chain.head)
            .unwrap_or_default()
    }

    fn damage(&self) -> Vec<Damage> {
        self.lock().damage.values().cloned().collect()
    }

    fn set_aside(&self, scope: Scope, request: RequestId) -> Result<(), JournalError> {
        let mut state = self.lock();
        if state.done.contains_key(&request) {
            return Ok(());
        }
        let damage = state.damage.get(&scope).filter(|damage| !damage.is_newer);
        let Some(damage) = damage.cloned() else {
            return Err(JournalError::NothingDamaged);
        };
        if scope != Scope::Bench
            && let Some(bench) = state.damage.get(&Scope::Bench)
        {
            return Err(JournalError::Held(bench.clone()));
        }
        let at = self.clock.stamp();
        let moved = state
            .files
            .set_aside(scope, at.wall)
            .map_err(JournalError::Written)?;
        state.damage.remove(&scope);
        state.chains.remove(&scope);
        state.done.retain(|_, of| *of != scope);
        state.follow.set_aside(scope);
        let (unit, before) = match scope {
            Scope::Unit(unit) => {
                state.units.remove(&unit);
                (Some(unit), BenchFold::default())
            }
            Scope::Bench => {
                state.chains.values_mut().for_each(|chain| chain.cited = 0);
                (None, std::mem::take(&mut state.bench))
            }
        };
        let set_aside = Entry::LogSetAside {
            unit,
            file: moved.as_ref().map(|moved| moved.name.clone()),
            digest: moved.as_ref().map(|moved| moved.digest),
            why: damage.what,
        };
        let mut entries = vec![set_aside];
        if scope == Scope::Bench {
            // In one go: without the units' ends it would not be known which chain they cite.
            entries.insert(0, began());
            entries.extend(state.to_tell_anew(&before));
        }
        self.write(&mut state, Scope::Bench, Some(request), entries)
            .map(drop)
    }
}

impl Drop for Desk {
    fn drop(&mut self) {
        if let Err(error) = self.note() {
            tracing::warn!(%error, "the ends of the chains could not be noted at the stop");
        }
    }
}
