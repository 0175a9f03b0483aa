import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';

import type { Api } from '../../api/client';
import { Section } from '../../ui/Section';
import { StateShape } from '../../ui/shapes';
import { outcomeShape } from '../../ui/stateShapes';
import { useWords } from '../../ui/wordBook';
import { WaysOut } from '../../ui/WaysOut';
import { ItemRow } from './ItemRow';
import { OUTLOOK } from './strings';

export type OutlookListProps = {
  unit: string;
  outlook: Api<'Outlook'>[];
  facts: Api<'FactEntry'>[];
};

/** What else there is to say of the unit, beside the unlock. */
export function OutlookList({ unit, outlook, facts }: OutlookListProps) {
  const outcomeWord = useWords('outcome');
  return outlook.map((one) => (
    <Section key={one.of} title={OUTLOOK[one.of]}>
      <Box sx={{ display: 'flex', gap: 1.25, alignItems: 'start', mb: 1 }}>
        <StateShape kind={outcomeShape(one.outcome)} label={outcomeWord(one.outcome)} size={24} />
        <Typography sx={{ fontWeight: 650 }}>{one.sentence}</Typography>
      </Box>
      {one.items
        .filter((item) => one.outcome === 'open' || item.state !== 'met' || one.items.length === 1)
        .map((item) => (
          <ItemRow
            key={`${item.rule} ${item.text}`}
            unit={unit}
            item={item}
            facts={facts}
            isNext={false}
          />
        ))}
      <WaysOut unit={unit} ways={one.ways} />
    </Section>
  ));
}
