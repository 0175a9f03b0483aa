import { useQuery } from '@tanstack/react-query';
import type { ReactNode } from 'react';

import { rulesQuery } from '../api/queries';
import { Rules } from '../ui/rules';

/** Holds the rules of the job for every mark below; they don't change while the program runs. */
export function RuleBook({ children }: { children: ReactNode }) {
  const { data = [] } = useQuery(rulesQuery());
  return <Rules value={new Map(data.map((rule) => [rule.id, rule]))}>{children}</Rules>;
}
