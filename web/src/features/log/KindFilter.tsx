import Box from '@mui/material/Box';
import ButtonBase from '@mui/material/ButtonBase';

import type { LogKind } from '../../api/queries';
import { KINDS } from './kinds';

export type KindFilterProps = {
  chosen: LogKind | undefined;
  onChoose: (kind: LogKind | undefined) => void;
};

/** All lines, or those of one kind. */
export function KindFilter({ chosen, onChoose }: KindFilterProps) {
  const all = [{ id: undefined, shown: 'All' }, ...KINDS];
  return (
    <Box
      role="group"
      aria-label="Kind of line"
      sx={{ display: 'flex', gap: 2.5, my: 2, flexWrap: 'wrap' }}
    >
      {all.map((kind) => {
        const isChosen = kind.id === chosen;
        return (
          <ButtonBase
            key={kind.shown}
            aria-pressed={isChosen}
            onClick={() => onChoose(kind.id)}
            sx={{
              typography: 'body1',
              py: 0.75,
              fontWeight: isChosen ? 700 : 400,
              borderBottom: 3,
              borderColor: isChosen ? 'primary.main' : 'transparent',
            }}
          >
            {kind.shown}
          </ButtonBase>
        );
      })}
    </Box>
  );
}
