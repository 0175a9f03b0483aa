import { notifyManager, type QueryClient, type QueryKey } from '@tanstack/react-query';

import type { Api } from './client';

/** Whether the server is there, and since when it is as it is. */
export interface Connection {
  isUp: boolean;
  since: number;
}

let connection: Connection = { isUp: true, since: Date.now() };
const listeners = new Set<() => void>();

export function subscribeConnection(listener: () => void): () => void {
  listeners.add(listener);
  return () => listeners.delete(listener);
}

export function currentConnection(): Connection {
  return connection;
}

function setConnected(isUp: boolean): void {
  if (connection.isUp === isUp) return;
  connection = { isUp, since: Date.now() };
  listeners.forEach((listener) => listener());
}

function keysOf(event: Api<'Event'>): QueryKey[] {
  switch (event.event) {
    case 'bench':
      return [['bench']];
    case 'unit':
      return [['bench'], ['unit', event.unit], ['log', event.unit]];
    case 'run':
      return [['unit', event.unit]];
    case 'job':
      return [['jobs']];
    case 'reset':
      return [[]];
  }
}

/**
 * Follows the server's events for as long as the page lives. Invalidations are gathered per
 * animation frame; after a lost connection everything is read anew.
 */
export function followEvents(queries: QueryClient): void {
  const stream = new EventSource('/api/events');
  const pending = new Map<string, QueryKey>();
  let scheduled = false;

  const flush = () => {
    scheduled = false;
    const keys = [...pending.values()];
    pending.clear();
    notifyManager.batch(() => {
      for (const queryKey of keys) void queries.invalidateQueries({ queryKey });
    });
  };

  stream.onopen = () => {
    const wasDown = !connection.isUp;
    setConnected(true);
    if (wasDown) void queries.invalidateQueries();
  };
  stream.onerror = () => setConnected(false);
  stream.onmessage = (message: MessageEvent<string>) => {
    for (const key of keysOf(JSON.parse(message.data) as Api<'Event'>)) {
      pending.set(JSON.stringify(key), key);
    }
    if (!scheduled) {
      scheduled = true;
      // A hidden page gets no frames, and must not fall behind either.
      if (document.hidden) setTimeout(flush, 250);
      else requestAnimationFrame(flush);
    }
  };
}
