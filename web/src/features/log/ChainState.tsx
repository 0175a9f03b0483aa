import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';
import { useQuery } from '@tanstack/react-query';

import { chainQuery } from '../../api/queries';
import { counted } from '../../ui/format';
import { Panel } from '../../ui/Panel';
import { StateShape } from '../../ui/shapes';

export type ChainStateProps = { unit: string };

/** Whether the log is as it was written; read from the file, link by link. */
export function ChainState({ unit }: ChainStateProps) {
  const query = useQuery(chainQuery(unit));
  return (
    <Panel query={query}>
      {(chain) => (
        <Box sx={{ display: 'flex', gap: 1.25, alignItems: 'center' }} role="status">
          <StateShape kind={chain.problem == null ? 'met' : 'refused'} />
          {chain.problem == null ? (
            <Typography>
              Chain of {counted(chain.entries, 'line', 'lines')} verified; it ends in{' '}
              <Typography component="span" variant="code">
                {chain.head?.slice(0, 8) ?? 'nothing'}
              </Typography>
              .
            </Typography>
          ) : (
            <Typography>The log is not as it was written. {chain.problem}</Typography>
          )}
        </Box>
      )}
    </Panel>
  );
}
