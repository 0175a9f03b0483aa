//! Judging from files: the examples of `docs/examples`, the published schemas, wrong input. And the
//! twelve units of the demo, judged as they are met.

use std::path::{Path, PathBuf};

use serde_json::{Value, json};

use super::support::{self, Process, path as shown};

const AT: &str = "2026-11-26T10:00:00Z";

fn docs(name: &str) -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR"))
        .join("../../docs")
        .join(name)
}

const EXAMPLES: [(&str, &str); 6] = [
    ("gull", "saltern"),
    ("tern", "saltern"),
    ("bittern", "kelpie"),
    ("curlew", "lodestar"),
    ("dunlin", "mooring"),
    ("knot", "thimble"),
];

/// Exit code, output, errors.
fn run(words: &[&str]) -> (i32, String, String) {
    let output = support::run(words);
    let text = |bytes| String::from_utf8(bytes).unwrap();
    (
        output.status.code().unwrap(),
        text(output.stdout),
        text(output.stderr),
    )
}

fn demo(data: &Path) -> Process {
    Process::start(&[
        "demo",
        "--listen",
        "127.0.0.1:0",
        "--standin",
        "127.0.0.1:0",
        "--data",
        shown(data),
        "--front",
        "none",
    ])
}

fn judged(verb: &str, example: &str, family: &str, more: &[&str]) -> (i32, String, String) {
    let facts = docs(&format!("examples/{example}.toml"));
    let facts = facts.to_string_lossy();
    let mut words = vec![verb, "--family", family, "--facts", &facts, "--at", AT];
    words.extend(more);
    run(&words)
}

#[test]
fn the_examples_come_out_as_documented() {
    let all: Vec<String> = EXAMPLES
        .iter()
        .map(|(example, family)| {
            let (code, out, _) = judged("standing", example, family, &[]);
            format!("{example}: exit {code}\n{out}")
        })
        .collect();
    insta::assert_snapshot!(all.join("\n"));
}

#[test]
fn the_plan_of_the_whole_chain_names_what_is_missing() {
    let (code, out, _) = judged("plan", "dunlin", "mooring", &["--goal", "unlock"]);
    assert_eq!(code, 1, "something is missing: {out}");
    insta::assert_snapshot!(out);
    let (code, out, _) = judged("plan", "dunlin", "mooring", &["--goal", "unlock", "--json"]);
    let plan: Value = serde_json::from_str(&out).unwrap();
    assert_eq!(code, 1);
    assert_eq!(plan["missing"], json!(["mallet-enabler-3.1"]));
    assert_eq!(plan["sheet"]["goal"], "unlock");
    assert!(plan["battery"]["begin_from_percent"].is_u64());
}

fn schema(name: &str) -> jsonschema::Validator {
    let text = std::fs::read_to_string(docs(name)).unwrap();
    jsonschema::validator_for(&serde_json::from_str(&text).unwrap()).unwrap()
}

fn as_json(text: &str) -> Value {
    let value: toml::Value = toml::from_str(text).unwrap();
    serde_json::to_value(value).unwrap()
}

/// The published schemas take what the loaders take, and refuse what they refuse.
#[test]
fn the_published_schemas_and_the_loaders_agree() {
    let family = schema("family.schema.json");
    for (file, text) in veritope_core::family::SHIPPED {
        let problems: Vec<String> = family
            .iter_errors(&as_json(text))
            .map(|error| error.to_string())
            .collect();
        assert_eq!(problems, [""; 0], "{file}");
    }
    let (_, text) = veritope_core::family::SHIPPED[0];
    for (right, wrong) in [
        ("[identity]", "[identify]"),
        ("kept = \"own-record\"", "kept = \"nowhere\""),
        ("sector_bytes = 512", "sector_bytes = \"512\""),
        ("schema = 2\n", "schema = 2\nsprite = 1\n"),
    ] {
        if !text.contains(right) {
            continue;
        }
        let wrong = text.replacen(right, wrong, 1);
        assert!(!family.is_valid(&as_json(&wrong)), "{right}");
        assert!(veritope_core::family::load("f", &wrong).is_err(), "{right}");
    }
    let facts = schema("facts.schema.json");
    for (example, _) in EXAMPLES {
        let text = std::fs::read_to_string(docs(&format!("examples/{example}.toml"))).unwrap();
        assert!(facts.is_valid(&as_json(&text)), "{example}");
    }
    assert!(!facts.is_valid(&json!({ "schema": 1, "fact": {} })));
}

