import Box from '@mui/material/Box';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useState } from 'react';

import type { Api } from '../../api/client';
import { ProblemNote } from '../../ui/ProblemNote';
import { WORDS } from './strings';
import { Button } from '../../ui/Button';
import { useConsent } from './useStep';

export type ConsentFormProps = {
  unit: string;
  run: Api<'RunView'>;
  view: Api<'StepView'>;
  nickname: string;
};

/** What it costs, said once and whole; consent is the unit's name, typed. */
export function ConsentForm({ unit, run, view, nickname }: ConsentFormProps) {
  const [typed, setTyped] = useState('');
  const consent = useConsent(unit, run, view.lacks_consent_only);
  return (
    <Box
      component="form"
      sx={{ borderLeft: 5, borderColor: 'noReturn', pl: 3, maxWidth: 760 }}
      onSubmit={(event) => {
        event.preventDefault();
        consent.mutate(typed);
      }}
    >
      <Box component="ul" sx={{ m: 0, mb: 2.5, pl: 2.5 }}>
        {view.consequences.map((one) => (
          <Typography component="li" key={one.area} sx={{ mb: 0.75, fontSize: '1.1875rem' }}>
            {one.text}
          </Typography>
        ))}
      </Box>
      <Box sx={{ display: 'flex', gap: 2, alignItems: 'center' }}>
        <TextField
          label={`Type ${nickname} to consent`}
          value={typed}
          onChange={(event) => setTyped(event.target.value)}
          autoComplete="off"
          sx={{ width: 300 }}
          slotProps={{ htmlInput: { 'data-next': '' } }}
        />
        <Button
          may={view.consent}
          type="submit"
          color="error"
          variant={view.lacks_consent_only ? 'contained' : 'outlined'}
          isOff={consent.isPending || typed === ''}
        >
          {view.consents}
        </Button>
      </Box>
      <Typography variant="body2" color="text.secondary" sx={{ mt: 1 }}>
        {afterwards(view)}
      </Typography>
      {consent.error !== null && <ProblemNote error={consent.error} />}
    </Box>
  );
}

/** What comes of the press. */
function afterwards(view: Api<'StepView'>): string {
  if (!view.lacks_consent_only) return WORDS.onlyConsents;
  if (view.by === 'hand') return WORDS.showsHow;
  return view.step.question != null ? WORDS.asksOnceMore : WORDS.asksNothing;
}
