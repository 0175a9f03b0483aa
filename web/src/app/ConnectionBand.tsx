import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';
import { useSyncExternalStore } from 'react';

import { currentConnection, subscribeConnection } from '../api/events';
import { clockOf } from '../ui/format';
import { StateShape } from '../ui/shapes';

/** Says that the server is gone, and what that means. */
export function ConnectionBand() {
  const connection = useSyncExternalStore(subscribeConnection, currentConnection);
  return (
    <Box role="status">
      {!connection.isUp && (
        <Box
          sx={{
            display: 'flex',
            gap: 1.5,
            alignItems: 'center',
            px: 4,
            py: 1,
            bgcolor: 'band',
            borderBottom: 2,
            borderColor: 'care',
          }}
        >
          <StateShape kind="away" />
          <Typography>
            Not connected since {clockOf(connection.since)}. A unit may still be working; nothing
            can be started from here.
          </Typography>
        </Box>
      )}
    </Box>
  );
}
