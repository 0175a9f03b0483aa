import { useSyncExternalStore } from 'react';

/** What is personal: kept in this browser only. */
export interface Preferences {
  singleKeys: 'on' | 'off';
}

const PLACE = 'veritope.preferences';
const USUAL: Preferences = { singleKeys: 'on' };
const listeners = new Set<() => void>();

function read(): Preferences {
  try {
    const stored: unknown = JSON.parse(localStorage.getItem(PLACE) ?? '{}');
    const keys = (stored as Partial<Preferences> | null)?.singleKeys;
    return { singleKeys: keys === 'off' ? 'off' : 'on' };
  } catch {
    return USUAL;
  }
}

let current = read();

export function setPreferences(next: Preferences): void {
  current = next;
  localStorage.setItem(PLACE, JSON.stringify(next));
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
