import { useSyncExternalStore } from 'react';

import { currentConnection, subscribeConnection } from '../api/events';

/** Whether the server is there; buttons that need it are off when it isn't. */
export function useIsUp(): boolean {
  return useSyncExternalStore(subscribeConnection, () => currentConnection().isUp);
}
