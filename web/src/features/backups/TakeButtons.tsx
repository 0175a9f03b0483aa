import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';

import type { Api } from '../../api/client';
import { ProblemNote } from '../../ui/ProblemNote';
import { RuleMark } from '../../ui/RuleMark';
import { useTakeCapture } from './useBackupJob';
import { Button } from '../../ui/Button';

export type TakeButtonsProps = {
  unit: string;
  take: Api<'Permission'>;
  hasAny: boolean;
};

/** Takes a capture, or says why none can be taken now. */
export function TakeButtons({ unit, take, hasAny }: TakeButtonsProps) {
  const capture = useTakeCapture(unit);
  return (
    <>
      <Button
        may={take}
        variant={hasAny ? 'outlined' : 'contained'}
        isOff={capture.isPending}
        onClick={() => capture.mutate('quick')}
        data-next=""
      >
        Take a capture
      </Button>
      <Button may={take} isOff={capture.isPending} onClick={() => capture.mutate('full')}>
        With the system
      </Button>
      {!take.allowed && take.reason != null && (
        <Box sx={{ display: 'flex', gap: 1, flexBasis: 320, flexGrow: 1 }}>
          <Typography color="text.secondary">{take.reason}</Typography>
          {take.rule != null && <RuleMark id={take.rule} />}
        </Box>
      )}
      {capture.error !== null && <ProblemNote error={capture.error} />}
    </>
  );
}
