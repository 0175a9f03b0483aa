import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';
import { useQuery } from '@tanstack/react-query';

import { unitQuery } from '../api/queries';
import type { Station } from './actions';
import { LinkButton } from '../ui/LinkButton';

/** Room is short there: what is worked on comes first. */
const SHORT = '@media (max-width: 719px), (max-height: 499px)';

export type FootProps = { unit: string; current: Station['place'] | undefined };

/**
 * One sentence and one button: the next step that is honest now. Where the view itself carries that
 * step, the foot only says it.
 */
export function Foot({ unit, current }: FootProps) {
  const { data: tag } = useQuery(unitQuery(unit));
  if (tag === undefined) return <Box component="footer" />;
  const { next } = tag;
  const isHere = next.place === current;
  return (
    <Box
      component="footer"
      sx={{
        display: 'flex',
        displayPrint: 'none',
        alignItems: 'center',
        gap: 3,
        px: 4,
        py: 1.25,
        minHeight: 66,
        [SHORT]: { px: 2, py: 0.75, gap: 2, minHeight: 52 },
        bgcolor: 'band',
        borderTop: 1,
        borderColor: 'rule',
      }}
    >
      <Typography variant="body2" color="text.secondary" sx={{ [SHORT]: { display: 'none' } }}>
        Next
      </Typography>
      <Typography
        sx={{ flexGrow: 1, fontWeight: 550, [SHORT]: { fontSize: '0.9rem', lineHeight: 1.3 } }}
      >
        {next.sentence}
      </Typography>
      {!isHere && (
        <LinkButton
          variant="contained"
          to={`/units/${unit}/${next.place}`}
          data-next=""
          sx={{ flexShrink: 0 }}
        >
          {next.label}
        </LinkButton>
      )}
    </Box>
  );
}
