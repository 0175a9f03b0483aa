import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';

import { client, newRequest, unwrap, type Api } from '../api/client';
import { useChange } from '../api/useChange';
import { StateShape } from './shapes';
import { Button } from './Button';
import { useMayNoteOnBench } from './useMay';

export type ClockBandProps = { note: Api<'ClockNote'> | null | undefined };

/** This computer's clock was set while waits are counted. */
export function ClockBand({ note }: ClockBandProps) {
  const may = useMayNoteOnBench();
  const trust = useChange(() =>
    unwrap(client.POST('/api/clock/trust', { body: { request: newRequest() } })),
  );
  if (note == null) return null;
  return (
    <Box
      role="status"
      sx={{ display: 'flex', gap: 1.5, alignItems: 'center', bgcolor: 'band', px: 2, py: 1, mb: 2 }}
    >
      <StateShape kind="waiting" />
      <Typography sx={{ flexGrow: 1 }}>{note.text}</Typography>
      <Button
        may={may}
        sx={{ flexShrink: 0 }}
        isOff={trust.isPending}
        onClick={() => trust.mutate(undefined)}
      >
        The clock is right now
      </Button>
    </Box>
  );
}
