import Dialog from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import DialogTitle from '@mui/material/DialogTitle';
import FormControlLabel from '@mui/material/FormControlLabel';
import Switch from '@mui/material/Switch';
import Table from '@mui/material/Table';
import TableBody from '@mui/material/TableBody';
import TableCell from '@mui/material/TableCell';
import TableRow from '@mui/material/TableRow';
import Typography from '@mui/material/Typography';

import type { Action } from './actions';
import { setPreferences, usePreferences } from '../ui/preferences';
import { ShowButton } from '../ui/ShowButton';

export type KeysDialogProps = { actions: Action[]; onClose: () => void };

/** What the keys do; single keys can be switched off. */
export function KeysDialog({ actions, onClose }: KeysDialogProps) {
  const preferences = usePreferences();
  return (
    <Dialog open onClose={onClose} aria-labelledby="keys-title">
      <DialogTitle id="keys-title">Keys</DialogTitle>
      <DialogContent>
        <Table size="small">
          <TableBody>
            {actions
              .filter((action) => action.keysShown !== undefined)
              .map((action) => (
                <TableRow key={action.id}>
                  <TableCell component="th" scope="row" sx={{ typography: 'code' }}>
                    {action.keysShown}
                  </TableCell>
                  <TableCell>{action.label}</TableCell>
                </TableRow>
              ))}
          </TableBody>
        </Table>
        <Typography variant="body2" color="text.secondary" sx={{ my: 1.5 }}>
          Keys sleep while you type in a field. Space presses only the button that has the focus;
          what can&rsquo;t be undone wants a typed name first.
        </Typography>
        <FormControlLabel
          control={
            <Switch
              checked={preferences.singleKeys === 'on'}
              onChange={(_, checked) => setPreferences({ singleKeys: checked ? 'on' : 'off' })}
            />
          }
          label="Single keys"
        />
      </DialogContent>
      <DialogActions>
        <ShowButton onClick={onClose}>Close</ShowButton>
      </DialogActions>
    </Dialog>
  );
}
