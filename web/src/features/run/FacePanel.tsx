import Box from '@mui/material/Box';
import FormControlLabel from '@mui/material/FormControlLabel';
import Typography from '@mui/material/Typography';
import { useQuery } from '@tanstack/react-query';

import type { Api } from '../../api/client';
import { faceQuery } from '../../api/queries';
import { ProblemNote } from '../../ui/ProblemNote';
import { FACE } from './strings';
import { useHands } from './useHands';
import { Button } from '../../ui/Button';
import { Checkbox } from '../../ui/Checkbox';

/** Often enough that a cue is seen when it comes. */
const LOOK_EVERY_MS = 250;

export type FacePanelProps = { unit: string };

/** The stand-in's screen, lamp, keys and cable, for doing by hand what the sheet says. */
export function FacePanel({ unit }: FacePanelProps) {
  const { data } = useQuery({ ...faceQuery(unit), refetchInterval: LOOK_EVERY_MS });
  const { press, letGo, touch, isLatched, setLatched, error } = useHands(unit);
  const face = data?.face;
  if (data == null || face == null) return null;
  return (
    <Box
      component="section"
      aria-label={FACE.label}
      sx={{ position: { md: 'sticky' }, top: 16, alignSelf: 'start' }}
    >
      <FaceScreen face={face} may={data.hands} touch={touch} />
      <Typography aria-live="polite" sx={{ minHeight: '1.6em', mt: 1 }}>
        {face.lamp != null && `Lamp: ${face.lamp}. `}
        {face.shakes && FACE.shakes}
      </Typography>
      <Box role="group" aria-label={FACE.keys} sx={{ display: 'flex', flexWrap: 'wrap', gap: 1 }}>
        {face.keys.map(({ key, label, held }) => (
          <Button
            may={data.hands}
            key={key}
            variant={held === 'down' ? 'contained' : 'outlined'}
            aria-pressed={held === 'down'}
            onPointerDown={() => press(key, held === 'down')}
            onPointerUp={() => letGo(key)}
            onPointerLeave={() => letGo(key)}
            onKeyDown={(event) => {
              if (event.repeat || (event.key !== ' ' && event.key !== 'Enter')) return;
              event.preventDefault();
              press(key, held === 'down');
            }}
            onKeyUp={() => letGo(key)}
            size="small"
            sx={{ touchAction: 'none' }}
          >
            {label}
          </Button>
        ))}
      </Box>
      <FormControlLabel
        control={
          <Checkbox
            may={data.hands}
            checked={isLatched}
            onChange={(_, checked) => setLatched(checked)}
          />
        }
        label={FACE.latch}
      />
      <Box
        role="group"
        aria-label={FACE.beside}
        sx={{ display: 'flex', flexDirection: 'column', alignItems: 'flex-start', mt: 1 }}
      >
        {face.hands.map(({ id, label }) => (
          <Button
            may={data.hands}
            key={id}
            onClick={() => touch(id)}
            sx={{ ml: -1, textAlign: 'left' }}
          >
            {label}
          </Button>
        ))}
      </Box>
      {error !== null && <ProblemNote error={error} />}
      <Typography color="text.secondary" sx={{ mt: 1 }}>
        {FACE.note}
      </Typography>
    </Box>
  );
}

type FaceScreenProps = {
  face: Api<'Face'>;
  may: Api<'Permission'>;
  touch: (button: string) => void;
};

/** What its screen shows; lists that only keys move in can't be clicked. */
function FaceScreen({ face, may, touch }: FaceScreenProps) {
  const isDark = face.lines.length === 0 && face.buttons.length === 0;
  return (
    <Box
      sx={{
        bgcolor: 'tag',
        color: 'tagText',
        border: 2,
        borderColor: 'text.primary',
        borderRadius: '6px 6px 22px 22px',
        px: 2,
        py: 1.5,
        minHeight: 220,
      }}
    >
      {isDark && <Typography sx={{ opacity: 0.75 }}>{FACE.dark}</Typography>}
      {face.lines.map((line) => (
        <Typography key={line} sx={{ fontVariantNumeric: 'tabular-nums', lineHeight: 1.4 }}>
          {line}
        </Typography>
      ))}
      <Box sx={{ mt: face.buttons.length > 0 ? 1.5 : 0 }}>
        {face.buttons.map(({ id, label, highlight, by }) => {
          const isMarked = highlight === 'default';
          return by === 'touch' ? (
            <Button
              may={may}
              key={id}
              fullWidth
              onClick={() => touch(id)}
              sx={{
                color: 'inherit',
                border: 1,
                borderColor: 'tagFaint',
                mb: 0.75,
                py: 0.25,
                textDecoration: 'none',
              }}
            >
              {label}
            </Button>
          ) : (
            <Typography
              key={id}
              aria-current={isMarked}
              sx={{ fontWeight: isMarked ? 700 : 400, pl: isMarked ? 0 : 2.5 }}
            >
              {isMarked && '▸ '}
              {label}
            </Typography>
          );
        })}
      </Box>
    </Box>
  );
}
