//! `cargo xtask test`: everything that CI runs. All checks are taken even when one fails, so that
//! one run tells everything; what each part took is told by the ledger.

use std::fs;
use std::process::Command;
use std::time::{Duration, Instant};

use crate::ledger::{Ledger, Part};
use crate::tell::{cargo, in_web, output, program, seconds, step};
use crate::{Outcome, Trouble, root, setup};

/// Names, or beginnings of names, by which tests are counted in a part of their own. What none of them
/// fits is run with the rest, so that nothing falls between.
const NAMED: [(Part, &str, &[&str]); 3] = [
    (
        Part::Seeded,
        "seeded runs over all families",
        &["campaign::"],
    ),
    (Part::Kills, "kills", &["killed"]),
    (
        Part::Corpora,
        "units and files judged from files",
        &["judging::", "published::"],
    ),
];

/// Sets everything up, then checks.
pub(crate) fn run() -> Outcome {
    setup::test_programs()?;
    let began = Instant::now();
    let mut ledger = Ledger::default();
    build(&mut ledger)?;
    lints(&mut ledger);
    tests(&mut ledger);
    ledger.timed(Part::Rest, "drift of the front end's types", types_match);
    ledger.close();
    if ledger.failed.is_empty() {
        println!("All checks passed in {}.", seconds(began.elapsed()));
        Ok(())
    } else {
        Err(Trouble(format!(
            "{} of the checks failed: {}",
            ledger.failed.len(),
            ledger.failed.join("; ")
        )))
    }
}

/// Cargo with the linter in the compiler's place for our own crates: what is built is linted in the same go,
/// where a run of the linter by itself would check three hundred crates a second time. A warning is an error.
fn linting() -> Command {
    let mut command = cargo();
    command.env("RUSTC_WORKSPACE_WRAPPER", "clippy-driver");
    let split = "__CLIPPY_HACKERY__";
    command.env("CLIPPY_ARGS", format!("--deny{split}warnings{split}"));
    command
}

/// What comes over the network first, then our programs and tests with both cores.
fn build(ledger: &mut Ledger) -> Outcome {
    ledger.counted(Part::Rest, |_| {
        setup::front_end()?;
        step("the crates, fetched", cargo().args(["fetch", "--locked"]))
    })?;
    ledger.counted(Part::Build, |_| {
        step(
            "all programs and tests, built and linted",
            linting().args(["test", "--workspace", "--no-run"]),
        )
    })?;
    Ok(())
}

/// What is small goes beside the one that compiles, each on a core of its own.
fn lints(ledger: &mut Ledger) {
    ledger.counted(Part::Lints, take_lints);
}

fn take_lints(ledger: &mut Ledger) {
    let beside = std::thread::spawn(small_lints);
    // Of the whole workspace and as tests, so that features are unified as before and little is built anew.
    let embedded = step(
        "lints with the front end embedded",
        linting()
            .args(["test", "--no-run", "--quiet", "--workspace", "--lib"])
            .args(["--features", "veritope/embedded"]),
    );
    let small = beside
        .join()
        .unwrap_or_else(|_| vec![Err("the small lints panicked".into())]);
    for taken in small.into_iter().chain([embedded]) {
        if let Err(Trouble(text)) = taken {
            eprintln!("  {text}");
            ledger.failed.push(text);
        }
    }
}

fn small_lints() -> Vec<Outcome<Duration>> {
    let mut taken = vec![step(
        "formatting of the Rust code",
        cargo().args(["fmt", "--all", "--check"]),
    )];
    for (what, script) in [
        ("types of the front end", "typecheck"),
        ("lints of the front end", "lint"),
        ("formatting of the front end", "format"),
    ] {
        let mut command = in_web("npm");
        taken.push(step(what, command.args(["run", "--silent", script])));
    }
    let words = root().join("../shared/tools/check-words");
    if words.exists() {
        taken.push(step("reserved words", program(words).arg(".")));
    } else {
        println!("» reserved words: the list is not on this machine, so CI checks them");
    }
    taken
}

