import Box from '@mui/material/Box';
import Dialog from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import DialogTitle from '@mui/material/DialogTitle';
import FormControlLabel from '@mui/material/FormControlLabel';
import RadioGroup from '@mui/material/RadioGroup';
import Typography from '@mui/material/Typography';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';

import { client, newRequest, unwrap, type Api } from '../../api/client';
import { standingQuery } from '../../api/queries';
import { useChange } from '../../api/useChange';
import { counted } from '../../ui/format';
import { useNews } from '../../ui/news';
import { ProblemNote } from '../../ui/ProblemNote';
import { WORDS } from './strings';
import { Button } from '../../ui/Button';
import { ShowButton } from '../../ui/ShowButton';
import { useMayNote } from '../../ui/useMay';
import { Radio } from '../../ui/Radio';
import { OnceMore } from '../../ui/OnceMore';

export type IntakeDialogProps = {
  unit: string;
  facts: Api<'FactEntry'>[];
  title?: string;
  help?: string;
  onClose: () => void;
};

/** The function checks of the intake, noted in one go; what is not answered stays not known. */
export function IntakeDialog({
  unit,
  facts,
  title = WORDS.intakeTitle,
  help = WORDS.intake,
  onClose,
}: IntakeDialogProps) {
  const news = useNews();
  const { data: standing } = useQuery(standingQuery(unit));
  const note = useMayNote(unit);
  const [said, setSaid] = useState<Partial<Record<Api<'FactKey'>, string>>>({});
  const answered = facts.filter((fact) => said[fact.key] !== undefined);
  const record = useChange(
    () =>
      unwrap(
        client.POST('/api/units/{unit}/facts', {
          params: { path: { unit } },
          body: {
            facts: answered.map((fact) => ({ key: fact.key, value: said[fact.key] ?? '' })),
            request: newRequest(),
          },
        }),
      ),
    unit,
    () => {
      news({ text: `${counted(answered.length, 'check', 'checks')} noted` });
      onClose();
    },
  );
  const all = () => {
    const answer = standing?.all_works.answer;
    if (answer === undefined) return;
    setSaid(Object.fromEntries(facts.map((fact) => [fact.key, answer])));
  };
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="md" aria-labelledby="intake-title">
      <DialogTitle id="intake-title">{title}</DialogTitle>
      <DialogContent>
        <Box sx={{ display: 'flex', gap: 2, alignItems: 'center', mb: 1 }}>
          <Typography color="text.secondary" sx={{ flexGrow: 1 }}>
            {help}
          </Typography>
          <OnceMore may={note} ask={standing?.all_works.ask} yes={WORDS.intakeAllYes} onYes={all}>
            {WORDS.intakeAll}
          </OnceMore>
        </Box>
        {facts.map((fact) => (
          <Box
            key={fact.key}
            sx={{
              display: 'grid',
              gridTemplateColumns: { xs: 'minmax(0, 1fr)', md: '250px minmax(0, 1fr)' },
              alignItems: 'center',
              borderTop: 1,
              borderColor: 'rule',
            }}
          >
            <Typography id={`intake-${fact.key}`}>{fact.title}</Typography>
            <RadioGroup
              row
              aria-labelledby={`intake-${fact.key}`}
              value={said[fact.key] ?? ''}
              onChange={(_, value) => setSaid({ ...said, [fact.key]: value })}
            >
              {fact.input.is === 'choice' &&
                fact.input.options.map((option) => (
                  <FormControlLabel
                    key={option.id}
                    value={option.id}
                    label={option.shown}
                    control={<Radio may={note} size="small" />}
                  />
                ))}
            </RadioGroup>
          </Box>
        ))}
        {record.error !== null && <ProblemNote error={record.error} />}
      </DialogContent>
      <DialogActions sx={{ px: 3, pb: 2.5 }}>
        <ShowButton onClick={onClose}>Close</ShowButton>
        <Button
          may={note}
          variant="contained"
          isOff={record.isPending || answered.length === 0}
          onClick={() => record.mutate(undefined)}
        >
          Record
        </Button>
      </DialogActions>
    </Dialog>
  );
}
