import Typography from '@mui/material/Typography';

import type { Api } from '../../api/client';
import { permille } from '../../ui/format';
import { RuleMark } from '../../ui/RuleMark';
import { Section } from '../../ui/Section';
import { WORDS } from './strings';

export type BatteryNoteProps = {
  battery: Api<'Battery'>;
  afternoon: Api<'Afternoon'> | null | undefined;
};

const VERDICTS: Record<Api<'BatteryVerdict'>, string> = {
  enough: 'enough as it is',
  'under-floor': 'enough, though under the floor of this bench',
  'too-low': 'charge first',
  'not-known': 'the charge is not known',
};

/** What the unlock asks of the battery, and what the longest job after it does. */
export function BatteryNote({ battery, afternoon }: BatteryNoteProps) {
  return (
    <Section title={WORDS.afternoon} aside={<RuleMark id="U7" />}>
      <Typography>
        {battery.charge == null ? '' : `${permille(battery.charge.permille)} now. `}
        The unlock begins from {battery.begin_from_percent} %: {VERDICTS[battery.verdict]}.
      </Typography>
      {afternoon != null && (
        <Typography color="text.secondary">
          To go on with “{afternoon.goal.toLowerCase()}” in one go, begin from{' '}
          {afternoon.battery.begin_from_percent} %: {VERDICTS[afternoon.battery.verdict]}.
        </Typography>
      )}
    </Section>
  );
}
