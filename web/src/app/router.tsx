import type { ComponentType } from 'react';
import { createBrowserRouter, type RouteObject } from 'react-router';

import { Frame } from './Frame';
import { RouteProblem } from './RouteProblem';

/** A view that breaks off leaves the frame around it whole. */
function view(path: string, lazy: () => Promise<{ Component: ComponentType }>): RouteObject {
  const at = path === '' ? { index: true as const } : { path };
  return { ...at, lazy, errorElement: <RouteProblem /> };
}

/** What can be shared is in the address: the unit and the station. */
export const router = createBrowserRouter([
  {
    path: '/',
    element: <Frame />,
    errorElement: <RouteProblem />,
    children: [
      view('', async () => ({
        Component: (await import('../features/bench/BenchPage')).BenchPage,
      })),
      view('units/:unit/standing', async () => ({
        Component: (await import('../features/standing/StandingPage')).StandingPage,
      })),
      view('units/:unit/owner', async () => ({
        Component: (await import('../features/standing/OwnerPage')).OwnerPage,
      })),
      view('units/:unit/passport', async () => ({
        Component: (await import('../features/log/PassportPage')).PassportPage,
      })),
      view('families/:family?', async () => ({
        Component: (await import('../features/families/FamiliesPage')).FamiliesPage,
      })),
      view('units/:unit/recovery', async () => ({
        Component: (await import('../features/recovery/RecoveryPage')).RecoveryPage,
      })),
      view('shelf', async () => ({
        Component: (await import('../features/shelf/ShelfPage')).ShelfPage,
      })),
      view('units/:unit/backups', async () => ({
        Component: (await import('../features/backups/BackupsPage')).BackupsPage,
      })),
      view('settings', async () => ({
        Component: (await import('../features/settings/SettingsPage')).SettingsPage,
      })),
      view('units/:unit/run', async () => ({
        Component: (await import('../features/run/RunPage')).RunPage,
      })),
      view('units/:unit/log', async () => ({
        Component: (await import('../features/log/LogPage')).LogPage,
      })),
      { path: '*', element: <RouteProblem /> },
    ],
  },
]);
