import Button from '@mui/material/Button';
import Table from '@mui/material/Table';
import TableBody from '@mui/material/TableBody';
import TableCell from '@mui/material/TableCell';
import TableRow from '@mui/material/TableRow';
import Typography from '@mui/material/Typography';
import { useState } from 'react';

import type { Api } from '../../api/client';
import { FactField } from './FactField';
import { FactReading } from './FactReading';
import { PictureControl } from './PictureControl';

export type FactTableProps = { unit: string; title: string; facts: Api<'FactEntry'>[] };

/** Facts with source and age; any of them can be said by hand. */
export function FactTable({ unit, title, facts }: FactTableProps) {
  const [open, setOpen] = useState<Api<'FactKey'> | undefined>();
  return (
    <Table size="small" aria-label={title} sx={{ '& td, & th': { py: 0.75 } }}>
      <TableBody>
        {facts.map((fact) => {
          const isOpen = open === fact.key;
          return (
            <TableRow key={fact.key} sx={{ verticalAlign: 'top' }}>
              <TableCell component="th" scope="row" sx={{ width: '40%', color: 'text.secondary' }}>
                {fact.title}
              </TableCell>
              <TableCell>
                <FactReading fact={fact} />
                {isOpen && (
                  <>
                    {fact.place != null && <Typography variant="body2">{fact.place}</Typography>}
                    <FactField unit={unit} fact={fact} onDone={() => setOpen(undefined)} />
                    <PictureControl unit={unit} fact={fact} />
                  </>
                )}
              </TableCell>
              <TableCell align="right" sx={{ pr: 0, width: 56 }}>
                <Button
                  size="small"
                  onClick={() => setOpen(isOpen ? undefined : fact.key)}
                  aria-expanded={isOpen}
                  aria-label={`Type ${fact.title}`}
                >
                  {isOpen ? 'Close' : 'Type'}
                </Button>
              </TableCell>
            </TableRow>
          );
        })}
      </TableBody>
    </Table>
  );
}