/// Wrong input: one line that says what, where and what to do; exit code 2.
#[test]
fn wrong_input_is_one_clear_sentence() {
    let folder = tempfile::tempdir().unwrap();
    let put = |name: &str, text: &str| {
        let path = folder.path().join(name);
        std::fs::write(&path, text).unwrap();
        path.to_string_lossy().into_owned()
    };
    let gull = docs("examples/gull.toml").to_string_lossy().into_owned();
    let digits = put(
        "digits.toml",
        "schema = 1\n[facts]\nequipment-id = \"35712804113420\"\n",
    );
    let (_, saltern) = veritope_core::family::SHIPPED[0];
    let trap = saltern.replacen(
        "from = \"bootloader\"\nto = \"system\"",
        "from = \"bootloader\"\nto = \"bootloader\"",
        1,
    );
    let circle = put("circle.toml", &trap);
    let mut said = Vec::new();
    for words in [
        ["--family", "saltern", "--facts", &digits, "--at", AT],
        ["--family", "heron", "--facts", &gull, "--at", AT],
        ["--family", &circle, "--facts", &gull, "--at", AT],
        [
            "--family",
            "saltern",
            "--facts",
            "/nowhere.toml",
            "--at",
            AT,
        ],
        ["--family", "saltern", "--facts", &gull, "--at", "tomorrow"],
        [
            "--family",
            "saltern",
            "--facts",
            &gull,
            "--at",
            "2026-11-01T00:00:00Z",
        ],
    ] {
        let mut all = vec!["standing"];
        all.extend(words);
        let (code, out, error) = run(&all);
        assert_eq!((code, out.as_str()), (2, ""), "{words:?}");
        assert_eq!(error.trim_end().lines().count(), 1, "{error}");
        said.push(error.replace(&*folder.path().to_string_lossy(), "DIR"));
    }
    let (code, _, error) = judged("plan", "gull", "saltern", &["--goal", "fly"]);
    assert_eq!(code, 2);
    said.push(error);
    let docs = docs("").to_string_lossy().into_owned();
    insta::assert_snapshot!(said.join("").replace(&docs, "DOCS/"));
}

/// Every unit of the demo bench, as its judgement stands on the first screen.
#[test]
fn the_demo_units_are_judged_as_met() {
    let folder = tempfile::tempdir().unwrap();
    let demo = demo(&folder.path().join("demo"));
    let bench = demo.get("/api/bench");
    let mut units: Vec<Value> = bench["units"].as_array().unwrap().clone();
    let order: Vec<&str> = units
        .iter()
        .filter_map(|unit| unit["nickname"].as_str())
        .collect();
    let mut said = vec![format!("order: {}", order.join(", "))];
    units.sort_by_key(|unit| unit["nickname"].to_string());
    for unit in &units {
        let id = unit["id"].as_str().unwrap();
        let view = demo.get(&format!("/api/units/{id}/standing"));
        said.push(in_words(unit, &view["standing"]));
    }
    insta::assert_snapshot!(said.join("\n\n"));
}

