import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';

import { onWall } from '../../api/clock';
import type { Api } from '../../api/client';
import { counted, exactOf } from '../../ui/format';
import { Section } from '../../ui/Section';
import { StateShape } from '../../ui/shapes';
import { CauseList } from './CauseList';
import { PartitionTable } from './PartitionTable';
import { Again } from './WipeLedger';

export type RunEndProps = { unit: string; run: Api<'RunView'> };

/** How the last run ended, and what it brought. */
export function RunEnd({ unit, run }: RunEndProps) {
  const isReached = run.ended === 'reached';
  return (
    <Box sx={{ mb: 4 }}>
      <Box sx={{ display: 'flex', gap: 2.5, alignItems: 'center', mb: 3 }}>
        <StateShape kind={isReached ? 'met' : 'refused'} size={60} />
        <Box>
          <Typography variant="h1">
            {run.ended === 'reached' && 'The goal is reached'}
            {run.ended === 'stopped' && 'The run was stopped'}
            {run.ended === 'no-way' && 'No way leads on from here'}
          </Typography>
          <Typography color="text.secondary">
            {run.title}. {counted(run.done.length, 'step', 'steps')} taken
            {run.ended_at != null && `, ended ${exactOf(onWall(run.ended_at))}`}.
          </Typography>
        </Box>
      </Box>
      {run.ended === 'no-way' && run.diverged != null && (
        <Typography sx={{ mb: 2 }}>{run.diverged}</Typography>
      )}
      {!isReached && run.causes.length > 0 && <CauseList causes={run.causes} unit={unit} />}
      <Again lines={run.again} />
      {run.table != null && (
        <Section title="The unit's own partition table">
          <Typography color="text.secondary" sx={{ mb: 1 }}>
            Both copies were read and agree. Nothing was written.
            {run.lacking.length > 0 &&
              ` Missing, though this family has them: ${run.lacking.join(', ')}.`}
          </Typography>
          <PartitionTable rows={run.table} />
        </Section>
      )}
    </Box>
  );
}
