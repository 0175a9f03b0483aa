//! Captures, copies and restores whose process is killed at seeded moments, and the commands that
//! read what they leave.

#![expect(clippy::unwrap_used, reason = "a test fails by panicking")]

mod full;
mod support;

use std::fs;
use std::path::{Path, PathBuf};
use std::time::{Duration, Instant};

use full::SmallDisk;
use serde_json::{Value, json};
use support::{Process, path, run};
use tempfile::TempDir;

const TOKEN: &str = "for-this-test";
/// Moments at which the process is killed, spread over the work.
const MOMENTS: u32 = 8;

struct Table {
    folder: TempDir,
    watch: Process,
    bench: Option<Process>,
    /// What the bench's data lies on, where that is a file system of its own.
    disk: Option<SmallDisk>,
    unit: String,
}

impl Table {
    /// A watch in a recovery that runs from memory, on a bench with a second place.
    fn new() -> Self {
        Self::on(|_| None)
    }

    fn on(disk: impl FnOnce(&Path) -> Option<SmallDisk>) -> Self {
        let folder = tempfile::tempdir().unwrap();
        let watch = Process::start(&[
            "standin",
            "--family",
            "gimbal",
            "--listen",
            "127.0.0.1:0",
            "--token",
            TOKEN,
            "--data",
            path(&folder.path().join("watch")),
            "--time-scale",
            "200",
        ]);
        recovery(&watch);
        let stick = folder.path().join("stick");
        fs::create_dir(&stick).unwrap();
        let mut table = Self {
            disk: disk(folder.path()),
            folder,
            watch,
            bench: None,
            unit: String::new(),
        };
        table.start();
        let url = table.watch.url.clone();
        let bridge = table
            .bench()
            .post("/api/bridges", json!({ "url": url, "token": TOKEN }));
        let unit = table.bench().post(
            "/api/units",
            json!({
                "nickname": "Ruff", "ownership": "mine",
                "reach": { "by": "link", "bridge": bridge["id"], "handle": "dock-1" },
            }),
        );
        table.unit = format!("/api/units/{}", unit["id"].as_str().unwrap());
        let place = json!({ "name": "stick", "path": path(&stick) });
        table.bench().post("/api/places", place);
        let policy = json!({ "battery_floor_percent": 50, "copies": 2, "media": "any" });
        table
            .bench()
            .post("/api/settings/policy", json!({ "policy": policy }));
        table
    }

    fn bench(&self) -> &Process {
        self.bench.as_ref().unwrap()
    }

    fn start(&mut self) {
        let data = self.folder.path().join("data");
        let words = serve(path(&data));
        self.bench = Some(match &self.disk {
            Some(disk) => disk.start(&words),
            None => Process::start(&words),
        });
    }

    fn start_where_files_end_at(&mut self, bytes: u64) {
        let data = self.folder.path().join("data");
        let words = serve(path(&data));
        self.bench = Some(Process::start_where_files_end_at(bytes, &words));
    }

    fn kill(&mut self) {
        self.bench.take().unwrap().kill();
    }

    fn vault(&self) -> PathBuf {
        self.folder.path().join("data/vault")
    }

    fn backups(&self) -> Value {
        self.bench().get(&format!("{}/backups", self.unit))
    }

    fn capture(&self) -> Value {
        self.bench().post(
            &format!("{}/captures", self.unit),
            json!({ "kind": "quick" }),
        )
    }

    /// Waits until nothing is under way; whatever ended since the start ended well.
    fn settled(&self) {
        let jobs = self.bench().wait("/api/jobs", |jobs| {
            let mut all = jobs.as_array().unwrap().iter();
            all.all(|job| !["running", "waiting"].contains(&job["state"]["is"].as_str().unwrap()))
        });
        for job in jobs.as_array().unwrap() {
            assert_eq!(job["state"]["is"], "done", "{job:#}");
        }
    }

