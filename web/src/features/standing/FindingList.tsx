import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';

import { useState } from 'react';

import type { Api } from '../../api/client';
import { RuleMark } from '../../ui/RuleMark';
import { Section } from '../../ui/Section';
import { StateShape } from '../../ui/shapes';
import { findingShape } from '../../ui/stateShapes';
import { useWords } from '../../ui/wordBook';
import { IntakeDialog } from './IntakeDialog';
import { WORDS } from './strings';
import { ShowButton } from '../../ui/ShowButton';

export type FindingListProps = {
  unit: string;
  findings: Api<'Oddity'>[];
  facts: Api<'FactEntry'>[];
};

/** What is odd about the facts themselves, the heaviest first. */
export function FindingList({ unit, findings, facts }: FindingListProps) {
  const findingWord = useWords('level');
  const [asked, setAsked] = useState<Api<'FactKey'>[] | undefined>();
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
              gridTemplateColumns: '24px minmax(0, 1fr) auto',
              columnGap: 1.25,
              py: 0.75,
            }}
          >
            <StateShape
              kind={findingShape(finding.level)}
              label={findingWord(finding.level)}
              size={24}
            />
            <Box>
              <Typography sx={{ fontWeight: finding.level === 'note' ? 400 : 650 }}>
                {finding.text}
              </Typography>
              {finding.asks.length > 0 && (
                <ShowButton
                  onClick={() => setAsked(finding.asks)}
                  aria-haspopup="dialog"
                  sx={{ ml: -1 }}
                >
                  {WORDS.intakeNote}
                </ShowButton>
              )}
            </Box>
            <RuleMark id={finding.rule} />
          </Box>
        ))}
      </Box>
      {asked !== undefined && (
        <IntakeDialog
          unit={unit}
          facts={facts.filter((fact) => asked.includes(fact.key))}
          onClose={() => setAsked(undefined)}
        />
      )}
    </Section>
  );
}
