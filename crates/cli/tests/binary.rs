//! The binary as scripts and people meet it: real processes, killed and started again.

#![expect(clippy::unwrap_used, reason = "a test fails by panicking")]

mod inspecting;
mod judging;
mod published;
mod support;

use std::fs;
use std::path::Path;

use serde_json::{Value, json};
use support::{Process, path, run};

const TOKEN: &str = "for-this-test";
const SERIAL: &str = "FL1-220417-0093";
const CHIP_ID: &str = "9a:77:01:5c:20:e4";

/// What a command that was refused says: one line, exit code 2.
fn refusal(words: &[&str]) -> String {
    let output = run(words);
    assert_eq!(output.status.code(), Some(2), "{words:?}: {output:?}");
    let text = String::from_utf8(output.stderr).unwrap();
    assert_eq!(text.trim_end().lines().count(), 1, "{words:?}: {text}");
    text
}

fn standin(folder: &Path, time_scale: &str) -> Process {
    Process::start(&[
        "standin",
        "--family",
        "gimbal",
        "--listen",
        "127.0.0.1:0",
        "--token",
        TOKEN,
        "--data",
        path(folder),
        "--time-scale",
        time_scale,
    ])
}

fn serve(data: &Path) -> Process {
    Process::start(&[
        "serve",
        "--listen",
        "127.0.0.1:0",
        "--data",
        path(data),
        "--front",
        "none",
    ])
}

/// Puts the watch onto the bench and prepares everything up to the sheet.
fn prepared(bench: &Process, watch: &Process) -> String {
    let image = veritope_standin::recovery_image("gimbal", "3.2.0");
    bench.shelve("recovery.img", image);
    let bridge = bench.post("/api/bridges", json!({ "url": watch.url, "token": TOKEN }));
    let unit = bench.post(
        "/api/units",
        json!({
            "nickname": "Sanderling", "ownership": "mine",
            "reach": { "by": "link", "bridge": bridge["id"], "handle": "dock-1" },
        }),
    );
    let unit = format!("/api/units/{}", unit["id"].as_str().unwrap());
    let facts = [
        ("accounts", "0"),
        ("screen-lock", "off"),
        ("works-waived", "waived"),
    ]
    .map(|(key, value)| json!({ "key": key, "value": value }));
    bench.post(&format!("{unit}/facts"), json!({ "facts": facts }));
    let standing = bench.get(&format!("{unit}/standing"));
    let classes: Vec<Value> = standing["keep_safe"]
        .as_array()
        .unwrap()
        .iter()
        .map(|line| json!({ "class": line["class"], "said": { "is": "waived" } }))
        .collect();
    bench.post(&format!("{unit}/keep-safe"), json!({ "classes": classes }));
    unit
}

fn begin(bench: &Process, unit: &str) {
    bench.post(&format!("{unit}/run"), json!({ "goal": "read-table" }));
}

fn take_step(bench: &Process, unit: &str) -> Value {
    let run = bench.get(&format!("{unit}/run"))["run"].clone();
    let step = format!("{unit}/run/{}/step", run["id"].as_str().unwrap());
    bench.post(&step, json!({ "revision": run["revision"] }))
}

fn consent(bench: &Process, unit: &str) {
    let run = bench.get(&format!("{unit}/run"))["run"].clone();
    let path = format!("{unit}/run/{}/consent", run["id"].as_str().unwrap());
    bench.post(
        &path,
        json!({ "revision": run["revision"], "typed": "Sanderling" }),
    );
}

fn touch(watch: &Process, button: &str) {
    let act = json!({ "do": "touch", "button": button });
    let (status, answer) = watch.ask("POST", "/v2/devices/dock-1/body", TOKEN, &act);
    assert_eq!(status, 204, "{answer}");
}

fn step_number(page: &Value) -> Option<u64> {
    page["run"]["step"]["number"].as_u64()
}

fn state(page: &Value) -> &str {
    page["run"]["step"]["state"]["is"].as_str().unwrap_or("")
}

