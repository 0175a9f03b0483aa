//! Answers to a range that are not the range: each is refused before a byte of it counts.

use std::io::{BufRead, BufReader, Write};
use std::net::TcpListener;

use veritope_link::{HttpTransport, LinkError, Transport};
use veritope_wire::link::{Handle, Spot};

/// Asks a bridge that answers with this head and body for bytes 4 to 11 of `persist`.
fn asked(head: &'static str, body: &'static [u8]) -> Result<Vec<u8>, LinkError> {
    let listener = TcpListener::bind("127.0.0.1:0").unwrap();
    let url = format!("http://{}", listener.local_addr().unwrap());
    let bridge = std::thread::spawn(move || {
        // Who it is, and then the bytes.
        let who = br#"{"name":"odd","link_version":2}"#;
        for (head, body) in [("200 OK", who.as_slice()), (head, body)] {
            let (mut stream, _) = listener.accept().unwrap();
            let mut lines = BufReader::new(stream.try_clone().unwrap()).lines();
            while lines.next().is_some_and(|line| !line.unwrap().is_empty()) {}
            let length = body.len();
            let answer =
                format!("HTTP/1.1 {head}\r\nContent-Length: {length}\r\nConnection: close\r\n\r\n");
            // Whoever hangs up on an answer that is too long has seen enough.
            let _ = stream
                .write_all(answer.as_bytes())
                .and_then(|()| stream.write_all(body));
        }
    });
    let transport = HttpTransport::new(&url, "t").unwrap();
    let label = "persist".parse().unwrap();
    let handle = Handle("dock-1".to_owned());
    let read = transport.read(&handle, &Spot::Volume { label }, 4, 8);
    bridge.join().unwrap();
    read.map(|read| read.bytes)
}

const RIGHT: &str = "206 Partial Content\r\nContent-Range: bytes 4-11/4194304\r\nBench-Epoch: 3";

#[test]
fn a_range_is_taken_exactly_as_it_was_asked_for() {
    assert_eq!(asked(RIGHT, b"01234567").unwrap(), b"01234567");
    let odd = [
        (
            "the whole, not a part",
            RIGHT.replace("206 Partial Content", "200 OK"),
            8,
        ),
        ("from elsewhere", RIGHT.replace("4-11", "0-7"), 8),
        ("another end", RIGHT.replace("4-11", "4-12"), 8),
        ("in another unit", RIGHT.replace("bytes 4", "frames 4"), 8),
        (
            "without saying which",
            RIGHT.replace("Content-Range", "X-Range"),
            8,
        ),
        (
            "without an epoch",
            RIGHT.replace("Bench-Epoch", "X-Epoch"),
            8,
        ),
        ("a byte less", RIGHT.to_owned(), 7),
        ("a byte more", RIGHT.to_owned(), 9),
    ];
    for (what, head, length) in odd {
        let refused = asked(head.leak(), &b"012345678"[..length]);
        assert!(refused.is_err(), "{what}");
    }
}
