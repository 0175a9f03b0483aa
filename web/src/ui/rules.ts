import { createContext, useContext } from 'react';

import type { Api } from '../api/client';

/** The rules of the job, by id: the whole book, once for all views. */
export const Rules = createContext<ReadonlyMap<string, Api<'RuleLine'>>>(new Map());

export function useRule(id: string): Api<'RuleLine'> | undefined {
  return useContext(Rules).get(id);
}
