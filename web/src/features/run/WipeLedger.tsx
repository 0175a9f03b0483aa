import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';

import type { Api } from '../../api/client';
import { Section } from '../../ui/Section';
import { WORDS } from './strings';
import { useWords } from '../../ui/wordBook';

export type WipeLedgerProps = { ledger: Api<'Ledger'> };

/** Every wipe ahead by its name: what it takes, what it leaves, what is switched on again after. */
export function WipeLedger({ ledger }: WipeLedgerProps) {
  const wipeWords = useWords('wipe');
  if (ledger.wipes.length === 0) return null;
  return (
    <Section title={WORDS.wiped}>
      {ledger.wipes.map((line) => (
        <Box key={line.step} sx={{ mb: 1.25 }}>
          <Typography sx={{ fontWeight: 650, color: 'noReturn' }}>
            Step {line.step}: {wipeWords(line.wipe)}
          </Typography>
          <Typography>Lost: {line.lost.join(', ')}.</Typography>
          <Typography color="text.secondary">Kept: {line.kept.join(', ')}.</Typography>
        </Box>
      ))}
      <Again lines={ledger.again} />
    </Section>
  );
}

/** What a wipe switched off and somebody may want on again. */
export function Again({ lines }: { lines: string[] }) {
  if (lines.length === 0) return null;
  return (
    <>
      <Typography sx={{ fontWeight: 650, mt: 1 }}>{WORDS.again}</Typography>
      <Box component="ul" sx={{ m: 0, pl: 3 }}>
        {lines.map((line) => (
          <Typography component="li" key={line}>
            {line}
          </Typography>
        ))}
      </Box>
    </>
  );
}
