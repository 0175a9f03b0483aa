import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';

import { ProblemError, type Api } from '../api/client';
import { StateShape } from './shapes';
import { ShowButton } from './ShowButton';

export type ProblemNoteProps = {
  error: Error;
  onRetry?: () => void;
};

/** What was refused or failed, why, by which rule, and what is missing. */
export function ProblemNote({ error, onRetry }: ProblemNoteProps) {
  const problem = error instanceof ProblemError ? error.problem : undefined;
  const missing = problem?.missing ?? [];
  // What was refused is not better for being asked again.
  const isRefused = problem !== undefined && problem.status < 500;
  return (
    <Box
      role="alert"
      sx={{ display: 'flex', gap: 1.5, py: 1.5, borderTop: 2, borderColor: 'noReturn' }}
    >
      <StateShape kind="refused" label={isRefused ? 'Refused' : 'Failed'} />
      <Box>
        {missing.length === 0 ? (
          <Typography>{error.message}</Typography>
        ) : (
          <>
            <Typography>The seal is closed for this. Missing:</Typography>
            <Box component="ul" sx={{ my: 0.5, pl: 2.5 }}>
              {missing.map((item) => (
                <li key={item.text}>
                  <Typography>
                    {item.text} ({item.rule})
                  </Typography>
                </li>
              ))}
            </Box>
          </>
        )}
        {problem?.rule != null && (
          <Typography variant="body2" color="text.secondary">
            Rule {problem.rule}
          </Typography>
        )}
        {onRetry !== undefined && !isRefused && (
          <ShowButton onClick={onRetry}>Try again</ShowButton>
        )}
        {!isRefused && (
          <ShowButton onClick={() => void navigator.clipboard.writeText(detailsOf(error, problem))}>
            Copy the details
          </ShowButton>
        )}
      </Box>
    </Box>
  );
}

/** What whoever helps wants to read. */
function detailsOf(error: Error, problem: Api<'Problem'> | undefined): string {
  return problem === undefined ? error.message : JSON.stringify(problem);
}
