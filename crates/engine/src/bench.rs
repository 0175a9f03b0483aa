//! The engine itself: bridges, units, facts, what is kept safe. `watch` observes over the link.

use std::collections::{BTreeMap, BTreeSet};
use std::path::PathBuf;
use std::sync::{Arc, Condvar, Mutex, MutexGuard, PoisonError};

use veritope_core::budget::Policy;
use veritope_core::facts::{FactKey, FactRow, FactValue, Facts, Source};
use veritope_core::family::Family;
use veritope_core::keepsafe::{KeepClass, Kept};
use veritope_core::plan::{Goal, Presence, Ways};
use veritope_link::{DeviceLink, Transport};
use veritope_vault::{Access, Vault};
use veritope_wire::{BenchTime, BridgeId, Digest, FactId, PlaceId, RequestId, RunId, UnitId};

use crate::desk::clock::BenchClock;
use crate::desk::journal::{Journal, JournalError};
use crate::desk::record::{Entry, Scope, Way};
use crate::desk::unit::UnitRecord;
use crate::error::EngineError;
use crate::library::DataError;
use crate::library::data::{Bridge, DamagedFile, DataFolder};
use crate::library::family::KnownFamily;
use crate::library::place::Place;
use crate::library::shelf::Shelf;
use crate::ports::{Changed, Connect, Ids, Notify};
use crate::presence::{LinkPresence, Live};
use crate::progress::StepPhase;

/// What the engine is made of.
pub struct Parts {
    /// The record.
    pub journal: Arc<dyn Journal>,
    /// The time, the same that the record is written by.
    pub clock: Arc<BenchClock>,
    /// New ids.
    pub ids: Arc<dyn Ids>,
    /// Who hears about changes.
    pub notify: Arc<dyn Notify>,
    /// The way to bridges.
    pub connect: Arc<dyn Connect>,
    /// The folder in which this computer tells what feeds it; [`SUPPLIES`] on a bench.
    pub supplies: PathBuf,
}

/// Where a computer tells what feeds it.
pub const SUPPLIES: &str = "/sys/class/power_supply";

/// Everything that can be asked and done on a bench.
pub struct Engine {
    pub(crate) parts: Parts,
    pub(crate) data: DataFolder,
    pub(crate) families: Mutex<Vec<KnownFamily>>,
    policy: Mutex<Policy>,
    /// Files of the bench's that make no sense.
    damaged: Mutex<Vec<DamagedFile>>,
    places: Mutex<Vec<Place>>,
    pub(crate) vault: Arc<Vault>,
    pub(crate) shelf: Shelf,
    pub(crate) bridges: Mutex<Vec<(Bridge, Arc<dyn Transport>)>>,
    pub(crate) live: Mutex<BTreeMap<UnitId, Live>>,
    changing: Mutex<BTreeSet<UnitId>>,
    /// Requests being carried out.
    requests: Mutex<BTreeSet<RequestId>>,
    request_done: Condvar,
    phases: Mutex<BTreeMap<RunId, StepPhase>>,
    /// Texts that sheets under way began with and that were changed since, by digest.
    pub(crate) kept_texts: Mutex<BTreeMap<Digest, Arc<Family>>>,
}

/// A device that a bridge offers.
#[derive(Debug, Clone, PartialEq, Eq, serde::Serialize, utoipa::ToSchema)]
pub struct FoundDevice {
    /// The bridge.
    pub bridge: BridgeId,
    /// The bridge's name for it.
    pub handle: String,
    /// Whether it answers.
    pub presence: LinkPresence,
    /// Name of its family, when it says and we know.
    pub family: Option<String>,
    /// Model code, when it says.
    pub model_code: Option<String>,
    /// The unit on this bench that it is, when known.
    pub unit: Option<UnitId>,
    /// A unit on this bench that is reached otherwise, or by hand, and that these identifiers are of.
    pub recognised: Option<Recognised>,
}

