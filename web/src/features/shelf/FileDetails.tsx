import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';
import type { ReactNode } from 'react';

import { client, newRequest, unwrap, type Api } from '../../api/client';
import { useChange } from '../../api/useChange';
import { Button } from '../../ui/Button';
import { dayOf } from '../../ui/format';
import { OnceMore } from '../../ui/OnceMore';
import { ProblemNote } from '../../ui/ProblemNote';
import { StateShape } from '../../ui/shapes';
import { fitShape } from '../../ui/stateShapes';
import { useWords } from '../../ui/wordBook';
import { NoteForm } from './NoteForm';
import { WORDS } from './strings';

export type FileDetailsProps = {
  file: Api<'ShelfLine'>;
  others: Api<'ShelfLine'>[];
  put: Api<'Permission'>;
};

function Part({ title, children }: { title: string; children: ReactNode }) {
  return (
    <Box sx={{ mb: 2 }}>
      <Typography variant="h3" sx={{ mb: 0.5 }}>
        {title}
      </Typography>
      {children}
    </Box>
  );
}

/** Everything that is known of a file, what can be made of it, and what may be said of it. */
export function FileDetails({ file, others, put }: FileDetailsProps) {
  const fitWord = useWords('fit');
  const path = { params: { path: { file: file.id } } };
  const make = useChange((step: Api<'Make'>) =>
    unwrap(
      client.POST('/api/shelf/files/{file}/make', {
        ...path,
        body: { steps: [step], unit: null, request: newRequest() },
      }),
    ),
  );
  const remove = useChange(() =>
    unwrap(
      client.DELETE('/api/shelf/files/{file}', {
        params: { path: { file: file.id }, query: { request: newRequest() } },
      }),
    ),
  );
  const needed = file.needed_by.map((one) => one.text).join(' ');
  return (
    <Box
      sx={{
        pl: { xs: 0, md: '42px' },
        pt: 1.5,
        display: 'grid',
        gridTemplateColumns: { xs: 'minmax(0, 1fr)', md: 'repeat(2, minmax(0, 1fr))' },
        columnGap: 5,
      }}
    >
      <Box>
        <Part title={WORDS.says}>
          {file.says.length === 0 && <Typography>{WORDS.saysNothing}</Typography>}
          {file.says.map((one) => (
            <Typography key={`${one.about} ${one.value} ${one.by}`}>
              {one.about} <b>{one.value}</b>
              <Typography component="span" color="text.secondary">
                , {one.is_declared ? 'declared in ' : 'by '}
                {one.by}
              </Typography>
            </Typography>
          ))}
        </Part>
        {file.troubles.length > 0 && (
          <Part title="What is wrong with it">
            {file.troubles.map((one) => (
              <Typography key={one}>{one}</Typography>
            ))}
          </Part>
        )}
        {(file.parts.length > 0 || file.more_parts > 0) && (
          <Part title={WORDS.inside}>
            {file.parts.map((one) => (
              <Box
                key={one.name}
                sx={{
                  display: 'grid',
                  gridTemplateColumns: 'minmax(0, 1fr) auto',
                  alignItems: 'center',
                  columnGap: 1.5,
                }}
              >
                <Typography sx={{ overflowWrap: 'anywhere' }}>
                  <Typography component="span" variant="code">
                    {one.name}
                  </Typography>{' '}
                  <Typography component="span" color="text.secondary">
                    {one.what}
                  </Typography>
                </Typography>
                <Button
                  may={put}
                  size="small"
                  isOff={make.isPending}
                  aria-label={`Take ${one.name} out`}
                  onClick={() => make.mutate(one.make)}
                >
                  Take out
                </Button>
              </Box>
            ))}
            {file.more_parts > 0 && (
              <Typography color="text.secondary">{file.more_parts} more members.</Typography>
            )}
            {make.error !== null && <ProblemNote error={make.error} />}
          </Part>
        )}
        {file.needed_by.length > 0 && (
          <Part title={WORDS.needed}>
            {file.needed_by.map((one) => (
              <Typography key={one.text}>{one.text}</Typography>
            ))}
          </Part>
        )}
        <OnceMore
          may={file.remove}
          isOff={remove.isPending}
          ask={`${needed === '' ? 'Nothing needs it now.' : needed} Taken off the shelf it is gone from this disk.`}
          yes="Take it off"
          onYes={() => remove.mutate(undefined)}
        >
          Take it off the shelf
        </OnceMore>
        {remove.error !== null && <ProblemNote error={remove.error} />}
      </Box>
      <Box>
        <Part title={WORDS.digests}>
          {file.published.map((one) => (
            <Box key={one.digest} sx={{ display: 'flex', gap: 1, mb: 0.5 }}>
              <StateShape kind={fitShape(one.fit)} label={fitWord(one.fit)} size={18} />
              <Typography sx={{ minWidth: 0, overflowWrap: 'anywhere' }}>
                {one.algorithm ?? 'Digest'}{' '}
                <Typography component="span" variant="code">
                  {one.digest}
                </Typography>
                , {one.from}: {one.said}
              </Typography>
            </Box>
          ))}
          <Typography sx={{ overflowWrap: 'anywhere' }} color="text.secondary">
            Hashed here: BLAKE3{' '}
            <Typography component="span" variant="code">
              {file.id}
            </Typography>
            , SHA-256{' '}
            <Typography component="span" variant="code">
              {file.sha256}
            </Typography>
          </Typography>
        </Part>
        <Part title={WORDS.from}>
          <Typography>
            {file.origin ?? 'Nobody said where it came from'}
            {file.channel != null && `, channel ${file.channel}`}
            {file.dated != null && `, published ${file.dated}`}. On the shelf since{' '}
            {dayOf(file.taken)}.
          </Typography>
          {file.made != null && (
            <Typography>
              Made of {file.made.name}: {file.made.how}.
            </Typography>
          )}
          {file.instructions.map((one) => (
            <Typography key={one.digest}>
              Instructions: {one.name}, {dayOf(one.taken)}
            </Typography>
          ))}
        </Part>
        <NoteForm file={file} others={others} put={put} />
      </Box>
    </Box>
  );
}
