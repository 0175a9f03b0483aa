//! `cargo xtask test`: everything that CI runs. All checks are taken even when one fails, so that
//! one run tells everything.

use std::fs;
use std::process::Command;
use std::time::Instant;

use crate::tell::{cargo, in_web, output, program, seconds, step};
use crate::{Outcome, Trouble, root, setup};

/// Sets everything up, then checks.
pub(crate) fn run() -> Outcome {
    let began = Instant::now();
    setup::test_programs()?;
    setup::front_end()?;
    let mut failed = Vec::new();
    let mut check = |what: &str, command: &mut Command| {
        if let Err(Trouble(text)) = step(what, command) {
            eprintln!("  {text}");
            failed.push(what.to_owned());
        }
    };
    check(
        "formatting of the Rust code",
        cargo().args(["fmt", "--all", "--check"]),
    );
    check(
        "types of the front end",
        in_web("npm").args(["run", "--silent", "typecheck"]),
    );
    check(
        "lints of the front end",
        in_web("npm").args(["run", "--silent", "lint"]),
    );
    check(
        "formatting of the front end",
        in_web("npm").args(["run", "--silent", "format"]),
    );
    let words = root().join("../shared/tools/check-words");
    if words.exists() {
        check("reserved words", program(words).arg("."));
    } else {
        println!("» reserved words: the list is not on this machine, so CI checks them");
    }
    let deny = ["--", "--deny", "warnings"];
    check(
        "lints of the Rust code",
        cargo()
            .args(["clippy", "--quiet", "--workspace", "--all-targets"])
            .args(deny),
    );
    check(
        "lints with the front end embedded",
        cargo()
            .args([
                "clippy",
                "--quiet",
                "--package",
                "veritope",
                "--features",
                "embedded",
            ])
            .args(deny),
    );
    // The arrows between crates, the drift of docs/openapi.json and the browser are in here too.
    check(
        "tests, with the browser",
        cargo().args(["test", "--workspace"]),
    );
    if let Err(Trouble(text)) = types_match() {
        eprintln!("  {text}");
        failed.push("drift of the front end's types".to_owned());
    }
    if failed.is_empty() {
        println!("All checks passed in {}.", seconds(began.elapsed()));
        Ok(())
    } else {
        Err(Trouble(format!(
            "{} of the checks failed: {}",
            failed.len(),
            failed.join("; ")
        )))
    }
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
    write("docs/openapi.json", &described("api")?)?;
    write("web/src/api/schema.gen.d.ts", &types()?)
}
