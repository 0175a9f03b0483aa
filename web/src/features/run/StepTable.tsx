import Box from '@mui/material/Box';
import Table from '@mui/material/Table';
import TableBody from '@mui/material/TableBody';
import TableCell from '@mui/material/TableCell';
import TableHead from '@mui/material/TableHead';
import TableRow from '@mui/material/TableRow';
import Typography from '@mui/material/Typography';

import type { Api } from '../../api/client';
import { duration } from '../../ui/format';
import { useWords } from '../../ui/wordBook';

export type StepTableProps = { steps: Api<'Step'>[] };

/** The steps with their because; what can't be undone has a line of its own kind. */
export function StepTable({ steps }: StepTableProps) {
  const wipeWords = useWords('wipe');
  return (
    <Table aria-label="Steps">
      <TableHead>
        <TableRow>
          <TableCell sx={{ width: 48, pl: 1.5 }}>#</TableCell>
          <TableCell>Step</TableCell>
          <TableCell>Because</TableCell>
          <TableCell align="right">Usually</TableCell>
        </TableRow>
      </TableHead>
      <TableBody>
        {steps.map((step, index) => {
          const isFinal = step.reversibility === 'no-return';
          return (
            <TableRow
              key={`${index} ${step.title}`}
              sx={isFinal ? { boxShadow: 'inset 5px 0 0 var(--mui-palette-noReturn)' } : {}}
            >
              <TableCell sx={{ pl: 1.5, fontWeight: 650 }}>{index + 1}</TableCell>
              <TableCell>
                <Typography sx={{ fontWeight: 650 }}>{step.title}</Typography>
                {isFinal && (
                  <Typography variant="body2" sx={{ color: 'noReturn', fontWeight: 550 }}>
                    Can&rsquo;t be undone.{' '}
                    {step.wipe != null && <Box component="span">{wipeWords(step.wipe)}</Box>}
                  </Typography>
                )}
              </TableCell>
              <TableCell sx={{ color: 'text.secondary' }}>{step.because}</TableCell>
              <TableCell align="right" sx={{ whiteSpace: 'nowrap', pr: 0 }}>
                {duration(step.waiting_seconds + step.hands_on_seconds)}
              </TableCell>
            </TableRow>
          );
        })}
      </TableBody>
    </Table>
  );
}
