//! Facts, and what was said of the owner's data.

use serde::{Deserialize, Serialize};
use veritope_core::budget::Policy as BenchPolicy;
use veritope_core::facts::{FactRow, FactValue};
use veritope_core::family::Paired;
use veritope_core::keepsafe::Kept;
use veritope_wire::{BenchTime, FactId};

use super::words::{MediaWord, Told, Word};
use super::{Form, form, kinds};

/// A fact: its value is text, and is checked against its key when it is read.
#[derive(Serialize, Deserialize)]
pub(crate) struct Fact {
    id: FactId,
    key: Word,
    value: String,
    source: Told,
    at: BenchTime,
    /// What a moment meant that was told; before version 5 it is what it says.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    counted: Option<Counted>,
}

/// What a moment meant when it was recorded.
#[derive(Serialize, Deserialize)]
struct Counted {
    at: BenchTime,
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    is_doubtful: bool,
}

impl Form<FactRow> for Fact {
    fn of(row: &FactRow) -> Self {
        let FactRow {
            id,
            key,
            value,
            source,
            at,
        } = row;
        let counted = match value {
            FactValue::Moment(dated) => Some(Counted {
                at: dated.counted,
                is_doubtful: dated.is_doubtful,
            }),
            _ => None,
        };
        Self {
            id: *id,
            key: Word::of(key),
            value: value.exact(),
            source: Told::of(source),
            at: *at,
            counted,
        }
    }

    fn read(self) -> Result<FactRow, String> {
        let key = self.key.read()?;
        let mut value = FactValue::parse(key, &self.value).map_err(|error| error.to_string())?;
        if let (FactValue::Moment(dated), Some(counted)) = (&mut value, self.counted) {
            dated.counted = counted.at;
            dated.is_doubtful = counted.is_doubtful;
        }
        Ok(FactRow {
            id: self.id,
            key,
            value,
            source: self.source.read()?,
            at: self.at,
        })
    }
}

form! {
    /// An identifier as a unit gives it in one mode.
    Pairing of Paired {
        key: Word,
        mode: Word,
        value: String,
    }
}

kinds! {
    /// What was said about a class of the owner's data.
    Keeping of Kept, "is" {
        Safe "safe" { place: String, at: BenchTime, }
        Waived "waived" { at: BenchTime, }
    }
}

form! {
    /// The bench's policy; a key that is not known is refused, since a person may have mistyped it.
    #[serde(deny_unknown_fields)]
    Policy of BenchPolicy {
        battery_floor_percent: u8,
        #[serde(default = "two")]
        copies: u8,
        #[serde(default = "distinct")]
        media: MediaWord,
    }
}

fn two() -> u8 {
    2
}

fn distinct() -> MediaWord {
    MediaWord::Distinct
}