/// Everything that the screens of one unit are made of, without what depends on the moment.
fn answers(bench: &Process, unit: &str) -> Vec<Value> {
    let id = unit.rsplit('/').next().unwrap();
    let mut all = vec![
        bench.get(unit),
        bench.get(&format!("{unit}/standing")),
        bench.get(&format!("{unit}/run")),
        bench.get("/api/bench"),
        bench.get(&format!("/api/log?unit={id}&limit=200")),
        bench.get("/api/log?limit=200"),
        bench.get(&format!("/api/log/check?unit={id}")),
        bench.get("/api/log/check"),
    ];
    for answer in &mut all {
        without_link(answer);
    }
    all
}

/// How the link stands now is looked at anew by each process, and the charge drains by the clock.
fn without_link(value: &mut Value) {
    match value {
        Value::Object(fields) => {
            if fields.contains_key("presence") {
                fields.remove("since");
            }
            fields.remove("battery_percent");
            if fields.get("rule").is_some_and(|rule| rule == "U7") {
                fields.remove("text");
            }
            fields.values_mut().for_each(without_link);
        }
        Value::Array(items) => items.iter_mut().for_each(without_link),
        _ => {}
    }
}

#[test]
fn a_killed_server_stands_at_the_truth_after_its_restart() {
    let folder = tempfile::tempdir().unwrap();
    let data = folder.path().join("data");
    let watch = standin(&folder.path().join("watch"), "4");
    let bench = serve(&data);
    let unit = prepared(&bench, &watch);
    begin(&bench, &unit);

    // While the watch restarts into its bootloader.
    let began = take_step(&bench, &unit);
    assert_eq!(began["began"], "under-way", "{began}");
    bench.kill();
    let bench = serve(&data);
    let run = format!("{unit}/run");
    let page = bench.wait(&run, |page| step_number(page) == Some(2));
    assert_eq!(page["run"]["done"][0]["result"], "as-expected");

    // While the watch asks: nobody knows, until somebody looks or it is answered.
    consent(&bench, &unit);
    take_step(&bench, &unit);
    bench.wait(&run, |page| state(page) == "asking");
    bench.kill();
    let bench = serve(&data);
    let page = bench.wait(&run, |page| state(page) == "unknown");
    let next = format!("{unit}/run/{}/step", page["run"]["id"].as_str().unwrap());
    let change =
        json!({ "revision": page["run"]["revision"], "request": uuid::Uuid::now_v7().to_string() });
    let (status, problem) = bench.ask("POST", &next, "", &change);
    assert_eq!(
        (status, problem["code"].as_str()),
        (409, Some("not-now")),
        "{problem}"
    );
    touch(&watch, "yes");
    let page = bench.wait(&run, |page| step_number(page) == Some(3));
    assert_eq!(page["run"]["done"][1]["result"], "as-expected", "{page:#}");

    // And on to the goal.
    take_step(&bench, &unit);
    bench.wait(&run, |page| step_number(page) == Some(4));
    take_step(&bench, &unit);
    let page = bench.wait(&run, |page| page["run"]["ended"] == "reached");
    assert_eq!(page["run"]["table"].as_array().unwrap().len(), 9);

    // The index is only an index: made anew, every answer is the same. The watch is gone by then,
    // so that nothing new is seen meanwhile.
    watch.kill();
    bench.wait(&unit, |tag| tag["link"]["presence"] == "bridge-gone");
    // A start notes where the chains ended; from here on they stand still.
    bench.kill();
    let bench = serve(&data);
    bench.wait(&unit, |tag| tag["link"]["presence"] == "bridge-gone");
    let before = answers(&bench, &unit);
    bench.kill();
    for ending in ["", "-wal", "-shm"] {
        let _ = fs::remove_file(data.join(format!("index.sqlite{ending}")));
    }
    let rebuilt = run_ok(&["rebuild", "--data", path(&data)]);
    assert!(rebuilt.contains("made anew"), "{rebuilt}");
    let bench = serve(&data);
    bench.wait(&unit, |tag| tag["link"]["presence"] == "bridge-gone");
    let after = answers(&bench, &unit);
    assert_eq!(before, after);

    // Identifiers are masked wherever somebody may look over a shoulder.
    let shown = serde_json::to_string(&after).unwrap();
    for secret in [SERIAL, CHIP_ID, TOKEN] {
        assert!(!shown.contains(secret), "{secret} is shown");
    }
}

