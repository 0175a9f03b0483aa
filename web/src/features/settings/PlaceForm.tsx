import Box from '@mui/material/Box';
import TextField from '@mui/material/TextField';
import { useState } from 'react';

import { client, newRequest, unwrap } from '../../api/client';
import { useChange } from '../../api/useChange';
import { ProblemNote } from '../../ui/ProblemNote';
import { Button } from '../../ui/Button';
import { useMayNoteOnBench } from '../../ui/useMay';

/** Adds a folder as a place. */
export function PlaceForm() {
  const note = useMayNoteOnBench();
  const [name, setName] = useState('');
  const [path, setPath] = useState('');
  const add = useChange(() =>
    unwrap(client.POST('/api/places', { body: { name, path, request: newRequest() } })),
  );
  return (
    <Box
      component="form"
      sx={{ display: 'flex', gap: 1.5, flexWrap: 'wrap', alignItems: 'flex-start' }}
      onSubmit={(event) => {
        event.preventDefault();
        add.mutate(undefined, {
          onSuccess: () => {
            setName('');
            setPath('');
          },
        });
      }}
    >
      <TextField label="Name" value={name} onChange={(event) => setName(event.target.value)} />
      <TextField
        label="Folder, its whole path"
        value={path}
        onChange={(event) => setPath(event.target.value)}
        sx={{ width: 380 }}
      />
      <Button
        may={note}
        type="submit"
        variant="outlined"
        isOff={add.isPending || name.trim() === '' || path.trim() === ''}
      >
        Add the place
      </Button>
      {add.error !== null && <ProblemNote error={add.error} />}
    </Box>
  );
}
