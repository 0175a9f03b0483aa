import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';
import { useRef } from 'react';

import { newRequest, sendBytes, type Api } from '../../api/client';
import { useChange } from '../../api/useChange';
import { ProblemNote } from '../../ui/ProblemNote';
import { WORDS } from './strings';
import { Button } from '../../ui/Button';
import { useMayNote } from '../../ui/useMay';

export type PictureControlProps = { unit: string; fact: Api<'FactEntry'> };

/** A picture of the screen beside a fact that was typed; it stays here. */
export function PictureControl({ unit, fact }: PictureControlProps) {
  const input = useRef<HTMLInputElement>(null);
  const note = useMayNote(unit);
  const typed = fact.undo;
  const attach = useChange(
    (file: File) =>
      sendBytes(`/api/units/${unit}/facts/${typed}/picture?request=${newRequest()}`, file),
    unit,
  );
  if (typed == null) return null;
  return (
    <Box sx={{ mt: 1 }}>
      {fact.picture != null && (
        <Box
          component="img"
          src={`/api/units/${unit}/facts/${fact.picture}/picture`}
          alt={`The screen that shows ${fact.title}`}
          sx={{ display: 'block', maxWidth: '100%', maxHeight: 240, mb: 1 }}
        />
      )}
      <input
        ref={input}
        type="file"
        accept="image/png,image/jpeg"
        hidden
        aria-label={`Picture for ${fact.title}`}
        onChange={(event) => {
          const file = event.target.files?.[0];
          if (file !== undefined) attach.mutate(file);
          event.target.value = '';
        }}
      />
      <Button may={note} isOff={attach.isPending} onClick={() => input.current?.click()}>
        {fact.picture == null ? 'Attach a picture of the screen' : 'Attach another picture'}
      </Button>
      <Typography variant="body2" color="text.secondary">
        {WORDS.pictureHelp}
      </Typography>
      {attach.error !== null && <ProblemNote error={attach.error} />}
    </Box>
  );
}
