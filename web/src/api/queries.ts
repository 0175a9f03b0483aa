import { infiniteQueryOptions, queryOptions } from '@tanstack/react-query';

import { client, unwrap, type Api } from './client';

/** One factory an endpoint; keys begin with the noun that events invalidate. */
export const benchQuery = () =>
  queryOptions({
    queryKey: ['bench'],
    queryFn: () => unwrap(client.GET('/api/bench')),
  });

export const foundQuery = (bridge: string) =>
  queryOptions({
    queryKey: ['bench', 'found', bridge],
    queryFn: () =>
      unwrap(client.GET('/api/bridges/{bridge}/devices', { params: { path: { bridge } } })),
  });

export const unitQuery = (unit: string) =>
  queryOptions({
    queryKey: ['unit', unit, 'tag'],
    queryFn: () => unwrap(client.GET('/api/units/{unit}', { params: { path: { unit } } })),
  });

export const standingQuery = (unit: string) =>
  queryOptions({
    queryKey: ['unit', unit, 'standing'],
    queryFn: () => unwrap(client.GET('/api/units/{unit}/standing', { params: { path: { unit } } })),
  });

export const runQuery = (unit: string) =>
  queryOptions({
    queryKey: ['unit', unit, 'run'],
    queryFn: () => unwrap(client.GET('/api/units/{unit}/run', { params: { path: { unit } } })),
  });

/** What eyes see of the unit's stand-in; asked often while its panel is open. */
export const faceQuery = (unit: string) =>
  queryOptions({
    queryKey: ['face', unit],
    queryFn: () => unwrap(client.GET('/api/units/{unit}/face', { params: { path: { unit } } })),
  });

/** The connection, looked at when asked for. */
export const doctorQuery = (unit: string) =>
  queryOptions({
    queryKey: ['unit', unit, 'doctor'],
    queryFn: () => unwrap(client.GET('/api/units/{unit}/doctor', { params: { path: { unit } } })),
  });

export const cardsQuery = (run: string, step: number) =>
  queryOptions({
    queryKey: ['cards', run, step],
    queryFn: () =>
      unwrap(client.GET('/api/runs/{run}/steps/{step}/cards', { params: { path: { run, step } } })),
    staleTime: Infinity,
  });

export const backupsQuery = (unit: string) =>
  queryOptions({
    queryKey: ['unit', unit, 'backups'],
    queryFn: () => unwrap(client.GET('/api/units/{unit}/backups', { params: { path: { unit } } })),
  });

export const stockQuery = (unit: string) =>
  queryOptions({
    queryKey: ['unit', unit, 'stock'],
    queryFn: () => unwrap(client.GET('/api/units/{unit}/stock', { params: { path: { unit } } })),
  });

export const captureQuery = (unit: string, capture: string) =>
  queryOptions({
    queryKey: ['unit', unit, 'capture', capture],
    queryFn: () =>
      unwrap(
        client.GET('/api/units/{unit}/captures/{capture}', { params: { path: { unit, capture } } }),
      ),
  });

export const restoreQuery = (unit: string, capture: string) =>
  queryOptions({
    queryKey: ['unit', unit, 'restore', capture],
    queryFn: () =>
      unwrap(
        client.GET('/api/units/{unit}/captures/{capture}/restore', {
          params: { path: { unit, capture } },
        }),
      ),
  });

export const rulesQuery = () =>
  queryOptions({
    queryKey: ['rules'],
    queryFn: () => unwrap(client.GET('/api/rules')),
    staleTime: Infinity,
  });

export const familiesQuery = () =>
  queryOptions({
    queryKey: ['bench', 'families'],
    queryFn: () => unwrap(client.GET('/api/families')),
  });

export const familyQuery = (family: string) =>
  queryOptions({
    queryKey: ['bench', 'families', family],
    queryFn: () => unwrap(client.GET('/api/families/{family}', { params: { path: { family } } })),
  });

export const familyCheckQuery = (text: string) =>
  queryOptions({
    queryKey: ['bench', 'family-check', text],
    queryFn: () => unwrap(client.POST('/api/family-check', { body: { text } })),
    staleTime: Infinity,
  });

export const settingsQuery = () =>
  queryOptions({
    queryKey: ['bench', 'settings'],
    queryFn: () => unwrap(client.GET('/api/settings')),
  });

/** What lies in a place, whoever wrote it. */
export const placeFoundQuery = (place: string) =>
  queryOptions({
    queryKey: ['bench', 'place-found', place],
    queryFn: () => unwrap(client.GET('/api/places/{place}/found', { params: { path: { place } } })),
  });

export const jobsQuery = () =>
  queryOptions({
    queryKey: ['jobs'],
    queryFn: () => unwrap(client.GET('/api/jobs')),
  });

export type LogKind = Api<'EntryKind'>;

export const logQuery = (unit: string, kind: LogKind | undefined) =>
  infiniteQueryOptions({
    queryKey: ['log', unit, kind ?? 'all'],
    queryFn: ({ pageParam }) =>
      unwrap(client.GET('/api/log', { params: { query: { unit, kind, before: pageParam } } })),
    initialPageParam: undefined as string | undefined,
    getNextPageParam: (last) => (last.more ? last.lines.at(-1)?.key : undefined),
  });

export const chainQuery = (unit: string) =>
  queryOptions({
    queryKey: ['log', unit, 'chain'],
    queryFn: () => unwrap(client.GET('/api/log/check', { params: { query: { unit } } })),
  });
