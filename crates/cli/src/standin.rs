//! `veritope standin`: one simulated device, kept in a folder or made for the moment.

use std::process::ExitCode;
use std::sync::Arc;

use tokio::net::TcpListener;
use tokio::runtime::Runtime;
use veritope_standin::clock::Scaled;
use veritope_standin::gate::Gate;
use veritope_standin::profile::Profile;
use veritope_standin::scheme::Scheme;
use veritope_standin::{Birth, Bridge, BridgeError, Device, LockState, Setting, serve};
use veritope_wire::body::CablePlace;

use crate::args::StandinArgs;
use crate::{CommandError, interrupted};

/// What the one device of this command is called on its bridge.
const HANDLE: &str = "dock-1";

pub(crate) fn run(args: StandinArgs) -> Result<ExitCode, CommandError> {
    let profile = Profile::named(&args.family).ok_or_else(|| {
        CommandError::Input(format!(
            "there is no stand-in for family `{}`; there are {}",
            args.family,
            veritope_standin::scheme::SCHEMES
                .map(|scheme| scheme.codename)
                .join(", ")
        ))
    })?;
    let profile = match &args.variant {
        None => profile,
        Some(variant) => profile.clone().variant(variant).ok_or_else(|| {
            let known = Scheme::named(&args.family).map_or(&[][..], |scheme| scheme.models);
            CommandError::Input(format!(
                "family {} has no variant `{variant}`; there are {}",
                args.family,
                known.join(", ")
            ))
        })?,
    };
    let made_here;
    let folder = match &args.data {
        Some(folder) => folder.join(HANDLE),
        None => {
            made_here = Temporary::new()?;
            made_here.0.join(HANDLE)
        }
    };
    let clock = Arc::new(Scaled::from(0, args.time_scale));
    let device = if folder.join("state.json").exists() {
        Device::open(&folder, clock)
    } else {
        let birth = Birth {
            handle: HANDLE.to_owned(),
            seed: 1,
            serial: "FL1-220417-0093".to_owned(),
            chip_id: "9a:77:01:5c:20:e4".to_owned(),
            lock: LockState::Locked,
            debugging: Setting::On,
            battery_percent: 81,
            cable: CablePlace::In,
        };
        let is_gated = args.family != "gimbal";
        Device::make(&folder, profile.scaled(args.size_scale), &birth, clock).and_then(
            |mut device| {
                if let (true, Some(scheme)) = (is_gated, Scheme::named(&args.family)) {
                    device.set_gate(Gate::shipped(scheme), "")?;
                }
                Ok(device)
            },
        )
    }
    .map_err(|why| BridgeError::Device {
        folder: folder.clone(),
        why,
    })?;
    let token = args.token.unwrap_or_else(uuid_token);
    let bridge = Bridge::new("stand-in", &token, [device]);
    Runtime::new()?.block_on(async {
        let listener = TcpListener::bind(args.listen)
            .await
            .map_err(|why| BridgeError::Listen {
                address: args.listen,
                why,
            })?;
        println!("http://{}", listener.local_addr()?);
        println!("token {token}");
        serve(bridge, listener, interrupted()).await?;
        Ok(ExitCode::SUCCESS)
    })
}

/// A token that nobody guesses.
pub(crate) fn uuid_token() -> String {
    uuid::Uuid::new_v4().simple().to_string()
}

/// A folder that goes when the command ends.
struct Temporary(std::path::PathBuf);

impl Temporary {
    fn new() -> std::io::Result<Self> {
        let path = std::env::temp_dir().join(format!("veritope-standin-{}", uuid_token()));
        std::fs::create_dir(&path)?;
        Ok(Self(path))
    }
}

impl Drop for Temporary {
    fn drop(&mut self) {
        // What can't be removed is the temporary folder's own business.
        let _ = std::fs::remove_dir_all(&self.0);
    }
}
