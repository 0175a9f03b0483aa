import type { Api } from '../../api/client';

/** Geometry of the core chart, in px of its own drawing; nothing here knows how it is painted. */

export interface ColumnBox {
  x: number;
  width: number;
}

export interface RowBox {
  y: number;
  height: number;
  /** A gap on the disk before it. */
  gap: number;
}

export interface Layout {
  columns: ColumnBox[];
  rows: RowBox[];
  /** Room for labels and sizes at the left. */
  labels: number;
  width: number;
  height: number;
}

const LEAST_LABELS = 150;
/** A sign of a label, and what stands beside it: the mark of what exists once, and the size. */
const SIGN = 8.5;
const BESIDE_LABEL = 82;
/** Room for the heads of the columns. */
export const HEADS = 62;
/** How far each other content of a row steps to the right. */
export const STEP = 10;
const LEAST_HEIGHT = 14;
const COLUMN_GAP = 14;
const MOST_COLUMN = 150;
const MIB = 1_048_576;

/** Steps that a column makes room for. */
function steps(chart: Api<'Chart'>, column: number): number {
  return Math.max(
    0,
    ...chart.rows.map((row) => {
      const cell = row.cells[column];
      return cell?.is === 'image' ? cell.step : 0;
    }),
  );
}

/**
 * Rows are 14 px plus the logarithm of their size, fitted to `height` where that makes them larger;
 * columns share `width`, each with room for its steps.
 */
export function layoutOf(chart: Api<'Chart'>, width: number, height: number): Layout {
  const natural = chart.rows.map((row) => ({
    height: LEAST_HEIGHT + 4 * Math.log2(1 + row.length_bytes / MIB),
    gap: row.gap_bytes === 0 ? 3 : 3 + 2 * Math.log2(1 + row.gap_bytes / MIB),
  }));
  const longest = Math.max(0, ...chart.rows.map((row) => row.label.length));
  const labels = Math.max(LEAST_LABELS, Math.ceil(longest * SIGN + BESIDE_LABEL));
  const total = natural.reduce((sum, row) => sum + row.height + row.gap, 0);
  const scale = Math.min(2, Math.max(1, (height - HEADS) / total));
  const rows: RowBox[] = [];
  let y = HEADS;
  for (const row of natural) {
    y += row.gap;
    rows.push({ y, height: row.height * scale, gap: row.gap });
    y += row.height * scale;
  }
  const room = chart.columns.map((_, index) => steps(chart, index) * STEP);
  const free =
    width -
    labels -
    room.reduce((sum, one) => sum + one, 0) -
    COLUMN_GAP * Math.max(0, chart.columns.length - 1);
  const each = Math.min(MOST_COLUMN, Math.max(46, free / Math.max(1, chart.columns.length)));
  const columns: ColumnBox[] = [];
  let x = labels;
  for (const one of room) {
    columns.push({ x, width: each });
    x += each + one + COLUMN_GAP;
  }
  return { columns, rows, labels, width: Math.max(width, x), height: y + 8 };
}

/** Neighbouring columns of a row that stand in line and hold something: joined into one band. */
export function bandsOf(row: Api<'ChartRow'>): { from: number; to: number }[] {
  const bands: { from: number; to: number }[] = [];
  row.cells.forEach((cell, index) => {
    if (cell.is !== 'image' || cell.step !== 0) return;
    const last = bands.at(-1);
    if (last !== undefined && last.to === index - 1) last.to = index;
    else bands.push({ from: index, to: index });
  });
  return bands;
}
