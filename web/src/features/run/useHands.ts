import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useCallback, useEffect, useRef, useState } from 'react';

import { client, unwrap, type Api } from '../../api/client';
import { faceQuery } from '../../api/queries';

/** Hands on a stand-in: what is pressed reaches it in the order in which it was pressed. */
export function useHands(unit: string) {
  const queries = useQueryClient();
  const last = useRef<Promise<unknown>>(Promise.resolve());
  const [isLatched, setLatched] = useState(false);
  const { mutate, error } = useMutation({
    mutationFn: (act: Api<'BodyAct'>) => {
      const send = () =>
        unwrap(
          client.POST('/api/units/{unit}/face', { params: { path: { unit } }, body: { act } }),
        );
      const sent = last.current.then(send, send);
      last.current = sent;
      return sent;
    },
    onSuccess: (seen) => queries.setQueryData(faceQuery(unit).queryKey, seen),
  });
  const down = useRef(new Set<Api<'BodyKey'>>());
  const press = useCallback(
    (key: Api<'BodyKey'>, isHeld: boolean) => {
      const isUp = isLatched && isHeld;
      if (isUp) down.current.delete(key);
      else down.current.add(key);
      mutate({ do: 'key', key, to: isUp ? 'up' : 'down' });
    },
    [isLatched, mutate],
  );
  const letGo = useCallback(
    (key: Api<'BodyKey'>) => {
      if (isLatched || !down.current.delete(key)) return;
      mutate({ do: 'key', key, to: 'up' });
    },
    [isLatched, mutate],
  );
  // Hands that leave the device hold nothing.
  useEffect(() => {
    const held = down.current;
    return () => held.forEach((key) => mutate({ do: 'key', key, to: 'up' }));
  }, [mutate]);
  const touch = useCallback((button: string) => mutate({ do: 'touch', button }), [mutate]);
  return { press, letGo, touch, isLatched, setLatched, error };
}
