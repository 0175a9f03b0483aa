import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';

import type { Api } from '../../api/client';
import { clockSecondsOf, dayOf, exactOf } from '../../ui/format';

export type LogLinesProps = { lines: Api<'LogLine'>[] };

const COLOURS: Partial<Record<string, string>> = {
  acts: 'primary.main',
  refusals: 'noReturn',
  decisions: 'care',
};

/** Lines by day; acts, decisions and refusals carry a mark at the edge. */
export function LogLines({ lines }: LogLinesProps) {
  const days = new Map<string, Api<'LogLine'>[]>();
  for (const line of lines) {
    const day = dayOf(line.at);
    days.set(day, [...(days.get(day) ?? []), line]);
  }
  return [...days].map(([day, inDay]) => (
    <Box component="section" key={day} sx={{ borderTop: 2, pt: 1, mb: 3 }}>
      <Typography variant="h2">{day}</Typography>
      <Box component="ol" sx={{ listStyle: 'none', m: 0, p: 0 }}>
        {inDay.map((line) => (
          <Box
            component="li"
            key={line.key}
            sx={{
              display: 'grid',
              gridTemplateColumns: '6px 92px minmax(0, 1fr) 96px',
              columnGap: 2,
              py: 0.9,
              borderTop: 1,
              borderColor: 'rule',
              '&:first-of-type': { borderTop: 0 },
            }}
          >
            <Box sx={{ bgcolor: COLOURS[line.kind] ?? 'transparent' }} />
            <Typography variant="code" component="time" dateTime={line.at} title={exactOf(line.at)}>
              {clockSecondsOf(line.at)}
            </Typography>
            <Typography sx={{ overflowWrap: 'anywhere' }}>{line.sentence}</Typography>
            <Typography variant="body2" color="text.secondary" align="right">
              {line.kind}, {line.seq}
            </Typography>
          </Box>
        ))}
      </Box>
    </Box>
  ));
}
