import Box from '@mui/material/Box';

import type { Api } from '../../api/client';
import { duration } from '../../ui/format';
import { useWords } from '../../ui/wordBook';

export type ScoreChartProps = {
  phases: Api<'Phase'>[];
  said: Api<'PhaseSaid'>[];
  /** The phase that is on, and how far; before the first one none. */
  at: { index: number; share: number } | undefined;
};

const LEFT = 150;
const WIDTH = 860;
const ROW = 44;
const TOP = 34;

/** The phases as a score: a row for each key, time to the right, a bar while a key is down. */
export function ScoreChart({ phases, said, at }: ScoreChartProps) {
  const keyWords = useWords('key');
  const cueWords = useWords('cue');
  const keys = [...new Set(phases.flatMap((phase) => phase.keys))];
  const hasCable = phases.some((phase) => phase.kind === 'cable-in' || phase.kind === 'cable-out');
  const rows = [...keys.map(keyWords), ...(hasCable ? ['cable'] : [])];
  const placeOf = (permille: number) => LEFT + ((WIDTH - LEFT) * permille) / 1000;
  const spanOf = (index: number) => {
    const [from = 0, to = 0] = said[index]?.score ?? [];
    return { x: placeOf(from), width: placeOf(to) - placeOf(from) };
  };
  const here = at === undefined ? undefined : spanOf(at.index);
  const head = here === undefined ? LEFT : here.x + here.width * (at?.share ?? 0);
  const height = TOP + rows.length * ROW + 6;
  return (
    <Box
      component="svg"
      viewBox={`0 0 ${WIDTH} ${height}`}
      role="img"
      aria-label={`${phases.length} phases on ${rows.join(', ')}`}
      sx={{
        width: '100%',
        maxWidth: WIDTH,
        display: 'block',
        my: 2,
        '& text': { fill: 'currentColor' },
        '& .bar': { color: 'text.secondary', fill: 'currentColor' },
        '& .now': { color: 'primary.main', fill: 'currentColor' },
        '& .now text, & .bar text': { fill: 'currentColor' },
        '& .line': { color: 'rule', stroke: 'currentColor' },
        '& .cue': { stroke: 'currentColor' },
        '& .head': { color: 'noReturn', stroke: 'currentColor' },
      }}
    >
      {rows.map((row, index) => (
        <g key={row}>
          <line
            x1={LEFT}
            x2={WIDTH}
            y1={TOP + index * ROW + ROW / 2}
            y2={TOP + index * ROW + ROW / 2}
            className="line"
          />
          <text x={0} y={TOP + index * ROW + ROW / 2 + 6} fontSize={19}>
            {row}
          </text>
        </g>
      ))}
      {phases.map((phase, index) => {
        const { x, width } = spanOf(index);
        const isNow = at?.index === index;
        const kind = isNow ? 'now' : 'bar';
        return (
          <g key={index}>
            {phase.keys.map((key) => {
              const y = TOP + keys.indexOf(key) * ROW + 9;
              const isShort = ['tap', 'tap-repeatedly', 'touch'].includes(phase.kind);
              const stays = !phase.lets_go.includes(key);
              return isShort ? (
                <circle key={key} cx={x + width / 2} cy={y + 13} r={13} className={kind} />
              ) : (
                <rect
                  key={key}
                  x={x + 2}
                  y={y}
                  width={stays ? width + 2 : width - 8}
                  height={26}
                  rx={stays ? 0 : 5}
                  className={kind}
                />
              );
            })}
            {(phase.kind === 'cable-in' || phase.kind === 'cable-out') && (
              <text
                x={x + width / 2}
                y={TOP + keys.length * ROW + ROW / 2 + 7}
                textAnchor="middle"
                fontSize={19}
                fontWeight={650}
                className={kind}
              >
                {phase.kind === 'cable-in' ? 'in' : 'out'}
              </text>
            )}
            <line
              x1={x + width}
              x2={x + width}
              y1={TOP - 6}
              y2={height - 4}
              className="cue"
              strokeDasharray="3 4"
            />
            <text x={x + width - 6} y={20} textAnchor="end" fontSize={18}>
              {phase.cue === 'seconds' ? duration(phase.seconds) : cueWords(phase.cue)}
            </text>
          </g>
        );
      })}
      {at !== undefined && (
        <line x1={head} x2={head} y1={TOP - 10} y2={height} className="head" strokeWidth={3} />
      )}
    </Box>
  );
}
