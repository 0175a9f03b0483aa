import Table from '@mui/material/Table';
import TableBody from '@mui/material/TableBody';
import TableCell from '@mui/material/TableCell';
import TableHead from '@mui/material/TableHead';
import TableRow from '@mui/material/TableRow';
import Typography from '@mui/material/Typography';

import type { Api } from '../../api/client';
import { counted } from '../../ui/format';
import { RuleMark } from '../../ui/RuleMark';
import { Section } from '../../ui/Section';
import { WORDS } from './strings';

export type ChainTableProps = { chain: Api<'Chain'> };

/** The way there and back, with wipes, minutes and the doors that it closes. */
export function ChainTable({ chain }: ChainTableProps) {
  return (
    <Section title={WORDS.chain} aside={<RuleMark id="W1" />}>
      <Typography color="text.secondary" sx={{ mb: 1 }}>
        {counted(chain.minutes, 'minute', 'minutes')}, {counted(chain.wipes, 'wipe', 'wipes')}.{' '}
        {WORDS.chainHelp}
      </Typography>
      <Table size="small" aria-label={WORDS.chain}>
        <TableHead>
          <TableRow>
            <TableCell>Step</TableCell>
            <TableCell>Build after it</TableCell>
            <TableCell align="right">Minutes</TableCell>
            <TableCell>Your data</TableCell>
          </TableRow>
        </TableHead>
        <TableBody>
          {chain.legs.map((leg, index) =>
            leg.leg === 'unlock' ? (
              <TableRow key="unlock">
                <TableCell sx={{ fontWeight: 650 }}>{index + 1}. Unlock</TableCell>
                <TableCell>{leg.build}</TableCell>
                <TableCell align="right" />
                <TableCell>erased</TableCell>
              </TableRow>
            ) : (
              <TableRow key={leg.name}>
                <TableCell sx={{ overflowWrap: 'anywhere' }}>
                  {index + 1}. {leg.name}
                  {!leg.here && (
                    <Typography variant="body2" sx={{ color: 'care', fontWeight: 650 }}>
                      not at hand: fetch it
                    </Typography>
                  )}
                </TableCell>
                <TableCell>
                  {leg.build}
                  {leg.closes.length > 0 && (
                    <Typography variant="body2" sx={{ color: 'noReturn' }}>
                      closes the door to {leg.closes.join(', ')}
                    </Typography>
                  )}
                </TableCell>
                <TableCell align="right">{leg.minutes}</TableCell>
                <TableCell>{leg.wipes ? 'erased' : 'kept'}</TableCell>
              </TableRow>
            ),
          )}
        </TableBody>
      </Table>
      {chain.reachable.length > 0 && (
        <Typography variant="body2" color="text.secondary" sx={{ mt: 1 }}>
          Builds that stay reachable: {chain.reachable.join(', ')}.
        </Typography>
      )}
    </Section>
  );
}