fn run_ok(words: &[&str]) -> String {
    let output = run(words);
    assert!(output.status.success(), "{words:?}: {output:?}");
    String::from_utf8(output.stdout).unwrap()
}

#[test]
fn a_killed_stand_in_goes_on_where_it_was() {
    let folder = tempfile::tempdir().unwrap();
    let place = folder.path().join("watch");
    let watch = standin(&place, "100");
    let link = |url: &str, words: &[&str]| {
        let mut all = vec!["link", url, "--token", TOKEN];
        all.extend(words);
        run_ok(&all)
    };
    let before = link(&watch.url, &["state", "dock-1"]);
    assert!(before.contains("lock\tlocked"), "{before}");
    touch(&watch, "off");
    watch.kill();
    let watch = standin(&place, "100");
    let list = link(&watch.url, &["devices"]);
    assert!(list.starts_with("dock-1\tabsent"), "still off: {list}");
}

#[test]
fn a_bridge_is_asked_read_and_tested_from_the_command_line() {
    let folder = tempfile::tempdir().unwrap();
    let watch = standin(&folder.path().join("watch"), "10000");
    let link = ["link", watch.url.as_str(), "--token", TOKEN];
    fn joined<'a>(link: &[&'a str], words: &[&'a str]) -> Vec<&'a str> {
        [link, words].concat()
    }
    let state = run_ok(&joined(&link, &["state", "dock-1"]));
    assert!(state.contains("mode\t"), "{state}");
    assert!(
        !state.contains(SERIAL) && !state.contains(CHIP_ID),
        "masked: {state}"
    );
    let conform = run_ok(&joined(&link, &["conform"]));
    assert!(conform.trim_end().ends_with("0 failed"), "{conform}");
    let file = folder.path().join("out.img");
    let refused = refusal(&joined(&link, &["read", "dock-1", "boot", path(&file)]));
    assert!(
        refused.contains("gives no right to read partitions"),
        "{refused}"
    );
    assert!(!file.exists(), "nothing half-written");
    let refused = refusal(&["link", &watch.url, "--token", "wrong", "devices"]);
    assert!(refused.contains("token"), "{refused}");
    let refused = refusal(&["link", "ftp://there", "--token", TOKEN, "devices"]);
    assert!(refused.contains("not a bridge's address"), "{refused}");
}

#[test]
fn what_is_in_the_way_is_said_in_one_sentence() {
    let folder = tempfile::tempdir().unwrap();
    let data = folder.path().join("data");
    let bench = serve(&data);
    let busy = bench.url.trim_start_matches("http://").to_owned();
    let other = folder.path().join("other");
    let with = |words: &[&str]| {
        let mut all = vec!["serve", "--data", path(&other), "--listen"];
        all.extend(words);
        refusal(&all)
    };
    assert!(with(&[&busy, "--front", "none"]).contains("choose another with --listen"));
    let missing = with(&["127.0.0.1:0", "--front", "/nowhere"]);
    assert!(
        missing.contains("no built front end in /nowhere"),
        "{missing}"
    );

    fs::create_dir_all(&other).unwrap();
    fs::write(other.join("veritope.toml"), "data_version = 99\n").unwrap();
    let newer = with(&["127.0.0.1:0", "--front", "none"]);
    assert!(
        newer.contains("version 99") && newer.contains("newer Veritope"),
        "{newer}"
    );
    assert_eq!(
        fs::read_dir(&other).unwrap().count(),
        1,
        "nothing was made in it"
    );
    assert!(refusal(&["rebuild", "--data", path(&other)]).contains("version 99"));

    fs::remove_file(other.join("veritope.toml")).unwrap();
    fs::create_dir_all(other.join("families")).unwrap();
    let family =
        include_str!("../../../families/gimbal.toml").replace("usual = 20", "usual = \"soon\"");
    fs::write(other.join("families/gimbal.toml"), family).unwrap();
    let opened = serve(&other);
    let bench_view = opened.get("/api/bench");
    let damaged = bench_view["damaged"][0]["text"].as_str().unwrap();
    for part in ["gimbal.toml", "usual", "line ", "Nothing is judged"] {
        assert!(damaged.contains(part), "{damaged}");
    }
    drop(opened);

    // One folder, one process: whatever is asked of it, and before anything in it is opened.
    let before = fs::read_dir(&data).unwrap().count();
    for words in [
        vec!["serve", "--listen", "127.0.0.1:0", "--front", "none"],
        vec![
            "serve",
            "--listen",
            "127.0.0.1:0",
            "--front",
            "none",
            "--vault",
            path(&other),
        ],
        vec!["rebuild"],
        vec![
            "demo",
            "--listen",
            "127.0.0.1:0",
            "--standin",
            "127.0.0.1:0",
            "--front",
            "none",
        ],
    ] {
        let held = refusal(&[&words[..], &["--data", path(&data)]].concat());
        assert!(
            held.contains("is in use by veritope serve, process "),
            "{words:?}: {held}"
        );
    }
    assert_eq!(fs::read_dir(&data).unwrap().count(), before);
    assert_eq!(bench.get("/api/bench")["damaged"], json!([]));

    let port = refusal(&[
        "demo",
        "--listen",
        &busy,
        "--data",
        path(&folder.path().join("demo")),
        "--front",
        "none",
    ]);
    assert!(port.contains("--listen"), "{port}");
    assert!(!folder.path().join("demo").exists(), "nothing was made");
    assert!(refusal(&["standin", "--family", "nobody"]).contains("no stand-in"));
}

