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
      // What the bench has at hand bears on each unit.
      return [['bench'], ['unit']];
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

/** How often the server told of each noun. */
const heard = new Map<string, number>();
const waiting = new Set<() => void>();

/** How often the server told of a noun by now. */
export function heardOf(noun: QueryKey): number {
  return heard.get(JSON.stringify(noun)) ?? 0;
}

/** Waits until the server has told of a noun more often than `before`; gives whether it did in time. */
export function hearOf(noun: QueryKey, before: number, withinMs: number): Promise<boolean> {
  return new Promise((resolve) => {
    const end = (isHeard: boolean) => {
      clearTimeout(timer);
      waiting.delete(look);
      resolve(isHeard);
    };
    const look = () => {
      if (heardOf(noun) > before) end(true);
    };
    const timer = setTimeout(() => end(false), connection.isUp ? withinMs : 0);
    waiting.add(look);
    look();
  });
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
    for (const key of keys) {
      const noun = JSON.stringify(key);
      heard.set(noun, (heard.get(noun) ?? 0) + 1);
    }
    waiting.forEach((look) => look());
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
