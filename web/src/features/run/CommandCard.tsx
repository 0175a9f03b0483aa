import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Typography from '@mui/material/Typography';

import { useNews } from '../../ui/news';

export type CommandCardProps = { run: string; step: number };

/** The same step from a shell; it goes through the same seal. */
export function CommandCard({ run, step }: CommandCardProps) {
  const news = useNews();
  const command = `veritope step ${run} ${step}`;
  return (
    <Box sx={{ display: 'flex', gap: 2, alignItems: 'center', mt: 3, flexWrap: 'wrap' }}>
      <Typography color="text.secondary">From a shell:</Typography>
      <Typography variant="code" sx={{ overflowWrap: 'anywhere' }}>
        {command}
      </Typography>
      <Button
        onClick={() =>
          void navigator.clipboard
            .writeText(command)
            .then(() => news({ text: 'The command is copied' }))
        }
      >
        Copy
      </Button>
    </Box>
  );
}
