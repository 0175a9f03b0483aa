import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';

import { client, newRequest, unwrap, type Api } from '../../api/client';
import { useChange } from '../../api/useChange';
import { useNews } from '../../ui/news';
import { ProblemNote } from '../../ui/ProblemNote';
import { KeepSafeRow } from './KeepSafeRow';
import { WORDS } from './strings';
import { useMayNote } from '../../ui/useMay';
import { OnceMore } from '../../ui/OnceMore';

type Said = { classes: Api<'SaidClass'>[]; text: string };

export type KeepSafeTableProps = {
  unit: string;
  lines: Api<'KeepLine'>[];
  /** What is asked before all that is open is waived. */
  ask: string | null | undefined;
};

/** What the owner would lose, kind by kind. */
export function KeepSafeTable({ unit, lines, ask }: KeepSafeTableProps) {
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
        <Box sx={{ mb: 1 }}>
          <OnceMore
            may={note}
            ask={ask}
            yes={WORDS.waiveAllYes}
            isOff={say.isPending}
            onYes={() =>
              record(
                open.map((line) => ({ class: line.class, said: { is: 'waived' } })),
                `${open.length} kinds waived`,
              )
            }
          >
            {WORDS.waiveAll}
          </OnceMore>
        </Box>
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
