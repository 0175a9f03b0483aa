import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';

import { client, newRequest, unwrap, type Api } from '../../api/client';
import { faceQuery } from '../../api/queries';
import { useChange } from '../../api/useChange';
import { ProblemNote } from '../../ui/ProblemNote';
import { StateShape } from '../../ui/shapes';
import { CauseList } from './CauseList';
import { FacePanel } from './FacePanel';
import { StepLadder } from './StepLadder';
import { StepScreen } from './StepScreen';
import { FACE } from './strings';
import { Button } from '../../ui/Button';
import { ShowButton } from '../../ui/ShowButton';

export type RunScreenProps = { unit: string; run: Api<'RunView'>; nickname: string };

/** A run: the ladder of steps on the left, the step in hand beside it. */
export function RunScreen({ unit, run, nickname }: RunScreenProps) {
  const stop = useChange(
    () =>
      unwrap(
        client.POST('/api/units/{unit}/run/{run}/stop', {
          params: { path: { unit, run: run.id } },
          body: { revision: run.revision, request: newRequest() },
        }),
      ),
    unit,
  );
  const { step } = run;
  const { data: body } = useQuery(faceQuery(unit));
  const [inHand, setInHand] = useState(false);
  const hasBody = body?.face != null;
  const isShown = hasBody && inHand;
  return (
    <Box
      sx={{
        display: 'grid',
        gridTemplateColumns: {
          xs: 'minmax(0, 1fr)',
          md: isShown ? 'minmax(0, 1fr) 270px' : 'minmax(0, 1fr)',
          lg: isShown ? '210px minmax(0, 1fr) 270px' : '250px minmax(0, 1fr)',
        },
        columnGap: isShown ? 4 : 6,
        rowGap: 3,
      }}
    >
      <Box sx={{ order: { xs: 3, lg: 0 } }}>
        <StepLadder run={run} />
        <Button
          may={run.stop}
          onClick={() => stop.mutate(undefined)}
          isOff={stop.isPending}
          sx={{ mt: 2, ml: -1 }}
        >
          Stop this run
        </Button>
        {stop.error !== null && <ProblemNote error={stop.error} />}
      </Box>
      <Box>
        {hasBody && (
          <ShowButton
            onClick={() => setInHand(!inHand)}
            aria-pressed={inHand}
            sx={{ float: 'right', mr: -1, mt: -1 }}
          >
            {inHand ? FACE.close : FACE.open}
          </ShowButton>
        )}
        {run.diverged != null && (
          <Box
            sx={{ display: 'flex', gap: 1.5, mb: 2, pb: 1.5, borderBottom: 2, borderColor: 'care' }}
          >
            <StateShape kind="missing" label="Planned again" />
            <Typography>{run.diverged} The rest was planned again from there.</Typography>
          </Box>
        )}
        {run.causes.length > 0 && <CauseList causes={run.causes} />}
        {run.older_text != null && (
          <Typography color="text.secondary" sx={{ mb: 2 }}>
            {run.older_text}
          </Typography>
        )}
        {step != null && (
          <StepScreen
            key={`${run.id} ${run.revision}`}
            unit={unit}
            run={run}
            view={step}
            nickname={nickname}
          />
        )}
      </Box>
      {isShown && <FacePanel unit={unit} />}
    </Box>
  );
}
