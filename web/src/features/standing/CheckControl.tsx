import Typography from '@mui/material/Typography';
import { useState } from 'react';

import type { Api } from '../../api/client';
import { counted } from '../../ui/format';
import { IntakeDialog } from './IntakeDialog';
import { WORDS } from './strings';
import { ShowButton } from '../../ui/ShowButton';

export type CheckControlProps = {
  unit: string;
  instruction: string;
  /** The functions that are open, each named in the list that opens. */
  facts: Api<'FactEntry'>[];
  isNext: boolean;
};

/** What works is checked function by function, and noted in one go. */
export function CheckControl({ unit, instruction, facts, isNext }: CheckControlProps) {
  const [isOpen, setIsOpen] = useState(false);
  return (
    <>
      <Typography>{instruction}</Typography>
      <ShowButton
        variant={isNext ? 'contained' : 'outlined'}
        {...(isNext ? { 'data-next': '' } : {})}
        sx={{ mt: 1 }}
        onClick={() => setIsOpen(true)}
      >
        Check {counted(facts.length, 'function', 'functions')}
      </ShowButton>
      {isOpen && (
        <IntakeDialog
          unit={unit}
          facts={facts}
          title={WORDS.checkTitle}
          help={instruction}
          onClose={() => setIsOpen(false)}
        />
      )}
    </>
  );
}
