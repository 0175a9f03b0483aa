import Box from '@mui/material/Box';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useEffect, useRef, useState, type SyntheticEvent } from 'react';

import { client, newRequest, unwrap, type Api } from '../../api/client';
import { useChange } from '../../api/useChange';
import { ProblemNote } from '../../ui/ProblemNote';
import { Button } from '../../ui/Button';
import { ShowButton } from '../../ui/ShowButton';

export type SightingChoiceProps = {
  unit: string;
  run: Api<'RunView'>;
  sightings: Api<'Sighting'>[];
  may: Api<'Permission'>;
};

type Said = { sighting: string; words?: string };

/** What is seen now; the expected first, so that nobody only says *done*; what is none of the known in a sentence. */
export function SightingChoice({ unit, run, sightings, may }: SightingChoiceProps) {
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
    <Box role="group" aria-labelledby="seen-title" data-next="" tabIndex={-1}>
      <Typography variant="h2" id="seen-title" sx={{ mb: 1.5 }}>
        What do you see now?
      </Typography>
      <Box sx={{ display: 'flex', flexDirection: 'column', gap: 1, alignItems: 'flex-start' }}>
        {sightings.map((sighting) =>
          sighting.likelihood === 'something-else' ? (
            <ShowButton
              key={sighting.id}
              variant="outlined"
              aria-expanded={isElse}
              onClick={() => setElse(!isElse)}
            >
              {sighting.text}
            </ShowButton>
          ) : (
            <Button
              may={may}
              key={sighting.id}
              variant={sighting.likelihood === 'expected' ? 'contained' : 'outlined'}
              isOff={say.isPending}
              onClick={() => say.mutate({ sighting: sighting.id })}
              sx={{ textAlign: 'left' }}
            >
              {sighting.text}
            </Button>
          ),
        )}
        {isElse && (
          <InWords
            may={may}
            isPending={say.isPending}
            onSaid={(words) => say.mutate({ sighting: 'something-else', words })}
          />
        )}
      </Box>
      {say.error !== null && <ProblemNote error={say.error} />}
    </Box>
  );
}

type InWordsProps = {
  may: Api<'Permission'>;
  isPending: boolean;
  onSaid: (words: string) => void;
};

function InWords({ may, isPending, onSaid }: InWordsProps) {
  const [words, setWords] = useState('');
  const field = useRef<HTMLInputElement>(null);
  useEffect(() => {
    field.current?.focus();
  }, []);
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
        may={may}
        type="submit"
        variant="contained"
        isOff={isPending || words.trim() === ''}
        sx={{ mt: 1 }}
      >
        That is it
      </Button>
    </Box>
  );
}
