//! The server over real HTTP on a port of its own: every route of the API's description against
//! foreign callers, large bodies and odd ids; the page and its headers; the upgrade fixtures.

#![expect(clippy::unwrap_used, reason = "a test fails by panicking")]

use std::path::{Path, PathBuf};

use reqwest::blocking::{Client, Response};
use reqwest::{Method, StatusCode};
use serde_json::{Value, json};
use tempfile::TempDir;
use tokio::runtime::Runtime;
use veritope_engine::library::hold::Folder;
use veritope_server::front::FrontEnd;
use veritope_server::{Config, Running, openapi};

struct Served {
    runtime: Runtime,
    running: Option<Running>,
    base: String,
    client: Client,
    folder: TempDir,
}

impl Served {
    fn new(front: FrontEnd) -> Self {
        Self::on(tempfile::tempdir().unwrap(), front)
    }

    fn on(folder: TempDir, front: FrontEnd) -> Self {
        let runtime = Runtime::new().unwrap();
        let config = Config {
            listen: "127.0.0.1:0".parse().unwrap(),
            data: Folder::Free(folder.path().join("data")),
            vault: None,
            front,
        };
        let running = runtime.block_on(veritope_server::start(config)).unwrap();
        Self {
            base: format!("http://{}", running.address),
            runtime,
            running: Some(running),
            client: Client::builder().no_proxy().build().unwrap(),
            folder,
        }
    }

    fn ask(&self, method: &str, path: &str, body: &Value) -> (StatusCode, Value) {
        let method = Method::from_bytes(method.as_bytes()).unwrap();
        let send = || {
            let request = self
                .client
                .request(method.clone(), format!("{}{path}", self.base));
            request.json(body).send()
        };
        // A body that is refused while it is still on its way can take the connection along before the answer
        // was read: it is sent again, and the answer has to come.
        let answer = (0..5).find_map(|_| send().ok());
        let answer = answer.unwrap_or_else(|| send().unwrap());
        (answer.status(), answer.json().unwrap_or(Value::Null))
    }

    fn get(&self, path: &str) -> Value {
        let (status, body) = self.ask("GET", path, &Value::Null);
        assert_eq!(status, StatusCode::OK, "{path}: {body}");
        body
    }

    /// A unit by hand; gives its id.
    fn add_unit(&self, nickname: &str) -> String {
        let body = json!({
            "nickname": nickname, "ownership": "mine", "request": request(),
            "reach": { "by": "hand", "family": "gimbal" },
        });
        let (status, made) = self.ask("POST", "/api/units", &body);
        assert_eq!(status, StatusCode::OK, "{made}");
        made["id"].as_str().unwrap().to_owned()
    }

    fn log_lines(&self) -> usize {
        self.get("/api/log?limit=200")["lines"]
            .as_array()
            .unwrap()
            .len()
    }
}

impl Drop for Served {
    fn drop(&mut self) {
        if let Some(running) = self.running.take() {
            self.runtime.block_on(running.stop());
        }
    }
}

fn request() -> String {
    uuid::Uuid::now_v7().to_string()
}

const NOBODY: &str = "0192f0c1-2345-7abc-8def-0123456789ab";

/// Every operation of the API's description: method, path, whether it takes a body.
fn operations() -> Vec<(String, String, bool)> {
    let description: Value = serde_json::from_str(&openapi()).unwrap();
    let mut all = Vec::new();
    for (path, methods) in description["paths"].as_object().unwrap() {
        for (method, operation) in methods.as_object().unwrap() {
            let takes_body = operation.get("requestBody").is_some();
            all.push((method.to_uppercase(), path.clone(), takes_body));
        }
    }
    assert!(all.len() >= 20, "{} operations described", all.len());
    all
}

/// The path with every id replaced.
/// The digest of no file.
const NO_FILE: &str = "af1349b9f5f9a1a6a0404dea36dcc9499bcb25c9adc112b7cc9a93cae41f3262";

fn with_ids(path: &str, id: &str) -> String {
    let mut filled = String::new();
    for segment in path.split('/').skip(1) {
        filled.push('/');
        filled.push_str(match segment {
            // Files are known by their digests.
            "{file}" if id == NOBODY => NO_FILE,
            segment if segment.starts_with('{') => id,
            segment => segment,
        });
    }
    filled
}

