//! `cargo xtask …`: what the README's two commands run, and a few more for whoever works on the
//! code. Standard library only, so that a fresh clone says something within seconds.
//!
//! * `setup`: brings what the rest needs, and does nothing where nothing changed
//! * `tell`: runs a program, says what it does and how long it took
//! * `checks`: everything that CI runs
//! * `demo`, `dev`, `bench`, `campaign`, `screenshots`: one command each

mod bench;
mod campaign;
mod checks;
mod demo;
mod dev;
mod ledger;
mod screenshots;
mod setup;
mod stamp;
mod tell;

use std::path::{Path, PathBuf};
use std::process::ExitCode;

/// Why a command came to nothing, in one sentence.
#[derive(Debug)]
struct Trouble(String);

impl<T: Into<String>> From<T> for Trouble {
    fn from(text: T) -> Self {
        Self(text.into())
    }
}

type Outcome<T = ()> = Result<T, Trouble>;

const USAGE: &str = "cargo xtask COMMAND

  demo         all set-up, then the demo bench; prints the address
               (what follows is handed to `veritope demo`, e.g. --listen 127.0.0.1:8000)
  test         all set-up, then everything that CI runs
  dev          the demo with hot reload: pages at once, the server after each build
  bench        release build, then what takes how long, against public tools; `bench read`, `look`, `judging`, `match` in part
  campaign     seeded runs over all families: `campaign --runs N --seed S`
  screenshots  the pictures in docs/screenshots, from the demo
  schema       docs/*.schema.json of what people write, docs/rules.md, docs/openapi.json and the front end's types";

/// The repository's root.
fn root() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("..")
}

fn main() -> ExitCode {
    let mut words = std::env::args().skip(1);
    let command = words.next().unwrap_or_default();
    let rest: Vec<String> = words.collect();
    let done = match command.as_str() {
        "demo" => demo::run(&rest),
        "test" => checks::run(),
        "dev" => dev::run(),
        "bench" => bench::run(&rest),
        "campaign" => campaign::run(&rest),
        "screenshots" => screenshots::run(),
        "schema" => checks::write_schema(),
        "" | "help" | "--help" | "-h" => {
            println!("{USAGE}");
            return ExitCode::SUCCESS;
        }
        other => Err(format!("`{other}` is no command.\n\n{USAGE}").into()),
    };
    match done {
        Ok(()) => ExitCode::SUCCESS,
        Err(Trouble(text)) => {
            eprintln!("xtask: {text}");
            ExitCode::FAILURE
        }
    }
}
