import FormControl from '@mui/material/FormControl';
import FormControlLabel from '@mui/material/FormControlLabel';
import FormHelperText from '@mui/material/FormHelperText';
import FormLabel from '@mui/material/FormLabel';
import RadioGroup from '@mui/material/RadioGroup';
import { useId } from 'react';

import type { Api } from '../../api/client';
import { WORDS } from './strings';
import { Radio } from '../../ui/Radio';
import { useMayNoteOnBench } from '../../ui/useMay';

export type OwnerQuestionProps = {
  options: Api<'ChoiceOption'>[];
  value: string;
  onChange: (value: string) => void;
};

/** Asked once, when a unit comes onto the bench. */
export function OwnerQuestion({ options, value, onChange }: OwnerQuestionProps) {
  const note = useMayNoteOnBench();
  const id = useId();
  return (
    <FormControl>
      <FormLabel id={id}>{WORDS.owner}</FormLabel>
      <RadioGroup aria-labelledby={id} value={value} onChange={(_, chosen) => onChange(chosen)}>
        {options.map((option) => (
          <FormControlLabel
            key={option.id}
            value={option.id}
            label={option.shown}
            control={<Radio may={note} />}
          />
        ))}
      </RadioGroup>
      <FormHelperText sx={{ ml: 0 }}>{WORDS.ownerHelp}</FormHelperText>
    </FormControl>
  );
}
