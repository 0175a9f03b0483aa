import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';
import { useId, type ReactNode } from 'react';

export type SectionProps = {
  title: string;
  /** A few words to the right of the title. */
  aside?: ReactNode;
  children: ReactNode;
};

/** A ruled section, as in a printed manual: no boxes, a line and a heading. */
export function Section({ title, aside, children }: SectionProps) {
  const id = useId();
  return (
    <Box component="section" aria-labelledby={id} sx={{ borderTop: 2, pt: 1.25, mb: 4 }}>
      <Box
        sx={{
          display: 'flex',
          alignItems: 'baseline',
          justifyContent: 'space-between',
          gap: 2,
          mb: 1,
        }}
      >
        <Typography variant="h2" id={id}>
          {title}
        </Typography>
        {aside}
      </Box>
      {children}
    </Box>
  );
}
