import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';
import { useState } from 'react';

import { client, newRequest, unwrap, type Api } from '../../api/client';
import { useChange } from '../../api/useChange';
import { ProblemNote } from '../../ui/ProblemNote';
import { StateShape } from '../../ui/shapes';
import { PlaceFound } from './PlaceFound';
import { Button } from '../../ui/Button';
import { ShowButton } from '../../ui/ShowButton';
import { useMayNoteOnBench } from '../../ui/useMay';

export type PlaceRowProps = { place: Api<'PlaceView'> };

/** A place: where it lies, on which medium, whether it is there. */
export function PlaceRow({ place }: PlaceRowProps) {
  const note = useMayNoteOnBench();
  const [isOpen, setIsOpen] = useState(false);
  const remove = useChange(() =>
    unwrap(
      client.DELETE('/api/places/{place}', {
        params: { path: { place: place.id }, query: { request: newRequest() } },
      }),
    ),
  );
  return (
    <Box
      component="li"
      sx={{
        display: 'grid',
        gridTemplateColumns: '34px minmax(0, 1fr) auto auto',
        alignItems: 'center',
        borderTop: 1,
        borderColor: 'rule',
        py: 1.25,
      }}
    >
      <StateShape kind={place.problem == null ? 'met' : 'away'} />
      <Box>
        <Typography>
          <Box component="span" sx={{ fontWeight: 650 }}>
            {place.name}
          </Box>
          {place.medium != null && `, ${place.medium}`}
        </Typography>
        <Typography variant="code" color="text.secondary" sx={{ overflowWrap: 'anywhere' }}>
          {place.path}
        </Typography>
        {place.problem != null && <Typography>{place.problem}</Typography>}
        {remove.error !== null && <ProblemNote error={remove.error} />}
      </Box>
      {!place.own && place.problem == null && (
        <ShowButton
          onClick={() => setIsOpen(!isOpen)}
          aria-expanded={isOpen}
          aria-label={`What lies there: ${place.name}`}
        >
          What lies there
        </ShowButton>
      )}
      {!place.own && (
        <Button
          may={note}
          onClick={() => remove.mutate(undefined)}
          aria-label={`Forget ${place.name}`}
        >
          Forget
        </Button>
      )}
      {isOpen && <PlaceFound place={place.id} name={place.name} />}
    </Box>
  );
}