    fn captures(&self) -> Vec<Value> {
        self.backups()["captures"].as_array().unwrap().clone()
    }

    /// Digests of a capture, by label.
    fn digests(&self, capture: &Value) -> Vec<(String, String)> {
        let id = capture["id"].as_str().unwrap();
        let view = self.bench().get(&format!("{}/captures/{id}", self.unit));
        let parts = view["partitions"].as_array().unwrap();
        let text = |value: &Value| value.as_str().unwrap().to_owned();
        parts
            .iter()
            .map(|part| (text(&part["label"]), text(&part["blake3"])))
            .collect()
    }

    fn places(&self) -> Vec<String> {
        let settings = self.bench().get("/api/settings");
        let places = settings["places"].as_array().unwrap();
        places
            .iter()
            .map(|place| place["id"].as_str().unwrap().to_owned())
            .collect()
    }

    fn device_digest(&self, label: &str) -> String {
        let file = self.folder.path().join(format!("{label}.img"));
        let _ = fs::remove_file(&file);
        let words = [
            "link",
            &self.watch.url,
            "--token",
            TOKEN,
            "read",
            "dock-1",
            label,
            path(&file),
        ];
        let output = run(&words);
        assert!(output.status.success(), "{output:?}");
        let text = String::from_utf8(output.stdout).unwrap();
        text.split_whitespace().next().unwrap().to_owned()
    }

    fn blank_persist(&self) {
        let fault = json!({ "fault": "blank", "label": "persist" });
        let (status, answer) = self
            .watch
            .ask("POST", "/v2/devices/dock-1/faults", TOKEN, &fault);
        assert_eq!(status, 204, "{answer}");
    }
}

fn serve(data: &str) -> [&str; 7] {
    [
        "serve",
        "--listen",
        "127.0.0.1:0",
        "--data",
        data,
        "--front",
        "none",
    ]
}

/// Takes the watch to a recovery, as a bridge's user would.
fn recovery(watch: &Process) {
    let state = || {
        let (_, state) = watch.ask("GET", "/v2/devices/dock-1", TOKEN, &Value::Null);
        state
    };
    let act = |kind: &str, args: Value| {
        let body = json!({ "kind": kind, "args": args, "epoch": state()["epoch"] });
        let (status, answer) = watch.ask("POST", "/v2/devices/dock-1/act", TOKEN, &body);
        assert_eq!(status, 200, "{answer}");
    };
    let until_ready = |mode: &str| {
        let until = Instant::now() + Duration::from_secs(20);
        while state()["facts"]["mode"] != mode {
            assert!(Instant::now() < until, "{mode} never comes: {}", state());
            std::thread::sleep(Duration::from_millis(5));
        }
    };
    act("restart", json!({ "mode": "bootloader" }));
    until_ready("bootloader");
    act("unlock", json!({ "form": "newer" }));
    let touch = json!({ "do": "touch", "button": "yes" });
    watch.ask("POST", "/v2/devices/dock-1/body", TOKEN, &touch);
    until_ready("bootloader");
    let image = veritope_standin::recovery_image("gimbal", "3.2.0");
    let sent = reqwest::blocking::Client::builder()
        .no_proxy()
        .build()
        .unwrap()
        .put(format!("{}/v2/devices/dock-1/memory", watch.url))
        .bearer_auth(TOKEN)
        .header("bench-epoch", state()["epoch"].to_string())
        .header(
            "bench-blake3",
            veritope_wire::Digest::of(&image).to_string(),
        )
        .body(image)
        .send()
        .unwrap();
    assert!(sent.status().is_success(), "{sent:?}");
    act("start-from-memory", json!({}));
    until_ready("temporary-recovery");
}

/// When to kill: after the `n`th of nine equal parts of what the work takes undisturbed.
fn moment(whole: Duration, n: u32) {
    std::thread::sleep(whole * n / (MOMENTS + 1));
}

