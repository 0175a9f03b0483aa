import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { useParams } from 'react-router';

import type { Api } from '../../api/client';
import { runQuery, unitQuery } from '../../api/queries';
import { Page } from '../../ui/Page';
import { Panel } from '../../ui/Panel';
import { GoalChoice } from './GoalChoice';
import { PaperSheet } from './PaperSheet';
import { RunEnd } from './RunEnd';
import { RunScreen } from './RunScreen';
import { SheetTable } from './SheetTable';

/** Without a run the sheet table; with one, a step at a time. */
export function RunPage() {
  const { unit = '' } = useParams();
  const query = useQuery(runQuery(unit));
  const { data: tag } = useQuery(unitQuery(unit));
  const [justChosen, setJustChosen] = useState<Api<'Goal'> | undefined>();
  return (
    <Page wide>
      <Panel query={query}>
        {({ goals, preview, run }) =>
          run != null && run.ended == null ? (
            <RunScreen unit={unit} run={run} nickname={tag?.nickname ?? ''} />
          ) : (
            <>
              <Box sx={{ displayPrint: preview == null ? 'block' : 'none' }}>
                {run != null && <RunEnd unit={unit} run={run} />}
                <Typography variant="h1" sx={{ mb: 1 }}>
                  {run == null ? 'What is to be reached?' : 'What next?'}
                </Typography>
                <GoalChoice
                  unit={unit}
                  goals={goals}
                  chosen={preview?.goal}
                  onChosen={setJustChosen}
                />
                {preview != null && (
                  <SheetTable unit={unit} preview={preview} isFresh={justChosen === preview.goal} />
                )}
              </Box>
              {preview != null && <PaperSheet nickname={tag?.nickname ?? ''} preview={preview} />}
            </>
          )
        }
      </Panel>
    </Page>
  );
}
