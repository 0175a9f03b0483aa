import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Table from '@mui/material/Table';
import TableBody from '@mui/material/TableBody';
import TableCell from '@mui/material/TableCell';
import TableRow from '@mui/material/TableRow';
import Typography from '@mui/material/Typography';
import { useState } from 'react';

import type { Api } from '../../api/client';
import { ago, exactOf } from '../../ui/format';
import { useNow } from '../../ui/useNow';
import { sourceWords } from '../../ui/words';
import { FactField } from './FactField';

export type FactTableProps = { unit: string; facts: Api<'FactEntry'>[] };

/** Every fact with source and age; any of them can be said by hand. */
export function FactTable({ unit, facts }: FactTableProps) {
  const [open, setOpen] = useState<Api<'FactKey'> | undefined>();
  return (
    <Table size="small" aria-label="Facts">
      <TableBody>
        {facts.map((fact) => (
          <TableRow key={fact.key} sx={{ verticalAlign: 'top' }}>
            <TableCell component="th" scope="row" sx={{ width: '38%', color: 'text.secondary' }}>
              {fact.title}
            </TableCell>
            <TableCell>
              <FactReading fact={fact} />
              {open === fact.key && (
                <>
                  {fact.place != null && <Typography variant="body2">{fact.place}</Typography>}
                  <FactField unit={unit} fact={fact} onDone={() => setOpen(undefined)} />
                </>
              )}
            </TableCell>
            <TableCell align="right" sx={{ pr: 0 }}>
              <Button
                size="small"
                onClick={() => setOpen(open === fact.key ? undefined : fact.key)}
                aria-expanded={open === fact.key}
                aria-label={`Type ${fact.title}`}
              >
                {open === fact.key ? 'Close' : 'Type'}
              </Button>
            </TableCell>
          </TableRow>
        ))}
      </TableBody>
    </Table>
  );
}

function FactReading({ fact }: { fact: Api<'FactEntry'> }) {
  const now = useNow(30_000);
  if (fact.rows.length === 0) {
    return <Typography color="text.secondary">not known</Typography>;
  }
  const isLive = fact.reading === 'known';
  return (
    <>
      {fact.rows.map((row) => (
        <Box key={`${row.source} ${row.at}`} title={exactOf(row.at)}>
          <Typography
            component="span"
            sx={{
              fontWeight: 550,
              overflowWrap: 'anywhere',
              ...(!isLive && { borderBottom: '1px dashed' }),
            }}
          >
            {row.shown}
          </Typography>
          <Typography variant="body2" color="text.secondary">
            {fact.reading === 'stale' && 'not current, '}
            {sourceWords(row.source)}, {ago(row.at, now)}
          </Typography>
        </Box>
      ))}
      {fact.reading === 'contradicted' && (
        <Typography variant="body2" sx={{ color: 'care' }}>
          Two sources differ: look again.
        </Typography>
      )}
    </>
  );
}
