import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';

import type { Api } from '../../api/client';
import { RuleMark } from '../../ui/RuleMark';
import { Section } from '../../ui/Section';
import { StateShape } from '../../ui/shapes';
import { findingShape, findingWord } from '../../ui/words';
import { WORDS } from './strings';

export type FindingListProps = { findings: Api<'Oddity'>[] };

/** What is odd about the facts themselves, the heaviest first. */
export function FindingList({ findings }: FindingListProps) {
  if (findings.length === 0) return null;
  return (
    <Section title={WORDS.findings}>
      <Box component="ul" sx={{ listStyle: 'none', m: 0, p: 0 }}>
        {findings.map((finding) => (
          <Box
            component="li"
            key={`${finding.rule} ${finding.text}`}
            sx={{
              display: 'grid',
              gridTemplateColumns: '34px minmax(0, 1fr) auto',
              py: 0.75,
            }}
          >
            <StateShape
              kind={findingShape(finding.level)}
              label={findingWord(finding.level)}
              size={24}
            />
            <Typography sx={{ fontWeight: finding.level === 'note' ? 400 : 650 }}>
              {finding.text}
            </Typography>
            <RuleMark id={finding.rule} />
          </Box>
        ))}
      </Box>
    </Section>
  );
}
