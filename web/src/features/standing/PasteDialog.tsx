import Box from '@mui/material/Box';
import Dialog from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import DialogTitle from '@mui/material/DialogTitle';
import FormControlLabel from '@mui/material/FormControlLabel';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useState } from 'react';

import { client, newRequest, unwrap, type Api } from '../../api/client';
import { useChange } from '../../api/useChange';
import { counted } from '../../ui/format';
import { useNews } from '../../ui/news';
import { ProblemNote } from '../../ui/ProblemNote';
import { WORDS } from './strings';
import { Button } from '../../ui/Button';
import { ShowButton } from '../../ui/ShowButton';
import { useMayNote } from '../../ui/useMay';
import { Checkbox } from '../../ui/Checkbox';

export type PasteDialogProps = { unit: string; onClose: () => void };

/** A block of text from a screen: what it states is found, and confirmed line by line. */
export function PasteDialog({ unit, onClose }: PasteDialogProps) {
  const news = useNews();
  const note = useMayNote(unit);
  const [text, setText] = useState('');
  const [hits, setHits] = useState<Api<'Hit'>[] | undefined>();
  const [taken, setTaken] = useState<number[]>([]);
  const read = useChange(() =>
    unwrap(
      client.POST('/api/units/{unit}/pasted/read', {
        params: { path: { unit } },
        body: { text },
      }),
    ),
  );
  const take = useChange(
    () =>
      unwrap(
        client.POST('/api/units/{unit}/pasted', {
          params: { path: { unit } },
          body: { text, lines: taken, request: newRequest() },
        }),
      ),
    unit,
    () => {
      news({ text: `${counted(taken.length, 'fact', 'facts')} recorded` });
      onClose();
    },
  );
  const found = (list: Api<'Hit'>[]) => {
    setHits(list);
    setTaken([]);
  };
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="md" aria-labelledby="paste-title">
      <DialogTitle id="paste-title">{WORDS.paste}</DialogTitle>
      <DialogContent>
        <Typography color="text.secondary" sx={{ mb: 2 }}>
          {WORDS.pasteHelp}
        </Typography>
        <TextField
          label="Text of the screen"
          multiline
          minRows={6}
          maxRows={12}
          fullWidth
          value={text}
          onChange={(event) => {
            setText(event.target.value);
            setHits(undefined);
          }}
          slotProps={{ htmlInput: { spellCheck: false } }}
        />
        {read.error !== null && <ProblemNote error={read.error} />}
        {hits !== undefined && (
          <Box role="group" aria-label="Found" sx={{ mt: 2 }}>
            {hits.map((hit) => (
              <Box key={hit.line} sx={{ py: 0.5, borderTop: 1, borderColor: 'rule' }}>
                <FormControlLabel
                  control={
                    <Checkbox
                      may={hit.take}
                      checked={taken.includes(hit.line)}
                      onChange={(_, isOn) =>
                        setTaken(
                          isOn ? [...taken, hit.line] : taken.filter((line) => line !== hit.line),
                        )
                      }
                    />
                  }
                  label={`${hit.title}: ${hit.found}`}
                />
                <Typography component="span" variant="body2" color="text.secondary">
                  line {hit.line}
                </Typography>
                {hit.take.reason != null && (
                  <Typography variant="body2" sx={{ color: 'care' }}>
                    {hit.take.reason}
                  </Typography>
                )}
              </Box>
            ))}
          </Box>
        )}
        {take.error !== null && <ProblemNote error={take.error} />}
      </DialogContent>
      <DialogActions sx={{ px: 3, pb: 2.5 }}>
        <ShowButton onClick={onClose}>Close</ShowButton>
        {hits === undefined ? (
          <ShowButton
            variant="contained"
            disabled={read.isPending}
            onClick={() => read.mutate(undefined, { onSuccess: found })}
          >
            Find the facts in it
          </ShowButton>
        ) : (
          <Button
            may={note}
            variant="contained"
            isOff={take.isPending || taken.length === 0}
            onClick={() => take.mutate(undefined)}
          >
            Record what is ticked
          </Button>
        )}
      </DialogActions>
    </Dialog>
  );
}
