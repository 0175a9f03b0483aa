//! A data folder on a file system of its own that fills: whatever is asked then is refused in one sentence
//! and leaves nothing, what was acknowledged stays, and everything works again with room.

mod bytes;

use std::fs;
use std::io::{BufRead, BufReader, Write};
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};

use serde_json::{Value, json};

use crate::serve;
use crate::support::{Process, path, veritope};

/// A file system in memory, mounted where only processes of its own see it.
pub(crate) struct SmallDisk {
    holder: Child,
    at: PathBuf,
}

impl SmallDisk {
    fn new(at: &Path, bytes: u64) -> Self {
        fs::create_dir_all(at).unwrap();
        let script =
            format!("mount -t tmpfs -o size={bytes} tmpfs \"$0\" && echo mounted && read _");
        let mut holder = Command::new("unshare")
            .args(["--map-root-user", "--mount", "sh", "-c", &script, path(at)])
            .stdin(Stdio::piped())
            .stdout(Stdio::piped())
            .spawn()
            .unwrap();
        let mut line = String::new();
        BufReader::new(holder.stdout.as_mut().unwrap())
            .read_line(&mut line)
            .unwrap();
        assert_eq!(line, "mounted\n", "a file system of its own for this test");
        Self {
            holder,
            at: at.to_owned(),
        }
    }

    /// Where it is seen from outside.
    fn outside(&self) -> PathBuf {
        let root = PathBuf::from(format!("/proc/{}/root", self.holder.id()));
        root.join(self.at.strip_prefix("/").unwrap())
    }

    pub(crate) fn start(&self, words: &[&str]) -> Process {
        let target = self.holder.id().to_string();
        let mut command = Command::new("nsenter");
        command
            .args(["--target", &target, "--user", "--mount"])
            .arg("--preserve-credentials")
            .arg(veritope().get_program())
            .args(words)
            .env_remove("VERITOPE_LOG");
        Process::spawn(command)
    }

    /// Takes all the room there is, to the last byte.
    fn fill(&self) {
        let mut filler = fs::File::create(self.outside().join("filler")).unwrap();
        for piece in [1 << 16, 1 << 10, 1] {
            while filler.write_all(&vec![1; piece]).is_ok() {}
        }
    }

    fn room(&self) {
        fs::remove_file(self.outside().join("filler")).unwrap();
    }
}

impl Drop for SmallDisk {
    fn drop(&mut self) {
        let _ = self.holder.kill();
        let _ = self.holder.wait();
    }
}

struct Full {
    disk: SmallDisk,
    bench: Process,
    unit: String,
    fact: String,
    elsewhere: tempfile::TempDir,
}

impl Full {
    fn new() -> Self {
        let elsewhere = tempfile::tempdir().unwrap();
        let disk = SmallDisk::new(&elsewhere.path().join("small"), 3 << 20);
        let bench = disk.start(&serve(path(&disk.at)));
        let unit = bench.post(
            "/api/units",
            json!({ "nickname": "Knot", "ownership": "mine", "reach": { "by": "hand", "family": "thimble" } }),
        );
        let unit = format!("/api/units/{}", unit["id"].as_str().unwrap());
        bench.post(
            &format!("{unit}/facts"),
            json!({ "facts": [{ "key": "battery", "value": "80" }] }),
        );
        let standing = bench.get(&format!("{unit}/standing"));
        let fact = id_of(&standing, "battery").unwrap();
        fs::create_dir(elsewhere.path().join("stick")).unwrap();
        Self {
            disk,
            bench,
            unit,
            fact,
            elsewhere,
        }
    }

    /// Every kind of thing that is written down: where it is asked for, and what.
    fn asked(&self) -> Vec<(&'static str, String, Value)> {
        let unit = |rest: &str| format!("{}/{rest}", self.unit);
        let family = include_str!("../../../../families/thimble.toml").replacen(
            "form = \"",
            "form = \"our ",
            1,
        );
        let policy = json!({ "battery_floor_percent": 45, "copies": 2, "media": "distinct" });
        let stick = self.elsewhere.path().join("stick");
        vec![
            (
                "a fact",
                unit("facts"),
                json!({ "facts": [{ "key": "battery", "value": "70" }] }),
            ),
            (
                "a waiver",
                unit("keep-safe"),
                json!({ "classes": [{ "class": "photos", "said": { "is": "waived" } }] }),
            ),
            ("a goal", unit("goal"), json!({ "goal": "read-table" })),
            ("a name", unit("name"), json!({ "nickname": "Dunlin" })),
            (
                "a policy",
                "/api/settings/policy".to_owned(),
                json!({ "policy": policy }),
            ),
            (
                "a place",
                "/api/places".to_owned(),
                json!({ "name": "stick", "path": path(&stick) }),
            ),
            (
                "a family",
                "/api/families".to_owned(),
                json!({ "text": family }),
            ),
            (
                "another unit",
                "/api/units".to_owned(),
                json!({ "nickname": "Ruff", "ownership": "mine", "reach": { "by": "hand", "family": "gimbal" } }),
            ),
        ]
    }

    fn ask(&self, address: &str, body: &Value) -> (u16, Value) {
        let mut body = body.clone();
        body["request"] = json!(uuid::Uuid::now_v7().to_string());
        self.bench.ask("POST", address, "", &body)
    }

