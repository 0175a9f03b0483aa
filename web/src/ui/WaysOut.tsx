import Box from '@mui/material/Box';
import { useNavigate } from 'react-router';

import type { Api } from '../api/client';
import { useChooseGoal } from '../api/useChooseGoal';
import { Button } from './Button';
import { ProblemNote } from './ProblemNote';
import { useMayNote } from './useMay';

export type WaysOutProps = { unit: string; ways: Api<'WayOut'>[] };

/** Goals that carry a way out out: one button each, which chooses it and leads to its sheet. */
export function WaysOut({ unit, ways }: WaysOutProps) {
  const go = useNavigate();
  const choose = useChooseGoal(unit, () => void go(`/units/${unit}/run`));
  const note = useMayNote(unit);
  if (ways.length === 0) return null;
  return (
    <Box sx={{ my: 1 }}>
      <Box sx={{ display: 'flex', gap: 1, flexWrap: 'wrap' }}>
        {ways.map(({ goal, title }) => (
          <Button key={goal} variant="outlined" may={note} onClick={() => choose.mutate({ goal })}>
            {title}
          </Button>
        ))}
      </Box>
      {choose.error !== null && <ProblemNote error={choose.error} />}
    </Box>
  );
}
