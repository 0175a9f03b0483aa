//! Who sits on the demo's Thursday table, and in which state each unit was met.

use std::path::Path;
use std::sync::Arc;

use veritope_core::facts::{FactGroup, FactKey};
use veritope_engine::desk::record::Way;
use veritope_engine::{Engine, NewUnit};
use veritope_standin::clock::Scaled;
use veritope_standin::gate::{Gate, Seller};
use veritope_standin::profile::Profile;
use veritope_standin::scheme::Scheme;
use veritope_standin::{Birth, Bridge, Device, LockState, Running, Setting, recovery_image};
use veritope_wire::body::CablePlace;
use veritope_wire::link::Handle;
use veritope_wire::{BridgeId, RequestId, WallTime};

use crate::CommandError;
use crate::demo::DemoError;

const HOUR_MS: i64 = 3_600_000;
/// Hours since Bittern was first online.
const ONLINE_HOURS: i64 = 61;

/// How a unit is reached.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Reach {
    Link,
    Hand,
}

/// A unit as it was met.
struct Met {
    nickname: &'static str,
    family: &'static str,
    model: &'static str,
    reach: Reach,
    serial: &'static str,
    chip_id: &'static str,
    lock: LockState,
    battery: u32,
    mode: Running,
    accounts: u32,
    build: &'static str,
    /// As its screens show it.
    equipment_id: &'static str,
    /// What the person at the counter noted.
    said: &'static [(FactKey, &'static str)],
}

