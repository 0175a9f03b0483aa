import Box from '@mui/material/Box';
import type { ReactNode } from 'react';

export type PageProps = { children: ReactNode; wide?: boolean };

/** The measure of a view. */
export function Page({ children, wide = false }: PageProps) {
  return (
    <Box sx={{ maxWidth: wide ? 1320 : 1160, px: { xs: 2, md: 4 }, pt: 3, pb: 4 }}>{children}</Box>
  );
}
