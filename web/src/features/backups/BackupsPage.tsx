import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { useParams } from 'react-router';

import type { Api } from '../../api/client';
import { backupsQuery, jobsQuery } from '../../api/queries';
import { Page } from '../../ui/Page';
import { Panel } from '../../ui/Panel';
import { Section } from '../../ui/Section';
import { CaptureRow } from './CaptureRow';
import { ChartSection } from './ChartSection';
import { JobBand } from './JobBand';
import { PartitionPanel } from './PartitionPanel';
import { RestorePanel } from './RestorePanel';
import { StockSection } from './StockSection';
import { WORDS } from './strings';
import { DumpsSection } from './DumpsSection';
import { ExtentNotes } from './ExtentNotes';
import { TakeButtons } from './TakeButtons';
import { WaysSection } from './WaysSection';

/** Backups: what is kept, where, how well, and the way back. */
export function BackupsPage() {
  const { unit = '' } = useParams();
  const query = useQuery(backupsQuery(unit));
  const { data: jobs } = useQuery(jobsQuery());
  const job = jobs?.find((known) => known.unit === unit && known.run == null);
  return (
    <Page wide>
      <Panel query={query}>
        {(backups) => <Backups unit={unit} backups={backups} job={job} />}
      </Panel>
    </Page>
  );
}

type BackupsProps = {
  unit: string;
  backups: Api<'BackupsView'>;
  job: Api<'JobView'> | undefined;
};

function Backups({ unit, backups, job }: BackupsProps) {
  const [chosen, setChosen] = useState<string | undefined>();
  const [restoring, setRestoring] = useState<string | undefined>();
  const isBusy = job?.state.is === 'running' || job?.state.is === 'waiting';
  const { chart, coverage, captures } = backups;
  const row =
    coverage?.rows.find((one) => one.label === chosen) ??
    coverage?.rows.find((one) => one.role === 'device-unique');
  return (
    <>
      <Box sx={{ display: 'flex', gap: 3, alignItems: 'center', mb: 2, flexWrap: 'wrap' }}>
        <Typography variant="h1">Backups</Typography>
        <TakeButtons unit={unit} take={backups.take} hasAny={captures.length > 0} />
      </Box>
      {job !== undefined && <JobBand unit={unit} job={job} />}
      {backups.take.allowed && !isBusy && <ExtentNotes extents={backups.extents} />}
      {backups.torn.length > 0 && (
        <Typography sx={{ color: 'noReturn', fontWeight: 650, mb: 2 }} role="alert">
          A write of {backups.torn.join(', ')} was interrupted: put it back below; nothing else is
          written before.
        </Typography>
      )}
      {chart == null || captures.length === 0 ? (
        <Section title={WORDS.nothing}>
          <Typography sx={{ maxWidth: 640 }}>{WORDS.nothingHelp}</Typography>
        </Section>
      ) : (
        <Box
          sx={{
            display: 'grid',
            gridTemplateColumns: { xs: 'minmax(0, 1fr)', lg: 'minmax(0, 1fr) 300px' },
            columnGap: 4,
          }}
        >
          <ChartSection
            chart={chart}
            stock={backups.stock}
            notReadSince={backups.not_read_since}
            chosen={row?.label}
            onChoose={setChosen}
          />
          {row !== undefined && (
            <Box component="aside" aria-label="Chosen partition" sx={{ borderTop: 2, pt: 1.5 }}>
              <PartitionPanel row={row} />
            </Box>
          )}
        </Box>
      )}
      {captures.length > 0 && (
        <Section title="Captures and copies">
          {backups.policy.media === 'any' && (
            <Typography color="text.secondary" sx={{ mb: 1 }}>
              {WORDS.anyMedia}
            </Typography>
          )}
          <Box component="ul" sx={{ listStyle: 'none', m: 0, p: 0 }}>
            {captures.map((capture) => (
              <CaptureRow
                key={capture.id}
                unit={unit}
                capture={capture}
                isFirst={capture.id === backups.stock}
                onRestore={() => setRestoring(capture.id)}
              >
                {restoring === capture.id && (
                  <RestorePanel
                    unit={unit}
                    capture={restoring}
                    title={`Put back from capture ${capture.number}`}
                    take={backups.take}
                    onClose={() => setRestoring(undefined)}
                  />
                )}
              </CaptureRow>
            ))}
          </Box>
        </Section>
      )}
      {!backups.take.allowed && <WaysSection ways={backups.ways} />}
      <DumpsSection unit={unit} />
      <StockSection unit={unit} take={backups.take} />
    </>
  );
}
