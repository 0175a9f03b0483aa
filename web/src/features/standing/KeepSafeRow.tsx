import Box from '@mui/material/Box';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useState } from 'react';

import type { Api } from '../../api/client';
import { StateShape } from '../../ui/shapes';
import { Button } from '../../ui/Button';
import { ShowButton } from '../../ui/ShowButton';

export type KeepSafeRowProps = {
  line: Api<'KeepLine'>;
  may: Api<'Permission'> | undefined;
  isBusy: boolean;
  onSay: (said: Api<'Said'>, text: string) => void;
};

/** One kind of data: where its copy lies, or that there is nothing to keep. */
export function KeepSafeRow({ line, may, isBusy, onSay }: KeepSafeRowProps) {
  const [isTyping, setTyping] = useState(false);
  const [place, setPlace] = useState('');
  const { kept } = line;
  const said = (text: string) => `${line.title}: ${text}`;
  return (
    <Box component="li" sx={{ py: 0.5, borderTop: 1, borderColor: 'rule' }}>
      <Box sx={{ display: 'flex', alignItems: 'center', gap: 1.5, minHeight: 44 }}>
        <StateShape
          kind={kept == null ? 'missing' : 'met'}
          label={kept == null ? 'Open' : 'Said'}
        />
        <Typography sx={{ flexGrow: 1 }}>
          {line.title}
          {kept != null && (
            <Typography component="span" color="text.secondary">
              {kept.is === 'safe' ? `, kept at ${kept.place}` : ', nothing to keep'}
            </Typography>
          )}
        </Typography>
        {kept == null ? (
          <>
            <ShowButton
              onClick={() => setTyping(!isTyping)}
              aria-expanded={isTyping}
              aria-label={`${line.title}: kept safe`}
            >
              Kept safe
            </ShowButton>
            <Button
              may={may}
              isOff={isBusy}
              onClick={() => onSay({ is: 'waived' }, said('nothing to keep'))}
              aria-label={`${line.title}: nothing to keep`}
            >
              Nothing to keep
            </Button>
          </>
        ) : (
          <Button
            may={may}
            isOff={isBusy}
            onClick={() => onSay({ is: 'open' }, said('open again'))}
            aria-label={`${line.title}: open again`}
          >
            Open again
          </Button>
        )}
      </Box>
      {isTyping && kept == null && (
        <Box
          component="form"
          sx={{ display: 'flex', gap: 1.5, py: 1, pl: 4.5 }}
          onSubmit={(event) => {
            event.preventDefault();
            onSay({ is: 'safe', place }, said(`kept at ${place}`));
            setTyping(false);
          }}
        >
          <TextField
            label="Where, opened to check"
            value={place}
            onChange={(event) => setPlace(event.target.value)}
            sx={{ width: 300 }}
          />
          <Button may={may} type="submit" variant="outlined" isOff={isBusy || place.trim() === ''}>
            Record
          </Button>
        </Box>
      )}
    </Box>
  );
}
