import Box from '@mui/material/Box';
import ButtonBase from '@mui/material/ButtonBase';
import Tooltip from '@mui/material/Tooltip';
import Typography from '@mui/material/Typography';
import { Link } from 'react-router';

import type { Action, Station } from './actions';
import { StationGlyph } from './StationGlyph';

export type RailProps = {
  stations: Station[];
  current: Station['place'] | undefined;
  general: Action[];
};

/** Under this width, and in a run, the rail shows glyphs only. */
const FOLDED = '@media (max-width: 1099px)';
/** Under this size it lies on top. */
const FLAT = '@media (max-width: 719px), (max-height: 499px)';

/** The stations in the order of the work. */
export function Rail({ stations, current, general }: RailProps) {
  const folded = current === 'run';
  // Words that are folded away stay the names of their links.
  const folding = {
    position: 'absolute',
    width: '1px',
    height: '1px',
    overflow: 'hidden',
    clipPath: 'inset(50%)',
    whiteSpace: 'nowrap',
  };
  const words = { ...(folded && folding), [FOLDED]: folding };
  const row = {
    display: 'flex',
    alignItems: 'center',
    justifyContent: 'flex-start',
    gap: 1.25,
    px: 1.5,
    py: 1.1,
    width: '100%',
    [FLAT]: { width: 'auto', px: 2 },
    borderRadius: 1,
    color: 'text.primary',
    position: 'relative',
  };
  const digit = (keys: string | undefined) => ({
    '&::after': {
      content: `"${keys ?? ''}"`,
      ml: 'auto',
      typography: 'code',
      color: 'text.secondary',
      ...(folded && { display: 'none' }),
      [FOLDED]: { display: 'none' },
    },
  });
  return (
    <Box
      component="nav"
      aria-label="Stations"
      sx={{
        display: 'flex',
        displayPrint: 'none',
        flexDirection: 'column',
        width: folded ? 68 : 176,
        borderRight: 1,
        borderColor: 'rule',
        px: 1,
        py: 2,
        gap: 0.5,
        overflowY: 'auto',
        [FOLDED]: { width: 68 },
        [FLAT]: {
          width: 'auto',
          flexDirection: 'row',
          borderRight: 0,
          borderBottom: 1,
          borderColor: 'rule',
          py: 0.5,
          overflowX: 'auto',
        },
      }}
    >
      <Typography
        sx={{
          ...words,
          px: 1.5,
          pb: 2,
          fontWeight: 700,
          fontSize: '1.25rem',
          letterSpacing: '0.01em',
        }}
      >
        Veritope
      </Typography>
      {stations.map((station) => {
        // Below the stations of the work stand those of the bench.
        const isApart = station.place === 'shelf';
        const isHere = station.place === current;
        const inside = (
          <>
            <StationGlyph place={station.place} />
            <Typography sx={{ ...words, fontWeight: isHere ? 700 : 450 }}>
              {station.label}
            </Typography>
          </>
        );
        return station.path === undefined ? (
          <Tooltip
            key={station.id}
            title={station.disabledBecause ?? ''}
            placement="right"
            describeChild
          >
            <Box
              role="link"
              aria-disabled
              tabIndex={0}
              sx={{
                ...row,
                ...digit(station.keysShown),
                color: 'text.secondary',
                cursor: 'default',
              }}
            >
              {inside}
            </Box>
          </Tooltip>
        ) : (
          <ButtonBase
            key={station.id}
            component={Link}
            to={station.path}
            aria-current={isHere ? 'page' : undefined}
            sx={{
              ...row,
              ...digit(station.keysShown),
              ...(isApart && { mt: 2, [FLAT]: { mt: 0 } }),
              ...(isHere && {
                bgcolor: 'band',
                boxShadow: 'inset 4px 0 0 var(--mui-palette-primary-main)',
              }),
              '&:hover': { bgcolor: 'band' },
            }}
          >
            {inside}
          </ButtonBase>
        );
      })}
      <Box sx={{ mt: 'auto', [FLAT]: { mt: 0, ml: 'auto', display: 'flex' } }}>
        {general
          .filter((action) => action.id === 'scheme' || action.id === 'keys')
          .map((action) => (
            <ButtonBase
              key={action.id}
              onClick={action.run}
              sx={{ ...row, '&:hover': { bgcolor: 'band' } }}
            >
              <StationGlyph place={action.id === 'keys' ? 'keys' : 'scheme'} />
              <Typography variant="body2" sx={words}>
                {action.label}
              </Typography>
            </ButtonBase>
          ))}
      </Box>
    </Box>
  );
}
