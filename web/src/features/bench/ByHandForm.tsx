import FormControl from '@mui/material/FormControl';
import FormControlLabel from '@mui/material/FormControlLabel';
import FormLabel from '@mui/material/FormLabel';
import RadioGroup from '@mui/material/RadioGroup';
import { useState } from 'react';

import type { Api } from '../../api/client';
import { UnitForm } from './UnitForm';
import { Radio } from '../../ui/Radio';
import { useMayNoteOnBench } from '../../ui/useMay';

export type ByHandFormProps = {
  families: Api<'FamilyChoice'>[];
  ownership: Api<'ChoiceOption'>[];
  onDone: () => void;
};

/** Which family a device by hand belongs to, then name and owner. */
export function ByHandForm({ families, ownership, onDone }: ByHandFormProps) {
  const note = useMayNoteOnBench();
  const [family, setFamily] = useState('');
  return (
    <>
      <FormControl>
        <FormLabel id="family-question">Which is it?</FormLabel>
        <RadioGroup
          aria-labelledby="family-question"
          value={family}
          onChange={(_, chosen) => setFamily(chosen)}
        >
          {families.map((known) => (
            <FormControlLabel
              key={known.codename}
              value={known.codename}
              label={`${known.name}, ${known.form}`}
              control={<Radio may={note} />}
            />
          ))}
        </RadioGroup>
      </FormControl>
      {family !== '' && (
        <UnitForm ownership={ownership} reach={{ by: 'hand', family }} onDone={onDone} />
      )}
    </>
  );
}
