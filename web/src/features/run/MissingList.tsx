import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';

import type { Api } from '../../api/client';
import { CureLink } from '../../ui/CureLink';
import { RuleMark } from '../../ui/RuleMark';
import { StateShape } from '../../ui/shapes';
import { itemShape } from '../../ui/stateShapes';
import { useWords } from '../../ui/wordBook';
import { CopyHere } from './CopyHere';

export type MissingListProps = { unit: string; items: Api<'Line'>[] };

/** Why the seal withholds a step: each missing piece with the way to it. */
export function MissingList({ unit, items }: MissingListProps) {
  const itemWord = useWords('line');
  const missing = items.filter((item) => item.state !== 'met');
  if (missing.length === 0) return null;
  // One button for all that waits for the same copy.
  const copies = missing.find((item) => item.cure?.cure === 'keep-copies');
  return (
    <Box component="section" aria-label="What the seal still wants" sx={{ mb: 3, maxWidth: 760 }}>
      <Typography variant="h3" component="h2">
        The seal is closed for this step
      </Typography>
      {missing.map((item) => (
        <Box
          key={item.text}
          sx={{
            display: 'flex',
            alignItems: 'center',
            gap: 1.5,
            py: 0.75,
            borderTop: 1,
            borderColor: 'rule',
          }}
        >
          <StateShape kind={itemShape(item.state)} label={itemWord(item.state)} />
          <Typography sx={{ flexGrow: 1 }}>{item.text}</Typography>
          <Box sx={{ flexShrink: 0 }}>
            <RuleMark id={item.rule} />
          </Box>
          {item === copies ? <CopyHere unit={unit} /> : <CureLink unit={unit} line={item} />}
        </Box>
      ))}
    </Box>
  );
}
