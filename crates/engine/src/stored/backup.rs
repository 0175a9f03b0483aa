//! Captures, copies, and what is damaged.

use serde::{Deserialize, Serialize};
use veritope_core::captured::Inside;
use veritope_core::coverage::{CaptureFacts, CapturedFacts, CopyFacts};
use veritope_core::partitions::OwnPartition;
use veritope_core::steady::Taken;
use veritope_wire::{BenchTime, CaptureId, Digest, Label, PlaceId, WallTime};

use super::words::{AgreementWord, BlankWord, OriginWord, RestWord, TakerWord};
use super::{Form, form, kinds};
use crate::outcome::DamageFacts;

form! {
    /// A capture.
    Capture of CaptureFacts {
        id: CaptureId,
        taken: When,
        manifest: Digest,
        origin: OriginWord,
        rest: RestWord,
        partitions: Vec<Captured>,
        #[serde(default)]
        build: Option<String>,
        #[serde(default = "us")]
        taker: TakerWord,
        #[serde(default, skip_serializing_if = "Option::is_none")]
        list: Option<Digest>,
    }
}

fn us() -> TakerWord {
    TakerWord::Us
}

/// When a capture was taken; before version 5 it was one time.
#[derive(Serialize, Deserialize)]
#[serde(untagged)]
pub(crate) enum When {
    One(BenchTime),
    Both {
        wall: WallTime,
        #[serde(default, skip_serializing_if = "Option::is_none")]
        bench: Option<BenchTime>,
    },
}

impl Form<Taken> for When {
    fn of(it: &Taken) -> Self {
        Self::Both {
            wall: it.wall,
            bench: it.counted(),
        }
    }

    fn read(self) -> Result<Taken, String> {
        Ok(match self {
            Self::One(counted) => Taken::told(WallTime::nearest_ms(counted.ms()), Some(counted)),
            Self::Both { wall, bench } => Taken::told(wall, bench),
        })
    }
}

form! {
    /// One partition of a capture.
    Captured of CapturedFacts {
        label: Label,
        length_bytes: u64,
        blake3: Digest,
        agreement: AgreementWord,
        blank: BlankWord,
        #[serde(default, skip_serializing_if = "Option::is_none")]
        inside: Option<Head>,
        #[serde(default)]
        is_unique: bool,
    }
}

kinds! {
    /// What the head of an image says that it is.
    Head of Inside, "is" {
        FileSystem "file-system" { kind: String, }
        StartImage "start-image" { codename: String, kind: String, version: String, }
        Other "other" {}
    }
}

form! {
    /// A copy of a capture in a place.
    Copied of CopyFacts {
        capture: CaptureId,
        place: PlaceId,
        name: String,
        medium: Option<String>,
        verified: Option<BenchTime>,
        damaged: Vec<Label>,
    }
}

form! {
    /// A partition as the unit's own table has it.
    Own of OwnPartition {
        label: Label,
        number: u32,
        offset_bytes: u64,
        length_bytes: u64,
    }
}

form! {
    /// A damaged stretch of a copy.
    Damage of DamageFacts {
        label: Option<Label>,
        frame: Option<u64>,
        first_byte: u64,
        last_byte: u64,
        what: String,
    }
}
