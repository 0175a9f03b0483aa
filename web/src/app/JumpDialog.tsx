import Box from '@mui/material/Box';
import Dialog from '@mui/material/Dialog';
import DialogTitle from '@mui/material/DialogTitle';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useQuery } from '@tanstack/react-query';
import { useState, type KeyboardEvent } from 'react';
import { useNavigate } from 'react-router';

import { benchQuery } from '../api/queries';
import type { Action } from './actions';

export type JumpDialogProps = { actions: Action[]; onClose: () => void };

/** The one field of the dialog has the focus from the start. */
function focusOnArrival(field: HTMLInputElement | null): void {
  field?.focus();
}

/** Everything that can be done from anywhere, and every unit, by a few letters. */
export function JumpDialog({ actions, onClose }: JumpDialogProps) {
  const navigate = useNavigate();
  const { data: bench } = useQuery(benchQuery());
  const [text, setText] = useState('');
  const [chosen, setChosen] = useState(0);
  const units: Action[] = (bench?.units ?? []).map((unit) => ({
    id: unit.id,
    label: `${unit.nickname}, ${unit.sentence}`,
    run: () => void navigate(`/units/${unit.id}/standing`),
  }));
  const found = [...actions, ...units].filter(
    (action) =>
      action.disabledBecause === undefined &&
      action.id !== 'jump' &&
      action.label.toLowerCase().includes(text.toLowerCase()),
  );
  const take = (action: Action | undefined) => {
    if (action === undefined) return;
    onClose();
    action.run();
  };
  const onKeyDown = (event: KeyboardEvent) => {
    const step = event.key === 'ArrowDown' ? 1 : event.key === 'ArrowUp' ? -1 : 0;
    if (step !== 0) {
      event.preventDefault();
      setChosen((known) => Math.min(Math.max(known + step, 0), Math.max(found.length - 1, 0)));
    } else if (event.key === 'Enter') {
      event.preventDefault();
      take(found[chosen]);
    }
  };
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="sm" aria-labelledby="jump-title">
      <DialogTitle id="jump-title">Jump anywhere</DialogTitle>
      <Box sx={{ px: 3, pb: 3, pt: 1 }}>
        <TextField
          fullWidth
          inputRef={focusOnArrival}
          label="Where to?"
          value={text}
          onChange={(event) => {
            setText(event.target.value);
            setChosen(0);
          }}
          onKeyDown={onKeyDown}
          slotProps={{
            htmlInput: { 'aria-controls': 'jump-list', 'aria-activedescendant': `jump-${chosen}` },
          }}
        />
        <Box id="jump-list" role="listbox" aria-label="Places" sx={{ mt: 1.5 }}>
          {found.map((action, index) => (
            <Box
              key={action.id}
              id={`jump-${index}`}
              role="option"
              aria-selected={index === chosen}
              tabIndex={-1}
              onClick={() => take(action)}
              onKeyDown={onKeyDown}
              sx={{
                display: 'flex',
                justifyContent: 'space-between',
                px: 1.5,
                py: 1,
                cursor: 'pointer',
                bgcolor: index === chosen ? 'band' : 'transparent',
              }}
            >
              <Typography>{action.label}</Typography>
              <Typography variant="code" color="text.secondary">
                {action.keysShown}
              </Typography>
            </Box>
          ))}
          {found.length === 0 && <Typography sx={{ p: 1.5 }}>Nothing is called that.</Typography>}
        </Box>
      </Box>
    </Dialog>
  );
}