fn verified(vault: &Path) -> String {
    let output = run(&["verify", path(vault)]);
    let text = String::from_utf8(output.stdout).unwrap();
    assert_eq!(output.status.code(), Some(0), "{text}");
    text
}

#[test]
fn a_capture_killed_at_eight_moments_equals_an_undisturbed_one() {
    let mut table = Table::new();
    let began = Instant::now();
    table.capture();
    table.settled();
    let whole = began.elapsed();
    let undisturbed = table.digests(&table.captures()[0]);
    for n in 1..=MOMENTS {
        let before = table.captures().len();
        // Every other one stores all of it, as the first did; the rest only looks whether it is there.
        if n % 2 == 1 {
            for folder in fs::read_dir(table.vault().join("objects")).unwrap() {
                fs::remove_dir_all(folder.unwrap().path()).unwrap();
            }
        }
        table.capture();
        moment(whole, n);
        table.kill();
        table.start();
        // It goes on by itself, without a click.
        let backups = format!("{}/backups", table.unit);
        table.bench().wait(&backups, |view| {
            view["captures"].as_array().unwrap().len() == before + 1
        });
        table.settled();
        assert_eq!(
            table.digests(&table.captures()[0]),
            undisturbed,
            "moment {n}"
        );
    }
    let until = Instant::now() + Duration::from_secs(10);
    while fs::read_dir(table.vault().join("staging")).unwrap().count() > 0 {
        assert!(Instant::now() < until, "nothing stays under way");
        std::thread::sleep(Duration::from_millis(50));
    }
    verified(&table.vault());
}

#[test]
fn a_copy_killed_at_eight_moments_is_whole_when_it_is_done_again() {
    let mut table = Table::new();
    table.capture();
    table.settled();
    let capture = table.captures()[0]["id"].as_str().unwrap().to_owned();
    let place = table.places()[1].clone();
    let stick = table.folder.path().join("stick");
    let copy = format!("{}/captures/{capture}/copy", table.unit);
    let began = Instant::now();
    table.bench().post(&copy, json!({ "place": place }));
    table.settled();
    let whole = began.elapsed();
    for n in 1..=MOMENTS {
        for folder in ["objects", "captures"] {
            fs::remove_dir_all(stick.join(folder)).unwrap();
        }
        table.bench().post(&copy, json!({ "place": place }));
        moment(whole, n);
        table.kill();
        // Whatever is there under its own name is whole: a capture without all of its objects has
        // no manifest.
        verified(&stick);
        table.start();
        table
            .bench()
            .wait(&table.unit, |tag| tag["link"]["presence"] == "ready");
        table.bench().post(&copy, json!({ "place": place }));
        table.settled();
        let text = verified(&stick);
        assert!(text.starts_with("sound"), "moment {n}: {text}");
    }
}

/// Names of what lies in a folder.
fn names(folder: &Path) -> Vec<PathBuf> {
    let all = fs::read_dir(folder).unwrap();
    all.map(|one| one.unwrap().path()).collect()
}

