import type { Api } from '../../api/client';
import { STEP, type ColumnBox, type RowBox } from './layout';

export type ChartCellProps = {
  cell: Api<'Cell'>;
  column: ColumnBox;
  line: RowBox;
  isUnique: boolean;
};

const TICKS = 64;

/**
 * One cell: filled when it was read back, hollow when not, cracked when damaged; what exists once
 * has a notch; another content than the base stands aside and says by ticks where it differs.
 */
export function ChartCell({ cell, column, line, isUnique }: ChartCellProps) {
  const top = line.y + 2;
  const height = line.height - 4;
  switch (cell.is) {
    case 'not-taken':
      return null;
    case 'not-read':
      return (
        <rect
          x={column.x + 1}
          y={top}
          width={column.width - 2}
          height={height}
          fill="none"
          stroke="var(--mui-palette-text-secondary)"
          strokeDasharray="4 4"
        />
      );
    case 'image': {
      const left = column.x + cell.step * STEP;
      const right = left + column.width;
      const notch = isUnique ? Math.min(8, height / 2) : 0;
      const edge = cell.moved ? zigzag(left, top, height) : `M${left} ${top}`;
      const outline = `${edge}L${right - notch} ${top}L${right} ${top + notch}V${top + height}H${left}Z`;
      const isOther = cell.step > 0;
      const ink = isOther ? 'var(--mui-palette-care)' : 'var(--mui-palette-primary-main)';
      const fill =
        cell.trust === 'verified'
          ? isOther
            ? 'var(--mui-palette-careFill)'
            : 'var(--mui-palette-strandFill)'
          : 'var(--mui-palette-background-default)';
      return (
        <>
          <path d={outline} fill={fill} stroke={ink} strokeWidth={1.8} />
          {cell.ticks.map((tick) => (
            <path
              key={tick}
              d={`M${left + 3 + (tick * (column.width - 6)) / TICKS} ${top + height - 7}v6`}
              stroke={ink}
              strokeWidth={Math.max(1, (column.width - 6) / TICKS - 0.5)}
            />
          ))}
          {cell.trust === 'damaged' && (
            <path
              d={`M${left + column.width * 0.55} ${top - 2}l-5 ${height * 0.35}l9 ${height * 0.25}l-6 ${height * 0.5}`}
              fill="none"
              stroke="var(--mui-palette-noReturn)"
              strokeWidth={3}
            />
          )}
        </>
      );
    }
  }
}

/** A broken left edge: the table was another one then. */
function zigzag(left: number, top: number, height: number): string {
  const steps = 4;
  const points = Array.from({ length: steps + 1 }, (_, n) => {
    const y = top + height - (height * n) / steps;
    return `${left + (n % 2 === 0 ? 0 : 5)} ${y}`;
  });
  return `M${points.join('L')}`;
}
