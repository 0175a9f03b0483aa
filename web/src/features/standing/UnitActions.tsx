import Box from '@mui/material/Box';
import TextField from '@mui/material/TextField';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { useNavigate } from 'react-router';

import { client, newRequest, unwrap } from '../../api/client';
import { unitQuery } from '../../api/queries';
import { useChange } from '../../api/useChange';
import { ProblemNote } from '../../ui/ProblemNote';
import { Section } from '../../ui/Section';
import { WORDS } from './strings';
import { Button } from '../../ui/Button';
import { ShowButton } from '../../ui/ShowButton';
import { useMayNote } from '../../ui/useMay';

export type UnitActionsProps = { unit: string };

/** The unit's name on this bench, and putting it away. */
export function UnitActions({ unit }: UnitActionsProps) {
  const { data: tag } = useQuery(unitQuery(unit));
  const note = useMayNote(unit);
  const navigate = useNavigate();
  const [name, setName] = useState<string | undefined>();
  const rename = useChange(
    (nickname: string) =>
      unwrap(
        client.POST('/api/units/{unit}/name', {
          params: { path: { unit } },
          body: { nickname, request: newRequest() },
        }),
      ),
    unit,
  );
  const putAway = useChange(
    () =>
      unwrap(
        client.POST('/api/units/{unit}/away', {
          params: { path: { unit } },
          body: { away: true, request: newRequest() },
        }),
      ),
    unit,
  );
  if (tag === undefined) return null;
  return (
    <Section title={WORDS.unit}>
      {name === undefined ? (
        <Box sx={{ display: 'flex', gap: 1.5 }}>
          <ShowButton onClick={() => setName(tag.nickname)}>Rename {tag.nickname}</ShowButton>
          <Button
            may={note}
            isOff={putAway.isPending}
            onClick={() => putAway.mutate(undefined, { onSuccess: () => void navigate('/') })}
          >
            Put {tag.nickname} away
          </Button>
        </Box>
      ) : (
        <Box
          component="form"
          sx={{ display: 'flex', gap: 1.5, alignItems: 'flex-start', flexWrap: 'wrap' }}
          onSubmit={(event) => {
            event.preventDefault();
            rename.mutate(name, { onSuccess: () => setName(undefined) });
          }}
        >
          <TextField
            label={WORDS.newName}
            value={name}
            onChange={(event) => setName(event.target.value)}
            autoComplete="off"
          />
          <Button
            may={note}
            type="submit"
            variant="outlined"
            isOff={rename.isPending || name.trim() === ''}
          >
            Save the name
          </Button>
          <ShowButton onClick={() => setName(undefined)}>Cancel</ShowButton>
        </Box>
      )}
      {rename.error !== null && <ProblemNote error={rename.error} />}
      {putAway.error !== null && <ProblemNote error={putAway.error} />}
    </Section>
  );
}
