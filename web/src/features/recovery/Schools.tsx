import Box from '@mui/material/Box';
import TextField from '@mui/material/TextField';
import Typography from '@mui/material/Typography';
import { useState } from 'react';
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

const cell = { borderBottom: 1, borderColor: 'rule', px: 1, py: 1, verticalAlign: 'top' };
const number = { ...cell, textAlign: 'right', whiteSpace: 'nowrap' };

type SchoolRowProps = {
  school: Api<'SchoolLine'>;
  may: Api<'Permission'> | undefined;
  choose: (reason: string | null) => void;
};

/** One way: where the family's default is another, the reason for this one is asked before it is chosen. */
function SchoolRow({ school, may, choose }: SchoolRowProps) {
  const { title, leaves, judged, asks_reason: asksReason } = school;
  const [reason, setReason] = useState('');
  const isNoWay = judged.prospect.is === 'no-way';
  const sum = (value: string) => (isNoWay ? '–' : value);
  return (
    <tr>
      <Box component="th" scope="row" sx={{ ...cell, textAlign: 'left', width: '30%' }}>
        <Typography sx={{ fontWeight: 650 }}>{title}</Typography>
        <Typography variant="body2" color="text.secondary">
          {leaves}
        </Typography>
        {!isNoWay && asksReason && (
          <TextField
            size="small"
            fullWidth
            label={WORDS.why}
            helperText={reason.trim() === '' ? WORDS.whyFirst : undefined}
            value={reason}
            onChange={(event) => setReason(event.target.value)}
            sx={{ mt: 1 }}
          />
        )}
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
            may={may}
            isOff={asksReason && reason.trim() === ''}
            aria-label={`${WORDS.choose}: ${title}`}
            onClick={() => choose(asksReason ? reason : null)}
          >
            {WORDS.choose}
          </Button>
        )}
      </Box>
    </tr>
  );
}

export type SchoolsProps = { unit: string; schools: Api<'SchoolLine'>[] };

/** The ways to work with a recovery, side by side: what each leaves, what it takes and what it costs. */
export function Schools({ unit, schools }: SchoolsProps) {
  const go = useNavigate();
  const choose = useChooseGoal(unit, () => void go(`/units/${unit}/run`));
  const note = useMayNote(unit);
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
            {schools.map((school) => (
              <SchoolRow
                key={school.goal}
                school={school}
                may={note}
                choose={(reason) => choose.mutate({ goal: school.goal, reason })}
              />
            ))}
          </tbody>
        </Box>
      </Box>
      {choose.error !== null && <ProblemNote error={choose.error} />}
    </Section>
  );
}
