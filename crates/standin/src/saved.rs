//! What survives a killed process: one JSON file a device, replaced as a whole.

use std::collections::BTreeMap;
use std::fs::{self, File};
use std::io::{self, Write};
use std::path::Path;

use serde::{Deserialize, Serialize};
use veritope_wire::Digest;
use veritope_wire::link::{LinkEvent, Operation, OperationId};

use crate::body::CablePlace;
use crate::device::{Birth, Fault, Going, LockState, NextStart, Running, Setting};
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
    /// What stands between it and an open lock; nothing for the watch, whose lock is simpler.
    #[serde(default)]
    pub(crate) gate: Option<Gate>,
    /// Its equipment ID as its screens show it; empty when they show none.
    #[serde(default)]
    pub(crate) equipment_id: String,
    /// What the maker signed, of checked partitions that were written over since.
    #[serde(default)]
    pub(crate) signed: BTreeMap<String, Digest>,
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
            gate: None,
            equipment_id: String::new(),
            signed: BTreeMap::new(),
        }
    }
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
