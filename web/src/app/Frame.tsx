import Box from '@mui/material/Box';
import { useCallback, useMemo, useState } from 'react';
import { useHotkeys } from 'react-hotkeys-hook';
import { Outlet, useLocation, useParams } from 'react-router';

import { useGeneralActions, useStations } from './actions';
import { ConnectionBand } from './ConnectionBand';
import { Foot } from './Foot';
import { JumpDialog } from './JumpDialog';
import { KeysDialog } from './KeysDialog';
import { usePreferences } from '../ui/preferences';
import { Rail } from './Rail';
import { UnitTag } from './UnitTag';

/** Rail, tag, view, foot. */
export function Frame() {
  const { unit } = useParams();
  const { pathname } = useLocation();
  const [dialog, setDialog] = useState<'jump' | 'keys' | undefined>();
  const open = useCallback((which: 'jump' | 'keys') => setDialog(which), []);
  const close = useCallback(() => setDialog(undefined), []);
  const stations = useStations(unit);
  const general = useGeneralActions(open);
  const actions = useMemo(() => [...stations, ...general], [stations, general]);
  const singleKeys = usePreferences().singleKeys === 'on';
  useHotkeys(
    actions.flatMap((action) => action.keys ?? []),
    (event, pressed) => {
      const name = [
        pressed.ctrl === true ? 'ctrl' : '',
        pressed.shift === true ? 'shift' : '',
        ...(pressed.keys ?? []),
      ];
      const keys = name.filter((part) => part !== '').join('+');
      const action = actions.find((known) => known.keys === keys);
      if (action === undefined || (!singleKeys && pressed.ctrl !== true)) return;
      event.preventDefault();
      action.run();
    },
    { enabled: dialog === undefined },
    [actions, singleKeys],
  );
  const place = stations.find(
    (station) =>
      station.path === pathname ||
      (station.place === 'families' && pathname.startsWith('/families/')),
  )?.place;
  return (
    <Box
      sx={{
        display: 'grid',
        gridTemplateColumns: 'auto minmax(0, 1fr)',
        height: '100dvh',
        '@media print': { display: 'block', height: 'auto' },
        '@media (max-width: 719px), (max-height: 499px)': {
          gridTemplateColumns: 'minmax(0, 1fr)',
          gridTemplateRows: 'auto minmax(0, 1fr)',
        },
      }}
    >
      <Rail stations={stations} current={place} general={general} />
      <Box
        sx={{
          display: 'grid',
          gridTemplateRows: 'auto auto minmax(0, 1fr) auto',
          minHeight: 0,
          '@media print': { display: 'block' },
        }}
      >
        <ConnectionBand />
        <Box component="header" sx={{ displayPrint: 'none' }}>
          {unit !== undefined && <UnitTag unit={unit} />}
        </Box>
        <Box component="main" sx={{ overflowY: 'auto' }} key={unit}>
          <Outlet />
        </Box>
        {unit !== undefined && <Foot unit={unit} current={place} />}
      </Box>
      {dialog === 'jump' && <JumpDialog actions={actions} onClose={close} />}
      {dialog === 'keys' && <KeysDialog actions={actions} onClose={close} />}
    </Box>
  );
}
