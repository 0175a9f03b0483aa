import Autocomplete from '@mui/material/Autocomplete';
import Box from '@mui/material/Box';
import Dialog from '@mui/material/Dialog';
import DialogTitle from '@mui/material/DialogTitle';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useQuery } from '@tanstack/react-query';
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
  const units = (bench?.units ?? []).map((unit): Action => ({
    id: unit.id,
    label: `${unit.nickname}, ${unit.sentence}`,
    run: () => void navigate(`/units/${unit.id}/standing`),
  }));
  const places = actions.filter(
    (action) => action.disabledBecause === undefined && action.id !== 'jump',
  );
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="sm" aria-labelledby="jump-title">
      <DialogTitle id="jump-title">Jump anywhere</DialogTitle>
      <Box sx={{ px: 3, pb: 3, pt: 1, minHeight: 460 }}>
        <Autocomplete
          open
          disablePortal
          slotProps={{ listbox: { sx: { maxHeight: 380 } } }}
          autoHighlight
          disableCloseOnSelect
          forcePopupIcon={false}
          options={[...places, ...units]}
          getOptionKey={(place) => place.id}
          getOptionLabel={(place) => place.label}
          noOptionsText="Nothing is called that."
          onChange={(_, place) => {
            if (place === null) return;
            onClose();
            place.run();
          }}
          renderInput={(field) => (
            <TextField {...field} label="Where to?" inputRef={focusOnArrival} />
          )}
          renderOption={({ key, ...row }, action) => (
            <Box
              component="li"
              key={key}
              {...row}
              sx={{ display: 'flex', gap: 2, '&&': { justifyContent: 'space-between' } }}
            >
              <Typography>{action.label}</Typography>
              <Typography variant="code" color="text.secondary">
                {action.keysShown}
              </Typography>
            </Box>
          )}
        />
      </Box>
    </Dialog>
  );
}
