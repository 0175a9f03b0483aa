import Table from '@mui/material/Table';
import TableBody from '@mui/material/TableBody';
import TableCell from '@mui/material/TableCell';
import TableRow from '@mui/material/TableRow';
import Typography from '@mui/material/Typography';
import { Fragment, useState } from 'react';

import type { Api } from '../../api/client';
import { FactField } from './FactField';
import { FactReading } from '../../ui/FactReading';
import { PictureControl } from './PictureControl';
import { ShowButton } from '../../ui/ShowButton';

export type FactTableProps = { unit: string; title: string; facts: Api<'FactEntry'>[] };

/** Facts with source and age; any of them can be said by hand. */
export function FactTable({ unit, title, facts }: FactTableProps) {
  const [open, setOpen] = useState<Api<'FactKey'> | undefined>();
  return (
    <Table
      size="small"
      aria-label={title}
      sx={{ tableLayout: 'fixed', '& td, & th': { py: 0.75 } }}
    >
      <TableBody>
        {facts.map((fact) => {
          const isOpen = open === fact.key;
          const isJoined = isOpen ? { borderBottom: 0 } : {};
          return (
            <Fragment key={fact.key}>
              <TableRow sx={{ verticalAlign: 'top' }}>
                <TableCell
                  component="th"
                  scope="row"
                  sx={{ width: '42%', color: 'text.secondary', ...isJoined }}
                >
                  {fact.title}
                </TableCell>
                <TableCell sx={isJoined}>
                  <FactReading fact={fact} />
                </TableCell>
                <TableCell align="right" sx={{ pr: 0, width: 62, ...isJoined }}>
                  <ShowButton
                    size="small"
                    onClick={() => setOpen(isOpen ? undefined : fact.key)}
                    aria-expanded={isOpen}
                    aria-label={`Type ${fact.title}`}
                  >
                    {isOpen ? 'Close' : 'Type'}
                  </ShowButton>
                </TableCell>
              </TableRow>
              {isOpen && (
                <TableRow>
                  <TableCell colSpan={3} sx={{ pr: 0 }}>
                    {fact.place != null && <Typography>{fact.place}</Typography>}
                    <FactField unit={unit} fact={fact} onDone={() => setOpen(undefined)} />
                    <PictureControl unit={unit} fact={fact} />
                  </TableCell>
                </TableRow>
              )}
            </Fragment>
          );
        })}
      </TableBody>
    </Table>
  );
}
