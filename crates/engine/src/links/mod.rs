//! Bridges and what a link shows: what is there, what is read of it. What follows from it is for others:
//! the watch says which units were *seen*.
//!
//! * [`presence`]: how a link stands
//! * `watch`: when a unit is read again, and what that says of what happened meanwhile
//! * `body`: a stand-in's face and keys

pub(crate) mod body;
mod error;
pub mod presence;
pub(crate) mod watch;

pub use error::LinksError;

use std::collections::BTreeMap;
use std::sync::{Arc, Mutex};

use veritope_core::facts::{FactKey, Facts};
use veritope_core::family::Family;
use veritope_link::{DeviceLink, Transport};
use veritope_wire::link::{LINK_VERSION, OLDEST_LINK_VERSION};
use veritope_wire::{BridgeId, RequestId, UnitId};

use crate::desk::DeskError;
use crate::desk::pen::{Once, Pen, lock};
use crate::desk::record::{Entry, Scope, Way};
use crate::desk::unit::UnitRecord;
use crate::library::DataError;
use crate::library::data::Bridge;
use crate::library::kept::Library;
use crate::links::presence::{LinkPresence, Live};
use crate::ports::Connect;
use crate::turns::Turns;

/// Bridges, and what they show.
pub struct Links {
    pub(crate) pen: Arc<Pen>,
    pub(crate) library: Arc<Library>,
    pub(crate) turns: Arc<Turns>,
    connect: Arc<dyn Connect>,
    bridges: Mutex<Vec<(Bridge, Arc<dyn Transport>)>>,
    live: Mutex<BTreeMap<UnitId, Live>>,
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

impl Links {
    /// Takes up the bridges that are remembered; a file of them that makes no sense is named by the library.
    ///
    /// # Errors
    /// When it can't be read.
    pub(crate) fn open(
        library: Arc<Library>,
        turns: Arc<Turns>,
        connect: Arc<dyn Connect>,
    ) -> Result<Self, LinksError> {
        let known = match library.data.bridges() {
            Err(DataError::Unreadable { .. }) => Vec::new(),
            other => other.map_err(crate::library::LibraryError::from)?,
        };
        let mut bridges = Vec::new();
        for bridge in known {
            let transport = connect.connect(&bridge.url, &bridge.token)?;
            bridges.push((bridge, transport));
        }
        Ok(Self {
            pen: Arc::clone(&library.pen),
            library,
            turns,
            connect,
            bridges: Mutex::new(bridges),
            live: Mutex::default(),
        })
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
    ) -> Result<BridgeId, LinksError> {
        let url = url.trim().trim_end_matches('/');
        let transport = self.connect.connect(url, token.trim())?;
        let info = transport.info()?;
        let spoken = OLDEST_LINK_VERSION..=LINK_VERSION;
        if !spoken.contains(&info.link_version) {
            return Err(LinksError::BadInput(format!(
                "the bridge at {url} speaks version {} of the bench link, this program speaks {} to {}",
                info.link_version,
                spoken.start(),
                spoken.end()
            )));
        }
        let once = self.pen.once_on_the_bench(request)?;
        let mut bridges = lock(&self.bridges);
        if let Some((known, _)) = bridges.iter().find(|(known, _)| known.url == url) {
            return Ok(known.id);
        }
        let Once::First(_once) = once else {
            return Err(DeskError::AnotherRequest.into());
        };
        let name: String = info
            .name
            .chars()
            .filter(|c| !c.is_control())
            .take(60)
            .collect();
        let bridge = Bridge {
            id: BridgeId::new(self.pen.ids.fresh()),
            name: name.clone(),
            url: url.to_owned(),
            token: token.trim().to_owned(),
            extras: info.extras.into_iter().take(16).collect(),
        };
        let id = bridge.id;
        let before: Vec<Bridge> = bridges.iter().map(|(bridge, _)| bridge.clone()).collect();
        let mut all = before.clone();
        all.push(bridge.clone());
        self.library.data.set_bridges(all)?;
        let entry = Entry::BridgeAdded {
            bridge: id,
            name,
            url: url.to_owned(),
        };
        self.pen
            .note_or_take_back(Scope::Bench, request, vec![entry], || {
                self.library.data.set_bridges(before)
            })?;
        bridges.push((bridge, transport));
        Ok(id)
    }