#[test]
fn an_export_killed_at_eight_moments_is_whole_or_not_there_and_so_is_what_takes_it_in() {
    let mut table = Table::new();
    table.capture();
    table.settled();
    let capture = table.captures()[0]["id"].as_str().unwrap().to_owned();
    let out = table.folder.path().join("out");
    fs::create_dir(&out).unwrap();
    let export = format!("{}/captures/{capture}/export", table.unit);
    let wanted = json!({ "whom": "owner", "folder": path(&out) });
    let began = Instant::now();
    table.bench().post(&export, wanted.clone());
    table.settled();
    let whole = began.elapsed();
    let is_named = |file: &PathBuf| file.extension().is_some_and(|ending| ending == "tar");
    for n in 1..=MOMENTS {
        names(&out)
            .iter()
            .for_each(|file| fs::remove_file(file).unwrap());
        table.bench().post(&export, wanted.clone());
        moment(whole, n);
        table.kill();
        let there: Vec<PathBuf> = names(&out).into_iter().filter(is_named).collect();
        for file in &there {
            verified(file);
        }
        table.start();
        table
            .bench()
            .wait(&table.unit, |tag| tag["link"]["presence"] == "ready");
        if there.is_empty() {
            table.bench().post(&export, wanted.clone());
            table.settled();
        }
        let all = names(&out);
        assert!(all.len() == 1 && is_named(&all[0]), "moment {n}: {all:?}");
        verified(&all[0]);
    }
    // Another bench takes it in, and is killed.
    let tar = names(&out).remove(0);
    let wanted = json!({ "path": path(&tar), "ownership": "mine" });
    for n in 0..=MOMENTS {
        let data = table.folder.path().join(format!("other-{n}"));
        let words = serve(path(&data));
        let other = Process::start(&words);
        other.post("/api/imports", wanted.clone());
        if n > 0 {
            moment(whole, n);
        }
        other.kill();
        let text = verified(&data.join("vault"));
        assert!(
            text.starts_with("0 captures") || text.starts_with("sound"),
            "{text}"
        );
        let other = Process::start(&words);
        let staged = names(&data.join("vault/staging"));
        assert!(staged.is_empty(), "moment {n}: {staged:?}");
        other.post("/api/imports", wanted.clone());
        other.wait("/api/jobs", |jobs| jobs[0]["state"]["is"] == "done");
        let found = other.get(&format!("/api/imports?path={}", path(&tar)));
        assert_eq!(found["here"], true, "moment {n}");
        assert_eq!(found["captures"][0]["known"], true, "moment {n}");
        assert!(verified(&data.join("vault")).starts_with("sound"));
        other.kill();
    }
}

#[test]
fn a_restore_killed_at_eight_moments_leaves_either_image_or_a_torn_one_and_finishes() {
    let mut table = Table::new();
    let original = table.device_digest("persist");
    table.capture();
    table.settled();
    let capture = table.captures()[0]["id"].as_str().unwrap().to_owned();
    let restore = format!("{}/captures/{capture}/restore", table.unit);
    table.blank_persist();
    let blank = table.device_digest("persist");
    let began = Instant::now();
    table
        .bench()
        .post(&restore, json!({ "labels": ["persist"] }));
    table.settled();
    let whole = began.elapsed();
    assert_eq!(table.device_digest("persist"), original);
    for n in 1..=MOMENTS {
        table.blank_persist();
        table
            .bench()
            .post(&restore, json!({ "labels": ["persist"] }));
        moment(whole, n);
        table.kill();
        let now = table.device_digest("persist");
        table.start();
        table
            .bench()
            .wait(&table.unit, |tag| tag["link"]["presence"] == "ready");
        let torn = table.backups()["torn"].clone();
        let is_whole = now == original || now == blank;
        assert!(
            is_whole || torn == json!(["persist"]),
            "moment {n}: {now}, torn {torn}"
        );
        // Writing waits for a person's click.
        table
            .bench()
            .post(&restore, json!({ "labels": ["persist"] }));
        table.settled();
        assert_eq!(table.device_digest("persist"), original, "moment {n}");
        assert_eq!(table.backups()["torn"], json!([]), "moment {n}");
    }
}

/// The text of the newest job, which failed: one sentence that names the file.
fn failed(table: &Table, folder: &Path) -> String {
    let jobs = table
        .bench()
        .wait("/api/jobs", |jobs| jobs[0]["state"]["is"] != "running");
    assert_eq!(jobs[0]["state"]["is"], "failed", "{jobs:#}");
    let text = jobs[0]["state"]["text"].as_str().unwrap().to_owned();
    assert_eq!(text.lines().count(), 1, "{text}");
    assert!(text.contains(path(folder)), "{text}");
    text
}

