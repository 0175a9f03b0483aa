//! `cargo xtask bench`: the release build, measured by `veritope-e2e`'s bench program.

use crate::tell::{cargo, is_here, step};
use crate::{Outcome, setup};

/// Builds and measures.
pub(crate) fn run(only: &[String]) -> Outcome {
    for tool in ["curl", "zstd", "b3sum", "file"] {
        if !is_here(tool) {
            let text =
                format!("the bench compares with {tool}; install it (apt-get install {tool})");
            return Err(text.into());
        }
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
        cargo()
            .args([
                "run",
                "--quiet",
                "--release",
                "--package",
                "veritope-e2e",
                "--bin",
                "bench",
                "--",
            ])
            .args(only),
    )
    .map(drop)
}
