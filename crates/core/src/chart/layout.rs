//! Where each part of the core chart stands, in px of a drawing of its own that is scaled as a whole; nothing
//! here knows how it is painted.

use serde::Serialize;

use super::{Cell, ChartRow, TICKS};

/// A stretch from left to right.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct Span {
    /// Its left edge.
    pub x: u32,
    /// Its width.
    pub width: u32,
}

/// A row.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct RowBox {
    /// Its upper edge.
    pub y: u32,
    /// Its height: the longer the partition, the taller.
    pub height: u32,
    /// Neighbouring cells that stand in line with the base, joined.
    pub bands: Vec<Span>,
    /// Cells, one a column; another content than the base stands aside.
    pub cells: Vec<CellBox>,
}

/// A cell.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct CellBox {
    /// Its left edge.
    pub x: u32,
    /// Its width.
    pub width: u32,
    /// Where its ticks stand.
    pub ticks: Vec<u32>,
}

/// The drawing.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct Layout {
    /// Its width.
    pub width: u32,
    /// Its height.
    pub height: u32,
    /// Where labels and sizes end and columns begin.
    pub labels: u32,
    /// Where the heads of the columns end.
    pub heads: u32,
    /// Columns.
    pub columns: Vec<Span>,
    /// Rows.
    pub rows: Vec<RowBox>,
}

/// Width that columns share, with labels.
const WIDTH: u32 = 680;
/// Height that few rows are stretched to.
const FITTED: f64 = 430.0;
/// How far they are stretched at most.
const MOST_STRETCH: f64 = 2.0;
const HEADS: u32 = 62;
const LEAST_LABELS: u32 = 150;
/// A sign of a label, in tenths of a px, and what stands beside it: the mark of what exists once, and the size.
const SIGN_TENTHS: u32 = 85;
const BESIDE_LABEL: u32 = 82;
const COLUMN_GAP: u32 = 14;
const LEAST_COLUMN: u32 = 46;
const MOST_COLUMN: u32 = 150;
/// How far each other content of a row steps to the right.
const STEP: u32 = 10;
const LEAST_HEIGHT: f64 = 14.0;
const MIB: f64 = 1_048_576.0;
/// Room at a cell's ends that ticks leave free.
const TICK_MARGIN: u32 = 3;
const FOOT: u32 = 8;
const EDGE: u32 = 2;

/// Lays `rows` out under `columns` columns.
#[must_use]
pub(super) fn layout(rows: &[ChartRow], columns: usize) -> Layout {
    let longest = rows.iter().map(|row| row.label.as_str().chars().count());
    let longest = longest.max().and_then(|signs| u32::try_from(signs).ok());
    let labels = LEAST_LABELS.max(longest.unwrap_or(0) * SIGN_TENTHS / 10 + BESIDE_LABEL);
    let columns = spans(rows, columns, labels);
    let heights: Vec<(f64, f64)> = rows
        .iter()
        .map(|row| {
            let gap = 3.0 + 2.0 * mib_log(row.gap_bytes);
            (LEAST_HEIGHT + 4.0 * mib_log(row.length_bytes), gap)
        })
        .collect();
    let natural: f64 = heights.iter().map(|(height, gap)| height + gap).sum();
    let stretch = ((FITTED - f64::from(HEADS)) / natural.max(1.0)).clamp(1.0, MOST_STRETCH);
    let mut y = HEADS;
    let boxes: Vec<RowBox> = rows
        .iter()
        .zip(heights)
        .map(|(row, (height, gap))| {
            let (top, height) = (y + px(gap), px(height * stretch));
            y = top + height;
            RowBox {
                y: top,
                height,
                bands: bands(&row.cells, &columns),
                cells: row
                    .cells
                    .iter()
                    .zip(&columns)
                    .map(|(cell, column)| cell_box(cell, *column))
                    .collect(),
            }
        })
        .collect();
    // The furthest cell ends the drawing, however far it stands aside.
    let cells = boxes.iter().flat_map(|row: &RowBox| &row.cells);
    let end = cells.map(|cell| cell.x + cell.width).max();
    let heads = columns.last().map(|last| last.x + last.width);
    let end = end.max(heads).unwrap_or(labels) + EDGE;
    Layout {
        width: end.max(WIDTH),
        height: y + FOOT,
        labels,
        heads: HEADS,
        columns,
        rows: boxes,
    }
}

/// Columns share the width, each with room for as many steps aside as any row takes in it.
fn spans(rows: &[ChartRow], columns: usize, labels: u32) -> Vec<Span> {
    let steps = |column: usize| {
        let cells = rows.iter().filter_map(|row| row.cells.get(column));
        let step = cells.map(|cell| match cell {
            Cell::Image { step, .. } => *step,
            Cell::NotTaken | Cell::NotRead => 0,
        });
        step.max().unwrap_or(0) * STEP
    };
    let room: Vec<u32> = (0..columns).map(steps).collect();
    let count = u32::try_from(columns).unwrap_or(u32::MAX).max(1);
    let taken = labels + room.iter().sum::<u32>() + COLUMN_GAP * (count - 1);
    let each = (WIDTH.saturating_sub(taken) / count).clamp(LEAST_COLUMN, MOST_COLUMN);
    let mut x = labels;
    room.into_iter()
        .map(|room| {
            let span = Span { x, width: each };
            x += each + room + COLUMN_GAP;
            span
        })
        .collect()
}