fn code(answer: Response) -> String {
    let problem: Value = answer.json().unwrap();
    problem["code"].as_str().unwrap_or_default().to_owned()
}

#[test]
fn foreign_hosts_and_origins_reach_no_route() {
    let served = Served::new(FrontEnd::None);
    let before = served.log_lines();
    for (method, path, _) in operations() {
        let url = format!("{}{}", served.base, with_ids(&path, NOBODY));
        let request = || {
            let method = Method::from_bytes(method.as_bytes()).unwrap();
            served.client.request(method, &url).body("{}")
        };
        let host = request().header("host", "bench.example").send().unwrap();
        assert_eq!(host.status(), 421, "{method} {path}");
        assert_eq!(code(host), "foreign-host");
        for origin in ["http://bench.example", "null", "https://127.0.0.1"] {
            let answer = request().header("origin", origin).send().unwrap();
            assert_eq!(answer.status(), 403, "{method} {path} from {origin}");
            assert_eq!(code(answer), "foreign-origin");
        }
        let answer = request().header("sec-fetch-site", "cross-site").send();
        assert_eq!(answer.unwrap().status(), 403, "{method} {path}");
    }
    assert_eq!(served.log_lines(), before, "nothing was recorded");
}

/// Every route that changes something, and what stands between it and a device. A new route fails
/// this until somebody has said which it is.
const WRITING: &[(&str, &str, &str)] = &[
    ("DELETE", "/api/bridges/{bridge}", "record"),
    ("DELETE", "/api/families/{family}", "record"),
    ("DELETE", "/api/places/{place}", "record"),
    (
        "DELETE",
        "/api/shelf/files/{file}",
        "record, then the shelf",
    ),
    (
        "DELETE",
        "/api/units/{unit}/dumps",
        "what waits for the vault",
    ),
    ("DELETE", "/api/units/{unit}/facts/{fact}", "record"),
    ("POST", "/api/bridges", "record"),
    ("POST", "/api/clock/trust", "record"),
    ("POST", "/api/families", "record"),
    ("POST", "/api/family-check", "nothing"),
    ("POST", "/api/imports", "vault and record"),
    ("POST", "/api/jobs/{job}/cancel", "stops work"),
    ("POST", "/api/log/aside", "record"),
    ("POST", "/api/places", "record"),
    ("POST", "/api/places/{place}/found", "record"),
    ("POST", "/api/settings/policy", "record"),
    ("POST", "/api/shelf/files/{file}", "shelf and record"),
    (
        "POST",
        "/api/shelf/files/{file}/instructions",
        "shelf and record",
    ),
    ("POST", "/api/shelf/files/{file}/make", "shelf and record"),
    ("POST", "/api/shelf/path", "shelf and record"),
    ("POST", "/api/units", "record"),
    ("POST", "/api/units/{unit}/away", "record"),
    ("POST", "/api/units/{unit}/captures", "reads the device"),
    (
        "POST",
        "/api/units/{unit}/captures/{capture}/copy",
        "places",
    ),
    (
        "POST",
        "/api/units/{unit}/captures/{capture}/export",
        "a folder of this computer, and record",
    ),
    (
        "POST",
        "/api/units/{unit}/captures/{capture}/repair",
        "places",
    ),
    (
        "POST",
        "/api/units/{unit}/captures/{capture}/restore",
        "seal, G7",
    ),
    (
        "POST",
        "/api/units/{unit}/captures/{capture}/verify",
        "places",
    ),
    (
        "POST",
        "/api/units/{unit}/dumps",
        "what waits for the vault",
    ),
    (
        "POST",
        "/api/units/{unit}/dumps/path",
        "what waits for the vault",
    ),
    ("POST", "/api/units/{unit}/dumps/take", "vault and record"),
    ("POST", "/api/units/{unit}/face", "hands on a stand-in"),
    ("POST", "/api/units/{unit}/facts", "record"),
    ("POST", "/api/units/{unit}/goal", "record"),
    ("POST", "/api/units/{unit}/keep-safe", "record"),
    ("POST", "/api/units/{unit}/link", "record"),
    ("POST", "/api/units/{unit}/look", "reads the device"),
    ("POST", "/api/units/{unit}/name", "record"),
    ("POST", "/api/units/{unit}/pasted", "record"),
    ("POST", "/api/units/{unit}/pasted/read", "nothing"),
    ("POST", "/api/units/{unit}/recovery", "record"),
    ("POST", "/api/units/{unit}/run", "record"),
    ("POST", "/api/units/{unit}/run/{run}/consent", "record"),
    (
        "POST",
        "/api/units/{unit}/run/{run}/look",
        "reads the device",
    ),
    ("POST", "/api/units/{unit}/run/{run}/seen", "record"),
    (
        "POST",
        "/api/units/{unit}/run/{run}/step",
        "seal, G1 and G4",
    ),
    ("POST", "/api/units/{unit}/run/{run}/stop", "record"),
    ("POST", "/api/units/{unit}/stock", "vault and record"),
    ("POST", "/api/units/{unit}/token", "record, encrypted"),
    ("PUT", "/api/shelf/files", "shelf and record"),
    ("PUT", "/api/units/{unit}/dumps", "what waits for the vault"),
    ("PUT", "/api/units/{unit}/facts/{fact}/picture", "record"),
];