const MET: [Met; 10] = [
    Met {
        nickname: "Gull",
        family: "saltern",
        model: "TH5-E",
        reach: Reach::Link,
        serial: "TH5204471180",
        chip_id: "5f21c09e",
        lock: LockState::Locked,
        battery: 64,
        mode: Running::System,
        accounts: 1,
        build: "TH5.8.3.261104",
        equipment_id: "357128041134204",
        said: &[
            (FactKey::Toggle, "on"),
            (FactKey::Accounts, "1"),
            (FactKey::ScreenLock, "off"),
            (FactKey::Bought, "open"),
            (FactKey::EquipmentId, "357128041134204"),
        ],
    },
    Met {
        nickname: "Tern",
        family: "saltern",
        model: "TH5-U",
        reach: Reach::Link,
        serial: "TH5204480312",
        chip_id: "5f21e77a",
        lock: LockState::Locked,
        battery: 72,
        mode: Running::System,
        accounts: 1,
        build: "TH5.8.3.261104",
        equipment_id: "357128049002114",
        said: &[
            (FactKey::Toggle, "greyed"),
            (FactKey::Bought, "carrier"),
            (FactKey::Paid, "yes"),
            (FactKey::Accounts, "1"),
        ],
    },
    Met {
        nickname: "Bittern",
        family: "kelpie",
        model: "OB-510E",
        reach: Reach::Link,
        serial: "R58N30ABCDE",
        chip_id: "0a5c9e2277130b4d",
        lock: LockState::Locked,
        battery: 58,
        mode: Running::System,
        accounts: 0,
        build: "OB-510.2610.v6",
        equipment_id: "356049117003126",
        said: &[
            (FactKey::Toggle, "absent"),
            (FactKey::AskedUpdates, "yes"),
            (FactKey::Accounts, "0"),
            (FactKey::ScreenLock, "off"),
        ],
    },
    Met {
        nickname: "Plover",
        family: "kelpie",
        model: "OB-510D",
        reach: Reach::Link,
        serial: "R58N31FGHJK",
        chip_id: "0a5c9e2277131f90",
        lock: LockState::Unlocked,
        battery: 77,
        mode: Running::System,
        accounts: 0,
        build: "OB-510.2610.v6",
        equipment_id: "356049112004574",
        said: &[
            (FactKey::Toggle, "fixed-on"),
            (FactKey::Recovery, "stock"),
            (
                FactKey::Complaint,
                "The maker's recovery came back after a flash.",
            ),
        ],
    },
    Met {
        nickname: "Curlew",
        family: "lodestar",
        model: "K2-G",
        reach: Reach::Link,
        serial: "K2G4471903",
        chip_id: "c771d20a41",
        lock: LockState::Locked,
        battery: 69,
        mode: Running::System,
        accounts: 0,
        build: "K2.5.2.80",
        equipment_id: "351846074321564",
        said: &[
            (FactKey::ServiceAllowed, "yes"),
            // One digit of the type code misread.
            (FactKey::EquipmentId, "351846174321564"),
            (FactKey::Accounts, "0"),
            (FactKey::ScreenLock, "off"),
        ],
    },
    Met {
        nickname: "Dunlin",
        family: "mooring",
        model: "WM-1",
        reach: Reach::Link,
        serial: "WM7731904",
        chip_id: "d0417fe2",
        lock: LockState::Locked,
        battery: 88,
        mode: Running::System,
        accounts: 0,
        build: "WM1-3.4-2610",
        equipment_id: "353401206550108",
        said: &[
            (FactKey::Toggle, "on"),
            (FactKey::Accounts, "0"),
            (FactKey::ScreenLock, "off"),
            (FactKey::Card, "in"),
            (
                FactKey::CardFiles,
                "mallet-full-3.1, mallet-3.1-to-3.2, mallet-3.2-to-3.3, mallet-3.3-to-3.4",
            ),
            (FactKey::AnswersBootloader, "yes"),
        ],
    },
    Met {
        nickname: "Knot",
        family: "thimble",
        model: "PB-2",
        reach: Reach::Link,
        serial: "PB20931177",
        chip_id: "7e11a09c",
        lock: LockState::Unlocked,
        battery: 83,
        mode: Running::System,
        accounts: 0,
        build: "bobbin-2.3",
        equipment_id: "",
        said: &[(FactKey::ToolChoice, "erase-everything")],
    },
    Met {
        nickname: "Lapwing",
        family: "cinder",
        model: "LN-3X",
        reach: Reach::Link,
        serial: "LN33407716",
        chip_id: "91b0c4d7",
        lock: LockState::Unlocked,
        battery: 91,
        mode: Running::System,
        accounts: 0,
        build: "LN3X.7.0.2607",
        equipment_id: "",
        said: &[
            (FactKey::Toggle, "fixed-on"),
            (FactKey::Recovery, "custom"),
            (FactKey::Region, "east"),
            (FactKey::Foreign, "vendor"),
            (
                FactKey::Complaint,
                "To be sold: stock was put back, the last of it was interrupted.",
            ),
        ],
    },
    Met {
        nickname: "Dotterel",
        family: "lodestar",
        model: "K2-J",
        reach: Reach::Hand,
        serial: "K2J0018842",
        chip_id: "c771d2ff03",
        lock: LockState::Locked,
        battery: 55,
        mode: Running::Animation,
        accounts: 0,
        build: "K2.5.1.77",
        equipment_id: "",
        said: &[
            (FactKey::ModelCode, "K2-J"),
            (FactKey::Starts, "animation"),
            (FactKey::EquipmentId, "none"),
            (FactKey::WorksIdentity, "no"),
            (FactKey::WorksStarts, "no"),
            (
                FactKey::Complaint,
                "Does not start; what was done to it is not known.",
            ),
        ],
    },
    Met {
        nickname: "Redshank",
        family: "halyard",
        model: "SM-9",
        reach: Reach::Link,
        serial: "SM9E40771263",
        chip_id: "7d30b1f4",
        lock: LockState::Unlocked,
        battery: 74,
        mode: Running::System,
        accounts: 0,
        build: "SM9.2.1.261021",
        equipment_id: "359180064127738",
        said: &[
            (FactKey::Toggle, "on"),
            (
                FactKey::Complaint,
                "Unlocked by somebody else; nothing was ever kept of it.",
            ),
        ],
    },
];

impl Met {
    fn handle(&self) -> String {
        self.nickname.to_lowercase()
    }

    /// What somebody wrote on it before it came here.
    fn written_over(&self) -> Vec<(&'static str, Vec<u8>)> {
        match self.nickname {
            // Stock was put back, but for the last of it, and the recovery stayed.
            "Lapwing" => vec![
                ("recovery", recovery_image("cinder", "3.2.0")),
                (
                    "vendor",
                    recovery_image("cinder", "vendor of another system"),
                ),
            ],
            _ => Vec::new(),
        }
    }

