//! Reading the unit's own partition table (`B2`).

use super::{
    Args, Doing, Ground, How, Kind, Line, Price, Reading, Standpoint, Touches, Words, readable, row,
};
use crate::dossier::By;
use crate::family::Family;
use crate::state::{Bit, State, TableRead};

/// Reads the partition table.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct ReadTable {}

impl Kind for ReadTable {
    const TOUCHES: Touches = Touches::READS;

    fn instances(_: Ground<'_>) -> Vec<Self> {
        vec![Self {}]
    }

    fn word(&self) -> &'static str {
        "read-table"
    }

    fn read(word: &str, _: &Args) -> Option<Self> {
        (word == "read-table").then_some(Self {})
    }

    fn lines(&self, on: Ground<'_>, at: Standpoint) -> Vec<Line> {
        let reads = row(
            Bit::Reads(on.family().readable()),
            at,
            "It is in a mode that reads its partitions.",
        );
        reads.into_iter().chain([readable(on)]).collect()
    }

    fn after(&self, at: State, _: &Family) -> State {
        State {
            table: TableRead::Read,
            ..at
        }
    }

    fn price(&self, _: State, family: &Family) -> Price {
        Price::seconds(family.table.usual_seconds, 0)
    }

    fn words(&self, _: State, family: &Family) -> Words {
        Words::titled("Read the partition table").stuck(family.table.stuck_seconds)
    }

    fn how(&self, _: &Family) -> How {
        How::said(
            "Dump the beginning and the end of each storage area, as they are named here. Copy the files to this computer and hand them in.",
        )
    }

    fn doing(&self, _: &Family, _: By) -> Doing {
        Doing::Read(Reading::Table)
    }
}