#[test]
fn every_route_that_changes_something_is_known() {
    let mut found: Vec<(String, String)> = operations()
        .into_iter()
        .filter(|(method, _, _)| method != "GET")
        .map(|(method, path, _)| (method, path))
        .collect();
    found.sort();
    let known: Vec<(String, String)> = WRITING
        .iter()
        .map(|(method, path, _)| ((*method).to_owned(), (*path).to_owned()))
        .collect();
    assert_eq!(found, known);
}

#[test]
fn one_request_posted_from_many_threads_is_done_once() {
    let served = Served::new(FrontEnd::None);
    let by_hand = json!({ "by": "hand", "family": "gimbal" });
    let arrival =
        json!({ "nickname": "Ruff", "ownership": "mine", "reach": by_hand, "request": request() });
    let at_once = |path: &str, body: &Value| -> Vec<(StatusCode, Value)> {
        std::thread::scope(|threads| {
            let all: Vec<_> = (0..24)
                .map(|_| threads.spawn(|| served.ask("POST", path, body)))
                .collect();
            all.into_iter().map(|one| one.join().unwrap()).collect()
        })
    };
    let made = at_once("/api/units", &arrival);
    let id = made[0].1["id"].as_str().unwrap().to_owned();
    for (status, answer) in made {
        assert_eq!(status, 200, "{answer}");
        assert_eq!(answer["id"].as_str(), Some(id.as_str()));
    }
    let lines = || {
        served.get("/api/log?limit=200")["lines"]
            .as_array()
            .unwrap()
            .len()
    };
    let unit = format!("/api/units/{id}");
    let fact = json!({ "facts": [{ "key": "battery", "value": "70" }], "request": request() });
    let waiver = json!({ "classes": [{ "class": "photos", "said": { "is": "waived" } }], "request": request() });
    let goal = json!({ "goal": "unlock", "request": request() });
    let name = json!({ "nickname": "Reeve", "request": request() });
    let policy = json!({ "battery_floor_percent": 45, "copies": 2, "media": "distinct" });
    let policy = json!({ "policy": policy, "request": request() });
    for (path, body) in [
        (format!("{unit}/facts"), fact),
        (format!("{unit}/keep-safe"), waiver),
        (format!("{unit}/goal"), goal),
        (format!("{unit}/name"), name),
        ("/api/settings/policy".to_owned(), policy),
    ] {
        let before = lines();
        for (status, answer) in at_once(&path, &body) {
            assert_eq!(status, 200, "{path}: {answer}");
        }
        assert_eq!(lines(), before + 1, "{path}");
    }
}

#[test]
fn large_bodies_are_refused_on_every_route_that_takes_one() {
    let served = Served::new(FrontEnd::None);
    let small = json!({ "text": "x".repeat(70_000) });
    let picture = json!({ "text": "x".repeat(9 << 20) });
    let mut asked = 0;
    for (method, path, takes_body) in operations() {
        // A file's bytes are written as they come, however many.
        let is_file = method == "PUT" && !path.ends_with("/picture");
        if takes_body && !is_file {
            let is_picture = path.ends_with("/picture");
            let body = if is_picture { &picture } else { &small };
            let url = format!("{}?request={NOBODY}", with_ids(&path, NOBODY));
            let (status, problem) = served.ask(&method, &url, body);
            assert_eq!(status, StatusCode::PAYLOAD_TOO_LARGE, "{method} {path}");
            assert_eq!(problem["code"], "too-large", "{method} {path}");
            asked += 1;
        }
    }
    assert!(asked >= 8, "{asked} routes take a body");
}

