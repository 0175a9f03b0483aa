import { createContext, useContext } from 'react';

/** A piece of background news, perhaps with a way back. */
export interface News {
  text: string;
  undo?: () => void;
}

export const NewsContext = createContext<(news: News) => void>(() => undefined);

/** Tells the person something that needs no answer. */
export function useNews(): (news: News) => void {
  return useContext(NewsContext);
}
