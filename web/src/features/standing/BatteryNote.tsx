import Typography from '@mui/material/Typography';

import type { Api } from '../../api/client';
import { permille } from '../../ui/format';
import { RuleMark } from '../../ui/RuleMark';
import { Section } from '../../ui/Section';
import { WORDS } from './strings';
import { useWords } from '../../ui/wordBook';

export type BatteryNoteProps = {
  battery: Api<'Battery'>;
  afternoon: Api<'Afternoon'> | null | undefined;
};

/** What the unlock asks of the battery, and what the longest job after it does. */
export function BatteryNote({ battery, afternoon }: BatteryNoteProps) {
  const batteryWords = useWords('battery');
  return (
    <Section title={WORDS.afternoon} aside={<RuleMark id="U7" />}>
      <Typography>
        {battery.charge == null ? '' : `${permille(battery.charge.permille)} now. `}
        The unlock begins from {battery.begin_from_percent} %: {batteryWords(battery.verdict)}.
      </Typography>
      {afternoon != null && (
        <Typography color="text.secondary">
          To go on with “{afternoon.goal.toLowerCase()}” in one go, begin from{' '}
          {afternoon.battery.begin_from_percent} %: {batteryWords(afternoon.battery.verdict)}.
        </Typography>
      )}
    </Section>
  );
}