/// A file comes onto the shelf as it is sent, once; what breaks off on the way leaves nothing.
#[test]
fn a_file_is_put_on_the_shelf_whole_or_not_at_all() {
    let served = Served::new(FrontEnd::None);
    let bytes = vec![7_u8; 3_000_000];
    let id = request();
    let put = |request: &str, bytes: Vec<u8>| {
        let url = format!(
            "{}/api/shelf/files?name=..%2Fr%20one.img&request={request}",
            served.base
        );
        served.client.put(url).body(bytes).send().unwrap()
    };
    let first: Value = put(&id, bytes.clone()).json().unwrap();
    let again: Value = put(&id, bytes.clone()).json().unwrap();
    let twice: Value = put(&request(), bytes.clone()).json().unwrap();
    assert_eq!(first, again);
    assert_eq!(first, twice);
    let shelf = served.get("/api/shelf");
    let files = shelf["files"].as_array().unwrap();
    assert_eq!(files.len(), 1, "{shelf}");
    assert_eq!(files[0]["name"], "r one.img");
    assert_eq!(files[0]["bytes"], 3_000_000);
    // Half of what was announced.
    let address = served.base.trim_start_matches("http://");
    let mut stream = std::net::TcpStream::connect(address).unwrap();
    let head = format!(
        "PUT /api/shelf/files?name=half.img&request={} HTTP/1.1\r\nhost: {address}\r\ncontent-length: 900000\r\n\r\n",
        request()
    );
    std::io::Write::write_all(&mut stream, head.as_bytes()).unwrap();
    std::io::Write::write_all(&mut stream, &vec![1; 300_000]).unwrap();
    drop(stream);
    // What is on its way has a name of its own, and goes with whoever sent it.
    let folder = served.folder.path().join("data/shelf/files");
    let names = || -> Vec<String> {
        let listed = std::fs::read_dir(&folder).unwrap();
        let mut names: Vec<String> = listed
            .map(|one| one.unwrap().file_name().to_string_lossy().into_owned())
            .collect();
        names.sort();
        names
    };
    let is_clean = || names().len() == 2;
    for _ in 0..100 {
        if is_clean() {
            break;
        }
        std::thread::sleep(std::time::Duration::from_millis(50));
    }
    assert!(is_clean(), "{:?}", names());
    assert_eq!(
        served.get("/api/shelf")["files"].as_array().unwrap().len(),
        1
    );
    // More than there can be room for is refused before a byte of it is kept.
    let url = format!("{}/api/shelf/path", served.base);
    let missing = json!({ "path": "/no/such/file", "request": request() });
    let answer = served.client.post(url).json(&missing).send().unwrap();
    assert_eq!(answer.status(), StatusCode::UNPROCESSABLE_ENTITY);
}

#[test]
fn an_id_that_is_none_finds_nothing_and_leads_nowhere() {
    let served = Served::new(FrontEnd::None);
    let escapes = [
        "..%2F..%2Fdata%2Flog%2Fbench.jsonl",
        "%2e%2e",
        "..%5C..%5Cbench.toml",
        "%00",
        "bench",
        "%E2%80%AE",
        "0192f0c1",
        "'%20OR%201=1",
    ];
    for (method, path, _) in operations() {
        if !path.contains('{') {
            continue;
        }
        for id in escapes {
            let filled = with_ids(&path, id);
            let (status, answer) = served.ask(&method, &filled, &json!({}));
            assert!(status.is_client_error(), "{method} {filled}: {status}");
            assert!(answer["detail"].is_string(), "{method} {filled}: {answer}");
        }
        // A well-formed id of nobody: not found, once the rest of the request makes sense.
        if method == "GET" {
            let (status, _) = served.ask("GET", &with_ids(&path, NOBODY), &Value::Null);
            assert_eq!(status, StatusCode::NOT_FOUND, "{path}");
        }
    }
}

