import { createContext, useContext } from 'react';

/** Gists of the rules that the view at hand cites. */
export const RuleGists = createContext<ReadonlyMap<string, string>>(new Map());

export function useRuleGist(id: string): string | undefined {
  return useContext(RuleGists).get(id);
}
