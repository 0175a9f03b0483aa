import MuiButton, { type ButtonProps as MuiButtonProps } from '@mui/material/Button';

import type { Api } from '../api/client';
import { useIsUp } from './useIsUp';

export type ButtonProps = Omit<MuiButtonProps, 'disabled' | 'href' | 'title'> & {
  /** The server's word for what the button does; nothing until it is here. */
  may: Api<'Permission'> | undefined;
  /** Whether it is being done, or its form lacks something. */
  isOff?: boolean;
};

/** Does something: sends, records, begins. Off without the server's permission, with its reason, and without the server. */
export function Button({ may, isOff = false, ...rest }: ButtonProps) {
  const isUp = useIsUp();
  const why = may?.reason;
  return (
    <MuiButton
      {...rest}
      disabled={may?.allowed !== true || isOff || !isUp}
      {...(why == null ? {} : { title: why })}
    />
  );
}
