import Box from '@mui/material/Box';
import Typography from '@mui/material/Typography';
import { useNavigate } from 'react-router';

import type { Api } from '../../api/client';
import { useChooseGoal } from '../../api/useChooseGoal';
import { Button } from '../../ui/Button';
import { duration } from '../../ui/format';
import { ProblemNote } from '../../ui/ProblemNote';
import { RuleMark } from '../../ui/RuleMark';
import { Section } from '../../ui/Section';
import { useMayNote } from '../../ui/useMay';
import { WORDS } from './strings';

export type SchoolsProps = { unit: string; schools: Api<'SchoolLine'>[] };

/** The ways to work with a recovery, side by side: what each leaves, what it takes and what it costs. */
export function Schools({ unit, schools }: SchoolsProps) {
  const go = useNavigate();
  const choose = useChooseGoal(unit, () => void go(`/units/${unit}/run`));
  const note = useMayNote(unit);
  const cell = { borderBottom: 1, borderColor: 'rule', px: 1, py: 1, verticalAlign: 'top' };
  const number = { ...cell, textAlign: 'right', whiteSpace: 'nowrap' };
  return (
    <Section title={WORDS.schools}>
      <Box sx={{ overflowX: 'auto' }}>
        <Box component="table" sx={{ borderCollapse: 'collapse', width: '100%', minWidth: 760 }}>
          <thead>
            <tr>
              <Box component="th" scope="col" sx={{ ...cell, textAlign: 'left' }}>
                {WORDS.school}
              </Box>
              <Box component="th" scope="col" sx={{ ...cell, textAlign: 'left' }}>
                {WORDS.stands}
              </Box>
              <Box component="th" scope="col" sx={number}>
                {WORDS.time}
              </Box>
              <Box component="th" scope="col" sx={number}>
                {WORDS.wipes}
              </Box>
              <Box component="th" scope="col" sx={number}>
                {WORDS.noReturn}
              </Box>
              <Box component="th" scope="col" sx={cell}>
                <span aria-hidden />
              </Box>
            </tr>
          </thead>
          <tbody>
            {schools.map(({ goal, title, leaves, judged }) => {
              const isNoWay = judged.prospect.is === 'no-way';
              const sum = (value: string) => (isNoWay ? '–' : value);
              return (
                <tr key={goal}>
                  <Box component="th" scope="row" sx={{ ...cell, textAlign: 'left', width: '30%' }}>
                    <Typography sx={{ fontWeight: 650 }}>{title}</Typography>
                    <Typography variant="body2" color="text.secondary">
                      {leaves}
                    </Typography>
                  </Box>
                  <Box component="td" sx={cell}>
                    <Typography variant="body2" component="span">
                      {judged.said}
                    </Typography>{' '}
                    {judged.prospect.is === 'no-way' && judged.prospect.rule != null && (
                      <RuleMark id={judged.prospect.rule} />
                    )}
                  </Box>
                  <Box component="td" sx={number}>
                    {sum(duration(judged.hands_on_seconds + judged.waiting_seconds))}
                  </Box>
                  <Box component="td" sx={number}>
                    {sum(String(judged.wipes))}
                  </Box>
                  <Box component="td" sx={number}>
                    {sum(String(judged.no_returns))}
                  </Box>
                  <Box component="td" sx={{ ...cell, textAlign: 'right' }}>
                    {!isNoWay && (
                      <Button
                        variant="outlined"
                        sx={{ whiteSpace: 'nowrap' }}
                        may={note}
                        aria-label={`${WORDS.choose}: ${title}`}
                        onClick={() => choose.mutate(goal)}
                      >
                        {WORDS.choose}
                      </Button>
                    )}
                  </Box>
                </tr>
              );
            })}
          </tbody>
        </Box>
      </Box>
      {choose.error !== null && <ProblemNote error={choose.error} />}
    </Section>
  );
}