/// A unit by which a device was recognised (`K4`).
#[derive(Debug, Clone, PartialEq, Eq, serde::Serialize, utoipa::ToSchema)]
pub struct Recognised {
    /// The unit.
    pub unit: UnitId,
    /// Its name.
    pub nickname: String,
}

/// A unit to put onto the bench.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct NewUnit {
    /// Its name here.
    pub nickname: String,
    /// How it is reached.
    pub way: Way,
    /// Codename of its family where no link tells it.
    pub family: Option<String>,
    /// Id of the ownership answer.
    pub ownership: String,
}

/// Takes a unit out of the set of those being changed when dropped.
pub(crate) struct Changing<'a> {
    engine: &'a Engine,
    unit: UnitId,
}

impl Drop for Changing<'_> {
    fn drop(&mut self) {
        lock(&self.engine.changing).remove(&self.unit);
    }
}

/// A request that is being carried out; others with the same id wait.
pub(crate) struct InHand<'a> {
    engine: &'a Engine,
    request: RequestId,
}

impl Drop for InHand<'_> {
    fn drop(&mut self) {
        lock(&self.engine.requests).remove(&self.request);
        self.engine.request_done.notify_all();
    }
}

/// Whether a request is to be carried out.
pub(crate) enum Once<'a> {
    /// Yes, and others with the same id wait meanwhile.
    First(InHand<'a>),
    /// It was, in this log.
    Before(Scope),
}

/// The same id was used for something else.
pub(crate) fn another_request() -> EngineError {
    EngineError::BadInput("this request's id was used for another request before".to_owned())
}

/// The engine's maps are consistent after every statement, so a panic elsewhere doesn't spoil them.
pub(crate) fn lock<T>(mutex: &Mutex<T>) -> MutexGuard<'_, T> {
    mutex.lock().unwrap_or_else(PoisonError::into_inner)
}

impl Engine {
    /// Opens a bench on a data folder.
    ///
    /// # Errors
    /// When a file or the vault can't be read. What makes no sense is named, and counts for nothing until it
    /// is mended.
    pub fn open(data: DataFolder, parts: Parts) -> Result<Self, EngineError> {
        let (families, mut damaged) = data.families()?;
        let policy = match data.policy() {
            Err(error @ DataError::Unreadable { .. }) => {
                damaged.push(DamagedFile::policy(data.join("policy.toml"), &error));
                Policy::usual()
            }
            other => other?,
        };
        let (known_bridges, places) = match (data.bridges(), data.places()) {
            (Err(error @ DataError::Unreadable { .. }), _) => {
                damaged.push(DamagedFile::bench(data.join("bench.toml"), &error));
                (Vec::new(), Vec::new())
            }
            (bridges, places) => (bridges?, places?),
        };
        let mut bridges = Vec::new();
        for bridge in known_bridges {
            let transport = parts.connect.connect(&bridge.url, &bridge.token)?;
            bridges.push((bridge, transport));
        }
        let id = PlaceId::new(parts.ids.fresh());
        let vault = Arc::new(Vault::open(&data.vault(), Access::Write, id)?);
        let engine = Self {
            shelf: Shelf::new(data.join("shelf")),
            places: Mutex::new(places),
            damaged: Mutex::new(damaged),
            vault,
            parts,
            data,
            families: Mutex::new(families),
            policy: Mutex::new(policy),
            bridges: Mutex::new(bridges),
            live: Mutex::default(),
            changing: Mutex::default(),
            requests: Mutex::default(),
            request_done: Condvar::new(),
            phases: Mutex::default(),
            kept_texts: Mutex::default(),
        };
        engine.clear_leftovers()?;
        Ok(engine)
    }

    /// The bench's policy.
    #[must_use]
    pub fn policy(&self) -> Policy {
        lock(&self.policy).clone()
    }

    /// Files of the bench's that make no sense, and what follows.
    pub(crate) fn damaged_files(&self) -> Vec<DamagedFile> {
        lock(&self.damaged).clone()
    }

    /// A file was written anew: what was wrong with it counts no longer.
    pub(crate) fn is_mended(&self, is_it: impl Fn(&DamagedFile) -> bool) {
        lock(&self.damaged).retain(|one| !is_it(one));
    }

