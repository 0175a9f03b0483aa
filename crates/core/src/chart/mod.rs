//! The core chart: what lies where, seen over time. Rows are partitions in disk order, columns the
//! unit as it is and its captures, newest first. Cells equal to the base column stand in line; each
//! other content of a row steps aside, in order of age, and says by ticks which part differs.

mod layout;

use std::collections::BTreeMap;

use serde::Serialize;
use veritope_wire::{CaptureId, Digest, Label, WallTime};

pub use layout::{CellBox, Layout, RowBox, Span};

use crate::family::Role;
use crate::partitions::Described;

/// Most captures shown.
pub const MOST_CAPTURES: usize = 10;
/// Parts of a partition that are told apart.
pub const TICKS: u64 = 64;

/// How well a shown image is kept.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, utoipa::ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Trust {
    /// On the unit itself, as last read.
    Live,
    /// Never read back.
    Unverified,
    /// Read back and whole in one place at least.
    Verified,
    /// Damaged wherever it was read back.
    Damaged,
}

/// What a column holds of one partition.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Held {
    /// The capture does not have it.
    NotTaken,
    /// Nobody has read it since anything could change.
    NotRead,
    /// An image.
    Image {
        /// Its digest.
        digest: Digest,
        /// Values of its frames, where they are known.
        frames: Vec<Digest>,
        /// How well it is kept.
        trust: Trust,
        /// Whether place or length were other ones then.
        moved: bool,
    },
}

/// One column to draw.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ColumnInput {
    /// The capture; nothing for the unit itself.
    pub capture: Option<CaptureId>,
    /// Since when this is so.
    pub at: Option<WallTime>,
    /// What it holds, by label.
    pub held: BTreeMap<Label, Held>,
}

/// A cell as it is drawn.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
#[serde(tag = "is", rename_all = "kebab-case")]
pub enum Cell {
    /// A gap.
    NotTaken,
    /// Empty, dashed.
    NotRead,
    /// An image.
    Image {
        /// 0 where it equals the base; else which other content it is, oldest first.
        step: u32,
        /// The parts, 0 to 63, that differ from the base.
        ticks: Vec<u16>,
        /// How well it is kept.
        trust: Trust,
        /// Whether place or length were other ones then.
        moved: bool,
        /// First digits of its digest.
        short: String,
        /// How it compares with the base, in words.
        said: String,
    },
}

/// A column as it is drawn.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct Column {
    /// The capture; nothing for the unit itself.
    pub capture: Option<CaptureId>,
    /// Since when this is so.
    pub at: Option<WallTime>,
    /// Whether the others are compared with it.
    pub base: bool,
}

/// A row as it is drawn.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct ChartRow {
    /// The partition.
    pub label: Label,
    /// Its role.
    pub role: Role,
    /// Length in bytes.
    pub length_bytes: u64,
    /// Bytes of nothing before it on the disk.
    pub gap_bytes: u64,
    /// Cells, one a column.
    pub cells: Vec<Cell>,
}

/// The whole chart.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct Chart {
    /// Columns from left to right: the unit, then captures, newest first.
    pub columns: Vec<Column>,
    /// Rows in disk order.
    pub rows: Vec<ChartRow>,
    /// Captures that are older than those shown.
    pub older: u32,
    /// Where all of it stands.
    pub layout: Layout,
}

/// Lays the chart out. `captures` come newest first.
#[must_use]
pub fn chart(own: &[Described], live: ColumnInput, captures: Vec<ColumnInput>) -> Chart {
    let older = captures.len().saturating_sub(MOST_CAPTURES);
    let mut inputs = vec![live];
    inputs.extend(captures.into_iter().take(MOST_CAPTURES));
    let base = base(&inputs);
    let mut end = None;
    let rows: Vec<ChartRow> = own
        .iter()
        .map(|described| {
            let own = &described.own;
            let gap_bytes = end.map_or(0, |end: u64| own.offset_bytes.saturating_sub(end));
            end = Some(own.offset_bytes.saturating_add(own.length_bytes));
            ChartRow {
                label: own.label.clone(),
                role: described.role,
                length_bytes: own.length_bytes,
                gap_bytes,
                cells: row(&own.label, &inputs, base),
            }
        })
        .collect();
    Chart {
        layout: layout::layout(&rows, inputs.len()),
        columns: inputs
            .iter()
            .enumerate()
            .map(|(index, input)| Column {
                capture: input.capture,
                at: input.at,
                base: index == base,
            })
            .collect(),
        rows,
        older: u32::try_from(older).unwrap_or(u32::MAX),
    }
}

