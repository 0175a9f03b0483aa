import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Typography from '@mui/material/Typography';

import { client, newRequest, unwrap, type Api } from '../../api/client';
import { useChange } from '../../api/useChange';
import { ProblemNote } from '../../ui/ProblemNote';

export type SightingChoiceProps = {
  unit: string;
  run: Api<'RunView'>;
  sightings: Api<'Sighting'>[];
};

/** What is seen now; the expected first, so that nobody only says *done*. */
export function SightingChoice({ unit, run, sightings }: SightingChoiceProps) {
  const say = useChange(
    (sighting: string) =>
      unwrap(
        client.POST('/api/units/{unit}/run/{run}/seen', {
          params: { path: { unit, run: run.id } },
          body: { revision: run.revision, sighting, request: newRequest() },
        }),
      ),
    unit,
  );
  return (
    <Box role="group" aria-labelledby="seen-title">
      <Typography variant="h2" id="seen-title" sx={{ mb: 1.5 }}>
        What do you see now?
      </Typography>
      <Box sx={{ display: 'flex', flexDirection: 'column', gap: 1, alignItems: 'flex-start' }}>
        {sightings.map((sighting, index) => (
          <Button
            key={sighting.id}
            variant={sighting.likelihood === 'expected' ? 'contained' : 'outlined'}
            disabled={say.isPending}
            onClick={() => say.mutate(sighting.id)}
            sx={{ textAlign: 'left' }}
            {...(index === 0 ? { 'data-next': '' } : {})}
          >
            {sighting.text}
          </Button>
        ))}
      </Box>
      {say.error !== null && <ProblemNote error={say.error} />}
    </Box>
  );
}
