import Box from '@mui/material/Box';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useState } from 'react';

import { client, newRequest, unwrap, type Api } from '../../api/client';
import { useChange } from '../../api/useChange';
import { ProblemNote } from '../../ui/ProblemNote';
import { WORDS } from './strings';
import { Button } from '../../ui/Button';

export type ConsentFormProps = {
  unit: string;
  run: Api<'RunView'>;
  consequences: Api<'Consequence'>[];
  may: Api<'Permission'>;
  /** Whether the unit asks by itself before it acts. */
  asks: boolean;
  nickname: string;
};

/** What it costs, said once and whole; consent is the unit's name, typed. */
export function ConsentForm({ unit, run, consequences, may, asks, nickname }: ConsentFormProps) {
  const [typed, setTyped] = useState('');
  const consent = useChange(
    () =>
      unwrap(
        client.POST('/api/units/{unit}/run/{run}/consent', {
          params: { path: { unit, run: run.id } },
          body: { revision: run.revision, typed, request: newRequest() },
        }),
      ),
    unit,
  );
  return (
    <Box
      component="form"
      sx={{ borderLeft: 5, borderColor: 'noReturn', pl: 3, maxWidth: 760 }}
      onSubmit={(event) => {
        event.preventDefault();
        consent.mutate(undefined);
      }}
    >
      <Box component="ul" sx={{ m: 0, mb: 2.5, pl: 2.5 }}>
        {consequences.map((one) => (
          <Typography component="li" key={one.area} sx={{ mb: 0.75, fontSize: '1.1875rem' }}>
            {one.text}
          </Typography>
        ))}
      </Box>
      <Box sx={{ display: 'flex', gap: 2, alignItems: 'flex-start' }}>
        <TextField
          label={`Type ${nickname} to consent`}
          value={typed}
          onChange={(event) => setTyped(event.target.value)}
          autoComplete="off"
          sx={{ width: 300 }}
          slotProps={{ htmlInput: { 'data-next': '' } }}
        />
        <Button
          may={may}
          type="submit"
          color="error"
          variant="outlined"
          isOff={consent.isPending || typed === ''}
        >
          I consent
        </Button>
      </Box>
      <Typography variant="body2" color="text.secondary" sx={{ mt: 1 }}>
        {asks ? WORDS.asksOnceMore : WORDS.asksNothing}
      </Typography>
      {consent.error !== null && <ProblemNote error={consent.error} />}
    </Box>
  );
}
