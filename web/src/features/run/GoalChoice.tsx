import Box from '@mui/material/Box';
import FormControlLabel from '@mui/material/FormControlLabel';
import RadioGroup from '@mui/material/RadioGroup';
import Stack from '@mui/material/Stack';
import Typography from '@mui/material/Typography';

import type { Api } from '../../api/client';
import { useChooseGoal } from '../../api/useChooseGoal';
import { ProblemNote } from '../../ui/ProblemNote';
import { RuleMark } from '../../ui/RuleMark';
import { StateShape, type ShapeKind } from '../../ui/shapes';
import { WORDS } from './strings';
import { Radio } from '../../ui/Radio';
import { useMayNote } from '../../ui/useMay';

export type GoalChoiceProps = {
  unit: string;
  goals: Api<'GoalChoice'>[];
  chosen: Api<'Goal'> | undefined;
  onChosen: (goal: Api<'Goal'>) => void;
};

const KINDS: Api<'GoalKind'>[] = ['changes', 'reads', 'goes'];

/** The goals that this version knows, each with how it stands; choosing one touches nothing. */
export function GoalChoice({ unit, goals, chosen, onChosen }: GoalChoiceProps) {
  const note = useMayNote(unit);
  const choose = useChooseGoal(unit);
  return (
    <>
      <RadioGroup
        aria-label={WORDS.goal}
        value={chosen ?? ''}
        onChange={(_, id) => {
          const goal = goals.find((known) => known.id === id);
          if (goal === undefined) return;
          onChosen(goal.id);
          choose.mutate({ goal: goal.id });
        }}
        sx={{ mb: 3, rowGap: 3 }}
      >
        {KINDS.map((kind) => {
          const own = goals.filter((goal) => goal.kind === kind);
          return own.length === 0 ? null : (
            <Stack key={kind} role="group" aria-label={WORDS.goals[kind]}>
              <Typography variant="h3" component="h2" sx={{ fontSize: 16, mb: 0.5 }}>
                {WORDS.goals[kind]}
              </Typography>
              {own.map((goal) => (
                <GoalLine key={goal.id} goal={goal} note={note} />
              ))}
            </Stack>
          );
        })}
      </RadioGroup>
      {choose.error !== null && <ProblemNote error={choose.error} />}
    </>
  );
}

const SHAPES: Record<Api<'Prospect'>['is'], ShapeKind> = {
  'there-already': 'met',
  open: 'open',
  after: 'missing',
  'no-way': 'refused',
};

type GoalLineProps = { goal: Api<'GoalChoice'>; note: Api<'Permission'> | undefined };

function GoalLine({ goal, note }: GoalLineProps) {
  const { judged } = goal;
  return (
    <Box
      sx={{
        display: 'grid',
        gridTemplateColumns: { xs: '1fr', md: 'minmax(220px, 300px) minmax(0, 1fr)' },
        columnGap: 3,
        alignItems: 'start',
        py: 0.25,
        borderTop: 1,
        borderColor: 'divider',
      }}
    >
      <FormControlLabel
        value={goal.id}
        label={goal.shown}
        control={<Radio may={note} size="small" />}
      />
      <Box sx={{ display: 'flex', gap: 1, py: 1 }}>
        {judged != null && <StateShape kind={SHAPES[judged.prospect.is]} size={18} />}
        <Typography variant="body2" component="div" sx={{ color: 'text.secondary' }}>
          {judged != null && (
            <Box component="span" sx={{ color: 'text.primary' }}>
              {judged.said}{' '}
              {judged.prospect.is === 'no-way' && judged.prospect.rule != null && (
                <RuleMark id={judged.prospect.rule} />
              )}
            </Box>
          )}{' '}
          {goal.good_for}
        </Typography>
      </Box>
    </Box>
  );
}
