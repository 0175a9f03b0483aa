import Box from '@mui/material/Box';
import Tooltip from '@mui/material/Tooltip';

import { useRule } from './rules';

export type RuleMarkProps = { id: string };

/** A rule's id; pointing at it or focusing it tells what the rule says and why. */
export function RuleMark({ id }: RuleMarkProps) {
  const rule = useRule(id);
  const mark = (
    <Box
      component="span"
      {...(rule === undefined
        ? {}
        : { tabIndex: 0, role: 'note', 'aria-label': `Rule ${id}: ${rule.gist} ${rule.reason}` })}
      sx={{
        typography: 'code',
        alignSelf: 'start',
        color: 'text.secondary',
        borderBottom: rule === undefined ? 0 : '1px dotted',
        cursor: rule === undefined ? 'default' : 'help',
      }}
    >
      {id}
    </Box>
  );
  if (rule === undefined) return mark;
  const told = (
    <>
      <Box sx={{ fontWeight: 650 }}>{rule.gist}</Box>
      <Box sx={{ mt: 0.5 }}>{rule.reason}</Box>
    </>
  );
  return <Tooltip title={told}>{mark}</Tooltip>;
}
