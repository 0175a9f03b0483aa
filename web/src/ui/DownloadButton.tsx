import MuiButton, { type ButtonProps as MuiButtonProps } from '@mui/material/Button';

export type DownloadButtonProps = Omit<MuiButtonProps<'a'>, 'component'> & { href: string };

/** Saves a file that the server makes. */
export function DownloadButton(props: DownloadButtonProps) {
  return <MuiButton component="a" download {...props} />;
}
