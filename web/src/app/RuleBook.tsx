import { useQuery } from '@tanstack/react-query';
import type { ReactNode } from 'react';

import { rulesQuery, wordsQuery } from '../api/queries';
import { Rules } from '../ui/rules';
import { WordBook } from '../ui/wordBook';

/** Holds the rules of the job and the words for all views below; neither changes while the program runs. */
export function RuleBook({ children }: { children: ReactNode }) {
  const { data = [] } = useQuery(rulesQuery());
  const { data: words } = useQuery(wordsQuery());
  return (
    <Rules value={new Map(data.map((rule) => [rule.id, rule]))}>
      <WordBook value={words}>{children}</WordBook>
    </Rules>
  );
}
