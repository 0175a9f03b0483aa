import Box from '@mui/material/Box';
import Tooltip from '@mui/material/Tooltip';

import { useRuleGist } from './rules';

export type RuleMarkProps = { id: string };

/** A rule's id; pointing at it or focusing it tells the rule's gist. */
export function RuleMark({ id }: RuleMarkProps) {
  const gist = useRuleGist(id);
  const mark = (
    <Box
      component="span"
      {...(gist === undefined
        ? {}
        : { tabIndex: 0, role: 'note', 'aria-label': `Rule ${id}: ${gist}` })}
      sx={{
        typography: 'code',
        alignSelf: 'start',
        color: 'text.secondary',
        borderBottom: gist === undefined ? 0 : '1px dotted',
        cursor: gist === undefined ? 'default' : 'help',
      }}
    >
      {id}
    </Box>
  );
  return gist === undefined ? mark : <Tooltip title={gist}>{mark}</Tooltip>;
}
