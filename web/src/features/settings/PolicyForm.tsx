import Box from '@mui/material/Box';
import FormControlLabel from '@mui/material/FormControlLabel';
import RadioGroup from '@mui/material/RadioGroup';
import TextField from '@mui/material/TextField';
import { useState } from 'react';

import { client, newRequest, unwrap, type Api } from '../../api/client';
import { useChange } from '../../api/useChange';
import { useNews } from '../../ui/news';
import { ProblemNote } from '../../ui/ProblemNote';
import { WORDS } from './strings';
import { Button } from '../../ui/Button';
import { useMayNoteOnBench } from '../../ui/useMay';
import { Radio } from '../../ui/Radio';

export type PolicyFormProps = { policy: Api<'Policy'> };

/** How many copies, which places count apart, when the battery is worth a warning. */
export function PolicyForm({ policy }: PolicyFormProps) {
  const news = useNews();
  const note = useMayNoteOnBench();
  const [copies, setCopies] = useState(String(policy.copies));
  const [floor, setFloor] = useState(String(policy.battery_floor_percent));
  const [media, setMedia] = useState(policy.media);
  const save = useChange(
    () =>
      unwrap(
        client.POST('/api/settings/policy', {
          body: {
            policy: { copies: Number(copies), battery_floor_percent: Number(floor), media },
            request: newRequest(),
          },
        }),
      ),
    undefined,
    () => news({ text: 'The policy is changed' }),
  );
  return (
    <Box
      component="form"
      sx={{ display: 'grid', gap: 2, justifyItems: 'start' }}
      onSubmit={(event) => {
        event.preventDefault();
        save.mutate(undefined);
      }}
    >
      <TextField
        label={WORDS.copies}
        value={copies}
        onChange={(event) => setCopies(event.target.value)}
        sx={{ width: 560, maxWidth: '100%' }}
        slotProps={{ htmlInput: { inputMode: 'numeric' } }}
      />
      <RadioGroup
        aria-label="Which places count apart"
        value={media}
        onChange={(_, chosen) => setMedia(chosen === 'any' ? 'any' : 'distinct')}
      >
        <FormControlLabel value="distinct" control={<Radio may={note} />} label={WORDS.distinct} />
        <FormControlLabel value="any" control={<Radio may={note} />} label={WORDS.any} />
      </RadioGroup>
      <TextField
        label={`${WORDS.floor} (%)`}
        value={floor}
        onChange={(event) => setFloor(event.target.value)}
        slotProps={{ htmlInput: { inputMode: 'numeric' } }}
      />
      <Button may={note} type="submit" variant="contained" isOff={save.isPending}>
        Save the policy
      </Button>
      {save.error !== null && <ProblemNote error={save.error} />}
    </Box>
  );
}
