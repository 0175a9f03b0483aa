import MuiButton, { type ButtonProps as MuiButtonProps } from '@mui/material/Button';

export type ShowButtonProps = Omit<MuiButtonProps, 'href' | 'type'>;

/** Shows or hides, opens or closes, looks again: changes the page and nothing else. */
export function ShowButton(props: ShowButtonProps) {
  return <MuiButton {...props} type="button" />;
}
