//! Runs programs and says so.

use std::ffi::OsStr;
use std::process::{Command, Stdio};
use std::time::{Duration, Instant};

use crate::{Outcome, Trouble, root};

/// A program in the repository's root, ready for more arguments.
pub(crate) fn program(name: impl AsRef<OsStr>) -> Command {
    let mut command = Command::new(name);
    command.current_dir(root());
    command
}

/// The cargo that runs us.
pub(crate) fn cargo() -> Command {
    program(std::env::var_os("CARGO").unwrap_or_else(|| "cargo".into()))
}

/// A program in the front end's folder.
pub(crate) fn in_web(name: &str) -> Command {
    let mut command = Command::new(name);
    command.current_dir(root().join("web"));
    command
}

/// Says `what`, runs `command` with its output on the terminal, says how long it took.
pub(crate) fn step(what: &str, command: &mut Command) -> Outcome<Duration> {
    println!("» {what}");
    let began = Instant::now();
    let status = command
        .stdin(Stdio::null())
        .status()
        .map_err(|error| not_started(command, &error))?;
    let took = began.elapsed();
    if status.success() {
        println!("  done in {}", seconds(took));
        Ok(took)
    } else {
        Err(Trouble(format!(
            "{what}: failed after {} ({status})",
            seconds(took)
        )))
    }
}

/// What `command` prints, when it succeeds.
pub(crate) fn output(command: &mut Command) -> Outcome<Vec<u8>> {
    let output = command
        .stdin(Stdio::null())
        .stderr(Stdio::inherit())
        .output()
        .map_err(|error| not_started(command, &error))?;
    if output.status.success() {
        Ok(output.stdout)
    } else {
        let name = command.get_program().to_string_lossy();
        Err(Trouble(format!("{name} failed ({})", output.status)))
    }
}

/// Whether `name` is a program that can be started.
pub(crate) fn is_here(name: &str) -> bool {
    let paths = std::env::var_os("PATH").unwrap_or_default();
    std::env::split_paths(&paths)
        .chain(["/usr/sbin".into(), "/sbin".into()])
        .any(|folder| folder.join(name).is_file())
}

/// Seconds with one decimal, or minutes and seconds.
pub(crate) fn seconds(time: Duration) -> String {
    let whole = time.as_secs();
    if whole < 60 {
        format!("{:.1} s", time.as_secs_f64())
    } else {
        format!("{} min {} s", whole / 60, whole % 60)
    }
}

fn not_started(command: &Command, error: &std::io::Error) -> Trouble {
    let name = command.get_program().to_string_lossy();
    Trouble(format!(
        "{name} can't be started ({error}); install it first"
    ))
}
