import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';
import { useQueryClient } from '@tanstack/react-query';
import { useEffect, useState } from 'react';

import type { Api } from '../../api/client';
import { runQuery } from '../../api/queries';
import { duration, running } from '../../ui/format';
import { useNow } from '../../ui/useNow';

export type ClockProps = {
  unit: string;
  state: Extract<Api<'StepState'>, { elapsed_ms: number }>;
  /** Usual seconds. */
  usual: number;
  /** Seconds from which on it counts as stuck; 0 where there is no bound. */
  bound: number;
  stuck?: Api<'Stuck'> | null;
  /** Beside a score that counts in large figures itself. */
  isSmall?: boolean;
};

/** How long a step has been at it, counted on from what the server said; whether that is too long says the server. */
export function Clock({ unit, state, usual, bound, stuck, isSmall = false }: ClockProps) {
  const now = useNow(500);
  const [heard, setHeard] = useState({ state, at: now });
  if (heard.state !== state) setHeard({ state, at: now });
  useAskAgain(unit, state.stuck_in_ms);
  const seconds = (state.elapsed_ms + Math.max(0, now - heard.at)) / 1000;
  return (
    <Box sx={{ mb: 2 }}>
      <Typography
        variant={isSmall ? 'body1' : 'timer'}
        component={isSmall ? 'span' : 'p'}
        role="timer"
        aria-live="off"
        sx={isSmall ? { fontWeight: 650, fontVariantNumeric: 'tabular-nums' } : {}}
      >
        {running(seconds)}
        {isSmall && ' since it was shown. '}
      </Typography>
      <Typography component={isSmall ? 'span' : 'p'} color="text.secondary">
        Usually {duration(usual)}. {bound > 0 && `Stuck after ${duration(bound)}.`}
      </Typography>
      {stuck != null && (
        <Box role="status" sx={{ mt: 1, maxWidth: 640 }}>
          <Typography sx={{ color: 'care', fontWeight: 650 }}>{stuck.text}</Typography>
          {stuck.forced != null && <Typography>{stuck.forced}</Typography>}
        </Box>
      )}
    </Box>
  );
}

/** Asks for the run again once a step may have become stuck. */
function useAskAgain(unit: string, inMs?: number | null) {
  const queries = useQueryClient();
  useEffect(() => {
    if (inMs == null || inMs === 0) return;
    const timer = setTimeout(
      () => void queries.invalidateQueries({ queryKey: runQuery(unit).queryKey }),
      inMs + 50,
    );
    return () => clearTimeout(timer);
  }, [queries, unit, inMs]);
}
