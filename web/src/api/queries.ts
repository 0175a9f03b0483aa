import { infiniteQueryOptions, queryOptions } from '@tanstack/react-query';

import { client, unwrap, type Api } from './client';

/** One factory an endpoint; keys begin with the noun that events invalidate. */
export const benchQuery = () =>
  queryOptions({
    queryKey: ['bench'],
    queryFn: ({ signal }) => unwrap(client.GET('/api/bench', { signal })),
  });

export const foundQuery = (bridge: string) =>
  queryOptions({
    queryKey: ['bench', 'found', bridge],
    queryFn: ({ signal }) =>
      unwrap(client.GET('/api/bridges/{bridge}/devices', { signal, params: { path: { bridge } } })),
  });

export const unitQuery = (unit: string) =>
  queryOptions({
    queryKey: ['unit', unit, 'tag'],
    queryFn: ({ signal }) =>
      unwrap(client.GET('/api/units/{unit}', { signal, params: { path: { unit } } })),
  });

export const standingQuery = (unit: string) =>
  queryOptions({
    queryKey: ['unit', unit, 'standing'],
    queryFn: ({ signal }) =>
      unwrap(client.GET('/api/units/{unit}/standing', { signal, params: { path: { unit } } })),
  });

export const passportQuery = (unit: string) =>
  queryOptions({
    queryKey: ['unit', unit, 'passport'],
    queryFn: ({ signal }) =>
      unwrap(client.GET('/api/units/{unit}/passport', { signal, params: { path: { unit } } })),
  });

export const runQuery = (unit: string) =>
  queryOptions({
    queryKey: ['unit', unit, 'run'],
    queryFn: ({ signal }) =>
      unwrap(client.GET('/api/units/{unit}/run', { signal, params: { path: { unit } } })),
  });

/** What eyes see of the unit's stand-in; asked often while its panel is open. */
export const faceQuery = (unit: string) =>
  queryOptions({
    queryKey: ['face', unit],
    queryFn: ({ signal }) =>
      unwrap(client.GET('/api/units/{unit}/face', { signal, params: { path: { unit } } })),
  });

/** The connection, looked at when asked for. */
export const doctorQuery = (unit: string) =>
  queryOptions({
    queryKey: ['unit', unit, 'doctor'],
    queryFn: ({ signal }) =>
      unwrap(client.GET('/api/units/{unit}/doctor', { signal, params: { path: { unit } } })),
  });

export const cardsQuery = (run: string, step: number) =>
  queryOptions({
    queryKey: ['cards', run, step],
    queryFn: ({ signal }) =>
      unwrap(
        client.GET('/api/runs/{run}/steps/{step}/cards', {
          signal,
          params: { path: { run, step } },
        }),
      ),
    staleTime: Infinity,
  });

export const backupsQuery = (unit: string) =>
  queryOptions({
    queryKey: ['unit', unit, 'backups'],
    queryFn: ({ signal }) =>
      unwrap(client.GET('/api/units/{unit}/backups', { signal, params: { path: { unit } } })),
  });

/** What an export on this computer holds; read when a path is asked for. */
export const exportQuery = (path: string) =>
  queryOptions({
    queryKey: ['bench', 'export', path],
    queryFn: ({ signal }) =>
      unwrap(client.GET('/api/imports', { signal, params: { query: { path } } })),
    enabled: path !== '',
    retry: false,
  });

/** What hands read of the unit and handed in. */
export const dumpsQuery = (unit: string) =>
  queryOptions({
    queryKey: ['unit', unit, 'dumps'],
    queryFn: ({ signal }) =>
      unwrap(client.GET('/api/units/{unit}/dumps', { signal, params: { path: { unit } } })),
  });

export const stockQuery = (unit: string) =>
  queryOptions({
    queryKey: ['unit', unit, 'stock'],
    queryFn: ({ signal }) =>
      unwrap(client.GET('/api/units/{unit}/stock', { signal, params: { path: { unit } } })),
  });

export const recoveryQuery = (unit: string) =>
  queryOptions({
    queryKey: ['unit', unit, 'recovery'],
    queryFn: ({ signal }) =>
      unwrap(client.GET('/api/units/{unit}/recovery', { signal, params: { path: { unit } } })),
  });

export const shelfQuery = () =>
  queryOptions({
    queryKey: ['bench', 'shelf'],
    queryFn: ({ signal }) => unwrap(client.GET('/api/shelf', { signal })),
  });

export const captureQuery = (unit: string, capture: string) =>
  queryOptions({
    queryKey: ['unit', unit, 'capture', capture],
    queryFn: ({ signal }) =>
      unwrap(
        client.GET('/api/units/{unit}/captures/{capture}', {
          signal,
          params: { path: { unit, capture } },
        }),
      ),
  });

export const restoreQuery = (unit: string, capture: string) =>
  queryOptions({
    queryKey: ['unit', unit, 'restore', capture],
    queryFn: ({ signal }) =>
      unwrap(
        client.GET('/api/units/{unit}/captures/{capture}/restore', {
          signal,
          params: { path: { unit, capture } },
        }),
      ),
  });

export const rulesQuery = () =>
  queryOptions({
    queryKey: ['rules'],
    queryFn: ({ signal }) => unwrap(client.GET('/api/rules', { signal })),
    staleTime: Infinity,
  });

export const wordsQuery = () =>
  queryOptions({
    queryKey: ['words'],
    queryFn: ({ signal }) => unwrap(client.GET('/api/words', { signal })),
    staleTime: Infinity,
  });

export const familiesQuery = () =>
  queryOptions({
    queryKey: ['bench', 'families'],
    queryFn: ({ signal }) => unwrap(client.GET('/api/families', { signal })),
  });

export const familyQuery = (family: string) =>
  queryOptions({
    queryKey: ['bench', 'families', family],
    queryFn: ({ signal }) =>
      unwrap(client.GET('/api/families/{family}', { signal, params: { path: { family } } })),
  });

export const familyCheckQuery = (text: string) =>
  queryOptions({
    queryKey: ['bench', 'family-check', text],
    queryFn: ({ signal }) => unwrap(client.POST('/api/family-check', { signal, body: { text } })),
    staleTime: Infinity,
  });

export const settingsQuery = () =>
  queryOptions({
    queryKey: ['bench', 'settings'],
    queryFn: ({ signal }) => unwrap(client.GET('/api/settings', { signal })),
  });

/** What lies in a place, whoever wrote it. */
export const placeFoundQuery = (place: string) =>
  queryOptions({
    queryKey: ['bench', 'place-found', place],
    queryFn: ({ signal }) =>
      unwrap(client.GET('/api/places/{place}/found', { signal, params: { path: { place } } })),
  });

export const jobsQuery = () =>
  queryOptions({
    queryKey: ['jobs'],
    queryFn: ({ signal }) => unwrap(client.GET('/api/jobs', { signal })),
  });

export type LogKind = Api<'EntryKind'>;

export const logQuery = (unit: string, kind: LogKind | undefined) =>
  infiniteQueryOptions({
    queryKey: ['log', unit, kind ?? 'all'],
    queryFn: ({ pageParam, signal }) =>
      unwrap(
        client.GET('/api/log', { signal, params: { query: { unit, kind, before: pageParam } } }),
      ),
    initialPageParam: undefined as string | undefined,
    getNextPageParam: (last) => (last.more ? last.lines.at(-1)?.key : undefined),
  });

export const chainQuery = (unit: string) =>
  queryOptions({
    queryKey: ['log', unit, 'chain'],
    queryFn: ({ signal }) =>
      unwrap(client.GET('/api/log/check', { signal, params: { query: { unit } } })),
  });
