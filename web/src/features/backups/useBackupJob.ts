import { client, newRequest, unwrap } from '../../api/client';
import { useChange } from '../../api/useChange';

type Kind = 'copy' | 'verify' | 'repair';

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

/** Begins something with one copy of a capture. */
export function useCopyWork(unit: string) {
  return useChange(({ kind, capture, place }: { kind: Kind; capture: string; place: string }) => {
    const options = {
      params: { path: { unit, capture } },
      body: { place, request: newRequest() },
    };
    switch (kind) {
      case 'copy':
        return unwrap(client.POST('/api/units/{unit}/captures/{capture}/copy', options));
      case 'verify':
        return unwrap(client.POST('/api/units/{unit}/captures/{capture}/verify', options));
      case 'repair':
        return unwrap(client.POST('/api/units/{unit}/captures/{capture}/repair', options));
    }
  }, unit);
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
