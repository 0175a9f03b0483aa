import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';

import { client, newRequest, unwrap, type Api } from '../../api/client';
import { useChange } from '../../api/useChange';
import { useNews } from '../../ui/news';
import { ProblemNote } from '../../ui/ProblemNote';
import { KeepSafeRow } from './KeepSafeRow';
import { WORDS } from './strings';
import { Button } from '../../ui/Button';
import { useMayNote } from '../../ui/useMay';

type Said = { classes: Api<'SaidClass'>[]; text: string };

export type KeepSafeTableProps = { unit: string; lines: Api<'KeepLine'>[] };

/** What the owner would lose, kind by kind. */
export function KeepSafeTable({ unit, lines }: KeepSafeTableProps) {
  const news = useNews();
  const note = useMayNote(unit);
  const post = ({ classes }: Said) =>
    unwrap(
      client.POST('/api/units/{unit}/keep-safe', {
        params: { path: { unit } },
        body: { classes, request: newRequest() },
      }),
    );
  const undo = useChange(post, unit);
  const say = useChange(post, unit, (_, { classes, text }) => {
    const open = classes.map((one) => ({ class: one.class, said: { is: 'open' as const } }));
    news({ text, undo: { unit, run: () => undo.mutate({ classes: open, text }) } });
  });
  const open = lines.filter((line) => line.kept == null);
  const record = (classes: Api<'SaidClass'>[], text: string) => say.mutate({ classes, text });
  return (
    <Box id="keep-safe" sx={{ scrollMarginTop: 16 }}>
      <Typography color="text.secondary" sx={{ mb: 1 }}>
        {WORDS.lostHelp}
      </Typography>
      {open.length > 1 && (
        <Button
          may={note}
          variant="outlined"
          sx={{ mb: 1 }}
          isOff={say.isPending}
          onClick={() =>
            record(
              open.map((line) => ({ class: line.class, said: { is: 'waived' } })),
              `${open.length} kinds waived`,
            )
          }
        >
          {WORDS.waiveAll}
        </Button>
      )}
      <Box component="ul" sx={{ listStyle: 'none', p: 0, m: 0 }}>
        {lines.map((line) => (
          <KeepSafeRow
            key={line.class}
            line={line}
            may={note}
            isBusy={say.isPending}
            onSay={(said, text) => record([{ class: line.class, said }], text)}
          />
        ))}
      </Box>
      {say.error !== null && <ProblemNote error={say.error} />}
    </Box>
  );
}
