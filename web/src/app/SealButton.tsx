import Box from '@mui/material/Box';
import ButtonBase from '@mui/material/ButtonBase';
import Popover from '@mui/material/Popover';
import Typography from '@mui/material/Typography';
import { useState } from 'react';

import type { Api } from '../api/client';
import { CureLink } from '../ui/CureLink';
import { RuleMark } from '../ui/RuleMark';
import { StateShape } from '../ui/shapes';
import { itemShape } from '../ui/stateShapes';
import { useWords } from '../ui/wordBook';

export type SealButtonProps = { tag: Api<'UnitTag'> };

/** Where the tag is folded the wax alone shows; the words stay its name. */
const FOLDED = {
  '@media (max-width: 899px)': {
    position: 'absolute',
    width: '1px',
    height: '1px',
    overflow: 'hidden',
    clipPath: 'inset(50%)',
  },
};

/** Twelve lobes, as pressed wax has. */
const LOBES = Array.from({ length: 12 }, (_, index) => {
  const angle = (index * Math.PI) / 6;
  return { cx: 28 + 19.5 * Math.cos(angle), cy: 28 + 19.5 * Math.sin(angle) };
});

/** The seal: closed with the count of what is missing, open, or not needed. */
export function SealButton({ tag }: SealButtonProps) {
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const isNeeded = tag.seal.wanted != null;
  const isOpen = isNeeded && tag.seal.missing === 0;
  return (
    <>
      <ButtonBase
        {...(tag.seal.short == null ? { 'aria-label': tag.seal.sentence } : {})}
        aria-haspopup="dialog"
        onClick={(event) => setAnchor(event.currentTarget)}
        sx={{ borderRadius: 1, gap: 1, px: 0.5 }}
      >
        {tag.seal.short != null && (
          <Typography variant="body2" sx={{ maxWidth: 130, textAlign: 'right', ...FOLDED }}>
            {tag.seal.short}
          </Typography>
        )}
        <Box component="svg" viewBox="0 0 56 56" aria-hidden sx={{ width: 64, height: 64 }}>
          {!isNeeded && (
            <circle
              cx="28"
              cy="28"
              r="18"
              fill="none"
              stroke="currentColor"
              strokeDasharray="2 5"
              strokeWidth="2"
            />
          )}
          {isNeeded && !isOpen && (
            <Box component="g" sx={{ fill: 'var(--mui-palette-wax)' }}>
              <circle cx="28" cy="28" r="20.5" />
              {LOBES.map((lobe) => (
                <circle key={`${lobe.cx},${lobe.cy}`} cx={lobe.cx} cy={lobe.cy} r="5.4" />
              ))}
              <circle
                cx="28"
                cy="28"
                r="15"
                fill="none"
                stroke="currentColor"
                strokeOpacity="0.75"
                strokeWidth="1.6"
              />
            </Box>
          )}
          {isOpen && (
            <Box
              component="g"
              fill="none"
              strokeWidth="4"
              sx={{ stroke: 'var(--mui-palette-openWax)' }}
            >
              <path d="M25 9a19 19 0 0 0-3 37" />
              <path d="M31 9a19 19 0 0 1 3 37" transform="translate(2 1)" />
            </Box>
          )}
          {isNeeded && !isOpen && (
            <text
              x="28"
              y="35"
              textAnchor="middle"
              fontSize="20"
              fontWeight="700"
              fill="currentColor"
            >
              {tag.seal.missing}
            </text>
          )}
        </Box>
      </ButtonBase>
      <Popover
        open={anchor !== null}
        anchorEl={anchor}
        onClose={() => setAnchor(null)}
        anchorOrigin={{ vertical: 'bottom', horizontal: 'right' }}
        transformOrigin={{ vertical: 'top', horizontal: 'right' }}
        slotProps={{
          paper: {
            role: 'dialog',
            'aria-label': 'Seal',
            sx: { p: 2.5, width: 520, border: 1, borderColor: 'rule' },
          },
        }}
      >
        <SealList tag={tag} onLeave={() => setAnchor(null)} />
      </Popover>
    </>
  );
}

function SealList({ tag, onLeave }: { tag: Api<'UnitTag'>; onLeave: () => void }) {
  const itemWord = useWords('line');
  return (
    <>
      <Typography variant="h2" gutterBottom>
        {tag.seal.sentence}
      </Typography>
      <Typography variant="body2" color="text.secondary" sx={{ mb: 1.5 }}>
        Nothing changes storage or lock of a unit before all of its evidence is there.
      </Typography>
      {tag.seal.items.map((item) => (
        <Box
          key={item.text}
          sx={{ display: 'flex', gap: 1.25, py: 0.75, borderTop: 1, borderColor: 'rule' }}
        >
          <StateShape kind={itemShape(item.state)} label={itemWord(item.state)} />
          <Typography sx={{ flexGrow: 1 }}>{item.text}</Typography>
          {item.state !== 'met' && <CureLink unit={tag.id} line={item} onLeave={onLeave} />}
          <RuleMark id={item.rule} />
        </Box>
      ))}
    </>
  );
}
