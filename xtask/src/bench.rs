//! `cargo xtask bench`: the release build, measured by `veritope-e2e`'s bench program.

use crate::tell::{cargo, is_here, step};
use crate::{Outcome, setup};

/// Builds and measures.
pub(crate) fn run() -> Outcome {
    if !is_here("curl") {
        return Err("the bench compares with curl; install it (apt-get install curl)".into());
    }
    setup::front_end()?;
    step(
        "building for release (the first time about ten minutes)",
        cargo().args([
            "build",
            "--release",
            "--package",
            "veritope",
            "--package",
            "veritope-e2e",
        ]),
    )?;
    step(
        "measuring",
        cargo().args([
            "run",
            "--quiet",
            "--release",
            "--package",
            "veritope-e2e",
            "--bin",
            "bench",
        ]),
    )
    .map(drop)
}
