import Box from '@mui/material/Box';
import MenuItem from '@mui/material/MenuItem';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';

import { cardsQuery } from '../../api/queries';
import { useNews } from '../../ui/news';
import { ShowButton } from '../../ui/ShowButton';

export type CommandCardProps = { run: string; step: number };

/** The same step from a shell; it goes through the same seal. */
export function CommandCard({ run, step }: CommandCardProps) {
  const news = useNews();
  const { data: cards } = useQuery(cardsQuery(run, step));
  const [shell, setShell] = useState('posix');
  const card = cards?.find((one) => one.shell === shell);
  if (cards === undefined || card === undefined) return null;
  return (
    <Box sx={{ mt: 4 }}>
      <Box sx={{ display: 'flex', gap: 2, alignItems: 'center', flexWrap: 'wrap' }}>
        <TextField
          select
          size="small"
          label="From a shell"
          value={shell}
          onChange={(event) => setShell(event.target.value)}
          sx={{ minWidth: 230 }}
        >
          {cards.map((one) => (
            <MenuItem key={one.shell} value={one.shell}>
              {one.shown}
            </MenuItem>
          ))}
        </TextField>
        <ShowButton
          onClick={() =>
            void navigator.clipboard
              .writeText(card.line)
              .then(() => news({ text: 'The command is copied' }))
          }
        >
          Copy
        </ShowButton>
      </Box>
      <Typography variant="code" component="p" sx={{ overflowWrap: 'anywhere', mt: 1 }}>
        {card.line}
      </Typography>
    </Box>
  );
}
