import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';

import type { Api } from '../../api/client';
import { counted, dayOf, exactOf } from '../../ui/format';
import { StateShape } from '../../ui/shapes';
import { verdictShape } from '../../ui/words';

export type VerdictHeadProps = { standing: Api<'Standing'> };

function detail(standing: Api<'Standing'>): string | undefined {
  const { verdict, next_check: check } = standing;
  switch (verdict.is) {
    case 'ready-after':
      return `About ${counted(verdict.minutes, 'minute', 'minutes')} of your time, as far as is known.`;
    case 'wait-until':
      return `Until ${exactOf(verdict.at)}.`;
    case 'already-unlocked':
      return `Known since ${dayOf(verdict.since)}.`;
    case 'not-known-yet':
      return check == null
        ? undefined
        : `${check.title} decides most: ${counted(check.minutes, 'minute', 'minutes')}. ${check.place}`;
    case 'not-possible':
      return verdict.finality === 'final' ? 'Nothing changes this.' : 'This can change; see why.';
    case 'ready':
      return 'The sheet shows every step before it begins.';
    case 'ask-the-vendor':
    case 'no-lock':
      return undefined;
  }
}

/** The verdict in one sentence. */
export function VerdictHead({ standing }: VerdictHeadProps) {
  const more = detail(standing);
  return (
    <Box sx={{ display: 'flex', gap: 2.5, alignItems: 'center', mb: 4, minHeight: 64 }}>
      <StateShape kind={verdictShape(standing.verdict)} size={60} />
      <Box>
        <Typography variant="h1">{standing.sentence}</Typography>
        {more !== undefined && <Typography color="text.secondary">{more}</Typography>}
      </Box>
    </Box>
  );
}
