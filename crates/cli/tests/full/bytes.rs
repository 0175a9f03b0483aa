//! The same for what moves bytes: a capture, a copy, a put-back, what is taken over.

use serde_json::{Value, json};

use super::SmallDisk;
use crate::support::{Process, path};
use crate::{Table, serve, verified};

/// How the newest job ended.
fn ended(bench: &Process) -> Value {
    let is_over =
        |job: &Value| !["running", "waiting"].contains(&job["state"]["is"].as_str().unwrap());
    let jobs = bench.wait("/api/jobs", |jobs| {
        jobs.as_array().unwrap().iter().all(is_over)
    });
    jobs[0]["state"].clone()
}

/// What was asked, refused at once or by its job, in one sentence.
fn refused(what: &str, bench: &Process, address: &str, mut body: Value) {
    body["request"] = json!(uuid::Uuid::now_v7().to_string());
    let (status, answer) = bench.ask("POST", address, "", &body);
    let text = match status {
        200 => {
            let state = ended(bench);
            assert_eq!(state["is"], "failed", "{what}: {state}");
            state["text"].clone()
        }
        _ => answer["detail"].clone(),
    };
    let text = text.as_str().unwrap();
    assert!(text.contains("No space left"), "{what}: {text}");
    assert_eq!(text.lines().count(), 1, "{what}: {text}");
}

impl Table {
    /// What the log has, but for what the watch's battery came to meanwhile.
    fn lines(&self) -> Vec<Value> {
        let log = self.bench().get("/api/log?limit=200");
        let lines = log["lines"].as_array().unwrap().iter();
        let is_read = |line: &Value| line["sentence"].as_str().unwrap().contains("over the link");
        lines.filter(|line| !is_read(line)).cloned().collect()
    }

    /// Takes all the room, in the log's last block too: by the shortest line that there is.
    fn fill_the_disk(&self) {
        self.disk.as_ref().unwrap().fill();
        let address = format!("{}/goal", self.unit);
        let goals = ["unlock", "read-table"].iter().cycle();
        let took = goals.take(60).take_while(|goal| {
            let request = uuid::Uuid::now_v7().to_string();
            let body = json!({ "goal": goal, "request": request });
            self.bench().ask("POST", &address, "", &body).0 == 200
        });
        assert!(took.count() < 60, "a full disk takes no more");
    }
}

#[test]
fn bytes_that_find_no_room_are_refused_and_all_works_with_room() {
    let table = Table::on(|folder| Some(SmallDisk::new(&folder.join("data"), 64 << 20)));
    let disk = table.disk.as_ref().unwrap();
    let original = table.device_digest("persist");
    table.capture();
    table.settled();
    let captured = table.captures();
    let capture = captured[0]["id"].as_str().unwrap().to_owned();
    let of_capture = |what: &str| format!("{}/captures/{capture}/{what}", table.unit);
    let stick = table.folder.path().join("stick");
    let place = json!({ "place": table.places()[1] });
    let persist = json!({ "labels": ["persist"] });
    table.blank_persist();
    let blank = table.device_digest("persist");

    table.fill_the_disk();
    let lines = table.lines();
    let captures = format!("{}/captures", table.unit);
    refused(
        "a capture",
        table.bench(),
        &captures,
        json!({ "kind": "quick" }),
    );
    // The stick has room; that the copy was made could not be written down.
    refused("a copy", table.bench(), &of_capture("copy"), place.clone());
    refused(
        "a put-back",
        table.bench(),
        &of_capture("restore"),
        persist.clone(),
    );
    assert_eq!(
        table.device_digest("persist"),
        blank,
        "not a byte was written"
    );
    assert_eq!(
        table.lines(),
        lines,
        "nothing that was refused is in the log"
    );
    assert_eq!(table.captures(), captured);

    disk.room();
    table.bench().post(&of_capture("copy"), place);
    assert_eq!(ended(table.bench())["is"], "done");
    assert!(verified(&stick).starts_with("sound"));
    table.bench().post(&of_capture("restore"), persist);
    assert_eq!(ended(table.bench())["is"], "done");
    assert_eq!(table.device_digest("persist"), original);
    table.bench().post(&captures, json!({ "kind": "quick" }));
    assert_eq!(ended(table.bench())["is"], "done");
    verified(&disk.outside().join("vault"));

    // Another bench takes over what lies on the stick, and has no room for its log.
    let disk = SmallDisk::new(&table.folder.path().join("other"), 3 << 20);
    let bench = disk.start(&serve(path(&disk.at)));
    let place = bench.post(
        "/api/places",
        json!({ "name": "stick", "path": path(&stick) }),
    );
    let found = format!("/api/places/{}/found", place["id"].as_str().unwrap());
    let unit = table.unit.rsplit('/').next().unwrap();
    let wanted = json!({ "unit": unit, "ownership": "mine" });
    disk.fill();
    refused("taking over", &bench, &found, wanted.clone());
    assert_eq!(bench.get("/api/bench")["units"], json!([]));
    disk.room();
    bench.post(&found, wanted);
    assert_eq!(ended(&bench)["is"], "done");
    let backups = bench.get(&format!("{}/backups", table.unit));
    assert_eq!(backups["captures"][0]["id"].as_str().unwrap(), capture);
}
