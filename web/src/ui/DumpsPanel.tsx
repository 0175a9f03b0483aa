import Box from '@mui/material/Box';
import Table from '@mui/material/Table';
import TableBody from '@mui/material/TableBody';
import TableCell from '@mui/material/TableCell';
import TableContainer from '@mui/material/TableContainer';
import TableHead from '@mui/material/TableHead';
import TableRow from '@mui/material/TableRow';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';

import { client, newRequest, unwrap, type Api } from '../api/client';
import { dumpsQuery } from '../api/queries';
import { toDumps } from '../api/upload';
import { useChange } from '../api/useChange';
import { Button } from './Button';
import { DropBox } from './DropBox';
import { counted, mib } from './format';
import { Panel } from './Panel';
import { ProblemNote } from './ProblemNote';
import { RuleMark } from './RuleMark';
import { StateShape, type ShapeKind } from './shapes';
import { ShowButton } from './ShowButton';
import { useWords } from './wordBook';

const WORDS = {
  drop: 'Drop dumps here',
  pick: 'Choose dumps',
  path: 'Path of a file or folder',
};

const SHAPES: Record<Api<'Have'>, { kind: ShapeKind; label: string }> = {
  enough: { kind: 'met', label: 'Here' },
  'one-of-two': { kind: 'half', label: 'One of two' },
  differ: { kind: 'refused', label: 'They differ' },
  none: { kind: 'missing', label: 'Wanted' },
};

const OPEN: Record<Api<'Taken'>['is'], { kind: ShapeKind; label: string }> = {
  of: { kind: 'met', label: 'Recognised' },
  doubtful: { kind: 'unknown', label: 'To be said' },
  'not-known': { kind: 'unknown', label: 'Not known' },
  'no-backup': { kind: 'refused', label: 'No backup' },
  'not-wanted': { kind: 'away', label: 'Not kept' },
  again: { kind: 'away', label: 'The same again' },
};

export type DumpsPanelProps = { unit: string };

/** What hands read of a unit: what is wanted, what was handed in, what it is taken for. */
export function DumpsPanel({ unit }: DumpsPanelProps) {
  const query = useQuery(dumpsQuery(unit));
  return <Panel query={query}>{(view) => <Dumps unit={unit} view={view} />}</Panel>;
}

type DumpsProps = { unit: string; view: Api<'HandedView'> };

function Dumps({ unit, view }: DumpsProps) {
  const path = { path: { unit } };
  const say = useChange(
    (said: Omit<Api<'DumpSaid'>, 'request'>) =>
      unwrap(
        client.POST('/api/units/{unit}/dumps', {
          params: path,
          body: { ...said, request: newRequest() },
        }),
      ),
    unit,
  );
  const take = useChange(
    () =>
      unwrap(
        client.POST('/api/units/{unit}/dumps/take', {
          params: path,
          body: { request: newRequest() },
        }),
      ),
    unit,
  );
  const clear = useChange(
    () => unwrap(client.DELETE('/api/units/{unit}/dumps', { params: path })),
    unit,
  );
  const open = view.dumps.filter((dump) => dump.taken.is !== 'of');
  return (
    <>
      <DropBox
        put={view.put}
        freeBytes={view.free_bytes}
        sendOne={toDumps(unit)}
        takePath={(from) =>
          unwrap(
            client.POST('/api/units/{unit}/dumps/path', {
              params: path,
              body: { path: from, request: newRequest() },
            }),
          )
        }
        unit={unit}
        words={WORDS}
      />
      {open.length > 0 && (
        <Box
          component="ul"
          aria-label="Files to look at"
          sx={{ listStyle: 'none', m: 0, p: 0, mb: 2 }}
        >
          {open.map((dump) => (
            <OpenDump
              key={dump.id}
              dump={dump}
              may={view.put}
              isOff={say.isPending}
              onSay={(label) => say.mutate({ dump: dump.id, label })}
              onOut={() => say.mutate({ dump: dump.id })}
            />
          ))}
        </Box>
      )}
      {view.asks_when != null && (
        <Box sx={{ mb: 2, borderTop: 1, borderColor: 'rule', pt: 1.5 }}>
          <Typography sx={{ fontWeight: 650, mb: 1 }}>{view.asks_when}</Typography>
          <Box sx={{ display: 'flex', gap: 1.5 }}>
            <Button
              may={view.put}
              variant="outlined"
              onClick={() => say.mutate({ taken_now: true })}
            >
              Yes, since then
            </Button>
            <Button
              may={view.put}
              variant="outlined"
              onClick={() => say.mutate({ taken_now: false })}
            >
              No, of another day
            </Button>
          </Box>
        </Box>
      )}
      <Wants wants={view.wants} />
      {view.lacking.length > 0 && (
        <Typography color="text.secondary" sx={{ mb: 2 }}>
          This family lists {view.lacking.join(', ')} too, and no table here has them: another
          storage area may hold them.
        </Typography>
      )}
      {!view.counts && (
        <Typography color="text.secondary" sx={{ mb: 2 }}>
          This unit has a link: dumps are kept, compared and handed over, and count for nothing
          else. <RuleMark id="B12" />
        </Typography>
      )}
      <Box sx={{ display: 'flex', gap: 2, alignItems: 'center', flexWrap: 'wrap', mb: 3 }}>
        <Button
          may={view.take}
          variant="contained"
          isOff={take.isPending}
          onClick={() => take.mutate(undefined)}
          data-next=""
        >
          {view.takes}
        </Button>
        {view.dumps.length > 0 && (
          <Button may={view.put} isOff={clear.isPending} onClick={() => clear.mutate(undefined)}>
            Throw all {counted(view.dumps.length, 'file', 'files')} away
          </Button>
        )}
        <Typography color="text.secondary">{view.take.reason}</Typography>
      </Box>
      {[say.error, take.error, clear.error].map(
        (error, index) => error !== null && <ProblemNote key={index} error={error} />,
      )}
    </>
  );
}

