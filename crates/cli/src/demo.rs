//! The demo bench: twelve units of eight families, simulated, on a bridge of their own in the same
//! process. Four of them have all their bytes: two watches, Sanderling out of the box and Ruff unlocked
//! some time ago, and of the others (`table`) those that a recovery can be started on from memory.

mod shelf;
mod table;

use std::fs;
use std::net::SocketAddr;
use std::path::{Path, PathBuf};
use std::sync::Arc;

use tokio::net::TcpListener;
use tokio::sync::watch;
use tokio::task::JoinHandle;
use veritope_engine::desk::record::Way;
use veritope_engine::library::hold::{Folder, Hold};
use veritope_engine::ports::Silent;
use veritope_engine::{CaptureKind, Engine, NewUnit, StepPhase, Watcher};
use veritope_server::front::FrontEnd;
use veritope_server::{Config, Running, SystemClock, open_engine};
use veritope_standin::clock::Scaled;
use veritope_standin::profile::Profile;
use veritope_standin::{Birth, Bridge, BridgeError, Device, LockState, Setting, serve};
use veritope_vault::Vault;
use veritope_wire::body::CablePlace;
use veritope_wire::link::{ActKind, ActRequest, Handle};
use veritope_wire::{Digest, PlaceId, RequestId, UnitId};

use crate::standin::uuid_token;
use crate::{CommandError, data_home};

/// How to run the demo.
#[derive(Debug, Clone)]
pub struct DemoConfig {
    /// Address of the bench; port 0 takes a free one.
    pub listen: SocketAddr,
    /// Address of the simulated devices.
    pub standin: SocketAddr,
    /// Folder for the demo data; emptied if it is a demo's, refused if it is anything else.
    pub data: PathBuf,
    /// The front end.
    pub front: FrontEnd,
    /// How much faster than real time passes on the devices.
    pub time_scale: u32,
}

