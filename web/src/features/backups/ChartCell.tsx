import type { Api } from '../../api/client';

export type ChartCellProps = {
  cell: Api<'Cell'>;
  box: Api<'CellBox'>;
  line: Api<'RowBox'>;
  isUnique: boolean;
};

/** How wide a tick is drawn. */
const TICK = 1.4;

/**
 * One cell: filled when it was read back, hollow when not, cracked when damaged; what exists once
 * has a notch; another content than the base stands aside and says by ticks where it differs.
 */
export function ChartCell({ cell, box, line, isUnique }: ChartCellProps) {
  const top = line.y + 2;
  const height = line.height - 4;
  switch (cell.is) {
    case 'not-taken':
      return null;
    case 'not-read':
      return (
        <rect
          x={box.x + 1}
          y={top}
          width={box.width - 2}
          height={height}
          fill="none"
          stroke="var(--mui-palette-text-secondary)"
          strokeDasharray="4 4"
        />
      );
    case 'image': {
      const left = box.x;
      const right = left + box.width;
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
          {box.ticks.map((tick) => (
            <path key={tick} d={`M${tick} ${top + height - 7}v6`} stroke={ink} strokeWidth={TICK} />
          ))}
          {cell.trust === 'damaged' && (
            <path
              d={`M${left + box.width * 0.55} ${top - 2}l-5 ${height * 0.35}l9 ${height * 0.25}l-6 ${height * 0.5}`}
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