#[test]
fn other_query_parameters_are_checked_too() {
    let served = Served::new(FrontEnd::None);
    for query in ["unit=../bench", "kind=everything", "before=1", "limit=-1"] {
        let (status, problem) = served.ask("GET", &format!("/api/log?{query}"), &Value::Null);
        assert!(status.is_client_error(), "{query}: {status}");
        assert!(problem["detail"].is_string(), "{query}: {problem}");
    }
}

#[test]
fn bad_input_changes_nothing_and_says_what_to_do() {
    let served = Served::new(FrontEnd::None);
    let unit = served.add_unit("Dunnock");
    let before = served.log_lines();
    let facts = format!("/api/units/{unit}/facts");
    for (key, value) in [
        ("battery", "101"),
        ("battery", "full"),
        ("accounts", "-1"),
        ("lock", "ajar"),
        ("serial", ""),
    ] {
        // The good fact beside the bad one is not recorded either.
        let body = json!({ "request": request(), "facts": [
            { "key": "screen-lock", "value": "off" }, { "key": key, "value": value },
        ] });
        let (status, problem) = served.ask("POST", &facts, &body);
        assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY, "{key} {value}");
        assert_eq!(problem["code"], "bad-input", "{problem}");
    }
    for (path, body) in [
        (facts.as_str(), json!({ "facts": [] })),
        (
            facts.as_str(),
            json!({ "facts": [], "request": request(), "more": 1 }),
        ),
        (
            "/api/units",
            json!({ "nickname": "Dunnock", "ownership": "mine", "request": request(), "reach": { "by": "hand", "family": "gimbal" } }),
        ),
        (
            "/api/units",
            json!({ "nickname": "Knot", "ownership": "mine", "request": request(), "reach": { "by": "hand", "family": "nobody" } }),
        ),
        (
            "/api/bridges",
            json!({ "url": "file:///etc/passwd", "token": "t", "request": request() }),
        ),
    ] {
        let (status, problem) = served.ask("POST", path, &body);
        assert!(
            status.is_client_error() || status == StatusCode::BAD_GATEWAY,
            "{problem}"
        );
        assert!(problem["detail"].as_str().unwrap().len() > 20, "{problem}");
    }
    assert_eq!(served.log_lines(), before, "nothing was recorded");
}

#[test]
fn the_same_request_is_done_once() {
    let served = Served::new(FrontEnd::None);
    let body = json!({
        "nickname": "Dunnock", "ownership": "mine", "request": request(),
        "reach": { "by": "hand", "family": "gimbal" },
    });
    let first = served.ask("POST", "/api/units", &body);
    let again = served.ask("POST", "/api/units", &body);
    assert_eq!(first, again);
    assert_eq!(
        served.get("/api/bench")["units"].as_array().unwrap().len(),
        1
    );
}

/// Prepared by hand up to the run's first step; gives unit and run page.
fn a_run_by_hand(served: &Served) -> (String, Value) {
    let unit = served.add_unit("Dunnock");
    let facts = [
        ("lock", "locked"),
        ("mode", "bootloader"),
        ("battery", "80"),
        ("accounts", "0"),
        ("screen-lock", "off"),
        ("works-waived", "waived"),
        ("debugging", "on"),
    ]
    .map(|(key, value)| json!({ "key": key, "value": value }));
    let path = format!("/api/units/{unit}");
    let said = json!({ "facts": facts, "request": request() });
    assert_eq!(served.ask("POST", &format!("{path}/facts"), &said).0, 200);
    let standing = served.get(&format!("{path}/standing"));
    let classes: Vec<Value> = standing["keep_safe"]
        .as_array()
        .unwrap()
        .iter()
        .map(|line| json!({ "class": line["class"], "said": { "is": "waived" } }))
        .collect();
    let said = json!({ "classes": classes, "request": request() });
    assert_eq!(
        served.ask("POST", &format!("{path}/keep-safe"), &said).0,
        200
    );
    let goal = json!({ "goal": "unlock", "request": request() });
    let (status, answer) = served.ask("POST", &format!("{path}/run"), &goal);
    assert_eq!(status, 200, "{answer}");
    let page = served.get(&format!("{path}/run"));
    (unit, page)
}

