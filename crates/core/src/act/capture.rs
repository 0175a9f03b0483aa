//! Capturing everything that exists once, and what else a quick capture holds (`B3`).

use super::{
    Args, Doing, Ground, How, Kind, Line, Price, Reading, Standpoint, Touches, Words, readable, row,
};
use crate::captured::Rest;
use crate::dossier::By;
use crate::family::Family;
use crate::state::{BackedUp, Bit, State, TableRead};

/// Captures what exists once.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Capture {}

impl Kind for Capture {
    const TOUCHES: Touches = Touches::READS;

    fn instances(_: Ground<'_>) -> Vec<Self> {
        vec![Self {}]
    }

    fn word(&self) -> &'static str {
        "capture"
    }

    fn read(word: &str, _: &Args) -> Option<Self> {
        (word == "capture").then_some(Self {})
    }

    fn lines(&self, on: Ground<'_>, at: Standpoint) -> Vec<Line> {
        let reads = row(
            Bit::Reads(on.family().readable()),
            at,
            "It is in a mode that reads its partitions.",
        );
        reads.into_iter().chain([readable(on)]).collect()
    }

    fn after(&self, at: State, family: &Family) -> State {
        // Read while the system runs, only what never changes counts (B12).
        let brought = match at.reads(family.readable()) {
            Some(Rest::Live) => BackedUp::Fixed,
            _ => BackedUp::Yes,
        };
        State {
            table: TableRead::Read,
            backed_up: brought.max(at.backed_up),
            ..at
        }
    }

    fn price(&self, _: State, family: &Family) -> Price {
        Price::seconds(family.capture.usual_seconds, 0)
    }

    fn words(&self, _: State, family: &Family) -> Words {
        Words::titled("Capture what exists once").stuck(family.capture.stuck_seconds)
    }

    fn how(&self, _: &Family) -> How {
        How::said(
            "Dump each partition that is named here whole, into a file of its own that bears its label; what exists once twice. Copy the files to this computer and hand them in.",
        )
    }

    fn doing(&self, _: &Family, _: By) -> Doing {
        Doing::Read(Reading::Capture)
    }
}
