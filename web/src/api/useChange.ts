import {
  useMutation,
  useQueryClient,
  type Query,
  type QueryKey,
  type UseMutationResult,
} from '@tanstack/react-query';

import { heardOf, hearOf } from './events';

/** Within this the server tells of what was changed; a request that was done before changes nothing. */
const HEARD_WITHIN_MS = 400;

function isUnder(query: Query, key: QueryKey): boolean {
  return key.every((part, index) => query.queryKey[index] === part);
}

/**
 * A change of one unit or, without one, of the bench. What it touches is read anew once: when the server
 * tells of it, and only where it tells nothing by ourselves. The change is under way until that is here.
 *
 * `done` is called with what was changed even if the field that asked is gone by then: the
 * device's news may redraw the page before the answer is here.
 */
export function useChange<Input, Output>(
  change: (input: Input) => Promise<Output>,
  unit?: string,
  done?: (output: Output, input: Input) => void,
): UseMutationResult<Output, Error, Input> {
  const queries = useQueryClient();
  const noun: QueryKey = unit === undefined ? ['bench'] : ['unit', unit];
  return useMutation({
    mutationFn: change,
    onMutate: () => ({ heard: heardOf(noun) }),
    onSuccess: done,
    onSettled: async (_output, _error, _input, before) => {
      const keys = unit === undefined ? [['bench']] : [['bench'], ['unit', unit], ['log', unit]];
      if (!(await hearOf(noun, before?.heard ?? 0, HEARD_WITHIN_MS))) {
        await Promise.all(keys.map((queryKey) => queries.invalidateQueries({ queryKey })));
        return;
      }
      await queries.refetchQueries(
        {
          type: 'active',
          predicate: (query) =>
            keys.some((key) => isUnder(query, key)) &&
            (query.state.isInvalidated || query.state.fetchStatus === 'fetching'),
        },
        { cancelRefetch: false },
      );
    },
  });
}
