import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';

import type { Api } from '../../api/client';
import { duration, mib } from '../../ui/format';
import { RuleMark } from '../../ui/RuleMark';

export type ExtentNotesProps = { extents: Api<'ExtentLine'>[] };

const TITLES: Record<Api<'Extent'>, string> = {
  quick: 'A capture',
  full: 'With the system',
};

/** What each capture takes, what it opens, and what is missing for it, before it is begun. */
export function ExtentNotes({ extents }: ExtentNotesProps) {
  return (
    <Box
      component="ul"
      aria-label="What a capture takes"
      sx={{ listStyle: 'none', p: 0, m: 0, mb: 2, display: 'grid', gap: 0.5 }}
    >
      {extents.map((line) => (
        <Typography key={line.extent} component="li" color="text.secondary">
          <Box component="span" sx={{ color: 'text.primary', fontWeight: 600 }}>
            {TITLES[line.extent]}: {mib(line.read_bytes)} to read,{' '}
            {line.ms == null
              ? 'how long is not measured here yet'
              : `about ${duration(Math.max(1, line.ms / 1000))}`}
            .
          </Box>{' '}
          {line.opens}
          {line.missing_bytes > 0 && (
            <Box component="span" sx={{ color: 'error.main' }}>
              {' '}
              {mib(line.missing_bytes)} of room are missing on this bench. <RuleMark id="B8" />
            </Box>
          )}
        </Typography>
      ))}
    </Box>
  );
}
