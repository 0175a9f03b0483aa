import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Typography from '@mui/material/Typography';
import { Link } from 'react-router';

import type { Api } from '../../api/client';
import { percent } from '../../ui/format';
import { StateShape } from '../../ui/shapes';
import { linkWords, verdictShape } from '../../ui/words';

export type UnitRowProps = { unit: Api<'UnitTag'>; isFirst: boolean };

/** A unit: what it is, what is judged, what is next. */
export function UnitRow({ unit, isFirst }: UnitRowProps) {
  const facts = [
    unit.mode ?? 'mode not known',
    unit.lock ?? 'lock not known',
    unit.battery_percent == null ? 'battery not known' : `battery ${percent(unit.battery_percent)}`,
    `link ${linkWords(unit.link.presence)}`,
  ];
  return (
    <Box
      component="li"
      sx={{
        display: 'grid',
        gridTemplateColumns: '48px minmax(180px, 0.8fr) minmax(260px, 1.6fr) 200px',
        gap: 2.5,
        alignItems: 'center',
        py: 2.25,
        borderTop: 2,
        '&:last-of-type': { borderBottom: 2 },
        '@media (max-width: 899px)': { gridTemplateColumns: '48px minmax(0, 1fr)' },
      }}
    >
      <StateShape kind={verdictShape(unit.verdict)} size={44} />
      <Box>
        <Typography
          component={Link}
          to={`/units/${unit.id}/standing`}
          sx={{
            fontSize: '1.5rem',
            fontWeight: 700,
            color: 'text.primary',
            textUnderlineOffset: 5,
          }}
        >
          {unit.nickname}
        </Typography>
        <Typography variant="body2" color="text.secondary">
          {unit.family ?? 'family not known'}
          {unit.model_code != null && `, ${unit.model_code}`}
        </Typography>
      </Box>
      <Box sx={{ '@media (max-width: 899px)': { gridColumn: 2 } }}>
        <Typography sx={{ fontWeight: 550 }}>{unit.sentence}</Typography>
        <Typography variant="body2" color="text.secondary">
          {facts.join(' · ')}
        </Typography>
        <Typography variant="body2" color="text.secondary">
          Next: {unit.next.sentence}
        </Typography>
      </Box>
      <Button
        component={Link}
        to={`/units/${unit.id}/${unit.next.place}`}
        variant={isFirst ? 'contained' : 'outlined'}
        aria-label={`${unit.next.label}: ${unit.nickname}`}
        {...(isFirst ? { 'data-next': '' } : {})}
        sx={{
          justifySelf: 'end',
          '@media (max-width: 899px)': { gridColumn: 2, justifySelf: 'start' },
        }}
      >
        {unit.next.label}
      </Button>
    </Box>
  );
}
