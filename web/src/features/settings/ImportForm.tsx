import Box from '@mui/material/Box';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';

import { client, newRequest, unwrap } from '../../api/client';
import { exportQuery, jobsQuery } from '../../api/queries';
import { ByteProgress } from '../../ui/ByteProgress';
import { Panel } from '../../ui/Panel';
import { ShowButton } from '../../ui/ShowButton';
import { FoundUnit } from './FoundUnit';
import { WORDS } from './strings';

/** Takes in an export that lies on this computer: read first, then taken. */
export function ImportForm() {
  const [path, setPath] = useState('');
  const [asked, setAsked] = useState('');
  const query = useQuery(exportQuery(asked));
  const { data: jobs } = useQuery(jobsQuery());
  const job = jobs?.find((known) => known.what === WORDS.importJob);
  return (
    <>
      <Typography color="text.secondary" sx={{ mb: 1.5 }}>
        {WORDS.importHelp}
      </Typography>
      <Box
        component="form"
        sx={{ display: 'flex', gap: 1.5 }}
        onSubmit={(event) => {
          event.preventDefault();
          setAsked(path.trim());
        }}
      >
        <TextField
          size="small"
          label="Whole path of an export"
          value={path}
          onChange={(event) => setPath(event.target.value)}
          sx={{ flexGrow: 1 }}
        />
        <ShowButton
          variant="outlined"
          disabled={path.trim() === ''}
          onClick={() => setAsked(path.trim())}
        >
          See what it holds
        </ShowButton>
      </Box>
      {asked !== '' && (
        <Panel query={query}>
          {(unit) => (
            <FoundUnit
              unit={unit}
              takeOver={(ownership) =>
                unwrap(
                  client.POST('/api/imports', {
                    body: {
                      path: asked,
                      request: newRequest(),
                      ...(ownership === undefined ? {} : { ownership }),
                    },
                  }),
                )
              }
            />
          )}
        </Panel>
      )}
      {job?.progress != null && job.state.is === 'running' && (
        <Box role="status" sx={{ mt: 1.5 }}>
          <ByteProgress progress={job.progress} />
        </Box>
      )}
      {job?.state.is === 'failed' && (
        <Typography sx={{ color: 'noReturn', mt: 1 }} role="alert">
          {job.state.text}
        </Typography>
      )}
    </>
  );
}
