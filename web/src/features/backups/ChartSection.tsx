import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';
import { useState } from 'react';

import { onWall } from '../../api/clock';
import type { Api } from '../../api/client';
import { clockOf } from '../../ui/format';
import { Section } from '../../ui/Section';
import { ChartTable } from './ChartTable';
import { CoreChart } from './CoreChart';
import { WORDS } from './strings';
import { ShowButton } from '../../ui/ShowButton';

export type ChartSectionProps = {
  chart: Api<'Chart'>;
  stock: string | null | undefined;
  notReadSince: string | null | undefined;
  chosen: string | undefined;
  onChoose: (label: string) => void;
};

/** The core chart, or the same as a table. */
export function ChartSection({ chart, stock, notReadSince, chosen, onChoose }: ChartSectionProps) {
  const [as, setAs] = useState<'chart' | 'table'>('chart');
  const unread = chart.rows.filter((row) => row.cells[0]?.is === 'not-read').length;
  return (
    <Section
      title="What lies where"
      aside={
        <ShowButton onClick={() => setAs(as === 'chart' ? 'table' : 'chart')}>
          {as === 'chart' ? 'As a table' : 'As a chart'}
        </ShowButton>
      }
    >
      {unread > 0 && notReadSince != null && (
        <Typography color="text.secondary" sx={{ mb: 1 }}>
          Live{unread < chart.rows.length && ', where dashed'}: not read since{' '}
          {clockOf(onWall(notReadSince))}, when it could change.
        </Typography>
      )}
      {as === 'chart' ? (
        <>
          <CoreChart
            chart={chart}
            stock={stock}
            chosen={chosen}
            onChoose={onChoose}
            onTable={() => setAs('table')}
          />
          <Typography variant="body2" color="text.secondary" sx={{ maxWidth: 760, mt: 1 }}>
            {WORDS.legend}
          </Typography>
        </>
      ) : (
        <Box sx={{ overflowX: 'auto' }}>
          <ChartTable chart={chart} />
        </Box>
      )}
      {chart.older > 0 && (
        <Typography color="text.secondary">{chart.older} older captures are not shown.</Typography>
      )}
    </Section>
  );
}