/// Neighbouring cells of a row that stand in line with the base and hold something.
fn bands(cells: &[Cell], columns: &[Span]) -> Vec<Span> {
    let mut bands: Vec<Span> = Vec::new();
    let mut is_open = false;
    for (cell, column) in cells.iter().zip(columns) {
        let is_in_line = matches!(cell, Cell::Image { step: 0, .. });
        match bands.last_mut().filter(|_| is_open && is_in_line) {
            Some(band) => band.width = column.x + column.width - band.x,
            None if is_in_line => bands.push(*column),
            None => {}
        }
        is_open = is_in_line;
    }
    bands
}

fn cell_box(cell: &Cell, column: Span) -> CellBox {
    let Cell::Image { step, ticks, .. } = cell else {
        return CellBox {
            x: column.x,
            width: column.width,
            ticks: Vec::new(),
        };
    };
    let x = column.x + step * STEP;
    let inner = column.width.saturating_sub(2 * TICK_MARGIN);
    let parts = u32::try_from(TICKS).unwrap_or(u32::MAX);
    CellBox {
        x,
        width: column.width,
        ticks: ticks
            .iter()
            .map(|tick| x + TICK_MARGIN + u32::from(*tick) * inner / parts)
            .collect(),
    }
}

/// The logarithm of one more than so many MiB: 0 for nothing, 10 for a GiB.
#[expect(clippy::cast_precision_loss, reason = "a height is drawn, not counted")]
fn mib_log(bytes: u64) -> f64 {
    (1.0 + bytes as f64 / MIB).log2()
}

#[expect(
    clippy::cast_possible_truncation,
    clippy::cast_sign_loss,
    reason = "heights are small and positive"
)]
fn px(value: f64) -> u32 {
    value.round() as u32
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::chart::Trust;
    use crate::family::Role;

    fn image(step: u32, ticks: &[u16]) -> Cell {
        Cell::Image {
            step,
            ticks: ticks.to_vec(),
            trust: Trust::Verified,
            moved: false,
            short: String::new(),
            said: String::new(),
        }
    }

    fn row(label: &str, length_bytes: u64, cells: Vec<Cell>) -> ChartRow {
        ChartRow {
            label: label.parse().unwrap(),
            role: Role::Boot,
            length_bytes,
            gap_bytes: 0,
            cells,
        }
    }

    #[test]
    fn rows_grow_with_their_length_and_never_overlap() {
        let rows: Vec<ChartRow> = [1_u64, 64, 4096]
            .iter()
            .map(|mib| row("boot_a", mib << 20, vec![image(0, &[])]))
            .collect();
        let drawn = layout(&rows, 1);
        assert!(drawn.rows.is_sorted_by(|a, b| a.height < b.height));
        assert!(drawn.rows.is_sorted_by(|a, b| a.y + a.height < b.y));
        let last = drawn.rows.last().unwrap();
        assert!(last.y + last.height < drawn.height && drawn.rows[0].y > drawn.heads);
    }

    #[test]
    fn what_is_alike_is_one_band_and_what_is_not_stands_aside() {
        let cells = vec![
            image(0, &[]),
            image(0, &[]),
            image(2, &[0, 63]),
            image(0, &[]),
        ];
        let drawn = layout(&[row("modemst1", 1 << 20, cells)], 4);
        let (row, columns) = (&drawn.rows[0], &drawn.columns);
        assert_eq!(row.bands.len(), 2);
        assert_eq!(row.bands[0].x, columns[0].x);
        assert_eq!(
            row.bands[0].x + row.bands[0].width,
            columns[1].x + columns[1].width
        );
        assert_eq!(row.cells[2].x, columns[2].x + 2 * STEP);
        // A cell that stands aside still ends before the next column, and its ticks lie in it.
        let (cell, next) = (&row.cells[2], columns[3]);
        assert!(cell.x + cell.width < next.x);
        let inside = |tick: &u32| *tick >= cell.x && *tick < cell.x + cell.width;
        assert!(cell.ticks.len() == 2 && cell.ticks.iter().all(inside));
    }

    #[test]
    fn ten_captures_keep_their_least_width_and_a_long_label_its_room() {
        let cells = vec![image(0, &[]); 11];
        let drawn = layout(&[row("a_label_that_is_thirty_letters", 1, cells)], 11);
        assert!(drawn.columns.iter().all(|one| one.width == LEAST_COLUMN));
        assert!(drawn.width > WIDTH && drawn.labels > 300);
        // The last column may stand aside too: nothing of it lies outside.
        let aside = layout(&[row("modemst1", 1, vec![image(0, &[]), image(3, &[])])], 2);
        let cell = &aside.rows[0].cells[1];
        assert!(cell.x + cell.width < aside.width && aside.width <= WIDTH + EDGE);
        assert_eq!(layout(&[], 0).columns, []);
    }
}
