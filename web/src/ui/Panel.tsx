import Box from '@mui/material/Box';
import LinearProgress from '@mui/material/LinearProgress';
import Typography from '@mui/material/Typography';
import type { UseQueryResult } from '@tanstack/react-query';
import type { ReactNode } from 'react';

import { ProblemNote } from './ProblemNote';

export type PanelProps<T> = {
  query: Pick<UseQueryResult<T>, 'data' | 'error' | 'isFetching' | 'refetch'>;
  children: (data: T) => ReactNode;
};

/** Draws every state in the same order: error, first load, data. */
export function Panel<T>({ query, children }: PanelProps<T>) {
  const { data, error } = query;
  if (data === undefined) {
    if (error !== null) return <ProblemNote error={error} onRetry={() => void query.refetch()} />;
    return (
      <Box sx={{ py: 4 }} aria-busy="true">
        <LinearProgress aria-label="Reading" sx={{ maxWidth: 320 }} />
      </Box>
    );
  }
  return (
    <>
      {error !== null && (
        <Typography variant="body2" color="text.secondary" role="status">
          Not refreshed: {error.message}
        </Typography>
      )}
      {children(data)}
    </>
  );
}