#[test]
fn a_page_that_is_behind_changes_nothing() {
    let served = Served::new(FrontEnd::None);
    let (unit, page) = a_run_by_hand(&served);
    let run = &page["run"];
    let base = format!("/api/units/{unit}/run/{}", run["id"].as_str().unwrap());
    let stale = run["revision"].as_u64().unwrap() + 5;
    for (verb, body) in [
        ("step", json!({ "revision": stale, "request": request() })),
        (
            "consent",
            json!({ "revision": stale, "typed": "Dunnock", "request": request() }),
        ),
        (
            "seen",
            json!({ "revision": stale, "sighting": "system", "request": request() }),
        ),
        ("stop", json!({ "revision": stale, "request": request() })),
    ] {
        let (status, problem) = served.ask("POST", &format!("{base}/{verb}"), &body);
        assert_eq!(status, StatusCode::PRECONDITION_FAILED, "{verb}: {problem}");
    }
    assert_eq!(served.get(&format!("/api/units/{unit}/run")), page);
}

#[test]
fn the_seal_answers_with_the_rule_and_what_is_missing() {
    let served = Served::new(FrontEnd::None);
    let (unit, page) = a_run_by_hand(&served);
    let run = &page["run"];
    assert_eq!(
        run["step"]["step"]["by_hand"], "",
        "why, not how, before consent"
    );
    let base = format!("/api/units/{unit}/run/{}", run["id"].as_str().unwrap());
    let change = json!({ "revision": run["revision"], "request": request() });
    let (status, problem) = served.ask("POST", &format!("{base}/step"), &change);
    assert_eq!(status, StatusCode::CONFLICT);
    assert_eq!(problem["rule"], "G1");
    assert_eq!(problem["missing"][0]["rule"], "U11", "{problem}");
    let wrong = json!({ "revision": run["revision"], "typed": "dunnock", "request": request() });
    let (status, problem) = served.ask("POST", &format!("{base}/consent"), &wrong);
    assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY, "{problem}");
}

#[test]
fn places_and_policy_are_checked_before_anything_changes() {
    let served = Served::new(FrontEnd::None);
    let before = served.log_lines();
    let own = served.get("/api/settings")["places"][0]["id"]
        .as_str()
        .unwrap()
        .to_owned();
    let policy = |copies: u8, floor: u8| json!({ "policy": { "copies": copies, "battery_floor_percent": floor, "media": "any" }, "request": request() });
    for body in [policy(0, 50), policy(10, 50), policy(2, 101)] {
        let (status, problem) = served.ask("POST", "/api/settings/policy", &body);
        assert_eq!(status, StatusCode::UNPROCESSABLE_ENTITY, "{problem}");
    }
    let place =
        |name: &str, path: &str| json!({ "name": name, "path": path, "request": request() });
    for (name, path) in [
        ("stick", "/nowhere/at/all"),
        ("stick", "relative"),
        ("", "/tmp"),
        ("x\u{7}", "/tmp"),
    ] {
        let (status, problem) = served.ask("POST", "/api/places", &place(name, path));
        assert_eq!(
            status,
            StatusCode::UNPROCESSABLE_ENTITY,
            "{name} {path}: {problem}"
        );
    }
    let forget = format!("/api/places/{own}?request={}", request());
    assert_eq!(
        served.ask("DELETE", &forget, &Value::Null).0,
        StatusCode::NOT_FOUND,
        "our own stays"
    );
    assert_eq!(served.log_lines(), before, "nothing was recorded");

    let folder = tempfile::tempdir().unwrap();
    let stick = place("stick", folder.path().to_str().unwrap());
    let (status, made) = served.ask("POST", "/api/places", &stick);
    assert_eq!(status, StatusCode::OK, "{made}");
    let (_, again) = served.ask("POST", "/api/places", &stick);
    assert_eq!(again, made, "one folder is one place");
    assert_eq!(
        served.ask("POST", "/api/settings/policy", &policy(3, 40)).0,
        StatusCode::OK
    );
    let settings = served.get("/api/settings");
    assert_eq!(settings["policy"]["copies"], 3);
    assert_eq!(settings["places"][1]["name"], "stick");
    // The stick is pulled out: the place says so, and comes back by itself.
    let away = folder.path().with_extension("away");
    std::fs::rename(folder.path(), &away).unwrap();
    let problem = served.get("/api/settings")["places"][1]["problem"].clone();
    assert!(
        problem.as_str().unwrap().contains("not there now"),
        "{problem}"
    );
    std::fs::rename(&away, folder.path()).unwrap();
    assert_eq!(
        served.get("/api/settings")["places"][1]["problem"],
        Value::Null
    );
    let forget = format!(
        "/api/places/{}?request={}",
        made["id"].as_str().unwrap(),
        request()
    );
    assert_eq!(
        served.ask("DELETE", &forget, &Value::Null).0,
        StatusCode::OK
    );
    assert!(
        folder.path().join("place.toml").exists(),
        "what lies there stays"
    );
}

