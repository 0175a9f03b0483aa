import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';

import { client, newRequest, unwrap, type Api } from '../../api/client';
import { useChange } from '../../api/useChange';
import { ProblemNote } from '../../ui/ProblemNote';
import { StateShape } from '../../ui/shapes';
import { asideLabel } from './strings';
import { Button } from '../../ui/Button';

export type DamageBandProps = { lines: Api<'DamagedLine'>[] };

/** Logs that are held back and files that make no sense: what is wrong, and the way on. */
export function DamageBand({ lines }: DamageBandProps) {
  const aside = useChange((unit: string | null) =>
    unwrap(client.POST('/api/log/aside', { body: { unit, request: newRequest() } })),
  );
  if (lines.length === 0) return null;
  return (
    <Box role="alert" sx={{ bgcolor: 'band', px: 2, py: 1, mb: 2 }}>
      {lines.map((line) => (
        <Box key={line.text} sx={{ display: 'flex', gap: 1.5, alignItems: 'center', py: 0.5 }}>
          <StateShape kind="refused" />
          <Typography sx={{ flexGrow: 1, overflowWrap: 'anywhere' }}>
            {line.nickname == null ? '' : `${line.nickname}: `}
            {line.text}
          </Typography>
          {line.aside.allowed && (
            <Button
              may={line.aside}
              color="error"
              sx={{ flexShrink: 0 }}
              isOff={aside.isPending}
              onClick={() => aside.mutate(line.unit ?? null)}
            >
              {asideLabel(line)}
            </Button>
          )}
        </Box>
      ))}
      {aside.error !== null && <ProblemNote error={aside.error} />}
    </Box>
  );
}
