import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';
import { useQuery } from '@tanstack/react-query';
import { Link } from 'react-router';

import { unitQuery } from '../api/queries';
import type { Api } from '../api/client';
import { onWall } from '../api/clock';
import { clockOf, percent } from '../ui/format';
import { useWords } from '../ui/wordBook';
import { JobTray } from './JobTray';
import { SealButton } from './SealButton';

export type UnitTagProps = { unit: string };

/** Where the rail lies on top, the tag is folded. */
const FLAT = '@media (max-width: 719px), (max-height: 499px)';
const WIDE_ONLY = { '@media (max-width: 899px)': { display: 'none' } };
/** What is as it should be gives way first. */
const WIDEST_ONLY = { '@media (max-width: 1099px)': { display: 'none' } };

/** The unit's tag, tied to it wherever one goes. */
export function UnitTag({ unit }: UnitTagProps) {
  const { data: tag } = useQuery(unitQuery(unit));
  return (
    <Box
      sx={{
        position: 'relative',
        display: 'flex',
        alignItems: 'center',
        gap: 3,
        minHeight: 84,
        [FLAT]: { minHeight: 60, mt: 0.5, gap: 2 },
        m: '12px 16px 0 12px',
        pl: '62px',
        pr: 2,
        bgcolor: 'tag',
        color: 'tagText',
        clipPath: 'polygon(26px 0, 100% 0, 100% 100%, 26px 100%, 0 50%)',
        '&::before': {
          content: '""',
          position: 'absolute',
          left: 28,
          top: 'calc(50% - 8px)',
          width: 16,
          height: 16,
          borderRadius: '50%',
          bgcolor: 'background.default',
        },
        '& :focus-visible': { outlineColor: 'var(--mui-palette-tagText)', outlineOffset: -2 },
      }}
    >
      {tag !== undefined && <TagBody tag={tag} />}
    </Box>
  );
}

function TagBody({ tag }: { tag: Api<'UnitTag'> }) {
  const linkWords = useWords('presence');
  const { presence, since } = tag.link;
  const isGone = presence !== 'ready' && presence !== 'by-hand' && since != null;
  return (
    <>
      <Box sx={{ minWidth: 0 }}>
        <Typography
          sx={{
            fontSize: '1.5rem',
            fontWeight: 700,
            lineHeight: 1.15,
            [FLAT]: { fontSize: '1.125rem' },
          }}
          noWrap
        >
          {tag.nickname}
        </Typography>
        <Typography variant="body2" sx={{ color: 'tagFaint' }} noWrap>
          {tag.family ?? 'family not known'}
          {tag.model_code != null && `, ${tag.model_code}`}
          {tag.recovery != null && `, ${tag.recovery}`}
        </Typography>
      </Box>
      <TagField name="Mode" value={tag.mode ?? 'not known'} isKnown={tag.mode != null} />
      <TagField name="Lock" value={tag.lock ?? 'not known'} isKnown={tag.lock != null} />
      <TagField
        name="Battery"
        value={tag.battery_percent == null ? 'not known' : percent(tag.battery_percent)}
        isKnown={tag.battery_percent != null}
        hides={WIDE_ONLY}
      />
      <TagField
        name="Link"
        value={
          isGone ? `${linkWords(presence)}, since ${clockOf(onWall(since))}` : linkWords(presence)
        }
        isKnown={presence === 'ready'}
        hides={presence === 'ready' ? WIDEST_ONLY : WIDE_ONLY}
      />
      <Box sx={{ flexGrow: 1, minWidth: 0, ...WIDE_ONLY }}>
        <Typography variant="body2" sx={{ color: 'tagFaint' }}>
          Goal
        </Typography>
        <Typography
          noWrap
          component={Link}
          to={`/units/${tag.id}/run`}
          sx={{ color: 'inherit', textUnderlineOffset: 4, display: 'block' }}
        >
          {tag.goal_shown ?? 'choose one'}
        </Typography>
      </Box>
      <Box sx={{ ml: 'auto', display: 'flex', alignItems: 'center', gap: 1 }}>
        <JobTray unit={tag.id} />
        <SealButton tag={tag} />
      </Box>
    </>
  );
}

type TagFieldProps = { name: string; value: string; isKnown: boolean; hides?: object };

function TagField({ name, value, isKnown, hides = {} }: TagFieldProps) {
  return (
    <Box sx={{ flexShrink: 0, ...hides }}>
      <Typography variant="body2" sx={{ color: 'tagFaint' }}>
        {name}
      </Typography>
      <Typography sx={isKnown ? {} : { borderBottom: '1px dashed' }}>{value}</Typography>
    </Box>
  );
}