/// A write that fails in its middle, as on a full disk: said in one sentence, nothing is taken for
/// whole, and the work goes on from there once there is room.
#[test]
fn a_full_disk_ends_the_work_in_one_sentence_and_loses_nothing() {
    let mut table = Table::new();
    table.kill();
    let data = table.folder.path().join("data");
    table.start_where_files_end_at(3 << 20);
    table.capture();
    let text = failed(&table, &data.join("vault"));
    assert!(text.contains("boot.part"), "{text}");
    assert_eq!(table.captures().len(), 0);
    assert!(verified(&table.vault()).starts_with("0 captures"));
    let read = |table: &Table| {
        let job = fs::read_dir(table.vault().join("staging"))
            .unwrap()
            .next()
            .unwrap()
            .unwrap();
        fs::read_to_string(job.path().join("frames.jsonl")).unwrap()
    };
    let frames = read(&table);
    assert!(frames.contains("\"boot\",\"index\":0"), "{frames}");
    table.kill();
    // Room again: it goes on by itself, and what is there is not read again.
    table.start();
    let backups = format!("{}/backups", table.unit);
    table.bench().wait(&backups, |view| {
        view["captures"].as_array().unwrap().len() == 1
    });
    table.settled();
    let capture = table.captures()[0]["id"].as_str().unwrap().to_owned();
    verified(&table.vault());

    let copy = format!("{}/captures/{capture}/copy", table.unit);
    let place = table.places()[1].clone();
    let stick = table.folder.path().join("stick");
    table.kill();
    table.start_where_files_end_at(3 << 20);
    table
        .bench()
        .wait(&table.unit, |tag| tag["link"]["presence"] == "ready");
    table.bench().post(&copy, json!({ "place": place }));
    failed(&table, &stick);
    // A capture without its objects has no manifest.
    assert!(verified(&stick).starts_with("0 captures"));
    table.kill();
    table.start();
    table
        .bench()
        .wait(&table.unit, |tag| tag["link"]["presence"] == "ready");
    table.bench().post(&copy, json!({ "place": place }));
    table.settled();
    assert!(verified(&stick).starts_with("sound"));
}

/// The index is lost, and whoever makes it anew is killed on the way, eight times over.
#[test]
fn an_index_made_anew_and_killed_on_the_way_gives_the_same_answers() {
    let folder = tempfile::tempdir().unwrap();
    let data = folder.path().join("data");
    let words = serve(path(&data));
    let bench = Process::start(&words);
    let reach = json!({ "by": "hand", "family": "thimble" });
    let unit = bench.post(
        "/api/units",
        json!({ "nickname": "Knot", "ownership": "mine", "reach": reach }),
    );
    let unit = unit["id"].as_str().unwrap().to_owned();
    let charges: Vec<Value> = (0..100)
        .map(|n| json!({ "key": "battery", "value": format!("{n}") }))
        .collect();
    for _ in 0..40 {
        let said = json!({ "facts": charges });
        bench.post(&format!("/api/units/{unit}/facts"), said);
    }
    let log = format!("/api/log?unit={unit}&limit=200");
    let standing = format!("/api/units/{unit}/standing");
    let known = |bench: &Process| {
        let mut standing = bench.get(&standing);
        // It drains by the clock.
        standing
            .as_object_mut()
            .unwrap()
            .retain(|key, _| key == "facts" || key == "keep_safe");
        (bench.get(&log), standing)
    };
    let before = known(&bench);
    bench.kill();
    let began = Instant::now();
    let bench = Process::start(&words);
    let whole = began.elapsed();
    bench.kill();
    for n in 1..=MOMENTS {
        for ending in ["", "-wal", "-shm"] {
            let _ = fs::remove_file(data.join(format!("index.sqlite{ending}")));
        }
        let mut killed = support::veritope().args(words).spawn().unwrap();
        moment(whole, n);
        killed.kill().unwrap();
        killed.wait().unwrap();
        let bench = Process::start(&words);
        assert_eq!(known(&bench), before, "moment {n}");
        let check = bench.get(&format!("/api/log/check?unit={unit}"));
        assert_eq!(check["problem"], Value::Null, "moment {n}: {check}");
        assert_eq!(bench.get("/api/bench")["damaged"], json!([]), "moment {n}");
        bench.kill();
    }
}

