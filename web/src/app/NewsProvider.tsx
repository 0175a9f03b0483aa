import Box from '@mui/material/Box';
import SnackbarContent from '@mui/material/SnackbarContent';
import { useCallback, useEffect, useState, type ReactNode } from 'react';

import { NewsContext, type News, type Undo } from '../ui/news';
import { Button } from '../ui/Button';
import { useMayNote } from '../ui/useMay';
import { ShowButton } from '../ui/ShowButton';

export type NewsProviderProps = { children: ReactNode };

type Told = { id: number; news: News };

/** How long there is a way back from what was typed or ticked. */
const UNDO_MS = 10_000;
/** Most news shown at once; older ones give way. */
const MOST = 3;

/** Background news for the whole application, each with ten seconds of its own. */
export function NewsProvider({ children }: NewsProviderProps) {
  const [told, setTold] = useState<Told[]>([]);
  const tell = useCallback((news: News) => {
    setTold((known) => [...known.slice(1 - MOST), { id: (known.at(-1)?.id ?? 0) + 1, news }]);
  }, []);
  const close = useCallback(
    (id: number) => setTold((known) => known.filter((one) => one.id !== id)),
    [],
  );
  return (
    <NewsContext value={tell}>
      {children}
      <Box
        role="status"
        sx={{
          position: 'fixed',
          right: 24,
          // News never lie on the button of the next step.
          bottom: 84,
          zIndex: 'snackbar',
          display: 'flex',
          flexDirection: 'column',
          gap: 1,
        }}
      >
        {told.map((one) => (
          <OneNews key={one.id} told={one} onClose={close} />
        ))}
      </Box>
    </NewsContext>
  );
}

function OneNews({ told, onClose }: { told: Told; onClose: (id: number) => void }) {
  const { id, news } = told;
  useEffect(() => {
    const timer = setTimeout(() => onClose(id), UNDO_MS);
    return () => clearTimeout(timer);
  }, [id, onClose]);
  return (
    <SnackbarContent
      role="group"
      message={news.text}
      action={news.undo !== undefined && <UndoButton undo={news.undo} onDone={() => onClose(id)} />}
    />
  );
}

function UndoButton({ undo, onDone }: { undo: Undo; onDone: () => void }) {
  const take = () => {
    undo.run();
    onDone();
  };
  return undo.unit === undefined ? (
    <ShowButton color="inherit" onClick={take}>
      Undo
    </ShowButton>
  ) : (
    <UndoOfUnit unit={undo.unit} onClick={take} />
  );
}

function UndoOfUnit({ unit, onClick }: { unit: string; onClick: () => void }) {
  const note = useMayNote(unit);
  return (
    <Button may={note} color="inherit" onClick={onClick}>
      Undo
    </Button>
  );
}