type OpenDumpProps = {
  dump: Api<'JudgedDump'>;
  may: Api<'Permission'>;
  isOff: boolean;
  onSay: (label: string) => void;
  onOut: () => void;
};

/** A file that nobody took for a partition yet: why, and what can be said of it. */
function OpenDump({ dump, may, isOff, onSay, onOut }: OpenDumpProps) {
  const { taken } = dump;
  const labels = taken.is === 'doubtful' ? taken.may_be : [];
  const [chosen, setChosen] = useState('');
  return (
    <Box
      component="li"
      sx={{
        display: 'grid',
        gridTemplateColumns: '26px minmax(120px, 230px) minmax(0, 1fr) auto',
        columnGap: 1.5,
        alignItems: 'center',
        borderTop: 1,
        borderColor: 'rule',
        py: 1,
      }}
    >
      <StateShape kind={OPEN[taken.is].kind} label={OPEN[taken.is].label} />
      <Typography sx={{ typography: 'code', overflowWrap: 'anywhere' }}>{dump.name}</Typography>
      <Typography color="text.secondary">
        {mib(dump.bytes)}. {dump.text} <RuleMark id={dump.rule} />
      </Typography>
      <Button may={may} isOff={isOff} onClick={onOut} aria-label={`Take it out: ${dump.name}`}>
        Take it out
      </Button>
      {labels.length > 0 && (
        <Box sx={{ gridColumn: '2 / -1', display: 'flex', gap: 1.5, alignItems: 'center', mt: 1 }}>
          <TextField
            select
            size="small"
            id={`dump-${dump.id}`}
            slotProps={{ select: { native: true }, inputLabel: { shrink: true } }}
            label={`What ${dump.name} is`}
            value={chosen}
            onChange={(event) => setChosen(event.target.value)}
            sx={{ minWidth: 220 }}
          >
            <option value="" />
            {labels.map((label) => (
              <option key={label} value={label}>
                {label}
              </option>
            ))}
          </TextField>
          <Button
            may={may}
            variant="outlined"
            isOff={isOff || chosen === ''}
            onClick={() => onSay(chosen)}
          >
            It is that
          </Button>
        </Box>
      )}
    </Box>
  );
}

/** What is wanted, what lacks first; what is here is shown when asked for. */
function Wants({ wants }: { wants: Api<'Want'>[] }) {
  const [isWhole, setWhole] = useState(false);
  const roleWords = useWords('role');
  const here = wants.filter((want) => want.have === 'enough');
  const lacking = wants.filter((want) => want.have !== 'enough');
  const shown = isWhole ? wants : lacking;
  return (
    <Box sx={{ mb: 2 }}>
      {here.length > 0 && (
        <ShowButton onClick={() => setWhole(!isWhole)} aria-expanded={isWhole}>
          {here.length} of {wants.length} are here: {isWhole ? 'hide them' : 'show them'}
        </ShowButton>
      )}
      {shown.length > 0 && (
        <TableContainer>
          <Table size="small" aria-label="What is to be dumped">
            <TableHead>
              <TableRow>
                <TableCell>File</TableCell>
                <TableCell align="right">Length in bytes</TableCell>
                <TableCell>How it stands</TableCell>
                <TableCell>What it is</TableCell>
              </TableRow>
            </TableHead>
            <TableBody>
              {shown.map((want) => (
                <TableRow key={want.label}>
                  <TableCell
                    component="th"
                    scope="row"
                    sx={{ typography: 'code', whiteSpace: 'nowrap' }}
                  >
                    {want.label}.img
                    {want.times > 1 && `, ${want.label}-2.img`}
                  </TableCell>
                  <TableCell align="right" sx={{ typography: 'code' }}>
                    {want.length_bytes ?? 'not known yet'}
                  </TableCell>
                  <TableCell>
                    <Box sx={{ display: 'flex', gap: 1, alignItems: 'center' }}>
                      <StateShape kind={SHAPES[want.have].kind} label={SHAPES[want.have].label} />
                      <span>{want.text}</span>
                    </Box>
                  </TableCell>
                  <TableCell>{want.role != null && roleWords(want.role)}</TableCell>
                </TableRow>
              ))}
            </TableBody>
          </Table>
        </TableContainer>
      )}
    </Box>
  );
}
