//! Bridges that somebody else wrote, from the document alone: the suite passes on them, and notices one when
//! it is careless. `bridge.py` speaks version 2, `bridge_of_version_1.py` the one before.

use std::io::{BufRead, BufReader};
use std::process::{Child, Command, Stdio};
use std::sync::Arc;

use veritope_link::conform::{self, Check, Outcome};
use veritope_link::{DeviceLink, HttpTransport, Transport};
use veritope_wire::link::{Handle, RefusalCode, Spot, StreamId};

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

fn stranger(file: &str, words: &[&str]) -> Stranger {
    let mut process = Command::new("python3")
        .arg(format!("{}/tests/{file}", env!("CARGO_MANIFEST_DIR")))
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
    let stranger = stranger("bridge.py", &[]);
    let transport = HttpTransport::new(&stranger.url, "python").unwrap();
    let checks = all(&transport);
    assert_eq!(
        count(&checks, |one| *one != Outcome::Passed),
        0,
        "{checks:#?}"
    );
    assert!(checks.len() >= 40, "{} checks", checks.len());
    let foreign = HttpTransport::new(&stranger.url, "wrong").unwrap();
    assert!(foreign.info().is_err());
}

#[test]
fn a_careless_one_is_noticed() {
    let stranger = stranger("bridge.py", &["--careless"]);
    let transport = HttpTransport::new(&stranger.url, "python").unwrap();
    let checks = all(&transport);
    let failed: Vec<_> = checks
        .iter()
        .filter(|check| matches!(check.outcome, Outcome::Failed(_)))
        .map(|check| check.name.as_str())
        .collect();
    assert!(
        failed.contains(&"one: an act under an older epoch is refused")
            && failed.contains(&"one: a stream under an older epoch is refused"),
        "{failed:?}"
    );
}

#[test]
fn a_bridge_of_version_1_serves_what_it_can() {
    let stranger = stranger("bridge_of_version_1.py", &[]);
    let transport = HttpTransport::new(&stranger.url, "python").unwrap();
    let checks = all(&transport);
    assert_eq!(
        count(&checks, |one| *one != Outcome::Passed),
        0,
        "{checks:#?}"
    );
    let one = Handle("one".to_owned());
    let state = transport.state(&one).unwrap();
    assert_eq!(state.identities["chip-id"], "aa:bb:cc:01");
    assert!(!state.facts.contains_key("chip-id"), "it has one place");
    let list = transport.partitions(&one).unwrap();
    let (spot, length) = list.find("persist").unwrap();
    let read = transport.read(&one, &spot, 0, 7).unwrap();
    assert_eq!((read.bytes.as_slice(), length), (&b"persist"[..], 2 << 20));
    let volume = Spot::Volume {
        label: "system_a".parse().unwrap(),
    };
    for answer in [
        transport.read(&one, &volume, 0, 1).map(drop),
        transport.files(&one, "/tmp").map(drop),
        transport.stream(&one, StreamId(1)).map(drop),
    ] {
        let refused = answer.unwrap_err();
        assert_eq!(refused.refusal(), Some(RefusalCode::UnknownCommand));
    }
}

#[test]
fn a_label_that_stands_in_two_areas_is_two_partitions() {
    let stranger = stranger("bridge.py", &[]);
    let transport = HttpTransport::new(&stranger.url, "python").unwrap();
    let one = Handle("one".to_owned());
    let list = transport.partitions(&one).unwrap();
    let both = list.partitions.iter();
    let both: Vec<_> = both
        .filter(|part| part.label.as_str() == "persist")
        .collect();
    assert_eq!(both.len(), 2);
    for part in both {
        let last = part.length_bytes - 1;
        assert!(transport.read(&one, &part.into(), last, 1).is_ok());
        let wrong = Spot::Partition {
            area: 1 - part.area,
            number: part.number,
            label: part.label.clone(),
        };
        // Area, number and label are of one entry, or of none.
        if list
            .partitions
            .iter()
            .all(|other| Spot::from(other) != wrong)
        {
            let refused = transport.read(&one, &wrong, 0, 1).unwrap_err();
            assert_eq!(refused.refusal(), Some(RefusalCode::NotFound));
        }
    }
}

#[test]
fn a_device_that_takes_little_at_once_is_read_in_pieces() {
    let stranger = stranger("bridge.py", &[]);
    let transport = Arc::new(HttpTransport::new(&stranger.url, "python").unwrap());
    let unit = "0192f0c1-2345-7abc-8def-0123456789ab".parse().unwrap();
    let link = DeviceLink::new(transport, Handle("one".to_owned()), unit);
    let epoch = link.look().unwrap().epoch;
    let (spot, length) = link.partitions().unwrap().find("super").unwrap();
    let count = 3 << 20;
    let bytes = link.read(&spot, length - count, count, epoch).unwrap();
    assert_eq!(bytes.len() as u64, count, "a MiB at once, it says");
}
