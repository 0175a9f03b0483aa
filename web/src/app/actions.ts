import { useColorScheme } from '@mui/material/styles';
import { useMemo } from 'react';
import { useNavigate } from 'react-router';

/** Something a person can do from anywhere; palette, rail and key help read the same record. */
export interface Action {
  id: string;
  label: string;
  /** As `react-hotkeys-hook` writes it. */
  keys?: string;
  /** As a person reads it. */
  keysShown?: string;
  /** Why it can't be done now. */
  disabledBecause?: string;
  run: () => void;
}

export interface Station extends Action {
  place:
    | 'bench'
    | 'standing'
    | 'recovery'
    | 'backups'
    | 'run'
    | 'log'
    | 'shelf'
    | 'families'
    | 'settings';
  path: string | undefined;
}

const NO_UNIT = 'Choose a unit on the bench first.';

/** The stations in the order of the work. */
export function useStations(unit: string | undefined): Station[] {
  const navigate = useNavigate();
  return useMemo(() => {
    const of = (place: Station['place'], label: string, key: string): Station => {
      const path =
        place === 'bench'
          ? '/'
          : place === 'settings' || place === 'families' || place === 'shelf'
            ? `/${place}`
            : unit === undefined
              ? undefined
              : `/units/${unit}/${place}`;
      return {
        id: place,
        place,
        label,
        keys: key,
        keysShown: key,
        path,
        ...(path === undefined ? { disabledBecause: NO_UNIT } : {}),
        run: () => {
          if (path !== undefined) void navigate(path);
        },
      };
    };
    return [
      of('bench', 'Bench', '1'),
      of('standing', 'Standing', '2'),
      of('recovery', 'Recovery', '3'),
      of('backups', 'Backups', '4'),
      of('run', 'Run', '5'),
      of('log', 'Log', '6'),
      of('shelf', 'Shelf', '7'),
      of('families', 'Families', '8'),
      of('settings', 'Settings', '9'),
    ];
  }, [unit, navigate]);
}

/** Puts the focus on the button of the next step, wherever the view shows it. */
export function focusNext(): void {
  document.querySelector<HTMLElement>('[data-next]')?.focus();
}

export function useGeneralActions(open: (dialog: 'jump' | 'keys') => void): Action[] {
  const { mode, systemMode, setMode } = useColorScheme();
  const isDark = (mode === 'system' ? systemMode : mode) === 'dark';
  return useMemo(
    () => [
      { id: 'next', label: 'Focus the next step', keys: 'period', keysShown: '.', run: focusNext },
      {
        id: 'jump',
        label: 'Jump anywhere',
        keys: 'ctrl+k',
        keysShown: 'Ctrl K',
        run: () => open('jump'),
      },
      {
        id: 'keys',
        label: 'Show the keys',
        keys: 'shift+slash',
        keysShown: '?',
        run: () => open('keys'),
      },
      {
        id: 'scheme',
        label: isDark ? 'Light colours' : 'Dark colours',
        run: () => setMode(isDark ? 'light' : 'dark'),
      },
    ],
    [isDark, open, setMode],
  );
}