#[test]
fn what_is_stored_is_told_by_the_commands_alone() {
    let table = Table::new();
    table.capture();
    table.settled();
    let persist = table
        .digests(&table.captures()[0])
        .into_iter()
        .find(|(label, _)| label == "persist")
        .unwrap()
        .1;
    let vault = table.vault();
    let object = vault.join(format!("objects/{}/{persist}.zst", &persist[..2]));
    let told = run(&["inspect", path(&object), "--json"]);
    let told: Value = serde_json::from_slice(&told.stdout).unwrap();
    let told = &told["files"][0];
    assert_eq!(
        (&told["own"]["is"], &told["own"]["blake3"]),
        (&json!("object"), &json!(persist))
    );
    assert_eq!(told["bytes"], 4 << 20);
    let unit = table.unit.rsplit('/').next().unwrap().to_owned();
    let day = fs::read_dir(vault.join("captures").join(unit))
        .unwrap()
        .next()
        .unwrap()
        .unwrap();
    let manifest = day.path().join("manifest.json");
    let told = run(&["inspect", path(&manifest)]);
    let text = String::from_utf8(told.stdout).unwrap();
    assert!(text.contains("label persist, read twice"), "{text}");
    assert!(
        !text.contains("9a:77:01:5c:20:e4"),
        "identifiers stay masked: {text}"
    );
    // Both ends of an area are looked into together, wherever one of them is met.
    let told = run(&["inspect", path(&vault), "--json"]);
    let told: Value = serde_json::from_slice(&told.stdout).unwrap();
    let tables: Vec<&Value> = told["files"]
        .as_array()
        .unwrap()
        .iter()
        .filter(|one| one["kind"] == "partition-table")
        .collect();
    assert_eq!(tables.len(), 2, "{tables:#?}");
    for table in tables {
        assert_eq!(table["findings"], json!([]), "{table:#}");
        let alone = run(&["inspect", table["file"].as_str().unwrap()]);
        assert_eq!(alone.status.code(), Some(0), "{alone:?}");
    }

    let mut bytes = fs::read(&object).unwrap();
    let middle = bytes.len() / 2;
    bytes[middle] ^= 2;
    fs::write(&object, bytes).unwrap();
    let output = run(&["verify", path(&vault)]);
    assert_eq!(output.status.code(), Some(1));
    let text = String::from_utf8(output.stdout).unwrap();
    assert!(
        text.contains("persist frame 0, bytes 0 to 4194303"),
        "{text}"
    );
    assert_eq!(run(&["inspect", path(&object)]).status.code(), Some(1));

    // Cut short, anywhere and exactly behind a frame, and gone altogether: each is named.
    let boot = table
        .digests(&table.captures()[0])
        .into_iter()
        .find(|(label, _)| label == "boot")
        .unwrap()
        .1;
    let object = vault.join(format!("objects/{}/{boot}.zst", &boot[..2]));
    let whole = fs::read(&object).unwrap();
    let frames = u32::from_le_bytes(whole[whole.len() - 9..whole.len() - 5].try_into().unwrap());
    let table_at = whole.len() - 17 - 8 * usize::try_from(frames).unwrap();
    let first = &whole[table_at + 8..table_at + 12];
    let behind_a_frame = usize::try_from(u32::from_le_bytes(first.try_into().unwrap())).unwrap();
    for cut in [whole.len() - 1, table_at, behind_a_frame, 3, 0] {
        fs::write(&object, &whole[..cut]).unwrap();
        let output = run(&["verify", path(&vault)]);
        assert_eq!(output.status.code(), Some(1), "cut at {cut}");
        let text = String::from_utf8(output.stdout).unwrap();
        assert!(
            text.contains("boot whole, bytes 0 to 12582911"),
            "cut at {cut}: {text}"
        );
    }
    fs::remove_file(&object).unwrap();
    let output = run(&["verify", path(&vault)]);
    assert_eq!(output.status.code(), Some(1));
    assert!(
        String::from_utf8(output.stdout)
            .unwrap()
            .contains("boot whole")
    );

    // A manifest of a later program spoils its own capture only.
    table.capture();
    table.settled();
    let text = fs::read_to_string(&manifest).unwrap();
    fs::write(
        &manifest,
        text.replace("\"veritope_capture\": 1", "\"veritope_capture\": 2"),
    )
    .unwrap();
    let output = run(&["verify", path(&vault)]);
    assert_eq!(output.status.code(), Some(2));
    let text = String::from_utf8(output.stdout).unwrap();
    assert!(
        text.contains("written by a newer Veritope (version 2)"),
        "{text}"
    );
    assert!(
        text.contains("sound   capture"),
        "the other one is read back: {text}"
    );
    let nothing = run(&["verify", path(table.folder.path())]);
    assert_eq!(nothing.status.code(), Some(2), "not a vault");
    let error = String::from_utf8(nothing.stderr).unwrap();
    assert_eq!(error.trim_end().lines().count(), 1, "{error}");
}

