import Box from '@mui/material/Box';
import LinearProgress from '@mui/material/LinearProgress';
import Typography from '@mui/material/Typography';

import type { Api } from '../api/client';
import { duration, mib } from './format';

export type ByteProgressProps = { progress: Api<'JobProgress'> };

/** How far bytes are: a bar, amounts, rate, time left. */
export function ByteProgress({ progress }: ByteProgressProps) {
  return (
    <Box>
      <LinearProgress
        variant="determinate"
        value={progress.permille / 10}
        aria-label={progress.what}
        sx={{ my: 1 }}
      />
      <Typography color="text.secondary">
        {mib(progress.done_bytes)} of {mib(progress.total_bytes)}, {mib(progress.bytes_per_second)}
        /s
        {progress.seconds_left != null && `, ${duration(progress.seconds_left)} left`}
      </Typography>
    </Box>
  );
}
