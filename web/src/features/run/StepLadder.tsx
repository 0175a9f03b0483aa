import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';

import type { Api } from '../../api/client';
import { StateShape, type ShapeKind } from '../../ui/shapes';
import { useWords } from '../../ui/wordBook';

export type StepLadderProps = { run: Api<'RunView'> };

interface Rung {
  id: string;
  title: string;
  shape: ShapeKind;
  note: string;
  isHere: boolean;
}

const RESULT_SHAPES: Record<Api<'StepResult'>, ShapeKind> = {
  'as-expected': 'met',
  otherwise: 'refused',
  refused: 'refused',
  'not-known': 'unknown',
};

/** What was done, what is in hand, what is ahead. */
export function StepLadder({ run }: StepLadderProps) {
  const resultWords = useWords('result');
  const done: Rung[] = run.done.map((step) => ({
    id: step.began,
    title: step.title,
    shape: RESULT_SHAPES[step.result],
    note: resultWords(step.result),
    isHere: false,
  }));
  const at = run.step == null ? run.sheet.steps.length : run.step.number - 1;
  const ahead: Rung[] = run.sheet.steps.slice(at).map((step, index) => ({
    id: `${run.revision} ${index}`,
    title: step.title,
    shape: index === 0 ? 'half' : 'unknown',
    note: index === 0 ? 'in hand' : 'ahead',
    isHere: index === 0,
  }));
  return (
    <Box component="ol" aria-label="Steps of this run" sx={{ listStyle: 'none', m: 0, p: 0 }}>
      {[...done, ...ahead].map((rung) => (
        <Box
          component="li"
          key={rung.id}
          aria-current={rung.isHere ? 'step' : undefined}
          sx={{ display: 'flex', gap: 1.25, py: 0.9 }}
        >
          <StateShape kind={rung.shape} label={rung.note} />
          <Typography
            sx={{ fontWeight: rung.isHere ? 700 : 400 }}
            color={rung.isHere ? 'text.primary' : 'text.secondary'}
          >
            {rung.title}
          </Typography>
        </Box>
      ))}
    </Box>
  );
}
