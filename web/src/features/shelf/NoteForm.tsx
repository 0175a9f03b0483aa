import Box from '@mui/material/Box';
import MenuItem from '@mui/material/MenuItem';
import TextField from '@mui/material/TextField';
import { useState } from 'react';

import { client, newRequest, unwrap, type Api } from '../../api/client';
import { useChange } from '../../api/useChange';
import { Button } from '../../ui/Button';
import { ProblemNote } from '../../ui/ProblemNote';
import { ShowButton } from '../../ui/ShowButton';
import { WORDS } from './strings';

export type NoteFormProps = {
  file: Api<'ShelfLine'>;
  others: Api<'ShelfLine'>[];
  put: Api<'Permission'>;
};

/** What a person says of a file: its publisher's digest, where it came from, a short name. */
export function NoteForm({ file, others, put }: NoteFormProps) {
  const [beside, setBeside] = useState('');
  const [isMore, setMore] = useState(false);
  const [alias, setAlias] = useState(file.alias ?? '');
  const [origin, setOrigin] = useState(file.origin ?? '');
  const [dated, setDated] = useState(file.dated ?? '');
  const params = { path: { file: file.id } };
  const note = useChange((said: Api<'FileNote'>) =>
    unwrap(
      client.POST('/api/shelf/files/{file}', {
        params,
        body: { note: said, request: newRequest() },
      }),
    ),
  );
  const keep = useChange((instructions: string) =>
    unwrap(
      client.POST('/api/shelf/files/{file}/instructions', {
        params,
        body: { instructions, request: newRequest() },
      }),
    ),
  );
  return (
    <>
      <Box
        component="form"
        sx={{ display: 'flex', gap: 1, alignItems: 'flex-start', mb: 1 }}
        onSubmit={(event) => {
          event.preventDefault();
          note.mutate({ beside }, { onSuccess: () => setBeside('') });
        }}
      >
        <TextField
          size="small"
          multiline
          maxRows={6}
          label={`Its publisher’s digest, for ${file.name}`}
          helperText={WORDS.publishedHelp}
          value={beside}
          onChange={(event) => setBeside(event.target.value)}
          sx={{ flexGrow: 1 }}
        />
        <Button
          may={put}
          type="submit"
          variant="outlined"
          isOff={note.isPending || beside.trim() === ''}
        >
          Compare
        </Button>
      </Box>
      {!isMore && <ShowButton onClick={() => setMore(true)}>Say more of it</ShowButton>}
      {isMore && (
        <Box
          component="form"
          sx={{ display: 'flex', flexWrap: 'wrap', gap: 1, mb: 1 }}
          onSubmit={(event) => {
            event.preventDefault();
            note.mutate({ alias, origin, dated });
          }}
        >
          <TextField
            size="small"
            label="Short name"
            value={alias}
            onChange={(event) => setAlias(event.target.value)}
          />
          <TextField
            size="small"
            label="Where it came from"
            value={origin}
            onChange={(event) => setOrigin(event.target.value)}
            sx={{ flexGrow: 1 }}
          />
          <TextField
            size="small"
            label="Published on, such as 2026-11-20"
            value={dated}
            onChange={(event) => setDated(event.target.value)}
          />
          <Button may={put} type="submit" variant="outlined" isOff={note.isPending}>
            Note it
          </Button>
          <TextField
            select
            size="small"
            label="Instructions that lie on the shelf"
            value=""
            onChange={(event) => keep.mutate(event.target.value)}
            disabled={!put.allowed}
            sx={{ minWidth: 260 }}
          >
            {others
              .filter((one) => one.id !== file.id)
              .map((one) => (
                <MenuItem key={one.id} value={one.id}>
                  {one.name}
                </MenuItem>
              ))}
          </TextField>
        </Box>
      )}
      {note.error !== null && <ProblemNote error={note.error} />}
      {keep.error !== null && <ProblemNote error={keep.error} />}
    </>
  );
}
