import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import InputAdornment from '@mui/material/InputAdornment';
import TextField from '@mui/material/TextField';
import { useState } from 'react';

import { client, newRequest, unwrap, type Api } from '../../api/client';
import { useChange } from '../../api/useChange';
import { useNews } from '../../ui/news';
import { ProblemNote } from '../../ui/ProblemNote';

export type FactFieldProps = {
  unit: string;
  fact: Api<'FactEntry'>;
  isNext?: boolean;
  onDone?: () => void;
};

async function takeBack(unit: string, key: Api<'FactKey'>): Promise<void> {
  const standing = await unwrap(
    client.GET('/api/units/{unit}/standing', { params: { path: { unit } } }),
  );
  const fact = standing.facts.find((known) => known.key === key)?.undo;
  if (fact == null) return;
  await unwrap(
    client.DELETE('/api/units/{unit}/facts/{fact}', {
      params: { path: { unit, fact }, query: { request: newRequest() } },
    }),
  );
}

/** Types one fact; there is a way back for ten seconds. */
export function FactField({ unit, fact, isNext = false, onDone }: FactFieldProps) {
  const news = useNews();
  const [text, setText] = useState('');
  const undo = useChange((key: Api<'FactKey'>) => takeBack(unit, key), unit);
  const say = useChange(
    (value: string) =>
      unwrap(
        client.POST('/api/units/{unit}/facts', {
          params: { path: { unit } },
          body: { facts: [{ key: fact.key, value }], request: newRequest() },
        }),
      ),
    unit,
  );
  const record = (value: string, shown: string) =>
    say.mutate(value, {
      onSuccess: () => {
        news({ text: `${fact.title}: ${shown}`, undo: () => undo.mutate(fact.key) });
        onDone?.();
      },
    });
  const next = (index: number) => (isNext && index === 0 ? { 'data-next': '' } : {});
  const { input } = fact;
  return (
    <Box sx={{ mt: 1 }}>
      {input.is === 'choice' ? (
        <Box
          role="group"
          aria-label={fact.title}
          sx={{ display: 'flex', gap: 1.5, flexWrap: 'wrap' }}
        >
          {input.options.map((option, index) => (
            <Button
              key={option.id}
              variant="outlined"
              disabled={say.isPending}
              onClick={() => record(option.id, option.shown)}
              {...next(index)}
            >
              {option.shown}
            </Button>
          ))}
        </Box>
      ) : (
        <Box
          component="form"
          sx={{ display: 'flex', gap: 1.5, alignItems: 'flex-start' }}
          onSubmit={(event) => {
            event.preventDefault();
            record(text, text);
          }}
        >
          <TextField
            label={fact.title}
            value={text}
            onChange={(event) => setText(event.target.value)}
            autoComplete="off"
            sx={{ width: input.is === 'text' ? 300 : 200 }}
            slotProps={{
              htmlInput: {
                ...(input.is === 'text' ? {} : { inputMode: 'numeric' }),
                ...next(0),
              },
              input:
                input.is === 'percent'
                  ? { endAdornment: <InputAdornment position="end">%</InputAdornment> }
                  : {},
            }}
          />
          <Button
            type="submit"
            variant={isNext ? 'contained' : 'outlined'}
            disabled={say.isPending || text.trim() === ''}
          >
            Record
          </Button>
        </Box>
      )}
      {say.error !== null && <ProblemNote error={say.error} />}
    </Box>
  );
}
