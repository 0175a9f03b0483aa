//! Real processes of the `veritope` binary.

use std::io::{BufRead, BufReader};
use std::path::Path;
use std::process::{Child, Command, Output, Stdio};
use std::time::{Duration, Instant};

use reqwest::blocking::Client;
use serde_json::{Value, json};

/// How long something may take to come about.
const PATIENCE: Duration = Duration::from_secs(30);

pub(crate) fn veritope() -> Command {
    let mut command = Command::new(env!("CARGO_BIN_EXE_veritope"));
    command.env_remove("VERITOPE_LOG");
    command
}

pub(crate) fn run(words: &[&str]) -> Output {
    veritope().args(words).output().unwrap()
}

/// A process that serves, with the words of its first lines.
pub(crate) struct Process {
    child: Child,
    pub(crate) url: String,
}

impl Process {
    /// Starts it and reads the address from the first line.
    pub(crate) fn start(words: &[&str]) -> Self {
        let mut command = veritope();
        command.args(words);
        Self::spawn(command)
    }

    /// The same, on a disk on which no file can become longer than so many bytes: a write fails in
    /// its middle, as on a full one.
    #[allow(dead_code, reason = "one of the test programs does without")]
    pub(crate) fn start_where_files_end_at(bytes: u64, words: &[&str]) -> Self {
        let mut command = Command::new("sh");
        let script = format!(
            "trap '' XFSZ; ulimit -f {}; exec \"$0\" \"$@\"",
            bytes / 512
        );
        command
            .args(["-c", &script, env!("CARGO_BIN_EXE_veritope")])
            .args(words)
            .env_remove("VERITOPE_LOG");
        Self::spawn(command)
    }

    pub(crate) fn spawn(mut command: Command) -> Self {
        let mut child = command
            .stdout(Stdio::piped())
            .stderr(Stdio::inherit())
            .spawn()
            .unwrap();
        let mut line = String::new();
        BufReader::new(child.stdout.as_mut().unwrap())
            .read_line(&mut line)
            .unwrap();
        let url = line
            .split_whitespace()
            .find(|word| word.starts_with("http://"))
            .unwrap_or_else(|| panic!("no address in `{line}`"))
            .to_owned();
        Self { child, url }
    }

    /// kill -9: no destructor, no goodbye.
    pub(crate) fn kill(mut self) {
        self.child.kill().unwrap();
        self.child.wait().unwrap();
    }

    pub(crate) fn ask(&self, method: &str, path: &str, token: &str, body: &Value) -> (u16, Value) {
        let client = Client::builder().no_proxy().build().unwrap();
        let answer = client
            .request(method.parse().unwrap(), format!("{}{path}", self.url))
            .bearer_auth(token)
            .json(body)
            .send()
            .unwrap();
        (
            answer.status().as_u16(),
            answer.json().unwrap_or(Value::Null),
        )
    }

    pub(crate) fn get(&self, path: &str) -> Value {
        let (status, body) = self.ask("GET", path, "", &Value::Null);
        assert_eq!(status, 200, "{path}: {body}");
        body
    }

    pub(crate) fn post(&self, path: &str, body: Value) -> Value {
        let mut body = body;
        body["request"] = json!(uuid::Uuid::now_v7().to_string());
        let (status, answer) = self.ask("POST", path, "", &body);
        assert_eq!(status, 200, "{path}: {answer}");
        answer
    }

    /// Puts a file onto the shelf, with the digest that its publisher gives.
    pub(crate) fn shelve(&self, name: &str, bytes: Vec<u8>) {
        let digest = veritope_wire::Digest::of(&bytes);
        let request = uuid::Uuid::now_v7();
        let url = format!("{}/api/shelf/files?name={name}&request={request}", self.url);
        let client = reqwest::blocking::Client::builder()
            .no_proxy()
            .build()
            .unwrap();
        let answer = client.put(url).body(bytes).send().unwrap();
        assert_eq!(answer.status(), 200);
        let note = json!({ "note": { "beside": format!("BLAKE3 ({name}) = {digest}") } });
        self.post(&format!("/api/shelf/files/{digest}"), note);
    }

    /// Looks until `holds`; carries the last answer when it never does.
    pub(crate) fn wait(&self, path: &str, holds: impl Fn(&Value) -> bool) -> Value {
        let until = Instant::now() + PATIENCE;
        loop {
            let answer = self.get(path);
            if holds(&answer) {
                return answer;
            }
            assert!(Instant::now() < until, "{path} stays at {answer:#}");
            std::thread::sleep(Duration::from_millis(25));
        }
    }
}

impl Drop for Process {
    fn drop(&mut self) {
        // It may have ended already.
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

pub(crate) fn path(path: &Path) -> &str {
    path.to_str().unwrap()
}
