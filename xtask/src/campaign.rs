//! Seeded runs over all families: as many as are asked for, from a seed on.

use std::process::Command;

use crate::{Outcome, Trouble, root};

/// Runs `--runs N` of them from `--seed S` on; what ended how is printed, a seed that fails is named.
pub(crate) fn run(words: &[String]) -> Outcome {
    let mut command = Command::new(std::env::var_os("CARGO").unwrap_or_else(|| "cargo".into()));
    command.current_dir(root()).args([
        "test",
        "--package",
        "veritope-engine",
        "--test",
        "runs",
        "runs_by_seed",
        "--",
        "--nocapture",
    ]);
    for pair in words.chunks(2) {
        let name = match pair[0].as_str() {
            "--runs" => "VERITOPE_RUNS",
            "--seed" => "VERITOPE_SEED",
            other => return Err(format!("`{other}` is neither --runs nor --seed").into()),
        };
        let number = pair.get(1).and_then(|text| text.parse::<u64>().ok());
        let number = number.ok_or_else(|| Trouble(format!("{} wants a number", pair[0])))?;
        command.env(name, number.to_string());
    }
    let status = command
        .status()
        .map_err(|error| Trouble(format!("cargo could not be started: {error}")))?;
    if status.success() {
        Ok(())
    } else {
        Err("a run failed; its seed stands above and replays exactly".into())
    }
}
