import FormControlLabel from '@mui/material/FormControlLabel';
import Radio from '@mui/material/Radio';
import RadioGroup from '@mui/material/RadioGroup';
import Stack from '@mui/material/Stack';
import Typography from '@mui/material/Typography';

import { client, newRequest, unwrap, type Api } from '../../api/client';
import { useChange } from '../../api/useChange';
import { ProblemNote } from '../../ui/ProblemNote';
import { WORDS } from './strings';

export type GoalChoiceProps = {
  unit: string;
  goals: Api<'GoalChoice'>[];
  chosen: Api<'Goal'> | undefined;
};

const KINDS: Api<'GoalKind'>[] = ['changes', 'reads', 'goes'];

/** The goals that this version knows; choosing one touches nothing. */
export function GoalChoice({ unit, goals, chosen }: GoalChoiceProps) {
  const choose = useChange(
    (goal: Api<'Goal'>) =>
      unwrap(
        client.POST('/api/units/{unit}/goal', {
          params: { path: { unit } },
          body: { goal, request: newRequest() },
        }),
      ),
    unit,
  );
  return (
    <>
      <RadioGroup
        row
        aria-label={WORDS.goal}
        value={chosen ?? ''}
        onChange={(_, id) => {
          const goal = goals.find((known) => known.id === id);
          if (goal !== undefined) choose.mutate(goal.id);
        }}
        sx={{ mb: 3, columnGap: 6, rowGap: 2, alignItems: 'flex-start' }}
      >
        {KINDS.map((kind) => (
          <Stack key={kind} role="group" aria-label={WORDS.goals[kind]}>
            <Typography variant="body2" color="text.secondary">
              {WORDS.goals[kind]}
            </Typography>
            {goals
              .filter((goal) => goal.kind === kind)
              .map((goal) => (
                <FormControlLabel
                  key={goal.id}
                  value={goal.id}
                  label={goal.shown}
                  control={<Radio size="small" />}
                />
              ))}
          </Stack>
        ))}
      </RadioGroup>
      {choose.error !== null && <ProblemNote error={choose.error} />}
    </>
  );
}