#[test]
fn a_unit_without_a_link_says_why_it_can_not_be_captured() {
    let served = Served::new(FrontEnd::None);
    let unit = served.add_unit("Dunnock");
    let backups = served.get(&format!("/api/units/{unit}/backups"));
    assert_eq!(
        (&backups["take"]["allowed"], &backups["chart"]),
        (&json!(false), &Value::Null)
    );
    assert!(
        backups["take"]["reason"].as_str().unwrap().len() > 10,
        "{backups}"
    );
    let take = json!({ "kind": "quick", "request": request() });
    let (status, problem) = served.ask("POST", &format!("/api/units/{unit}/captures"), &take);
    assert_eq!(status, StatusCode::CONFLICT, "{problem}");
    let base = format!("/api/units/{unit}/captures/{NOBODY}");
    for (verb, body) in [
        ("copy", json!({ "place": NOBODY, "request": request() })),
        ("verify", json!({ "place": NOBODY, "request": request() })),
        ("repair", json!({ "place": NOBODY, "request": request() })),
        (
            "restore",
            json!({ "labels": ["persist"], "request": request() }),
        ),
    ] {
        let (status, problem) = served.ask("POST", &format!("{base}/{verb}"), &body);
        assert_eq!(status, StatusCode::NOT_FOUND, "{verb}: {problem}");
        assert!(
            problem["detail"].as_str().unwrap().contains("no capture"),
            "{verb}: {problem}"
        );
    }
    assert_eq!(
        served.get("/api/jobs"),
        json!([]),
        "what was refused is no job"
    );
}

#[test]
fn a_broken_chain_is_shown_with_its_line() {
    let served = Served::new(FrontEnd::None);
    let unit = served.add_unit("Dunnock");
    let check = format!("/api/log/check?unit={unit}");
    assert_eq!(served.get(&check)["problem"], Value::Null);
    let file = served.folder.path().join(format!("data/log/{unit}.jsonl"));
    let text = std::fs::read_to_string(&file).unwrap();
    std::fs::write(&file, text.replace("Dunnock", "Dunlock")).unwrap();
    let problem = served.get(&check)["problem"].as_str().unwrap().to_owned();
    assert!(
        problem.contains("line 1: changed after it was written"),
        "{problem}"
    );
}

fn page_folder() -> TempDir {
    let folder = tempfile::tempdir().unwrap();
    let page = r#"<meta name="csp-nonce" content="__VERITOPE_NONCE__">"#;
    std::fs::write(folder.path().join("index.html"), page).unwrap();
    folder
}

#[test]
fn the_page_comes_with_a_policy_and_a_nonce_of_its_own() {
    let front = page_folder();
    let served = Served::new(FrontEnd::Folder(front.path().to_owned()));
    let mut seen = Vec::new();
    for path in ["/", "/units/anything/standing"] {
        let answer = served
            .client
            .get(format!("{}{path}", served.base))
            .send()
            .unwrap();
        let policy = answer.headers()["content-security-policy"]
            .to_str()
            .unwrap()
            .to_owned();
        for part in [
            "default-src 'none'",
            "script-src 'self';",
            "img-src 'self' blob:",
            "frame-ancestors 'none'",
        ] {
            assert!(policy.contains(part), "{policy}");
        }
        assert!(!policy.contains("unsafe"), "{policy}");
        let nonce = policy
            .split("'nonce-")
            .nth(1)
            .unwrap()
            .split('\'')
            .next()
            .unwrap()
            .to_owned();
        assert!(answer.text().unwrap().contains(&nonce));
        seen.push(nonce);
    }
    assert_ne!(seen[0], seen[1], "a nonce is used once");
    let missing = served
        .client
        .get(format!("{}/assets/none.js", served.base))
        .send()
        .unwrap();
    assert_eq!(missing.status(), 404);
}