    fn put_picture(&self) -> (u16, Value) {
        let mut bytes = b"\x89PNG\r\n\x1a\n".to_vec();
        bytes.resize(300_000, 7);
        let request = uuid::Uuid::now_v7();
        let answer = reqwest::blocking::Client::builder()
            .no_proxy()
            .build()
            .unwrap()
            .put(format!(
                "{}{}/facts/{}/picture?request={request}",
                self.bench.url, self.unit, self.fact
            ))
            .header("content-type", "image/png")
            .body(bytes)
            .send()
            .unwrap();
        (
            answer.status().as_u16(),
            answer.json().unwrap_or(Value::Null),
        )
    }

    /// All that may have been changed by what was asked.
    fn state(&self) -> Vec<Value> {
        let mut all = vec![
            self.bench.get("/api/log?limit=200"),
            self.bench.get("/api/log/check"),
            self.bench.get("/api/settings"),
            self.bench.get("/api/families"),
        ];
        let bench = self.bench.get("/api/bench");
        all.push(bench["damaged"].clone());
        let units = bench["units"].as_array().unwrap();
        all.extend(units.iter().map(|unit| unit["nickname"].clone()));
        // The room that is left is no state of the bench.
        for place in all[2]["places"].as_array_mut().unwrap() {
            place.as_object_mut().unwrap().remove("free_bytes");
        }
        all
    }
}

fn id_of(standing: &Value, key: &str) -> Option<String> {
    match standing {
        Value::Object(fields) => {
            let is_it = fields.get("key").is_some_and(|known| known == key);
            let own = fields.get("undo").and_then(Value::as_str);
            let own = own.filter(|_| is_it).map(str::to_owned);
            own.or_else(|| fields.values().find_map(|one| id_of(one, key)))
        }
        Value::Array(items) => items.iter().find_map(|one| id_of(one, key)),
        _ => None,
    }
}

fn one_sentence(what: &str, status: u16, problem: &Value) {
    assert_eq!(status, 500, "{what}: {problem}");
    let detail = problem["detail"].as_str().unwrap_or_default();
    assert!(detail.contains("No space left"), "{what}: {detail}");
    assert!(
        detail.ends_with('.') && !detail.contains('\n'),
        "{what}: {detail}"
    );
}

#[test]
fn a_full_disk_refuses_in_one_sentence_leaves_nothing_and_all_works_with_room() {
    let mut full = Full::new();
    full.disk.fill();
    // The last block of a file may have room for a line or two more: they are written, and acknowledged.
    let fact = &full.asked()[0];
    let policy = &full.asked()[4];
    for (what, address, body) in [fact, policy] {
        let lines = |full: &Full| full.state()[0]["lines"].as_array().unwrap().len();
        let before = lines(&full);
        let mut done = 0;
        let (status, problem) = loop {
            let answer = full.ask(address, body);
            if answer.0 != 200 || done > 60 {
                break answer;
            }
            done += 1;
        };
        one_sentence(what, status, &problem);
        assert_eq!(lines(&full), before + done, "acknowledged is in the log");
    }
    let before = full.state();
    let mut refused = 0;
    for (what, address, body) in full.asked() {
        let was = full.state();
        let (status, problem) = full.ask(&address, &body);
        // A short line may fit where a longer one did not.
        if status != 200 {
            one_sentence(what, status, &problem);
            assert_eq!(full.state(), was, "{what} left something");
            let stick = fs::read_dir(full.elsewhere.path().join("stick")).unwrap();
            assert_eq!(stick.count(), 0, "{what} left something elsewhere");
            refused += 1;
        }
    }
    assert!(refused >= 4, "{refused} of them were refused");
    let was = full.state();
    let (status, problem) = full.put_picture();
    one_sentence("a picture", status, &problem);
    assert_eq!(full.state(), was, "the picture left something");
    assert_eq!(was[3..], before[3..], "no family, nothing damaged");

    // Killed and started on the full disk: what is there is what was there.
    full.bench = {
        let data = path(&full.disk.at).to_owned();
        let gone = std::mem::replace(
            &mut full.bench,
            full.disk.start(&[
                "standin",
                "--family",
                "gimbal",
                "--listen",
                "127.0.0.1:0",
                "--token",
                "t",
            ]),
        );
        gone.kill();
        full.disk.start(&serve(&data))
    };
    let again = full.state();
    let of_units = |state: &Value| {
        let lines = state["lines"].as_array().unwrap().iter();
        lines
            .filter(|line| !line["unit"].is_null())
            .cloned()
            .collect::<Vec<_>>()
    };
    assert_eq!(of_units(&again[0]), of_units(&was[0]));
    assert_eq!(again[3..], was[3..]);

    full.disk.room();
    for (what, address, body) in full.asked() {
        let (status, answer) = full.ask(&address, &body);
        assert_eq!(status, 200, "{what}: {answer}");
    }
    assert_eq!(full.put_picture().0, 200);
    let state = full.state();
    assert_eq!(state[1]["problem"], Value::Null, "{}", state[1]);
    assert_eq!(state[4], json!([]), "nothing is damaged");
    let unit = full.unit.rsplit('/').next().unwrap();
    let check = full.bench.get(&format!("/api/log/check?unit={unit}"));
    assert_eq!(check["problem"], Value::Null, "{check}");
}
