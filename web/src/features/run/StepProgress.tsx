import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';
import { useQuery } from '@tanstack/react-query';

import { client, unwrap, type Api } from '../../api/client';
import { jobsQuery } from '../../api/queries';
import { useChange } from '../../api/useChange';
import { ByteProgress } from '../../ui/ByteProgress';
import { ProblemNote } from '../../ui/ProblemNote';
import { StateShape } from '../../ui/shapes';
import { Clock } from './Clock';
import { WORDS } from './strings';
import { Button } from '../../ui/Button';

export type StepProgressProps = {
  unit: string;
  run: Api<'RunView'>;
  view: Api<'StepView'>;
  /** Whether the link has lost the unit. */
  isAway: boolean;
};

/** A step that has begun: the device is at it, asks, or nobody knows. */
export function StepProgress({ unit, run, view, isAway }: StepProgressProps) {
  const { step, state } = view;
  switch (state.is) {
    case 'ready':
    case 'in-hand':
      return null;
    case 'running':
      return (
        <>
          <Clock
            unit={unit}
            state={state}
            usual={step.waiting_seconds}
            bound={step.stuck_seconds}
            stuck={view.stuck}
          />
          <StepBytes run={run.id} />
          <Typography variant="instruction">
            Wait. The bench goes on by itself when the unit is back.
          </Typography>
        </>
      );
    case 'asking':
      return (
        <Box role="status">
          <Typography variant="instruction" sx={{ mb: 3 }}>
            {step.question?.answer ?? WORDS.answerHere}
          </Typography>
          <Box sx={{ borderTop: 2, borderBottom: 2, py: 2, maxWidth: 640 }}>
            <Typography variant="body2" color="text.secondary">
              The unit asks
            </Typography>
            <Typography sx={{ fontSize: '1.375rem', fontWeight: 650 }}>{state.question}</Typography>
            <Typography color="text.secondary">Its default answer: {state.default}</Typography>
          </Box>
          <Typography
            sx={{ mt: 2, ...(isAway && { color: 'care', fontWeight: 650 }) }}
            color="text.secondary"
          >
            {isAway ? WORDS.cableGone : WORDS.answerHere}
          </Typography>
        </Box>
      );
    case 'unknown':
      return <UnknownOutcome unit={unit} run={run} may={view.look} />;
  }
}

function StepBytes({ run }: { run: string }) {
  const { data: jobs } = useQuery(jobsQuery());
  const job = jobs?.find((known) => known.run === run && known.state.is === 'running');
  return job?.progress == null ? null : (
    <Box sx={{ maxWidth: 640, mb: 2 }}>
      <Typography>{job.progress.what}</Typography>
      <ByteProgress progress={job.progress} />
    </Box>
  );
}

type UnknownOutcomeProps = { unit: string; run: Api<'RunView'>; may: Api<'Permission'> };

function UnknownOutcome({ unit, run, may }: UnknownOutcomeProps) {
  const look = useChange(
    () =>
      unwrap(
        client.POST('/api/units/{unit}/run/{run}/look', {
          params: { path: { unit, run: run.id } },
        }),
      ),
    unit,
  );
  return (
    <>
      <Box sx={{ display: 'flex', gap: 2, mb: 3 }}>
        <StateShape kind="unknown" label="Outcome not known" size={40} />
        <Typography variant="instruction">{WORDS.unknown}</Typography>
      </Box>
      <Button
        may={may}
        variant="contained"
        size="large"
        isOff={look.isPending}
        onClick={() => look.mutate(undefined)}
        data-next=""
      >
        Look now
      </Button>
      {look.error !== null && <ProblemNote error={look.error} />}
    </>
  );
}
