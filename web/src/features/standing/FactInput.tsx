import Box from '@mui/material/Box';
import FormControlLabel from '@mui/material/FormControlLabel';
import InputAdornment from '@mui/material/InputAdornment';
import TextField from '@mui/material/TextField';
import { useState } from 'react';

import type { Api } from '../../api/client';
import { Button } from '../../ui/Button';
import { Checkbox } from '../../ui/Checkbox';

export type FactInputProps = {
  fact: Api<'FactEntry'>;
  isNext: boolean;
  isBusy: boolean;
  may: Api<'Permission'> | undefined;
  onSay: (value: string, shown: string) => void;
};

/** The next step is the question: the key that leads there never lands on an answer. */
const NEXT = { 'data-next': '', tabIndex: -1 };

/** Which keyboard and width suit a kind of value. */
const FIELDS: Record<
  Exclude<Api<'FactInput'>['is'], 'choice' | 'many'>,
  { width: number; mode?: 'numeric' | 'decimal'; type?: string }
> = {
  text: { width: 300 },
  names: { width: 300 },
  'equipment-id': { width: 240, mode: 'numeric' },
  version: { width: 200, mode: 'decimal' },
  month: { width: 200, type: 'month' },
  moment: { width: 240, type: 'datetime-local' },
  count: { width: 200, mode: 'numeric' },
  percent: { width: 200, mode: 'numeric' },
};

/** One control for each kind of fact. */
export function FactInput({ fact, isNext, isBusy, may, onSay }: FactInputProps) {
  const { input } = fact;
  switch (input.is) {
    case 'choice':
      return (
        <Box
          role="group"
          aria-label={fact.title}
          {...(isNext ? NEXT : {})}
          sx={{ display: 'flex', gap: 1.5, flexWrap: 'wrap' }}
        >
          {input.options.map((option) => (
            <Button
              may={may}
              key={option.id}
              variant="outlined"
              isOff={isBusy}
              onClick={() => onSay(option.id, option.shown)}
            >
              {option.shown}
            </Button>
          ))}
        </Box>
      );
    case 'many':
      return (
        <ManyInput
          fact={fact}
          options={input.options}
          isNext={isNext}
          isBusy={isBusy}
          may={may}
          onSay={onSay}
        />
      );
    case 'text':
    case 'names':
    case 'equipment-id':
    case 'version':
    case 'month':
    case 'moment':
    case 'count':
    case 'percent':
      return (
        <TypedInput
          // What was recorded leaves an empty field behind.
          key={fact.rows[0]?.at}
          fact={fact}
          kind={input.is}
          isNext={isNext}
          isBusy={isBusy}
          may={may}
          onSay={onSay}
        />
      );
  }
}

function TypedInput({
  fact,
  kind,
  isNext,
  isBusy,
  may,
  onSay,
}: FactInputProps & { kind: keyof typeof FIELDS }) {
  const [text, setText] = useState('');
  const field = FIELDS[kind];
  return (
    <Box
      component="form"
      sx={{ display: 'flex', gap: 1.5, alignItems: 'flex-start', flexWrap: 'wrap' }}
      onSubmit={(event) => {
        event.preventDefault();
        // The browser gives local time; the record wants a moment.
        onSay(kind === 'moment' ? new Date(text).toISOString() : text, text.replace('T', ' '));
      }}
    >
      <TextField
        label={fact.title}
        value={text}
        onChange={(event) => setText(event.target.value)}
        autoComplete="off"
        sx={{ width: field.width }}
        {...(field.type === undefined ? {} : { type: field.type })}
        slotProps={{
          ...(field.type === undefined ? {} : { inputLabel: { shrink: true } }),
          htmlInput: {
            ...(field.mode === undefined ? {} : { inputMode: field.mode }),
            ...(isNext ? { 'data-next': '' } : {}),
          },
          input:
            kind === 'percent'
              ? { endAdornment: <InputAdornment position="end">%</InputAdornment> }
              : {},
        }}
      />
      <Button
        may={may}
        type="submit"
        variant={isNext ? 'contained' : 'outlined'}
        isOff={isBusy || text.trim() === ''}
      >
        Record
      </Button>
      {kind === 'equipment-id' && (
        <Button
          may={may}
          variant="outlined"
          isOff={isBusy}
          onClick={() => onSay('none', 'none shown')}
          aria-label={`${fact.title}: none shown`}
        >
          None shown
        </Button>
      )}
    </Box>
  );
}

type ManyInputProps = FactInputProps & { options: Api<'ChoiceOption'>[] };

function ManyInput({ fact, options, isNext, isBusy, may, onSay }: ManyInputProps) {
  const [chosen, setChosen] = useState<string[]>([]);
  const shown = options.filter((option) => chosen.includes(option.id));
  return (
    <Box role="group" aria-label={fact.title} {...(isNext ? NEXT : {})}>
      {options.map((option) => (
        <FormControlLabel
          key={option.id}
          label={option.shown}
          control={
            <Checkbox
              may={may}
              checked={chosen.includes(option.id)}
              onChange={(_, isOn) =>
                setChosen(
                  isOn ? [...chosen, option.id] : chosen.filter((known) => known !== option.id),
                )
              }
            />
          }
        />
      ))}
      <Box>
        <Button
          may={may}
          variant="outlined"
          isOff={isBusy}
          onClick={() =>
            onSay(
              shown.map((option) => option.id).join(', '),
              shown.length === 0 ? 'none' : shown.map((option) => option.shown).join(', '),
            )
          }
        >
          {shown.length === 0 ? 'Record: none' : 'Record'}
        </Button>
      </Box>
    </Box>
  );
}
