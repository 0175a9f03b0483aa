import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useEffect, useRef, useState, type SyntheticEvent } from 'react';

import { client, newRequest, unwrap, type Api } from '../../api/client';
import { useChange } from '../../api/useChange';
import { ProblemNote } from '../../ui/ProblemNote';

export type SightingChoiceProps = {
  unit: string;
  run: Api<'RunView'>;
  sightings: Api<'Sighting'>[];
};

type Said = { sighting: string; words?: string };

/** What is seen now; the expected first, so that nobody only says *done*; what is none of the known in a sentence. */
export function SightingChoice({ unit, run, sightings }: SightingChoiceProps) {
  const [isElse, setElse] = useState(false);
  const say = useChange(
    (said: Said) =>
      unwrap(
        client.POST('/api/units/{unit}/run/{run}/seen', {
          params: { path: { unit, run: run.id } },
          body: { revision: run.revision, ...said, request: newRequest() },
        }),
      ),
    unit,
  );
  return (
    <Box role="group" aria-labelledby="seen-title">
      <Typography variant="h2" id="seen-title" sx={{ mb: 1.5 }}>
        What do you see now?
      </Typography>
      <Box sx={{ display: 'flex', flexDirection: 'column', gap: 1, alignItems: 'flex-start' }}>
        {sightings.map((sighting, index) =>
          sighting.likelihood === 'something-else' ? (
            <Button
              key={sighting.id}
              variant="outlined"
              aria-expanded={isElse}
              onClick={() => setElse(!isElse)}
            >
              {sighting.text}
            </Button>
          ) : (
            <Button
              key={sighting.id}
              variant={sighting.likelihood === 'expected' ? 'contained' : 'outlined'}
              disabled={say.isPending}
              onClick={() => say.mutate({ sighting: sighting.id })}
              sx={{ textAlign: 'left' }}
              {...(index === 0 ? { 'data-next': '' } : {})}
            >
              {sighting.text}
            </Button>
          ),
        )}
        {isElse && (
          <InWords
            isPending={say.isPending}
            onSaid={(words) => say.mutate({ sighting: 'something-else', words })}
          />
        )}
      </Box>
      {say.error !== null && <ProblemNote error={say.error} />}
    </Box>
  );
}

function InWords({ isPending, onSaid }: { isPending: boolean; onSaid: (words: string) => void }) {
  const [words, setWords] = useState('');
  const field = useRef<HTMLInputElement>(null);
  useEffect(() => field.current?.focus(), []);
  const submit = (event: SyntheticEvent) => {
    event.preventDefault();
    onSaid(words);
  };
  return (
    <Box
      component="form"
      onSubmit={submit}
      sx={{ display: 'flex', gap: 1.5, alignItems: 'flex-start', width: '100%', maxWidth: 640 }}
    >
      <TextField
        label="In a sentence"
        helperText="Its words and pictures as they are: what may be behind it is said then."
        value={words}
        onChange={(event) => setWords(event.target.value)}
        slotProps={{ htmlInput: { maxLength: 300 } }}
        inputRef={field}
        fullWidth
      />
      <Button
        type="submit"
        variant="contained"
        disabled={isPending || words.trim() === ''}
        sx={{ mt: 1 }}
      >
        That is it
      </Button>
    </Box>
  );
}