/// A cell in words, for whoever does not see it.
fn said(step: usize, ticks: usize, moved: bool) -> String {
    let content = if step == 0 {
        "as the base".to_owned()
    } else {
        let parts = usize::try_from(TICKS).unwrap_or(usize::MAX);
        format!(
            "other content {step}, {} % of its parts differ",
            (ticks * 100 + parts / 2) / parts
        )
    };
    let moved = if moved {
        ", place or length differ"
    } else {
        ""
    };
    format!("{content}{moved}")
}

/// The newest capture of which anything was verified and nothing is damaged; else the unit itself.
fn base(inputs: &[ColumnInput]) -> usize {
    let trusts = |input: &ColumnInput, wanted: Trust| {
        input
            .held
            .values()
            .any(|held| matches!(held, Held::Image { trust, .. } if *trust == wanted))
    };
    inputs
        .iter()
        .skip(1)
        .position(|input| trusts(input, Trust::Verified) && !trusts(input, Trust::Damaged))
        .map_or(0, |index| index + 1)
}

fn row(label: &Label, inputs: &[ColumnInput], base: usize) -> Vec<Cell> {
    let held = |index: usize| inputs[index].held.get(label).unwrap_or(&Held::NotTaken);
    let image = |index: usize| match held(index) {
        Held::Image { digest, frames, .. } => Some((*digest, frames)),
        _ => None,
    };
    // A base that does not have this partition: the newest column that does stands in.
    let base = image(base).or_else(|| (0..inputs.len()).find_map(image));
    let mut others: Vec<Digest> = Vec::new();
    // Columns are newest first, so from behind they are in order of age.
    for index in (0..inputs.len()).rev() {
        if let Some((digest, _)) = image(index)
            && Some(digest) != base.map(|(digest, _)| digest)
            && !others.contains(&digest)
        {
            others.push(digest);
        }
    }
    (0..inputs.len())
        .map(|index| match held(index) {
            Held::NotTaken => Cell::NotTaken,
            Held::NotRead => Cell::NotRead,
            Held::Image {
                digest,
                frames,
                trust,
                moved,
            } => {
                let step = others
                    .iter()
                    .position(|other| other == digest)
                    .map_or(0, |at| at + 1);
                let ticks = match base {
                    Some((_, of)) if step > 0 => ticks(frames, of),
                    _ => Vec::new(),
                };
                Cell::Image {
                    said: said(step, ticks.len(), *moved),
                    step: u32::try_from(step).unwrap_or(u32::MAX),
                    ticks,
                    trust: *trust,
                    moved: *moved,
                    short: digest.short(),
                }
            }
        })
        .collect()
}

