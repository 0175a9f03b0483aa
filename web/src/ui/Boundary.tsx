import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';
import type { ReactNode } from 'react';
import { ErrorBoundary, type FallbackProps } from 'react-error-boundary';

import { ShowButton } from './ShowButton';
import { StateShape } from './shapes';

export type BoundaryProps = {
  /** What it shows; another value is another try. */
  of: unknown;
  children: ReactNode;
};

/** A part of a view that may break off by itself: what is around it goes on. */
export function Boundary({ of, children }: BoundaryProps) {
  return (
    <ErrorBoundary FallbackComponent={BrokeOff} resetKeys={[of]}>
      {children}
    </ErrorBoundary>
  );
}

function BrokeOff({ error, resetErrorBoundary }: FallbackProps) {
  const details = error instanceof Error ? `${error.message}\n${error.stack ?? ''}` : String(error);
  return (
    <Box
      role="alert"
      sx={{ display: 'flex', gap: 1.5, py: 1.5, borderTop: 2, borderColor: 'noReturn' }}
    >
      <StateShape kind="refused" label="Broke off" />
      <Box>
        <Typography sx={{ fontWeight: 650 }}>This part of the page broke off.</Typography>
        <Typography>
          Nothing on any unit was touched by it; what stands around it still holds.
        </Typography>
        <ShowButton onClick={resetErrorBoundary}>Show it again</ShowButton>
        <ShowButton onClick={() => void navigator.clipboard.writeText(details)}>
          Copy the details
        </ShowButton>
      </Box>
    </Box>
  );
}
