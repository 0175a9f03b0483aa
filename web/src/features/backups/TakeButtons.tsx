import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Typography from '@mui/material/Typography';

import type { Api } from '../../api/client';
import { ProblemNote } from '../../ui/ProblemNote';
import { RuleMark } from '../../ui/RuleMark';
import { useIsUp } from '../../ui/useIsUp';
import { useTakeCapture } from './useBackupJob';

export type TakeButtonsProps = {
  unit: string;
  take: Api<'Permission'>;
  isBusy: boolean;
  hasAny: boolean;
};

/** Takes a capture, or says why none can be taken now. */
export function TakeButtons({ unit, take, isBusy, hasAny }: TakeButtonsProps) {
  const isUp = useIsUp();
  const capture = useTakeCapture(unit);
  const disabled = !take.allowed || isBusy || capture.isPending || !isUp;
  return (
    <>
      <Button
        variant={hasAny ? 'outlined' : 'contained'}
        disabled={disabled}
        onClick={() => capture.mutate('quick')}
        data-next=""
      >
        Take a capture
      </Button>
      <Button disabled={disabled} onClick={() => capture.mutate('full')}>
        With the system
      </Button>
      {!take.allowed && !isBusy && take.reason != null && (
        <Box sx={{ display: 'flex', gap: 1, flexBasis: 320, flexGrow: 1 }}>
          <Typography color="text.secondary">{take.reason}</Typography>
          {take.rule != null && <RuleMark id={take.rule} />}
        </Box>
      )}
      {capture.error !== null && <ProblemNote error={capture.error} />}
    </>
  );
}
