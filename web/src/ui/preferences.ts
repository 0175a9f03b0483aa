import { useSyncExternalStore } from 'react';

/** What is personal: kept in this browser only. */
export interface Preferences {
  singleKeys: 'on' | 'off';
  /** Whether the same step from a shell is shown beside its button. */
  shell: 'on' | 'off';
}

const PLACE = 'veritope.preferences';
const USUAL: Preferences = { singleKeys: 'on', shell: 'off' };
const listeners = new Set<() => void>();

function read(): Preferences {
  try {
    const stored: unknown = JSON.parse(localStorage.getItem(PLACE) ?? '{}');
    const known = stored as Partial<Preferences> | null;
    return {
      singleKeys: known?.singleKeys === 'off' ? 'off' : 'on',
      shell: known?.shell === 'on' ? 'on' : 'off',
    };
  } catch {
    return USUAL;
  }
}

let current = read();

export function setPreferences(next: Partial<Preferences>): void {
  current = { ...current, ...next };
  localStorage.setItem(PLACE, JSON.stringify(current));
  listeners.forEach((listener) => listener());
}

export function usePreferences(): Preferences {
  return useSyncExternalStore(
    (listener) => {
      listeners.add(listener);
      return () => listeners.delete(listener);
    },
    () => current,
  );
}