/// Why the demo can't start.
#[derive(Debug, thiserror::Error)]
pub enum DemoError {
    /// The folder holds something else.
    #[error("{} is not a demo folder and not empty; nothing was deleted, choose another with --data", .0.display())]
    NotADemo(PathBuf),
    /// The folder can't be made.
    #[error("the demo data in {} can't be made: {why}", .folder.display())]
    Folder {
        /// The folder.
        folder: PathBuf,
        /// Why.
        why: std::io::Error,
    },
    /// The bench did not take the demo units.
    #[error("the demo bench could not be set up")]
    Bench(#[source] Box<dyn std::error::Error + Send + Sync>),
}

impl DemoError {
    /// Something that the bench refused.
    pub(crate) fn bench(error: impl std::error::Error + Send + Sync + 'static) -> Self {
        Self::Bench(Box::new(error))
    }
}

/// A demo that is up.
pub struct DemoRunning {
    /// Where the bench listens.
    pub bench: SocketAddr,
    /// Where the simulated devices are.
    pub standin: SocketAddr,
    /// The devices, for tests that turn their knobs.
    pub bridge: Bridge,
    /// What a bench needs to get at the bridge.
    pub token: String,
    server: Running,
    stop_standin: watch::Sender<bool>,
    standin_served: JoinHandle<std::io::Result<()>>,
}

impl DemoRunning {
    /// Stops bench and devices.
    pub async fn stop(self) {
        self.server.stop().await;
        // Nobody listening means that it has stopped already.
        let _ = self.stop_standin.send(true);
        let _ = self.standin_served.await;
    }
}

/// Marks a folder that the demo may empty.
const MARKER: &str = "veritope-demo";

/// Where the demo data lies when nothing is said.
///
/// # Errors
/// When there is no home folder.
pub fn usual_folder() -> Result<PathBuf, CommandError> {
    data_home().map(|home| home.join("veritope-demo"))
}

/// Makes the demo data anew and serves it.
///
/// # Errors
/// See [`CommandError`]; nothing is left running then.
pub async fn start(config: DemoConfig) -> Result<DemoRunning, CommandError> {
    config
        .front
        .check()
        .map_err(veritope_server::ServeError::from)?;
    let listener = TcpListener::bind(config.standin)
        .await
        .map_err(|why| BridgeError::Listen {
            address: config.standin,
            why,
        })?;
    let standin = listener.local_addr()?;
    // A taken port is found out before anything is deleted.
    drop(TcpListener::bind(config.listen).await.map_err(|why| {
        veritope_server::ServeError::Listen {
            address: config.listen,
            why,
        }
    })?);
    // Held before anything in it is emptied, and until the bench ends.
    let hold = Hold::take(&config.data).map_err(veritope_server::ServeError::from)?;
    let token = uuid_token();
    let (data, scale, key) = (config.data.clone(), config.time_scale, token.clone());
    let (bridge, clock) = tokio::task::spawn_blocking(move || make_bridge(&data, scale, &key))
        .await
        .map_err(std::io::Error::other)??;
    let (stop_standin, mut stopping) = watch::channel(false);
    let served = serve(bridge.clone(), listener, async move {
        let _ = stopping.wait_for(|stop| *stop).await;
    });
    let standin_served = tokio::spawn(served);
    let (held, key) = (Arc::clone(&hold), token.clone());
    let devices = bridge.clone();
    tokio::task::spawn_blocking(move || set_up(&held, standin, &key, &devices, &clock))
        .await
        .map_err(std::io::Error::other)??;
    let server = veritope_server::start(Config {
        listen: config.listen,
        data: Folder::Held(hold),
        vault: None,
        front: config.front,
    })
    .await?;
    Ok(DemoRunning {
        bench: server.address,
        standin,
        bridge,
        token,
        server,
        stop_standin,
        standin_served,
    })
}

fn make_bridge(
    data: &Path,
    time_scale: u32,
    token: &str,
) -> Result<(Bridge, Arc<Scaled>), CommandError> {
    let refuse = |why| DemoError::Folder {
        folder: data.to_owned(),
        why,
    };
    empty(data).map_err(|error| match error.kind() {
        std::io::ErrorKind::DirectoryNotEmpty => DemoError::NotADemo(data.to_owned()),
        _ => refuse(error),
    })?;
    let clock = Arc::new(Scaled::from(0, time_scale));
    let unit = |handle: &str, seed, serial: &str, chip_id: &str, lock, battery_percent| Birth {
        handle: handle.to_owned(),
        seed,
        serial: serial.to_owned(),
        chip_id: chip_id.to_owned(),
        lock,
        debugging: Setting::On,
        battery_percent,
        cable: CablePlace::In,
    };
    let births = [
        unit(
            "sanderling",
            11,
            "FL1-220417-0093",
            "9a:77:01:5c:20:e4",
            LockState::Locked,
            81,
        ),
        unit(
            "ruff",
            12,
            "FL1-211130-0417",
            "9a:77:01:31:b8:0d",
            LockState::Unlocked,
            46,
        ),
    ];
    let mut devices = Vec::new();
    for birth in &births {
        let folder = data.join("standin").join(&birth.handle);
        let device = Device::make(&folder, Profile::gimbal(), birth, clock.clone())
            .map_err(|why| BridgeError::Device { folder, why })?;
        devices.push(device);
    }
    devices.extend(table::devices(data, &clock)?);
    Ok((Bridge::new("Thursday table", token, devices), clock))
}

/// Empties a demo's folder, or makes a new one.
fn empty(data: &Path) -> std::io::Result<()> {
    fs::create_dir_all(data)?;
    let is_demo = data.join(MARKER).exists();
    let is_empty = fs::read_dir(data)?.next().is_none();
    if !is_demo && !is_empty {
        return Err(std::io::ErrorKind::DirectoryNotEmpty.into());
    }
    // The marker goes last and comes first, so that a killed demo's folder is known again.
    for entry in fs::read_dir(data)? {
        let entry = entry?;
        if entry.file_name() == MARKER {
            continue;
        }
        if entry.file_type()?.is_dir() {
            fs::remove_dir_all(entry.path())?;
        } else {
            fs::remove_file(entry.path())?;
        }
    }
    fs::write(
        data.join(MARKER),
        "This folder is emptied whenever the demo starts.\n",
    )
}

/// Name of the demo's second place, a stand-in's stick, which the bench takes for a medium of its own.
const STICK: &str = "stick";

fn set_up(
    hold: &Arc<Hold>,
    standin: SocketAddr,
    token: &str,
    devices: &Bridge,
    clock: &Scaled,
) -> Result<(), CommandError> {
    let request = || RequestId::new(uuid::Uuid::now_v7());
    let data = hold.path();
    // Made beside, while the units are met.
    let files = std::thread::spawn(shelf::files);
    let (engine, _store) = open_engine(Folder::Held(Arc::clone(hold)), None, Arc::new(Silent))?;
    let bridge = engine
        .links
        .add_bridge(&format!("http://{standin}"), token, request())
        .map_err(DemoError::bench)?;
    let mut units = Vec::new();
    for (nickname, handle) in [("Sanderling", "sanderling"), ("Ruff", "ruff")] {
        let new = NewUnit {
            nickname: nickname.to_owned(),
            way: Way::Link {
                bridge,
                handle: Handle(handle.to_owned()),
            },
            family: None,
            ownership: "asked".to_owned(),
        };
        let unit = engine
            .units
            .add_unit(new, request())
            .map_err(DemoError::bench)?;
        let works: Vec<_> = table::all_works().collect();
        engine
            .units
            .type_facts(unit, &works, request())
            .map_err(DemoError::bench)?;
        units.push(unit);
    }
    let mut policy = engine.library.policy();
    policy.media = veritope_core::budget::Media::Any;
    engine
        .library
        .set_policy(policy, request())
        .map_err(DemoError::bench)?;
    let stick = data.join(STICK);
    Vault::declare(&stick, PlaceId::new(uuid::Uuid::now_v7()))?;
    let stick = engine
        .library
        .add_place(STICK, &stick.to_string_lossy(), request())
        .map_err(DemoError::bench)?;
    engine
        .library
        .take_for_a_medium(stick, "stand-in stick")
        .map_err(DemoError::bench)?;
    if let Some(ruff) = units.last() {
        ruffs_past(&engine, devices, clock, *ruff, stick)?;
    }
    let files = files
        .join()
        .unwrap_or_else(|_| Err(std::io::Error::other("the shelf's files could not be made")))
        .map_err(DemoError::bench)?;
    shelf::fill(&engine, files)?;
    table::meet(&engine, devices, bridge, SystemClock.wall())
}

/// Ruff was here before: two captures, the older one copied to the stick, and one bit of it flipped
/// on this disk since.
fn ruffs_past(
    engine: &Engine,
    devices: &Bridge,
    clock: &Scaled,
    unit: UnitId,
    stick: PlaceId,
) -> Result<(), CommandError> {
    let handle = "ruff";
    let act = |kind: ActKind, mode: &str| -> Result<(), CommandError> {
        devices
            .with(handle, |device| {
                let epoch = device.line().epoch;
                if kind == ActKind::StartFromMemory {
                    let image = veritope_standin::recovery_image("gimbal", "3.2.0");
                    let digest = Digest::of(&image);
                    device.put_memory(image, epoch, digest)?;
                }
                let args = [("mode".to_owned(), mode.to_owned())].into();
                device.act(&ActRequest { kind, args, epoch })
            })
            .map_err(|refusal| CommandError::Input(refusal.to_string()))?;
        clock.skip(180);
        engine.links.look(unit).map_err(DemoError::bench)?;
        Ok(())
    };
    let nobody = Nobody;
    let mut captures = Vec::new();
    for _ in 0..2 {
        act(ActKind::Restart, "bootloader")?;
        act(ActKind::StartFromMemory, "")?;
        let taken = engine
            .keeping
            .capture(unit, &CaptureKind::Quick, &nobody)
            .map_err(DemoError::bench)?;
        captures.push(taken);
        act(ActKind::Restart, "system")?;
    }
    let Some(older) = captures.first().copied() else {
        return Ok(());
    };
    engine
        .keeping
        .copy(unit, older, stick, &nobody)
        .map_err(DemoError::bench)?;
    let view = engine
        .views
        .capture_view(unit, older)
        .map_err(DemoError::bench)?;
    let persist = view
        .partitions
        .iter()
        .find(|part| part.label.as_str() == "persist");
    let own = engine.library.places().into_iter().find(|place| place.own);
    if let (Some(part), Some(own)) = (persist, own) {
        let hex = part.blake3.to_string();
        let object = Path::new(&own.path).join("objects").join(&hex[..2]);
        flip_a_bit(&object.join(format!("{hex}.zst")))?;
        engine
            .keeping
            .verify(unit, older, own.id, &nobody)
            .map_err(DemoError::bench)?;
    }
    Ok(())
}

fn flip_a_bit(file: &Path) -> std::io::Result<()> {
    let mut bytes = fs::read(file)?;
    let middle = bytes.len() / 2;
    if let Some(byte) = bytes.get_mut(middle) {
        *byte ^= 0x08;
    }
    fs::write(file, bytes)
}

/// Watches nothing.
struct Nobody;

impl Watcher for Nobody {
    fn phase(&self, _: &StepPhase) {}

    fn should_stop(&self) -> bool {
        false
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_folder_that_is_not_a_demos_is_left_alone() {
        let folder = tempfile::tempdir().unwrap();
        fs::write(folder.path().join("thesis.txt"), "years of work").unwrap();
        let error = make_bridge(folder.path(), 1, "t").err().unwrap();
        assert!(error.to_string().contains("nothing was deleted"), "{error}");
        assert!(folder.path().join("thesis.txt").exists());
    }
}
