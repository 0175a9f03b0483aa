import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';

import { onWall } from '../api/clock';
import type { Api } from '../api/client';
import { ago, exactOf, untilOf } from './format';
import { useNow } from './useNow';
import { useWords } from './wordBook';

export type FactReadingProps = { fact: Pick<Api<'FactEntry'>, 'reading' | 'rows'> };

/** How a fact reads: every live source with its age, or that nobody knows. */
export function FactReading({ fact }: FactReadingProps) {
  const sourceWords = useWords('source');
  const sourceShort = useWords('source_short');
  const now = useNow(30_000);
  if (fact.rows.length === 0) {
    return <Typography color="text.secondary">not known</Typography>;
  }
  const isLive = fact.reading === 'known';
  return (
    <>
      {fact.rows.map((row) => (
        <Box
          key={`${row.source} ${row.at}`}
          title={`${sourceWords(row.source)}, ${exactOf(onWall(row.at))}`}
        >
          <Typography
            component="span"
            sx={{
              fontWeight: 550,
              overflowWrap: 'anywhere',
              ...(!isLive && { borderBottom: '1px dashed' }),
            }}
          >
            {row.moment == null ? row.shown : untilOf(row.moment)}
          </Typography>
          <Typography variant="body2" color="text.secondary">
            {fact.reading === 'stale' && 'not current, '}
            {sourceShort(row.source)}, {ago(row.at, now)}
          </Typography>
        </Box>
      ))}
      {fact.reading === 'contradicted' && (
        <Typography variant="body2" sx={{ color: 'care' }}>
          Two sources differ: look again.
        </Typography>
      )}
    </>
  );
}
