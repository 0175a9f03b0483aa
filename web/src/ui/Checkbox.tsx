import MuiCheckbox, { type CheckboxProps as MuiCheckboxProps } from '@mui/material/Checkbox';

import type { Api } from '../api/client';

export type CheckboxProps = Omit<MuiCheckboxProps, 'disabled'> & {
  /** The server's word for choosing it; nothing until it is here. */
  may: Api<'Permission'> | undefined;
};

/** One of several that may be chosen, where the server lets it be. */
export function Checkbox({ may, ...rest }: CheckboxProps) {
  return <MuiCheckbox {...rest} disabled={may?.allowed !== true} />;
}
