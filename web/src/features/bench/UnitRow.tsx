import Box from '@mui/material/Box';
import PageLink from '@mui/material/Link';
import Typography from '@mui/material/Typography';
import { Link } from 'react-router';

import { onWall } from '../../api/clock';
import type { Api } from '../../api/client';
import { left, percent, untilOf } from '../../ui/format';
import { StateShape } from '../../ui/shapes';
import { useNow } from '../../ui/useNow';
import { verdictShape } from '../../ui/stateShapes';
import { useWords } from '../../ui/wordBook';
import { WORDS } from './strings';
import { LinkButton } from '../../ui/LinkButton';

export type UnitRowProps = { unit: Api<'UnitTag'>; isFirst: boolean; isLast: boolean };

const NARROW = '@media (max-width: 899px)';

/** A unit: what it is, what is judged, what it waits for, what is next. */
export function UnitRow({ unit, isFirst, isLast }: UnitRowProps) {
  const linkWords = useWords('presence');
  const { presence } = unit.link;
  const link =
    presence === 'by-hand'
      ? 'by hand'
      : presence === 'ready'
        ? `link ${linkWords(presence)}`
        : linkWords(presence);
  const battery =
    unit.battery_percent == null ? 'battery not known' : `battery ${percent(unit.battery_percent)}`;
  return (
    <Box
      sx={{
        display: 'grid',
        gridTemplateColumns:
          '36px minmax(150px, 0.4fr) minmax(240px, 1fr) minmax(194px, 0.4fr) 172px',
        columnGap: 2,
        alignItems: 'center',
        py: 1.25,
        borderTop: 2,
        borderBottom: isLast ? 2 : 0,
        [NARROW]: { gridTemplateColumns: '40px minmax(0, 1fr)', rowGap: 0.5 },
      }}
    >
      <StateShape kind={verdictShape(unit.verdict)} size={36} />
      <Box>
        <Typography
          component={Link}
          to={`/units/${unit.id}/standing`}
          sx={{
            fontSize: '1.3125rem',
            fontWeight: 700,
            color: 'text.primary',
            textUnderlineOffset: 5,
          }}
        >
          {unit.nickname}
        </Typography>
        <Typography variant="body2" color="text.secondary">
          {unit.family ?? 'family not known'}
          {unit.model_code != null && (
            <>
              {', '}
              <Box component="span" sx={{ whiteSpace: 'nowrap' }}>
                {unit.model_code}
              </Box>
            </>
          )}
        </Typography>
      </Box>
      <Box sx={{ [NARROW]: { gridColumn: 2 } }}>
        <Typography sx={{ fontWeight: 600 }}>{unit.sentence}</Typography>
        {unit.verdict.is === 'wait-until' ? (
          <WaitLine until={unit.verdict.at} />
        ) : (
          <Typography variant="body2" color="text.secondary">
            {unit.next.sentence}
          </Typography>
        )}
      </Box>
      <Box sx={{ [NARROW]: { gridColumn: 2 } }}>
        <Typography variant="body2" color="text.secondary">
          {unit.mode ?? 'mode not known'}, {unit.lock ?? 'lock not known'}
        </Typography>
        <Typography variant="body2" color="text.secondary">
          {battery}, {link}
          {unit.arrived != null && `, ${WORDS.justBack}`}
        </Typography>
        {unit.seal.short != null && (
          <Typography variant="body2" color="text.secondary">
            {unit.seal.short}
          </Typography>
        )}
        {unit.body_page != null && (
          <Typography variant="body2">
            <PageLink href={unit.body_page} target="_blank" rel="noreferrer">
              {unit.nickname}’s own page
            </PageLink>
          </Typography>
        )}
      </Box>
      <LinkButton
        to={`/units/${unit.id}/${unit.next.place}`}
        variant={isFirst ? 'contained' : 'outlined'}
        aria-label={`${unit.next.label}: ${unit.nickname}`}
        {...(isFirst ? { 'data-next': '' } : {})}
        sx={{
          px: 1.5,
          textAlign: 'center',
          justifySelf: 'end',
          [NARROW]: { gridColumn: 2, justifySelf: 'start' },
        }}
      >
        {unit.next.label}
      </LinkButton>
    </Box>
  );
}

function WaitLine({ until }: { until: string }) {
  const now = useNow(1000);
  return (
    <Typography variant="body2" color="text.secondary">
      {left(until, now)} to go, until {untilOf(onWall(until))}
    </Typography>
  );
}
