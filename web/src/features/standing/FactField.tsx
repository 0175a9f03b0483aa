import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';

import { client, newRequest, unwrap, type Api } from '../../api/client';
import { useChange } from '../../api/useChange';
import { useNews } from '../../ui/news';
import { ProblemNote } from '../../ui/ProblemNote';
import { FactInput } from './FactInput';
import { TokenField } from './TokenField';
import { useMayNote } from '../../ui/useMay';

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
  const note = useMayNote(unit);
  const undo = useChange((key: Api<'FactKey'>) => takeBack(unit, key), unit);
  const say = useChange(
    ({ value }: { value: string; shown: string }) =>
      unwrap(
        client.POST('/api/units/{unit}/facts', {
          params: { path: { unit } },
          body: { facts: [{ key: fact.key, value }], request: newRequest() },
        }),
      ),
    unit,
    (_, { shown }) => {
      // What identifies a unit is not repeated in news that others may read over a shoulder.
      const told = fact.group === 'identity' ? 'recorded' : shown;
      news({ text: `${fact.title}: ${told}`, undo: { unit, run: () => undo.mutate(fact.key) } });
      onDone?.();
    },
  );
  return (
    <Box sx={{ mt: 1 }}>
      {fact.help != null && (
        <Typography variant="body2" color="text.secondary" sx={{ mb: 1.25 }}>
          {fact.help}
        </Typography>
      )}
      <FactInput
        fact={fact}
        isNext={isNext}
        isBusy={say.isPending}
        may={note}
        onSay={(value, shown) => say.mutate({ value, shown })}
      />
      {say.error !== null && <ProblemNote error={say.error} />}
      {fact.key === 'token' && <TokenField unit={unit} onDone={onDone} />}
    </Box>
  );
}
