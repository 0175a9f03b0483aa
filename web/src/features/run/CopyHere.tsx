import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';
import { useQuery } from '@tanstack/react-query';

import { backupsQuery, jobsQuery } from '../../api/queries';
import { useCopyWork } from '../../api/useCopyWork';
import { Button } from '../../ui/Button';
import { ByteProgress } from '../../ui/ByteProgress';
import { ProblemNote } from '../../ui/ProblemNote';

export type CopyHereProps = { unit: string };

/** The copy that is missing, brought to where it is not yet, without leaving the step that waits for it. */
export function CopyHere({ unit }: CopyHereProps) {
  const { data: backups } = useQuery(backupsQuery(unit));
  const { data: jobs } = useQuery(jobsQuery());
  const work = useCopyWork(unit);
  const capture = backups?.captures.find((known) => known.copy_to.some((to) => to.copy.allowed));
  const job = jobs?.find((known) => known.unit === unit && known.run == null);
  if (job?.progress != null && job.cancel.allowed) {
    return (
      <Box sx={{ width: 320 }}>
        <Typography>{job.progress.what}</Typography>
        <ByteProgress progress={job.progress} />
      </Box>
    );
  }
  if (capture === undefined) return null;
  return (
    <Box sx={{ display: 'flex', flexDirection: 'column', alignItems: 'flex-end', gap: 0.5 }}>
      {capture.copy_to.map((to) => (
        <Button
          key={to.place}
          may={to.copy}
          variant="outlined"
          size="small"
          isOff={work.isPending}
          onClick={() => work.mutate({ kind: 'copy', capture: capture.id, place: to.place })}
        >
          Copy capture {capture.number} to {to.name}
        </Button>
      ))}
      {work.error !== null && <ProblemNote error={work.error} />}
    </Box>
  );
}