#[test]
fn another_address_than_this_machines_is_refused() {
    let runtime = Runtime::new().unwrap();
    let folder = tempfile::tempdir().unwrap();
    let config = Config {
        listen: "0.0.0.0:0".parse().unwrap(),
        data: Folder::Free(folder.path().join("data")),
        vault: None,
        front: FrontEnd::None,
    };
    let error = runtime
        .block_on(veritope_server::start(config))
        .err()
        .unwrap();
    assert!(
        error.to_string().contains("not this machine's own address"),
        "{error}"
    );
    assert!(!folder.path().join("data").exists(), "nothing was made");
}

fn copy_folder(from: &Path, to: &Path) {
    std::fs::create_dir_all(to).unwrap();
    for entry in std::fs::read_dir(from).unwrap() {
        let entry = entry.unwrap();
        let target = to.join(entry.file_name());
        if entry.file_type().unwrap().is_dir() {
            copy_folder(&entry.path(), &target);
        } else {
            std::fs::copy(entry.path(), target).unwrap();
        }
    }
}

/// What the newest capture holds of what exists once, after its copy here was found sound for it.
fn kept_of(served: &Served, unit: &str) -> Value {
    let backups = served.get(&format!("/api/units/{unit}/backups"));
    let capture = &backups["captures"][0];
    assert_eq!(capture["copies"].as_array().unwrap().len(), 2, "{capture}");
    let id = capture["id"].as_str().unwrap();
    let view = served.get(&format!("/api/units/{unit}/captures/{id}"));
    let parts = view["partitions"].as_array().unwrap().iter();
    parts
        .filter(|part| part["role"] == "device-unique")
        .map(|part| json!({ "label": part["label"], "blake3": part["blake3"], "agreement": part["agreement"] }))
        .collect()
}

/// Data folders as earlier versions left them; each must open and keep what it held.
#[test]
fn earlier_data_folders_open() {
    let fixtures = PathBuf::from(env!("CARGO_MANIFEST_DIR")).join("tests/fixtures");
    let mut opened = 0;
    for fixture in std::fs::read_dir(fixtures).unwrap() {
        let fixture = fixture.unwrap().path();
        let folder = tempfile::tempdir().unwrap();
        copy_folder(&fixture.join("data"), &folder.path().join("data"));
        let expected: Value =
            serde_json::from_slice(&std::fs::read(fixture.join("expected.json")).unwrap()).unwrap();
        let served = Served::on(folder, FrontEnd::None);
        let bench = served.get("/api/bench");
        let mut known = bench["units"].as_array().unwrap().clone();
        known.sort_by_key(|unit| unit["nickname"].to_string());
        let units: Vec<Value> = known
            .iter()
            .map(|unit| {
                let id = unit["id"].as_str().unwrap();
                let check = served.get(&format!("/api/log/check?unit={id}"));
                assert_eq!(check["problem"], Value::Null);
                json!({
                    "nickname": unit["nickname"],
                    "sentence": unit["sentence"],
                    "lines": check["entries"],
                    "run": served.get(&format!("/api/units/{id}/run"))["run"]["ended"],
                })
            })
            .collect();
        assert_eq!(json!(units), expected["units"], "{}", fixture.display());
        if let Some(family) = expected["family"].as_str() {
            let page = served.get(&format!("/api/families/{family}"));
            assert_eq!(page["origin"], "own");
        }
        if let Some(picture) = expected.get("picture") {
            let unit = known.iter().find(|one| one["nickname"] == picture["unit"]);
            let id = unit.unwrap()["id"].as_str().unwrap();
            let standing = served.get(&format!("/api/units/{id}/standing"));
            let facts = standing["facts"].as_array().unwrap();
            let fact = facts.iter().find(|one| one["key"] == picture["key"]);
            let fact = fact.unwrap()["picture"].as_str().unwrap();
            let url = format!("{}/api/units/{id}/facts/{fact}/picture", served.base);
            let answer = served.client.get(url).send().unwrap();
            assert_eq!(answer.headers()["content-type"], "image/png");
            assert_eq!(json!(answer.bytes().unwrap().len()), picture["bytes"]);
        }
        if let Some(captured) = expected.get("captured") {
            let unit = known[0]["id"].as_str().unwrap();
            assert_eq!(kept_of(&served, unit), *captured, "{}", fixture.display());
        }
        opened += 1;
    }
    assert!(opened >= 5);
}
