import Box from '@mui/material/Box';
import { useId, useState, type KeyboardEvent } from 'react';

import type { Api } from '../../api/client';
import { clockOf, dayOf, mib } from '../../ui/format';
import { ChartCell } from './ChartCell';
import { cellWords } from './cells';
import { WORDS } from './strings';
import { useWords } from '../../ui/wordBook';

export type CoreChartProps = {
  chart: Api<'Chart'>;
  stock: string | null | undefined;
  chosen: string | undefined;
  onChoose: (label: string) => void;
  /** The same as a table, one key away. */
  onTable: () => void;
};

/** Up to this the drawing grows with the page. */
const WIDEST = 900;

/** What lies where, seen over time: partitions down, the unit and its captures across. */
export function CoreChart({ chart, stock, chosen, onChoose, onTable }: CoreChartProps) {
  const trustWords = useWords('trust');
  const [cursor, setCursor] = useState({ row: 0, column: 0 });
  const { layout } = chart;
  const at = chart.rows[cursor.row];
  const onKeyDown = (event: KeyboardEvent) => {
    const moves: Record<string, [number, number]> = {
      ArrowUp: [-1, 0],
      ArrowDown: [1, 0],
      ArrowLeft: [0, -1],
      ArrowRight: [0, 1],
    };
    const move = moves[event.key];
    if (move !== undefined) {
      event.preventDefault();
      setCursor((known) => ({
        row: Math.min(Math.max(known.row + move[0], 0), chart.rows.length - 1),
        column: Math.min(Math.max(known.column + move[1], 0), chart.columns.length - 1),
      }));
    } else if (event.key === 't') {
      event.preventDefault();
      onTable();
    } else if (event.key === 'Enter' && at !== undefined) {
      event.preventDefault();
      onChoose(at.label);
    }
  };
  const gridId = useId();
  const cellId = (row: number, column: number) => `${gridId}-${row}-${column}`;
  return (
    <Box sx={{ overflowX: 'auto' }}>
      <Box
        component="svg"
        role="grid"
        aria-label={WORDS.chart}
        aria-activedescendant={cellId(cursor.row, cursor.column)}
        tabIndex={0}
        onKeyDown={onKeyDown}
        viewBox={`0 0 ${layout.width} ${layout.height}`}
        sx={{
          display: 'block',
          width: '100%',
          minWidth: layout.width,
          maxWidth: WIDEST,
          '& text': { fill: 'currentColor', fontSize: 15 },
          '& .code': { fontFamily: 'code.fontFamily', fontSize: 14 },
          '& .cursor': { visibility: 'hidden' },
          '&:focus-visible .cursor': { visibility: 'visible' },
          '& .faint': { fill: 'var(--mui-palette-text-secondary)', fontSize: 13.5 },
        }}
      >
        <g role="row">
          <text role="columnheader" x={0} y={16} className="faint">
            {WORDS.partition}
          </text>
          {chart.columns.map((column, index) => {
            const box = layout.columns[index];
            if (box === undefined) return null;
            return (
              <g
                key={column.capture ?? 'live'}
                role="columnheader"
                aria-label={columnWords(chart, index)}
              >
                <text x={box.x} y={16} fontWeight={column.base ? 700 : 500}>
                  {column.capture == null ? 'Live' : column.capture === stock ? 'First' : 'Capture'}
                </text>
                <text x={box.x} y={34} className="faint">
                  {column.at == null ? 'not read' : clockOf(column.at)}
                </text>
                <text x={box.x} y={51} className="faint">
                  {column.base ? 'base' : column.at == null ? '' : dayOf(column.at)}
                </text>
              </g>
            );
          })}
        </g>
        {chart.rows.map((row, rowIndex) => {
          const line = layout.rows[rowIndex];
          if (line === undefined) return null;
          const isUnique = row.role === 'device-unique';
          return (
            <g
              key={row.label}
              role="row"
              onClick={() => onChoose(row.label)}
              style={{ cursor: 'pointer' }}
            >
              <rect
                x={0}
                y={line.y}
                width={layout.width}
                height={line.height}
                fill={row.label === chosen ? 'var(--mui-palette-band)' : 'transparent'}
              />
              <text
                role="rowheader"
                x={isUnique ? 10 : 0}
                y={line.y + line.height / 2 + 5}
                className="code"
                style={{ fontWeight: isUnique ? 700 : 400 }}
              >
                {row.label}
              </text>
              {isUnique && (
                <path
                  d={`M0 ${line.y}v${line.height}`}
                  stroke="var(--mui-palette-care)"
                  strokeWidth={5}
                />
              )}
              <text
                x={layout.labels - 12}
                y={line.y + line.height / 2 + 5}
                className="faint"
                textAnchor="end"
              >
                {mib(row.length_bytes)}
              </text>
              {line.bands.map((band) => (
                <rect
                  key={band.x}
                  x={band.x}
                  y={line.y + 1}
                  width={band.width}
                  height={line.height - 2}
                  fill="var(--mui-palette-strand)"
                />
              ))}
              {row.cells.map((one, columnIndex) => {
                const box = line.cells[columnIndex];
                return (
                  box !== undefined && (
                    <g
                      key={chart.columns[columnIndex]?.capture ?? 'live'}
                      role="gridcell"
                      id={cellId(rowIndex, columnIndex)}
                      aria-label={cellWords(one, trustWords)}
                    >
                      <ChartCell cell={one} box={box} line={line} isUnique={isUnique} />
                    </g>
                  )
                );
              })}
            </g>
          );
        })}
        <Cursor column={layout.columns[cursor.column]} row={layout.rows[cursor.row]} />
        <path
          d={`M${layout.labels - 6} ${layout.heads}V${layout.height - 6}`}
          stroke="var(--mui-palette-rule)"
        />
      </Box>
    </Box>
  );
}

function columnWords(chart: Api<'Chart'>, index: number): string {
  const column = chart.columns[index];
  if (column?.capture == null) return 'live';
  return column.at == null ? 'capture' : `capture of ${dayOf(column.at)} ${clockOf(column.at)}`;
}

type CursorProps = {
  column: { x: number; width: number } | undefined;
  row: { y: number; height: number } | undefined;
};

function Cursor({ column, row }: CursorProps) {
  if (column === undefined || row === undefined) return null;
  return (
    <rect
      className="cursor"
      x={column.x - 3}
      y={row.y - 2}
      width={column.width + 6}
      height={row.height + 4}
      fill="none"
      stroke="currentColor"
      strokeWidth={1.5}
      strokeDasharray="3 3"
    />
  );
}