#[test]
fn a_command_card_goes_through_the_seal() {
    let table = Table::new();
    let image = veritope_standin::recovery_image("gimbal", "3.2.0");
    table.bench().shelve("r.img", image);
    table.capture();
    table.settled();
    let waived = json!({ "facts": [{ "key": "works-waived", "value": "waived" }] });
    table.bench().post(&format!("{}/facts", table.unit), waived);
    table.bench().post(
        &format!("{}/run", table.unit),
        json!({ "goal": "keep-recovery" }),
    );
    let page = || table.bench().get(&format!("{}/run", table.unit))["run"].clone();
    let id = page()["id"].as_str().unwrap().to_owned();
    let server = table.bench().url.clone();
    let step = |number: &str| run(&["step", &id, number, "--server", &server]);
    assert_eq!(
        step("2").status.code(),
        Some(2),
        "the run is at its first step"
    );
    // The card as a shell runs it, from a folder whose name needs quoting.
    let odd = table.folder.path().join("it's a $HOME `x`; rm");
    fs::create_dir(&odd).unwrap();
    let program = odd.join("veri tope");
    std::os::unix::fs::symlink(env!("CARGO_BIN_EXE_veritope"), &program).unwrap();
    let cards = veritope_core::shell::step_cards(program.to_str().unwrap(), &id, 1, &server);
    let shell = std::process::Command::new("sh")
        .arg("-c")
        .arg(&cards[0].line)
        .output()
        .unwrap();
    assert_eq!(
        shell.status.code(),
        Some(0),
        "{}: {}",
        cards[0].line,
        String::from_utf8_lossy(&shell.stderr)
    );
    let shown = table.bench().get(&format!("/api/runs/{id}/steps/1/cards"));
    assert!(
        shown[0]["line"]
            .as_str()
            .unwrap()
            .ends_with(&format!("step {id} 1 --server {server}"))
    );
    table.bench().wait(&format!("{}/run", table.unit), |page| {
        page["run"]["step"]["number"] == 2
    });
    let refused = step("2");
    assert_eq!(refused.status.code(), Some(1));
    let text = String::from_utf8(refused.stderr).unwrap();
    assert!(
        text.contains("B6 persist: 1 of 2 copies read back."),
        "{text}"
    );
    let nobody = run(&[
        "step",
        "0192f0c1-2345-7abc-8def-0123456789ab",
        "1",
        "--server",
        &server,
    ]);
    assert_eq!(nobody.status.code(), Some(2));
}
