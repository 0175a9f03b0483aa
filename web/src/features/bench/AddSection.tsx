import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';
import { useState } from 'react';

import type { Api } from '../../api/client';
import { Section } from '../../ui/Section';
import { BridgeDevices } from './BridgeDevices';
import { BridgeForm } from './BridgeForm';
import { ByHandForm } from './ByHandForm';
import { WORDS } from './strings';
import { ShowButton } from '../../ui/ShowButton';

export type AddSectionProps = { bench: Api<'BenchView'> };

/** The two ways onto the bench: over a bridge, or by hand. */
export function AddSection({ bench }: AddSectionProps) {
  const [open, setOpen] = useState<'bridge' | 'hand' | undefined>();
  return (
    <Section title={WORDS.add}>
      {bench.bridges.map((bridge) => (
        <BridgeDevices key={bridge.id} bridge={bridge} ownership={bench.ownership} />
      ))}
      <Box sx={{ display: 'grid', gridTemplateColumns: { md: '1fr 1fr' }, gap: 5, mt: 2 }}>
        <Box>
          <Typography variant="h3">{WORDS.linked}</Typography>
          <Typography color="text.secondary" sx={{ mb: 1.5 }}>
            {WORDS.linkedHelp}
          </Typography>
          {open === 'bridge' ? (
            <BridgeForm onDone={() => setOpen(undefined)} />
          ) : (
            <ShowButton variant="outlined" onClick={() => setOpen('bridge')}>
              Add a bridge
            </ShowButton>
          )}
        </Box>
        <Box>
          <Typography variant="h3">{WORDS.byHand}</Typography>
          <Typography color="text.secondary" sx={{ mb: 1.5 }}>
            {WORDS.byHandHelp}
          </Typography>
          {open === 'hand' ? (
            <ByHandForm
              families={bench.families}
              ownership={bench.ownership}
              onDone={() => setOpen(undefined)}
            />
          ) : (
            <ShowButton variant="outlined" onClick={() => setOpen('hand')}>
              Add a device by hand
            </ShowButton>
          )}
        </Box>
      </Box>
    </Section>
  );
}
