import Typography from '@mui/material/Typography';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';

import { dumpsQuery } from '../../api/queries';
import { DumpsPanel } from '../../ui/DumpsPanel';
import { Section } from '../../ui/Section';
import { ShowButton } from '../../ui/ShowButton';
import { WORDS } from './strings';

/** Dumps that hands took: open where no link reads the unit, or some were handed in. */
export function DumpsSection({ unit }: { unit: string }) {
  const { data } = useQuery(dumpsQuery(unit));
  const [isAsked, setAsked] = useState(false);
  if (data === undefined) return null;
  const isOpen = isAsked || data.counts || data.dumps.length > 0;
  return (
    <Section title={WORDS.dumps}>
      <Typography color="text.secondary" sx={{ mb: 1.5, maxWidth: 760 }}>
        {WORDS.dumpsHelp}
      </Typography>
      {isOpen ? (
        <DumpsPanel unit={unit} />
      ) : (
        <ShowButton variant="outlined" onClick={() => setAsked(true)}>
          Hand dumps in
        </ShowButton>
      )}
    </Section>
  );
}
