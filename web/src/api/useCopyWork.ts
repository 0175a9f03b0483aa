import { client, newRequest, unwrap } from './client';
import { useChange } from './useChange';

type Kind = 'copy' | 'verify' | 'repair';

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