    fn device(&self, folder: &Path, seed: u64, clock: Arc<Scaled>) -> std::io::Result<Device> {
        let unknown = || std::io::Error::other(format!("no stand-in for {}", self.model));
        let profile = Profile::named(self.family)
            .and_then(|profile| profile.variant(self.model))
            .and_then(|profile| profile.on_build(self.build))
            .ok_or_else(unknown)?;
        let scheme = Scheme::named(self.family).ok_or_else(unknown)?;
        let birth = Birth {
            handle: self.handle(),
            seed,
            serial: self.serial.to_owned(),
            chip_id: self.chip_id.to_owned(),
            lock: self.lock,
            debugging: Setting::On,
            battery_percent: self.battery,
            // What is worked on by hand lies on the table without a cable.
            cable: match self.reach {
                Reach::Link => CablePlace::In,
                Reach::Hand => CablePlace::Out,
            },
        };
        let mut device = Device::make(folder, profile, &birth, clock)?;
        let mut gate = Gate::shipped(scheme);
        gate.build = self.build.to_owned();
        gate.fused = scheme.build(self.build).map_or(0, |build| build.index);
        let said = |key, value| self.said.contains(&(key, value));
        gate.switched_on = said(FactKey::Toggle, "on");
        if said(FactKey::Bought, "carrier") {
            gate.seller = Seller::Carrier;
        }
        if said(FactKey::AskedUpdates, "yes") {
            gate.asked_updates = veritope_standin::gate::Answer::Yes;
            gate.first_online_ms = Some(-ONLINE_HOURS * HOUR_MS);
        }
        if said(FactKey::Toggle, "fixed-on") {
            // Unlocked, and its maker was asked for updates since.
            gate.open = true;
            gate.asked_updates = veritope_standin::gate::Answer::Yes;
            gate.first_online_ms = Some(-ONLINE_HOURS * HOUR_MS);
        }
        for (key, value) in self.said {
            if *key == FactKey::CardFiles {
                gate.card = value.split(", ").map(str::to_owned).collect();
            }
        }
        gate.token = format!("{:016X}", 0xA1B2_C3D4_0000_0000 + seed);
        device.set_gate(gate, self.equipment_id)?;
        device.met_in(self.mode, self.accounts)?;
        for (label, bytes) in self.written_over() {
            device.found_with(label, &bytes)?;
        }
        Ok(device)
    }
}

/// The simulated devices of all units but the two watches.
pub(crate) fn devices(data: &Path, clock: &Arc<Scaled>) -> Result<Vec<Device>, CommandError> {
    MET.iter()
        .zip(21..)
        .map(|(met, seed)| {
            let folder = data.join("standin").join(met.handle());
            met.device(&folder, seed, clock.clone())
                .map_err(|why| veritope_standin::BridgeError::Device { folder, why }.into())
        })
        .collect()
}

/// Puts the units onto the bench, with what was noted at the counter.
pub(crate) fn meet(
    engine: &Engine,
    devices: &Bridge,
    bridge: BridgeId,
    now: WallTime,
) -> Result<(), CommandError> {
    let request = || RequestId::new(uuid::Uuid::now_v7());
    for met in &MET {
        devices
            .with(&met.handle(), |device| Ok(device.charged_to(met.battery)))
            .map_err(|refusal| CommandError::Input(refusal.to_string()))??;
        let (way, family) = match met.reach {
            Reach::Link => (
                Way::Link {
                    bridge,
                    handle: Handle(met.handle()),
                },
                None,
            ),
            Reach::Hand => (Way::Hand, Some(met.family.to_owned())),
        };
        let new = NewUnit {
            nickname: met.nickname.to_owned(),
            way,
            family,
            ownership: "asked".to_owned(),
        };
        let unit = engine
            .units
            .add_unit(new, request())
            .map_err(DemoError::bench)?;
        if met.reach == Reach::Link {
            engine.links.look(unit).map_err(DemoError::bench)?;
        }
        let mut said: Vec<(FactKey, String)> = met
            .said
            .iter()
            .map(|(key, value)| (*key, (*value).to_owned()))
            .collect();
        if met.said.contains(&(FactKey::AskedUpdates, "yes")) {
            let first = WallTime::nearest_ms(now.ms() - ONLINE_HOURS * HOUR_MS);
            said.push((FactKey::FirstOnline, first.to_string()));
        }
        if CHECKED.contains(&met.nickname) {
            said.extend(all_works());
        }
        engine
            .units
            .type_facts(unit, &said, request())
            .map_err(DemoError::bench)?;
    }
    Ok(())
}

/// Units whose functions were tried at the counter (`K7`).
const CHECKED: [&str; 3] = ["Gull", "Curlew", "Dunlin"];

/// Everything that is asked at intake, working.
pub(crate) fn all_works() -> impl Iterator<Item = (FactKey, String)> {
    let works = FactKey::ALL.iter().copied();
    let works = works.filter(|key| key.spec().group == FactGroup::Works);
    works.map(|key| (key, "yes".to_owned()))
}

/// The packages that owners brought along on a card, by name: Dunlin's brought all but the enabler.
pub(crate) fn brought() -> impl Iterator<Item = &'static str> {
    let dunlin = MET.iter().filter(|met| met.nickname == "Dunlin");
    let said = dunlin.flat_map(|met| met.said);
    said.filter(|(key, _)| *key == FactKey::CardFiles)
        .flat_map(|(_, names)| names.split(", "))
}
