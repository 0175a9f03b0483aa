import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';
import { useState } from 'react';

import type { Api } from '../../api/client';
import { Section } from '../../ui/Section';
import { FactTable } from './FactTable';
import { PasteDialog } from './PasteDialog';
import { WORDS } from './strings';
import { ShowButton } from '../../ui/ShowButton';

export type FactPanelProps = {
  unit: string;
  facts: Api<'FactEntry'>[];
  groups: Api<'FactGroupLine'>[];
};

/** What is known, in groups; any of it can be said by hand or pasted from a screen. */
export function FactPanel({ unit, facts, groups }: FactPanelProps) {
  const [all, setAll] = useState(false);
  const [isPasting, setPasting] = useState(false);
  const shown = facts.filter((fact) => all || fact.asked);
  return (
    <Section
      title={WORDS.known}
      aside={
        <ShowButton onClick={() => setPasting(true)} aria-haspopup="dialog">
          {WORDS.paste}
        </ShowButton>
      }
    >
      {groups.map((group) => {
        const here = shown.filter((fact) => fact.group === group.id);
        if (here.length === 0) return null;
        return (
          <Box key={group.id} sx={{ mb: 2 }}>
            <Typography variant="h3">{group.title}</Typography>
            {group.id === 'works' && (
              <Typography variant="body2" color="text.secondary">
                {WORDS.intake}
              </Typography>
            )}
            <FactTable unit={unit} title={group.title} facts={here} />
          </Box>
        );
      })}
      <ShowButton onClick={() => setAll(!all)} aria-expanded={all}>
        {all ? WORDS.fewFacts : WORDS.allFacts}
      </ShowButton>
      {isPasting && <PasteDialog unit={unit} onClose={() => setPasting(false)} />}
    </Section>
  );
}