/// `K3`: no whole identifier leaves the server, in answers or in files to take along.
#[test]
fn no_identifier_is_told_in_full() {
    let folder = tempfile::tempdir().unwrap();
    let data = folder.path().join("demo");
    let demo = demo(&data);
    let bench = demo.get("/api/bench");
    let mut told = bench.to_string();
    let mut pages = 0;
    for unit in bench["units"].as_array().unwrap() {
        let id = unit["id"].as_str().unwrap();
        for place in ["", "/standing", "/run", "/backups"] {
            told.push_str(&demo.get(&format!("/api/units/{id}{place}")).to_string());
            pages += 1;
        }
        told.push_str(&demo.get(&format!("/api/log?unit={id}")).to_string());
        // A mistyped identifier is nearly one: the refusal must not repeat it either.
        let wrong = json!({
            "facts": [{ "key": "equipment-id", "value": "35712804113420" }],
            "request": uuid::Uuid::now_v7().to_string(),
        });
        let (status, refusal) = demo.ask("POST", &format!("/api/units/{id}/facts"), "", &wrong);
        assert_eq!(status, 422, "{refusal}");
        told.push_str(&refusal.to_string());
    }
    assert!(pages >= 44, "{pages}");
    let seeded = [
        "35712804113420",
        "357128041134204",
        "351846174321564",
        "FL1-220417-0093",
        "9a:77:01:5c:20:e4",
        "TH5204471180",
        "5f21c09e",
    ];
    let log = std::fs::read_dir(data.join("log")).unwrap();
    let kept: String = log
        .map(|file| std::fs::read_to_string(file.unwrap().path()).unwrap())
        .collect();
    assert!(
        kept.contains(seeded[1]) && kept.contains(seeded[3]),
        "the record holds them"
    );
    for identifier in seeded {
        assert!(!told.contains(identifier), "{identifier}");
    }
}

/// A judgement without what passes with the clock: charges and moments.
fn in_words(unit: &Value, standing: &Value) -> String {
    let text = |value: &Value| value.as_str().unwrap_or("-").to_owned();
    let mut lines = vec![format!(
        "{} ({}): {} | {}",
        text(&unit["nickname"]),
        text(&unit["model_code"]),
        text(&standing["verdict"]["is"]),
        text(&standing["sentence"])
    )];
    if let Some(why) = standing["because"].as_str() {
        lines.push(format!("  because: {why}"));
    }
    for item in standing["items"].as_array().unwrap() {
        let said = match item["rule"].as_str() {
            Some("U7") if item["state"] == "met" => "(battery)".to_owned(),
            _ => text(&item["text"]),
        };
        lines.push(format!(
            "  {} {} {said}",
            text(&item["state"]),
            text(&item["rule"])
        ));
    }
    for finding in standing["findings"].as_array().unwrap() {
        lines.push(format!(
            "  {}: {} {}",
            text(&finding["level"]),
            text(&finding["rule"]),
            text(&finding["text"])
        ));
    }
    for one in standing["outlook"].as_array().unwrap() {
        let sentence = text(&one["sentence"]);
        lines.push(format!(
            "  {}: {} | {sentence}",
            text(&one["of"]),
            text(&one["outcome"])
        ));
        for item in one["items"].as_array().unwrap() {
            lines.push(format!(
                "    {} {} {}",
                text(&item["state"]),
                text(&item["rule"]),
                text(&item["text"])
            ));
        }
    }
    if let Some(chain) = standing["chain"].as_object() {
        let legs = chain["legs"].as_array().unwrap().iter().map(|leg| {
            let name = leg["name"].as_str().unwrap_or("unlock");
            format!("{name} -> {}", text(&leg["build"]))
        });
        lines.push(format!(
            "  chain: {} min, {} wipes: {}",
            chain["minutes"],
            chain["wipes"],
            legs.collect::<Vec<_>>().join("; ")
        ));
    }
    for door in standing["closing"].as_array().unwrap() {
        lines.push(format!("  closes: {}", text(door)));
    }
    if let Some(title) = standing["next_check"]["title"].as_str() {
        lines.push(format!("  check: {title}"));
    }
    lines.push(format!("  next: {}", text(&unit["next"]["sentence"])));
    lines.join("\n")
}
