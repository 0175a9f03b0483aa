import MuiRadio, { type RadioProps as MuiRadioProps } from '@mui/material/Radio';

import type { Api } from '../api/client';

export type RadioProps = Omit<MuiRadioProps, 'disabled'> & {
  /** The server's word for choosing it; nothing until it is here. */
  may: Api<'Permission'> | undefined;
};

/** One of several of which one is chosen, where the server lets it be. */
export function Radio({ may, ...rest }: RadioProps) {
  return <MuiRadio {...rest} disabled={may?.allowed !== true} />;
}
