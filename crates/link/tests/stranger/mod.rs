//! A bridge that somebody else wrote, from the document alone (`bridge.py`): the suite passes on it
//! in each mode, and notices it when it is careless.

use std::io::{BufRead, BufReader};
use std::process::{Child, Command, Stdio};

use veritope_link::conform::{self, Check, Outcome};
use veritope_link::{HttpTransport, Transport};
use veritope_wire::link::Handle;

struct Stranger {
    process: Child,
    url: String,
}

impl Drop for Stranger {
    fn drop(&mut self) {
        // It may have ended by itself.
        let _ = self.process.kill();
        let _ = self.process.wait();
    }
}

fn stranger(words: &[&str]) -> Stranger {
    let mut process = Command::new("python3")
        .arg(concat!(env!("CARGO_MANIFEST_DIR"), "/tests/bridge.py"))
        .args(words)
        .stdout(Stdio::piped())
        .spawn()
        .expect("python3 is installed");
    let mut url = String::new();
    let out = process.stdout.take().unwrap();
    BufReader::new(out).read_line(&mut url).unwrap();
    Stranger {
        process,
        url: url.trim().to_owned(),
    }
}

fn all(transport: &dyn Transport) -> Vec<Check> {
    let mut checks = conform::reads(transport).unwrap();
    checks.extend(conform::changes(transport, &Handle("one".to_owned())));
    checks
}

fn count(checks: &[Check], wanted: impl Fn(&Outcome) -> bool) -> usize {
    checks.iter().filter(|check| wanted(&check.outcome)).count()
}

#[test]
fn a_bridge_written_from_the_document_alone_conforms() {
    let stranger = stranger(&[]);
    let transport = HttpTransport::new(&stranger.url, "python").unwrap();
    let checks = all(&transport);
    assert_eq!(
        count(&checks, |one| *one != Outcome::Passed),
        0,
        "{checks:#?}"
    );
    assert!(checks.len() >= 20, "{} checks", checks.len());
    let foreign = HttpTransport::new(&stranger.url, "wrong").unwrap();
    assert!(foreign.info().is_err());
}

#[test]
fn a_careless_one_is_noticed() {
    let stranger = stranger(&["--careless"]);
    let transport = HttpTransport::new(&stranger.url, "python").unwrap();
    let checks = all(&transport);
    let failed: Vec<_> = checks
        .iter()
        .filter(|check| matches!(check.outcome, Outcome::Failed(_)))
        .map(|check| check.name.as_str())
        .collect();
    assert!(
        failed.contains(&"one: an act under an older epoch is refused"),
        "{failed:?}"
    );
}
