import Stack from '@mui/material/Stack';
import TextField from '@mui/material/TextField';
import { useState } from 'react';

import { client, newRequest, unwrap } from '../../api/client';
import { useChange } from '../../api/useChange';
import { ProblemNote } from '../../ui/ProblemNote';
import { Button } from '../../ui/Button';
import { ShowButton } from '../../ui/ShowButton';
import { useMayNoteOnBench } from '../../ui/useMay';

export type BridgeFormProps = { onDone: () => void };

/** Address and token of a bridge. */
export function BridgeForm({ onDone }: BridgeFormProps) {
  const note = useMayNoteOnBench();
  const [url, setUrl] = useState('http://127.0.0.1:7311');
  const [token, setToken] = useState('');
  const add = useChange((body: { url: string; token: string }) =>
    unwrap(client.POST('/api/bridges', { body: { ...body, request: newRequest() } })),
  );
  return (
    <Stack
      component="form"
      spacing={1.5}
      sx={{ maxWidth: 440 }}
      onSubmit={(event) => {
        event.preventDefault();
        add.mutate({ url, token }, { onSuccess: onDone });
      }}
    >
      <TextField label="Address" value={url} onChange={(event) => setUrl(event.target.value)} />
      <TextField
        label="Token"
        helperText="The bridge shows it when it starts."
        value={token}
        onChange={(event) => setToken(event.target.value)}
        autoComplete="off"
      />
      {add.error !== null && <ProblemNote error={add.error} />}
      <Stack direction="row" spacing={1.5}>
        <Button
          may={note}
          type="submit"
          variant="contained"
          isOff={add.isPending || token.trim() === ''}
        >
          Connect
        </Button>
        <ShowButton onClick={onDone}>Cancel</ShowButton>
      </Stack>
    </Stack>
  );
}
