import Box from '@mui/material/Box';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useState } from 'react';

import { client, newRequest, unwrap, type Api } from '../../api/client';
import { useChange } from '../../api/useChange';
import { Button } from '../../ui/Button';
import { ProblemNote } from '../../ui/ProblemNote';
import { RuleMark } from '../../ui/RuleMark';
import { ShowButton } from '../../ui/ShowButton';
import { WORDS } from './strings';

export type ExportFormProps = { unit: string; capture: Api<'CaptureLine'>; onClose: () => void };

/** One tar of a capture, for its owner or for somebody else. */
export function ExportForm({ unit, capture, onClose }: ExportFormProps) {
  const [folder, setFolder] = useState('');
  const write = useChange(
    (whom: Api<'Whom'>) =>
      unwrap(
        client.POST('/api/units/{unit}/captures/{capture}/export', {
          params: { path: { unit, capture: capture.id } },
          body: { whom, folder, request: newRequest() },
        }),
      ),
    unit,
  );
  const isOff = write.isPending || folder.trim() === '';
  return (
    <Box
      role="group"
      aria-label={`Export capture ${capture.number}`}
      sx={{ mt: 1.5, borderLeft: 4, borderColor: 'rule', pl: 2 }}
    >
      <Typography color="text.secondary" sx={{ mb: 1.5, maxWidth: 760 }}>
        {WORDS.exportHelp} <RuleMark id="B10" />
      </Typography>
      <TextField
        size="small"
        label={`Folder for the export of capture ${capture.number}`}
        value={folder}
        onChange={(event) => setFolder(event.target.value)}
        sx={{ width: '100%', maxWidth: 620, mb: 1.5 }}
      />
      <Box sx={{ display: 'flex', gap: 1.5, flexWrap: 'wrap' }}>
        <Button
          may={capture.export}
          variant="outlined"
          isOff={isOff}
          onClick={() => write.mutate('owner')}
        >
          For its owner, with its identity
        </Button>
        <Button
          may={capture.export}
          variant="outlined"
          isOff={isOff}
          onClick={() => write.mutate('another')}
        >
          For somebody else, without it
        </Button>
        <ShowButton onClick={onClose}>Close</ShowButton>
      </Box>
      {write.error !== null && <ProblemNote error={write.error} />}
    </Box>
  );
}
