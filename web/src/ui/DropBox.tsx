import Box from '@mui/material/Box';
import LinearProgress from '@mui/material/LinearProgress';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useQuery } from '@tanstack/react-query';
import { useRef, useState } from 'react';

import { client, unwrap, type Api } from '../api/client';
import { jobsQuery } from '../api/queries';
import type { SendOne } from '../api/upload';
import { useChange } from '../api/useChange';
import { Button } from './Button';
import { ByteProgress } from './ByteProgress';
import { mib } from './format';
import { dropped } from './dropped';
import { ProblemNote } from './ProblemNote';
import { ShowButton } from './ShowButton';
import { useSending } from './useSending';

export type DropBoxProps = {
  put: Api<'Permission'>;
  freeBytes: number;
  /** How one file is sent. */
  sendOne: SendOne;
  /** Takes what lies at a path of this computer. */
  takePath: (path: string) => Promise<unknown>;
  /** Whose files they are; without one the bench's. */
  unit?: string;
  /** What stands in it. */
  words: { drop: string; pick: string; path: string };
};

/** Where files come in: dropped, folders too, chosen, or by their path. */
export function DropBox({ put, freeBytes, sendOne, takePath, unit, words }: DropBoxProps) {
  const noun = unit === undefined ? ['bench'] : ['unit', unit];
  const { sending, waiting, error, send } = useSending(sendOne, noun);
  const [isOver, setOver] = useState(false);
  const [path, setPath] = useState('');
  const picker = useRef<HTMLInputElement>(null);
  const { data: jobs } = useQuery(jobsQuery());
  const job = jobs?.find(
    (known) => (known.unit ?? undefined) === unit && known.state.is === 'running',
  );
  const take = useChange(() => takePath(path), unit);
  const cancel = useChange((id: number) =>
    unwrap(client.POST('/api/jobs/{job}/cancel', { params: { path: { job: id } } })),
  );
  return (
    <Box
      data-drop=""
      onDragOver={(event) => {
        event.preventDefault();
        setOver(true);
      }}
      onDragLeave={() => setOver(false)}
      onDrop={(event) => {
        event.preventDefault();
        setOver(false);
        if (put.allowed) void dropped(event.dataTransfer).then(send);
      }}
      sx={{
        border: 2,
        borderStyle: 'dashed',
        borderColor: isOver ? 'primary.main' : 'rule',
        bgcolor: isOver ? 'band' : 'transparent',
        px: 2.5,
        py: 2,
        mb: 3,
      }}
    >
      <Box sx={{ display: 'flex', gap: 2, alignItems: 'center', flexWrap: 'wrap' }}>
        <Typography sx={{ fontWeight: 650 }}>{words.drop}</Typography>
        <input
          ref={picker}
          type="file"
          multiple
          hidden
          aria-label={words.pick}
          onChange={(event) => {
            const files = [...(event.target.files ?? [])].map((file) => ({
              file,
              name: file.name,
            }));
            event.target.value = '';
            if (put.allowed) void send(files);
          }}
        />
        <Button
          may={put}
          variant="contained"
          isOff={sending !== undefined}
          onClick={() => picker.current?.click()}
        >
          {words.pick}
        </Button>
        <Box
          component="form"
          sx={{ display: 'flex', gap: 1, flexGrow: 1, minWidth: 320 }}
          onSubmit={(event) => {
            event.preventDefault();
            take.mutate(undefined, { onSuccess: () => setPath('') });
          }}
        >
          <TextField
            size="small"
            label={words.path}
            value={path}
            onChange={(event) => setPath(event.target.value)}
            sx={{ flexGrow: 1 }}
          />
          <Button
            may={put}
            type="submit"
            variant="outlined"
            isOff={take.isPending || path.trim() === ''}
          >
            Take it
          </Button>
        </Box>
        <Typography color="text.secondary">{mib(freeBytes)} free</Typography>
      </Box>
      {sending !== undefined && (
        <Box role="status" sx={{ mt: 1.5 }}>
          <Box sx={{ display: 'flex', gap: 2, alignItems: 'center' }}>
            <Typography sx={{ flexGrow: 1 }}>
              {sending.name}: {mib(sending.sent)} of {mib(sending.total)}
              {waiting > 0 && `, ${waiting} more after it`}
            </Typography>
            <ShowButton onClick={sending.stop}>Stop</ShowButton>
          </Box>
          <LinearProgress
            variant="determinate"
            value={sending.total === 0 ? 0 : (100 * sending.sent) / sending.total}
            aria-label={`Sending ${sending.name}`}
          />
        </Box>
      )}
      {job?.progress != null && (
        <Box role="status" sx={{ mt: 1.5, display: 'flex', gap: 2, alignItems: 'center' }}>
          <Box sx={{ flexGrow: 1 }}>
            <ByteProgress progress={job.progress} />
          </Box>
          <Button may={job.cancel} onClick={() => cancel.mutate(job.id)}>
            Stop
          </Button>
        </Box>
      )}
      {error !== null && <ProblemNote error={error} />}
      {take.error !== null && <ProblemNote error={take.error} />}
    </Box>
  );
}
