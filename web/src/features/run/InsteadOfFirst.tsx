import Box from '@mui/material/Box';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useState } from 'react';

import type { Api } from '../../api/client';
import { useChooseGoal } from '../../api/useChooseGoal';
import { Button } from '../../ui/Button';
import { ProblemNote } from '../../ui/ProblemNote';
import { useMayNote } from '../../ui/useMay';
import { WORDS } from './strings';

export type InsteadOfFirstProps = {
  unit: string;
  goal: Api<'Goal'>;
  instead: Api<'InsteadOfFirst'>;
};

/** That another way than the family's first was chosen, and why; the log keeps it. */
export function InsteadOfFirst({ unit, goal, instead }: InsteadOfFirstProps) {
  const [reason, setReason] = useState('');
  const may = useMayNote(unit);
  const choose = useChooseGoal(unit);
  const first = `The first way of this family is another: ${instead.first.toLowerCase()}.`;
  if (instead.reason != null)
    return (
      <Typography sx={{ my: 1 }}>
        {first} Taken because: {instead.reason}.
      </Typography>
    );
  return (
    <Box sx={{ my: 1 }}>
      <Typography>{first}</Typography>
      <Box
        component="form"
        sx={{ display: 'flex', gap: 1, alignItems: 'center', mt: 1, maxWidth: 640 }}
        onSubmit={(event) => {
          event.preventDefault();
          choose.mutate({ goal, reason });
        }}
      >
        <TextField
          size="small"
          fullWidth
          label={WORDS.why}
          value={reason}
          onChange={(event) => setReason(event.target.value)}
        />
        <Button
          type="submit"
          variant="outlined"
          may={may}
          isOff={reason.trim() === '' || choose.isPending}
          sx={{ whiteSpace: 'nowrap' }}
        >
          {WORDS.keepWhy}
        </Button>
      </Box>
      {choose.error !== null && <ProblemNote error={choose.error} />}
    </Box>
  );
}
