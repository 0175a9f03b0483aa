import Typography from '@mui/material/Typography';

import type { Api } from '../../api/client';
import { counted } from '../../ui/format';
import { Section } from '../../ui/Section';
import { FactField } from './FactField';
import { WORDS } from './strings';

export type NextCheckProps = {
  unit: string;
  check: Api<'NextCheck'>;
  facts: Api<'FactEntry'>[];
};

/** The one check that would decide most for the time it takes, and where to find it. */
export function NextCheck({ unit, check, facts }: NextCheckProps) {
  const fact = facts.find((entry) => entry.key === check.key);
  const settles =
    check.settling_answers > 0
      ? ` ${counted(check.settling_answers, 'answer', 'answers')} of it would settle the question.`
      : '';
  return (
    <Section
      title={`${WORDS.nextCheck}: ${check.title}`}
      aside={
        <Typography variant="body2" color="text.secondary">
          {counted(check.minutes, 'minute', 'minutes')}
        </Typography>
      }
    >
      <Typography>
        {check.place}
        {settles}
      </Typography>
      {fact !== undefined && <FactField unit={unit} fact={fact} isNext />}
    </Section>
  );
}
