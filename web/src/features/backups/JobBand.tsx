import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';

import { client, unwrap, type Api } from '../../api/client';
import { useChange } from '../../api/useChange';
import { ByteProgress } from '../../ui/ByteProgress';
import { StateShape, type ShapeKind } from '../../ui/shapes';
import { Button } from '../../ui/Button';

export type JobBandProps = { unit: string; job: Api<'JobView'> };

function shapeOf(state: Api<'JobState'>): ShapeKind {
  switch (state.is) {
    case 'running':
      return 'half';
    case 'waiting':
      return 'waiting';
    case 'done':
      return 'met';
    case 'failed':
      return 'refused';
    case 'cancelled':
      return 'away';
  }
}

function textOf(job: Api<'JobView'>): string {
  switch (job.state.is) {
    case 'running':
      return job.progress == null ? job.what : job.progress.what;
    case 'waiting':
      return job.state.why;
    case 'done':
    case 'failed':
    case 'cancelled':
      return job.state.text;
  }
}

/** The newest work on bytes: how far, how fast, how long still; or how it ended. */
export function JobBand({ unit, job }: JobBandProps) {
  const cancel = useChange(
    () => unwrap(client.POST('/api/jobs/{job}/cancel', { params: { path: { job: job.id } } })),
    unit,
  );
  const isRunning = job.state.is === 'running' || job.state.is === 'waiting';
  const progress = isRunning ? job.progress : undefined;
  return (
    <Box role="status" sx={{ bgcolor: 'band', px: 2, py: 1.5, mb: 3, borderRadius: 1 }}>
      <Box sx={{ display: 'flex', gap: 1.5, alignItems: 'center' }}>
        <StateShape kind={shapeOf(job.state)} />
        <Typography sx={{ flexGrow: 1, fontWeight: 550 }}>{textOf(job)}</Typography>
        {job.cancel.allowed && (
          <Button
            may={job.cancel}
            onClick={() => cancel.mutate(undefined)}
            isOff={cancel.isPending}
          >
            Stop
          </Button>
        )}
      </Box>
      {progress != null && <ByteProgress progress={progress} />}
    </Box>
  );
}
