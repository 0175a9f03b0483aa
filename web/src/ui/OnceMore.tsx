import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';
import { useState } from 'react';

import type { Api } from '../api/client';
import { Button } from './Button';
import { ShowButton } from './ShowButton';

export type OnceMoreProps = {
  /** What it does, on its button. */
  children: string;
  /** What is asked before it is done; nothing where it needs no second thought. */
  ask: string | null | undefined;
  yes: string;
  may: Api<'Permission'> | undefined;
  isOff?: boolean;
  onYes: () => void;
};

/** Something quick to click and dear to have clicked: it asks once more, and names why. */
export function OnceMore({ children, ask, yes, may, isOff = false, onYes }: OnceMoreProps) {
  const [isAsking, setAsking] = useState(false);
  if (ask == null || !isAsking) {
    return (
      <Button
        variant="outlined"
        may={may}
        isOff={isOff}
        onClick={ask == null ? onYes : () => setAsking(true)}
      >
        {children}
      </Button>
    );
  }
  return (
    <Box role="alert" sx={{ borderLeft: 5, borderColor: 'care', pl: 2, py: 0.5, maxWidth: 640 }}>
      <Typography sx={{ mb: 1 }}>{ask}</Typography>
      <Box sx={{ display: 'flex', gap: 1.5 }}>
        <Button
          variant="outlined"
          may={may}
          isOff={isOff}
          onClick={() => {
            setAsking(false);
            onYes();
          }}
        >
          {yes}
        </Button>
        <ShowButton onClick={() => setAsking(false)}>Go back</ShowButton>
      </Box>
    </Box>
  );
}
