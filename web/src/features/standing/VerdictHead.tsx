import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';

import { onWall } from '../../api/clock';
import type { Api } from '../../api/client';
import { counted, dayOf, left, untilOf } from '../../ui/format';
import { StateShape } from '../../ui/shapes';
import { useNow } from '../../ui/useNow';
import { verdictShape } from '../../ui/stateShapes';
import { WORDS } from './strings';
import { DownloadButton } from '../../ui/DownloadButton';
import { LinkButton } from '../../ui/LinkButton';

export type VerdictHeadProps = { unit: string; standing: Api<'Standing'> };

function detail(standing: Api<'Standing'>, now: number): string | undefined {
  const { verdict } = standing;
  switch (verdict.is) {
    case 'ready-after':
      return `About ${counted(verdict.minutes, 'minute', 'minutes')} in all, as far as is known.`;
    case 'wait-until':
      return `Until ${untilOf(onWall(verdict.at))}: ${left(verdict.at, now)} to go.`;
    case 'already-unlocked':
      return `Known since ${dayOf(onWall(verdict.since))}.`;
    case 'not-possible':
      return verdict.finality === 'final' ? 'Nothing changes this.' : 'This can change; see why.';
    case 'ready':
      return 'The sheet shows every step before it begins.';
    case 'not-known-yet':
    case 'ask-the-vendor':
    case 'no-lock':
      return undefined;
  }
}

/** The verdict in one sentence, why, and what can be taken along. */
export function VerdictHead({ unit, standing }: VerdictHeadProps) {
  const more = detail(standing, useNow(30_000));
  const waits = standing.verdict.is === 'wait-until';
  return (
    <Box sx={{ display: 'flex', gap: 2.5, alignItems: 'flex-start', mb: 3, minHeight: 64 }}>
      <StateShape kind={verdictShape(standing.verdict)} size={60} />
      <Box sx={{ flexGrow: 1, minWidth: 0 }}>
        <Typography variant="h1">{standing.sentence}</Typography>
        {standing.because != null && <Typography>{standing.because}</Typography>}
        {more !== undefined && <Typography color="text.secondary">{more}</Typography>}
      </Box>
      <Box sx={{ display: 'flex', flexDirection: 'column', alignItems: 'flex-end', flexShrink: 0 }}>
        {waits && (
          <DownloadButton href={`/api/units/${unit}/wait.ics`}>{WORDS.calendar}</DownloadButton>
        )}
        <LinkButton to={`/units/${unit}/owner`}>{WORDS.ownersPage}</LinkButton>
      </Box>
    </Box>
  );
}
