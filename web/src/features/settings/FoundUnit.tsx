import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'react-router';

import type { Api } from '../../api/client';
import { benchQuery } from '../../api/queries';
import { useChange } from '../../api/useChange';
import { Button } from '../../ui/Button';
import { clockOf, counted, dayOf, mib } from '../../ui/format';
import { ProblemNote } from '../../ui/ProblemNote';
import { ShowButton } from '../../ui/ShowButton';
import { useMayNoteOnBench } from '../../ui/useMay';
import { WORDS } from './strings';

export type FoundUnitProps = {
  unit: Api<'FoundUnit'>;
  /** Takes over what is not known here; whose the unit is, is told where it comes onto the bench by it. */
  takeOver: (ownership: string | undefined) => Promise<unknown>;
};

/** A unit with captures from elsewhere: who it says it is, what is in them, taking them over. */
export function FoundUnit({ unit, takeOver }: FoundUnitProps) {
  const { data: bench } = useQuery(benchQuery());
  const note = useMayNoteOnBench();
  const [isAsking, setIsAsking] = useState(false);
  const take = useChange(takeOver);
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
