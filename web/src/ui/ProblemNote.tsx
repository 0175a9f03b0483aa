import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Typography from '@mui/material/Typography';

import { ProblemError } from '../api/client';
import { StateShape } from './shapes';

export type ProblemNoteProps = {
  error: Error;
  onRetry?: () => void;
};

/** What was refused or failed, why, by which rule, and what is missing. */
export function ProblemNote({ error, onRetry }: ProblemNoteProps) {
  const problem = error instanceof ProblemError ? error.problem : undefined;
  const missing = problem?.missing ?? [];
  return (
    <Box
      role="alert"
      sx={{ display: 'flex', gap: 1.5, py: 1.5, borderTop: 2, borderColor: 'noReturn' }}
    >
      <StateShape kind="refused" label="Refused" />
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
        {onRetry !== undefined && <Button onClick={onRetry}>Try again</Button>}
      </Box>
    </Box>
  );
}
