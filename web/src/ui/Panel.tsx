import Box from '@mui/material/Box';
import LinearProgress from '@mui/material/LinearProgress';
import Typography from '@mui/material/Typography';
import type { UseQueryResult } from '@tanstack/react-query';
import type { ReactNode } from 'react';

import { Boundary } from './Boundary';
import { clockOf } from './format';
import { ProblemNote } from './ProblemNote';
import { ShowButton } from './ShowButton';
import { useLate } from './useLate';

/** Why there is nothing to show, and the one action that changes it. */
export type Empty = { because: string; action?: ReactNode };

export type PanelProps<T> = {
  query: Pick<UseQueryResult<T>, 'data' | 'error' | 'isFetching' | 'refetch' | 'dataUpdatedAt'>;
  /** Why nothing is shown, where there is nothing. */
  empty?: (data: T) => Empty | undefined;
  children: (data: T) => ReactNode;
};

/** What is read sooner shows no sign of it. */
const SIGN_AFTER_MS = 300;
/** From then on it is said that it takes long. */
const LONG_AFTER_MS = 2000;

/**
 * Draws every state in the same order: refused or failed, read for the first time, empty and why, and the
 * data, with a word where they are older than they should be. What breaks off in it breaks off alone.
 */
export function Panel<T>({ query, empty, children }: PanelProps<T>) {
  const { data, error, isFetching } = query;
  const isLate = useLate(isFetching, SIGN_AFTER_MS);
  const isLong = useLate(isFetching, LONG_AFTER_MS);
  if (data === undefined) {
    if (error !== null && !isFetching) {
      return <ProblemNote error={error} onRetry={() => void query.refetch()} />;
    }
    return (
      <Box sx={{ py: 4, minHeight: 72 }} aria-busy="true">
        {isLate && <LinearProgress aria-label="Reading" sx={{ maxWidth: 320 }} />}
        {isLong && <Typography color="text.secondary">It takes longer than usual.</Typography>}
      </Box>
    );
  }
  const nothing = empty?.(data);
  return (
    <>
      {error !== null && (
        <Box role="status" sx={{ display: 'flex', gap: 1.5, alignItems: 'center', mb: 1 }}>
          <Typography sx={{ color: 'care' }}>
            As of {clockOf(query.dataUpdatedAt)}: it could not be read anew. {error.message}
          </Typography>
          <ShowButton onClick={() => void query.refetch()}>Read it again</ShowButton>
        </Box>
      )}
      {nothing === undefined ? (
        <Boundary of={data}>{children(data)}</Boundary>
      ) : (
        <Box sx={{ py: 3 }}>
          <Typography sx={{ mb: 1, maxWidth: 640 }}>{nothing.because}</Typography>
          {nothing.action}
        </Box>
      )}
    </>
  );
}
