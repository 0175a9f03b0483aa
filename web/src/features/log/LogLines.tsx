import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';

import type { Api } from '../../api/client';
import { clockSecondsOf, dayOf, exactOf } from '../../ui/format';
import { LongList } from '../../ui/LongList';
import { LOG } from './strings';

export type LogLinesProps = { lines: Api<'LogLine'>[] };

const COLOURS: Partial<Record<string, string>> = {
  acts: 'primary.main',
  refusals: 'noReturn',
  decisions: 'care',
};

/** About the height of a line, before it was seen. */
const ABOUT = 44;

/** Lines under their days; acts, decisions and refusals carry a mark at the edge. */
export function LogLines({ lines }: LogLinesProps) {
  const dayAt = (index: number) => {
    const line = lines[index];
    return line === undefined ? undefined : dayOf(line.at);
  };
  return (
    <LongList items={lines} keyOf={(line) => line.key} about={ABOUT} label={LOG.lines}>
      {(line, index) => {
        const day = dayAt(index);
        return (
          <>
            {day !== dayAt(index - 1) && (
              <Typography variant="h2" sx={{ borderTop: 2, pt: 1, mt: index === 0 ? 0 : 3 }}>
                {day}
              </Typography>
            )}
            <Line line={line} />
          </>
        );
      }}
    </LongList>
  );
}

function Line({ line }: { line: Api<'LogLine'> }) {
  return (
    <Box
      sx={{
        display: 'grid',
        gridTemplateColumns: '6px 92px minmax(0, 1fr) 96px',
        columnGap: 2,
        py: 0.9,
        borderBottom: 1,
        borderColor: 'rule',
      }}
    >
      <Box sx={{ bgcolor: COLOURS[line.kind] ?? 'transparent' }} />
      <Typography variant="code" component="time" dateTime={line.at} title={exactOf(line.at)}>
        {clockSecondsOf(line.at)}
      </Typography>
      <Typography sx={{ overflowWrap: 'anywhere' }}>
        {line.sentence}
        {line.since != null && (
          <Typography component="span" color="text.secondary" title={exactOf(line.since)}>
            {' '}
            Since {clockSecondsOf(line.since)}.
          </Typography>
        )}
      </Typography>
      <Typography variant="body2" color="text.secondary" align="right">
        {line.kind}, {line.seq}
      </Typography>
    </Box>
  );
}