/// Which of 64 parts hold a frame that differs. Images whose frames are not known, or that have
/// another number of them, differ everywhere.
fn ticks(frames: &[Digest], base: &[Digest]) -> Vec<u16> {
    let count = base.len() as u64;
    let all = || (0..TICKS).collect::<Vec<u64>>();
    let parts = if frames.len() != base.len() || frames.is_empty() {
        all()
    } else {
        let mut parts: Vec<u64> = frames
            .iter()
            .zip(base)
            .zip(0u64..)
            .filter(|((frame, base), _)| frame != base)
            .flat_map(|(_, n)| {
                let first = n * TICKS / count;
                first..((n + 1) * TICKS / count).max(first + 1)
            })
            .collect();
        parts.dedup();
        parts
    };
    parts
        .into_iter()
        .filter_map(|part| u16::try_from(part).ok())
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::coverage::testing::own;
    use crate::facts::testing::at;
    use crate::family::testing::gimbal;
    use crate::partitions::describe;

    fn digest(n: u8) -> Digest {
        Digest::of(&[n])
    }

    fn column(n: u64, minute: i64, contents: &[(&str, u8, Trust)]) -> ColumnInput {
        ColumnInput {
            capture: (n > 0).then(|| format!("00000000-0000-7000-8000-{n:012}").parse().unwrap()),
            at: Some(WallTime::nearest_ms(at(minute).ms())),
            held: contents
                .iter()
                .map(|(label, content, trust)| {
                    let held = Held::Image {
                        digest: digest(*content),
                        frames: vec![digest(0), digest(*content)],
                        trust: *trust,
                        moved: false,
                    };
                    (label.parse().unwrap(), held)
                })
                .collect(),
        }
    }

    fn steps(chart: &Chart, label: &str) -> Vec<Option<u32>> {
        let row = chart
            .rows
            .iter()
            .find(|row| row.label.as_str() == label)
            .unwrap();
        row.cells
            .iter()
            .map(|cell| match cell {
                Cell::Image { step, .. } => Some(*step),
                Cell::NotTaken | Cell::NotRead => None,
            })
            .collect()
    }

    fn drawn(live: ColumnInput, captures: Vec<ColumnInput>) -> Chart {
        chart(&describe(&gimbal(), &own()), live, captures)
    }

    #[test]
    fn the_newest_verified_capture_is_the_base_and_others_step_by_age() {
        use Trust::{Damaged, Live, Unverified, Verified};
        let chart = drawn(
            column(0, 50, &[("persist", 9, Live)]),
            vec![
                column(4, 40, &[("persist", 7, Unverified)]),
                column(3, 30, &[("persist", 3, Damaged)]),
                column(2, 20, &[("persist", 3, Verified), ("boot", 1, Verified)]),
                column(1, 10, &[("persist", 5, Verified)]),
            ],
        );
        let bases: Vec<bool> = chart.columns.iter().map(|column| column.base).collect();
        assert_eq!(bases, [false, false, false, true, false]);
        // 5 is the oldest other content, then 7, then what lies there now.
        assert_eq!(
            steps(&chart, "persist"),
            [Some(3), Some(2), Some(0), Some(0), Some(1)]
        );
        assert_eq!(steps(&chart, "boot"), [None, None, None, Some(0), None]);
        let row = chart
            .rows
            .iter()
            .find(|row| row.label.as_str() == "persist")
            .unwrap();
        let Cell::Image { ticks, .. } = &row.cells[0] else {
            panic!("not an image");
        };
        assert_eq!(ticks.len(), 32, "the second of two frames differs");
        assert_eq!(ticks[0], 32);
    }

    #[test]
    fn without_a_verified_capture_the_unit_itself_is_the_base() {
        let chart = drawn(
            column(0, 50, &[("persist", 9, Trust::Live)]),
            vec![column(1, 10, &[("persist", 9, Trust::Unverified)])],
        );
        assert!(chart.columns[0].base);
        assert_eq!(steps(&chart, "persist"), [Some(0), Some(0)]);
    }

    #[test]
    fn at_most_ten_captures_are_shown_and_the_rest_is_counted() {
        let captures = (1..=13)
            .rev()
            .map(|n| {
                column(
                    n,
                    i64::try_from(n).unwrap(),
                    &[("persist", 1, Trust::Verified)],
                )
            })
            .collect();
        let chart = drawn(column(0, 99, &[]), captures);
        assert_eq!((chart.columns.len(), chart.older), (11, 3));
    }

    #[test]
    fn many_frames_share_a_tick_and_few_fill_several() {
        let base: Vec<Digest> = (0..128).map(digest).collect();
        let mut frames = base.clone();
        frames[5] = digest(200);
        assert_eq!(ticks(&frames, &base), [2]);
        assert_eq!(ticks(&[digest(1)], &[digest(2)]).len(), 64);
        assert_eq!(ticks(&[], &base).len(), 64);
    }
}
