import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';

import type { Api } from '../../api/client';
import { duration } from '../../ui/format';
import { WORDS } from './strings';

export type StepOutlookProps = { view: Api<'StepView'> };

/** What should be seen on the device, what else is known to happen, and when to worry. */
export function StepOutlook({ view }: StepOutlookProps) {
  const { step } = view;
  const expected = view.sightings.find((sighting) => sighting.likelihood === 'expected');
  const others = view.sightings.filter((sighting) => sighting.likelihood === 'known');
  return (
    <Box
      sx={{
        display: 'grid',
        gridTemplateColumns: { md: '1fr 1fr' },
        columnGap: 5,
        rowGap: 3,
        mt: 5,
        pt: 2,
        borderTop: 2,
      }}
    >
      <Box>
        <Typography variant="h3" component="h2">
          What you should see
        </Typography>
        <Typography>{expected?.text}</Typography>
        {step.stuck_seconds > 0 && (
          <Typography color="text.secondary" sx={{ mt: 1 }}>
            It counts as stuck after {duration(step.stuck_seconds)}.
          </Typography>
        )}
      </Box>
      <Box>
        <Typography variant="h3" component="h2">
          What else may be
        </Typography>
        {others.map((sighting) => (
          <Typography key={sighting.id} color="text.secondary">
            {sighting.text}
          </Typography>
        ))}
        <Typography sx={{ mt: 1 }}>
          {view.by === 'link'
            ? 'The bench looks by itself and plans again if it is not as expected.'
            : 'You say what you see; the bench plans again if it is not as expected.'}
        </Typography>
      </Box>
      {view.asks.length > 0 && (
        <Box component="section" aria-label={WORDS.asks} sx={{ gridColumn: '1 / -1' }}>
          <Typography variant="h3" component="h2">
            {WORDS.asks}
          </Typography>
          <Box component="dl" sx={{ m: 0 }}>
            {view.asks.map((one) => (
              <Box
                key={one.about}
                sx={{ display: 'grid', gridTemplateColumns: { md: '1fr 1fr' }, columnGap: 5 }}
              >
                <Typography component="dt" color="text.secondary">
                  {one.about}
                </Typography>
                <Typography component="dd" sx={{ m: 0 }}>
                  {one.answer}
                </Typography>
              </Box>
            ))}
          </Box>
        </Box>
      )}
    </Box>
  );
}
