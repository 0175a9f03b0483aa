import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';

import type { Api } from '../../api/client';
import { hex, mib } from '../../ui/format';
import { RuleMark } from '../../ui/RuleMark';
import { StateShape, type ShapeKind } from '../../ui/shapes';
import { useWords } from '../../ui/wordBook';

export type PartitionPanelProps = { row: Api<'CoverageRow'> };

function keepingShape(kept: Api<'Keeping'>): ShapeKind {
  switch (kept) {
    case 'enough':
      return 'met';
    case 'partly':
      return 'half';
    case 'not':
      return 'missing';
    case 'not-wanted':
      return 'away';
  }
}

/** The chosen partition: what it is, how it is kept, what is missing. */
export function PartitionPanel({ row }: PartitionPanelProps) {
  const roleWords = useWords('role');
  const listingWords = useWords('listing');
  return (
    <Box>
      <Typography variant="h2" sx={{ typography: 'code', fontSize: '1.25rem', fontWeight: 700 }}>
        {row.label}
      </Typography>
      <Typography color="text.secondary">
        {[roleWords(row.role), listingWords(row.listing)].filter(Boolean).join(', ')}
      </Typography>
      <Box
        sx={{
          display: 'grid',
          gridTemplateColumns: '24px minmax(0, 1fr) auto',
          columnGap: 1,
          my: 1.5,
        }}
      >
        <StateShape kind={keepingShape(row.kept)} />
        <Typography sx={{ fontWeight: 550 }}>{row.text}</Typography>
        <RuleMark id={row.rule} />
      </Box>
      <Typography color="text.secondary">
        {mib(row.length_bytes)} at {hex(row.offset_bytes)}, number {row.number} in the unit&rsquo;s
        own table.
      </Typography>
      {row.role === 'device-unique' && (
        <Typography color="text.secondary" sx={{ mt: 1 }}>
          {row.changes === 'living'
            ? 'It lives: the running system rewrites a part of it at every start, so a difference is age, not damage.'
            : 'It never changes: any difference is damage.'}
        </Typography>
      )}
    </Box>
  );
}
