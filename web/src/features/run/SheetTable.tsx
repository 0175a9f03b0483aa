import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';
import { useEffect, useRef } from 'react';

import { client, newRequest, unwrap, type Api } from '../../api/client';
import { useChange } from '../../api/useChange';
import { counted, mib } from '../../ui/format';
import { ProblemNote } from '../../ui/ProblemNote';
import { Section } from '../../ui/Section';
import { CureLink } from '../../ui/CureLink';
import { StateShape } from '../../ui/shapes';
import { itemShape } from '../../ui/stateShapes';
import { useWords } from '../../ui/wordBook';
import { ConnectionSection } from './ConnectionSection';
import { InsteadOfFirst } from './InsteadOfFirst';
import { SheetHead } from './SheetHead';
import { StepTable } from './StepTable';
import { WORDS } from './strings';
import { WipeLedger } from './WipeLedger';
import { Button } from '../../ui/Button';
import { LinkButton } from '../../ui/LinkButton';
import { ShowButton } from '../../ui/ShowButton';

export type SheetTableProps = {
  unit: string;
  preview: Api<'SheetPreview'>;
  /** Whether its goal was chosen just now: then it is brought into view. */
  isFresh: boolean;
};

/** Everything that would be done, before any of it is. */
export function SheetTable({ unit, preview, isFresh }: SheetTableProps) {
  const itemWord = useWords('line');
  const top = useRef<HTMLDivElement>(null);
  useEffect(() => {
    if (isFresh) top.current?.scrollIntoView({ block: 'start' });
  }, [isFresh]);
  const begin = useChange(
    () =>
      unwrap(
        client.POST('/api/units/{unit}/run', {
          params: { path: { unit } },
          body: { goal: preview.goal, request: newRequest() },
        }),
      ),
    unit,
  );
  const { sheet } = preview;
  const open = preview.preparations.filter((item) => item.state !== 'met');
  return (
    <>
      <div ref={top} />
      {sheet != null && (
        <Section title={`${WORDS.sheet}: ${preview.title.toLowerCase()}`}>
          <SheetHead
            head={sheet.head}
            wasted={preview.ledger.wasted_setups}
            battery={preview.battery}
          />
          {preview.instead != null && (
            <InsteadOfFirst unit={unit} goal={preview.goal} instead={preview.instead} />
          )}
          {sheet.steps.length > 0 && <StepTable steps={sheet.steps} />}
          {sheet.steps.length > 0 && (
            <ShowButton onClick={() => window.print()} sx={{ mt: 1, ml: -1 }}>
              Print the sheet
            </ShowButton>
          )}
          {sheet.end?.instead != null && (
            <Typography sx={{ mt: 1 }}>{sheet.end.instead}</Typography>
          )}
          {sheet.reach === 'first-look' && (
            <Typography sx={{ mt: 1 }}>
              What comes after can&rsquo;t be undone, so it is planned on what the look will show.
            </Typography>
          )}
        </Section>
      )}
      <WipeLedger ledger={preview.ledger} />
      {preview.file != null && (
        <Section title={WORDS.shelf}>
          <Typography sx={{ fontWeight: 650, overflowWrap: 'anywhere' }}>
            {preview.file.name}, {mib(preview.file.bytes)}
          </Typography>
          <Typography sx={{ mb: 0.5 }}>
            {preview.file.version != null && `Version ${preview.file.version}. `}
            {preview.file.said}
            {preview.file.reason != null && ` Taken because: ${preview.file.reason}.`}
          </Typography>
          <Typography variant="code" color="text.secondary" sx={{ overflowWrap: 'anywhere' }}>
            BLAKE3 {preview.file.id}
          </Typography>
          <Box sx={{ mt: 0.5, ml: -1 }}>
            <LinkButton to={`/units/${unit}/recovery`}>
              {preview.file.others === 0
                ? 'See what else is on the shelf'
                : `Choose another: ${counted(preview.file.others, 'other fits', 'others fit')} as well`}
            </LinkButton>
          </Box>
        </Section>
      )}
      {sheet != null && sheet.head.no_returns > 0 && <ConnectionSection unit={unit} />}
      {open.length > 0 && (
        <Section title={WORDS.prepare}>
          {open.map((item) => (
            <Box
              key={item.text}
              sx={{ display: 'flex', alignItems: 'center', gap: 1.5, py: 0.75, maxWidth: 900 }}
            >
              <StateShape kind={itemShape(item.state)} label={itemWord(item.state)} />
              <Typography sx={{ flexGrow: 1 }}>{item.text}</Typography>
              <CureLink unit={unit} line={item} />
            </Box>
          ))}
          <LinkButton
            variant="contained"
            to={`/units/${unit}/standing`}
            data-next=""
            sx={{ mt: 1 }}
          >
            Complete the list
          </LinkButton>
        </Section>
      )}
      {open.length === 0 && (
        <Box sx={{ display: 'flex', gap: 2.5, alignItems: 'center' }}>
          <Button
            may={preview.begin}
            variant="contained"
            size="large"
            isOff={begin.isPending}
            onClick={() => begin.mutate(undefined)}
            data-next=""
          >
            {WORDS.begin}
          </Button>
          <Typography color="text.secondary">
            {preview.begin.allowed
              ? 'Beginning touches nothing yet; each step waits for you.'
              : preview.begin.reason}
            {preview.begin.rule != null && ` (${preview.begin.rule})`}
          </Typography>
        </Box>
      )}
      {begin.error !== null && <ProblemNote error={begin.error} />}
    </>
  );
}
