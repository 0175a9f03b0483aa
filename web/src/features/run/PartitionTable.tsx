import Table from '@mui/material/Table';
import TableBody from '@mui/material/TableBody';
import TableCell from '@mui/material/TableCell';
import TableHead from '@mui/material/TableHead';
import TableRow from '@mui/material/TableRow';

import type { Api } from '../../api/client';
import { hex, mib } from '../../ui/format';
import { useWords } from '../../ui/wordBook';

export type PartitionTableProps = { rows: Api<'Described'>[] };

/** The partitions in disk order. */
export function PartitionTable({ rows }: PartitionTableProps) {
  const roleWords = useWords('role');
  const listingWords = useWords('listing');
  return (
    <Table size="small" aria-label="Partitions">
      <TableHead>
        <TableRow>
          <TableCell>Label</TableCell>
          <TableCell align="right">Number</TableCell>
          <TableCell align="right">Starts at</TableCell>
          <TableCell align="right">Size</TableCell>
          <TableCell>What it is for</TableCell>
        </TableRow>
      </TableHead>
      <TableBody>
        {rows.map((row) => (
          <TableRow key={row.label}>
            <TableCell
              component="th"
              scope="row"
              sx={{
                typography: 'code',
                fontWeight: row.role === 'device-unique' ? 700 : 400,
                pl: row.role === 'device-unique' ? 1 : 0,
                boxShadow:
                  row.role === 'device-unique' ? 'inset 4px 0 0 var(--mui-palette-care)' : 'none',
              }}
            >
              {row.label}
            </TableCell>
            <TableCell align="right">{row.number}</TableCell>
            <TableCell align="right" sx={{ typography: 'code' }}>
              {hex(row.offset_bytes)}
            </TableCell>
            <TableCell align="right">{mib(row.length_bytes)}</TableCell>
            <TableCell>
              {roleWords(row.role)} {listingWords(row.listing)}
            </TableCell>
          </TableRow>
        ))}
      </TableBody>
    </Table>
  );
}
