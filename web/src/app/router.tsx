import { createBrowserRouter } from 'react-router';

import { Frame } from './Frame';
import { RouteProblem } from './RouteProblem';

/** What can be shared is in the address: the unit and the station. */
export const router = createBrowserRouter([
  {
    path: '/',
    element: <Frame />,
    errorElement: <RouteProblem />,
    children: [
      {
        index: true,
        lazy: async () => ({ Component: (await import('../features/bench/BenchPage')).BenchPage }),
      },
      {
        path: 'units/:unit/standing',
        lazy: async () => ({
          Component: (await import('../features/standing/StandingPage')).StandingPage,
        }),
      },
      {
        path: 'units/:unit/owner',
        lazy: async () => ({
          Component: (await import('../features/standing/OwnerPage')).OwnerPage,
        }),
      },
      {
        path: 'families/:family?',
        lazy: async () => ({
          Component: (await import('../features/families/FamiliesPage')).FamiliesPage,
        }),
      },
      {
        path: 'units/:unit/backups',
        lazy: async () => ({
          Component: (await import('../features/backups/BackupsPage')).BackupsPage,
        }),
      },
      {
        path: 'settings',
        lazy: async () => ({
          Component: (await import('../features/settings/SettingsPage')).SettingsPage,
        }),
      },
      {
        path: 'units/:unit/run',
        lazy: async () => ({ Component: (await import('../features/run/RunPage')).RunPage }),
      },
      {
        path: 'units/:unit/log',
        lazy: async () => ({ Component: (await import('../features/log/LogPage')).LogPage }),
      },
      { path: '*', element: <RouteProblem /> },
    ],
  },
]);