    pub(crate) fn put_policy(&self, policy: Policy) {
        let path = self.data.join("policy.toml");
        self.is_mended(|one| one.path == path);
        *lock(&self.policy) = policy;
    }

    pub(crate) fn other_places(&self) -> Vec<Place> {
        lock(&self.places).clone()
    }

    /// Changes the list of places, on disk first.
    pub(crate) fn change_places(
        &self,
        change: impl FnOnce(&mut Vec<Place>),
    ) -> Result<(), EngineError> {
        let mut places = lock(&self.places);
        let mut changed = places.clone();
        change(&mut changed);
        self.data.set_places(changed.clone())?;
        *places = changed;
        Ok(())
    }

    /// The family's codename, as the unit itself reports it or as it was chosen.
    pub(crate) fn codename_of(&self, record: &UnitRecord) -> Option<String> {
        Self::codename_by(record, &record.known())
    }

    fn codename_by(record: &UnitRecord, known: &Facts) -> Option<String> {
        match known.known(FactKey::Codename).map(|row| &row.value) {
            Some(FactValue::Text(text)) => Some(text.clone()),
            _ => record.family.clone(),
        }
    }

    pub(crate) fn family_of(&self, record: &UnitRecord) -> Option<Arc<Family>> {
        self.family_by(record, &record.known())
    }

    /// The same, where the facts were put together already. While a run is under way it is the text that
    /// the run began with.
    pub(crate) fn family_by(&self, record: &UnitRecord, known: &Facts) -> Option<Arc<Family>> {
        let current = self.family_named(&Self::codename_by(record, known)?);
        match record.active_run().and_then(|run| run.family) {
            Some(digest) => self.family_with(digest, current),
            None => current,
        }
    }

    pub(crate) fn record(&self, unit: UnitId) -> Result<Arc<UnitRecord>, EngineError> {
        self.parts
            .journal
            .unit(unit)
            .ok_or(EngineError::NoUnit(unit))
    }

