import Button from '@mui/material/Button';
import Snackbar from '@mui/material/Snackbar';
import { useCallback, useState, type ReactNode } from 'react';

import { NewsContext, type News } from '../ui/news';

export type NewsProviderProps = { children: ReactNode };

/** How long there is a way back from what was typed or ticked. */
const UNDO_MS = 10_000;
/** News never lie on the button of the next step. */
const ABOVE_THE_FOOT = { xs: '84px', sm: '84px' };

/** One queue of background news for the whole application. */
export function NewsProvider({ children }: NewsProviderProps) {
  const [queue, setQueue] = useState<{ id: number; news: News }[]>([]);
  const tell = useCallback((news: News) => {
    setQueue((known) => [...known, { id: (known.at(-1)?.id ?? 0) + 1, news }]);
  }, []);
  const first = queue[0];
  const close = () => setQueue((known) => known.slice(1));
  return (
    <NewsContext value={tell}>
      {children}
      {first !== undefined && (
        <Snackbar
          key={first.id}
          open
          autoHideDuration={UNDO_MS}
          onClose={(_, reason) => {
            if (reason !== 'clickaway') close();
          }}
          anchorOrigin={{ vertical: 'bottom', horizontal: 'right' }}
          sx={{ bottom: ABOVE_THE_FOOT }}
          message={first.news.text}
          action={
            first.news.undo !== undefined && (
              <Button
                color="inherit"
                onClick={() => {
                  first.news.undo?.();
                  close();
                }}
              >
                Undo
              </Button>
            )
          }
        />
      )}
    </NewsContext>
  );
}
