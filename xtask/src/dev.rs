//! `cargo xtask dev`: pages reload as they are saved; the server is built and started anew after
//! each change of Rust code. The demo data begins anew with it.

use std::process::Child;
use std::time::Duration;

use crate::tell::{cargo, in_web, program, step};
use crate::{Outcome, Trouble, root, setup, stamp};

/// How often the sources are looked at.
const LOOK_EVERY: Duration = Duration::from_secs(1);

/// Runs until it is interrupted.
pub(crate) fn run() -> Outcome {
    setup::packages()?;
    setup::binary()?;
    let mut pages = Ended(
        in_web("npm")
            .args(["run", "--silent", "dev"])
            .spawn()
            .map_err(|error| Trouble(format!("the page server can't be started: {error}")))?,
    );
    println!("Pages with hot reload: http://127.0.0.1:7312");
    let mut built_from = sources()?;
    let mut server = Some(start()?);
    loop {
        std::thread::sleep(LOOK_EVERY);
        if let Ok(Some(status)) = pages.0.try_wait() {
            return Err(Trouble(format!("the page server ended ({status})")));
        }
        let now = sources()?;
        if now == built_from {
            continue;
        }
        built_from = now;
        match step(
            "building the server",
            cargo().args(["build", "--quiet", "--package", "veritope"]),
        ) {
            Ok(_) => {
                drop(server.take());
                server = Some(start()?);
            }
            Err(Trouble(text)) => println!("{text}; the server before goes on"),
        }
    }
}

fn sources() -> Outcome<String> {
    stamp::of(&root(), &["crates", "families", "Cargo.toml", "Cargo.lock"])
}

fn start() -> Outcome<Ended> {
    let data = root().join("target/dev-data");
    program(root().join("target/debug/veritope"))
        .args(["demo", "--front", "none", "--data"])
        .arg(data)
        .spawn()
        .map(Ended)
        .map_err(|error| Trouble(format!("the server can't be started: {error}")))
}

/// A process that ends with us.
struct Ended(Child);

impl Drop for Ended {
    fn drop(&mut self) {
        // It may have ended already.
        let _ = self.0.kill();
        let _ = self.0.wait();
    }
}
