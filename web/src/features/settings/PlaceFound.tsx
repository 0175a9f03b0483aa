import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'react-router';

import { client, newRequest, unwrap, type Api } from '../../api/client';
import { benchQuery, placeFoundQuery } from '../../api/queries';
import { useChange } from '../../api/useChange';
import { clockOf, counted, dayOf, mib } from '../../ui/format';
import { Panel } from '../../ui/Panel';
import { ProblemNote } from '../../ui/ProblemNote';
import { WORDS } from './strings';
import { Button } from '../../ui/Button';
import { ShowButton } from '../../ui/ShowButton';
import { useMayNoteOnBench } from '../../ui/useMay';

export type PlaceFoundProps = { place: string; name: string };

/** What lies in a place, whoever wrote it: read first, taken over unit by unit. */
export function PlaceFound({ place, name }: PlaceFoundProps) {
  const query = useQuery(placeFoundQuery(place));
  return (
    <Box sx={{ gridColumn: '2 / -1', py: 1.5 }}>
      <Panel
        query={query}
        empty={(units) =>
          units.length === 0
            ? {
                because: `No capture lies in ${name}.`,
                action: (
                  <ShowButton variant="outlined" onClick={() => void query.refetch()}>
                    {WORDS.lookAgain}
                  </ShowButton>
                ),
              }
            : undefined
        }
      >
        {(units) => units.map((unit) => <FoundUnit key={unit.unit} place={place} unit={unit} />)}
      </Panel>
    </Box>
  );
}

function FoundUnit({ place, unit }: { place: string; unit: Api<'FoundUnit'> }) {
  const { data: bench } = useQuery(benchQuery());
  const note = useMayNoteOnBench();
  const [isAsking, setIsAsking] = useState(false);
  const take = useChange((ownership: string | undefined) =>
    unwrap(
      client.POST('/api/places/{place}/found', {
        params: { path: { place } },
        body: {
          unit: unit.unit,
          request: newRequest(),
          ...(ownership === undefined ? {} : { ownership }),
        },
      }),
    ),
  );
  const open = unit.captures.filter((capture) => !capture.known);
  return (
    <Box sx={{ borderTop: 1, borderColor: 'rule', py: 1.25 }}>
      <Typography sx={{ fontWeight: 650 }}>
        {unit.nickname}, {unit.family ?? `family ${unit.codename}, not known here`}
      </Typography>
      <Typography color="text.secondary">{unit.identifiers.join(' · ')}</Typography>
      {unit.captures.map((capture) => (
        <Typography key={capture.id}>
          {dayOf(capture.taken)} {clockOf(capture.taken)}: {capture.partitions} images,{' '}
          {mib(capture.bytes)}
          {capture.blank.length > 0 && `; ${capture.blank.join(', ')}`}
          {capture.known && ', known here'}
        </Typography>
      ))}
      {unit.unreadable.map((text) => (
        <Typography key={text} sx={{ color: 'noReturn' }}>
          {text}
        </Typography>
      ))}
      {open.length === 0 && unit.here && (
        <Typography component={Link} to={`/units/${unit.unit}/backups`} sx={{ color: 'inherit' }}>
          All of it is known here.
        </Typography>
      )}
      {open.length > 0 && unit.here && (
        <Button
          may={note}
          variant="outlined"
          isOff={take.isPending}
          onClick={() => take.mutate(undefined)}
        >
          Take over {counted(open.length, 'capture', 'captures')} of {unit.nickname}
        </Button>
      )}
      {open.length > 0 && !unit.here && !isAsking && (
        <ShowButton variant="outlined" onClick={() => setIsAsking(true)}>
          Take over {unit.nickname}
        </ShowButton>
      )}
      {isAsking && !unit.here && (
        <Box role="group" aria-label={WORDS.owner} sx={{ mt: 1 }}>
          <Typography>{WORDS.owner}</Typography>
          <Box sx={{ display: 'flex', gap: 1.5, flexWrap: 'wrap', mt: 1 }}>
            {bench?.ownership.map((answer) => (
              <Button
                may={note}
                key={answer.id}
                variant="outlined"
                isOff={take.isPending}
                onClick={() => take.mutate(answer.id)}
              >
                {answer.shown}
              </Button>
            ))}
          </Box>
        </Box>
      )}
      {take.error !== null && <ProblemNote error={take.error} />}
    </Box>
  );
}
