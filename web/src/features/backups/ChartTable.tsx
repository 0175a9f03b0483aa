import Table from '@mui/material/Table';
import TableBody from '@mui/material/TableBody';
import TableCell from '@mui/material/TableCell';
import TableHead from '@mui/material/TableHead';
import TableRow from '@mui/material/TableRow';

import type { Api } from '../../api/client';
import { clockOf, dayOf, mib } from '../../ui/format';
import { cellWords } from './cells';
import { useWords } from '../../ui/wordBook';

export type ChartTableProps = { chart: Api<'Chart'> };

/** The core chart as a table: the same cells, in words. */
export function ChartTable({ chart }: ChartTableProps) {
  const trustWords = useWords('trust');
  return (
    <Table size="small" aria-label="Partitions over time">
      <TableHead>
        <TableRow>
          <TableCell>Partition</TableCell>
          <TableCell align="right">Size</TableCell>
          {chart.columns.map((column) => (
            <TableCell key={column.capture ?? 'live'}>
              {column.capture == null ? 'Live' : 'Capture'}
              {column.at != null && ` ${dayOf(column.at)} ${clockOf(column.at)}`}
              {column.base && ', base'}
            </TableCell>
          ))}
        </TableRow>
      </TableHead>
      <TableBody>
        {chart.rows.map((row) => (
          <TableRow key={row.label} sx={{ verticalAlign: 'top' }}>
            <TableCell component="th" scope="row" sx={{ typography: 'code' }}>
              {row.label}
            </TableCell>
            <TableCell align="right" sx={{ whiteSpace: 'nowrap' }}>
              {mib(row.length_bytes)}
            </TableCell>
            {row.cells.map((cell, index) => (
              <TableCell key={chart.columns[index]?.capture ?? 'live'}>
                {cellWords(cell, trustWords)}
              </TableCell>
            ))}
          </TableRow>
        ))}
      </TableBody>
    </Table>
  );
}
