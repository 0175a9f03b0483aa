import Box from '@mui/material/Box';
import TextField from '@mui/material/TextField';
import { useState } from 'react';

import { client, newRequest, unwrap } from '../../api/client';
import { useChange } from '../../api/useChange';
import { useNews } from '../../ui/news';
import { ProblemNote } from '../../ui/ProblemNote';
import { WORDS } from './strings';
import { Button } from '../../ui/Button';
import { useMayNote } from '../../ui/useMay';

export type TokenFieldProps = { unit: string; onDone: (() => void) | undefined };

/** Keeps the token that came by mail, so that the link can use it; it is shown nowhere again. */
export function TokenField({ unit, onDone }: TokenFieldProps) {
  const news = useNews();
  const note = useMayNote(unit);
  const [token, setToken] = useState('');
  const keep = useChange(
    (text: string) =>
      unwrap(
        client.POST('/api/units/{unit}/token', {
          params: { path: { unit } },
          body: { token: text, request: newRequest() },
        }),
      ),
    unit,
    () => {
      setToken('');
      news({ text: WORDS.tokenKept });
      onDone?.();
    },
  );
  return (
    <Box
      component="form"
      sx={{ display: 'flex', gap: 1.5, alignItems: 'flex-start', flexWrap: 'wrap', mt: 2 }}
      onSubmit={(event) => {
        event.preventDefault();
        keep.mutate(token);
      }}
    >
      <TextField
        label={WORDS.token}
        helperText={WORDS.tokenHelp}
        value={token}
        onChange={(event) => setToken(event.target.value)}
        autoComplete="off"
        sx={{ width: 320 }}
      />
      <Button
        may={note}
        type="submit"
        variant="outlined"
        isOff={keep.isPending || token.trim() === ''}
      >
        Keep it
      </Button>
      {keep.error !== null && <ProblemNote error={keep.error} />}
    </Box>
  );
}
