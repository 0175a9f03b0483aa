import { createContext, useContext } from 'react';

/** A way back: from what was said of a unit or, without one, of what the page shows. */
export interface Undo {
  unit?: string;
  run: () => void;
}

/** A piece of background news, perhaps with a way back. */
export interface News {
  text: string;
  undo?: Undo;
}

export const NewsContext = createContext<(news: News) => void>(() => undefined);

/** Tells the person something that needs no answer. */
export function useNews(): (news: News) => void {
  return useContext(NewsContext);
}
