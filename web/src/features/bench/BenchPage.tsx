import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';
import { useQuery } from '@tanstack/react-query';

import { benchQuery } from '../../api/queries';
import { counted } from '../../ui/format';
import { ClockBand } from '../../ui/ClockBand';
import { Page } from '../../ui/Page';
import { Panel } from '../../ui/Panel';
import { AddSection } from './AddSection';
import { AwaySection } from './AwaySection';
import { DamageBand } from './DamageBand';
import { UnitRow } from './UnitRow';
import { WORDS } from './strings';
import { LongList } from '../../ui/LongList';

/** The units on this bench, those that can be worked on first. */
export function BenchPage() {
  const query = useQuery(benchQuery());
  return (
    <Page wide>
      <Panel query={query}>
        {(bench) => (
          <>
            <Box sx={{ display: 'flex', alignItems: 'baseline', gap: 2, mb: 2 }}>
              <Typography variant="h1">{WORDS.title}</Typography>
              <Typography color="text.secondary">
                {bench.units.length === 0
                  ? WORDS.empty
                  : counted(bench.units.length, 'unit', 'units')}
              </Typography>
            </Box>
            <ClockBand note={bench.clock} />
            <DamageBand lines={bench.damaged} />
            <LongList items={bench.units} keyOf={(unit) => unit.id} about={96} below={5}>
              {(unit, index) => (
                <UnitRow
                  unit={unit}
                  isFirst={index === 0}
                  isLast={index === bench.units.length - 1}
                />
              )}
            </LongList>
            {bench.away.length > 0 && <AwaySection units={bench.away} />}
            <AddSection bench={bench} />
          </>
        )}
      </Panel>
    </Page>
  );
}
