import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';

import { useQuery } from '@tanstack/react-query';

import type { Api } from '../../api/client';
import { unitQuery } from '../../api/queries';
import { duration } from '../../ui/format';
import { ProblemNote } from '../../ui/ProblemNote';
import { Choreography } from './Choreography';
import { Clock } from './Clock';
import { CommandCard } from './CommandCard';
import { ConsentForm } from './ConsentForm';
import { MissingList } from './MissingList';
import { DownloadButton } from '../../ui/DownloadButton';
import { DumpsPanel } from '../../ui/DumpsPanel';
import { SightingChoice } from './SightingChoice';
import { StepOutlook } from './StepOutlook';
import { StepProgress } from './StepProgress';
import { useAwake } from './useAwake';
import { Button } from '../../ui/Button';
import { useWords } from '../../ui/wordBook';
import { useStep } from './useStep';

export type StepScreenProps = {
  unit: string;
  run: Api<'RunView'>;
  view: Api<'StepView'>;
  nickname: string;
};

/** One step fills the screen: what to do, what may be seen, how long it takes. */
export function StepScreen({ unit, run, view, nickname }: StepScreenProps) {
  const wipeWords = useWords('wipe');
  const cableWords = useWords('cable');
  const { step, state } = view;
  const isFinal = step.reversibility === 'no-return';
  useAwake();
  const { data: tag } = useQuery(unitQuery(unit));
  const phases = step.phases;
  const isAway = tag?.link.presence === 'absent' || tag?.link.presence === 'bridge-gone';
  return (
    <>
      <Typography color="text.secondary">
        Step {view.number} of {view.of}
      </Typography>
      <Typography variant="h1" sx={{ fontSize: '2.5rem' }}>
        {step.title}
      </Typography>
      <Typography color="text.secondary" sx={{ mb: 3 }}>
        {step.because} {cableWords(step.cable)}
      </Typography>
      {view.file != null && (
        <Typography sx={{ mb: 2, overflowWrap: 'anywhere' }}>
          From the shelf: {view.file.name}
          {view.file.version != null && `, version ${view.file.version}`}, BLAKE3 {view.file.id}
        </Typography>
      )}
      {isFinal && (
        <Typography sx={{ color: 'noReturn', fontWeight: 650, mb: 2 }}>
          This can&rsquo;t be undone. {step.wipe != null && wipeWords(step.wipe)}
        </Typography>
      )}
      {state.is === 'ready' ? (
        <ReadyStep unit={unit} run={run} view={view} nickname={nickname} />
      ) : (
        <StepProgress unit={unit} run={run} view={view} isAway={isAway} />
      )}
      {state.is !== 'in-hand' && !view.consent_wanted && <StepOutlook view={view} />}
      {state.is === 'in-hand' && (
        <>
          {phases.length > 0 ? (
            <Choreography phases={phases} said={view.phases} isAway={isAway} />
          ) : (
            <Typography variant="instruction" sx={{ mb: 3 }}>
              {view.menu ?? step.by_hand}
            </Typography>
          )}
          {step.question != null && (
            <Typography variant="instruction" sx={{ mb: 3 }}>
              {step.question.answer}
            </Typography>
          )}
          <Clock
            unit={unit}
            state={state}
            usual={view.usual_seconds}
            bound={step.stuck_seconds}
            stuck={view.stuck}
            isSmall={phases.length > 0}
          />
          {view.gives_file && (
            <DownloadButton variant="outlined" href={`/api/units/${unit}/run/file`} sx={{ mb: 3 }}>
              Save the file that is written
            </DownloadButton>
          )}
          {view.hands_in && <DumpsPanel unit={unit} />}
          <SightingChoice unit={unit} run={run} sightings={view.sightings} may={view.say} />
        </>
      )}
    </>
  );
}

function ReadyStep({ unit, run, view, nickname }: StepScreenProps) {
  const { step, permission } = view;
  const isFinal = step.reversibility === 'no-return';
  const take = useStep(unit, run);
  return (
    <>
      {view.consent_wanted ? (
        <>
          {view.seal != null && <MissingList unit={unit} items={view.seal.filter(isNoConsent)} />}
          <ConsentForm unit={unit} run={run} view={view} nickname={nickname} />
        </>
      ) : (
        <>
          {step.question != null && (
            <Typography variant="instruction" sx={{ mb: 3 }}>
              {step.question.answer}
            </Typography>
          )}
          {view.seal != null && <MissingList unit={unit} items={view.seal} />}
          <Box sx={{ display: 'flex', gap: 2.5, alignItems: 'center' }}>
            <Button
              may={permission}
              variant="contained"
              size="large"
              color={isFinal ? 'error' : 'primary'}
              isOff={take.isPending}
              onClick={() => take.mutate(undefined)}
              onKeyDown={(event) => {
                // A key held down is not a decision.
                if (event.repeat) event.preventDefault();
              }}
              data-next=""
            >
              {view.label}
            </Button>
            <Typography color="text.secondary">
              {permission.allowed ? `Usually ${duration(view.usual_seconds)}.` : permission.reason}
            </Typography>
          </Box>
        </>
      )}
      {take.error !== null && <ProblemNote error={take.error} />}
      {view.by === 'link' && !view.consent_wanted && permission.allowed && (
        <CommandCard run={run.id} step={view.number} />
      )}
    </>
  );
}

/** What else is missing stands above the consent, and is better done first. */
function isNoConsent(item: Api<'Line'>): boolean {
  return item.cure?.cure !== 'consent';
}
