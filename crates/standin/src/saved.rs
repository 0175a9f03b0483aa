//! What survives a killed process: one JSON file a device, replaced as a whole.

use std::collections::BTreeMap;
use std::fs::{self, File};
use std::io::{self, Write};
use std::path::Path;

use serde::{Deserialize, Serialize};
use veritope_wire::Digest;
use veritope_wire::body::{BodyKey, CablePlace};
use veritope_wire::link::{LinkEvent, Operation, OperationId};

use crate::condition::{Birth, Fault, Going, LockState, NextStart, Running, Setting, Slot};
use crate::gate::Gate;
use crate::profile::Profile;

/// A device's state on disk.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub(crate) struct Saved {
    /// Where it lies; empty when that is its folder's name.
    #[serde(default)]
    pub(crate) handle: String,
    pub(crate) profile: String,
    pub(crate) size_scale: u32,
    pub(crate) seed: u64,
    pub(crate) serial: String,
    pub(crate) chip_id: String,
    pub(crate) epoch: u64,
    pub(crate) mode: Running,
    pub(crate) lock: LockState,
    pub(crate) debugging: Setting,
    pub(crate) accounts: u32,
    pub(crate) screen_lock: Setting,
    pub(crate) next_start: NextStart,
    pub(crate) battery_millionths: i64,
    pub(crate) at_ms: i64,
    pub(crate) cable: CablePlace,
    pub(crate) starts: u32,
    pub(crate) going: Option<Going>,
    pub(crate) question: Option<OperationId>,
    /// Set before an erase begins, cleared when it is through.
    pub(crate) erasing: Option<OperationId>,
    pub(crate) next_operation: u64,
    pub(crate) operations: Vec<Operation>,
    pub(crate) events: Vec<LinkEvent>,
    pub(crate) faults: Vec<Fault>,
    /// Model code, where the family has several.
    #[serde(default)]
    pub(crate) model_code: String,
    /// The build whose bytes the factory wrote.
    #[serde(default)]
    pub(crate) build: String,
    /// Whether only its fact side is simulated.
    #[serde(default)]
    pub(crate) no_bytes: bool,
    /// What stands between it and an open lock; nothing for the watch, whose lock is simpler.
    #[serde(default)]
    pub(crate) gate: Option<Gate>,
    /// Its equipment ID as its screens show it; empty when they show none.
    #[serde(default)]
    pub(crate) equipment_id: String,
    /// What the maker signed, of checked partitions that were written over since.
    #[serde(default)]
    pub(crate) signed: BTreeMap<String, Digest>,
    /// Lock of the critical partitions, where they have one of their own.
    #[serde(default = "locked")]
    pub(crate) critical: LockState,
    /// Whether the open question is about those.
    #[serde(default)]
    pub(crate) asks_critical: bool,
    /// What fingers do to it.
    #[serde(default)]
    pub(crate) hands: Hands,
    /// How far an update is.
    #[serde(default)]
    pub(crate) merge: Merge,
    /// Its data was encrypted under other metadata than lies there now.
    #[serde(default)]
    pub(crate) data_shut: bool,
    /// How often the owner's data was erased.
    #[serde(default)]
    pub(crate) wipes: u32,
    /// The active slot, where there are two.
    #[serde(default)]
    pub(crate) slot: Slot,
    /// Administrator rights on the running system, as its owner set them.
    #[serde(default = "off")]
    pub(crate) rights: Setting,
}

fn off() -> Setting {
    Setting::Off
}

/// An update that was taken in.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub(crate) enum Merge {
    /// None, or through.
    #[default]
    None,
    /// It waits for its first start; its blocks lie in user data.
    Waiting,
    /// Its blocks lie in user data and are still being merged.
    Merging,
    /// Those blocks were erased: nothing starts any more.
    Torn,
}

impl Merge {
    /// As the link and the bootloader's screen have it.
    pub(crate) fn id(self) -> &'static str {
        match self {
            Self::None => "none",
            Self::Waiting => "waiting",
            Self::Merging | Self::Torn => "merging",
        }
    }

    /// Whether blocks that will be missed lie in user data.
    pub(crate) fn is_in_user_data(self) -> bool {
        matches!(self, Self::Waiting | Self::Merging)
    }
}

/// Keys, cable and menus, as far as they matter to what comes next. Moments are device time.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
pub(crate) struct Hands {
    /// Keys that are down, and since when.
    pub(crate) down: BTreeMap<BodyKey, i64>,
    /// When the cable went in last.
    pub(crate) cable_ms: i64,
    /// When what runs, or what is asked, last became another.
    pub(crate) since_ms: i64,
    /// Black since then, on the way to the logo.
    pub(crate) start_ms: Option<i64>,
    /// When it last shook.
    pub(crate) shook_ms: Option<i64>,
    /// Where the highlight stands.
    pub(crate) line: usize,
    /// Which list is open over what runs.
    pub(crate) list: List,
    /// Dark, but only half asleep.
    pub(crate) hibernates: bool,
    /// Whether its *off* is half sleep.
    pub(crate) fast_start: bool,
    /// Whether a program on the computer waits for it, and since when.
    pub(crate) tool_ms: Option<i64>,
    /// What it said last to whoever pressed.
    pub(crate) words: String,
}

/// A list over what runs.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub(crate) enum List {
    /// None.
    #[default]
    None,
    /// Off or restart.
    Power,
    /// Packages on the card.
    Card,
}

impl Saved {
    pub(crate) fn new(profile: &Profile, birth: &Birth, at_ms: i64) -> Self {
        Self {
            handle: String::new(),
            profile: profile.codename.to_owned(),
            size_scale: profile.size_scale,
            seed: birth.seed,
            serial: birth.serial.clone(),
            chip_id: birth.chip_id.clone(),
            epoch: 1,
            mode: Running::System,
            lock: birth.lock,
            debugging: birth.debugging,
            accounts: 0,
            screen_lock: Setting::Off,
            next_start: NextStart::Usual,
            battery_millionths: i64::from(birth.battery_percent) * 10_000,
            at_ms,
            cable: birth.cable,
            starts: 1,
            going: None,
            question: None,
            erasing: None,
            next_operation: 1,
            operations: Vec::new(),
            events: Vec::new(),
            faults: Vec::new(),
            model_code: profile.model_code.to_owned(),
            build: profile.build.to_owned(),
            no_bytes: profile.is_facts_only(),
            gate: None,
            equipment_id: String::new(),
            signed: BTreeMap::new(),
            critical: LockState::Locked,
            asks_critical: false,
            hands: Hands {
                since_ms: at_ms,
                cable_ms: at_ms,
                ..Hands::default()
            },
            merge: Merge::None,
            data_shut: false,
            wipes: 0,
            slot: Slot::A,
            rights: Setting::Off,
        }
    }
}

fn locked() -> LockState {
    LockState::Locked
}

pub(crate) fn load(path: &Path) -> io::Result<Saved> {
    let text = fs::read(path)?;
    serde_json::from_slice(&text)
        .map_err(|error| io::Error::other(format!("{}: {error}", path.display())))
}

/// Replaces the file: staged, synced, renamed, folder synced.
pub(crate) fn store(path: &Path, saved: &Saved) -> io::Result<()> {
    let staged = path.with_extension("staged");
    let mut file = File::create(&staged)?;
    file.write_all(&serde_json::to_vec_pretty(saved)?)?;
    file.sync_all()?;
    drop(file);
    fs::rename(&staged, path)?;
    match path.parent() {
        Some(folder) => File::open(folder)?.sync_all(),
        None => Ok(()),
    }
}
