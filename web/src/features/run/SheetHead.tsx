import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';

import type { Api } from '../../api/client';
import { duration, permille } from '../../ui/format';

export type SheetHeadProps = {
  head: Api<'SheetHead'>;
  /** Set-ups that a later wipe takes again. */
  wasted: number;
  battery: Api<'Battery'> | null | undefined;
};

/** The sums: time, wipes, points of no return, battery. */
export function SheetHead({ head, wasted, battery }: SheetHeadProps) {
  const charge = battery?.charge;
  const sums: [string, string][] = [
    ['Hands on', duration(head.hands_on_seconds)],
    ['Waiting', duration(head.waiting_seconds)],
    ['Wipes', String(head.wipes)],
    ['No way back', String(head.no_returns)],
    ['Mode changes', String(head.mode_changes)],
    ['Wasted set-ups', String(wasted)],
  ];
  if (battery != null) {
    sums.push([
      'Battery',
      `${charge == null ? 'not known' : permille(charge.permille)}, needs ${battery.begin_from_percent} %`,
    ]);
  }
  return (
    <Box
      component="dl"
      sx={{ display: 'flex', flexWrap: 'wrap', columnGap: 5, rowGap: 1, m: 0, mb: 1 }}
    >
      {sums.map(([name, value]) => (
        <Box key={name}>
          <Typography component="dt" variant="body2" color="text.secondary">
            {name}
          </Typography>
          <Typography component="dd" sx={{ m: 0, fontSize: '1.25rem', fontWeight: 650 }}>
            {value}
          </Typography>
        </Box>
      ))}
    </Box>
  );
}
