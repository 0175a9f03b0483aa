import { createContext, useContext } from 'react';

import type { Api } from '../api/client';

/** Words for what answers tell by its kind alone; the server's, once for all views. */
export const WordBook = createContext<Api<'WordBook'> | undefined>(undefined);

/** Words of one sort, by the id of what they are for. */
export function useWords(sort: keyof Api<'WordBook'>): (id: string) => string {
  const words = useContext(WordBook)?.[sort];
  return (id) => words?.[id] ?? id;
}