    /// Begins what a request asks of a unit: nothing when it was carried out before. The same request from
    /// another thread waits until this one is through.
    pub(crate) fn once(
        &self,
        scope: Scope,
        request: RequestId,
    ) -> Result<Option<InHand<'_>>, EngineError> {
        let in_hand = self.in_hand(request);
        if self.parts.journal.done(request).is_some() {
            return Ok(None);
        }
        self.is_sound(scope)?;
        Ok(Some(in_hand))
    }

    /// The same where a unit's id or a place's is what comes of it.
    pub(crate) fn once_on_the_bench(&self, request: RequestId) -> Result<Once<'_>, EngineError> {
        let in_hand = self.in_hand(request);
        if let Some(scope) = self.parts.journal.done(request) {
            return Ok(Once::Before(scope));
        }
        self.is_sound(Scope::Bench)?;
        Ok(Once::First(in_hand))
    }

    fn in_hand(&self, request: RequestId) -> InHand<'_> {
        let mut under_way = lock(&self.requests);
        while !under_way.insert(request) {
            under_way = self
                .request_done
                .wait(under_way)
                .unwrap_or_else(PoisonError::into_inner);
        }
        drop(under_way);
        InHand {
            engine: self,
            request,
        }
    }

    /// Whether anything can be written down in a log.
    pub(crate) fn is_sound(&self, scope: Scope) -> Result<(), EngineError> {
        let damage = self.parts.journal.damage();
        match damage.into_iter().find(|damage| damage.scope == scope) {
            Some(damage) => Err(JournalError::Held(damage).into()),
            None => Ok(()),
        }
    }

    /// Sets a damaged log aside, by a person's word; a unit's record then begins anew when its device comes
    /// back onto the bench.
    ///
    /// # Errors
    /// When it is sound, or can't be moved.
    pub fn set_log_aside(&self, scope: Scope, request: RequestId) -> Result<(), EngineError> {
        self.parts.journal.set_aside(scope, request)?;
        self.parts.notify.changed(Changed::Bench);
        Ok(())
    }

    pub(crate) fn append(
        &self,
        unit: UnitId,
        request: Option<RequestId>,
        entries: Vec<Entry>,
    ) -> Result<(), EngineError> {
        if !entries.is_empty() {
            self.parts
                .journal
                .append(Scope::Unit(unit), request, entries)?;
            self.parts.notify.changed(Changed::Unit(unit));
        }
        Ok(())
    }

    pub(crate) fn append_to(
        &self,
        scope: Scope,
        request: Option<RequestId>,
        entries: Vec<Entry>,
    ) -> Result<(), EngineError> {
        self.parts.journal.append(scope, request, entries)?;
        self.parts.notify.changed(Changed::Bench);
        Ok(())
    }

    /// Writes down a change that was just made to a file; where that fails, it is taken back: a refused
    /// request leaves nothing.
    ///
    /// # Errors
    /// When it can't be written down, whether or not it could be taken back.
    pub(crate) fn note_or_take_back(
        &self,
        scope: Scope,
        request: RequestId,
        entries: Vec<Entry>,
        take_back: impl FnOnce() -> Result<(), EngineError>,
    ) -> Result<(), EngineError> {
        let noted = match scope {
            Scope::Bench => self.append_to(scope, Some(request), entries),
            Scope::Unit(unit) => self.append(unit, Some(request), entries),
        };
        if noted.is_err()
            && let Err(error) = take_back()
        {
            tracing::error!(%error, "a change could not be taken back");
        }
        noted
    }

    pub(crate) fn begin_changing(&self, unit: UnitId) -> Result<Changing<'_>, EngineError> {
        self.is_sound(Scope::Unit(unit))?;
        if lock(&self.changing).insert(unit) {
            Ok(Changing { engine: self, unit })
        } else {
            Err(EngineError::Busy)
        }
    }

    pub(crate) fn is_changing(&self, unit: UnitId) -> bool {
        lock(&self.changing).contains(&unit)
    }

    pub(crate) fn phase(&self, run: RunId) -> Option<StepPhase> {
        lock(&self.phases).get(&run).cloned()
    }

    pub(crate) fn set_phase(&self, unit: UnitId, run: RunId, phase: Option<StepPhase>) {
        let mut phases = lock(&self.phases);
        let before = match &phase {
            Some(phase) => phases.insert(run, phase.clone()),
            None => phases.remove(&run),
        };
        drop(phases);
        if before != phase {
            self.parts.notify.changed(Changed::Run(unit, run));
        }
    }

    /// Adds a bridge after asking it who it is.
    ///
    /// # Errors
    /// When it doesn't answer, doesn't let us in, speaks another version, or is here already.
    pub fn add_bridge(
        &self,
        url: &str,
        token: &str,
        request: RequestId,
    ) -> Result<BridgeId, EngineError> {
        let url = url.trim().trim_end_matches('/');
        let transport = self.parts.connect.connect(url, token.trim())?;
        let info = transport.info()?;
        if info.link_version != veritope_wire::link::LINK_VERSION {
            return Err(EngineError::BadInput(format!(
                "the bridge at {url} speaks version {} of the bench link, this program speaks {}",
                info.link_version,
                veritope_wire::link::LINK_VERSION
            )));
        }
        let once = self.once_on_the_bench(request)?;
        let mut bridges = lock(&self.bridges);
        if let Some((known, _)) = bridges.iter().find(|(known, _)| known.url == url) {
            return Ok(known.id);
        }
        let Once::First(_once) = once else {
            return Err(another_request());
        };
        let name: String = info
            .name
            .chars()
            .filter(|c| !c.is_control())
            .take(60)
            .collect();
        let bridge = Bridge {
            id: BridgeId::new(self.parts.ids.fresh()),
            name: name.clone(),
            url: url.to_owned(),
            token: token.trim().to_owned(),
            extras: info.extras.into_iter().take(16).collect(),
        };
        let id = bridge.id;
        let before: Vec<Bridge> = bridges.iter().map(|(bridge, _)| bridge.clone()).collect();
        let mut all = before.clone();
        all.push(bridge.clone());
        self.data.set_bridges(all)?;
        let entry = Entry::BridgeAdded {
            bridge: id,
            name,
            url: url.to_owned(),
        };
        self.note_or_take_back(Scope::Bench, request, vec![entry], || {
            Ok(self.data.set_bridges(before)?)
        })?;
        bridges.push((bridge, transport));
        Ok(id)
    }

    /// Removes a bridge; its units stay, without a link.
    ///
    /// # Errors
    /// When there is none with this id.
    pub fn remove_bridge(&self, id: BridgeId, request: RequestId) -> Result<(), EngineError> {
        let Some(_once) = self.once(Scope::Bench, request)? else {
            return Ok(());
        };
        let mut bridges = lock(&self.bridges);
        let at = bridges
            .iter()
            .position(|(bridge, _)| bridge.id == id)
            .ok_or(EngineError::NoBridge(id))?;
        let before: Vec<Bridge> = bridges.iter().map(|(bridge, _)| bridge.clone()).collect();
        let mut rest = before.clone();
        let name = rest.remove(at).name;
        self.data.set_bridges(rest)?;
        let entry = Entry::BridgeRemoved { bridge: id, name };
        self.note_or_take_back(Scope::Bench, request, vec![entry], || {
            Ok(self.data.set_bridges(before)?)
        })?;
        bridges.remove(at);
        Ok(())
    }

    /// All bridges, without their tokens.
    #[must_use]
    pub fn bridges(&self) -> Vec<(BridgeId, String, String)> {
        lock(&self.bridges)
            .iter()
            .map(|(bridge, _)| (bridge.id, bridge.name.clone(), bridge.url.clone()))
            .collect()
    }

    /// The page on which a unit's stand-in is in a person's hands; nothing for a real device.
    pub(crate) fn body_page(&self, record: &UnitRecord) -> Option<String> {
        let Way::Link { bridge, handle } = &record.way else {
            return None;
        };
        let bridges = lock(&self.bridges);
        let (known, _) = bridges.iter().find(|(known, _)| known.id == *bridge)?;
        let is_plain = |byte: u8| byte.is_ascii_alphanumeric() || matches!(byte, b'-' | b'_');
        let has_body = known.extras.iter().any(|extra| extra == "body");
        (has_body && handle.0.bytes().all(is_plain))
            .then(|| format!("{}/device/{}", known.url, handle.0))
    }

    pub(crate) fn transport(&self, id: BridgeId) -> Result<Arc<dyn Transport>, EngineError> {
        lock(&self.bridges)
            .iter()
            .find(|(bridge, _)| bridge.id == id)
            .map(|(_, transport)| Arc::clone(transport))
            .ok_or(EngineError::NoBridge(id))
    }

    /// What a bridge offers now.
    ///
    /// # Errors
    /// When it doesn't answer.
    pub fn found(&self, id: BridgeId) -> Result<Vec<FoundDevice>, EngineError> {
        let transport = self.transport(id)?;
        let units = self.parts.journal.units();
        let mut found = Vec::new();
        for line in transport.devices()?.devices {
            let way = Way::Link {
                bridge: id,
                handle: line.handle.clone(),
            };
            let facts = transport
                .state(&line.handle)
                .map(|state| state.facts)
                .unwrap_or_default();
            let family = facts
                .get("codename")
                .and_then(|name| self.family_named(name));
            let recognised = units
                .iter()
                .filter(|unit| unit.way != way)
                .find(|unit| self.is_this(unit, &facts))
                .map(|unit| Recognised {
                    unit: unit.id,
                    nickname: unit.nickname.clone(),
                });
            found.push(FoundDevice {
                recognised,
                bridge: id,
                handle: line.handle.0,
                presence: line.listed.into(),
                family: family.map(|family| family.name()),
                model_code: facts.get("model-code").cloned(),
                unit: units
                    .iter()
                    .find(|unit| unit.way == way)
                    .map(|unit| unit.id),
            });
        }
        Ok(found)
    }

    /// Whether what a device says of itself is this unit's: some identifier is the same, and none
    /// differs.
    fn is_this(&self, unit: &UnitRecord, said: &BTreeMap<String, String>) -> bool {
        let known = unit.known();
        let Some(family) = self.family_by(unit, &known) else {
            return false;
        };
        let mut same = false;
        for id in &family.identifiers {
            let there = said.get(id.key.id());
            let there = there.filter(|value| !family.is_placeholder(id.key, value));
            let here = known.known(id.key).map(|row| row.value.exact());
            let here = here.filter(|value| !family.is_placeholder(id.key, value));
            match (here, there) {
                (Some(here), Some(there)) if here == *there => same = true,
                (Some(_), Some(_)) => return false,
                _ => {}
            }
        }
        same
    }

    /// Reaches a unit over a link from now on: the device there is this unit, as its identifiers tell.
    ///
    /// # Errors
    /// When a run is under way, the device is another unit's, or nothing tells that it is this one.
    pub fn link_unit(
        &self,
        unit: UnitId,
        bridge: BridgeId,
        handle: &str,
        request: RequestId,
    ) -> Result<(), EngineError> {
        let Some(_once) = self.once(Scope::Unit(unit), request)? else {
            return Ok(());
        };
        let _changing = self.begin_changing(unit)?;
        let record = self.record(unit)?;
        if record.active_run().is_some() {
            return Err(EngineError::RunIsOpen);
        }
        let found = self.found(bridge)?;
        let device = found.iter().find(|device| device.handle == handle);
        let is_it = device.is_some_and(|device| {
            let mut units = device.recognised.iter();
            device.unit.is_none() && units.any(|known| known.unit == unit)
        });
        if !is_it {
            return Err(EngineError::BadInput(format!(
                "nothing tells that the device there is {}: its identifiers are missing, differ, or belong to another unit (K4)",
                record.nickname
            )));
        }
        let way = Way::Link {
            bridge,
            handle: veritope_wire::link::Handle(handle.to_owned()),
        };
        self.append(unit, Some(request), vec![Entry::WayChanged { way }])?;
        if let Err(error) = self.observe(unit) {
            tracing::info!(%unit, %error, "a linked unit could not be read yet");
        }
        self.parts.notify.changed(Changed::Bench);
        Ok(())
    }

    /// Gives a unit another name. Consents that were typed with the old one count no longer.
    ///
    /// # Errors
    /// When the name is empty, too long or taken, or a run is under way.
    pub fn rename_unit(
        &self,
        unit: UnitId,
        nickname: &str,
        request: RequestId,
    ) -> Result<(), EngineError> {
        let Some(_once) = self.once(Scope::Unit(unit), request)? else {
            return Ok(());
        };
        let record = self.record(unit)?;
        if record.active_run().is_some() {
            return Err(EngineError::RunIsOpen);
        }
        let nickname = self.checked_name(nickname, Some(unit))?;
        self.append(unit, Some(request), vec![Entry::UnitRenamed { nickname }])?;
        self.parts.notify.changed(Changed::Bench);
        Ok(())
    }

    /// Puts a unit away, or back onto the bench; its record stays, and so does all that is kept of it.
    ///
    /// # Errors
    /// When a run is under way with it.
    pub fn put_away(
        &self,
        unit: UnitId,
        away: bool,
        request: RequestId,
    ) -> Result<(), EngineError> {
        let Some(_once) = self.once(Scope::Unit(unit), request)? else {
            return Ok(());
        };
        let _changing = self.begin_changing(unit)?;
        let record = self.record(unit)?;
        if record.is_away == away {
            return Ok(());
        }
        if record.active_run().is_some() {
            return Err(EngineError::RunIsOpen);
        }
        self.append(unit, Some(request), vec![Entry::UnitPutAway { away }])?;
        self.parts.notify.changed(Changed::Bench);
        Ok(())
    }

    /// A name that a unit can have.
    fn checked_name(&self, name: &str, of: Option<UnitId>) -> Result<String, EngineError> {
        let name = name.trim().to_owned();
        if !(1..=40).contains(&name.chars().count()) || name.chars().any(char::is_control) {
            return Err(EngineError::BadInput(
                "give the unit a name of 1 to 40 characters".to_owned(),
            ));
        }
        let units = self.parts.journal.units();
        let other = units
            .iter()
            .find(|unit| unit.nickname == name && Some(unit.id) != of);
        match other {
            Some(other) if other.is_away => Err(EngineError::BadInput(format!(
                "a unit called {name} was put away; choose another name"
            ))),
            Some(_) => Err(EngineError::BadInput(format!(
                "a unit called {name} is on this bench already; choose another name"
            ))),
            None => Ok(name),
        }
    }

    /// Puts a unit onto the bench; a linked one is looked at right away.
    ///
    /// # Errors
    /// When the name is taken or empty, the family is not known, the ownership answer is none, or
    /// the device is another unit of this bench.
    pub fn add_unit(&self, new: NewUnit, request: RequestId) -> Result<UnitId, EngineError> {
        let _once = match self.once_on_the_bench(request)? {
            Once::First(once) => once,
            Once::Before(Scope::Unit(unit)) => return Ok(unit),
            Once::Before(Scope::Bench) => return Err(another_request()),
        };
        let units = self.parts.journal.units();
        let nickname = self.checked_name(&new.nickname, None)?;
        let ownership = FactValue::parse(FactKey::Ownership, &new.ownership)?;
        match (&new.way, &new.family) {
            (Way::Hand, None) => {
                return Err(EngineError::BadInput("choose the unit's family".to_owned()));
            }
            (Way::Link { bridge, .. }, _) => {
                self.transport(*bridge)?;
                if units.iter().any(|unit| unit.way == new.way) {
                    return Err(EngineError::BadInput(
                        "this device is on the bench already".to_owned(),
                    ));
                }
            }
            (Way::Hand, Some(_)) => {}
        }
        if let Some(codename) = &new.family
            && self.family_named(codename).is_none()
        {
            return Err(EngineError::BadInput(format!(
                "family {codename} is not known here"
            )));
        }
        let unit = UnitId::new(self.parts.ids.fresh());
        let is_linked = new.way != Way::Hand;
        let added = Entry::UnitAdded {
            nickname,
            family: new.family,
            way: new.way,
        };
        let owner = Entry::Facts {
            facts: vec![self.row(FactKey::Ownership, ownership, Source::Person, self.now())],
        };
        self.append(unit, Some(request), vec![added, owner])?;
        if is_linked {
            // The unit is here whether or not it answers at this moment.
            if let Err(error) = self.observe(unit) {
                tracing::info!(%unit, %error, "a new unit could not be read yet");
            }
        }
        self.parts.notify.changed(Changed::Bench);
        Ok(unit)
    }

    pub(crate) fn row(
        &self,
        key: FactKey,
        value: FactValue,
        source: Source,
        at: BenchTime,
    ) -> FactRow {
        let value = match value {
            FactValue::Moment(dated) => FactValue::Moment(self.parts.clock.dated(dated.told)),
            other => other,
        };
        FactRow {
            id: FactId::new(self.parts.ids.fresh()),
            key,
            value,
            source,
            at,
        }
    }

    /// Records what a person says; all of it or nothing.
    ///
    /// # Errors
    /// When a value can't be a value of its fact.
    pub fn type_facts(
        &self,
        unit: UnitId,
        said: &[(FactKey, String)],
        request: RequestId,
    ) -> Result<(), EngineError> {
        let Some(_once) = self.once(Scope::Unit(unit), request)? else {
            return Ok(());
        };
        self.record(unit)?;
        let at = self.now();
        let mut facts = Vec::new();
        for (key, text) in said {
            facts.push(self.row(*key, FactValue::parse(*key, text)?, Source::Person, at));
        }
        if facts.is_empty() {
            return Err(EngineError::BadInput("no fact was given".to_owned()));
        }
        self.append(unit, Some(request), vec![Entry::Facts { facts }])
    }

    /// Takes back the newest fact of a key that a person said.
    ///
    /// # Errors
    /// When there is none.
    pub fn retract(
        &self,
        unit: UnitId,
        fact: FactId,
        request: RequestId,
    ) -> Result<(), EngineError> {
        let Some(_once) = self.once(Scope::Unit(unit), request)? else {
            return Ok(());
        };
        let record = self.record(unit)?;
        let row = record
            .facts
            .iter()
            .find(|row| row.id == fact && row.source == Source::Person)
            .filter(|row| !record.retracted.contains(&row.id))
            .ok_or(EngineError::NoFact(fact))?;
        let entry = Entry::FactRetracted { fact, key: row.key };
        self.append(unit, Some(request), vec![entry])
    }

    /// Records what was said about classes of data; `None` opens them again. `place` is where the
    /// copy lies; without one they are waived.
    ///
    /// # Errors
    /// When the place is too long.
    pub fn keep_safe(
        &self,
        unit: UnitId,
        said: &[(KeepClass, KeepSaid)],
        request: RequestId,
    ) -> Result<(), EngineError> {
        let Some(_once) = self.once(Scope::Unit(unit), request)? else {
            return Ok(());
        };
        self.record(unit)?;
        let at = self.now();
        let mut entries = Vec::new();
        for (class, said) in said {
            let kept = match said {
                KeepSaid::Safe { place } => {
                    let place = place.trim();
                    if place.is_empty() || place.chars().count() > 120 {
                        return Err(EngineError::BadInput(format!(
                            "say in 1 to 120 characters where the copy of {} lies",
                            class.shown().to_lowercase()
                        )));
                    }
                    Some(Kept::Safe {
                        place: place.to_owned(),
                        at,
                    })
                }
                KeepSaid::Waived => Some(Kept::Waived { at }),
                KeepSaid::Open => None,
            };
            entries.push(Entry::KeptSafe {
                class: *class,
                kept,
            });
        }
        self.append(unit, Some(request), entries)
    }

    /// Chooses what is to be reached.
    ///
    /// # Errors
    /// When a run is under way.
    pub fn choose_goal(
        &self,
        unit: UnitId,
        goal: Goal,
        request: RequestId,
    ) -> Result<(), EngineError> {
        let Some(_once) = self.once(Scope::Unit(unit), request)? else {
            return Ok(());
        };
        let record = self.record(unit)?;
        if record.goal == Some(goal) {
            return Ok(());
        }
        if record.active_run().is_some() {
            return Err(EngineError::RunIsOpen);
        }
        self.append(unit, Some(request), vec![Entry::GoalChosen { goal }])
    }

    /// What the bench has at hand for a unit.
    pub(crate) fn ways(&self, record: &UnitRecord, family: &Family) -> Ways {
        let image = match self.shelf.recovery_for(family) {
            Ok(Some(_)) => Presence::Here,
            Ok(None) => Presence::Missing,
            Err(error) => {
                tracing::warn!(%error, "the shelf can't be listed");
                Presence::Missing
            }
        };
        let link = match &record.way {
            Way::Link { bridge, .. } if self.transport(*bridge).is_ok() => Presence::Here,
            Way::Link { .. } | Way::Hand => Presence::Missing,
        };
        Ways { link, image }
    }

    pub(crate) fn device(&self, record: &UnitRecord) -> Result<DeviceLink, EngineError> {
        let Way::Link { bridge, handle } = &record.way else {
            return Err(EngineError::NotThisWay(
                "this unit has no link; say what you see instead",
            ));
        };
        Ok(DeviceLink::new(
            self.transport(*bridge)?,
            handle.clone(),
            record.id,
        ))
    }
}

/// What is said about a class of data.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum KeepSaid {
    /// Copied and opened to check.
    Safe {
        /// Where it lies.
        place: String,
    },
    /// Nothing of it there, or not wanted.
    Waived,
    /// Nothing: open again.
    Open,
}
