import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';

import type { Api } from '../../api/client';
import { Section } from '../../ui/Section';
import { StateShape } from '../../ui/shapes';
import { WAYS, WORDS } from './strings';

export type WaysSectionProps = { ways: Api<'Way'>[] };

/** The ways to read this unit, the one to go first, and why not the others (B1). */
export function WaysSection({ ways }: WaysSectionProps) {
  if (ways.length === 0) return null;
  return (
    <Section title={WORDS.ways}>
      <Box component="ol" sx={{ listStyle: 'none', m: 0, p: 0 }}>
        {ways.map((way) => {
          const [shape, label] = SHAPES[way.stands];
          return (
            <Box
              component="li"
              key={way.kind}
              sx={{
                display: 'grid',
                gridTemplateColumns: { xs: '30px minmax(0, 1fr)', md: '30px 280px minmax(0, 1fr)' },
                borderTop: 1,
                borderColor: 'rule',
                py: 1.25,
              }}
            >
              <StateShape kind={shape} label={label} />
              <Typography sx={{ fontWeight: way.stands === 'chosen' ? 650 : 400 }}>
                {WAYS[way.kind]}
              </Typography>
              <Typography
                color={way.stands === 'closed' ? 'text.secondary' : undefined}
                sx={{ gridColumn: { xs: 2, md: 3 }, maxWidth: 640 }}
              >
                {way.why} {way.stands !== 'closed' && way.hand}
              </Typography>
            </Box>
          );
        })}
      </Box>
    </Section>
  );
}

const SHAPES = {
  chosen: ['met', 'The way to go'],
  open: ['open', 'Open too'],
  closed: ['away', 'Closed as it stands'],
} as const;
