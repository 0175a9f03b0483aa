import Stack from '@mui/material/Stack';
import TextField from '@mui/material/TextField';
import { useState } from 'react';
import { useNavigate } from 'react-router';

import { client, newRequest, unwrap, type Api } from '../../api/client';
import { useChange } from '../../api/useChange';
import { ProblemNote } from '../../ui/ProblemNote';
import { OwnerQuestion } from './OwnerQuestion';
import { WORDS } from './strings';
import { Button } from '../../ui/Button';
import { ShowButton } from '../../ui/ShowButton';
import { useMayNoteOnBench } from '../../ui/useMay';

export type UnitFormProps = {
  ownership: Api<'ChoiceOption'>[];
  reach: Api<'ReachedBy'>;
  onDone: () => void;
};

/** Name and owner of a new unit. */
export function UnitForm({ ownership, reach, onDone }: UnitFormProps) {
  const navigate = useNavigate();
  const note = useMayNoteOnBench();
  const [nickname, setNickname] = useState('');
  const [owner, setOwner] = useState('');
  const add = useChange((body: { nickname: string; ownership: string }) =>
    unwrap(client.POST('/api/units', { body: { ...body, reach, request: newRequest() } })),
  );
  return (
    <Stack
      component="form"
      spacing={2}
      sx={{ maxWidth: 440, py: 2 }}
      onSubmit={(event) => {
        event.preventDefault();
        add.mutate(
          { nickname, ownership: owner },
          {
            onSuccess: (made) => {
              onDone();
              void navigate(`/units/${made.id}/standing`);
            },
          },
        );
      }}
    >
      <TextField
        label={WORDS.name}
        value={nickname}
        onChange={(event) => setNickname(event.target.value)}
        autoComplete="off"
      />
      <OwnerQuestion options={ownership} value={owner} onChange={setOwner} />
      {add.error !== null && <ProblemNote error={add.error} />}
      <Stack direction="row" spacing={1.5}>
        <Button
          may={note}
          type="submit"
          variant="contained"
          isOff={add.isPending || nickname.trim() === '' || owner === ''}
        >
          Put on the bench
        </Button>
        <ShowButton onClick={onDone}>Cancel</ShowButton>
      </Stack>
    </Stack>
  );
}
