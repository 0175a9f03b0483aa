import Box from '@mui/material/Box';
import Table from '@mui/material/Table';
import TableBody from '@mui/material/TableBody';
import TableCell from '@mui/material/TableCell';
import TableHead from '@mui/material/TableHead';
import TableRow from '@mui/material/TableRow';
import Typography from '@mui/material/Typography';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';

import { onWall } from '../../api/clock';
import type { Api } from '../../api/client';
import { restoreQuery } from '../../api/queries';
import { clockOf, counted, mib } from '../../ui/format';
import { Panel } from '../../ui/Panel';
import { ProblemNote } from '../../ui/ProblemNote';
import { Section } from '../../ui/Section';
import { WORDS } from './strings';
import { useRestore, useTakeCapture } from './useBackupJob';
import { Button } from '../../ui/Button';
import { ShowButton } from '../../ui/ShowButton';
import { Checkbox } from '../../ui/Checkbox';

export type RestorePanelProps = {
  unit: string;
  capture: string;
  take: Api<'Permission'>;
  /** What it is put back from. */
  title: string;
  onClose: () => void;
};

/** What was asked for comes into view. */
function intoView(element: HTMLElement | null): void {
  element?.scrollIntoView({ block: 'start' });
}

/** The plan of putting a capture back, before anything of it is done. */
export function RestorePanel({ unit, capture, take, title, onClose }: RestorePanelProps) {
  const query = useQuery(restoreQuery(unit, capture));
  const restore = useRestore(unit, capture);
  const read = useTakeCapture(unit);
  const [chosen, setChosen] = useState<Record<string, boolean>>({});
  return (
    <Box>
      <Section
        title={title}
        aside={
          <ShowButton onClick={onClose} aria-label={`Close: ${title}`}>
            Close
          </ShowButton>
        }
      >
        <Typography color="text.secondary" sx={{ mb: 1.5 }}>
          {WORDS.putBackHelp}
        </Typography>
        <Panel query={query}>
          {(plan) => {
            const toRead = plan.read?.kind === 'full' ? 'full' : 'quick';
            const isUnread = plan.read != null;
            const wanted = plan.writes.filter(
              (label) =>
                chosen[label] ?? plan.rows.some((row) => row.label === label && row.suggested),
            );
            return (
              <>
                <Box ref={intoView} sx={{ scrollMarginTop: 120 }} />
                <PlanTable
                  rows={plan.rows}
                  wanted={wanted}
                  onChoose={(label, is) => setChosen((known) => ({ ...known, [label]: is }))}
                />
                <Box
                  sx={{ display: 'flex', gap: 2.5, alignItems: 'center', mt: 2, flexWrap: 'wrap' }}
                >
                  {isUnread ? (
                    <Button
                      may={take}
                      variant="contained"
                      isOff={read.isPending}
                      onClick={() => read.mutate(toRead)}
                    >
                      {toRead === 'full'
                        ? 'Capture to compare, with the system'
                        : 'Capture to compare'}
                    </Button>
                  ) : (
                    <Button
                      may={plan.restore}
                      variant="contained"
                      isOff={wanted.length === 0 || restore.isPending}
                      onClick={() => restore.mutate(wanted)}
                    >
                      Put {counted(wanted.length, 'partition', 'partitions')} back
                    </Button>
                  )}
                  <Typography color="text.secondary">
                    {isUnread
                      ? (take.reason ?? 'It is compared before anything is written.')
                      : plan.writes.length === 0
                        ? 'Nothing differs that may be put back.'
                        : wanted.length === 0
                          ? 'Choose what is to be put back.'
                          : `${wanted.join(', ')} will be written.`}
                  </Typography>
                </Box>
              </>
            );
          }}
        </Panel>
        {restore.error !== null && <ProblemNote error={restore.error} />}
        {read.error !== null && <ProblemNote error={read.error} />}
      </Section>
    </Box>
  );
}

function comparedWords(row: Api<'RestoreRow'>): string {
  switch (row.compared) {
    case 'same':
      return 'the same';
    case 'differs':
      return `differs in ${counted(row.frames, 'frame', 'frames')}, ${mib(row.bytes)}`;
    case 'not-read':
      return row.not_read_since == null
        ? 'never read: take a capture first'
        : `not read since ${clockOf(onWall(row.not_read_since))}: take a capture first`;
  }
}

type PlanTableProps = {
  rows: Api<'RestoreRow'>[];
  wanted: string[];
  onChoose: (label: string, is: boolean) => void;
};

function PlanTable({ rows, wanted, onChoose }: PlanTableProps) {
  return (
    <Table size="small" aria-label="What would be put back">
      <TableHead>
        <TableRow>
          <TableCell sx={{ width: 48 }}>Put back</TableCell>
          <TableCell>Partition</TableCell>
          <TableCell>Holds</TableCell>
          <TableCell>Now</TableCell>
          <TableCell>May it?</TableCell>
        </TableRow>
      </TableHead>
      <TableBody>
        {rows.map((row) => {
          return (
            <TableRow key={row.label} sx={{ verticalAlign: 'top' }}>
              <TableCell sx={{ py: 0 }}>
                <Checkbox
                  checked={wanted.includes(row.label)}
                  may={row.choose}
                  onChange={(_, is) => onChoose(row.label, is)}
                  slotProps={{ input: { 'aria-label': `Put ${row.label} back` } }}
                />
              </TableCell>
              <TableCell component="th" scope="row" sx={{ typography: 'code' }}>
                {row.label}
              </TableCell>
              <TableCell>
                {row.holds}
                {row.better != null && (
                  <Typography variant="body2" sx={{ color: 'care' }}>
                    {row.better}
                  </Typography>
                )}
              </TableCell>
              <TableCell sx={{ fontWeight: row.compared === 'differs' ? 650 : 400 }}>
                {comparedWords(row)}
              </TableCell>
              <TableCell sx={{ color: 'text.secondary' }}>
                {row.against == null
                  ? 'yes'
                  : `${row.refused ? 'no' : 'not yet'}: ${row.against.text} (${row.against.rule})`}
              </TableCell>
            </TableRow>
          );
        })}
      </TableBody>
    </Table>
  );
}
