import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';

import { client, newRequest, unwrap, type Api } from '../../api/client';
import { useChange } from '../../api/useChange';
import { ProblemNote } from '../../ui/ProblemNote';
import { useWords } from '../../ui/wordBook';
import { Button } from '../../ui/Button';
import { useMayNoteOnBench } from '../../ui/useMay';

export type KnownDeviceProps = { bridge: string; device: Api<'FoundDevice'> };

/** A device that is a unit of this bench, as its identifiers tell: it can be linked. */
export function KnownDevice({ bridge, device }: KnownDeviceProps) {
  const linkWords = useWords('presence');
  const note = useMayNoteOnBench();
  const known = device.recognised;
  const link = useChange((unit: string) =>
    unwrap(
      client.POST('/api/units/{unit}/link', {
        params: { path: { unit } },
        body: { bridge, handle: device.handle, request: newRequest() },
      }),
    ),
  );
  if (known == null) return null;
  return (
    <Box sx={{ py: 1, borderTop: 1, borderColor: 'rule' }}>
      <Box sx={{ display: 'flex', gap: 2, alignItems: 'center', flexWrap: 'wrap' }}>
        <Typography>
          This is <b>{known.nickname}</b>, by its identifiers.
        </Typography>
        <Typography color="text.secondary">
          {device.handle}, {linkWords(device.presence)}
        </Typography>
        <Button
          may={note}
          variant="outlined"
          isOff={link.isPending}
          onClick={() => link.mutate(known.unit)}
        >
          Link {known.nickname} here
        </Button>
      </Box>
      {link.error !== null && <ProblemNote error={link.error} />}
    </Box>
  );
}
