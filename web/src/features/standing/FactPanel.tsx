import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';
import { useState } from 'react';

import type { Api } from '../../api/client';
import { Section } from '../../ui/Section';
import { FactTable } from './FactTable';
import { PasteDialog } from './PasteDialog';
import { WORDS } from './strings';
import { ShowButton } from '../../ui/ShowButton';
import { counted } from '../../ui/format';

export type FactPanelProps = {
  unit: string;
  facts: Api<'FactEntry'>[];
  groups: Api<'FactGroupLine'>[];
};

/** What is known, in groups; any of it can be said by hand or pasted from a screen. */
export function FactPanel({ unit, facts, groups }: FactPanelProps) {
  const [shows, setShows] = useState<'known' | 'asked' | 'all'>('known');
  const [isPasting, setPasting] = useState(false);
  const unknown = facts.filter((fact) => fact.asked && fact.rows.length === 0).length;
  const shown = facts.filter(
    (fact) => shows === 'all' || fact.rows.length > 0 || (shows === 'asked' && fact.asked),
  );
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
      {shows === 'known' && unknown > 0 && (
        <ShowButton onClick={() => setShows('asked')} aria-expanded={false}>
          {counted(unknown, 'fact', 'facts')} not known: show {unknown === 1 ? 'it' : 'them'}
        </ShowButton>
      )}
      {shows === 'asked' && (
        <ShowButton onClick={() => setShows('known')} aria-expanded>
          {WORDS.knownFacts}
        </ShowButton>
      )}
      <ShowButton
        onClick={() => setShows(shows === 'all' ? 'known' : 'all')}
        aria-expanded={shows === 'all'}
      >
        {shows === 'all' ? WORDS.knownFacts : WORDS.allFacts}
      </ShowButton>
      {isPasting && <PasteDialog unit={unit} onClose={() => setPasting(false)} />}
    </Section>
  );
}
