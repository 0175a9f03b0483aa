import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';
import { useEffect, useRef } from 'react';

import type { Api } from '../../api/client';
import { RuleMark } from '../../ui/RuleMark';
import { WaysOut } from '../../ui/WaysOut';

export type CauseListProps = {
  causes: Api<'Cause'>[];
  /** The unit, once no run is under way: then a way out that is a goal can be chosen. */
  unit?: string;
};

/** What may be behind a step that ended otherwise, the likeliest first, each with its test and its way out. */
export function CauseList({ causes, unit }: CauseListProps) {
  const top = useRef<HTMLElement>(null);
  useEffect(() => {
    top.current?.scrollIntoView({ block: 'end' });
  }, []);
  return (
    <Box
      component="section"
      ref={top}
      aria-label="What may be behind it"
      sx={{ mb: 3, maxWidth: 860 }}
    >
      <Typography variant="h2" sx={{ mb: 0.5 }}>
        What may be behind it
      </Typography>
      <Box component="ol" sx={{ m: 0, pl: 3 }}>
        {causes.map((cause) => (
          <Box component="li" key={cause.text} sx={{ py: 1, '&::marker': { fontWeight: 650 } }}>
            <Typography sx={{ fontWeight: 650 }}>
              {cause.text} <RuleMark id={cause.rule} />
            </Typography>
            <Typography>Test: {cause.test}</Typography>
            <Typography color="text.secondary">Way out: {cause.way_out}</Typography>
            {unit != null && cause.by != null && <WaysOut unit={unit} ways={[cause.by]} />}
          </Box>
        ))}
      </Box>
    </Box>
  );
}
