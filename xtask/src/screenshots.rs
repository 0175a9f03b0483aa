//! `cargo xtask screenshots`: the stories of the browser tests, with a camera.

use std::fs;

use crate::tell::{cargo, step};
use crate::{Outcome, Trouble, root, setup};

/// The pictures that the README shows; the stories take more.
const KEPT: [&str; 19] = [
    "bench",
    "standing",
    "bittern",
    "chain",
    "families",
    "owners-page",
    "sheet",
    "consent",
    "recovery",
    "choreography",
    "shelf",
    "table",
    "log",
    "backups",
    "withheld",
    "put-back",
    "damage",
    "settings",
    "dark-standing",
];

/// Takes them anew.
pub(crate) fn run() -> Outcome {
    setup::front_end()?;
    setup::test_programs()?;
    let taken = root().join("target/shots");
    let tests = ["test", "--quiet", "--workspace", "--test", "browser"];
    step(
        "telling the stories in the browser",
        cargo().args(tests).env("VERITOPE_SHOTS", &taken),
    )?;
    let kept = root().join("docs/screenshots");
    let failed = |error: std::io::Error| Trouble(format!("docs/screenshots: {error}"));
    fs::create_dir_all(&kept).map_err(failed)?;
    for name in KEPT {
        let file = format!("{name}.png");
        fs::copy(taken.join(&file), kept.join(&file)).map_err(failed)?;
    }
    println!(
        "{} pictures in docs/screenshots, all of them in target/shots",
        KEPT.len()
    );
    Ok(())
}
