import Box from '@mui/material/Box';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useState } from 'react';

import { client, newRequest, unwrap, type Api } from '../../api/client';
import { useChange } from '../../api/useChange';
import { Button } from '../../ui/Button';
import { ProblemNote } from '../../ui/ProblemNote';
import { StateShape } from '../../ui/shapes';
import { fitShape } from '../../ui/stateShapes';
import { useWords } from '../../ui/wordBook';
import { WORDS } from './strings';

export type MatchDetailProps = {
  unit: string;
  file: Api<'MatchLine'>;
  criteria: Api<'Criterion'>[];
};

/** Why each criterion stands as it does, what would have to be true, and what can be done about it. */
export function MatchDetail({ unit, file, criteria }: MatchDetailProps) {
  const fitWord = useWords('fit');
  const [reason, setReason] = useState('');
  const choose = useChange(
    () =>
      unwrap(
        client.POST('/api/units/{unit}/recovery', {
          params: { path: { unit } },
          body: {
            file: file.id,
            reason: file.asks_reason ? reason : null,
            request: newRequest(),
          },
        }),
      ),
    unit,
  );
  const make = useChange(
    (steps: Api<'Make'>[]) =>
      unwrap(
        client.POST('/api/shelf/files/{file}/make', {
          params: { path: { file: file.id } },
          body: { steps, unit, request: newRequest() },
        }),
      ),
    unit,
  );
  return (
    <Box sx={{ pb: 1 }}>
      <Typography color="text.secondary" sx={{ mb: 1 }}>
        {file.what}
      </Typography>
      {file.cells.map((one) =>
        one.why.map((why, index) => (
          <Box key={why} sx={{ display: 'flex', gap: 1.5, py: 0.25, maxWidth: 940 }}>
            <StateShape kind={fitShape(one.fit)} label={fitWord(one.fit)} size={18} />
            <Typography sx={{ minWidth: 92, fontWeight: 550 }}>
              {index === 0 && criteria.find((known) => known.rule === one.rule)?.title}
            </Typography>
            <Typography>
              {why} ({one.rule})
              {one.wanted[index] !== undefined && (
                <Typography component="span" color="text.secondary">
                  {' '}
                  What would have to be true: {one.wanted[index]}
                </Typography>
              )}
            </Typography>
          </Box>
        )),
      )}
      <Box sx={{ display: 'flex', gap: 2, mt: 1.5, flexWrap: 'wrap', alignItems: 'center' }}>
        {file.ways.map((way) => (
          <Button
            key={way.shown}
            may={way.make}
            variant="contained"
            isOff={make.isPending}
            onClick={() => make.mutate(way.steps)}
          >
            Make it: {way.shown}
          </Button>
        ))}
        {!file.is_taken && file.choose.allowed && file.asks_reason && (
          <TextField
            size="small"
            label={WORDS.reason}
            value={reason}
            onChange={(event) => setReason(event.target.value)}
            sx={{ minWidth: 320 }}
          />
        )}
        {!file.is_taken && file.choose.allowed && (
          <Button
            may={file.choose}
            variant="outlined"
            isOff={choose.isPending || (file.asks_reason && reason.trim() === '')}
            onClick={() => choose.mutate(undefined)}
          >
            Take {file.name}
          </Button>
        )}
      </Box>
      {choose.error !== null && <ProblemNote error={choose.error} />}
      {make.error !== null && <ProblemNote error={make.error} />}
    </Box>
  );
}
