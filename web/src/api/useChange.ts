import { useMutation, useQueryClient, type UseMutationResult } from '@tanstack/react-query';

/**
 * A change of one unit or, without one, of the bench; what it touches is read anew.
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
  return useMutation({
    mutationFn: change,
    onSuccess: done,
    onSettled: async () => {
      const keys = unit === undefined ? [['bench']] : [['bench'], ['unit', unit], ['log', unit]];
      await Promise.all(keys.map((queryKey) => queries.invalidateQueries({ queryKey })));
    },
  });
}
