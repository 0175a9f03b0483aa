import Box from '@mui/material/Box';
import MenuItem from '@mui/material/MenuItem';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';

import { cardsQuery } from '../../api/queries';
import { useNews } from '../../ui/news';
import { ShowButton } from '../../ui/ShowButton';
import { setPreferences, usePreferences } from '../../ui/preferences';
import { RUN_CARD } from './strings';

export type CommandCardProps = { run: string; step: number };

/** The same step from a shell; it goes through the same seal. */
export function CommandCard({ run, step }: CommandCardProps) {
  const news = useNews();
  const isOpen = usePreferences().shell === 'on';
  const { data: cards } = useQuery({ ...cardsQuery(run, step), enabled: isOpen });
  const [shell, setShell] = useState('posix');
  const card = cards?.find((one) => one.shell === shell);
  const fold = (
    <ShowButton
      aria-expanded={isOpen}
      onClick={() => setPreferences({ shell: isOpen ? 'off' : 'on' })}
      sx={{ ml: -1 }}
    >
      {isOpen ? RUN_CARD.fold : RUN_CARD.open}
    </ShowButton>
  );
  if (!isOpen || card === undefined) return <Box sx={{ mt: 3 }}>{fold}</Box>;
  return (
    <Box sx={{ mt: 3 }}>
      {fold}
      <Box sx={{ display: 'flex', gap: 2, alignItems: 'center', flexWrap: 'wrap' }}>
        <TextField
          select
          size="small"
          label="From a shell"
          value={shell}
          onChange={(event) => setShell(event.target.value)}
          sx={{ minWidth: 230 }}
        >
          {cards?.map((one) => (
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