    /// Removes a bridge; its units stay, without a link.
    ///
    /// # Errors
    /// When there is none with this id.
    pub fn remove_bridge(&self, id: BridgeId, request: RequestId) -> Result<(), LinksError> {
        let Some(_once) = self.pen.once(Scope::Bench, request)? else {
            return Ok(());
        };
        let mut bridges = lock(&self.bridges);
        let at = bridges
            .iter()
            .position(|(bridge, _)| bridge.id == id)
            .ok_or(LinksError::NoBridge(id))?;
        let before: Vec<Bridge> = bridges.iter().map(|(bridge, _)| bridge.clone()).collect();
        let mut rest = before.clone();
        let name = rest.remove(at).name;
        self.library.data.set_bridges(rest)?;
        let entry = Entry::BridgeRemoved { bridge: id, name };
        self.pen
            .note_or_take_back(Scope::Bench, request, vec![entry], || {
                self.library.data.set_bridges(before)
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

    pub(crate) fn transport(&self, id: BridgeId) -> Result<Arc<dyn Transport>, LinksError> {
        lock(&self.bridges)
            .iter()
            .find(|(bridge, _)| bridge.id == id)
            .map(|(_, transport)| Arc::clone(transport))
            .ok_or(LinksError::NoBridge(id))
    }

    /// What a bridge offers now.
    ///
    /// # Errors
    /// When it doesn't answer.
    pub fn found(&self, id: BridgeId) -> Result<Vec<FoundDevice>, LinksError> {
        let transport = self.transport(id)?;
        let units = self.pen.journal.units();
        let mut found = Vec::new();
        for line in transport.devices()?.devices {
            let way = Way::Link {
                bridge: id,
                handle: line.handle.clone(),
            };
            let facts = transport
                .state(&line.handle)
                .map(|state| state.told())
                .unwrap_or_default();
            let family = facts
                .get("codename")
                .and_then(|name| self.library.family_named(name));
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
        let Some(family) = self.library.family_by(unit, &known) else {
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

    pub(crate) fn device(&self, record: &UnitRecord) -> Result<DeviceLink, LinksError> {
        let Way::Link { bridge, handle } = &record.way else {
            return Err(LinksError::NotThisWay(
                "this unit has no link; say what you see instead",
            ));
        };
        Ok(DeviceLink::new(
            self.transport(*bridge)?,
            handle.clone(),
            record.id,
        ))
    }

    /// Facts of a unit that is in sight now, where its link has it before it (`K5`).
    pub(crate) fn sighted(&self, record: &UnitRecord, facts: Facts) -> Facts {
        let is_there = record.way != Way::Hand && self.answers(record);
        let mut sight = facts.sight();
        if is_there {
            sight.is_seen(self.pen.now(), true);
        }
        facts.in_sight(sight)
    }

    pub(crate) fn answers(&self, record: &UnitRecord) -> bool {
        record.way == Way::Hand
            || matches!(
                self.link_view(record).presence,
                LinkPresence::Ready | LinkPresence::NotAuthorised
            )
    }

    /// The name of another unit of the same model, while nothing is known by which this one is
    /// told from it (`K4`).
    pub(crate) fn twin_of(
        &self,
        record: &UnitRecord,
        family: &Family,
        facts: &Facts,
    ) -> Option<String> {
        // What two give is what they are taken for one by: an identity, or without any the model code.
        let own = family.identities(facts);
        // Over a link a unit is recognised as it is looked at.
        if !own.is_empty() && record.way != Way::Hand {
            return None;
        }
        let keys = match own.is_empty() {
            true => vec![(
                FactKey::ModelCode,
                facts.known(FactKey::ModelCode)?.value.exact(),
            )],
            false => own,
        };
        let is_same = |other: &&UnitRecord| {
            let gives = |(key, value): &(FactKey, String)| {
                let rows = other.facts.iter().filter(|row| row.key == *key);
                let live = rows.filter(|row| !other.retracted.contains(&row.id));
                let newest = live.max_by_key(|row| (row.at, row.id));
                newest.is_some_and(|row| row.value.exact() == *value)
            };
            other.id != record.id && !other.is_away && keys.iter().any(gives)
        };
        let units = self.pen.journal.units();
        let mut units = units.iter().map(|unit| &**unit);
        units.find(is_same).map(|unit| unit.nickname.clone())
    }
}
