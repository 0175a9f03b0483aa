import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';
import { useQuery } from '@tanstack/react-query';

import type { Api } from '../../api/client';
import { captureQuery } from '../../api/queries';
import { mib } from '../../ui/format';
import { Panel } from '../../ui/Panel';
import { StateShape } from '../../ui/shapes';
import { WORDS } from './strings';
import { LongList } from '../../ui/LongList';

export type CaptureInsideProps = { unit: string; capture: string; title: string };

/** What the bytes of each captured partition are, as they were looked into. */
export function CaptureInside({ unit, capture, title }: CaptureInsideProps) {
  const query = useQuery(captureQuery(unit, capture));
  return (
    <Box component="section" aria-label={title} sx={{ mt: 1.5 }}>
      <Panel query={query}>
        {(held) => (
          <LongList items={held.partitions} keyOf={(part) => part.label} about={32}>
            {(part) => <InsideRow part={part} />}
          </LongList>
        )}
      </Panel>
    </Box>
  );
}

function InsideRow({ part }: { part: Api<'CapturedLine'> }) {
  return (
    <Box
      sx={{
        display: 'grid',
        gridTemplateColumns: { xs: '1fr', sm: '170px 90px minmax(0, 1fr)' },
        columnGap: 2,
        pb: 0.75,
      }}
    >
      <Typography variant="code">{part.label}</Typography>
      <Typography color="text.secondary">{mib(part.length_bytes)}</Typography>
      <Box sx={{ minWidth: 0, overflowWrap: 'anywhere' }}>
        {part.seen == null ? (
          <Typography color="text.secondary">{WORDS.notLooked}</Typography>
        ) : (
          <>
            <Typography>{part.seen.headline}</Typography>
            {part.seen.findings.map((finding) => (
              <Box
                key={finding.says}
                sx={{ display: 'grid', gridTemplateColumns: '26px minmax(0, 1fr)' }}
              >
                <StateShape
                  kind={finding.matters ? 'refused' : 'unknown'}
                  label={finding.matters ? WORDS.matters : WORDS.note}
                />
                <Typography sx={finding.matters ? { color: 'care', fontWeight: 550 } : {}}>
                  {finding.says}
                  {finding.at != null && `, at byte ${finding.at}`}
                </Typography>
              </Box>
            ))}
          </>
        )}
      </Box>
    </Box>
  );
}