fn tests(ledger: &mut Ledger) {
    ledger.check(
        Part::Unit,
        "unit and property tests",
        linting().args(["test", "--quiet", "--workspace", "--lib", "--bin", "xtask"]),
    );
    let programs = match test_programs() {
        Ok(programs) => programs,
        Err(Trouble(text)) => {
            eprintln!("  {text}");
            ledger.failed.push(text);
            return;
        }
    };
    // The arrows between crates and the drift of docs/openapi.json are in here too.
    let through_the_door = || {
        let mut command = linting();
        // Of the whole workspace: without one package, half of what is built would be built anew.
        command.args(["test", "--workspace", "--no-fail-fast"]);
        for name in &programs {
            command.args(["--test", name]);
        }
        command.arg("--");
        command
    };
    for (part, what, names) in NAMED {
        ledger.check(part, what, through_the_door().args(names));
    }
    let mut others = through_the_door();
    for name in NAMED.iter().flat_map(|(_, _, names)| *names) {
        others.args(["--skip", name]);
    }
    ledger.check(Part::Rest, "tests through each crate's door", &mut others);
    ledger.check(
        Part::Rest,
        "examples in the documentation",
        linting().args(["test", "--quiet", "--workspace", "--doc"]),
    );
    ledger.check(
        Part::Browser,
        "stories in the browser",
        // Of the whole workspace: of one package alone, half of what is built would be built anew. A story
        // waits for half of its time, for fingers above all, so four of them keep two cores at work.
        linting().args([
            "test",
            "--workspace",
            "--test",
            "browser",
            "--",
            "--test-threads",
            "4",
        ]),
    );
}

/// Every test program of every crate, but for the browser's.
fn test_programs() -> Outcome<Vec<String>> {
    let failed = |error: std::io::Error| Trouble(format!("crates/: {error}"));
    let mut names = Vec::new();
    for krate in fs::read_dir(root().join("crates")).map_err(failed)? {
        let Ok(files) = fs::read_dir(krate.map_err(failed)?.path().join("tests")) else {
            continue;
        };
        for file in files {
            let path = file.map_err(failed)?.path();
            let name = path.file_stem().and_then(|stem| stem.to_str());
            let is_program = path.extension().is_some_and(|ending| ending == "rs");
            names.extend(name.filter(|_| is_program).map(str::to_owned));
        }
    }
    names.retain(|name| name != "browser");
    names.sort();
    Ok(names)
}

/// What the front end's types should be by `docs/openapi.json`.
fn types() -> Outcome<Vec<u8>> {
    output(in_web("npx").args(["--no-install", "openapi-typescript", "../docs/openapi.json"]))
}

fn types_match() -> Outcome {
    println!("» drift of the front end's types");
    let kept = fs::read(root().join("web/src/api/schema.gen.d.ts"))
        .map_err(|error| Trouble(format!("web/src/api/schema.gen.d.ts: {error}")))?;
    if types()?.trim_ascii() == kept.trim_ascii() {
        println!("  none");
        Ok(())
    } else {
        Err("web/src/api/schema.gen.d.ts is not what docs/openapi.json gives; run `cargo xtask schema`".into())
    }
}

/// Makes the API's description and the types from it anew.
pub(crate) fn write_schema() -> Outcome {
    setup::packages()?;
    let described = |of: &str| {
        let words = [
            "run",
            "--quiet",
            "--package",
            "veritope",
            "--",
            "openapi",
            "--of",
            of,
        ];
        output(cargo().args(words))
    };
    let write = |path: &str, bytes: &[u8]| {
        fs::write(root().join(path), bytes).map_err(|error| Trouble(format!("{path}: {error}")))
    };
    write("docs/family.schema.json", &described("family")?)?;
    write("docs/facts.schema.json", &described("facts")?)?;
    write("docs/inspect.schema.json", &described("inspect")?)?;
    write("docs/rules.md", &described("rules")?)?;
    write("docs/openapi.json", &described("api")?)?;
    write("web/src/api/schema.gen.d.ts", &types()?)
}
