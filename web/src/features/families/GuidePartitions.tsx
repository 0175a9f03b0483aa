import Table from '@mui/material/Table';
import TableBody from '@mui/material/TableBody';
import TableCell from '@mui/material/TableCell';
import TableHead from '@mui/material/TableHead';
import TableRow from '@mui/material/TableRow';

import type { Api } from '../../api/client';
import { Section } from '../../ui/Section';
import { StateShape } from '../../ui/shapes';
import { useWords } from '../../ui/wordBook';
import { WORDS } from './strings';

export type GuidePartitionsProps = { partitions: Api<'GuidePartition'>[] };

/** The partitions of a family. */
export function GuidePartitions({ partitions }: GuidePartitionsProps) {
  const roleWords = useWords('role');
  if (partitions.length === 0) return null;
  const hasAreas = partitions.some((part) => part.area > 0);
  return (
    <Section title={`${WORDS.partitions} (${partitions.length})`}>
      <Table size="small" aria-label={WORDS.partitions}>
        <TableHead>
          <TableRow>
            <TableCell>Label</TableCell>
            {hasAreas && <TableCell align="right">Area</TableCell>}
            <TableCell align="right">MiB</TableCell>
            <TableCell>What it is for</TableCell>
            <TableCell>To know</TableCell>
          </TableRow>
        </TableHead>
        <TableBody>
          {partitions.map((part) => (
            <TableRow key={`${part.area} ${part.label}`}>
              <TableCell sx={{ typography: 'code' }}>{part.label}</TableCell>
              {hasAreas && <TableCell align="right">{part.area}</TableCell>}
              <TableCell align="right">{part.mib}</TableCell>
              <TableCell>
                {part.unique && <StateShape kind="missing" size={16} />} {roleWords(part.role)}
              </TableCell>
              <TableCell>
                {[
                  part.living ? 'rewritten at every start' : '',
                  part.may_be_blank ? 'may be blank' : '',
                ]
                  .filter((word) => word !== '')
                  .join(', ')}
              </TableCell>
            </TableRow>
          ))}
        </TableBody>
      </Table>
    </Section>
  );
}
