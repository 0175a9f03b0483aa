import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';

import { client, newRequest, unwrap, type Api } from '../../api/client';
import { useChange } from '../../api/useChange';
import { ProblemNote } from '../../ui/ProblemNote';
import { Section } from '../../ui/Section';
import { WORDS } from './strings';
import { Button } from '../../ui/Button';
import { useMayNoteOnBench } from '../../ui/useMay';

export type AwaySectionProps = { units: Api<'AwayUnit'>[] };

/** Units that were put away; their records stay, and they come back with a click. */
export function AwaySection({ units }: AwaySectionProps) {
  const note = useMayNoteOnBench();
  const back = useChange((unit: string) =>
    unwrap(
      client.POST('/api/units/{unit}/away', {
        params: { path: { unit } },
        body: { away: false, request: newRequest() },
      }),
    ),
  );
  return (
    <Section title={WORDS.away}>
      {units.map((unit) => (
        <Box key={unit.id} sx={{ display: 'flex', gap: 2, alignItems: 'center' }}>
          <Typography>{unit.nickname}</Typography>
          <Button may={note} onClick={() => back.mutate(unit.id)} isOff={back.isPending}>
            Bring {unit.nickname} back
          </Button>
        </Box>
      ))}
      {back.error !== null && <ProblemNote error={back.error} />}
    </Section>
  );
}
