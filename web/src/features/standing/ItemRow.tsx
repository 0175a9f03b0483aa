import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';

import { onWall } from '../../api/clock';
import type { Api } from '../../api/client';
import { ago, exactOf, left, untilOf } from '../../ui/format';
import { CureLink } from '../../ui/CureLink';
import { RuleMark } from '../../ui/RuleMark';
import { StateShape } from '../../ui/shapes';
import { useNow } from '../../ui/useNow';
import { itemShape } from '../../ui/stateShapes';
import { useWords } from '../../ui/wordBook';
import { CheckControl } from './CheckControl';
import { FactField } from './FactField';
import { ShowButton } from '../../ui/ShowButton';

export type ItemRowProps = {
  unit: string;
  item: Api<'Line'>;
  facts: Api<'FactEntry'>[];
  /** The first line that is open; its control is the view's primary action. */
  isNext: boolean;
};

/** One line of the evidence list, with what closes the gap right beneath. */
export function ItemRow({ unit, item, facts, isNext }: ItemRowProps) {
  const itemWord = useWords('line');
  const sourceWords = useWords('source');
  const now = useNow(30_000);
  return (
    <Box
      sx={{
        display: 'grid',
        gridTemplateColumns: '24px minmax(0, 1fr) auto',
        columnGap: 1.25,
        py: 1.25,
        borderTop: 1,
        borderColor: 'rule',
        '&:first-of-type': { borderTop: 0 },
      }}
    >
      <StateShape kind={itemShape(item.state)} label={itemWord(item.state)} size={24} />
      <Box>
        <Typography sx={{ fontWeight: item.state === 'met' ? 400 : 650 }}>{item.text}</Typography>
        {item.facts.map((fact) => (
          <Typography
            key={`${fact.key} ${fact.source} ${fact.at}`}
            variant="body2"
            color="text.secondary"
            title={exactOf(onWall(fact.at))}
          >
            {fact.title}: {fact.moment == null ? fact.shown : untilOf(fact.moment)},{' '}
            {sourceWords(fact.source)} {ago(fact.at, now)}
          </Typography>
        ))}
        {item.grounds.map((ground) =>
          ground.of === 'emptied' ? (
            <Typography
              key={ground.at}
              variant="body2"
              color="text.secondary"
              title={exactOf(onWall(ground.at))}
            >
              Seen to end {ago(ground.at, now)}
            </Typography>
          ) : null,
        )}
        <CureControl unit={unit} item={item} facts={facts} isNext={isNext} />
      </Box>
      <RuleMark id={item.rule} />
    </Box>
  );
}

function WaitLeft({ until }: { until: string }) {
  const now = useNow(30_000);
  return (
    <Typography title={exactOf(onWall(until))}>
      {left(until, now)} to go, until {untilOf(onWall(until))}.
    </Typography>
  );
}

function CureControl({ unit, item, facts, isNext }: ItemRowProps) {
  const { cure } = item;
  if (cure == null) return null;
  const entry = (key: Api<'FactKey'>) => facts.find((fact) => fact.key === key);
  switch (cure.cure) {
    case 'type-fact': {
      const fact = entry(cure.key);
      return (
        <>
          <Typography color="text.secondary">{cure.place}</Typography>
          {fact !== undefined && <FactField unit={unit} fact={fact} isNext={isNext} />}
        </>
      );
    }
    case 'do-then-type': {
      const fact = entry(cure.key);
      return (
        <>
          <Typography>{cure.instruction}</Typography>
          {fact !== undefined && <FactField unit={unit} fact={fact} isNext={isNext} />}
        </>
      );
    }
    case 'check': {
      const waive = cure.waive == null ? undefined : entry(cure.waive);
      return (
        <>
          <CheckControl
            unit={unit}
            instruction={cure.instruction}
            facts={facts.filter((fact) => cure.keys.includes(fact.key))}
            isNext={isNext}
          />
          {waive !== undefined && <FactField unit={unit} fact={waive} isNext={false} />}
        </>
      );
    }
    case 'keep-safe':
      return (
        <ShowButton
          variant={isNext ? 'contained' : 'outlined'}
          {...(isNext ? { 'data-next': '' } : {})}
          sx={{ mt: 1 }}
          onClick={() => {
            const list = document.getElementById('keep-safe');
            list?.scrollIntoView({ block: 'start' });
            list?.querySelector('button')?.focus();
          }}
        >
          To the list of {cure.open}
        </ShowButton>
      );
    case 'charge':
      return <Typography>Leave it charging in the running system.</Typography>;
    case 'wait':
      return <WaitLeft until={cure.until} />;
    case 'ask':
    case 'fetch': {
      const fact = cure.key == null ? undefined : entry(cure.key);
      return (
        <>
          <Typography color="text.secondary">
            {cure.cure === 'ask'
              ? `Ask ${cure.who}. Then say what came of it.`
              : `To fetch: ${cure.packages.join(', ')}. Put it on the bench’s shelf${cure.key == null ? '.' : ' and copy that one; then say all that lies there.'}`}
          </Typography>
          {cure.cure === 'fetch' && <CureLink unit={unit} line={item} />}
          {fact !== undefined && <FactField unit={unit} fact={fact} isNext={isNext} />}
        </>
      );
    }
    case 'capture':
    case 'keep-copies':
    case 'put-back':
    case 'shelve':
    case 'choose':
    case 'shelve-stock':
      return <CureLink unit={unit} line={item} />;
    case 'start-system':
    case 'read-by-link':
    case 'consent':
    case 'put-stock':
      return null;
  }
}