#[test]
fn the_demo_begins_anew_at_every_start() {
    let folder = tempfile::tempdir().unwrap();
    let start = || {
        Process::start(&[
            "demo",
            "--listen",
            "127.0.0.1:0",
            "--standin",
            "127.0.0.1:0",
            "--front",
            "none",
            "--data",
            path(folder.path()),
        ])
    };
    let demo = start();
    let bench = demo.get("/api/bench");
    let unit = bench["units"][1]["id"].as_str().unwrap().to_owned();
    demo.post(
        &format!("/api/units/{unit}/goal"),
        json!({ "goal": "unlock" }),
    );
    demo.kill();
    let demo = start();
    let bench = demo.get("/api/bench");
    let names: Vec<_> = bench["units"]
        .as_array()
        .unwrap()
        .iter()
        .map(|unit| &unit["nickname"])
        .collect();
    assert_eq!(names.len(), 12);
    for unit in bench["units"].as_array().unwrap() {
        assert_eq!(
            unit["goal"],
            Value::Null,
            "nothing is left of the last demo"
        );
    }
}

/// What each verb may do to a device. A new verb fails this until somebody has said which it is.
#[test]
fn every_verb_is_known() {
    use clap::CommandFactory;
    let found: Vec<String> = veritope::args::Args::command()
        .get_subcommands()
        .map(|verb| verb.get_name().to_owned())
        .collect();
    let known = [
        ("serve", "what its routes do"),
        ("demo", "what its routes do, to simulated devices"),
        ("standin", "is a device"),
        ("link", "reads the device"),
        ("verify", "reads places"),
        ("inspect", "reads files"),
        ("step", "asks a server, which asks the seal"),
        ("rebuild", "the index"),
        ("standing", "reads files"),
        ("plan", "reads files"),
        ("openapi", "nothing"),
    ];
    assert_eq!(found, known.map(|(verb, _)| verb));
}

/// What lies in `docs/` is what the program says of itself.
#[test]
fn the_descriptions_are_current() {
    for (of, kept) in [
        ("api", include_str!("../../../docs/openapi.json")),
        ("family", include_str!("../../../docs/family.schema.json")),
        ("facts", include_str!("../../../docs/facts.schema.json")),
        ("inspect", include_str!("../../../docs/inspect.schema.json")),
        ("rules", include_str!("../../../docs/rules.md")),
    ] {
        let now = run_ok(&["openapi", "--of", of]);
        let differs = now
            .lines()
            .zip(kept.lines())
            .find(|(now, kept)| now != kept);
        assert_eq!(differs, None, "{of}: run `cargo xtask schema`");
        assert_eq!(now.len(), kept.len(), "{of}: run `cargo xtask schema`");
    }
}
