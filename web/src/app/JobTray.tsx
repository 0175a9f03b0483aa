import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';
import { useQuery } from '@tanstack/react-query';

import type { Api } from '../api/client';
import { jobsQuery } from '../api/queries';

export type JobTrayProps = { unit: string };

function words(state: Api<'JobState'>): string | undefined {
  switch (state.is) {
    case 'running':
      return 'working';
    case 'waiting':
      return 'waits for you';
    case 'done':
    case 'failed':
    case 'cancelled':
      return undefined;
  }
}

/** What is under way with this unit, if anything is. */
export function JobTray({ unit }: JobTrayProps) {
  const { data: jobs } = useQuery(jobsQuery());
  const job = jobs?.find((known) => known.unit === unit);
  const shown = job === undefined ? undefined : words(job.state);
  return (
    <Box role="status" sx={{ minWidth: 0 }}>
      {shown !== undefined && (
        <Typography variant="body2" sx={{ borderBottom: '2px solid', whiteSpace: 'nowrap' }}>
          {shown}
        </Typography>
      )}
    </Box>
  );
}
