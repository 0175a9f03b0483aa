import MuiButton, { type ButtonProps as MuiButtonProps } from '@mui/material/Button';
import { Link } from 'react-router';

export type LinkButtonProps = Omit<MuiButtonProps<typeof Link>, 'component' | 'href'>;

/** Leads to another view. */
export function LinkButton(props: LinkButtonProps) {
  return <MuiButton component={Link} {...props} />;
}
