import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';

import type { Api } from '../../api/client';
import { Section } from '../../ui/Section';

export type GuideListProps = { title: string; lines: Api<'GuideLine'>[] };

/** Titles with what is said under them, as in a printed guide. */
export function GuideList({ title, lines }: GuideListProps) {
  if (lines.length === 0) return null;
  return (
    <Section title={title}>
      <Box
        component="dl"
        sx={{
          m: 0,
          display: 'grid',
          gridTemplateColumns: { xs: 'minmax(0, 1fr)', md: '240px minmax(0, 1fr)' },
          columnGap: 3,
          rowGap: { xs: 0, md: 1 },
        }}
      >
        {lines.map((line) => (
          <Box key={`${line.title} ${line.text}`} sx={{ display: 'contents' }}>
            <Typography component="dt" sx={{ fontWeight: 600, overflowWrap: 'anywhere' }}>
              {line.title}
            </Typography>
            <Typography component="dd" sx={{ m: 0, mb: { xs: 1, md: 0 } }}>
              {line.text}
            </Typography>
          </Box>
        ))}
      </Box>
    </Section>
  );
}
