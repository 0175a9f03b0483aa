import { client, newRequest, unwrap } from '../../api/client';
import { useChange } from '../../api/useChange';

/** Begins a capture. */
export function useTakeCapture(unit: string) {
  return useChange(
    (kind: 'quick' | 'full') =>
      unwrap(
        client.POST('/api/units/{unit}/captures', {
          params: { path: { unit } },
          body: { kind, request: newRequest() },
        }),
      ),
    unit,
  );
}

/** Puts partitions back. */
export function useRestore(unit: string, capture: string) {
  return useChange(
    (labels: string[]) =>
      unwrap(
        client.POST('/api/units/{unit}/captures/{capture}/restore', {
          params: { path: { unit, capture } },
          body: { labels, request: newRequest() },
        }),
      ),
    unit,
  );
}
