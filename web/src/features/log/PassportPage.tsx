import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';
import { useQuery } from '@tanstack/react-query';
import { useParams } from 'react-router';

import { onWall } from '../../api/clock';
import type { Api } from '../../api/client';
import { passportQuery } from '../../api/queries';
import { exactOf } from '../../ui/format';
import { FactReading } from '../../ui/FactReading';
import { LinkButton } from '../../ui/LinkButton';
import { Page } from '../../ui/Page';
import { Panel } from '../../ui/Panel';
import { RuleMark } from '../../ui/RuleMark';
import { Section } from '../../ui/Section';
import { ShowButton } from '../../ui/ShowButton';
import { StateShape } from '../../ui/shapes';
import { itemShape } from '../../ui/stateShapes';
import { useNow } from '../../ui/useNow';
import { useWords } from '../../ui/wordBook';
import { PASSPORT } from './strings';

/** What goes with a unit when it leaves the bench. */
export function PassportPage() {
  const { unit = '' } = useParams();
  const query = useQuery(passportQuery(unit));
  return (
    <Page>
      <Box sx={{ displayPrint: 'none', display: 'flex', gap: 2, mb: 3 }}>
        <ShowButton variant="contained" onClick={() => window.print()}>
          {PASSPORT.print}
        </ShowButton>
        <LinkButton to={`/units/${unit}/log`}>{PASSPORT.back}</LinkButton>
      </Box>
      <Panel query={query}>{(view) => <PassportSheet view={view} />}</Panel>
    </Page>
  );
}

type PassportSheetProps = { view: Api<'PassportView'> };

function PassportSheet({ view: { tag, passport } }: PassportSheetProps) {
  const now = useNow(60_000);
  return (
    <Box sx={{ maxWidth: 760, '@media print': { zoom: 0.78, maxWidth: 'none' } }}>
      <Typography color="text.secondary">
        {PASSPORT.dated} {exactOf(onWall(now))}
      </Typography>
      <Typography variant="h1">{tag.nickname}</Typography>
      <Typography sx={{ mb: 2 }}>
        {[tag.family ?? 'Family not known', tag.model_code, tag.recovery]
          .filter((part) => part != null)
          .join(', ')}
      </Typography>
      {passport == null ? (
        <Typography>{PASSPORT.noFamily}</Typography>
      ) : (
        <>
          <Section title={PASSPORT.open}>
            {passport.open.length === 0 && <Typography>{PASSPORT.nothing}</Typography>}
            {passport.open.map((one) => (
              <Box
                key={one.text}
                sx={{ display: 'grid', gridTemplateColumns: '1fr auto', columnGap: 2, py: 0.75 }}
              >
                <Typography sx={{ fontWeight: 550 }}>{one.text}</Typography>
                <RuleMark id={one.rule} />
              </Box>
            ))}
          </Section>
          <Section title={PASSPORT.now}>
            <Box component="dl" sx={{ m: 0 }}>
              {passport.now.map((line) => (
                <Box
                  key={line.key}
                  sx={{
                    display: 'grid',
                    gridTemplateColumns: { xs: '1fr', md: '2fr 3fr' },
                    columnGap: 3,
                    py: 0.75,
                  }}
                >
                  <Typography component="dt" color="text.secondary">
                    {line.title}
                  </Typography>
                  <Box component="dd" sx={{ m: 0 }}>
                    <FactReading fact={line} />
                  </Box>
                </Box>
              ))}
            </Box>
          </Section>
          {passport.kept.length > 0 && <Kept lines={passport.kept} />}
        </>
      )}
    </Box>
  );
}

function Kept({ lines }: { lines: Api<'Line'>[] }) {
  const itemWord = useWords('line');
  return (
    <Section title={PASSPORT.kept}>
      {lines.map((line) => (
        <Typography key={line.text} sx={{ display: 'flex', gap: 1, alignItems: 'center' }}>
          <StateShape kind={itemShape(line.state)} label={itemWord(line.state)} size={16} />
          {line.text}
        </Typography>
      ))}
    </Section>
  );
}
