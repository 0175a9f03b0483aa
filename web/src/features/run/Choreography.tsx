import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';
import { useEffect, useRef, useState } from 'react';

import type { Api } from '../../api/client';
import { running } from '../../ui/format';
import { useNow } from '../../ui/useNow';
import { ScoreChart } from './ScoreChart';
import { SCORE } from './strings';
import { sound, useChoreography } from './useChoreography';
import { ShowButton } from '../../ui/ShowButton';
import { useWords } from '../../ui/wordBook';

export type ChoreographyProps = {
  phases: Api<'Phase'>[];
  said: Api<'PhaseSaid'>[];
  /** Whether the unit is away from its link now. */
  isAway: boolean;
};

/** What both hands do, as a timed score that is followed without touching the computer. */
export function Choreography({ phases, said, isAway }: ChoreographyProps) {
  const keyWords = useWords('key');
  const { beat, cue, again, countIn } = useChoreography(phases, isAway);
  const [isSounding, setSounding] = useState(false);
  const now = useNow(100);
  const box = useRef<HTMLDivElement>(null);
  const index = beat.is === 'phase' ? beat.index : beat.is === 'done' ? phases.length - 1 : 0;
  const phase = phases[index];
  const words = said[index];
  useEffect(() => {
    if (isSounding && beat.is === 'phase') sound(phases[beat.index]?.keys ?? []);
  }, [beat, isSounding, phases]);
  if (phase === undefined || words === undefined) return null;
  const seconds =
    beat.is === 'phase' || beat.is === 'counting' ? Math.max(0, (now - beat.since) / 1000) : 0;
  const share = Math.min(1, seconds / phase.seconds);
  return (
    <Box
      ref={box}
      role="group"
      aria-label={SCORE.label}
      tabIndex={-1}
      onKeyDown={(event) => {
        // A pedal that sends Space, while no button is meant by it.
        if (event.key !== ' ' || event.repeat || event.target !== box.current) return;
        event.preventDefault();
        cue();
      }}
      sx={{ outline: 'none', mb: 3 }}
    >
      <Box
        sx={{
          display: 'grid',
          gridTemplateColumns: { xs: '1fr', md: 'minmax(0, 1fr) 190px' },
          gap: 3,
          alignItems: 'start',
          minHeight: 190,
        }}
      >
        <Box aria-live="assertive">
          {beat.is === 'counting' ? (
            <Typography variant="instruction">{SCORE.ready}</Typography>
          ) : beat.is === 'done' ? (
            <Typography variant="instruction">{SCORE.done}</Typography>
          ) : (
            <>
              <Box sx={{ display: 'flex', flexWrap: 'wrap', gap: 1.5, mb: 1 }}>
                {phase.keys.map((key) => (
                  <Typography
                    key={key}
                    component="span"
                    sx={{
                      fontSize: '2.5rem',
                      lineHeight: 1.2,
                      fontWeight: 700,
                      border: 3,
                      borderRadius: '10px',
                      px: 1.5,
                    }}
                  >
                    {keyWords(key)}
                  </Typography>
                ))}
              </Box>
              <Typography variant="instruction">
                {words.act} {words.until}
              </Typography>
              <Typography variant="instruction" sx={{ fontWeight: 700 }}>
                {words.then}
              </Typography>
            </>
          )}
        </Box>
        <Box sx={{ textAlign: 'right' }}>
          <Typography variant="timer" component="p" role="timer" aria-live="off">
            {beat.is === 'counting' ? Math.max(1, Math.ceil(countIn - seconds)) : running(seconds)}
          </Typography>
          {beat.is !== 'done' && (
            <Typography color="text.secondary">
              {phase.cue === 'seconds' ? 'exactly' : 'usually'} {phase.seconds} s
            </Typography>
          )}
        </Box>
      </Box>
      <Box sx={{ display: 'flex', gap: 2, alignItems: 'center', flexWrap: 'wrap', mt: 1 }}>
        {beat.is !== 'done' && (
          <ShowButton
            variant="contained"
            size="large"
            data-next=""
            onClick={() => {
              cue();
              // From here on a pedal's Space goes to the score, not to this button.
              box.current?.focus({ preventScroll: true });
              box.current?.scrollIntoView({ block: 'start' });
            }}
          >
            {beat.is === 'idle' ? SCORE.start : beat.is === 'counting' ? SCORE.now : SCORE.seen}
          </ShowButton>
        )}
        {beat.is !== 'idle' && <ShowButton onClick={again}>{SCORE.again}</ShowButton>}
        <ShowButton onClick={() => setSounding(!isSounding)} aria-pressed={isSounding}>
          {isSounding ? SCORE.soundOff : SCORE.soundOn}
        </ShowButton>
        <Typography color="text.secondary">{SCORE.pedal}</Typography>
      </Box>
      {beat.is !== 'done' && phase.missed !== '' && (
        <Typography sx={{ mt: 2, color: 'care' }}>
          <b>{phase.missed}</b> {phase.retry}
        </Typography>
      )}
      <ScoreChart
        phases={phases}
        said={said}
        at={beat.is === 'phase' ? { index, share } : undefined}
      />
    </Box>
  );
}
