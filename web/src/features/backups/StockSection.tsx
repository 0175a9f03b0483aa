import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';

import { client, newRequest, unwrap, type Api } from '../../api/client';
import { stockQuery } from '../../api/queries';
import { useChange } from '../../api/useChange';
import { counted } from '../../ui/format';
import { ProblemNote } from '../../ui/ProblemNote';
import { Section } from '../../ui/Section';
import { StateShape } from '../../ui/shapes';
import { RestorePanel } from './RestorePanel';
import { WORDS } from './strings';
import { Button } from '../../ui/Button';
import { ShowButton } from '../../ui/ShowButton';

export type StockSectionProps = { unit: string; take: Api<'Permission'> };

/** The maker's sets on the shelf: whether each is this unit's, taking it in, putting it back. */
export function StockSection({ unit, take }: StockSectionProps) {
  const { data: sets } = useQuery(stockQuery(unit));
  const [restoring, setRestoring] = useState<string | undefined>();
  const takeIn = useChange(
    (set: string) =>
      unwrap(
        client.POST('/api/units/{unit}/stock', {
          params: { path: { unit } },
          body: { set, request: newRequest() },
        }),
      ),
    unit,
  );
  if (sets === undefined || sets.length === 0) return null;
  return (
    <Section title={WORDS.stock}>
      <Typography color="text.secondary" sx={{ mb: 1 }}>
        {WORDS.stockHelp}
      </Typography>
      {sets.map((set) => {
        const stop = set.fits ? undefined : set.findings.find((one) => one.fit !== 'fits');
        const { taken } = set;
        return (
          <Box key={set.id} sx={{ borderTop: 1, borderColor: 'rule', py: 1.5 }}>
            <Box sx={{ display: 'flex', gap: 2, alignItems: 'baseline', flexWrap: 'wrap' }}>
              <StateShape
                kind={set.fits ? 'met' : 'missing'}
                label={set.fits ? 'Is for this unit' : 'Is not for this unit'}
              />
              <Typography sx={{ fontWeight: 650 }}>{set.build}</Typography>
              <Typography color="text.secondary">
                {stop === undefined
                  ? `${counted(set.images, 'image', 'images')}. ${set.findings.map((one) => one.text).join(' ')}`
                  : `${stop.text} (${stop.rule})`}
              </Typography>
              {taken == null ? (
                <Button
                  may={set.take}
                  variant="outlined"
                  isOff={takeIn.isPending}
                  onClick={() => takeIn.mutate(set.id)}
                  sx={{ ml: 'auto' }}
                >
                  {takeIn.isPending ? 'Comparing digests' : `Take ${set.name} into the vault`}
                </Button>
              ) : (
                <ShowButton onClick={() => setRestoring(taken)} sx={{ ml: 'auto' }}>
                  Put back from {set.name}
                </ShowButton>
              )}
            </Box>
            {taken != null && restoring === taken && (
              <RestorePanel
                unit={unit}
                capture={taken}
                take={take}
                title={`Put back from the set ${set.name}`}
                onClose={() => setRestoring(undefined)}
              />
            )}
          </Box>
        );
      })}
      {takeIn.error !== null && <ProblemNote error={takeIn.error} />}
    </Section>
  );
}
