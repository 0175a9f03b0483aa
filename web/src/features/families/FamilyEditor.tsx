import Box from '@mui/material/Box';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useDeferredValue, useRef, useState } from 'react';

import { client, newRequest, unwrap } from '../../api/client';
import { familyCheckQuery } from '../../api/queries';
import { useChange } from '../../api/useChange';
import { useNews } from '../../ui/news';
import { ProblemNote } from '../../ui/ProblemNote';
import { Section } from '../../ui/Section';
import { StateShape } from '../../ui/shapes';
import { WORDS } from './strings';
import { Button } from '../../ui/Button';
import { ShowButton } from '../../ui/ShowButton';
import { useMayNoteOnBench } from '../../ui/useMay';

export type FamilyEditorProps = {
  start: string;
  onKept: (codename: string) => void;
  onClose: () => void;
};

/** Where a line of the text begins and ends. */
function rangeOf(text: string, line: number): [number, number] {
  const lines = text.split('\n');
  const start = lines.slice(0, line - 1).reduce((sum, one) => sum + one.length + 1, 0);
  return [start, start + (lines[line - 1]?.length ?? 0)];
}

/** A family's text, checked while it is typed. */
export function FamilyEditor({ start, onKept, onClose }: FamilyEditorProps) {
  const news = useNews();
  const note = useMayNoteOnBench();
  const [text, setText] = useState(start);
  const field = useRef<HTMLTextAreaElement>(null);
  const settled = useDeferredValue(text);
  const { data: checked } = useQuery({
    ...familyCheckQuery(settled),
    placeholderData: keepPreviousData,
  });
  const keep = useChange(
    () => unwrap(client.POST('/api/families', { body: { text, request: newRequest() } })),
    undefined,
    ({ codename }) => {
      news({ text: `Family ${codename} is kept` });
      onKept(codename);
    },
  );
  const problem = checked?.problem;
  const line = checked?.line;
  return (
    <Section title={WORDS.editing}>
      <Typography color="text.secondary">{WORDS.editingHelp}</Typography>
      <Box role="status" sx={{ display: 'flex', gap: 1.5, alignItems: 'center', minHeight: 52 }}>
        {checked !== undefined && (
          <>
            <StateShape kind={problem == null ? 'met' : 'refused'} />
            <Typography sx={{ flexGrow: 1 }}>
              {problem == null
                ? `${WORDS.sound} ${checked.codename ?? ''}.`
                : `Line ${line ?? 1}: ${problem}`}
            </Typography>
            {problem != null && line != null && (
              <ShowButton
                sx={{ flexShrink: 0 }}
                onClick={() => {
                  const [from, to] = rangeOf(text, line);
                  field.current?.focus();
                  field.current?.setSelectionRange(from, to);
                }}
              >
                To line {line}
              </ShowButton>
            )}
          </>
        )}
      </Box>
      <TextField
        label="Text of the family file"
        multiline
        fullWidth
        minRows={14}
        maxRows={14}
        value={text}
        inputRef={field}
        onChange={(event) => setText(event.target.value)}
        slotProps={{ htmlInput: { spellCheck: false }, input: { sx: { typography: 'code' } } }}
      />
      {keep.error !== null && <ProblemNote error={keep.error} />}
      <Box sx={{ display: 'flex', gap: 2, mt: 2 }}>
        <Button
          may={note}
          variant="contained"
          isOff={keep.isPending || problem != null}
          onClick={() => keep.mutate(undefined)}
        >
          {WORDS.keep}
        </Button>
        <ShowButton onClick={onClose}>{WORDS.close}</ShowButton>
      </Box>
    </Section>
  );
}
